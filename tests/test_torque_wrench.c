/* The example from end to end, through the public API and over every real layer: the wrench's own firmware on one side
 * of the simulated air, a central on the other. */
#include "support/check.h"

#include <string.h>

#include <yarnswift/advertisement.h>

#include "support/hex.h"
#include "support/pair.h"
#include "torque_wrench_table.h"
#include "wrench.h"

static struct pair pair;
static struct wrench wrench;
static struct ys_timer timer;

static void interrupt(void *context)
{
    wrench_timer_interrupt(&wrench);
    ys_clock_set(context, &timer, ys_clock_now_ns(context) + WRENCH_SAMPLE_MS * YS_NS_PER_MS);
}

static int setup(void **state)
{
    (void)state;
    wrench_init(&wrench, &pair.peripheral.host);
    pair_begin(&pair, 1, &torque_wrench_table, &wrench, NULL, wrench_event);
    timer = (struct ys_timer){.fire = interrupt, .context = pair.clock};
    ys_clock_set(pair.clock, &timer, ys_clock_now_ns(pair.clock));
    pair_connect(&pair, &pair.central, 30000);
    return 0;
}

static int teardown(void **state)
{
    (void)state;
    ys_clock_cancel(pair.clock, &timer);
    pair_end(&pair);
    return 0;
}

static size_t read_value(uint16_t handle, uint8_t *buffer, uint16_t size)
{
    struct ys_client_request request = pair_request();
    enum ys_result begun = ys_client_read(&pair.central.host, pair.central.connection, &request, handle, buffer, size);
    assert_int_equal(pair_wait(&pair, &request, begun), YS_OUTCOME_DONE);
    return request.length;
}

static uint8_t write_value(uint16_t handle, const char *hex)
{
    uint8_t value[64];
    struct ys_client_request request = pair_request();
    uint16_t length = (uint16_t)from_hex(hex, value, sizeof value);
    enum ys_result begun =
        ys_client_write(&pair.central.host, pair.central.connection, &request, handle, value, length);
    enum ys_outcome outcome = pair_wait(&pair, &request, begun);
    assert_true(outcome == YS_OUTCOME_DONE || outcome == YS_OUTCOME_REFUSED);
    return request.error;
}

static void subscribe(uint16_t configuration, enum ys_subscription subscription)
{
    struct ys_client_request request = pair_request();
    enum ys_result begun =
        ys_client_subscribe(&pair.central.host, pair.central.connection, &request, configuration, subscription);
    assert_int_equal(pair_wait(&pair, &request, begun), YS_OUTCOME_DONE);
}

static void values_are_read_from_the_firmware(void **state)
{
    uint8_t buffer[64];
    (void)state;
    assert_hex(buffer, read_value(TORQUE_WRENCH_DEVICE_NAME, buffer, sizeof buffer), "546f7276616e65205432");
    assert_hex(buffer, read_value(TORQUE_WRENCH_LIVE_TORQUE, buffer, sizeof buffer), "0000");
    assert_hex(buffer, read_value(TORQUE_WRENCH_PRESET, buffer, sizeof buffer), "b004");
    assert_hex(buffer, read_value(TORQUE_WRENCH_BATTERY_LEVEL, buffer, sizeof buffer), "57");
    wrench.battery = 86;
    assert_hex(buffer, read_value(TORQUE_WRENCH_BATTERY_LEVEL, buffer, sizeof buffer), "56");
}

static void a_preset_out_of_range_is_refused_and_changes_nothing(void **state)
{
    static const struct {
        const char *hex;
        uint8_t error;
        uint16_t preset;
    } cases[] = {{"c409", YS_ATT_OUT_OF_RANGE, 1200},
                 {"c700", YS_ATT_OUT_OF_RANGE, 1200},
                 {"c800", 0, 200},
                 {"d007", 0, 2000},
                 {"d107", YS_ATT_OUT_OF_RANGE, 2000},
                 {"a4", 0x0d, 2000},
                 {"a40100", 0x0d, 2000},
                 {"a401", 0, 420}};
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        assert_int_equal(write_value(TORQUE_WRENCH_PRESET, cases[i].hex), cases[i].error);
        assert_int_equal(wrench.preset, cases[i].preset);
    }
    assert_int_equal(write_value(TORQUE_WRENCH_LIVE_TORQUE, "0000"), YS_ATT_WRITE_NOT_PERMITTED);
}

static void live_torque_comes_while_a_bolt_is_tightened_and_stops_at_once(void **state)
{
    uint8_t buffer[16];
    (void)state;
    assert_int_equal(write_value(TORQUE_WRENCH_PRESET, "a401"), 0);
    wrench_trigger(&wrench, true);
    pass_ms(&pair, 500);
    assert_int_equal(pair.central.counts[YS_EVENT_NOTIFICATION], 0); /* nobody has asked */
    wrench_trigger(&wrench, false);
    pass_ms(&pair, 100);
    subscribe(TORQUE_WRENCH_LIVE_TORQUE_CONFIGURATION, YS_SUBSCRIBE_NOTIFICATIONS);
    assert_int_equal(pair.peripheral.counts[YS_EVENT_SUBSCRIPTION], 1);
    wrench_trigger(&wrench, true);
    pass_ms(&pair, 1000);
    /* 50 a second, of which the first may be on its way */
    assert_in_range(pair.central.counts[YS_EVENT_NOTIFICATION], 46, 51);
    assert_int_equal(pair.central.last.u.notification.handle, TORQUE_WRENCH_LIVE_TORQUE);
    assert_int_equal(pair.central.value_length, 2);
    pass_ms(&pair, 300); /* 42.0 N m at 0.7 N m a sample: after 1.2 s */
    assert_int_equal(wrench.bolt, 1);
    assert_hex(buffer, read_value(TORQUE_WRENCH_BOLT_RESULT, buffer, sizeof buffer), "0100 a401 7800 01");
    subscribe(TORQUE_WRENCH_LIVE_TORQUE_CONFIGURATION, YS_SUBSCRIBE_NONE);
    size_t before = pair.central.counts[YS_EVENT_NOTIFICATION];
    pass_ms(&pair, 3000);
    assert_int_equal(pair.central.counts[YS_EVENT_NOTIFICATION], before);
    assert_true(wrench.bolt > 1); /* though it went on */
}

static void each_bolt_is_indicated_once(void **state)
{
    (void)state;
    assert_int_equal(write_value(TORQUE_WRENCH_PRESET, "c800"), 0);
    subscribe(TORQUE_WRENCH_BOLT_RESULT_CONFIGURATION, YS_SUBSCRIBE_INDICATIONS);
    wrench_trigger(&wrench, true);
    pass_ms(&pair, 6000);
    wrench_trigger(&wrench, false);
    pass_ms(&pair, 200);
    assert_in_range(wrench.bolt, 4, 6);
    assert_int_equal(pair.central.counts[YS_EVENT_NOTIFICATION], wrench.bolt);
    assert_int_equal(pair.central.last.u.notification.kind, YS_BY_INDICATION);
    assert_int_equal(pair.central.last.u.notification.handle, TORQUE_WRENCH_BOLT_RESULT);
    assert_int_equal(pair.central.value[0], wrench.bolt);
}

static void arm_from_afar(const char *hex)
{
    struct ys_client_request request = pair_request();
    uint8_t bytes[1];
    size_t length = from_hex(hex, bytes, sizeof bytes);
    enum ys_result begun = ys_client_write_command(&pair.central.host, pair.central.connection, &request,
                                                   TORQUE_WRENCH_ARM, bytes, (uint16_t)length);
    assert_int_equal(pair_wait(&pair, &request, begun), YS_OUTCOME_DONE);
    pass_ms(&pair, 100);
}

static void it_is_armed_from_afar_only_with_a_finger_on_the_trigger(void **state)
{
    (void)state;
    arm_from_afar("01");
    assert_false(wrench.armed);
    wrench_trigger(&wrench, true);
    pass_ms(&pair, 1);
    assert_true(wrench.armed); /* the command has waited for it */
    arm_from_afar("00");
    assert_false(wrench.armed);
    wrench_trigger(&wrench, false);
    arm_from_afar("01");
    pass_ms(&pair, WRENCH_PATIENCE_MS);
    wrench_trigger(&wrench, true); /* too late: it meant something else */
    pass_ms(&pair, 1);
    assert_false(wrench.armed);
    arm_from_afar("01");
    assert_true(wrench.armed);
    assert_int_equal(write_value(TORQUE_WRENCH_ARM, "00"), YS_ATT_WRITE_NOT_PERMITTED); /* only without response */
    assert_true(wrench.armed);
}

static void the_spacing_holds_however_fast_the_value_changes(void **state)
{
    (void)state;
    ys_clock_cancel(pair.clock, &timer); /* the sensor is the test's */
    subscribe(TORQUE_WRENCH_LIVE_TORQUE_CONFIGURATION, YS_SUBSCRIBE_NOTIFICATIONS);
    for (int i = 0; i < 1000; i++) { /* a thousand times a second, for one second */
        wrench.torque = (int16_t)i;
        ys_host_changed(&pair.peripheral.host, TORQUE_WRENCH_LIVE_TORQUE);
        pass_ms(&pair, 1);
    }
    assert_in_range(pair.central.counts[YS_EVENT_NOTIFICATION], 48, 52);
    pass_ms(&pair, 100);
    assert_hex(pair.central.value, 2, "e703"); /* the last value is not lost: 999 */
}

static void subscribe_end(struct end *end)
{
    struct ys_client_request request = pair_request();
    enum ys_result begun = ys_client_subscribe(&end->host, end->connection, &request,
                                               TORQUE_WRENCH_LIVE_TORQUE_CONFIGURATION, YS_SUBSCRIBE_NOTIFICATIONS);
    assert_int_equal(pair_wait(&pair, &request, begun), YS_OUTCOME_DONE);
}

static void two_centrals_are_served_at_once_and_one_by_one_let_go(void **state)
{
    (void)state;
    pair_connect(&pair, &pair.second, 50000);
    assert_int_equal(pair.peripheral.counts[YS_EVENT_CONNECTED], 2);
    subscribe_end(&pair.central);
    wrench_trigger(&wrench, true);
    pass_ms(&pair, 500);
    assert_in_range(pair.central.counts[YS_EVENT_NOTIFICATION], 22, 27);
    assert_int_equal(pair.second.counts[YS_EVENT_NOTIFICATION], 0); /* it has not asked */
    subscribe_end(&pair.second);
    size_t first = pair.central.counts[YS_EVENT_NOTIFICATION];
    size_t second = pair.second.counts[YS_EVENT_NOTIFICATION];
    pass_ms(&pair, 1000);
    assert_in_range(pair.central.counts[YS_EVENT_NOTIFICATION] - first, 45, 52);
    assert_in_range(pair.second.counts[YS_EVENT_NOTIFICATION] - second, 45, 52);
    assert_int_equal(ys_disconnect(&pair.second.host, pair.second.connection), YS_OK);
    pass_ms(&pair, 200);
    assert_int_equal(pair.peripheral.counts[YS_EVENT_DISCONNECTED], 1);
    first = pair.central.counts[YS_EVENT_NOTIFICATION];
    second = pair.second.counts[YS_EVENT_NOTIFICATION];
    pass_ms(&pair, 1000);
    assert_in_range(pair.central.counts[YS_EVENT_NOTIFICATION] - first, 45, 52);
    assert_int_equal(pair.second.counts[YS_EVENT_NOTIFICATION], second);
    pair_connect(&pair, &pair.second, 7500); /* and it comes back, subscribed to nothing */
    pass_ms(&pair, 500);
    assert_int_equal(pair.second.counts[YS_EVENT_NOTIFICATION], second);
}

/* The second central scans until it hears the wrench; returns after how many milliseconds. */
static unsigned found_after_ms(void)
{
    const struct ys_scanning scanning = {.interval_us = 30000, .window_us = 30000};
    unsigned ms = 0;
    pair.second.counts[YS_EVENT_REPORT] = 0;
    assert_int_equal(ys_scan(&pair.second.host, &scanning), YS_OK);
    while (pair.second.counts[YS_EVENT_REPORT] == 0 && ms < 5000) {
        pass_ms(&pair, 1);
        ms++;
    }
    assert_int_equal(ys_scan_stop(&pair.second.host), YS_OK);
    pass_ms(&pair, 1);
    return ms;
}

/* Pairing Failed, on the channel of the security manager. */
static void count_refusals(void *context, const struct ys_air_packet *packet)
{
    static const uint8_t refusal[] = {2, 0, 6, 0, 0x05};
    size_t *refusals = context;
    *refusals += packet->length == 2 + sizeof refusal + 1 && memcmp(packet->pdu + 2, refusal, sizeof refusal) == 0;
}

/* Whatever becomes of a connection, the wrench can be found again: at most an interval, its delay and the scan later.
 */
static void it_is_found_again_each_time(void **state)
{
    const struct ys_port *port = ys_simulated_port(pair.central.simulated);
    const struct ys_connecting never = {.interval_us = 30000, .supervision_timeout_ms = 1000};
    size_t refusals = 0;
    (void)state;
    static struct ys_observer watcher;
    watcher = (struct ys_observer){.observe = count_refusals, .context = &refusals};
    ys_radio_observe(pair.radio, &watcher);
    assert_in_range(found_after_ms(), 1, 150); /* while it is connected: there is room for another */
    for (int i = 0; i < 5; i++) {
        assert_int_equal(ys_disconnect(&pair.central.host, pair.central.connection), YS_OK);
        pass_ms(&pair, 100);
        assert_in_range(found_after_ms(), 1, 150);
        pair_connect(&pair, &pair.central, 30000);
        /* it wants to pair (Core 5.4 Vol 3 Part H 3.5.1), is told that this cannot be (Vol 3 Part H 3.5.5), and leaves
         */
        const uint8_t pairing[] = {
            0x02, (uint8_t)pair.central.connection, 0x00, 11, 0, 7, 0, 6, 0, 0x01, 0x03, 0x00, 0x01, 0x10, 0x00, 0x00};
        port->send(port->context, pairing, sizeof pairing);
        pass_ms(&pair, 200);
    }
    assert_int_equal(refusals, 5);
    /* it ends while the link is still young, and while it is being made */
    assert_int_equal(ys_disconnect(&pair.central.host, pair.central.connection), YS_OK);
    pass_ms(&pair, 100);
    const struct ys_address address = ys_host_address(&pair.peripheral.host);
    assert_int_equal(ys_connect(&pair.central.host, &address, &never), YS_OK);
    while (pair.peripheral.counts[YS_EVENT_CONNECTED] == 6)
        pass_ms(&pair, 1);
    ys_host_start(&pair.central.host); /* the central's battery falls out */
    assert_in_range(found_after_ms(), 1, 150);
    pass_ms(&pair, 1500);
    assert_int_equal(pair.peripheral.counts[YS_EVENT_CONNECTED], 7);
    assert_int_equal(pair.peripheral.counts[YS_EVENT_DISCONNECTED], 7);
    assert_in_range(found_after_ms(), 1, 150);
    assert_int_equal(pair.peripheral.counts[YS_EVENT_ADVERTISING_ENDED], 0);
}

/* With room for one connection, who waits is let in as soon as the first has gone. */
static void a_second_central_waits_for_its_turn(void **state)
{
    const struct ys_connecting connecting = {.interval_us = 30000, .supervision_timeout_ms = 1000};
    teardown(state);
    pair.connections = 1;
    setup(state);
    pair.connections = 0;
    const struct ys_address address = ys_host_address(&pair.peripheral.host);
    for (int i = 0; i < 3; i++) {
        struct end *first = i % 2 == 0 ? &pair.central : &pair.second;
        struct end *waits = i % 2 == 0 ? &pair.second : &pair.central;
        assert_int_equal(ys_connect(&waits->host, &address, &connecting), YS_OK);
        pass_ms(&pair, 2000);
        assert_int_equal(pair.peripheral.counts[YS_EVENT_CONNECTED], i + 1);
        assert_int_equal(ys_disconnect(&first->host, first->connection), YS_OK);
        pass_ms(&pair, 250);
        assert_int_equal(pair.peripheral.counts[YS_EVENT_CONNECTED], i + 2);
    }
}

static void a_central_that_vanishes_is_noticed_and_the_wrench_found_again(void **state)
{
    (void)state;
    pass_ms(&pair, 100);
    ys_host_start(&pair.central.host); /* a reset in the middle of the connection */
    pass_ms(&pair, 4500);
    assert_int_equal(pair.peripheral.counts[YS_EVENT_DISCONNECTED], 1);
    assert_int_equal(pair.peripheral.last.reason, YS_HCI_TIMEOUT);
    pair_connect(&pair, &pair.second, 30000);
}

/* Vol 3 Part C 9.3.4. */
static void it_is_found_again_after_each_connection(void **state)
{
    (void)state;
    for (int i = 0; i < 3; i++) {
        size_t ended = pair.peripheral.counts[YS_EVENT_DISCONNECTED];
        assert_int_equal(ys_disconnect(&pair.central.host, pair.central.connection), YS_OK);
        pass_ms(&pair, 200);
        assert_int_equal(pair.peripheral.counts[YS_EVENT_DISCONNECTED], ended + 1);
        assert_int_equal(pair.peripheral.last.reason, YS_HCI_REMOTE_ENDED);
        pair_connect(&pair, &pair.central, 7500);
    }
}

static size_t found_counts[YS_FOUND_DESCRIPTOR + 1];

static void count_found(struct ys_client_request *request, const struct ys_found *found)
{
    (void)request;
    found_counts[found->kind]++;
    if (found->kind == YS_FOUND_CHARACTERISTIC && found->value_handle == TORQUE_WRENCH_LIVE_TORQUE) {
        char text[YS_UUID_TEXT_SIZE];
        assert_string_equal(ys_uuid_format(&found->uuid, text), "5f8d0001-2b1c-4e6f-9a37-d4c1e07b6a52");
        assert_int_equal(found->properties, YS_PROPERTY_READ | YS_PROPERTY_NOTIFY);
    }
}

static void discover(void)
{
    struct ys_client_request request = pair_request();
    request.on_item = count_found;
    memset(found_counts, 0, sizeof found_counts);
    enum ys_result begun = ys_client_discover(&pair.central.host, pair.central.connection, &request);
    assert_int_equal(pair_wait(&pair, &request, begun), YS_OUTCOME_DONE);
    assert_int_equal(found_counts[YS_FOUND_SERVICE], 5);
    assert_int_equal(found_counts[YS_FOUND_CHARACTERISTIC], 11);
    assert_int_equal(found_counts[YS_FOUND_DESCRIPTOR], 9);
}

/* The last manufacturer data that was on the air. */
static uint8_t locator[31];
static size_t locator_length;

static void note_locator(void *context, const struct ys_air_packet *packet)
{
    struct ys_ad ad;
    (void)context;
    if (packet->length <= 8 || (packet->pdu[0] & 0x0f) != 2) /* ADV_NONCONN_IND: Core 5.4 Vol 6 Part B 2.3.1.3 */
        return;
    if (!ys_ad_find(packet->pdu + 8, packet->length - 8u, YS_AD_MANUFACTURER, &ad))
        return;
    memcpy(locator, ad.data, ad.length);
    locator_length = ad.length;
}

/* Vol 3 Part C 9.1.1, 9.3.2. */
static void in_the_crib_it_is_a_beacon_that_tells_where(void **state)
{
    (void)state;
    assert_int_equal(ys_disconnect(&pair.central.host, pair.central.connection), YS_OK);
    pass_ms(&pair, 200);
    static struct ys_observer watcher;
    watcher = (struct ys_observer){.observe = note_locator, .context = NULL};
    ys_radio_observe(pair.radio, &watcher);
    assert_int_equal(ys_advertise(&pair.peripheral.host, &torque_wrench_locator_advertising), YS_OK);
    pass_ms(&pair, 2500);
    assert_hex(locator, locator_length, "ffff 0300 d900 c5"); /* tests, crib 3, tool 217, -59 dBm */
}

static void a_discovery_finds_what_the_table_has_with_any_mtu(void **state)
{
    (void)state;
    discover();
    struct ys_client_request request = pair_request();
    enum ys_result begun = ys_client_exchange_mtu(&pair.central.host, pair.central.connection, &request);
    assert_int_equal(pair_wait(&pair, &request, begun), YS_OUTCOME_DONE);
    assert_int_equal(ys_host_mtu(&pair.central.host, pair.central.connection), YS_MTU_PREFERRED);
    assert_int_equal(ys_host_mtu(&pair.peripheral.host, pair.peripheral.connection), YS_MTU_PREFERRED);
    discover();
}

static void a_service_is_found_by_its_uuid(void **state)
{
    struct ys_client_request request = pair_request();
    struct ys_uuid tightening;
    (void)state;
    assert_true(ys_uuid_parse("5f8d0000-2b1c-4e6f-9a37-d4c1e07b6a52", 36, &tightening));
    request.on_item = count_found;
    memset(found_counts, 0, sizeof found_counts);
    enum ys_result begun = ys_client_find_service(&pair.central.host, pair.central.connection, &request, &tightening);
    assert_int_equal(pair_wait(&pair, &request, begun), YS_OUTCOME_DONE);
    assert_int_equal(found_counts[YS_FOUND_SERVICE], 1);
}

/* Two runs with one seed, and one with another: what is heard of them on the air. */
static uint64_t fingerprint;

static void take_packet(void *context, const struct ys_air_packet *packet)
{
    (void)context;
    fingerprint = (fingerprint ^ packet->start_ns ^ packet->crc) * UINT64_C(0x100000001b3);
    for (size_t i = 0; i < packet->length; i++)
        fingerprint = (fingerprint ^ packet->pdu[i]) * UINT64_C(0x100000001b3);
}

static uint64_t run_with_seed(uint64_t seed)
{
    fingerprint = 1;
    memset(&pair, 0, sizeof pair);
    wrench_init(&wrench, &pair.peripheral.host);
    pair_begin(&pair, seed, &torque_wrench_table, &wrench, NULL, wrench_event);
    static struct ys_observer watcher;
    watcher = (struct ys_observer){.observe = take_packet, .context = NULL};
    ys_radio_observe(pair.radio, &watcher);
    pair_connect(&pair, &pair.central, 30000);
    pass_ms(&pair, 1000);
    pair_end(&pair);
    return fingerprint;
}

static void the_same_seed_gives_the_same_air_bit_by_bit(void **state)
{
    (void)state;
    uint64_t first = run_with_seed(5);
    assert_true(run_with_seed(5) == first);
    assert_true(run_with_seed(6) != first);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test_setup_teardown(values_are_read_from_the_firmware, setup, teardown),
        cmocka_unit_test_setup_teardown(a_preset_out_of_range_is_refused_and_changes_nothing, setup, teardown),
        cmocka_unit_test_setup_teardown(live_torque_comes_while_a_bolt_is_tightened_and_stops_at_once, setup, teardown),
        cmocka_unit_test_setup_teardown(each_bolt_is_indicated_once, setup, teardown),
        cmocka_unit_test_setup_teardown(it_is_armed_from_afar_only_with_a_finger_on_the_trigger, setup, teardown),
        cmocka_unit_test_setup_teardown(in_the_crib_it_is_a_beacon_that_tells_where, setup, teardown),
        cmocka_unit_test_setup_teardown(the_spacing_holds_however_fast_the_value_changes, setup, teardown),
        cmocka_unit_test_setup_teardown(two_centrals_are_served_at_once_and_one_by_one_let_go, setup, teardown),
        cmocka_unit_test_setup_teardown(it_is_found_again_each_time, setup, teardown),
        cmocka_unit_test_setup_teardown(a_second_central_waits_for_its_turn, setup, teardown),
        cmocka_unit_test_setup_teardown(a_central_that_vanishes_is_noticed_and_the_wrench_found_again, setup, teardown),
        cmocka_unit_test_setup_teardown(it_is_found_again_after_each_connection, setup, teardown),
        cmocka_unit_test_setup_teardown(a_discovery_finds_what_the_table_has_with_any_mtu, setup, teardown),
        cmocka_unit_test_setup_teardown(a_service_is_found_by_its_uuid, setup, teardown),
        cmocka_unit_test(the_same_seed_gives_the_same_air_bit_by_bit),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
