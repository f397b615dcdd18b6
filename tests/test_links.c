/* What hosts ask of their connections, and what they answer. */
#include "support/check.h"

#include <string.h>

#include <yarnswift/link.h>

#include "support/pair.h"
#include "support/sample.h"
#include "wire/hci_extended.h"
#include "wire/hci_link.h"

#define NO_PARAMETERS YS_HCI_LE_FEATURE_PARAMETERS

static struct pair pair;
static uint8_t values[SAMPLE_VALUES_SIZE];
static struct sample sample;
static struct ys_links links[3];
static const struct ys_link_wishes *wishes[3];

static size_t index_of(const struct end *end)
{
    return end == &pair.peripheral ? 0 : end == &pair.central ? 1 : 2;
}

static void prepare(struct pair *whose, struct end *end)
{
    size_t i = index_of(end);
    (void)whose;
    assert_int_equal(ys_host_use_links(&end->host, &links[i], wishes[i]), YS_OK);
}

static void on_ready(struct ys_host *host, void *context, const struct ys_event *event)
{
    static const struct ys_advertising advertising = {.interval_min_us = 20000, .interval_max_us = 20000};
    (void)context;
    if (event->kind == YS_EVENT_READY)
        assert_int_equal(ys_advertise(host, &advertising), YS_OK);
}

static void begin(const struct ys_link_wishes *peripheral, const struct ys_link_wishes *central,
                  uint64_t lacks_of_central)
{
    memset(&pair, 0, sizeof pair);
    sample = (struct sample){.number = 1};
    pair.sets = 1;
    pair.lacks[1] = lacks_of_central;
    pair.prepare = prepare;
    wishes[0] = peripheral;
    wishes[1] = central;
    wishes[2] = NULL;
    pair_begin(&pair, 1, &sample_table, &sample, values, on_ready);
    pair_connect(&pair, &pair.central, 30000);
}

static struct ys_link_state state_of(const struct end *end)
{
    struct ys_link_state state;
    assert_int_equal(ys_link_get(&end->host, end->connection, &state), YS_OK);
    return state;
}

static const struct ys_link_wishes fast = {.interval_min_us = 7500,
                                           .interval_max_us = 15000,
                                           .supervision_timeout_ms = 2000,
                                           .packet_length = 251,
                                           .send_phys = YS_2M,
                                           .receive_phys = YS_2M | YS_1M};

/* Vol 3 Part C 9.3.9; Vol 4 Part E 7.7.65.3, 7.7.65.7, 7.7.65.12, 7.8.18, 7.8.33 to 7.8.35, 7.8.46, 7.8.47 to 7.8.49.
 */
static void what_a_peripheral_wishes_is_asked_for_and_told_on_both_sides(void **state)
{
    (void)state;
    begin(&fast, NULL, 0);
    pass_ms(&pair, 3000);
    struct ys_link_state one = state_of(&pair.peripheral);
    struct ys_link_state other = state_of(&pair.central);
    assert_int_equal(one.interval_us, 15000);
    assert_int_equal(one.supervision_timeout_ms, 2000);
    assert_int_equal(one.send_phy, YS_2M);
    assert_int_equal(one.receive_phy, YS_2M);
    assert_int_equal(one.send_length, 251);
    assert_int_equal(other.receive_length, 251);
    assert_int_equal(other.interval_us, 15000);
    assert_int_equal(other.send_phy, YS_2M);
    assert_int_equal(pair.peripheral.counts[YS_EVENT_LINK_CHANGED], 3);
    assert_int_equal(pair.peripheral.counts[YS_EVENT_LINK_REFUSED], 0);
    pair_end(&pair);
}

/* Vol 3 Part C 9.3.12. */
static void it_waits_for_its_pause(void **state)
{
    struct ys_link_wishes patient = fast;
    (void)state;
    patient.pause_ms = 5000;
    begin(&patient, NULL, 0);
    pass_ms(&pair, 4500);
    assert_int_equal(state_of(&pair.peripheral).interval_us, 30000);
    assert_int_equal(state_of(&pair.peripheral).send_length, 27);
    pass_ms(&pair, 2000);
    assert_int_equal(state_of(&pair.peripheral).interval_us, 15000);
    pair_end(&pair);
}

/* Vol 3 Part A 4.20, 4.21. */
static void where_the_controllers_cannot_the_hosts_ask_each_other(void **state)
{
    struct ys_link_wishes slow = {
        .interval_min_us = 100000, .interval_max_us = 200000, .latency = 2, .supervision_timeout_ms = 6000};
    (void)state;
    begin(&slow, NULL, NO_PARAMETERS);
    pass_ms(&pair, 4000);
    assert_int_equal(state_of(&pair.peripheral).interval_us, 200000);
    assert_int_equal(state_of(&pair.peripheral).latency, 2);
    assert_int_equal(state_of(&pair.central).interval_us, 200000);
    pair_end(&pair);
}

/* Vol 3 Part C 9.3.9. */
static void a_central_answers_as_its_firmware_wants(void **state)
{
    static const struct {
        uint8_t accepts;
        uint32_t least_us;
        uint32_t most_us;
        uint32_t agreed_us; /* 30 ms: as before */
    } cases[] = {
        {YS_LINK_ACCEPT, 50000, 60000, 15000},
        {YS_LINK_REFUSE, 7500, 15000, 30000},
        {YS_LINK_ACCEPT_WITHIN, 10000, 12500, 12500},
        {YS_LINK_ACCEPT_WITHIN, 30000, 40000, 30000},
    };
    struct ys_link_wishes asks = {.interval_min_us = 7500, .interval_max_us = 15000, .supervision_timeout_ms = 4000};
    (void)state;
    for (size_t i = 0; i < 2 * COUNT(cases); i++) {
        size_t row = i / 2;
        struct ys_link_wishes own = {.interval_min_us = cases[row].least_us,
                                     .interval_max_us = cases[row].most_us,
                                     .supervision_timeout_ms = 4000,
                                     .pause_ms = 60000, /* it has no wish of its own yet */
                                     .accepts = cases[row].accepts};
        begin(&asks, &own, i % 2 != 0 ? NO_PARAMETERS : 0);
        pass_ms(&pair, 3000);
        assert_int_equal(state_of(&pair.peripheral).interval_us, cases[row].agreed_us);
        assert_int_equal(state_of(&pair.central).interval_us, cases[row].agreed_us);
        assert_int_equal(pair.peripheral.counts[YS_EVENT_LINK_REFUSED], cases[row].agreed_us == 30000);
        pair_end(&pair);
    }
}

/* Vol 6 Part B 5.3. */
static void what_collides_is_asked_again(void **state)
{
    struct ys_link_wishes phys = {.send_phys = YS_2M, .receive_phys = YS_2M};
    (void)state;
    begin(&phys, &phys, 0); /* both at once, as soon as they are connected */
    pass_ms(&pair, 8000);
    assert_int_equal(state_of(&pair.peripheral).send_phy, YS_2M);
    assert_int_equal(state_of(&pair.central).send_phy, YS_2M);
    assert_int_equal(pair.peripheral.counts[YS_EVENT_LINK_REFUSED], 0);
    pair_end(&pair);
}

static void what_the_other_side_cannot_is_refused_and_nothing_is_lost(void **state)
{
    (void)state;
    begin(&fast, NULL, YS_HCI_LE_FEATURE_2M | YS_HCI_LE_FEATURE_CODED | YS_HCI_LE_FEATURE_DATA_LENGTH);
    pass_ms(&pair, 4000);
    assert_int_equal(state_of(&pair.peripheral).send_phy, YS_1M);
    assert_int_equal(state_of(&pair.peripheral).send_length, 27);
    assert_int_equal(state_of(&pair.peripheral).interval_us, 15000);
    assert_int_equal(pair.peripheral.counts[YS_EVENT_LINK_REFUSED], 1); /* the PHY: lengths are not answered */
    pair_end(&pair);
}

static void a_central_may_change_its_mind(void **state)
{
    static const struct ys_link_wishes first = {
        .interval_min_us = 50000, .interval_max_us = 50000, .supervision_timeout_ms = 4000};
    static const struct ys_link_wishes second = {
        .interval_min_us = 100000, .interval_max_us = 100000, .supervision_timeout_ms = 4000};
    (void)state;
    begin(NULL, NULL, 0);
    assert_int_equal(ys_link_ask(&pair.central.host, pair.central.connection, &first), YS_OK);
    pass_ms(&pair, 40);
    assert_int_equal(ys_link_ask(&pair.central.host, pair.central.connection, &second), YS_OK);
    pass_ms(&pair, 5000);
    assert_int_equal(state_of(&pair.peripheral).interval_us, 100000);
    assert_int_equal(state_of(&pair.central).interval_us, 100000);
    pair_end(&pair);
}

/* The connection ends while the command about it still waits for its turn. */
static void what_is_asked_of_a_connection_that_ends_is_not_asked(void **state)
{
    static const struct ys_link_wishes cases[] = {
        {.packet_length = 251},
        {.send_phys = YS_2M},
        {.interval_min_us = 50000, .interval_max_us = 50000, .supervision_timeout_ms = 4000},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        begin(NULL, NULL, 0);
        pair.central.host.command_credits = 0;
        assert_int_equal(ys_link_ask(&pair.central.host, pair.central.connection, &cases[i]), YS_OK);
        pass_ms(&pair, 5);
        assert_int_equal(ys_disconnect(&pair.peripheral.host, pair.peripheral.connection), YS_OK);
        pass_ms(&pair, 200);
        assert_int_equal(pair.central.counts[YS_EVENT_DISCONNECTED], 1);
        pair.central.host.command_credits = 1;
        pass_ms(&pair, 100);
        pair_connect(&pair, &pair.central, 30000); /* and the next one is as it should be */
        assert_int_equal(ys_link_ask(&pair.central.host, pair.central.connection, &cases[2]), YS_OK);
        pass_ms(&pair, 3000);
        assert_int_equal(state_of(&pair.central).interval_us, 50000);
        pair_end(&pair);
    }
}

static void wishes_out_of_range_are_errors(void **state)
{
    static const struct ys_link_wishes wrong[] = {
        {.interval_min_us = 7499, .interval_max_us = 15000, .supervision_timeout_ms = 2000},
        {.interval_min_us = 20000, .interval_max_us = 15000, .supervision_timeout_ms = 2000},
        {.interval_min_us = 15000, .interval_max_us = 4001250, .supervision_timeout_ms = 32000},
        {.interval_min_us = 15000, .interval_max_us = 15000, .supervision_timeout_ms = 90},
        {.interval_min_us = 1000000, .interval_max_us = 1000000, .latency = 4, .supervision_timeout_ms = 10000},
        {.interval_min_us = 15000, .interval_max_us = 15000, .latency = 500, .supervision_timeout_ms = 32000},
        {.packet_length = 26},
        {.packet_length = 252},
        {.send_phys = 8},
        {.coding = 3},
        {.accepts = 3},
    };
    (void)state;
    begin(NULL, NULL, 0);
    for (size_t i = 0; i < COUNT(wrong); i++)
        assert_int_equal(ys_link_ask(&pair.central.host, pair.central.connection, &wrong[i]), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_link_ask(&pair.central.host, 0x0eee, &fast), YS_ERROR_NO_CONNECTION);
    pair_end(&pair);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(what_a_peripheral_wishes_is_asked_for_and_told_on_both_sides),
        cmocka_unit_test(it_waits_for_its_pause),
        cmocka_unit_test(where_the_controllers_cannot_the_hosts_ask_each_other),
        cmocka_unit_test(a_central_answers_as_its_firmware_wants),
        cmocka_unit_test(what_collides_is_asked_again),
        cmocka_unit_test(what_the_other_side_cannot_is_refused_and_nothing_is_lost),
        cmocka_unit_test(a_central_may_change_its_mind),
        cmocka_unit_test(what_is_asked_of_a_connection_that_ends_is_not_asked),
        cmocka_unit_test(wishes_out_of_range_are_errors),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
