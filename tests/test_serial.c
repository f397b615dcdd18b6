/* HCI over a serial line: cut anywhere, with bytes lost and doubled, with noise; alone, and between a host and a
 * simulated controller. */
#include "support/check.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <yarnswift/serial.h>

#include "line_table.h"
#include "sim/chance.h"
#include "sim/controller.h"
#include "support/hex.h"
#include "world/central.h"

#define RESET_DONE "040e0401030c00"

/* One end, with room for a little. */
struct end {
    struct ys_serial serial;
    struct ys_serial_settings settings;
    uint8_t in[YS_SERIAL_SIZE(8, 251)];
    uint8_t out[YS_SERIAL_SIZE(8, 251)];
    uint8_t packet[300];
    uint32_t now_ms;
    size_t begun;
    size_t waited;
    size_t faults[5];
    uint32_t number; /* of the last */
};

static void begin(void *context)
{
    ((struct end *)context)->begun++;
}

static bool wait_once(void *context)
{
    struct end *end = context;
    uint8_t bytes[16];
    return ++end->waited % 8 != 0 && ys_serial_take(&end->serial, bytes, sizeof bytes) > 0;
}

static uint32_t end_ms(void *context)
{
    return ((struct end *)context)->now_ms;
}

static void fault(void *context, enum ys_serial_fault what, uint32_t number)
{
    struct end *end = context;
    end->faults[what]++;
    end->number = number;
}

static void open_end(struct end *end, bool controller)
{
    memset(end, 0, sizeof *end);
    end->settings = (struct ys_serial_settings){.in = end->in,
                                                .in_size = sizeof end->in,
                                                .out = end->out,
                                                .out_size = sizeof end->out,
                                                .packet = end->packet,
                                                .packet_size = sizeof end->packet,
                                                .controller = controller,
                                                .context = end,
                                                .begin = begin,
                                                .now_ms = end_ms,
                                                .fault = fault};
    assert_true(ys_serial_init(&end->serial, &end->settings));
}

static void put(struct end *end, const char *hex)
{
    uint8_t bytes[600];
    size_t length = from_hex(hex, bytes, sizeof bytes);
    assert_int_equal(ys_serial_put(&end->serial, bytes, (uint32_t)length), length);
}

/* All packets that are there, with a bar between. */
static void assert_comes(struct end *end, const char *expected)
{
    char text[2000] = "";
    size_t used = 0;
    const uint8_t *packet;
    size_t length = 0;
    while ((packet = ys_serial_receive(&end->serial, &length)) != NULL) {
        used += (size_t)snprintf(text + used, sizeof text - used, "%s", used > 0 ? "|" : "");
        for (size_t i = 0; i < length && used + 3 < sizeof text; i++)
            used += (size_t)snprintf(text + used, sizeof text - used, "%02x", packet[i]);
    }
    assert_string_equal(text, expected);
}

/* Core 5.4 Vol 4 Part A 2. */
static void packets_come_whole_however_they_are_cut(void **state)
{
    static const char stream[] = RESET_DONE "0200200300010203"
                                            "0413050100010016"
                                            "04ff00"
                                            "0301000101"
                                            "0500400100aa";
    static const char packets[] = RESET_DONE "|0200200300010203|0413050100010016|04ff00|0301000101|0500400100aa";
    uint8_t bytes[100];
    size_t length = from_hex(stream, bytes, sizeof bytes);
    (void)state;
    for (size_t first = 0; first <= length; first++) {
        for (size_t second = first; second <= length; second++) {
            static struct end end;
            char text[400] = "";
            size_t used = 0;
            const size_t cuts[] = {0, first, second, length};
            open_end(&end, false);
            for (size_t i = 0; i < 3; i++) {
                const uint8_t *packet;
                size_t got = 0;
                (void)ys_serial_put(&end.serial, bytes + cuts[i], (uint32_t)(cuts[i + 1] - cuts[i]));
                end.now_ms += YS_SERIAL_PAUSE_MS - 1;
                while ((packet = ys_serial_receive(&end.serial, &got)) != NULL) {
                    used += (size_t)snprintf(text + used, sizeof text - used, "%s", used > 0 ? "|" : "");
                    for (size_t j = 0; j < got; j++)
                        used += (size_t)snprintf(text + used, sizeof text - used, "%02x", packet[j]);
                }
            }
            assert_string_equal(text, packets);
        }
    }
}

static void nothing_is_believed_before_a_reset_is_answered(void **state)
{
    static struct end end;
    (void)state;
    open_end(&end, false);
    put(&end, "00ff04040e04040e0401000000"
              "04ff02aabb"
              "040e0401030c"); /* noise, a boot message, and nearly a reset */
    assert_comes(&end, "");
    put(&end, "07"
              "0413050100010016"); /* whatever its status is */
    assert_comes(&end, "040e0401030c07|0413050100010016");
    assert_int_equal(end.faults[YS_SERIAL_NONSENSE], 0);
}

/* Core 5.4 Vol 4 Part A 4, Vol 4 Part E 7.7.16. */
static void a_lost_step_is_told_and_ends_with_a_reset(void **state)
{
    static struct end end;
    (void)state;
    open_end(&end, false);
    put(&end, RESET_DONE "04130501000116"
                         "04130501000100160413"); /* of the second, a byte was lost */
    assert_comes(&end, RESET_DONE "|0413050100011604|04100100");
    assert_int_equal(end.faults[YS_SERIAL_NONSENSE], 1);
    assert_int_equal(end.number, 0x13);
    put(&end, "0501000116040e");
    assert_comes(&end, "");
    put(&end, "0401030c00"
              "04ff00");
    assert_comes(&end, RESET_DONE "|04ff00");
    put(&end, "02002001040102"); /* 1,025 bytes of data */
    assert_comes(&end, "04100100");
    assert_int_equal(end.faults[YS_SERIAL_TOO_LONG], 1);
    assert_int_equal(end.number, 1025 + 5);
    open_end(&end, true); /* the other end finds the command, and makes nothing up */
    put(&end, "01030c00"
              "0100");
    assert_comes(&end, "01030c00");
    put(&end, "20020102"
              "04ffff01030c0001030c00");
    assert_comes(&end, "0100200201"
                       "02|01030c00|01030c00");
    assert_int_equal(end.faults[YS_SERIAL_NONSENSE], 1);
}

static void a_packet_that_breaks_off_is_not_waited_for(void **state)
{
    static struct end end;
    (void)state;
    open_end(&end, false);
    assert_int_equal(ys_serial_wait_ms(&end.serial, YS_FOREVER), YS_FOREVER);
    put(&end, RESET_DONE "0413050100");
    assert_comes(&end, RESET_DONE);
    assert_int_equal(ys_serial_wait_ms(&end.serial, YS_FOREVER), YS_SERIAL_PAUSE_MS);
    assert_int_equal(ys_serial_wait_ms(&end.serial, 7), 7);
    end.now_ms += YS_SERIAL_PAUSE_MS - 1;
    assert_comes(&end, "");
    end.now_ms++;
    assert_comes(&end, "04100100");
    assert_int_equal(end.faults[YS_SERIAL_PAUSE], 1);
    assert_int_equal(end.number, 5);
    assert_int_equal(ys_serial_wait_ms(&end.serial, YS_FOREVER), YS_FOREVER);
}

static void what_there_is_no_room_for_is_told(void **state)
{
    static struct end end;
    static uint8_t many[sizeof end.in + 10];
    (void)state;
    open_end(&end, false);
    put(&end, RESET_DONE);
    assert_comes(&end, RESET_DONE);
    assert_int_equal(ys_serial_room(&end.serial), sizeof end.in - 1);
    assert_int_equal(ys_serial_put(&end.serial, many, sizeof many), sizeof end.in - 1);
    assert_int_equal(ys_serial_room(&end.serial), 0);
    assert_comes(&end, "04100100");
    assert_int_equal(end.faults[YS_SERIAL_OVERFLOW], 1);
    assert_int_equal(end.number, 11);
    assert_int_equal(end.faults[YS_SERIAL_NONSENSE], 0);
    put(&end, RESET_DONE);
    assert_comes(&end, RESET_DONE);
    memset(many, 0x55, 300);
    many[0] = 2;
    for (size_t i = 0; i + 300 < sizeof end.out; i += 300)
        ys_serial_send(&end.serial, many, 300);
    assert_int_equal(end.faults[YS_SERIAL_STUCK], 0);
    end.settings.wait = wait_once; /* the line takes 16 bytes each time, seven times */
    ys_serial_send(&end.serial, many, 200);
    assert_int_equal(end.faults[YS_SERIAL_STUCK], 0);
    ys_serial_send(&end.serial, many, 300);
    assert_int_equal(end.faults[YS_SERIAL_STUCK], 1);
    assert_comes(&end, "04100100");
    end.settings.wait = NULL;
    assert_true(end.begun > 8);
    uint8_t bytes[3000];
    assert_int_equal(ys_serial_take(&end.serial, bytes, sizeof bytes), sizeof end.out - 1);
    assert_int_equal(ys_serial_take(&end.serial, bytes, sizeof bytes), 0);
    for (int i = 0; i <= YS_SERIAL_STUCK + 1; i++)
        assert_true(strlen(ys_serial_fault_text((enum ys_serial_fault)i)) > 10);
}

static void too_little_memory_is_refused(void **state)
{
    static struct end end;
    (void)state;
    open_end(&end, false);
    const struct ys_serial_settings good = end.settings;
    end.settings.packet_size = 257;
    assert_false(ys_serial_init(&end.serial, &end.settings));
    end.settings = good;
    end.settings.in_size = 1;
    assert_false(ys_serial_init(&end.serial, &end.settings));
    end.settings = good;
    end.settings.out = NULL;
    assert_false(ys_serial_init(&end.serial, &end.settings));
    end.settings = good;
    end.settings.begin = NULL;
    assert_false(ys_serial_init(&end.serial, &end.settings));
    assert_false(ys_serial_init(&end.serial, NULL));
    assert_false(ys_serial_init(NULL, &good));
}

/* A host and a simulated controller, with a line between them that may harm one byte; and a central on the air. */

enum harm { LOST, DOUBLED, HARMS };

struct line {
    struct ys_world world;
    struct ys_controller *controller;
    struct ys_host host;
    struct ys_port port;
    struct ys_chance chance;
    struct ys_timer timer;
    struct end ends[2]; /* the host's, the controller's */
    uint64_t passed[2]; /* bytes from each */
    size_t told;        /* faults of the controller's end */
    bool failed;        /* start again */
    size_t failures;
    /* what happens to a byte */
    int from;
    uint64_t at;
    enum harm harm;
};

static size_t faults_of(const struct end *end)
{
    size_t sum = 0;
    for (size_t i = 0; i < sizeof end->faults / sizeof end->faults[0]; i++)
        sum += end->faults[i];
    return sum;
}

static void to_host(void *context, const uint8_t *packet, size_t length)
{
    ys_serial_send(&((struct line *)context)->ends[1].serial, packet, length);
}

static void to_controller(void *context, const uint8_t *packet, size_t length)
{
    ys_serial_send(&((struct line *)context)->ends[0].serial, packet, length);
}

static const uint8_t *from_line(void *context, size_t *length)
{
    return ys_serial_receive(&((struct line *)context)->ends[0].serial, length);
}

static uint32_t line_ms(void *context)
{
    return (uint32_t)(ys_world_now_ns(&((struct line *)context)->world) / YS_NS_PER_MS);
}

static bool draw(void *context, void *bytes, size_t length)
{
    ys_chance_fill(&((struct line *)context)->chance, bytes, length);
    return true;
}

static void nothing(void *context)
{
    (void)context;
}

static void line_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    struct line *line = context;
    if (event->kind == YS_EVENT_READY)
        (void)ys_advertise(host, &line_advertising);
    line->failed |= event->kind == YS_EVENT_START_FAILED || event->kind == YS_EVENT_CONTROLLER_FAILED;
}

/* Bytes go from one end to the other. */
static bool carry(struct line *line, int from)
{
    uint8_t byte;
    bool any = false;
    while (ys_serial_take(&line->ends[from].serial, &byte, 1) == 1) {
        bool harmed = from == line->from && line->passed[from] == line->at;
        line->passed[from]++;
        const uint8_t bytes[2] = {byte, byte};
        (void)ys_serial_put(&line->ends[1 - from].serial, bytes,
                            harmed && line->harm == LOST      ? 0
                            : harmed && line->harm == DOUBLED ? 2
                                                              : 1);
        any = true;
    }
    return any;
}

static void turn(void *context)
{
    static const uint8_t hardware_error[] = {4, 0x10, 1, 0};
    struct line *line = context;
    const uint8_t *packet;
    size_t length = 0;
    bool again = true;
    for (int i = 0; i < 2; i++)
        line->ends[i].now_ms = line_ms(line);
    for (int turns = 0; again && turns < 50; turns++) {
        again = carry(line, 0);
        while ((packet = ys_serial_receive(&line->ends[1].serial, &length)) != NULL)
            ys_controller_receive(line->controller, packet, length);
        if (line->told != faults_of(&line->ends[1])) {
            line->told = faults_of(&line->ends[1]);
            to_host(line, hardware_error, sizeof hardware_error);
        }
        again |= carry(line, 1);
        (void)ys_host_run(&line->host);
        if (line->failed) {
            line->failed = false;
            line->failures++;
            ys_host_start(&line->host);
        }
    }
    ys_clock_set(line->world.clock, &line->timer, ys_world_now_ns(&line->world) + 2 * YS_NS_PER_MS);
}

static const struct ys_design *nobody_knows(void *context, const struct ys_address *address, const char **name)
{
    (void)context;
    (void)address;
    *name = "line";
    return NULL;
}

static void open_line(struct line *line, int from, uint64_t at, enum harm harm)
{
    static uint8_t values[LINE_VALUES_SIZE];
    memset(line, 0, sizeof *line);
    line->from = from;
    line->at = at;
    line->harm = harm;
    open_end(&line->ends[0], false);
    open_end(&line->ends[1], true);
    assert_true(ys_world_init(&line->world, 1, NULL, NULL));
    line->chance = ys_chance_of(1, 77);
    line->controller = ys_controller_new(
        line->world.radio, &(struct ys_controller_settings){.number = 1, .seed = 1, .send = to_host, .context = line});
    assert_non_null(line->controller);
    line->port = (struct ys_port){.context = line,
                                  .send = to_controller,
                                  .receive = from_line,
                                  .now_ms = line_ms,
                                  .random = draw,
                                  .enter_critical = nothing,
                                  .leave_critical = nothing};
    const struct ys_host_settings settings = {.port = &line->port,
                                              .table = &line_table,
                                              .values = values,
                                              .context = line,
                                              .on_event = line_event,
                                              .address_type = YS_OWN_STATIC,
                                              .address = line_address};
    assert_int_equal(ys_host_init(&line->host, sizeof line->host, &settings), YS_OK);
    line->timer = (struct ys_timer){.fire = turn, .context = line};
    ys_host_start(&line->host);
    turn(line);
}

static void close_line(struct line *line)
{
    ys_clock_cancel(line->world.clock, &line->timer);
    ys_controller_free(line->controller);
    ys_world_end(&line->world);
}

/* A central finds the device, connects and reads; whether all that was good. */
static bool meets(struct line *line, struct ys_central *central, const struct ys_address *address)
{
    static struct ys_task tasks[4];
    const struct ys_wanted wanted = {.address = address};
    memset(tasks, 0, sizeof tasks);
    ys_begin_find(&tasks[0], central, &wanted, 0);
    bool good = ys_task_wait(&tasks[0]);
    struct ys_peer *peer = ys_central_peer(central, address);
    if (good)
        ys_begin_connect(&tasks[1], peer, 0);
    good = good && ys_task_wait(&tasks[1]);
    if (good)
        ys_begin_read(&tasks[2], peer, LINE_TEXT);
    good = good && ys_task_wait(&tasks[2]) && tasks[2].length == 18 &&
           memcmp(tasks[2].value, "over a serial line", 18) == 0;
    if (ys_peer_is_connected(peer)) {
        ys_begin_disconnect(&tasks[3], peer);
        (void)ys_task_wait(&tasks[3]);
    }
    (void)line;
    return good;
}

/* Begins, is met while a byte is harmed, and afterwards. Returns how many bytes went each way the first time. */
static void live(int from, uint64_t at, enum harm harm, uint64_t passed[2])
{
    static struct line line;
    static const struct ys_hardware hardware = {.character = NULL};
    struct ys_traits traits = ys_kinds_of_central[0].traits;
    traits.patience_us = 3000000;
    open_line(&line, from, at, harm);
    struct ys_central *central = ys_central_new(&line.world, 2, "central", &traits, &hardware, nobody_knows, NULL);
    assert_non_null(central);
    ys_central_start(central);
    assert_true(ys_central_wait(central));
    struct ys_address address = {.type = YS_ADDRESS_RANDOM};
    memcpy(address.bytes, line_address, sizeof address.bytes);
    bool good = meets(&line, central, &address);
    if (passed != NULL) {
        assert_true(good);
        memcpy(passed, line.passed, sizeof line.passed);
    }
    ys_world_run(&line.world, 12 * YS_NS_PER_S);
    for (int i = 0; i < 2; i++)
        assert_true(line.ends[i].faults[YS_SERIAL_OVERFLOW] == 0 && line.ends[i].faults[YS_SERIAL_STUCK] == 0);
    if (!meets(&line, central, &address)) {
        (void)printf("byte %llu from the %s, %d: the device is not there afterwards; %zu failures\n",
                     (unsigned long long)at, from == 0 ? "host" : "controller", harm, line.failures);
        fail();
    }
    ys_central_free(central);
    close_line(&line);
}

/* Core 5.4 Vol 4 Part A 4. A tenth of them under sanitizers. */
static void a_host_survives_every_byte_that_is_lost_or_doubled(void **state)
{
    uint64_t passed[2] = {0, 0};
    uint64_t step = getenv("YARNSWIFT_FEW") != NULL ? 29 : 1;
    (void)state;
    live(0, UINT64_MAX, LOST, passed);
    for (int from = 0; from < 2; from++) {
        assert_true(passed[from] > 150);
        for (int harm = 0; harm < HARMS; harm++) {
            for (uint64_t at = 0; at < passed[from]; at += step)
                live(from, at, (enum harm)harm, NULL);
        }
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(packets_come_whole_however_they_are_cut),
        cmocka_unit_test(nothing_is_believed_before_a_reset_is_answered),
        cmocka_unit_test(a_lost_step_is_told_and_ends_with_a_reset),
        cmocka_unit_test(a_packet_that_breaks_off_is_not_waited_for),
        cmocka_unit_test(what_there_is_no_room_for_is_told),
        cmocka_unit_test(too_little_memory_is_refused),
        cmocka_unit_test(a_host_survives_every_byte_that_is_lost_or_doubled),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
