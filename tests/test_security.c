/* The Security Manager's PDUs, and the functions by which keys are made, against the sample data of the standard. */
#include "support/check.h"

#include <string.h>

#include "host/smp/toolbox.h"
#include "machine/crypto.h"
#include "sim/chance.h"
#include "support/hex.h"
#include "wire/smp.h"

/* PDUs: each as bytes, with what a few fields are. */

static const struct {
    const char *hex;
    const char *name;
    struct ys_smp_pdu pdu;
} cases[] = {
    {"01 03 00 0d 10 03 03",
     "pairing request",
     {.code = 1, .capability = 3, .requirements = 0x0d, .key_size = 16, .initiator_keys = 3, .responder_keys = 3}},
    {"02 04 01 29 07 00 07",
     "pairing response",
     {.code = 2, .capability = 4, .oob = 1, .requirements = 0x29, .key_size = 7, .responder_keys = 7}},
    {"03 000102030405060708090a0b0c0d0e0f", "pairing confirm", {.code = 3}},
    {"04 000102030405060708090a0b0c0d0e0f", "pairing random", {.code = 4}},
    {"05 05", "pairing failed", {.code = 5, .reason = 5}},
    {"06 000102030405060708090a0b0c0d0e0f", "encryption information", {.code = 6}},
    {"07 3412 0102030405060708", "central identification", {.code = 7, .diversifier = 0x1234}},
    {"08 000102030405060708090a0b0c0d0e0f", "identity information", {.code = 8}},
    {"09 01 060504030201", "identity address information", {.code = 9}},
    {"0a 000102030405060708090a0b0c0d0e0f", "signing information", {.code = 10}},
    {"0b 0d", "security request", {.code = 11, .requirements = 0x0d}},
    {"0c "
     "000102030405060708090a0b0c0d0e0f101112131415161718191a1b1c1d1e1f202122232425262728292a2b2c2d2e2f3031323334353637"
     "38393a3b3c3d3e3f",
     "pairing public key",
     {.code = 12}},
    {"0d 000102030405060708090a0b0c0d0e0f", "pairing DHKey check", {.code = 13}},
    {"0e 04", "keypress notification", {.code = 14, .keypress = 4}},
};

/* Vol 3 Part H 3.3. */
static void security_pdus_are_read_and_written_again(void **state)
{
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        const struct ys_smp_pdu *expected = &cases[i].pdu;
        uint8_t bytes[80];
        uint8_t again[80];
        struct ys_smp_pdu pdu;
        struct ys_writer writer = ys_writer_to(again, sizeof again);
        size_t length = from_hex(cases[i].hex, bytes, sizeof bytes);
        assert_int_equal(ys_smp_decode(bytes, length, &pdu), YS_SMP_GOOD);
        assert_string_equal(ys_smp_code_name(pdu.code), cases[i].name);
        assert_int_equal(pdu.code, expected->code);
        assert_int_equal(pdu.capability, expected->capability);
        assert_int_equal(pdu.oob, expected->oob);
        assert_int_equal(pdu.requirements, expected->requirements);
        assert_int_equal(pdu.key_size, expected->key_size);
        assert_int_equal(pdu.initiator_keys, expected->initiator_keys);
        assert_int_equal(pdu.responder_keys, expected->responder_keys);
        assert_int_equal(pdu.reason, expected->reason);
        assert_int_equal(pdu.keypress, expected->keypress);
        assert_int_equal(pdu.diversifier, expected->diversifier);
        ys_put_smp(&writer, &pdu);
        assert_int_equal(ys_writer_stored(&writer), length);
        assert_memory_equal(again, bytes, length);
    }
}

/* Vol 3 Part H 3.3. */
static void security_pdus_of_another_length_or_code_are_refused(void **state)
{
    uint8_t bytes[80] = {0};
    struct ys_smp_pdu pdu;
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        size_t length = from_hex(cases[i].hex, bytes, sizeof bytes);
        for (size_t other = 1; other < sizeof bytes; other++)
            assert_int_equal(ys_smp_decode(bytes, other, &pdu), other == length ? YS_SMP_GOOD : YS_SMP_MALFORMED);
    }
    for (unsigned code = 0; code < 256; code++) {
        bytes[0] = (uint8_t)code;
        bool known = code >= 1 && code <= COUNT(cases);
        assert_int_equal(ys_smp_decode(bytes, 70, &pdu), known ? YS_SMP_MALFORMED : YS_SMP_UNKNOWN);
        assert_int_equal(pdu.code, code);
        assert_int_equal(strcmp(ys_smp_code_name((uint8_t)code), "unknown") != 0, known);
        bool reason = code <= YS_SMP_BUSY || code == YS_SMP_TIMEOUT;
        assert_int_equal(strstr(ys_smp_reason_text((uint8_t)code), "reserves") == NULL, reason);
    }
    assert_int_equal(ys_smp_decode(bytes, 0, &pdu), YS_SMP_UNKNOWN);
}

/* functions */

static bool encrypt(void *context, const uint8_t key[16], const uint8_t plain[16], uint8_t out[16])
{
    (void)context;
    return ys_crypto_encrypt(key, plain, out);
}

static const struct ys_cipher cipher = {.encrypt = encrypt};

/* A few values at a time, each used before the ring comes round. */
static const uint8_t *value(const char *hex)
{
    static uint8_t ring[12][64];
    static size_t next;
    uint8_t *one = ring[next++ % 12];
    (void)from_hex(hex, one, 64);
    return one;
}

#define U  value("20b003d2f297be2c5e2c83a7e9f9a5b9eff49111acf4fddbcc0301480e359de6")
#define V  value("55188b3d32f6bb9a900afcfbeed4e72a59cb9ac2f19d7cfb6b4fdd49f47fc5fd")
#define N1 value("d5cb8454d177733effffb2ec712baeab")
#define N2 value("a6e8e7cc25a75f6e216583f7ff3dc4cf")
#define A1 value("0056123737bfce")
#define A2 value("00a713702dcfc1")

/* RFC 4493 4 (Vol 3 Part H 2.2.1, 2.2.5). */
static void cmac_gives_the_values_of_its_specification(void **state)
{
    static const char message[] =
        "6bc1bee22e409f96e93d7e117393172aae2d8a571e03ac9c9eb76fac45af8e5130c81c46a35ce411e5fbc1191a0a52ef"
        "f69f2445df4f9b17ad2b417be66c3710";
    static const struct {
        size_t length;
        const char *mac;
    } macs[] = {{0, "bb1d6929e95937287fa37d129b756746"},
                {16, "070a16b46b4d4144f79bdd9dd04a287c"},
                {40, "dfa66747de9ae63030ca32611497c827"},
                {64, "51f0bebf7e3b9d92fc49741779363cfe"}};
    (void)state;
    for (size_t i = 0; i < COUNT(macs); i++) {
        uint8_t bytes[64];
        uint8_t mac[16];
        (void)from_hex(message, bytes, sizeof bytes);
        assert_true(ys_toolbox_cmac(&cipher, value("2b7e151628aed2a6abf7158809cf4f3c"), bytes, macs[i].length, mac));
        assert_hex(mac, 16, macs[i].mac);
    }
}

/* Vol 3 Part H 2.2.5. */
static void cmac_of_any_length_is_that_of_a_library(void **state)
{
    struct ys_chance chance = ys_chance_of(7, 1);
    (void)state;
    for (size_t length = 0; length <= 80; length++) {
        uint8_t key[16];
        uint8_t message[80];
        uint8_t mac[16];
        uint8_t other[16];
        ys_chance_fill(&chance, key, sizeof key);
        ys_chance_fill(&chance, message, sizeof message);
        assert_true(ys_toolbox_cmac(&cipher, key, message, length, mac));
        assert_true(ys_crypto_cmac(key, message, length, other));
        assert_memory_equal(mac, other, sizeof mac);
    }
}

/* Core 5.4 Vol 3 Part H Appendix D (Vol 3 Part H 2.2.6 to 2.2.9). */
static void the_functions_of_secure_connections_give_the_sample_data(void **state)
{
    uint8_t out[16];
    uint8_t ltk[16];
    uint32_t number = 0;
    (void)state;
    assert_true(ys_toolbox_f4(&cipher, U, V, N1, 0, out));
    assert_hex(out, 16, "f2c916f107a9bd1cf1eda1bea974872d");
    assert_true(ys_toolbox_f5(&cipher, value("ec0234a357c8ad05341010a60a397d9b99796b13b4f866f1868d34f373bfa698"), N1,
                              N2, A1, A2, out, ltk));
    assert_hex(out, 16, "2965f176a1084a02fd3f6a20ce636e20");
    assert_hex(ltk, 16, "6986791169d7cd23980522b594750a38");
    assert_true(
        ys_toolbox_f6(&cipher, out, N1, N2, value("12a3343bb453bb5408da42d20c2d0fc8"), value("010102"), A1, A2, ltk));
    assert_hex(ltk, 16, "e3c473989cd0e8c5d26c0b09da958f61");
    assert_true(ys_toolbox_g2(&cipher, U, V, N1, N2, &number));
    assert_int_equal(number, 938554);
}

/* Vol 3 Part H 2.2.2 to 2.2.4, and Appendix D (Vol 3 Part H 2.2.3). */
static void the_functions_of_legacy_pairing_and_of_addresses_give_the_sample_data(void **state)
{
    uint8_t out[16];
    (void)state;
    assert_true(ys_toolbox_ah(&cipher, value("ec0234a357c8ad05341010a60a397d9b"), value("708194"), out));
    assert_hex(out, 3, "0dfbaa");
    assert_true(ys_toolbox_c1(&cipher, value("00000000000000000000000000000000"),
                              value("5783d52156ad6f0e6388274ec6702ee0"), value("07071000000101"),
                              value("05000800000302"), 1, value("a1a2a3a4a5a6"), 0, value("b1b2b3b4b5b6"), out));
    assert_hex(out, 16, "1e1e3fef878988ead2a74dc5bef13b86");
    assert_true(ys_toolbox_s1(&cipher, value("00000000000000000000000000000000"),
                              value("000f0e0d0c0b0a091122334455667788"), value("010203040506070899aabbccddeeff00"),
                              out));
    assert_hex(out, 16, "9a1fe1f0e8b0f49b5b4216ae796da062");
}

/* A cipher that fails, at each of its calls. */
static size_t calls_left;

static bool fails(void *context, const uint8_t key[16], const uint8_t plain[16], uint8_t out[16])
{
    if (calls_left == 0)
        return false;
    calls_left--;
    return encrypt(context, key, plain, out);
}

static void a_cipher_that_fails_is_told_by_every_function(void **state)
{
    static const struct ys_cipher failing = {.encrypt = fails};
    uint8_t out[16];
    uint8_t other[16];
    uint32_t number;
    size_t refused[7] = {0};
    (void)state;
    for (size_t calls = 0; calls < 24; calls++) {
        const uint8_t *key = N1;
        bool done[7];
        for (size_t which = 0; which < COUNT(done); which++) {
            calls_left = calls;
            done[which] = which == 0   ? ys_toolbox_ah(&failing, key, key, out)
                          : which == 1 ? ys_toolbox_c1(&failing, key, key, U, V, 0, A1, 0, A2, out)
                          : which == 2 ? ys_toolbox_s1(&failing, key, U, V, out)
                          : which == 3 ? ys_toolbox_f4(&failing, U, V, key, 0, out)
                          : which == 4 ? ys_toolbox_f5(&failing, U, key, key, A1, A2, out, other)
                          : which == 5 ? ys_toolbox_f6(&failing, key, key, key, key, U, A1, A2, out)
                                       : ys_toolbox_g2(&failing, U, V, key, key, &number);
            refused[which] += !done[which];
        }
    }
    /* each fails for as many of its calls as it makes */
    static const size_t calls_made[] = {1, 2, 1, 6, 13, 6, 6};
    for (size_t which = 0; which < COUNT(refused); which++)
        assert_int_equal(refused[which], calls_made[which]);
}

static void values_are_compared_whole(void **state)
{
    uint8_t one[16] = {0};
    uint8_t other[16] = {0};
    (void)state;
    assert_true(ys_toolbox_is_equal(one, other, sizeof one));
    for (size_t i = 0; i < sizeof one * 8; i++) {
        other[i / 8] ^= (uint8_t)(1u << i % 8);
        assert_false(ys_toolbox_is_equal(one, other, sizeof one));
        other[i / 8] ^= (uint8_t)(1u << i % 8);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(security_pdus_are_read_and_written_again),
        cmocka_unit_test(security_pdus_of_another_length_or_code_are_refused),
        cmocka_unit_test(cmac_gives_the_values_of_its_specification),
        cmocka_unit_test(cmac_of_any_length_is_that_of_a_library),
        cmocka_unit_test(the_functions_of_secure_connections_give_the_sample_data),
        cmocka_unit_test(the_functions_of_legacy_pairing_and_of_addresses_give_the_sample_data),
        cmocka_unit_test(a_cipher_that_fails_is_told_by_every_function),
        cmocka_unit_test(values_are_compared_whole),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
