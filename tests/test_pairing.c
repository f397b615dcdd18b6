/* Pairing between two hosts over simulated controllers: every method, both ways, and what comes of it. */
#include "support/check.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "support/secure.h"
#include "wire/smp.h"

#define BASE                                                                                                           \
    .least = YS_LEVEL_ENCRYPTED, .key_size_min = 7, .key_size_max = 16, .bonds = 3, .forgets = true,                   \
    .passkey = YS_PASSKEY_RANDOM

static const struct ys_security plain = {BASE, .capability = YS_CAPABILITY_NONE};

static struct ys_security with(uint8_t capability)
{
    return (struct ys_security){BASE, .capability = capability, .authenticates = true};
}

/* Whether both ends say the same of their link. */
static void assert_secured(const struct yard *yard, uint8_t level, uint8_t method)
{
    const struct ys_event *wrench = &yard->wrench.secured;
    const struct ys_event *tablet = &yard->tablet.secured;
    assert_int_equal(yard->wrench.counts[YS_EVENT_SECURED], 1);
    assert_int_equal(yard->tablet.counts[YS_EVENT_SECURED], 1);
    assert_int_equal(wrench->u.secured.level, level);
    assert_int_equal(tablet->u.secured.level, level);
    assert_int_equal(wrench->u.secured.method, method);
    assert_int_equal(tablet->u.secured.method, method);
    assert_int_equal(wrench->u.secured.key_size, tablet->u.secured.key_size);
}

/* Table 2.8 of the standard: rows by the initiator's capability, columns by the responder's; first legacy pairing, then
 * LE Secure Connections where they differ. J just works, C the central shows, P the peripheral shows, B both enter,
 * N numeric comparison. */
static const char *const legacy_methods[] = {"JJCJC", "JJCJC", "PPBJP", "JJJJJ", "PPCJC"};
static const char *const secure_methods[] = {"JJCJC", "JNCJN", "PPBJP", "JJJJJ", "PNCJN"};

static uint8_t method_of(char letter)
{
    static const char letters[] = "JNCPB";
    return (uint8_t)(strchr(letters, letter) - letters);
}

/* Vol 3 Part H 2.3.2, 2.3.5.1. */
static void every_pair_of_capabilities_pairs_by_the_method_of_the_standard(void **state)
{
    (void)state;
    for (int i = 0; i < YS_CAPABILITIES * YS_CAPABILITIES * 2; i++) {
        bool secure = i % 2 != 0;
        uint8_t tablet = (uint8_t)(i / 2 / YS_CAPABILITIES);
        uint8_t wrench = (uint8_t)(i / 2 % YS_CAPABILITIES);
        uint8_t method = method_of((secure ? secure_methods : legacy_methods)[tablet][wrench]);
        struct ys_security security[2] = {with(wrench), with(tablet)};
        struct yard yard = {.seed = (uint64_t)i, .legacy = !secure};
        uint8_t level = (uint8_t)(method == YS_METHOD_JUST_WORKS ? YS_LEVEL_ENCRYPTED
                                  : secure                       ? YS_LEVEL_SECURE_CONNECTIONS
                                                                 : YS_LEVEL_AUTHENTICATED);
        if (method == YS_METHOD_BOTH_ENTER)
            security[0].passkey = 271828;
        yard_begin(&yard, &security[0], &security[1]);
        if (method == YS_METHOD_BOTH_ENTER) { /* people agree on one */
            yard.wrench.shown = 314159;
            yard.tablet.shown = 314159;
        }
        yard_connect(&yard);
        yard_secure(&yard, YS_LEVEL_ENCRYPTED);
        assert_secured(&yard, level, method);
        if (method == YS_METHOD_NUMERIC_COMPARISON)
            assert_int_equal(yard.wrench.shown, yard.tablet.shown);
        /* both remember, and come back without being asked anything */
        assert_int_equal(yard.wrench.bond.u.bond.change, YS_BOND_MADE);
        yard_disconnect(&yard);
        yard_restart(&yard, &yard.wrench);
        yard_restart(&yard, &yard.tablet);
        yard_connect(&yard);
        yard_secure(&yard, level);
        assert_int_equal(yard.wrench.secured.u.secured.level, level);
        assert_int_equal(yard.tablet.secured.u.secured.level, level);
        assert_false(yard.tablet.secured.u.secured.paired);
        assert_int_equal(yard.wrench.counts[YS_EVENT_PASSKEY_SHOW] + yard.wrench.counts[YS_EVENT_PASSKEY_WANTED], 0);
        yard_end(&yard);
    }
}

/* Every method that a test goes through: how it is made to result. */
struct way {
    const char *name;
    bool legacy;
    uint8_t wrench;
    uint8_t tablet;
    uint8_t method;
    bool oob;
};

static const struct way ways[] = {
    {"legacy, just works", true, YS_CAPABILITY_NONE, YS_CAPABILITY_NONE, YS_METHOD_JUST_WORKS, false},
    {"legacy, passkey", true, YS_CAPABILITY_DISPLAY, YS_CAPABILITY_KEYBOARD, YS_METHOD_RESPONDER_SHOWS, false},
    {"legacy, out of band", true, YS_CAPABILITY_NONE, YS_CAPABILITY_NONE, YS_METHOD_OUT_OF_BAND, true},
    {"just works", false, YS_CAPABILITY_NONE, YS_CAPABILITY_NONE, YS_METHOD_JUST_WORKS, false},
    {"numeric comparison", false, YS_CAPABILITY_DISPLAY_YES_NO, YS_CAPABILITY_DISPLAY_YES_NO,
     YS_METHOD_NUMERIC_COMPARISON, false},
    {"passkey, entered at the tablet", false, YS_CAPABILITY_DISPLAY, YS_CAPABILITY_KEYBOARD, YS_METHOD_RESPONDER_SHOWS,
     false},
    {"passkey, entered at the wrench", false, YS_CAPABILITY_KEYBOARD, YS_CAPABILITY_DISPLAY, YS_METHOD_INITIATOR_SHOWS,
     false},
    {"out of band", false, YS_CAPABILITY_NONE, YS_CAPABILITY_NONE, YS_METHOD_OUT_OF_BAND, true},
};

static const uint8_t legacy_data[16] = {0x5a, 0x17, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14};

static uint8_t level_of(const struct way *way)
{
    if (way->method == YS_METHOD_JUST_WORKS)
        return YS_LEVEL_ENCRYPTED;
    return way->legacy ? YS_LEVEL_AUTHENTICATED : YS_LEVEL_SECURE_CONNECTIONS;
}

static void give_oob(struct yard *yard, const struct way *way)
{
    if (!way->oob)
        return;
    if (way->legacy) {
        ys_oob_set(&yard->wrench.host, NULL, legacy_data);
        ys_oob_set(&yard->tablet.host, NULL, legacy_data);
        return;
    }
    assert_int_equal(ys_oob_make(&yard->wrench.host), YS_OK);
    assert_int_equal(ys_oob_make(&yard->tablet.host), YS_OK);
    yard_pass(yard, 100);
    ys_oob_set(&yard->wrench.host, &yard->tablet.oob, NULL);
    ys_oob_set(&yard->tablet.host, &yard->wrench.oob, NULL);
}

/* A yard in which the two are connected, and would pair this way. */
static void begin(struct yard *yard, const struct way *way)
{
    struct ys_security wrench = with(way->wrench);
    struct ys_security tablet = with(way->tablet);
    yard->legacy = way->legacy;
    yard_begin(yard, &wrench, &tablet);
    give_oob(yard, way);
    yard_connect(yard);
}

static size_t bonds_of(struct party *party)
{
    struct ys_address identity;
    uint8_t level;
    size_t count = 0;
    for (uint8_t number = 1; number <= party->security.bonds; number++)
        count += ys_bond_get(&party->host, number, &identity, &level);
    return count;
}

/* Both can pair this way now, whatever was before, and are then remembered. */
static void assert_can_pair(struct yard *yard, const struct way *way)
{
    yard->wrench.people = PEOPLE_OBEY;
    yard->tablet.people = PEOPLE_OBEY;
    give_oob(yard, way);
    if (!yard->tablet.connected)
        yard_connect(yard);
    yard_secure(yard, level_of(way));
    assert_int_equal(yard->tablet.secured.u.secured.level, level_of(way));
    assert_int_equal(yard->wrench.secured.u.secured.level, level_of(way));
    assert_int_equal(bonds_of(&yard->wrench), 1);
    assert_int_equal(bonds_of(&yard->tablet), 1);
}

/* Vol 3 Part C 9.4.2, 9.4.3; Vol 3 Part H 2.3.1, 2.3.5.2
 * to 2.3.5.5, 2.3.5.6.2, 2.3.5.6.3, 2.4.2.3, 3.2, 3.6.1, 3.6.2, 3.6.3; Vol 4 Part E 7.7.8, 7.7.39. */
static void all_methods_pair(void **state)
{
    (void)state;
    for (size_t i = 0; i < COUNT(ways); i++) {
        struct yard yard = {.seed = i};
        begin(&yard, &ways[i]);
        assert_can_pair(&yard, &ways[i]);
        assert_secured(&yard, level_of(&ways[i]), ways[i].method);
        assert_int_equal(yard.wrench.secured.u.secured.key_size, 16);
        /* a refresh keeps the level */
        assert_int_equal(ys_encryption_refresh(&yard.tablet.host, yard.tablet.connection), YS_OK);
        assert_int_equal(ys_encryption_refresh(&yard.tablet.host, yard.tablet.connection), YS_ERROR_BUSY);
        yard_settle(&yard);
        assert_int_equal(yard.wrench.counts[YS_EVENT_SECURED], 2);
        assert_int_equal(yard.tablet.secured.u.secured.level, level_of(&ways[i]));
        assert_false(yard.tablet.secured.u.secured.paired);
        yard_end(&yard);
    }
}

/* what people do */

static void assert_failed(const struct yard *yard, uint8_t reason)
{
    assert_int_equal(yard->wrench.counts[YS_EVENT_SECURED] + yard->tablet.counts[YS_EVENT_SECURED], 0);
    assert_int_equal(yard->wrench.counts[YS_EVENT_PAIRING_FAILED], 1);
    assert_int_equal(yard->tablet.counts[YS_EVENT_PAIRING_FAILED], 1);
    assert_int_equal(yard->wrench.failed.reason, reason);
    assert_int_equal(yard->tablet.failed.reason, reason);
}

/* Vol 3 Part H 2.3.5.6.5, 3.5.3, 3.5.4, 3.5.5, 3.5.7. */
static void mistakes_and_refusals_end_a_pairing_with_the_reason_of_the_standard(void **state)
{
    (void)state;
    for (size_t i = 0; i < COUNT(ways); i++) {
        const struct way *way = &ways[i];
        bool compares = way->method == YS_METHOD_NUMERIC_COMPARISON;
        if (way->method == YS_METHOD_JUST_WORKS || way->oob)
            continue;
        for (int who = 0; who < 2; who++) {
            for (int what = 0; what < 2; what++) {
                struct yard yard = {.seed = i};
                bool enters = (who == 0 ? way->wrench : way->tablet) == YS_CAPABILITY_KEYBOARD;
                if (!enters && !compares)
                    continue;
                begin(&yard, way);
                (who == 0 ? &yard.wrench : &yard.tablet)->people = what == 0 ? PEOPLE_MISTAKE : PEOPLE_CANCEL;
                yard_secure(&yard, YS_LEVEL_AUTHENTICATED);
                assert_failed(&yard, compares    ? YS_SMP_NUMERIC_COMPARISON_FAILED
                                     : what == 0 ? YS_SMP_CONFIRM_VALUE_FAILED
                                                 : YS_SMP_PASSKEY_ENTRY_FAILED);
                assert_int_equal(bonds_of(&yard.wrench) + bonds_of(&yard.tablet), 0);
                yard_pass(&yard, 2000); /* who has failed must wait */
                assert_can_pair(&yard, way);
                yard_end(&yard);
            }
        }
    }
}

/* Vol 3 Part H 3.4. */
static void who_says_nothing_for_30_seconds_has_failed_and_must_connect_again(void **state)
{
    (void)state;
    struct yard yard = {.seed = 1};
    begin(&yard, &ways[5]);
    yard.tablet.people = PEOPLE_SILENT;
    yard_secure(&yard, YS_LEVEL_AUTHENTICATED);
    yard_pass(&yard, 25000);
    assert_int_equal(yard.wrench.counts[YS_EVENT_PAIRING_FAILED], 0);
    yard_pass(&yard, 5000);
    assert_failed(&yard, YS_SMP_TIMEOUT);
    assert_int_equal(ys_secure(&yard.tablet.host, yard.tablet.connection, YS_LEVEL_ENCRYPTED), YS_ERROR_TOO_LATE);
    assert_int_equal(ys_passkey_enter(&yard.tablet.host, yard.tablet.connection, 1), YS_ERROR_TOO_LATE);
    yard_disconnect(&yard);
    yard_pass(&yard, 2000);
    assert_can_pair(&yard, &ways[5]);
    yard_end(&yard);
}

/* Vol 3 Part H 2.3.3. */
static void data_from_out_of_band_that_are_not_the_peers_are_found_out(void **state)
{
    (void)state;
    for (int legacy = 0; legacy < 2; legacy++) {
        for (int who = 0; who < 2; who++) {
            static uint8_t other[16];
            struct yard yard = {.seed = 5};
            begin(&yard, &ways[legacy ? 2 : 7]);
            struct party *wrong = who == 0 ? &yard.wrench : &yard.tablet;
            if (legacy)
                ys_oob_set(&wrong->host, NULL, other);
            else
                ys_oob_set(&wrong->host, &wrong->oob, NULL); /* its own */
            yard_secure(&yard, YS_LEVEL_AUTHENTICATED);
            assert_failed(&yard, YS_SMP_CONFIRM_VALUE_FAILED);
            yard_end(&yard);
        }
    }
}

/* Only the peripheral's data went to the central: enough, since the central's own are then not asked for (Vol 3 Part
 * H 2.3.5.6.4). */
static void data_that_went_one_way_are_enough_and_data_that_never_went_are_not(void **state)
{
    (void)state;
    for (int given = 0; given < 2; given++) {
        struct yard yard = {.seed = 6};
        struct ys_security none = with(YS_CAPABILITY_NONE);
        struct ys_oob invented = {{1}, {2}};
        yard_begin(&yard, &none, &none);
        if (given) {
            assert_int_equal(ys_oob_make(&yard.wrench.host), YS_OK);
            yard_pass(&yard, 100);
            invented = yard.wrench.oob;
        }
        ys_oob_set(&yard.tablet.host, &invented, NULL);
        yard_connect(&yard);
        yard_secure(&yard, YS_LEVEL_AUTHENTICATED);
        if (given)
            assert_secured(&yard, YS_LEVEL_SECURE_CONNECTIONS, YS_METHOD_OUT_OF_BAND);
        else
            assert_failed(&yard, YS_SMP_OOB_NOT_AVAILABLE);
        yard_end(&yard);
    }
}

/* what a device demands */

/* Vol 3 Part H 2.3.4. */
static void a_key_has_the_size_that_both_can_and_none_under_the_least(void **state)
{
    (void)state;
    for (uint8_t i = 0; i < 20; i++) {
        uint8_t size = (uint8_t)(7 + i / 2);
        struct yard yard = {.seed = i, .legacy = i % 2 == 0};
        struct ys_security wrench = with(YS_CAPABILITY_DISPLAY);
        struct ys_security tablet = with(YS_CAPABILITY_KEYBOARD);
        tablet.key_size_max = size;
        wrench.key_size_min = 10;
        yard_begin(&yard, &wrench, &tablet);
        yard_connect(&yard);
        yard_secure(&yard, YS_LEVEL_ENCRYPTED);
        if (size < 10) {
            assert_failed(&yard, YS_SMP_ENCRYPTION_KEY_SIZE);
        } else {
            assert_int_equal(yard.wrench.secured.u.secured.key_size, size);
            assert_int_equal(yard.wrench.secured.u.secured.level,
                             !yard.legacy && size == 16 ? YS_LEVEL_SECURE_CONNECTIONS : YS_LEVEL_AUTHENTICATED);
            yard_disconnect(&yard);
            yard_connect(&yard);
            yard_secure(&yard, YS_LEVEL_AUTHENTICATED);
            assert_int_equal(yard.tablet.secured.u.secured.key_size, size);
        }
        yard_end(&yard);
    }
}

/* Vol 3 Part C 10.2.4; Vol 3 Part H 3.5.1, 3.5.2. */
static void what_cannot_give_what_is_demanded_is_refused(void **state)
{
    static const struct {
        bool legacy;
        bool forbids_legacy;
        uint8_t least;
        uint8_t tablet; /* its capability */
        uint8_t reason; /* 0: it pairs */
    } cases[] = {
        {true, false, YS_LEVEL_ENCRYPTED, YS_CAPABILITY_NONE, 0},
        {true, false, YS_LEVEL_AUTHENTICATED, YS_CAPABILITY_NONE, YS_SMP_AUTHENTICATION_REQUIREMENTS},
        {true, false, YS_LEVEL_AUTHENTICATED, YS_CAPABILITY_KEYBOARD, 0},
        {false, true, YS_LEVEL_ENCRYPTED, YS_CAPABILITY_NONE, 0},
        {false, false, YS_LEVEL_SECURE_CONNECTIONS, YS_CAPABILITY_NONE, YS_SMP_AUTHENTICATION_REQUIREMENTS},
        {false, false, YS_LEVEL_SECURE_CONNECTIONS, YS_CAPABILITY_KEYBOARD, 0},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct yard yard = {.seed = i, .legacy = cases[i].legacy};
        struct ys_security wrench = with(YS_CAPABILITY_DISPLAY);
        struct ys_security tablet = with(cases[i].tablet);
        wrench.least = cases[i].least;
        wrench.forbids_legacy = cases[i].forbids_legacy;
        yard_begin(&yard, &wrench, &tablet);
        yard_connect(&yard);
        yard_secure(&yard, YS_LEVEL_ENCRYPTED);
        if (cases[i].reason != 0)
            assert_failed(&yard, cases[i].reason);
        else
            assert_int_equal(yard.wrench.counts[YS_EVENT_SECURED], 1);
        yard_end(&yard);
    }
}

static void a_passkey_is_always_the_same_or_drawn_each_time(void **state)
{
    (void)state;
    for (int fixed = 0; fixed < 2; fixed++) {
        uint32_t shown[2];
        struct yard yard = {.seed = 2};
        struct ys_security wrench = with(YS_CAPABILITY_DISPLAY);
        struct ys_security tablet = with(YS_CAPABILITY_KEYBOARD);
        if (fixed)
            wrench.passkey = 4711;
        yard_begin(&yard, &wrench, &tablet);
        yard_connect(&yard);
        for (int i = 0; i < 2; i++) {
            yard_secure(&yard, YS_LEVEL_AUTHENTICATED);
            assert_int_equal(yard.tablet.counts[YS_EVENT_SECURED], i + 1);
            shown[i] = yard.wrench.shown;
            assert_in_range(shown[i], 0, YS_PASSKEY_MAX);
            assert_int_equal(ys_bond_forget(&yard.wrench.host, 0), YS_OK);
            assert_int_equal(ys_bond_forget(&yard.tablet.host, 0), YS_OK);
            yard_disconnect(&yard);
            yard_connect(&yard);
        }
        assert_int_equal(shown[0] == shown[1], fixed);
        if (fixed)
            assert_int_equal(shown[0], 4711);
        yard_end(&yard);
    }
}

/* Vol 3 Part H 2.4.6, 3.6.7. */
static void a_peripheral_can_ask_and_be_asked_to_wait(void **state)
{
    (void)state;
    for (int waits = 0; waits < 2; waits++) {
        struct yard yard = {.seed = 3};
        struct ys_security wrench = with(YS_CAPABILITY_DISPLAY);
        struct ys_security tablet = with(YS_CAPABILITY_KEYBOARD);
        tablet.waits = waits != 0;
        yard_begin(&yard, &wrench, &tablet);
        yard_connect(&yard);
        assert_int_equal(ys_secure(&yard.wrench.host, yard.wrench.connection, YS_LEVEL_AUTHENTICATED), YS_OK);
        yard_settle(&yard);
        assert_int_equal(yard.tablet.counts[YS_EVENT_SECURITY_WANTED], waits);
        assert_int_equal(yard.tablet.counts[YS_EVENT_SECURED], 1 - waits);
        yard_secure(&yard, YS_LEVEL_AUTHENTICATED);
        assert_true(yard.tablet.counts[YS_EVENT_SECURED] > 0);
        assert_int_equal(yard.wrench.secured.u.secured.level, YS_LEVEL_SECURE_CONNECTIONS);
        yard_end(&yard);
    }
}

/* Vol 3 Part C 10.6; Vol 3 Part H 2.4.4. */
static void nobody_pairs_while_it_is_not_allowed_and_who_is_remembered_comes_back(void **state)
{
    (void)state;
    struct yard yard = {.seed = 4};
    begin(&yard, &ways[3]);
    ys_pairing_allow(&yard.wrench.host, false);
    yard_secure(&yard, YS_LEVEL_ENCRYPTED);
    assert_int_equal(yard.tablet.failed.reason, YS_SMP_NOT_SUPPORTED);
    ys_pairing_allow(&yard.wrench.host, true);
    assert_can_pair(&yard, &ways[3]);
    ys_pairing_allow(&yard.wrench.host, false);
    yard_disconnect(&yard);
    yard_connect(&yard);
    yard_secure(&yard, YS_LEVEL_ENCRYPTED);
    assert_int_equal(yard.wrench.counts[YS_EVENT_SECURED], 2);
    yard_end(&yard);
}

/* Vol 6 Part B 5.1.3.2. */
static void a_link_is_encrypted_anew_also_if_nobody_is_remembered(void **state)
{
    (void)state;
    for (int legacy = 0; legacy < 2; legacy++) {
        struct yard yard = {.seed = 12, .legacy = legacy != 0};
        struct ys_security nobody = plain;
        nobody.bonds = 0;
        yard_begin(&yard, &nobody, &nobody);
        yard_connect(&yard);
        assert_int_equal(ys_encryption_refresh(&yard.tablet.host, yard.tablet.connection), YS_ERROR_ARGUMENT);
        yard_secure(&yard, YS_LEVEL_ENCRYPTED);
        for (size_t times = 2; times < 4; times++) {
            assert_int_equal(ys_encryption_refresh(&yard.tablet.host, yard.tablet.connection), YS_OK);
            yard_pass(&yard, 1000);
            assert_int_equal(yard.tablet.counts[YS_EVENT_SECURED], times);
            assert_int_equal(yard.wrench.counts[YS_EVENT_SECURED], times);
            assert_int_equal(yard.wrench.secured.u.secured.level, YS_LEVEL_ENCRYPTED);
        }
        yard_disconnect(&yard);
        for (size_t i = 0; i < 16; i++) /* and then the key is gone */
            assert_int_equal(yard.tablet.pairing.kept_key[i] | yard.wrench.pairing.kept_key[i], 0);
        yard_connect(&yard);
        assert_int_equal(ys_encryption_refresh(&yard.tablet.host, yard.tablet.connection), YS_ERROR_ARGUMENT);
        ys_host_start(&yard.tablet.host);
        assert_null(yard.tablet.pairing.kept);
        yard_end(&yard);
    }
}

/* memory */

static void a_full_store_refuses_or_forgets_as_it_was_told(void **state)
{
    (void)state;
    for (int forgets = 0; forgets < 2; forgets++) {
        struct yard yard = {.seed = 8};
        struct ys_security wrench = plain;
        wrench.bonds = 2;
        wrench.forgets = forgets != 0;
        yard_begin(&yard, &wrench, &plain);
        struct ys_store *stores[3] = {yard.tablet.store, ys_store_new(4096), ys_store_new(4096)};
        /* three tablets, one after the other; the first comes back before the third comes */
        static const size_t order[] = {0, 1, 0, 2};
        for (size_t i = 0; i < COUNT(order); i++) {
            yard.tablet.store = stores[order[i]];
            yard.seed = 100 + order[i]; /* so that its address is its own */
            yard_restart(&yard, &yard.tablet);
            yard_connect(&yard);
            yard_secure(&yard, YS_LEVEL_ENCRYPTED);
            bool refused = i == 3 && !forgets;
            assert_int_equal(yard.tablet.counts[YS_EVENT_SECURED], refused ? 0 : 1);
            if (refused)
                assert_int_equal(yard.tablet.failed.reason, YS_SMP_NOT_SUPPORTED);
            yard_disconnect(&yard);
        }
        assert_int_equal(bonds_of(&yard.wrench), 2);
        /* who was forgotten is the second, who was here least recently */
        for (size_t i = 0; i < 3; i++) {
            yard.tablet.store = stores[i];
            yard.seed = 100 + i;
            yard_restart(&yard, &yard.tablet);
            struct ys_address address = ys_host_address(&yard.tablet.host);
            assert_int_equal(ys_bond_find(&yard.wrench.host, &address) != 0, forgets ? i != 1 : i != 2);
        }
        yard.tablet.store = stores[0];
        ys_store_free(stores[1]);
        ys_store_free(stores[2]);
        yard_end(&yard);
    }
}

/* Anybody can pair where nobody is asked; the store is not worn out by it. */
static void strangers_who_pair_again_and_again_do_not_wear_out_the_store(void **state)
{
    (void)state;
    struct yard yard = {.seed = 8};
    size_t not_stored = 0;
    yard_begin(&yard, &plain, &plain);
    for (unsigned i = 0; i < 24; i++) {
        struct ys_store *used = yard.tablet.store;
        yard.tablet.store = ys_store_new(4096);
        ys_store_free(used);
        yard.seed = 300 + i;
        yard_restart(&yard, &yard.tablet);
        yard_connect(&yard);
        yard_secure(&yard, YS_LEVEL_ENCRYPTED);
        assert_int_equal(yard.tablet.counts[YS_EVENT_SECURED], 1); /* it can still be used */
        not_stored += yard.wrench.bond.u.bond.change == YS_BOND_NOT_STORED;
        yard_disconnect(&yard);
    }
    assert_in_range(not_stored, 6, 17); /* 16 writes at once, two for each, and one more a minute */
    assert_int_equal(yard.wrench.bond.u.bond.change, YS_BOND_NOT_STORED);
    assert_int_equal(bonds_of(&yard.wrench), 3);
    yard_end(&yard);
}

/* Keys of LE Secure Connections have no name, those of legacy pairing have one (Vol 3 Part H 2.4.4.2, 2.4.4.3). */
static void each_of_two_that_are_remembered_has_its_own_key(void **state)
{
    (void)state;
    for (int legacy = 0; legacy < 2; legacy++) {
        struct yard yard = {.seed = 24};
        yard.legacy = legacy != 0;
        yard_begin(&yard, &plain, &plain);
        struct ys_store *stores[2] = {yard.tablet.store, ys_store_new(4096)};
        for (unsigned turn = 0; turn < 6; turn++) {
            yard.tablet.store = stores[turn % 2];
            yard.seed = 400 + turn % 2;
            yard_restart(&yard, &yard.tablet);
            yard_connect(&yard);
            yard_secure(&yard, YS_LEVEL_ENCRYPTED);
            assert_int_equal(yard.tablet.counts[YS_EVENT_SECURED], 1);
            assert_int_equal(yard.tablet.secured.u.secured.paired, turn < 2);
            assert_int_equal(yard.wrench.secured.u.secured.bond, 1 + turn % 2);
            yard_disconnect(&yard);
        }
        ys_store_free(stores[0]); /* the yard frees the other */
        yard_end(&yard);
    }
}

/* Vol 3 Part H 2.4.4. */
static void who_was_forgotten_is_told_that_there_is_no_key_and_can_pair_again(void **state)
{
    (void)state;
    struct yard yard = {.seed = 9};
    begin(&yard, &ways[3]);
    assert_can_pair(&yard, &ways[3]);
    yard_disconnect(&yard);
    assert_int_equal(ys_bond_forget(&yard.wrench.host, 1), YS_OK);
    assert_int_equal(ys_bond_forget(&yard.wrench.host, 1), YS_ERROR_ARGUMENT);
    yard_connect(&yard);
    yard_secure(&yard, YS_LEVEL_ENCRYPTED);
    assert_int_equal(yard.tablet.counts[YS_EVENT_ENCRYPTION_FAILED], 1);
    assert_int_equal(yard.tablet.reason, YS_HCI_KEY_MISSING);
    assert_int_equal(bonds_of(&yard.tablet), 1); /* it does not forget by itself: somebody may only pretend */
    assert_int_equal(ys_bond_forget(&yard.tablet.host, 0), YS_OK);
    assert_can_pair(&yard, &ways[3]);
    /* and when the central forgets, it pairs anew over the old bond */
    yard_disconnect(&yard);
    assert_int_equal(ys_bond_forget(&yard.tablet.host, 0), YS_OK);
    assert_can_pair(&yard, &ways[3]);
    yard_end(&yard);
}

/* The record of a bond of somebody else, as the wrench keeps it. */
static size_t record_of_another(uint8_t record[YS_RECORD_MAX])
{
    struct yard yard = {.seed = 10};
    yard_begin(&yard, &plain, &plain);
    yard_connect(&yard);
    yard_secure(&yard, YS_LEVEL_ENCRYPTED);
    size_t length = ys_store_get(yard.wrench.store, YS_RECORDS_OF_BONDS + 1, record, YS_RECORD_MAX);
    yard_end(&yard);
    return length;
}

static void a_bond_that_is_forgotten_while_its_link_is_being_encrypted_gives_it_nothing(void **state)
{
    uint8_t record[YS_RECORD_MAX];
    size_t length = record_of_another(record);
    size_t secured = 0;
    size_t ended = 0;
    (void)state;
    for (uint64_t ms = 0; ms < 80; ms++) { /* at whatever moment, and with a successor in its place at once */
        struct yard yard = {.seed = 9};
        yard_begin(&yard, &plain, &plain);
        yard_connect(&yard);
        yard_secure(&yard, YS_LEVEL_ENCRYPTED);
        yard_disconnect(&yard);
        yard_connect(&yard);
        size_t before = yard.wrench.counts[YS_EVENT_SECURED];
        size_t tablet_before = yard.tablet.counts[YS_EVENT_SECURED];
        assert_int_equal(ys_secure(&yard.tablet.host, yard.tablet.connection, YS_LEVEL_ENCRYPTED), YS_OK);
        yard_pass(&yard, ms);
        bool was = yard.wrench.counts[YS_EVENT_SECURED] > before;
        assert_int_equal(ys_bond_forget(&yard.wrench.host, 1), YS_OK);
        assert_true(ys_store_put(yard.wrench.store, YS_RECORDS_OF_BONDS + 1, record, length));
        yard_pass(&yard, 500);
        assert_int_equal(yard.wrench.counts[YS_EVENT_SECURED] > before, was);
        /* a link that came to be encrypted with that key does not stay */
        assert_true(was || yard.tablet.counts[YS_EVENT_SECURED] == tablet_before || !yard.wrench.connected);
        ended += !was && yard.tablet.counts[YS_EVENT_SECURED] > tablet_before;
        secured += was;
        yard_end(&yard);
    }
    assert_in_range(secured, 1, 79);
    assert_true(ended > 0);
}

static void a_weaker_pairing_never_takes_the_place_of_a_bond(void **state)
{
    (void)state;
    struct yard yard = {.seed = 10};
    begin(&yard, &ways[5]);
    assert_can_pair(&yard, &ways[5]);
    yard_disconnect(&yard);
    yard.tablet.security.capability = YS_CAPABILITY_NONE; /* somebody with the same address, and without keyboard */
    yard.tablet.security.authenticates = false;
    assert_int_equal(ys_bond_forget(&yard.tablet.host, 0), YS_OK);
    yard_connect(&yard);
    yard_secure(&yard, YS_LEVEL_ENCRYPTED);
    assert_int_equal(yard.tablet.failed.reason, YS_SMP_AUTHENTICATION_REQUIREMENTS);
    assert_int_equal(bonds_of(&yard.wrench), 1);
    assert_int_equal(bonds_of(&yard.tablet), 0);
    yard_end(&yard);
}

static void a_damaged_record_is_dropped_and_said_and_the_others_survive(void **state)
{
    (void)state;
    for (size_t byte = 0; byte < 110; byte++) {
        struct yard yard = {.seed = 11};
        uint8_t record[YS_RECORD_MAX];
        begin(&yard, &ways[3]);
        assert_can_pair(&yard, &ways[3]);
        size_t length = ys_store_get(yard.wrench.store, YS_RECORDS_OF_BONDS + 1, record, sizeof record);
        assert_true(length > 60 && length < 110);
        assert_true(ys_store_put(yard.wrench.store, YS_RECORDS_OF_BONDS + 3, record, length)); /* another peer's */
        if (byte < length)
            record[byte] ^= 0x10;
        else
            length -= 1 + byte - length;
        assert_true(ys_store_put(yard.wrench.store, YS_RECORDS_OF_BONDS + 1, record, length));
        yard_restart(&yard, &yard.wrench);
        struct ys_address identity;
        uint8_t level;
        assert_false(ys_bond_get(&yard.wrench.host, 1, &identity, &level));
        assert_int_equal(yard.wrench.bond.u.bond.change, YS_BOND_DAMAGED);
        assert_int_equal(ys_store_get(yard.wrench.store, YS_RECORDS_OF_BONDS + 1, record, sizeof record), 0);
        assert_true(ys_bond_get(&yard.wrench.host, 3, &identity, &level));
        yard_end(&yard);
    }
}

/* interruptions */

static size_t messages; /* of the Security Manager that crossed the wrench's interface */

static void count_messages(void *party, enum ys_direction direction, const uint8_t *packet, size_t length)
{
    (void)party;
    (void)direction;
    messages += length > 9 && packet[0] == 0x02 && packet[7] == 0x06 && packet[8] == 0x00;
}

/* Goes on until so many messages have crossed, or nothing more happens; true if they have. */
static bool pass_messages(struct yard *yard, size_t count)
{
    for (int i = 0; i < 2000 && messages < count; i++) {
        yard_pass(yard, 1);
        yard_answer(yard);
    }
    return messages >= count;
}

static void lose_link(struct yard *yard)
{
    ys_radio_jam(yard->radio, UINT64_MAX);
    for (int i = 0; i < 300 && (yard->tablet.connected || yard->wrench.connected); i++)
        yard_pass(yard, 10);
    ys_radio_jam(yard->radio, 0);
    yard_pass(yard, 10);
}

/* What a bond is to both after an interruption: the key of both, or of one of them and then told missing; but never one
 * that fits badly. Then both can pair. */
static void assert_recovers(struct yard *yard, const struct way *way)
{
    for (int i = 0; i < 300 && (yard->tablet.connected || yard->wrench.connected); i++)
        yard_pass(yard, 10);
    yard_pass(yard, 2000); /* who has failed once must wait for a second */
    yard->wrench.people = PEOPLE_OBEY;
    yard->tablet.people = PEOPLE_OBEY;
    give_oob(yard, way);
    yard_connect(yard);
    size_t bonds = bonds_of(&yard->tablet);
    memset(yard->tablet.counts, 0, sizeof yard->tablet.counts);
    yard_secure(yard, level_of(way));
    if (yard->tablet.counts[YS_EVENT_SECURED] == 0) {
        assert_int_equal(bonds, 1);
        assert_int_equal(yard->tablet.reason, YS_HCI_KEY_MISSING); /* and never a wrong one */
        assert_int_equal(ys_bond_forget(&yard->tablet.host, 0), YS_OK);
        give_oob(yard, way);
        yard_secure(yard, level_of(way));
    }
    assert_int_equal(yard->tablet.secured.u.secured.level, level_of(way));
    assert_int_equal(yard->wrench.secured.u.secured.level, level_of(way));
}

enum interruption { LINK_LOST, WRENCH_OFF, TABLET_OFF, INTERRUPTIONS };

/* Interruptions in the 20 rounds of a passkey are much alike: unless all are wanted, only some are tried. */
static size_t next_interruption(size_t after)
{
    return after < 12 || getenv("YARNSWIFT_EVERY_INTERRUPTION") != NULL ? after + 1 : after + 17;
}

/* Vol 3 Part H 2.4.3. */
static void a_pairing_interrupted_after_any_message_leaves_nothing_half(void **state)
{
    size_t count = 0;
    (void)state;
    for (size_t i = 0; i < COUNT(ways); i++) {
        for (int what = 0; what < INTERRUPTIONS; what++) {
            bool more = true;
            for (size_t after = 1; more; after = next_interruption(after)) {
                struct yard yard = {.seed = i, .observe = count_messages};
                begin(&yard, &ways[i]);
                messages = 0;
                assert_int_equal(ys_secure(&yard.tablet.host, yard.tablet.connection, level_of(&ways[i])), YS_OK);
                more = pass_messages(&yard, after);
                if (what == LINK_LOST)
                    lose_link(&yard);
                else
                    yard_restart(&yard, what == WRENCH_OFF ? &yard.wrench : &yard.tablet);
                assert_recovers(&yard, &ways[i]);
                yard_end(&yard);
                count++;
            }
        }
    }
    print_message("%zu interruptions of pairings\n", count);
    assert_true(count > 200);
}

static void a_store_that_fails_at_any_change_leaves_the_old_or_the_new(void **state)
{
    (void)state;
    for (size_t i = 0; i < COUNT(ways); i++) {
        for (int who = 0; who < 2; who++) {
            for (int cut = 0; cut < 2; cut++) { /* the power is cut then, or the store alone fails for a while */
                size_t before = 0;
                size_t after = 1;
                for (size_t left = 0; left <= after - before; left++) {
                    struct yard yard = {.seed = i};
                    begin(&yard, &ways[i]);
                    struct party *party = who == 0 ? &yard.wrench : &yard.tablet;
                    before = ys_store_changes(party->store);
                    ys_store_cut(party->store, left);
                    yard_secure(&yard, level_of(&ways[i]));
                    after = ys_store_changes(party->store) + 1;
                    assert_int_equal(yard.wrench.secured.u.secured.level, level_of(&ways[i])); /* the link works */
                    if (cut)
                        yard_restart(&yard, party);
                    ys_store_cut(party->store, YS_STORE_WHOLE);
                    if (!cut)
                        yard_disconnect(&yard);
                    assert_recovers(&yard, &ways[i]);
                    yard_end(&yard);
                }
            }
        }
    }
}

static void without_random_numbers_nobody_pairs_and_nothing_is_left(void **state)
{
    (void)state;
    for (size_t i = 0; i < COUNT(ways); i++) {
        for (int who = 0; who < 2; who++) {
            bool failed = true;
            unsigned draws = 0;
            for (; failed && draws < 100; draws++) {
                struct yard yard = {.seed = i};
                begin(&yard, &ways[i]);
                struct party *party = who == 0 ? &yard.wrench : &yard.tablet;
                ys_simulated_exhaust(party->simulated, draws);
                yard_secure(&yard, level_of(&ways[i]));
                failed = yard.wrench.counts[YS_EVENT_PAIRING_FAILED] > 0;
                assert_int_equal(yard.tablet.counts[YS_EVENT_PAIRING_FAILED] > 0, failed);
                assert_int_equal(yard.wrench.counts[YS_EVENT_SECURED], failed ? 0 : 1);
                if (failed) {
                    assert_int_equal(bonds_of(&yard.wrench) + bonds_of(&yard.tablet), 0);
                    yard_restart(&yard, party);
                    assert_recovers(&yard, &ways[i]);
                }
                yard_end(&yard);
            }
            assert_in_range(draws, 1, 99);
        }
    }
}

static bool no_key(void *context)
{
    (void)context;
    return false;
}

static bool no_secret(void *context, const uint8_t *peer)
{
    (void)context;
    (void)peer;
    return false;
}

static void a_curve_that_refuses_at_once_ends_the_pairing_and_nothing_else(void **state)
{
    (void)state;
    for (size_t i = 0; i < 4 * COUNT(ways); i++) {
        const struct way *way = &ways[i / 4];
        struct yard yard = {.seed = i};
        if (way->legacy)
            continue;
        begin(&yard, way);
        struct party *party = i % 2 == 0 ? &yard.wrench : &yard.tablet;
        const struct ys_port *port = party->host.port;
        struct ys_port refusing = *port;
        if (i % 4 < 2)
            refusing.curve_key = no_key;
        else
            refusing.curve_secret = no_secret;
        if (i % 4 < 2)
            party->pairing.own_key_known = false; /* out of band it has been made already */
        party->host.port = &refusing;
        yard_secure(&yard, level_of(way));
        assert_failed(&yard, YS_SMP_UNSPECIFIED);
        assert_int_equal(bonds_of(&yard.wrench) + bonds_of(&yard.tablet), 0);
        party->host.port = port;
        yard_pass(&yard, 2000); /* who has failed must wait */
        assert_can_pair(&yard, way);
        yard_end(&yard);
    }
}

/* guessing */

/* Vol 3 Part H 2.3.6. */
static void who_guesses_must_wait_longer_each_time(void **state)
{
    (void)state;
    struct yard yard = {.seed = 12};
    begin(&yard, &ways[5]);
    yard.tablet.people = PEOPLE_MISTAKE;
    size_t tries = 0;
    uint64_t end_ns = ys_clock_now_ns(yard.clock) + 3600 * UINT64_C(1000000000);
    while (ys_clock_now_ns(yard.clock) < end_ns) {
        size_t wanted = yard.tablet.counts[YS_EVENT_PASSKEY_WANTED];
        yard_secure(&yard, YS_LEVEL_AUTHENTICATED);
        tries += yard.tablet.counts[YS_EVENT_PASSKEY_WANTED] - wanted;
        yard_pass(&yard, 500);
    }
    print_message("%zu tries to guess a passkey fit an hour\n", tries);
    assert_in_range(tries, 10, 25);
    assert_int_equal(yard.wrench.counts[YS_EVENT_SECURED], 0);
    /* another address does not help: nobody may try now */
    yard.seed = 77;
    yard_restart(&yard, &yard.tablet);
    yard_pass(&yard, 2000);
    yard_connect(&yard);
    yard_secure(&yard, YS_LEVEL_AUTHENTICATED);
    assert_int_equal(yard.tablet.failed.reason, YS_SMP_REPEATED_ATTEMPTS);
    yard_pass(&yard, 300000);
    assert_can_pair(&yard, &ways[5]);
    yard_end(&yard);
}

/* Vol 3 Part H 2.3.6: from one second on, and twice as long after each failure. */
static void each_failure_doubles_the_time_that_nobody_may_try(void **state)
{
    (void)state;
    struct yard yard = {.seed = 14};
    begin(&yard, &ways[5]);
    yard.tablet.people = PEOPLE_MISTAKE;
    yard_secure(&yard, YS_LEVEL_AUTHENTICATED);
    uint64_t failed_ns = ys_clock_now_ns(yard.clock);
    for (uint64_t quiet_ms = 1000; quiet_ms <= 300000;
         quiet_ms = quiet_ms < 150000 ? 2 * quiet_ms : quiet_ms + 150000) {
        size_t wanted = yard.tablet.counts[YS_EVENT_PASSKEY_WANTED];
        uint64_t begun_ns;
        yard_pass(&yard, quiet_ms * 9 / 10 - 500);
        do {
            yard_pass(&yard, 20);
            begun_ns = ys_clock_now_ns(yard.clock);
            yard_secure(&yard, YS_LEVEL_AUTHENTICATED);
        } while (yard.tablet.counts[YS_EVENT_PASSKEY_WANTED] == wanted);
        uint64_t waited_ms = (begun_ns - failed_ns) / 1000000;
        assert_in_range(waited_ms, quiet_ms - 600, quiet_ms + 600);
        failed_ns = ys_clock_now_ns(yard.clock);
    }
    yard_end(&yard);
}

/* The millisecond clock wraps after 49 days: half of them must not look like a time that is still to come. */
static void who_has_never_failed_need_not_wait_whatever_the_clock_says(void **state)
{
    (void)state;
    for (uint64_t days = 20; days <= 60; days += 10) {
        struct yard yard = {.seed = 13};
        struct ys_security wrench = with(YS_CAPABILITY_NONE);
        yard_begin(&yard, &wrench, &wrench);
        assert_int_equal(ys_advertise_stop(&yard.wrench.host), YS_OK);
        yard_pass(&yard, days * 24 * 3600 * 1000);
        static const struct ys_advertising advertising = {.interval_min_us = 30000, .interval_max_us = 30000};
        assert_int_equal(ys_advertise(&yard.wrench.host, &advertising), YS_OK);
        yard_connect(&yard);
        yard_secure(&yard, YS_LEVEL_ENCRYPTED);
        assert_int_equal(yard.wrench.counts[YS_EVENT_SECURED], 1);
        yard_end(&yard);
    }
}

/* secrets */

static bool contains(const void *memory, size_t size, const uint8_t *secret, size_t length)
{
    uint8_t reversed[32];
    for (size_t i = 0; i < length; i++)
        reversed[i] = secret[length - 1 - i];
    return memmem(memory, size, secret, length) != NULL || memmem(memory, size, reversed, length) != NULL;
}

static void no_secret_is_left_in_memory_after_the_connection(void **state)
{
    (void)state;
    for (size_t i = 0; i < COUNT(ways); i++) {
        struct yard yard = {.seed = i};
        begin(&yard, &ways[i]);
        assert_can_pair(&yard, &ways[i]);
        yard_disconnect(&yard);
        uint8_t record[YS_RECORD_MAX];
        assert_true(ys_store_get(yard.wrench.store, YS_RECORDS_OF_BONDS + 1, record, sizeof record) > 60);
        const uint8_t *given = record + 3 + 7 + 16;
        for (int who = 0; who < 2; who++) {
            struct party *party = who == 0 ? &yard.wrench : &yard.tablet;
            assert_false(contains(&party->host, sizeof party->host, given, 16));
            assert_false(contains(&party->pairing, sizeof party->pairing, given, 16));
            static const uint8_t zeros[32];
            assert_memory_equal(party->pairing.secret, zeros, 32);
            assert_memory_equal(party->pairing.key, zeros, 16);
            assert_memory_equal(party->pairing.mac_key, zeros, 16);
            assert_memory_equal(party->pairing.own_random, zeros, 16);
            assert_memory_equal(&party->pairing.bond, zeros, 32);
        }
        yard_end(&yard);
    }
}

/* privacy */

static struct ys_address address_on_air;
static size_t addresses;

static void watch_air(void *context, const struct ys_air_packet *packet)
{
    struct ys_link_advertising pdu;
    (void)context;
    if (packet->sender != 1 || packet->access_address != YS_LINK_ADVERTISING_ACCESS_ADDRESS ||
        !ys_link_advertising_decode(packet->pdu, packet->length, &pdu) || pdu.type != YS_LINK_ADV_IND)
        return;
    addresses += !ys_address_is_equal(&pdu.sender, &address_on_air);
    address_on_air = pdu.sender;
}

/* Vol 3 Part C 10.7; Vol 3 Part H 2.4.1, 2.4.2.1, 3.6.4, 3.6.5. */
static void a_private_address_changes_and_only_who_is_remembered_knows_it(void **state)
{
    (void)state;
    struct yard yard = {.seed = 21};
    struct ys_security wrench = with(YS_CAPABILITY_NONE);
    wrench.privacy = true;
    wrench.rotation_s = 10;
    yard_begin(&yard, &wrench, &wrench);
    static struct ys_observer watcher;
    watcher = (struct ys_observer){.observe = watch_air, .context = NULL};
    ys_radio_observe(yard.radio, &watcher);
    yard_pass(&yard, 100);
    struct ys_address first = address_on_air;
    assert_string_equal(ys_address_kind(&first), "random resolvable");
    yard_connect(&yard);
    assert_int_equal(ys_bond_find(&yard.tablet.host, &first), 0); /* nobody knows it yet */
    yard_secure(&yard, YS_LEVEL_ENCRYPTED);
    assert_int_equal(yard.tablet.secured.u.secured.level, YS_LEVEL_ENCRYPTED);
    yard_disconnect(&yard);
    addresses = 0;
    yard_pass(&yard, 100500); /* it rotates about ten times, and continues to advertise in between */
    assert_in_range(addresses, 9, 11);
    assert_false(ys_address_is_equal(&address_on_air, &first));
    assert_int_equal(ys_bond_find(&yard.tablet.host, &address_on_air), 1);
    assert_int_equal(ys_bond_find(&yard.tablet.host, &first), 1);
    struct ys_address altered = address_on_air;
    altered.bytes[0] ^= 1;
    assert_int_equal(ys_bond_find(&yard.tablet.host, &altered), 0);
    /* both come back with addresses that they never had before */
    yard_connect(&yard);
    assert_true(ys_address_is_equal(&yard.wrench.peer, &yard.tablet.address)); /* its controller has resolved it */
    assert_true(ys_address_is_equal(&yard.tablet.peer, &yard.wrench.address));
    yard_secure(&yard, YS_LEVEL_ENCRYPTED);
    assert_false(yard.tablet.secured.u.secured.paired);
    assert_int_equal(yard.wrench.counts[YS_EVENT_SECURED], 2);
    assert_int_equal(yard.wrench.secured.u.secured.bond, 1);
    /* what is remembered is an identity that does not change */
    struct ys_address identity;
    uint8_t level;
    assert_true(ys_bond_get(&yard.tablet.host, 1, &identity, &level));
    assert_true(ys_address_is_equal(&identity, &yard.wrench.address));
    yard_restart(&yard, &yard.wrench);
    yard_pass(&yard, 100);
    assert_int_equal(ys_bond_find(&yard.tablet.host, &address_on_air), 1);
    yard_end(&yard);
}

static size_t made_by_tablet; /* other addresses than the one before, of its advertisements */
static struct ys_address last_of_tablet;
static uint64_t silent_ns; /* the longest time without one */
static uint64_t heard_ns;

static void watch_tablet(void *context, const struct ys_air_packet *packet)
{
    struct ys_link_advertising pdu;
    struct yard *yard = context;
    if (packet->access_address != YS_LINK_ADVERTISING_ACCESS_ADDRESS ||
        !ys_link_advertising_decode(packet->pdu, packet->length, &pdu) || pdu.type != YS_LINK_ADV_IND ||
        ys_bond_find(&yard->wrench.host, &pdu.sender) == 0)
        return;
    made_by_tablet += !ys_address_is_equal(&pdu.sender, &last_of_tablet);
    last_of_tablet = pdu.sender;
    silent_ns = heard_ns != 0 && packet->start_ns - heard_ns > silent_ns ? packet->start_ns - heard_ns : silent_ns;
    heard_ns = packet->start_ns;
}

/* While a connection is being made, and somebody scans, the own address must not be set (Vol 4 Part E 7.8.4): a
 * controller that knows who is remembered changes it all the same (Vol 6 Part B 6), and nothing has to stop for it. */
static void a_private_address_also_changes_while_a_connection_is_being_made(void **state)
{
    (void)state;
    struct yard yard = {.seed = 22};
    struct ys_security private = with(YS_CAPABILITY_NONE);
    struct ys_advertising advertising = {.interval_min_us = 30000, .interval_max_us = 30000};
    const struct ys_connecting connecting = {.interval_us = 7500, .supervision_timeout_ms = 1000};
    private.privacy = true;
    private.rotation_s = 10;
    yard_begin(&yard, &private, &private);
    yard_connect(&yard);
    yard_secure(&yard, YS_LEVEL_ENCRYPTED);
    yard_disconnect(&yard);
    yard_pass(&yard, 500);
    struct ys_address identity;
    uint8_t level;
    assert_true(ys_bond_get(&yard.tablet.host, 1, &identity, &level));
    assert_int_equal(ys_advertise_stop(&yard.wrench.host), YS_OK); /* it is away */
    assert_int_equal(ys_advertise(&yard.tablet.host, &advertising), YS_OK);
    assert_int_equal(ys_connect(&yard.tablet.host, &identity, &connecting), YS_OK);
    yard_pass(&yard, 100);
    static struct ys_observer watcher;
    watcher = (struct ys_observer){.observe = watch_tablet, .context = &yard};
    made_by_tablet = 0;
    silent_ns = 0;
    heard_ns = 0;
    ys_radio_observe(yard.radio, &watcher);
    yard_pass(&yard, 100500);
    assert_in_range(made_by_tablet, 10, 12);
    assert_true(silent_ns < 45 * UINT64_C(1000000));
    /* and it is known when it comes */
    assert_int_equal(ys_advertise(&yard.wrench.host, &advertising), YS_OK);
    for (int i = 0; i < 300 && !yard.tablet.connected; i++)
        yard_pass(&yard, 10);
    assert_true(yard.tablet.connected && yard.wrench.connected);
    yard_secure(&yard, YS_LEVEL_ENCRYPTED);
    assert_false(yard.tablet.secured.u.secured.paired);
    yard_end(&yard);
}

static bool can_connect(struct yard *yard, const struct ys_address *peer)
{
    const struct ys_connecting connecting = {.interval_us = 7500, .supervision_timeout_ms = 1000};
    assert_int_equal(ys_connect(&yard->tablet.host, peer, &connecting), YS_OK);
    for (int i = 0; i < 300 && !yard->tablet.connected; i++)
        yard_pass(yard, 10);
    if (!yard->tablet.connected)
        (void)ys_connect_cancel(&yard->tablet.host);
    yard_pass(yard, 50);
    return yard->tablet.connected && yard->wrench.connected;
}

/* The accept list, connecting and directed advertising by identities, while all addresses on the air are private (Vol 3
 * Part C 10.7; Vol 4 Part E 7.8.38 to 7.8.41). */
static void private_peers_are_known_to_the_controllers_by_their_identities(void **state)
{
    static const struct ys_address nobody = {YS_ADDRESS_RANDOM, {1, 2, 3, 4, 5, 0xc6}};
    struct ys_advertising advertising = {.interval_min_us = 30000, .interval_max_us = 30000};
    struct yard yard = {.seed = 23};
    struct ys_security private = with(YS_CAPABILITY_NONE);
    (void)state;
    private.privacy = true;
    yard_begin(&yard, &private, &private);
    yard_connect(&yard);
    yard_secure(&yard, YS_LEVEL_ENCRYPTED);
    yard_disconnect(&yard);
    yard_pass(&yard, 500); /* both controllers learn of it */
    for (int listed = 0; listed < 2; listed++) {
        assert_int_equal(ys_advertise_stop(&yard.wrench.host), YS_OK);
        yard_pass(&yard, 100);
        assert_int_equal(ys_accept_list_set(&yard.wrench.host, listed ? &yard.tablet.address : &nobody, 1), YS_OK);
        advertising.filter = YS_ONLY_LISTED_CONNECT;
        assert_int_equal(ys_advertise(&yard.wrench.host, &advertising), YS_OK);
        assert_int_equal(can_connect(&yard, &yard.wrench.address), listed);
    }
    yard_secure(&yard, YS_LEVEL_ENCRYPTED);
    assert_int_equal(yard.tablet.secured.u.secured.bond, 1);
    yard_disconnect(&yard);
    assert_int_equal(ys_advertise_stop(&yard.wrench.host), YS_OK);
    yard_pass(&yard, 100);
    advertising = (struct ys_advertising){
        .interval_min_us = 30000, .interval_max_us = 30000, .kind = YS_ADVERTISE_DIRECTED, .peer = yard.tablet.address};
    assert_int_equal(ys_advertise(&yard.wrench.host, &advertising), YS_OK);
    assert_true(can_connect(&yard, &yard.wrench.address));
    /* pairing anew makes keys of the addresses on the air, whoever is told what */
    assert_int_equal(ys_bond_forget(&yard.tablet.host, 0), YS_OK);
    yard_secure(&yard, YS_LEVEL_ENCRYPTED);
    assert_true(yard.tablet.secured.u.secured.paired);
    assert_int_equal(yard.wrench.secured.u.secured.level, YS_LEVEL_ENCRYPTED);
    yard_end(&yard);
}

/* Vol 3 Part C 9.4.4. */
static void bonds_in_a_file_outlive_the_process(void **state)
{
    char path[500]; /* other programs of this test, in other sizes, run at the same time */
    char error[200];
    uint8_t bytes[4];
    (void)state;
    (void)snprintf(path, sizeof path, "%s/%d.bonds.sqlite", YARNSWIFT_SCRATCH, (int)getpid());
    (void)remove(path);
    struct yard yard = {.seed = 31};
    begin(&yard, &ways[5]);
    ys_store_free(yard.wrench.store);
    yard.wrench.store = ys_store_open(path, 4096, error, sizeof error);
    assert_non_null(yard.wrench.store);
    yard_restart(&yard, &yard.wrench);
    yard_pass(&yard, 1100);
    assert_can_pair(&yard, &ways[5]);
    yard_disconnect(&yard);
    ys_store_free(yard.wrench.store); /* another process */
    yard.wrench.store = ys_store_open(path, 4096, error, sizeof error);
    assert_non_null(yard.wrench.store);
    yard_restart(&yard, &yard.wrench);
    yard_connect(&yard);
    yard_secure(&yard, YS_LEVEL_SECURE_CONNECTIONS);
    assert_int_equal(yard.wrench.secured.u.secured.bond, 1);
    assert_false(yard.wrench.secured.u.secured.paired);
    assert_int_equal(ys_bond_forget(&yard.wrench.host, 0), YS_OK);
    ys_store_free(yard.wrench.store);
    yard.wrench.store = ys_store_open(path, 4096, error, sizeof error);
    assert_int_equal(ys_store_get(yard.wrench.store, YS_RECORDS_OF_BONDS + 1, bytes, sizeof bytes), 0);
    assert_int_equal(ys_store_get(yard.wrench.store, YS_RECORD_OF_DEVICE, bytes, sizeof bytes), 22);
    yard_end(&yard);
    /* what is no store is left alone */
    FILE *file = fopen(path, "w");
    assert_non_null(file);
    for (int i = 0; i < 100; i++)
        (void)fputs("this is no store at all\n", file);
    (void)fclose(file);
    assert_null(ys_store_open(path, 4096, error, sizeof error));
    assert_non_null(strstr(error, "bonds.sqlite: "));
    assert_null(ys_store_open(YARNSWIFT_SCRATCH "/no/such/folder", 4096, error, sizeof error));
    (void)remove(path);
}

static void a_host_is_told_what_its_port_or_its_security_lacks(void **state)
{
    struct yard yard = {.seed = 1};
    struct ys_host host;
    struct ys_pairing pairing;
    struct ys_security security = plain;
    (void)state;
    yard_begin(&yard, &plain, &plain);
    struct ys_port port = *ys_simulated_port(yard.wrench.simulated);
    const struct ys_host_settings settings = {.port = &port, .table = &ys_table_bare};
    assert_int_equal(ys_host_init(&host, sizeof host, &settings), YS_OK);
    assert_int_equal(ys_host_use_pairing(&host, &pairing, &security), YS_OK);
    port.curve_secret = NULL;
    assert_int_equal(ys_host_use_pairing(&host, &pairing, &security), YS_ERROR_PORT_CURVE);
    port.curve_key = NULL;
    port.curve_result = NULL;
    assert_int_equal(ys_host_use_pairing(&host, &pairing, &security), YS_OK);
    security.forbids_legacy = true;
    assert_int_equal(ys_host_use_pairing(&host, &pairing, &security), YS_ERROR_PORT_CURVE);
    security.forbids_legacy = false;
    port.encrypt = NULL;
    assert_int_equal(ys_host_use_pairing(&host, &pairing, &security), YS_ERROR_PORT_CIPHER);
    port.random = NULL;
    assert_int_equal(ys_host_use_pairing(&host, &pairing, &security), YS_ERROR_PORT_RANDOM);
    security.key_size_min = 6;
    assert_int_equal(ys_host_use_pairing(&host, &pairing, &security), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_secure(&host, 1, YS_LEVEL_ENCRYPTED), YS_ERROR_NO_CONNECTION);
    assert_int_equal(ys_secure(&yard.wrench.host, 1, YS_LEVEL_ENCRYPTED), YS_ERROR_NO_CONNECTION);
    yard_end(&yard);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(every_pair_of_capabilities_pairs_by_the_method_of_the_standard),
        cmocka_unit_test(all_methods_pair),
        cmocka_unit_test(mistakes_and_refusals_end_a_pairing_with_the_reason_of_the_standard),
        cmocka_unit_test(who_says_nothing_for_30_seconds_has_failed_and_must_connect_again),
        cmocka_unit_test(data_from_out_of_band_that_are_not_the_peers_are_found_out),
        cmocka_unit_test(data_that_went_one_way_are_enough_and_data_that_never_went_are_not),
        cmocka_unit_test(a_key_has_the_size_that_both_can_and_none_under_the_least),
        cmocka_unit_test(what_cannot_give_what_is_demanded_is_refused),
        cmocka_unit_test(a_passkey_is_always_the_same_or_drawn_each_time),
        cmocka_unit_test(a_peripheral_can_ask_and_be_asked_to_wait),
        cmocka_unit_test(nobody_pairs_while_it_is_not_allowed_and_who_is_remembered_comes_back),
        cmocka_unit_test(a_link_is_encrypted_anew_also_if_nobody_is_remembered),
        cmocka_unit_test(a_full_store_refuses_or_forgets_as_it_was_told),
        cmocka_unit_test(strangers_who_pair_again_and_again_do_not_wear_out_the_store),
        cmocka_unit_test(each_of_two_that_are_remembered_has_its_own_key),
        cmocka_unit_test(who_was_forgotten_is_told_that_there_is_no_key_and_can_pair_again),
        cmocka_unit_test(a_bond_that_is_forgotten_while_its_link_is_being_encrypted_gives_it_nothing),
        cmocka_unit_test(a_weaker_pairing_never_takes_the_place_of_a_bond),
        cmocka_unit_test(a_damaged_record_is_dropped_and_said_and_the_others_survive),
        cmocka_unit_test(a_pairing_interrupted_after_any_message_leaves_nothing_half),
        cmocka_unit_test(a_store_that_fails_at_any_change_leaves_the_old_or_the_new),
        cmocka_unit_test(without_random_numbers_nobody_pairs_and_nothing_is_left),
        cmocka_unit_test(a_curve_that_refuses_at_once_ends_the_pairing_and_nothing_else),
        cmocka_unit_test(who_guesses_must_wait_longer_each_time),
        cmocka_unit_test(each_failure_doubles_the_time_that_nobody_may_try),
        cmocka_unit_test(who_has_never_failed_need_not_wait_whatever_the_clock_says),
        cmocka_unit_test(no_secret_is_left_in_memory_after_the_connection),
        cmocka_unit_test(a_private_address_changes_and_only_who_is_remembered_knows_it),
        cmocka_unit_test(a_private_address_also_changes_while_a_connection_is_being_made),
        cmocka_unit_test(private_peers_are_known_to_the_controllers_by_their_identities),
        cmocka_unit_test(bonds_in_a_file_outlive_the_process),
        cmocka_unit_test(a_host_is_told_what_its_port_or_its_security_lacks),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
