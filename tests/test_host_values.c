/* Several values at once, queued writes, answers that come later, and what a link must be: PDU by PDU. */
#include "support/check.h"

#include <stdio.h>
#include <string.h>

#include "support/scripted.h"

#define LINK 0x0040

/*  1 service (1 to 25)                            13   value, "yard", constant
 *  2   characteristic, read, write               14   characteristic, read, write, write without response
 *  3   value, stored, up to 512 bytes            15   value, handlers that may answer later, 2 bytes
 *  4   characteristic, read, write               16   characteristic, read, write, write without response
 *  5   value, stored, 4 bytes exactly            17   value, stored, asks for both, up to 8 bytes
 *  6   characteristic, notify                    18   characteristic, read
 *  7   value, constant                           19   value, for encrypted links
 *  8   client configuration                      20   characteristic, read
 *  9   description, stored, up to 8 bytes        21   value, for authenticated links
 * 10   characteristic, write                     22   characteristic, read
 * 11   value, a handler, up to 60 bytes          23   value, for LE Secure Connections
 * 12   characteristic, read                      24   characteristic; 25 value, that nobody may read */
#define LONG 512

struct yard {
    uint8_t taken[64];
    size_t taken_length;
    unsigned writes;
    uint8_t write_error;
    bool later;   /* handlers of 15 answer later */
    uint8_t asks; /* what consent returns */
    uint32_t token;
    unsigned asked;
    uint32_t refuses; /* what waits with this token is refused in the middle of what is being done; 0: nothing */
};

/* What firmware may do in every handler and event. */
static void refuse(struct ys_host *host, struct yard *yard)
{
    uint32_t token = yard->refuses;
    yard->refuses = 0;
    if (token != 0)
        assert_int_equal(ys_answer(host, token, YS_ATT_INSUFFICIENT_AUTHORIZATION, NULL, 0), YS_OK);
}

static uint8_t take(const struct ys_access *access, struct ys_reader *value)
{
    struct yard *yard = access->context;
    refuse(access->host, yard);
    yard->writes++;
    yard->token = access->token;
    yard->taken_length = ys_reader_left(value);
    ys_get_copy(value, yard->taken, yard->taken_length);
    return yard->later ? YS_LATER : yard->write_error;
}

static uint8_t give_number(const struct ys_access *access, struct ys_writer *value)
{
    struct yard *yard = access->context;
    yard->token = access->token;
    if (yard->later)
        return YS_LATER;
    ys_put_u16(value, 0x1234);
    return YS_ATT_OK;
}

static uint8_t consent(const struct ys_access *access, enum ys_access_kind wish)
{
    struct yard *yard = access->context;
    (void)wish;
    yard->asked++;
    yard->token = access->token;
    return yard->asks;
}

static const uint8_t word[] = {'y', 'a', 'r', 'd'};
static const uint8_t zeros[4];
#define STORED(bytes, length, at)                                                                                      \
    {                                                                                                                  \
        NULL, NULL, bytes, length, at, YS_NONE                                                                         \
    }
enum { LONG_AT = 0, FOUR_AT = LONG_AT + 2 + LONG, TEXT_AT = FOUR_AT + 6, ASKS_AT = TEXT_AT + 10, SIZE = ASKS_AT + 10 };
static const struct ys_value values[] = {
    STORED(word, 4, LONG_AT),
    STORED(zeros, 4, FOUR_AT),
    {NULL, NULL, word, 4, YS_NONE, 0},
    STORED(word, 1, TEXT_AT),
    {NULL, take, NULL, 0, YS_NONE, YS_NONE},
    {NULL, NULL, word, 4, YS_NONE, YS_NONE},
    {give_number, take, NULL, 0, YS_NONE, YS_NONE},
    STORED(word, 2, ASKS_AT),
};

#define READ     YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_NONE, YS_RIGHT_NONE)
#define WRITE    YS_RIGHTS(YS_RIGHT_NONE, YS_RIGHT_OPEN, YS_RIGHT_NONE)
#define BOTH     YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_OPEN, YS_RIGHT_NONE)
#define VALUE    YS_ATTRIBUTE_VALUE
#define VARIABLE (YS_ATTRIBUTE_VALUE | YS_ATTRIBUTE_VARIABLE)
#define DECLARED YS_ATTRIBUTE_CHARACTERISTIC

static const struct ys_attribute attributes[] = {
    {0x1815, YS_ATTRIBUTE_SERVICE, 0, READ, 25, NULL},
    {0, DECLARED, 0x0a, READ, 5, NULL},
    {0x2a01, VARIABLE, 0, BOTH, LONG, &values[0]},
    {0, DECLARED, 0x0a, READ, 5, NULL},
    {0x2a02, VALUE, 0, BOTH, 4, &values[1]},
    {0, DECLARED, 0x10, READ, 5, NULL},
    {0x2a03, VALUE, 0, YS_RIGHTS(YS_RIGHT_NONE, YS_RIGHT_NONE, YS_RIGHT_OPEN), 4, &values[2]},
    {0, YS_ATTRIBUTE_CONFIGURATION, 0, BOTH, 2, NULL},
    {0x2901, YS_ATTRIBUTE_STORED | YS_ATTRIBUTE_VARIABLE, 0, BOTH, 8, &values[3]},
    {0, DECLARED, 0x08, READ, 5, NULL},
    {0x2a04, VARIABLE, 0, WRITE, 60, &values[4]},
    {0, DECLARED, 0x02, READ, 5, NULL},
    {0x2a05, VALUE, 0, READ, 4, &values[5]},
    {0, DECLARED, 0x0e, READ, 5, NULL},
    {0x2a06, VALUE, 0, BOTH, 2, &values[6]},
    {0, DECLARED, 0x0e, READ, 5, NULL},
    {0x2a07, VARIABLE, 0, BOTH | YS_ASKS_TO_READ | YS_ASKS_TO_WRITE, 8, &values[7]},
    {0, DECLARED, 0x02, READ, 5, NULL},
    {0x2a08, VALUE, 0, YS_RIGHTS(YS_RIGHT_ENCRYPTED, YS_RIGHT_NONE, YS_RIGHT_NONE), 4, &values[5]},
    {0, DECLARED, 0x02, READ, 5, NULL},
    {0x2a09, VALUE, 0, YS_RIGHTS(YS_RIGHT_AUTHENTICATED, YS_RIGHT_NONE, YS_RIGHT_NONE), 4, &values[5]},
    {0, DECLARED, 0x02, READ, 5, NULL},
    {0x2a0a, VALUE, 0, YS_RIGHTS(YS_RIGHT_SECURE_CONNECTIONS, YS_RIGHT_NONE, YS_RIGHT_NONE), 4, &values[5]},
    {0, DECLARED, 0x10, READ, 5, NULL},
    {0x2a0b, VALUE, 0, YS_RIGHTS(YS_RIGHT_NONE, YS_RIGHT_NONE, YS_RIGHT_NONE), 4, &values[5]},
};
static const struct ys_notifiable notifiables[] = {{7, 0}};
static const struct ys_table table = {attributes, NULL, notifiables, consent, 25, 1, SIZE, 10};

static struct scripted scripted;
static struct yard yard;
static uint8_t memory[SIZE];

static int setup(void **state)
{
    (void)state;
    yard = (struct yard){.later = false};
    scripted_init(&scripted, &table, memory, &yard);
    scripted_start(&scripted, 251, 8);
    connect_it(&scripted, LINK, 1);
    forget_sent(&scripted);
    return 0;
}

static void exchange_on(uint16_t link, const char *request, const char *response)
{
    give_att(&scripted, link, request);
    assert_att(&scripted, link, response);
    give_buffers(&scripted, link, 8);
}

static void exchange(const char *request, const char *response)
{
    exchange_on(LINK, request, response);
}

static struct ys_connection *connection_of(uint16_t link)
{
    for (size_t i = 0; i < YS_CONNECTIONS; i++) {
        if (scripted.host.connections[i].used && scripted.host.connections[i].handle == link)
            return &scripted.host.connections[i];
    }
    fail_msg("there is no such connection");
    return NULL;
}

/* several values */

/* Vol 3 Part F 3.4.4.7, 3.4.4.8, 3.4.4.11, 3.4.4.12. */
static void several_values_are_read_one_behind_the_other(void **state)
{
    (void)state;
    exchange("0e 0300 0500", "0f 79617264 00000000");
    exchange("20 0300 0500 0300", "21 0400 79617264 0400 00000000 0400 79617264");
    exchange("0e 0300 1900 0500", "01 0e 1900 02");
    exchange("20 0300 0000", "01 20 0000 01");
    exchange("20 0300 ff00", "01 20 ff00 01");
    /* what does not fit is cut off; the length is that of the whole value */
    exchange("0e 0300 0500 0300 0500 0300 0500", "0f 79617264 00000000 79617264 00000000 79617264 0000");
    exchange("20 0300 0500 0300 0500 0300",
             "21 0400 79617264 0400 00000000 0400 79617264 0400 0000"); /* 22 bytes after the opcode */
    yard.later = true;                                                  /* what comes later cannot come among others */
    exchange("0e 0300 0f00", "01 0e 0f00 0e");
    assert_int_equal(yard.token, 0);
}

/* queued writes */

/* Vol 3 Part F 3.4.6.1, 3.4.6.2. */
static void a_long_value_is_written_in_parts_and_then_at_once(void **state)
{
    (void)state;
    exchange("16 0300 0000 3132333435", "17 0300 0000 3132333435");
    exchange("16 0300 0500 3637", "17 0300 0500 3637");
    exchange("0a 0300", "0b 79617264"); /* not yet */
    exchange("18 01", "19");
    exchange("0a 0300", "0b 31323334353637");
    exchange("18 01", "19"); /* nothing is queued any more */
    exchange("16 0300 0000 39", "17 0300 0000 39");
    exchange("18 00", "19");
    exchange("0a 0300", "0b 31323334353637");
}

static void parts_may_overlap_and_the_farthest_ends_the_value(void **state)
{
    (void)state;
    exchange("16 0300 0000 313233343536", "17 0300 0000 313233343536");
    exchange("16 0300 0200 6162", "17 0300 0200 6162");
    exchange("18 01", "19");
    exchange("0a 0300", "0b 313261623536");
    exchange("16 0300 0200 7a", "17 0300 0200 7a"); /* within what is there */
    exchange("18 01", "19");
    exchange("0a 0300", "0b 31327a");
    exchange("16 0300 0400 7a", "17 0300 0400 7a"); /* beyond it */
    exchange("18 01", "01 18 0300 07");
    exchange("0a 0300", "0b 31327a");
    exchange("16 0300 0100 62", "17 0300 0100 62"); /* in any order, each within what is there by then */
    exchange("16 0300 0000 61", "17 0300 0000 61");
    exchange("18 01", "19");
    exchange("0a 0300", "0b 6162");
}

/* Vol 3 Part F 3.2.4, 3.4.6.3, 3.4.6.4. */
static void all_is_written_or_nothing(void **state)
{
    (void)state;
    exchange("16 0300 0000 31", "17 0300 0000 31");
    exchange("16 0500 0000 3131", "17 0500 0000 3131"); /* needs four */
    exchange("18 01", "01 18 0500 0d");
    exchange("0a 0300", "0b 79617264");
    exchange("0a 0500", "0b 00000000");
    exchange("16 0500 0200 3333", "17 0500 0200 3333");
    exchange("16 0300 0000 31", "17 0300 0000 31");
    exchange("16 0800 0000 0100", "17 0800 0000 0100");
    exchange("18 01", "19");
    exchange("0a 0300", "0b 31");
    exchange("0a 0500", "0b 00003333");
    exchange("0a 0800", "0b 0100");
    assert_int_equal(count_events(&scripted, YS_EVENT_SUBSCRIPTION), 1);
    exchange("16 0900 0000 3132", "17 0900 0000 3132");
    exchange("16 0800 0000 0200", "17 0800 0000 0200"); /* it does not indicate */
    exchange("18 01", "01 18 0800 fd");
    exchange("16 0800 0000 02", "17 0800 0000 02");
    exchange("18 01", "01 18 0800 0d");
    exchange("0a 0900", "0b 79");
    exchange("0a 0800", "0b 0100");
}

static void the_firmware_is_asked_before_anything_is_written(void **state)
{
    (void)state;
    exchange("16 0300 0000 31", "17 0300 0000 31");
    exchange("16 0b00 0000 6162", "17 0b00 0000 6162");
    exchange("16 0b00 0200 6364", "17 0b00 0200 6364");
    exchange("16 0f00 0000 0100", "01 16 0f00 09"); /* of two that could refuse, one could come too late */
    yard.write_error = YS_ATT_OUT_OF_RANGE;
    exchange("18 01", "01 18 0b00 ff");
    assert_int_equal(yard.writes, 1);
    assert_int_equal(yard.taken_length, 4);
    assert_memory_equal(yard.taken, "abcd", 4);
    exchange("0a 0300", "0b 79617264");
    yard.write_error = YS_ATT_OK;
    exchange("16 0b00 0100 61", "17 0b00 0100 61"); /* a handler takes whole values only */
    exchange("18 01", "01 18 0b00 07");
    assert_int_equal(yard.writes, 1);
    exchange("16 0300 0000 31", "17 0300 0000 31");
    exchange("16 0f00 0000 0100", "17 0f00 0000 0100");
    yard.later = true;
    give_att(&scripted, LINK, "18 01");
    assert_sent(&scripted, "");
    assert_int_equal(ys_answer(&scripted.host, yard.token, YS_ATT_OK, NULL, 0), YS_OK);
    (void)turn(&scripted);
    assert_att(&scripted, LINK, "19");
    exchange("0a 0300", "0b 31");
}

static void what_may_not_be_written_is_not_queued(void **state)
{
    (void)state;
    exchange("16 0000 0000 31", "01 16 0000 01");
    exchange("16 1a00 0000 31", "01 16 1a00 01");
    exchange("16 0d00 0000 31", "01 16 0d00 03");
    exchange("16 0200 0000 31", "01 16 0200 03");
    exchange("18 01", "19");
}

/* Queues parts of 18 bytes, which lie one after the other, until there is no room; returns how many there were. */
static size_t fill_queue(void)
{
    char part[100];
    for (size_t parts = 0;; parts++) {
        (void)snprintf(part, sizeof part, "16 0300 %02x%02x 000000000000000000000000000000000000",
                       (unsigned)(18 * parts) & 0xff, (unsigned)(18 * parts) >> 8);
        give_att(&scripted, LINK, part);
        bool full = scripted.sent[0][9] == 0x01;
        assert_int_equal(scripted.sent_count, 1);
        forget_sent(&scripted);
        give_buffers(&scripted, LINK, 8);
        if (full)
            return parts;
    }
}

static void assert_queue_is_free(void)
{
    assert_int_equal(fill_queue(), (YS_QUEUE_SIZE - 7) / 18);
    exchange("18 00", "19");
}

static void the_queue_is_shared_and_each_connection_loses_only_its_own(void **state)
{
    (void)state;
    connect_it(&scripted, LINK + 1, 1);
    forget_sent(&scripted);
    exchange_on(LINK + 1, "16 0900 0000 41", "17 0900 0000 41");
    assert_int_equal(fill_queue(), (YS_QUEUE_SIZE - 9 - 8) / 18);
    exchange_on(LINK + 1, "16 0300 0000 00000000000000000000000000000000", "01 16 0300 09");
    exchange("18 00", "19");
    exchange_on(LINK + 1, "18 01", "19"); /* what was its own is still there */
    exchange("0a 0900", "0b 41");
    exchange("16 0300 0000 42", "17 0300 0000 42");
    exchange_on(LINK + 1, "16 0300 0000 43", "17 0300 0000 43");
    give(&scripted, "04 05 04 00 4000 13");
    connect_it(&scripted, LINK, 1);
    forget_sent(&scripted);
    exchange("18 01", "19"); /* what the old connection had queued is gone */
    exchange("0a 0300", "0b 79617264");
    exchange_on(LINK + 1, "18 01", "19");
    exchange("0a 0300", "0b 43");
    assert_queue_is_free();
}

/* later */

/* Vol 3 Part F 3.3.2. */
static void a_read_waits_while_everything_else_goes_on(void **state)
{
    static const uint8_t value[] = {0x78, 0x56, 0x34, 0x12};
    (void)state;
    connect_it(&scripted, LINK + 1, 1);
    forget_sent(&scripted);
    yard.later = true;
    give_att(&scripted, LINK, "0a 0f00");
    assert_sent(&scripted, "");
    uint32_t token = yard.token;
    exchange_on(LINK + 1, "0a 0d00", "0b 79617264");
    give_att(&scripted, LINK, "0a 0d00"); /* out of turn: it is dropped */
    assert_sent(&scripted, "");
    assert_int_equal(ys_answer(&scripted.host, token, YS_LATER, value, 4), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_answer(&scripted.host, token, YS_ATT_OK, value, 4), YS_OK);
    (void)turn(&scripted);
    assert_att(&scripted, LINK, "0b 78563412");
    assert_int_equal(ys_answer(&scripted.host, token, YS_ATT_OK, value, 4), YS_ERROR_TOO_LATE);
    (void)turn(&scripted);
    assert_sent(&scripted, "");
    give_att(&scripted, LINK, "0c 0f00 0300");
    assert_int_equal(ys_answer(&scripted.host, yard.token, YS_ATT_OK, value, 4), YS_OK);
    (void)turn(&scripted);
    assert_att(&scripted, LINK, "0d 12");
    give_att(&scripted, LINK, "0c 0f00 0500");
    assert_int_equal(ys_answer(&scripted.host, yard.token, YS_ATT_OK, value, 4), YS_OK);
    (void)turn(&scripted);
    assert_att(&scripted, LINK, "01 0c 0f00 07");
    give_att(&scripted, LINK, "0a 0f00");
    assert_int_equal(ys_answer(&scripted.host, yard.token, 0x80, NULL, 0), YS_OK);
    (void)turn(&scripted);
    assert_att(&scripted, LINK, "01 0a 0f00 80");
}

static void a_token_is_no_good_after_a_disconnection(void **state)
{
    (void)state;
    yard.later = true;
    give_att(&scripted, LINK, "0a 0f00");
    uint32_t old = yard.token;
    give(&scripted, "04 05 04 00 4000 13");
    assert_int_equal(ys_answer(&scripted.host, old, YS_ATT_OK, "x", 1), YS_ERROR_TOO_LATE);
    connect_it(&scripted, LINK, 1);
    forget_sent(&scripted);
    give_att(&scripted, LINK, "0a 0f00"); /* the same place, another access */
    assert_int_not_equal(yard.token, old);
    assert_int_equal(ys_answer(&scripted.host, old, YS_ATT_OK, "x", 1), YS_ERROR_TOO_LATE);
    assert_int_equal(ys_answer(&scripted.host, 0, YS_ATT_OK, "x", 1), YS_ERROR_TOO_LATE);
    assert_int_equal(ys_answer(&scripted.host, 0xffffffff, YS_ATT_OK, "x", 1), YS_ERROR_TOO_LATE);
    assert_int_equal(ys_answer(&scripted.host, yard.token, YS_ATT_OK, "x", 1), YS_OK);
    (void)turn(&scripted);
    assert_att(&scripted, LINK, "0b 78");
}

static void a_token_belongs_to_one_access_whatever_becomes_of_it(void **state)
{
    static const uint8_t value[] = {0x78};
    (void)state;
    yard.later = true;
    give_att(&scripted, LINK, "52 0f00 0700"); /* a command whose handler answers later: nobody waits for that */
    uint32_t command = yard.token;
    give_att(&scripted, LINK, "0a 0f00");
    assert_int_not_equal(yard.token, command);
    assert_int_equal(ys_answer(&scripted.host, command, YS_ATT_OK, NULL, 0), YS_ERROR_TOO_LATE);
    assert_sent(&scripted, "");
    assert_int_equal(ys_answer(&scripted.host, yard.token, YS_ATT_OK, value, 1), YS_OK);
    (void)turn(&scripted);
    assert_att(&scripted, LINK, "0b 78");
    give_buffers(&scripted, LINK, 8);
    yard.asks = YS_LATER;
    (void)fill_queue();
    give_att(&scripted, LINK, "52 1100 3132"); /* a command for which there is no room is dropped */
    uint32_t dropped = yard.token;
    give_att(&scripted, LINK, "0a 1100");
    assert_int_not_equal(yard.token, dropped);
    assert_int_equal(ys_answer(&scripted.host, dropped, YS_ATT_OK, NULL, 0), YS_ERROR_TOO_LATE);
    (void)turn(&scripted);
    assert_sent(&scripted, "");
    assert_int_equal(ys_answer(&scripted.host, yard.token, YS_ATT_OK, NULL, 0), YS_OK);
    (void)turn(&scripted);
    assert_att(&scripted, LINK, "0b 7961");
}

static void refuse_in_event(struct scripted *unused, const struct ys_event *event)
{
    (void)unused;
    if (event->kind == YS_EVENT_SUBSCRIPTION)
        refuse(&scripted.host, &yard);
}

static void answer_in_event(struct scripted *unused, const struct ys_event *event)
{
    (void)unused;
    if (event->kind == YS_EVENT_SUBSCRIPTION) /* it has been answered */
        assert_int_equal(ys_answer(&scripted.host, yard.token, 0x80, NULL, 0), YS_ERROR_TOO_LATE);
}

/* What waits lies before what is written, so that all of that moves if its memory is used again at once. */
static void firmware_may_answer_whatever_waits_while_a_queue_is_written(void **state)
{
    (void)state;
    scripted.on_event = refuse_in_event;
    yard.asks = YS_LATER;
    give_att(&scripted, LINK, "52 1100 3131313131313131");
    yard.refuses = yard.token;
    exchange("16 0800 0000 0100", "17 0800 0000 0100");
    exchange("16 0300 0000 414243", "17 0300 0000 414243");
    exchange("16 0500 0000 44454647", "17 0500 0000 44454647");
    exchange("18 01", "19");
    assert_int_equal(yard.refuses, 0); /* it was asked in between */
    exchange("0a 0300", "0b 414243");
    exchange("0a 0500", "0b 44454647");
    assert_queue_is_free();
    /* and while a handler has not read yet what was queued for it */
    give_att(&scripted, LINK, "52 1100 3131313131313131");
    yard.refuses = yard.token;
    exchange("16 0b00 0000 48494a4b", "17 0b00 0000 48494a4b");
    exchange("18 01", "19");
    assert_memory_equal(yard.taken, "HIJK", 4);
    assert_queue_is_free();
    exchange("12 0800 0000", "13");
    /* and while the answer comes to the request that had it written */
    yard.later = true;
    exchange("16 0800 0000 0100", "17 0800 0000 0100");
    exchange("16 0b00 0000 4c", "17 0b00 0000 4c");
    give_att(&scripted, LINK, "18 01");
    uint32_t token = yard.token;
    yard.refuses = 0;
    scripted.on_event = answer_in_event;
    assert_int_equal(ys_answer(&scripted.host, token, YS_ATT_OK, NULL, 0), YS_OK);
    (void)turn(&scripted);
    assert_att(&scripted, LINK, "19");
    assert_true(ys_host_is_subscribed(&scripted.host, 7));
}

static void a_write_waits_for_its_handler(void **state)
{
    (void)state;
    yard.later = true;
    give_att(&scripted, LINK, "12 0f00 0700");
    assert_sent(&scripted, "");
    assert_int_equal(yard.taken[0], 7);
    assert_int_equal(ys_answer(&scripted.host, yard.token, YS_ATT_OK, NULL, 0), YS_OK);
    (void)turn(&scripted);
    assert_att(&scripted, LINK, "13");
    give_att(&scripted, LINK, "12 0f00 0800");
    assert_int_equal(ys_answer(&scripted.host, yard.token, YS_ATT_OUT_OF_RANGE, NULL, 0), YS_OK);
    (void)turn(&scripted);
    assert_att(&scripted, LINK, "01 12 0f00 ff");
    give_att(&scripted, LINK, "52 0f00 0900"); /* a command has nothing to wait for */
    assert_int_equal(yard.taken[0], 9);
    yard.later = false;
    exchange("0a 0f00", "0b 3412");
}

static void consent_may_come_later_and_the_access_then_goes_on(void **state)
{
    (void)state;
    yard.asks = YS_LATER;
    give_att(&scripted, LINK, "0a 1100");
    assert_sent(&scripted, "");
    assert_int_equal(ys_answer(&scripted.host, yard.token, YS_ATT_OK, NULL, 0), YS_OK);
    assert_int_equal(ys_answer(&scripted.host, yard.token, YS_ATT_OK, NULL, 0), YS_ERROR_TOO_LATE);
    (void)turn(&scripted);
    assert_att(&scripted, LINK, "0b 7961");
    give_att(&scripted, LINK, "12 1100 313233");
    assert_int_equal(ys_answer(&scripted.host, yard.token, YS_ATT_INSUFFICIENT_AUTHORIZATION, NULL, 0), YS_OK);
    (void)turn(&scripted);
    assert_att(&scripted, LINK, "01 12 1100 08");
    give_att(&scripted, LINK, "12 1100 313233");
    assert_int_equal(ys_answer(&scripted.host, yard.token, YS_ATT_OK, NULL, 0), YS_OK);
    (void)turn(&scripted);
    assert_att(&scripted, LINK, "13");
    exchange("16 1100 0000 3435", "17 1100 0000 3435"); /* queued: asked when it is executed */
    give_att(&scripted, LINK, "18 01");
    assert_sent(&scripted, "");
    assert_int_equal(ys_answer(&scripted.host, yard.token, YS_ATT_OK, NULL, 0), YS_OK);
    (void)turn(&scripted);
    assert_att(&scripted, LINK, "19");
    yard.asks = YS_ATT_OK;
    exchange("0a 1100", "0b 3435");
}

static void a_command_that_waits_for_consent_keeps_nobody_waiting(void **state)
{
    (void)state;
    yard.asks = YS_LATER;
    give_att(&scripted, LINK, "52 1100 3132");
    uint32_t first = yard.token;
    give_att(&scripted, LINK, "52 1100 3334");
    uint32_t second = yard.token;
    assert_int_not_equal(first, second);
    exchange("0a 0d00", "0b 79617264");
    assert_int_equal(ys_answer(&scripted.host, second, YS_ATT_OK, NULL, 0), YS_OK);
    assert_int_equal(ys_answer(&scripted.host, second, YS_ATT_OK, NULL, 0), YS_ERROR_TOO_LATE);
    (void)turn(&scripted);
    assert_sent(&scripted, "");
    assert_int_equal(ys_answer(&scripted.host, first, YS_ATT_INSUFFICIENT_AUTHORIZATION, NULL, 0), YS_OK);
    yard.asks = YS_ATT_OK;
    exchange("0a 1100", "0b 3334");
    assert_queue_is_free();
    yard.asks = YS_LATER;
    give_att(&scripted, LINK, "52 1100 3536");
    give(&scripted, "04 05 04 00 4000 13"); /* what waits ends with its connection */
    assert_int_equal(ys_answer(&scripted.host, yard.token, YS_ATT_OK, NULL, 0), YS_ERROR_TOO_LATE);
    connect_it(&scripted, LINK, 1);
    forget_sent(&scripted);
    assert_queue_is_free();
}

static void a_subscription_may_wait_for_consent(void **state)
{
    (void)state;
    exchange("12 0800 0100", "13");
    assert_int_equal(yard.asked, 0); /* this one asks for none */
    assert_true(ys_host_is_subscribed(&scripted.host, 7));
}

/* rights */

/* Vol 3 Part F 3.2.5; Vol 3 Part C 10.2.1, 10.3.1. */
static void each_right_is_refused_with_what_is_missing(void **state)
{
    static const struct {
        struct ys_link_security security;
        uint8_t errors[3]; /* of handles 19, 21, 23: encrypted, authenticated, secure connections */
    } cases[] = {
        {{.key_size = 0}, {0x05, 0x05, 0x05}},
        {{.key_size = 0, .has_key = true}, {0x0f, 0x0f, 0x0f}},
        {{.key_size = 9, .has_key = true}, {0x0c, 0x05, 0x05}}, /* the table asks for 10 */
        {{.key_size = 10, .has_key = true}, {0, 0x05, 0x05}},
        {{.key_size = 16, .has_key = true, .authenticated = true}, {0, 0, 0x05}},
        {{.key_size = 9, .has_key = true, .authenticated = true}, {0x0c, 0x0c, 0x05}},
        {{.key_size = 16, .has_key = true, .secure_connections = true}, {0, 0x05, 0x05}},
        {{.key_size = 16, .has_key = true, .authenticated = true, .secure_connections = true}, {0, 0, 0}},
        /* level 4 asks for 16 bytes, whatever the table does */
        {{.key_size = 15, .has_key = true, .authenticated = true, .secure_connections = true}, {0, 0, 0x0c}},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        connection_of(LINK)->security = cases[i].security; /* as pairing will set it */
        for (unsigned j = 0; j < 3; j++) {
            char request[32];
            char response[32];
            (void)snprintf(request, sizeof request, "0a %02x00", 19 + 2 * j);
            (void)snprintf(response, sizeof response, "01 0a %02x00 %02x", 19 + 2 * j, cases[i].errors[j]);
            exchange(request, cases[i].errors[j] != 0 ? response : "0b 79617264");
        }
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test_setup(several_values_are_read_one_behind_the_other, setup),
        cmocka_unit_test_setup(a_long_value_is_written_in_parts_and_then_at_once, setup),
        cmocka_unit_test_setup(parts_may_overlap_and_the_farthest_ends_the_value, setup),
        cmocka_unit_test_setup(all_is_written_or_nothing, setup),
        cmocka_unit_test_setup(the_firmware_is_asked_before_anything_is_written, setup),
        cmocka_unit_test_setup(what_may_not_be_written_is_not_queued, setup),
        cmocka_unit_test_setup(the_queue_is_shared_and_each_connection_loses_only_its_own, setup),
        cmocka_unit_test_setup(a_read_waits_while_everything_else_goes_on, setup),
        cmocka_unit_test_setup(a_token_is_no_good_after_a_disconnection, setup),
        cmocka_unit_test_setup(a_token_belongs_to_one_access_whatever_becomes_of_it, setup),
        cmocka_unit_test_setup(firmware_may_answer_whatever_waits_while_a_queue_is_written, setup),
        cmocka_unit_test_setup(a_write_waits_for_its_handler, setup),
        cmocka_unit_test_setup(consent_may_come_later_and_the_access_then_goes_on, setup),
        cmocka_unit_test_setup(a_command_that_waits_for_consent_keeps_nobody_waiting, setup),
        cmocka_unit_test_setup(a_subscription_may_wait_for_consent, setup),
        cmocka_unit_test_setup(each_right_is_refused_with_what_is_missing, setup),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
