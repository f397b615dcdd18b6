/* Reading what was encrypted, by the sample data of the standard and by a crypto library alone; the keys that are
 * known; and texts that are cut. */
#include "support/check.h"

#include <stdlib.h>
#include <string.h>

#include "capture/follow/cipher.h"
#include "capture/follow/keys.h"
#include "capture/say/text.h"
#include "machine/crypto.h"
#include "support/hex.h"

/* The sample data are written the most significant byte first; the air has the other order. */
static void read_turned(const char *hex, uint8_t *to, size_t length)
{
    uint8_t bytes[64];
    assert_int_equal(from_hex(hex, bytes, sizeof bytes), length);
    for (size_t i = 0; i < length; i++)
        to[i] = bytes[length - 1 - i];
}

/* packets of the link layer */

static struct ys_opener *sample_opener(void)
{
    uint8_t key[16];
    uint8_t diversifier[16];
    uint8_t vector[8];
    read_turned("4c68384139f574d836bcf34e9dfb01bf", key, 16);
    read_turned("acbdcedfe0f10213", diversifier, 8); /* of the central, */
    read_turned("0213243546576879", diversifier + 8, 8);
    read_turned("badcab24", vector, 4);
    read_turned("deafbabe", vector + 4, 4);
    return ys_opener_new(key, diversifier, vector);
}

/* Vol 6 Part E 2.2. */
static void the_first_packets_of_the_sample_data_are_opened(void **state)
{
    struct ys_opener *opener = sample_opener();
    uint8_t payload[5];
    (void)state;
    (void)from_hex("9fcda7f448", payload, 5);
    assert_int_equal(ys_opener_open(opener, YS_AIR_CENTRAL, 0x0f, payload, 5, 0), 0);
    assert_int_equal(payload[0], 0x06); /* LL_START_ENC_RSP */
    (void)from_hex("a34c13a415", payload, 5);
    assert_int_equal(ys_opener_open(opener, YS_AIR_PERIPHERAL, 0x07, payload, 5, 0), 0);
    assert_int_equal(payload[0], 0x06);
    ys_opener_free(opener);
}

static void what_does_not_fit_is_left_as_it_is(void **state)
{
    struct ys_opener *opener = sample_opener();
    uint8_t payload[5];
    uint8_t before[5];
    (void)state;
    (void)from_hex("9fcda7f448", payload, 5);
    memcpy(before, payload, 5);
    /* another side, another kind of PDU, a bit that is wrong, too few bytes */
    assert_int_equal(ys_opener_open(opener, YS_AIR_PERIPHERAL, 0x0f, payload, 5, 3), -1);
    assert_memory_equal(payload, before, 5);
    assert_int_equal(ys_opener_open(opener, YS_AIR_CENTRAL, 0x0e, payload, 5, 3), -1);
    assert_memory_equal(payload, before, 5);
    payload[4] ^= 1;
    assert_int_equal(ys_opener_open(opener, YS_AIR_CENTRAL, 0x0f, payload, 5, 3), -1);
    payload[4] ^= 1;
    assert_int_equal(ys_opener_open(opener, YS_AIR_CENTRAL, 0x0f, payload, 4, 3), -1);
    /* the bits of acknowledgement may be others, and a failure uses up no counter */
    assert_int_equal(ys_opener_open(opener, YS_AIR_CENTRAL, 0x03, payload, 5, 0), 0);
    /* once it was used, it is too late for this counter */
    memcpy(payload, before, 5);
    assert_int_equal(ys_opener_open(opener, YS_AIR_CENTRAL, 0x0f, payload, 5, 10), -1);
    ys_opener_free(opener);
}

/* pairing of the older kind */

/* The sample data of the confirm function (Vol 3 Part H 2.2.3), whose key is a passkey of 0. */
static void sample_pairing(struct ys_old_pairing *pairing)
{
    *pairing = (struct ys_old_pairing){.initiator_type = 1, .responder_type = 0};
    read_turned("07071000000101", pairing->request, 7);
    read_turned("05000800000302", pairing->response, 7);
    read_turned("a1a2a3a4a5a6", pairing->initiator, 6);
    read_turned("b1b2b3b4b5b6", pairing->responder, 6);
    read_turned("5783d52156ad6f0e6388274ec6702ee0", pairing->initiator_random, 16);
    read_turned("1e1e3fef878988ead2a74dc5bef13b86", pairing->confirm, 16);
    read_turned("000f0e0d0c0b0a091122334455667788", pairing->responder_random, 16);
}

/* The short-term key by the crypto library: of the responder's random value the lower half, then of the initiator's. */
static void expect_key(uint32_t passkey, const char *mixed, uint8_t key[16])
{
    uint8_t plain[16];
    uint8_t temporary[16] = {0};
    uint8_t cipher[16];
    (void)from_hex(mixed, plain, 16);
    temporary[15] = (uint8_t)passkey;
    temporary[14] = (uint8_t)(passkey >> 8);
    temporary[13] = (uint8_t)(passkey >> 16);
    assert_true(ys_crypto_encrypt(temporary, plain, cipher));
    for (int i = 0; i < 16; i++)
        key[i] = cipher[15 - i];
}

static void the_key_of_a_pairing_without_passkey_is_found(void **state)
{
    struct ys_old_pairing pairing;
    uint8_t key[16];
    uint8_t expected[16];
    (void)state;
    sample_pairing(&pairing);
    assert_true(ys_old_pairing_key(&pairing, 16, key));
    expect_key(0, "1122334455667788 6388274ec6702ee0", expected);
    assert_memory_equal(key, expected, 16);
    /* a shorter key has zeros where it ends */
    assert_true(ys_old_pairing_key(&pairing, 7, key));
    assert_memory_equal(key, expected, 7);
    for (int i = 7; i < 16; i++)
        assert_int_equal(key[i], 0);
}

/* A confirm value for a passkey, as Vol 6 Part B 2.2.3 says it, most significant byte first. */
static void confirm_for(uint32_t passkey, struct ys_old_pairing *pairing)
{
    uint8_t first[16];
    uint8_t second[16];
    uint8_t random[16];
    uint8_t temporary[16] = {0};
    (void)from_hex("05000800000302 07071000000101 00 01", first, 16);
    (void)from_hex("00000000 a1a2a3a4a5a6 b1b2b3b4b5b6", second, 16);
    (void)from_hex("5783d52156ad6f0e6388274ec6702ee0", random, 16);
    temporary[15] = (uint8_t)passkey;
    temporary[14] = (uint8_t)(passkey >> 8);
    temporary[13] = (uint8_t)(passkey >> 16);
    for (int i = 0; i < 16; i++)
        first[i] ^= random[i];
    assert_true(ys_crypto_encrypt(temporary, first, first));
    for (int i = 0; i < 16; i++)
        first[i] ^= second[i];
    assert_true(ys_crypto_encrypt(temporary, first, first));
    for (int i = 0; i < 16; i++)
        pairing->confirm[i] = first[15 - i];
}

static void a_passkey_is_found_by_trying_all(void **state)
{
    static const uint32_t passkeys[] = {1, 4711, 65536, 999999};
    (void)state;
    for (size_t i = 0; i < COUNT(passkeys); i++) {
        struct ys_old_pairing pairing;
        uint8_t key[16];
        uint8_t expected[16];
        sample_pairing(&pairing);
        confirm_for(passkeys[i], &pairing);
        assert_true(ys_old_pairing_key(&pairing, 16, key));
        expect_key(passkeys[i], "1122334455667788 6388274ec6702ee0", expected);
        assert_memory_equal(key, expected, 16);
    }
}

static void data_out_of_band_cannot_be_tried(void **state)
{
    struct ys_old_pairing pairing;
    uint8_t key[16];
    (void)state;
    sample_pairing(&pairing);
    confirm_for(1000000, &pairing); /* more than six digits */
    assert_false(ys_old_pairing_key(&pairing, 16, key));
}

/* keys */

static void keys_are_kept_once_the_newest_first(void **state)
{
    static struct ys_keys keys;
    (void)state;
    keys.count = 0;
    assert_null(ys_keys_newest(&keys, 0));
    for (unsigned i = 0; i < YS_KEYS_MOST + 5; i++) {
        const uint8_t key[16] = {(uint8_t)i, (uint8_t)(i >> 8), 1};
        ys_keys_add(&keys, key);
        ys_keys_add(&keys, key);
        assert_int_equal(keys.count, i + 1);
        assert_memory_equal(ys_keys_newest(&keys, 0), key, 16);
    }
    const uint8_t oldest[16] = {5, 0, 1}; /* those before are forgotten */
    assert_memory_equal(ys_keys_newest(&keys, YS_KEYS_MOST - 1), oldest, 16);
    assert_null(ys_keys_newest(&keys, YS_KEYS_MOST));
    const uint8_t none[16] = {0};
    ys_keys_add(&keys, none);
    assert_int_equal(keys.count, YS_KEYS_MOST + 5);
}

/* texts */

static void texts_are_cut_where_their_memory_ends(void **state)
{
    static const uint8_t bytes[] = {1, 2, 3, 0xab};
    char memory[12];
    (void)state;
    struct ys_text text = ys_text_in(memory, sizeof memory);
    assert_string_equal(memory, "");
    ys_text_add(&text, "%d and", 40);
    assert_string_equal(memory, "40 and");
    ys_text_add(&text, " %s", "far too much");
    assert_string_equal(memory, "40 and ...");
    assert_int_equal(text.length, 10);
    ys_text_add(&text, "more");
    assert_string_equal(memory, "40 and ...");
    text = ys_text_in(memory, sizeof memory);
    ys_text_hex(&text, bytes, 0, 4);
    assert_string_equal(memory, "");
    char longer[40];
    text = ys_text_in(longer, sizeof longer);
    ys_text_hex(&text, bytes, sizeof bytes, 4);
    assert_string_equal(longer, "01 02 03 ab");
    text = ys_text_in(longer, sizeof longer);
    ys_text_hex(&text, bytes, sizeof bytes, 2);
    assert_string_equal(longer, "01 02 ... (4 bytes)");
    text = ys_text_in(memory, sizeof memory);
    ys_text_hex(&text, bytes, sizeof bytes, 4);
    assert_string_equal(memory, "01 02 ...");
    text = ys_text_in(memory, sizeof memory);
    ys_text_add(&text, "%s",
                "Messger\xc3\xa4"
                "te und mehr");
    assert_string_equal(memory, "Messger ...");
    text = ys_text_in(memory, sizeof memory);
    ys_text_add(&text, "%s", "what fits, ");
    assert_string_equal(memory, "what fits, ");
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(the_first_packets_of_the_sample_data_are_opened),
        cmocka_unit_test(what_does_not_fit_is_left_as_it_is),
        cmocka_unit_test(the_key_of_a_pairing_without_passkey_is_found),
        cmocka_unit_test(a_passkey_is_found_by_trying_all),
        cmocka_unit_test(data_out_of_band_cannot_be_tried),
        cmocka_unit_test(keys_are_kept_once_the_newest_first),
        cmocka_unit_test(texts_are_cut_where_their_memory_ends),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
