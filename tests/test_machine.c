/* What instructions do and what the library and plain C do is the same, on random input; and on that of the standard.
 */
#include "support/check.h"

#include <string.h>

#include "machine/crc.h"
#include "machine/crypto.h"
#include "machine/instructions.h"
#include "sim/chance.h"
#include "support/hex.h"

#define ROUNDS 400

static int back_to_what_it_has(void **state)
{
    (void)state;
    ys_machine_be_plain(false);
    return 0;
}

/* Vol 6 Part B 3.1.1, of every length and from every place in memory. */
static void crcs_of_every_length_are_those_of_the_plain_code(void **state)
{
    struct ys_chance chance = ys_chance_of(11, 1);
    uint8_t bytes[300 + 16];
    (void)state;
    for (size_t length = 0; length <= 300; length++) {
        for (size_t offset = 0; offset < 16; offset += 5) {
            uint32_t init = (uint32_t)ys_chance_next(&chance) & 0xffffff;
            ys_chance_fill(&chance, bytes, sizeof bytes);
            assert_int_equal(ys_machine_crc(init, bytes + offset, length), ys_link_crc(init, bytes + offset, length));
        }
    }
}

/* FIPS 197 Appendix B, and C.1. */
static void blocks_are_those_of_the_paper(void **state)
{
    static const char *const samples[][3] = {
        {"2b7e151628aed2a6abf7158809cf4f3c", "3243f6a8885a308d313198a2e0370734", "3925841d02dc09fbdc118597196a0b32"},
        {"000102030405060708090a0b0c0d0e0f", "00112233445566778899aabbccddeeff", "69c4e0d86a7b0430d8cdb78070b4c55a"}};
    (void)state;
    for (int plain = 0; plain < 2; plain++) {
        ys_machine_be_plain(plain != 0);
        for (size_t i = 0; i < COUNT(samples); i++) {
            uint8_t key[16];
            uint8_t block[16];
            (void)from_hex(samples[i][0], key, sizeof key);
            (void)from_hex(samples[i][1], block, sizeof block);
            assert_true(ys_crypto_encrypt(key, block, block));
            assert_hex(block, sizeof block, samples[i][2]);
        }
    }
}

/* One packet, sealed in both ways, opened in the other; and with one bit wrong by neither. */
static void try_packet(struct ys_chance *chance, struct ys_ccm *const both[2], size_t length)
{
    uint8_t nonce[YS_CCM_NONCE_SIZE];
    uint8_t plain[255];
    uint8_t sealed[2][255 + YS_CCM_MIC_SIZE];
    uint8_t opened[255];
    uint8_t header = (uint8_t)ys_chance_next(chance);
    ys_chance_fill(chance, nonce, sizeof nonce);
    ys_chance_fill(chance, plain, length);
    for (int i = 0; i < 2; i++)
        assert_true(ys_ccm_seal(both[i], nonce, header, plain, length, sealed[i]));
    assert_memory_equal(sealed[0], sealed[1], length + YS_CCM_MIC_SIZE);
    memcpy(sealed[0], plain, length); /* in place */
    assert_true(ys_ccm_seal(both[0], nonce, header, sealed[0], length, sealed[0]));
    assert_memory_equal(sealed[0], sealed[1], length + YS_CCM_MIC_SIZE);
    for (int i = 0; i < 2; i++) {
        assert_true(ys_ccm_open(both[i], nonce, header, sealed[0], length + YS_CCM_MIC_SIZE, opened));
        assert_memory_equal(opened, plain, length);
        assert_false(ys_ccm_open(both[i], nonce, header ^ 0x01, sealed[0], length + YS_CCM_MIC_SIZE, opened));
    }
    size_t bit = ys_chance_below(chance, (uint32_t)(8 * (length + YS_CCM_MIC_SIZE)));
    sealed[0][bit / 8] ^= (uint8_t)(1u << bit % 8);
    for (int i = 0; i < 2; i++)
        assert_false(ys_ccm_open(both[i], nonce, header, sealed[0], length + YS_CCM_MIC_SIZE, opened));
}

static void packets_are_sealed_alike_in_both_ways(void **state)
{
    struct ys_chance chance = ys_chance_of(12, 1);
    (void)state;
    for (int round = 0; round < ROUNDS; round++) {
        struct ys_ccm *both[2];
        uint8_t key[16];
        ys_chance_fill(&chance, key, sizeof key);
        for (int plain = 0; plain < 2; plain++) {
            ys_machine_be_plain(plain != 0);
            both[plain] = ys_ccm_new(key);
            assert_non_null(both[plain]);
        }
        for (int i = 0; i < 4; i++)
            try_packet(&chance, both, 1 + ys_chance_below(&chance, 251));
        ys_ccm_free(both[0]);
        ys_ccm_free(both[1]);
    }
}

/* Numbers for keys: first what is given, then ones. */
struct given {
    const char *hex;
    bool used;
};

static bool give(void *context, void *bytes, size_t length)
{
    struct given *given = context;
    if (given->used || length != 32)
        memset(bytes, 1, length);
    else
        (void)from_hex(given->hex, bytes, length);
    given->used = given->used || length == 32;
    return true;
}

/* Vol 2 Part G 7.1.2.1. */
static void the_curve_gives_the_sample_data(void **state)
{
    struct given given = {.hex = "3f49f6d4a3c55f3874c9b3e3d2103f504aff607beb40b7995899b8a6cd3c1abd"};
    uint8_t own[32];
    uint8_t public_key[64];
    uint8_t other[64];
    uint8_t secret[32];
    (void)state;
    assert_true(ys_crypto_key(give, &given, own, public_key));
    assert_hex(public_key, 64,
               "20b003d2f297be2c5e2c83a7e9f9a5b9eff49111acf4fddbcc0301480e359de6"
               "dc809c49652aeb6d63329abf5a52155c766345c28fed3024741c8ed01589d28b");
    (void)from_hex("1ea1f0f01faf1d9609592284f19e4c0047b58afd8615a69f559077b22faaa190"
                   "4c55f33e429dad377356703a9ab85160472d1130e28e36765f89aff915b1214a",
                   other, sizeof other);
    assert_true(ys_crypto_secret(give, &given, own, other, secret));
    assert_hex(secret, 32, "ec0234a357c8ad05341010a60a397d9b99796b13b4f866f1868d34f373bfa698");
    assert_true(ys_crypto_is_on_curve(other));
    other[63] ^= 1;
    assert_false(ys_crypto_is_on_curve(other));
    assert_false(ys_crypto_secret(give, &given, own, other, secret));
}

/* A private key is below the order of the curve, and not 0: else another is drawn (FIPS 186-4 B.4.2). */
static void numbers_that_are_no_keys_are_drawn_again(void **state)
{
    static const char *const none[] = {"0000000000000000000000000000000000000000000000000000000000000000",
                                       "ffffffff00000000ffffffffffffffffbce6faada7179e84f3b9cac2fc632551"};
    (void)state;
    for (size_t i = 0; i < COUNT(none); i++) {
        struct given given = {.hex = none[i]};
        uint8_t own[32];
        uint8_t public_key[64];
        assert_true(ys_crypto_key(give, &given, own, public_key));
        assert_int_equal(own[0], 1);
        assert_true(ys_crypto_is_on_curve(public_key));
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(crcs_of_every_length_are_those_of_the_plain_code),
        cmocka_unit_test_teardown(blocks_are_those_of_the_paper, back_to_what_it_has),
        cmocka_unit_test_teardown(packets_are_sealed_alike_in_both_ways, back_to_what_it_has),
        cmocka_unit_test(the_curve_gives_the_sample_data),
        cmocka_unit_test(numbers_that_are_no_keys_are_drawn_again),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
