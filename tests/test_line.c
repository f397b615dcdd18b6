/* The port for processes: a host at one end of a pseudo-terminal or a socket, a simulated controller at the other. Time
 * on the air goes as fast as it can. */
#include "support/check.h"

#include <fcntl.h>
#include <poll.h>
#include <pty.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <unistd.h>

#include <yarnswift/command.h>
#include <yarnswift/line.h>
#include <yarnswift/serial.h>

#include "line_table.h"
#include "sim/controller.h"
#include "support/run.h"
#include "world/central.h"

/* The controller's end. */
static struct far {
    struct ys_world world;
    struct ys_controller *controller;
    struct ys_central *central;
    int descriptor;
    bool packets;
    struct ys_serial serial;
    struct ys_serial_settings settings;
    uint8_t in[8192], out[8192], packet[300];
} far;

/* The host's. */
static struct near {
    struct ys_line *line;
    struct ys_host host;
    bool ready;
    size_t failures;
    char log[2000];
} near;

static void nothing(void *context)
{
    (void)context;
}

static void to_host(void *context, const uint8_t *packet, size_t length)
{
    (void)context;
    if (far.packets)
        assert_int_equal(write(far.descriptor, packet, length), length);
    else
        ys_serial_send(&far.serial, packet, length);
}

static const struct ys_design *nobody_knows(void *context, const struct ys_address *address, const char **name)
{
    (void)context;
    (void)address;
    *name = "line";
    return NULL;
}

static void open_far(int descriptor, bool packets)
{
    static const struct ys_hardware hardware = {.character = NULL};
    memset(&far, 0, sizeof far);
    far.descriptor = descriptor;
    far.packets = packets;
    (void)fcntl(descriptor, F_SETFL, O_NONBLOCK);
    far.settings = (struct ys_serial_settings){.in = far.in,
                                               .in_size = sizeof far.in,
                                               .out = far.out,
                                               .out_size = sizeof far.out,
                                               .packet = far.packet,
                                               .packet_size = sizeof far.packet,
                                               .controller = true,
                                               .begin = nothing};
    assert_true(ys_serial_init(&far.serial, &far.settings));
    assert_true(ys_world_init(&far.world, 1, NULL, NULL));
    far.controller = ys_controller_new(
        far.world.radio, &(struct ys_controller_settings){.number = 1, .seed = 1, .send = to_host, .context = &far});
    assert_non_null(far.controller);
    far.central =
        ys_central_new(&far.world, 2, "central", &ys_kinds_of_central[0].traits, &hardware, nobody_knows, NULL);
    assert_non_null(far.central);
    ys_central_start(far.central);
}

static void close_far(void)
{
    ys_central_free(far.central);
    ys_controller_free(far.controller);
    ys_world_end(&far.world);
    if (far.descriptor >= 0)
        (void)close(far.descriptor);
}

/* What has come, to the controller; what it says, to the host; and a millisecond on the air. */
static void turn_far(void)
{
    uint8_t bytes[2000];
    const uint8_t *packet;
    size_t length = 0;
    ssize_t got;
    while ((got = read(far.descriptor, bytes, sizeof bytes)) > 0) {
        if (far.packets)
            ys_controller_receive(far.controller, bytes, (size_t)got);
        else
            (void)ys_serial_put(&far.serial, bytes, (uint32_t)got);
    }
    while (!far.packets && (packet = ys_serial_receive(&far.serial, &length)) != NULL)
        ys_controller_receive(far.controller, packet, length);
    ys_world_run(&far.world, YS_NS_PER_MS);
    while ((length = ys_serial_take(&far.serial, bytes, sizeof bytes)) > 0)
        assert_int_equal(write(far.descriptor, bytes, length), length);
}

static void note(void *context, const char *text, uint32_t value)
{
    size_t used = strlen(near.log);
    (void)context;
    (void)snprintf(near.log + used, sizeof near.log - used, "%s %u\n", text, (unsigned)value);
}

static void on_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    (void)context;
    near.ready |= event->kind == YS_EVENT_READY;
    near.failures += event->kind == YS_EVENT_START_FAILED || event->kind == YS_EVENT_CONTROLLER_FAILED;
    if (event->kind == YS_EVENT_READY)
        (void)ys_advertise(host, &line_advertising);
}

static void open_near(struct ys_line *line)
{
    static uint8_t values[LINE_VALUES_SIZE];
    memset(&near, 0, sizeof near);
    near.line = line;
    assert_non_null(line);
    const struct ys_host_settings settings = {.port = ys_line_port(line),
                                              .table = &line_table,
                                              .values = values,
                                              .on_event = on_event,
                                              .address_type = YS_OWN_STATIC,
                                              .address = line_address};
    assert_int_equal(ys_host_init(&near.host, sizeof near.host, &settings), YS_OK);
    ys_host_start(&near.host);
}

static bool turn_near(void)
{
    (void)ys_host_run(&near.host);
    return ys_line_wait(near.line, 0);
}

/* Both go on until a task is done. */
static bool wait_for(const struct ys_task *task)
{
    for (int i = 0; i < 20000 && !task->done; i++) {
        assert_true(turn_near());
        turn_far();
    }
    return task->good;
}

static void meets(void)
{
    static struct ys_task tasks[4];
    struct ys_address address = {.type = YS_ADDRESS_RANDOM};
    const struct ys_wanted wanted = {.address = &address};
    memcpy(address.bytes, line_address, sizeof address.bytes);
    memset(tasks, 0, sizeof tasks);
    for (int i = 0; i < 200 && !ys_central_is_ready(far.central); i++)
        turn_far();
    ys_begin_find(&tasks[0], far.central, &wanted, 10 * YS_NS_PER_S);
    assert_true(wait_for(&tasks[0]));
    struct ys_peer *peer = ys_central_peer(far.central, &address);
    ys_begin_connect(&tasks[1], peer, 10 * YS_NS_PER_S);
    assert_true(wait_for(&tasks[1]));
    ys_begin_read(&tasks[2], peer, LINE_TEXT);
    assert_true(wait_for(&tasks[2]));
    assert_int_equal(tasks[2].length, 18);
    assert_memory_equal(tasks[2].value, "over a serial line", 18);
    ys_begin_disconnect(&tasks[3], peer);
    assert_true(wait_for(&tasks[3]));
}

static void a_host_meets_a_central_over_a_pseudo_terminal(void **state)
{
    char name[100];
    char problem[200] = "";
    int descriptor;
    int slave;
    (void)state;
    if (openpty(&descriptor, &slave, name, NULL, NULL) != 0)
        skip(); /* a system without pseudo-terminals: the sockets say the same */
    open_far(descriptor, false);
    open_near(
        ys_line_open(&(struct ys_line_settings){.where = name, .bps = 1000000, .log = note}, problem, sizeof problem));
    meets();
    assert_true(near.ready);
    assert_int_equal(near.failures, 0);
    /* and it vanishes */
    (void)close(slave);
    (void)close(far.descriptor);
    far.descriptor = -1;
    for (int i = 0; i < 5 && turn_near(); i++)
        continue;
    assert_false(ys_line_wait(near.line, YS_FOREVER));
    assert_non_null(strstr(near.log, "the controller is gone"));
    ys_line_close(near.line);
    close_far();
}

static unsigned answered;

static void again(struct ys_host *host, struct ys_command *command, uint8_t status, struct ys_reader *answer)
{
    uint8_t *before = command->context;
    uint8_t bytes[8];
    ys_get_copy(answer, bytes, sizeof bytes);
    assert_int_equal(status, YS_HCI_OK);
    assert_true(ys_reader_done(answer));
    assert_memory_not_equal(bytes, before, sizeof bytes); /* random numbers: no answer is that of another question */
    memcpy(before, bytes, sizeof bytes);
    answered++;
    assert_int_equal(ys_command_send(host, command), YS_OK);
}

/* YARNSWIFT_LINE_PACKETS says how many; the checks have a million. */
static void many_packets_cross_a_line_and_none_is_lost(void **state)
{
    const char *wanted = getenv("YARNSWIFT_LINE_PACKETS");
    unsigned count = (unsigned)strtoul(wanted != NULL ? wanted : "20000", NULL, 10) / 2;
    char problem[200] = "";
    static uint8_t before[8];
    static struct ys_commands commands;
    struct ys_command rand = {.opcode = 0x2018, .done = again, .context = before};
    int ends[2];
    (void)state;
    assert_int_equal(socketpair(AF_UNIX, SOCK_STREAM, 0, ends), 0);
    open_far(ends[0], false);
    open_near(ys_line_over(&(struct ys_line_settings){.log = note}, ends[1], false, problem, sizeof problem));
    ys_host_use_commands(&near.host, &commands);
    answered = 0;
    for (int i = 0; i < 2000 && !near.ready; i++) {
        assert_true(turn_near());
        turn_far();
    }
    assert_int_equal(ys_command_send(&near.host, &rand), YS_OK);
    for (unsigned i = 0; i < 4 * count && answered < count; i++) {
        assert_true(turn_near());
        turn_far();
    }
    assert_int_equal(answered, count);
    assert_int_equal(near.failures, 0);
    assert_string_equal(near.log, "");
    ys_line_close(near.line);
    close_far();
}

/* Of a socket in its place: no Bluetooth is needed for what is written here. */
static void packets_go_whole_through_a_raw_channel(void **state)
{
    char problem[200] = "";
    int ends[2];
    (void)state;
    assert_int_equal(socketpair(AF_UNIX, SOCK_SEQPACKET, 0, ends), 0);
    open_far(ends[0], true);
    open_near(ys_line_over(&(struct ys_line_settings){.log = note}, ends[1], true, problem, sizeof problem));
    meets();
    (void)close(far.descriptor);
    far.descriptor = -1;
    for (int i = 0; i < 5 && turn_near(); i++)
        continue;
    assert_false(ys_line_wait(near.line, YS_FOREVER));
    assert_non_null(strstr(near.log, "the controller is gone"));
    ys_line_close(near.line);
    close_far();
}

/* A controller that offers itself as a socket in the file system; and peers that are remembered in a file. */
static void a_socket_is_a_line_and_a_file_remembers(void **state)
{
    struct sockaddr_un address = {.sun_family = AF_UNIX};
    char problem[200] = "";
    uint8_t bytes[4] = {0};
    char store[600];
    (void)state;
    (void)snprintf(address.sun_path, sizeof address.sun_path, "/tmp/ys-%ld.sock", (long)getpid());
    (void)snprintf(store, sizeof store, "%s/peers.sqlite", scratch_folder("line"));
    (void)unlink(store);
    (void)unlink(address.sun_path);
    int listens = socket(AF_UNIX, SOCK_STREAM, 0);
    assert_int_equal(bind(listens, (const struct sockaddr *)&address, sizeof address), 0);
    assert_int_equal(listen(listens, 2), 0);
    const struct ys_line_settings settings = {.where = address.sun_path, .store = store, .log = note};
    struct ys_line *line = ys_line_open(&settings, problem, sizeof problem);
    assert_non_null(line);
    open_far(accept(listens, NULL, NULL), false);
    open_near(line);
    meets();
    const struct ys_port *port = ys_line_port(line);
    assert_true(port->store_put(port->context, 7, "abc", 3));
    assert_true(port->random(port->context, bytes, sizeof bytes));
    ys_line_close(line);
    close_far();
    line = ys_line_open(&settings, problem, sizeof problem);
    assert_non_null(line);
    port = ys_line_port(line);
    assert_int_equal(port->store_get(port->context, 7, bytes, sizeof bytes), 3);
    assert_memory_equal(bytes, "abc", 3);
    port->store_delete(port->context, 7);
    assert_int_equal(port->store_get(port->context, 7, bytes, sizeof bytes), 0);
    ys_line_close(line);
    (void)close(listens);
    (void)unlink(address.sun_path);
}

/* Another thread, or an interrupt: what is woken does not wait. */
static void whoever_wakes_the_host_ends_its_wait(void **state)
{
    char problem[200] = "";
    uint8_t result[64];
    int ends[2];
    (void)state;
    assert_int_equal(socketpair(AF_UNIX, SOCK_STREAM, 0, ends), 0);
    struct ys_line *line =
        ys_line_over(&(struct ys_line_settings){.log = note}, ends[1], false, problem, sizeof problem);
    assert_non_null(line);
    const struct ys_port *port = ys_line_port(line);
    port->wake(port->context);
    assert_true(ys_line_wait(line, YS_FOREVER));
    assert_true(port->curve_key(port->context)); /* which is computed at once */
    assert_true(ys_line_wait(line, YS_FOREVER));
    assert_int_equal(port->curve_result(port->context, result), YS_CURVE_DONE);
    assert_true(port->curve_secret(port->context, result));
    assert_int_equal(port->curve_result(port->context, result), YS_CURVE_DONE);
    memset(result, 1, sizeof result);
    assert_true(port->curve_secret(port->context, result));
    assert_int_equal(port->curve_result(port->context, result), YS_CURVE_FAILED);
    assert_true(ys_line_wait(line, 0)); /* of those that it was woken for */
    uint32_t before_ms = port->now_ms(port->context);
    assert_true(ys_line_wait(line, 20));
    assert_true(port->now_ms(port->context) - before_ms >= 19);
    (void)close(ends[0]);
    ys_line_close(line);
}

/* Whatever is named that is none: said, with what it is. */
static void what_is_no_line_is_said(void **state)
{
    static const struct {
        const char *where;
        uint32_t bps;
        const char *says;
    } cases[] = {
        {"/nowhere/at/all", 0, "cannot open /nowhere/at/all: No such file"},
        {"/dev/null", 0, "/dev/null is no serial device"},
        {YARNSWIFT_ROOT, 0, "is no serial device and no socket"},
        {"/dev/ptmx", 12345, "12345 bit/s is no speed of a serial line"},
        {"hci987", 0, "hci987"},
        {"hciX", 0, "cannot open hciX"},
    };
    char problem[300];
    (void)state;
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        problem[0] = '\0';
        if (access(cases[i].where, R_OK | W_OK) != 0 && cases[i].bps != 0)
            continue; /* a system without pseudo-terminals */
        assert_null(ys_line_open(&(struct ys_line_settings){.where = cases[i].where, .bps = cases[i].bps}, problem,
                                 sizeof problem));
        if (strstr(problem, cases[i].says) == NULL)
            fail_msg("%s: %s", cases[i].where, problem);
    }
    int ends[2];
    assert_int_equal(socketpair(AF_UNIX, SOCK_STREAM, 0, ends), 0);
    assert_null(
        ys_line_over(&(struct ys_line_settings){.store = "/nowhere/at/all"}, ends[1], false, problem, sizeof problem));
    assert_true(strlen(problem) > 10);
    (void)close(ends[0]);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_host_meets_a_central_over_a_pseudo_terminal),
        cmocka_unit_test(many_packets_cross_a_line_and_none_is_lost),
        cmocka_unit_test(packets_go_whole_through_a_raw_channel),
        cmocka_unit_test(a_socket_is_a_line_and_a_file_remembers),
        cmocka_unit_test(whoever_wakes_the_host_ends_its_wait),
        cmocka_unit_test(what_is_no_line_is_said),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
