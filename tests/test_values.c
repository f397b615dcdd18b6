/* Values in words, for whoever knows what they mean and whoever does not, and back. */
#include "support/check.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/making/value_unknown.h"
#include "design/model/value.h"
#include "design/model/value_parse.h"
#include "design/open.h"
#include "support/hex.h"

/* The words of bytes that nobody has described; read back, they are the same bytes. */
static void unknown_values_are_hexadecimal_with_what_they_could_be(void **state)
{
    static const struct {
        const char *hex;
        const char *words;
    } cases[] = {
        {"", ""},
        {"00", "00 (uint8 0)"},
        {"2a", "2a (\"*\", uint8 42)"},
        {"ff", "ff (uint8 255, sint8 -1)"},
        {"2a00", "2a 00 (uint16 42)"},
        {"c4 09", "c4 09 (uint16 2500)"},
        {"feff", "fe ff (uint16 65534, sint16 -2)"},
        {"010000", "01 00 00 (uint24 1)"},
        {"78563412", "78 56 34 12 (uint32 305419896)"},
        {"ffffffff", "ff ff ff ff (uint32 4294967295, sint32 -1)"},
        {"0102030405", "01 02 03 04 05"},
        {"000000000080", "00 00 00 00 00 80 (uint48 140737488355328, sint48 -140737488355328)"},
        {"ffffffffffffffff", "ff ff ff ff ff ff ff ff (uint64 18446744073709551615, sint64 -1)"},
        {"4f6b", "4f 6b (\"Ok\", uint16 27471)"},
        {"546f7276616e65", "54 6f 72 76 61 6e 65 (\"Torvane\")"},
        {"546f7276616e6500", "54 6f 72 76 61 6e 65 00 (uint64 28550337525870420)"},
        {"1b5b326a", "1b 5b 32 6a (uint32 1781685019)"}, /* nothing that moves a cursor is shown */
        {"225c", "22 5c (uint16 23586)"},
        {"000102030405060708", "00 01 02 03 04 05 06 07 08"},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        uint8_t bytes[32];
        uint8_t again[32];
        char words[200];
        const char *problem = NULL;
        size_t length = from_hex(cases[i].hex, bytes, sizeof bytes);
        ys_value_say(NULL, bytes, length, words, sizeof words);
        assert_string_equal(words, cases[i].words);
        assert_int_equal(ys_value_hear(NULL, words, again, sizeof again, &problem), length);
        assert_memory_equal(again, bytes, length);
    }
}

static void what_is_said_of_long_values_ends_within_its_memory(void **state)
{
    uint8_t bytes[512];
    char words[40];
    (void)state;
    memset(bytes, 'x', sizeof bytes);
    for (size_t length = 0; length <= sizeof bytes; length++) {
        memset(words, 7, sizeof words);
        ys_value_say(NULL, bytes, length, words, sizeof words);
        assert_true(strlen(words) < sizeof words);
    }
}

static void a_value_without_a_format_is_read_as_bytes_text_or_a_number(void **state)
{
    static const struct {
        const char *words;
        const char *hex; /* NULL: it is none */
    } cases[] = {
        {"2a 00", "2a00"},
        {"2A00", "2a00"},
        {"bytes 2a 00", "2a00"},
        {"\"Ok\"", "4f6b"},
        {"\"a\\x00b\"", "610062"},
        {"\"\"", ""},
        {"uint16 42", "2a00"},
        {"sint16 -2", "feff"},
        {"sint8 -128", "80"},
        {"uint64 18446744073709551615", "ffffffffffffffff"},
        {"uint16 65536", NULL},
        {"sint8 200", NULL},
        {"uint16", NULL},
        {"uint16 x", NULL},
        {"hello", NULL},
        {"\"hello", NULL},
        {"\"hello\" there", NULL},
        {"2a 0", NULL},
        {"42", "42"}, /* hexadecimal, as it is shown */
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        uint8_t bytes[32];
        const char *problem = NULL;
        int length = ys_value_hear(NULL, cases[i].words, bytes, sizeof bytes, &problem);
        if (cases[i].hex == NULL) {
            assert_int_equal(length, -1);
            assert_non_null(problem);
        } else {
            assert_true(length >= 0);
            assert_hex(bytes, (size_t)length, cases[i].hex);
        }
    }
}

/* Too many bytes for the room that there is. */
static void what_is_too_long_is_refused(void **state)
{
    uint8_t bytes[4];
    const char *problem = NULL;
    char words[3000];
    (void)state;
    assert_int_equal(ys_value_hear(NULL, "01 02 03 04 05", bytes, sizeof bytes, &problem), -1);
    assert_int_equal(ys_value_hear(NULL, "\"five!\"", bytes, sizeof bytes, &problem), -1);
    assert_int_equal(ys_value_hear(NULL, "uint64 1", bytes, sizeof bytes, &problem), -1);
    memset(words, 'a', sizeof words - 1);
    words[sizeof words - 1] = '\0';
    assert_int_equal(ys_value_hear(NULL, words, bytes, sizeof bytes, &problem), -1);
}

/* A value with a format is heard as it is said: also text, which is said in quotes. */
static void a_known_value_is_heard_as_it_is_said(void **state)
{
    static const struct {
        const char *format;
        const char *words;
        const char *hex;
    } cases[] = {
        {"utf8s", "\"Torvane T2\"", "546f7276616e65205432"},
        {"utf8s", "Torvane", "546f7276616e65"},
        {"utf8s", "\"with \\x22quotes\\x22\"", "776974682022 71756f74657322"},
        {"sint16", "-5", "fbff"},
        {"sint16", "bytes fb ff", "fbff"},
        {"boolean", "true", "01"},
        {"uint8", "200", "c8"},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct ys_field field = {.format = ys_format_find(cases[i].format)};
        uint8_t bytes[64];
        uint8_t again[64];
        char words[100];
        const char *problem = NULL;
        field.length.number = field.format->size != 0 ? field.format->size : sizeof bytes;
        int length = ys_value_hear(&field, cases[i].words, bytes, sizeof bytes, &problem);
        assert_true(length >= 0);
        assert_hex(bytes, (size_t)length, cases[i].hex);
        ys_value_say(&field, bytes, (size_t)length, words, sizeof words);
        assert_int_equal(ys_value_hear(&field, words, again, sizeof again, &problem), length);
        assert_memory_equal(again, bytes, (size_t)length);
    }
}

/* A presentation format descriptor: format, exponent, unit, whose description, which (Core 5.4 Vol 3 Part G 3.3.3.5).
 */
static void a_value_tells_what_it_means(void **state)
{
    static const struct {
        const char *descriptor;
        const char *value;
        const char *words; /* NULL: it tells nothing */
    } cases[] = {
        {"0e ff 4127 01 0000", "a401", "42.0 N m"}, {"04 00 ad27 01 0000", "57", "87 %"},
        {"06 02 0027 01 0000", "0300", "300"},      {"0e fe 2f27 01 0000", "7408", "21.64 °C"},
        {"01 00 0027 01 0000", "01", "true"},       {"19 00 0027 01 0000", "4f6b", "\"Ok\""},
        {"0e ff 4127 01 00", NULL, NULL},           {"0e ff 4127 01 0000 00", NULL, NULL},
        {"00 00 0027 01 0000", NULL, NULL},         {"fe 00 0027 01 0000", NULL, NULL},
        {"1b 00 0027 01 0000", NULL, NULL}, /* a structure, of which it does not say the parts */
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        uint8_t descriptor[16];
        uint8_t value[16];
        char words[64];
        struct ys_field *field =
            ys_value_told(descriptor, from_hex(cases[i].descriptor, descriptor, sizeof descriptor));
        if (cases[i].words == NULL) {
            assert_null(field);
            continue;
        }
        assert_non_null(field);
        size_t length = from_hex(cases[i].value, value, sizeof value);
        ys_value_say(field, value, length, words, sizeof words);
        assert_string_equal(words, cases[i].words);
        free(field);
    }
}

static void numbers_with_names_are_said_and_taken_by_them(void **state)
{
    static const char text[] =
        "device: {name: T2}\nservices:\n  - name: s\n    uuid: 5f8d0000-2b1c-4e6f-9a37-d4c1e07b6a52\n    "
        "characteristics:\n      - {name: lamp, uuid: +1, read: open, handler: read, format: struct, fields: [{name: "
        "mode, "
        "format: uint16, names: [off, dim = 3, bright, party = 0x100]}, {name: last, format: uint8, names: [red, "
        "blue], up "
        "to: 3}]}\n      - {name: gear, uuid: +2, read: open, value: high, format: uint8, names: [low = 9, high]}\n";
    static const struct {
        const char *words;
        const char *hex; /* NULL: it is none */
    } cases[] = {
        {"mode off, last []", "0000"},          {"mode bright, last [red; blue]", "0400 0001"},
        {"mode party, last [blue]", "0001 01"}, {"mode 5, last [7; red]", "0500 0700"},
        {"mode Bright, last []", NULL},         {"mode bright off, last []", NULL},
        {"mode dim = 3, last []", NULL},        {"mode , last []", NULL},
        {"mode off, last [red blue]", NULL},
    };
    struct ys_design *design = ys_design_read("s.device.yaml", text, strlen(text), NULL, NULL);
    (void)state;
    assert_int_equal(design->findings.errors, 0);
    const struct ys_service *service = &design->services[design->service_count - 1];
    for (size_t i = 0; i < COUNT(cases); i++) {
        uint8_t bytes[8];
        char words[60];
        const char *problem = NULL;
        int length = ys_value_parse(&service->characteristics[0].type, cases[i].words, bytes, sizeof bytes, &problem);
        assert_int_equal(length >= 0, cases[i].hex != NULL);
        if (length < 0)
            continue;
        assert_hex(bytes, (size_t)length, cases[i].hex);
        ys_value_format(&service->characteristics[0].type, bytes, (size_t)length, words, sizeof words);
        assert_string_equal(words, cases[i].words);
    }
    assert_int_equal(service->characteristics[1].value[0], 10);
    ys_design_free(design);
}

static const char structured[] =
    "device: {name: T2}\nservices:\n  - name: s\n    uuid: 5f8d0000-2b1c-4e6f-9a37-d4c1e07b6a52\n    characteristics:\n"
    "      - name: gust\n        uuid: +1\n        format: struct\n        read: open\n        handler: read\n        "
    "fields:\n"
    "          - {name: flags, format: \"boolean[8]\", bits: [timed, direct]}\n"
    "          - {name: when, format: uint16, unit: second, when: timed}\n"
    "          - {name: where, format: uint8, when: direct}\n"
    "          - {name: speed, format: sint16, resolution: 0.1, unit: metre per second}\n"
    "          - {name: last, format: uint8, up to: 3}\n";

static void a_field_is_found_behind_those_that_may_be_missing(void **state)
{
    static const struct {
        const char *hex;
        size_t field;
        const char *part; /* NULL: it is not there */
    } cases[] = {
        {"00 3900", 3, "3900"},
        {"01 1000 3900", 3, "3900"},
        {"02 07 3900", 3, "3900"},
        {"03 1000 07 3900", 3, "3900"},
        {"03 1000 07 3900", 1, "1000"},
        {"03 1000 07 3900", 2, "07"},
        {"00 3900", 1, NULL},
        {"02 07 3900", 1, NULL},
        {"00 3900 0102", 4, "0102"},
        {"00 39", 3, NULL},
        {"", 0, NULL},
        {"03 10", 3, NULL},
        {"03 1000 07 3900", 0, "03"},
    };
    struct ys_design *design = ys_design_read("s.device.yaml", structured, strlen(structured), NULL, NULL);
    (void)state;
    assert_int_equal(design->findings.errors, 0);
    const struct ys_field *whole = &design->services[design->service_count - 1].characteristics[0].type;
    for (size_t i = 0; i < COUNT(cases); i++) {
        uint8_t bytes[32];
        size_t length = from_hex(cases[i].hex, bytes, sizeof bytes);
        size_t part_length = 0;
        const uint8_t *part = ys_value_part(whole, bytes, length, &whole->fields[cases[i].field], &part_length);
        if (cases[i].part == NULL)
            assert_null(part);
        else
            assert_hex(part, part_length, cases[i].part);
    }
    static const struct {
        const char *hex;
        bool fits; /* by what its flags say, however long it could be */
    } whole_ones[] = {{"00 3900", true},  {"00 3900 010203", true}, {"03 1000 07 3900", true},   {"00 39", false},
                      {"01 3900", false}, {"01 1000 3900", true},   {"00 3900 01020304", false}, {"", false}};
    for (size_t i = 0; i < COUNT(whole_ones); i++) {
        uint8_t bytes[32];
        size_t length = from_hex(whole_ones[i].hex, bytes, sizeof bytes);
        assert_int_equal(ys_value_fits(whole, bytes, length), whole_ones[i].fits);
    }
    assert_int_equal(ys_value_zeros(whole), 3);
    uint8_t speed[2] = {0x39, 0x00};
    double number = 0;
    assert_true(ys_value_number(&whole->fields[3], speed, 2, &number));
    assert_true(number > 5.69 && number < 5.71);
    assert_false(ys_value_number(&whole->fields[3], speed, 1, &number));
    assert_false(ys_value_number(&whole->fields[0], speed, 1, &number));
    assert_false(ys_value_number(NULL, speed, 2, &number));
    ys_design_free(design);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(unknown_values_are_hexadecimal_with_what_they_could_be),
        cmocka_unit_test(what_is_said_of_long_values_ends_within_its_memory),
        cmocka_unit_test(a_value_without_a_format_is_read_as_bytes_text_or_a_number),
        cmocka_unit_test(what_is_too_long_is_refused),
        cmocka_unit_test(a_known_value_is_heard_as_it_is_said),
        cmocka_unit_test(a_value_tells_what_it_means),
        cmocka_unit_test(numbers_with_names_are_said_and_taken_by_them),
        cmocka_unit_test(a_field_is_found_behind_those_that_may_be_missing),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
