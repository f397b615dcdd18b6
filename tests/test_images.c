/* Images in scenes, without an emulator: a process that keeps step in its place, and targets that misbehave in every
 * way. The file of an image is made here, too; scripts/images plays real ones. */
#include "support/check.h"

#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <sys/wait.h>
#include <unistd.h>

#include "emulated/elf.h"
#include "emulated/notes.h"
#include "sim/chance.h"
#include "step/step_event.h"
#include "support/image_file.h"
#include "support/run.h"
#include "torque_wrench_config.h"

static void write_image(const char *folder, const char *machine, uint32_t stamp)
{
    static struct image_file elf;
    char path[600];
    image_file_make(&elf, machine, stamp);
    (void)snprintf(path, sizeof path, "%s/%s.elf", folder, machine);
    FILE *file = fopen(path, "wb");
    assert_non_null(file);
    assert_int_equal(fwrite(elf.bytes, 1, elf.length, file), elf.length);
    assert_int_equal(fclose(file), 0);
}

static char *command(const char *folder, const char *format, const char *machine)
{
    static char line[2000];
    char inner[1000];
    (void)snprintf(inner, sizeof inner, format, machine);
    (void)snprintf(line, sizeof line, "rehearse -m '%s' %s", folder, inner);
    return line;
}

#define SHIFT "'" YARNSWIFT_ROOT "/examples/scenes/shift.scene.yaml'"

static void a_process_in_step_is_a_device_of_a_scene(void **state)
{
    char folder[500];
    (void)state;
    (void)snprintf(folder, sizeof folder, "%s", scratch_folder("images"));
    write_image(folder, "good", YS_TABLE_STAMP);
    struct outcome outcome = run_command(command(folder, "-f wrench=%s.elf " SHIFT, "good"));
    assert_int_equal(outcome.status, 0);
    assert_non_null(strstr(outcome.out, "84.0 N m"));
    assert_non_null(strstr(outcome.out, "image   wrench: flash 4 bytes"));
    assert_non_null(strstr(outcome.out, "stack 1234 of 2000"));
    assert_non_null(strstr(outcome.out, "write handler of preset"));
    /* the same again, to the byte */
    char *first = strdup(run_command(command(folder, "--json -f wrench=%s.elf " SHIFT, "good")).out);
    assert_string_equal(first, run_command(command(folder, "--json -f wrench=%s.elf " SHIFT, "good")).out);
    free(first);
}

static void a_device_that_is_switched_off_and_on_begins_anew(void **state)
{
    char folder[500];
    (void)state;
    (void)snprintf(folder, sizeof folder, "%s", scratch_folder("images"));
    write_image(folder, "good", YS_TABLE_STAMP);
    const char *scene = scratch_file("power.scene.yaml",
                                     "scene: power\ndevices:\n  - {name: wrench, definition: " YARNSWIFT_ROOT
                                     "/examples/torque_wrench/torque_wrench.device.yaml, firmware: images/good.elf}\n"
                                     "centrals: [{name: tablet}]\nsteps:\n"
                                     "  - {connect: wrench}\n  - discover\n  - {write: preset, to: 84.0 N m}\n"
                                     "  - {set: trigger, who: wrench, to: on}\n"
                                     "  - {power: off, who: wrench}\n  - {expect disconnection: wrench, within: 10 s}\n"
                                     "  - {power: on, who: wrench}\n"
                                     "  - {connect: wrench}\n  - discover\n  - {read: preset, is: 120.0 N m}\n");
    struct outcome outcome = run_command(command(folder, "'%s'", scene));
    if (outcome.status != 0)
        fail_msg("%s%s", outcome.out, outcome.err);
    assert_non_null(strstr(outcome.out, "120.0 N m"));
}

static int listen_at(const char *path)
{
    struct sockaddr_un address = {.sun_family = AF_UNIX};
    int descriptor = socket(AF_UNIX, SOCK_STREAM, 0);
    assert_true(strlen(path) < sizeof address.sun_path);
    (void)strcpy(address.sun_path, path);
    (void)unlink(path);
    assert_int_equal(bind(descriptor, (const struct sockaddr *)&address, sizeof address), 0);
    assert_int_equal(listen(descriptor, 1), 0);
    return descriptor;
}

/* A process of its own, at two sockets. */
static pid_t begin_target(const char *machine, char *lines, size_t size)
{
    static const char *const names[] = {"hci", "step"};
    char paths[2][60];
    int listens[2];
    for (int i = 0; i < 2; i++) {
        (void)snprintf(paths[i], sizeof paths[i], "/tmp/test_images_%d_%s", (int)getpid(), names[i]);
        listens[i] = listen_at(paths[i]);
    }
    (void)snprintf(lines, size, "step:%s,%s", paths[0], paths[1]);
    pid_t pid = fork();
    if (pid == 0) {
        char words[2][60];
        for (int i = 0; i < 2; i++)
            (void)snprintf(words[i], sizeof words[i], "socket,id=%s,fd=%d", i == 0 ? "line" : "step",
                           accept(listens[i], NULL, NULL));
        (void)execl(YARNSWIFT_FAKE_TARGET, "fake_target", "-machine", machine, words[0], words[1], (char *)NULL);
        _exit(127);
    }
    for (int i = 0; i < 2; i++)
        (void)close(listens[i]);
    return pid;
}

static void end_target(pid_t pid)
{
    (void)kill(pid, SIGKILL);
    (void)waitpid(pid, NULL, 0);
    for (int i = 0; i < 2; i++) {
        char path[60];
        (void)snprintf(path, sizeof path, "/tmp/test_images_%d_%s", (int)getpid(), i == 0 ? "hci" : "step");
        (void)unlink(path);
    }
}

static void a_board_at_two_lines_keeps_step(void **state)
{
    static const struct {
        const char *machine;
        int status;
        const char *words;
    } cases[] = {
        {"wrench", 0, "board   wrench: stack 1234 of 2000 bytes; wakes up "},
        {"dies", 2, "nobody is at the other end of its lines any more"},
        {"babbler", 2, "reset the board, and look at its step line"},
        {"other-version", 2, "built with another version of yarnswift"},
        {"stranger", 2, "was built for another definition"},
    };
    char lines[200];
    char line[1000];
    (void)state;
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        pid_t pid = begin_target(cases[i].machine, lines, sizeof lines);
        (void)snprintf(line, sizeof line, "rehearse -f wrench=%s '%s/examples/scenes/%s.scene.yaml'", lines,
                       YARNSWIFT_ROOT, i == 0 ? "shift" : "over_a_line");
        struct outcome outcome = run_command(line);
        end_target(pid);
        if (outcome.status != cases[i].status ||
            (strstr(outcome.out, cases[i].words) == NULL && strstr(outcome.err, cases[i].words) == NULL))
            fail_msg("%s: %s%s", cases[i].machine, outcome.out, outcome.err);
    }
    struct outcome outcome = run_command("rehearse -f wrench=step:/nowhere " SHIFT);
    assert_int_equal(outcome.status, 2);
    assert_non_null(strstr(outcome.err, "it needs two lines: step:HCI,STEP"));
    outcome = run_command("rehearse -f wrench=step:/nowhere,/nowhere " SHIFT);
    assert_int_equal(outcome.status, 2);
    assert_non_null(strstr(outcome.err, "/nowhere"));
}

/* Each of them ends its scene with words, and no other. */
static void a_target_that_misbehaves_ends_its_scene_alone(void **state)
{
    static const struct {
        const char *machine;
        const char *words;
    } cases[] = {
        {"dies", "its emulator has ended: the emulator has no memory"},
        {"silent", "says nothing for 10 s"},
        {"busy", "has not gone to sleep for 10 s"},
        {"babbler", "it does not keep step: build it with yarnswift_image"},
        {"other-version", "it was built with another version of yarnswift"},
        {"nonsense", "it says what it should not: \"Zwhat is this\""},
        {"short", "it says what it should not: \"S12\""},
        {"restless", "it has reset itself"},
        {"deaf", "has lost bytes of its line to the controller"},
        {"liar", "has sent less to its controller than it says"},
        {"event", "it says what it should not: \"E2801\""},
        {"log", "it says what it should not: \"Lzz\""},
        {"unprintable", "the name of an input is no text"},
        {"flash", "it says what it should not: \"Pffffffff00\""},
        {"faulty", "its processor has failed in torque_wrench_preset_write+0x234, called from "
                   "torque_wrench_preset_write+0x234; pc 0x00001234"},
        {"flood", "says more than 100000 lines without going to sleep"},
        {"no-hci", "what it sends to its controller is no HCI"},
    };
    char folder[500];
    char line[8000];
    size_t used = 0;
    (void)state;
    (void)snprintf(folder, sizeof folder, "%s", scratch_folder("images"));
    used += (size_t)snprintf(line, sizeof line, "rehearse --jobs 16 ");
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        char name[60];
        char text[1000];
        write_image(folder, cases[i].machine, YS_TABLE_STAMP);
        (void)snprintf(name, sizeof name, "images_%s.scene.yaml", cases[i].machine);
        (void)snprintf(text, sizeof text,
                       "scene: %s\ndevices:\n  - {name: wrench, definition: " YARNSWIFT_ROOT
                       "/examples/torque_wrench/torque_wrench.device.yaml, firmware: images/%s.elf}\n"
                       "centrals: [{name: tablet}]\nsteps: [{connect: wrench}]\n",
                       cases[i].machine, cases[i].machine);
        used += (size_t)snprintf(line + used, sizeof line - used, " '%s'", scratch_file(name, text));
    }
    (void)snprintf(line + used, sizeof line - used,
                   " '" YARNSWIFT_ROOT "/examples/scenes/crib.scene.yaml'"); /* goes on beside them */
    struct outcome outcome = run_command(line);
    assert_int_equal(outcome.status, 2);
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        if (strstr(outcome.err, cases[i].words) == NULL)
            fail_msg("%s: \"%s\" is not in:\n%s", cases[i].machine, cases[i].words, outcome.err);
    }
    assert_non_null(strstr(outcome.out, "passed  " YARNSWIFT_ROOT "/examples/scenes/crib.scene.yaml"));
}

/* It does nothing wrong, and nothing else. */
static void a_target_that_sleeps_for_ever_fails_the_step_that_waits_for_it(void **state)
{
    char folder[500];
    (void)state;
    (void)snprintf(folder, sizeof folder, "%s", scratch_folder("images"));
    write_image(folder, "sleeper", YS_TABLE_STAMP);
    struct outcome outcome = run_command(command(folder, "-f wrench=%s.elf " SHIFT, "sleeper"));
    assert_int_equal(outcome.status, 2); /* its inputs are others */
    assert_non_null(strstr(outcome.err, "has no input"));
    outcome = run_command(
        command(folder, "-f wrench=%s.elf '" YARNSWIFT_ROOT "/examples/scenes/crib.scene.yaml'", "sleeper"));
    assert_int_equal(outcome.status, 1);
}

static void what_takes_more_than_its_definition_allows_fails(void **state)
{
    char folder[500];
    char text[3000];
    (void)state;
    (void)snprintf(folder, sizeof folder, "%s", scratch_folder("images"));
    write_image(folder, "good", YS_TABLE_STAMP);
    (void)snprintf(text, sizeof text, "%s",
                   "scene: a budget\ndevices:\n  - {name: wrench, definition: limited.device.yaml, firmware: "
                   "images/good.elf}\ncentrals: [{name: tablet}]\nsteps: [{connect: wrench}]\n");
    char *scene = strdup(scratch_file("budget.scene.yaml", text));
    char *definition = read_whole(YARNSWIFT_ROOT "/examples/torque_wrench/torque_wrench.device.yaml");
    char *limits = strstr(definition, "  limits:\n");
    assert_non_null(limits);
    size_t before = (size_t)(limits - definition) + strlen("  limits:\n");
    char *limited = malloc(strlen(definition) + 100);
    (void)sprintf(limited, "%.*s    flash: 100\n    ram: 4999\n    stack: 1233\n%s", (int)before, definition,
                  definition + before);
    (void)scratch_file("limited.device.yaml", limited);
    struct outcome outcome = run_command(command(folder, "'%s'", scene));
    assert_int_equal(outcome.status, 1);
    assert_non_null(strstr(outcome.out, "wrench: stays within its RAM"));
    assert_non_null(strstr(outcome.out, "expected  at most 4999 bytes, by limits in its definition\n  came      5000"));
    assert_non_null(strstr(outcome.out, "wrench: stays within its stack"));
    assert_null(strstr(outcome.out, "its flash"));
    (void)sprintf(limited, "%.*s    flash: 100\n    ram: 5000\n    stack: 1234\n%s", (int)before, definition,
                  definition + before);
    (void)scratch_file("limited.device.yaml", limited);
    assert_int_equal(run_command(command(folder, "'%s'", scene)).status, 0);
    free(limited);
    free(definition);
    free(scene);
}

static void what_is_no_image_of_this_device_is_refused_with_what_to_do(void **state)
{
    char folder[500];
    (void)state;
    (void)snprintf(folder, sizeof folder, "%s", scratch_folder("images"));
    write_image(folder, "good", YS_TABLE_STAMP + 1);
    struct outcome outcome = run_command(command(folder, "-f wrench=%s.elf " SHIFT, "good"));
    assert_int_equal(outcome.status, 2);
    assert_non_null(strstr(outcome.err, "it was built for another definition: build it again"));
    write_image(folder, "", YS_TABLE_STAMP);
    outcome = run_command(command(folder, "-f wrench=%s.elf " SHIFT, "/.."));
    assert_int_equal(outcome.status, 2);
    outcome = run_command(command(folder, "-f %s=x.elf " SHIFT, "nobody"));
    assert_int_equal(outcome.status, 2);
    assert_non_null(strstr(outcome.err, "no scene has a device \"nobody\""));
    outcome = run_command(command(folder, "-f wrench%s " SHIFT, ""));
    assert_int_equal(outcome.status, 2);
    assert_non_null(strstr(outcome.err, "--firmware takes DEVICE=NAME"));
}

static void a_file_that_is_damaged_anywhere_is_read_or_refused(void **state)
{
    static struct image_file elf;
    struct ys_chance chance = ys_chance_of(22, 6);
    char problem[300];
    unsigned good = 0;
    (void)state;
    image_file_make(&elf, "good", YS_TABLE_STAMP);
    for (int i = 0; i < 20000; i++) {
        uint8_t *bytes = malloc(elf.length);
        struct ys_note note;
        uint32_t number;
        size_t length = i % 3 == 0 ? ys_chance_below(&chance, (uint32_t)elf.length) : elf.length;
        memcpy(bytes, elf.bytes, elf.length);
        for (uint32_t j = ys_chance_below(&chance, 4); j > 0; j--)
            bytes[ys_chance_below(&chance, (uint32_t)elf.length)] = (uint8_t)ys_chance_below(&chance, 256);
        problem[0] = '\0';
        struct ys_elf *read = ys_elf_read(bytes, length, problem, sizeof problem);
        free(bytes);
        if (read == NULL) {
            assert_true(problem[0] != '\0');
            continue;
        }
        bool is_good = ys_note_read(read, &note, problem, sizeof problem);
        good += is_good;
        assert_true(is_good || problem[0] != '\0');
        (void)ys_elf_symbol(read, "_host_code_begin", &number);
        (void)ys_elf_function(read, 0x1234, &number);
        (void)ys_elf_section_size(read, ".stack");
        ys_elf_free(read);
    }
    assert_true(good > 1000);
}

static void an_event_comes_as_it_went(void **state)
{
    const struct ys_address own = {.type = YS_ADDRESS_RANDOM, .bytes = {1, 2, 3, 4, 5, 0xc6}};
    struct ys_link_state link = {30000, 4, 5000, 2, 1, 251, 27};
    struct ys_event event = {.kind = YS_EVENT_LINK_CHANGED, .connection = 7, .u.link = {YS_LINK_PHYS, &link}};
    struct ys_step_event came;
    uint8_t bytes[YS_STEP_EVENT_MOST];
    (void)state;
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    assert_true(ys_step_event_put(&writer, &event, &own));
    struct ys_reader reader = ys_reader_of(bytes, ys_writer_stored(&writer));
    assert_true(ys_step_event_get(&reader, &came));
    assert_int_equal(came.event.connection, 7);
    assert_memory_equal(came.event.u.link.state, &link, sizeof link);
    /* of every kind: what is put can be got, and no part of it */
    for (int kind = 0; kind <= YS_EVENT_CHANNEL_CLOSED; kind++) {
        event = (struct ys_event){.kind = (enum ys_event_kind)kind, .connection = 3, .reason = 0x13, .set = 1};
        if (kind == YS_EVENT_SECURITY_WANTED || kind == YS_EVENT_SECURED)
            event.u.secured.level = 2;
        else if (kind <= YS_EVENT_CONTROLLER_FAILED || kind == YS_EVENT_ADVERTISING_FAILED)
            event.u.start.step = "LE Rand";
        writer = ys_writer_to(bytes, sizeof bytes);
        if (!ys_step_event_put(&writer, &event, &own))
            continue;
        size_t length = ys_writer_stored(&writer);
        for (size_t cut = 0; cut <= length; cut++) {
            reader = ys_reader_of(bytes, cut);
            bool got = ys_step_event_get(&reader, &came);
            if (cut == length)
                assert_true(got);
            if (got && cut == length)
                assert_int_equal(came.event.reason, 0x13);
        }
    }
}

int main(void)
{
    (void)setenv("YARNSWIFT_EMULATOR", YARNSWIFT_FAKE_TARGET, 1);
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_process_in_step_is_a_device_of_a_scene),
        cmocka_unit_test(a_device_that_is_switched_off_and_on_begins_anew),
        cmocka_unit_test(a_board_at_two_lines_keeps_step),
        cmocka_unit_test(a_target_that_misbehaves_ends_its_scene_alone),
        cmocka_unit_test(a_target_that_sleeps_for_ever_fails_the_step_that_waits_for_it),
        cmocka_unit_test(what_takes_more_than_its_definition_allows_fails),
        cmocka_unit_test(what_is_no_image_of_this_device_is_refused_with_what_to_do),
        cmocka_unit_test(a_file_that_is_damaged_anywhere_is_read_or_refused),
        cmocka_unit_test(an_event_comes_as_it_went),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
