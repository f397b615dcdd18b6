/* What is generated for values of one number: put and got in their type, and compared with bytes that were computed by
 * hand. */
#include "support/check.h"

#include "scalars_table.h"
#include "support/hex.h"

#define HANDLERS(name)                                                                                                 \
    uint8_t scalars_##name##_read(const struct ys_access *access, struct ys_writer *value)                             \
    {                                                                                                                  \
        (void)access;                                                                                                  \
        (void)value;                                                                                                   \
        return YS_ATT_OK;                                                                                              \
    }                                                                                                                  \
    uint8_t scalars_##name##_write(const struct ys_access *access, struct ys_reader *value)                            \
    {                                                                                                                  \
        (void)access;                                                                                                  \
        (void)value;                                                                                                   \
        return YS_ATT_OK;                                                                                              \
    }

HANDLERS(bool)
HANDLERS(small)
HANDLERS(temp)
HANDLERS(ratio)
HANDLERS(precise)
HANDLERS(med)
HANDLERS(twelve)
HANDLERS(full)
HANDLERS(six)

/* Puts a value, compares its bytes, and gets it again; of one byte fewer or more nothing is got. */
#define CHECK(name, type, value, expected)                                                                             \
    do {                                                                                                               \
        uint8_t bytes[16] = {0};                                                                                       \
        struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);                                                   \
        type got;                                                                                                      \
        scalars_##name##_put(&writer, (value));                                                                        \
        size_t length = ys_writer_stored(&writer);                                                                     \
        assert_hex(bytes, length, expected);                                                                           \
        struct ys_reader reader = ys_reader_of(bytes, length);                                                         \
        assert_true(scalars_##name##_get(&reader, &got));                                                              \
        assert_true(got == (value));                                                                                   \
        reader = ys_reader_of(bytes, length - 1);                                                                      \
        assert_false(scalars_##name##_get(&reader, &got));                                                             \
        reader = ys_reader_of(bytes, length + 1);                                                                      \
        assert_false(scalars_##name##_get(&reader, &got));                                                             \
    } while (0)

static void each_number_is_put_and_got_in_its_type(void **state)
{
    (void)state;
    CHECK(bool, bool, true, "01");
    CHECK(bool, bool, false, "00");
    CHECK(small, uint8_t, 200, "c8");
    CHECK(temp, int16_t, -1234, "2efb");
    CHECK(ratio, float, -1.5f, "0000c0bf");
    CHECK(precise, double, 0.1, "9a9999999999b93f");
    CHECK(twelve, int16_t, -2, "fe0f");
    CHECK(full, uint16_t, 0xfffe, "feff");
    CHECK(six, uint64_t, UINT64_C(0x010203040506), "060504030201");
    uint8_t bytes[4];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    scalars_med_put(&writer, (struct ys_medfloat){.mantissa = -365, .exponent = -1});
    assert_hex(bytes, ys_writer_stored(&writer), "93fe");
    struct ys_reader reader = ys_reader_of(bytes, 2);
    struct ys_medfloat got;
    assert_true(scalars_med_get(&reader, &got) && got.mantissa == -365 && got.exponent == -1);
    assert_int_equal(SCALARS_TEMP_LEAST, -2000);
    assert_int_equal(SCALARS_TEMP_GREATEST, 6000);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(each_number_is_put_and_got_in_its_type),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
