/* PDUs of the link layer: what is read and put again is the same; and a connected controller that hears it goes on. */
#include <stdlib.h>
#include <string.h>

#include "sim/controller.h"
#include "wire/extended.h"
#include "wire/link_control.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

/* Bits that the standard reserves, and fields that are skipped, are not kept: but what is put again is read the same.
 */
static void check_extended(const uint8_t *data, size_t size)
{
    uint8_t bytes[2][300];
    size_t lengths[2];
    struct ys_link_extended pdu;
    if (!ys_link_extended_decode(data, size, &pdu))
        return;
    if (pdu.length > 0 && (pdu.data < data || pdu.data + pdu.length > data + size))
        abort();
    for (int i = 0; i < 2; i++) {
        struct ys_writer writer = ys_writer_to(bytes[i], sizeof bytes[i]);
        ys_put_link_extended(&writer, &pdu);
        lengths[i] = ys_writer_stored(&writer);
        if (!ys_writer_ok(&writer) || lengths[i] > size || !ys_link_extended_decode(bytes[i], lengths[i], &pdu))
            abort();
    }
    if (lengths[0] != lengths[1] || memcmp(bytes[0], bytes[1], lengths[0]) != 0)
        abort();
}

static void check_codecs(const uint8_t *data, size_t size)
{
    uint8_t again[300];
    struct ys_writer writer = ys_writer_to(again, sizeof again);
    struct ys_link_advertising advertising;
    struct ys_link_data pdu;
    struct ys_link_control_pdu control;
    if (ys_link_control_decode(data, size, &control) && ys_link_control_is_known(control.opcode)) {
        ys_put_link_control(&writer, &control);
        if (ys_writer_stored(&writer) != size || memcmp(again, data, size) != 0)
            abort();
        writer = ys_writer_to(again, sizeof again);
    }
    if (ys_link_advertising_decode(data, size, &advertising)) {
        ys_put_link_advertising(&writer, &advertising);
        /* bits that the standard reserves are not kept */
        if (ys_writer_stored(&writer) != size || memcmp(again + 1, data + 1, size - 1) != 0)
            abort();
    }
    writer = ys_writer_to(again, sizeof again);
    if (ys_link_data_decode(data, size, &pdu)) {
        ys_put_link_data(&writer, &pdu);
        if (ys_writer_stored(&writer) != size || (again[0] & 0x1f) != (data[0] & 0x1f) ||
            memcmp(again + 1, data + 1, size - 1) != 0)
            abort();
    }
}

static void to_host(void *context, const uint8_t *packet, size_t length)
{
    (void)packet;
    *(size_t *)context += length;
}

static void send_on_air(struct ys_radio *radio, const uint8_t *data, size_t size, uint8_t channel, enum ys_phy phy,
                        uint32_t address, uint32_t crc_init)
{
    (void)ys_radio_send(radio, &(struct ys_sending){.channel = channel,
                                                    .phy = phy,
                                                    .access_address = address,
                                                    .crc_init = crc_init,
                                                    .pdu = data,
                                                    .length = (uint16_t)size});
}

/* Says where the next packet is, which a scanner of sets then follows: channel 5, 2M, 600 us on. */
static void send_pointer(struct ys_radio *radio)
{
    static const uint8_t pointer[] = {7, 7, 6, 0x18, 0x34, 0x12, 5, 20, 0x20};
    send_on_air(radio, pointer, sizeof pointer, 37, YS_PHY_1M, YS_LINK_ADVERTISING_ACCESS_ADDRESS,
                YS_LINK_ADVERTISING_CRC_INIT);
}

/* A scanner and an initiator of extended advertising hear it on channel 37 and where they were pointed to; and so does
 * a set that waits to be asked. */
static void hear_extended(const uint8_t *data, size_t size)
{
    static const uint8_t scan[] = {1, 0x41, 0x20, 8, 0, 0, 1, 1, 0x10, 0, 0x10, 0};
    static const uint8_t scan_on[] = {1, 0x42, 0x20, 6, 1, 1, 0, 0, 0, 0};
    static const uint8_t connect[] = {1, 0x43, 0x20, 26, 0, 0, 0, 9, 9, 9,    9, 9, 9, 1, 0x10,
                                      0, 0x10, 0,    6,  0, 6, 0, 0, 0, 0x0a, 0, 0, 0, 0, 0};
    static const uint8_t set[] = {1, 0x36, 0x20, 25, 0, 1, 0, 160, 0, 0,    160, 0, 0, 7, 0,
                                  0, 0,    0,    0,  0, 0, 0, 0,   0, 0x7f, 1,   0, 1, 0, 0};
    static const uint8_t set_on[] = {1, 0x39, 0x20, 6, 1, 1, 0, 0, 0, 0};
    struct ys_clock *clock = ys_clock_new();
    struct ys_radio *radio = ys_radio_new(clock);
    size_t told = 0;
    struct ys_controller *controllers[2];
    for (uint16_t i = 0; i < 2; i++) {
        const struct ys_controller_settings settings = {
            .number = (uint16_t)(i + 1), .seed = 1, .sets = 1, .send = to_host, .context = &told};
        controllers[i] = ys_controller_new(radio, &settings);
    }
    ys_controller_receive(controllers[0], scan, sizeof scan);
    ys_controller_receive(controllers[0], scan_on, sizeof scan_on);
    ys_controller_receive(controllers[0], connect, sizeof connect);
    ys_controller_receive(controllers[1], set, sizeof set);
    send_on_air(radio, data, size, 37, YS_PHY_1M, YS_LINK_ADVERTISING_ACCESS_ADDRESS, YS_LINK_ADVERTISING_CRC_INIT);
    ys_clock_run(clock, 5 * YS_NS_PER_MS);
    send_pointer(radio);
    ys_clock_run(clock, ys_clock_now_ns(clock) + 610 * YS_NS_PER_US);
    send_on_air(radio, data, size, 5, YS_PHY_2M, YS_LINK_ADVERTISING_ACCESS_ADDRESS, YS_LINK_ADVERTISING_CRC_INIT);
    ys_clock_run(clock, ys_clock_now_ns(clock) + 5 * YS_NS_PER_MS);
    ys_controller_receive(controllers[1], set_on, sizeof set_on);
    for (uint8_t channel = 0; channel < 37; channel++) { /* wherever it listens, at the right time */
        ys_clock_run(clock, 10 * YS_NS_PER_MS + 1700 * YS_NS_PER_US);
        send_on_air(radio, data, size, channel, YS_PHY_1M, YS_LINK_ADVERTISING_ACCESS_ADDRESS,
                    YS_LINK_ADVERTISING_CRC_INIT);
    }
    ys_clock_run(clock, ys_clock_now_ns(clock) + 50 * YS_NS_PER_MS);
    for (uint16_t i = 0; i < 2; i++)
        ys_controller_free(controllers[i]);
    ys_radio_free(radio);
    ys_clock_free(clock);
}

/* A controller that advertises and scans hears the PDU on channel 37; one that was connected hears it as data. */
static void hear(const uint8_t *data, size_t size)
{
    static const uint8_t advertise[] = {1, 0x0a, 0x20, 1, 1};
    static const uint8_t scan[] = {1, 0x0c, 0x20, 2, 1, 0};
    static const uint8_t connect[] = {0x05, 0x22, 9,    9,    9,    9,    9,    9,    1,    0,    0,    0xff,
                                      0xff, 0,    0x78, 0x56, 0x34, 0x12, 0x33, 0x22, 0x11, 1,    0,    0,
                                      6,    0,    0,    0,    0x0a, 0,    0xff, 0xff, 0xff, 0xff, 0x1f, 5};
    struct ys_clock *clock = ys_clock_new();
    struct ys_radio *radio = ys_radio_new(clock);
    size_t told = 0;
    const struct ys_controller_settings settings = {
        .number = 1, .seed = 1, .address = {.bytes = {1, 0, 0, 0xff, 0xff, 0}}, .send = to_host, .context = &told};
    struct ys_controller *controller = ys_controller_new(radio, &settings);
    ys_controller_receive(controller, scan, sizeof scan);
    send_on_air(radio, data, size, 37, YS_PHY_1M, YS_LINK_ADVERTISING_ACCESS_ADDRESS, YS_LINK_ADVERTISING_CRC_INIT);
    ys_clock_run(clock, 3 * YS_NS_PER_MS);
    ys_controller_receive(controller, advertise, sizeof advertise);
    ys_clock_run(clock, ys_clock_now_ns(clock) + 128 * YS_NS_PER_US + 150 * YS_NS_PER_US);
    send_on_air(radio, connect, sizeof connect, 37, YS_PHY_1M, YS_LINK_ADVERTISING_ACCESS_ADDRESS,
                YS_LINK_ADVERTISING_CRC_INIT);
    ys_clock_run(clock, ys_clock_now_ns(clock) + 352 * YS_NS_PER_US + 1250 * YS_NS_PER_US);
    send_on_air(radio, data, size, 5, YS_PHY_1M, 0x12345678, 0x112233);
    ys_clock_run(clock, ys_clock_now_ns(clock) + 200 * YS_NS_PER_MS);
    ys_controller_free(controller);
    ys_radio_free(radio);
    ys_clock_free(clock);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    if (size < 2 || size > YS_LINK_PDU_MAX)
        return 0;
    check_codecs(data, size);
    check_extended(data, size);
    hear(data, size);
    hear_extended(data, size);
    return 0;
}
