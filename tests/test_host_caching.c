/* Clients that keep the table: what they are told when it changes, several values in one notification, and what is
 * remembered of a client with a bond. */
#include "support/check.h"

#include <string.h>

#include <yarnswift/pairing.h>

#include "host/core/connections.h"
#include "host/gatt/server/remembered.h"
#include "support/hex.h"
#include "support/scripted.h"

#define LINK 0x0040

/*  1 service 0x1801 (1 to 8)        9 service 0x180F (9 to 18)
 *  2   characteristic, indicate    10   characteristic, read, notify
 *  3   value, service changed      11   value, 57
 *  4   client configuration        12   client configuration
 *  5   characteristic, read, write 13   characteristic, notify
 *  6   value, supported features   14   value, 01 02
 *  7   characteristic, read        15   client configuration
 *  8   value, database hash        16   characteristic, notify; 17 value, twenty bytes; 18 client configuration */

static const uint8_t zeros[4];
static const uint8_t hash[16] = "0123456789abcde";
static const uint8_t level[] = {0x57};
static const uint8_t pair[] = {1, 2};
static const uint8_t twenty[20] = "abcdefghijabcdefghi";
static const struct ys_value values[] = {
    {NULL, NULL, zeros, 4, 0, 0},      {NULL, NULL, hash, 16, YS_NONE, YS_NONE}, {NULL, NULL, level, 1, YS_NONE, 1},
    {NULL, NULL, pair, 2, YS_NONE, 2}, {NULL, NULL, twenty, 20, YS_NONE, 3},
};

#define READ YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_NONE, YS_RIGHT_NONE)
#define BOTH YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_OPEN, YS_RIGHT_NONE)
#define ALSO YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_NONE, YS_RIGHT_OPEN)
#define SENT YS_RIGHTS(YS_RIGHT_NONE, YS_RIGHT_NONE, YS_RIGHT_OPEN)

static const struct ys_attribute attributes[] = {
    {0x1801, YS_ATTRIBUTE_SERVICE, 0, READ, 8, NULL},      {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x20, READ, 5, NULL},
    {0x2a05, YS_ATTRIBUTE_VALUE, 0, SENT, 4, &values[0]},  {0, YS_ATTRIBUTE_CONFIGURATION, 0, BOTH, 2, NULL},
    {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x0a, READ, 5, NULL}, {0x2b29, YS_ATTRIBUTE_FEATURES, 0, BOTH, 1, NULL},
    {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x02, READ, 5, NULL}, {0x2b2a, YS_ATTRIBUTE_VALUE, 0, READ, 16, &values[1]},
    {0x180f, YS_ATTRIBUTE_SERVICE, 0, READ, 18, NULL},     {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x12, READ, 5, NULL},
    {0x2a19, YS_ATTRIBUTE_VALUE, 0, ALSO, 1, &values[2]},  {1, YS_ATTRIBUTE_CONFIGURATION, 0, BOTH, 2, NULL},
    {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x10, READ, 5, NULL}, {0x2a1a, YS_ATTRIBUTE_VALUE, 0, SENT, 2, &values[3]},
    {2, YS_ATTRIBUTE_CONFIGURATION, 0, BOTH, 2, NULL},     {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x10, READ, 5, NULL},
    {0x2a1b, YS_ATTRIBUTE_VALUE, 0, SENT, 20, &values[4]}, {3, YS_ATTRIBUTE_CONFIGURATION, 0, BOTH, 2, NULL},
};
static const struct ys_notifiable notifiables[] = {{3, 0}, {11, 0}, {14, 0}, {17, 0}};
static const struct ys_table table = {attributes, NULL, notifiables, NULL, 18, 4, 6, 0};

static struct scripted scripted;
static uint8_t memory[6];

static int setup(void **state)
{
    (void)state;
    scripted_init(&scripted, &table, memory, NULL);
    scripted_start(&scripted, 251, 8);
    connect_it(&scripted, LINK, 1);
    forget_sent(&scripted);
    return 0;
}

static void exchange(const char *request, const char *response)
{
    give_att(&scripted, LINK, request);
    assert_att(&scripted, LINK, response);
    give_buffers(&scripted, LINK, 8);
}

/* Vol 3 Part G 7.2. */
static void features_are_kept_for_each_connection_and_never_taken_back(void **state)
{
    (void)state;
    exchange("0a 0600", "0b 00");
    exchange("12 0600 05", "13");
    exchange("0a 0600", "0b 05");
    exchange("12 0600 04", "01 12 0600 13");
    exchange("12 0600 ff", "13"); /* what is not known is not kept */
    exchange("0a 0600", "0b 07");
    exchange("12 0600 0707", "01 12 0600 0d");
    exchange("16 0600 0000 03", "17 0600 0000 03");
    exchange("18 01", "01 18 0600 13");
    exchange("0a 0600", "0b 07");
    connect_it(&scripted, LINK + 1, 1);
    forget_sent(&scripted);
    give_att(&scripted, LINK + 1, "0a 0600");
    assert_att(&scripted, LINK + 1, "0b 00");
}

/* Vol 3 Part G 2.5.2.1, 7.1. */
static void who_subscribed_is_told_of_a_change(void **state)
{
    (void)state;
    exchange("12 0400 0200", "13");
    assert_int_equal(ys_host_services_changed(&scripted.host, 9, 18), YS_OK);
    (void)turn(&scripted);
    assert_att(&scripted, LINK, "1d 0300 0900 1200");
    exchange("0a 0b00", "0b 57"); /* without robust caching nothing is refused */
    give_att(&scripted, LINK, "1e");
    assert_int_equal(ys_host_services_changed(&scripted.host, 0, 18), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_host_services_changed(&scripted.host, 9, 8), YS_ERROR_ARGUMENT);
}

/* Vol 3 Part G 2.5.2. */
static void a_client_that_keeps_the_table_is_refused_until_it_knows(void **state)
{
    (void)state;
    exchange("12 0600 01", "13");
    exchange("12 0c00 0100", "13");
    assert_int_equal(ys_host_services_changed(&scripted.host, 9, 18), YS_OK);
    ys_host_changed(&scripted.host, 11);
    (void)turn(&scripted);
    assert_sent(&scripted, ""); /* it would not know what the value means */
    give_att(&scripted, LINK, "52 0600 07");
    exchange("0a 0b00", "01 0a 0000 12");
    give_att(&scripted, LINK, "0a 0600"); /* the command was not done; by now it knows, and what waited is sent */
    assert_sent(&scripted, "02 4000 0600 0200 0400 0b 01 | 02 4000 0800 0400 0400 1b 0b00 57");
    give_buffers(&scripted, LINK, 8);
    exchange("0a 0b00", "0b 57");
    /* by reading the hash */
    assert_int_equal(ys_host_services_changed(&scripted.host, 9, 18), YS_OK);
    exchange("08 0100 ffff 2a2b", "09 12 0800 30313233343536373839616263646500");
    exchange("0a 0b00", "0b 57");
    /* by confirming what it is told */
    exchange("12 0400 0200", "13");
    assert_int_equal(ys_host_services_changed(&scripted.host, 9, 18), YS_OK);
    (void)turn(&scripted);
    assert_att(&scripted, LINK, "1d 0300 0900 1200");
    give_buffers(&scripted, LINK, 1);
    give_att(&scripted, LINK, "1e");
    exchange("0a 0b00", "0b 57");
    /* and then values come again */
    ys_host_changed(&scripted.host, 11);
    (void)turn(&scripted);
    assert_att(&scripted, LINK, "1b 0b00 57");
}

/* What names no handles means what it meant before; and a command, which is never answered, teaches nobody anything. */
static void who_does_not_know_may_ask_what_there_is_and_is_only_told_by_requests(void **state)
{
    (void)state;
    exchange("12 0600 01", "13");
    assert_int_equal(ys_host_services_changed(&scripted.host, 9, 18), YS_OK);
    exchange("02 1700", "03 f700");
    exchange("10 0100 ffff 0028", "11 06 0100 0800 0118 0900 1200 0f18");
    exchange("08 0a00 0f00 0328", "09 07 0a00 12 0b00 192a 0d00 10 0e00 1a2a");
    exchange("04 0b00 0b00", "05 01 0b00 192a");
    exchange("06 0100 ffff 0028 0f18", "07 0900 1200");
    exchange("0c 0b00 0000", "01 0c 0000 12");
    give_att(&scripted, LINK, "52 0600 07"); /* after the error: it is ignored, and nothing more is known */
    assert_sent(&scripted, "");
    exchange("0a 0600", "0b 01");
    exchange("0a 0b00", "0b 57");
}

static void change_all(void)
{
    ys_host_changed(&scripted.host, 11);
    ys_host_changed(&scripted.host, 14);
    ys_host_changed(&scripted.host, 17);
    (void)turn(&scripted);
}

/* Vol 3 Part F 3.4.7.4. */
static void several_values_go_in_one_notification_where_the_client_takes_it(void **state)
{
    (void)state;
    exchange("12 0c00 0100", "13");
    exchange("12 0f00 0100", "13");
    exchange("12 1200 0100", "13");
    change_all();
    assert_sent(&scripted, "02 4000 0800 0400 0400 1b 0b00 57 | 02 4000 0900 0500 0400 1b 0e00 0102 |"
                           "02 4000 1b00 1700 0400 1b 1100 6162636465666768696a6162636465666768 6900");
    give_buffers(&scripted, LINK, 8);
    exchange("12 0600 04", "13");
    change_all(); /* the third does not fit with the others */
    assert_sent(&scripted, "02 4000 1000 0c00 0400 23 0b00 0100 57 0e00 0200 0102 |"
                           "02 4000 1b00 1700 0400 1b 1100 6162636465666768696a6162636465666768 6900");
    give_buffers(&scripted, LINK, 8);
    exchange("02 f700", "03 f700");
    change_all();
    assert_att(&scripted, LINK, "23 0b00 0100 57 0e00 0200 0102 1100 1400 6162636465666768696a6162636465666768 6900");
    give_buffers(&scripted, LINK, 8);
    ys_host_changed(&scripted.host, 14);
    (void)turn(&scripted);
    assert_att(&scripted, LINK, "1b 0e00 0102"); /* one alone goes as ever */
}

/* Vol 3 Part F 3.4.7.4; Vol 3 Part G 4.10.2. */
static void several_values_in_one_are_told_one_by_one(void **state)
{
    (void)state;
    give_att(&scripted, LINK, "23 0b00 0100 57 0e00 0200 0102");
    assert_int_equal(count_events(&scripted, YS_EVENT_NOTIFICATION), 2);
    assert_int_equal(last_event(&scripted, YS_EVENT_NOTIFICATION)->u.notification.handle, 14);
    assert_int_equal(last_event(&scripted, YS_EVENT_NOTIFICATION)->u.notification.length, 2);
    give_att(&scripted, LINK, "23 0b00 0900 57"); /* cut off, as the last one may be */
    assert_int_equal(last_event(&scripted, YS_EVENT_NOTIFICATION)->u.notification.length, 1);
    give_att(&scripted, LINK, "23 0b00");
    give_att(&scripted, LINK, "23");
    assert_int_equal(count_events(&scripted, YS_EVENT_NOTIFICATION), 3);
    assert_sent(&scripted, "");
}

/* what is remembered */

#define CONFIGURATION 12 /* of the level */

static struct ys_store *store;
static struct ys_attribute other_attributes[18];
static struct ys_value other_hash;
static struct ys_table other;

static int setup_store(void **state)
{
    static const uint8_t bytes[16] = "fedcba987654321";
    store = ys_store_new(1000);
    memcpy(other_attributes, attributes, sizeof other_attributes);
    other_hash = values[1];
    other_hash.bytes = bytes;
    other_attributes[7].source = &other_hash;
    other = table;
    other.attributes = other_attributes;
    (void)setup(state);
    scripted_give_store(&scripted, store);
    return 0;
}

static int teardown_store(void **state)
{
    (void)state;
    ys_store_free(store);
    return 0;
}

/* What has changed is gathered for 2 s, and then kept. */
static void wait_until_kept(void)
{
    (void)turn(&scripted);
    scripted.now_ms += 2000;
    (void)turn(&scripted);
}

/* The device loses its power, and the client comes back. */
static void come_back(const struct ys_table *with)
{
    wait_until_kept();
    scripted_init(&scripted, with, memory, NULL);
    scripted_give_store(&scripted, store);
    scripted_start(&scripted, 251, 8);
    connect_it(&scripted, LINK, 1);
    forget_sent(&scripted);
}

/* As pairing will do it, once the link is encrypted with the key of this bond. */
static void recognise(uint8_t peer)
{
    ys_remembered_use(&scripted.host);
    ys_remembered_load(&scripted.host, ys_connection_find(&scripted.host, LINK), peer);
    (void)turn(&scripted);
}

static bool gets_the_level(void)
{
    forget_sent(&scripted);
    ys_host_changed(&scripted.host, 11);
    (void)turn(&scripted);
    bool got = scripted.sent_count > 0;
    forget_sent(&scripted);
    give_buffers(&scripted, LINK, 8);
    return got;
}

static void a_remembered_client_is_subscribed_again_once_it_is_recognised(void **state)
{
    (void)state;
    recognise(1);
    exchange("12 0c00 0100", "13");
    exchange("12 0600 05", "13");
    come_back(&table);
    exchange("0a 0c00", "0b 0000");
    assert_false(gets_the_level());
    recognise(1);
    assert_int_equal(last_event(&scripted, YS_EVENT_SUBSCRIPTION)->u.subscription.handle, 11);
    exchange("0a 0c00", "0b 0100");
    exchange("0a 0600", "0b 05");
    assert_true(gets_the_level());
    exchange("12 0c00 0000", "13"); /* it wants no more */
    come_back(&table);
    recognise(1);
    assert_false(gets_the_level());
}

static void one_clients_memory_is_not_anothers(void **state)
{
    (void)state;
    exchange("12 0c00 0100", "13"); /* before there is a bond */
    come_back(&table);
    recognise(1);
    assert_false(gets_the_level());
    exchange("12 0c00 0100", "13");
    come_back(&table);
    recognise(2);
    assert_false(gets_the_level());
    come_back(&table);
    ys_remembered_forget(&scripted.host, 1);
    recognise(1);
    assert_false(gets_the_level());
}

static void a_subscription_comes_back_only_to_a_link_that_has_the_right(void **state)
{
    (void)state;
    other = table;
    other.attributes = other_attributes;
    other_attributes[7] = attributes[7];
    other_attributes[CONFIGURATION - 1].rights = YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_AUTHENTICATED, YS_RIGHT_NONE);
    recognise(1);
    exchange("12 0c00 0100", "13");
    come_back(&other);
    recognise(1);
    assert_false(gets_the_level());
    come_back(&other);
    ys_connection_find(&scripted.host, LINK)->security =
        (struct ys_link_security){.key_size = 16, .authenticated = true};
    recognise(1);
    assert_true(gets_the_level());
}

static void a_remembered_client_is_told_what_changed_while_it_was_away(void **state)
{
    (void)state;
    recognise(1);
    exchange("12 0400 0200", "13");
    exchange("12 0c00 0100", "13");
    for (int i = 0; i < 2; i++) { /* the first time it goes away before it has confirmed */
        come_back(&other);
        recognise(1);
        assert_att(&scripted, LINK, "1d 0300 0100 ffff");
        give_buffers(&scripted, LINK, 8);
        exchange("0a 0c00", "0b 0000"); /* in another table it is subscribed to nothing else */
    }
    give_att(&scripted, LINK, "1e");
    exchange("12 0c00 0100", "13");
    come_back(&other);
    recognise(1);
    assert_sent(&scripted, ""); /* it knows this table */
    assert_true(gets_the_level());
}

/* The table did not change by an update, but while the device ran, and its client was away. */
static void a_remembered_client_is_told_what_changed_meanwhile(void **state)
{
    static const struct ys_security security = {.bonds = 2};
    struct ys_pairing pairing = {.security = &security};
    (void)state;
    recognise(1);
    exchange("12 0400 0200", "13");
    exchange("12 0c00 0100", "13");
    give(&scripted, "04 05 04 00 4000 13");
    scripted.host.pairing = &pairing;
    assert_int_equal(ys_host_services_changed(&scripted.host, 9, 18), YS_OK);
    scripted.host.pairing = NULL;
    connect_it(&scripted, LINK, 1);
    forget_sent(&scripted);
    recognise(1);
    assert_att(&scripted, LINK, "1d 0300 0100 ffff");
    give_buffers(&scripted, LINK, 1);
    give_att(&scripted, LINK, "1e");
    assert_true(gets_the_level());
    come_back(&table); /* and once is enough */
    recognise(1);
    assert_sent(&scripted, "");
    assert_true(gets_the_level());
}

static void a_remembered_client_with_robust_caching_is_refused_until_it_knows(void **state)
{
    (void)state;
    recognise(1);
    exchange("12 0600 01", "13");
    for (int i = 0; i < 2; i++) {
        come_back(&other);
        recognise(1);
        exchange("0a 0b00", "01 0a 0000 12");
    }
    exchange("0a 0b00", "0b 57");
    come_back(&other);
    recognise(1);
    exchange("0a 0b00", "0b 57");
}

static void a_damaged_record_is_as_good_as_none(void **state)
{
    uint8_t record[YS_RECORD_MAX + 1] = {0};
    (void)state;
    recognise(1);
    exchange("12 0c00 0100", "13");
    wait_until_kept();
    size_t length = ys_store_get(store, YS_RECORDS_OF_CLIENTS + 1, record, sizeof record);
    assert_in_range(length, 20, YS_RECORD_MAX);
    for (size_t i = 1; i < YS_RECORD_MAX; i++) {
        if (i == length)
            continue;
        assert_true(ys_store_put(store, YS_RECORDS_OF_CLIENTS + 1, record, i));
        come_back(&table);
        recognise(1);
        assert_false(gets_the_level());
    }
    record[0]++; /* of another version */
    assert_true(ys_store_put(store, YS_RECORDS_OF_CLIENTS + 1, record, length));
    come_back(&table);
    recognise(1);
    assert_false(gets_the_level());
}

/* A power cut loses what has changed in the last 2 s, and no more. */
static void what_changes_is_gathered_before_it_is_kept(void **state)
{
    uint8_t record[YS_RECORD_MAX];
    (void)state;
    recognise(1);
    wait_until_kept();
    size_t changes = ys_store_changes(store);
    exchange("12 0c00 0100", "13");
    exchange("12 0f00 0100", "13");
    exchange("12 0600 05", "13");
    assert_int_equal(ys_store_get(store, YS_RECORDS_OF_CLIENTS + 1, record, sizeof record), 0);
    wait_until_kept();
    assert_int_equal(ys_store_changes(store), changes + 1);
    for (int i = 0; i < 1000; i++) { /* what is so already is not written again */
        exchange("12 0c00 0100", "13");
        scripted.now_ms += 5000;
        (void)turn(&scripted);
    }
    assert_int_equal(ys_store_changes(store), changes + 1);
    exchange("12 0f00 0000", "13");
    give(&scripted, "04 05 04 00 4000 13"); /* it leaves: kept at once */
    assert_int_equal(ys_store_changes(store), changes + 2);
}

static void no_peer_has_the_store_written_more_than_once_a_minute_for_long(void **state)
{
    (void)state;
    recognise(1);
    wait_until_kept();
    size_t changes = ys_store_changes(store);
    for (int i = 0; i < 3600 / 4; i++) { /* an hour */
        exchange(i % 2 == 0 ? "12 0c00 0100" : "12 0c00 0000", "13");
        scripted.now_ms += 2000;
        (void)turn(&scripted);
        scripted.now_ms += 2000;
        (void)turn(&scripted);
        give_buffers(&scripted, LINK, 8);
        forget_sent(&scripted);
        scripted.event_count = 0;
    }
    assert_in_range(ys_store_changes(store) - changes, 60, 16 + 60);
}

/* Of a table without a hash, too: what was subscribed to in another one is not what is there now. */
static void a_table_without_a_hash_is_known_again_and_another_is_not(void **state)
{
    (void)state;
    struct ys_attribute bare[18];
    memcpy(bare, attributes, sizeof bare);
    bare[7].number = 0x2b99; /* no hash */
    struct ys_table hashless = table;
    hashless.attributes = bare;
    come_back(&hashless);
    recognise(1);
    exchange("12 0c00 0100", "13");
    come_back(&hashless);
    recognise(1);
    assert_true(gets_the_level());
    bare[10].number = 0x2a1f; /* another characteristic has its place */
    come_back(&hashless);
    recognise(1);
    assert_false(gets_the_level());
}

static void a_full_store_costs_the_memory_and_nothing_else(void **state)
{
    static const uint8_t bytes[YS_RECORD_MAX];
    (void)state;
    for (uint16_t key = 1; key <= 3; key++)
        assert_true(ys_store_put(store, key, bytes, YS_RECORD_MAX));
    assert_true(ys_store_put(store, 4, bytes, 1000 - 3 * YS_RECORD_MAX));
    recognise(1);
    exchange("12 0c00 0100", "13");
    assert_true(gets_the_level());
    come_back(&table);
    recognise(1);
    assert_false(gets_the_level());
}

static void a_store_keeps_the_old_record_or_the_new(void **state)
{
    uint8_t bytes[YS_RECORD_MAX + 1] = "first";
    uint8_t read[8] = "-------";
    (void)state;
    assert_int_equal(ys_store_get(store, 7, read, sizeof read), 0);
    assert_true(ys_store_put(store, 7, bytes, 5));
    assert_true(ys_store_put(store, 8, bytes, 1));
    assert_int_equal(ys_store_get(store, 7, read, 3), 5);
    assert_memory_equal(read, "fir----", 8);
    assert_true(ys_store_put(store, 7, "second", 6));
    assert_int_equal(ys_store_get(store, 7, read, sizeof read), 6);
    assert_memory_equal(read, "second-", 8);
    assert_false(ys_store_put(store, 7, bytes, 0));
    assert_false(ys_store_put(store, 7, bytes, YS_RECORD_MAX + 1));
    assert_int_equal(ys_store_get(store, 7, read, sizeof read), 6);
    ys_store_delete(store, 7);
    ys_store_delete(store, 7);
    assert_int_equal(ys_store_get(store, 7, read, sizeof read), 0);
    assert_int_equal(ys_store_get(store, 8, read, sizeof read), 1);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test_setup(features_are_kept_for_each_connection_and_never_taken_back, setup),
        cmocka_unit_test_setup(who_subscribed_is_told_of_a_change, setup),
        cmocka_unit_test_setup(a_client_that_keeps_the_table_is_refused_until_it_knows, setup),
        cmocka_unit_test_setup(who_does_not_know_may_ask_what_there_is_and_is_only_told_by_requests, setup),
        cmocka_unit_test_setup(several_values_go_in_one_notification_where_the_client_takes_it, setup),
        cmocka_unit_test_setup(several_values_in_one_are_told_one_by_one, setup),
#define WITH_STORE(test) cmocka_unit_test_setup_teardown(test, setup_store, teardown_store)
        WITH_STORE(a_remembered_client_is_subscribed_again_once_it_is_recognised),
        WITH_STORE(one_clients_memory_is_not_anothers),
        WITH_STORE(a_subscription_comes_back_only_to_a_link_that_has_the_right),
        WITH_STORE(a_remembered_client_is_told_what_changed_while_it_was_away),
        WITH_STORE(a_remembered_client_with_robust_caching_is_refused_until_it_knows),
        WITH_STORE(a_damaged_record_is_as_good_as_none),
        WITH_STORE(a_remembered_client_is_told_what_changed_meanwhile),
        WITH_STORE(what_changes_is_gathered_before_it_is_kept),
        WITH_STORE(no_peer_has_the_store_written_more_than_once_a_minute_for_long),
        WITH_STORE(a_table_without_a_hash_is_known_again_and_another_is_not),
        WITH_STORE(a_full_store_costs_the_memory_and_nothing_else),
        WITH_STORE(a_store_keeps_the_old_record_or_the_new),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
