/* What advertising structures mean in words. */
#include "support/check.h"

#include <string.h>

#include "design/making/explain.h"
#include "support/definition.h"
#include "support/hex.h"

#define YARD                                                                                                           \
    "device: {name: T2}\n"                                                                                             \
    "advertising:\n"                                                                                                   \
    "  - {interval: 1 s}\n"                                                                                            \
    "  - {name: crib, kind: beacon, interval: 1 s, data: [\n"                                                          \
    "      {manufacturer: {company: 0xFFFF, format: struct, value: 'tool 217, power -59', fields: [\n"                 \
    "        {name: tool, format: uint16}, {name: power, format: sint8}]}},\n"                                         \
    "      {service data: {service: yard, format: uint8, value: 7}}]}\n"                                               \
    "services:\n"                                                                                                      \
    "  - {name: yard, uuid: " LONG ", characteristics: []}\n"                                                          \
    "  - {name: power supply, uuid: Battery, characteristics: []}\n"

static void structures_are_told_by_what_the_standard_and_the_definition_know(void **state)
{
    static const struct {
        const char *structure; /* from its type on */
        const char *name;
        const char *meaning;
    } cases[] = {
        {"01 06", "flags", "general discoverable, BR/EDR not supported"},
        {"01 1f 00", "flags",
         "limited discoverable, general discoverable, BR/EDR not supported, LE and BR/EDR at once, controller, LE and "
         "BR/EDR at once, host"},
        {"01", "flags", "it is cut short"},
        {"03 0f18 0d18 3412", "services", "power supply, Heart Rate, 0x1234"},
        {"02 0f18 00", "services", "power supply, and 1 bytes too many"},
        {"03", "services", ""},
        {"05 0f180000", "services", "power supply"},
        {"07 526a7be0c1d4379a6f4e1c2b00008d5f", "services", "yard"},
        {"06 00", "services", "and 1 bytes too many"},
        {"09 54 32", "name", "\"T2\""},
        {"08 54 ff", "shortened name", "\"T\\xff\""},
        {"09 c3a4 c285", "name", "\"\xc3\xa4\\xc2\\x85\""}, /* a letter, and a control character */
        {"0a c5", "power", "-59 dBm"},
        {"0a c500", "power", "-59 dBm, and 1 bytes too many"},
        {"12 0600 800c", "connection interval", "from 7.5 ms to 4000 ms"},
        {"12 ffff 800c", "connection interval", "to 4000 ms"},
        {"12 06", "connection interval", "it is cut short"},
        {"14 0f18", "solicited services", "power supply"},
        {"16 0f18 57", "service data", "power supply: 57"},
        {"16 0f", "service data", "it is cut short"},
        {"17 0605040302c1", "targets", "C1:02:03:04:05:06"},
        {"19 0002", "appearance", "Tag (0x0200)"},
        {"19 ff7f", "appearance", "not adopted (0x7FFF)"},
        {"1a a000", "interval", "100 ms"},
        {"20 0f180000 57", "service data", "power supply: 57"},
        {"21 526a7be0c1d4379a6f4e1c2b00008d5f 07", "service data", "yard: 7"},
        {"24 17 2f2f61", "uri", "https://a"},
        {"24 17 2f2f 0a", "uri", "https://%0A"},
        {"ff ffff d900 c5", "manufacturer", "company 0xFFFF, for tests: tool 217, power -59"},
        {"ff ffff d9", "manufacturer", "company 0xFFFF, for tests: "},
        {"ff 3412 0102", "manufacturer", "company 0x1234: 01 02"},
        {"ff 3412", "manufacturer", "company 0x1234"},
        {"ff 34", "manufacturer", "it is cut short"},
        {"2f a00f00", "interval", "2.5 s"},
        {"2f 00000001", "interval", "10485.8 s"},
        {"1c 00", "role", "peripheral"},
        {"1c 09", "role", "reserved"},
        {"1b 010203040506 00", "LE Bluetooth Device Address", "06:05:04:03:02:01 (public)"},
        {"77 01", "other", ""},
    };
    struct ys_design *design = read_text(YARD);
    (void)state;
    assert_int_equal(design->findings.errors, 0);
    for (size_t i = 0; i < COUNT(cases); i++) {
        uint8_t bytes[64];
        char text[500];
        size_t length = from_hex(cases[i].structure, bytes, sizeof bytes);
        const struct ys_ad ad = {.type = bytes[0], .length = (uint8_t)(length - 1), .data = bytes + 1};
        ys_explain_structure(design, &ad, text, sizeof text);
        assert_string_equal(ys_explain_type(ad.type), cases[i].name);
        if (strcmp(cases[i].structure, "ff ffff d9") ==
            0) /* how a value that does not fit is told is not ours to say */
            text[strlen(cases[i].meaning)] = '\0';
        assert_string_equal(text, cases[i].meaning);
        char small[8];
        ys_explain_structure(NULL, &ad, small, sizeof small); /* however little room there is */
        assert_true(strlen(small) < sizeof small);
    }
    ys_design_free(design);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(structures_are_told_by_what_the_standard_and_the_definition_know),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
