/* The attacker's side: what a central gets of a device that it has not the right to, by every way of asking and in
 * every state of the link; what becomes of a pairing into which somebody talks; and somebody between the two. */
#include "support/check.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <yarnswift/client.h>

#include "rights_table.h"
#include "support/hex.h"
#include "support/secure.h"
#include "wire/att.h"
#include "wire/l2cap.h"
#include "wire/smp.h"

#define BASE                                                                                                           \
    .least = YS_LEVEL_ENCRYPTED, .key_size_min = 7, .key_size_max = 16, .bonds = 3, .forgets = true, .waits = true,    \
    .passkey = YS_PASSKEY_RANDOM

/* The values: each 40 bytes that stand nowhere else. */

enum { OPEN, ENCRYPTED, AUTHENTICATED, SECURE, INDICATED, VALUES };

static const struct {
    uint16_t handle;
    uint8_t level; /* that it needs */
    uint8_t secret;
} values[VALUES] = {
    [OPEN] = {RIGHTS_EVERYBODY, YS_LEVEL_OPEN, 0xc1},
    [ENCRYPTED] = {RIGHTS_ENCRYPTED, YS_LEVEL_ENCRYPTED, 0xc2},
    [AUTHENTICATED] = {RIGHTS_AUTHENTICATED, YS_LEVEL_AUTHENTICATED, 0xc3},
    [SECURE] = {RIGHTS_SECURE, YS_LEVEL_SECURE_CONNECTIONS, 0xc4},
    [INDICATED] = {RIGHTS_INDICATED, YS_LEVEL_AUTHENTICATED, 0xc5},
};

static size_t written[VALUES]; /* what write handlers were given */
static size_t leaked[VALUES];  /* packets to the central's host in which a secret stands */

static uint8_t put(struct ys_writer *value, uint8_t secret)
{
    for (int i = 0; i < 40; i++)
        ys_put_u8(value, secret);
    return YS_ATT_OK;
}

#define HANDLERS(name, which)                                                                                          \
    uint8_t rights_##name##_read(const struct ys_access *access, struct ys_writer *value)                              \
    {                                                                                                                  \
        (void)access;                                                                                                  \
        return put(value, values[which].secret);                                                                       \
    }
#define TAKES(name, which)                                                                                             \
    uint8_t rights_##name##_write(const struct ys_access *access, struct ys_reader *value)                             \
    {                                                                                                                  \
        (void)access;                                                                                                  \
        (void)value;                                                                                                   \
        written[which]++;                                                                                              \
        return YS_ATT_OK;                                                                                              \
    }

HANDLERS(everybody, OPEN)
HANDLERS(encrypted, ENCRYPTED)
HANDLERS(authenticated, AUTHENTICATED)
HANDLERS(secure, SECURE)
HANDLERS(indicated, INDICATED)
TAKES(everybody, OPEN)
TAKES(encrypted, ENCRYPTED)
TAKES(authenticated, AUTHENTICATED)
TAKES(secure, SECURE)

/* Whatever reaches the central's host is looked through; three bytes of a secret in a row are one. */
static void look_for_secrets(void *context, enum ys_direction direction, const uint8_t *packet, size_t length)
{
    const struct party *party = context;
    if (party->number == 1 || direction != YS_TO_HOST || packet[0] != 0x02)
        return;
    for (size_t i = 0; i + 2 < length; i++) {
        for (size_t j = 0; j < VALUES; j++) {
            if (packet[i] == values[j].secret && packet[i + 1] == packet[i] && packet[i + 2] == packet[i]) {
                leaked[j]++;
                return;
            }
        }
    }
}

static void ask(struct yard *yard, const struct ys_att_pdu *pdu)
{
    uint8_t bytes[64];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    ys_put_att(&writer, pdu);
    ys_simulated_inject(yard->tablet.simulated, yard->tablet.connection, YS_L2CAP_ATT, bytes,
                        (uint16_t)ys_writer_stored(&writer));
    yard_pass(yard, 40);
}

/* Ways of asking. */

static const uint8_t new_value[40] = {1, 2, 3};

static void read_it(struct yard *yard, uint16_t handle)
{
    ask(yard, &(struct ys_att_pdu){.opcode = YS_ATT_READ_REQUEST, .handle = handle});
}

static void read_long(struct yard *yard, uint16_t handle)
{
    ask(yard, &(struct ys_att_pdu){.opcode = YS_ATT_READ_BLOB_REQUEST, .handle = handle, .offset = 22});
}

static void read_by_type(struct yard *yard, uint16_t handle)
{
    const struct ys_attribute *attribute = &rights_table.attributes[handle - 1];
    struct ys_att_pdu pdu = {.opcode = YS_ATT_READ_BY_TYPE_REQUEST, .first = handle, .last = handle};
    pdu.type = ys_uuid_from_air(rights_table.long_uuids[attribute->number], 16);
    ask(yard, &pdu);
}

static void read_several(struct yard *yard, uint16_t handle)
{
    const uint8_t handles[] = {3, 0, (uint8_t)handle, (uint8_t)(handle >> 8)};
    ask(yard, &(struct ys_att_pdu){.opcode = YS_ATT_READ_MULTIPLE_REQUEST, .value = handles, .length = sizeof handles});
}

static void write_it(struct yard *yard, uint16_t handle)
{
    ask(yard, &(struct ys_att_pdu){.opcode = YS_ATT_WRITE_REQUEST, .handle = handle, .value = new_value, .length = 20});
    ask(yard, &(struct ys_att_pdu){.opcode = YS_ATT_WRITE_REQUEST, .handle = handle, .value = new_value, .length = 40});
}

static void command_it(struct yard *yard, uint16_t handle)
{
    ask(yard, &(struct ys_att_pdu){.opcode = YS_ATT_WRITE_COMMAND, .handle = handle, .value = new_value, .length = 40});
}

static void queue_it(struct yard *yard, uint16_t handle)
{
    for (uint16_t offset = 0; offset < 40; offset = (uint16_t)(offset + 10))
        ask(yard, &(struct ys_att_pdu){.opcode = YS_ATT_PREPARE_WRITE_REQUEST,
                                       .handle = handle,
                                       .offset = offset,
                                       .value = new_value,
                                       .length = 10});
    ask(yard, &(struct ys_att_pdu){.opcode = YS_ATT_EXECUTE_WRITE_REQUEST, .format = 1});
}

static void be_notified(struct yard *yard, uint16_t handle)
{
    static const uint8_t on[] = {1, 0};
    static const uint8_t indications[] = {2, 0};
    const uint8_t *configuration = handle == RIGHTS_INDICATED ? indications : on;
    ask(yard,
        &(struct ys_att_pdu){
            .opcode = YS_ATT_WRITE_REQUEST, .handle = (uint16_t)(handle + 1), .value = configuration, .length = 2});
    ys_host_changed(&yard->wrench.host, handle);
    yard_pass(yard, 60);
}

/* What was switched on in another connection, or before something went wrong. */
static void just_wait(struct yard *yard, uint16_t handle)
{
    ys_host_changed(&yard->wrench.host, handle);
    yard_pass(yard, 60);
}

static const struct {
    const char *name;
    void (*ask)(struct yard *yard, uint16_t handle);
    bool writes;
    bool subscribed; /* only who has subscribed gets something */
} asked[] = {
    {"read", read_it, false, false},
    {"long read", read_long, false, false},
    {"read by type", read_by_type, false, false},
    {"read several", read_several, false, false},
    {"write", write_it, true, false},
    {"write command", command_it, true, false},
    {"queued write", queue_it, true, false},
    {"notification", be_notified, false, false},
    {"only waiting", just_wait, false, true},
};

/* States of the link: each is brought about, and gives a level; `subscribed` tells whether what was switched on with
 * the right for it still counts. */

static struct ys_security with(uint8_t capability)
{
    return (struct ys_security){BASE, .capability = capability, .authenticates = true};
}

static void done(struct ys_client_request *request)
{
    assert_int_equal(request->outcome, YS_OUTCOME_DONE);
}

static void agree_mtu(struct yard *yard)
{
    static struct ys_client_request request;
    request = (struct ys_client_request){.on_done = done};
    assert_int_equal(ys_client_exchange_mtu(&yard->tablet.host, yard->tablet.connection, &request), YS_OK);
    yard_pass(yard, 50);
    assert_int_equal(ys_host_mtu(&yard->tablet.host, yard->tablet.connection), 64);
}

static void begin(struct yard *yard, bool legacy, uint8_t wrench, uint8_t tablet)
{
    struct ys_security first = with(wrench);
    struct ys_security second = with(tablet);
    yard->legacy = legacy;
    yard->table = &rights_table;
    yard->observe = look_for_secrets;
    yard->mtu = 64;
    yard_begin(yard, &first, &second);
    yard_connect(yard);
    agree_mtu(yard);
}

static void subscribe_to_all(struct yard *yard)
{
    for (size_t i = 0; i < VALUES; i++)
        be_notified(yard, values[i].handle);
}

static void unpaired(struct yard *yard)
{
    begin(yard, false, YS_CAPABILITY_DISPLAY, YS_CAPABILITY_KEYBOARD);
}

static void while_pairing(struct yard *yard)
{
    unpaired(yard);
    yard->tablet.people = PEOPLE_SILENT;
    yard_secure(yard, YS_LEVEL_AUTHENTICATED);
    assert_int_equal(yard->wrench.counts[YS_EVENT_PASSKEY_SHOW], 1);
}

static void after_a_wrong_passkey(struct yard *yard)
{
    unpaired(yard);
    subscribe_to_all(yard);
    yard->tablet.people = PEOPLE_MISTAKE;
    yard_secure(yard, YS_LEVEL_AUTHENTICATED);
    assert_int_equal(yard->wrench.counts[YS_EVENT_PAIRING_FAILED], 1);
}

static void after_a_wrong_legacy_passkey(struct yard *yard)
{
    begin(yard, true, YS_CAPABILITY_DISPLAY, YS_CAPABILITY_KEYBOARD);
    subscribe_to_all(yard);
    yard->tablet.people = PEOPLE_MISTAKE;
    yard_secure(yard, YS_LEVEL_AUTHENTICATED);
    assert_int_equal(yard->wrench.counts[YS_EVENT_PAIRING_FAILED], 1);
}

static void paired(struct yard *yard, bool legacy, uint8_t tablet, uint8_t level)
{
    begin(yard, legacy, YS_CAPABILITY_DISPLAY, tablet);
    yard_secure(yard, YS_LEVEL_ENCRYPTED);
    assert_int_equal(yard->wrench.secured.u.secured.level, level);
    subscribe_to_all(yard);
}

static void by_just_works(struct yard *yard)
{
    paired(yard, false, YS_CAPABILITY_NONE, YS_LEVEL_ENCRYPTED);
}

static void by_legacy_just_works(struct yard *yard)
{
    paired(yard, true, YS_CAPABILITY_NONE, YS_LEVEL_ENCRYPTED);
}

static void by_a_legacy_passkey(struct yard *yard)
{
    paired(yard, true, YS_CAPABILITY_KEYBOARD, YS_LEVEL_AUTHENTICATED);
}

static void by_a_passkey(struct yard *yard)
{
    paired(yard, false, YS_CAPABILITY_KEYBOARD, YS_LEVEL_SECURE_CONNECTIONS);
}

static void again(struct yard *yard)
{
    yard_disconnect(yard);
    yard_connect(yard);
    agree_mtu(yard);
}

static void back_without_encryption(struct yard *yard)
{
    by_a_passkey(yard);
    again(yard);
}

static void back_after_a_power_cut_without_encryption(struct yard *yard)
{
    by_a_passkey(yard);
    yard_disconnect(yard);
    yard_restart(yard, &yard->wrench);
    again(yard);
}

static void back_with_encryption(struct yard *yard)
{
    back_without_encryption(yard);
    yard_secure(yard, YS_LEVEL_AUTHENTICATED);
    assert_int_equal(yard->wrench.secured.u.secured.level, YS_LEVEL_SECURE_CONNECTIONS);
}

static void back_after_it_was_forgotten(struct yard *yard)
{
    by_a_passkey(yard);
    yard_disconnect(yard);
    assert_int_equal(ys_bond_forget(&yard->wrench.host, 0), YS_OK);
    again(yard);
    yard_secure(yard, YS_LEVEL_AUTHENTICATED);
    assert_int_equal(yard->tablet.reason, YS_HCI_KEY_MISSING);
}

static void somebody_with_a_known_address(struct yard *yard)
{
    by_a_passkey(yard);
    yard_disconnect(yard);
    assert_int_equal(ys_bond_forget(&yard->tablet.host, 0), YS_OK);
    yard->tablet.security.capability = YS_CAPABILITY_NONE;
    yard->tablet.security.authenticates = false;
    again(yard);
    yard_secure(yard, YS_LEVEL_ENCRYPTED); /* it tries, without what it takes */
    assert_int_equal(yard->tablet.failed.reason, YS_SMP_AUTHENTICATION_REQUIREMENTS);
}

static const struct {
    const char *name;
    void (*bring)(struct yard *yard);
    uint8_t level;
    bool subscribed;
} states[] = {
    {"not paired", unpaired, YS_LEVEL_OPEN, false},
    {"while it pairs", while_pairing, YS_LEVEL_OPEN, false},
    {"after a wrong passkey", after_a_wrong_passkey, YS_LEVEL_OPEN, true},
    {"after a wrong legacy passkey", after_a_wrong_legacy_passkey, YS_LEVEL_OPEN, true},
    {"by just works", by_just_works, YS_LEVEL_ENCRYPTED, true},
    {"by legacy just works", by_legacy_just_works, YS_LEVEL_ENCRYPTED, true},
    {"by a legacy passkey", by_a_legacy_passkey, YS_LEVEL_AUTHENTICATED, true},
    {"by a passkey", by_a_passkey, YS_LEVEL_SECURE_CONNECTIONS, true},
    {"back, not encrypted", back_without_encryption, YS_LEVEL_OPEN, false},
    {"back after a power cut, not encrypted", back_after_a_power_cut_without_encryption, YS_LEVEL_OPEN, false},
    {"back, encrypted", back_with_encryption, YS_LEVEL_SECURE_CONNECTIONS, true},
    {"back after it was forgotten", back_after_it_was_forgotten, YS_LEVEL_OPEN, false},
    {"somebody with a known address", somebody_with_a_known_address, YS_LEVEL_OPEN, false},
};

static void nothing_leaves_and_nothing_changes_without_the_right(void **state)
{
    size_t count = 0;
    (void)state;
    for (size_t s = 0; s < COUNT(states); s++) {
        for (size_t a = 0; a < COUNT(asked); a++) {
            struct yard yard = {.seed = s};
            states[s].bring(&yard);
            for (size_t v = 0; v < VALUES; v++) {
                memset(leaked, 0, sizeof leaked);
                memset(written, 0, sizeof written);
                asked[a].ask(&yard, values[v].handle);
                bool may = states[s].level >= values[v].level && (!asked[a].subscribed || states[s].subscribed);
                if (v == INDICATED && asked[a].writes)
                    may = false; /* nobody may */
                for (size_t other = 0; other < VALUES; other++) {
                    bool gets = other == v && may && !asked[a].writes;
                    bool changes = other == v && may && asked[a].writes;
                    if ((leaked[other] > 0) != gets || (written[other] > 0) != changes)
                        fail_msg("%s, %s of value %zu: %zu packets with value %zu, written %zu times", states[s].name,
                                 asked[a].name, v, leaked[other], other, written[other]);
                }
                count++;
            }
            yard_end(&yard);
        }
    }
    print_message("%zu combinations of right, link and way of asking\n", count);
    assert_int_equal(count, COUNT(states) * COUNT(asked) * VALUES);
}

/* messages in the wrong place */

static size_t messages;
static uint8_t first_failure; /* the first reason that the wrench has sent */

static void watch_messages(void *context, enum ys_direction direction, const uint8_t *packet, size_t length)
{
    const struct party *party = context;
    if (length <= 9 || packet[0] != 0x02 || packet[7] != 0x06 || packet[8] != 0x00 || party->number != 1)
        return;
    messages++;
    if (direction == YS_TO_CONTROLLER && packet[9] == YS_SMP_PAIRING_FAILED && first_failure == 0)
        first_failure = packet[10];
}

static void inject(struct party *from, uint8_t code, size_t length)
{
    uint8_t pdu[80] = {code};
    for (size_t i = 1; i < sizeof pdu; i++)
        pdu[i] = (uint8_t)(i * 7);
    ys_simulated_inject(from->simulated, from->connection, YS_L2CAP_SECURITY, pdu, (uint16_t)length);
}

static size_t length_of(uint8_t code)
{
    uint8_t pdu[80] = {code};
    struct ys_smp_pdu decoded;
    for (size_t length = 1; length < sizeof pdu; length++) {
        if (ys_smp_decode(pdu, length, &decoded) == YS_SMP_GOOD)
            return length;
    }
    return 3;
}

static const struct {
    bool legacy;
    uint8_t wrench;
    uint8_t tablet;
    uint8_t level;
} methods[] = {
    {true, YS_CAPABILITY_NONE, YS_CAPABILITY_NONE, YS_LEVEL_ENCRYPTED},
    {true, YS_CAPABILITY_DISPLAY, YS_CAPABILITY_KEYBOARD, YS_LEVEL_AUTHENTICATED},
    {false, YS_CAPABILITY_NONE, YS_CAPABILITY_NONE, YS_LEVEL_ENCRYPTED},
    {false, YS_CAPABILITY_DISPLAY_YES_NO, YS_CAPABILITY_DISPLAY_YES_NO, YS_LEVEL_SECURE_CONNECTIONS},
    {false, YS_CAPABILITY_DISPLAY, YS_CAPABILITY_KEYBOARD, YS_LEVEL_SECURE_CONNECTIONS},
};

/* Brings a pairing so far that this many of its messages have crossed; false if it is over before. */
static bool bring_to(struct yard *yard, size_t method, size_t after)
{
    struct ys_security wrench = with(methods[method].wrench);
    struct ys_security tablet = with(methods[method].tablet);
    yard->legacy = methods[method].legacy;
    yard->observe = watch_messages;
    yard_begin(yard, &wrench, &tablet);
    yard_connect(yard);
    messages = 0;
    first_failure = 0;
    assert_int_equal(ys_secure(&yard->tablet.host, yard->tablet.connection, methods[method].level), YS_OK);
    for (int i = 0; i < 1000 && messages < after; i++) {
        yard_pass(yard, 1);
        yard_answer(yard);
    }
    return messages >= after;
}

/* What the standard wants said to this in the middle of a pairing; 0: it is taken, or ignored. */
static uint8_t prescribed(uint8_t code, bool good, bool to_wrench)
{
    if (code == 0 || code > YS_SMP_KEYPRESS)
        return YS_SMP_COMMAND_NOT_SUPPORTED;
    if (!good)
        return YS_SMP_INVALID_PARAMETERS;
    if (code == YS_SMP_KEYPRESS || code == YS_SMP_PAIRING_FAILED || (code == YS_SMP_SECURITY_REQUEST && !to_wrench))
        return 0;
    return YS_SMP_UNSPECIFIED; /* or what the step says to a value that is wrong */
}

static void any_message_at_any_time_ends_in_a_defined_state(void **state)
{
    static const size_t moments[] = {0, 1, 2, 3, 4, 5, 6, 7, 9, 12, 30};
    const bool all = getenv("YARNSWIFT_EVERY_INTERRUPTION") != NULL; /* else two or three moments of each method */
    size_t count = 0;
    (void)state;
    for (size_t method = 0; method < COUNT(methods); method++) {
        for (size_t moment = all ? 0 : method; moment < COUNT(moments); moment += all ? 1 : 5) {
            for (uint8_t code = 0; code <= 16; code++) {
                for (int shape = 0; shape < 3; shape++) {
                    bool to_wrench = (code + shape + moment) % 2 == 0; /* one of both each time */
                    struct yard yard = {.seed = method};
                    bool pairs = bring_to(&yard, method, moments[moment]);
                    size_t length = length_of(code);
                    length = shape == 1 ? length - 1 : shape == 2 ? length + 1 : length;
                    inject(to_wrench ? &yard.tablet : &yard.wrench, code, length);
                    yard_settle(&yard);
                    uint8_t reason = prescribed(code, shape == 0, to_wrench);
                    bool secured = yard.wrench.counts[YS_EVENT_SECURED] + yard.tablet.counts[YS_EVENT_SECURED] == 2;
                    if (to_wrench && reason != 0 && reason != YS_SMP_UNSPECIFIED && length > 0 && pairs)
                        if (first_failure != reason)
                            fail_msg("method %zu moment %zu code %u shape %d: %u %u", method, moments[moment], code,
                                     shape, first_failure, reason);
                    /* it went through as if nothing had been, or nobody is secured by it */
                    if (!secured)
                        assert_true(yard.wrench.host.pairing->connection == NULL || !yard.wrench.connected ||
                                    yard.wrench.counts[YS_EVENT_PAIRING_FAILED] > 0 ||
                                    yard.tablet.counts[YS_EVENT_PAIRING_FAILED] > 0);
                    /* and then both can pair */
                    yard_pass(&yard, 31000);
                    if (yard.tablet.connected)
                        yard_disconnect(&yard);
                    (void)ys_bond_forget(&yard.wrench.host, 0);
                    (void)ys_bond_forget(&yard.tablet.host, 0);
                    yard_connect(&yard);
                    yard_secure(&yard, methods[method].level);
                    assert_int_equal(yard.wrench.secured.u.secured.level, methods[method].level);
                    yard_end(&yard);
                    count++;
                }
            }
        }
    }
    print_message("%zu messages in the wrong place\n", count);
}

/* somebody who does not keep to the rules */

static uint8_t heard[80]; /* the last message of the one that keeps to them */
static size_t heard_length;

static void hear(void *context, enum ys_direction direction, const uint8_t *packet, size_t length)
{
    const struct party *party = context;
    static uint8_t frame[120];
    static size_t filled;
    if (party->security.key_size_min != 16 || direction != YS_TO_CONTROLLER || packet[0] != 0x02)
        return; /* it is the other */
    if ((packet[2] & 0x30) == 0)
        filled = 0;
    memcpy(frame + filled, packet + 5, length - 5);
    filled += length - 5;
    if (filled >= 4 && frame[2] == 0x06 && filled == (size_t)frame[0] + 4) {
        heard_length = filled - 4;
        memcpy(heard, frame + 4, heard_length);
    }
}

static void say(struct yard *yard, struct party *from, const uint8_t *pdu, size_t length)
{
    heard_length = 0;
    ys_simulated_inject(from->simulated, from->connection, YS_L2CAP_SECURITY, pdu, (uint16_t)length);
    yard_pass(yard, 150);
}

/* A yard in which the wrench keeps to the rules, and the tablet says what the test says. */
static void begin_raw(struct yard *yard)
{
    struct ys_security wrench = with(YS_CAPABILITY_NONE);
    wrench.key_size_min = 16;
    yard->raw = 2;
    yard->observe = hear;
    yard_begin(yard, &wrench, &wrench);
    yard->tablet.security.key_size_min = 7;
    yard_connect(yard);
}

/* One in which the tablet keeps to them and begins to pair, and the wrench, which is slow, is talked over. */
static void begin_slow(struct yard *yard, bool legacy)
{
    struct ys_security wrench = with(legacy ? YS_CAPABILITY_KEYBOARD : YS_CAPABILITY_NONE);
    struct ys_security tablet = with(legacy ? YS_CAPABILITY_DISPLAY : YS_CAPABILITY_NONE);
    tablet.key_size_min = 16;
    yard->slow = 1;
    yard->legacy = legacy;
    yard->observe = hear;
    yard_begin(yard, &wrench, &tablet);
    yard_connect(yard);
    assert_int_equal(ys_secure(&yard->tablet.host, yard->tablet.connection, YS_LEVEL_ENCRYPTED), YS_OK);
    yard_pass(yard, 200);
}

/* The tablet begins to pair, and the wrench's host, which does not pair, is talked over before it can say so. */
static void answer_first(struct yard *yard, const uint8_t response[7])
{
    assert_int_equal(ys_secure(&yard->tablet.host, yard->tablet.connection, YS_LEVEL_ENCRYPTED), YS_OK);
    say(yard, &yard->wrench, response, 7);
}

static const uint8_t secure_request[] = {YS_SMP_PAIRING_REQUEST, YS_CAPABILITY_NONE, 0, 0x09, 16, 0, 0};

static void assert_heard_failure(uint8_t reason)
{
    assert_int_equal(heard_length, 2);
    assert_int_equal(heard[0], YS_SMP_PAIRING_FAILED);
    assert_int_equal(heard[1], reason);
}

/* Vol 3 Part H 2.3.5.6.1, 3.5.6. */
static void a_public_key_that_is_no_point_of_the_curve_is_refused(void **state)
{
    struct yard yard = {.seed = 41};
    uint8_t key[65] = {YS_SMP_PUBLIC_KEY};
    (void)state;
    for (size_t i = 1; i < sizeof key; i++)
        key[i] = (uint8_t)(i * 3);
    begin_raw(&yard);
    say(&yard, &yard.tablet, secure_request, sizeof secure_request);
    assert_int_equal(heard[0], YS_SMP_PAIRING_RESPONSE);
    say(&yard, &yard.tablet, key, sizeof key);
    assert_heard_failure(YS_SMP_INVALID_PARAMETERS);
    assert_int_equal(yard.wrench.counts[YS_EVENT_SECURED], 0);
    yard_end(&yard);
}

/* Who answers gives and takes no key that was not offered, and none where nobody is to remember (Vol 3 Part H 3.5.2,
 * 3.6.1). */
static void only_keys_that_were_offered_are_agreed_on(void **state)
{
    (void)state;
    for (unsigned keys = 0; keys < 2 * 16; keys++) {
        struct yard yard = {.seed = 61};
        uint8_t offered[2] = {(uint8_t)((keys & 3) | 0x08), (uint8_t)((keys >> 2 & 3) | 0x04)};
        bool bonds = keys < 16;
        const uint8_t request[] = {
            YS_SMP_PAIRING_REQUEST, YS_CAPABILITY_NONE, 0, bonds ? 0x09 : 0x08, 16, offered[0], offered[1]};
        begin_raw(&yard);
        say(&yard, &yard.tablet, request, sizeof request);
        assert_int_equal(heard[0], YS_SMP_PAIRING_RESPONSE);
        for (int i = 0; i < 2; i++)
            assert_int_equal(heard[5 + i], bonds ? offered[i] & (YS_SMP_ENC_KEY | YS_SMP_ID_KEY) : 0);
        yard_end(&yard);
    }
}

/* The public key of the private key that the standard prints, X and Y (Vol 3 Part H 2.3.5.6.1), in air order. */
static const char debug_key[] = "e69d350e480103ccdbfdf4ac1191f4efb9a5f9e9a7832c5e2cbe97f2d203b020"
                                "8bd28915d08e1c742430ed8fc24563765c15525abf9a32636deb2a65499c80dc";

/* Vol 3 Part H 2.3.5.6.1. */
static void the_debug_key_is_refused_unless_it_is_allowed(void **state)
{
    (void)state;
    for (int allowed = 0; allowed < 2; allowed++) {
        struct yard yard = {.seed = 42};
        uint8_t key[65] = {YS_SMP_PUBLIC_KEY};
        from_hex(debug_key, key + 1, 64);
        begin_raw(&yard);
        yard.wrench.security.allows_debug_key = allowed != 0;
        say(&yard, &yard.tablet, secure_request, sizeof secure_request);
        say(&yard, &yard.tablet, key, sizeof key);
        if (allowed)
            assert_int_equal(heard[0], YS_SMP_PAIRING_CONFIRM); /* after its own key */
        else
            assert_heard_failure(YS_SMP_INVALID_PARAMETERS);
        yard_end(&yard);
    }
}

/* Vol 3 Part H 2.3.5.6.1. */
static void the_own_public_key_sent_back_is_refused(void **state)
{
    struct yard yard = {.seed = 43};
    uint8_t key[65];
    (void)state;
    begin_slow(&yard, false);
    assert_int_equal(heard[0], YS_SMP_PUBLIC_KEY);
    memcpy(key, heard, sizeof key);
    say(&yard, &yard.wrench, key, sizeof key);
    assert_heard_failure(YS_SMP_INVALID_PARAMETERS);
    yard_end(&yard);
}

/* In legacy pairing the confirm value and the random number of the other side, sent back, fit: if nobody looks. */
static void the_own_confirm_value_sent_back_is_refused(void **state)
{
    struct yard yard = {.seed = 44};
    uint8_t value[17];
    (void)state;
    begin_slow(&yard, true);
    assert_int_equal(yard.tablet.counts[YS_EVENT_PASSKEY_SHOW], 1);
    assert_int_equal(heard[0], YS_SMP_PAIRING_CONFIRM);
    memcpy(value, heard, sizeof value);
    say(&yard, &yard.wrench, value, sizeof value);
    assert_int_equal(heard[0], YS_SMP_PAIRING_RANDOM);
    memcpy(value, heard, sizeof value);
    say(&yard, &yard.wrench, value, sizeof value);
    assert_heard_failure(YS_SMP_CONFIRM_VALUE_FAILED);
    assert_int_equal(yard.tablet.counts[YS_EVENT_SECURED], 0);
    yard_end(&yard);
}

/* Vol 3 Part C 10.2.4: such a device neither answers to legacy pairing nor takes an answer of that kind. */
static void legacy_pairing_is_refused_where_it_is_forbidden(void **state)
{
    static const uint8_t legacy_request[] = {YS_SMP_PAIRING_REQUEST, YS_CAPABILITY_NONE, 0, 0x01, 16, 0, 0};
    static const uint8_t legacy_response[] = {YS_SMP_PAIRING_RESPONSE, YS_CAPABILITY_NONE, 0, 0x01, 16, 0, 0};
    (void)state;
    for (int forbidden = 0; forbidden < 2; forbidden++) {
        struct yard yard = {.seed = 45};
        begin_raw(&yard);
        yard.wrench.security.forbids_legacy = forbidden != 0;
        say(&yard, &yard.tablet, legacy_request, sizeof legacy_request);
        if (forbidden)
            assert_heard_failure(YS_SMP_AUTHENTICATION_REQUIREMENTS);
        else
            assert_int_equal(heard[0], YS_SMP_PAIRING_RESPONSE);
        yard_end(&yard);
    }
    struct yard yard = {.seed = 46, .raw = 1, .observe = hear};
    struct ys_security security = with(YS_CAPABILITY_NONE);
    security.key_size_min = 16;
    security.forbids_legacy = true;
    yard_begin(&yard, &security, &security);
    yard.wrench.security.key_size_min = 7;
    yard_connect(&yard);
    answer_first(&yard, legacy_response);
    assert_heard_failure(YS_SMP_AUTHENTICATION_REQUIREMENTS);
    assert_int_equal(yard.tablet.counts[YS_EVENT_PAIRING_FAILED], 1);
    yard_end(&yard);
}

/* Vol 3 Part H 2.3.5.6.2: who answers has committed itself before it saw the number of who began. */
static void a_random_number_that_is_not_the_one_committed_to_is_refused(void **state)
{
    struct yard yard = {.seed = 47};
    uint8_t key[65] = {YS_SMP_PUBLIC_KEY};
    uint8_t value[17] = {YS_SMP_PAIRING_CONFIRM, 1, 2, 3};
    (void)state;
    from_hex(debug_key, key + 1, 64); /* a good one that everybody has */
    begin_slow(&yard, false);
    yard.tablet.security.allows_debug_key = true;
    assert_int_equal(heard[0], YS_SMP_PUBLIC_KEY);
    say(&yard, &yard.wrench, key, sizeof key);
    say(&yard, &yard.wrench, value, sizeof value);
    assert_int_equal(heard[0], YS_SMP_PAIRING_RANDOM);
    value[0] = YS_SMP_PAIRING_RANDOM;
    say(&yard, &yard.wrench, value, sizeof value);
    assert_heard_failure(YS_SMP_CONFIRM_VALUE_FAILED);
    assert_int_equal(yard.tablet.counts[YS_EVENT_SECURED], 0);
    yard_end(&yard);
}

/* Vol 3 Part H 2.3.4, 3.5.1, 3.5.2: a response gives no more than was asked for, and the smaller key is the key. */
static void an_invalid_pairing_response_is_refused(void **state)
{
    static const struct {
        uint8_t response[7];
        uint8_t reason; /* 0: it is a good one */
    } cases[] = {
        {{YS_SMP_PAIRING_RESPONSE, YS_CAPABILITY_NONE, 0, 0x09, 16, 0, 0}, 0},
        {{YS_SMP_PAIRING_RESPONSE, YS_CAPABILITY_NONE, 0, 0x09, 17, 0, 0}, YS_SMP_INVALID_PARAMETERS},
        {{YS_SMP_PAIRING_RESPONSE, YS_CAPABILITY_NONE, 0, 0x09, 16, 4, 0}, YS_SMP_INVALID_PARAMETERS},
        {{YS_SMP_PAIRING_RESPONSE, YS_CAPABILITY_NONE, 0, 0x09, 16, 0, 4}, YS_SMP_INVALID_PARAMETERS},
        {{YS_SMP_PAIRING_RESPONSE, YS_CAPABILITIES, 0, 0x09, 16, 0, 0}, YS_SMP_INVALID_PARAMETERS},
        {{YS_SMP_PAIRING_RESPONSE, YS_CAPABILITY_NONE, 2, 0x09, 16, 0, 0}, YS_SMP_INVALID_PARAMETERS},
        {{YS_SMP_PAIRING_RESPONSE, YS_CAPABILITY_NONE, 0, 0x09, 15, 0, 0}, YS_SMP_ENCRYPTION_KEY_SIZE},
        {{YS_SMP_PAIRING_RESPONSE, YS_CAPABILITY_NONE, 0, 0x09, 6, 0, 0}, YS_SMP_ENCRYPTION_KEY_SIZE},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct yard yard = {.seed = 48, .raw = 1, .observe = hear};
        struct ys_security security = with(YS_CAPABILITY_NONE);
        security.key_size_min = 16;
        yard_begin(&yard, &security, &security);
        yard.wrench.security.key_size_min = 7;
        yard_connect(&yard);
        answer_first(&yard, cases[i].response);
        if (cases[i].reason != 0)
            assert_heard_failure(cases[i].reason);
        else
            assert_int_equal(yard.tablet.failed.reason, YS_SMP_NOT_SUPPORTED); /* what the host itself says, later */
        yard_end(&yard);
    }
}

/* Vol 3 Part H 2.3.4: whoever answers with less than was asked for has said how long the key is. */
static void the_smaller_of_two_key_sizes_is_the_key_of_both(void **state)
{
    (void)state;
    for (int smaller = 0; smaller < 2; smaller++) {
        struct yard yard = {.seed = 49};
        struct ys_security wrench = with(YS_CAPABILITY_NONE);
        struct ys_security tablet = with(YS_CAPABILITY_NONE);
        (smaller == 0 ? &wrench : &tablet)->key_size_max = 9;
        yard_begin(&yard, &wrench, &tablet);
        yard_connect(&yard);
        yard_secure(&yard, YS_LEVEL_ENCRYPTED);
        assert_int_equal(yard.wrench.secured.u.secured.key_size, 9);
        assert_int_equal(yard.tablet.secured.u.secured.key_size, 9);
        yard_end(&yard);
    }
}

/* Vol 6 Part B 1.3: only a public address or a static one is an identity; and whoever says to be somebody who is known
 * better has not become that one. */
static void nobody_takes_an_identity_that_is_none_or_that_is_known_better(void **state)
{
    (void)state;
    for (int known = 0; known < 2; known++) {
        struct yard yard = {.seed = 50};
        struct ys_security wrench = with(YS_CAPABILITY_DISPLAY);
        struct ys_security tablet = with(YS_CAPABILITY_KEYBOARD);
        struct ys_address identity;
        uint8_t level;
        yard_begin(&yard, &wrench, &tablet);
        yard_connect(&yard);
        yard_secure(&yard, YS_LEVEL_AUTHENTICATED);
        assert_true(ys_bond_get(&yard.wrench.host, 1, &identity, &level));
        assert_in_range(level, YS_LEVEL_AUTHENTICATED, YS_LEVEL_SECURE_CONNECTIONS);
        yard_disconnect(&yard);

        /* somebody else, under an address of its own, with the other's name */
        struct ys_store *used = yard.tablet.store;
        yard.tablet.store = ys_store_new(4096);
        ys_store_free(used);
        yard.seed = 51;
        yard.tablet.security = with(YS_CAPABILITY_NONE);
        yard.tablet.security.privacy = true;
        yard_restart(&yard, &yard.tablet);
        yard.tablet.pairing.identity = identity;
        if (!known) /* it resolves to somebody, and is not who that is */
            yard.tablet.pairing.identity.bytes[5] = 0x41;
        yard_connect(&yard);
        yard_secure(&yard, YS_LEVEL_ENCRYPTED);
        assert_int_equal(yard.wrench.counts[YS_EVENT_PAIRING_FAILED], 1);
        assert_int_equal(yard.wrench.failed.reason, known ? YS_SMP_KEY_REJECTED : YS_SMP_INVALID_PARAMETERS);
        assert_true(ys_bond_get(&yard.wrench.host, 1, &identity, &level));
        assert_in_range(level, YS_LEVEL_AUTHENTICATED, YS_LEVEL_SECURE_CONNECTIONS);
        assert_false(ys_bond_get(&yard.wrench.host, 2, &identity, &level));
        yard_end(&yard);
    }
}

/* somebody in between */

/* Two airs, with somebody between who is a tablet to the wrench and a wrench to the tablet. People stand at the real
 * two, and read and compare what those show. */
static void people_at_the_real_two(struct yard *to_wrench, struct yard *to_tablet)
{
    struct party *wrench = &to_wrench->wrench;
    struct party *tablet = &to_tablet->tablet;
    if (tablet->wanted)
        (void)ys_passkey_enter(&tablet->host, tablet->connection, wrench->shown);
    if (wrench->wanted)
        (void)ys_passkey_enter(&wrench->host, wrench->connection, tablet->shown);
    tablet->wanted = false;
    wrench->wanted = false;
    if (wrench->counts[YS_EVENT_NUMBER_COMPARE] > 0 && tablet->counts[YS_EVENT_NUMBER_COMPARE] > 0) {
        (void)ys_number_confirm(&wrench->host, wrench->connection, wrench->shown == tablet->shown);
        (void)ys_number_confirm(&tablet->host, tablet->connection, wrench->shown == tablet->shown);
    }
}

/* Vol 3 Part H 2.3.5.6.3. */
static void somebody_between_the_two_only_gets_through_just_works(void **state)
{
    static const struct {
        const char *name;
        bool legacy;
        uint8_t wrench;
        uint8_t tablet;
        bool oob;
        bool gets_through;
    } cases[] = {
        {"just works", false, YS_CAPABILITY_NONE, YS_CAPABILITY_NONE, false, true},
        {"legacy just works", true, YS_CAPABILITY_NONE, YS_CAPABILITY_NONE, false, true},
        {"numeric comparison", false, YS_CAPABILITY_DISPLAY_YES_NO, YS_CAPABILITY_DISPLAY_YES_NO, false, false},
        {"passkey at the tablet", false, YS_CAPABILITY_DISPLAY, YS_CAPABILITY_KEYBOARD, false, false},
        {"passkey at the wrench", false, YS_CAPABILITY_KEYBOARD, YS_CAPABILITY_DISPLAY, false, false},
        {"legacy passkey", true, YS_CAPABILITY_DISPLAY, YS_CAPABILITY_KEYBOARD, false, false},
        {"out of band", false, YS_CAPABILITY_NONE, YS_CAPABILITY_NONE, true, false},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct ys_security wrench = with(cases[i].wrench);
        struct ys_security tablet = with(cases[i].tablet);
        struct yard to_wrench = {.seed = 50 + i, .legacy = cases[i].legacy};
        struct yard to_tablet = {.seed = 70 + i, .legacy = cases[i].legacy};
        yard_begin(&to_wrench, &wrench, &tablet);
        yard_begin(&to_tablet, &wrench, &tablet);
        if (cases[i].oob) { /* the data go from the real one to the real one; the one between has its own */
            (void)ys_oob_make(&to_wrench.wrench.host);
            (void)ys_oob_make(&to_tablet.tablet.host);
            yard_pass(&to_wrench, 100);
            yard_pass(&to_tablet, 100);
            ys_oob_set(&to_wrench.wrench.host, &to_tablet.tablet.oob, NULL);
            ys_oob_set(&to_tablet.tablet.host, &to_wrench.wrench.oob, NULL);
        }
        to_wrench.wrench.people = to_wrench.tablet.people = PEOPLE_SILENT;
        to_tablet.wrench.people = to_tablet.tablet.people = PEOPLE_SILENT;
        yard_connect(&to_wrench);
        yard_connect(&to_tablet);
        assert_int_equal(ys_secure(&to_tablet.tablet.host, to_tablet.tablet.connection, YS_LEVEL_ENCRYPTED), YS_OK);
        assert_int_equal(ys_secure(&to_wrench.tablet.host, to_wrench.tablet.connection, YS_LEVEL_ENCRYPTED), YS_OK);
        /* between the two numbers are confirmed, and passkeys are guessed */
        for (int j = 0; j < 200; j++) {
            yard_pass(&to_wrench, 10);
            yard_pass(&to_tablet, 10);
            people_at_the_real_two(&to_wrench, &to_tablet);
            if (j != 100)
                continue;
            (void)ys_number_confirm(&to_wrench.tablet.host, to_wrench.tablet.connection, true);
            (void)ys_number_confirm(&to_tablet.wrench.host, to_tablet.wrench.connection, true);
            (void)ys_passkey_enter(&to_wrench.tablet.host, to_wrench.tablet.connection, 123456);
            (void)ys_passkey_enter(&to_tablet.wrench.host, to_tablet.wrench.connection, 123456);
        }
        size_t secured = to_wrench.wrench.counts[YS_EVENT_SECURED] + to_tablet.tablet.counts[YS_EVENT_SECURED];
        if (secured != (cases[i].gets_through ? 2 : 0))
            fail_msg("%s: %zu of the two are secured", cases[i].name, secured);
        if (!cases[i].gets_through)
            assert_int_equal(to_wrench.wrench.counts[YS_EVENT_PAIRING_FAILED] > 0 &&
                                 to_tablet.tablet.counts[YS_EVENT_PAIRING_FAILED] > 0,
                             true);
        yard_end(&to_wrench);
        yard_end(&to_tablet);
    }
}

/* what a right demands is seen to */

static enum ys_outcome outcome;
static bool read_done;

static void note_outcome(struct ys_client_request *request)
{
    outcome = (enum ys_outcome)request->outcome;
    read_done = true;
}

static void begin_read(struct yard *yard, struct ys_client_request *request, uint16_t handle)
{
    static uint8_t value[64];
    read_done = false;
    *request = (struct ys_client_request){.on_done = note_outcome};
    assert_int_equal(ys_client_read(&yard->tablet.host, yard->tablet.connection, request, handle, value, sizeof value),
                     YS_OK);
}

/* Vol 3 Part C 10.3.2. */
static void a_host_that_does_not_wait_pairs_for_what_it_wants_to_read(void **state)
{
    (void)state;
    for (int remembered = 0; remembered < 2; remembered++) {
        struct yard yard = {.seed = 60};
        struct ys_client_request request;
        unpaired(&yard);
        yard.tablet.security.waits = false;
        if (remembered) { /* then it only encrypts */
            yard_secure(&yard, YS_LEVEL_AUTHENTICATED);
            again(&yard);
        }
        memset(leaked, 0, sizeof leaked);
        begin_read(&yard, &request, RIGHTS_AUTHENTICATED);
        yard_settle(&yard);
        yard_pass(&yard, 100);
        assert_true(read_done);
        assert_int_equal(outcome, YS_OUTCOME_DONE);
        assert_true(leaked[AUTHENTICATED] > 0);
        assert_int_equal(yard.wrench.counts[YS_EVENT_PASSKEY_SHOW], 1);
        assert_int_equal(yard.tablet.secured.u.secured.level, YS_LEVEL_SECURE_CONNECTIONS);
        yard_end(&yard);
    }
}

static void what_pairing_cannot_give_is_refused_once_and_for_all(void **state)
{
    struct yard yard = {.seed = 61};
    struct ys_client_request request;
    (void)state;
    begin(&yard, false, YS_CAPABILITY_DISPLAY, YS_CAPABILITY_NONE);
    yard.tablet.security.waits = false;
    begin_read(&yard, &request, RIGHTS_SECURE);
    yard_settle(&yard);
    yard_pass(&yard, 500);
    assert_true(read_done);
    assert_int_equal(outcome, YS_OUTCOME_REFUSED);
    assert_int_equal(yard.wrench.counts[YS_EVENT_SECURED], 1); /* it has tried */
    yard_end(&yard);
}

static void a_peripheral_that_does_not_wait_asks_for_what_was_missing_once(void **state)
{
    struct yard yard = {.seed = 62};
    (void)state;
    unpaired(&yard);
    yard.wrench.security.waits = false;
    for (int i = 0; i < 3; i++)
        read_it(&yard, RIGHTS_AUTHENTICATED);
    assert_int_equal(yard.tablet.counts[YS_EVENT_SECURITY_WANTED], 1);
    yard_end(&yard);
}

static void everything_else_goes_on_while_the_curve_is_computed(void **state)
{
    struct yard yard = {.seed = 63, .slow = 1};
    struct ys_client_request request;
    (void)state;
    unpaired(&yard);
    be_notified(&yard, RIGHTS_EVERYBODY);
    assert_int_equal(ys_secure(&yard.tablet.host, yard.tablet.connection, YS_LEVEL_ENCRYPTED), YS_OK);
    yard_pass(&yard, 200);
    memset(leaked, 0, sizeof leaked);
    just_wait(&yard, RIGHTS_EVERYBODY); /* it notifies */
    size_t notified = leaked[OPEN];
    assert_true(notified > 0);
    read_it(&yard, RIGHTS_EVERYBODY); /* and answers */
    assert_true(leaked[OPEN] > notified);
    yard_disconnect(&yard);
    yard_connect(&yard); /* and connects again */
    begin_read(&yard, &request, RIGHTS_EVERYBODY);
    yard_pass(&yard, 100);
    assert_true(read_done);
    yard_end(&yard);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(nothing_leaves_and_nothing_changes_without_the_right),
        cmocka_unit_test(any_message_at_any_time_ends_in_a_defined_state),
        cmocka_unit_test(a_host_that_does_not_wait_pairs_for_what_it_wants_to_read),
        cmocka_unit_test(what_pairing_cannot_give_is_refused_once_and_for_all),
        cmocka_unit_test(a_peripheral_that_does_not_wait_asks_for_what_was_missing_once),
        cmocka_unit_test(everything_else_goes_on_while_the_curve_is_computed),
        cmocka_unit_test(a_public_key_that_is_no_point_of_the_curve_is_refused),
        cmocka_unit_test(only_keys_that_were_offered_are_agreed_on),
        cmocka_unit_test(the_debug_key_is_refused_unless_it_is_allowed),
        cmocka_unit_test(the_own_public_key_sent_back_is_refused),
        cmocka_unit_test(the_own_confirm_value_sent_back_is_refused),
        cmocka_unit_test(legacy_pairing_is_refused_where_it_is_forbidden),
        cmocka_unit_test(a_random_number_that_is_not_the_one_committed_to_is_refused),
        cmocka_unit_test(an_invalid_pairing_response_is_refused),
        cmocka_unit_test(the_smaller_of_two_key_sizes_is_the_key_of_both),
        cmocka_unit_test(nobody_takes_an_identity_that_is_none_or_that_is_known_better),
        cmocka_unit_test(somebody_between_the_two_only_gets_through_just_works),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
