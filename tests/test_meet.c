/* A device meets all that can come: what is found, how small it is made, and that it is the same wherever it is played.
 */
#include "support/check.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include <jansson.h>

#include "design/making/layout.h"
#include "design/open.h"
#include "encounter/compose.h"
#include "support/run.h"

#define EXAMPLES "'" YARNSWIFT_ROOT "/examples/"
#define WRENCH   EXAMPLES "torque_wrench/torque_wrench.device.yaml'"
#define CABINET  EXAMPLES "tool_cabinet/tool_cabinet.device.yaml'"

static json_t *meet(const char *arguments, int status)
{
    char line[2000];
    (void)snprintf(line, sizeof line, "meet --json %s", arguments);
    struct outcome outcome = run_command(line);
    if (outcome.status != status)
        fail_msg("%s: %d\n%.3000s%s", arguments, outcome.status, outcome.out, outcome.err);
    json_t *json = json_loads(outcome.out, 0, NULL);
    assert_non_null(json);
    return json;
}

static json_int_t number(const json_t *json, const char *object, const char *key)
{
    return json_integer_value(json_object_get(object != NULL ? json_object_get(json, object) : json, key));
}

/* the plan */

static struct ys_subject subject_of(const char *path, struct ys_design **design, struct ys_layout **layout)
{
    *design = ys_design_open(path);
    assert_non_null(*design);
    *layout = ys_layout_new(*design);
    struct ys_subject subject = {.design = *design, .layout = *layout, .definition = path};
    ys_subject_know(&subject);
    return subject;
}

static void every_pair_has_met_after_a_few_hundred_encounters(void **state)
{
    static const char *const paths[] = {YARNSWIFT_ROOT "/examples/torque_wrench/torque_wrench.device.yaml",
                                        YARNSWIFT_ROOT "/examples/tool_cabinet/tool_cabinet.device.yaml",
                                        YARNSWIFT_ROOT "/tests/everything.device.yaml"};
    (void)state;
    for (size_t i = 0; i < sizeof paths / sizeof paths[0]; i++) {
        struct ys_design *design;
        struct ys_layout *layout;
        struct ys_subject subject = subject_of(paths[i], &design, &layout);
        struct ys_plan *plan = ys_plan_new(&subject, 1);
        struct ys_plan *same = ys_plan_new(&subject, 1);
        for (int k = 0; k < 500; k++) {
            struct ys_choice one = ys_plan_next(plan);
            struct ys_choice other = ys_plan_next(same);
            assert_int_equal(one.number, k + 1);
            assert_memory_equal(one.values, other.values, sizeof one.values);
            for (size_t aspect = 0; aspect < YS_ASPECTS; aspect++)
                assert_in_range(one.values[aspect], 0, ys_aspect_count(&subject, (enum ys_aspect)aspect) - 1);
        }
        struct ys_covered covered = ys_plan_covered(plan);
        assert_int_equal(covered.pairs, covered.all_pairs);
        assert_in_range(covered.triples, covered.all_triples / 4, covered.all_triples);
        size_t met;
        size_t all;
        ys_plan_covered_of(plan, YS_ASPECT_WHO, YS_ASPECT_WAY, &met, &all);
        assert_int_equal(met, 8 * YS_ACCESS_WAYS);
        assert_int_equal(all, met);
        ys_plan_free(plan);
        ys_plan_free(same);
        ys_subject_forget(&subject);
        ys_layout_free(layout);
        ys_design_free(design);
    }
}

/* the command */

static void examples_meet_everybody_without_a_finding(void **state)
{
    static const char *const devices[] = {
        "-f torque_wrench " WRENCH,
        WRENCH,
        "-f tool_cabinet " CABINET,
        "-f bolt_counter " EXAMPLES "bolt_counter/bolt_counter.device.yaml'",
        "-f hoist " EXAMPLES "crane/hoist.device.yaml'",
        EXAMPLES "weather_mast/weather_mast.device.yaml'",
    };
    char line[600];
    (void)state;
    for (size_t i = 0; i < sizeof devices / sizeof devices[0]; i++) {
        (void)snprintf(line, sizeof line, "--runs %d %s", getenv("YARNSWIFT_FEW") != NULL ? 20 : 150, devices[i]);
        json_t *json = meet(line, 0);
        assert_int_equal(json_array_size(json_object_get(json, "findings")), 0);
        json_decref(json);
    }
}

static void the_same_encounters_are_played_however_they_are_shared(void **state)
{
    const char *folder = scratch_folder("meet_results");
    char first[600];
    char second[600];
    char both[600];
    char line[2000];
    (void)state;
    (void)snprintf(first, sizeof first, "%s/1", folder);
    (void)snprintf(second, sizeof second, "%s/2", folder);
    (void)snprintf(both, sizeof both, "%s/both", folder);
    json_t *whole = meet("--runs 40 --jobs 1 " WRENCH, 0);
    json_t *other = meet("--runs 40 --jobs 5 " WRENCH, 0);
    assert_true(json_equal(whole, other));
    json_decref(other);
    (void)snprintf(line, sizeof line, "--runs 40 --part 1/2 --results '%s' " WRENCH, first);
    json_t *half = meet(line, 0);
    assert_int_equal(number(half, NULL, "encounters"), 20);
    json_decref(half);
    (void)snprintf(line, sizeof line, "--runs 40 --part 2/2 --results '%s' " WRENCH, second);
    json_decref(meet(line, 0));
    (void)snprintf(line, sizeof line, "meet --merge --results '%s' '%s' '%s'", both, first, second);
    assert_int_equal(run_command(line).status, 0);
    (void)snprintf(line, sizeof line, "--runs 40 --results '%s' " WRENCH, both);
    other = meet(line, 0); /* of which none is played again */
    assert_true(json_equal(whole, other));
    json_decref(whole);
    json_decref(other);
    (void)snprintf(line, sizeof line, "meet --runs 4 --seed 2 --results '%s' " WRENCH, both);
    assert_int_equal(run_command(line).status, 2); /* they are of another seed */
}

static void a_finding_is_made_small_and_plays_again(void **state)
{
    char line[1500];
    (void)state;
    const char *folder = scratch_folder("meet_scenes");
    char page[600];
    (void)snprintf(page, sizeof page, "%s/page.html", folder);
    (void)snprintf(line, sizeof line,
                   "--runs 60 --until-found --replace --page '%s' --output '%s' -f misbehaving '" YARNSWIFT_ROOT
                   "/tests/modules/misbehaving.device.yaml'",
                   page, folder);
    json_t *json = meet(line, 1);
    const json_t *finding = json_array_get(json_object_get(json, "findings"), 0);
    const char *scene = json_string_value(json_object_get(finding, "scene"));
    assert_non_null(scene);
    assert_in_range(number(finding, NULL, "steps"), 1, 8);
    assert_true(number(finding, NULL, "steps") < number(finding, NULL, "steps_before"));
    const char *came = json_string_value(json_object_get(finding, "came"));
    (void)snprintf(line, sizeof line, "rehearse '%s'", scene);
    struct outcome again = run_command(line);
    assert_int_not_equal(again.status, 0);
    if (strstr(again.out, came) == NULL && strstr(again.err, came) == NULL)
        fail_msg("not \"%s\", but %s%s", came, again.out, again.err);
    char *text = read_whole(scene);
    assert_non_null(strstr(text, "# came: "));
    assert_non_null(strstr(text, "# Play it: yarnswift rehearse --seed 1 THIS\n"));
    free(text);
    text = read_whole(page);
    assert_non_null(strstr(text, "\"findings\":[{\"what\""));
    assert_non_null(strstr(text, "# Play it: yarnswift rehearse --seed 1 THIS"));
    free(text);
    json_decref(json);
}

static void what_cannot_be_met_is_told(void **state)
{
    static const struct {
        const char *arguments;
        const char *words;
    } wrong[] = {
        {"meet", "name"},
        {"meet nowhere.device.yaml", "nowhere.device.yaml"},
        {"meet -f nowhere " WRENCH, "there is no firmware \"nowhere\": looked for it as "},
        {"meet -f no_module " WRENCH, "no_module"},
        {"meet -f tool_cabinet " WRENCH, "tool_cabinet"},
        {"meet --input trigger " WRENCH, "--input is of firmware"},
        {"meet --runs 0 " WRENCH, "--runs must be"},
        {"meet --seconds x " WRENCH, "--seconds must be"},
        {"meet --part 3/2 " WRENCH, "--part must be I/N"},
        {"meet --merge " WRENCH, "--merge needs the files"},
        {"meet --runs 2 -f strike_receiver " EXAMPLES "lightning/strike_receiver.device.yaml'", "does not advertise"},
    };
    (void)state;
    for (size_t i = 0; i < sizeof wrong / sizeof wrong[0]; i++) {
        struct outcome outcome = run_command(wrong[i].arguments);
        if (outcome.status != 2 || strstr(outcome.err, wrong[i].words) == NULL)
            fail_msg("%s: %d %s", wrong[i].arguments, outcome.status, outcome.err);
    }
}

/* What cannot be written is said, and what was found is told all the same; a page that is there is not lost. */
static void findings_are_told_even_if_they_cannot_be_written(void **state)
{
    static const char misbehaving[] = "-f misbehaving '" YARNSWIFT_ROOT "/tests/modules/misbehaving.device.yaml'";
    char line[1500];
    (void)state;
    const char *file = scratch_file("meet_no_folder", "mine");
    (void)snprintf(line, sizeof line, "meet --runs 60 --until-found --json --output '%s' %s", file, misbehaving);
    struct outcome outcome = run_command(line);
    assert_int_equal(outcome.status, 2);
    json_t *json = json_loads(outcome.out, 0, NULL);
    assert_true(json_array_size(json_object_get(json, "findings")) > 0);
    json_decref(json);
    (void)snprintf(line, sizeof line, "meet --runs 1 --page '%s' %s", file, misbehaving);
    outcome = run_command(line);
    assert_int_equal(outcome.status, 2);
    assert_non_null(strstr(outcome.err, "it is there, and is left alone; give --replace"));
}

static json_t *meet_with_behaviour(const char *behaviour, const char *firmware, int status)
{
    char line[1500];
    char *text = read_whole(YARNSWIFT_ROOT "/examples/torque_wrench/torque_wrench.device.yaml");
    char *services = strstr(text, "\nservices:");
    char *own = strstr(text, "\nbehaviour:");
    char *changed = malloc(strlen(text) + strlen(behaviour) + 100);
    assert_non_null(changed);
    (void)sprintf(changed, "%.*s\nbehaviour:\n%s%s", (int)(own - text), text, behaviour, services);
    (void)snprintf(line, sizeof line, "--runs 20 %s '%s'", firmware, scratch_file("behaves.device.yaml", changed));
    free(changed);
    free(text);
    return meet(line, status);
}

/* What a definition says that its application does is tried wherever somebody may see it. */
static void what_an_application_should_do_is_tried(void **state)
{
    static const struct {
        const char *behaviour;
        const char *firmware;
        int status;
        bool tried;
        const char *came;
    } cases[] = {
        {"  - {write: preset, read: preset, is: written}\n", "", 0, true, NULL},
        {"  - {write: preset, to: 84.0 N m, read: preset, is: 84.0 N m}\n", "-f torque_wrench", 0, true, NULL},
        {"  - {write: preset, to: 84.0 N m, read: preset, is: 85.0 N m}\n", "-f torque_wrench", 1, true, "84.0 N m"},
        {"  - {read: bolt result, field: peak torque, between: [-1.0 N m, 1.0 N m]}\n", "", 0, true, NULL},
        {"  - {set: trigger, to: on, expect: live torque, between: [0.1 N m, 200.0 N m]}\n", "-f torque_wrench", 0,
         true, NULL},
        {"  - {set: trigger, to: on, expect: live torque}\n", "", 0, false, NULL}, /* a stand-in has no trigger */
        {"  - {set: battery level, to: 50 %, read: battery level, is: 50 %}\n", "", 0, true, NULL},
        {"  - {set: battery level, to: 50 %, read: battery level, is: 51 %}\n", "", 1, true, "50 %"},
        {"  - {set: trigger, to: on, expect none: live torque, for: 1 s}\n", "-f torque_wrench", 1, true, " came"},
    };
    (void)state;
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        json_t *json = meet_with_behaviour(cases[i].behaviour, cases[i].firmware, cases[i].status);
        const json_t *finding = json_array_get(json_object_get(json, "findings"), 0);
        const json_t *item = json_array_get(json_object_get(json, "behaviour"), 0);
        assert_int_equal(number(item, NULL, "encounters") > 0, cases[i].tried);
        assert_int_equal(json_array_size(json_object_get(json, "findings")) > 0, cases[i].status);
        if (cases[i].came != NULL && strstr(json_string_value(json_object_get(finding, "came")), cases[i].came) == NULL)
            fail_msg("%s: %s", cases[i].behaviour, json_string_value(json_object_get(finding, "came")));
        json_decref(json);
    }
}

#ifdef TESTS_COUNTING
/* Also across power cuts, which reset what a module has counted. */
static void firmware_that_counts_its_lines_tells_which_were_not_reached(void **state)
{
    (void)state;
    json_t *json = meet("--runs 40 -f counting " WRENCH, 0);
    const json_t *file;
    size_t i;
    bool seen = false;
    json_array_foreach(json_object_get(json, "reached"), i, file)
    {
        const char *path = json_string_value(json_object_get(file, "file"));
        assert_true(strstr(path, "/host/") == NULL && strstr(path, "_table.c") == NULL);
        if (strstr(path, "wrench.c") == NULL)
            continue;
        seen = true;
        assert_in_range(number(file, NULL, "functions_reached"), 10, number(file, NULL, "functions"));
        assert_in_range(number(file, NULL, "branches_reached"), 10, number(file, NULL, "branches"));
        bool all = number(file, NULL, "functions_reached") == number(file, NULL, "functions") &&
                   number(file, NULL, "branches_reached") == number(file, NULL, "branches");
        assert_int_equal(json_array_size(json_object_get(file, "not_reached")) == 0, all);
    }
    assert_true(seen);
    json_decref(json);
    /* one encounter reaches less; and a tool that is not there is said */
    json = meet("--runs 1 --input nothing -f counting " WRENCH, 0);
    assert_true(
        json_array_size(json_object_get(json_array_get(json_object_get(json, "reached"), 1), "not_reached")) +
            json_array_size(json_object_get(json_array_get(json_object_get(json, "reached"), 0), "not_reached")) >
        0);
    json_decref(json);
    assert_int_equal(setenv("GCOV", "gcov_that_is_not_there", 1), 0);
    struct outcome outcome = run_command("meet --runs 1 -f counting " WRENCH);
    assert_int_equal(unsetenv("GCOV"), 0);
    assert_int_equal(outcome.status, 2);
    assert_non_null(strstr(outcome.err, "there is no gcov_that_is_not_there"));
}
#endif

/* Definitions of any size: nothing to be met, one value, two hundred. */
static void definitions_of_any_size_are_met(void **state)
{
    char line[1000];
    char *text = malloc(40000);
    (void)state;
    assert_non_null(text);
    for (int count = 0; count <= 200; count = count == 0 ? 1 : count == 1 ? 200 : 201) {
        size_t length = (size_t)sprintf(text, "device: {name: Many}\nadvertising: {interval: 100 ms%s}\n%s",
                                        count > 0 ? "" : ", kind: beacon",
                                        count > 0 ? "services:\n  - name: many\n"
                                                    "    uuid: 3e910000-74c8-4d0b-a5f2-61d8c07be293\n"
                                                    "    characteristics:\n"
                                                  : "");
        for (int i = 0; i < count; i++)
            length += (size_t)sprintf(
                text + length,
                "      - {name: value %d, uuid: +%d, format: uint8, value: 1, read: open, write: open}\n", i, i + 1);
        (void)snprintf(line, sizeof line, "--runs 5 '%s'", scratch_file("many.device.yaml", text));
        json_t *json = meet(line, 0);
        assert_int_equal(number(json, NULL, "encounters"), 5);
        json_decref(json);
    }
    free(text);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(every_pair_has_met_after_a_few_hundred_encounters),
        cmocka_unit_test(examples_meet_everybody_without_a_finding),
        cmocka_unit_test(the_same_encounters_are_played_however_they_are_shared),
        cmocka_unit_test(a_finding_is_made_small_and_plays_again),
        cmocka_unit_test(findings_are_told_even_if_they_cannot_be_written),
        cmocka_unit_test(what_cannot_be_met_is_told),
        cmocka_unit_test(what_an_application_should_do_is_tried),
#ifdef TESTS_COUNTING
        cmocka_unit_test(firmware_that_counts_its_lines_tells_which_were_not_reached),
#endif
        cmocka_unit_test(definitions_of_any_size_are_met),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
