/* What is generated for values of one number: put and got in their type, and compared with bytes that were computed by
 * hand. */
#include "support/check.h"

#include <stdio.h>
#include <string.h>

#include "scalars_table.h"
#include "support/hex.h"
#include "support/scripted.h"

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
HANDLERS(label)

/* What has a range, or shares its handlers: who was called, and with what. */
static unsigned calls;
static uint16_t handle_called;
static uint8_t taken;

uint8_t scalars_output_read(const struct ys_access *access, struct ys_writer *value)
{
    handle_called = access->handle;
    ys_put_u8(value, (uint8_t)access->handle);
    return YS_ATT_OK;
}

static uint8_t take(const struct ys_access *access, struct ys_reader *value)
{
    calls++;
    handle_called = access->handle;
    taken = ys_get_u8(value);
    return YS_ATT_OK;
}

uint8_t scalars_output_write(const struct ys_access *access, struct ys_reader *value)
{
    return take(access, value);
}

uint8_t scalars_limit_read(const struct ys_access *access, struct ys_writer *value)
{
    (void)access;
    ys_put_u8(value, taken);
    return YS_ATT_OK;
}

uint8_t scalars_limit_write(const struct ys_access *access, struct ys_reader *value)
{
    return take(access, value);
}

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
    assert_int_equal(SCALARS_TEMP_MIN, -2000);
    assert_int_equal(SCALARS_TEMP_MAX, 6000);
}

static struct scalars_mixed_manufacturer mixed(void)
{
    return (struct scalars_mixed_manufacturer){
        .marks = SCALARS_MIXED_MANUFACTURER_MARKS_WIDE,
        .large = 0x01020304,
        .below = -2,
        .twelve = -2,
        .real = -1.5f,
        .some_count = 2,
        .some = {1, 0x0201},
    };
}

/* What the definition says is put as it is in the constant payload; anything else is put in its place. */
static void a_payload_is_put_with_new_values(void **state)
{
    uint8_t bytes[SCALARS_MIXED_RESPONSE_SIZE];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    struct scalars_mixed_manufacturer now = mixed();
    (void)state;
    scalars_mixed_response_put(&writer, &now, 5);
    assert_int_equal(ys_writer_stored(&writer), scalars_mixed_advertising.response_length);
    assert_memory_equal(bytes, scalars_mixed_advertising.response, ys_writer_stored(&writer));
    now.marks = 0;
    now.below = 8388607;
    now.some_count = 3;
    now.some[2] = 0xfedc;
    writer = ys_writer_to(bytes, sizeof bytes);
    scalars_mixed_response_put(&writer, &now, 200);
    assert_true(ys_writer_ok(&writer));
    assert_hex(bytes, ys_writer_stored(&writer),
               "0809 5363616c617273 13ff ffff 00 7fffff 0ffe bfc00000 0001 0201 fedc 04ff feff c8 05ff fdff 0102");
    now.marks = SCALARS_MIXED_MANUFACTURER_MARKS_WIDE; /* at its longest it has all the memory that was promised */
    writer = ys_writer_to(bytes, sizeof bytes);
    scalars_mixed_response_put(&writer, &now, 200);
    assert_int_equal(ys_writer_length(&writer), SCALARS_MIXED_RESPONSE_SIZE);
    uint8_t response[SCALARS_SCAN_RESPONSE_SIZE];
    writer = ys_writer_to(response, sizeof response);
    scalars_scan_response_put(&writer, 0xabcd);
    assert_hex(response, ys_writer_stored(&writer), "0809 5363616c617273 1321 aad7c5248e91f0b69e4a523d0000c377 cdab");
}

static void values_are_found_in_what_was_heard(void **state)
{
    const struct ys_advertising *heard = &scalars_mixed_advertising;
    const struct scalars_mixed_manufacturer expected = mixed();
    struct scalars_mixed_manufacturer got;
    uint8_t second;
    uint16_t number;
    uint8_t bytes[SCALARS_MIXED_RESPONSE_SIZE];
    (void)state;
    assert_true(scalars_mixed_manufacturer_find(heard->response, heard->response_length, &got));
    assert_int_equal(got.marks, expected.marks);
    assert_int_equal(got.large, expected.large);
    assert_int_equal(got.below, -2);
    assert_int_equal(got.twelve, -2);
    assert_true(got.real == -1.5f);
    assert_int_equal(got.some_count, 2);
    assert_int_equal(got.some[1], 0x0201);
    assert_true(scalars_mixed_manufacturer_2_find(heard->response, heard->response_length, &second));
    assert_int_equal(second, 5);
    assert_true(scalars_service_data_find(scalars_advertising.response, scalars_advertising.response_length, &number));
    assert_int_equal(number, 0x1234);
    assert_false(scalars_service_data_find(heard->response, heard->response_length, &number));
    memcpy(bytes, heard->response, heard->response_length);
    bytes[9] -= 1; /* the structure is a byte too short for its fields: the rest is none */
    assert_false(scalars_mixed_manufacturer_find(bytes, heard->response_length, &got));
    assert_false(scalars_mixed_manufacturer_find(bytes, 0, &got));
}

/* The constants of enumerated values are what is sent. */
static void numbers_are_called_by_their_names(void **state)
{
    struct scalars_shift shift = {.way = SCALARS_SHIFT_WAY_DOWN, .done = true};
    uint8_t bytes[3];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    (void)state;
    scalars_shift_put(&writer, &shift);
    assert_hex(bytes, sizeof bytes, "0100 01");
    assert_int_equal(SCALARS_GEAR_NEUTRAL, 0);
    assert_int_equal(SCALARS_GEAR_LOW, 4);
    assert_int_equal(SCALARS_GEAR_HIGH, 5);
}

#define LINK 0x0040

static void write_one(struct scripted *scripted, uint16_t handle, int64_t raw, const char *response)
{
    char request[40];
    (void)snprintf(request, sizeof request, "12 %02x00 %02x", handle, (unsigned)raw);
    give_att(scripted, LINK, request);
    assert_att(scripted, LINK, response);
    give_buffers(scripted, LINK, 1);
}

/* CSS Part B 1.2. */
static void what_is_out_of_its_range_is_refused_before_the_handler(void **state)
{
    static struct scripted scripted;
    static uint8_t values[SCALARS_VALUES_SIZE];
    char expected[40];
    (void)state;
    scripted_init(&scripted, &scalars_table, values, NULL);
    scripted_start(&scripted, 251, 8);
    connect_it(&scripted, LINK, 1);
    forget_sent(&scripted);
    calls = 0;
    (void)snprintf(expected, sizeof expected, "01 12 %02x00 ff", SCALARS_WINCH);
    write_one(&scripted, SCALARS_WINCH, 101, expected);
    assert_int_equal(calls, 0);
    write_one(&scripted, SCALARS_WINCH, 100, "13");
    assert_int_equal(calls, 1);
    assert_int_equal(handle_called, SCALARS_WINCH);
    assert_int_equal(taken, 100);
    write_one(&scripted, SCALARS_LAMP, 1, "13"); /* the same handler, for another */
    assert_int_equal(handle_called, SCALARS_LAMP);
    write_one(&scripted, SCALARS_LIMIT, 200, "13"); /* whose handler takes any value */
    assert_int_equal(taken, 200);
    (void)snprintf(expected, sizeof expected, "01 12 %02x00 ff", SCALARS_KEPT);
    write_one(&scripted, SCALARS_KEPT, 10, expected); /* in the host's memory it is no different */
    write_one(&scripted, SCALARS_KEPT, 0, expected);
    (void)snprintf(expected, sizeof expected, "0a %02x00", SCALARS_KEPT);
    give_att(&scripted, LINK, expected);
    assert_att(&scripted, LINK, "0b 03");
    give_buffers(&scripted, LINK, 1);
    write_one(&scripted, SCALARS_KEPT, 9, "13");
    give_att(&scripted, LINK, expected);
    assert_att(&scripted, LINK, "0b 09");
    give_buffers(&scripted, LINK, 1);
    (void)snprintf(expected, sizeof expected, "0a %02x00", SCALARS_GEAR);
    give_att(&scripted, LINK, expected);
    assert_att(&scripted, LINK, "0b 05"); /* as the definition says: high */
    give_buffers(&scripted, LINK, 1);
    (void)snprintf(expected, sizeof expected, "0a %02x00", SCALARS_LAMP);
    give_att(&scripted, LINK, expected);
    assert_int_equal(handle_called, SCALARS_LAMP);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(each_number_is_put_and_got_in_its_type),
        cmocka_unit_test(a_payload_is_put_with_new_values),
        cmocka_unit_test(values_are_found_in_what_was_heard),
        cmocka_unit_test(numbers_are_called_by_their_names),
        cmocka_unit_test(what_is_out_of_its_range_is_refused_before_the_handler),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
