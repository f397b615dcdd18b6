/* Bit-sliced AES-128: plane i holds bit i of every byte, so that all bytes are processed at once by logic alone. A
 * plane has the 16 bytes of the state, and 4 bytes of the round key that go through the S-box with them. */
#include "parts/aes.h"

#define STATE_MASK UINT32_C(0xffff)
#define KEY_SHIFT  16
#define ROUNDS     10

struct planes {
    uint32_t bit[8];
};

/* Byte at `place` to the planes, which have zeros there. */
static void put_byte(struct planes *planes, unsigned place, uint8_t byte)
{
    for (unsigned i = 0; i < 8; i++)
        planes->bit[i] |= (uint32_t)(byte >> i & 1) << place;
}

static uint8_t get_byte(const struct planes *planes, unsigned place)
{
    uint8_t byte = 0;
    for (unsigned i = 0; i < 8; i++)
        byte = (uint8_t)(byte | (planes->bit[i] >> place & 1) << i);
    return byte;
}

/* FIPS 197: times x, modulo x^8 + x^4 + x^3 + x + 1. */
static void double_all(struct planes *a)
{
    uint32_t top = a->bit[7];
    for (unsigned i = 7; i > 0; i--)
        a->bit[i] = a->bit[i - 1];
    a->bit[0] = top;
    a->bit[1] ^= top;
    a->bit[3] ^= top;
    a->bit[4] ^= top;
}

/* FIPS 197: multiplication. */
static void multiply(struct planes *to, const struct planes *a, const struct planes *b)
{
    struct planes product = {{0}};
    for (unsigned i = 8; i-- > 0;) {
        double_all(&product);
#if defined(__GNUC__) && !defined(__clang__)
#pragma GCC unroll 8 /* most of the time is spent here */
#endif
        for (unsigned j = 0; j < 8; j++)
            product.bit[j] ^= a->bit[j] & b->bit[i];
    }
    *to = product;
}

static void square(struct planes *a)
{
    const struct planes b = *a;
    a->bit[0] = b.bit[0] ^ b.bit[4] ^ b.bit[6];
    a->bit[1] = b.bit[4] ^ b.bit[6] ^ b.bit[7];
    a->bit[2] = b.bit[1] ^ b.bit[5];
    a->bit[3] = b.bit[4] ^ b.bit[5] ^ b.bit[6] ^ b.bit[7];
    a->bit[4] = b.bit[2] ^ b.bit[4] ^ b.bit[7];
    a->bit[5] = b.bit[5] ^ b.bit[6];
    a->bit[6] = b.bit[3] ^ b.bit[5];
    a->bit[7] = b.bit[6] ^ b.bit[7];
}

/* FIPS 197: the inverse, which is the 254th power, and the affine transformation. */
static void substitute(struct planes *a)
{
    struct planes power2 = *a;
    struct planes power3;
    struct planes power12;
    struct planes power;
    square(&power2);
    multiply(&power3, &power2, a);
    power12 = power3;
    square(&power12);
    square(&power12);
    multiply(&power, &power12, &power3); /* 15 */
    for (unsigned i = 0; i < 4; i++)
        square(&power); /* 240 */
    multiply(&power, &power, &power12);
    multiply(&power, &power, &power2);
    for (unsigned i = 0; i < 8; i++) {
        a->bit[i] = power.bit[i] ^ power.bit[(i + 4) % 8] ^ power.bit[(i + 5) % 8] ^ power.bit[(i + 6) % 8] ^
                    power.bit[(i + 7) % 8];
        if ((0x63 >> i & 1) != 0)
            a->bit[i] = ~a->bit[i];
    }
}

/* FIPS 197: byte r + 4c comes from column c + r. */
static uint32_t shift_rows(uint32_t plane)
{
    uint32_t shifted = plane & 0x1111;
    for (unsigned row = 1; row < 4; row++) {
        uint32_t bytes = plane & UINT32_C(0x1111) << row;
        shifted |= (bytes >> 4 * row | bytes << (16 - 4 * row)) & STATE_MASK;
    }
    return shifted;
}

/* Each byte becomes the one `rows` below it in its column. */
static uint32_t turn_columns(uint32_t plane, unsigned rows)
{
    uint32_t low = UINT32_C(0x1111) * ((1U << (4 - rows)) - 1); /* which do not wrap */
    return (plane >> rows & low) | (plane << (4 - rows) & ~low & STATE_MASK);
}

/* FIPS 197: 2 a0 + 3 a1 + a2 + a3 = 2 (a0 + a1) + a1 + a2 + a3. */
static void mix_columns(struct planes *state)
{
    struct planes both;
    for (unsigned i = 0; i < 8; i++)
        both.bit[i] = state->bit[i] ^ turn_columns(state->bit[i], 1);
    struct planes mixed = both;
    double_all(&mixed);
    for (unsigned i = 0; i < 8; i++)
        state->bit[i] = mixed.bit[i] ^ turn_columns(state->bit[i], 1) ^ turn_columns(both.bit[i], 2);
}

/* FIPS 197: the last column of the round key, turned by a byte, to where it goes through the S-box. */
static void put_key(struct planes *state, const struct planes *key)
{
    for (unsigned i = 0; i < 8; i++) {
        uint32_t column = key->bit[i] >> 12;
        state->bit[i] |= (column >> 1 | (column << 3 & 0xf)) << KEY_SHIFT;
    }
}

/* FIPS 197: the round key from the one before: each column is the sum of those up to it, and of what the S-box gave. */
static void next_key(struct planes *key, const struct planes *substituted, uint8_t constant)
{
    for (unsigned i = 0; i < 8; i++) {
        uint32_t column = (substituted->bit[i] >> KEY_SHIFT & 0xf) ^ (constant >> i & 1U);
        uint32_t sums = key->bit[i] ^ key->bit[i] << 4;
        key->bit[i] = (sums ^ sums << 8 ^ column * 0x1111) & STATE_MASK;
    }
}

static void add_key(struct planes *state, const struct planes *key)
{
    for (unsigned i = 0; i < 8; i++)
        state->bit[i] = (state->bit[i] & STATE_MASK) ^ key->bit[i];
}

void ys_aes_encrypt(const uint8_t key[16], const uint8_t plain[16], uint8_t cipher[16])
{
    struct planes round_key = {{0}};
    struct planes state = {{0}};
    uint8_t constant = 1;
    for (unsigned i = 0; i < 16; i++) {
        put_byte(&round_key, i, key[i]);
        put_byte(&state, i, plain[i]);
    }
    add_key(&state, &round_key);
    for (unsigned round = 1; round <= ROUNDS; round++) {
        put_key(&state, &round_key);
        substitute(&state);
        next_key(&round_key, &state, constant);
        constant = (uint8_t)(constant << 1 ^ (constant >> 7) * 0x1b);
        for (unsigned i = 0; i < 8; i++)
            state.bit[i] = shift_rows(state.bit[i] & STATE_MASK);
        if (round < ROUNDS)
            mix_columns(&state);
        add_key(&state, &round_key);
    }
    for (unsigned i = 0; i < 16; i++)
        cipher[i] = get_byte(&state, i);
}
