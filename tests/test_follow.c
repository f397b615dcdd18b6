/* How traffic is followed: events and instants of connections, gaps, sides, encryption; frames put together; who is
 * who; interfaces; and records put in order. */
#include "support/check.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "capture/file/sorter.h"
#include "capture/follow/follow.h"
#include "capture/follow/pacing.h"
#include "support/hex.h"
#include "support/traffic.h"

#define LINK "link; e;"

/* What is kept of what was seen. */
struct note {
    enum ys_seen_kind kind;
    int side;
    uint16_t counter;
    uint32_t interval_us;
    uint8_t channel;
    bool knows_channel;
    uint8_t awaited; /* channel */
    bool counted;
    bool new_event;
    bool repeated;
    bool gap;
    enum ys_readable readable;
    enum ys_phy phys[2];
    enum ys_upper upper;
    bool stray;
    bool unfinished;
    bool overrun;
    size_t frame_length;
    uint16_t handle;
    bool answers;
    uint16_t mtu;
};

static struct note notes[400];
static size_t note_count;
static struct ys_follower *the_follower;

static void take(void *context, const struct ys_seen *seen)
{
    struct note *note = &notes[note_count++];
    (void)context;
    assert_true(note_count < COUNT(notes));
    *note = (struct note){.kind = seen->kind};
    if (seen->said != NULL) {
        note->upper = seen->said->upper;
        note->stray = seen->said->stray;
        note->unfinished = seen->said->unfinished;
        note->overrun = seen->said->overrun;
        note->frame_length = seen->said->length;
        note->handle = seen->said->handle;
        note->answers = seen->said->question.waits;
    }
    if (seen->kind != YS_SEEN_LINK)
        return;
    note->side = seen->packet.side;
    note->counter = seen->packet.counter;
    note->counted = seen->packet.counted;
    note->interval_us = seen->link->interval_us;
    note->channel = seen->record->air.channel;
    note->knows_channel = ys_air_link_channel(seen->link, &note->awaited);
    note->new_event = seen->packet.new_event;
    note->repeated = seen->packet.repeated;
    note->gap = seen->packet.gap;
    note->readable = seen->packet.readable;
    note->phys[0] = seen->link->phys[0];
    note->phys[1] = seen->link->phys[1];
    note->mtu = seen->link->dialogue.mtu;
}

/* Forgets which side has sent each packet, as captures without a header do. */
static void take_without_side(void *context, const struct ys_record *record)
{
    static struct ys_record other;
    other = *record;
    other.air.side = YS_AIR_SIDE_UNKNOWN;
    ys_follower_take(context, &other);
}

static void follow_by(const char *script, ys_record_fn *how)
{
    note_count = 0;
    ys_follower_free(the_follower);
    the_follower = ys_follower_new(take, NULL);
    assert_non_null(the_follower);
    const struct ys_record_sink sink = {.take = how, .context = the_follower};
    traffic_play(script, &sink);
}

static void follow(const char *script)
{
    follow_by(script, ys_follower_take);
}

static int tear_down(void **state)
{
    (void)state;
    ys_follower_free(the_follower);
    the_follower = NULL;
    return 0;
}

static const struct note *last_link(void)
{
    for (size_t i = note_count; i > 0; i--) {
        if (notes[i - 1].kind == YS_SEEN_LINK)
            return &notes[i - 1];
    }
    fail_msg("no packet of a connection was seen");
    return NULL;
}

/* connections */

static void events_are_counted_and_their_channels_known(void **state)
{
    static const char *const scripts[] = {"link; e 60", "link hop=16 map=0x1e00f00e07; e 60", "link csa2=1; e 60",
                                          "link csa2=1 map=0x0600000600; e 60"};
    (void)state;
    for (size_t i = 0; i < COUNT(scripts); i++) {
        uint16_t expected = 0;
        follow(scripts[i]);
        for (size_t j = 0; j < note_count; j++) {
            const struct note *note = &notes[j];
            if (note->kind != YS_SEEN_LINK)
                continue;
            assert_true(note->counted);
            assert_int_equal(note->counter, expected);
            assert_int_equal(note->new_event, note->side == 0);
            assert_true(note->knows_channel);
            assert_int_equal(note->channel, note->awaited);
            expected += note->side == 1;
        }
        assert_int_equal(expected, 60);
    }
}

/* Where a stretch is missing, the counter goes on by the time that has passed. */
static void a_gap_in_time_does_not_lose_the_counter(void **state)
{
    (void)state;
    follow("link timeout=3200; e 5; + 12345; e 3");
    const struct note *note = last_link();
    assert_true(note->counted);
    assert_int_equal(note->channel, note->awaited);
    assert_true(note->counter > 400);
    follow("link csa2=1 timeout=3200; e 5; + 29000; e 3");
    note = last_link();
    assert_int_equal(note->channel, note->awaited);
}

static void the_first_events_may_be_missing(void **state)
{
    (void)state;
    follow("link; + 100; e 3");
    const struct note *note = last_link();
    assert_true(note->counted);
    assert_int_equal(note->channel, note->awaited);
    assert_true(note->counter >= 5);
}

static void without_a_connect_request_nothing_is_counted(void **state)
{
    (void)state;
    follow("link unheard=1; e 3");
    const struct note *note = last_link();
    assert_false(note->counted);
    assert_false(note->knows_channel);
    assert_int_equal(note->interval_us, 0);
    assert_int_equal(note->side, 1);
    follow("link unheard=1; e 5"); /* but the interval shows */
    note = last_link();
    assert_false(note->counted);
    assert_int_equal(note->interval_us, 30000);
}

static void sides_are_found_where_nothing_tells_them(void **state)
{
    size_t sides[2] = {0, 0};
    (void)state;
    follow_by("link; e 3; >a 0a0300; <a 0b01; e 2", take_without_side);
    for (size_t i = 0; i < note_count; i++) {
        if (notes[i].kind != YS_SEEN_LINK)
            continue;
        assert_int_equal(notes[i].side, notes[i].new_event ? 0 : 1);
        sides[notes[i].side]++;
    }
    assert_int_equal(sides[0], 7);
    assert_int_equal(sides[1], 7);
    assert_true(notes[note_count - 5].answers || notes[note_count - 6].answers);
}

static void what_holds_from_an_instant_on_holds_then(void **state)
{
    (void)state;
    /* a channel map, which the script does not follow: what is awaited changes at event 12 */
    follow(LINK "e 2; >l 01 0300000000 @9; e 20");
    for (size_t i = 0; i < note_count; i++) {
        if (notes[i].kind == YS_SEEN_LINK && notes[i].counter >= 12)
            assert_in_range(notes[i].awaited, 0, 1);
        else if (notes[i].kind == YS_SEEN_LINK)
            assert_int_equal(notes[i].awaited, notes[i].channel);
    }
    /* PHYs */
    follow(LINK ">l 18 02 04 @8; e 20");
    for (size_t i = 0; i < note_count; i++) {
        if (notes[i].kind != YS_SEEN_LINK)
            continue;
        bool changed = notes[i].counter >= 9;
        assert_int_equal(notes[i].phys[0], changed ? YS_PHY_2M : YS_PHY_1M);
        assert_int_equal(notes[i].phys[1], changed ? YS_PHY_CODED_S8 : YS_PHY_1M);
    }
    /* parameters: the interval is another one from the instant on */
    follow(LINK ">l 00 01 0000 3000 0000 9001 @8; e 20");
    assert_int_equal(last_link()->interval_us, 60000);
    for (size_t i = 0; i < note_count; i++) {
        if (notes[i].kind == YS_SEEN_LINK && notes[i].counter < 8)
            assert_int_equal(notes[i].interval_us, 30000);
    }
}

static void what_is_sent_again_is_known(void **state)
{
    (void)state;
    follow(LINK "~refused; >a 0a0300; >a 0a0300");
    assert_true(notes[note_count - 2].repeated);
    assert_int_equal(notes[note_count - 2].upper, YS_UPPER_NONE); /* it is said once */
    assert_int_equal(notes[note_count - 4].upper, YS_UPPER_ATT);
    follow(LINK "~refused; ~more; >a 0a0300");
    assert_true(notes[note_count - 1].gap); /* the same number, and something else */
}

static void an_access_address_that_comes_again_is_a_new_connection(void **state)
{
    (void)state;
    follow(LINK ">a 02f700; <a 03f700; " LINK);
    assert_int_equal(last_link()->counter, 0);
    assert_int_equal(last_link()->mtu, 23);
}

static void many_connections_are_followed_at_a_time(void **state)
{
    (void)state;
    follow("link aa=0x50657a4d; e 2; link aa=0x50657a4e; e 2; link aa=0x50657a8d; e 2; >a 0a0300");
    assert_int_equal(last_link()->counter, 2);
    assert_int_equal(notes[note_count - 2].handle, 3);
}

/* encryption */

static void an_encrypted_connection_is_read_with_its_key(void **state)
{
    (void)state;
    follow(LINK "enc; >a 0a0300");
    assert_int_equal(notes[note_count - 2].readable, YS_READ_NOT);
    assert_int_equal(notes[note_count - 2].upper, YS_UPPER_NONE);
    /* the key is said at an interface */
    follow("h> 01 1920 1c 4000 0000000000000000 0000 bf01fb9d4ef3bc36d874f5394138684c; " LINK
           "enc; >a 0a0300; <a 0b01");
    assert_int_equal(notes[note_count - 1].readable, YS_READ_DECRYPTED);
    assert_int_equal(notes[note_count - 1].upper, YS_UPPER_ATT);
    assert_int_equal(notes[note_count - 1].handle, 3);
    follow("h> 01 1a20 12 4000 bf01fb9d4ef3bc36d874f5394138684c; " LINK "enc; >a 0a0300");
    assert_int_equal(notes[note_count - 2].readable, YS_READ_DECRYPTED);
}

static void packets_that_are_missing_do_not_end_decryption(void **state)
{
    (void)state;
    follow("h> 01 1a20 12 4000 bf01fb9d4ef3bc36d874f5394138684c; " LINK
           "enc; >a 0a0300; ~crc; >a 0a0400; ~crc; >a 0a0500; >a 0a0600");
    assert_int_equal(notes[note_count - 2].readable, YS_READ_DECRYPTED);
    assert_true(notes[note_count - 2].gap);
    assert_int_equal(notes[note_count - 2].handle, 6);
}

/* frames */

static void frames_are_put_together(void **state)
{
    static const struct {
        const char *script;
        enum ys_upper upper;
        size_t length;
        bool stray;
        bool unfinished;
        bool overrun;
    } cases[] = {
        {">r 2 03000400 0a0300", YS_UPPER_ATT, 3, false, false, false},
        {">r 2 03; >r 1 00; >r 1 0400; >r 1 0a; >r 1 0300", YS_UPPER_ATT, 3, false, false, false},
        {">r 2 03000400; >r 1 0a0300", YS_UPPER_ATT, 3, false, false, false},
        {">r 2 00000400", YS_UPPER_ATT, 0, false, false, false},
        {">r 2 01000600 0b", YS_UPPER_SECURITY, 1, false, false, false},
        {">r 2 01000500 01", YS_UPPER_SIGNALLING, 1, false, false, false},
        {">r 2 01004000 01", YS_UPPER_OTHER, 1, false, false, false},
        {">r 1 0a0300", YS_UPPER_NONE, 0, true, false, false},
        {">r 2 09000400 0a; >r 2 03000400 0a0300", YS_UPPER_ATT, 3, false, true, false},
        {">r 2 03000400 0a0300ff", YS_UPPER_ATT, 3, false, false, true},
        {">r 2 03000400 0a; >r 1 0300ff", YS_UPPER_ATT, 3, false, false, true},
        {">r 2 03000400 0a0300; >r 1 00", YS_UPPER_NONE, 0, true, false, false},
        /* each side has frames of its own */
        {">r 2 03000400 0a; <r 2 02000400 0b; >r 1 0300", YS_UPPER_ATT, 3, false, false, false},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        char script[200];
        (void)snprintf(script, sizeof script, LINK "%s", cases[i].script);
        follow(script);
        const struct note *note = &notes[note_count - 2];
        if (note->upper != cases[i].upper || (note->upper != YS_UPPER_NONE && note->frame_length != cases[i].length) ||
            note->stray != cases[i].stray || note->unfinished != cases[i].unfinished ||
            note->overrun != cases[i].overrun)
            fail_msg("%s: upper %d, %zu bytes, %d %d %d", cases[i].script, note->upper, note->frame_length, note->stray,
                     note->unfinished, note->overrun);
    }
}

static void the_mtu_is_the_lesser_of_both(void **state)
{
    static const struct {
        const char *script;
        uint16_t mtu;
    } cases[] = {{LINK ">a 02f700; e", 23},
                 {LINK ">a 02f700; <a 03b900; e", 185},
                 {LINK ">a 021700; <a 030502; e", 23},
                 {LINK ">a 021000; <a 03f700; e", 23},
                 {LINK ">a 020502; <a 030502; e", 517}};
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        follow(cases[i].script);
        assert_int_equal(last_link()->mtu, cases[i].mtu);
    }
}

/* who is who */

static const struct ys_party *party_of(const char *hex)
{
    struct ys_address address = {.type = YS_ADDRESS_RANDOM};
    assert_int_equal(from_hex(hex, address.bytes, 6), 6);
    return ys_party_of(ys_follower_parties(the_follower), &address);
}

static void what_a_server_has_is_learnt_from_its_answers(void **state)
{
    (void)state;
    follow(LINK ">a 10 0100 ffff 0028; <a 11 06 0100 0900 0f18;"
                ">a 08 0100 ffff 0328; <a 09 07 0200 12 0300 192a;"
                ">a 04 0400 0900; <a 05 01 0400 0229;"
                ">a 06 0a00 ffff 0028 0a18; <a 07 0a00 0f00;");
    const struct ys_party *server = party_of("0908070605c2");
    assert_int_equal(server->told_count, 4);
    const struct ys_told *service = ys_party_service(server, 4);
    assert_int_equal(ys_uuid_number(&service->uuid), 0x180f);
    assert_int_equal(service->last, 9);
    const struct ys_told *value = ys_party_told(server, 3);
    assert_int_equal(value->kind, YS_TOLD_CHARACTERISTIC);
    assert_int_equal(value->properties, 0x12);
    assert_ptr_equal(ys_party_characteristic(server, 4), value);
    assert_int_equal(ys_party_told(server, 4)->kind, YS_TOLD_DESCRIPTOR);
    assert_int_equal(ys_uuid_number(&ys_party_service(server, 12)->uuid), 0x180a);
    assert_null(ys_party_service(server, 16)); /* after its end */
    assert_null(ys_party_characteristic(server, 12));
    assert_null(ys_party_told(server, 5));
    assert_int_equal(party_of("0102030405c1")->told_count, 0);
}

static void names_are_kept_by_how_well_they_are_known(void **state)
{
    (void)state;
    follow("air 37 1 400c 0908070605c2 05094d617374");
    assert_string_equal(party_of("0908070605c2")->name, "Mast");
    follow("air 37 1 4007 0908070605c2 00; h> 01 0520 06 0908070605c2; air 37 1 400c 0908070605c2 05094d617374");
    assert_string_equal(party_of("0908070605c2")->name, "wrench");
    assert_string_equal(party_of("0908070605c2")->advertised, "Mast");
    follow("air 37 1 400a 0908070605c2 0309 0741");
    assert_string_equal(party_of("0908070605c2")->name, "?A"); /* what cannot be printed */
    follow("air 37 1 4425 0908070605c2 1e09 c3a4c3a4c3a4c3a4c3a4c3a4c3a4c3a4c3a4c3a4c3a4c3a4c3a4c3a4c3");
    assert_int_equal(strlen(party_of("0908070605c2")->name), 28); /* and no half of a character */
    follow("air 37 1 4006 0908070605c2");
    assert_string_equal(party_of("0908070605c2")->name, "c2:05:06:07:08:09");
}

static void so_many_addresses_are_remembered_and_no_more(void **state)
{
    struct ys_parties *parties = ys_parties_new();
    (void)state;
    for (uint32_t i = 0; i < YS_PARTIES_MOST + 10; i++) {
        const struct ys_address address = {.type = 1, .bytes = {(uint8_t)i, (uint8_t)(i >> 8), (uint8_t)(i >> 16)}};
        const struct ys_party *party = ys_party_of(parties, &address);
        assert_int_equal(party != NULL, i < YS_PARTIES_MOST);
        if (party != NULL)
            assert_int_equal(party->number, i);
    }
    const struct ys_address first = {.type = 1};
    assert_non_null(ys_party_of(parties, &first));
    ys_parties_free(parties);
}

/* interfaces */

#define CONNECTED "h< 043e13 01 00 4000 01 01 0102030405c1 1800 0000 9001 05;"

static void data_at_a_border_are_put_together_by_their_connection(void **state)
{
    (void)state;
    follow(CONNECTED "h< 02 4020 0700 03000400 0a0300; h> 02 4000 0600 02000400 0b57");
    assert_int_equal(notes[1].upper, YS_UPPER_ATT);
    assert_int_equal(notes[2].upper, YS_UPPER_ATT);
    assert_true(notes[2].answers);
    assert_int_equal(notes[2].handle, 3);
    /* in pieces; another connection between them; and anew after it has ended */
    follow(CONNECTED "h< 02 4020 0500 03000400 0a; h< 02 4120 0700 03000400 0a0900; h< 02 4010 0200 0300;"
                     "h> 02 4000 0600 02000400 0b57");
    assert_int_equal(notes[1].upper, YS_UPPER_NONE);
    assert_int_equal(notes[2].handle, 9);
    assert_int_equal(notes[3].handle, 3);
    assert_true(notes[4].answers);
    follow(CONNECTED "h< 02 4020 0700 03000400 0a0300; h< 040504 00 4000 13; " CONNECTED
                     "h> 02 4000 0600 02000400 0b57");
    assert_false(notes[note_count - 1].answers);
    follow(CONNECTED "h< 02 4020 0700 03000400 0a0300; h> 01030c00; " CONNECTED "h> 02 4000 0600 02000400 0b57");
    assert_false(notes[note_count - 1].answers);
}

/* order */

struct ordered {
    uint64_t at_ns[50];
    uint8_t first_bytes[50];
    size_t count;
};

static void note_order(void *context, const struct ys_record *record)
{
    struct ordered *ordered = context;
    assert_int_equal(record->number, ordered->count + 1);
    ordered->first_bytes[ordered->count] = record->length > 0 ? record->bytes[0] : 0;
    ordered->at_ns[ordered->count++] = record->at_ns;
}

static void records_come_in_the_order_of_their_times(void **state)
{
    struct ordered ordered = {.count = 0};
    const struct ys_record_sink sink = {.take = note_order, .context = &ordered};
    struct ys_sorter *sorter = ys_sorter_new(&sink);
    static const uint64_t times_ms[] = {5, 3, 9, 1, 9, 7, 30, 29, 31, 55, 40, 54};
    (void)state;
    for (size_t i = 0; i < COUNT(times_ms); i++) {
        const uint8_t bytes[] = {(uint8_t)i, 0};
        ys_sorter_take(
            sorter, &(struct ys_record){
                        .kind = YS_RECORD_HCI, .at_ns = times_ms[i] * 1000000, .bytes = bytes, .length = sizeof bytes});
    }
    assert_in_range(ordered.count, 8, 10); /* what is older than any packet lasts has gone on */
    ys_sorter_end(sorter);
    assert_int_equal(ordered.count, COUNT(times_ms));
    for (size_t i = 1; i < ordered.count; i++)
        assert_true(ordered.at_ns[i] >= ordered.at_ns[i - 1]);
    assert_int_equal(ordered.first_bytes[0], 3);
    assert_int_equal(ordered.first_bytes[4], 2); /* of the same time, the first goes first */
    assert_int_equal(ordered.first_bytes[5], 4);
    ys_sorter_free(sorter);
}

static void a_sorter_may_be_freed_with_what_it_holds(void **state)
{
    struct ordered ordered = {.count = 0};
    const struct ys_record_sink sink = {.take = note_order, .context = &ordered};
    struct ys_sorter *sorter = ys_sorter_new(&sink);
    const uint8_t bytes[] = {1, 2};
    (void)state;
    for (uint64_t i = 0; i < 200; i++) /* more than it has room for at first */
        ys_sorter_take(sorter, &(struct ys_record){.kind = YS_RECORD_HCI, .at_ns = i, .bytes = bytes, .length = 2});
    assert_int_equal(ordered.count, 0);
    ys_sorter_free(sorter);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(events_are_counted_and_their_channels_known),
        cmocka_unit_test(a_gap_in_time_does_not_lose_the_counter),
        cmocka_unit_test(the_first_events_may_be_missing),
        cmocka_unit_test(without_a_connect_request_nothing_is_counted),
        cmocka_unit_test(sides_are_found_where_nothing_tells_them),
        cmocka_unit_test(what_holds_from_an_instant_on_holds_then),
        cmocka_unit_test(what_is_sent_again_is_known),
        cmocka_unit_test(an_access_address_that_comes_again_is_a_new_connection),
        cmocka_unit_test(many_connections_are_followed_at_a_time),
        cmocka_unit_test(an_encrypted_connection_is_read_with_its_key),
        cmocka_unit_test(packets_that_are_missing_do_not_end_decryption),
        cmocka_unit_test(frames_are_put_together),
        cmocka_unit_test(the_mtu_is_the_lesser_of_both),
        cmocka_unit_test(what_a_server_has_is_learnt_from_its_answers),
        cmocka_unit_test(names_are_kept_by_how_well_they_are_known),
        cmocka_unit_test(so_many_addresses_are_remembered_and_no_more),
        cmocka_unit_test(data_at_a_border_are_put_together_by_their_connection),
        cmocka_unit_test(records_come_in_the_order_of_their_times),
        cmocka_unit_test(a_sorter_may_be_freed_with_what_it_holds),
    };
    return cmocka_run_group_tests(tests, NULL, tear_down);
}
