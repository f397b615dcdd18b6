/* HCI over a serial line: whatever comes in whatever pieces, what is handed over is whole packets, and a fault ends
 * only with what is sought. */
#include <stdlib.h>
#include <string.h>

#include <yarnswift/serial.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static struct ys_serial serial;
static uint8_t in[700], out[300], packet[300];
static uint32_t now;
static bool faulty;

static void begin(void *context)
{
    (void)context;
}

static uint32_t now_ms(void *context)
{
    (void)context;
    return now;
}

static void fault(void *context, enum ys_serial_fault what, uint32_t number)
{
    (void)context;
    (void)number;
    if (strlen(ys_serial_fault_text(what)) == 0)
        abort();
    faulty = true;
}

static bool is_whole(const uint8_t *got, size_t length, bool controller)
{
    switch (got[0]) {
    case 1:
        return controller && length == 4u + got[3];
    case 2:
        return length == 5u + got[3] + 256u * got[4];
    case 3:
        return length == 4u + got[3];
    case 4:
        return !controller && length == 3u + got[2];
    default:
        return got[0] == 5 && length == 5u + got[3] + 256u * (got[4] & 0x3fu);
    }
}

static void receive_all(bool controller)
{
    const uint8_t *got;
    size_t length = 0;
    while ((got = ys_serial_receive(&serial, &length)) != NULL) {
        if (length == 0 || length > sizeof packet || !is_whole(got, length, controller))
            abort();
        bool made_up = faulty && !controller;
        if (made_up && (length != 4 || got[1] != 0x10))
            abort(); /* a fault is told before anything else */
        if (faulty && controller && (length != 4 || got[1] != 3 || got[2] != 0x0c))
            abort(); /* the first after a fault is a reset */
        faulty = false;
    }
}

/* The first byte says which end it is; then pieces, each after a byte with its length and what is done behind it. */
int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    bool controller = size > 0 && (data[0] & 1) != 0;
    const struct ys_serial_settings settings = {.in = in,
                                                .in_size = sizeof in,
                                                .out = out,
                                                .out_size = sizeof out,
                                                .packet = packet,
                                                .packet_size = sizeof packet,
                                                .controller = controller,
                                                .begin = begin,
                                                .now_ms = now_ms,
                                                .fault = fault};
    faulty = false;
    if (!ys_serial_init(&serial, &settings))
        abort();
    for (size_t at = 1; at < size;) {
        uint8_t what = data[at++];
        size_t length = what & 0x3f;
        length = length < size - at ? length : size - at;
        if (ys_serial_put(&serial, data + at, (uint32_t)length) > length)
            abort();
        if ((what & 0x40) != 0)
            receive_all(controller);
        if ((what & 0x80) != 0) {
            uint8_t taken[0x40];
            ys_serial_send(&serial, data + at, length);
            if (ys_serial_take(&serial, taken, length) > length)
                abort();
            now += 37;
        }
        at += length;
    }
    receive_all(controller);
    return 0;
}
