/* Extended advertising: the simulated controller against scripted HCI and the air. */
#include "support/check.h"

#include <stdio.h>
#include <string.h>

#include "sim/controller.h"
#include "sim/radio.h"
#include "support/hex.h"
#include "wire/extended.h"
#include "wire/hci_extended.h"

#define AIR_MOST  20000
#define TOLD_MOST 8000

static struct ys_clock *the_clock;
static struct ys_radio *radio;
static struct ys_controller *controllers[2];
static struct ys_air_packet air[AIR_MOST];
static size_t air_count;
static struct told {
    size_t length;
    uint8_t bytes[YS_HCI_EVENT_MAX];
} told[2][TOLD_MOST];
static size_t told_count[2];

static void to_host(void *context, const uint8_t *packet, size_t length)
{
    size_t which = *(const size_t *)context;
    assert_true(told_count[which] < TOLD_MOST && length <= YS_HCI_EVENT_MAX);
    struct told *one = &told[which][told_count[which]++];
    one->length = length;
    memcpy(one->bytes, packet, length);
}

static void on_air(void *context, const struct ys_air_packet *packet)
{
    (void)context;
    assert_true(air_count < AIR_MOST);
    air[air_count++] = *packet;
}

static void tell(size_t which, const char *hex)
{
    uint8_t packet[YS_HCI_COMMAND_MAX];
    ys_controller_receive(controllers[which], packet, from_hex(hex, packet, sizeof packet));
}

static void assert_told(size_t which, const char *hex)
{
    assert_true(told_count[which] > 0);
    const struct told *last = &told[which][told_count[which] - 1];
    assert_hex(last->bytes, last->length, hex);
}

static size_t count_told(size_t which, const char *prefix)
{
    uint8_t bytes[64];
    size_t length = from_hex(prefix, bytes, sizeof bytes);
    size_t count = 0;
    for (size_t i = 0; i < told_count[which]; i++)
        count += told[which][i].length >= length && memcmp(told[which][i].bytes, bytes, length) == 0;
    return count;
}

static void pass_ms(uint64_t ms)
{
    ys_clock_run(the_clock, ys_clock_now_ns(the_clock) + ms * YS_NS_PER_MS);
}

static int setup(void **state)
{
    static size_t numbers[] = {0, 1};
    (void)state;
    the_clock = ys_clock_new();
    radio = ys_radio_new(the_clock);
    air_count = 0;
    static struct ys_observer watcher;
    watcher = (struct ys_observer){.observe = on_air, .context = NULL};
    ys_radio_observe(radio, &watcher);
    for (uint16_t i = 0; i < 2; i++) {
        told_count[i] = 0;
        controllers[i] = ys_controller_new(
            radio, &(struct ys_controller_settings){
                       .number = (uint16_t)(i + 1),
                       .seed = 1,
                       .sets = 3,
                       .address = {.type = YS_ADDRESS_PUBLIC, .bytes = {(uint8_t)(i + 1), 0, 0, 0xff, 0xff, 0}},
                       .send = to_host,
                       .context = &numbers[i],
                   });
        tell(i, "01 0120 08 1f10070000000000"); /* all that is needed here is not masked */
    }
    return 0;
}

static int teardown(void **state)
{
    (void)state;
    ys_controller_free(controllers[0]);
    ys_controller_free(controllers[1]);
    ys_radio_free(radio);
    ys_clock_free(the_clock);
    return 0;
}

#define RANDOM_SET 9 /* the set that has an address of its own */

/* A set of the first controller every 100 ms, on both PHYs as HCI numbers them. */
static void make_set(uint8_t handle, uint16_t properties, uint8_t primary, uint8_t secondary)
{
    uint8_t packet[YS_HCI_COMMAND_MAX];
    struct ys_writer writer = ys_writer_to(packet, sizeof packet);
    ys_hci_command_begin(&writer, YS_HCI_LE_SET_EXTENDED_ADVERTISING_PARAMETERS);
    ys_put_hci_set(&writer, &(struct ys_hci_set){.handle = handle,
                                                 .properties = properties,
                                                 .interval_min = 160,
                                                 .interval_max = 160,
                                                 .channels = 7,
                                                 .own_address_type = handle == RANDOM_SET,
                                                 .power_dbm = YS_HCI_POWER_NONE,
                                                 .primary_phy = primary,
                                                 .secondary_phy = secondary,
                                                 .set_id = handle});
    ys_hci_end(&writer);
    ys_controller_receive(controllers[0], packet, ys_writer_stored(&writer));
    assert_told(0, "04 0e 05 01 3620 00 00");
}

static uint8_t pattern(size_t at)
{
    return (uint8_t)(at * 7 + at / 251);
}

static void give_data(uint8_t handle, uint16_t opcode, size_t length)
{
    for (size_t at = 0; at < length || at == 0;) {
        uint8_t packet[YS_HCI_COMMAND_MAX];
        uint8_t data[YS_HCI_FRAGMENT_MAX];
        struct ys_writer writer = ys_writer_to(packet, sizeof packet);
        size_t part = length - at < YS_HCI_FRAGMENT_MAX ? length - at : YS_HCI_FRAGMENT_MAX;
        bool first = at == 0;
        bool last = at + part == length;
        for (size_t i = 0; i < part; i++)
            data[i] = pattern(at + i);
        ys_hci_command_begin(&writer, opcode);
        ys_put_hci_fragment(&writer, &(struct ys_hci_fragment){
                                         .handle = handle,
                                         .operation = (uint8_t)(first && last ? YS_HCI_FRAGMENT_WHOLE
                                                                : first       ? YS_HCI_FRAGMENT_FIRST
                                                                : last        ? YS_HCI_FRAGMENT_LAST
                                                                              : YS_HCI_FRAGMENT_MIDDLE),
                                         .length = (uint8_t)part,
                                         .data = data,
                                     });
        ys_hci_end(&writer);
        ys_controller_receive(controllers[0], packet, ys_writer_stored(&writer));
        const struct told *answer = &told[0][told_count[0] - 1];
        assert_int_equal(answer->bytes[6], YS_HCI_OK);
        at += part;
        if (last)
            break;
    }
}

#define DATA     YS_HCI_LE_SET_EXTENDED_ADVERTISING_DATA
#define RESPONSE YS_HCI_LE_SET_EXTENDED_SCAN_RESPONSE_DATA

static struct ys_link_extended decoded(const struct ys_air_packet *packet)
{
    struct ys_link_extended pdu;
    assert_true(ys_link_extended_decode(packet->pdu, packet->length, &pdu));
    return pdu;
}

/* Every packet is where and when the one before has said. Returns how many bytes the event carried. */
static size_t check_event(size_t *at, enum ys_phy primary, enum ys_phy secondary)
{
    const struct ys_air_packet *first = &air[*at];
    const struct ys_air_packet *pointing[3];
    size_t bytes = 0;
    for (uint8_t i = 0; i < 3; i++, (*at)++) {
        pointing[i] = &air[*at];
        assert_int_equal(air[*at].channel, 37 + i);
        assert_int_equal(air[*at].phy, primary);
        assert_int_equal(air[*at].length, 2 + 1 + 1 + 2 + 3); /* header, length, flags, data id, pointer */
        assert_int_equal(air[*at].duration_ns, ys_link_duration_ns(primary, 9));
        if (i > 0)
            assert_int_equal(air[*at].start_ns, air[*at - 1].start_ns + air[*at - 1].duration_ns + 150000);
    }
    struct ys_link_extended before = decoded(first);
    while (before.has_aux) {
        const struct ys_air_packet *packet = &air[(*at)++];
        struct ys_link_extended pdu = decoded(packet);
        size_t pointers = pointing[1] != NULL ? 3 : 1;
        for (size_t i = 0; i < pointers; i++) {
            const struct ys_link_aux aux = decoded(pointing[i]).aux;
            uint64_t from_ns = pointing[i]->start_ns + aux.offset_us * UINT64_C(1000);
            assert_in_range(packet->start_ns, from_ns, from_ns + 30000 - 1);
            assert_true(aux.offset_us * UINT64_C(1000) >= pointing[i]->duration_ns + 300000);
            assert_int_equal(packet->channel, aux.channel);
            assert_in_range(packet->channel, 0, 36);
        }
        assert_int_equal(packet->phy, secondary);
        assert_int_equal(packet->duration_ns, ys_link_duration_ns(secondary, packet->length));
        assert_int_equal(pdu.data_id.set, before.data_id.set);
        assert_int_equal(pdu.data_id.version, before.data_id.version);
        for (uint8_t i = 0; i < pdu.length; i++)
            assert_int_equal(pdu.data[i], pattern(bytes + i));
        bytes += pdu.length;
        before = pdu;
        pointing[0] = packet;
        pointing[1] = NULL;
    }
    return bytes;
}

/* Vol 6 Part B 2.3.4, 4.1.2, 4.1.3. */
static void a_chain_carries_all_bytes_where_its_pointers_say(void **state)
{
    static const struct {
        uint8_t primary;
        uint8_t secondary;
        enum ys_phy phys[2];
    } cases[] = {
        {YS_HCI_PHY_1M, YS_HCI_PHY_1M, {YS_PHY_1M, YS_PHY_1M}},
        {YS_HCI_PHY_1M, YS_HCI_PHY_2M, {YS_PHY_1M, YS_PHY_2M}},
        {YS_HCI_PHY_1M, YS_HCI_PHY_CODED, {YS_PHY_1M, YS_PHY_CODED_S8}},
        {YS_HCI_PHY_CODED, YS_HCI_PHY_2M, {YS_PHY_CODED_S8, YS_PHY_2M}},
    };
    static const size_t lengths[] = {1, 245, 246, 600, 1650};
    for (size_t i = 0; i < COUNT(cases); i++) {
        for (size_t j = 0; j < COUNT(lengths); j++) {
            teardown(state);
            setup(state);
            make_set(0, 0, cases[i].primary, cases[i].secondary);
            give_data(0, DATA, lengths[j]);
            tell(0, "01 3920 06 01 01 00 0000 00");
            bool fits = cases[i].secondary != YS_HCI_PHY_CODED || lengths[j] < 1650;
            assert_told(0, fits ? "04 0e 04 01 3920 00" : "04 0e 04 01 3920 45"); /* longer than the interval */
            pass_ms(1000);
            size_t at = 0;
            size_t events = 0;
            while (at < air_count && air_count - at >= 3 + lengths[j] / 200 + 1) {
                assert_int_equal(check_event(&at, cases[i].phys[0], cases[i].phys[1]), lengths[j]);
                events++;
            }
            assert_in_range(events, fits ? 9 : 0, fits ? 10 : 0);
        }
    }
}

/* Vol 4 Part E 7.7.65.13, 7.8.64, 7.8.65. */
static void a_scanner_puts_the_chain_together(void **state)
{
    static const uint8_t primaries[] = {YS_HCI_PHY_1M, YS_HCI_PHY_CODED};
    for (size_t i = 0; i < COUNT(primaries); i++) {
        uint8_t bytes[1650];
        size_t length = 0;
        size_t whole = 0;
        teardown(state);
        setup(state);
        make_set(2, YS_HCI_SET_POWER, primaries[i], YS_HCI_PHY_2M);
        give_data(2, DATA, 1650);
        tell(0, "01 3920 06 01 01 02 0000 00");
        tell(1, i == 0 ? "01 4120 08 00 00 01 00 1000 1000" : "01 4120 08 00 00 04 00 1000 1000");
        tell(1, "01 4220 06 01 00 0000 0000");
        pass_ms(2000);
        for (size_t j = 0; j < told_count[1]; j++) {
            struct ys_reader reader = ys_reader_of(told[1][j].bytes, told[1][j].length);
            struct ys_hci_extended_report report;
            if (told[1][j].bytes[1] != YS_HCI_LE_META)
                continue;
            (void)ys_get_bytes(&reader, 3);
            assert_int_equal(ys_get_u8(&reader), YS_HCI_LE_EXTENDED_ADVERTISING_REPORT);
            assert_int_equal(ys_get_u8(&reader), 1);
            ys_get_hci_extended_report(&reader, &report);
            assert_true(ys_reader_done(&reader));
            assert_int_equal(report.address.bytes[0], 1);
            assert_int_equal(report.set_id, 2);
            assert_int_equal(report.primary_phy, primaries[i]);
            assert_int_equal(report.secondary_phy, YS_HCI_PHY_2M);
            assert_int_equal(report.power_dbm, 0);
            assert_true(length + report.length <= sizeof bytes);
            for (uint8_t k = 0; k < report.length; k++)
                assert_int_equal(report.data[k], pattern(length + k));
            length += report.length;
            if ((report.type & YS_HCI_REPORT_MORE) == 0) {
                assert_int_equal(report.type, 0);
                assert_int_equal(length, 1650);
                length = 0;
                whole++;
            }
        }
        assert_in_range(whole, 15, 20);
    }
}

/* While one is awaited, another that says all at once is reported, and does not confuse it. */
static void a_short_one_between_does_not_disturb_what_is_awaited(void **state)
{
    (void)state;
    make_set(0, 0, YS_HCI_PHY_1M, YS_HCI_PHY_1M);
    make_set(1, 0, YS_HCI_PHY_1M, YS_HCI_PHY_1M);
    give_data(0, DATA, 600);
    tell(1, "01 4120 08 00 00 01 00 1000 1000");
    tell(1, "01 4220 06 01 00 0000 0000");
    tell(0, "01 3920 06 01 01 00 0000 00");
    ys_clock_run(the_clock, ys_clock_now_ns(the_clock) + 500 * YS_NS_PER_US); /* two of three packets have pointed */
    tell(0, "01 3920 06 01 01 01 0000 00");
    pass_ms(50);
    assert_int_equal(count_told(1, "04 3e 1a 0d 01 0000 00 010000ffff00 01 00 ff"), 1);
    size_t bytes = 0;
    for (size_t i = 0; i < told_count[1]; i++)
        bytes += told[1][i].bytes[1] == YS_HCI_LE_META ? told[1][i].bytes[28] : 0;
    assert_int_equal(bytes, 600);
}

/* Vol 4 Part E 7.7.65.13. */
static void a_chain_that_breaks_off_is_said_to_be_truncated(void **state)
{
    (void)state;
    make_set(1, 0, YS_HCI_PHY_1M, YS_HCI_PHY_1M);
    give_data(1, DATA, 600);
    tell(0, "01 3920 06 01 01 01 0000 00");
    tell(1, "01 4120 08 00 00 01 00 1000 1000");
    tell(1, "01 4220 06 01 00 0000 0000");
    while (air_count < 4) /* until the first auxiliary packet has come */
        ys_clock_step(the_clock, UINT64_MAX);
    tell(0, "01 3920 02 00 00"); /* all sets off */
    pass_ms(100);
    assert_int_equal(air_count, 4);
    assert_told(1, "04 3e 1a 0d 01 4000 00 010000ffff00 01 01 01 7f 7f 0000 00 000000000000 00");
}

static void data_that_is_replaced_within_a_chain_ends_it(void **state)
{
    (void)state;
    make_set(1, 0, YS_HCI_PHY_1M, YS_HCI_PHY_1M);
    give_data(1, DATA, 1650);
    tell(0, "01 3920 06 01 01 01 0000 00");
    tell(1, "01 4120 08 00 00 01 00 1000 1000");
    tell(1, "01 4220 06 01 00 0000 0000");
    while (air_count < 5) /* two parts have come */
        ys_clock_step(the_clock, UINT64_MAX);
    give_data(1, DATA, 10);
    pass_ms(50);
    assert_int_equal(air_count, 5);
    assert_told(1, "04 3e 1a 0d 01 4000 00 010000ffff00 01 01 01 7f 7f 0000 00 000000000000 00");
    size_t at = air_count;
    pass_ms(80);
    assert_int_equal(check_event(&at, YS_PHY_1M, YS_PHY_1M), 10);
}

static void what_is_scannable_is_asked_on_the_other_channel(void **state)
{
    (void)state;
    make_set(0, YS_HCI_SET_SCANNABLE, YS_HCI_PHY_1M, YS_HCI_PHY_2M);
    tell(0, "01 3920 06 01 01 00 0000 00");
    assert_told(0, "04 0e 04 01 3920 0c"); /* it has no response yet */
    give_data(0, RESPONSE, 500);
    tell(0, "01 3720 05 00 03 01 01 00");
    assert_told(0, "04 0e 04 01 3720 12"); /* and must not have other data */
    tell(0, "01 3920 06 01 01 00 0000 00");
    tell(1, "01 4120 08 00 00 01 01 1000 1000");
    tell(1, "01 4220 06 01 00 0000 0000");
    pass_ms(1000);
    size_t answered = 0;
    for (size_t i = 4; i + 2 < air_count; i++) {
        if ((air[i].pdu[0] & 0x0f) != YS_LINK_SCAN_REQ)
            continue;
        assert_hex(air[i].pdu, air[i].length, "03 0c 020000ffff00 010000ffff00");
        assert_in_range(air[i].channel, 0, 36);
        assert_int_equal(air[i].phy, YS_PHY_2M);
        assert_int_equal(air[i].start_ns, air[i - 1].start_ns + air[i - 1].duration_ns + 150000);
        assert_int_equal(air[i + 1].start_ns, air[i].start_ns + air[i].duration_ns + 150000);
        assert_int_equal(decoded(&air[i + 1]).length + decoded(&air[i + 2]).length +
                             (decoded(&air[i + 2]).has_aux ? decoded(&air[i + 3]).length : 0),
                         500);
        answered++;
    }
    assert_in_range(answered, 8, 10);
    /* the advertisement, and the response in parts of which the last is whole */
    assert_in_range(count_told(1, "04 3e 1a 0d 01 0200 00 010000ffff00 01 02"), answered, answered + 1);
    size_t ends = 0;
    for (size_t i = 0; i < told_count[1]; i++)
        ends += told[1][i].bytes[1] == YS_HCI_LE_META && told[1][i].bytes[5] == 0x0a;
    assert_int_equal(ends, answered);
}

/* Vol 6 Part B 4.4.4; Vol 4 Part E 7.8.66. */
static void a_connection_begins_on_the_auxiliary_channel_and_its_phy(void **state)
{
    static const struct {
        uint8_t secondary;
        enum ys_phy phy;
        uint64_t delay_us;
    } cases[] = {
        {YS_HCI_PHY_1M, YS_PHY_1M, 2500}, {YS_HCI_PHY_2M, YS_PHY_2M, 2500}, {YS_HCI_PHY_CODED, YS_PHY_CODED_S8, 3750}};
    for (size_t i = 0; i < COUNT(cases); i++) {
        static const uint8_t all[5] = {0xff, 0xff, 0xff, 0xff, 0x1f};
        struct ys_link_advertising request;
        size_t at = 0;
        teardown(state);
        setup(state);
        make_set(1, YS_HCI_SET_CONNECTABLE, YS_HCI_PHY_1M, cases[i].secondary);
        give_data(1, DATA, 3);
        tell(0, "01 3920 06 01 01 01 0000 00");
        tell(1, "01 4320 1a 00 00 00 010000ffff00 01 1000 1000 1800 1800 0000 6400 0000 0000");
        assert_told(1, "04 0f 04 00 01 4320");
        pass_ms(1000);
        assert_int_equal(count_told(1, "04 3e 13 01 00 0100 00 00 010000ffff00 1800 0000 6400 00"), 1);
        assert_int_equal(count_told(0, "04 3e 13 01 00 0100 01 00 020000ffff00 1800 0000 6400 00"), 1);
        assert_int_equal(count_told(0, "04 3e 06 12 00 01 0100 00"), 1); /* the set has ended */
        while ((air[at].pdu[0] & 0x0f) != YS_LINK_CONNECT_IND)
            at++;
        assert_true(ys_link_advertising_decode(air[at].pdu, air[at].length, &request));
        assert_int_equal(air[at + 1].start_ns, air[at].start_ns + air[at].duration_ns + 150000);
        assert_int_equal(decoded(&air[at + 1]).type, YS_LINK_CONNECT_RSP);
        uint64_t anchor_ns = air[at].start_ns + air[at].duration_ns + cases[i].delay_us * 1000;
        for (uint16_t event = 0; event < 20; event++) {
            const struct ys_air_packet *packet = &air[at + 2 + event * (size_t)2];
            assert_int_equal(packet->start_ns, anchor_ns + event * UINT64_C(30000000));
            assert_int_equal(packet->phy, cases[i].phy);
            assert_int_equal(packet->channel, ys_link_event_channel(request.connect.access_address, event, all));
        }
    }
}

/* Vol 6 Part B 4.5.8. */
static void the_second_channel_algorithm_gives_the_channels_of_the_standard(void **state)
{
    /* Core 5.4 Vol 6 Part C 3: all channels used, and nine of them */
    static const uint8_t all[5] = {0xff, 0xff, 0xff, 0xff, 0x1f};
    static const uint8_t nine[5] = {0x00, 0x06, 0xe0, 0x00, 0x1e};
    static const uint8_t channels[] = {25, 20, 6, 21};
    static const uint8_t of_nine[] = {23, 9, 34};
    (void)state;
    for (size_t i = 0; i < COUNT(channels); i++)
        assert_int_equal(ys_link_event_channel(0x8e89bed6, (uint16_t)i, all), channels[i]);
    for (size_t i = 0; i < COUNT(of_nine); i++)
        assert_int_equal(ys_link_event_channel(0x8e89bed6, (uint16_t)(i + 6), nine), of_nine[i]);
}

/* Vol 6 Part B 4.4.2.10; Vol 4 Part E 7.7.65.18. */
static void sets_end_by_time_and_by_count(void **state)
{
    (void)state;
    make_set(0, 0, YS_HCI_PHY_1M, YS_HCI_PHY_1M);
    make_set(1, YS_HCI_SET_LEGACY | YS_HCI_SET_SCANNABLE, YS_HCI_PHY_1M, YS_HCI_PHY_1M);
    make_set(2, 0, YS_HCI_PHY_CODED, YS_HCI_PHY_CODED);
    give_data(0, DATA, 20);
    tell(0, "01 3920 0e 01 03 00 3200 00 01 0000 05 02 0000 00"); /* 0.5 s, 5 events, without an end */
    assert_told(0, "04 0e 04 01 3920 00");
    pass_ms(390);
    assert_int_equal(count_told(0, "04 3e 06 12"), 0);
    pass_ms(200);
    assert_int_equal(count_told(0, "04 3e 06 12 3c 00 0000 00"), 1);
    assert_int_equal(count_told(0, "04 3e 06 12 43 01 0000 05"), 1);
    size_t scannable = 0;
    for (size_t i = 0; i < air_count; i++)
        scannable += (air[i].pdu[0] & 0x0f) == YS_LINK_ADV_SCAN_IND;
    assert_int_equal(scannable, 15);
    air_count = 0;
    pass_ms(2000);
    assert_true(air_count >= 50);
    for (size_t i = 0; i < air_count; i++) { /* it has nothing to say: its address is in the first packets */
        assert_int_equal(air[i].phy, YS_PHY_CODED_S8);
        assert_true(decoded(&air[i]).has_sender && !decoded(&air[i]).has_aux);
    }
}

static void who_is_anonymous_tells_no_address(void **state)
{
    (void)state;
    make_set(0, YS_HCI_SET_ANONYMOUS, YS_HCI_PHY_1M, YS_HCI_PHY_2M);
    give_data(0, DATA, 4);
    tell(0, "01 3920 06 01 01 00 0000 00");
    tell(1, "01 1120 07 00 030000ffff00");
    tell(1, "01 4120 08 00 01 01 00 1000 1000"); /* who is on the list */
    tell(1, "01 4220 06 01 00 0000 0000");
    pass_ms(500);
    for (size_t i = 0; i < air_count; i++)
        assert_false(decoded(&air[i]).has_sender);
    assert_int_equal(count_told(1, "04 3e"), 0);
    tell(1, "01 1120 07 ff 000000000000");
    assert_told(1, "04 0e 04 01 1120 0c"); /* not while it is used */
    tell(1, "01 4220 06 00 00 0000 0000");
    tell(1, "01 1120 07 ff 000000000000");
    tell(1, "01 4220 06 01 01 0000 0000"); /* each once */
    pass_ms(1000);
    assert_int_equal(
        count_told(1, "04 3e 1e 0d 01 0000 ff 000000000000 01 02 00 7f ce 0000 00 000000000000 04 00070e15"), 1);
    assert_int_equal(count_told(1, "04 3e"), 1);
}

/* Vol 4 Part E 3.1.1, 7.7.65.17, 7.8.52, 7.8.53, 7.8.59, 7.8.60. */
static void wrong_commands_are_refused_and_change_nothing(void **state)
{
    static const struct {
        const char *command;
        const char *answer;
    } cases[] = {
        {"01 3b20 00", "04 0e 05 01 3b20 00 03"},
        {"01 3a20 00", "04 0e 06 01 3a20 00 7206"},
        {"01 0320 00", "04 0e 0c 01 0320 00 7f59000000000000"},
        /* anonymous and connectable; connectable and scannable; a legacy kind that is none; under 20 ms; no channel */
        {"01 3620 19 00 2100 a00000 a00000 07 00 00 000000000000 00 7f 01 00 01 00 00", "04 0e 04 01 3620 12"},
        {"01 3620 19 00 0300 a00000 a00000 07 00 00 000000000000 00 7f 01 00 01 00 00", "04 0e 04 01 3620 12"},
        {"01 3620 19 00 1100 a00000 a00000 07 00 00 000000000000 00 7f 01 00 01 00 00", "04 0e 04 01 3620 12"},
        {"01 3620 19 00 0000 1f0000 a00000 07 00 00 000000000000 00 7f 01 00 01 00 00", "04 0e 04 01 3620 12"},
        {"01 3620 19 00 0000 a00000 a00000 00 00 00 000000000000 00 7f 01 00 01 00 00", "04 0e 04 01 3620 12"},
        /* 2M on the primary channels; a set id of 16; a power of 21 dBm */
        {"01 3620 19 00 0000 a00000 a00000 07 00 00 000000000000 00 7f 02 00 01 00 00", "04 0e 04 01 3620 12"},
        {"01 3620 19 00 0000 a00000 a00000 07 00 00 000000000000 00 7f 01 00 01 10 00", "04 0e 04 01 3620 12"},
        {"01 3620 19 00 0000 a00000 a00000 07 00 00 000000000000 00 15 01 00 01 00 00", "04 0e 04 01 3620 12"},
        {"01 3720 05 00 03 01 01 00", "04 0e 04 01 3720 42"}, /* no such set */
        {"01 3920 06 01 01 00 0000 00", "04 0e 04 01 3920 42"},
        {"01 3920 02 01 00", "04 0e 04 01 3920 12"},
        {"01 3520 07 00 010203040506", "04 0e 04 01 3520 42"},
        {"01 3620 19 00 0000 a00000 a00000 07 00 00 000000000000 00 7f 01 00 01 00 00", "04 0e 05 01 3620 00 00"},
        {"01 3620 19 01 0000 a00000 a00000 07 00 00 000000000000 00 ec 01 00 01 00 00", "04 0e 05 01 3620 00 ec"},
        {"01 3620 19 02 1d00 000000 000000 07 00 00 020000ffff00 00 7f 01 00 01 00 00", "04 0e 05 01 3620 00 00"},
        {"01 3620 19 03 0000 a00000 a00000 07 00 00 000000000000 00 7f 01 00 01 00 00", "04 0e 04 01 3620 07"},
        {"01 3720 05 02 03 01 01 00", "04 0e 04 01 3720 12"},   /* directed, with a payload */
        {"01 3920 06 01 01 02 0000 00", "04 0e 04 01 3920 12"}, /* fast, without an end */
        {"01 3920 06 01 01 02 8100 00", "04 0e 04 01 3920 12"}, /* over 1.28 s */
        {"01 3820 05 00 03 01 01 00", "04 0e 04 01 3820 12"},   /* not scannable */
        {"01 3720 05 00 01 01 01 00", "04 0e 04 01 3720 00"},
        {"01 3920 06 01 01 00 0000 00", "04 0e 04 01 3920 0c"}, /* its data is not whole */
        {"01 3720 05 00 02 01 01 00", "04 0e 04 01 3720 00"},   /* now it is */
        {"01 3920 06 01 01 00 0000 00", "04 0e 04 01 3920 00"},
        {"01 3720 05 00 01 01 01 00", "04 0e 04 01 3720 0c"}, /* no fragments while it is on */
        {"01 3720 05 00 03 01 01 00", "04 0e 04 01 3720 00"},
        {"01 3620 19 00 0000 a00000 a00000 07 00 00 000000000000 00 7f 01 00 01 00 00", "04 0e 04 01 3620 0c"},
        {"01 3920 06 00 01 00 0000 00", "04 0e 04 01 3920 00"},
        {"01 0620 0f a000 a000 00 00 00 000000000000 07 00", "04 0e 04 01 0620 0c"}, /* after the other generation */
        {"01 4120 08 00 00 02 00 1000 1000", "04 0e 04 01 4120 12"},                 /* 2M has no primary channels */
        {"01 4120 08 00 00 01 00 1000 1100", "04 0e 04 01 4120 12"},
        {"01 4220 06 01 03 0000 0000", "04 0e 04 01 4220 12"},
        {"01 3c20 01 09", "04 0e 04 01 3c20 42"},
        {"01 3c20 01 00", "04 0e 04 01 3c20 00"},
        {"01 3d20 00", "04 0e 04 01 3d20 00"},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        tell(0, cases[i].command);
        assert_told(0, cases[i].answer);
    }
    pass_ms(1000);
    assert_int_equal(air_count, 0);
}

/* Directed legacy advertising (Vol 6 Part B 4.4.2.4). */

static void a_fast_directed_advertisement_ends_after_1280_ms(void **state)
{
    (void)state;
    tell(0, "01 0620 0f 0000 0000 01 00 00 030000ffff00 07 00"); /* who is not there */
    tell(0, "01 0a20 01 01");
    tell(1, "01 0b20 07 01 1000 1000 00 00");
    tell(1, "01 0c20 02 01 00");
    pass_ms(3000);
    assert_int_equal(count_told(0, "04 3e 13 01 3c 0000 01 00 030000ffff00"), 1);
    assert_int_equal(count_told(1, "04 3e"), 0); /* it is not for others */
    assert_int_equal(air_count, 3 * 342);        /* events from 0 to 1,278.75 ms */
    assert_hex(air[0].pdu, air[0].length, "21 0c 010000ffff00 030000ffff00");
    for (size_t i = 3; i < air_count; i++)
        assert_int_equal(air[i].start_ns - air[i - 3].start_ns, 3750000);
}

/* Vol 6 Part B 4.4.2.4. */
static void a_directed_advertisement_is_answered_by_whom_it_names(void **state)
{
    static const char *const kinds[] = {"01 0620 0f 0000 0000 01 00 00 020000ffff00 07 00",
                                        "01 0620 0f a000 a000 04 00 00 020000ffff00 07 00"};
    for (size_t i = 0; i < COUNT(kinds); i++) {
        teardown(state);
        setup(state);
        tell(0, kinds[i]);
        tell(0, "01 0a20 01 01");
        tell(1, "01 0b20 07 01 1000 1000 00 00");
        tell(1, "01 0c20 02 01 01");
        pass_ms(200);
        assert_int_equal(count_told(1, "04 3e 0c 02 01 01 00 010000ffff00 00 ce"), 1);
        tell(1, "01 0d20 19 6000 6000 00 00 010000ffff00 00 1800 1800 0000 6400 0000 0000");
        pass_ms(500);
        assert_int_equal(count_told(0, "04 3e 13 01 00 0100 01 00 020000ffff00"), 1);
        assert_int_equal(count_told(1, "04 3e 13 01 00 0100 00 00 010000ffff00"), 1);
    }
}

/* Vol 6 Part B 4.3.1, 4.3.2; Vol 4 Part E 7.8.14 to 7.8.17. */
static void who_is_not_on_the_list_is_not_heard(void **state)
{
    static const struct {
        uint8_t filter;
        bool answered;
        bool connected;
    } cases[] = {{0, true, true}, {1, false, true}, {2, true, false}, {3, false, false}};
    for (size_t listed = 0; listed < 2; listed++) {
        for (size_t i = 0; i < COUNT(cases); i++) {
            char command[80];
            teardown(state);
            setup(state);
            snprintf(command, sizeof command, "01 0620 0f a000 a000 00 00 00 000000000000 07 %02x", cases[i].filter);
            tell(0, listed == 1 ? "01 1120 07 00 020000ffff00" : "01 1120 07 01 020000ffff00");
            tell(0, command);
            tell(0, "01 0a20 01 01");
            tell(1, "01 0b20 07 01 1000 1000 00 00");
            tell(1, "01 0c20 02 01 00");
            pass_ms(1000);
            size_t responses = 0;
            for (size_t j = 0; j < air_count; j++)
                responses += (air[j].pdu[0] & 0x0f) == YS_LINK_SCAN_RSP;
            assert_int_equal(responses > 0, cases[i].answered || listed == 1);
            tell(1, "01 0d20 19 6000 6000 00 00 010000ffff00 00 1800 1800 0000 6400 0000 0000");
            pass_ms(500);
            assert_int_equal(count_told(0, "04 3e 13 01 00"), cases[i].connected || listed == 1);
        }
    }
}

/* Vol 6 Part B 4.3.3, 4.3.4, 4.4.4. */
static void an_initiator_takes_the_first_of_its_list(void **state)
{
    (void)state;
    tell(0, "01 0620 0f a000 a000 00 00 00 000000000000 07 00");
    tell(0, "01 0a20 01 01");
    tell(1, "01 1120 07 00 030000ffff00");
    tell(1, "01 0d20 19 6000 6000 01 00 000000000000 00 1800 1800 0000 6400 0000 0000");
    pass_ms(500);
    assert_int_equal(count_told(1, "04 3e"), 0);
    tell(1, "01 0e20 00");
    tell(1, "01 1120 07 00 010000ffff00");
    tell(1, "01 0d20 19 6000 6000 01 00 000000000000 00 1800 1800 0000 6400 0000 0000");
    pass_ms(500);
    assert_int_equal(count_told(1, "04 3e 13 01 00 0100 00 00 010000ffff00"), 1);
}

/* Requests that are never answered become rare; once they are answered, they are as frequent as before (Vol 6 Part
 * B 4.4.3.2). */
static void a_scanner_backs_off_and_comes_back(void **state)
{
    size_t requests[2] = {0, 0};
    (void)state;
    tell(0, "01 1120 07 00 030000ffff00");
    tell(0, "01 0620 0f 2000 2000 00 00 00 000000000000 07 01"); /* asked by nobody that is there */
    tell(0, "01 0a20 01 01");
    tell(1, "01 0b20 07 01 1000 1000 00 00");
    tell(1, "01 0c20 02 01 00");
    for (int i = 0; i < 2; i++) {
        air_count = 0;
        pass_ms(60000);
        for (size_t j = 0; j < air_count; j++)
            requests[i] += (air[j].pdu[0] & 0x0f) == YS_LINK_SCAN_REQ;
        tell(0, "01 0a20 01 00");
        tell(0, "01 0620 0f 2000 2000 00 00 00 000000000000 07 00");
        tell(0, "01 0a20 01 01");
    }
    assert_in_range(requests[0], 15, 60); /* of 2,400 */
    assert_true(requests[1] > 20 * requests[0]);
}

/* Connects the second controller to set 1 of the first, every 7.5 ms; returns the connection's handle, 0 if that takes
 * more than 10 s. Where the answer was missed, the first believes for a moment to be connected, and advertises again.
 */
static unsigned connect_to_set(void)
{
    size_t at = told_count[1];
    tell(1, "01 4320 1a 00 00 00 010000ffff00 01 1000 1000 0600 0600 0000 6400 0000 0000");
    for (int second = 0; second < 10; second++) {
        tell(0, "01 3920 06 01 01 01 0000 00");
        pass_ms(1000);
        for (; at < told_count[1]; at++) {
            const uint8_t *event = told[1][at].bytes;
            if (event[1] == YS_HCI_LE_META && event[3] == YS_HCI_LE_CONNECTION_COMPLETE && event[4] == YS_HCI_OK)
                return event[5];
        }
    }
    return 0;
}

/* A connection event may cut off what was pointed to at every moment of it. */
static void who_has_a_connection_goes_on_to_hear_what_is_extended(void **state)
{
    static const uint16_t properties[] = {0, YS_HCI_SET_SCANNABLE};
    for (size_t i = 0; i < COUNT(properties); i++) {
        teardown(state);
        setup(state);
        make_set(1, YS_HCI_SET_CONNECTABLE, YS_HCI_PHY_1M, YS_HCI_PHY_1M);
        assert_int_not_equal(connect_to_set(), 0);
        make_set(2, properties[i], YS_HCI_PHY_1M, YS_HCI_PHY_1M);
        give_data(2, i == 0 ? DATA : RESPONSE, 240);
        tell(0, "01 3920 06 01 01 02 0000 00");
        tell(1, "01 4120 08 00 00 01 01 1000 1000");
        tell(1, "01 4220 06 01 00 0000 0000");
        for (int second = 0; second < 20; second++) {
            told_count[1] = 0;
            air_count = 0;
            pass_ms(1000);
            assert_true(count_told(1, "04 3e") > 0);
        }
        assert_int_equal(count_told(1, "04 05"), 0);
    }
}

static void who_has_a_connection_goes_on_to_connect_to_what_is_extended(void **state)
{
    (void)state;
    make_set(1, YS_HCI_SET_CONNECTABLE, YS_HCI_PHY_1M, YS_HCI_PHY_1M);
    give_data(1, DATA, 180);
    assert_int_not_equal(connect_to_set(), 0);
    make_set(RANDOM_SET, YS_HCI_SET_CONNECTABLE, YS_HCI_PHY_1M, YS_HCI_PHY_1M);
    tell(0, "01 3520 07 09 0100105e00c2");
    tell(0, "01 3920 06 01 01 01 0000 00"); /* somebody else for a long time, and then whom it wants */
    tell(1, "01 4320 1a 00 00 01 0100105e00c2 01 1000 1000 0600 0600 0000 6400 0000 0000");
    pass_ms(20000);
    assert_int_equal(count_told(1, "04 3e 13 01 00"), 1);
    for (int second = 0; second < 10; second++) {
        tell(0, "01 3920 06 01 01 09 0000 00");
        pass_ms(1000);
    }
    assert_int_equal(count_told(1, "04 3e 13 01 00"), 2);
}

#define TEST(test) cmocka_unit_test_setup_teardown(test, setup, teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        TEST(a_chain_carries_all_bytes_where_its_pointers_say),
        TEST(a_scanner_puts_the_chain_together),
        TEST(a_short_one_between_does_not_disturb_what_is_awaited),
        TEST(a_chain_that_breaks_off_is_said_to_be_truncated),
        TEST(data_that_is_replaced_within_a_chain_ends_it),
        TEST(what_is_scannable_is_asked_on_the_other_channel),
        TEST(a_connection_begins_on_the_auxiliary_channel_and_its_phy),
        cmocka_unit_test(the_second_channel_algorithm_gives_the_channels_of_the_standard),
        TEST(sets_end_by_time_and_by_count),
        TEST(who_is_anonymous_tells_no_address),
        TEST(wrong_commands_are_refused_and_change_nothing),
        TEST(a_fast_directed_advertisement_ends_after_1280_ms),
        TEST(a_directed_advertisement_is_answered_by_whom_it_names),
        TEST(who_is_not_on_the_list_is_not_heard),
        TEST(an_initiator_takes_the_first_of_its_list),
        TEST(a_scanner_backs_off_and_comes_back),
        TEST(who_has_a_connection_goes_on_to_hear_what_is_extended),
        TEST(who_has_a_connection_goes_on_to_connect_to_what_is_extended),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
