/* Peers and controllers that misbehave, and firmware that does what is legal and unusual: each of these was seen to go
 * wrong. */
#include "support/check.h"

#include <stdio.h>
#include <string.h>

#include <yarnswift/channel.h>
#include <yarnswift/link.h>
#include <yarnswift/pairing.h>
#include <yarnswift/sets.h>

#include "host/core/connections.h"
#include "host/l2cap/frames.h"
#include "machine/crypto.h"
#include "support/hex.h"
#include "support/pair.h"
#include "support/sample.h"
#include "support/scripted.h"
#include "support/secure.h"
#include "wire/hci.h"
#include "wire/l2cap.h"

#define LINK 0x0040

static struct scripted scripted;
static struct sample sample;
static uint8_t memory[SAMPLE_VALUES_SIZE];

static void start(uint16_t buffer_length, uint8_t buffer_count)
{
    sample = (struct sample){.number = 0x1234, .battery = 57};
    scripted_init(&scripted, &sample_table, memory, &sample);
    scripted_start(&scripted, buffer_length, buffer_count);
}

static void exchange(uint16_t handle, const char *request, const char *response)
{
    forget_sent(&scripted);
    give_att(&scripted, handle, request);
    assert_att(&scripted, handle, response);
    give_buffers(&scripted, handle, 8);
}

/* what the controller is told */

static void a_command_that_has_become_pointless_is_not_sent(void **state)
{
    static const struct ys_scanning scanning = {.interval_us = 100000, .window_us = 50000};
    (void)state;
    start(27, 8);
    connect_it(&scripted, LINK, 1);
    connect_it(&scripted, LINK + 1, 1);
    forget_sent(&scripted);
    assert_int_equal(ys_scan(&scripted.host, &scanning), YS_OK);
    (void)turn(&scripted);
    assert_sent(&scripted, "01 0b20 07 00 a000 5000 01 00");
    assert_int_equal(ys_disconnect(&scripted.host, LINK), YS_OK); /* while the controller is asked something else */
    give(&scripted, "04 05 04 00 4000 13");                       /* and by then it is over */
    complete(&scripted, 0x200b, "");
    assert_sent(&scripted, "01 0c20 02 01 00");
    complete(&scripted, 0x200c, "");
    assert_sent(&scripted, "");
    assert_int_equal(ys_disconnect(&scripted.host, LINK + 1), YS_OK);
    (void)turn(&scripted);
    assert_sent(&scripted, "01 0604 03 4100 13");
}

static void a_controller_that_is_silent_has_lost_its_connections(void **state)
{
    (void)state;
    start(27, 8);
    connect_it(&scripted, LINK, 1);
    connect_it(&scripted, LINK + 1, 0);
    assert_int_equal(ys_disconnect(&scripted.host, LINK), YS_OK);
    (void)turn(&scripted);
    scripted.now_ms += YS_COMMAND_TIMEOUT_MS;
    (void)turn(&scripted);
    assert_int_equal(count_events(&scripted, YS_EVENT_DISCONNECTED), 2);
    assert_int_equal(scripted.events[scripted.event_count - 1].kind, YS_EVENT_CONTROLLER_FAILED);
    assert_int_equal(ys_host_mtu(&scripted.host, LINK), 0);
}

/* A controller without extended advertising would only hear what is on 1M. */
static void what_the_controller_cannot_hear_is_refused(void **state)
{
    static const struct ys_scanning coded = {.interval_us = 100000, .window_us = 50000, .phys = YS_CODED};
    struct ys_sets sets;
    (void)state;
    sample = (struct sample){.number = 1};
    scripted_init(&scripted, &sample_table, memory, &sample);
    ys_host_use_sets(&scripted.host, &sets);
    scripted_start(&scripted, 27, 8);
    assert_int_equal(ys_scan(&scripted.host, &coded), YS_ERROR_UNSUPPORTED);
    (void)turn(&scripted);
    assert_sent(&scripted, "");
}

/* what is on the way */

static void a_peer_that_acknowledges_nothing_leaves_room_for_short_values_of_others(void **state)
{
    (void)state;
    start(27, 3);
    connect_it(&scripted, LINK, 1);
    connect_it(&scripted, LINK + 1, 1);
    forget_sent(&scripted);
    give_att(&scripted, LINK + 1, "02 4d00"); /* an MTU of 77, which takes all three buffers */
    give_buffers(&scripted, LINK + 1, 3);
    give_att(&scripted, LINK + 1, "12 1500 0100");
    give_buffers(&scripted, LINK + 1, 3);
    give_att(&scripted, LINK, "0a 0300"); /* whose answer is never acknowledged */
    forget_sent(&scripted);
    ys_host_changed(&scripted.host, 20);
    (void)turn(&scripted);
    assert_att(&scripted, LINK + 1, "1b 1400 39");
}

/* Handlers of their own: the first read of the value waits, and the next notification answers it. */

static struct {
    struct ys_host *host;
    uint32_t token;
    bool waits;
} yard;

static uint8_t read_later(const struct ys_access *access, struct ys_writer *value)
{
    if (access->token != 0 && yard.waits) {
        yard.waits = false;
        yard.token = access->token;
        return YS_LATER;
    }
    if (access->token == 0 && yard.token != 0) {
        assert_int_equal(ys_answer(access->host, yard.token, YS_ATT_OK, "x", 1), YS_OK);
        yard.token = 0;
    }
    ys_put_u8(value, 'y');
    return YS_ATT_OK;
}

static const struct ys_value value = {.read = read_later, .stored_at = YS_NONE, .notifiable = 0};
static const struct ys_attribute attributes[] = {
    {0x180f, YS_ATTRIBUTE_SERVICE, 0, YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_NONE, YS_RIGHT_NONE), 4, NULL},
    {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x32, YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_NONE, YS_RIGHT_NONE), 5, NULL},
    {0x2a19, YS_ATTRIBUTE_VALUE, 0, YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_NONE, YS_RIGHT_OPEN), 1, &value},
    {0, YS_ATTRIBUTE_CONFIGURATION, 0, YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_OPEN, YS_RIGHT_NONE), 2, NULL},
};
static const struct ys_notifiable notifiables[] = {{3, 0}};
static const struct ys_table table = {attributes, NULL, notifiables, NULL, 4, 1, 0, 0};

/* The port has no `wake`: a turn must say by itself that it has left work behind. Whichever connection goes first. */
static void an_answer_from_a_handler_of_another_connection_is_sent(void **state)
{
    (void)state;
    scripted_init(&scripted, &table, NULL, NULL);
    scripted_start(&scripted, 27, 8);
    connect_it(&scripted, LINK, 1);
    connect_it(&scripted, LINK + 1, 1);
    give_att(&scripted, LINK + 1, "12 0400 0100");
    for (int i = 0; i < 6; i++) {
        give_buffers(&scripted, LINK, 8);
        give_buffers(&scripted, LINK + 1, 8);
        yard.waits = true;
        give_att(&scripted, LINK, "0a 0300");
        for (int j = 0; j < i; j++)
            (void)turn(&scripted);
        forget_sent(&scripted);
        ys_host_changed(&scripted.host, 3);
        for (int j = 0; j < 8 && turn(&scripted) == 0; j++)
            continue;
        assert_int_equal(scripted.sent_count, 2); /* the notification, and the answer */
    }
}

/* refusals */

static void every_signal_that_nobody_understands_is_answered(void **state)
{
    (void)state;
    start(27, 8);
    connect_it(&scripted, LINK, 1);
    forget_sent(&scripted);
    leave_packet(&scripted, "02 4020 0800 0400 0500 08 07 0000");
    give(&scripted, "02 4020 0800 0400 0500 0a 09 0000");
    assert_sent(&scripted, "02 4000 0a00 0600 0500 01 07 0200 0000 | 02 4000 0a00 0600 0500 01 09 0200 0000");
}

static void a_central_without_links_says_no_to_other_parameters(void **state)
{
    (void)state;
    start(27, 8);
    connect_it(&scripted, LINK, 0);
    forget_sent(&scripted);
    give(&scripted, "02 4020 1000 0c00 0500 12 05 0800 0600 0c00 0000 9001");
    assert_sent(&scripted, "02 4000 0a00 0600 0500 13 05 0200 0100");
}

/* time that is over */

static void after_an_indication_that_is_not_confirmed_nothing_more_is_said(void **state)
{
    (void)state;
    scripted_init(&scripted, &table, NULL, NULL);
    scripted_start(&scripted, 27, 8);
    connect_it(&scripted, LINK, 1);
    exchange(LINK, "12 0400 0200", "13");
    ys_host_changed(&scripted.host, 3);
    (void)turn(&scripted);
    assert_att(&scripted, LINK, "1d 0300 79");
    give_buffers(&scripted, LINK, 8);
    ys_host_changed(&scripted.host, 3);
    scripted.now_ms += 30000;
    (void)turn(&scripted);
    assert_sent(&scripted, "01 0604 03 4000 13");
    for (int i = 0; i < 4; i++) {
        ys_host_changed(&scripted.host, 3);
        (void)turn(&scripted);
    }
    give_att(&scripted, LINK, "0a 0300"); /* and nothing is taken */
    give_att(&scripted, LINK, "1e");
    assert_sent(&scripted, "");
}

/* Vol 3 Part A 6.2.1. */
static void a_channel_that_nobody_answers_for_is_given_up(void **state)
{
    static uint8_t into[100];
    static const struct ys_channel_settings settings = {.spsm = 0x81, .memory = into, .size = sizeof into};
    struct ys_channels channels;
    struct ys_channel channel = {.state = YS_CHANNEL_CLOSED};
    (void)state;
    sample = (struct sample){.number = 1};
    scripted_init(&scripted, &sample_table, memory, &sample);
    ys_host_use_channels(&scripted.host, &channels);
    scripted_start(&scripted, 27, 8);
    connect_it(&scripted, LINK, 0);
    forget_sent(&scripted);
    assert_int_equal(ys_channel_open(&scripted.host, &channel, LINK, &settings), YS_OK);
    assert_in_range(turn(&scripted), 1, 30000);
    assert_int_equal(scripted.sent_count, 1);
    scripted.now_ms += 29999;
    assert_int_equal(turn(&scripted), 1);
    assert_int_equal(channel.state, YS_CHANNEL_OPENING);
    scripted.now_ms += 1;
    (void)turn(&scripted);
    assert_int_equal(last_event(&scripted, YS_EVENT_CHANNEL_REFUSED)->reason, YS_CHANNEL_NO_ANSWER);
    assert_int_equal(channel.state, YS_CHANNEL_CLOSED);
    /* the other side opens one, and does not say that it is over */
    assert_int_equal(ys_channel_wait(&scripted.host, &channel, &settings), YS_OK);
    give(&scripted, "02 4020 1200 0e00 0500 14 03 0a00 8100 4000 4000 1700 0500");
    assert_int_equal(channel.state, YS_CHANNEL_OPEN);
    assert_int_equal(ys_channel_close(&scripted.host, &channel), YS_OK);
    (void)turn(&scripted);
    scripted.now_ms += 30000;
    (void)turn(&scripted);
    assert_int_equal(count_events(&scripted, YS_EVENT_CHANNEL_CLOSED), 1);
    assert_int_equal(channel.state, YS_CHANNEL_CLOSED);
}

/* Firmware that closes every channel as soon as one is over: the list becomes shorter while it is gone over. */

static struct ys_channel several[3];

static void close_all(struct scripted *of, const struct ys_event *event)
{
    if (event->kind != YS_EVENT_CHANNEL_CLOSED)
        return;
    for (size_t i = 0; i < 3; i++) {
        if (several[i].state != YS_CHANNEL_CLOSED)
            (void)ys_channel_close(&of->host, &several[i]);
        if (several[i].state == YS_CHANNEL_CLOSED)
            memset(&several[i], 0xff, sizeof several[i]); /* its memory is the firmware's again */
        if (several[i].state == 0xff)
            several[i].state = YS_CHANNEL_CLOSED;
    }
}

static void all_channels_may_be_closed_when_one_is(void **state)
{
    static uint8_t into[3][100];
    struct ys_channels channels;
    (void)state;
    scripted_init(&scripted, &sample_table, memory, &sample);
    ys_host_use_channels(&scripted.host, &channels);
    scripted_start(&scripted, 27, 8);
    connect_it(&scripted, LINK, 1);
    memset(several, 0, sizeof several);
    for (size_t i = 0; i < 3; i++) {
        const struct ys_channel_settings settings = {.spsm = 0x81, .memory = into[i], .size = sizeof into[i]};
        assert_int_equal(i == 1 ? ys_channel_wait(&scripted.host, &several[i], &settings)
                                : ys_channel_open(&scripted.host, &several[i], LINK, &settings),
                         YS_OK);
    }
    (void)turn(&scripted);
    scripted.on_event = close_all;
    give(&scripted, "04 05 04 00 4000 13");
    for (size_t i = 0; i < 3; i++)
        assert_int_equal(several[i].state, YS_CHANNEL_CLOSED);
    assert_null(channels.first);
}

static void parameters_that_nobody_answers_for_are_refused_in_time(void **state)
{
    static const struct ys_link_wishes wishes = {
        .interval_min_us = 100000, .interval_max_us = 100000, .supervision_timeout_ms = 4000};
    struct ys_links links;
    (void)state;
    scripted_init(&scripted, &sample_table, memory, &sample);
    assert_int_equal(ys_host_use_links(&scripted.host, &links, &wishes), YS_OK);
    scripted_start(&scripted, 27, 8);
    connect_it(&scripted, LINK, 1);
    leave_packet(&scripted,
                 "04 0f 04 01 01 1320"); /* LE Connection Update is an unknown command: the other host is asked */
    assert_in_range(turn(&scripted), 0, 30000);
    assert_in_range(turn(&scripted), 1, 30000);
    scripted.now_ms += 29999;
    (void)turn(&scripted);
    assert_int_equal(count_events(&scripted, YS_EVENT_LINK_REFUSED), 0);
    scripted.now_ms += 1;
    (void)turn(&scripted);
    assert_int_equal(last_event(&scripted, YS_EVENT_LINK_REFUSED)->reason, YS_HCI_TIMEOUT);
}

static void queued_writes_of_one_client_give_way_in_time(void **state)
{
    char part[128] = "16 0d00 0000";
    (void)state;
    start(251, 8);
    connect_it(&scripted, LINK, 1);
    connect_it(&scripted, LINK + 1, 1);
    exchange(LINK, "02 f700", "03 f700");
    for (unsigned offset = 0; scripted.event_count < 60; offset += 18) {
        (void)snprintf(part, sizeof part, "16 0d00 %02x%02x 000102030405060708090a0b0c0d0e0f1011", offset & 0xff,
                       offset >> 8);
        give_att(&scripted, LINK, part);
        bool full = scripted.sent[scripted.sent_count - 1][9] == 0x01;
        forget_sent(&scripted);
        give_buffers(&scripted, LINK, 8);
        if (full)
            break;
    }
    /* no value is longer than 512 bytes: what lies after is not kept even if there were room */
    exchange(LINK + 1, "16 0d00 0000 aabb", "01 16 0d00 09");
    scripted.now_ms += 29999;
    exchange(LINK + 1, "16 0d00 0000 aabb", "01 16 0d00 09");
    scripted.now_ms += 1;
    exchange(LINK + 1, "16 0d00 0000 aabb", "17 0d00 0000 aabb");
    exchange(LINK + 1, "18 01", "19");
    exchange(LINK + 1, "0a 0d00", "0b aabb");
    /* who has lost its parts is told, once, and nothing is written */
    exchange(LINK, "18 01", "01 18 0000 11");
    exchange(LINK, "0a 0d00", "0b aabb");
    exchange(LINK, "16 0d00 0000 ccdd", "17 0d00 0000 ccdd");
    exchange(LINK, "18 01", "19");
    exchange(LINK, "0a 0d00", "0b ccdd");
}

/* extras, in any order */

static const int orders[24][4] = {{0, 1, 2, 3}, {0, 1, 3, 2}, {0, 2, 1, 3}, {0, 2, 3, 1}, {0, 3, 1, 2}, {0, 3, 2, 1},
                                  {1, 0, 2, 3}, {1, 0, 3, 2}, {1, 2, 0, 3}, {1, 2, 3, 0}, {1, 3, 0, 2}, {1, 3, 2, 0},
                                  {2, 0, 1, 3}, {2, 0, 3, 1}, {2, 1, 0, 3}, {2, 1, 3, 0}, {2, 3, 0, 1}, {2, 3, 1, 0},
                                  {3, 0, 1, 2}, {3, 0, 2, 1}, {3, 1, 0, 2}, {3, 1, 2, 0}, {3, 2, 0, 1}, {3, 2, 1, 0}};

static struct pair pair;
static const int *order;
static struct {
    struct ys_sets sets;
    struct ys_pairing pairing;
    struct ys_links links;
    struct ys_channels channels;
} parts[3];

static void use_part(struct end *end, size_t who, int which)
{
    static const struct ys_security security = {
        .capability = YS_CAPABILITY_NONE, .key_size_min = 16, .key_size_max = 16, .passkey = YS_PASSKEY_RANDOM};
    static const struct ys_link_wishes wishes = {
        .interval_min_us = 15000, .interval_max_us = 15000, .supervision_timeout_ms = 2000, .packet_length = 100};
    if (which == 0)
        ys_host_use_sets(&end->host, &parts[who].sets);
    else if (which == 1)
        assert_int_equal(ys_host_use_pairing(&end->host, &parts[who].pairing, &security), YS_OK);
    else if (which == 2)
        assert_int_equal(ys_host_use_links(&end->host, &parts[who].links, who == 0 ? &wishes : NULL), YS_OK);
    else
        ys_host_use_channels(&end->host, &parts[who].channels);
}

static void use_parts(struct pair *whose, struct end *end)
{
    size_t who = end == &whose->peripheral ? 0 : end == &whose->central ? 1 : 2;
    for (size_t i = 0; i < 4; i++)
        use_part(end, who, order[i]);
}

static void advertise(struct ys_host *host, void *context, const struct ys_event *event)
{
    static const struct ys_advertising advertising = {.interval_min_us = 20000, .interval_max_us = 20000};
    (void)context;
    if (event->kind == YS_EVENT_READY)
        assert_int_equal(ys_advertise_set(host, 0, &advertising), YS_OK);
}

static void extras_do_not_care_who_was_first(void **state)
{
    static uint8_t into[2][100];
    (void)state;
    for (size_t i = 0; i < 24; i++) {
        struct ys_channel waiting = {.state = YS_CHANNEL_CLOSED};
        struct ys_channel opening = {.state = YS_CHANNEL_CLOSED};
        const struct ys_channel_settings settings[2] = {
            {.spsm = 0x81, .level = YS_LEVEL_ENCRYPTED, .memory = into[0], .size = sizeof into[0]},
            {.spsm = 0x81, .memory = into[1], .size = sizeof into[1]}};
        memset(&pair, 0, sizeof pair);
        pair.sets = 2;
        pair.prepare = use_parts;
        order = orders[i];
        pair_begin(&pair, 1, &sample_table, &sample, memory, advertise);
        pair_connect(&pair, &pair.central, 30000);
        pass_ms(&pair, 2000);
        struct ys_link_state link;
        assert_int_equal(ys_link_get(&pair.central.host, pair.central.connection, &link), YS_OK);
        assert_int_equal(link.interval_us, 15000);
        assert_int_equal(link.receive_length, 100);
        assert_int_equal(ys_secure(&pair.central.host, pair.central.connection, YS_LEVEL_ENCRYPTED), YS_OK);
        pass_ms(&pair, 2000);
        assert_int_equal(pair.peripheral.counts[YS_EVENT_SECURED], 1);
        assert_int_equal(ys_channel_wait(&pair.peripheral.host, &waiting, &settings[0]), YS_OK);
        assert_int_equal(ys_channel_open(&pair.central.host, &opening, pair.central.connection, &settings[1]), YS_OK);
        pass_ms(&pair, 500);
        assert_int_equal(waiting.state, YS_CHANNEL_OPEN);
        assert_int_equal(ys_disconnect(&pair.central.host, pair.central.connection), YS_OK);
        pass_ms(&pair, 500);
        assert_int_equal(waiting.state, YS_CHANNEL_WAITING);
        assert_int_equal(opening.state, YS_CHANNEL_CLOSED);
        pair_end(&pair);
    }
}

/* Vol 3 Part A 4.22, 4.23: the reasons, as they go over the air. */
static void a_channel_that_cannot_be_is_refused_with_its_reason(void **state)
{
    static const struct {
        const char *request; /* from its number on: source, message, packet, credits */
        const char *answer;  /* the channel and what it takes, and the result */
    } cases[] = {
        {"8200 4000 6400 6400 0a00", "0000 0000 0000 0000 0200"}, /* nobody waits there */
        {"8100 3f00 6400 6400 0a00", "0000 0000 0000 0000 0900"}, /* the first and the last that are none */
        {"8100 8000 6400 6400 0a00", "0000 0000 0000 0000 0900"},
        {"8100 4000 1600 6400 0a00", "0000 0000 0000 0000 0b00"}, /* 22 bytes */
        {"8100 4000 6400 1600 0a00", "0000 0000 0000 0000 0b00"},
        {"8100 4000 1700 1700 0a00", "4000 6400 6400 0200 0000"}, /* 23: it is opened */
        {"8100 4000 6400 6400 0a00", "0000 0000 0000 0000 0a00"}, /* that one is taken */
        {"8100 7f00 6400 6400 0a00", "4100 6400 6400 0200 0000"},
        {"8100 4100 6400 6400 0a00", "0000 0000 0000 0000 0200"}, /* nobody waits any more */
    };
    static uint8_t into[2][100];
    static struct ys_channels channels;
    static struct ys_channel waiting[2];
    char hex[100];
    (void)state;
    scripted_init(&scripted, &sample_table, memory, &sample);
    ys_host_use_channels(&scripted.host, &channels);
    scripted_start(&scripted, 251, 8);
    for (size_t i = 0; i < 2; i++) {
        const struct ys_channel_settings settings = {
            .spsm = 0x81, .memory = into[i], .size = sizeof into[i], .credits = 2};
        assert_int_equal(ys_channel_wait(&scripted.host, &waiting[i], &settings), YS_OK);
    }
    connect_it(&scripted, LINK, 1);
    for (size_t i = 0; i < COUNT(cases); i++) {
        forget_sent(&scripted);
        (void)snprintf(hex, sizeof hex, "02 4020 1200 0e00 0500 14 3%zu 0a00 %s", i, cases[i].request);
        give(&scripted, hex);
        (void)turn(&scripted);
        (void)snprintf(hex, sizeof hex, "02 4000 1200 0e00 0500 15 3%zu 0a00 %s", i, cases[i].answer);
        assert_sent(&scripted, hex);
        give_buffers(&scripted, LINK, 1);
    }
}

/* Vol 3 Part C 10.5: where nobody gives consent, nobody has it. */
static void what_asks_for_consent_is_refused_where_nobody_gives_it(void **state)
{
    static const uint8_t bytes[2] = {1, 2};
    static const struct ys_value asked_for = {NULL, NULL, bytes, 2, YS_NONE, YS_NONE};
    static const uint16_t open = YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_NONE, YS_RIGHT_NONE);
    const struct ys_attribute rows[] = {
        {0x180f, YS_ATTRIBUTE_SERVICE, 0, open, 5, NULL},
        {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x02, open, 5, NULL},
        {0x2a19, YS_ATTRIBUTE_VALUE, 0, open | YS_ASKS_TO_READ, 2, &asked_for},
        {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x02, open, 5, NULL},
        {0x2a1a, YS_ATTRIBUTE_VALUE, 0, open, 2, &asked_for},
    };
    const struct ys_table small = {.attributes = rows, .attribute_count = COUNT(rows)};
    (void)state;
    scripted_init(&scripted, &small, memory, NULL);
    scripted_start(&scripted, 27, 8);
    connect_it(&scripted, LINK, 1);
    exchange(LINK, "0a 0300", "01 0a 0300 08");
    exchange(LINK, "0a 0500", "0b 0102");
}

/* pairing */

static const struct ys_security private_one = {.capability = YS_CAPABILITY_NONE,
                                               .key_size_min = 16,
                                               .key_size_max = 16,
                                               .bonds = 4,
                                               .privacy = true,
                                               .rotation_s = 3600,
                                               .passkey = YS_PASSKEY_RANDOM};

static void a_scan_that_is_stopped_stays_so_when_the_address_changes(void **state)
{
    static const struct ys_scanning scanning = {.interval_us = 100000, .window_us = 50000};
    struct yard yard_of = {.seed = 1};
    (void)state;
    yard_begin(&yard_of, &private_one, &private_one);
    assert_int_equal(ys_scan(&yard_of.tablet.host, &scanning), YS_OK);
    yard_pass(&yard_of, 1000);
    yard_of.tablet.pairing.rotate_ms = (uint32_t)(ys_clock_now_ns(yard_of.clock) / YS_NS_PER_MS);
    assert_int_equal(ys_scan_stop(&yard_of.tablet.host), YS_OK);
    yard_pass(&yard_of, 1000);
    assert_false(yard_of.tablet.host.scanning_on);
    yard_end(&yard_of);
}

/* A controller that refuses one command of a host, whatever it does with the others. */
static struct {
    struct ys_port port;
    const struct ys_port *real;
    uint16_t opcode;
    uint8_t status;
    uint8_t answer[7];
    bool due;
    unsigned refused;
} refusing;

static void refusing_send(void *context, const uint8_t *packet, size_t length)
{
    uint16_t opcode = (uint16_t)(packet[1] | packet[2] << 8);
    if (packet[0] != YS_HCI_COMMAND || opcode != refusing.opcode) {
        refusing.real->send(context, packet, length);
        return;
    }
    const uint8_t status[] = {YS_HCI_EVENT, YS_HCI_COMMAND_STATUS, 4, refusing.status, 1, packet[1], packet[2]};
    const uint8_t complete[] = {YS_HCI_EVENT, YS_HCI_COMMAND_COMPLETE, 4, 1, packet[1], packet[2], refusing.status};
    memcpy(refusing.answer, opcode == YS_HCI_LE_ENABLE_ENCRYPTION ? status : complete, sizeof refusing.answer);
    refusing.due = true;
    refusing.refused++;
}

static const uint8_t *refusing_receive(void *context, size_t *length)
{
    if (!refusing.due)
        return refusing.real->receive(context, length);
    refusing.due = false;
    *length = sizeof refusing.answer;
    return refusing.answer;
}

static void refuse(struct party *party, uint16_t opcode, uint8_t status)
{
    refusing.real = refusing.real == NULL ? party->host.port : refusing.real;
    refusing.port = *refusing.real;
    refusing.port.send = refusing_send;
    refusing.port.receive = refusing_receive;
    refusing.opcode = opcode;
    refusing.status = status;
    refusing.refused = 0;
    party->host.port = &refusing.port;
}

/* As for any other reason that the time may be over: the host of a controller that has answered is turned. */
static void pass_and_turn(struct yard *of, struct party *party, unsigned ms)
{
    for (unsigned i = 0; i < ms; i += 10) {
        yard_pass(of, 10);
        (void)ys_host_run(&party->host);
    }
}

static void a_controller_that_does_not_begin_to_encrypt_fails_the_pairing_or_the_encryption(void **state)
{
    struct yard yard_of = {.seed = 3};
    struct party *tablet = &yard_of.tablet;
    (void)state;
    memset(&refusing, 0, sizeof refusing);
    yard_begin(&yard_of, &private_one, &private_one);
    yard_connect(&yard_of);
    refuse(tablet, YS_HCI_LE_ENABLE_ENCRYPTION, YS_HCI_UNSPECIFIED);
    assert_int_equal(ys_secure(&tablet->host, tablet->connection, YS_LEVEL_ENCRYPTED), YS_OK);
    pass_and_turn(&yard_of, tablet, 2000);
    assert_int_equal(refusing.refused, 1);
    assert_int_equal(tablet->counts[YS_EVENT_PAIRING_FAILED], 1);
    assert_int_equal(tablet->counts[YS_EVENT_SECURED], 0);
    assert_int_equal(yard_of.wrench.counts[YS_EVENT_PAIRING_FAILED], 1); /* it is told */
    refuse(tablet, 0, 0);
    yard_disconnect(&yard_of);
    yard_pass(&yard_of, 20000); /* who has failed must wait */
    yard_connect(&yard_of);
    assert_int_equal(ys_secure(&tablet->host, tablet->connection, YS_LEVEL_ENCRYPTED), YS_OK);
    pass_and_turn(&yard_of, tablet, 2000);
    assert_int_equal(tablet->counts[YS_EVENT_SECURED], 1);
    yard_disconnect(&yard_of);

    yard_connect(&yard_of);
    refuse(tablet, YS_HCI_LE_ENABLE_ENCRYPTION, YS_HCI_UNSPECIFIED);
    assert_int_equal(ys_secure(&tablet->host, tablet->connection, YS_LEVEL_ENCRYPTED), YS_OK);
    pass_and_turn(&yard_of, tablet, 500);
    assert_int_equal(refusing.refused, 1);
    assert_int_equal(tablet->counts[YS_EVENT_ENCRYPTION_FAILED], 1);
    assert_int_equal(tablet->reason, YS_HCI_UNSPECIFIED);
    refuse(tablet, 0, 0);
    assert_int_equal(ys_secure(&tablet->host, tablet->connection, YS_LEVEL_ENCRYPTED), YS_OK);
    pass_and_turn(&yard_of, tablet, 500);
    assert_int_equal(tablet->counts[YS_EVENT_SECURED], 2);
    yard_end(&yard_of);
}

static unsigned resolving_on; /* commands that switch the resolving list on */

static void count_on(void *party, enum ys_direction direction, const uint8_t *packet, size_t length)
{
    resolving_on += ((struct party *)party)->number == 2 && direction == YS_TO_CONTROLLER && length > 3 &&
                    packet[0] == 0x01 && packet[1] == 0x2d && packet[2] == 0x20;
}

/* Vol 4 Part E 7.8.38, 7.8.40: a list that is full is used as it is, and one that there is not is not asked for again.
 */
static void a_resolving_list_that_is_full_or_missing_keeps_nobody_from_coming_back(void **state)
{
    static const struct {
        uint16_t opcode;
        uint8_t status;
        bool on;
    } cases[] = {{YS_HCI_LE_ADD_TO_RESOLVING_LIST, YS_HCI_MEMORY_FULL, true},
                 {YS_HCI_LE_CLEAR_RESOLVING_LIST, YS_HCI_UNKNOWN_COMMAND, false}};
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct yard yard_of = {.seed = 4, .observe = count_on};
        struct party *tablet = &yard_of.tablet;
        memset(&refusing, 0, sizeof refusing);
        yard_begin(&yard_of, &private_one, &private_one);
        refuse(tablet, cases[i].opcode, cases[i].status);
        resolving_on = 0;
        for (unsigned times = 1; times <= 2; times++) {
            yard_connect(&yard_of);
            assert_int_equal(ys_secure(&tablet->host, tablet->connection, YS_LEVEL_ENCRYPTED), YS_OK);
            pass_and_turn(&yard_of, tablet, 2000);
            assert_int_equal(tablet->counts[YS_EVENT_SECURED], times);
            yard_disconnect(&yard_of);
            pass_and_turn(&yard_of, tablet, 500);
        }
        assert_int_equal(refusing.refused, 1);
        assert_int_equal(resolving_on, cases[i].on ? 1 : 0);
        assert_int_equal(ys_bond_forget(&tablet->host, 0), YS_OK); /* the list is to be made anew */
        pass_and_turn(&yard_of, tablet, 500);
        assert_int_equal(refusing.refused, 1);
        yard_end(&yard_of);
    }
}

static void a_scan_that_the_controller_refuses_is_told(void **state)
{
    static const struct ys_scanning scanning = {.interval_us = 100000, .window_us = 50000};
    static const uint16_t opcodes[] = {YS_HCI_LE_SET_SCAN_PARAMETERS, YS_HCI_LE_SET_SCAN_ENABLE};
    (void)state;
    for (size_t i = 0; i < COUNT(opcodes); i++) {
        char answer[20];
        start(27, 8);
        assert_int_equal(ys_scan(&scripted.host, &scanning), YS_OK);
        (void)turn(&scripted);
        if (i == 1)
            complete(&scripted, opcodes[0], "");
        (void)snprintf(answer, sizeof answer, "040e0401%02x%02x0c", opcodes[i] & 0xffu, opcodes[i] >> 8);
        give(&scripted, answer);
        assert_int_equal(count_events(&scripted, YS_EVENT_SCAN_FAILED), 1);
        assert_int_equal(last_event(&scripted, YS_EVENT_SCAN_FAILED)->u.start.status, YS_HCI_COMMAND_DISALLOWED);
        forget_sent(&scripted);
        (void)turn(&scripted);
        assert_sent(&scripted, ""); /* and it is not tried for ever */
    }
}

/* Vol 4 Part E 7.7.65.3, 7.7.65.6, 7.7.65.7, 7.7.65.12. */
static void events_of_connections_that_there_are_not_change_nothing(void **state)
{
    static const char *const events[] = {
        "04 3e 0a 03 00 ff00 1800 0000 9001",     /* its parameters were changed */
        "04 3e 0b 06 ff00 1800 1800 0000 9001",   /* the other side asks for others */
        "04 3e 0b 07 ff00 fb00 4808 fb00 4808",   /* longer packets */
        "04 3e 06 0c 00 ff00 02 02",              /* another PHY */
        "04 08 04 00 ff00 01",                    /* it is encrypted */
        "04 30 03 00 ff00",                       /* with a new key */
        "04 3e 0d 05 ff00 0000000000000000 0000", /* its key is asked for */
        "04 05 04 00 ff00 13",                    /* it has ended */
        "04 13 05 01 ff00 0100",                  /* and its packets were sent */
    };
    static struct ys_links links;
    (void)state;
    sample = (struct sample){.number = 0x1234, .battery = 57};
    scripted_init(&scripted, &sample_table, memory, &sample);
    assert_int_equal(ys_host_use_links(&scripted.host, &links, NULL), YS_OK);
    scripted_start(&scripted, 27, 8);
    forget_sent(&scripted);
    size_t told = scripted.event_count;
    for (size_t i = 0; i < COUNT(events); i++) {
        give(&scripted, events[i]);
        (void)turn(&scripted);
        assert_sent(&scripted, "");
        assert_int_equal(scripted.event_count, told);
    }
    assert_int_equal(scripted.host.data_free, 8);
}

static void of_a_scan_nothing_is_left_after_a_restart(void **state)
{
    static const struct ys_scanning scanning = {.interval_us = 100000, .window_us = 50000};
    (void)state;
    start(27, 8);
    for (int times = 0; times < 2; times++) {
        assert_int_equal(ys_scan(&scripted.host, &scanning), YS_OK);
        forget_sent(&scripted);
        (void)turn(&scripted);
        assert_sent(&scripted, "01 0b20 07 00 a000 5000 01 00"); /* and not that it is to be switched off first */
        complete(&scripted, YS_HCI_LE_SET_SCAN_PARAMETERS, "");
        complete(&scripted, YS_HCI_LE_SET_SCAN_ENABLE, "");
        scripted_start(&scripted, 27, 8);
    }
}

static bool encrypt(void *context, const uint8_t *key, const uint8_t *plain, uint8_t *cipher)
{
    (void)context;
    return ys_crypto_encrypt(key, plain, cipher);
}

/* Vol 4 Part E 7.7.8. */
static void a_link_that_is_said_to_be_no_longer_encrypted_has_no_rights_and_ends(void **state)
{
    static const struct ys_security security = {
        .capability = YS_CAPABILITY_NONE, .key_size_min = 7, .key_size_max = 16, .passkey = YS_PASSKEY_RANDOM};
    static struct ys_pairing pairing;
    (void)state;
    scripted_init(&scripted, &sample_table, memory, &sample);
    scripted.port.encrypt = encrypt;
    assert_int_equal(ys_host_use_pairing(&scripted.host, &pairing, &security), YS_OK);
    scripted_start(&scripted, 27, 8);
    connect_it(&scripted, LINK, 1);
    struct ys_connection *connection = ys_connection_find(&scripted.host, LINK);
    connection->security = (struct ys_link_security){.key_size = 16, .has_key = true};
    forget_sent(&scripted);
    give(&scripted, "04 08 04 00 4000 00");
    assert_int_equal(connection->security.key_size, 0);
    assert_int_equal(last_event(&scripted, YS_EVENT_ENCRYPTION_FAILED)->connection, LINK);
    assert_sent(&scripted, "01 0604 03 4000 13");
}

static size_t listed; /* commands that add somebody to a resolving list */

static void count_listed(void *party, enum ys_direction direction, const uint8_t *packet, size_t length)
{
    (void)party;
    listed +=
        direction == YS_TO_CONTROLLER && length > 3 && packet[0] == 0x01 && packet[1] == 0x27 && packet[2] == 0x20;
}

static void a_controller_that_was_reset_is_told_again_who_is_remembered(void **state)
{
    struct yard yard_of = {.seed = 2, .observe = count_listed};
    (void)state;
    yard_begin(&yard_of, &private_one, &private_one);
    yard_connect(&yard_of);
    yard_secure(&yard_of, YS_LEVEL_ENCRYPTED);
    assert_true(yard_of.wrench.secured.u.secured.bond > 0);
    yard_disconnect(&yard_of);
    yard_pass(&yard_of, 2000);
    listed = 0;
    ys_host_start(&yard_of.wrench.host);
    yard_pass(&yard_of, 2000);
    assert_int_equal(listed, 1);
    yard_end(&yard_of);
}

/* What the raw tablet says to the wrench, or the other way. */
static void say(struct yard *of, struct party *from, const char *hex)
{
    uint8_t pdu[70];
    size_t length = from_hex(hex, pdu, sizeof pdu);
    struct ys_connection *connection = ys_connection_find(&from->host, from->connection);
    assert_true(ys_l2cap_send_short(&from->host, connection, YS_L2CAP_SECURITY, pdu, length));
    yard_pass(of, 100);
}

static void keys_that_are_pressed_do_not_keep_a_pairing_alive(void **state)
{
    struct yard yard_of = {.seed = 3, .raw = 2};
    (void)state;
    yard_begin(&yard_of, &private_one, &private_one);
    yard_connect(&yard_of);
    say(&yard_of, &yard_of.tablet, "01 03 00 01 10 01 01");
    assert_non_null(yard_of.wrench.host.pairing->connection);
    for (int i = 0; i < 3; i++) {
        yard_pass(&yard_of, 12000);
        say(&yard_of, &yard_of.tablet, "0e 01");
    }
    assert_null(yard_of.wrench.host.pairing->connection);
    assert_int_equal(yard_of.wrench.failed.reason, YS_SMP_TIMEOUT);
    yard_end(&yard_of);
}

static size_t requests; /* to pair, of the tablet */

static void count_requests(void *party, enum ys_direction direction, const uint8_t *packet, size_t length)
{
    (void)party;
    requests +=
        direction == YS_TO_CONTROLLER && length > 9 && packet[0] == 0x02 && packet[7] == 0x06 && packet[9] == 0x01;
}

static void a_peripheral_that_asks_and_fails_again_and_again_is_paired_with_once(void **state)
{
    struct yard yard_of = {.seed = 4, .raw = 1, .observe = count_requests};
    (void)state;
    requests = 0;
    yard_begin(&yard_of, &private_one, &private_one);
    yard_connect(&yard_of);
    for (int i = 0; i < 20; i++) {
        say(&yard_of, &yard_of.wrench, "0b 01"); /* a security request */
        say(&yard_of, &yard_of.wrench, "05 08"); /* and then: failed */
    }
    assert_int_equal(requests, 1);
    yard_end(&yard_of);
}

static void after_a_pairing_ran_out_of_time_nobody_asks_for_security(void **state)
{
    struct yard yard_of = {.seed = 5, .raw = 2};
    (void)state;
    yard_begin(&yard_of, &private_one, &private_one);
    yard_connect(&yard_of);
    say(&yard_of, &yard_of.tablet, "01 03 00 01 10 01 01");
    yard_pass(&yard_of, 31000);
    assert_int_equal(yard_of.wrench.failed.reason, YS_SMP_TIMEOUT);
    assert_int_equal(ys_secure(&yard_of.wrench.host, yard_of.wrench.connection, YS_LEVEL_ENCRYPTED), YS_ERROR_TOO_LATE);
    assert_int_equal(ys_connection_find(&yard_of.wrench.host, yard_of.wrench.connection)->keys.level_due, 0);
    yard_end(&yard_of);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_command_that_has_become_pointless_is_not_sent),
        cmocka_unit_test(a_controller_that_is_silent_has_lost_its_connections),
        cmocka_unit_test(what_the_controller_cannot_hear_is_refused),
        cmocka_unit_test(a_peer_that_acknowledges_nothing_leaves_room_for_short_values_of_others),
        cmocka_unit_test(an_answer_from_a_handler_of_another_connection_is_sent),
        cmocka_unit_test(every_signal_that_nobody_understands_is_answered),
        cmocka_unit_test(a_central_without_links_says_no_to_other_parameters),
        cmocka_unit_test(after_an_indication_that_is_not_confirmed_nothing_more_is_said),
        cmocka_unit_test(a_channel_that_nobody_answers_for_is_given_up),
        cmocka_unit_test(all_channels_may_be_closed_when_one_is),
        cmocka_unit_test(parameters_that_nobody_answers_for_are_refused_in_time),
        cmocka_unit_test(queued_writes_of_one_client_give_way_in_time),
        cmocka_unit_test(extras_do_not_care_who_was_first),
        cmocka_unit_test(a_channel_that_cannot_be_is_refused_with_its_reason),
        cmocka_unit_test(what_asks_for_consent_is_refused_where_nobody_gives_it),
        cmocka_unit_test(a_scan_that_is_stopped_stays_so_when_the_address_changes),
        cmocka_unit_test(a_controller_that_does_not_begin_to_encrypt_fails_the_pairing_or_the_encryption),
        cmocka_unit_test(a_resolving_list_that_is_full_or_missing_keeps_nobody_from_coming_back),
        cmocka_unit_test(a_scan_that_the_controller_refuses_is_told),
        cmocka_unit_test(events_of_connections_that_there_are_not_change_nothing),
        cmocka_unit_test(of_a_scan_nothing_is_left_after_a_restart),
        cmocka_unit_test(a_link_that_is_said_to_be_no_longer_encrypted_has_no_rights_and_ends),
        cmocka_unit_test(a_controller_that_was_reset_is_told_again_who_is_remembered),
        cmocka_unit_test(keys_that_are_pressed_do_not_keep_a_pairing_alive),
        cmocka_unit_test(a_peripheral_that_asks_and_fails_again_and_again_is_paired_with_once),
        cmocka_unit_test(after_a_pairing_ran_out_of_time_nobody_asks_for_security),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
