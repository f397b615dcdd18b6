/* The catalogue of adopted numbers: that it is whole and consistent, and found in. */
#include "support/check.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/making/layout.h"
#include "design/making/search.h"
#include "design/model/value.h"
#include "design/model/value_parse.h"
#include "design/open.h"
#include "design/reading/catalogue.h"

static void every_number_and_name_is_there_once(void **state)
{
    (void)state;
    for (int kind = 0; kind < YS_ADOPTED_KINDS; kind++) {
        size_t count = 0;
        const struct ys_adopted *items = ys_adopted_all((enum ys_adopted_kind)kind, &count);
        assert_true(count > 0);
        for (size_t i = 0; i < count; i++) {
            assert_ptr_equal(ys_adopted_by_name((enum ys_adopted_kind)kind, items[i].name), &items[i]);
            bool has_none = kind == YS_ADOPTED_DEVICE || strcmp(items[i].name, "decibel milliwatt") == 0;
            if (!has_none)
                assert_ptr_equal(ys_adopted_by_number((enum ys_adopted_kind)kind, items[i].number), &items[i]);
            assert_int_equal(items[i].kind, kind);
        }
    }
}

/* Assigned Numbers 3.5. */
static void units_are_found_by_name_symbol_and_number(void **state)
{
    static const struct {
        const char *words[3];
        uint16_t number;
    } cases[] = {
        {{"revolution per minute", "rpm", "0x27A8"}, 0x27a8}, {{"kilowatt hour", "kWh", "0x27ab"}, 0x27ab},
        {{"decibel milliwatt", "dBm", "dBm"}, 0x2700},        {{"volt ampere", "VA", "0x27C8"}, 0x27c8},
        {{"pascal second", "Pa s", "0x2740"}, 0x2740},        {{"metabolic equivalent", "MET", "0x27B9"}, 0x27b9},
    };
    (void)state;
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        for (size_t j = 0; j < 3; j++) {
            const struct ys_unit *unit = ys_unit_find(cases[i].words[j]);
            assert_non_null(unit);
            assert_int_equal(unit->number, cases[i].number);
        }
    }
    assert_null(ys_unit_find("0x27A8x"));
    assert_null(ys_unit_find("0x2709"));
    size_t count = 0;
    (void)ys_adopted_all(YS_ADOPTED_UNIT, &count);
    assert_true(count >= 110);
}

static void there_is_as_much_as_is_promised(void **state)
{
    size_t services = 0;
    size_t count = 0;
    size_t with_layout = 0;
    (void)state;
    (void)ys_adopted_all(YS_ADOPTED_SERVICE, &services);
    const struct ys_adopted *items = ys_adopted_all(YS_ADOPTED_CHARACTERISTIC, &count);
    for (size_t i = 0; i < count; i++)
        with_layout += items[i].type != NULL && items[i].about != NULL;
    assert_true(services >= 30);
    assert_true(with_layout >= 100);
    assert_int_equal(with_layout, count);
}

static void ranges_are_values_of_their_characteristics(void **state)
{
    size_t count = 0;
    size_t ranges = 0;
    const struct ys_adopted *items = ys_adopted_all(YS_ADOPTED_CHARACTERISTIC, &count);
    (void)state;
    for (size_t i = 0; i < count; i++) {
        int64_t ends[2];
        const char *problem = NULL;
        if (items[i].range[0] == NULL)
            continue;
        ranges++;
        for (size_t end = 0; end < 2; end++) {
            if (!ys_value_parse_raw(items[i].type, items[i].range[end], &ends[end], &problem))
                fail_msg("%s: %s: %s", items[i].name, items[i].range[end], problem);
        }
        assert_true(ends[0] <= ends[1]);
    }
    assert_true(ranges > 20);
}

static void services_list_characteristics_that_there_are(void **state)
{
    size_t count = 0;
    const struct ys_adopted *items = ys_adopted_all(YS_ADOPTED_SERVICE, &count);
    (void)state;
    for (size_t i = 0; i < count; i++) {
        for (size_t j = 0; j < items[i].part_count; j++) {
            const struct ys_has *part = &items[i].parts[j];
            assert_non_null(ys_adopted_by_name(YS_ADOPTED_CHARACTERISTIC, part->name));
            assert_true(!part->mandatory || part->must != 0); /* or use: would bring something out of reach */
        }
    }
}

static void formats_of_the_catalogue_are_those_of_definitions(void **state)
{
    size_t count = 0;
    const struct ys_adopted *items = ys_adopted_all(YS_ADOPTED_FORMAT, &count);
    (void)state;
    for (size_t i = 0; i < count; i++)
        assert_non_null(ys_format_find(items[i].name));
}

/* Numbers and layouts that are written here a second time, from another reading of the standard. */
static void some_entries_are_what_the_standard_says(void **state)
{
    static const struct {
        uint16_t number;
        const char *name;
        size_t least;
        size_t greatest;
    } cases[] = {
        {0x2a19, "Battery Level", 1, 1},
        {0x2a37, "Heart Rate Measurement", 1, 1 + 1 + 2 + 2 + 18},
        {0x2a6e, "Temperature", 2, 2},
        {0x2a6d, "Pressure", 4, 4},
        {0x2a2b, "Current Time", 10, 10},
        {0x2a50, "PnP ID", 7, 7},
        {0x2a1c, "Temperature Measurement", 5, 13},
        {0x2a35, "Blood Pressure Measurement", 7, 19},
        {0x2a5b, "CSC Measurement", 1, 11},
        {0x2a53, "RSC Measurement", 4, 10},
        {0x2a9d, "Weight Measurement", 3, 15},
        {0x2afb, "Illuminance", 3, 3},
        {0x2a23, "System ID", 8, 8},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        const struct ys_adopted *one = ys_adopted_by_number(YS_ADOPTED_CHARACTERISTIC, cases[i].number);
        assert_non_null(one);
        assert_string_equal(one->name, cases[i].name);
        assert_int_equal(ys_value_least(one->type), cases[i].least);
        assert_int_equal(ys_value_greatest(one->type), cases[i].greatest);
    }
}

/* Every service's fragment, and every characteristic's, is a good definition as it stands. */
static void every_fragment_is_a_good_definition(void **state)
{
    size_t count = 0;
    const struct ys_adopted *services = ys_adopted_all(YS_ADOPTED_SERVICE, &count);
    (void)state;
    for (size_t i = 0; i < count; i++) {
        char *text = NULL;
        size_t length = 0;
        FILE *stream = open_memstream(&text, &length);
        (void)fputs("device: {name: A}\nadvertising: {interval: 1 s}\n", stream);
        ys_adopted_print_fragment(stream, &services[i]);
        if (services[i].number < 0x1802)
            (void)fputs("services: []\n", stream);
        (void)fclose(stream);
        struct ys_design *design = ys_design_read("fragment.device.yaml", text, length, NULL, NULL);
        if (design->findings.errors + design->findings.warnings > 0)
            print_error("%s\n%s\n", text, design->findings.items[0].text);
        assert_int_equal(design->findings.errors + design->findings.warnings, 0); /* advice there may be */
        ys_design_free(design);
        free(text);
    }
    const struct ys_adopted *characteristics = ys_adopted_all(YS_ADOPTED_CHARACTERISTIC, &count);
    char *text = NULL;
    size_t length = 0;
    FILE *stream = open_memstream(&text, &length);
    (void)fputs("device: {name: A}\nadvertising: {interval: 1 s}\nservices:\n- name: battery\n  characteristics:\n",
                stream);
    for (size_t i = 0; i < count; i++) {
        if (characteristics[i].number <= 0x2a01) /* those are made from device */
            continue;
        (void)fputs("    ", stream);
        ys_adopted_print_fragment(stream, &characteristics[i]);
    }
    (void)fclose(stream);
    struct ys_design *design = ys_design_read("all.device.yaml", text, length, NULL, NULL);
    for (size_t i = 0; i < design->findings.count; i++) {
        if (design->findings.items[i].severity != YS_ADVICE)
            print_error("%s\n", design->findings.items[i].text);
    }
    assert_int_equal(design->findings.errors + design->findings.warnings, 0);
    ys_design_free(design);
    free(text);
}

static void it_is_searched_as_people_search(void **state)
{
    static const struct {
        const char *words;
        bool guessed;
        size_t least;
        const char *first;
    } cases[] = {
        {"0x180F", false, 1, "Battery"},
        {"2a19", false, 1, "Battery Level"},
        {"battery", false, 1, "Battery"},
        {"BATTERY LEVEL", false, 1, "Battery Level"},
        {"wind speed", false, 2, "True Wind Speed"},
        {"speed wind true", false, 1, "True Wind Speed"},
        {"blood sugar", false, 2, "Glucose"},
        {"N m", false, 1, "newton metre"},
        {"high alert", false, 1, "Alert Level"},
        {"cuff loose", false, 2, "Blood Pressure Measurement"},
        {"double daylight", false, 2, "DST Offset"},
        {"batery", true, 1, "Battery"},
        {"temprature", true, 3, "Temperature Measurement"},
        {"humidty", true, 1, "Humidity"},
        {"xyzzy", false, 0, NULL},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct ys_search search = {.found = NULL};
        ys_search_run(&search, cases[i].words);
        assert_true(search.count >= cases[i].least);
        assert_int_equal(search.count == 0, cases[i].least == 0);
        if (search.count > 0) {
            assert_int_equal(search.guessed, cases[i].guessed);
            assert_string_equal(search.found[0]->name, cases[i].first);
        }
        ys_search_clear(&search);
    }
    struct ys_search all = {.found = NULL};
    ys_search_run(&all, "");
    assert_true(all.count > 250);
    ys_search_clear(&all);
}

static void a_definition_takes_what_it_does_not_say_itself(void **state)
{
    static const char text[] = "device: {name: A}\nadvertising: {interval: 1 s}\nservices:\n"
                               "  - name: environmental sensing\n"
                               "    characteristics:\n"
                               "      - {name: temperature, read: open, value: 24.12 °C}\n"
                               "      - {name: inside, uuid: Temperature, resolution: 0.1, read: open, value: 20.5}\n"
                               "      - {name: heart, uuid: Heart Rate Measurement, notify: open, handler: read}\n"
                               "      - {name: model, uuid: Model Number String, read: open, value: T2}\n";
    struct ys_design *design = ys_design_read("a.device.yaml", text, strlen(text), NULL, NULL);
    (void)state;
    for (size_t i = 0; i < design->findings.count; i++)
        print_error("%s\n", design->findings.items[i].text);
    assert_int_equal(design->findings.errors, 1); /* both are the same UUID: that is said */
    const struct ys_service *service = &design->services[2];
    assert_int_equal(service->characteristics[0].value[0] | service->characteristics[0].value[1] << 8, 2412);
    assert_int_equal(service->characteristics[1].value[0] | service->characteristics[1].value[1] << 8, 205);
    assert_int_equal(service->characteristics[2].type.field_count, 5);
    assert_int_equal(service->characteristics[2].type.length.number, 24);
    assert_int_equal(service->characteristics[3].value_length, 2);
    ys_design_free(design);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(every_number_and_name_is_there_once),
        cmocka_unit_test(units_are_found_by_name_symbol_and_number),
        cmocka_unit_test(there_is_as_much_as_is_promised),
        cmocka_unit_test(ranges_are_values_of_their_characteristics),
        cmocka_unit_test(services_list_characteristics_that_there_are),
        cmocka_unit_test(formats_of_the_catalogue_are_those_of_definitions),
        cmocka_unit_test(some_entries_are_what_the_standard_says),
        cmocka_unit_test(every_fragment_is_a_good_definition),
        cmocka_unit_test(it_is_searched_as_people_search),
        cmocka_unit_test(a_definition_takes_what_it_does_not_say_itself),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
