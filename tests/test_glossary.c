/* Names and meanings for traces: from what the traffic told, from definitions, from what is adopted. */
#include "support/check.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/model/model.h"
#include "support/definition.h"
#include "support/hex.h"
#include "world/glossary.h"

#define DEFINITION                                                                                                     \
    "device: {name: T2, security: {capability: display}}\n"                                                            \
    "advertising: {interval: 100 ms, services: [yard]}\n"                                                              \
    "services:\n"                                                                                                      \
    "  - name: yard\n"                                                                                                 \
    "    uuid: " LONG "\n"                                                                                             \
    "    characteristics:\n"                                                                                           \
    "      - {name: load, uuid: +1, format: uint16, unit: kg, resolution: 0.1, read: open, notify: open, value: 5 "    \
    "kg}\n"                                                                                                            \
    "      - {name: code, uuid: +2, format: utf8s, length: 8, read: encrypted, write: authenticated, value: "          \
    "\"abc\"}\n"

struct room {
    struct ys_design *design;
    struct ys_layout *layout;
    struct ys_names *names;
    struct ys_glossary glossary;
    struct ys_parties *parties;
    struct ys_party *server;
};

static struct room room;

static uint16_t handle_of(const char *name)
{
    for (size_t i = 0; i < room.layout->count; i++) {
        const struct ys_row *row = &room.layout->rows[i];
        if (row->kind == YS_ATTRIBUTE_VALUE && strcmp(row->characteristic->name, name) == 0)
            return (uint16_t)(i + 1);
    }
    fail_msg("no value %s", name);
    return 0;
}

static int enter(void **state)
{
    const struct ys_address address = {.type = 1, .bytes = {1, 2, 3, 4, 5, 0xc1}};
    (void)state;
    room.design = read_text(DEFINITION);
    char *findings = all_findings(room.design);
    if (room.design->findings.errors > 0)
        fail_msg("%s", findings);
    free(findings);
    room.layout = ys_layout_new(room.design);
    room.names = ys_names_new();
    room.parties = ys_parties_new();
    room.server = ys_party_of(room.parties, &address);
    assert_true(ys_names_add(room.names, NULL, room.design, room.layout));
    room.glossary = ys_names_glossary(room.names);
    return 0;
}

static int leave(void **state)
{
    (void)state;
    ys_names_free(room.names);
    ys_parties_free(room.parties);
    ys_layout_free(room.layout);
    ys_design_free(room.design);
    return 0;
}

static struct ys_meaning meaning_of(uint16_t handle)
{
    struct ys_meaning meaning = {.name = NULL};
    room.glossary.attribute(room.glossary.context, room.server, handle, &meaning);
    return meaning;
}

static void a_handle_has_its_name_by_the_definition(void **state)
{
    char text[100];
    double number;
    const char *unit;
    static const uint8_t value[] = {50, 0};
    (void)state;
    struct ys_meaning meaning = meaning_of(handle_of("load"));
    assert_string_equal(meaning.service, "yard");
    assert_string_equal(meaning.name, "load");
    assert_null(meaning.descriptor);
    room.glossary.value(room.glossary.context, meaning.field, value, 2, text, sizeof text);
    assert_string_equal(text, "5.0 kg");
    assert_true(room.glossary.number(room.glossary.context, meaning.field, value, 2, &number, &unit));
    assert_float_equal(number, 5.0, 1e-9);
    assert_string_equal(unit, "kg");
    meaning = meaning_of((uint16_t)(handle_of("load") + 1));
    assert_string_equal(meaning.name, "load");
    assert_string_equal(meaning.descriptor, "subscription");
    assert_null(meaning.field);
    assert_null(meaning_of(500).name);
}

static void what_the_traffic_told_goes_before_the_definition(void **state)
{
    uint16_t load = handle_of("load");
    (void)state;
    /* the device has the battery level where the definition has the load */
    ys_party_tell(room.server,
                  &(struct ys_told){.handle = load, .kind = YS_TOLD_CHARACTERISTIC, .uuid = ys_uuid_of(0x2a19)});
    assert_string_equal(meaning_of(load).name, "Battery Level");
    char text[500];
    assert_int_equal(ys_names_misfits(room.names, text, sizeof text), 1);
    assert_non_null(strstr(text, "0x2A19"));
    /* and the load elsewhere, where its UUID tells it */
    const struct ys_row *row = &room.layout->rows[load - 1];
    ys_party_tell(room.server, &(struct ys_told){.handle = 77, .kind = YS_TOLD_CHARACTERISTIC, .uuid = row->uuid});
    assert_string_equal(meaning_of(77).name, "load");
    assert_non_null(meaning_of(77).field);
    ys_party_tell(room.server, &(struct ys_told){.handle = 78, .kind = YS_TOLD_DESCRIPTOR, .uuid = ys_uuid_of(0x2902)});
    assert_string_equal(meaning_of(78).descriptor, "subscription");
    assert_string_equal(meaning_of(78).name, "load");
}

static void what_has_no_name_has_its_uuid(void **state)
{
    struct ys_uuid uuid;
    (void)state;
    assert_true(ys_uuid_parse("12345678-1234-5678-1234-567812345678", 36, &uuid));
    ys_party_tell(room.server, &(struct ys_told){.handle = 300, .kind = YS_TOLD_CHARACTERISTIC, .uuid = uuid});
    const char *name = meaning_of(300).name;
    assert_string_equal(name, "12345678-1234-5678-1234-567812345678");
    assert_ptr_equal(meaning_of(300).name, name);
    assert_null(room.glossary.uuid(room.glossary.context, &uuid));
    uuid = ys_uuid_of(0x180f);
    assert_string_equal(room.glossary.uuid(room.glossary.context, &uuid), "Battery");
    uuid = ys_uuid_of(0x2803);
    assert_string_equal(room.glossary.uuid(room.glossary.context, &uuid), "characteristics");
}

static void lengths_and_rights_are_those_of_the_definition(void **state)
{
    uint16_t load = handle_of("load");
    uint16_t code = handle_of("code");
    const void *field = meaning_of(load).field;
    static const uint8_t three[9] = {1, 2, 3};
    (void)state;
    assert_true(room.glossary.fits(room.glossary.context, field, three, 2));
    assert_false(room.glossary.fits(room.glossary.context, field, three, 1));
    assert_false(room.glossary.fits(room.glossary.context, field, three, 3));
    assert_true(room.glossary.fits(room.glossary.context, NULL, three, 3));
    field = meaning_of(code).field;
    assert_true(room.glossary.fits(room.glossary.context, field, three, 0));
    assert_false(room.glossary.fits(room.glossary.context, field, three, 9));
    void *context = room.glossary.context;
    assert_false(room.glossary.is_protected(context, room.server, load, YS_PROPERTY_READ));
    assert_false(room.glossary.is_protected(context, room.server, load, YS_PROPERTY_NOTIFY));
    assert_true(room.glossary.is_protected(context, room.server, code, YS_PROPERTY_READ));
    assert_true(room.glossary.is_protected(context, room.server, code, YS_PROPERTY_WRITE));
    assert_false(room.glossary.is_protected(context, room.server, 500, YS_PROPERTY_READ));
}

/* With several, each device has its own: by the name that the capture or its advertisement tells. */
static void of_several_definitions_each_device_has_its_own(void **state)
{
    struct ys_design *other = read_text("device: {name: Mast}\nadvertising: {interval: 100 ms}\nservices:\n"
                                        "  - {use: battery}\n");
    struct ys_layout *layout = ys_layout_new(other);
    uint16_t load = handle_of("load");
    static const uint8_t name[] = {3, 9, 'T', '2'};
    (void)state;
    assert_non_null(layout);
    assert_true(ys_names_add(room.names, "mast", other, layout));
    assert_null(meaning_of(load).name); /* nobody knows which it is */
    ys_party_advertises(room.server, name, sizeof name);
    assert_string_equal(room.server->name, "T2");
    assert_string_equal(meaning_of(load).name, "load");
    const struct ys_address address = {.type = 1, .bytes = {9, 2, 3, 4, 5, 0xc1}};
    struct ys_party *mast = ys_party_of(room.parties, &address);
    ys_party_name(mast, 2, "mast", 4);
    struct ys_meaning meaning = {.name = NULL};
    for (uint16_t handle = 1; handle <= layout->count && meaning.field == NULL; handle++) {
        if (layout->rows[handle - 1].kind == YS_ATTRIBUTE_VALUE &&
            ys_uuid_number(&layout->rows[handle - 1].uuid) == 0x2a19)
            room.glossary.attribute(room.glossary.context, mast, handle, &meaning);
    }
    assert_string_equal(meaning.name, "battery level");
    ys_layout_free(layout);
    ys_names_free(room.names); /* before what it names */
    room.names = NULL;
    ys_design_free(other);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test_setup_teardown(a_handle_has_its_name_by_the_definition, enter, leave),
        cmocka_unit_test_setup_teardown(what_the_traffic_told_goes_before_the_definition, enter, leave),
        cmocka_unit_test_setup_teardown(what_has_no_name_has_its_uuid, enter, leave),
        cmocka_unit_test_setup_teardown(lengths_and_rights_are_those_of_the_definition, enter, leave),
        cmocka_unit_test_setup_teardown(of_several_definitions_each_device_has_its_own, enter, leave),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
