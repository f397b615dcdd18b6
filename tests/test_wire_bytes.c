/* The bounded reader and writer. */
#include "support/check.h"

#include <string.h>

#include <yarnswift/bytes.h>

#include "support/hex.h"

/* Vol 3 Part G 2.4. */
static void numbers_are_read_least_significant_byte_first(void **state)
{
    uint8_t bytes[32];
    size_t length = from_hex("01 0302 060504 0a090807 1211100f0e0d0c0b fe fdff fcffffff", bytes, sizeof bytes);
    struct ys_reader reader = ys_reader_of(bytes, length);
    (void)state;
    assert_int_equal(ys_get_u8(&reader), 0x01);
    assert_int_equal(ys_get_u16(&reader), 0x0203);
    assert_int_equal(ys_get_u24(&reader), 0x040506);
    assert_int_equal(ys_get_u32(&reader), 0x0708090a);
    assert_true(ys_get_u64(&reader) == UINT64_C(0x0b0c0d0e0f101112));
    assert_int_equal(ys_get_i8(&reader), -2);
    assert_int_equal(ys_get_i16(&reader), -3);
    assert_int_equal(ys_get_i32(&reader), -4);
    assert_true(ys_reader_done(&reader));
}

static void a_reader_that_runs_over_stays_bad_and_gives_zeros(void **state)
{
    const uint8_t bytes[3] = {1, 2, 3};
    uint8_t copy[4] = {9, 9, 9, 9};
    struct ys_reader reader = ys_reader_of(bytes, sizeof bytes);
    (void)state;
    assert_int_equal(ys_get_u32(&reader), 0);
    assert_false(ys_reader_ok(&reader));
    assert_int_equal(ys_reader_left(&reader), 0);
    assert_int_equal(ys_get_u8(&reader), 0);
    assert_null(ys_get_bytes(&reader, 1));
    ys_get_copy(&reader, copy, sizeof copy);
    assert_hex(copy, sizeof copy, "00000000");
    assert_false(ys_reader_done(&reader));
}

static void a_part_ends_where_it_says_and_the_whole_goes_on_behind_it(void **state)
{
    const uint8_t bytes[5] = {1, 2, 3, 4, 5};
    struct ys_reader reader = ys_reader_of(bytes, sizeof bytes);
    struct ys_reader part = ys_get_part(&reader, 2);
    (void)state;
    assert_int_equal(ys_get_u16(&part), 0x0201);
    assert_int_equal(ys_get_u8(&part), 0);
    assert_false(ys_reader_ok(&part));
    assert_int_equal(ys_get_u8(&reader), 3);
    part = ys_get_part(&reader, 3);
    assert_false(ys_reader_ok(&part));
    assert_false(ys_reader_ok(&reader));
}

static void an_empty_reader_is_done_at_once(void **state)
{
    struct ys_reader reader = ys_reader_of(NULL, 0);
    (void)state;
    assert_true(ys_reader_done(&reader));
    assert_null(ys_get_bytes(&reader, 0));
    assert_true(ys_reader_ok(&reader));
    (void)ys_get_u8(&reader);
    assert_false(ys_reader_ok(&reader));
}

/* Vol 3 Part G 2.4. */
static void numbers_are_written_least_significant_byte_first(void **state)
{
    uint8_t bytes[64];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    (void)state;
    ys_put_u8(&writer, 0x01);
    ys_put_u16(&writer, 0x0203);
    ys_put_u24(&writer, 0x040506);
    ys_put_u32(&writer, 0x0708090a);
    ys_put_u64(&writer, UINT64_C(0x0b0c0d0e0f101112));
    ys_put_i8(&writer, -2);
    ys_put_i16(&writer, -3);
    ys_put_i32(&writer, -4);
    ys_put_text(&writer, "T2");
    assert_true(ys_writer_ok(&writer));
    assert_hex(bytes, ys_writer_stored(&writer), "01 0302 060504 0a090807 1211100f0e0d0c0b fe fdff fcffffff 5432");
}

/* A value of ten bytes 0 to 9, put piece by piece, seen through windows. */
static void a_window_holds_just_its_part_of_a_long_value(void **state)
{
    static const struct {
        size_t skip;
        size_t capacity;
        size_t stored;
        bool ok;
        const char *hex;
    } cases[] = {
        {0, 10, 10, true, "00010203040506070809"},
        {0, 4, 4, false, "00010203"},
        {3, 4, 4, false, "03040506"},
        {6, 4, 4, true, "06070809"},
        {8, 4, 2, true, "0809"},
        {10, 4, 0, true, ""},
        {12, 4, 0, true, ""},
        {0, 0, 0, false, ""},
        {5, 1, 1, false, "05"},
    };
    static const uint8_t value[10] = {0, 1, 2, 3, 4, 5, 6, 7, 8, 9};
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        for (size_t piece = 1; piece <= sizeof value; piece++) {
            uint8_t bytes[16] = {0};
            struct ys_writer writer = ys_writer_window(bytes, cases[i].capacity, cases[i].skip);
            for (size_t at = 0; at < sizeof value; at += piece)
                ys_put_bytes(&writer, value + at, at + piece > sizeof value ? sizeof value - at : piece);
            assert_int_equal(ys_writer_length(&writer), sizeof value);
            assert_int_equal(ys_writer_stored(&writer), cases[i].stored);
            assert_int_equal(ys_writer_ok(&writer), cases[i].ok);
            assert_hex(bytes, ys_writer_stored(&writer), cases[i].hex);
            assert_int_equal(bytes[cases[i].capacity], 0); /* nothing after the window is touched */
        }
    }
}

static void a_writer_without_memory_only_counts(void **state)
{
    struct ys_writer writer = ys_writer_to(NULL, 0);
    (void)state;
    ys_put_text(&writer, "torque");
    ys_put_u32(&writer, 1);
    assert_int_equal(ys_writer_length(&writer), 10);
    assert_int_equal(ys_writer_stored(&writer), 0);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(numbers_are_read_least_significant_byte_first),
        cmocka_unit_test(a_reader_that_runs_over_stays_bad_and_gives_zeros),
        cmocka_unit_test(a_part_ends_where_it_says_and_the_whole_goes_on_behind_it),
        cmocka_unit_test(an_empty_reader_is_done_at_once),
        cmocka_unit_test(numbers_are_written_least_significant_byte_first),
        cmocka_unit_test(a_window_holds_just_its_part_of_a_long_value),
        cmocka_unit_test(a_writer_without_memory_only_counts),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
