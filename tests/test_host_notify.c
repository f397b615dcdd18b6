/* Notifications: who is sent what, and when. */
#include "support/check.h"

#include <string.h>

#include "support/hex.h"
#include "support/sample.h"
#include "support/scripted.h"

#define LINK 0x0040

static struct scripted scripted;
static uint8_t values[SAMPLE_VALUES_SIZE];
static struct sample sample;

static int setup(void **state)
{
    (void)state;
    sample = (struct sample){.number = 0x1234, .battery = 87};
    scripted_init(&scripted, &sample_table, values, &sample);
    scripted_start(&scripted, 251, 8);
    connect_it(&scripted, LINK, 0);
    forget_sent(&scripted);
    return 0;
}

/* Vol 3 Part F 3.4.7.1. */
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

/* Two are subscribed, and each is sent something of its own. */
static void one_connection_is_told_what_the_others_are_not(void **state)
{
    (void)state;
    connect_it(&scripted, LINK + 1, 1);
    give_att(&scripted, LINK, "12 1500 0100");
    give_att(&scripted, LINK + 1, "12 1500 0100");
    give_att(&scripted, LINK + 1, "12 0900 0100");
    forget_sent(&scripted);
    give_buffers(&scripted, LINK, 1);
    give_buffers(&scripted, LINK + 1, 2);
    assert_true(ys_host_is_subscribed_on(&scripted.host, LINK + 1, 8));
    assert_false(ys_host_is_subscribed_on(&scripted.host, LINK, 8));
    assert_true(ys_host_is_subscribed_on(&scripted.host, LINK, 20));
    assert_false(ys_host_is_subscribed_on(&scripted.host, LINK + 2, 20));
    assert_false(ys_host_is_subscribed_on(&scripted.host, LINK, 21));
    assert_int_equal(ys_host_notify(&scripted.host, LINK + 2, 20), YS_ERROR_NO_CONNECTION);
    assert_int_equal(ys_host_notify(&scripted.host, LINK, 8), YS_ERROR_NOT_SUBSCRIBED);
    assert_int_equal(ys_host_notify(&scripted.host, LINK, 21), YS_ERROR_NOT_SUBSCRIBED);
    assert_int_equal(ys_host_notify(&scripted.host, LINK, 0xffff), YS_ERROR_NOT_SUBSCRIBED);
    assert_int_equal(ys_host_notify(&scripted.host, LINK, 20), YS_OK);
    assert_sent(&scripted, ""); /* as soon as the host is turned */
    (void)turn(&scripted);
    assert_att(&scripted, LINK, "1b 1400 57");
    assert_sent(&scripted, "");
    /* its spacing is 100 ms, whoever is told */
    assert_int_equal(ys_host_notify(&scripted.host, LINK + 1, 20), YS_ERROR_BUSY);
    ys_host_changed(&scripted.host, 20);
    assert_int_equal(turn(&scripted), 100);
    scripted.now_ms += 100;
    (void)turn(&scripted);
    assert_int_equal(scripted.sent_count, 2); /* both are told */
    forget_sent(&scripted);
    scripted.now_ms += 100;
    assert_int_equal(ys_host_notify(&scripted.host, LINK + 1, 20), YS_OK);
    (void)turn(&scripted);
    assert_att(&scripted, LINK + 1, "1b 1400 57");
    /* without a spacing nothing holds it back */
    for (int i = 0; i < 2; i++) {
        assert_int_equal(ys_host_notify(&scripted.host, LINK + 1, 8), YS_OK);
        (void)turn(&scripted);
        assert_att(&scripted, LINK + 1, "1b 0800 3412");
        assert_int_equal(sample.last.connection, LINK + 1);
    }
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

/* Vol 3 Part F 3.4.7.1. */
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
        cmocka_unit_test_setup(a_change_is_sent_to_who_subscribed_with_the_newest_value, setup),
        cmocka_unit_test_setup(one_connection_is_told_what_the_others_are_not, setup),
        cmocka_unit_test_setup(handles_that_cannot_notify_are_ignored, setup),
        cmocka_unit_test_setup(the_spacing_is_kept_and_the_last_value_is_not_lost, setup),
        cmocka_unit_test_setup(a_change_waits_for_a_buffer_and_then_sends_the_newest, setup),
        cmocka_unit_test_setup(what_was_pending_is_not_sent_after_unsubscribing, setup),
        cmocka_unit_test_setup(a_value_is_cut_to_the_mtu_and_an_error_sends_nothing, setup),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
