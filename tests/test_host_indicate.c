/* Indications, consent, and descriptors that can be written, through a scripted controller. */
#include "support/check.h"

#include <string.h>

#include "support/scripted.h"

#define LINK 0x0040

/*  1 service 0x1815 (1 to 10)                      6   characteristic, read, write, write without response
 *  2   characteristic, read, notify, indicate      7   value 0x2A58, stored, asks for both
 *  3   value 0x2A56, a handler, 2 bytes            8   characteristic, notify
 *  4   client configuration, asks                  9   value 0x2A19, a handler
 *  5   description, stored, up to 8 bytes         10   client configuration */

struct yard {
    uint16_t number;
    uint8_t verdict; /* what consent answers */
    unsigned asked;
    enum ys_access_kind wish;
    uint16_t handle;
};

static uint8_t number_read(const struct ys_access *access, struct ys_writer *value)
{
    ys_put_u16(value, ((const struct yard *)access->context)->number);
    return YS_ATT_OK;
}

static uint8_t consent(const struct ys_access *access, enum ys_access_kind wish)
{
    struct yard *yard = access->context;
    yard->asked++;
    yard->wish = wish;
    yard->handle = access->handle;
    return yard->verdict;
}

static const uint8_t arm[] = {'a', 'r', 'm'};
static const uint8_t one[] = {1};
static const struct ys_value values[] = {
    {.read = number_read, .stored_at = YS_NONE, .notifiable = 0},
    {.bytes = arm, .length = 3, .stored_at = 0, .notifiable = YS_NONE},
    {.bytes = one, .length = 1, .stored_at = 10, .notifiable = YS_NONE},
    {.read = number_read, .stored_at = YS_NONE, .notifiable = 1},
};

#define READ       YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_NONE, YS_RIGHT_NONE)
#define READ_WRITE YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_OPEN, YS_RIGHT_NONE)
#define NOTIFY     YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_NONE, YS_RIGHT_OPEN)

static const struct ys_attribute attributes[] = {
    {0x1815, YS_ATTRIBUTE_SERVICE, 0, READ, 10, NULL},
    {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x32, READ, 5, NULL},
    {0x2a56, YS_ATTRIBUTE_VALUE, 0, NOTIFY, 2, &values[0]},
    {0, YS_ATTRIBUTE_CONFIGURATION, 0, READ_WRITE | YS_ASKS_TO_WRITE, 2, NULL},
    {0x2901, YS_ATTRIBUTE_STORED | YS_ATTRIBUTE_VARIABLE, 0, READ_WRITE, 8, &values[1]},
    {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x0e, READ, 5, NULL},
    {0x2a58, YS_ATTRIBUTE_VALUE, 0, READ_WRITE | YS_ASKS_TO_READ | YS_ASKS_TO_WRITE, 1, &values[2]},
    {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x10, READ, 5, NULL},
    {0x2a19, YS_ATTRIBUTE_VALUE, 0, NOTIFY, 2, &values[3]},
    {1, YS_ATTRIBUTE_CONFIGURATION, 0, READ_WRITE, 2, NULL},
};
static const struct ys_notifiable notifiables[] = {{3, 0}, {9, 0}};
static const struct ys_table table = {
    .attributes = attributes,
    .notifiables = notifiables,
    .consent = consent,
    .attribute_count = 10,
    .notifiable_count = 2,
    .values_size = 13,
};

static struct scripted scripted;
static struct yard yard;
static uint8_t memory[13];

static int setup(void **state)
{
    (void)state;
    yard = (struct yard){.number = 1};
    scripted_init(&scripted, &table, memory, &yard);
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

static void change(uint16_t handle)
{
    yard.number++;
    ys_host_changed(&scripted.host, handle);
    (void)turn(&scripted);
}

/* Vol 3 Part F 3.3.2, 3.4.7.2, 3.4.7.3. */
static void an_indication_waits_for_the_last_to_be_confirmed(void **state)
{
    (void)state;
    exchange("12 0400 0200", "13");
    exchange("0a 0400", "0b 0200");
    assert_true(last_event(&scripted, YS_EVENT_SUBSCRIPTION)->u.subscription.indications);
    assert_false(last_event(&scripted, YS_EVENT_SUBSCRIPTION)->u.subscription.notifications);
    assert_true(ys_host_is_subscribed(&scripted.host, 3));
    change(3);
    assert_att(&scripted, LINK, "1d 0300 0200");
    change(3); /* two changes while it waits make one indication, of the newest value */
    change(3);
    assert_sent(&scripted, "");
    give_att(&scripted, LINK, "1e");
    assert_att(&scripted, LINK, "1d 0300 0400");
    give_att(&scripted, LINK, "1e");
    give_att(&scripted, LINK, "1e"); /* one too many does no harm */
    assert_sent(&scripted, "");
    change(3);
    assert_att(&scripted, LINK, "1d 0300 0500");
}

static void other_values_are_notified_while_an_indication_waits(void **state)
{
    (void)state;
    exchange("12 0400 0200", "13");
    exchange("12 0a00 0100", "13");
    change(3);
    assert_att(&scripted, LINK, "1d 0300 0200");
    change(9);
    assert_att(&scripted, LINK, "1b 0900 0300");
    exchange("0a 0900", "0b 0300"); /* and so are requests answered */
}

static void who_wants_both_is_sent_indications(void **state)
{
    (void)state;
    exchange("12 0400 0300", "13");
    exchange("0a 0400", "0b 0300");
    change(3);
    assert_att(&scripted, LINK, "1d 0300 0200");
    exchange("12 0400 0000", "13"); /* what waits is given up, too */
    change(3);
    give_att(&scripted, LINK, "1e");
    assert_sent(&scripted, "");
    exchange("12 0400 0100", "13");
    change(3);
    assert_att(&scripted, LINK, "1b 0300 0400");
}

/* Vol 3 Part F 3.3.3. */
static void a_peer_that_does_not_confirm_is_disconnected_after_30_s(void **state)
{
    (void)state;
    exchange("12 0400 0200", "13");
    change(3);
    assert_att(&scripted, LINK, "1d 0300 0200");
    scripted.now_ms += 29999;
    assert_int_equal(turn(&scripted), 1);
    assert_sent(&scripted, "");
    scripted.now_ms += 1;
    (void)turn(&scripted);
    assert_sent(&scripted, "01 06 04 03 4000 13");
}

/* Vol 3 Part G 3.3.3.3. */
static void configurations_that_are_not_offered_are_refused(void **state)
{
    (void)state;
    exchange("12 0a00 0200", "01 12 0a00 fd");
    exchange("12 0a00 0300", "01 12 0a00 fd");
    exchange("12 0400 0400", "01 12 0400 fd");
    exchange("0a 0400", "0b 0000");
    assert_int_equal(count_events(&scripted, YS_EVENT_SUBSCRIPTION), 0);
}

/* Vol 3 Part F 3.2.5; Vol 3 Part C 10.5. */
static void consent_is_asked_after_everything_else_was_checked(void **state)
{
    (void)state;
    yard.verdict = YS_ATT_INSUFFICIENT_AUTHORIZATION;
    exchange("0a 0700", "01 0a 0700 08");
    assert_int_equal(yard.asked, 1);
    assert_int_equal(yard.wish, YS_TO_READ);
    assert_int_equal(yard.handle, 7);
    exchange("08 0100 ffff 582a", "01 08 0700 08");
    exchange("12 0700 05", "01 12 0700 08");
    assert_int_equal(yard.wish, YS_TO_WRITE);
    exchange("12 0700 0505", "01 12 0700 0d"); /* nobody is asked for what would fail */
    assert_int_equal(yard.asked, 3);
    give_att(&scripted, LINK, "52 0700 06");
    exchange("12 0400 0200", "01 12 0400 08");
    assert_int_equal(yard.wish, YS_TO_SUBSCRIBE);
    assert_int_equal(yard.handle, 3);
    assert_false(ys_host_is_subscribed(&scripted.host, 3));
    yard.verdict = YS_ATT_OK;
    exchange("0a 0700", "0b 01"); /* nothing was written */
    exchange("12 0700 05", "13");
    exchange("0a 0700", "0b 05");
    exchange("0a 0300", "0b 0100"); /* where it is not asked for, it is not asked */
    assert_int_equal(yard.asked, 8);
}

/* Vol 3 Part G 3.3.3.2. */
static void a_descriptor_that_can_be_written_keeps_what_is_written(void **state)
{
    (void)state;
    exchange("0a 0500", "0b 61726d");
    exchange("04 0500 0500", "05 01 0500 0129");
    exchange("12 0500 7472696767657231", "13");
    exchange("0a 0500", "0b 7472696767657231");
    exchange("12 0500 747269676765723131", "01 12 0500 0d");
    give(&scripted, "04 05 04 00 4000 13");
    connect_it(&scripted, LINK, 1);
    exchange("0c 0500 0700", "0d 31"); /* it outlives the connection */
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test_setup(an_indication_waits_for_the_last_to_be_confirmed, setup),
        cmocka_unit_test_setup(other_values_are_notified_while_an_indication_waits, setup),
        cmocka_unit_test_setup(who_wants_both_is_sent_indications, setup),
        cmocka_unit_test_setup(a_peer_that_does_not_confirm_is_disconnected_after_30_s, setup),
        cmocka_unit_test_setup(configurations_that_are_not_offered_are_refused, setup),
        cmocka_unit_test_setup(consent_is_asked_after_everything_else_was_checked, setup),
        cmocka_unit_test_setup(a_descriptor_that_can_be_written_keeps_what_is_written, setup),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
