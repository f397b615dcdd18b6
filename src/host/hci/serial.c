/* HCI over a serial line.
 *
 *                 +---- the first packet of a reset's answer ----+
 *                 v                                              |
 *   init --> seeks ---- as above ----> in step ---- a fault ---> lost --it has been told--> seeks
 *
 * The controller's end begins in step, and after a fault seeks the command that resets (Core 5.4 Vol 4 Part A 4). */
#include <yarnswift/serial.h>

#include <string.h>

#include <yarnswift/bytes.h>

#include "host/core/bits.h"
#include "host/core/clock.h"
#include "host/core/ring.h"
#include "wire/hci.h"

enum state { SEEKS, IN_STEP, LOST };

#define ANY 0x100 /* whatever the byte is */

/* What each end seeks: the command complete event of a reset, and the command (Vol 4 Part E 7.3.2, 7.7.14). */
static const uint16_t reset_done[] = {YS_HCI_EVENT, YS_HCI_COMMAND_COMPLETE, 4, ANY, 0x03, 0x0c, ANY};
static const uint16_t reset_asked[] = {YS_HCI_COMMAND, 0x03, 0x0c, 0};

/* The headers of packets, by their type (Vol 4 Part E 5.4): how long, with the type, and how the rest is told. */
struct header {
    uint8_t size;
    uint8_t length_size; /* bytes of the length, which are the header's last */
};
static const struct header headers[] = {
    [YS_HCI_COMMAND] = {4, 1}, [YS_HCI_DATA] = {5, 2}, [YS_HCI_SYNCHRONOUS] = {4, 1},
    [YS_HCI_EVENT] = {3, 1},   [YS_HCI_ISO] = {5, 2},
};

const char *ys_serial_fault_text(enum ys_serial_fault fault)
{
    static const char *const texts[] = {
        [YS_SERIAL_NONSENSE] = "the serial line lost step: no packet begins with",
        [YS_SERIAL_TOO_LONG] = "the serial line lost step, or has a packet longer than there is room for:",
        [YS_SERIAL_OVERFLOW] = "bytes of the serial line came faster than they were taken:",
        [YS_SERIAL_PAUSE] = "the serial line broke off in a packet, after",
        [YS_SERIAL_STUCK] = "the serial line does not take what is sent; bytes dropped:",
    };
    return (unsigned)fault < sizeof texts / sizeof texts[0] ? texts[fault] : "the serial line has a fault:";
}

bool ys_serial_init(struct ys_serial *serial, const struct ys_serial_settings *settings)
{
    if (serial == NULL || settings == NULL || settings->in == NULL || settings->in_size < 2 || settings->out == NULL ||
        settings->out_size < 2 || settings->packet == NULL || settings->packet_size < 258 || settings->begin == NULL)
        return false;
    memset(serial, 0, sizeof *serial);
    serial->settings = settings;
    serial->in = (struct ys_stream){.bytes = settings->in, .size = settings->in_size};
    serial->out = (struct ys_stream){.bytes = settings->out, .size = settings->out_size};
    serial->state = settings->controller ? IN_STEP : SEEKS;
    return true;
}

/* the interrupts' side */

/* As much as there is room for; the writer alone may call it. */
static uint32_t append(struct ys_stream *ring, const void *bytes, uint32_t length)
{
    uint32_t room = ys_stream_room(ring);
    uint32_t fits = length < room ? length : room;
    YS_STORE(ring->head, ys_ring_write(ring, YS_LOAD(ring->head), bytes, fits));
    return fits;
}

uint32_t ys_serial_put(struct ys_serial *serial, const void *bytes, uint32_t length)
{
    uint32_t taken = append(&serial->in, bytes, length);
    if (serial->settings->now_ms != NULL)
        YS_STORE(serial->last_ms, serial->settings->now_ms(serial->settings->context));
    if (taken < length)
        YS_STORE(serial->overflowed, YS_LOAD(serial->overflowed) + (length - taken));
    return taken;
}

uint32_t ys_serial_room(const struct ys_serial *serial)
{
    return ys_stream_room(&serial->in);
}

uint32_t ys_serial_take(struct ys_serial *serial, void *bytes, uint32_t size)
{
    struct ys_writer writer = ys_writer_to(bytes, size);
    uint32_t waiting = ys_stream_waiting(&serial->out);
    uint32_t taken = waiting < size ? waiting : size;
    ys_stream_take(&serial->out, &writer, taken);
    return taken;
}

/* the loop's side */

/* From now on nothing that comes is believed. */
static void lose_step(struct ys_serial *serial, enum ys_serial_fault fault, uint32_t number)
{
    const struct ys_serial_settings *settings = serial->settings;
    serial->state = settings->controller ? SEEKS : LOST;
    serial->filled = 0;
    if (settings->fault != NULL)
        settings->fault(settings->context, fault, number);
}

void ys_serial_send(void *context, const uint8_t *packet, size_t length)
{
    struct ys_serial *serial = context;
    const struct ys_serial_settings *settings = serial->settings;
    uint32_t left = (uint32_t)length;
    for (;;) {
        left -= append(&serial->out, packet + (length - left), left);
        settings->begin(settings->context);
        if (left == 0)
            return;
        if (settings->wait == NULL || !settings->wait(settings->context))
            break;
    }
    lose_step(serial, YS_SERIAL_STUCK, left);
}

static uint8_t next_byte(struct ys_serial *serial)
{
    uint8_t byte = 0;
    struct ys_writer writer = ys_writer_to(&byte, 1);
    ys_stream_take(&serial->in, &writer, 1);
    return byte;
}

/* Compares what has come with what is sought, and drops from the beginning what cannot be of it. True if it is whole.
 */
static bool seek(struct ys_serial *serial)
{
    bool controller = serial->settings->controller;
    const uint16_t *sought = controller ? reset_asked : reset_done;
    uint16_t whole = controller ? sizeof reset_asked / sizeof *sought : sizeof reset_done / sizeof *sought;
    uint8_t *packet = serial->settings->packet;
    packet[serial->filled++] = next_byte(serial);
    for (;;) {
        uint16_t same = 0;
        while (same < serial->filled && (sought[same] == ANY || sought[same] == packet[same]))
            same++;
        if (same == serial->filled)
            return same == whole;
        memmove(packet, packet + 1, --serial->filled);
    }
}

static bool is_type(const struct ys_serial *serial, uint8_t type)
{
    return type >= YS_HCI_COMMAND && type <= YS_HCI_ISO &&
           type != (serial->settings->controller ? YS_HCI_EVENT : YS_HCI_COMMAND);
}

/* The length of the whole packet, once its header is there. */
static uint16_t whole_length(const uint8_t *packet, const struct header *header)
{
    uint32_t length = packet[header->size - header->length_size];
    if (header->length_size == 2)
        length |= (uint32_t)packet[header->size - 1] << 8;
    length = packet[0] == YS_HCI_ISO ? length & 0x3fff : length;
    return (uint16_t)(length + header->size > UINT16_MAX ? UINT16_MAX : length + header->size);
}

/* Takes as much of a packet as there is. True if it is whole; false also if there was a fault. */
static bool collect(struct ys_serial *serial)
{
    const struct ys_serial_settings *settings = serial->settings;
    uint8_t *packet = settings->packet;
    if (serial->filled == 0) {
        packet[0] = next_byte(serial);
        if (!is_type(serial, packet[0])) {
            lose_step(serial, YS_SERIAL_NONSENSE, packet[0]);
            return false;
        }
        serial->filled = 1;
        serial->length = headers[packet[0]].size;
    }
    const struct header *header = &headers[packet[0]];
    uint32_t waiting = ys_stream_waiting(&serial->in);
    uint32_t wanted = (uint32_t)serial->length - serial->filled;
    uint32_t taken = waiting < wanted ? waiting : wanted;
    struct ys_writer writer = ys_writer_to(packet + serial->filled, taken);
    ys_stream_take(&serial->in, &writer, taken);
    serial->filled = (uint16_t)(serial->filled + taken);
    if (serial->filled < serial->length)
        return false;
    if (serial->filled == header->size) {
        serial->length = whole_length(packet, header);
        if (serial->length > settings->packet_size)
            lose_step(serial, YS_SERIAL_TOO_LONG, serial->length);
    }
    return serial->state == IN_STEP && serial->filled == serial->length;
}

static void check_line(struct ys_serial *serial)
{
    const struct ys_serial_settings *settings = serial->settings;
    uint32_t overflowed = YS_LOAD(serial->overflowed);
    if (overflowed != serial->told) {
        uint32_t lost = overflowed - serial->told;
        serial->told = overflowed;
        if (serial->state == IN_STEP)
            lose_step(serial, YS_SERIAL_OVERFLOW, lost);
        else
            serial->filled = 0;
    }
    if (serial->state == IN_STEP && serial->filled > 0 && settings->now_ms != NULL &&
        ys_stream_waiting(&serial->in) == 0 &&
        settings->now_ms(settings->context) - YS_LOAD(serial->last_ms) >= YS_SERIAL_PAUSE_MS)
        lose_step(serial, YS_SERIAL_PAUSE, serial->filled);
}

const uint8_t *ys_serial_receive(void *context, size_t *length)
{
    struct ys_serial *serial = context;
    uint8_t *packet = serial->settings->packet;
    check_line(serial);
    while (serial->state != LOST && ys_stream_waiting(&serial->in) > 0) {
        bool whole = serial->state == SEEKS ? seek(serial) : collect(serial);
        if (!whole)
            continue;
        serial->state = IN_STEP;
        *length = serial->filled;
        serial->filled = 0;
        return packet;
    }
    if (serial->state != LOST)
        return NULL;
    /* Vol 4 Part E 7.7.16: in the controller's place, which cannot know */
    static const uint8_t failed[] = {YS_HCI_EVENT, YS_HCI_HARDWARE_ERROR, 1, 0};
    serial->state = SEEKS;
    *length = sizeof failed;
    return failed;
}

uint32_t ys_serial_wait_ms(const struct ys_serial *serial, uint32_t wait_ms)
{
    bool unfinished = serial->state == IN_STEP && serial->filled > 0 && serial->settings->now_ms != NULL;
    return unfinished && wait_ms > YS_SERIAL_PAUSE_MS ? YS_SERIAL_PAUSE_MS : wait_ms;
}
