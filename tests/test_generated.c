/* Generated code for values: compiled, run, and compared with bytes that were computed by hand; and the same bytes in
 * words and back. */
#include "support/check.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <yarnswift/bytes.h>

#include "design/model/value.h"
#include "design/model/value_parse.h"
#include "design/open.h"
#include "formats_table.h"
#include "support/hex.h"
#include "support/run.h"
#include "support/scripted.h"

/* The handlers that the definition asks for; the table is only looked at here. */
uint8_t formats_whole_numbers_read(const struct ys_access *access, struct ys_writer *value)
{
    (void)access;
    (void)value;
    return YS_ATT_OK;
}

uint8_t formats_whole_numbers_write(const struct ys_access *access, struct ys_reader *value)
{
    (void)access;
    (void)value;
    return YS_ATT_OK;
}

uint8_t formats_broken_numbers_read(const struct ys_access *access, struct ys_writer *value)
{
    (void)access;
    (void)value;
    return YS_ATT_OK;
}

uint8_t formats_options_read(const struct ys_access *access, struct ys_writer *value)
{
    (void)access;
    (void)value;
    return YS_ATT_OK;
}

uint8_t formats_hall_temperature_read(const struct ys_access *access, struct ys_writer *value)
{
    (void)access;
    ys_put_i16(value, 2412);
    return YS_ATT_OK;
}

uint8_t formats_rare_formats_read(const struct ys_access *access, struct ys_writer *value)
{
    (void)access;
    (void)value;
    return YS_ATT_OK;
}

uint8_t formats_consent(const struct ys_access *access, enum ys_access_kind wish)
{
    (void)access;
    return wish == YS_TO_WRITE ? YS_ATT_INSUFFICIENT_AUTHORIZATION : YS_ATT_OK;
}

static struct ys_design *design;

static int setup(void **state)
{
    char *text = read_whole(YARNSWIFT_ROOT "/tests/formats.device.yaml");
    (void)state;
    design = ys_design_read("formats.device.yaml", text, strlen(text), NULL, NULL);
    free(text);
    return design->findings.errors == 0 ? 0 : -1;
}

static int teardown(void **state)
{
    (void)state;
    ys_design_free(design);
    return 0;
}

static const struct ys_field *type_named(const char *name)
{
    const struct ys_service *service = &design->services[2];
    for (size_t i = 0; i < service->characteristic_count; i++) {
        if (strcmp(service->characteristics[i].name, name) == 0)
            return &service->characteristics[i].type;
    }
    fail_msg("no characteristic %s", name);
    return NULL;
}

/* These bytes are these words, and the words these bytes. */
static void assert_words(const char *name, const char *hex, const char *words)
{
    uint8_t bytes[128];
    char text[1024];
    const char *problem = "";
    size_t length = from_hex(hex, bytes, sizeof bytes);
    ys_value_format(type_named(name), bytes, length, text, sizeof text);
    assert_string_equal(text, words);
    memset(bytes, 0xee, sizeof bytes);
    int again = ys_value_parse(type_named(name), words, bytes, sizeof bytes, &problem);
    if (again < 0)
        print_error("%s: %s\n", words, problem);
    assert_true(again >= 0);
    assert_hex(bytes, (size_t)again, hex);
}

#define WHOLE                                                                                                          \
    "ff 80 3412 6c09 563412 ffffff 78563412 feffffff 060504030201 fdffffffffff fcffffffffffffff bc0a ff0f 03 0f 01"

static void whole_numbers_of_every_width(void **state)
{
    static const struct formats_whole_numbers value = {
        .a = 255,
        .b = -128,
        .c = 0x1234,
        .d = 2412,
        .e = 0x123456,
        .f = -1,
        .g = 0x12345678,
        .h = -2,
        .i = UINT64_C(0x010203040506),
        .j = -3,
        .k = -4,
        .l = 0xabc,
        .m = -1,
        .n = 3,
        .o = 15,
        .p = true,
    };
    uint8_t bytes[128];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    struct formats_whole_numbers again;
    (void)state;
    formats_whole_numbers_put(&writer, &value);
    assert_hex(bytes, ys_writer_stored(&writer), WHOLE);
    struct ys_reader reader = ys_reader_of(bytes, ys_writer_stored(&writer));
    assert_true(formats_whole_numbers_get(&reader, &again));
    assert_int_equal(again.b, -128);
    assert_int_equal(again.d, 2412);
    assert_int_equal(again.f, -1);
    assert_int_equal(again.m, -1);
    assert_true(again.i == value.i && again.j == -3 && again.k == -4 && again.p);
    writer = ys_writer_to(bytes, sizeof bytes);
    formats_whole_numbers_put(&writer, &again);
    assert_hex(bytes, ys_writer_stored(&writer), WHOLE);
    assert_words("whole numbers", WHOLE,
                 "a 255, b -128, c 4660, d 24.12 \xc2\xb0"
                 "C, e 1193046, f -1, g 305419896, h -2, i 1108152157446, j -3, k -4, l 2748, m -1, n 3, o 15, p true");
    /* a byte too few, a byte too many */
    size_t length = ys_writer_stored(&writer);
    reader = ys_reader_of(bytes, length - 1);
    assert_false(formats_whole_numbers_get(&reader, &again));
    reader = ys_reader_of(bytes, length + 1);
    assert_false(formats_whole_numbers_get(&reader, &again));
}

static void floating_point_of_both_kinds(void **state)
{
    static const struct {
        struct ys_medfloat small;
        struct ys_medfloat long_one;
        const char *hex;
        const char *words;
    } cases[] = {
        {{114, -2, 0}, {3725, -2, 0}, "72e0 8d0e00fe", "small 1.14, long one 37.25 kg"},
        {{-2045, 7, 0}, {-8388605, 127, 0}, "0378 0300807f", NULL},
        {{2045, -8, 0}, {8388605, -128, 0}, "fd87 fdff7f80", NULL},
        {{0, 0, YS_MEDFLOAT_NAN},
         {0, 0, YS_MEDFLOAT_NAN},
         "ff07 ffff7f00",
         "small not a number, long one not a number kg"},
        {{0, 0, YS_MEDFLOAT_NRES}, {0, 0, YS_MEDFLOAT_NRES}, "0008 00008000", NULL},
        {{0, 0, YS_MEDFLOAT_INFINITE}, {0, 0, YS_MEDFLOAT_INFINITE}, "fe07 feff7f00", NULL},
        {{0, 0, YS_MEDFLOAT_NEGATIVE_INFINITE}, {0, 0, YS_MEDFLOAT_NEGATIVE_INFINITE}, "0208 02008000", NULL},
        {{0, 0, YS_MEDFLOAT_RESERVED}, {0, 0, YS_MEDFLOAT_RESERVED}, "0108 01008000", NULL},
        {{2046, 0, 0}, {0, 0, YS_MEDFLOAT_NRES}, "0008 00008000", NULL}, /* does not fit: not at this resolution */
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        const struct formats_broken_numbers value = {
            .single = 1.5f, .twofold = -0.15625, .small = cases[i].small, .long_one = cases[i].long_one};
        struct formats_broken_numbers again;
        uint8_t bytes[32];
        struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
        formats_broken_numbers_put(&writer, &value);
        assert_hex(bytes, 12, "0000c03f 000000000000c4bf");
        assert_hex(bytes + 12, ys_writer_stored(&writer) - 12, cases[i].hex);
        struct ys_reader reader = ys_reader_of(bytes, ys_writer_stored(&writer));
        assert_true(formats_broken_numbers_get(&reader, &again));
        assert_true(again.single > 1.49f && again.single < 1.51f && again.twofold < -0.15624);
        if (i < 8) {
            assert_int_equal(again.small.kind, cases[i].small.kind);
            assert_int_equal(again.small.mantissa, cases[i].small.mantissa);
            assert_int_equal(again.small.exponent, cases[i].small.exponent);
            assert_int_equal(again.long_one.mantissa, cases[i].long_one.mantissa);
            assert_int_equal(again.long_one.exponent, cases[i].long_one.exponent);
        }
    }
    assert_words("broken numbers", "0000c03f 000000000000c4bf 72e0 8d0e00fe",
                 "single 1.5 V, twofold -0.15625, small 1.14, long one 37.25 kg");
}

/* Which fields are there, by the flags; each with its bytes and its words. */
static void optional_fields_follow_their_flags(void **state)
{
    static const struct {
        struct formats_options value;
        const char *hex;
        const char *words;
    } cases[] = {
        {{.narrow_rate = 72, .wide_rate = 9, .energy = 9, .key = {1, 2, 3}},
         "00 48 010203",
         "flags none, narrow rate 72, key 01 02 03"},
        {{.flags = FORMATS_OPTIONS_FLAGS_WIDE, .wide_rate = 300, .key = {1, 2, 3}},
         "01 2c01 010203",
         "flags wide, wide rate 300, key 01 02 03"},
        {{.flags = FORMATS_OPTIONS_FLAGS_ENERGY | FORMATS_OPTIONS_FLAGS_INTERVALS,
          .narrow_rate = 72,
          .energy = 5,
          .key = {1, 2, 3},
          .intervals_count = 2,
          .intervals = {800, 812}},
         "06 48 0500 010203 2003 2c03",
         "flags energy + intervals, narrow rate 72, energy 5000 J, key 01 02 03, intervals [800; 812]"},
        {{.flags = FORMATS_OPTIONS_FLAGS_INTERVALS, .narrow_rate = 1, .key = {0, 0, 0}},
         "04 01 000000",
         "flags intervals, narrow rate 1, key 00 00 00, intervals []"},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        uint8_t bytes[64];
        struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
        struct formats_options again;
        formats_options_put(&writer, &cases[i].value);
        assert_hex(bytes, ys_writer_stored(&writer), cases[i].hex);
        assert_words("options", cases[i].hex, cases[i].words);
        struct ys_reader reader = ys_reader_of(bytes, ys_writer_stored(&writer));
        assert_true(formats_options_get(&reader, &again));
        assert_int_equal(again.flags, cases[i].value.flags);
        assert_int_equal(again.intervals_count, cases[i].value.intervals_count);
        writer = ys_writer_to(bytes, sizeof bytes);
        formats_options_put(&writer, &again);
        assert_hex(bytes, ys_writer_stored(&writer), cases[i].hex);
    }
}

static void what_does_not_fit_a_structure_is_refused(void **state)
{
    static const char *const cases[] = {
        "",                                      /* nothing */
        "00 48 0102",                            /* a field cut short */
        "00 48 010203 00",                       /* something after the last */
        "04 01 000000 01",                       /* half an item */
        "04 01 000000 0100 0200 0300 0400 0500", /* more items than fit */
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        uint8_t bytes[64];
        struct formats_options value;
        struct ys_reader reader = ys_reader_of(bytes, from_hex(cases[i], bytes, sizeof bytes));
        assert_false(formats_options_get(&reader, &value));
    }
    /* and a count beyond the array is not believed when it is put */
    struct formats_options value = {.flags = FORMATS_OPTIONS_FLAGS_INTERVALS, .intervals_count = 200};
    uint8_t bytes[64];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    formats_options_put(&writer, &value);
    assert_int_equal(ys_writer_length(&writer), 5 + 8);
}

static void words_that_do_not_fit_are_refused_with_a_reason(void **state)
{
    static const struct {
        const char *words;
        const char *problem;
    } cases[] = {
        {"narrow rate 72", "its fields must come in order, each after its name"},
        {"flags wide + tall, wide rate 3, key 01 02 03", "it names an unknown bit"},
        {"flags none, narrow rate 256, key 01 02 03", "it does not fit into the format"},
        {"flags none, narrow rate 72, key 01 02", "a part of it has the wrong length"},
        {"flags none, narrow rate 72, key 01 02 03, more 1", "there is text after its last field"},
        {"flags intervals, narrow rate 1, key 00 00 00, intervals 5", "a part of it is not written as it should be"},
        {"flags intervals, narrow rate 1, key 00 00 00, intervals [1; 2; 3; 4; 5]",
         "an array in it has more items than there is room for"},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        uint8_t bytes[64];
        const char *problem = "";
        assert_int_equal(ys_value_parse(type_named("options"), cases[i].words, bytes, sizeof bytes, &problem), -1);
        assert_string_equal(problem, cases[i].problem);
    }
}

static void rare_formats_are_put_and_got(void **state)
{
    static const char expected[] = "0100 efcdab8967452301 100f0e0d0c0b0a090807060504030201 11002a00"
                                   "ffffffffffffffffffffffffffffffff 54003200";
    struct formats_rare_formats value = {
        .flags = FORMATS_RARE_FORMATS_FLAGS_PAIRED,
        .a = UINT64_C(0x0123456789abcdef),
        .b = {0x10, 0x0f, 0x0e, 0x0d, 0x0c, 0x0b, 0x0a, 9, 8, 7, 6, 5, 4, 3, 2, 1},
        .c = {17, 42},
        .e_length = 4,
        .e = {'T', 0, '2', 0},
    };
    uint8_t bytes[64];
    (void)state;
    memset(value.d, 0xff, sizeof value.d);
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    formats_rare_formats_put(&writer, &value);
    assert_hex(bytes, ys_writer_stored(&writer), expected);
    struct formats_rare_formats back;
    struct ys_reader reader = ys_reader_of(bytes, ys_writer_stored(&writer));
    assert_true(formats_rare_formats_get(&reader, &back));
    assert_int_equal(back.c[1], 42);
    assert_memory_equal(back.b, value.b, sizeof back.b);
    assert_int_equal(back.e_length, 4);
    assert_words("rare formats", expected,
                 "flags paired, a 81985529216486895, b 0x102030405060708090a0b0c0d0e0f10, c 17 42, d "
                 "0xffffffffffffffffffffffffffffffff, e \"T2\"");
    reader = ys_reader_of(bytes, 20);
    assert_false(formats_rare_formats_get(&reader, &back));
}

/* A stored value that asks, and a description that does not. */
static void what_is_stored_is_written_where_it_may_be(void **state)
{
    static struct scripted scripted;
    static uint8_t values[FORMATS_VALUES_SIZE];
    char request[64];
    char response[64];
    (void)state;
    scripted_init(&scripted, &formats_table, values, NULL);
    scripted_start(&scripted, 251, 8);
    connect_it(&scripted, 1, 1);
    forget_sent(&scripted);
    for (unsigned handle = FORMATS_REMARK; handle < FORMATS_REMARK + 3u; handle++) {
        static const char *const reads[] = {"0b 0102", "0b 0200", "0b 57686f7365"}; /* extended: writable auxiliaries */
        static const char *const writes[] = {"01 12 %02x00 08", "01 12 %02x00 03", "13"};
        (void)snprintf(request, sizeof request, "0a %02x00", handle);
        give_att(&scripted, 1, request);
        assert_att(&scripted, 1, reads[handle - FORMATS_REMARK]);
        give_buffers(&scripted, 1, 1);
        (void)snprintf(request, sizeof request, "12 %02x00 4d696e65", handle);
        (void)snprintf(response, sizeof response, writes[handle - FORMATS_REMARK], handle);
        give_att(&scripted, 1, request);
        assert_att(&scripted, 1, response);
        give_buffers(&scripted, 1, 1);
    }
    (void)snprintf(request, sizeof request, "0a %02x00", FORMATS_REMARK + 2);
    give_att(&scripted, 1, request);
    assert_att(&scripted, 1, "0b 4d696e65");
}

static void constants_are_in_the_table_as_they_are_sent(void **state)
{
    const struct ys_attribute *label = &formats_table.attributes[FORMATS_LABEL - 1];
    const struct ys_value *value = label->source;
    (void)state;
    assert_hex(value->bytes, value->length, "07 546f7276616e65");
    value = formats_table.attributes[FORMATS_STATE - 1].source;
    assert_hex(value->bytes, value->length, "0500");
    assert_int_equal(FORMATS_STATE_LOW_BATTERY, 4);
    assert_words("label", "07 546f7276616e65", "number 7, text \"Torvane\"");
    assert_words("state", "0500", "ready + low battery");
    /* lengths: the options can be shorter than they are at most, the whole numbers cannot */
    assert_int_equal(formats_table.attributes[FORMATS_OPTIONS - 1].size, 1 + 1 + 2 + 2 + 3 + 8);
    assert_true((formats_table.attributes[FORMATS_OPTIONS - 1].kind & YS_ATTRIBUTE_VARIABLE) != 0);
    assert_int_equal(formats_table.attributes[FORMATS_WHOLE_NUMBERS - 1].size, 47);
    assert_true((formats_table.attributes[FORMATS_WHOLE_NUMBERS - 1].kind & YS_ATTRIBUTE_VARIABLE) == 0);
}

/* The generated table, on a host: what a client is told of includes, secondary services and descriptors (Vol 3 Part
 * G 3.2, 4.5.1). */
static void includes_and_descriptors_are_on_the_air(void **state)
{
    static struct scripted scripted;
    char request[64];
    char response[128];
    (void)state;
    static uint8_t values_memory[FORMATS_VALUES_SIZE];
    scripted_init(&scripted, &formats_table, values_memory, NULL);
    scripted_start(&scripted, 251, 8);
    connect_it(&scripted, 1, 1);
    /* the include declarations: one UUID of 128 bits, which is not told, and one of 16, which is */
    give_att(&scripted, 1, "08 0100 ffff 0228");
    (void)snprintf(response, sizeof response, "09 06 %02x00 %02x00 %02x00", FORMATS_FORMATS_SERVICE + 1,
                   FORMATS_CALIBRATION_SERVICE, FORMATS_GAIN);
    assert_att(&scripted, 1, response);
    give_buffers(&scripted, 1, 1);
    (void)snprintf(request, sizeof request, "0a %02x00", FORMATS_FORMATS_SERVICE + 2);
    give_att(&scripted, 1, request);
    (void)snprintf(response, sizeof response, "0b %02x00 %02x00 0f18", FORMATS_BATTERY_SERVICE, FORMATS_BATTERY_LEVEL);
    assert_att(&scripted, 1, response);
    give_buffers(&scripted, 1, 1);
    /* the secondary service */
    give_att(&scripted, 1, "10 0100 ffff 0128");
    (void)snprintf(response, sizeof response, "11 14 %02x00 %02x00 846ca9e2150fd7b83e4c916a00014f2d",
                   FORMATS_CALIBRATION_SERVICE, FORMATS_GAIN);
    assert_att(&scripted, 1, response);
    give_buffers(&scripted, 1, 1);
    /* descriptors: a description after the state; format, range and an own one after the temperature */
    (void)snprintf(request, sizeof request, "0a %02x00", FORMATS_STATE + 1);
    give_att(&scripted, 1, request);
    assert_att(&scripted, 1, "0b 57686174206974206973 20646f696e67");
    static const char *const values[] = {"0e fe 2f27 01 0000", "0000 1027", "2a"};
    for (unsigned i = 0; i < COUNT(values); i++) {
        (void)snprintf(request, sizeof request, "0a %02x00", FORMATS_HALL_TEMPERATURE + 1 + i);
        (void)snprintf(response, sizeof response, "0b %s", values[i]);
        give_att(&scripted, 1, request);
        assert_att(&scripted, 1, response);
        give_buffers(&scripted, 1, 1);
    }
    (void)snprintf(request, sizeof request, "04 %02x00 %02x00", FORMATS_HALL_TEMPERATURE + 1,
                   FORMATS_HALL_TEMPERATURE + 3);
    give_att(&scripted, 1, request);
    (void)snprintf(response, sizeof response, "05 01 %02x00 0429 %02x00 0629", FORMATS_HALL_TEMPERATURE + 1,
                   FORMATS_HALL_TEMPERATURE + 2);
    assert_att(&scripted, 1, response);
    give_buffers(&scripted, 1, 1);
    (void)snprintf(request, sizeof request, "12 %02x00 00", FORMATS_STATE + 1);
    give_att(&scripted, 1, request);
    (void)snprintf(response, sizeof response, "01 12 %02x00 03", FORMATS_STATE + 1);
    assert_att(&scripted, 1, response);
    give_buffers(&scripted, 1, 1);
}

static void what_is_asked_of_connections_is_as_the_definition_says(void **state)
{
    (void)state;
    assert_int_equal(formats_link.interval_min_us, 15000);
    assert_int_equal(formats_link.interval_max_us, 30000);
    assert_int_equal(formats_link.latency, 3);
    assert_int_equal(formats_link.supervision_timeout_ms, 4000);
    assert_int_equal(formats_link.event_length_us, 5000);
    assert_int_equal(formats_link.pause_ms, 2000);
    assert_int_equal(formats_link.packet_length, 120);
    assert_int_equal(formats_link.send_phys, YS_CODED);
    assert_int_equal(formats_link.receive_phys, YS_1M);
    assert_int_equal(formats_link.coding, YS_CODING_S2);
    assert_int_equal(formats_link.accepts, YS_LINK_ACCEPT_WITHIN);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(whole_numbers_of_every_width),
        cmocka_unit_test(floating_point_of_both_kinds),
        cmocka_unit_test(optional_fields_follow_their_flags),
        cmocka_unit_test(what_does_not_fit_a_structure_is_refused),
        cmocka_unit_test(words_that_do_not_fit_are_refused_with_a_reason),
        cmocka_unit_test(rare_formats_are_put_and_got),
        cmocka_unit_test(what_is_stored_is_written_where_it_may_be),
        cmocka_unit_test(constants_are_in_the_table_as_they_are_sent),
        cmocka_unit_test(includes_and_descriptors_are_on_the_air),
        cmocka_unit_test(what_is_asked_of_connections_is_as_the_definition_says),
    };
    return cmocka_run_group_tests(tests, setup, teardown);
}
