/* Scenes in real time with controllers that are outside: here simulated ones, which `yarnswift air` offers at sockets,
 * in another process. Neither side knows the difference. */
#include "support/check.h"

#include <pty.h>
#include <signal.h>
#include <stdbool.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include <jansson.h>

#include "support/run.h"

#define SCENE "'" YARNSWIFT_ROOT "/examples/scenes/over_a_line.scene.yaml'"

static char folder[500];

/* A command in a process of its own. */
static pid_t begin(const char *arguments)
{
    char line[2000];
    (void)snprintf(line, sizeof line, "exec '" YARNSWIFT_COMMAND "' %s >/dev/null 2>&1", arguments);
    pid_t pid = fork();
    assert_true(pid >= 0);
    if (pid == 0) {
        (void)execl("/bin/sh", "sh", "-c", line, (char *)NULL);
        _exit(127);
    }
    return pid;
}

static int end(pid_t pid, int number)
{
    int status = 0;
    if (number != 0)
        (void)kill(pid, number);
    assert_int_equal(waitpid(pid, &status, 0), pid);
    return WIFEXITED(status) ? WEXITSTATUS(status) : 128;
}

/* Two controllers at sockets. */
static pid_t begin_air(void)
{
    char line[700];
    char path[600];
    (void)snprintf(folder, sizeof folder, "%s", scratch_folder("live"));
    (void)snprintf(line, sizeof line, "air --controllers 2 --sockets '%s' --seconds 60", folder);
    pid_t pid = begin(line);
    (void)snprintf(path, sizeof path, "%s/2", folder);
    for (int i = 0; i < 500 && access(path, F_OK) != 0; i++)
        (void)usleep(10000);
    (void)usleep(50000); /* it listens */
    return pid;
}

static struct outcome rehearse(const char *format, const char *more)
{
    char line[2000];
    (void)snprintf(line, sizeof line, format, folder, folder, more);
    return run_command(line);
}

static void a_scene_is_played_over_two_controllers_that_are_outside(void **state)
{
    (void)state;
    pid_t air = begin_air();
    struct outcome outcome = rehearse("rehearse --controller wrench='%s/1' --controller tablet='%s/2' %s", SCENE);
    if (outcome.status != 0)
        fail_msg("%s%s", outcome.out, outcome.err);
    assert_non_null(strstr(outcome.out, "84.0 N m"));
    assert_non_null(strstr(outcome.err, "in real time, for "));
    assert_int_equal(end(air, SIGINT), 0);
}

static void a_device_that_is_outside_is_met_by_its_name(void **state)
{
    char line[1000];
    (void)state;
    pid_t air = begin_air();
    const char *waits = scratch_file("live_device.scene.yaml",
                                     "scene: it is there\ndevices:\n  - {name: wrench, definition: " YARNSWIFT_ROOT
                                     "/examples/torque_wrench/torque_wrench.device.yaml}\nsteps: [{wait: 30 s}]\n");
    (void)snprintf(line, sizeof line, "rehearse --controller wrench='%s/1' -f wrench=torque_wrench '%s'", folder,
                   waits);
    pid_t device = begin(line);
    struct outcome outcome = rehearse("rehearse --controller tablet='%2$s/2' --outside wrench %3$s", SCENE);
    if (outcome.status != 0)
        fail_msg("%s%s", outcome.out, outcome.err);
    assert_non_null(strstr(outcome.out, "87 %"));
    /* who does not look for it does not know where it is */
    const char *hasty = scratch_file("live_hasty.scene.yaml",
                                     "scene: hasty\ndevices:\n  - {name: wrench, definition: " YARNSWIFT_ROOT
                                     "/examples/torque_wrench/torque_wrench.device.yaml}\ncentrals: [{name: tablet}]\n"
                                     "steps: [{connect: wrench}]\n");
    outcome = rehearse("rehearse --controller tablet='%2$s/2' --outside wrench '%3$s'", hasty);
    assert_int_equal(outcome.status, 1);
    assert_non_null(strstr(outcome.out, "find it by its name first"));
    (void)end(device, SIGTERM);
    assert_int_equal(end(air, SIGINT), 0);
}

static void a_person_at_the_prompt_has_a_real_controller_too(void **state)
{
    char line[2000];
    (void)state;
    pid_t air = begin_air();
    (void)snprintf(line, sizeof line,
                   "explore --controller central='%s/1' --controller torque_wrench='%s/2' '" YARNSWIFT_ROOT
                   "/examples/torque_wrench/torque_wrench.device.yaml' <'%s'",
                   folder, folder,
                   scratch_file("live.txt", "wait 200 ms\nconnect torque_wrench\nread battery level\nwait 200 ms\n"));
    struct outcome outcome = run_command(line);
    if (outcome.status != 0)
        fail_msg("%s%s", outcome.out, outcome.err);
    assert_non_null(strstr(outcome.out, "battery level: "));
    assert_int_equal(end(air, SIGINT), 0);
}

#define WRENCH "'" YARNSWIFT_ROOT "/examples/torque_wrench/torque_wrench.device.yaml'"

static struct outcome measure(const char *verb, const char *more, bool device)
{
    char line[2000];
    char other[600] = "";
    if (device)
        (void)snprintf(other, sizeof other, "--controller device='%s/1'", folder);
    (void)snprintf(line, sizeof line, "%s " WRENCH " --controller central='%s/2' %s %s", verb, folder, other, more);
    return run_command(line);
}

/* Both ends are played over controllers that are outside; what only the air knows is not told. */
static void a_stream_and_an_interval_are_measured_over_controllers_that_are_outside(void **state)
{
    double bps;
    char *unit;
    (void)state;
    pid_t air = begin_air();
    struct outcome outcome = measure("throughput", "--seconds 2 --packet-length 251 --phy 2M", true);
    if (outcome.status != 0)
        fail_msg("%s%s", outcome.out, outcome.err);
    const char *goodput = strstr(outcome.out, "goodput    ");
    assert_non_null(goodput);
    bps = strtod(goodput + strlen("goodput"), &unit);
    assert_ptr_equal(strstr(unit, " Mbit/s of value"), unit);
    assert_in_range((uintmax_t)(bps * 1000), 700, 1400);
    assert_non_null(strstr(outcome.out, "all in order, none missing"));
    assert_non_null(strstr(outcome.out, "link       2M, packets of 251 bytes"));
    assert_non_null(strstr(outcome.out, "cannot be seen by real controllers"));
    outcome = measure("interval", "--seconds 2 --runs 2 --scanner constant --json", true);
    if (outcome.status > 1) /* an expectation may fail where this machine stalls */
        fail_msg("%s%s", outcome.out, outcome.err);
    json_t *json = json_loads(outcome.out, 0, NULL);
    assert_non_null(json);
    double mean_ms = json_number_value(json_object_get(json_object_get(json, "interval_ms"), "mean"));
    assert_in_range((uintmax_t)mean_ms, 102, 118);
    assert_true(json_is_null(json_object_get(json, "packets")));
    assert_in_range((uintmax_t)json_integer_value(json_object_get(json, "events")), 12, 20);
    json_decref(json);
    assert_int_equal(end(air, SIGINT), 0);
}

/* The device is somebody else's: it is found by its name, and measured by what it notifies. */
static void a_device_that_is_outside_is_measured(void **state)
{
    char line[1000];
    (void)state;
    pid_t air = begin_air();
    const char *works = scratch_file("live_works.scene.yaml",
                                     "scene: it works\ndevices:\n  - {name: wrench, definition: " YARNSWIFT_ROOT
                                     "/examples/torque_wrench/torque_wrench.device.yaml}\n"
                                     "steps: [{wait: 5 s}, {set: trigger, who: wrench, to: on}, {wait: 30 s}]\n");
    (void)snprintf(line, sizeof line, "rehearse --controller wrench='%s/1' -f wrench=torque_wrench '%s'", folder,
                   works);
    pid_t device = begin(line);
    struct outcome outcome = measure("interval", "--seconds 1 --runs 1 --scanner constant", false);
    if (outcome.status > 1)
        fail_msg("%s%s", outcome.out, outcome.err);
    assert_non_null(strstr(outcome.out, "received by a real controller"));
    outcome = measure("throughput", "'live torque' --seconds 4", false);
    if (outcome.status != 0)
        fail_msg("%s%s", outcome.out, outcome.err);
    assert_non_null(strstr(outcome.out, "whether any is missing is known to the device alone"));
    /* what it does not have, or is not asked to do */
    outcome = measure("throughput", "preset --seconds 1", false);
    assert_int_equal(outcome.status, 2);
    assert_non_null(strstr(outcome.err, "must notify or indicate the stream"));
    (void)end(device, SIGTERM);
    assert_int_equal(end(air, SIGINT), 0);
}

/* A trace of the scene while it is played: of the interface, since nobody hears the air. */
static void a_scene_over_controllers_that_are_outside_is_traced(void **state)
{
    (void)state;
    pid_t air = begin_air();
    struct outcome outcome = rehearse("trace --follow --controller wrench='%s/1' --controller tablet='%s/2' %s", SCENE);
    if (outcome.status != 0)
        fail_msg("%s%s", outcome.out, outcome.err);
    assert_non_null(strstr(outcome.out, "write request"));
    assert_non_null(strstr(outcome.out, "84.0 N m"));
    assert_int_equal(end(air, SIGINT), 0);
}

static void what_real_controllers_cannot_do_is_refused(void **state)
{
    static const struct {
        const char *arguments;
        const char *words;
    } wrong[] = {
        {"throughput " WRENCH " --controller central=/nowhere --loss 3", "--loss is of a simulated air"},
        {"throughput " WRENCH " --controller central=/nowhere --plot x.svg", "--plot needs a simulation"},
        {"throughput " WRENCH " --controller central=/nowhere", "cannot open /nowhere"},
        {"throughput " WRENCH " --controller device=/nowhere", "the central needs one"},
        {"throughput " WRENCH " --controller tablet=/nowhere", "is not \"central\" or \"device\""},
        {"interval " WRENCH " --controller central=/nowhere --neighbours 3", "--neighbours is of a simulated air"},
        {"trace --follow " SCENE, "only a capture, or a scene with --controller"},
        {"trace --controller x=/nowhere " SCENE, "no device or central \"x\""},
        {"trace --outside wrench " SCENE, "--outside needs a real controller"},
        {"interval " WRENCH " --controller central=", "--controller takes WHO=WHERE"},
    };
    (void)state;
    for (size_t i = 0; i < sizeof wrong / sizeof wrong[0]; i++) {
        struct outcome outcome = run_command(wrong[i].arguments);
        assert_int_equal(outcome.status, 2);
        if (strstr(outcome.err, wrong[i].words) == NULL)
            fail_msg("%s: %s", wrong[i].arguments, outcome.err);
    }
}

static void a_controller_that_vanishes_ends_the_scene_with_words(void **state)
{
    char line[200];
    (void)state;
    pid_t air = begin_air();
    (void)snprintf(line, sizeof line, "sleep 1; kill -9 %d", (int)air);
    pid_t killer = fork();
    if (killer == 0) {
        (void)execl("/bin/sh", "sh", "-c", line, (char *)NULL);
        _exit(127);
    }
    struct outcome outcome = rehearse("rehearse --controller wrench='%s/1' --controller tablet='%s/2' %s", SCENE);
    assert_int_equal(outcome.status, 2);
    assert_non_null(strstr(outcome.err, "is gone: it was unplugged or closed"));
    (void)end(killer, 0);
    (void)end(air, 0);
}

/* Nobody answers at the other end: swapped wires, or no power. */
static void a_controller_that_says_nothing_is_told_from_a_scene_that_fails(void **state)
{
    int ends[2];
    char line[500];
    (void)state;
    if (openpty(&ends[0], &ends[1], line, NULL, NULL) != 0)
        skip(); /* the system has none */
    char *path = strdup(line);
    (void)snprintf(line, sizeof line, "rehearse --controller tablet=%s,1000000 --log " SCENE, path);
    struct outcome outcome = run_command(line);
    assert_int_equal(outcome.status, 2);
    assert_non_null(strstr(outcome.err, "tablet does not start with the controller at /dev/pts/"));
    static const char *const verbs[] = {"throughput", "interval"};
    for (size_t i = 0; i < 2; i++) {
        (void)snprintf(line, sizeof line, "%s " WRENCH " --controller central=%s,1000000", verbs[i], path);
        outcome = run_command(line);
        assert_int_equal(outcome.status, 2);
        assert_non_null(strstr(outcome.err, "the controller of the central does not answer"));
    }
    free(path);
    (void)close(ends[0]);
    (void)close(ends[1]);
}

static void what_is_no_controller_is_refused(void **state)
{
    static const struct {
        const char *arguments;
        const char *says;
    } cases[] = {
        {"--controller tablet " SCENE, "--controller takes WHO=WHERE"},
        {"--controller tablet=/dev/null,12 " SCENE, "--controller takes WHO=WHERE"},
        {"--controller tablet=/dev/null,9600,now " SCENE, "--controller takes WHO=WHERE"},
        {"--controller nobody=/dev/null " SCENE, "the scene has no device or central \"nobody\""},
        {"--controller tablet=/nowhere " SCENE, "/nowhere"},
        {"--controller tablet=/dev/null --runs 2 " SCENE, "--controller takes one scene and one seed"},
        {"--outside wrench " SCENE, "--outside needs a real controller"},
        {"--controller tablet=/dev/null --outside nobody " SCENE, "the scene has no device \"nobody\""},
    };
    (void)state;
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        char line[1000];
        (void)snprintf(line, sizeof line, "rehearse %s", cases[i].arguments);
        struct outcome outcome = run_command(line);
        assert_int_equal(outcome.status, 2);
        if (strstr(outcome.err, cases[i].says) == NULL)
            fail_msg("%s: %s", cases[i].arguments, outcome.err);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_scene_is_played_over_two_controllers_that_are_outside),
        cmocka_unit_test(a_device_that_is_outside_is_met_by_its_name),
        cmocka_unit_test(a_person_at_the_prompt_has_a_real_controller_too),
        cmocka_unit_test(a_stream_and_an_interval_are_measured_over_controllers_that_are_outside),
        cmocka_unit_test(a_device_that_is_outside_is_measured),
        cmocka_unit_test(a_scene_over_controllers_that_are_outside_is_traced),
        cmocka_unit_test(what_real_controllers_cannot_do_is_refused),
        cmocka_unit_test(a_controller_that_vanishes_ends_the_scene_with_words),
        cmocka_unit_test(a_controller_that_says_nothing_is_told_from_a_scene_that_fails),
        cmocka_unit_test(what_is_no_controller_is_refused),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
