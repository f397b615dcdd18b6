/* Sets, filters, directed advertising: hosts on simulated controllers, and what is on the air. */
#include "support/check.h"

#include <string.h>

#include <yarnswift/sets.h>

#include "sim/chance.h"
#include "simulated/simulated.h"
#include "support/hex.h"
#include "wire/extended.h"

#define EVENTS 400
#define AIR    8000

struct side {
    struct ys_host host;
    struct ys_sets sets;
    struct ys_simulated *simulated;
    size_t count;
    struct ys_event events[EVENTS];
    uint8_t data[EVENTS][YS_REPORT_SIZE];
    struct ys_extended_report extended[EVENTS];
};

static struct ys_clock *the_clock;
static struct ys_radio *radio;
static struct side device;
static struct side scanner;
static struct ys_air_packet air[AIR];
static size_t air_count;

static void on_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    struct side *side = context;
    (void)host;
    if (side->count == EVENTS)
        return;
    struct ys_event *kept = &side->events[side->count];
    *kept = *event;
    if (event->kind == YS_EVENT_REPORT) {
        memcpy(side->data[side->count], event->u.report.data, event->u.report.length);
        kept->u.report.data = side->data[side->count];
        if (event->u.report.extended != NULL) {
            side->extended[side->count] = *event->u.report.extended;
            kept->u.report.extended = &side->extended[side->count];
        }
    }
    side->count++;
}

static size_t count(const struct side *side, enum ys_event_kind kind)
{
    size_t found = 0;
    for (size_t i = 0; i < side->count; i++)
        found += side->events[i].kind == kind;
    return found;
}

static const struct ys_event *last(const struct side *side, enum ys_event_kind kind)
{
    for (size_t i = side->count; i > 0; i--) {
        if (side->events[i - 1].kind == kind)
            return &side->events[i - 1];
    }
    return NULL;
}

static void on_air(void *context, const struct ys_air_packet *packet)
{
    (void)context;
    if (air_count < AIR)
        air[air_count++] = *packet;
}

static void pass_ms(uint64_t ms)
{
    ys_clock_run(the_clock, ys_clock_now_ns(the_clock) + ms * YS_NS_PER_MS);
}

static void begin_side(struct side *side, uint16_t number, uint8_t sets, uint8_t address_type)
{
    memset(side, 0, sizeof *side);
    side->simulated = ys_simulated_new(
        radio, &(struct ys_simulated_settings){
                   .number = number,
                   .seed = 1,
                   .sets = sets,
                   .address = {.type = YS_ADDRESS_PUBLIC, .bytes = {(uint8_t)number, 0, 0, 0xff, 0xff, 0}},
               });
    const struct ys_host_settings settings = {
        .port = ys_simulated_port(side->simulated),
        .table = &ys_table_bare,
        .context = side,
        .on_event = on_event,
        .address_type = address_type,
    };
    assert_int_equal(ys_host_init(&side->host, sizeof side->host, &settings), YS_OK);
    ys_host_use_sets(&side->host, &side->sets);
    ys_simulated_attach(side->simulated, &side->host, ys_host_run);
    ys_host_start(&side->host);
}

/* A device whose controller has so many sets, and a scanner that hears all. */
static void begin(uint8_t sets, uint8_t address_type)
{
    the_clock = ys_clock_new();
    radio = ys_radio_new(the_clock);
    air_count = 0;
    static struct ys_observer watcher;
    watcher = (struct ys_observer){.observe = on_air, .context = NULL};
    ys_radio_observe(radio, &watcher);
    begin_side(&device, 1, sets, address_type);
    begin_side(&scanner, 2, 8, YS_OWN_PUBLIC);
    pass_ms(10);
    assert_int_equal(count(&device, YS_EVENT_READY), 1);
    assert_int_equal(count(&scanner, YS_EVENT_READY), 1);
}

static int teardown(void **state)
{
    (void)state;
    ys_simulated_free(device.simulated);
    ys_simulated_free(scanner.simulated);
    ys_radio_free(radio);
    ys_clock_free(the_clock);
    return 0;
}

static int setup(void **state)
{
    (void)state;
    begin(4, YS_OWN_STATIC);
    return 0;
}

static int setup_legacy(void **state)
{
    (void)state;
    begin(0, YS_OWN_STATIC);
    return 0;
}

static void scan(struct ys_scanning scanning)
{
    scanning.interval_us = 10000;
    scanning.window_us = 10000;
    assert_int_equal(ys_scan(&scanner.host, &scanning), YS_OK);
}

#define HUNDRED_MS .interval_min_us = 100000, .interval_max_us = 100000

static const uint8_t flags[] = {2, 1, 6};
static const struct ys_connecting thirty_ms = {.interval_us = 30000, .supervision_timeout_ms = 1000};

/* Structures of 30 bytes each, all different. */
static const uint8_t *long_payload(void)
{
    static uint8_t bytes[1650];
    for (size_t i = 0; i < sizeof bytes; i++)
        bytes[i] = i % 30 == 0 ? 29 : i % 30 == 1 ? 0xff : (uint8_t)(i / 30);
    return bytes;
}

/* 7 advertising packets are a legacy one; the primary ones of extended sets are told apart by their pointers. */
static bool is_of_set(const struct ys_air_packet *packet, uint8_t set)
{
    struct ys_link_extended pdu;
    return ys_link_extended_decode(packet->pdu, packet->length, &pdu) && pdu.has_data_id && pdu.data_id.set == set;
}

/* Vol 6 Part B 4.4.2.10; Vol 4 Part E 7.8.52, 7.8.53, 7.8.56. */
static void several_sets_are_on_the_air_at_once(void **state)
{
    static const struct ys_set_options long_range = {
        .extended = true, .primary_phy = YS_CODED, .phy = YS_CODED, .set_id = 1, .has_power = true, .power_dbm = -8};
    static const struct ys_set_options fast = {.extended = true, .phy = YS_2M, .set_id = 2, .include_power = true};
    const struct ys_advertising plain = {HUNDRED_MS, .data = flags, .data_length = 3};
    const struct ys_advertising far = {HUNDRED_MS, .kind = YS_ADVERTISE_BEACON, .data = flags, .data_length = 3,
                                       .options = &long_range};
    const struct ys_advertising much = {HUNDRED_MS, .kind = YS_ADVERTISE_BEACON, .data = long_payload(),
                                        .data_length = 240, .options = &fast};
    size_t legacy = 0;
    size_t sets[3] = {0, 0, 0};
    (void)state;
    assert_int_equal(ys_sets_count(&device.host), YS_SETS < 4 ? YS_SETS : 4); /* of the host, and of the controller */
    assert_int_equal(ys_advertise(&device.host, &plain), YS_OK);
    assert_int_equal(ys_advertise_set(&device.host, 1, &far), YS_OK);
    assert_int_equal(ys_advertise_set(&device.host, 2, &much), YS_OK);
    assert_int_equal(ys_advertise_set(&device.host, YS_SETS < 4 ? YS_SETS : 4, &plain), YS_ERROR_NO_ROOM);
    scan((struct ys_scanning){.phys = YS_1M | YS_CODED});
    pass_ms(1000);
    for (size_t i = 0; i < air_count; i++) {
        legacy += (air[i].pdu[0] & 0x0f) == YS_LINK_ADV_IND;
        for (uint8_t j = 1; j < 3; j++)
            sets[j] += is_of_set(&air[i], j);
    }
    assert_in_range(legacy, 27, 30);
    assert_in_range(sets[1], 36, 40); /* three and one */
    assert_in_range(sets[2], 36, 40);
    bool heard[3] = {false, false, false};
    for (size_t i = 0; i < scanner.count; i++) {
        const struct ys_event *event = &scanner.events[i];
        if (event->kind != YS_EVENT_REPORT)
            continue;
        const struct ys_extended_report *extended = event->u.report.extended;
        heard[extended == NULL ? 0 : extended->set_id] = true;
        assert_int_equal(event->u.report.address.type, YS_ADDRESS_RANDOM);
        if (extended == NULL)
            assert_hex(event->u.report.data, event->u.report.length, "020106");
        else if (extended->set_id == 1)
            assert_int_equal(extended->phy, YS_CODED);
        else
            assert_memory_equal(event->u.report.data, long_payload(), 240);
        if (extended != NULL)
            assert_int_equal(extended->power_dbm, extended->set_id == 2 ? 0 : 127);
    }
    assert_true(heard[0] && heard[1] && heard[2]);
    /* one stops, the others go on */
    assert_int_equal(ys_advertise_set_stop(&device.host, 2), YS_OK);
    pass_ms(5);
    air_count = 0;
    pass_ms(500);
    legacy = 0;
    for (size_t i = 0; i < air_count; i++) {
        assert_false(is_of_set(&air[i], 2));
        legacy += (air[i].pdu[0] & 0x0f) == YS_LINK_ADV_IND;
    }
    assert_true(legacy > 0);
}

/* Vol 4 Part E 7.8.54, 7.8.55. */
static void a_long_payload_goes_in_fragments_and_comes_back_cut_to_its_memory(void **state)
{
    static const struct ys_set_options options = {.extended = true, .phy = YS_2M};
    const struct ys_advertising much = {HUNDRED_MS, .kind = YS_ADVERTISE_BEACON, .data = long_payload(),
                                        .data_length = 1650, .options = &options};
    const struct ys_advertising asked = {HUNDRED_MS, .kind = YS_ADVERTISE_SCANNABLE, .response = long_payload(),
                                         .response_length = 240, .options = &options};
    (void)state;
    assert_int_equal(ys_advertise(&device.host, &much), YS_OK);
    scan((struct ys_scanning){.active = true});
    pass_ms(500);
    const struct ys_event *event = last(&scanner, YS_EVENT_REPORT);
    assert_int_equal(event->u.report.type, YS_REPORT_BEACON);
    assert_int_equal(event->u.report.length, YS_REPORT_SIZE);
    assert_memory_equal(event->u.report.data, long_payload(), YS_REPORT_SIZE);
    assert_int_equal(event->u.report.extended->truncated, YS_REPORT_SIZE < 1650);
    assert_int_equal(ys_advertise(&device.host, &asked), YS_OK);
    pass_ms(500);
    event = last(&scanner, YS_EVENT_REPORT);
    assert_int_equal(event->u.report.type, YS_REPORT_RESPONSE);
    assert_int_equal(event->u.report.length, 240);
    assert_false(event->u.report.extended->truncated);
}

static void a_connection_is_made_on_a_set_and_the_set_comes_back(void **state)
{
    static const struct ys_set_options options = {.extended = true, .phy = YS_CODED, .primary_phy = YS_CODED};
    const struct ys_advertising wanted = {HUNDRED_MS, .data = flags, .data_length = 3, .options = &options};
    const struct ys_advertising until = {HUNDRED_MS, .findable = YS_FINDABLE_UNTIL_CONNECTED};
    struct ys_connecting connecting = thirty_ms;
    (void)state;
    connecting.phys = YS_CODED;
    assert_int_equal(ys_advertise_set(&device.host, 1, &wanted), YS_OK);
    assert_int_equal(ys_advertise(&device.host, &until), YS_OK);
    const struct ys_address address = ys_host_address(&device.host);
    assert_int_equal(ys_connect(&scanner.host, &address, &connecting), YS_OK);
    pass_ms(1000);
    assert_int_equal(count(&device, YS_EVENT_CONNECTED), 1);
    assert_int_equal(count(&scanner, YS_EVENT_CONNECTED), 1);
    assert_int_equal(count(&device, YS_EVENT_ADVERTISING_ENDED), 0); /* it came by the other set, which goes on: */
    air_count = 0;
    pass_ms(300);
    size_t coded = 0;
    for (size_t i = 0; i < air_count; i++)
        coded += is_of_set(&air[i], 0);
    assert_in_range(coded, 8, 12);
    assert_int_equal(ys_disconnect(&scanner.host, last(&scanner, YS_EVENT_CONNECTED)->connection), YS_OK);
    pass_ms(300);
    connecting.phys = YS_1M;
    assert_int_equal(ys_connect(&scanner.host, &address, &connecting), YS_OK);
    pass_ms(500);
    assert_int_equal(count(&device, YS_EVENT_CONNECTED), 2);
    assert_int_equal(count(&device, YS_EVENT_ADVERTISING_ENDED), 1);
    assert_int_equal(last(&device, YS_EVENT_ADVERTISING_ENDED)->set, 0);
}

/* Vol 4 Part E 7.7.65.18. */
static void a_set_ends_by_count_and_by_time_and_says_so(void **state)
{
    static const struct ys_set_options five = {.extended = true, .events = 5};
    const struct ys_advertising counted = {HUNDRED_MS, .kind = YS_ADVERTISE_BEACON, .data = flags, .data_length = 3,
                                           .options = &five};
    const struct ys_advertising timed = {HUNDRED_MS, .duration_ms = 700};
    (void)state;
    assert_int_equal(ys_advertise_set(&device.host, 2, &counted), YS_OK);
    assert_int_equal(ys_advertise_set(&device.host, 1, &timed), YS_OK);
    pass_ms(650);
    assert_int_equal(count(&device, YS_EVENT_ADVERTISING_ENDED), 1);
    assert_int_equal(last(&device, YS_EVENT_ADVERTISING_ENDED)->set, 2);
    assert_int_equal(last(&device, YS_EVENT_ADVERTISING_ENDED)->reason, YS_HCI_LIMIT_REACHED);
    pass_ms(100);
    assert_int_equal(last(&device, YS_EVENT_ADVERTISING_ENDED)->set, 1);
    assert_int_equal(last(&device, YS_EVENT_ADVERTISING_ENDED)->reason, YS_HCI_ADVERTISING_TIMEOUT);
    air_count = 0;
    pass_ms(500);
    assert_int_equal(air_count, 0);
}

/* Vol 4 Part E 7.7.65.19. */
static void who_asks_is_told(void **state)
{
    static const struct ys_set_options options = {.report_scan_requests = true};
    const struct ys_advertising wanted = {HUNDRED_MS, .data = flags, .data_length = 3, .options = &options};
    const struct ys_address central = ys_host_address(&scanner.host);
    (void)state;
    assert_int_equal(ys_advertise(&device.host, &wanted), YS_OK);
    scan((struct ys_scanning){.active = true});
    pass_ms(300);
    assert_true(count(&device, YS_EVENT_SCAN_REQUEST) > 0);
    assert_true(ys_address_is_equal(&last(&device, YS_EVENT_SCAN_REQUEST)->u.scan_request, &central));
}

/* Vol 6 Part B 4.6; Vol 4 Part E 7.8.57, 7.8.58. */
static void a_controller_without_sets_gets_what_it_can_do(void **state)
{
    static const struct ys_set_options options = {.extended = true,
                                                  .phy = YS_CODED,
                                                  .primary_phy = YS_CODED,
                                                  .anonymous = true,
                                                  .events = 9,
                                                  .has_power = true,
                                                  .report_scan_requests = true};
    const struct ys_advertising beacon = {.interval_min_us = 20000000,
                                          .interval_max_us = 20000000,
                                          .kind = YS_ADVERTISE_BEACON,
                                          .data = long_payload(),
                                          .data_length = 90,
                                          .options = &options};
    static const struct ys_set_options extended = {.extended = true};
    const struct ys_advertising fits = {HUNDRED_MS, .data = long_payload(), .data_length = 60, .options = &extended};
    (void)state;
    assert_int_equal(ys_sets_count(&device.host), 1);
    assert_int_equal(ys_advertise_set(&device.host, 1, &fits), YS_ERROR_NO_ROOM);
    assert_int_equal(ys_advertise(&device.host, &beacon), YS_OK);
    pass_ms(100);
    assert_int_equal(last(&device, YS_EVENT_ADVERTISING_REDUCED)->u.lost,
                     YS_LOST_PHY | YS_LOST_DATA | YS_LOST_ANONYMITY | YS_LOST_POWER | YS_LOST_COUNT | YS_LOST_REQUESTS |
                         YS_LOST_INTERVAL);
    assert_int_equal(air_count, 3);
    assert_int_equal(air[0].pdu[0] & 0x0f, YS_LINK_ADV_NONCONN_IND);
    assert_int_equal(air[0].length, 2 + 6 + 30);
    device.count = 0;
    assert_int_equal(ys_advertise(&device.host, &fits), YS_OK); /* in two halves: nothing is lost */
    scan((struct ys_scanning){.active = true});
    pass_ms(300);
    assert_int_equal(count(&device, YS_EVENT_ADVERTISING_REDUCED), 0);
    const struct ys_event *event = last(&scanner, YS_EVENT_REPORT);
    assert_int_equal(event->u.report.type, YS_REPORT_RESPONSE);
    assert_null(event->u.report.extended);
    assert_memory_equal(event->u.report.data, long_payload() + 30, 30);
}

static void what_a_set_cannot_be_is_refused_and_the_old_goes_on(void **state)
{
    static const struct ys_set_options plain = {.extended = true};
    static const struct ys_set_options wrong[] = {
        {.extended = true, .anonymous = true}, /* of what can be connected to */
        {.extended = true, .primary_phy = YS_2M},
        {.extended = true, .phy = 3},
        {.set_id = 16},
        {.has_power = true, .power_dbm = 21},
        {.phy = YS_2M}, /* legacy packets are on 1M */
        {.events = 3},
        {.anonymous = true},
        {.include_power = true},
    };
    const struct ys_advertising wrong_settings[] = {
        {HUNDRED_MS, .data = long_payload(), .data_length = 239, .options = &plain},
        {HUNDRED_MS, .kind = YS_ADVERTISE_BEACON, .data = long_payload(), .data_length = 1651, .options = &plain},
        {HUNDRED_MS, .kind = YS_ADVERTISE_BEACON, .response = flags, .response_length = 3, .options = &plain},
        {HUNDRED_MS, .kind = YS_ADVERTISE_SCANNABLE, .options = &plain},
        {HUNDRED_MS, .kind = YS_ADVERTISE_SCANNABLE, .data = flags, .data_length = 3, .response = flags,
         .response_length = 3, .options = &plain},
        {HUNDRED_MS, .kind = YS_ADVERTISE_DIRECTED_FAST, .options = &plain},
        {HUNDRED_MS, .kind = YS_ADVERTISE_DIRECTED, .data = flags, .data_length = 3},
        {HUNDRED_MS, .data = long_payload(), .data_length = 32},
        {.interval_min_us = 100000, .interval_max_us = 10240001},
    };
    const struct ys_advertising good = {HUNDRED_MS, .data = flags, .data_length = 3};
    (void)state;
    assert_int_equal(ys_advertise(&device.host, &good), YS_OK);
    pass_ms(50);
    for (size_t i = 0; i < COUNT(wrong); i++) {
        const struct ys_advertising settings = {HUNDRED_MS, .options = &wrong[i]};
        assert_int_equal(ys_advertise(&device.host, &settings), YS_ERROR_ARGUMENT);
    }
    for (size_t i = 0; i < COUNT(wrong_settings); i++)
        assert_int_equal(ys_advertise(&device.host, &wrong_settings[i]), YS_ERROR_ARGUMENT);
    /* what only the controller knows: 1,650 bytes at S=8 take longer than the interval */
    static const struct ys_set_options coded = {.extended = true, .phy = YS_CODED};
    const struct ys_advertising too_long = {HUNDRED_MS, .kind = YS_ADVERTISE_BEACON, .data = long_payload(),
                                            .data_length = 1650, .options = &coded};
    assert_int_equal(ys_advertise(&device.host, &too_long), YS_OK);
    pass_ms(50);
    assert_int_equal(last(&device, YS_EVENT_ADVERTISING_FAILED)->u.start.status, YS_HCI_PACKET_TOO_LONG);
    air_count = 0;
    pass_ms(1000);
    assert_in_range(air_count, 27, 30);
    for (size_t i = 0; i < air_count; i++)
        assert_hex(air[i].pdu + 8, air[i].length - 8u, "020106");
}

/* However quickly sets are begun, changed and stopped: what is on the air in the end is what was wanted last. */

#define WALK_SETS  3
#define WALK_KINDS 4

struct wanted {
    struct ys_advertising settings;
    struct ys_set_options options;
    uint8_t data[4];
    bool on;
};

static void draw_wanted(struct wanted *wanted, uint8_t number, uint32_t kind)
{
    *wanted = (struct wanted){.data = {3, 0xff, number, (uint8_t)kind}, .on = true};
    wanted->settings = (struct ys_advertising){HUNDRED_MS, .kind = YS_ADVERTISE_BEACON};
    wanted->options = (struct ys_set_options){.extended = kind != 0, .set_id = number};
    wanted->settings.options = &wanted->options;
    wanted->settings.data = wanted->data;
    wanted->settings.data_length = sizeof wanted->data;
    if (kind == 2) { /* in fragments, and in a chain */
        wanted->settings.data = long_payload();
        wanted->settings.data_length = 600;
    } else if (kind == 3) {
        wanted->settings.kind = YS_ADVERTISE_SCANNABLE;
        wanted->settings.response = wanted->data;
        wanted->settings.response_length = sizeof wanted->data;
        wanted->settings.data_length = 0;
    }
}

/* What was on the air of a set: 0 nothing, 1 legacy, 2 extended, with its mode and how much the packet carried. */
static void count_of_set(uint8_t number, size_t *legacy, size_t *primary, uint8_t *mode)
{
    *legacy = *primary = 0;
    for (size_t i = 0; i < air_count; i++) {
        struct ys_link_advertising plain;
        struct ys_link_extended pdu;
        if (ys_link_advertising_decode(air[i].pdu, air[i].length, &plain) && plain.length == 4)
            *legacy += plain.data[2] == number;
        else if (air[i].channel >= 37 && ys_link_extended_decode(air[i].pdu, air[i].length, &pdu) &&
                 pdu.data_id.set == number) {
            (*primary)++;
            *mode = pdu.mode;
        }
    }
}

static void a_walk_ends_with_what_was_wanted_last(void **state)
{
    for (uint64_t seed = 1; seed <= 20; seed++) {
        static struct wanted wanted[2][WALK_SETS]; /* two, as the former settings must stay while they are replaced */
        uint8_t current[WALK_SETS] = {0};
        struct ys_chance chance = ys_chance_of(seed, 77);
        memset(wanted, 0, sizeof wanted);
        teardown(state);
        setup(state);
        for (int step = 0; step < 200; step++) {
            uint8_t number = (uint8_t)ys_chance_below(&chance, WALK_SETS);
            if (ys_chance_below(&chance, 3) == 0) {
                assert_int_equal(ys_advertise_set_stop(&device.host, number), YS_OK);
                wanted[current[number]][number].on = false;
            } else {
                pass_ms(5); /* so that the settings before the last are no longer used */
                current[number] ^= 1;
                struct wanted *next = &wanted[current[number]][number];
                draw_wanted(next, number, ys_chance_below(&chance, WALK_KINDS));
                assert_int_equal(ys_advertise_set(&device.host, number, &next->settings), YS_OK);
            }
            if (ys_chance_below(&chance, 2) == 0)
                pass_ms(ys_chance_below(&chance, 40));
        }
        pass_ms(200);
        air_count = 0;
        pass_ms(600);
        assert_int_equal(count(&device, YS_EVENT_ADVERTISING_FAILED), 0);
        for (uint8_t i = 0; i < WALK_SETS; i++) {
            const struct wanted *last_wanted = &wanted[current[i]][i];
            size_t legacy;
            size_t primary;
            uint8_t mode = 0xff;
            count_of_set(i, &legacy, &primary, &mode);
            assert_int_equal(legacy > 0, last_wanted->on && !last_wanted->options.extended);
            assert_int_equal(primary > 0, last_wanted->on && last_wanted->options.extended);
            if (primary > 0)
                assert_int_equal(mode, last_wanted->settings.kind == YS_ADVERTISE_SCANNABLE ? YS_LINK_MODE_SCANNABLE
                                                                                            : YS_LINK_MODE_NEITHER);
        }
    }
}

/* Without sets just as with them */

static void directed_advertising_is_for_one(const struct ys_address *central)
{
    struct ys_advertising directed = {HUNDRED_MS, .kind = YS_ADVERTISE_DIRECTED_FAST, .peer = *central};
    const struct ys_address address = ys_host_address(&device.host);
    assert_int_equal(ys_advertise(&device.host, &directed), YS_OK);
    pass_ms(1270);
    assert_int_equal(count(&device, YS_EVENT_ADVERTISING_ENDED), 0);
    pass_ms(30);
    assert_int_equal(count(&device, YS_EVENT_ADVERTISING_ENDED), 1);
    assert_int_equal(last(&device, YS_EVENT_ADVERTISING_ENDED)->reason, YS_HCI_ADVERTISING_TIMEOUT);
    assert_in_range(air_count, 3 * 341, 3 * 342);
    directed.kind = YS_ADVERTISE_DIRECTED;
    assert_int_equal(ys_advertise(&device.host, &directed), YS_OK);
    scan((struct ys_scanning){.once = true});
    pass_ms(300);
    assert_int_equal(count(&scanner, YS_EVENT_REPORT), 1);
    assert_int_equal(last(&scanner, YS_EVENT_REPORT)->u.report.type, YS_REPORT_DIRECTED);
    assert_int_equal(ys_connect(&scanner.host, &address, &thirty_ms), YS_OK);
    pass_ms(300);
    assert_int_equal(count(&device, YS_EVENT_CONNECTED), 1);
}

static void a_directed_advertisement_is_for_one(void **state)
{
    const struct ys_address central = ys_host_address(&scanner.host);
    (void)state;
    directed_advertising_is_for_one(&central);
}

/* Vol 3 Part C 9.3.5, 9.3.7; Vol 6 Part B 4.3.1, 4.3.2; Vol 4 Part E 7.8.14 to 7.8.17. */
static void only_who_is_listed_may_connect(void **state)
{
    const struct ys_address central = ys_host_address(&scanner.host);
    const struct ys_address address = ys_host_address(&device.host);
    const struct ys_address nobody = {.bytes = {9}};
    const struct ys_advertising filtered = {HUNDRED_MS, .filter = YS_ONLY_LISTED_CONNECT};
    static struct ys_address many[20];
    (void)state;
    for (size_t i = 0; i < COUNT(many); i++)
        many[i].bytes[0] = (uint8_t)i;
    assert_int_equal(ys_accept_list_set(&device.host, many, COUNT(many)), YS_OK);
    pass_ms(10);
    assert_int_equal(last(&device, YS_EVENT_ACCEPT_LIST_FAILED)->u.start.status, YS_HCI_MEMORY_FULL);
    assert_int_equal(ys_accept_list_set(&device.host, &nobody, 1), YS_OK);
    assert_int_equal(ys_advertise(&device.host, &filtered), YS_OK);
    assert_int_equal(ys_connect(&scanner.host, &address, &thirty_ms), YS_OK);
    pass_ms(1000);
    assert_int_equal(count(&device, YS_EVENT_CONNECTED), 0);
    assert_int_equal(ys_connect_cancel(&scanner.host), YS_OK);
    pass_ms(10);
    assert_int_equal(ys_accept_list_set(&device.host, &central, 1), YS_ERROR_BUSY);
    assert_int_equal(ys_advertise_stop(&device.host), YS_OK);
    assert_int_equal(ys_accept_list_set(&device.host, &central, 1), YS_OK);
    assert_int_equal(ys_advertise(&device.host, &filtered), YS_OK);
    /* and the other side connects to the first of its own list */
    struct ys_connecting listed = thirty_ms;
    listed.listed = true;
    assert_int_equal(ys_accept_list_set(&scanner.host, &address, 1), YS_OK);
    assert_int_equal(ys_connect(&scanner.host, NULL, &listed), YS_OK);
    assert_int_equal(ys_accept_list_set(&scanner.host, NULL, 0), YS_ERROR_BUSY);
    pass_ms(1000);
    assert_int_equal(count(&device, YS_EVENT_CONNECTED), 1);
    assert_true(ys_address_is_equal(&last(&scanner, YS_EVENT_CONNECTED)->u.connected.peer, &address));
}

/* Vol 6 Part B 4.3.3, 4.3.4. */
static void reports_pass_the_filter_or_not(void **state)
{
    static const uint8_t data[] = {2, 1, 6, 3,   3,   0x0f, 0x18, 5,   0xff, 0xff, 0xff, 1,
                                   2, 9, 9, 'T', 'o', 'r',  'v',  'a', 'n',  'e',  '!'};
    const struct ys_uuid battery = ys_uuid_of(0x180f);
    const struct ys_uuid heart_rate = ys_uuid_of(0x180d);
    const struct {
        struct ys_report_filter filter;
        bool passes;
    } cases[] = {
        {{.name = NULL}, true},
        {{.name = "Torv"}, true},
        {{.name = "Torvane!!"}, false},
        {{.name = "torv"}, false},
        {{.service = &battery}, true},
        {{.service = &heart_rate}, false},
        {{.has_company = true, .company = 0xffff}, true},
        {{.has_company = true, .company = 0xfffe}, false},
        {{.has_strength = true, .least_dbm = -50}, true},
        {{.has_strength = true, .least_dbm = -49}, false},
        {{.name = "Torvane", .service = &battery, .has_company = true, .company = 0xffff}, true},
        {{.name = "Torvane", .service = &heart_rate}, false},
    };
    const struct ys_advertising wanted = {HUNDRED_MS, .data = data, .data_length = sizeof data};
    (void)state;
    assert_int_equal(ys_advertise(&device.host, &wanted), YS_OK);
    for (size_t i = 0; i < COUNT(cases); i++) {
        scanner.count = 0;
        scan((struct ys_scanning){.filter = &cases[i].filter});
        pass_ms(300);
        assert_int_equal(count(&scanner, YS_EVENT_REPORT) > 0, cases[i].passes);
    }
    assert_false(ys_report_filter_passes(&cases[8].filter, data, sizeof data, 127)); /* not known */
}

static void a_non_resolvable_address_is_for_beacons(void **state)
{
    static const struct ys_advertising beacon = {HUNDRED_MS, .kind = YS_ADVERTISE_BEACON};
    static const struct ys_advertising connectable = {HUNDRED_MS};
    for (uint8_t sets = 0; sets < 2; sets++) {
        teardown(state);
        begin(sets, YS_OWN_NON_RESOLVABLE);
        assert_int_equal(ys_advertise(&device.host, &connectable), YS_ERROR_ARGUMENT);
        assert_int_equal(ys_advertise(&device.host, &beacon), YS_OK);
        const struct ys_address address = ys_host_address(&device.host);
        assert_string_equal(ys_address_kind(&address), "random non-resolvable");
        pass_ms(50);
        assert_int_equal(air_count, 3);
        assert_memory_equal(air[0].pdu + 2, address.bytes, 6);
    }
}

/* What became of a device that was given another payload every 130 ms, 150 times. */
struct changes {
    unsigned heard;    /* payloads by a scanner */
    unsigned versions; /* that the device told on channel 37, if it is extended */
    unsigned odd;      /* events outside of the interval of 100 to 110 ms */
};

static struct changes change_often(struct ys_advertising advertising, bool in_rhythm)
{
    static uint8_t bytes[5] = {4, 0xff, 0xff, 0xff, 0};
    struct changes changes = {.heard = 0};
    uint64_t before_ns = 0;
    int version = -1;
    int payload = -1;
    bool answers = advertising.response_length > 0;
    *(answers ? &advertising.response : &advertising.data) = bytes;
    assert_int_equal(ys_advertise(&device.host, &advertising), YS_OK);
    scan((struct ys_scanning){.active = true});
    pass_ms(10);
    for (int i = 0; i < 150; i++) {
        air_count = 0;
        scanner.count = 0;
        bytes[4]++;
        assert_int_equal(in_rhythm ? ys_advertise_payload(&device.host, 0, &advertising)
                                   : ys_advertise(&device.host, &advertising),
                         YS_OK);
        pass_ms(130);
        for (size_t k = 0; k < air_count; k++) {
            struct ys_link_extended pdu = {.has_data_id = false};
            if (air[k].sender != 1 || air[k].channel != 37 || (air[k].pdu[0] & 0x0f) == YS_LINK_SCAN_RSP)
                continue;
            uint64_t interval_us = (air[k].start_ns - before_ns) / YS_NS_PER_US;
            changes.odd += before_ns != 0 && (interval_us < 100000 || interval_us > 110000);
            before_ns = air[k].start_ns;
            if (!ys_link_extended_decode(air[k].pdu, air[k].length, &pdu) || pdu.data_id.version == version)
                continue;
            changes.versions++;
            version = pdu.data_id.version;
        }
        for (size_t k = 0; k < scanner.count; k++) {
            const struct ys_event *event = &scanner.events[k];
            if (event->kind != YS_EVENT_REPORT || event->u.report.length != sizeof bytes ||
                event->u.report.data[4] == payload)
                continue;
            changes.heard++;
            payload = event->u.report.data[4];
        }
    }
    assert_int_equal(count(&device, YS_EVENT_ADVERTISING_FAILED), 0);
    assert_int_equal(ys_advertise_stop(&device.host), YS_OK);
    assert_int_equal(ys_scan_stop(&scanner.host), YS_OK);
    pass_ms(100);
    return changes;
}

/* Vol 4 Part E 7.8.7, 7.8.8, 7.8.54, 7.8.55; Vol 6 Part B 2.3.4.4. */
static void another_payload_leaves_the_rhythm_as_it_is(void **state)
{
    static const struct ys_set_options on_2m = {.extended = true, .phy = YS_2M};
    const struct ys_advertising ways[] = {
        {HUNDRED_MS, .data_length = 5},
        {HUNDRED_MS, .kind = YS_ADVERTISE_BEACON, .data_length = 5},
        {HUNDRED_MS, .kind = YS_ADVERTISE_SCANNABLE, .response_length = 5},
        {HUNDRED_MS, .kind = YS_ADVERTISE_BEACON, .data_length = 5, .options = &on_2m},
        {HUNDRED_MS, .data_length = 5, .options = &on_2m},
        {HUNDRED_MS, .kind = YS_ADVERTISE_SCANNABLE, .response_length = 5, .options = &on_2m},
    };
    (void)state;
    bool has_sets = device.sets.active;
    for (size_t i = 0; i < COUNT(ways); i++) {
        bool extended = ways[i].options != NULL;
        struct changes anew = change_often(ways[i], false);
        struct changes changes = change_often(ways[i], true);
        if (extended && !has_sets)
            continue; /* it begins anew, too */
        assert_true(anew.odd > 50);
        assert_int_equal(changes.odd, 0);
        assert_in_range(changes.heard, 140, 151);
        assert_in_range(changes.versions, extended ? 149 : 0, extended ? 151 : 0);
    }
    struct ys_advertising other = ways[0];
    static const uint8_t much[200] = {199, 0xff};
    other.data = much;
    other.interval_max_us++;
    assert_int_equal(ys_advertise_payload(&device.host, 0, &ways[0]), YS_ERROR_ARGUMENT); /* it is not on the air */
    assert_int_equal(ys_advertise(&device.host, &ways[0]), YS_ERROR_ARGUMENT);
    other.data_length = 3;
    assert_int_equal(ys_advertise(&device.host, &other), YS_OK);
    pass_ms(100);
    struct ys_advertising slower = other;
    slower.interval_max_us++;
    assert_int_equal(ys_advertise_payload(&device.host, 0, &slower), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_advertise_payload(&device.host, 0, NULL), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_advertise_payload(&device.host, YS_SETS, &other), YS_ERROR_NO_ROOM);
    other.data_length = 32;
    assert_int_equal(ys_advertise_payload(&device.host, 0, &other), YS_ERROR_ARGUMENT);
}

#define WITH_SETS(test) cmocka_unit_test_setup_teardown(test, setup, teardown)
#define LEGACY(test)    cmocka_unit_test_setup_teardown(test, setup_legacy, teardown)

int main(void)
{
    const struct CMUnitTest tests[] = {
        WITH_SETS(several_sets_are_on_the_air_at_once),
        WITH_SETS(a_long_payload_goes_in_fragments_and_comes_back_cut_to_its_memory),
        WITH_SETS(a_connection_is_made_on_a_set_and_the_set_comes_back),
        WITH_SETS(a_set_ends_by_count_and_by_time_and_says_so),
        WITH_SETS(who_asks_is_told),
        WITH_SETS(a_walk_ends_with_what_was_wanted_last),
        LEGACY(a_controller_without_sets_gets_what_it_can_do),
        WITH_SETS(what_a_set_cannot_be_is_refused_and_the_old_goes_on),
        WITH_SETS(a_directed_advertisement_is_for_one),
        LEGACY(a_directed_advertisement_is_for_one),
        WITH_SETS(only_who_is_listed_may_connect),
        LEGACY(only_who_is_listed_may_connect),
        WITH_SETS(reports_pass_the_filter_or_not),
        LEGACY(a_non_resolvable_address_is_for_beacons),
        WITH_SETS(another_payload_leaves_the_rhythm_as_it_is),
        LEGACY(another_payload_leaves_the_rhythm_as_it_is),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
