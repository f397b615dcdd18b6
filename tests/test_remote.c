/* The helper of centrals: a winch is found, used, lost and found again, on a simulated air. */
#include "support/check.h"

#include <string.h>

#include <yarnswift/outbox.h>
#include <yarnswift/remote.h>

#include "support/pair.h"
#include "winch_client.h"
#include "winch_table.h"

static struct pair pair;
static struct ys_remote remote;
static struct ys_remote_place places[WINCH_CLIENT_PLACES];
static uint8_t memory[2 * 4];
static struct ys_outbox lifts;
static uint8_t lifts_memory[YS_OUTBOX_SIZE(4, 1)];

static struct {
    /* on the winch */
    uint16_t height;
    uint8_t driven[32];
    size_t drive_count;
    size_t horn_count;
    /* on the other side */
    size_t ready, lost;
    unsigned values[WINCH_CLIENT_PLACES];
    uint16_t height_heard;
    uint8_t lift_heard;
    size_t done;
    uint8_t error;
    bool replies; /* it writes as soon as it can */
} yard;

uint8_t winch_drive_write(const struct ys_access *access, struct ys_reader *value)
{
    (void)access;
    yard.driven[yard.drive_count++] = ys_get_u8(value);
    return YS_ATT_OK;
}

uint8_t winch_horn_write(const struct ys_access *access, struct ys_reader *value)
{
    (void)access;
    (void)value;
    yard.horn_count++;
    return YS_ATT_OK;
}

uint8_t winch_height_read(const struct ys_access *access, struct ys_writer *value)
{
    (void)access;
    winch_height_put(value, yard.height);
    return YS_ATT_OK;
}

static void winch_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    (void)context;
    if (event->kind == YS_EVENT_READY)
        (void)ys_advertise(host, &winch_advertising);
}

static void on_ready(struct ys_remote *which, bool ready)
{
    yard.ready += ready;
    yard.lost += !ready;
    if (ready && yard.replies)
        assert_int_equal(ys_remote_write(which, WINCH_CLIENT_DRIVE, "\1", 1), YS_OK);
    assert_ptr_equal(ys_remote_context(which), &yard);
}

static void on_value(struct ys_remote *which, uint8_t item, struct ys_reader *value)
{
    (void)which;
    yard.values[item]++;
    if (item == WINCH_CLIENT_HEIGHT)
        assert_true(winch_height_get(value, &yard.height_heard));
    if (item == WINCH_CLIENT_LIFTS)
        assert_true(winch_lifts_get(value, &yard.lift_heard));
}

static void on_done(struct ys_remote *which, uint8_t item, uint8_t error)
{
    (void)which;
    (void)item;
    yard.done++;
    yard.error = error;
}

static const uint8_t wanted[] = {WINCH_CLIENT_HEIGHT, WINCH_CLIENT_LIFTS};
static struct ys_remote_settings settings;

static void central_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    (void)host;
    (void)context;
    (void)ys_remote_event(&remote, event);
}

static int setup(void **state)
{
    static uint8_t values[WINCH_VALUES_SIZE];
    (void)state;
    memset(&yard, 0, sizeof yard);
    memset(&pair, 0, sizeof pair);
    memset(&lifts, 0, sizeof lifts);
    settings = (struct ys_remote_settings){
        .plan = &winch_client,
        .places = places,
        .subscribe = wanted,
        .subscribe_count = 2,
        .memory = memory,
        .size = 4,
        .context = &yard,
        .on_ready = on_ready,
        .on_value = on_value,
        .on_done = on_done,
    };
    pair_begin(&pair, 7, &winch_table, NULL, values, winch_event);
    pair.central.on_event = central_event;
    assert_int_equal(ys_outbox_open(&pair.peripheral.host, &lifts, WINCH_LIFTS, lifts_memory, sizeof lifts_memory),
                     YS_OK);
    assert_int_equal(ys_remote_init(&pair.central.host, &remote, &settings), YS_OK);
    return 0;
}

static int teardown(void **state)
{
    (void)state;
    pair_end(&pair);
    return 0;
}

static void wait_until(const size_t *count, size_t least)
{
    for (int i = 0; i < 3000 && *count < least; i++)
        pass_ms(&pair, 10);
    assert_int_equal(*count, least);
}

static void find_it(void)
{
    assert_int_equal(ys_remote_search(&remote), YS_OK);
    wait_until(&yard.ready, 1);
}

static void it_is_found_and_its_values_come(void **state)
{
    (void)state;
    assert_false(ys_remote_is_ready(&remote));
    assert_int_equal(ys_remote_write(&remote, WINCH_CLIENT_DRIVE, "\1", 1), YS_ERROR_NOT_READY);
    find_it();
    assert_true(ys_remote_is_ready(&remote));
    assert_int_equal(ys_remote_search(&remote), YS_ERROR_BUSY);
    for (uint8_t i = 0; i < WINCH_CLIENT_PLACES; i++)
        assert_true(ys_remote_has(&remote, i));
    assert_int_equal(places[WINCH_CLIENT_HEIGHT].value, WINCH_HEIGHT); /* of two with this UUID */
    assert_int_equal(places[WINCH_CLIENT_HEIGHT].configuration, WINCH_HEIGHT_CONFIGURATION);
    assert_int_equal(places[WINCH_CLIENT_HEIGHT_OF_ANOTHER].configuration, WINCH_HEIGHT_OF_ANOTHER_CONFIGURATION);
    assert_int_equal(places[WINCH_CLIENT_DRIVE].configuration, 0); /* the next one's is not its own */
    assert_int_equal(ys_host_mtu(&pair.central.host, ys_remote_connection(&remote)), YS_MTU_PREFERRED);
    yard.height = 1234;
    ys_host_changed(&pair.peripheral.host, WINCH_HEIGHT);
    assert_true(ys_outbox_put(&lifts, "\5", 1));
    pass_ms(&pair, 500);
    assert_int_equal(yard.height_heard, 1234);
    assert_int_equal(yard.lift_heard, 5);
    assert_true(ys_outbox_is_empty(&lifts));
    assert_false(ys_host_is_subscribed(&pair.peripheral.host, WINCH_HEIGHT_OF_ANOTHER));
}

static void values_are_written_and_the_newest_counts(void **state)
{
    (void)state;
    yard.replies = true;
    find_it();
    wait_until(&yard.done, 1);
    assert_int_equal(ys_remote_write(&remote, WINCH_CLIENT_DRIVE, "\2", 1), YS_OK);
    assert_int_equal(ys_remote_write(&remote, WINCH_CLIENT_DRIVE, "\1", 1), YS_OK);
    assert_int_equal(ys_remote_write(&remote, WINCH_CLIENT_DRIVE, "\0", 1), YS_OK); /* instead of the 1 */
    assert_int_equal(ys_remote_write(&remote, WINCH_CLIENT_HORN, "\1", 1), YS_ERROR_BUSY);
    assert_int_equal(ys_remote_read(&remote, WINCH_CLIENT_HEIGHT), YS_ERROR_BUSY);
    wait_until(&yard.done, 3);
    assert_int_equal(yard.error, YS_ATT_OK);
    assert_int_equal(yard.drive_count, 3);
    assert_memory_equal(yard.driven, "\1\2\0", 3);
    assert_int_equal(ys_remote_write(&remote, WINCH_CLIENT_DRIVE, "\3", 1), YS_OK);
    wait_until(&yard.done, 4);
    assert_int_equal(yard.error, YS_ATT_OUT_OF_RANGE);
    assert_int_equal(ys_remote_write(&remote, WINCH_CLIENT_HORN, "\1", 1), YS_OK); /* by a command */
    wait_until(&yard.horn_count, 1);
    yard.height = 77;
    assert_int_equal(ys_remote_read(&remote, WINCH_CLIENT_HEIGHT), YS_OK);
    pass_ms(&pair, 300);
    assert_int_equal(yard.height_heard, 77);
    assert_int_equal(ys_remote_read(&remote, WINCH_CLIENT_DRIVE), YS_ERROR_ARGUMENT); /* nobody can */
    assert_int_equal(ys_remote_write(&remote, WINCH_CLIENT_HEIGHT, "\1\1", 2), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_remote_write(&remote, WINCH_CLIENT_DRIVE, "12345", 5), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_remote_write(&remote, WINCH_CLIENT_PLACES, "\1", 1), YS_ERROR_ARGUMENT);
}

/* A place that is put wrong on purpose stays so until the table is discovered once more. */
static void a_lost_one_is_found_again_and_its_table_is_kept(void **state)
{
    (void)state;
    find_it();
    struct ys_remote_place before[WINCH_CLIENT_PLACES];
    memcpy(before, places, sizeof before);
    places[WINCH_CLIENT_HEIGHT_OF_ANOTHER].value = 0x1234; /* a discovery would put it right */
    (void)ys_disconnect(&pair.peripheral.host, pair.peripheral.connection);
    wait_until(&yard.lost, 1);
    assert_int_equal(ys_remote_write(&remote, WINCH_CLIENT_DRIVE, "\1", 1), YS_ERROR_NOT_READY);
    wait_until(&yard.ready, 2);
    assert_int_equal(places[WINCH_CLIENT_HEIGHT_OF_ANOTHER].value, 0x1234);
    yard.height = 5;
    ys_host_changed(&pair.peripheral.host, WINCH_HEIGHT);
    pass_ms(&pair, 300);
    assert_int_equal(yard.height_heard, 5);
    /* Vol 3 Part G 7.1: said to have changed, it is discovered anew */
    assert_int_equal(ys_host_services_changed(&pair.peripheral.host, 1, 0xffff), YS_OK);
    wait_until(&yard.lost, 2);
    wait_until(&yard.ready, 3);
    assert_memory_equal(places, before, sizeof before);
    assert_int_equal(pair.central.counts[YS_EVENT_DISCONNECTED], 1);
}

/* The table has a hash all the while: what was found of it before the loss must not be taken for all of it. */
static void a_connection_that_is_lost_at_any_moment_is_made_good(void **state)
{
    (void)state;
    size_t early = 0;
    assert_int_equal(ys_remote_search(&remote), YS_OK);
    for (size_t ms = 0; ms < 1500; ms += 45) {
        wait_until(&pair.central.counts[YS_EVENT_CONNECTED], pair.central.counts[YS_EVENT_CONNECTED] + 1);
        pass_ms(&pair, ms);
        (void)ys_disconnect(&pair.peripheral.host, pair.peripheral.connection);
        wait_until(&pair.central.counts[YS_EVENT_DISCONNECTED], pair.central.counts[YS_EVENT_CONNECTED]);
        if (yard.ready == 0) /* else it is known whole, and stays so */
            early++;
    }
    assert_true(early > 10);
    wait_until(&yard.ready, yard.lost + 1);
    assert_int_equal(places[WINCH_CLIENT_HEIGHT].configuration, WINCH_HEIGHT_CONFIGURATION);
}

/* A write that is refused for its handle is a sign of it, too. */
static void a_handle_that_is_none_any_more_has_it_discovered(void **state)
{
    (void)state;
    find_it();
    places[WINCH_CLIENT_DRIVE].value = 0x1234;
    assert_int_equal(ys_remote_write(&remote, WINCH_CLIENT_DRIVE, "\1", 1), YS_OK);
    wait_until(&yard.done, 1);
    assert_int_equal(yard.error, YS_ATT_INVALID_HANDLE);
    wait_until(&yard.ready, 2);
    assert_int_equal(places[WINCH_CLIENT_DRIVE].value, WINCH_DRIVE);
}

static void what_lacks_what_is_wanted_is_left_alone_for_a_while(void **state)
{
    static const struct ys_remote_item other[] = {{{2, {0x0f, 0x18}}, {2, {0x19, 0x2a}}}};
    struct ys_remote_plan plan = {other, winch_client.filter, 1};
    static const uint8_t first[] = {0};
    (void)state;
    settings.plan = &plan;
    settings.subscribe = first;
    settings.subscribe_count = 1;
    assert_int_equal(ys_remote_init(&pair.central.host, &remote, &settings), YS_OK);
    assert_int_equal(ys_remote_search(&remote), YS_OK);
    wait_until(&pair.central.counts[YS_EVENT_DISCONNECTED], 1);
    pass_ms(&pair, 9000);
    assert_int_equal(pair.central.counts[YS_EVENT_CONNECTED], 1);
    pass_ms(&pair, 3000);
    assert_int_equal(pair.central.counts[YS_EVENT_CONNECTED], 2);
    assert_int_equal(pair.central.counts[YS_EVENT_DISCONNECTED], 2); /* it is looked into once more */
    assert_int_equal(yard.ready, 0);
}

static void it_can_be_stopped_wherever_it_is(void **state)
{
    (void)state;
    for (int ms = 0; ms < 300; ms += 7) {
        assert_int_equal(ys_remote_search(&remote), YS_OK);
        pass_ms(&pair, (uint64_t)ms);
        ys_remote_stop(&remote);
        assert_false(ys_remote_is_ready(&remote));
        pass_ms(&pair, 700);
        assert_int_equal(pair.central.counts[YS_EVENT_DISCONNECTED], pair.central.counts[YS_EVENT_CONNECTED]);
        size_t before = pair.central.counts[YS_EVENT_CONNECTED];
        pass_ms(&pair, 700);
        assert_int_equal(pair.central.counts[YS_EVENT_CONNECTED], before); /* and it stays so */
    }
    assert_true(pair.central.counts[YS_EVENT_CONNECTED] > 5);
}

/* What was heard, and is gone when it is to be connected to, is given up; when it comes back it is found. */
static void one_that_vanishes_is_waited_for_no_longer_than_needed(void **state)
{
    (void)state;
    assert_int_equal(ys_remote_search(&remote), YS_OK);
    for (int i = 0; i < 1000 && pair.central.counts[YS_EVENT_REPORT] == 0; i++)
        pass_ms(&pair, 1);
    assert_int_equal(ys_advertise_stop(&pair.peripheral.host), YS_OK);
    wait_until(&pair.central.counts[YS_EVENT_CONNECT_FAILED], 1);
    assert_int_equal(ys_advertise(&pair.peripheral.host, &winch_advertising), YS_OK);
    wait_until(&yard.ready, 1);
}

static void a_host_that_starts_anew_goes_on(void **state)
{
    (void)state;
    ys_host_start(&pair.central.host);
    assert_int_equal(ys_remote_search(&remote), YS_OK); /* before it is ready */
    wait_until(&yard.ready, 1);
    ys_host_start(&pair.central.host);
    wait_until(&yard.lost, 1);
    wait_until(&yard.ready, 2);
}

static void settings_that_cannot_be_are_refused(void **state)
{
    static const uint8_t beyond[] = {WINCH_CLIENT_PLACES};
    struct ys_remote_settings wrong = settings;
    (void)state;
    wrong.subscribe = beyond;
    wrong.subscribe_count = 1;
    assert_int_equal(ys_remote_init(&pair.central.host, &remote, &wrong), YS_ERROR_ARGUMENT);
    wrong = settings;
    wrong.plan = NULL;
    assert_int_equal(ys_remote_init(&pair.central.host, &remote, &wrong), YS_ERROR_ARGUMENT);
    wrong = settings;
    wrong.size = 0;
    assert_int_equal(ys_remote_init(&pair.central.host, &remote, &wrong), YS_OK);
    assert_int_equal(ys_remote_search(&remote), YS_OK);
    wait_until(&yard.ready, 1);
    assert_int_equal(ys_remote_write(&remote, WINCH_CLIENT_DRIVE, "", 0), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_remote_read(&remote, WINCH_CLIENT_HEIGHT), YS_ERROR_ARGUMENT);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test_setup_teardown(it_is_found_and_its_values_come, setup, teardown),
        cmocka_unit_test_setup_teardown(values_are_written_and_the_newest_counts, setup, teardown),
        cmocka_unit_test_setup_teardown(a_lost_one_is_found_again_and_its_table_is_kept, setup, teardown),
        cmocka_unit_test_setup_teardown(a_connection_that_is_lost_at_any_moment_is_made_good, setup, teardown),
        cmocka_unit_test_setup_teardown(a_handle_that_is_none_any_more_has_it_discovered, setup, teardown),
        cmocka_unit_test_setup_teardown(what_lacks_what_is_wanted_is_left_alone_for_a_while, setup, teardown),
        cmocka_unit_test_setup_teardown(it_can_be_stopped_wherever_it_is, setup, teardown),
        cmocka_unit_test_setup_teardown(one_that_vanishes_is_waited_for_no_longer_than_needed, setup, teardown),
        cmocka_unit_test_setup_teardown(a_host_that_starts_anew_goes_on, setup, teardown),
        cmocka_unit_test_setup_teardown(settings_that_cannot_be_are_refused, setup, teardown),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
