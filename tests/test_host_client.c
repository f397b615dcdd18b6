/* The client, its requests and answers byte by byte; and notifications from both sides. */
#include "support/check.h"

#include <string.h>

#include "support/hex.h"
#include "support/sample.h"
#include "support/scripted.h"

#define LINK 0x0040

static struct scripted scripted;
static uint8_t values[SAMPLE_VALUES_SIZE];
static struct sample sample;

/* A request and what came of it. */
struct asked {
    struct ys_client_request request; /* first, so that one is the other */
    unsigned done;
    size_t found_count;
    struct ys_found found[16];
};

static struct asked asked;
static struct asked second;

static void on_done(struct ys_client_request *request)
{
    ((struct asked *)request)->done++;
}

static void on_item(struct ys_client_request *request, const struct ys_found *found)
{
    struct asked *one = (struct asked *)request;
    assert_true(one->found_count < COUNT(one->found));
    one->found[one->found_count++] = *found;
}

static int setup(void **state)
{
    (void)state;
    sample = (struct sample){.number = 0x1234, .battery = 87};
    asked = (struct asked){.request = {.on_done = on_done, .on_item = on_item}};
    second = asked;
    scripted_init(&scripted, &sample_table, values, &sample);
    scripted_start(&scripted, 251, 8);
    connect_it(&scripted, LINK, 0);
    forget_sent(&scripted);
    return 0;
}

/* Turns the host, expects this request from it, and gives it the answer. */
static void answer(const char *request, const char *response)
{
    (void)turn(&scripted);
    assert_att(&scripted, LINK, request);
    give_buffers(&scripted, LINK, 8);
    give_att(&scripted, LINK, response);
}

static void assert_outcome(enum ys_outcome outcome, uint8_t error)
{
    assert_int_equal(asked.done, 1);
    assert_int_equal(asked.request.outcome, outcome);
    assert_int_equal(asked.request.error, error);
}

static void the_mtu_is_asked_for_once(void **state)
{
    (void)state;
    assert_int_equal(ys_client_exchange_mtu(&scripted.host, LINK, &asked.request), YS_OK);
    assert_int_equal(ys_client_exchange_mtu(&scripted.host, LINK, &second.request), YS_ERROR_BUSY);
    answer("02 f700", "03 6400");
    assert_outcome(YS_OUTCOME_DONE, 0);
    assert_int_equal(asked.request.length, 100);
    assert_int_equal(ys_host_mtu(&scripted.host, LINK), 100);
    assert_int_equal(last_event(&scripted, YS_EVENT_MTU)->u.mtu, 100);
    assert_int_equal(ys_client_exchange_mtu(&scripted.host, LINK, &second.request), YS_ERROR_BUSY);
}

static void everything_is_discovered_in_three_rounds(void **state)
{
    static const struct {
        uint8_t kind;
        uint16_t handle;
        uint16_t last;
        uint16_t value;
    } expected[] = {{YS_FOUND_SERVICE, 1, 5, 0},        {YS_FOUND_SERVICE, 6, 9, 0},
                    {YS_FOUND_SERVICE, 10, 0xffff, 0},  {YS_FOUND_CHARACTERISTIC, 2, 2, 3},
                    {YS_FOUND_CHARACTERISTIC, 7, 7, 8}, {YS_FOUND_DESCRIPTOR, 9, 9, 0}};
    (void)state;
    assert_int_equal(ys_client_discover(&scripted.host, LINK, &asked.request), YS_OK);
    answer("10 0100 ffff 0028", "11 06 0100 0500 0018");
    answer("10 0600 ffff 0028", "11 14 0600 0900 " SAMPLE_LONG_0);
    answer("10 0a00 ffff 0028", "11 06 0a00 ffff 0f18");
    answer("08 0100 ffff 0328", "09 07 0200 02 0300 002a");
    answer("08 0300 ffff 0328", "09 15 0700 10 0800 " SAMPLE_LONG_1);
    answer("08 0800 ffff 0328", "01 08 0800 0a");
    answer("04 0100 ffff", "05 01 0100 0028 0200 0328 0300 002a 0600 0028 0700 0328");
    answer("04 0800 ffff", "05 02 0800 " SAMPLE_LONG_1); /* the value, known by its place behind the declaration */
    answer("04 0900 ffff", "05 01 0900 0229 0a00 0028");
    answer("04 0b00 ffff", "01 04 0b00 0a");
    assert_outcome(YS_OUTCOME_DONE, 0);
    assert_int_equal(asked.found_count, COUNT(expected));
    for (size_t i = 0; i < COUNT(expected); i++) {
        assert_int_equal(asked.found[i].kind, expected[i].kind);
        assert_int_equal(asked.found[i].handle, expected[i].handle);
        assert_int_equal(asked.found[i].last_handle, expected[i].last);
        assert_int_equal(asked.found[i].value_handle, expected[i].value);
    }
    assert_int_equal(asked.found[4].properties, 0x10);
    assert_int_equal(asked.found[4].uuid.length, 16);
    assert_int_equal(ys_uuid_number(&asked.found[5].uuid), 0x2902);
}

/* Each of these answers would lead a careless client around in circles, or out of its memory. */
static void a_discovery_that_is_led_astray_ends(void **state)
{
    static const char *const answers[] = {
        "11 06 0000 0500 0018",                /* handle 0 */
        "11 06 0500 0400 0018",                /* ends before it begins */
        "11 06 0100 0500 0018 0300 0900 0118", /* goes back */
        "11 06",                               /* nothing */
        "11 05 0100 0500 00",                  /* a UUID of one byte */
        "11 00",                               /* entries of no length */
        "11 06 0100 0500 00",                  /* half an entry */
        "11 07 0100 0500 001800",              /* a UUID of three bytes */
        "09 07 0200 02 0300 002a",             /* an answer to another question */
        "0b 00",                               /* likewise */
        "01 0a 0100 0a",                       /* an error for another request */
        "01 10 0100",                          /* an error cut short */
        "11",                                  /* cut short */
    };
    (void)state;
    for (size_t i = 0; i < COUNT(answers); i++) {
        setup(NULL);
        assert_int_equal(ys_client_discover(&scripted.host, LINK, &asked.request), YS_OK);
        answer("10 0100 ffff 0028", answers[i]);
        assert_outcome(YS_OUTCOME_MALFORMED, 0);
        /* and the next request goes its way */
        assert_int_equal(ys_client_read(&scripted.host, LINK, &second.request, 3, values, 2), YS_OK);
        answer("0a 0300", "0b 0102");
        assert_int_equal(second.request.outcome, YS_OUTCOME_DONE);
    }
}

static void services_are_found_by_uuid(void **state)
{
    const struct ys_uuid battery = ys_uuid_of(0x180f);
    (void)state;
    assert_int_equal(ys_client_find_service(&scripted.host, LINK, &asked.request, &battery), YS_OK);
    answer("06 0100 ffff 0028 0f18", "07 1200 1500 2000 2500");
    answer("06 2600 ffff 0028 0f18", "01 06 2600 0a");
    assert_outcome(YS_OUTCOME_DONE, 0);
    assert_int_equal(asked.found_count, 2);
    assert_int_equal(asked.found[1].handle, 0x20);
    assert_int_equal(asked.found[1].last_handle, 0x25);
}

static void a_long_value_is_read_to_its_end(void **state)
{
    static const char full[] = "0d 000102030405060708090a0b0c0d0e0f101112131415";
    uint8_t buffer[64];
    (void)state;
    assert_int_equal(ys_client_read(&scripted.host, LINK, &asked.request, 11, buffer, sizeof buffer), YS_OK);
    answer("0a 0b00", "0b 000102030405060708090a0b0c0d0e0f101112131415");
    answer("0c 0b00 1600", full);
    answer("0c 0b00 2c00", "0d aabb");
    assert_outcome(YS_OUTCOME_DONE, 0);
    assert_int_equal(asked.request.length, 46);
    assert_hex(buffer + 44, 2, "aabb");
    /* a value of exactly one answer: the server says that there is no more */
    setup(NULL);
    assert_int_equal(ys_client_read(&scripted.host, LINK, &asked.request, 11, buffer, sizeof buffer), YS_OK);
    answer("0a 0b00", "0b 000102030405060708090a0b0c0d0e0f101112131415");
    answer("0c 0b00 1600", "01 0c 0b00 0b");
    assert_outcome(YS_OUTCOME_DONE, 0);
    assert_int_equal(asked.request.length, 22);
}

static void a_value_longer_than_the_buffer_is_said_to_be(void **state)
{
    uint8_t buffer[4] = {0, 0, 0, 0x77};
    (void)state;
    assert_int_equal(ys_client_read(&scripted.host, LINK, &asked.request, 11, buffer, 3), YS_OK);
    answer("0a 0b00", "0b 01020304");
    assert_outcome(YS_OUTCOME_TOO_LONG, 0);
    assert_int_equal(asked.request.length, 3);
    assert_hex(buffer, 4, "010203 77");
}

static void refusals_carry_the_servers_error(void **state)
{
    static const uint8_t value[] = {0xc4, 0x09};
    (void)state;
    assert_int_equal(ys_client_write(&scripted.host, LINK, &asked.request, 12, value, 2), YS_OK);
    answer("12 0c00 c409", "01 12 0c00 ff");
    assert_outcome(YS_OUTCOME_REFUSED, YS_ATT_OUT_OF_RANGE);
    setup(NULL);
    assert_int_equal(ys_client_read(&scripted.host, LINK, &asked.request, 15, values, 2), YS_OK);
    answer("0a 0f00", "01 0a 0f00 05");
    assert_outcome(YS_OUTCOME_REFUSED, YS_ATT_INSUFFICIENT_AUTHENTICATION);
}

static void values_are_read_by_uuid_and_written(void **state)
{
    static const uint8_t value[] = {0xa4, 0x01};
    const struct ys_uuid name = ys_uuid_of(0x2a00);
    uint8_t buffer[8];
    (void)state;
    assert_int_equal(ys_client_read_by_uuid(&scripted.host, LINK, &asked.request, &name, 1, 5, buffer, 8), YS_OK);
    answer("08 0100 0500 002a", "09 06 0300 79617264");
    assert_outcome(YS_OUTCOME_DONE, 0);
    assert_hex(buffer, asked.request.length, "79617264");
    assert_int_equal(ys_client_write(&scripted.host, LINK, &asked.request, 12, value, 2), YS_OK);
    answer("12 0c00 a401", "13");
    assert_int_equal(asked.request.outcome, YS_OUTCOME_DONE);
    assert_int_equal(ys_client_subscribe(&scripted.host, LINK, &asked.request, 9, YS_SUBSCRIBE_INDICATIONS), YS_OK);
    answer("12 0900 0200", "13");
    assert_int_equal(asked.done, 3);
    assert_int_equal(ys_client_write_command(&scripted.host, LINK, &asked.request, 12, value, 2), YS_OK);
    (void)turn(&scripted);
    assert_att(&scripted, LINK, "52 0c00 a401");
    assert_int_equal(asked.done, 4); /* there is nothing to wait for */
}

static void requests_wait_for_their_turn(void **state)
{
    (void)state;
    assert_int_equal(ys_client_read(&scripted.host, LINK, &asked.request, 3, values, 1), YS_OK);
    assert_int_equal(ys_client_read(&scripted.host, LINK, &asked.request, 3, values, 1), YS_ERROR_BUSY);
    assert_int_equal(ys_client_read(&scripted.host, LINK, &second.request, 5, values, 1), YS_OK);
    answer("0a 0300", "0b 01");
    assert_outcome(YS_OUTCOME_DONE, 0);
    answer("0a 0500", "0b 02");
    assert_int_equal(second.done, 1);
    give_att(&scripted, LINK, "0b 03"); /* nobody asked */
    assert_int_equal(asked.done + second.done, 2);
}

static void requests_that_make_no_sense_are_refused(void **state)
{
    struct ys_client_request nameless = {.on_done = NULL};
    struct ys_uuid short_uuid = {.length = 4};
    (void)state;
    second.request.on_item = NULL;
    assert_int_equal(ys_client_read(&scripted.host, LINK, &nameless, 3, values, 1), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_client_read(&scripted.host, LINK, NULL, 3, values, 1), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_client_read(&scripted.host, LINK, &asked.request, 3, NULL, 1), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_client_discover(&scripted.host, LINK, &second.request), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_client_find_service(&scripted.host, LINK, &asked.request, &short_uuid), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_client_write(&scripted.host, LINK, &asked.request, 3, values, 21), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_client_write(&scripted.host, LINK + 1, &asked.request, 3, values, 2), YS_ERROR_NO_CONNECTION);
    assert_int_equal(ys_client_read(&scripted.host, LINK + 1, &asked.request, 3, values, 2), YS_ERROR_NO_CONNECTION);
    assert_int_equal(ys_client_exchange_mtu(&scripted.host, LINK + 1, &asked.request), YS_ERROR_NO_CONNECTION);
    (void)turn(&scripted);
    assert_sent(&scripted, "");
}

static void a_server_that_is_silent_is_left_after_30_s(void **state)
{
    (void)state;
    assert_int_equal(ys_client_read(&scripted.host, LINK, &asked.request, 3, values, 1), YS_OK);
    assert_int_equal(ys_client_read(&scripted.host, LINK, &second.request, 3, values, 1), YS_OK);
    assert_int_equal(turn(&scripted), 30000);
    assert_att(&scripted, LINK, "0a 0300");
    scripted.now_ms += 29999;
    assert_int_equal(turn(&scripted), 1);
    assert_int_equal(asked.done, 0);
    scripted.now_ms += 1;
    (void)turn(&scripted);
    assert_outcome(YS_OUTCOME_TIMEOUT, 0);
    assert_int_equal(second.request.outcome, YS_OUTCOME_TIMEOUT);
    assert_sent(&scripted, "01 0604 03 4000 13");
    assert_int_equal(ys_client_read(&scripted.host, LINK, &asked.request, 3, values, 1), YS_ERROR_NO_CONNECTION);
}

static void what_waits_is_told_when_the_connection_ends(void **state)
{
    (void)state;
    assert_int_equal(ys_client_read(&scripted.host, LINK, &asked.request, 3, values, 1), YS_OK);
    assert_int_equal(ys_client_read(&scripted.host, LINK, &second.request, 3, values, 1), YS_OK);
    (void)turn(&scripted);
    give(&scripted, "04 05 04 00 4000 08");
    assert_outcome(YS_OUTCOME_DISCONNECTED, 0);
    assert_int_equal(second.request.outcome, YS_OUTCOME_DISCONNECTED);
}

static void values_that_are_sent_are_told_and_indications_confirmed(void **state)
{
    (void)state;
    give_att(&scripted, LINK, "1b 0900 2a00");
    const struct ys_event *event = last_event(&scripted, YS_EVENT_NOTIFICATION);
    assert_int_equal(event->u.notification.handle, 9);
    assert_int_equal(event->u.notification.kind, YS_BY_NOTIFICATION);
    assert_hex(event->u.notification.value, event->u.notification.length, "2a00");
    assert_sent(&scripted, "");
    give_att(&scripted, LINK, "1d 0e00 01");
    assert_int_equal(last_event(&scripted, YS_EVENT_NOTIFICATION)->u.notification.kind, YS_BY_INDICATION);
    assert_att(&scripted, LINK, "1e");
}

/* As server: notifications */

static void a_change_is_sent_to_who_subscribed_with_the_newest_value(void **state)
{
    (void)state;
    connect_it(&scripted, LINK + 1, 1);
    forget_sent(&scripted);
    ys_host_changed(&scripted.host, 8);
    (void)turn(&scripted);
    assert_sent(&scripted, ""); /* nobody asked for it */
    assert_false(ys_host_is_subscribed(&scripted.host, 8));
    give_att(&scripted, LINK + 1, "12 0900 0100");
    assert_att(&scripted, LINK + 1, "13");
    assert_true(last_event(&scripted, YS_EVENT_SUBSCRIPTION)->u.subscription.notifications);
    assert_true(ys_host_is_subscribed(&scripted.host, 8));
    assert_sent(&scripted, ""); /* an older change is no reason */
    ys_host_changed(&scripted.host, 8);
    sample.number = 0x5678;
    ys_host_changed(&scripted.host, 8);
    assert_sent(&scripted, ""); /* nothing happens in the interrupt itself */
    (void)turn(&scripted);
    assert_att(&scripted, LINK + 1, "1b 0800 7856");
    (void)turn(&scripted);
    assert_sent(&scripted, "");
    give_att(&scripted, LINK + 1, "12 0900 0000");
    assert_att(&scripted, LINK + 1, "13");
    ys_host_changed(&scripted.host, 8);
    (void)turn(&scripted);
    assert_sent(&scripted, "");
}

static void handles_that_cannot_notify_are_ignored(void **state)
{
    static const uint16_t handles[] = {0, 1, 3, 7, 9, 13, 22, 0xffff};
    (void)state;
    for (size_t i = 0; i < COUNT(handles); i++) {
        ys_host_changed(&scripted.host, handles[i]);
        assert_false(ys_host_is_subscribed(&scripted.host, handles[i]));
    }
    assert_int_equal(turn(&scripted), YS_FOREVER);
    assert_sent(&scripted, "");
}

static void the_spacing_is_kept_and_the_last_value_is_not_lost(void **state)
{
    (void)state;
    give_att(&scripted, LINK, "12 1500 0100");
    assert_att(&scripted, LINK, "13");
    ys_host_changed(&scripted.host, 20);
    (void)turn(&scripted);
    assert_att(&scripted, LINK, "1b 1400 57");
    scripted.now_ms += 30;
    sample.battery = 86;
    ys_host_changed(&scripted.host, 20);
    assert_int_equal(turn(&scripted), 70);
    assert_sent(&scripted, "");
    scripted.now_ms += 69;
    sample.battery = 85;
    ys_host_changed(&scripted.host, 20);
    assert_int_equal(turn(&scripted), 1);
    assert_sent(&scripted, "");
    scripted.now_ms += 1;
    uint32_t wait = turn(&scripted);
    assert_att(&scripted, LINK, "1b 1400 55");
    for (int i = 0; i < 3 && wait != YS_FOREVER; i++) { /* a long quiet time, over the clock's wrap */
        scripted.now_ms += wait;
        wait = turn(&scripted);
    }
    assert_int_equal(wait, YS_FOREVER);
    scripted.now_ms += 0x90000000;
    ys_host_changed(&scripted.host, 20);
    (void)turn(&scripted);
    assert_att(&scripted, LINK, "1b 1400 55");
}

static void a_change_waits_for_a_buffer_and_then_sends_the_newest(void **state)
{
    (void)state;
    setup(NULL);
    for (int i = 0; i < 8; i++) { /* eight answers, and no buffer comes back */
        give_att(&scripted, LINK, "12 0900 0100");
        assert_att(&scripted, LINK, "13");
    }
    ys_host_changed(&scripted.host, 8);
    (void)turn(&scripted);
    sample.number = 0x0009;
    assert_sent(&scripted, "");
    give_buffers(&scripted, LINK, 1);
    assert_att(&scripted, LINK, "1b 0800 0900");
}

static void what_was_pending_is_not_sent_after_unsubscribing(void **state)
{
    (void)state;
    for (int i = 0; i < 7; i++) {
        give_att(&scripted, LINK, "12 0900 0100");
        assert_att(&scripted, LINK, "13");
    }
    give_att(&scripted, LINK, "0a 0300");
    forget_sent(&scripted); /* all eight are in use */
    ys_host_changed(&scripted.host, 8);
    (void)turn(&scripted);
    give_att(&scripted, LINK, "12 0900 0000"); /* is done, though its answer waits */
    give_buffers(&scripted, LINK, 8);
    assert_att(&scripted, LINK, "13");
    assert_int_equal(sample.reads, 0);
}

static void a_value_is_cut_to_the_mtu_and_an_error_sends_nothing(void **state)
{
    (void)state;
    give_att(&scripted, LINK, "12 0900 0100");
    assert_att(&scripted, LINK, "13");
    sample.read_error = YS_ATT_UNLIKELY_ERROR;
    ys_host_changed(&scripted.host, 8);
    (void)turn(&scripted);
    assert_sent(&scripted, "");
    sample.read_error = YS_ATT_OK;
    ys_host_changed(&scripted.host, 8);
    (void)turn(&scripted);
    assert_att(&scripted, LINK, "1b 0800 3412");
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test_setup(the_mtu_is_asked_for_once, setup),
        cmocka_unit_test_setup(everything_is_discovered_in_three_rounds, setup),
        cmocka_unit_test_setup(a_discovery_that_is_led_astray_ends, setup),
        cmocka_unit_test_setup(services_are_found_by_uuid, setup),
        cmocka_unit_test_setup(a_long_value_is_read_to_its_end, setup),
        cmocka_unit_test_setup(a_value_longer_than_the_buffer_is_said_to_be, setup),
        cmocka_unit_test_setup(refusals_carry_the_servers_error, setup),
        cmocka_unit_test_setup(values_are_read_by_uuid_and_written, setup),
        cmocka_unit_test_setup(requests_wait_for_their_turn, setup),
        cmocka_unit_test_setup(requests_that_make_no_sense_are_refused, setup),
        cmocka_unit_test_setup(a_server_that_is_silent_is_left_after_30_s, setup),
        cmocka_unit_test_setup(what_waits_is_told_when_the_connection_ends, setup),
        cmocka_unit_test_setup(values_that_are_sent_are_told_and_indications_confirmed, setup),
        cmocka_unit_test_setup(a_change_is_sent_to_who_subscribed_with_the_newest_value, setup),
        cmocka_unit_test_setup(handles_that_cannot_notify_are_ignored, setup),
        cmocka_unit_test_setup(the_spacing_is_kept_and_the_last_value_is_not_lost, setup),
        cmocka_unit_test_setup(a_change_waits_for_a_buffer_and_then_sends_the_newest, setup),
        cmocka_unit_test_setup(what_was_pending_is_not_sent_after_unsubscribing, setup),
        cmocka_unit_test_setup(a_value_is_cut_to_the_mtu_and_an_error_sends_nothing, setup),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
