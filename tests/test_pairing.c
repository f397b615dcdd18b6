/* Pairing between two hosts over simulated controllers: every method, both ways, and what comes of it. */
#include "support/check.h"

#include <stdio.h>
#include <string.h>

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

static void every_pair_of_capabilities_pairs_by_the_method_of_the_standard(void **state)
{
    (void)state;
    for (uint8_t i = 0; i < YS_CAPABILITIES * YS_CAPABILITIES * 2; i++) {
        bool secure = i % 2 != 0;
        uint8_t tablet = (uint8_t)(i / 2 / YS_CAPABILITIES);
        uint8_t wrench = (uint8_t)(i / 2 % YS_CAPABILITIES);
        uint8_t method = method_of((secure ? secure_methods : legacy_methods)[tablet][wrench]);
        struct ys_security security[2] = {with(wrench), with(tablet)};
        struct yard yard = {.seed = i, .legacy = !secure};
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

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(every_pair_of_capabilities_pairs_by_the_method_of_the_standard),
    };
    (void)plain;
    return cmocka_run_group_tests(tests, NULL, NULL);
}
