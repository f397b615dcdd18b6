/* Streams, and what may be called while the host runs: through a scripted controller, and with a thread that hammers.
 */
#include "support/check.h"

#include <pthread.h>
#include <stdio.h>
#include <string.h>

#include "support/hex.h"
#include "support/scripted.h"
#include "wire/att.h"
#include "wire/hci.h"

#define LINK 0x0040

/*  1 service (1 to 7)   2 characteristic, notify   3 value, a stream   4 client configuration
 *                       5 characteristic, notify   6 value, a handler  7 client configuration */

static uint8_t give_count(const struct ys_access *access, struct ys_writer *value)
{
    ys_put_u32(value, __atomic_load_n((const uint32_t *)access->context, __ATOMIC_ACQUIRE));
    return YS_ATT_OK;
}

static const struct ys_value values[] = {{NULL, NULL, NULL, 0, YS_NONE, 0}, {give_count, NULL, NULL, 0, YS_NONE, 1}};

#define READ YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_NONE, YS_RIGHT_NONE)
#define BOTH YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_OPEN, YS_RIGHT_NONE)
#define SENT YS_RIGHTS(YS_RIGHT_NONE, YS_RIGHT_NONE, YS_RIGHT_OPEN)

static const struct ys_attribute attributes[] = {
    {0x1815, YS_ATTRIBUTE_SERVICE, 0, READ, 7, NULL},       {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x10, READ, 5, NULL},
    {0x2a01, YS_ATTRIBUTE_VALUE, 0, SENT, 512, &values[0]}, {0, YS_ATTRIBUTE_CONFIGURATION, 0, BOTH, 2, NULL},
    {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x10, READ, 5, NULL},  {0x2a02, YS_ATTRIBUTE_VALUE, 0, SENT, 4, &values[1]},
    {1, YS_ATTRIBUTE_CONFIGURATION, 0, BOTH, 2, NULL},
};
static const struct ys_notifiable notifiables[] = {{3, 0}, {6, 0}};
static const struct ys_table table = {attributes, NULL, notifiables, NULL, 7, 2, 0, 0};

static struct scripted scripted;
static struct ys_stream stream;
static uint8_t memory[41]; /* 40 bytes wait at most */
static uint32_t count;

static int setup(void **state)
{
    (void)state;
    count = 0;
    stream = (struct ys_stream){.size = 0};
    scripted_init(&scripted, &table, NULL, &count);
    scripted_start(&scripted, 251, 8);
    assert_int_equal(ys_stream_open(&scripted.host, &stream, 3, memory, sizeof memory), YS_OK);
    connect_it(&scripted, LINK, 1);
    forget_sent(&scripted);
    return 0;
}

static void exchange_on(uint16_t link, const char *request, const char *response)
{
    give_att(&scripted, link, request);
    assert_att(&scripted, link, response);
    give_buffers(&scripted, link, 1);
}

static void what_is_appended_is_notified_in_full_packets(void **state)
{
    (void)state;
    exchange_on(LINK, "12 0400 0100", "13");
    assert_true(ys_stream_append(&stream, "abc", 3));
    (void)turn(&scripted);
    assert_att(&scripted, LINK, "1b 0300 616263"); /* nothing is on its way: it goes at once */
    assert_true(ys_stream_append(&stream, "0123456789", 10));
    (void)turn(&scripted);
    assert_sent(&scripted, ""); /* the link is busy, and there is room in the next packet */
    assert_true(ys_stream_append(&stream, "0123456789x", 11));
    (void)turn(&scripted);
    assert_att(&scripted, LINK, "1b 0300 30313233343536373839 30313233343536373839"); /* MTU - 3 */
    give_buffers(&scripted, LINK, 2);
    assert_att(&scripted, LINK, "1b 0300 78");
}

/* Vol 3 Part F 3.2.9: a value has 512 bytes at the most, however large the MTU is. */
static void a_notification_of_a_stream_is_no_longer_than_a_value_may_be(void **state)
{
    static uint8_t long_memory[1101];
    static const uint8_t bytes[1100] = {1};
    struct ys_stream other;
    (void)state;
    if (YS_MTU < 517)
        return;
    assert_int_equal(ys_stream_open(&scripted.host, &other, 6, long_memory, sizeof long_memory), YS_OK);
    exchange_on(LINK, "12 0700 0100", "13");
    scripted.host.mtu = 517;
    exchange_on(LINK, "02 0502", "03 0502");
    assert_true(ys_stream_append(&other, bytes, sizeof bytes));
    size_t frames = 0;
    while (turn(&scripted), scripted.sent_count > 0) {
        uint16_t pieces = (uint16_t)scripted.sent_count;
        for (size_t i = 0; i < pieces; i++) {
            struct ys_reader reader = ys_reader_of(scripted.sent[i], scripted.sent_length[i]);
            struct ys_hci_data data;
            (void)ys_get_u8(&reader);
            ys_get_hci_data(&reader, &data);
            if (data.boundary == YS_HCI_FIRST_TO_CONTROLLER)
                assert_int_equal(ys_get_u16(&reader), 3 + (frames++ < 2 ? 512 : 76));
        }
        forget_sent(&scripted);
        give_buffers(&scripted, LINK, pieces);
    }
    assert_int_equal(frames, 3);
}

static void what_does_not_fit_is_refused_and_counted(void **state)
{
    static const uint8_t bytes[41] = "0123456789012345678901234567890123456789";
    (void)state;
    exchange_on(LINK, "12 0400 0100", "13");
    assert_int_equal(ys_stream_room(&stream), 40);
    assert_false(ys_stream_append(&stream, bytes, 41));
    assert_int_equal(ys_stream_refused(&stream), 41);
    assert_true(ys_stream_append(&stream, bytes, 39));
    assert_false(ys_stream_append(&stream, bytes, 2)); /* all or nothing */
    assert_true(ys_stream_append(&stream, bytes, 1));
    assert_true(ys_stream_append(&stream, bytes, 0));
    assert_int_equal(ys_stream_room(&stream), 0);
    assert_int_equal(ys_stream_refused(&stream), 43);
    (void)turn(&scripted); /* two full packets */
    assert_sent(&scripted, "02 4000 1b00 1700 0400 1b 0300 3031323334353637383930313233343536373839 |"
                           "02 4000 1b00 1700 0400 1b 0300 3031323334353637383930313233343536373830");
    assert_int_equal(ys_stream_room(&stream), 40);
    struct ys_stream closed = {.size = 0};
    assert_false(ys_stream_append(&closed, bytes, 1));
    assert_int_equal(ys_stream_open(&scripted.host, &closed, 2, memory, 8), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_stream_open(&scripted.host, &closed, 3, memory, 1), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_stream_open(&scripted.host, &stream, 3, memory, 8), YS_OK); /* it is open already */
    assert_int_equal(ys_stream_room(&stream), 40);
}

static void a_stream_has_one_subscriber_and_waits_for_the_next(void **state)
{
    (void)state;
    connect_it(&scripted, LINK + 1, 1);
    forget_sent(&scripted);
    exchange_on(LINK, "12 0400 0100", "13");
    exchange_on(LINK + 1, "12 0400 0100", "01 12 0400 11");
    exchange_on(LINK + 1, "12 0400 0000", "13");
    exchange_on(LINK + 1, "12 0700 0100", "13"); /* others may have as many as like */
    exchange_on(LINK, "12 0700 0100", "13");
    exchange_on(LINK, "12 0400 0000", "13");
    assert_true(ys_stream_append(&stream, "abc", 3));
    (void)turn(&scripted);
    assert_sent(&scripted, ""); /* nobody wants it now */
    exchange_on(LINK + 1, "12 0400 0100", "13");
    assert_att(&scripted, LINK + 1, "1b 0300 616263");
    give(&scripted, "04 05 04 00 4100 13");
    assert_true(ys_stream_append(&stream, "d", 1));
    exchange_on(LINK, "12 0400 0100", "13");
    assert_att(&scripted, LINK, "1b 0300 64");
}

static void a_stream_waits_while_the_controller_is_full(void **state)
{
    (void)state;
    exchange_on(LINK, "02 f700", "03 f700");
    exchange_on(LINK, "12 0400 0100", "13");
    for (int i = 0; i < 12; i++) { /* 8 buffers: each packet that goes alone takes one */
        assert_true(ys_stream_append(&stream, "xyz", 3));
        (void)turn(&scripted);
    }
    assert_int_equal(scripted.sent_count, 1);
    forget_sent(&scripted);
    give_buffers(&scripted, LINK, 1);
    assert_att(&scripted, LINK,
               "1b 0300 78797a78797a78797a78797a78797a78797a78797a78797a78797a78797a78797a"); /* all that waited */
}

static void a_peer_that_does_not_acknowledge_costs_only_itself(void **state)
{
    (void)state;
    connect_it(&scripted, LINK + 1, 1);
    forget_sent(&scripted);
    exchange_on(LINK, "12 0400 0100", "13");
    exchange_on(LINK + 1, "12 0700 0100", "13");
    for (int i = 0; i < 20; i++) { /* nothing of it is ever acknowledged */
        (void)ys_stream_append(&stream, "01234567890123456789", 20);
        (void)turn(&scripted);
    }
    assert_int_equal(scripted.sent_count, 4); /* its share of the eight buffers */
    forget_sent(&scripted);
    for (uint32_t i = 1; i <= 20; i++) { /* the other is told of each value at once */
        char expected[32];
        count = i;
        ys_host_changed(&scripted.host, 6);
        (void)turn(&scripted);
        (void)snprintf(expected, sizeof expected, "1b 0600 %02x000000", i);
        assert_att(&scripted, LINK + 1, expected);
        give_buffers(&scripted, LINK + 1, 1);
    }
    give(&scripted, "04 05 04 00 4000 08"); /* and when the silent one is given up, its buffers are free */
    give_att(&scripted, LINK + 1, "12 0400 0100");
    assert_sent(&scripted, "02 4100 0500 0100 0400 13 |"
                           "02 4100 1b00 1700 0400 1b 0300 3031323334353637383930313233343536373839 |"
                           "02 4100 1b00 1700 0400 1b 0300 3031323334353637383930313233343536373839");
}

static void a_flood_from_one_peer_does_not_hold_up_another(void **state)
{
    (void)state;
    connect_it(&scripted, LINK + 1, 1);
    forget_sent(&scripted);
    exchange_on(LINK + 1, "12 0700 0100", "13");
    for (int i = 0; i < 40; i++)
        leave_packet(&scripted, "02 4020 0800 0400 0400 52 0600 00");
    ys_host_changed(&scripted.host, 6);
    assert_int_equal(turn(&scripted), 0); /* there is more to do, but first: */
    assert_att(&scripted, LINK + 1, "1b 0600 00000000");
    assert_in_range(scripted.waiting - scripted.given, 1, 39);
    for (int i = 0; i < 10; i++)
        (void)turn(&scripted);
    assert_int_equal(scripted.waiting, 0); /* all are taken */
}

/* A thread that appends and changes as fast as it can, while the host runs: no byte is lost, doubled or out of order,
 * and the last value comes. */

#define TOTAL 200000u

static pthread_mutex_t critical = PTHREAD_MUTEX_INITIALIZER;
static unsigned completed;  /* packets that the controller has sent, and not told of yet */
static uint32_t received;   /* bytes of the stream */
static uint32_t last_count; /* notified */
static unsigned out_of_order;

static void enter(void *context)
{
    (void)context;
    (void)pthread_mutex_lock(&critical);
}

static void leave(void *context)
{
    (void)context;
    (void)pthread_mutex_unlock(&critical);
}

static void wake(void *context)
{
    (void)context;
}

static void send(void *context, const uint8_t *packet, size_t length)
{
    struct ys_reader reader = ys_reader_of(packet, length);
    (void)context;
    (void)ys_get_bytes(&reader, 5 + 4); /* headers of the packet and of L2CAP */
    uint8_t opcode = ys_get_u8(&reader);
    uint16_t handle = ys_get_u16(&reader);
    completed++;
    if (opcode == YS_ATT_NOTIFICATION && handle == 6)
        last_count = ys_get_u32(&reader);
    while (opcode == YS_ATT_NOTIFICATION && handle == 3 && ys_reader_left(&reader) > 0)
        out_of_order += ys_get_u8(&reader) != (uint8_t)(received++ * 7 % 251);
}

static const uint8_t *receive(void *context, size_t *length)
{
    static uint8_t event[] = {0x04, 0x13, 0x05, 0x01, LINK, 0x00, 0x00, 0x00};
    (void)context;
    if (completed == 0)
        return NULL;
    event[6] = (uint8_t)completed;
    completed = 0;
    *length = sizeof event;
    return event;
}

static void *hammer(void *argument)
{
    uint32_t sent = 0;
    (void)argument;
    while (sent < TOTAL) {
        uint8_t record[13];
        uint32_t length = 1 + sent % sizeof record;
        length = length < TOTAL - sent ? length : TOTAL - sent;
        for (uint32_t i = 0; i < length; i++)
            record[i] = (uint8_t)((sent + i) * 7 % 251);
        if (ys_stream_append(&stream, record, length)) {
            sent += length;
            __atomic_store_n(&count, sent, __ATOMIC_RELEASE);
        }
        ys_host_changed(&scripted.host, 6);
    }
    return NULL;
}

static void a_thread_may_append_and_change_while_the_host_runs(void **state)
{
    pthread_t thread;
    (void)state;
    exchange_on(LINK, "12 0400 0100", "13");
    exchange_on(LINK, "12 0700 0100", "13");
    give_buffers(&scripted, LINK, 8);
    scripted.port.enter_critical = enter;
    scripted.port.leave_critical = leave;
    scripted.port.wake = wake;
    scripted.port.send = send;
    scripted.port.receive = receive;
    assert_int_equal(pthread_create(&thread, NULL, hammer, NULL), 0);
    while (received < TOTAL)
        (void)ys_host_run(&scripted.host);
    assert_int_equal(pthread_join(thread, NULL), 0);
    for (int i = 0; i < 4; i++)
        (void)ys_host_run(&scripted.host);
    assert_int_equal(received, TOTAL);
    assert_int_equal(out_of_order, 0);
    assert_int_equal(last_count, TOTAL);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test_setup(what_is_appended_is_notified_in_full_packets, setup),
        cmocka_unit_test_setup(a_notification_of_a_stream_is_no_longer_than_a_value_may_be, setup),
        cmocka_unit_test_setup(what_does_not_fit_is_refused_and_counted, setup),
        cmocka_unit_test_setup(a_stream_has_one_subscriber_and_waits_for_the_next, setup),
        cmocka_unit_test_setup(a_stream_waits_while_the_controller_is_full, setup),
        cmocka_unit_test_setup(a_peer_that_does_not_acknowledge_costs_only_itself, setup),
        cmocka_unit_test_setup(a_flood_from_one_peer_does_not_hold_up_another, setup),
        cmocka_unit_test_setup(a_thread_may_append_and_change_while_the_host_runs, setup),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
