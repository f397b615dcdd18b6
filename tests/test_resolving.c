/* The resolving list of the simulated controllers: addresses that they make and resolve by themselves. */
#include "support/check.h"

#include <stdio.h>
#include <string.h>

#include "host/smp/toolbox.h"
#include "machine/crypto.h"
#include "support/bench.h"
#include "support/hex.h"
#include "wire/link.h"

/* The identity and key of the first, and of the second, in air order. */
#define FIRST       "01 0102030405c6"
#define FIRST_KEY   "0f0e0d0c0b0a09080706050403020100"
#define SECOND      "00 020000ffff00"
#define SECOND_KEY  "ffeeddccbbaa99887766554433221100"
#define NO_KEY      "00000000000000000000000000000000"
#define ADD         "01 2720 27 "
#define RESOLVE     "01 2d20 01 01"
#define DEVICE_MODE "01 4e20 08 "
#define UNMASK      "01 0120 08 1f02000000000000"

static bool encrypt(void *context, const uint8_t key[16], const uint8_t plain[16], uint8_t cipher[16])
{
    (void)context;
    return ys_crypto_encrypt(key, plain, cipher);
}

/* Whether an address was made with a key, both in air order. */
static bool is_made_by(const struct ys_address *address, const char *key)
{
    const struct ys_cipher cipher = {.encrypt = encrypt};
    uint8_t air[16];
    uint8_t irk[16];
    uint8_t hash[3];
    const uint8_t prand[3] = {address->bytes[5], address->bytes[4], address->bytes[3]};
    from_hex(key, air, sizeof air);
    for (size_t i = 0; i < 16; i++)
        irk[i] = air[15 - i];
    return address->type == YS_ADDRESS_RANDOM && address->bytes[5] >> 6 == 1 &&
           ys_toolbox_ah(&cipher, irk, prand, hash) && hash[0] == address->bytes[2] && hash[1] == address->bytes[1] &&
           hash[2] == address->bytes[0];
}

/* What was advertised since `first`, which is moved on: the next PDU of this type. */
static bool next_of(size_t *first, uint8_t type, struct ys_link_advertising *pdu)
{
    while (*first < bench.air_count) {
        const struct ys_air_packet *packet = &bench.air[(*first)++];
        if (packet->access_address == YS_LINK_ADVERTISING_ACCESS_ADDRESS &&
            ys_link_advertising_decode(packet->pdu, packet->length, pdu) && pdu->type == type)
            return true;
    }
    return false;
}

static void done(size_t which, const char *command)
{
    char told[64];
    tell(which, command);
    (void)snprintf(told, sizeof told, "04 0e 04 01 %.4s 00", command + 3);
    assert_told(which, told);
}

/* The first has a random address made with its key, by its host, and advertises every 100 ms; `own` is its type. */
static void advertise_privately(const char *own, const char *peer)
{
    char command[120];
    (void)snprintf(command, sizeof command, "01 0620 0f a000 a000 00 %s %s 07 00", own, peer);
    done(0, command);
    done(0, "01 0820 20 03 020106 00000000000000000000000000000000000000000000000000000000");
    done(0, "01 0a20 01 01");
}

/* Vol 4 Part E 7.8.38 to 7.8.41, 7.8.44, 7.8.45, 7.8.77. */
static void commands_that_make_no_sense_are_refused(void **state)
{
    static const struct {
        const char *command;
        const char *answer;
    } cases[] = {
        {"01 2a20 00", "04 0e 05 01 2a20 00 08"},
        {"01 2820 07 " SECOND, "04 0e 04 01 2820 02"},
        {ADD "02 010203040506" NO_KEY NO_KEY, "04 0e 04 01 2720 12"},
        {ADD SECOND SECOND_KEY NO_KEY, "04 0e 04 01 2720 00"},
        {ADD SECOND SECOND_KEY NO_KEY, "04 0e 04 01 2720 12"}, /* it is there */
        {DEVICE_MODE FIRST " 01", "04 0e 04 01 4e20 02"},
        {DEVICE_MODE SECOND " 02", "04 0e 04 01 4e20 12"},
        {DEVICE_MODE SECOND " 01", "04 0e 04 01 4e20 00"},
        {"01 2d20 01 02", "04 0e 04 01 2d20 12"},
        {"01 2e20 02 0000", "04 0e 04 01 2e20 12"},
        {"01 2e20 02 110e", "04 0e 04 01 2e20 12"},
        {"01 2e20 02 0a00", "04 0e 04 01 2e20 00"},
        {RESOLVE, "04 0e 04 01 2d20 00"},
        {"01 2820 07 " SECOND, "04 0e 04 01 2820 00"},
        {"01 2920 00", "04 0e 04 01 2920 00"},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        tell(0, cases[i].command);
        assert_told(0, cases[i].answer);
    }
    for (int i = 0; i < 9; i++) {
        char command[160];
        (void)snprintf(command, sizeof command, ADD "00 0%d0000000000" SECOND_KEY NO_KEY, i);
        tell(0, command);
        assert_told(0, i < 8 ? "04 0e 04 01 2720 00" : "04 0e 04 01 2720 07");
    }
    bench_advertise();
    tell(0, "01 2920 00"); /* not while addresses are resolved and it advertises */
    assert_told(0, "04 0e 04 01 2920 0c");
    tell(0, "01 2d20 01 00");
    assert_told(0, "04 0e 04 01 2d20 0c");
}

/* Vol 6 Part B 1.3.2.2; Vol 4 Part E 7.8.44, 7.8.45, 7.8.77. */
static void an_address_is_made_for_a_peer_and_changes_in_time(void **state)
{
    struct ys_link_advertising pdu;
    struct ys_address last = {.type = YS_ADDRESS_PUBLIC};
    size_t first = 0;
    size_t different = 0;
    (void)state;
    done(0, "01 2e20 02 0a00"); /* 10 s */
    done(0, ADD SECOND NO_KEY FIRST_KEY);
    done(0, RESOLVE);
    advertise_privately("02", SECOND);
    for (int i = 0; i < 35; i++) {
        pass_us(1000000);
        while (next_of(&first, YS_LINK_ADV_IND, &pdu)) {
            assert_true(is_made_by(&pdu.sender, FIRST_KEY));
            different += !ys_address_is_equal(&pdu.sender, &last);
            last = pdu.sender;
        }
        bench.air_count = 0;
        first = 0;
    }
    assert_int_equal(different, 4);
}

/* Vol 6 Part B 1.3.2.3, 4.7. */
static void a_private_advertiser_is_known_reported_and_connected_to_by_its_identity(void **state)
{
    (void)state;
    done(0, ADD SECOND NO_KEY FIRST_KEY);
    done(0, RESOLVE);
    advertise_privately("02", SECOND);
    done(1, UNMASK);
    done(1, ADD "00 010000ffff00" FIRST_KEY NO_KEY);
    done(1, RESOLVE);
    done(1, "01 1120 07 00 010000ffff00"); /* the accept list has the identity */
    tell(1, "01 0b20 07 00 1000 1000 00 01");
    tell(1, "01 0c20 02 01 00");
    pass_us(500000);
    assert_true(count_told(1, "04 3e 0f 02 01 00 02 010000ffff00") > 3); /* an identity that was resolved */
    assert_int_equal(count_told(1, "04 3e 0f 02 01 00 01"), 0);
    tell(1, "01 0c20 02 00 00");
    /* LE Create Connection to the identity; the enhanced event tells which addresses were on the air */
    tell(1, "01 0d20 19 6000 6000 00 00 010000ffff00 00 1800 1800 0000 6400 0000 0000");
    pass_us(500000);
    assert_int_equal(count_told(1, "04 3e 1f 0a 00 0100 00 02 010000ffff00 000000000000"), 1);
    assert_int_equal(count_told(0, "04 3e 13 01 00 0100 01 00 020000ffff00"), 1);
}

/* Vol 6 Part B 6. */
static void who_has_given_a_key_and_does_not_use_it_is_not_heard_in_network_privacy(void **state)
{
    (void)state;
    for (int device = 0; device < 2; device++) {
        (void)bench_teardown(NULL);
        (void)bench_setup(NULL);
        bench_advertise(); /* by its identity */
        done(1, ADD "00 010000ffff00" FIRST_KEY NO_KEY);
        if (device)
            done(1, DEVICE_MODE "00 010000ffff00 01");
        done(1, RESOLVE);
        tell(1, "01 0d20 19 6000 6000 00 00 010000ffff00 00 1800 1800 0000 6400 0000 0000");
        pass_us(1000000);
        assert_int_equal(count_told(1, "04 3e 13 01 00"), device);
    }
}

/* Vol 6 Part B 6. */
static void a_directed_advertisement_finds_a_private_peer(void **state)
{
    struct ys_link_advertising pdu;
    size_t first = 0;
    (void)state;
    done(0, ADD SECOND SECOND_KEY NO_KEY);
    done(0, RESOLVE);
    tell(0, "01 0620 0f a000 a000 04 00 " SECOND " 07 00");
    tell(0, "01 0a20 01 01");
    /* the second makes its own address for the first, and knows by its key that it is meant */
    done(1, ADD "00 010000ffff00" NO_KEY SECOND_KEY);
    done(1, RESOLVE);
    tell(1, "01 0d20 19 6000 6000 00 00 010000ffff00 02 1800 1800 0000 6400 0000 0000");
    pass_us(1000000);
    assert_true(next_of(&first, YS_LINK_ADV_DIRECT_IND, &pdu));
    assert_true(is_made_by(&pdu.target, SECOND_KEY));
    assert_true(next_of(&first, YS_LINK_CONNECT_IND, &pdu));
    assert_true(is_made_by(&pdu.sender, SECOND_KEY));
    assert_int_equal(count_told(1, "04 3e 13 01 00 0100 00 00 010000ffff00"), 1);
    assert_int_equal(count_told(0, "04 3e 13 01 00 0100 01 00 020000ffff00"), 1);
}

int main(void)
{
#define ON_BENCH(test) cmocka_unit_test_setup_teardown(test, bench_setup, bench_teardown)
    const struct CMUnitTest tests[] = {
        ON_BENCH(commands_that_make_no_sense_are_refused),
        ON_BENCH(an_address_is_made_for_a_peer_and_changes_in_time),
        ON_BENCH(a_private_advertiser_is_known_reported_and_connected_to_by_its_identity),
        ON_BENCH(who_has_given_a_key_and_does_not_use_it_is_not_heard_in_network_privacy),
        ON_BENCH(a_directed_advertisement_finds_a_private_peer),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
