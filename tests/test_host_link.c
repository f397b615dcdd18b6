/* Data packets: putting together, cutting up, the controller's buffers; signalling and security; connections,
 * advertising and scanning. Against a scripted controller. */
#include "support/check.h"

#include <stdio.h>
#include <string.h>

#include "support/hex.h"
#include "support/sample.h"
#include "support/scripted.h"
#include "wire/hci.h"

#define LINK 0x0040

static struct scripted scripted;
static uint8_t values[SAMPLE_VALUES_SIZE];
static struct sample sample;

static void begin(uint16_t buffer_length, uint8_t buffer_count)
{
    sample = (struct sample){.number = 0x1234, .battery = 87};
    scripted_init(&scripted, &sample_table, values, &sample);
    scripted_start(&scripted, buffer_length, buffer_count);
    connect_it(&scripted, LINK, 1);
    forget_sent(&scripted);
}

static int setup(void **state)
{
    (void)state;
    begin(251, 8);
    return 0;
}

/* A read request, in pieces of every size, with every piece size the same answer (Vol 3 Part A 3.1). */
static void a_frame_in_pieces_is_put_together(void **state)
{
    uint8_t frame[16];
    size_t length = from_hex("0300 0400 0a0300", frame, sizeof frame);
    (void)state;
    for (size_t piece = 1; piece <= length; piece++) {
        for (size_t at = 0; at < length; at += piece) {
            char packet[96];
            size_t size = at + piece > length ? length - at : piece;
            (void)snprintf(packet, sizeof packet, "02 40 %02x %02x 00 %s", at == 0 ? 0x20 : 0x10, (unsigned)size,
                           to_hex(frame + at, size));
            give(&scripted, packet);
        }
        assert_att(&scripted, LINK, "0b 79617264");
        give_buffers(&scripted, LINK, 1);
    }
}

/* Vol 3 Part A 3.1. */
static void frames_that_are_not_whole_or_too_long_are_dropped(void **state)
{
    static const char *const packets[] = {
        "02 4010 0300 0a0300",              /* continues nothing */
        "02 4020 0600 0300 0400 0a03",      /* begun, and then another begins: */
        "02 4020 0800 0300 0400 0a0300 00", /* longer than it says */
        "02 4020 0400 ffff 0400",           /* longer than any memory */
        "02 4010 0300 0a0300",              /* its continuation is not mistaken for anything */
        "02 4020 0000",                     /* empty */
        "02 4020 0200 0300",                /* half a header */
    };
    (void)state;
    for (size_t i = 0; i < COUNT(packets); i++) {
        give(&scripted, packets[i]);
        assert_sent(&scripted, "");
    }
    give_att(&scripted, LINK, "0a 0300");
    assert_att(&scripted, LINK, "0b 79617264");
}

static void a_frame_longer_than_the_memory_is_dropped_whole(void **state)
{
    (void)state;
    char packet[1024] = "02 4020 fb00 0002 0400"; /* 512 bytes announced, 247 in the first piece */
    for (int i = 0; i < 247; i++)
        strcat(packet, " 0a");
    give(&scripted, packet);
    packet[5] = '1';
    (void)snprintf(packet, sizeof packet, "02 4010 fb00");
    for (int i = 0; i < 251; i++)
        strcat(packet, " 0a");
    give(&scripted, packet);
    assert_sent(&scripted, "");
    give_att(&scripted, LINK, "0a 0300");
    assert_att(&scripted, LINK, "0b 79617264");
}

static void an_attribute_pdu_longer_than_the_mtu_is_dropped(void **state)
{
    char pdu[128] = "52 0d00";
    (void)state;
    for (int i = 0; i < 21; i++)
        strcat(pdu, " 00");
    give_att(&scripted, LINK, pdu); /* 24 bytes, with an MTU of 23 */
    give_att(&scripted, LINK, "0a 0d00");
    assert_att(&scripted, LINK, "0b 0102");
}

/* 60 bytes of value and 5 of headers, over buffers of 27 bytes: three pieces. */
static void a_response_is_cut_into_the_controllers_buffers(void **state)
{
    (void)state;
    begin(27, 4);
    give_att(&scripted, LINK, "02 0002");
    assert_att(&scripted, LINK, "03 6800"); /* 4 x 27 - 4 */
    give_buffers(&scripted, LINK, 4);
    give_att(&scripted, LINK, "0a 0b00");
    assert_int_equal(scripted.sent_count, 3);
    assert_hex(scripted.sent[0], 9, "02 4000 1b00 3d00 0400");
    assert_hex(scripted.sent[1], 5, "02 4010 1b00");
    assert_hex(scripted.sent[2], 5, "02 4010 0b00");
    assert_att(&scripted, LINK,
               "0b 30313233343536373839 6162636465666768696a 4142434445464748494a 30313233343536373839 "
               "6162636465666768696a 41424344454647484900");
}

/* Vol 4 Part E 7.7.19. */
static void a_response_waits_for_buffers_and_goes_on_where_it_stopped(void **state)
{
    (void)state;
    begin(27, 3);
    give_att(&scripted, LINK, "02 0002");
    give_att(&scripted, LINK, "0a 0300");
    assert_int_equal(scripted.sent_count, 2); /* one buffer is left */
    forget_sent(&scripted);
    give_att(&scripted, LINK, "0a 0b00"); /* needs three */
    assert_int_equal(scripted.sent_count, 1);
    assert_hex(scripted.sent[0], 9, "02 4000 1b00 3d00 0400");
    give_att(&scripted, LINK, "0a 0300"); /* out of turn: the last one is not answered yet */
    assert_int_equal(scripted.sent_count, 1);
    give_buffers(&scripted, LINK, 1);
    assert_int_equal(scripted.sent_count, 2);
    give_buffers(&scripted, LINK, 2);
    assert_int_equal(scripted.sent_count, 3);
    assert_att(&scripted, LINK,
               "0b 30313233343536373839 6162636465666768696a 4142434445464748494a 30313233343536373839 "
               "6162636465666768696a 41424344454647484900");
}

/* Vol 4 Part E 4.1.1. */
static void buffers_come_back_when_their_connection_ends(void **state)
{
    (void)state;
    begin(27, 1);
    connect_it(&scripted, LINK + 1, 1);
    forget_sent(&scripted);
    give_att(&scripted, LINK, "0a 0300");
    assert_int_equal(scripted.sent_count, 1);
    give_att(&scripted, LINK + 1, "0a 0300");
    assert_int_equal(scripted.sent_count, 1); /* no buffer for the second */
    forget_sent(&scripted);
    give(&scripted, "04 05 04 00 4000 08");
    assert_att(&scripted, LINK + 1, "0b 79617264");
}

/* Vol 4 Part E 4.1.1. */
static void more_buffers_than_were_used_do_not_come_back(void **state)
{
    (void)state;
    begin(27, 1);
    give_buffers(&scripted, LINK, 5);
    give_buffers(&scripted, LINK + 7, 5);
    give_att(&scripted, LINK, "0a 0300");
    give_att(&scripted, LINK, "0a 0300");
    assert_int_equal(scripted.sent_count, 1);
}

/* Vol 3 Part A 2.1, 4.1. */
static void signalling_is_rejected_and_pairing_refused(void **state)
{
    (void)state;
    give(&scripted, "02 4020 1000 0c00 0500 12 07 0800 1800 2800 0000 9001"); /* connection parameter update */
    assert_sent(&scripted, "02 4000 0a00 0600 0500 01 07 0200 0000");
    give(&scripted, "02 4020 0600 0200 0500 0107");            /* malformed */
    give(&scripted, "02 4020 0a00 0600 0500 01 07 0200 0000"); /* a reject */
    assert_sent(&scripted, "");
    give(&scripted, "02 4020 0b00 0700 0600 01 03 00 05 10 07 07"); /* pairing request */
    assert_sent(&scripted, "02 4000 0600 0200 0600 05 05");
    give(&scripted, "02 4020 0600 0200 0600 05 08"); /* pairing failed */
    give(&scripted, "02 4020 0500 0100 4000 00");    /* a channel that nobody has */
    assert_sent(&scripted, "");
}

/* connections */

/* Vol 4 Part E 7.7.65.1, 7.7.65.10. */
static void a_connection_is_told_with_what_it_is(void **state)
{
    (void)state;
    const struct ys_event *event = last_event(&scripted, YS_EVENT_CONNECTED);
    char text[YS_ADDRESS_TEXT_SIZE];
    assert_int_equal(event->connection, LINK);
    assert_int_equal(event->u.connected.role, YS_ROLE_PERIPHERAL);
    assert_int_equal(event->u.connected.interval_us, 30000);
    assert_int_equal(event->u.connected.supervision_timeout_ms, 4000);
    assert_string_equal(ys_address_format(&event->u.connected.peer, text), "C6:55:44:33:22:11");
    assert_int_equal(ys_disconnect(&scripted.host, LINK), YS_OK);
    (void)turn(&scripted);
    assert_sent(&scripted, "01 0604 03 4000 13");
    give(&scripted, "04 0f 04 00 01 0604");
    give(&scripted, "04 05 04 00 4000 16");
    assert_int_equal(last_event(&scripted, YS_EVENT_DISCONNECTED)->reason, YS_HCI_LOCAL_ENDED);
    assert_int_equal(ys_disconnect(&scripted.host, LINK), YS_ERROR_NO_CONNECTION);
}

/* Vol 4 Part E 7.1.6, 7.7.5. */
static void several_connections_can_be_ended_together(void **state)
{
    (void)state;
    connect_it(&scripted, LINK + 1, 1);
    connect_it(&scripted, LINK + 2, 0);
    assert_int_equal(ys_disconnect(&scripted.host, LINK + 2), YS_OK);
    assert_int_equal(ys_disconnect(&scripted.host, LINK), YS_OK);
    (void)turn(&scripted);
    assert_sent(&scripted, "01 0604 03 4000 13");
    give(&scripted, "04 0f 04 00 01 0604");
    assert_sent(&scripted, "01 0604 03 4200 13");
    give(&scripted, "04 0f 04 00 01 0604");
    assert_sent(&scripted, "");
}

static void more_connections_than_fit_are_not_taken(void **state)
{
    (void)state;
    for (uint16_t i = 1; i < YS_CONNECTIONS; i++)
        connect_it(&scripted, (uint16_t)(LINK + i), 1);
    size_t events = scripted.event_count;
    give(&scripted, "04 3e 13 01 00 4000 01 01 112233445566 1800 0000 9001 00"); /* a handle that is in use */
    assert_int_equal(scripted.event_count, events);
    assert_sent(&scripted, "");
    leave_packet(&scripted, "04 3e 13 01 00 7e00 01 01 112233445566 1800 0000 9001 00");
    give(&scripted, "04 3e 13 01 00 7f00 00 01 112233445566 1800 0000 9001 00");
    assert_int_equal(scripted.event_count, events + 2); /* told, and ended one by one */
    assert_int_equal(last_event(&scripted, YS_EVENT_CONNECT_FAILED)->reason, YS_HCI_CONNECTION_LIMIT);
    assert_sent(&scripted, "01 0604 03 7f00 13");
    give(&scripted, "04 0f 04 00 01 0604");
    assert_sent(&scripted, "01 0604 03 7e00 13");
    give(&scripted, "04 0f 04 00 01 0604");
    (void)turn(&scripted);
    assert_sent(&scripted, "");
}

static const struct ys_connecting thirty_ms = {.interval_us = 30000, .supervision_timeout_ms = 4000};
static const struct ys_address peer = {.type = YS_ADDRESS_RANDOM, .bytes = {1, 2, 3, 4, 5, 0xc6}};

/* Vol 3 Part C 9.3.8; Vol 4 Part E 7.8.12, 7.8.13. */
static void connecting_is_asked_for_and_can_be_given_up(void **state)
{
    (void)state;
    assert_int_equal(ys_connect(&scripted.host, &peer, &thirty_ms), YS_OK);
    assert_int_equal(ys_connect(&scripted.host, &peer, &thirty_ms), YS_ERROR_BUSY);
    (void)turn(&scripted);
    assert_sent(&scripted, "01 0d20 19 6000 6000 00 01 0102030405c6 01 1800 1800 0000 9001 0000 0000");
    give(&scripted, "04 0f 04 00 01 0d20");
    assert_int_equal(ys_connect_cancel(&scripted.host), YS_OK);
    (void)turn(&scripted);
    assert_sent(&scripted, "01 0e20 00");
    complete(&scripted, YS_HCI_LE_CREATE_CONNECTION_CANCEL, "");
    give(&scripted, "04 3e 13 01 02 0000 00 00 000000000000 0000 0000 0000 00");
    assert_int_equal(last_event(&scripted, YS_EVENT_CONNECT_FAILED)->reason, YS_HCI_UNKNOWN_CONNECTION);
    assert_int_equal(ys_connect(&scripted.host, &peer, &thirty_ms), YS_OK);
    assert_int_equal(ys_connect_cancel(&scripted.host), YS_OK); /* before the controller heard of it */
    assert_int_equal(count_events(&scripted, YS_EVENT_CONNECT_FAILED), 2);
    (void)turn(&scripted);
    assert_sent(&scripted, "");
}

/* Vol 4 Part E 7.7.14, 7.7.15. */
static void a_refused_connect_command_is_told(void **state)
{
    (void)state;
    assert_int_equal(ys_connect(&scripted.host, &peer, &thirty_ms), YS_OK);
    (void)turn(&scripted);
    give(&scripted, "04 0f 04 0c 01 0d20");
    assert_int_equal(last_event(&scripted, YS_EVENT_CONNECT_FAILED)->reason, YS_HCI_COMMAND_DISALLOWED);
    assert_int_equal(ys_connect(&scripted.host, &peer, &thirty_ms), YS_OK);
}

static void arguments_out_of_range_are_refused(void **state)
{
    static const struct ys_connecting wrong_connecting[] = {
        {7499, 0, 4000, false, 0},  {4000001, 0, 32000, false, 0}, {30000, 500, 32000, false, 0},
        {30000, 0, 99, false, 0},   {30000, 0, 32001, false, 0},   {100000, 9, 2000, false, 0},
        {30000, 0, 4000, false, 2},
    };
    static const uint8_t byte = 0;
    static const struct ys_advertising wrong_advertising[] = {
        {.interval_min_us = 19999, .interval_max_us = 100000},
        {.interval_min_us = 100000, .interval_max_us = 99000},
        {.interval_min_us = 100000, .interval_max_us = 10240001},
        {.interval_min_us = 100000, .interval_max_us = 100000, .kind = 5},
        {.interval_min_us = 100000, .interval_max_us = 100000, .filter = 4},
        {.interval_min_us = 100000,
         .interval_max_us = 100000,
         .kind = YS_ADVERTISE_DIRECTED,
         .data_length = 1,
         .data = &byte},
        {.interval_min_us = 100000, .interval_max_us = 100000, .data_length = 32, .data = &byte},
        {.interval_min_us = 100000, .interval_max_us = 100000, .data_length = 1},
        {.interval_min_us = 100000, .interval_max_us = 100000, .response_length = 1},
        {.interval_min_us = 100000, .interval_max_us = 100000, .findable = 3},
        {.interval_min_us = 100000, .interval_max_us = 100000, .channels = 8},
        {.interval_min_us = 100000, .interval_max_us = 100000, .duration_ms = 0x80000000},
    };
    static const struct ys_scanning wrong_scanning[] = {
        {.interval_us = 2499, .window_us = 2499},
        {.interval_us = 60000, .window_us = 60001},
        {.interval_us = 60000, .window_us = 2499},
        {.interval_us = 10240001, .window_us = 30000},
        {.interval_us = 60000, .window_us = 60000, .phys = 2},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(wrong_connecting); i++)
        assert_int_equal(ys_connect(&scripted.host, &peer, &wrong_connecting[i]), YS_ERROR_ARGUMENT);
    for (size_t i = 0; i < COUNT(wrong_advertising); i++)
        assert_int_equal(ys_advertise(&scripted.host, &wrong_advertising[i]), YS_ERROR_ARGUMENT);
    for (size_t i = 0; i < COUNT(wrong_scanning); i++)
        assert_int_equal(ys_scan(&scripted.host, &wrong_scanning[i]), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_connect(&scripted.host, NULL, &thirty_ms), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_advertise(&scripted.host, NULL), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_scan(&scripted.host, NULL), YS_ERROR_ARGUMENT);
    (void)turn(&scripted);
    assert_sent(&scripted, "");
}

/* advertising and scanning */

static const uint8_t data[] = {2, 1, 6};
static const uint8_t response[] = {3, 9, 'T', '2'};
static const struct ys_advertising advertising = {
    .interval_min_us = 100000,
    .interval_max_us = 150000,
    .data_length = sizeof data,
    .response_length = sizeof response,
    .data = data,
    .response = response,
};

/* Answers the four commands that switch advertising on. */
static void answer_advertising(void)
{
    complete(&scripted, YS_HCI_LE_SET_ADVERTISING_PARAMETERS, "");
    complete(&scripted, YS_HCI_LE_SET_ADVERTISING_DATA, "");
    complete(&scripted, YS_HCI_LE_SET_SCAN_RESPONSE_DATA, "");
    complete(&scripted, YS_HCI_LE_SET_ADVERTISING_ENABLE, "");
}

#define ADVERTISING_ON                                                                                                 \
    "01 0620 0f a000 f000 00 01 00 000000000000 07 00 |"                                                               \
    "01 0820 20 03 020106 00000000000000000000000000000000000000000000000000000000 |"                                  \
    "01 0920 20 04 03095432 000000000000000000000000000000000000000000000000000000 |"                                  \
    "01 0a20 01 01"

/* Vol 3 Part C 9.3.3; Vol 4 Part E 7.8.5, 7.8.7, 7.8.8. */
static void advertising_is_set_up_before_it_is_switched_on(void **state)
{
    (void)state;
    assert_int_equal(ys_advertise(&scripted.host, &advertising), YS_OK);
    (void)turn(&scripted);
    answer_advertising();
    assert_sent(&scripted, ADVERTISING_ON);
    /* while it is on, it is switched off before anything is changed */
    assert_int_equal(ys_advertise(&scripted.host, &advertising), YS_OK);
    (void)turn(&scripted);
    complete(&scripted, YS_HCI_LE_SET_ADVERTISING_ENABLE, "");
    answer_advertising();
    assert_sent(&scripted, "01 0a20 01 00 |" ADVERTISING_ON);
    assert_int_equal(ys_advertise_stop(&scripted.host), YS_OK);
    (void)turn(&scripted);
    assert_sent(&scripted, "01 0a20 01 00");
}

/* Vol 4 Part E 7.8.9. */
static void advertising_goes_on_after_a_connection_while_one_fits(void **state)
{
    (void)state;
    assert_int_equal(ys_advertise(&scripted.host, &advertising), YS_OK);
    (void)turn(&scripted);
    answer_advertising();
    forget_sent(&scripted);
    for (uint16_t i = 1; i < YS_CONNECTIONS; i++) {
        connect_it(&scripted, (uint16_t)(LINK + i), 1);
        if (i + 1 < YS_CONNECTIONS) {
            assert_sent(&scripted, "01 0a20 01 01");
            complete(&scripted, YS_HCI_LE_SET_ADVERTISING_ENABLE, "");
        }
    }
    assert_sent(&scripted, ""); /* full */
    give(&scripted, "04 05 04 00 4000 13");
    assert_sent(&scripted, "01 0a20 01 01");
    complete(&scripted, YS_HCI_LE_SET_ADVERTISING_ENABLE, "");
    give(&scripted, "04 05 04 00 4100 13");
    assert_sent(&scripted, ""); /* it is on already */
}

/* Found like that; the host has one connection already and room for one more. */
static struct ys_advertising findable(enum ys_findable how, uint32_t duration_ms)
{
    struct ys_advertising settings = advertising;
    settings.findable = (uint8_t)how;
    settings.duration_ms = duration_ms;
    return settings;
}

static void advertise(const struct ys_advertising *settings)
{
    scripted.host.settings.connections = 2;
    assert_int_equal(ys_advertise(&scripted.host, settings), YS_OK);
    (void)turn(&scripted);
    answer_advertising();
    forget_sent(&scripted);
}

static void who_is_always_found_is_so_without_a_free_connection_too(void **state)
{
    const struct ys_advertising settings = findable(YS_FINDABLE_ALWAYS, 0);
    (void)state;
    advertise(&settings);
    connect_it(&scripted, LINK + 1, 1); /* the last one: from now on others may ask, and not connect */
    complete(&scripted, YS_HCI_LE_SET_ADVERTISING_PARAMETERS, "");
    complete(&scripted, YS_HCI_LE_SET_ADVERTISING_ENABLE, "");
    assert_sent(&scripted, "01 0620 0f a000 f000 02 01 00 000000000000 07 00 | 01 0a20 01 01");
    give(&scripted, "04 05 04 00 4000 13"); /* one is free again */
    complete(&scripted, YS_HCI_LE_SET_ADVERTISING_ENABLE, "");
    complete(&scripted, YS_HCI_LE_SET_ADVERTISING_PARAMETERS, "");
    complete(&scripted, YS_HCI_LE_SET_ADVERTISING_ENABLE, "");
    assert_sent(&scripted, "01 0a20 01 00 | 01 0620 0f a000 f000 00 01 00 000000000000 07 00 | 01 0a20 01 01");
    assert_int_equal(count_events(&scripted, YS_EVENT_ADVERTISING_ENDED), 0);
}

static void nobody_is_invited_to_a_connection_that_does_not_fit(void **state)
{
    const struct ys_advertising settings = findable(YS_FINDABLE_WHILE_FREE, 0);
    (void)state;
    advertise(&settings);
    connect_it(&scripted, LINK + 1, 0); /* this time the host has connected, as central */
    assert_sent(&scripted, "01 0a20 01 00");
    complete(&scripted, YS_HCI_LE_SET_ADVERTISING_ENABLE, "");
    forget_sent(&scripted);
    assert_int_equal(ys_advertise(&scripted.host, &settings), YS_OK); /* it is made ready, and waits */
    (void)turn(&scripted);
    complete(&scripted, YS_HCI_LE_SET_ADVERTISING_PARAMETERS, "");
    complete(&scripted, YS_HCI_LE_SET_ADVERTISING_DATA, "");
    complete(&scripted, YS_HCI_LE_SET_SCAN_RESPONSE_DATA, "");
    assert_int_equal(scripted.sent_count, 3);
    forget_sent(&scripted);
    give(&scripted, "04 05 04 00 4100 13");
    assert_sent(&scripted, "01 0a20 01 01");
}

static void who_wants_one_connection_is_not_found_after_it(void **state)
{
    const struct ys_advertising settings = findable(YS_FINDABLE_UNTIL_CONNECTED, 0);
    (void)state;
    advertise(&settings);
    connect_it(&scripted, LINK + 1, 1);
    assert_int_equal(last_event(&scripted, YS_EVENT_ADVERTISING_ENDED)->reason, YS_HCI_OK);
    complete(&scripted, YS_HCI_LE_SET_ADVERTISING_ENABLE, "");
    forget_sent(&scripted);
    give(&scripted, "04 05 04 00 4100 13");
    assert_sent(&scripted, "");
}

static void a_duration_ends_and_is_told(void **state)
{
    struct ys_advertising settings = findable(YS_FINDABLE_WHILE_FREE, 30000);
    (void)state;
    scripted.now_ms = 0xffffff00; /* the clock wraps meanwhile */
    settings.channels = 0x05;
    advertise(&settings);
    assert_int_equal(turn(&scripted), 30000);
    scripted.now_ms += 29999;
    assert_int_equal(turn(&scripted), 1);
    assert_sent(&scripted, "");
    scripted.now_ms += 1;
    (void)turn(&scripted);
    assert_sent(&scripted, "01 0a20 01 00");
    assert_int_equal(last_event(&scripted, YS_EVENT_ADVERTISING_ENDED)->reason, YS_HCI_ADVERTISING_TIMEOUT);
    complete(&scripted, YS_HCI_LE_SET_ADVERTISING_ENABLE, "");
    give(&scripted, "04 05 04 00 4000 13");
    assert_sent(&scripted, "");
    assert_int_equal(count_events(&scripted, YS_EVENT_ADVERTISING_ENDED), 1);
}

static void advertising_that_fails_is_told_and_tried_again_later(void **state)
{
    (void)state;
    assert_int_equal(ys_advertise(&scripted.host, &advertising), YS_OK);
    (void)turn(&scripted);
    give(&scripted, "04 0e 04 01 0620 12");
    const struct ys_event *event = last_event(&scripted, YS_EVENT_ADVERTISING_FAILED);
    assert_string_equal(event->u.start.step, "LE Set Advertising Parameters");
    assert_int_equal(event->u.start.status, YS_HCI_INVALID_PARAMETERS);
    forget_sent(&scripted);
    (void)turn(&scripted);
    assert_sent(&scripted, "");
    give(&scripted, "04 05 04 00 4000 13");
    assert_sent(&scripted, "01 0a20 01 01");
}

/* Vol 3 Part C 9.1.2, 9.2.6; Vol 4 Part E 7.7.65.2, 7.8.10, 7.8.11. */
static void reports_are_told_one_by_one(void **state)
{
    (void)state;
    give(&scripted, "04 3e 0f 02 01 00 01 0102030405c6 03 020106 ce");
    assert_int_equal(count_events(&scripted, YS_EVENT_REPORT), 0); /* it has not asked for any */
    assert_int_equal(ys_scan(&scripted.host, &(struct ys_scanning){.interval_us = 60000, .window_us = 30000}), YS_OK);
    give(&scripted, "04 3e 17 02 02 00 01 0102030405c6 03 020106 ce 04 00 060504030201");
    assert_int_equal(count_events(&scripted, YS_EVENT_REPORT), 1); /* the second is cut short */
    scripted.event_count = 0;
    give(&scripted, "04 3e 19 02 02 00 01 0102030405c6 03 020106 ce 04 00 060504030201 00 7f");
    assert_int_equal(count_events(&scripted, YS_EVENT_REPORT), 2);
    const struct ys_event *first = &scripted.events[scripted.event_count - 2];
    assert_int_equal(first->u.report.type, 0);
    assert_int_equal(first->u.report.rssi_dbm, -50);
    assert_hex(first->u.report.data, first->u.report.length, "020106");
    assert_true(ys_address_is_equal(&first->u.report.address, &peer));
    assert_int_equal(last_event(&scripted, YS_EVENT_REPORT)->u.report.type, 4);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test_setup(a_frame_in_pieces_is_put_together, setup),
        cmocka_unit_test_setup(frames_that_are_not_whole_or_too_long_are_dropped, setup),
        cmocka_unit_test_setup(a_frame_longer_than_the_memory_is_dropped_whole, setup),
        cmocka_unit_test_setup(an_attribute_pdu_longer_than_the_mtu_is_dropped, setup),
        cmocka_unit_test_setup(a_response_is_cut_into_the_controllers_buffers, setup),
        cmocka_unit_test_setup(a_response_waits_for_buffers_and_goes_on_where_it_stopped, setup),
        cmocka_unit_test_setup(buffers_come_back_when_their_connection_ends, setup),
        cmocka_unit_test_setup(more_buffers_than_were_used_do_not_come_back, setup),
        cmocka_unit_test_setup(signalling_is_rejected_and_pairing_refused, setup),
        cmocka_unit_test_setup(a_connection_is_told_with_what_it_is, setup),
        cmocka_unit_test_setup(several_connections_can_be_ended_together, setup),
        cmocka_unit_test_setup(more_connections_than_fit_are_not_taken, setup),
        cmocka_unit_test_setup(connecting_is_asked_for_and_can_be_given_up, setup),
        cmocka_unit_test_setup(a_refused_connect_command_is_told, setup),
        cmocka_unit_test_setup(arguments_out_of_range_are_refused, setup),
        cmocka_unit_test_setup(advertising_is_set_up_before_it_is_switched_on, setup),
        cmocka_unit_test_setup(advertising_goes_on_after_a_connection_while_one_fits, setup),
        cmocka_unit_test_setup(who_is_always_found_is_so_without_a_free_connection_too, setup),
        cmocka_unit_test_setup(nobody_is_invited_to_a_connection_that_does_not_fit, setup),
        cmocka_unit_test_setup(who_wants_one_connection_is_not_found_after_it, setup),
        cmocka_unit_test_setup(a_duration_ends_and_is_told, setup),
        cmocka_unit_test_setup(advertising_that_fails_is_told_and_tried_again_later, setup),
        cmocka_unit_test_setup(reports_are_told_one_by_one, setup),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
