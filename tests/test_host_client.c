/* The client, its requests and answers byte by byte. */
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

/* Vol 3 Part F 3.2.8, 3.4.2.1, 3.4.2.2; Vol 3 Part G 4.3.1. */
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

/* Vol 3 Part F 3.4.3.1, 3.4.3.2; Vol 3 Part G 4.4.1, 4.5.1, 4.6.1, 4.7.1, 4.12.1 to 4.12.4. */
static void everything_is_discovered_in_four_rounds(void **state)
{
    static const struct {
        uint8_t kind;
        uint16_t handle;
        uint16_t last;
        uint16_t value;
    } expected[] = {{YS_FOUND_SERVICE, 1, 5, 0},        {YS_FOUND_SERVICE, 6, 9, 0},
                    {YS_FOUND_SERVICE, 10, 0xffff, 0},  {YS_FOUND_INCLUDE, 7, 9, 6},
                    {YS_FOUND_INCLUDE, 8, 14, 10},      {YS_FOUND_CHARACTERISTIC, 2, 2, 3},
                    {YS_FOUND_CHARACTERISTIC, 7, 7, 8}, {YS_FOUND_DESCRIPTOR, 9, 9, 0}};
    (void)state;
    assert_int_equal(ys_client_discover(&scripted.host, LINK, &asked.request), YS_OK);
    answer("10 0100 ffff 0028", "11 06 0100 0500 0018");
    answer("10 0600 ffff 0028", "11 14 0600 0900 " SAMPLE_LONG_0);
    answer("10 0a00 ffff 0028", "11 06 0a00 ffff 0f18");
    answer("08 0100 ffff 0228", "09 06 0700 0600 0900"); /* a UUID of 128 bits is not told */
    answer("08 0800 ffff 0228", "09 08 0800 0a00 0e00 0f18");
    answer("08 0900 ffff 0228", "01 08 0900 0a");
    answer("08 0100 ffff 0328", "09 07 0200 02 0300 002a");
    answer("08 0300 ffff 0328", "09 15 0700 10 0800 " SAMPLE_LONG_1);
    answer("08 0800 ffff 0328", "01 08 0800 0a");
    answer("04 0100 ffff", "05 01 0100 0028 0200 0328 0300 002a 0600 0028 0700 0328");
    answer("04 0800 ffff", "05 02 0800 " SAMPLE_LONG_1); /* the value, known by its place after the declaration */
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
    assert_int_equal(asked.found[3].uuid.length, 0);
    assert_int_equal(ys_uuid_number(&asked.found[4].uuid), 0x180f);
    assert_int_equal(asked.found[6].properties, 0x10);
    assert_int_equal(asked.found[6].uuid.length, 16);
    assert_int_equal(ys_uuid_number(&asked.found[7].uuid), 0x2902);
}

/* Each of these answers would lead a careless client around in circles, or out of its memory (Vol 3 Part G 3.3.2). */
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
        "0b 00",                               /* the same */
        "01 0a 0100 0a",                       /* an error for another request */
        "01 10 0100",                          /* an error cut short */
        "11",                                  /* cut short */
    };
    (void)state;
    for (size_t i = 0; i < COUNT(answers); i++) {
        setup(NULL);
        assert_int_equal(ys_client_discover(&scripted.host, LINK, &asked.request), YS_OK);
        assert_int_equal(ys_client_read(&scripted.host, LINK, &second.request, 3, values, 2), YS_OK);
        answer("10 0100 ffff 0028", answers[i]);
        assert_outcome(YS_OUTCOME_MALFORMED, 0);
        /* nothing more is asked of such a server: the bearer ends, and with it what still waits */
        assert_sent(&scripted, "01 06 04 03 4000 13");
        assert_int_equal(ys_client_read(&scripted.host, LINK, &asked.request, 3, values, 2), YS_ERROR_NO_CONNECTION);
        give(&scripted, "04 05 04 00 4000 16");
        assert_int_equal(second.request.outcome, YS_OUTCOME_DISCONNECTED);
    }
}

/* Each procedure, begun. */
static enum ys_result begin(char procedure)
{
    static const struct ys_uuid battery = {.length = 2, .bytes = {0x0f, 0x18}};
    static const uint16_t handles[] = {3, 5};
    static const uint8_t bytes[30] = "a value longer than an MTU 23";
    static const struct ys_client_part part = {.handle = 3, .length = 2, .value = bytes};
    static uint8_t buffer[64];
    struct ys_client_request *request = &asked.request;
    switch (procedure) {
    case 'm':
        return ys_client_exchange_mtu(&scripted.host, LINK, request);
    case 'd':
        return ys_client_discover(&scripted.host, LINK, request);
    case 's':
        return ys_client_find_service(&scripted.host, LINK, request, &battery);
    case 'c':
        return ys_client_find_characteristics(&scripted.host, LINK, request, &battery, 1, 9);
    case 'r':
        return ys_client_read(&scripted.host, LINK, request, 3, buffer, sizeof buffer);
    case 'u':
        return ys_client_read_by_uuid(&scripted.host, LINK, request, &battery, 1, 9, buffer, sizeof buffer);
    case 'v':
        return ys_client_read_multiple(&scripted.host, LINK, request, handles, 2, buffer, sizeof buffer);
    case 'w':
        return ys_client_write(&scripted.host, LINK, request, 3, bytes, 2);
    default:
        return ys_client_write_reliable(&scripted.host, LINK, request, &part, 1);
    }
}

/* Every answer, cut off at every length and with a byte more. For each length: D done, R refused, A something more is
 * asked, M malformed, and the bearer ends. */
static void each_length_of_an_answer_is_taken_for_what_it_is(void **state)
{
    static const struct {
        char procedure;
        const char *answer;
        const char *expected;
    } cases[] = {
        {'m', "03 f700", "MMDM"},
        {'d', "11 06 0100 0500 0018", "MMMMMMMAM"},
        {'s', "07 0100 0500", "MMMMAM"},
        {'c', "09 07 0200 02 0300 0f18", "MMMMMMMMAM"},
        {'r', "0b aabb", "DDDD"}, /* any value is one */
        {'u', "09 04 0300 aabb", "MMMMMDM"},
        {'v', "21 0200 aabb 0100 cc", "DDDDDDDDD"}, /* the last may be cut off */
        {'w', "13", "DM"},
        {'q', "17 0300 0000 6120", "MMMMAAAA"}, /* executed, or cancelled */
        {'r', "01 0a 0300 02", "MMMMRM"},
        {'m', "01 02 0000 06", "MMMMRM"},
        {'r', "1e", "AA"}, /* no answer to anything: it goes on waiting */
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        uint8_t bytes[32];
        size_t length = from_hex(cases[i].answer, bytes, sizeof bytes - 1);
        bytes[length] = 0;
        assert_int_equal(strlen(cases[i].expected), length + 1);
        for (size_t cut = 1; cut <= length + 1; cut++) {
            setup(NULL);
            assert_int_equal(begin(cases[i].procedure), YS_OK);
            (void)turn(&scripted);
            forget_sent(&scripted);
            give_buffers(&scripted, LINK, 8);
            give_att(&scripted, LINK, to_hex(bytes, cut));
            const char outcomes[] = {'D', 'R', 'M'}; /* in the order of enum ys_outcome */
            assert_int_equal(asked.done > 0 ? outcomes[asked.request.outcome] : 'A', cases[i].expected[cut - 1]);
            if (cases[i].expected[cut - 1] == 'M')
                assert_sent(&scripted, "01 06 04 03 4000 13");
        }
    }
}

#define HASH "30313233343536373839616263646566"

/* A server with one service and one characteristic in it. */
static void discover_small(void)
{
    answer("10 0100 ffff 0028", "11 06 0100 ffff 0018");
    answer("08 0100 ffff 0228", "01 08 0100 0a");
    answer("08 0100 ffff 0328", "09 07 0200 02 0300 002a");
    answer("08 0300 ffff 0328", "01 08 0300 0a");
    answer("04 0100 ffff", "05 01 0100 0028 0200 0328 0300 002a");
    answer("04 0400 ffff", "01 04 0400 0a");
}

/* Vol 3 Part G 7.3. */
static void what_was_found_is_told_again_while_the_hash_is_the_same(void **state)
{
    static struct ys_found items[4];
    struct ys_client_cache cache = {.items = items, .capacity = 4};
    (void)state;
    assert_int_equal(ys_client_discover_cached(&scripted.host, LINK, &asked.request, &cache), YS_OK);
    answer("08 0100 ffff 2a2b", "09 12 0800 " HASH);
    discover_small();
    assert_outcome(YS_OUTCOME_DONE, 0);
    assert_true(cache.complete);
    assert_int_equal(cache.count, 2);
    assert_int_equal(ys_client_discover_cached(&scripted.host, LINK, &second.request, &cache), YS_OK);
    answer("08 0100 ffff 2a2b", "09 12 0800 " HASH); /* and nothing more */
    assert_int_equal(second.done, 1);
    assert_int_equal(second.found_count, 2);
    assert_memory_equal(second.found, asked.found, 2 * sizeof asked.found[0]);
    asked = second;
    asked.done = 0;
    assert_int_equal(ys_client_discover_cached(&scripted.host, LINK, &asked.request, &cache), YS_OK);
    answer("08 0100 ffff 2a2b", "09 12 0800 00313233343536373839616263646566"); /* another table by now */
    assert_false(cache.complete);
}

static void a_server_without_a_hash_or_a_cache_without_room_is_discovered_each_time(void **state)
{
    static struct ys_found items[1];
    struct ys_client_cache cache = {.items = items, .capacity = 1};
    (void)state;
    assert_int_equal(ys_client_discover_cached(&scripted.host, LINK, &asked.request, &cache), YS_OK);
    answer("08 0100 ffff 2a2b", "01 08 0100 0a");
    discover_small();
    assert_outcome(YS_OUTCOME_DONE, 0);
    assert_int_equal(asked.found_count, 2);
    assert_false(cache.complete);
    asked.done = 0;
    assert_int_equal(ys_client_discover_cached(&scripted.host, LINK, &asked.request, &cache), YS_OK);
    answer("08 0100 ffff 2a2b", "09 12 0800 " HASH);
    discover_small();
    assert_outcome(YS_OUTCOME_DONE, 0);
    assert_false(cache.complete);
    asked.done = 0;
    assert_int_equal(ys_client_discover_cached(&scripted.host, LINK, &asked.request, &cache), YS_OK);
    answer("08 0100 ffff 2a2b", "09 04 0800 0102"); /* no hash is that short */
    assert_outcome(YS_OUTCOME_MALFORMED, 0);
    asked.done = 0;
    assert_int_equal(ys_client_discover_cached(&scripted.host, LINK, &asked.request, NULL), YS_ERROR_ARGUMENT);
}

/* Vol 3 Part F 3.4.3.3, 3.4.3.4; Vol 3 Part G 4.4.2. */
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

/* Vol 3 Part F 3.2.9, 3.4.4.5, 3.4.4.6; Vol 3 Part G 4.8.1, 4.8.3. */
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

/* Vol 3 Part F 3.4.1.1. */
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
    asked.done = 0; /* the same request again: what was before is forgotten */
    assert_int_equal(ys_client_read(&scripted.host, LINK, &asked.request, 12, values, 2), YS_OK);
    answer("0a 0c00", "0b c409");
    assert_outcome(YS_OUTCOME_DONE, 0);
    assert_int_equal(asked.request.length, 2);
}

/* Vol 3 Part F 3.4.4.1, 3.4.4.2; Vol 3 Part G 4.8.2, 4.9.1, 4.9.3; Vol 3 Part C 9.2.7. */
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

/* Vol 3 Part F 3.3.2. */
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

/* Vol 3 Part F 3.4.6.1, 3.4.6.2; Vol 3 Part G 4.9.4. */
static void a_long_value_is_queued_in_parts(void **state)
{
    static uint8_t long_value[40];
    (void)state;
    for (size_t i = 0; i < sizeof long_value; i++)
        long_value[i] = (uint8_t)i;
    assert_int_equal(ys_client_write(&scripted.host, LINK, &asked.request, 3, long_value, 40), YS_OK);
    answer("16 0300 0000 000102030405060708090a0b0c0d0e0f1011", "17 0300 0000 000102030405060708090a0b0c0d0e0f1011");
    answer("16 0300 1200 12131415161718191a1b1c1d1e1f20212223", "17 0300 1200 12131415161718191a1b1c1d1e1f20212223");
    answer("16 0300 2400 24252627", "17 0300 2400 24252627");
    answer("18 01", "19");
    assert_outcome(YS_OUTCOME_DONE, 0);
}

/* Vol 3 Part F 3.4.6.3, 3.4.6.4; Vol 3 Part G 4.9.5. */
static void what_did_not_come_across_is_not_written(void **state)
{
    static const char *const echoes[] = {"17 0300 0000 0a0c", "17 0300 0100 0a0b", "17 0400 0000 0a0b",
                                         "17 0300 0000 0a"};
    const struct ys_client_part parts[] = {{3, 2, (const uint8_t[]){0x0a, 0x0b}}, {5, 1, (const uint8_t[]){0x0c}}};
    (void)state;
    for (size_t i = 0; i < COUNT(echoes); i++) {
        assert_int_equal(ys_client_write_reliable(&scripted.host, LINK, &asked.request, parts, 2), YS_OK);
        answer("16 0300 0000 0a0b", echoes[i]);
        answer("18 00", "19");
        assert_outcome(YS_OUTCOME_MALFORMED, 0);
        asked.done = 0;
    }
    assert_int_equal(ys_client_write_reliable(&scripted.host, LINK, &asked.request, parts, 2), YS_OK);
    answer("16 0300 0000 0a0b", "17 0300 0000 0a0b");
    answer("16 0500 0000 0c", "01 16 0500 03"); /* refused: what was queued is taken back */
    answer("18 00", "19");
    assert_outcome(YS_OUTCOME_REFUSED, 3);
    asked.done = 0;
    assert_int_equal(ys_client_write_reliable(&scripted.host, LINK, &asked.request, parts, 2), YS_OK);
    answer("16 0300 0000 0a0b", "17 0300 0000 0a0b");
    answer("16 0500 0000 0c", "17 0500 0000 0c");
    answer("18 01", "01 18 0500 0d");
    assert_outcome(YS_OUTCOME_REFUSED, 0x0d);
    asked.done = 0;
    assert_int_equal(ys_client_write_reliable(&scripted.host, LINK, &asked.request, parts, 0), YS_ERROR_ARGUMENT);
}

/* Vol 3 Part F 3.4.4.11, 3.4.4.12; Vol 3 Part G 4.8.5. */
static void several_values_are_read_in_one_round(void **state)
{
    static const uint16_t handles[] = {3, 5, 7};
    uint8_t buffer[16];
    (void)state;
    assert_int_equal(ys_client_read_multiple(&scripted.host, LINK, &asked.request, handles, 3, buffer, 16), YS_OK);
    answer("20 0300 0500 0700", "21 0100 0a 0200 0b0c 0000");
    assert_outcome(YS_OUTCOME_DONE, 0);
    assert_hex(buffer, asked.request.length, "0100 0a 0200 0b0c 0000");
    asked.done = 0;
    assert_int_equal(ys_client_read_multiple(&scripted.host, LINK, &asked.request, handles, 2, buffer, 16), YS_OK);
    answer("20 0300 0500", "01 20 0000 06");
    assert_outcome(YS_OUTCOME_REFUSED, 6);
    asked.done = 0;
    assert_int_equal(ys_client_read_multiple(&scripted.host, LINK, &asked.request, handles, 1, buffer, 16),
                     YS_ERROR_ARGUMENT);
    assert_int_equal(ys_client_read_multiple(&scripted.host, LINK, &asked.request, handles, 12, buffer, 16),
                     YS_ERROR_ARGUMENT); /* more than a PDU holds */
}

/* Vol 3 Part G 4.6.2. */
static void characteristics_are_found_by_their_uuid(void **state)
{
    const struct ys_uuid battery = ys_uuid_of(0x2a19);
    (void)state;
    assert_int_equal(ys_client_find_characteristics(&scripted.host, LINK, &asked.request, &battery, 6, 20), YS_OK);
    answer("08 0600 1400 0328", "09 07 0700 02 0800 002a 0900 12 0a00 192a");
    answer("08 0a00 1400 0328", "09 07 1400 02 1500 192a"); /* the end of the range: there is nothing to ask */
    assert_outcome(YS_OUTCOME_DONE, 0);
    assert_int_equal(asked.found_count, 2);
    assert_int_equal(asked.found[0].value_handle, 10);
    assert_int_equal(asked.found[1].value_handle, 21);
    asked.done = 0;
    assert_int_equal(ys_client_find_characteristics(&scripted.host, LINK, &asked.request, &battery, 6, 5),
                     YS_ERROR_ARGUMENT);
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
    assert_int_equal(ys_client_write(&scripted.host, LINK, &asked.request, 3, values, 513), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_client_write(&scripted.host, LINK + 1, &asked.request, 3, values, 2), YS_ERROR_NO_CONNECTION);
    assert_int_equal(ys_client_read(&scripted.host, LINK + 1, &asked.request, 3, values, 2), YS_ERROR_NO_CONNECTION);
    assert_int_equal(ys_client_exchange_mtu(&scripted.host, LINK + 1, &asked.request), YS_ERROR_NO_CONNECTION);
    (void)turn(&scripted);
    assert_sent(&scripted, "");
}

/* Vol 3 Part F 3.3.3; Vol 3 Part G 4.14. */
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

/* Vol 3 Part F 3.4.7.2, 3.4.7.3; Vol 3 Part G 4.10.1, 4.11.1. */
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

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test_setup(the_mtu_is_asked_for_once, setup),
        cmocka_unit_test_setup(everything_is_discovered_in_four_rounds, setup),
        cmocka_unit_test_setup(a_discovery_that_is_led_astray_ends, setup),
        cmocka_unit_test_setup(each_length_of_an_answer_is_taken_for_what_it_is, setup),
        cmocka_unit_test_setup(what_was_found_is_told_again_while_the_hash_is_the_same, setup),
        cmocka_unit_test_setup(a_server_without_a_hash_or_a_cache_without_room_is_discovered_each_time, setup),
        cmocka_unit_test_setup(services_are_found_by_uuid, setup),
        cmocka_unit_test_setup(a_long_value_is_read_to_its_end, setup),
        cmocka_unit_test_setup(a_value_longer_than_the_buffer_is_said_to_be, setup),
        cmocka_unit_test_setup(refusals_carry_the_servers_error, setup),
        cmocka_unit_test_setup(values_are_read_by_uuid_and_written, setup),
        cmocka_unit_test_setup(requests_wait_for_their_turn, setup),
        cmocka_unit_test_setup(a_long_value_is_queued_in_parts, setup),
        cmocka_unit_test_setup(what_did_not_come_across_is_not_written, setup),
        cmocka_unit_test_setup(several_values_are_read_in_one_round, setup),
        cmocka_unit_test_setup(characteristics_are_found_by_their_uuid, setup),
        cmocka_unit_test_setup(requests_that_make_no_sense_are_refused, setup),
        cmocka_unit_test_setup(a_server_that_is_silent_is_left_after_30_s, setup),
        cmocka_unit_test_setup(what_waits_is_told_when_the_connection_ends, setup),
        cmocka_unit_test_setup(values_that_are_sent_are_told_and_indications_confirmed, setup),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
