/* Outboxes and receipts, through a scripted controller. */
#include "support/check.h"

#include <string.h>
#include <yarnswift/outbox.h>

#include "support/scripted.h"

#define LINK  0x0040
#define OTHER 0x0041

/*  1 service (1 to 7)   2 characteristic, notify, indicate   3 value, an outbox   4 client configuration
 *                       5 characteristic, notify, indicate   6 value, a handler   7 client configuration */

static uint8_t give_a(const struct ys_access *access, struct ys_writer *value)
{
    (void)access;
    ys_put_bytes(value, "a", 1);
    return YS_ATT_OK;
}

static const struct ys_value values[] = {{NULL, NULL, NULL, 0, YS_NONE, 0}, {give_a, NULL, NULL, 0, YS_NONE, 1}};

#define READ YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_NONE, YS_RIGHT_NONE)
#define BOTH YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_OPEN, YS_RIGHT_NONE)
#define SENT YS_RIGHTS(YS_RIGHT_NONE, YS_RIGHT_NONE, YS_RIGHT_OPEN)

static const struct ys_attribute attributes[] = {
    {0x1815, YS_ATTRIBUTE_SERVICE, 0, READ, 7, NULL},       {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x30, READ, 5, NULL},
    {0x2a01, YS_ATTRIBUTE_VALUE, 0, SENT, 512, &values[0]}, {0, YS_ATTRIBUTE_CONFIGURATION, 0, BOTH, 2, NULL},
    {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x30, READ, 5, NULL},  {0x2a02, YS_ATTRIBUTE_VALUE, 0, SENT, 4, &values[1]},
    {1, YS_ATTRIBUTE_CONFIGURATION, 0, BOTH, 2, NULL},
};
static const struct ys_notifiable notifiables[] = {{3, 0}, {6, 0}};
static const struct ys_table table = {attributes, NULL, notifiables, NULL, 7, 2, 0, 0};

static struct scripted scripted;
static struct ys_outbox outbox;
static struct ys_receipts receipts;
static struct ys_receipt receipt_memory[2];
static uint8_t memory[YS_OUTBOX_SIZE(3, 24)]; /* so that values come to lie across its end */

static void begin(uint8_t buffers)
{
    outbox = (struct ys_outbox){.unsent = 0};
    scripted_init(&scripted, &table, NULL, NULL);
    assert_int_equal(ys_host_use_receipts(&scripted.host, &receipts, receipt_memory, 2), YS_OK);
    scripted_start(&scripted, 27, buffers);
    assert_int_equal(ys_outbox_open(&scripted.host, &outbox, 3, memory, sizeof memory), YS_OK);
    connect_it(&scripted, LINK, 1);
    forget_sent(&scripted);
}

static int setup(void **state)
{
    (void)state;
    begin(8);
    return 0;
}

static void exchange(uint16_t link, const char *request, const char *response)
{
    give_att(&scripted, link, request);
    assert_att(&scripted, link, response);
    give_buffers(&scripted, link, 1);
}

static void turn_all(void)
{
    while (turn(&scripted) == 0) {
    }
}

/* What is sent after the response has waited for it. */
static void exchange_and_send(const char *request, const char *sent)
{
    give_att(&scripted, LINK, request);
    turn_all();
    assert_sent(&scripted, sent);
    give_buffers(&scripted, LINK, 1);
}

static void put(const char *text)
{
    assert_true(ys_outbox_put(&outbox, text, (uint32_t)strlen(text)));
}

static void assert_events(size_t sent, size_t arrived)
{
    assert_int_equal(count_events(&scripted, YS_EVENT_SENT), sent);
    assert_int_equal(count_events(&scripted, YS_EVENT_ARRIVED), arrived);
}

static void disconnect_it(void)
{
    give(&scripted, "04 05 04 00 4000 08");
    forget_sent(&scripted);
}

#define NOTIFIED(text) "02 4000 20 0800 0400 1b 0300 " text

/* Vol 4 Part E 7.7.19. */
static void each_value_is_sent_by_itself_and_leaves_when_its_packets_come_back(void **state)
{
    (void)state;
    put("one");
    exchange_and_send("12 0400 0100", "02 4000 0500 0100 0400 13 | 02 4000 0a00 0600 0400 1b 0300 6f6e65");
    put("2");
    put("");
    turn_all();
    assert_sent(&scripted, "02 4000 0800 0400 0400 1b 0300 32"); /* the third waits for a receipt */
    assert_events(2, 0);
    assert_int_equal(ys_outbox_room(&outbox, 20), 2);
    give_buffers(&scripted, LINK, 1);
    assert_int_equal(last_event(&scripted, YS_EVENT_ARRIVED)->u.receipt.handle, 3);
    assert_int_equal(last_event(&scripted, YS_EVENT_ARRIVED)->u.receipt.kind, YS_BY_NOTIFICATION);
    turn_all();
    assert_sent(&scripted, "02 4000 0700 0300 0400 1b 0300");
    assert_events(3, 1);
    assert_false(ys_outbox_is_empty(&outbox));
    give_buffers(&scripted, LINK, 2);
    assert_events(3, 3);
    assert_true(ys_outbox_is_empty(&outbox));
}

/* Each of two notifications takes two packets: the first has arrived with its second. */
static void a_value_of_several_packets_has_arrived_when_all_are_back(void **state)
{
    (void)state;
    scripted.host.mtu = 40;
    exchange(LINK, "12 0400 0100", "13");
    exchange(LINK, "02 2800", "03 2800");
    put("twenty-four bytes behind");
    put("twenty-four bytes behind");
    turn_all();
    assert_int_equal(scripted.sent_count, 4);
    forget_sent(&scripted);
    give_buffers(&scripted, LINK, 1);
    assert_events(2, 0);
    give_buffers(&scripted, LINK, 1);
    assert_events(2, 1);
    give_buffers(&scripted, LINK, 2);
    assert_events(2, 2);
    for (int i = 0; i < 20; i++) { /* round the memory */
        put("twenty-four bytes behind");
        turn_all();
        assert_sent(&scripted, "02 4000 1b00 1b00 0400 1b 0300 7477656e74792d666f7572206279746573206265|"
                               "02 4010 0400 68696e64");
        give_buffers(&scripted, LINK, 2);
    }
}

/* Vol 3 Part F 3.3.2. */
static void an_indicated_value_leaves_when_it_is_confirmed(void **state)
{
    (void)state;
    exchange(LINK, "12 0400 0300", "13"); /* both: by indication */
    put("1");
    put("2");
    turn_all();
    assert_sent(&scripted, "02 4000 0800 0400 0400 1d 0300 31");
    give_buffers(&scripted, LINK, 1);
    ys_host_changed(&scripted.host, 6);
    turn_all();
    assert_sent(&scripted, "");
    assert_events(1, 0);
    give_att(&scripted, LINK, "1e");
    turn_all();
    assert_sent(&scripted, "02 4000 0800 0400 0400 1d 0300 32");
    assert_events(2, 1);
    assert_int_equal(last_event(&scripted, YS_EVENT_ARRIVED)->u.receipt.kind, YS_BY_INDICATION);
    scripted.now_ms += 30000; /* the client does not confirm the second, which stays */
    turn_all();
    disconnect_it();
    assert_events(2, 1);
    assert_false(ys_outbox_is_empty(&outbox));
}

/* Another characteristic's indication lies between: what it confirms is not the outbox's. */
static void indications_of_others_take_turns(void **state)
{
    (void)state;
    exchange(LINK, "12 0400 0200", "13");
    exchange(LINK, "12 0700 0200", "13");
    ys_host_changed(&scripted.host, 6);
    turn_all();
    put("1");
    turn_all();
    assert_sent(&scripted, "02 4000 0800 0400 0400 1d 0600 61");
    give_att(&scripted, LINK, "1e");
    turn_all();
    assert_sent(&scripted, "02 4000 0800 0400 0400 1d 0300 31");
    assert_false(ys_outbox_is_empty(&outbox));
    give_att(&scripted, LINK, "1e");
    turn_all();
    assert_true(ys_outbox_is_empty(&outbox));
    assert_events(2, 2);
}

static void what_was_under_way_when_a_connection_ended_is_sent_again(void **state)
{
    (void)state;
    exchange(LINK, "12 0400 0100", "13");
    put("1");
    put("2");
    turn_all();
    forget_sent(&scripted);
    give_buffers(&scripted, LINK, 1);
    disconnect_it();
    assert_events(2, 1);
    connect_it(&scripted, LINK, 1);
    forget_sent(&scripted);
    turn_all();
    assert_sent(&scripted, ""); /* nobody is subscribed */
    exchange_and_send("12 0400 0200", "02 4000 0500 0100 0400 13 | 02 4000 0800 0400 0400 1d 0300 32");
    disconnect_it();
    connect_it(&scripted, LINK, 1);
    forget_sent(&scripted);
    exchange_and_send("12 0400 0200", "02 4000 0500 0100 0400 13 | 02 4000 0800 0400 0400 1d 0300 32");
    give_att(&scripted, LINK, "1e");
    turn_all();
    assert_true(ys_outbox_is_empty(&outbox));
    assert_events(4, 2);
}

static void one_client_at_a_time_gets_the_values(void **state)
{
    (void)state;
    if (YS_CONNECTIONS < 2)
        return;
    connect_it(&scripted, OTHER, 1);
    forget_sent(&scripted);
    exchange(LINK, "12 0400 0200", "13");
    exchange(OTHER, "12 0400 0100", "01 12 0400 11");
    put("1");
    turn_all();
    assert_sent(&scripted, "02 4000 0800 0400 0400 1d 0300 31");
    exchange(LINK, "12 0400 0000", "13");
    exchange(OTHER, "12 0400 0100", "13");
    put("2");
    turn_all();
    assert_sent(&scripted, ""); /* the first may still have arrived */
    give_att(&scripted, LINK, "1e");
    turn_all();
    assert_sent(&scripted, "02 4100 0800 0400 0400 1b 0300 32");
    give_buffers(&scripted, LINK, 1);
    assert_false(ys_outbox_is_empty(&outbox)); /* those were another's packets */
    give_buffers(&scripted, OTHER, 1);
    assert_true(ys_outbox_is_empty(&outbox));
    assert_events(2, 2);
}

static void what_does_not_fit_is_refused_and_what_is_longer_than_the_mtu_waits(void **state)
{
    static const uint8_t bytes[513] = {1};
    struct ys_outbox closed = {.unsent = 0};
    (void)state;
    exchange(LINK, "12 0400 0100", "13");
    assert_int_equal(ys_outbox_room(&outbox, 24), 3);
    assert_false(ys_outbox_put(&outbox, bytes, 513));
    assert_int_equal(ys_outbox_refused(&outbox), 0); /* it never fits */
    assert_false(ys_outbox_put(&outbox, bytes, 81));
    assert_true(ys_outbox_put(&outbox, bytes, 76));
    assert_false(ys_outbox_put(&outbox, bytes, 1));
    assert_int_equal(ys_outbox_refused(&outbox), 2);
    turn_all();
    assert_sent(&scripted, "");
    scripted.host.mtu = 79;
    give_att(&scripted, LINK, "02 4f00");
    turn_all();
    assert_int_equal(scripted.sent_count, 1 + 4);
    forget_sent(&scripted);
    give_buffers(&scripted, LINK, 1 + 4);
    assert_true(ys_outbox_is_empty(&outbox));
    assert_false(ys_outbox_put(&closed, bytes, 1));
    assert_int_equal(ys_outbox_room(&closed, 1), 0);
    assert_int_equal(ys_outbox_open(&scripted.host, &closed, 2, memory, 8), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_outbox_open(&scripted.host, &closed, 3, memory, 5), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_outbox_open(&scripted.host, &outbox, 3, memory, sizeof memory), YS_OK); /* it is open */
    assert_int_equal(ys_outbox_room(&outbox, 24), 3);
    assert_int_equal(ys_host_use_receipts(&scripted.host, &receipts, receipt_memory, 0), YS_ERROR_ARGUMENT);
}

static void no_more_is_sent_than_buffers_and_receipts_allow(void **state)
{
    (void)state;
    begin(1);
    exchange(LINK, "12 0400 0100", "13");
    exchange(LINK, "12 0700 0100", "13");
    put("1");
    put("2");
    turn_all();
    assert_sent(&scripted, "02 4000 0800 0400 0400 1b 0300 31");
    give_buffers(&scripted, LINK, 1);
    turn_all();
    assert_sent(&scripted, "02 4000 0800 0400 0400 1b 0300 32");
    give_buffers(&scripted, LINK, 1);
    assert_events(2, 2);
    ys_host_changed(&scripted.host, 6); /* a value that has no outbox has receipts, too */
    turn_all();
    assert_sent(&scripted, "02 4000 0800 0400 0400 1b 0600 61");
    assert_int_equal(last_event(&scripted, YS_EVENT_SENT)->u.receipt.handle, 6);
    assert_events(3, 2);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test_setup(each_value_is_sent_by_itself_and_leaves_when_its_packets_come_back, setup),
        cmocka_unit_test_setup(a_value_of_several_packets_has_arrived_when_all_are_back, setup),
        cmocka_unit_test_setup(an_indicated_value_leaves_when_it_is_confirmed, setup),
        cmocka_unit_test_setup(indications_of_others_take_turns, setup),
        cmocka_unit_test_setup(what_was_under_way_when_a_connection_ended_is_sent_again, setup),
        cmocka_unit_test_setup(one_client_at_a_time_gets_the_values, setup),
        cmocka_unit_test_setup(what_does_not_fit_is_refused_and_what_is_longer_than_the_mtu_waits, setup),
        cmocka_unit_test_setup(no_more_is_sent_than_buffers_and_receipts_allow, setup),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
