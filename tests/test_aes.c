/* AES-128 for ports without an accelerator, against the standard's samples and the library of workstations. */
#include "support/check.h"

#include <string.h>

#include "machine/crypto.h"
#include "parts/aes.h"
#include "sim/chance.h"
#include "support/hex.h"

static void the_samples_of_the_standard_come_out(void **state)
{
    /* FIPS 197 appendix B and C.1, NIST SP 800-38A F.1.1 */
    static const char *const samples[][3] = {
        {"2b7e151628aed2a6abf7158809cf4f3c", "3243f6a8885a308d313198a2e0370734", "3925841d02dc09fbdc118597196a0b32"},
        {"000102030405060708090a0b0c0d0e0f", "00112233445566778899aabbccddeeff", "69c4e0d86a7b0430d8cdb78070b4c55a"},
        {"2b7e151628aed2a6abf7158809cf4f3c", "6bc1bee22e409f96e93d7e117393172a", "3ad77bb40d7a3660a89ecaf32466ef97"},
    };
    (void)state;
    for (size_t i = 0; i < sizeof samples / sizeof samples[0]; i++) {
        uint8_t bytes[3][16];
        uint8_t cipher[16];
        for (size_t j = 0; j < 3; j++)
            assert_int_equal(from_hex(samples[i][j], bytes[j], 16), 16);
        ys_aes_encrypt(bytes[0], bytes[1], cipher);
        assert_memory_equal(cipher, bytes[2], 16);
        ys_aes_encrypt(bytes[0], bytes[1], bytes[1]); /* in place */
        assert_memory_equal(bytes[1], bytes[2], 16);
    }
}

static void it_agrees_with_a_library(void **state)
{
    struct ys_chance chance = ys_chance_of(197, 1);
    (void)state;
    for (int i = 0; i < 5000; i++) {
        uint8_t key[16];
        uint8_t plain[16];
        uint8_t cipher[16];
        uint8_t expected[16];
        ys_chance_fill(&chance, key, sizeof key);
        ys_chance_fill(&chance, plain, sizeof plain);
        ys_aes_encrypt(key, plain, cipher);
        assert_true(ys_crypto_encrypt(key, plain, expected));
        assert_memory_equal(cipher, expected, sizeof cipher);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(the_samples_of_the_standard_come_out),
        cmocka_unit_test(it_agrees_with_a_library),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
