/* Two connected controllers, of which either hears control PDUs that the other never sent, and gets commands from a
 * host that knows no rules. They go on, or end their link. */
#include <stdlib.h>
#include <string.h>

#include "sim/controller.h"
#include "sim/controller_state.h"
#include "sim/encryption.h"
#include "sim/link_time.h"
#include "sim/procedures.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static void to_host(void *context, const uint8_t *packet, size_t length)
{
    (void)packet;
    *(size_t *)context += length;
}

static void step(struct ys_clock *clock, struct ys_controller *const controllers[2], uint8_t kind, const uint8_t *bytes,
                 uint8_t length)
{
    uint8_t command[4 + 255] = {1};
    struct ys_controller *controller = controllers[kind & 1];
    struct link *link = link_find(controller, 1);
    struct ys_link_control_pdu pdu;
    if ((kind & 6) == 0 && link != NULL && length > 0 && ys_link_control_decode(bytes, length, &pdu) &&
        pdu.opcode != YS_LINK_TERMINATE_IND) {
        if (!encryption_control_in(link, &pdu))
            (void)procedures_control_in(link, &pdu);
    } else if ((kind & 6) == 2 && length >= 2) {
        command[1] = bytes[0];
        command[2] = bytes[1];
        command[3] = (uint8_t)(length - 2);
        memcpy(command + 4, bytes + 2, length - 2u);
        ys_controller_receive(controller, command, 2u + length);
    } else if ((kind & 6) == 4 && length > 0) {
        uint8_t packet[5 + 255] = {2, 1, 0, length, 0};
        memcpy(packet + 5, bytes, length);
        ys_controller_receive(controller, packet, 5u + length);
    }
    ys_clock_run(clock, ys_clock_now_ns(clock) + (kind >> 3) * 5 * YS_NS_PER_MS);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static const uint8_t advertise[] = {1, 0x0a, 0x20, 1, 1};
    static const uint8_t parameters[] = {1, 6, 0x20, 15, 0x20, 0, 0x20, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 7, 0};
    static const uint8_t create[] = {1, 0x0d, 0x20, 25, 0x10, 0, 0x10, 0, 0,   0, 1, 0, 0, 0xff, 0xff,
                                     0, 0,    8,    0,  8,    0, 0,    0, 100, 0, 0, 0, 0, 0};
    struct ys_clock *clock = ys_clock_new();
    struct ys_radio *radio = ys_radio_new(clock);
    struct ys_controller *controllers[2];
    size_t told = 0;
    for (uint16_t i = 0; i < 2; i++) {
        const struct ys_controller_settings settings = {.number = (uint16_t)(i + 1),
                                                        .seed = 1,
                                                        .sets = 1,
                                                        .adapts = true,
                                                        .address = {.bytes = {(uint8_t)(i + 1), 0, 0, 0xff, 0xff, 0}},
                                                        .send = to_host,
                                                        .context = &told};
        controllers[i] = ys_controller_new(radio, &settings);
    }
    ys_controller_receive(controllers[0], parameters, sizeof parameters);
    ys_controller_receive(controllers[0], advertise, sizeof advertise);
    ys_controller_receive(controllers[1], create, sizeof create);
    ys_clock_run(clock, 100 * YS_NS_PER_MS);
    while (size > 1 && data[1] <= size - 2) {
        step(clock, controllers, data[0], data + 2, data[1]);
        size -= (size_t)data[1] + 2;
        data += (size_t)data[1] + 2;
    }
    ys_clock_run(clock, ys_clock_now_ns(clock) + 1000 * YS_NS_PER_MS);
    for (size_t i = 0; i < 2; i++)
        ys_controller_free(controllers[i]);
    ys_radio_free(radio);
    ys_clock_free(clock);
    return 0;
}
