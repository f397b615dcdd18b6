/* The trace, as a person calls it: the same lines from a simulation and from its capture, filters, one packet whole,
 * keys, and what goes wrong; and the figures of captures. */
#include "support/check.h"

#include <math.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include <jansson.h>

#include <yarnswift/pairing.h>

#include "capture/file/writer.h"
#include "capture/say/filter.h"
#include "simulated/store.h"
#include "support/run.h"
#include "support/traffic.h"

#define SCENES  YARNSWIFT_ROOT "/examples/scenes/"
#define WRENCH  YARNSWIFT_ROOT "/examples/torque_wrench/torque_wrench.device.yaml"
#define CABINET YARNSWIFT_ROOT "/examples/tool_cabinet/tool_cabinet.device.yaml"
#define SCALE   YARNSWIFT_ROOT "/examples/hook_scale/hook_scale.device.yaml"

static char folder[500];

/* Runs a command in which %s is the folder of this test. */
static struct outcome run(const char *format)
{
    char line[3000];
    size_t length = 0;
    for (const char *at = format; *at != '\0'; at++) {
        bool place = at[0] == '%' && at[1] == 's';
        length += (size_t)snprintf(line + length, sizeof line - length, "%s", place ? folder : (char[]){*at, 0});
        at += place;
    }
    return run_command(line);
}

static void assert_runs(const char *format, int status)
{
    struct outcome outcome = run(format);
    if (outcome.status != status)
        fail_msg("%s: status %d\n%s%s", format, outcome.status, outcome.out, outcome.err);
}

static char *lines_of(const char *format)
{
    struct outcome outcome = run(format);
    if (outcome.status != 0)
        fail_msg("%s: status %d\n%s", format, outcome.status, outcome.err);
    return strdup(outcome.out);
}

static size_t count_of(const char *text, const char *word)
{
    size_t count = 0;
    for (const char *at = strstr(text, word); at != NULL; at = strstr(at + 1, word))
        count++;
    return count;
}

static int set_up(void **state)
{
    (void)state;
    (void)snprintf(folder, sizeof folder, "%s", scratch_folder("traced"));
    assert_runs("demo --capture '%s/demo.pcapng'", 0);
    assert_runs("demo --capture '%s/demo.pcap'", 0);
    assert_runs("rehearse '" SCENES "cabinet.scene.yaml' --capture '%s/cabinet.pcap'", 0);
    assert_runs("rehearse '" SCENES "both_ways.scene.yaml' --capture '%s/both.pcapng'", 0);
    assert_runs("rehearse '" SCENES "cabinet.scene.yaml' --capture '%s/cabinet.pcapng'", 0);
    return 0;
}

/* round trips */

static void a_capture_gives_the_same_trace_as_its_simulation(void **state)
{
    static const char *const levels[] = {"air", "hci", "l2cap", "attributes", "values"};
    (void)state;
    for (size_t i = 0; i < COUNT(levels); i++) {
        char command[400];
        (void)snprintf(command, sizeof command, "trace --layer %s '" SCENES "cabinet.scene.yaml'", levels[i]);
        char *simulated = lines_of(command);
        /* the scene has names for its definitions; a capture gets them */
        (void)snprintf(command, sizeof command, "trace --layer %s '%%s/cabinet.pcapng' --definition '" CABINET "'",
                       levels[i]);
        char *captured = lines_of(command);
        assert_true(count_of(simulated, "\n") > 10);
        assert_string_equal(simulated, captured);
        free(simulated);
        free(captured);
    }
}

static void captures_of_air_and_borders_are_put_together_by_their_times(void **state)
{
    (void)state;
    char *one = lines_of("trace --layer values '%s/demo.pcapng' --definition '" WRENCH "'");
    char *many =
        lines_of("trace --layer values '%s/demo.pcap' '%s/demo-wrench.pcap' '%s/demo-tablet.pcap' --definition "
                 "'" WRENCH "'");
    assert_true(count_of(one, "live torque") > 100);
    assert_int_equal(count_of(one, "live torque"), count_of(many, "live torque"));
    free(one);
    free(many);
}

/* The interface alone tells what was said, too. */
static void frames_come_from_the_border_where_there_is_no_air(void **state)
{
    (void)state;
    char *air = lines_of("trace --layer values '%s/demo.pcapng' --definition '" WRENCH "'");
    char *interface = lines_of("trace --layer values '%s/demo-wrench.pcap' --definition '" WRENCH "'");
    char *asked = lines_of("trace --view hci --layer values '%s/demo.pcapng' --definition '" WRENCH "'");
    assert_int_equal(count_of(air, "notification, live torque"), count_of(interface, "notification, live torque"));
    assert_int_equal(count_of(asked, "notification, live torque"), 2 * count_of(air, "notification, live torque"));
    free(air);
    free(interface);
    free(asked);
}

/* what is shown */

static void names_come_from_the_definition_or_from_the_traffic(void **state)
{
    (void)state;
    char *named = lines_of("trace '%s/demo.pcapng' --definition '" WRENCH "'");
    char *told = lines_of("trace '%s/demo.pcapng'");
    assert_non_null(strstr(named, "notification, live torque: 0.7 N m  [07 00]"));
    assert_non_null(strstr(named, "indication, bolt result: number 1, peak torque"));
    assert_non_null(strstr(named, "write request, live torque's subscription: notifications"));
    assert_non_null(strstr(named, "error response to write request, preset:"));
    assert_non_null(strstr(told, "read response, Battery Level: 87 %  [57]")); /* it is adopted */
    assert_null(strstr(told, "live torque"));
    assert_non_null(strstr(told, "wrench       > tablet"));
    free(named);
    free(told);
}

static void a_definition_that_does_not_match_is_said_to(void **state)
{
    (void)state;
    struct outcome outcome = run("trace '%s/demo.pcapng' --definition '" SCALE "'");
    assert_int_equal(outcome.status, 0);
    assert_non_null(strstr(outcome.err, "the definition does not match the traffic"));
    assert_null(strstr(outcome.out, "load"));
}

/* The number of the packet of a line, after two times. */
static unsigned long number_of(const char *line)
{
    char *end = NULL;
    (void)strtod(line, &end);
    (void)strtod(end, &end);
    return strtoul(end, NULL, 10);
}

static void one_packet_is_shown_whole(void **state)
{
    char command[300];
    (void)state;
    char *line = lines_of("trace '%s/demo.pcapng' --definition '" WRENCH "' --filter '\"live torque\" = 3.5 N m'");
    unsigned long number = number_of(strchr(line, '\n') + 1);
    (void)snprintf(command, sizeof command, "trace '%%s/demo.pcapng' --definition '" WRENCH "' --packet %lu", number);
    char *whole = lines_of(command);
    static const char *const parts[] = {"channel                17, 2440 MHz",
                                        "strength               -50 dBm",
                                        "NESN, SN, MD",
                                        "connection event       82",
                                        "LLID                   2, begins",
                                        "04 00                    channel                0x0004, attribute protocol",
                                        "1b                       opcode                 notification",
                                        "09 00                    handle                 0x0009",
                                        "23 00                    value                  3.5 N m",
                                        "service                tightening"};
    for (size_t i = 0; i < COUNT(parts); i++) {
        if (strstr(whole, parts[i]) == NULL)
            fail_msg("not \"%s\" in\n%s", parts[i], whole);
    }
    free(line);
    free(whole);
    char *command_shown = lines_of("trace '%s/demo.pcapng' --packet 17");
    assert_non_null(strstr(command_shown, "LE Set Advertising Parameters (0x2006)"));
    assert_non_null(strstr(command_shown, "interval min           100 ms"));
    assert_non_null(strstr(command_shown, "channels               37, 38, 39"));
    free(command_shown);
    assert_runs("trace '%s/demo.pcapng' --packet 100000", 2);
}

static void each_packet_of_each_capture_can_be_shown_whole(void **state)
{
    static const char *const files[] = {"demo.pcapng", "both.pcapng"};
    (void)state;
    for (size_t i = 0; i < COUNT(files); i++) {
        for (unsigned number = 1; number < 900; number += 37) {
            char command[200];
            (void)snprintf(command, sizeof command, "trace '%%s/%s' --packet %u", files[i], number);
            char *whole = lines_of(command);
            assert_true(count_of(whole, "\n") > 4);
            assert_null(strstr(whole, "missing"));
            free(whole);
        }
    }
}

static void json_is_an_object_a_line(void **state)
{
    (void)state;
    char *lines = lines_of("trace --json --layer values '%s/demo.pcapng' --definition '" WRENCH "'");
    size_t count = 0;
    double last_s = 0;
    for (char *line = strtok(lines, "\n"); line != NULL; line = strtok(NULL, "\n")) {
        json_t *root = json_loads(line, 0, NULL);
        assert_non_null(root);
        double time_s = json_number_value(json_object_get(root, "time_s"));
        assert_true(time_s >= last_s);
        last_s = time_s;
        const char *name = json_string_value(json_object_get(root, "characteristic"));
        if (name != NULL && strcmp(name, "live torque") == 0 && count++ == 10) {
            assert_string_equal(json_string_value(json_object_get(root, "unit")), "N m");
            assert_string_equal(json_string_value(json_object_get(root, "service")), "tightening");
            assert_true(json_number_value(json_object_get(root, "value_number")) > 5);
            assert_int_equal(json_integer_value(json_object_get(root, "handle")), 9);
        }
        json_decref(root);
    }
    assert_true(count > 100);
    free(lines);
}

static void values_go_into_a_table_that_is_not_written_over(void **state)
{
    char path[600];
    (void)state;
    assert_runs("trace '%s/demo.pcapng' --definition '" WRENCH "' --filter 'characteristic live torque' --values "
                "'%s/values.csv'",
                0);
    (void)snprintf(path, sizeof path, "%s/values.csv", folder);
    char *table = read_whole(path);
    assert_true(count_of(table, "\n") > 100);
    assert_int_equal(
        strncmp(table, "time_s,from,to,kind,service,characteristic,handle,number,unit,value,value_hex\n", 78), 0);
    assert_non_null(strstr(table, ",wrench,tablet,notification,tightening,live torque,9,0.7,N m,0.7 N m,0700\n"));
    free(table);
    struct outcome outcome = run("trace '%s/demo.pcapng' --values '%s/values.csv'");
    assert_int_equal(outcome.status, 2);
    assert_non_null(strstr(outcome.err, "--replace"));
    assert_runs("trace '%s/demo.pcapng' --values '%s/values.csv' --replace", 0);
}

/* Packets that were sent again are as many in figures, in a list and in a picture. */
static void what_was_sent_again_is_counted_the_same_everywhere(void **state)
{
    char path[600];
    unsigned listed = 0;
    unsigned drawn = 0;
    (void)state;
    assert_runs("throughput --seconds 1 --loss 15 '" WRENCH "' --capture '%s/again.pcapng'", 0);
    char *text = lines_of("throughput --json --from 0 --to 100 '" WRENCH "' '%s/again.pcapng'");
    json_t *figures = json_loads(text, 0, NULL);
    json_int_t counted = json_integer_value(json_object_get(figures, "retransmissions"));
    json_decref(figures);
    free(text);
    text = lines_of("trace --layer air --filter 'again and from device' '%s/again.pcapng'");
    for (const char *line = strstr(text, "again the same"); line != NULL; line = strstr(line + 1, "again the same"))
        listed++;
    free(text);
    assert_runs("trace --draw connection --filter 'from device' '%s/again.pcapng' --plot '%s/again.svg'", 0);
    (void)snprintf(path, sizeof path, "%s/again.dat", folder);
    text = read_whole(path);
    assert_non_null(text);
    for (const char *line = strstr(text, " 3 "); line != NULL; line = strstr(line + 1, " 3 "))
        drawn++;
    free(text);
    assert_true(counted > 50);
    assert_int_equal(listed, counted);
    assert_int_equal(drawn, counted);
}

/* A subscription is asked for in a value, and is none. */
static void values_are_those_of_characteristics(void **state)
{
    (void)state;
    char *lines = lines_of("trace --layer values '%s/demo.pcapng'");
    assert_non_null(strstr(lines, "notification"));
    assert_null(strstr(lines, "subscription"));
    free(lines);
    lines = lines_of("trace '%s/demo.pcapng'");
    assert_non_null(strstr(lines, "subscription"));
    free(lines);
}

/* Only what lies within a time is shown, and drawn. */
static void a_part_of_a_trace_is_chosen_by_its_times(void **state)
{
    double last = 0;
    unsigned count = 0;
    (void)state;
    char *lines = lines_of("trace --json --from 2 --to '2500 ms' '%s/demo.pcapng'");
    for (const char *line = lines; line != NULL && *line != '\0'; line = strchr(line, '\n') + 1) {
        json_t *root = json_loadb(line, strcspn(line, "\n"), 0, NULL);
        last = json_number_value(json_object_get(root, "time_s"));
        assert_true(last >= 2 && last <= 2.5);
        json_decref(root);
        count++;
    }
    assert_true(count > 5);
    free(lines);
    assert_runs("trace --from 3 --to 2 '%s/demo.pcapng'", 2);
    assert_runs("trace --from soon '%s/demo.pcapng'", 2);
    assert_runs("trace --draw connection --from 2 --to 3 '%s/demo.pcapng' --plot '%s/part.svg'", 0);
    char path[600];
    (void)snprintf(path, sizeof path, "%s/part.dat", folder);
    char *data = read_whole(path);
    assert_non_null(data);
    for (const char *line = strchr(data, '\n'); line != NULL && line[1] != '\0'; line = strchr(line + 1, '\n')) {
        double at_s = strtod(line + 1, NULL);
        assert_true(line[1] == '#' || (at_s >= 2 && at_s <= 3));
    }
    free(data);
}

/* Thousands of packets are counted, and who heard how strongly is told by those who did. */
static void pictures_say_what_they_are_of(void **state)
{
    char path[600];
    (void)state;
    assert_runs("throughput --seconds 1 --phy 2M '" WRENCH "' --capture '%s/dense.pcapng'", 0);
    assert_runs("trace --draw connection '%s/dense.pcapng' --plot '%s/dense.svg'", 0);
    assert_runs("trace --draw strength '%s/demo.pcapng' --plot '%s/heard.svg'", 0);
    (void)snprintf(path, sizeof path, "%s/dense.gnuplot", folder);
    char *script = read_whole(path);
    assert_non_null(strstr(script, "packets in 0.2 s"));
    assert_non_null(strstr(script, "interval 30 ms"));
    assert_non_null(strstr(script, "2M"));
    assert_non_null(strstr(script, "dense.pcapng"));
    free(script);
    (void)snprintf(path, sizeof path, "%s/heard.gnuplot", folder);
    script = read_whole(path);
    assert_non_null(strstr(script, "wrench, heard by tablet"));
    assert_null(strstr(script, "who recorded"));
    free(script);
}

static void both_views_stand_side_by_side(void **state)
{
    (void)state;
    char *lines = lines_of("trace --view both '%s/demo.pcapng' --definition '" WRENCH "'");
    assert_non_null(strstr(lines, "HCI host to controller: wrench, LE Set Advertising Enable: on yes"));
    assert_non_null(strstr(lines, "| ADV ch 37: wrench to all, ADV_IND"));
    assert_non_null(strstr(lines, "ATT controller to host: tablet, notification, live torque: 0.7 N m"));
    assert_null(strstr(lines, "...\n")); /* what is long goes on in another line, and is not cut */
    for (const char *line = lines; line != NULL && *line != '\0'; line = strchr(line, '\n') + 1)
        assert_true(strcspn(line, "\n") < 180); /* columns, and degree signs have two bytes */
    free(lines);
}

static void pictures_are_drawn(void **state)
{
    static const char *const what[] = {"values", "strength", "connection"};
    (void)state;
    for (size_t i = 0; i < COUNT(what); i++) {
        char command[300];
        char path[600];
        (void)snprintf(command, sizeof command,
                       "trace --layer air '%%s/demo.pcapng' --definition '" WRENCH "' --draw %s --plot '%%s/%s.svg'",
                       what[i], what[i]);
        assert_runs(command, 0);
        (void)snprintf(path, sizeof path, "%s/%s.svg", folder, what[i]);
        char *picture = read_whole(path);
        assert_non_null(picture);
        assert_true(strlen(picture) > 5000);
        free(picture);
    }
    assert_runs("trace '%s/demo.pcapng' --plot '%s/values.svg'", 2); /* it is there */
    assert_runs("trace '%s/demo.pcapng' --draw nothing --plot '%s/other.svg'", 2);
}

/* Of a connection of more than two minutes. */
static void a_long_connection_is_drawn_to_its_end(void **state)
{
    char path[600];
    (void)state;
    assert_runs("rehearse '" YARNSWIFT_ROOT "/examples/scenes/lost_and_found.scene.yaml' --capture '%s/found.pcapng'",
                0);
    assert_runs("trace --layer air '%s/found.pcapng' --draw connection --plot '%s/found.svg'", 0);
    (void)snprintf(path, sizeof path, "%s/found.svg", folder);
    char *picture = read_whole(path);
    assert_non_null(picture);
    assert_non_null(strstr(picture, " 140<")); /* at the axis of time */
    free(picture);
}

/* filters */

static void filters_show_what_they_say(void **state)
{
    static const struct {
        const char *filter;
        size_t lines; /* without the head */
    } filters[] = {
        {"indication", 2},
        {"confirmation and from tablet", 2},
        {"confirmation and from wrench", 0},
        {"exchange MTU request or exchange MTU response", 2},
        {"kind \"exchange mtu request\"", 1},
        {"error", 5},
        {"write request and not with tablet", 0},
        {"handle = 0x000d and write request", 2},
        {"preset > 100 N m and preset < 200 N m", 1},
        {"preset >= 120.0 N m and write request", 1},
        {"preset = 42", 2},
        {"preset = 42 N", 0},
        {"battery level = 87 %", 1},
        {"value = \"Torvane T2\"", 1},
        {"characteristic bolt result and not (kind read request or read response)", 6},
        {"service battery and read response", 1},
        {"protocol ADV", 1},
        {"CONNECT_IND or LL_TERMINATE_IND", 2},
        {"time < 0.77 s and time > 700 ms", 3},
        {"channel = 38 and not protocol ATT", 1},
        {"strength < -60 dBm", 0},
        {"number = 95", 1},
        {"connection = 1 and indication", 2},
        {"not (not indication)", 2},
        {"layer attributes and indication", 2},
        {"layer air", 0},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(filters); i++) {
        char command[600];
        (void)snprintf(command, sizeof command, "trace '%%s/demo.pcapng' --definition '" WRENCH "' --filter '%s'",
                       filters[i].filter);
        char *lines = lines_of(command);
        size_t count = count_of(lines, "\n");
        count -= count > 0;
        if (count != filters[i].lines)
            fail_msg("%s: %zu lines\n%s", filters[i].filter, count, lines);
        free(lines);
    }
    char *around = lines_of("trace '%s/demo.pcapng' --filter 'CONNECT_IND or LL_TERMINATE_IND' --before 2 --after 3");
    assert_int_equal(count_of(around, "\n"), 1 + 1 + 3 + 2 + 1); /* nothing comes before the first or after the last */
    free(around);
}

static void filters_that_cannot_be_read_point_to_the_place(void **state)
{
    static const struct {
        const char *filter;
        size_t column;
        const char *says;
    } wrong[] = {
        {"", 1, "a search term"},
        {"live torque >", 14, "a number must follow"},
        {"live torque > fast", 15, "a number must follow"},
        {"notification and", 17, "a search term"},
        {"(notification", 14, "is not closed"},
        {"notification)", 13, "\"and\" or \"or\""},
        {"notifications", 1, "unknown kind of message"},
        {"time > 5", 9, "a time needs a unit"},
        {"time > 5 N m", 10, "a time needs a unit"},
        {"strength < -80 V", 16, "in dBm"},
        {"channel = 5 MHz", 13, "without a unit"},
        {"from", 5, "needs a name"},
        {"kind nonsense", 6, "no such kind"},
        {"layer ground", 7, "no such layer"},
        {"value = \"open", 9, "not closed"},
        {"live torque ! 5", 13, "no relation"},
        {"preset > 1e999", 10, "a number"},
        {"handle 12", 1, "write handle = 12"},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(wrong); i++) {
        char error[300] = "";
        size_t column = 0;
        struct ys_filter *filter = ys_filter_parse(wrong[i].filter, error, sizeof error, &column);
        if (filter != NULL || column != wrong[i].column || strstr(error, wrong[i].says) == NULL)
            fail_msg("\"%s\": column %zu: %s", wrong[i].filter, column, error);
    }
    struct outcome outcome = run("trace '%s/demo.pcapng' --filter 'live torque > fast'");
    assert_int_equal(outcome.status, 2);
    assert_non_null(strstr(outcome.err, "  live torque > fast\n                ^"));
    char deep[400];
    char error[300];
    size_t column;
    memset(deep, '(', sizeof deep);
    deep[sizeof deep - 1] = '\0';
    assert_null(ys_filter_parse(deep, error, sizeof error, &column));
    assert_non_null(strstr(error, "too deeply"));
}

/* keys */

static void an_encrypted_link_is_read_where_its_key_is_known(void **state)
{
    (void)state;
    /* the interface has the keys; the air alone only where the pairing was the older one, whose passkey can be tried */
    char *air = lines_of("trace --layer values '%s/cabinet.pcap'");
    char *whole = lines_of("trace --layer values '%s/cabinet.pcap' '%s/cabinet-cabinet.pcap' --view air");
    assert_true(count_of(whole, "\n") > count_of(air, "\n"));
    assert_non_null(strstr(whole, ": 1f")); /* the stock of 31 */
    char *old = lines_of("trace '%s/cabinet.pcap' --filter 'decrypted and read response'");
    assert_true(count_of(old, ": 1f") >= 1);
    free(old);
    free(air);
    free(whole);
}

static void a_key_that_is_given_opens_what_was_sent(void **state)
{
    char path[600];
    char error[200];
    (void)state;
    (void)snprintf(path, sizeof path, "%s/sealed.pcap", folder);
    struct ys_capture_writer *writer = ys_capture_create(path, true, error, sizeof error);
    const struct ys_record_sink sink = {.take = ys_capture_sink, .context = writer};
    traffic_play("link; e; enc; >a 0a0300; <a 0b2a", &sink);
    assert_true(ys_capture_close(writer, 0, 1, error, sizeof error));
    char *closed = lines_of("trace '%s/sealed.pcap'");
    char *open = lines_of("trace '%s/sealed.pcap' --key 4c68384139f574d836bcf34e9dfb01bf");
    assert_null(strstr(closed, "read response"));
    assert_non_null(strstr(run("trace '%s/sealed.pcap'").err, "4 packets were encrypted"));
    assert_non_null(strstr(open, "read response, 0x0003: 2a"));
    free(closed);
    free(open);
    /* the same key from a bond, as a host keeps it */
    struct {
        uint8_t check[4];
        uint8_t version;
        struct ys_bond bond;
    } bond = {.version = 2, .bond = {.key_size = 16}};
    memcpy(bond.bond.given.value, traffic_key, sizeof traffic_key);
    (void)snprintf(path, sizeof path, "%s/bonds.sqlite", folder);
    struct ys_store *store = ys_store_open(path, 4096, error, sizeof error);
    assert_true(ys_store_put(store, YS_RECORDS_OF_BONDS + 1, &bond, sizeof bond));
    ys_store_free(store);
    open = lines_of("trace '%s/sealed.pcap' --bonds '%s/bonds.sqlite'");
    assert_non_null(strstr(open, "read response, 0x0003: 2a"));
    free(open);
    assert_runs("trace '%s/sealed.pcap' --key 4c68", 2);
    assert_runs("trace '%s/sealed.pcap' --bonds '%s/no_such_file'", 2);
    assert_runs("trace '%s/sealed.pcap' --bonds '%s/sealed.pcap'", 2);
}

/* following */

static void a_growing_capture_is_followed_until_it_is_enough(void **state)
{
    char from[600];
    char to[600];
    char out[600];
    (void)state;
    (void)snprintf(from, sizeof from, "%s/demo.pcap", folder);
    (void)snprintf(to, sizeof to, "%s/growing.pcap", folder);
    (void)snprintf(out, sizeof out, "%s/followed", folder);
    FILE *source = fopen(from, "rb");
    FILE *target = fopen(to, "wb");
    uint8_t bytes[32000];
    size_t length = fread(bytes, 1, sizeof bytes, source);
    (void)fclose(source);
    (void)fwrite(bytes, 1, 5000, target);
    (void)fflush(target);
    pid_t child = fork();
    if (child == 0) {
        if (freopen(out, "w", stdout) != NULL)
            (void)execl(YARNSWIFT_COMMAND, "yarnswift", "trace", "--follow", to, (char *)NULL);
        _exit(127);
    }
    char *shown = NULL;
    for (size_t at = 5000; at < length; at += 3001) { /* in the middle of records */
        (void)fwrite(bytes + at, 1, length - at < 3001 ? length - at : 3001, target);
        (void)fflush(target);
    }
    (void)fclose(target);
    for (int i = 0; i < 200; i++) { /* until all is there, at most 20 s */
        (void)usleep(100000);
        free(shown);
        shown = read_whole(out);
        if (shown != NULL && strstr(shown, "LL_TERMINATE_IND") != NULL)
            break;
    }
    (void)kill(child, SIGINT);
    int status;
    assert_int_equal(waitpid(child, &status, 0), child);
    assert_true(WIFEXITED(status));
    assert_int_equal(WEXITSTATUS(status), 0);
    char *whole = lines_of("trace '%s/growing.pcap'");
    free(shown);
    shown = read_whole(out);
    assert_string_equal(shown, whole);
    free(shown);
    free(whole);
}

/* wrong inputs */

/* For builds: so many messages, or none. */
static void what_is_expected_of_a_trace_fails_if_it_is_otherwise(void **state)
{
    static const struct {
        const char *arguments;
        int status;
        const char *says;
    } cases[] = {
        {"trace --filter 'write request' --expect 0 '%s/demo.pcapng'", 1, "messages match, and 0 were expected"},
        {"trace --filter 'handle = 9999' --expect 0 '%s/demo.pcapng'", 0, ""},
        {"trace --filter 'handle = 9999' --expect 3 '%s/demo.pcapng'", 1, "0 messages match, and 3 were expected"},
        {"trace --packet 5 --expect 3 '%s/demo.pcapng'", 2, "omit --packet"},
        {"trace --expect some '%s/demo.pcapng'", 2, "--expect must be a whole number"},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        char arguments[900];
        (void)snprintf(arguments, sizeof arguments, cases[i].arguments, folder);
        struct outcome outcome = run_command(arguments);
        if (outcome.status != cases[i].status || strstr(outcome.err, cases[i].says) == NULL)
            fail_msg("%s: status %d, and %s", arguments, outcome.status, outcome.err);
    }
}

static void what_cannot_be_is_refused(void **state)
{
    static const char *const wrong[] = {
        "trace",
        "trace '%s/nowhere.pcap'",
        "trace '" WRENCH "'",
        "trace '%s'",
        "trace --layer nonsense '%s/demo.pcapng'",
        "trace --view nonsense '%s/demo.pcapng'",
        "trace --before -1 '%s/demo.pcapng'",
        "trace --packet 0 '%s/demo.pcapng'",
        "trace --packet 5 --json '%s/demo.pcapng'",
        "trace --draw strength '%s/demo.pcapng'",
        "trace --before 5 '%s/demo.pcapng'",
        "trace --follow '" SCENES "crib.scene.yaml'",
        "trace --follow '%s/demo.pcap' '%s/demo-wrench.pcap'",
        "trace '%s/demo.pcapng' --definition '%s/demo.pcapng'",
        "trace '" SCENES "crib.scene.yaml' '" SCENES "shift.scene.yaml'",
        "audit",
        "audit --rule nonsense '%s/demo.pcapng'",
        "interval '" WRENCH "' '%s/demo.pcapng' --runs 3",
        "interval '" WRENCH "' '%s/demo.pcapng' --capture '%s/other.pcapng'",
        "interval '" WRENCH "' --advertiser somebody",
        "throughput '" WRENCH "' '%s/demo.pcapng' --phy 2M",
        "throughput '" WRENCH "' '%s/demo.pcapng' --plot '%s/none.svg'",
        "throughput '" WRENCH "' --from 3",
        "audit '%s/nowhere.pcap'",
        "demo --capture '%s/demo.pcapng'",
        "demo --capture '%s/demo.txt'",
        "rehearse --runs 2 '" SCENES "crib.scene.yaml' --capture '%s/two.pcap'",
        "rehearse '" SCENES "crib.scene.yaml' --capture '%s/demo.pcapng'",
        "interval '" WRENCH "' '%s/nowhere.pcap'",
        "interval '" WRENCH "' '%s/demo.pcapng' --advertiser nobody",
        "throughput '" WRENCH "' '%s/demo.pcapng' --from 5 --to 4",
        "throughput '" WRENCH "' '%s/demo.pcapng' --from soon",
    };
    (void)state;
    for (size_t i = 0; i < COUNT(wrong); i++) {
        struct outcome outcome = run(wrong[i]);
        if (outcome.status != 2 || outcome.err[0] == '\0' || outcome.out[0] != '\0')
            fail_msg("%s: status %d\n%s%s", wrong[i], outcome.status, outcome.out, outcome.err);
    }
}

/* one rule */

static void of_one_rule_the_verdict_is_told(void **state)
{
    (void)state;
    struct outcome outcome = run("audit --rule flags-once '%s/demo.pcapng'");
    assert_int_equal(outcome.status, 0);
    assert_non_null(strstr(outcome.out, "\n  flags-once               kept "));
    assert_null(strstr(outcome.out, "flags-place"));
    assert_non_null(strstr(outcome.out, "1 rule: 0 broken, 1 kept, 0 undecided, 0 not applicable\n"));
}

/* figures */

static json_t *result_of(const char *format)
{
    char *text = lines_of(format);
    json_t *root = json_loads(text, 0, NULL);
    assert_non_null(root);
    free(text);
    return root;
}

static void assert_same(const json_t *a, const json_t *b, const char *const keys[])
{
    for (size_t i = 0; keys[i] != NULL; i++) {
        const json_t *one = json_object_get(a, keys[i]);
        const json_t *other = json_object_get(b, keys[i]);
        if (one == NULL || other == NULL || !json_equal(one, other))
            fail_msg("%s: %f and %f", keys[i], json_number_value(one), json_number_value(other));
    }
}

/* The air does not show all that a radio does: the charge is an estimate. */
static void assert_near(const json_t *a, const json_t *b, const char *key)
{
    double one = json_number_value(json_object_get(a, key));
    double other = json_number_value(json_object_get(b, key));
    if (one <= 0 || fabs(other / one - 1) > 0.05)
        fail_msg("%s: %f and %f", key, one, other);
}

static void a_capture_gives_the_figures_of_its_simulation(void **state)
{
    static const char *const advertising[] = {"set_ms",
                                              "seconds",
                                              "events",
                                              "interval_ms",
                                              "random_ms",
                                              "spacing_us",
                                              "packets",
                                              "on_air_ms",
                                              "duty_percent",
                                              "longest_silence_ms",
                                              "longest_silence_reason",
                                              "longest_silence_from_s",
                                              "connections",
                                              NULL};
    static const char *const streaming[] = {
        "measured_s",   "goodput_bps",     "values",           "value_bytes",   "packets",
        "data_packets", "retransmissions", "event_used_ratio", "airtime_ratio", NULL};
    static const char *const links[] = {"--phy 2M --packet-length 251", "--phy 1M --encrypted",
                                        "--phy 2M --packet-length 251 --loss 20",
                                        "--carrier indications --interval 15"};
    (void)state;
    json_t *simulated = result_of("interval '" WRENCH "' --runs 1 --seconds 20 --json --capture '%s/interval.pcapng'");
    json_t *captured = result_of("interval '" WRENCH "' '%s/interval.pcapng' --json");
    assert_same(simulated, captured, advertising);
    assert_near(simulated, captured, "mean_current_ua");
    assert_true(json_is_null(json_object_get(captured, "found_ms")));
    json_decref(simulated);
    json_decref(captured);
    for (size_t i = 0; i < COUNT(links); i++) {
        char command[600];
        (void)snprintf(command, sizeof command,
                       "throughput '" WRENCH "' %s --seconds 2 --json --replace --capture '%%s/stream.pcapng'",
                       links[i]);
        simulated = result_of(command);
        double from_s = json_number_value(json_object_get(simulated, "measured_from_s"));
        double to_s = from_s + json_number_value(json_object_get(simulated, "measured_s"));
        (void)snprintf(command, sizeof command,
                       "throughput '" WRENCH "' '%%s/stream.pcapng' '%s' --json --from %.9f --to %.9f",
                       json_string_value(json_object_get(simulated, "characteristic")), from_s, to_s);
        captured = result_of(command);
        assert_same(simulated, captured, streaming);
        assert_near(simulated, captured, "charge_mc_per_megabyte");
        if (strstr(links[i], "loss") == NULL && strstr(links[i], "indications") == NULL)
            assert_same(simulated, captured, (const char *const[]){"limit_bps", "ratio", NULL});
        assert_true(json_is_null(json_object_get(captured, "latency_ms")));
        json_decref(simulated);
        json_decref(captured);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_capture_gives_the_same_trace_as_its_simulation),
        cmocka_unit_test(captures_of_air_and_borders_are_put_together_by_their_times),
        cmocka_unit_test(frames_come_from_the_border_where_there_is_no_air),
        cmocka_unit_test(names_come_from_the_definition_or_from_the_traffic),
        cmocka_unit_test(a_definition_that_does_not_match_is_said_to),
        cmocka_unit_test(one_packet_is_shown_whole),
        cmocka_unit_test(each_packet_of_each_capture_can_be_shown_whole),
        cmocka_unit_test(json_is_an_object_a_line),
        cmocka_unit_test(values_go_into_a_table_that_is_not_written_over),
        cmocka_unit_test(both_views_stand_side_by_side),
        cmocka_unit_test(what_was_sent_again_is_counted_the_same_everywhere),
        cmocka_unit_test(values_are_those_of_characteristics),
        cmocka_unit_test(a_part_of_a_trace_is_chosen_by_its_times),
        cmocka_unit_test(pictures_say_what_they_are_of),
        cmocka_unit_test(pictures_are_drawn),
        cmocka_unit_test(a_long_connection_is_drawn_to_its_end),
        cmocka_unit_test(filters_show_what_they_say),
        cmocka_unit_test(filters_that_cannot_be_read_point_to_the_place),
        cmocka_unit_test(an_encrypted_link_is_read_where_its_key_is_known),
        cmocka_unit_test(a_key_that_is_given_opens_what_was_sent),
        cmocka_unit_test(a_growing_capture_is_followed_until_it_is_enough),
        cmocka_unit_test(what_is_expected_of_a_trace_fails_if_it_is_otherwise),
        cmocka_unit_test(what_cannot_be_is_refused),
        cmocka_unit_test(of_one_rule_the_verdict_is_told),
        cmocka_unit_test(a_capture_gives_the_figures_of_its_simulation),
    };
    return cmocka_run_group_tests(tests, set_up, NULL);
}
