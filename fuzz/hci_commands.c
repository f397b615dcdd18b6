/* Everything that a host can say: a row of packets, each after its length, to a controller that has sets. Each command
 * is answered once, and the air that another one hears goes on. */
#include <stdlib.h>

#include "sim/controller.h"
#include "wire/hci_extended.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static void to_host(void *context, const uint8_t *packet, size_t length)
{
    size_t *answers = context;
    if (length < 3 || packet[0] != YS_HCI_EVENT || packet[2] != length - 3) {
        if (length == 0 || packet[0] != YS_HCI_DATA)
            abort();
        return;
    }
    *answers += packet[1] == YS_HCI_COMMAND_COMPLETE || packet[1] == YS_HCI_COMMAND_STATUS;
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static const uint8_t scan[] = {1, 0x41, 0x20, 8, 0, 0, 1, 1, 0x10, 0, 0x10, 0};
    static const uint8_t scan_on[] = {1, 0x42, 0x20, 6, 1, 1, 0, 0, 0, 0};
    struct ys_clock *clock = ys_clock_new();
    struct ys_radio *radio = ys_radio_new(clock);
    struct ys_controller *controllers[2];
    size_t answers[2] = {0, 0};
    for (uint16_t i = 0; i < 2; i++) {
        const struct ys_controller_settings settings = {
            .number = (uint16_t)(i + 1), .seed = 1, .sets = 2, .send = to_host, .context = &answers[i]};
        controllers[i] = ys_controller_new(radio, &settings);
    }
    ys_controller_receive(controllers[1], scan, sizeof scan);
    ys_controller_receive(controllers[1], scan_on, sizeof scan_on);
    while (size > 0 && data[0] < size) {
        size_t before = answers[0];
        struct ys_hci_command command;
        struct ys_reader reader = ys_reader_of(data + 2, data[0] > 0 ? data[0] - 1u : 0);
        bool is_command = data[0] > 0 && data[1] == YS_HCI_COMMAND && ys_get_hci_command(&reader, &command);
        ys_controller_receive(controllers[0], data + 1, data[0]);
        if (answers[0] != before + is_command)
            abort();
        ys_clock_run(clock, ys_clock_now_ns(clock) + 30 * YS_NS_PER_MS);
        size -= (size_t)data[0] + 1;
        data += (size_t)data[0] + 1;
    }
    for (uint16_t i = 0; i < 2; i++)
        ys_controller_free(controllers[i]);
    ys_radio_free(radio);
    ys_clock_free(clock);
    return 0;
}
