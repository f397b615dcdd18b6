/* Channels with credits, between two hosts and against a peer that breaks the rules. */
#include "support/check.h"

#include <stdio.h>
#include <string.h>

#include <yarnswift/channel.h>
#include <yarnswift/security.h>

#include "support/hex.h"
#include "support/pair.h"
#include "support/sample.h"
#include "wire/l2cap.h"

#define SERVICE 0x0081
#define SIZE    2000

static struct pair pair;
static uint8_t values[SAMPLE_VALUES_SIZE];
static struct sample sample;
static struct ys_channels channels[3];
static struct ys_channel waiting;
static struct ys_channel opening;
static uint8_t memory[2][SIZE];
static const struct ys_channel_settings settings[2] = {
    {.spsm = SERVICE, .memory = memory[0], .size = SIZE},
    {.spsm = SERVICE, .credits = 3, .memory = memory[1], .size = 500},
};

/* What has come, one message after the other. */
static uint8_t came[2][100000];
static size_t came_length[2];
static size_t came_count[2];
static uint8_t reason;

static void note(struct ys_host *host, void *context, const struct ys_event *event)
{
    size_t i = host == &pair.peripheral.host ? 0 : 1;
    static const struct ys_advertising advertising = {.interval_min_us = 20000, .interval_max_us = 20000};
    (void)context;
    if (event->kind == YS_EVENT_READY && i == 0)
        assert_int_equal(ys_advertise(host, &advertising), YS_OK);
    if (event->kind == YS_EVENT_CHANNEL_REFUSED)
        reason = event->reason;
    if (event->kind != YS_EVENT_CHANNEL_RECEIVED)
        return;
    assert_true(came_length[i] + event->u.channel.length <= sizeof came[i]);
    memcpy(came[i] + came_length[i], event->u.channel.bytes, event->u.channel.length);
    came_length[i] += event->u.channel.length;
    came_count[i]++;
}

static void prepare(struct pair *whose, struct end *end)
{
    size_t i = end == &whose->peripheral ? 0 : end == &whose->central ? 1 : 2;
    ys_host_use_channels(&end->host, &channels[i]);
    end->on_event = note;
}

static void begin(void)
{
    memset(&pair, 0, sizeof pair);
    memset(&waiting, 0, sizeof waiting);
    memset(&opening, 0, sizeof opening);
    memset(came_length, 0, sizeof came_length);
    memset(came_count, 0, sizeof came_count);
    reason = 0;
    sample = (struct sample){.number = 1};
    pair.prepare = prepare;
    pair_begin(&pair, 1, &sample_table, &sample, values, note);
    pair_connect(&pair, &pair.central, 15000);
}

/* The central opens what the peripheral waits for. */
static void begin_open(void)
{
    begin();
    assert_int_equal(ys_channel_wait(&pair.peripheral.host, &waiting, &settings[0]), YS_OK);
    assert_int_equal(ys_channel_open(&pair.central.host, &opening, pair.central.connection, &settings[1]), YS_OK);
    pass_ms(&pair, 100);
    assert_int_equal(waiting.state, YS_CHANNEL_OPEN);
    assert_int_equal(opening.state, YS_CHANNEL_OPEN);
    assert_int_equal(waiting.peer_size, 500);
    assert_int_equal(opening.peer_size, SIZE);
    assert_int_equal(pair.peripheral.counts[YS_EVENT_CHANNEL_OPENED], 1);
    assert_int_equal(pair.central.counts[YS_EVENT_CHANNEL_OPENED], 1);
}

static void fill(uint8_t *bytes, size_t length, uint8_t first)
{
    for (size_t i = 0; i < length; i++)
        bytes[i] = (uint8_t)(first + 7 * i);
}

/* Vol 3 Part A 3.4. */
static void messages_of_every_length_arrive_whole_both_ways(void **state)
{
    static const uint16_t lengths[] = {1, 2, 21, 22, 23, 244, 245, 246, 247, 248, 249, 491, 492, 493, 500};
    uint8_t message[SIZE];
    (void)state;
    begin_open();
    for (size_t i = 0; i < COUNT(lengths); i++) {
        for (size_t way = 0; way < 2; way++) {
            struct end *from = way == 0 ? &pair.central : &pair.peripheral;
            size_t before = came_length[way];
            fill(message, lengths[i], (uint8_t)(i + way));
            assert_int_equal(ys_channel_send(&from->host, way == 0 ? &opening : &waiting, message, lengths[i]), YS_OK);
            pass_ms(&pair, 400);
            assert_int_equal(came_length[way] - before, lengths[i]);
            assert_memory_equal(came[way] + before, message, lengths[i]);
        }
    }
    assert_int_equal(pair.central.counts[YS_EVENT_CHANNEL_SENT], COUNT(lengths));
    assert_in_range(opening.lent, 2, 3); /* credits come back once half are used */
    pair_end(&pair);
}

/* Vol 3 Part A 4.24. */
static void a_message_takes_no_more_than_its_credits(void **state)
{
    uint8_t message[SIZE];
    (void)state;
    begin_open();
    fill(message, SIZE, 3);
    assert_int_equal(ys_channel_send(&pair.central.host, &opening, message, SIZE), YS_OK);
    assert_int_equal(ys_channel_send(&pair.central.host, &opening, message, 1), YS_ERROR_BUSY);
    pass_ms(&pair, 2000);
    assert_int_equal(came_length[0], SIZE);
    assert_memory_equal(came[0], message, SIZE);
    assert_int_equal(ys_channel_send(&pair.central.host, &opening, message, SIZE + 1), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_channel_send(&pair.central.host, &opening, message, 0), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_channel_send(&pair.peripheral.host, &waiting, message, 501), YS_ERROR_ARGUMENT);
    pair_end(&pair);
}

static void a_stream_may_go_over_a_channel(void **state)
{
    static uint8_t ring[3001];
    uint8_t bytes[2500];
    struct ys_stream stream = {.size = 0};
    (void)state;
    begin_open();
    assert_int_equal(ys_channel_stream(&waiting, &stream), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_stream_open(&pair.peripheral.host, &stream, 20, ring, sizeof ring), YS_OK);
    assert_int_equal(ys_channel_stream(&waiting, &stream), YS_OK);
    for (int i = 0; i < 20; i++) {
        fill(bytes, sizeof bytes, (uint8_t)i);
        assert_true(ys_stream_append(&stream, bytes, sizeof bytes));
        pass_ms(&pair, 1500);
        assert_int_equal(came_length[1], (size_t)(i + 1) * sizeof bytes);
        assert_memory_equal(came[1] + (size_t)i * sizeof bytes, bytes, sizeof bytes);
    }
    assert_int_equal(ys_channel_send(&pair.peripheral.host, &waiting, bytes, 1), YS_ERROR_BUSY);
    assert_int_equal(ys_channel_stream(&waiting, NULL), YS_OK);
    pair_end(&pair);
}

/* Vol 3 Part A 4.6, 4.7. */
static void a_channel_that_was_closed_can_be_opened_again(void **state)
{
    (void)state;
    begin_open();
    for (int i = 0; i < 3; i++) {
        assert_int_equal(ys_channel_close(&pair.central.host, &opening), YS_OK);
        pass_ms(&pair, 100);
        assert_int_equal(opening.state, YS_CHANNEL_CLOSED);
        assert_int_equal(waiting.state, YS_CHANNEL_WAITING);
        assert_int_equal(pair.central.counts[YS_EVENT_CHANNEL_CLOSED], i + 1);
        assert_int_equal(pair.peripheral.counts[YS_EVENT_CHANNEL_CLOSED], i + 1);
        assert_int_equal(ys_channel_close(&pair.central.host, &opening), YS_ERROR_ARGUMENT);
        assert_int_equal(ys_channel_open(&pair.central.host, &opening, pair.central.connection, &settings[1]), YS_OK);
        pass_ms(&pair, 100);
        assert_int_equal(opening.state, YS_CHANNEL_OPEN);
    }
    assert_int_equal(ys_disconnect(&pair.central.host, pair.central.connection), YS_OK);
    pass_ms(&pair, 200);
    assert_int_equal(opening.state, YS_CHANNEL_CLOSED);
    assert_int_equal(waiting.state, YS_CHANNEL_WAITING);
    assert_int_equal(ys_channel_close(&pair.peripheral.host, &waiting), YS_OK);
    assert_int_equal(waiting.state, YS_CHANNEL_CLOSED);
    pair_end(&pair);
}

/* Vol 3 Part A 4.22, 4.23. */
static void what_nobody_waits_for_is_refused(void **state)
{
    struct ys_channel_settings other = settings[0];
    (void)state;
    begin();
    assert_int_equal(ys_channel_open(&pair.central.host, &opening, pair.central.connection, &settings[1]), YS_OK);
    pass_ms(&pair, 100);
    assert_int_equal(reason, YS_CHANNEL_NO_SERVICE);
    assert_int_equal(opening.state, YS_CHANNEL_CLOSED);
    other.level = YS_LEVEL_ENCRYPTED; /* encrypted, and pairing is not used */
    assert_int_equal(ys_channel_wait(&pair.peripheral.host, &waiting, &other), YS_OK);
    assert_int_equal(ys_channel_open(&pair.central.host, &opening, pair.central.connection, &settings[1]), YS_OK);
    pass_ms(&pair, 100);
    assert_int_equal(reason, YS_CHANNEL_AUTHENTICATION);
    pair_end(&pair);
}

/* Vol 3 Part C 10.2.1. */
static void a_channel_asks_for_all_that_its_level_means(void **state)
{
    static const struct {
        uint8_t level;
        struct ys_link_security security;
        uint8_t reason; /* 0: it is opened */
    } cases[] = {
        {YS_LEVEL_ENCRYPTED, {.key_size = 0, .has_key = true}, YS_CHANNEL_ENCRYPTION},
        {YS_LEVEL_ENCRYPTED, {.key_size = 7}, 0},
        {YS_LEVEL_AUTHENTICATED, {.key_size = 16, .secure_connections = true}, YS_CHANNEL_AUTHENTICATION},
        {YS_LEVEL_AUTHENTICATED, {.key_size = 7, .authenticated = true}, 0},
        {YS_LEVEL_SECURE_CONNECTIONS, {.key_size = 16, .authenticated = true}, YS_CHANNEL_AUTHENTICATION},
        {YS_LEVEL_SECURE_CONNECTIONS,
         {.key_size = 7, .authenticated = true, .secure_connections = true},
         YS_CHANNEL_KEY_SIZE},
        {YS_LEVEL_SECURE_CONNECTIONS,
         {.key_size = 15, .authenticated = true, .secure_connections = true},
         YS_CHANNEL_KEY_SIZE},
        {YS_LEVEL_SECURE_CONNECTIONS, {.key_size = 16, .authenticated = true, .secure_connections = true}, 0},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct ys_channel_settings asks = settings[0];
        asks.level = cases[i].level;
        begin();
        pair.peripheral.host.connections[0].security = cases[i].security; /* as pairing sets it */
        assert_int_equal(ys_channel_wait(&pair.peripheral.host, &waiting, &asks), YS_OK);
        assert_int_equal(ys_channel_open(&pair.central.host, &opening, pair.central.connection, &settings[1]), YS_OK);
        pass_ms(&pair, 100);
        assert_int_equal(opening.state, cases[i].reason == 0 ? YS_CHANNEL_OPEN : YS_CHANNEL_CLOSED);
        if (cases[i].reason != 0)
            assert_int_equal(reason, cases[i].reason);
        pair_end(&pair);
    }
}

static void wrong_settings_are_errors(void **state)
{
    static const struct ys_channel_settings wrong[] = {
        {.spsm = 0, .memory = memory[0], .size = 100},
        {.spsm = 0x100, .memory = memory[0], .size = 100},
        {.spsm = 0x80, .memory = NULL, .size = 100},
        {.spsm = 0x80, .memory = memory[0], .size = 22},
        {.spsm = 0x80, .memory = memory[0], .size = 100, .level = 9},
    };
    (void)state;
    begin();
    for (size_t i = 0; i < COUNT(wrong); i++)
        assert_int_equal(ys_channel_wait(&pair.central.host, &opening, &wrong[i]), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_channel_open(&pair.central.host, &opening, 0x0eee, &settings[0]), YS_ERROR_NO_CONNECTION);
    assert_int_equal(ys_channel_send(&pair.central.host, &opening, "a", 1), YS_ERROR_NO_CONNECTION);
    pair_end(&pair);
}

static void inject(uint16_t channel, const char *hex)
{
    uint8_t bytes[255];
    size_t length = from_hex(hex, bytes, sizeof bytes);
    ys_simulated_inject(pair.central.simulated, pair.central.connection, channel, bytes, (uint16_t)length);
    pass_ms(&pair, 100);
}

/* Vol 3 Part A 3.4, 10.1: whoever sends more than it may, or what makes no sense, loses the channel, and no more than
 * that. */
static void a_peer_that_breaks_the_rules_loses_the_channel(void **state)
{
    static const struct {
        uint16_t channel;
        const char *hex;
    } cases[] = {
        {0x40, "d107 01"},                             /* 2,001 bytes announced */
        {0x40, "0000"},                                /* none */
        {0x40, "01"},                                  /* half a length */
        {0x40, "0200 010203"},                         /* more than announced */
        {YS_L2CAP_SIGNALLING, "16 70 0400 4000 0000"}, /* no credits */
        {YS_L2CAP_SIGNALLING, "16 70 0400 4000 ffff"}, /* too many */
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        begin_open();
        inject(cases[i].channel, cases[i].hex);
        pass_ms(&pair, 200);
        assert_int_equal(pair.peripheral.counts[YS_EVENT_CHANNEL_CLOSED], 1);
        assert_int_equal(pair.central.counts[YS_EVENT_CHANNEL_CLOSED], 1);
        assert_int_equal(pair.peripheral.counts[YS_EVENT_CHANNEL_RECEIVED], 0);
        assert_int_equal(pair.peripheral.counts[YS_EVENT_DISCONNECTED], 0);
        assert_int_equal(waiting.state, YS_CHANNEL_WAITING);
        pair_end(&pair);
    }
}

/* Vol 3 Part A 4.24. */
/* Vol 3 Part A 4.24. */
static void credits_are_for_the_channel_that_they_name(void **state)
{
    char hex[40];
    (void)state;
    begin_open();
    uint16_t credits = waiting.credits;
    inject(0x0005, "16 09 0400 5500 0500"); /* of a channel that there is not */
    pass_ms(&pair, 50);
    assert_int_equal(waiting.credits, credits);
    (void)snprintf(hex, sizeof hex, "16 0a 0400 %02x00 0500", opening.own_id);
    inject(0x0005, hex);
    pass_ms(&pair, 50);
    assert_int_equal(waiting.credits, credits + 5);
    assert_int_equal(waiting.state, YS_CHANNEL_OPEN);
    pair_end(&pair);
}

static void more_packets_than_credits_end_the_channel(void **state)
{
    (void)state;
    begin_open();
    waiting.lent = 1;
    inject(0x40, "0900 0102");
    assert_int_equal(waiting.state, YS_CHANNEL_OPEN);
    waiting.lent = 0;
    waiting.due = 0;
    inject(0x40, "0304");
    pass_ms(&pair, 200);
    assert_int_equal(pair.central.counts[YS_EVENT_CHANNEL_CLOSED], 1);
    pair_end(&pair);
}

/* Vol 3 Part A 4.22, 4.23. */
static void requests_that_cannot_be_are_refused_with_the_reason(void **state)
{
    static const char *const requests[] = {
        "14 70 0a00 8100 3f00 e803 6400 0a00", /* a channel that is not one of those: 0x09 */
        "14 70 0a00 8100 4000 e803 6400 0a00", /* one that is taken: 0x0a, or nobody waits */
        "14 70 0a00 8100 4100 1600 6400 0a00", /* 22 bytes */
        "14 70 0a00 8100 4100 6400 1600 0a00",
        "14 70 0800 8100 4100 6400 1600", /* too short */
        "06 70 0400 4500 4600",           /* ends what is not there */
        "16 70 0400 4500 0100",           /* lends to nobody */
        "07 70 0400 4500 4600",
        "15 70 0a00 4000 6400 6400 0a00 0000", /* nobody asked */
    };
    (void)state;
    begin_open();
    for (size_t i = 0; i < COUNT(requests); i++)
        inject(YS_L2CAP_SIGNALLING, requests[i]);
    assert_int_equal(waiting.state, YS_CHANNEL_OPEN);
    assert_int_equal(ys_channel_send(&pair.central.host, &opening, "still here", 10), YS_OK);
    pass_ms(&pair, 100);
    assert_memory_equal(came[0], "still here", 10);
    pair_end(&pair);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(messages_of_every_length_arrive_whole_both_ways),
        cmocka_unit_test(a_message_takes_no_more_than_its_credits),
        cmocka_unit_test(a_stream_may_go_over_a_channel),
        cmocka_unit_test(a_channel_that_was_closed_can_be_opened_again),
        cmocka_unit_test(what_nobody_waits_for_is_refused),
        cmocka_unit_test(a_channel_asks_for_all_that_its_level_means),
        cmocka_unit_test(wrong_settings_are_errors),
        cmocka_unit_test(a_peer_that_breaks_the_rules_loses_the_channel),
        cmocka_unit_test(credits_are_for_the_channel_that_they_name),
        cmocka_unit_test(more_packets_than_credits_end_the_channel),
        cmocka_unit_test(requests_that_cannot_be_are_refused_with_the_reason),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
