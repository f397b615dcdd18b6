/* Scenes, rehearsed by the built command: those of the examples, and small ones that try each step and trait. */
#include "support/check.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <jansson.h>
#include <yarnswift/config.h>
#include <yarnswift/result.h>

#include "support/run.h"

#define SCENES      YARNSWIFT_ROOT "/examples/scenes/"
#define WRENCH      YARNSWIFT_ROOT "/examples/torque_wrench/torque_wrench.device.yaml"
#define SCALE       YARNSWIFT_ROOT "/examples/hook_scale/hook_scale.device.yaml"
#define RIGHTS      YARNSWIFT_ROOT "/tests/rights.device.yaml"
#define BEACONS     YARNSWIFT_ROOT "/tests/modules/beacons.device.yaml"
#define TIMELY      YARNSWIFT_ROOT "/tests/modules/timely.device.yaml"
#define MISBEHAVING YARNSWIFT_ROOT "/tests/modules/misbehaving.device.yaml"

#define DEVICE(name, file, module) "  - {name: " name ", definition: " file ", firmware: " module "}\n"
#define STAND_IN(name, file)       "  - {name: " name ", definition: " file "}\n"
#define WITH_WRENCH                "devices:\n" DEVICE("wrench", WRENCH, "torque_wrench")
#define WITH_TROUBLE               "devices:\n" DEVICE("rogue", MISBEHAVING, "misbehaving")
#define WITH_TIMELESS_TROUBLE                                                                                          \
    "devices:\n" DEVICE("rogue", MISBEHAVING, "misbehaving, controller: ideal, host delay: 0 s")
#define WITH_SCALE "devices:\n" STAND_IN("scale", SCALE)

/* With YARNSWIFT_AUDIT in the environment each scene that passes must keep the rules of the standard, but for who talks
 * garbage, and for firmware that is told to. */
static void audit(const char *path, const char *body)
{
    char line[2000];
    const char *except = strstr(body, "garbage") != NULL     ? "--except t"
                         : strstr(body, "{set: put") != NULL ? "--except rogue"
                                                             : "";
    (void)snprintf(line, sizeof line, "audit %s '%s'", except, path);
    struct outcome outcome = run_command(line);
    if (outcome.status != 0)
        fail_msg("the audit of %s:\n%s%s", path, outcome.out, outcome.err);
}

/* Rehearses a scene with this body, and options. */
static struct outcome rehearse(const char *body, const char *options)
{
    char text[6000];
    char line[2000];
    char path[600];
    (void)snprintf(text, sizeof text, "scene: A test\n%s", body);
    (void)snprintf(path, sizeof path, "%s", scratch_file("one.scene.yaml", text));
    (void)snprintf(line, sizeof line, "rehearse %s '%s'", options, path);
    struct outcome outcome = run_command(line);
    if (outcome.status != 0 || getenv("YARNSWIFT_AUDIT") == NULL || strstr(options, "--check") != NULL ||
        strstr(options, "--modules") != NULL)
        return outcome;
    audit(path, body);
    return run_command(line);
}

static void assert_says(const struct outcome *outcome, int status, const char *says)
{
    if (outcome->status != status || (strstr(outcome->out, says) == NULL && strstr(outcome->err, says) == NULL))
        fail_msg("status %d where %d was expected, or not \"%s\" in\n%s%s", outcome->status, status, says, outcome->out,
                 outcome->err);
}

/* the examples */

static const char *const examples[] = {"shift",     "crib",  "lost_and_found", "stranger",
                                       "both_ways", "crane", "bolts",          "lightning"};

static void the_days_of_the_wrench_pass_with_any_seed(void **state)
{
    (void)state;
    for (size_t i = 0; i < COUNT(examples); i++) {
        char line[300];
        (void)snprintf(line, sizeof line, "rehearse --runs 10 --seed %zu '" SCENES "%s.scene.yaml'", 100 * i,
                       examples[i]);
        struct outcome outcome = run_command(line);
        assert_says(&outcome, 0, "10 of 10 seeds");
    }
}

static void a_step_may_fail_for_one_of_several_reasons(void **state)
{
    static const struct {
        const char *fails;
        int status;
    } cases[] = {{"out of range", 0},
                 {"0x0D or out of range", 0},
                 {"cannot be read or 0xFF", 0},
                 {"cannot be read or 0x0D", 1},
                 {"out of range or nonsense", 2}};
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        char body[900];
        (void)snprintf(body, sizeof body,
                       "devices:\n  - {name: wrench, definition: %s/examples/torque_wrench/torque_wrench.device.yaml}\n"
                       "centrals:\n  - {name: tablet}\nsteps:\n  - {find: Torvane T2}\n  - connect\n  - discover\n  - "
                       "{write: preset, to: 250.0 N m, fails: %s}\n",
                       YARNSWIFT_ROOT, cases[i].fails);
        struct outcome outcome = rehearse(body, "");
        if (outcome.status != cases[i].status)
            (void)printf("fails: %s\n%s%s", cases[i].fails, outcome.out, outcome.err);
        assert_int_equal(outcome.status, cases[i].status);
    }
}

/* A wrench that thinks about everything for a while does not answer within a millisecond. */
static void every_step_that_waits_has_its_time(void **state)
{
    static const char *const steps[] = {
        "{discover: wrench",         "{read: preset",      "{write: preset, to: 42.0 N m", "{subscribe: live torque",
        "{unsubscribe: live torque", "{disconnect: wrench"};
    (void)state;
    for (size_t i = 0; i < COUNT(steps); i++) {
        for (int late = 0; late < 2; late++) {
            char body[1500];
            size_t used = (size_t)snprintf(body, sizeof body,
                                           "devices:\n  - {name: wrench, definition: "
                                           "%s/examples/torque_wrench/torque_wrench.device.yaml, host delay: 400 "
                                           "ms}\ncentrals:\n  - {name: tablet, asks for mtu: false}\nsteps:\n  - "
                                           "{find: Torvane T2}\n  - connect\n",
                                           YARNSWIFT_ROOT);
            for (size_t j = 0; j < i; j++)
                used += (size_t)snprintf(body + used, sizeof body - used, "  - %s, within: 5 min}\n", steps[j]);
            (void)snprintf(body + used, sizeof body - used, "  - %s, within: %s}\n", steps[i],
                           late != 0 ? "1 ms" : "5 min");
            struct outcome outcome = rehearse(body, "");
            assert_int_equal(outcome.status, late);
            if (late != 0)
                assert_non_null(strstr(outcome.out, "within 0.001 s"));
        }
    }
}

/* CSS Part A 1.2. */
static void a_device_that_tells_the_beginning_of_its_name_is_found_by_the_whole(void **state)
{
    static const char definition[] =
        "device: {name: A rather long name for a device of this kind}\nadvertising: {interval: 100 ms, data: [flags], "
        "response: [{shortened name: 29}]}\nservices: []\n";
    char body[900];
    (void)state;
    (void)snprintf(body, sizeof body,
                   "devices:\n  - {name: named, definition: \"%s\"}\ncentrals:\n  - {name: tablet}\nsteps:\n  - {find: "
                   "A rather long name for a device of this kind, within: 5 s}\n",
                   scratch_file("named.device.yaml", definition));
    struct outcome outcome = rehearse(body, "");
    assert_says(&outcome, 0, "passed");
}

/* A hoist on LE Coded is not found by a remote whose controller lacks that, or extended advertising. */
static void a_device_has_the_controller_that_the_scene_says(void **state)
{
    static const char *const controllers[] = {"", ", extended: true", ", coded: false", ", extended: false"};
    (void)state;
    for (size_t i = 0; i < COUNT(controllers); i++) {
        char body[900];
        (void)snprintf(
            body, sizeof body,
            "devices:\n  - {name: hoist, definition: %s/examples/crane/hoist.device.yaml, "
            "firmware: hoist}\n  - {name: remote, definition: %s/examples/crane/crane_remote.device.yaml, "
            "firmware: crane_remote%s}\nsteps:\n  - {expect log: notifications of height are on, who: hoist, "
            "within: 5 s}\n",
            YARNSWIFT_ROOT, YARNSWIFT_ROOT, controllers[i]);
        struct outcome outcome = rehearse(body, "");
        assert_int_equal(outcome.status, i < 2 ? 0 : 1);
        assert_true(i < 2 || strstr(outcome.out, "hoist: expect log \"notifications of height are on\"") != NULL);
    }
}

static void an_hour_with_two_centrals_passes(void **state)
{
    (void)state;
    struct outcome outcome = run_command("rehearse '" SCENES "long_hour.scene.yaml'");
    assert_says(&outcome, 0, "s simulated");
    assert_non_null(strstr(outcome.out, " 3605."));
}

static void a_scene_that_fails_says_what_was_expected_what_came_and_what_was_on_the_air(void **state)
{
    (void)state;
    struct outcome outcome = run_command("rehearse '" SCENES "must_fail.scene.yaml'");
    assert_says(&outcome, 1, "must_fail.scene.yaml:15: tablet: expect bolt result field peak torque is 60.0 N m");
    assert_non_null(strstr(outcome.out, "expected  60.0 N m, within 5 s"));
    assert_non_null(strstr(outcome.out, "came      3 values received, the last is 42.0 N m"));
    assert_non_null(strstr(outcome.out, "wrench   indication, bolt result: number 3, peak torque 42.0 N m, angle 120"));
    assert_non_null(strstr(outcome.out, "tablet   confirmation"));
    assert_non_null(strstr(outcome.out, "\nFAILED  "));
}

static void the_same_seed_gives_the_same_however_many_are_played_at_once(void **state)
{
    static const char scenes[] = "'" SCENES "shift.scene.yaml' '" SCENES "stranger.scene.yaml'";
    char line[600];
    (void)state;
    (void)snprintf(line, sizeof line, "rehearse --json --runs 4 --jobs 1 %s", scenes);
    char *one = strdup(run_command(line).out);
    (void)snprintf(line, sizeof line, "rehearse --json --runs 4 --jobs 4 %s", scenes);
    assert_string_equal(run_command(line).out, one);
    (void)snprintf(line, sizeof line, "rehearse --json --runs 4 --seed 2 %s", scenes);
    assert_string_not_equal(run_command(line).out, one);
    free(one);
}

static void json_tells_every_step_with_its_time(void **state)
{
    (void)state;
    json_t *root = json_loads(run_command("rehearse --json '" SCENES "must_fail.scene.yaml'").out, 0, NULL);
    const json_t *take = json_array_get(json_object_get(json_array_get(root, 0), "takes"), 0);
    const json_t *steps = json_object_get(take, "steps");
    assert_int_equal(json_array_size(steps), 7);
    double before_s = 0;
    for (size_t i = 0; i < json_array_size(steps); i++) {
        const json_t *step = json_array_get(steps, i);
        assert_true(json_number_value(json_object_get(step, "began_s")) >= before_s);
        before_s = json_number_value(json_object_get(step, "ended_s"));
        assert_int_equal(json_is_true(json_object_get(step, "passed")), i < 6);
    }
    assert_true(json_array_size(json_object_get(take, "log")) > 10);
    assert_true(json_array_size(json_object_get(take, "packets")) > 5);
    json_decref(root);
}

static void build_servers_get_their_xml(void **state)
{
    char line[800];
    char path[500];
    (void)state;
    (void)snprintf(path, sizeof path, "%s/results.xml", scratch_folder("junit"));
    (void)snprintf(line, sizeof line,
                   "rehearse --runs 2 --junit '%s' '" SCENES "crib.scene.yaml' '" SCENES "must_fail.scene.yaml'", path);
    assert_int_equal(run_command(line).status, 1);
    char *xml = read_whole(path);
    assert_non_null(strstr(xml, "crib.scene.yaml\" tests=\"2\" failures=\"0\" errors=\"0\""));
    assert_non_null(strstr(xml, "must_fail.scene.yaml\" tests=\"2\" failures=\"2\" errors=\"0\""));
    assert_non_null(strstr(xml, "expected  60.0 N m, within 5 s"));
    assert_non_null(strstr(xml, "<failure message=\"line 15: tablet: "));
    assert_non_null(strstr(xml, ": expected 60.0 N m, within 5 s, came "));
    assert_non_null(strstr(xml, "<property name=\"simulated_s\" value=\""));
    free(xml);
    (void)snprintf(line, sizeof line,
                   "/usr/bin/python3 -c 'import sys,xml.dom.minidom as m; m.parse(sys.argv[1])' '%s'", path);
    assert_int_equal(system(line), 0);
    /* a report takes the place of a report, and of nothing else */
    (void)snprintf(line, sizeof line, "rehearse --junit '%s' '" SCENES "crib.scene.yaml'", path);
    assert_int_equal(run_command(line).status, 0);
    (void)snprintf(line, sizeof line, "rehearse --junit '%s' '" SCENES "crib.scene.yaml'",
                   scratch_file("own.xml", "<mine/>\n"));
    struct outcome outcome = run_command(line);
    assert_int_equal(outcome.status, 2);
    assert_non_null(strstr(outcome.err, "was not written by --junit"));
}

/* steps and traits, each in a small scene: how it ends, and what must be said */

static const struct {
    const char *centrals;
    const char *steps;
    int status;
    const char *says;
} wrench_cases[] = {
    /* finding and connecting */
    {"{name: t}", "[{find: Nobody, within: 1 s, fails: has not found it}]", 0, "has not found it within 1 s"},
    {"{name: t}", "[{find: Torvane T2, fails: has not found it}]", 1, "that it fails: has not found it"},
    {"{name: t}", "[{find service: battery}, connect]", 0, "connected, every 30 ms"},
    {"{name: t}", "[{find service: 0x180f}, {connect: wrench}, {connect: wrench, fails: connected with it already}]", 0,
     "already"},
    {"{name: t}", "[connect]", 1, "has found no device yet"},
    {"{name: t}", "[{find: Torvane T2}, {disconnect: wrench, fails: there is no connection}]", 0, "no connection"},
    {"{name: t}", "[{connect: wrench}, {read: preset}]", 1, "has not discovered it: discover first"},
    {"{name: t}", "[{power: \"off\", who: wrench}, {connect: wrench, within: 2 s, fails: could not connect}]", 0,
     "could not connect within 2 s"},
    {"{name: t}", "[{power: cycle, who: t, for: 2 s}, {connect: wrench}]", 0, "power cycle for 2 s"},
    {"{name: t}",
     "[{parallel: [{find: Torvane T2, fails: was switched off}, {power: \"off\", who: t}]}, {connect: wrench, fails: "
     "is not ready}]",
     0, "was switched off"},
    /* the MTU */
    {"{name: t, mtu: 185}", "[{connect: wrench}]", 0, "with an MTU of 185"},
    {"{name: t, mtu: 100}", "[{connect: wrench}]", 0, "with an MTU of 100"},
    {"{name: t, kind: old}", "[{connect: wrench}]", 0, "connected, every 50 ms\n"},
    {"{name: t, asks for mtu: false}", "[{connect: wrench}]", 0, "connected, every 30 ms\n"},
    {"{name: t, interval: 100 ms}", "[{connect: wrench}]", 0, "every 100 ms"},
    /* values */
    {"{name: t}", "[{connect: wrench}, discover, {read: preset, is: 121.0 N m}]", 1, "expected  121.0 N m"},
    {"{name: t}", "[{connect: wrench}, discover, {read: preset, is: bytes b0 04}]", 0, "120.0 N m  [b0 04]"},
    {"{name: t}", "[{connect: wrench}, discover, {read: battery/battery level, between: [80 %, 90 %]}]", 0, "87 %"},
    {"{name: t}", "[{connect: wrench}, discover, {read: bolt result, field: number, is: 0}]", 0, "is 0  0\n"},
    {"{name: t}", "[{connect: wrench}, discover, {write: preset, bytes: a4 01}, {read: \"0x000D\", is: 42.0 N m}]", 2,
     "unknown format"},
    {"{name: t}", "[{connect: wrench}, discover, {write: preset, bytes: a4 01}, {read: \"0x000D\", is: a4 01}]", 0,
     "42.0 N m"},
    {"{name: t}", "[{connect: wrench}, discover, {read: \"0x0042\", fails: 0x01}]", 0, "there is no such handle"},
    {"{name: t}", "[{connect: wrench}, discover, {write: log, bytes: 00, fails: cannot be written}]", 0, "(0x03)"},
    {"{name: t}", "[{connect: wrench}, discover, {write: preset, to: 300.0 N m, fails: \"0xFE\"}]", 1, "0xFF"},
    /* what comes */
    {"{name: t}",
     "[{connect: wrench}, discover, {subscribe: battery level}, {set: battery level, to: 50 %}, {set: battery level, "
     "to: "
     "40 %}, {expect: battery level, in order: [50 %, 40 %], within: 70 s}]",
     1, "of which 0 were the next in order"}, /* its spacing is a minute: the first is no more when it is due */
    {"{name: t}",
     "[{connect: wrench}, discover, {subscribe: battery level}, {set: battery level, to: 50 %}, {wait: 61 s}, {set: "
     "battery "
     "level, to: 40 %}, {expect: battery level, in order: [50 %, 40 %], within: 70 s}]",
     0, "40 %"},
    {"{name: t}", "[{connect: wrench}, discover, {subscribe: live torque}, {expect: live torque, within: 1 s}]", 1,
     "no value received"},
    {"{name: t}",
     "[{connect: wrench}, discover, {subscribe: live torque}, {set: trigger, to: on}, {expect none: live torque, for: "
     "1 s}]",
     1, "expected  no value for 1 s"},
    {"{name: t}",
     "[{connect: wrench}, discover, {subscribe: live torque}, {set: trigger, to: on}, {expect: live torque, between: "
     "[0 N m, "
     "9 N m], for: 1 s}]",
     1, "the last is 9.1 N m"},
    {"{name: t}",
     "[{connect: wrench}, discover, {subscribe: live torque}, {set: trigger, to: on}, {expect: live torque, rate: [10, "
     "20], "
     "for: 2 s}]",
     1, "expected  10 to 20 values a second, for 2 s"},
    /* logs and ends */
    {"{name: t}", "[{connect: wrench}, {expect log: connected by}, {expect log: connected by, within: 1 s}]", 1,
     "no such line came"},
    {"{name: t}", "[{connect: wrench}, {expect log: agreed on an MTU}, {wait: 1 s}]", 0, "agreed on an MTU"},
    {"{name: t}", "[{connect: wrench}, {wait: 1 s}, {expect log: agreed on an MTU, within: 1 s}]", 1,
     "no such line came"},
    {"{name: t}", "[{connect: wrench}, {expect no log: connected by, for: 1 s}, {wait: 1 s}]", 0, "no such line came"},
    {"{name: t}",
     "[{parallel: [{expect no log: connected by, for: 2 s}, {who: t, steps: [{wait: 1 s}, {connect: wrench}]}]}]", 1,
     "expected  no \"connected by\" in the log for 2 s"},
    {"{name: t}", "[{connect: wrench}, disconnect, {expect disconnection: wrench, because: this side}]", 0,
     "this side ended the connection"},
    {"{name: t}", "[{connect: wrench}, {expect disconnection: wrench, within: 1 s}]", 1, "it is still connected"},
    {"{name: t}", "[{expect disconnection: wrench, within: 1 s}]", 1, "it has never been connected"},
    {"{name: t}",
     "[{connect: wrench}, {jam: all, for: 1 s}, {jam: all}, {expect disconnection: wrench, because: not heard}]", 0,
     "supervision timeout (0x08)"},
    {"{name: t}", "[{connect: wrench}, {jam: all}, {jam: []}, {wait: 9 s}, {pair: wrench, fails: 0x05}, end]", 0,
     "the scene is over"},
    /* pairing, and what each makes of its failure */
    {"{name: t, when pairing fails: leaves}",
     "[{connect: wrench}, {pair: wrench, fails: not supported}, {expect disconnection: wrench, because: this side}]", 0,
     "and leaves"},
    {"{name: t, when pairing fails: insists}", "[{connect: wrench}, {pair: wrench, fails: three times}]", 2,
     "in no known reason"},
    {"{name: t, when pairing fails: insists}", "[{connect: wrench}, {pair: wrench, fails: not supported}, disconnect]",
     0, "is refused to pair, three times"},
    {"{name: t}", "[{connect: wrench}, {send garbage: wrench, for: 2 s}, disconnect]", 0, "100 frames"},
    {"{name: t}", "[{pair: wrench, fails: no connection}, {send garbage: wrench, for: 2 s}]", 1,
     "there is no connection"},
    /* what is remembered */
    {"{name: t, table: trusts}",
     "[{connect: wrench}, discover, {subscribe: live torque}, disconnect, {connect: wrench}, discover, {set: trigger, "
     "to: on}, "
     "{expect: live torque}]",
     0, "expect live torque"},
    {"{name: t, table: forgets}", "[{connect: wrench}, discover, disconnect, {connect: wrench}, {read: preset}]", 1,
     "has not discovered it"},
    {"{name: t}", "[{connect: wrench}, discover, disconnect, {connect: wrench}, {read: preset}]", 0,
     "120.0 N m  [b0 04]"},
    {"{name: t, resubscribes: false}",
     "[{connect: wrench}, discover, {subscribe: live torque}, disconnect, {connect: wrench}, discover, {set: trigger, "
     "to: on}, "
     "{expect none: live torque, for: 3 s}]",
     0, "none came"},
    {"{name: t, kind: eavesdropping}", "[{connect: wrench}, discover, {read: battery level}, {read: live torque}]", 0,
     "87 %  [57]"},
    /* who knows nothing goes by the presentation format, or by nothing */
    {"{name: t, kind: eavesdropping}", "[{connect: wrench}, discover, {read: live torque}]", 0, "0.0 N m  [00 00]"},
    {"{name: t, kind: eavesdropping}", "[{connect: wrench}, discover, {read: preset}]", 0, "  b0 04 (uint16 1200)"},
    /* several at once, and again and again */
    {"{name: a}, {name: b}",
     "[{parallel: [{who: a, steps: [{connect: wrench}, discover, {read: preset}]}, {who: b, steps: [{connect: wrench}, "
     "discover, {read: preset}]}]}]",
     0, "b  read preset     120.0 N m"},
    {"{name: a}, {name: b}, {name: c}",
     "[{connect: wrench, who: a}, {connect: wrench, who: b}, {connect: wrench, who: c, within: 3 s, fails: could not "
     "connect}]",
     0, "could not connect within 3 s"}, /* its limits say two */
    {"{name: t}", "[{repeat: 3, steps: [{connect: wrench}, disconnect]}, {wait: 1 ms}]", 0, "7 steps"},
    {"{name: t}", "[{repeat: 3, steps: [{connect: wrench}, end]}]", 0, "2 steps"},
    {"{name: t}", "[{parallel: [{wait: 24 h}, {steps: [{wait: 1 s}, end]}]}]", 0, "2 steps, 1.050 s simulated"},
    {"{name: t}", "[{parallel: [{wait: 1 s}, {read: preset}]}]", 1, "has not discovered it"},
    /* as long as the others, nothing may come */
    {"{name: t}",
     "[{connect: wrench}, discover, {subscribe: live torque}, {parallel: [{expect none: live torque}, {expect no log: "
     "notifications of, who: wrench}, {wait: 1 s}]}, {set: trigger, to: on}, {expect: live torque}]",
     0, "expect none live torque           none came"},
    {"{name: t}",
     "[{connect: wrench}, discover, {subscribe: live torque}, {parallel: [{expect none: live torque}, {steps: [{wait: "
     "1 s}, {set: trigger, to: on}, {wait: 1 s}]}]}]",
     1, "expected  no value meanwhile"},
    {"{name: t}",
     "[{connect: wrench}, discover, {parallel: [{subscribe: live torque}, {expect no log: live torque are on, who: "
     "wrench}]}]",
     1, "expected  no \"live torque are on\" in the log meanwhile"},
    {"{name: t}", "[{connect: wrench}, discover, {parallel: [{expect none: live torque}]}]", 2,
     "all of these steps last as long as the others"},
    {"{name: t}", "[{connect: wrench}, discover, {parallel: [{wait: 1 s}, {steps: [{expect none: preset}]}]}]", 2,
     "\"expect none\" needs \"for\""},
    {"{name: t}", "[{set: arms, to: on}]", 2,
     "the firmware of wrench has no input \"arms\"; it has \"trigger\", \"battery level\""},
    {"{name: t}", "[{power: \"off\", who: wrench}, {set: trigger, to: on}]", 1, "wrench has no power"},
    {"{name: t}", "[{power: on, who: wrench}, {power: \"off\", who: wrench}, {power: \"off\", who: wrench}]", 0,
     "it was off already"},
    {"{name: t}", "[{store: broken, who: wrench}]", 2, "store is not known: \"broken\""},
    {"{name: t}", "[{store: fails, who: wrench}, {store: works, who: t}]", 0, "store fails"},
};

static void each_step_and_trait_does_what_it_says(void **state)
{
    (void)state;
    for (size_t i = 0; i < COUNT(wrench_cases); i++) {
        char body[3000];
        (void)snprintf(body, sizeof body, WITH_WRENCH "centrals: [%s]\nsteps: %s\n", wrench_cases[i].centrals,
                       wrench_cases[i].steps);
        struct outcome outcome = rehearse(body, "");
        assert_says(&outcome, wrench_cases[i].status, wrench_cases[i].says);
    }
}

/* How many packets a central sent while it discovered for the second time. */
static size_t packets_of_second_discovery(const char *table)
{
    char body[2000];
    (void)snprintf(body, sizeof body,
                   WITH_WRENCH
                   "centrals: [{name: t, table: %s}]\nsteps: [{connect: wrench}, discover, disconnect, {connect: "
                   "wrench}, discover]\n",
                   table);
    struct outcome outcome = rehearse(body, "--json");
    assert_int_equal(outcome.status, 0);
    json_t *root = json_loads(outcome.out, 0, NULL);
    const json_t *steps =
        json_object_get(json_array_get(json_object_get(json_array_get(root, 0), "takes"), 0), "steps");
    const json_t *last = json_array_get(steps, json_array_size(steps) - 1);
    double passed_s =
        json_number_value(json_object_get(last, "ended_s")) - json_number_value(json_object_get(last, "began_s"));
    json_decref(root);
    return (size_t)(passed_s / 0.030 + 0.5); /* one request in each connection event */
}

static void a_remembered_table_saves_the_discovery(void **state)
{
    (void)state;
    assert_int_equal(packets_of_second_discovery("trusts"), 0);
    assert_true(packets_of_second_discovery("forgets") > 15);
    /* the wrench has no hash, so who asks must discover */
    assert_true(packets_of_second_discovery("asks") > packets_of_second_discovery("forgets"));
}

static void an_impatient_central_leaves_a_device_that_does_not_answer(void **state)
{
    (void)state;
    /* all is jammed for longer than its patience, and shorter than its supervision timeout */
    struct outcome outcome = rehearse(
        WITH_WRENCH
        "centrals: [{name: t, patience: 500 ms, supervision timeout: 4 s}]\nsteps: [{connect: wrench}, discover, {"
        "parallel: [{jam: all, for: 2 s}, {read: preset, fails: no answer came}]}, {expect disconnection: wrench, "
        "within: 6 s}]\n",
        "");
    assert_says(&outcome, 0, "no answer came within 0.5 s, so it disconnects");
}

static void distance_loses_packets_and_then_the_link(void **state)
{
    (void)state;
    struct outcome outcome =
        rehearse("air: outdoors\n" WITH_WRENCH
                 "centrals: [{name: near, at: [5 m, 0 m]}, {name: far, at: [0 m, 4000 m]}]\nsteps:\n  - "
                 "{find: Torvane T2, who: near}\n  - {find: Torvane T2, who: far, within: 5 s, fails: has not found "
                 "it}\n  - {walk: "
                 "[0 m, 20 m], who: far, for: 3 s}\n  - {find: Torvane T2, who: far}\n  - {walk: [9000 m, 0 m], who: "
                 "wrench}\n  - "
                 "{find: Torvane T2, who: near, within: 5 s, fails: has not found it}\n",
                 "");
    assert_says(&outcome, 0, "it stands at [0 m, 20 m]");
}

/* A device that is only heard by who hears extended, or even coded, advertising; and one that tells of latency. */
static void an_older_controller_does_not_hear_what_is_extended(void **state)
{
    static const struct {
        const char *traits;
        int status;
        const char *says;
    } cases[] = {
        {"kind: old", 1, "has not found it within 5 s"},
        {"kind: polite", 1, "has not found it within 5 s"},
        {"kind: polite, coded: true", 0, "connected, every 30 ms, with an MTU of 247"},
        {"kind: drowsy, coded: true", 0, "every 400 ms, 4 of them may be left out, timeout 20000 ms"},
    };
    char body[1500];
    char path[400];
    (void)state;
    (void)snprintf(
        path, sizeof path, "%s",
        scratch_file(
            "far.device.yaml",
            "device: {name: Far mast}\nadvertising: {interval: 200 ms, extended: true, primary phy: coded, phy: "
            "coded}\nservices: [{use: battery}]\n"));
    for (size_t i = 0; i < COUNT(cases); i++) {
        (void)snprintf(
            body, sizeof body,
            "devices: [{name: far, definition: %s}]\ncentrals: [{name: t, %s}]\nsteps: [{find: Far mast, within: 5 "
            "s}, connect, {expect log: connected by}]\n",
            path, cases[i].traits);
        struct outcome outcome = rehearse(body, "--steps");
        assert_says(&outcome, cases[i].status, cases[i].says);
    }
}

/* devices that their definition plays */

static void a_stand_in_takes_any_value_and_moves_no_more(void **state)
{
    (void)state;
    struct outcome outcome = rehearse(
        WITH_SCALE
        "centrals: [{name: t}]\nsteps: [{connect: scale}, discover, {subscribe: load}, {expect: load, rate: [9, 11], "
        "for: "
        "2 s}, {set: load, to: 12.5 kg}, {expect: load, is: 12.5 kg}, {expect none: load, for: 5 s}, {set: battery "
        "level, to: 3 %}, {read: battery level, is: 3 %}, {power: cycle, who: scale}, {find: Hook scale}, connect, "
        "discover, {read: battery level, is: 100 %}]\n",
        "");
    assert_says(&outcome, 0, "100 %  [64]");
}

static void a_recorded_value_comes_row_by_row_and_from_the_beginning_again(void **state)
{
    (void)state;
    struct outcome outcome =
        rehearse("devices: [{name: turnstile, definition: " YARNSWIFT_ROOT
                 "/tests/recorded.device.yaml}]\ncentrals: [{name: t}]\nsteps: [{connect: turnstile}, discover, "
                 "{subscribe: angle}, {expect: angle, is: 11 degree}, {expect: angle, is: -22 degree}, {expect: angle, "
                 "is: 33 degree}, {expect: angle, is: 11 degree}, {expect: angle, rate: [9, 11], for: 2 s}]\n",
                 "");
    assert_says(&outcome, 0, "passed");
}

static void two_who_wait_for_lines_of_one_log_do_not_take_them_from_each_other(void **state)
{
    (void)state;
    struct outcome outcome = rehearse(
        WITH_WRENCH
        "centrals: [{name: t}]\nsteps: [{parallel: [{expect log: disconnected, who: wrench}, {expect log: agreed on "
        "an MTU, who: wrench}, {expect log: connected by, who: wrench}, {who: t, steps: [{connect: wrench}, {wait: 1 "
        "s}, disconnect]}]}]\n",
        "");
    assert_says(&outcome, 0, "connected by");
}

static void two_stand_ins_meet_each_other(void **state)
{
    (void)state;
    struct outcome outcome =
        rehearse("devices:\n" STAND_IN("north", SCALE)
                     STAND_IN("south", SCALE) "steps:\n  - who: north\n    steps: [{find address: south}, "
                                              "connect, discover, {read: battery level, of: south, is: 100 %}, "
                                              "{subscribe: load, of: south}, {expect: load, of: "
                                              "south, rate: [9, 11], for: 2 s}]\n  - {power: \"off\", who: north}\n  - "
                                              "{expect log: disconnected, who: south}\n",
                 "");
    assert_says(&outcome, 0, "disconnected");
}

/* Whatever its type is, which is not written. */
static void an_address_is_found_as_it_is_written(void **state)
{
    (void)state;
    struct outcome outcome = rehearse(
        "devices:\n" STAND_IN(
            "line", YARNSWIFT_ROOT
            "/tests/line.device.yaml") "centrals: [{name: t}]\nsteps: [{find address: \"C6:12:00:5E:10:01\", within: "
                                       "5 s}, connect, discover, {read: answer, is: 42}]\n",
        "");
    assert_says(&outcome, 0, "42  [2a 00]");
}

/* firmware */

static void devices_with_the_same_firmware_share_nothing(void **state)
{
    (void)state;
    struct outcome outcome = rehearse(
        "devices:\n" DEVICE("a", MISBEHAVING, "misbehaving") DEVICE("b", MISBEHAVING, "misbehaving")
            DEVICE("c", MISBEHAVING, "misbehaving") "centrals: [{name: t}]\nsteps: [{set: add, who: a, to: 5}, {set: "
                                                    "add, who: b, to: 7}, {expect log: counted to 5, "
                                                    "who: a}, {expect log: counted to 7, who: b}, {connect: c}, "
                                                    "{discover: c}, {read: count, of: c, is: 0}]\n",
        "");
    assert_says(&outcome, 0, "counted to 7");
}

#define WITH_TIME "devices:\n" DEVICE("d", TIMELY, "timely") "centrals: [{name: t}]\n"

/* A contact that bounces counts once, 5 ms after it has closed; a light blinks every 250 ms, an answer takes 2 s, and
 * what the loop wants to do every 100 ms is done. */
static void firmware_has_time(void **state)
{
    (void)state;
    struct outcome outcome = rehearse(
        WITH_TIME
        "steps: [{connect: d}, {discover: d}, {subscribe: count, of: d}, {set: contact, who: d, to: 1}, {wait: 1 ms}, "
        "{set: contact, who: d, to: 0}, {wait: 1 ms}, {set: contact, who: d, to: 1}, {expect: count, is: 1, of: d, "
        "within: 100 ms}, {expect none: count, of: d, for: 1 s}, {power: \"off\", who: d}, {power: \"on\", who: d}, "
        "{wait: 4 s}, {connect: d}, {discover: d}, {read: blinks, of: d, between: [15, 22]}, {read: delayed, of: d, "
        "is: "
        "42}, {read: turns, of: d, between: [60, 90]}]\n",
        "");
    assert_says(&outcome, 0, "");
}

/* Static variables are as after a reset, though the module is not loaded anew. */
static void a_device_without_power_forgets_what_is_in_ram(void **state)
{
    (void)state;
    struct outcome outcome = rehearse(
        WITH_TIME
        "steps: [{connect: d}, {discover: d}, {set: contact, who: d, to: 1}, {wait: 1 s}, {read: count, is: 1}, "
        "{power: "
        "cycle, who: d}, {connect: d}, {discover: d}, {read: count, is: 0}, {read: turns, of: d, between: [5, 20]}]\n",
        "");
    assert_says(&outcome, 0, "");
}

/* As on the target, where nobody would refuse it, and it would fail some day. */
static void what_an_interrupt_must_not_do_is_refused(void **state)
{
    char text[60];
    (void)state;
    (void)snprintf(text, sizeof text, "stopped with %d", YS_ERROR_CONTEXT);
    struct outcome outcome = rehearse(WITH_TIME "steps: [{set: stop in an interrupt, who: d, to: 1}, {set: stop in the "
                                                "loop, who: d, to: 1}]\n",
                                      "--log");
    assert_says(&outcome, 0, text);
    assert_says(&outcome, 0, "ys_advertise_stop 0");
    assert_says(&outcome, 0, "was called from an interrupt, where only");
    assert_says(&outcome, 0, "stopped with 0");
}

/* A network on channel 6 disturbs data channels 11 to 20: who adapts leaves them out, after a while. */
static void a_central_that_adapts_leaves_a_network_alone(void **state)
{
    (void)state;
    for (int adapts = 0; adapts < 2; adapts++) {
        char body[1000];
        (void)snprintf(
            body, sizeof body,
            "scene: A test\nair: outdoors\ndisturbers: [{kind: network, duty: 90 %%, at: [6 m, 1 m]}]\n" WITH_WRENCH
            "centrals: [{name: t, at: [6 m, 0 m], adapts: %s}]\nsteps: [{connect: wrench, within: 20 s}, {wait: 60 "
            "s}]\n",
            adapts ? "true" : "false");
        char line[700];
        (void)snprintf(line, sizeof line,
                       "trace '%s' --layer air --filter 'channel >= 13 and channel <= 18 and time > 40 s' --expect 0",
                       scratch_file("one.scene.yaml", body));
        struct outcome outcome = run_command(line);
        assert_int_equal(outcome.status, adapts ? 0 : 1);
    }
}

/* Who are more than two harm each other unless the air is said to be perfect. */
static void a_crowd_is_not_in_perfect_air_unless_that_is_said(void **state)
{
    static const struct {
        const char *air;
        const char *disturbers;
        const char *within;
        int status;
    } cases[] = {
        {"", "", "3 s", 0},
        {"air: perfect\n", "disturbers: [{kind: advertisers, count: 100, interval: 20 ms, around: 0 m}]\n", "3 s", 0},
        {"", "disturbers: [{kind: advertisers, count: 100, interval: 20 ms, around: 0 m}]\n", "3 s", 1},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        char body[1000];
        (void)snprintf(body, sizeof body,
                       "%s%s" WITH_WRENCH "centrals: [{name: t}]\nsteps: [{find: Torvane T2, within: %s}]\n",
                       cases[i].air, cases[i].disturbers, cases[i].within);
        struct outcome outcome = rehearse(body, "");
        assert_int_equal(outcome.status, cases[i].status);
    }
}

static void firmware_that_crashes_is_named_and_the_other_scenes_are_played(void **state)
{
    static const struct {
        const char *step;
        const char *says;
    } cases[] = {
        {"{write: trouble, to: 1}",
         "the firmware of rogue crashed (it used memory that is not its own) in the write handler of "
         "trouble"},
        {"{write: trouble, to: 2}", "the firmware of rogue crashed (arithmetic error, such as a division by zero) in "
                                    "the write handler of trouble"},
        {"{write: trouble, to: 3}", "the firmware of rogue crashed (it ended itself) in the write handler of trouble"},
        {"{write: trouble, to: 5}", "crashed (it used memory that is not its own) in its timer interrupt"},
        {"{set: fail, to: 1}", "crashed (it used memory that is not its own) in its input of fail"},
        {"{write: trouble, to: 6}",
         "the firmware of rogue did not come back within 10 s in the write handler of trouble"},
        {"{write: trouble, to: 7}", "the firmware of rogue called exit in the write handler of trouble"},
        {"{write: trouble, to: 8}", "the process of the scene ended without a result"},
        {"{set: fail, to: 4}", "the firmware of rogue did not come back within "},
        {"{set: fail, to: 9}",
         "over 100,000 events at the same time; the last firmware called was that of rogue, in its work"},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        char body[2000];
        (void)snprintf(body, sizeof body,
                       WITH_TIMELESS_TROUBLE
                       "centrals: [{name: t}]\nsteps: [{connect: rogue}, discover, %s, {wait: 1 s}]\n",
                       cases[i].step);
        struct outcome outcome = rehearse(body, "'" SCENES "crib.scene.yaml'");
        assert_says(&outcome, 2, cases[i].says);
        assert_non_null(strstr(outcome.out, "passed  " SCENES "crib.scene.yaml"));
        assert_non_null(strstr(outcome.out, "broken  "));
    }
}

/* A take that failed is played once more for its packets, of which nobody else hears. */
static void a_take_that_fails_shows_its_packets_and_speaks_once(void **state)
{
    static const char spoken[] = "the rogue speaks";
    static const char body[] =
        WITH_TROUBLE "centrals: [{name: t}]\nsteps: [{connect: rogue}, discover, {set: fail, to: 10}, "
                     "{read: count, is: 999}]\n";
    (void)state;
    struct outcome outcome = rehearse(body, "");
    assert_says(&outcome, 1, "the last packets on the air that told something:");
    const char *first = strstr(outcome.err, spoken);
    assert_non_null(first);
    assert_null(strstr(first + 1, spoken));
    char *shown = strdup(outcome.out);
    /* the same packets as of a take that kept them at once */
    struct outcome several = rehearse(body, "--json");
    json_t *json = json_loads(strchr(several.out, '['), 0, NULL);
    const json_t *packets =
        json_object_get(json_array_get(json_object_get(json_array_get(json, 0), "takes"), 0), "packets");
    assert_true(json_array_size(packets) > 3);
    const json_t *packet;
    size_t index;
    json_array_foreach(packets, index, packet)
    {
        assert_non_null(strstr(shown, json_string_value(packet)));
    }
    json_decref(json);
    free(shown);
    /* of several seeds the first that failed is shown */
    outcome = rehearse(body, "--runs 3");
    assert_says(&outcome, 1, "the last packets on the air that told something:");
    assert_non_null(strstr(outcome.out, "0 of 3 seeds; failed with --seed 1, 2, 3"));
}

/* Whoever has no power does nothing, and says so. */
static void what_has_no_power_does_nothing(void **state)
{
    static const struct {
        const char *who;
        const char *step;
        const char *says;
    } cases[] = {
        {"t", "{forget: everybody, who: t}", "cannot forget everybody: it has no power"},
        {"safe", "{forget: everybody, who: safe}", "cannot forget everybody: it has no power"},
        {"t", "{advertise: true, who: t}", "it cannot advertise: "},
        {"t", "{connect: safe, who: t}", "cannot connect: "},
        {"t", "{find: Rights, who: t}", "cannot scan: "},
        {"t", "{touch: safe, who: t}", "cannot be held to safe: it has no power"},
        {"safe", "{touch: safe, who: t}", "cannot be held to safe: it has no power"},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        char body[1000];
        (void)snprintf(
            body, sizeof body,
            "devices:\n" STAND_IN("safe", RIGHTS) "centrals: [{name: t}]\nsteps: [{power: off, who: %s}, %s]\n",
            cases[i].who, cases[i].step);
        struct outcome outcome = rehearse(body, "");
        assert_says(&outcome, 1, cases[i].says);
    }
}

/* A value of another length is none, whatever is asked of it; what fills a packet may be longer. */
static void a_value_that_does_not_fit_its_format_fails(void **state)
{
    static const struct {
        const char *steps;
        int status;
        const char *says;
    } cases[] = {
        {"{set: put, to: 2}, {read: count}, {subscribe: count}, {set: add, to: 1}, {expect: count}", 0, "passed"},
        {"{set: put, to: 1}, {read: count}", 1, "1 bytes where uint16 has 2  [00]: this does not fit its format"},
        {"{set: put, to: 3}, {read: count, fails: does not fit}", 0, "passed"},
        {"{set: put, to: 0}, {read: count}", 1, "(empty): this does not fit its format"},
        {"{subscribe: count}, {set: put, to: 3}, {expect: count}", 1,
         "3 bytes where uint16 has 2  [00 00 00]: this does not fit its format"},
        {"{subscribe: count}, {set: put, to: 1}, {expect: count, for: 1 s}", 1, "this does not fit its format"},
        {"{subscribe: count}, {set: put, to: 1}, {expect: count, in order: [0, 1]}", 1, "this does not fit its format"},
        {"{subscribe: count}, {set: put, to: 300}, {expect: count}", 0, "passed"},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        char body[2000];
        (void)snprintf(body, sizeof body,
                       WITH_TROUBLE "centrals: [{name: t}]\nsteps: [{connect: rogue}, discover, %s]\n", cases[i].steps);
        struct outcome outcome = rehearse(body, "");
        assert_says(&outcome, cases[i].status, cases[i].says);
    }
}

static void a_take_that_would_never_end_is_broken_off(void **state)
{
    (void)state;
    struct outcome outcome =
        rehearse("devices:\n" STAND_IN("scale", SCALE) "centrals: [{name: t}]\nsteps: [{repeat: "
                                                       "1000000, steps: [{connect: scale}, {disconnect: scale}]}]\n",
                 "--time-limit 1 --jobs 1 '" SCENES "crib.scene.yaml'");
    assert_says(&outcome, 2, "the simulation did not come to its end within 1"); /* s of the processor, or 10 in all */
    assert_non_null(strstr(outcome.out, "passed  " SCENES "crib.scene.yaml"));
}

/* The host that firmware meets is that of its target: with the memory that the firmware gives it, and no more. */
static void firmware_has_what_it_gives_and_the_sizes_of_its_definition(void **state)
{
    static const char steps[] = "devices:\n" DEVICE(
        "d", BEACONS,
        "beacons") "steps: [%s{expect log: \"says: first %u\", who: d}, {expect log: \"says: second %u\", "
                   "who: d}, {expect log: room for connections 3, who: d}, {expect log: room for sets 2, "
                   "who: d}]\n";
    char body[1500];
    (void)state;
    for (int gives = 0; gives < 2; gives++) {
        assert_int_equal(gives ? unsetenv("BEACONS_FORGET") : setenv("BEACONS_FORGET", "1", 1), 0);
        (void)snprintf(body, sizeof body, steps, gives ? "" : "{expect log: call ys_host_use_sets before, who: d}, ",
                       gives ? YS_OK : YS_ERROR_UNSUPPORTED, gives ? YS_OK : YS_ERROR_NO_ROOM);
        struct outcome outcome = rehearse(body, "");
        assert_says(&outcome, 0, "passed");
    }
}

static void a_module_that_does_not_fit_is_refused(void **state)
{
    (void)state;
    struct outcome outcome = rehearse("devices:\n" DEVICE("d", SCALE, "misbehaving") "steps: [{wait: 1 s}]\n", "");
    assert_says(&outcome, 2, "was built for another definition than ");
    assert_non_null(strstr(outcome.err, "they differ from handle 0x00"));
    outcome = rehearse("devices:\n" DEVICE("d", SCALE, "no_module") "steps: [{wait: 1 s}]\n", "");
    assert_says(&outcome, 2, "no_module.so is no module of firmware: write YS_MODULE(...)");
    outcome = rehearse("devices:\n" DEVICE("d", SCALE, "absent") "steps: [{wait: 1 s}]\n", "");
    assert_says(&outcome, 2, "there is no module \"absent\": build it");
    char body[1500];
    (void)snprintf(body, sizeof body, "devices:\n" DEVICE("d", SCALE, "%s") "steps: [{wait: 1 s}]\n",
                   scratch_file("text.so", "this is no library"));
    outcome = rehearse(body, "");
    assert_says(&outcome, 2, "cannot load it: ");
}

static void modules_are_looked_for_where_they_are_said_to_be(void **state)
{
    char line[1000];
    (void)state;
    const char *folder = scratch_folder("some_modules");
    (void)snprintf(line, sizeof line,
                   "cp \"$(dirname '" YARNSWIFT_COMMAND "')/../modules/misbehaving.so\" '%s/other_name.so'", folder);
    assert_int_equal(system(line), 0);
    (void)snprintf(line, sizeof line, "--modules '%s'", folder);
    static const char body[] = "devices:\n" DEVICE("d", MISBEHAVING, "other_name") "steps: [{expect log: is ready}]\n";
    struct outcome outcome = rehearse(body, line);
    assert_says(&outcome, 0, "is ready");
    outcome = rehearse(body, "");
    assert_says(&outcome, 2, "there is no module \"other_name\"");
}

/* what is wrong */

static void a_scene_that_cannot_be_read_does_not_stop_the_others(void **state)
{
    (void)state;
    struct outcome outcome = run_command("rehearse /nowhere/none.scene.yaml '" SCENES "crib.scene.yaml'");
    assert_says(&outcome, 2, "/nowhere/none.scene.yaml: cannot read it: No such file or directory");
    assert_non_null(strstr(outcome.out, "passed  " SCENES "crib.scene.yaml"));
    outcome = run_command("rehearse");
    assert_says(&outcome, 2, "name a scene, such as NAME.scene.yaml");
    outcome = run_command("rehearse --runs 0 x");
    assert_says(&outcome, 2, "--runs must be a number from 1 to 1000000, not \"0\"");
    outcome = run_command("rehearse --jobs 99 x");
    assert_says(&outcome, 2, "--jobs must be a whole number from 1 to 64");
    outcome = run_command("rehearse --seed x x");
    assert_says(&outcome, 2, "--seed must be a whole number from 0 on, not \"x\"");
}

static void every_kind_of_central_meets_the_wrench(void **state)
{
    static const char *const kinds[] = {"polite",        "forgetful", "stubborn", "old",
                                        "eavesdropping", "impatient", "drowsy"};
    (void)state;
    for (size_t i = 0; i < COUNT(kinds); i++) {
        char body[2000];
        (void)snprintf(
            body, sizeof body,
            WITH_WRENCH
            "centrals: [{name: t, kind: %s}]\nsteps: [{find service: tightening}, connect, discover, {write: "
            "preset, to: 42.0 N m}, {subscribe: bolt result}, {set: trigger, to: on}, {wait: 3 s}, "
            "{expect: bolt result, field: peak torque, is: 42.0 N m}, disconnect, {find service: "
            "tightening}]\n",
            kinds[i]);
        struct outcome outcome = rehearse(body, "--runs 3");
        assert_says(&outcome, 0, "3 of 3 seeds");
    }
}

#define JAMMED                                                                                                         \
    "[0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15, 16, 17, 18, 19, 20, 21, 22, 23, 24, 25, 26, 27, 28, 29, "  \
    "30, 31, 32, 33, 34, 35, 36]"

static void connecting_ends_in_time_though_it_is_tried_again_and_again(void **state)
{
    static const struct {
        const char *step;
        double most_s;
    } cases[] = {
        {"{connect: wrench, within: 3 s, fails: failed to be established}", 3.2},
        {"{steps: [{connect: wrench, within: 1 s, fails: 0x3E}, {connect: wrench, within: 1 s, fails: 0x3E}]}", 2.2},
        {"{connect: wrench, fails: could not}", 2.2},
        {"{parallel: [{connect: wrench, within: 1 s, fails: could not}, {wait: 2 s}]}", 2.2}};
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        char body[2000];
        (void)snprintf(body, sizeof body,
                       WITH_WRENCH "centrals: [{name: t, patience: 2 s}]\nsteps: [{jam: " JAMMED
                                   "}, %s, {jam: []}, {wait: 1 s}, {connect: wrench, within: 5 s}]\n",
                       cases[i].step);
        struct outcome outcome = rehearse(body, "");
        assert_says(&outcome, 0, "connected, every");
        const char *simulated = strstr(outcome.out, "steps, ");
        assert_non_null(simulated);
        assert_true(strtod(simulated + strlen("steps, "), NULL) < cases[i].most_s + 1.5);
    }
}

/* What the others were doing goes on, and ends in the memory that it began in. */
static void a_group_may_fail_while_others_of_it_are_at_work(void **state)
{
    (void)state;
    static const char *const groups[] = {
        "{parallel: [{read: preset}, {read: preset, is: 20.0 N m}, {read: preset}, {discover: wrench}]}",
        "{parallel: [{parallel: [{read: preset}, {subscribe: bolt result}]}, {read: preset, fails: busy}]}",
        "{parallel: [{disconnect: wrench}, {read: preset, is: 20.0 N m}, {write: preset, to: 20.0 N m}]}",
        "{parallel: [{find: nobody at all, who: u, within: 10 s, fails: has not found it}, {read: preset, is: 20.0 N "
        "m}]}",
    };
    for (size_t i = 0; i < COUNT(groups); i++) {
        char body[1000];
        (void)snprintf(body, sizeof body,
                       WITH_WRENCH
                       "centrals: [{name: t}, {name: u}]\nsteps: [{who: t, steps: [{connect: wrench}, discover, "
                       "{parallel: [%s, {wait: 3 s}]}]}]\n",
                       groups[i]);
        struct outcome outcome = rehearse(body, "");
        assert_says(&outcome, 1, "FAILED");
    }
}

#define PEG                                                                                                            \
    "device:\n  name: Peg\n  limits: {connections: 2, bonds: 1}\n"                                                     \
    "  security: {capability: none, when full: forget}\n"                                                              \
    "advertising: {interval: 50 ms, findable: always, services: [peg]}\n"                                              \
    "services:\n  - name: peg\n    uuid: 5e8f0000-93a1-4b57-8d2e-61f4a7c3d908\n    characteristics:\n"                 \
    "      - {name: level, uuid: +1, format: uint8, read: encrypted, notify: encrypted, handler: read,\n"              \
    "         simulate: {shape: ramp, from: 0, to: 200, period: 10 s, every: 100 ms}}\n"

/* Who was forgotten for another is still connected; what it subscribes to is not the other's. */
static void the_place_of_a_forgotten_peer_is_not_written_by_it(void **state)
{
    (void)state;
    (void)scratch_file("peg.device.yaml", PEG);
    struct outcome outcome =
        rehearse("devices: [{name: peg, definition: peg.device.yaml}]\ncentrals: [{name: t}, {name: u}]\nsteps:\n"
                 "- {who: t, steps: [{connect: peg}, discover, {pair: peg}]}\n"
                 "- {who: u, steps: [{connect: peg}, discover, {pair: peg}, {wait: 100 ms}]}\n"
                 "- {who: t, steps: [{subscribe: level}, {expect: level}]}\n"
                 "- {who: u, steps: [disconnect, {connect: peg}, {pair: peg}, {expect none: level, for: 1 s}]}\n",
                 "");
    assert_says(&outcome, 0, "none came");
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(the_days_of_the_wrench_pass_with_any_seed),
        cmocka_unit_test(a_step_may_fail_for_one_of_several_reasons),
        cmocka_unit_test(every_step_that_waits_has_its_time),
        cmocka_unit_test(a_device_that_tells_the_beginning_of_its_name_is_found_by_the_whole),
        cmocka_unit_test(a_device_has_the_controller_that_the_scene_says),
        cmocka_unit_test(an_hour_with_two_centrals_passes),
        cmocka_unit_test(a_scene_that_fails_says_what_was_expected_what_came_and_what_was_on_the_air),
        cmocka_unit_test(the_same_seed_gives_the_same_however_many_are_played_at_once),
        cmocka_unit_test(json_tells_every_step_with_its_time),
        cmocka_unit_test(build_servers_get_their_xml),
        cmocka_unit_test(each_step_and_trait_does_what_it_says),
        cmocka_unit_test(a_remembered_table_saves_the_discovery),
        cmocka_unit_test(an_impatient_central_leaves_a_device_that_does_not_answer),
        cmocka_unit_test(distance_loses_packets_and_then_the_link),
        cmocka_unit_test(an_older_controller_does_not_hear_what_is_extended),
        cmocka_unit_test(a_stand_in_takes_any_value_and_moves_no_more),
        cmocka_unit_test(a_recorded_value_comes_row_by_row_and_from_the_beginning_again),
        cmocka_unit_test(two_who_wait_for_lines_of_one_log_do_not_take_them_from_each_other),
        cmocka_unit_test(two_stand_ins_meet_each_other),
        cmocka_unit_test(an_address_is_found_as_it_is_written),
        cmocka_unit_test(devices_with_the_same_firmware_share_nothing),
        cmocka_unit_test(firmware_has_time),
        cmocka_unit_test(a_device_without_power_forgets_what_is_in_ram),
        cmocka_unit_test(what_an_interrupt_must_not_do_is_refused),
        cmocka_unit_test(a_central_that_adapts_leaves_a_network_alone),
        cmocka_unit_test(a_crowd_is_not_in_perfect_air_unless_that_is_said),
        cmocka_unit_test(firmware_that_crashes_is_named_and_the_other_scenes_are_played),
        cmocka_unit_test(what_has_no_power_does_nothing),
        cmocka_unit_test(a_value_that_does_not_fit_its_format_fails),
        cmocka_unit_test(a_take_that_would_never_end_is_broken_off),
        cmocka_unit_test(firmware_has_what_it_gives_and_the_sizes_of_its_definition),
        cmocka_unit_test(a_module_that_does_not_fit_is_refused),
        cmocka_unit_test(modules_are_looked_for_where_they_are_said_to_be),
        cmocka_unit_test(a_scene_that_cannot_be_read_does_not_stop_the_others),
        cmocka_unit_test(a_take_that_fails_shows_its_packets_and_speaks_once),
        cmocka_unit_test(every_kind_of_central_meets_the_wrench),
        cmocka_unit_test(connecting_ends_in_time_though_it_is_tried_again_and_again),
        cmocka_unit_test(a_group_may_fail_while_others_of_it_are_at_work),
        cmocka_unit_test(the_place_of_a_forgotten_peer_is_not_written_by_it),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
