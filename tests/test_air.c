/* The simulated air for others: hosts of this program meet on controllers that the command offers, in real time. */
#include "support/check.h"

#include <fcntl.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include <yarnswift/line.h>

#include "line_table.h"
#include "support/run.h"

/* The command, and what it prints. */
struct air {
    pid_t pid;
    FILE *out;
    char text[8000];
};

/* A host at one of its controllers: a device, or one that scans. */
struct guest {
    struct ys_line *line;
    struct ys_host host;
    bool scans;
    bool ready;
    bool heard;
    bool connected;
    char log[1000];
};

/* With these arguments, in one string for the shell. */
static void begin(struct air *air, const char *arguments)
{
    int ends[2];
    char line[2000];
    memset(air, 0, sizeof *air);
    (void)snprintf(line, sizeof line, "exec '" YARNSWIFT_COMMAND "' air %s", arguments);
    assert_int_equal(pipe(ends), 0);
    air->pid = fork();
    assert_true(air->pid >= 0);
    if (air->pid == 0) {
        (void)dup2(ends[1], STDOUT_FILENO);
        (void)close(ends[0]);
        (void)execl("/bin/sh", "sh", "-c", line, NULL);
        _exit(127);
    }
    (void)close(ends[1]);
    air->out = fdopen(ends[0], "r");
    assert_non_null(air->out);
}

/* The path of the next controller, as it is printed. */
static void next_path(struct air *air, char path[200])
{
    char line[300];
    do
        assert_non_null(fgets(line, sizeof line, air->out)); /* what a scene's own say before */
    while (strncmp(line, "controller ", 11) != 0 && strncmp(line, "plugged: ", 9) != 0);
    const char *colon = strstr(line, ": ");
    assert_non_null(colon);
    (void)snprintf(path, 200, "%.*s", (int)strcspn(colon + 2, "\n"), colon + 2);
}

/* Its exit status, once it has ended. */
static int end(struct air *air)
{
    int status = -1;
    size_t used = fread(air->text, 1, sizeof air->text - 1, air->out);
    air->text[used] = '\0';
    (void)fclose(air->out);
    assert_int_equal(waitpid(air->pid, &status, 0), air->pid);
    return WIFEXITED(status) ? WEXITSTATUS(status) : 128;
}

static void note(void *context, const char *text, uint32_t value)
{
    struct guest *guest = context;
    size_t used = strlen(guest->log);
    (void)snprintf(guest->log + used, sizeof guest->log - used, "%s %u\n", text, (unsigned)value);
}

static void on_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    static const struct ys_scanning scanning = {.interval_us = 60000, .window_us = 60000};
    struct guest *guest = context;
    if (event->kind == YS_EVENT_READY) {
        guest->ready = true;
        assert_int_equal(guest->scans ? ys_scan(host, &scanning) : ys_advertise(host, &line_advertising), YS_OK);
    }
    guest->connected |= event->kind == YS_EVENT_CONNECTED;
    guest->heard |= event->kind == YS_EVENT_REPORT && memcmp(event->u.report.address.bytes, line_address, 6) == 0;
}

static void come(struct guest *guest, const char *path, bool scans)
{
    static uint8_t values[LINE_VALUES_SIZE];
    char problem[200] = "";
    memset(guest, 0, sizeof *guest);
    guest->scans = scans;
    guest->line =
        ys_line_open(&(struct ys_line_settings){.where = path, .context = guest, .log = note}, problem, sizeof problem);
    if (guest->line == NULL)
        fail_msg("%s", problem);
    const struct ys_host_settings settings = {.port = ys_line_port(guest->line),
                                              .table = &line_table,
                                              .values = values,
                                              .context = guest,
                                              .on_event = on_event,
                                              .address_type = scans ? YS_OWN_PUBLIC : YS_OWN_STATIC,
                                              .address = scans ? NULL : line_address};
    assert_int_equal(ys_host_init(&guest->host, sizeof guest->host, &settings), YS_OK);
    ys_host_start(&guest->host);
}

static bool turn(struct guest *guest, uint32_t most_ms)
{
    uint32_t wait_ms = ys_host_run(&guest->host);
    return ys_line_wait(guest->line, wait_ms < most_ms ? wait_ms : most_ms);
}

static void the_central_of_a_scene_meets_a_host_at_a_socket(void **state)
{
    static struct air air;
    static struct guest guest;
    char folder[600];
    char scene[700];
    char arguments[1400];
    char path[200];
    (void)state;
    (void)snprintf(folder, sizeof folder, "%s", scratch_folder("air"));
    (void)snprintf(scene, sizeof scene, "%s",
                   scratch_file("air.scene.yaml",
                                "scene: a host of somebody else's\n"
                                "devices: [{name: scale, definition: " YARNSWIFT_ROOT
                                "/examples/hook_scale/hook_scale.device.yaml}]\ncentrals: [{name: c}]\nsteps:\n"
                                "  - {find address: \"C6:12:00:5E:10:01\", within: 20 s}\n  - connect\n  - discover\n"
                                "  - {read: \"0x0009\", is: 2a 00}\n  - disconnect\n"));
    (void)snprintf(arguments, sizeof arguments, "--sockets '%s' '%s'", folder, scene);
    begin(&air, arguments);
    next_path(&air, path);
    come(&guest, path, false);
    while (turn(&guest, 100))
        continue;
    assert_true(guest.connected);
    assert_non_null(strstr(guest.log, "the controller is gone"));
    assert_int_equal(end(&air), 0);
    assert_non_null(strstr(air.text, "a host has come"));
    assert_non_null(strstr(air.text, "ms behind the clock"));
    assert_int_equal(access(path, F_OK), -1);
    ys_line_close(guest.line);
}

static void whoever_comes_at_its_line_is_the_device_of_a_scene(void **state)
{
    static struct air air;
    static struct guest guest;
    char folder[600];
    char arguments[1400];
    char path[200];
    (void)state;
    (void)snprintf(folder, sizeof folder, "%s", scratch_folder("air"));
    const char *scene = scratch_file("plugged.scene.yaml",
                                     "scene: a device of the scene is outside\n"
                                     "devices: [{name: plugged, definition: " YARNSWIFT_ROOT
                                     "/tests/line.device.yaml}]\ncentrals: [{name: c}]\nsteps:\n"
                                     "  - {connect: plugged}\n  - discover\n  - {wait: 100 ms}\n  - disconnect\n");
    (void)snprintf(arguments, sizeof arguments, "--plug plugged --sockets '%s' '%s'", folder, scene);
    begin(&air, arguments);
    next_path(&air, path);
    (void)usleep(300000); /* nothing happens before it has come */
    come(&guest, path, false);
    while (turn(&guest, 100))
        continue;
    assert_true(guest.connected);
    assert_int_equal(end(&air), 0);
    assert_non_null(strstr(air.text, "advertises"));
    assert_non_null(strstr(air.text, "discovered"));
    ys_line_close(guest.line);
}

static void two_hosts_meet_at_pseudo_terminals(void **state)
{
    static struct air air;
    static struct guest guests[2];
    char path[2][200];
    int any = posix_openpt(O_RDWR | O_NOCTTY);
    (void)state;
    if (any < 0)
        skip(); /* a system without pseudo-terminals: a socket says the same of one host */
    (void)close(any);
    begin(&air, "--controllers 2");
    for (size_t i = 0; i < 2; i++)
        next_path(&air, path[i]);
    for (size_t i = 0; i < 2; i++)
        come(&guests[i], path[i], i == 1);
    for (int turns = 0; turns < 4000 && !guests[1].heard; turns++) {
        assert_true(turn(&guests[0], 1));
        assert_true(turn(&guests[1], 1));
    }
    assert_true(guests[0].ready && guests[1].ready && guests[1].heard);
    assert_int_equal(kill(air.pid, SIGTERM), 0); /* by which it ends well */
    assert_int_equal(end(&air), 0);
    for (size_t i = 0; i < 2; i++) {
        while (turn(&guests[i], 1000))
            continue;
        assert_non_null(strstr(guests[i].log, "the controller is gone"));
        ys_line_close(guests[i].line);
    }
}

/* One that leaves while it is being told things leaves the air as it was, and the next comes to the same controller. */
static void a_host_that_leaves_makes_room_for_the_next(void **state)
{
    static struct air air;
    static struct guest guests[2];
    char folder[600];
    char arguments[700];
    char path[2][200];
    (void)state;
    (void)snprintf(folder, sizeof folder, "%s", scratch_folder("air"));
    (void)snprintf(arguments, sizeof arguments, "--controllers 2 --sockets '%s'", folder);
    begin(&air, arguments);
    for (size_t i = 0; i < 2; i++)
        next_path(&air, path[i]);
    come(&guests[0], path[0], false); /* so that there is something to be heard */
    for (int hosts = 0; hosts < 3; hosts++) {
        come(&guests[1], path[1], true);
        for (int turns = 0; turns < 4000 && !guests[1].heard; turns++) {
            assert_true(turn(&guests[0], 1));
            assert_true(turn(&guests[1], 1));
        }
        assert_true(guests[1].heard);
        ys_line_close(guests[1].line);
        for (int turns = 0; turns < 150; turns++)
            assert_true(turn(&guests[0], 1));
    }
    assert_int_equal(kill(air.pid, SIGTERM), 0);
    assert_int_equal(end(&air), 0);
    assert_non_null(strstr(air.text, "its host has gone"));
    ys_line_close(guests[0].line);
}

/* Nonsense on a line is said, and answered as the standard has it; the air ends by its time. */
static void nonsense_is_answered_with_a_hardware_error(void **state)
{
    static struct air air;
    char folder[600];
    char arguments[700];
    char path[200];
    uint8_t bytes[8] = {0};
    char problem[200] = "";
    (void)state;
    (void)snprintf(folder, sizeof folder, "%s", scratch_folder("air"));
    (void)snprintf(arguments, sizeof arguments, "--sockets '%s' --seconds 0.5", folder);
    begin(&air, arguments);
    next_path(&air, path);
    struct ys_line *line = ys_line_open(&(struct ys_line_settings){.where = path}, problem, sizeof problem);
    assert_non_null(line);
    const struct ys_port *port = ys_line_port(line);
    static const uint8_t nonsense[] = {0x77, 0x01, 0x03, 0x0c, 0x00}; /* and then a reset */
    port->send(port->context, nonsense, sizeof nonsense);
    const uint8_t *packet = NULL;
    size_t length = 0;
    while (packet == NULL && ys_line_wait(line, 100))
        packet = port->receive(port->context, &length);
    assert_non_null(packet); /* what was before the answer to the reset, the line has dropped itself */
    memcpy(bytes, packet, length < sizeof bytes ? length : sizeof bytes);
    assert_memory_equal(bytes, "\x04\x0e\x04\x01\x03\x0c\x00", 7);
    /* a host that never stops makes the air's time go no faster */
    uint32_t before_ms = port->now_ms(port->context);
    while (ys_line_wait(line, 0)) {
        port->send(port->context, nonsense + 1, sizeof nonsense - 1);
        while (port->receive(port->context, &length) != NULL)
            continue;
    }
    assert_true(port->now_ms(port->context) - before_ms >= 300);
    assert_int_equal(end(&air), 0);
    assert_non_null(strstr(air.text, "no packet begins with 119"));
    ys_line_close(line);
}

static void what_cannot_be_offered_is_said(void **state)
{
    static const struct {
        const char *arguments;
        const char *says;
    } cases[] = {
        {"air --controllers 0", "--controllers takes a number from 1 to 16"},
        {"air --controllers 17", "--controllers takes a number from 1 to 16"},
        {"air --seconds no", "--seconds takes a number"},
        {"air --sockets /nowhere/at/all --seconds 1", "cannot offer a controller at /nowhere/at/all/1: No such file"},
        {"air nowhere.scene.yaml", "cannot read it: No such file"},
        {"air a b", "name one scene, or none"},
        {"air --plug wrench", "--plug and --firmware are of devices of a scene"},
        {"air --plug nobody '" YARNSWIFT_ROOT "/examples/scenes/crib.scene.yaml'",
         "the scene has no device \"nobody\""},
    };
    (void)state;
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        struct outcome outcome = run_command(cases[i].arguments);
        assert_int_equal(outcome.status, 2);
        if (strstr(outcome.err, cases[i].says) == NULL)
            fail_msg("%s: %s", cases[i].arguments, outcome.err);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(the_central_of_a_scene_meets_a_host_at_a_socket),
        cmocka_unit_test(whoever_comes_at_its_line_is_the_device_of_a_scene),
        cmocka_unit_test(two_hosts_meet_at_pseudo_terminals),
        cmocka_unit_test(a_host_that_leaves_makes_room_for_the_next),
        cmocka_unit_test(nonsense_is_answered_with_a_hardware_error),
        cmocka_unit_test(what_cannot_be_offered_is_said),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
