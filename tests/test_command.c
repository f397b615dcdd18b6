/* The built command, run as a person runs it. */
#include "support/check.h"

#include <stdbool.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

#include <jansson.h>

#include "support/run.h"

#define CABINET YARNSWIFT_ROOT "/examples/tool_cabinet/tool_cabinet.device.yaml"
#define WRENCH  YARNSWIFT_ROOT "/examples/torque_wrench/torque_wrench.device.yaml"

static size_t count_lines(const char *text)
{
    size_t count = 0;
    for (; *text != '\0'; text++)
        count += *text == '\n';
    return count;
}

static struct outcome run_on(const char *verb, const char *path)
{
    char line[1024];
    (void)snprintf(line, sizeof line, "%s '%s'", verb, path);
    return run_command(line);
}

/* what it says of itself */

static void help_names_every_verb(void **state)
{
    static const char *const verbs[] = {"check", "table", "generate", "demo"};
    (void)state;
    struct outcome outcome = run_command("--help");
    assert_int_equal(outcome.status, 0);
    for (size_t i = 0; i < COUNT(verbs); i++)
        assert_non_null(strstr(outcome.out, verbs[i]));
    for (size_t i = 0; i < COUNT(verbs); i++) {
        char line[64];
        (void)snprintf(line, sizeof line, "%s --help", verbs[i]);
        outcome = run_command(line);
        assert_int_equal(outcome.status, 0);
        assert_non_null(strstr(outcome.out, "Usage: yarnswift"));
    }
    assert_int_equal(run_command("--version").status, 0);
}

/* Each is answered by one line on stderr, nothing on stdout, and exit status 2. */
static void wrong_options_and_files_are_one_line_and_status_2(void **state)
{
    static const struct {
        const char *arguments;
        const char *says;
    } cases[] = {
        {"chekc", "unknown verb \"chekc\"; did you mean \"check\"?"},
        {"frobnicate", "unknown verb \"frobnicate\"; see yarnswift --help"},
        {"--frobnicate", "unknown option --frobnicate; see yarnswift --help"},
        {"check", "yarnswift check: name a definition, such as NAME.device.yaml"},
        {"check --frobnicate x", "yarnswift check: unknown option --frobnicate; see --help"},
        {"table --jsno x", "yarnswift table: unknown option --jsno; did you mean --json?"},
        {"table -x x", "yarnswift table: unknown option -x; see --help"},
        {"table --json=1 x", "yarnswift table: --json takes no value"},
        {"table a b", "yarnswift table: name one definition, such as NAME.device.yaml"},
        {"generate -o", "yarnswift generate: --output needs a value"},
        {"generate", "yarnswift generate: name one definition, such as NAME.device.yaml"},
        {"demo --seed", "yarnswift demo: --seed needs a value"},
        {"demo --seed x", "yarnswift demo: --seed must be a whole number from 0 on, not \"x\""},
        {"demo --seed -1", "yarnswift demo: --seed must be a whole number from 0 on, not \"-1\""},
        {"demo --seed 99999999999999999999", "--seed must be a whole number"},
        {"demo a b", "yarnswift demo: name at most one definition"},
        {"check /nowhere/at.device.yaml", "/nowhere/at.device.yaml: cannot read it: No such file or directory"},
        {"table /nowhere/at.device.yaml", "/nowhere/at.device.yaml: cannot read it: No such file or directory"},
        {"generate /nowhere/at.device.yaml", "/nowhere/at.device.yaml: cannot read it: No such file or directory"},
        {"demo /nowhere/at.device.yaml", "/nowhere/at.device.yaml: cannot read it: No such file or directory"},
        {"check /", "/: cannot read it: Is a directory"},
        {"check /dev/zero", "/dev/zero: cannot read it: it is longer than 16 MiB, which no definition is"},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct outcome outcome = run_command(cases[i].arguments);
        if (strstr(outcome.err, cases[i].says) == NULL)
            print_error("%s says: %s\n", cases[i].arguments, outcome.err);
        assert_non_null(strstr(outcome.err, cases[i].says));
        assert_int_equal(count_lines(outcome.err), 1);
        assert_string_equal(outcome.out, "");
        assert_int_equal(outcome.status, 2);
    }
}

static void a_full_disk_is_said(void **state)
{
    (void)state;
    struct outcome outcome = run_command("table '" WRENCH "' >/dev/full; exit $?");
    assert_int_equal(outcome.status, 2);
}

/* check */

static void a_good_definition_is_summed_up(void **state)
{
    (void)state;
    struct outcome outcome = run_on("check", WRENCH);
    assert_int_equal(outcome.status, 0);
    assert_string_equal(outcome.err, "");
    assert_non_null(strstr(outcome.out, "good: 5 services, 11 characteristics, 36 attributes\n"));
}

static void every_fault_of_a_bad_one_has_a_line_with_its_place(void **state)
{
    const char *path = scratch_file("bad.device.yaml", "device: {nmae: T2}\n"
                                                       "advertising: {interval: 1 ms}\n"
                                                       "services: []\n");
    char expected[1024];
    (void)state;
    (void)snprintf(expected, sizeof expected, "%s:1:10: error: this key of device is not known", path);
    struct outcome outcome = run_on("check", path);
    assert_int_equal(outcome.status, 2);
    assert_int_equal(count_lines(outcome.err), 3);
    assert_non_null(strstr(outcome.err, expected));
    (void)snprintf(expected, sizeof expected, "%s: 3 errors\n", path);
    assert_string_equal(outcome.out, expected);
}

static void warnings_fail_a_strict_check_only(void **state)
{
    const char *path = scratch_file("warned.device.yaml", "device: {name: T2}\n"
                                                          "advertising: {interval: 1 s, services: [heart rate]}\n"
                                                          "services:\n"
                                                          "  - {name: heart rate, characteristics: []}\n");
    (void)state;
    struct outcome outcome = run_on("check", path);
    assert_int_equal(outcome.status, 0);
    assert_non_null(strstr(outcome.out, "1 warning\n"));
    assert_int_equal(run_on("check --strict", path).status, 2);
    assert_int_equal(run_command("check --strict '" WRENCH "'").status, 0);
}

static void findings_come_as_json_with_their_codes(void **state)
{
    const char *path = scratch_file("coded.device.yaml", "device: {nmae: T2}\n"
                                                         "advertising: {interval: 1 ms}\n"
                                                         "services: []\n");
    static const struct {
        int line;
        int column;
        const char *code;
    } expected[] = {{1, 10, "key-unknown"}, {1, 10, "key-missing"}, {2, 25, "interval"}};
    (void)state;
    struct outcome outcome = run_on("check --json", path);
    assert_int_equal(outcome.status, 2);
    assert_string_equal(outcome.err, "");
    json_t *root = json_loads(outcome.out, 0, NULL);
    json_t *findings = json_object_get(root, "findings");
    assert_true(json_is_false(json_object_get(root, "good")));
    assert_int_equal(json_array_size(findings), COUNT(expected));
    for (size_t i = 0; i < COUNT(expected); i++) {
        json_t *finding = json_array_get(findings, i);
        assert_int_equal(json_integer_value(json_object_get(finding, "line")), expected[i].line);
        assert_int_equal(json_integer_value(json_object_get(finding, "column")), expected[i].column);
        assert_string_equal(json_string_value(json_object_get(finding, "code")), expected[i].code);
        assert_string_equal(json_string_value(json_object_get(finding, "severity")), "error");
        assert_string_equal(json_string_value(json_object_get(finding, "file")), path);
    }
    json_decref(root);
}

/* Files beside each other in the scratch folder; what the command says of the first. */
static void included_files_are_read_and_named(void **state)
{
    static const char head[] = "device: {name: T2}\nadvertising: {interval: 1 s}\n";
    static const struct {
        const char *main;
        const char *other;
        int status;
        const char *says; /* on stderr, after the scratch folder; "" for nothing */
    } cases[] = {
        {"include: [other.yaml]\n",
         "services:\n  - {name: battery, characteristics: [{name: battery level, read: open, "
         "value: 1}]}\n",
         0, ""},
        {"include: [other.yaml]\nservices: []\n", "services:\n  - {name: nonsense, characteristics: []}\n", 2,
         "other.yaml:2:6: error: \"nonsense\" is no adopted name and has no uuid: add a uuid of its own"},
        {"include: [other.yaml]\nservices: []\n", "services: [\n", 2, "other.yaml:"},
        {"include: [other.yaml]\nservices: []\n", "device: {name: X}\nservices: []\n", 2,
         "other.yaml:1:1: error: this key of an included file is not known: \"device\""},
        {"include: [nowhere.yaml]\nservices: []\n", "", 2, "main.device.yaml:3:11: error: "},
        {"include: [other.yaml]\nservices: []\n", "include: [other.yaml]\nservices: []\n", 2,
         "other.yaml:1:11: error: "},
        {"include: [other.yaml]\nservices: []\n", "include: [main.device.yaml]\n", 2, "other.yaml:1:11: error: "},
        {"include: [other.yaml]\nservices: []\n", "services: []\n", 0, "main.device.yaml:3:11: warning: "},
        {"", "", 2, "main.device.yaml:1:1: error: the definition has no services: add it"},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        char text[512];
        char says[512];
        (void)scratch_file("other.yaml", cases[i].other);
        (void)snprintf(text, sizeof text, "%s%s", head, cases[i].main);
        struct outcome outcome = run_on("check", scratch_file("main.device.yaml", text));
        (void)snprintf(says, sizeof says, "%s%s", cases[i].says[0] != '\0' ? YARNSWIFT_SCRATCH "/" : "", cases[i].says);
        if (outcome.status != cases[i].status || strstr(outcome.err, says) == NULL)
            print_error("case %zu: status %d\n%s", i, outcome.status, outcome.err);
        assert_int_equal(outcome.status, cases[i].status);
        assert_non_null(strstr(outcome.err, says));
    }
}

static void generating_tells_make_what_it_read(void **state)
{
    char line[1024];
    (void)state;
    (void)scratch_file("other.yaml", "services: [{name: battery, characteristics: []}]\n");
    const char *path = scratch_file("dependent.device.yaml", "include: [other.yaml]\ndevice: {name: T2}\n");
    (void)snprintf(line, sizeof line, "generate -o '%s' --depends '%s/rule.d' '%s'", scratch_folder("depends"),
                   YARNSWIFT_SCRATCH "/depends", path);
    assert_int_equal(run_command(line).status, 0);
    char *rule = read_whole(YARNSWIFT_SCRATCH "/depends/rule.d");
    assert_string_equal(rule, YARNSWIFT_SCRATCH "/depends/dependent_table.h: " YARNSWIFT_SCRATCH
                                                "/dependent.device.yaml " YARNSWIFT_SCRATCH "/other.yaml\n");
    free(rule);
}

/* table */

static void the_table_is_printed_and_as_json(void **state)
{
    (void)state;
    struct outcome outcome = run_on("table", WRENCH);
    assert_int_equal(outcome.status, 0);
    assert_non_null(strstr(outcome.out, "0x0009      value"));
    assert_non_null(strstr(outcome.out, "52 6a 7b e0 c1 d4 37 9a 6f 4e 1c 2b 01 00 8d 5f")); /* in air order */
    assert_non_null(strstr(outcome.out, "advertisement: 27 of 31 bytes, 4 left"));
    outcome = run_on("table --json", WRENCH);
    json_t *root = json_loads(outcome.out, 0, NULL);
    assert_non_null(root);
    json_t *attributes = json_object_get(root, "attributes");
    assert_int_equal(json_array_size(attributes), 36);
    json_t *name = json_array_get(attributes, 2);
    assert_int_equal(json_integer_value(json_object_get(name, "handle")), 3);
    assert_string_equal(json_string_value(json_object_get(name, "type")), "0x2A00");
    assert_string_equal(json_string_value(json_object_get(name, "value")), "546f7276616e65205432");
    json_t *torque = json_array_get(attributes, 8);
    assert_true(json_is_null(json_object_get(torque, "value")));
    assert_int_equal(json_string_length(json_object_get(root, "database_hash")), 32);
    assert_string_equal(json_string_value(json_object_get(json_object_get(torque, "rights"), "notify")), "open");
    json_t *set = json_array_get(json_object_get(root, "advertising"), 0);
    assert_string_equal(json_string_value(json_object_get(set, "response")), "0b09546f7276616e65205432");
    assert_int_equal(json_integer_value(json_object_get(root, "ram_bytes")), 0);
    assert_int_equal(json_integer_value(json_object_get(root, "flash_bytes")),
                     928); /* as scripts/check measures, too */
    set = json_array_get(json_object_get(root, "advertising"), 1);
    assert_string_equal(json_string_value(json_object_get(set, "name")), "locator");
    assert_string_equal(json_string_value(json_object_get(set, "data")), "08ffffff0300d900c5");
    json_decref(root);
}

/* catalogue */

static void the_catalogue_is_searched(void **state)
{
    (void)state;
    struct outcome outcome = run_command("catalogue battery");
    assert_int_equal(outcome.status, 0);
    assert_non_null(strstr(outcome.out, "service 0x180F Battery\n"));
    assert_non_null(strstr(outcome.out, "      - use: battery\n"));
    outcome = run_command("catalogue humidty");
    assert_int_equal(outcome.status, 0);
    assert_non_null(strstr(outcome.out, "nothing is named \"humidty\"; near to it:\n"));
    assert_non_null(strstr(outcome.out, "uint16, in steps of 0.01 %"));
    outcome = run_command("catalogue xyzzy");
    assert_int_equal(outcome.status, 1);
    assert_string_equal(outcome.out, "");
    assert_int_equal(count_lines(outcome.err), 1);
    assert_true(count_lines(run_command("catalogue").out) > 250);
    outcome = run_command("catalogue --json 0x2A19");
    json_t *root = json_loads(outcome.out, 0, NULL);
    json_t *found = json_array_get(json_object_get(root, "found"), 0);
    assert_string_equal(json_string_value(json_object_get(found, "name")), "Battery Level");
    assert_string_equal(json_string_value(json_object_get(found, "kind")), "characteristic");
    json_decref(root);
}

/* generate */

static void generating_writes_two_files_and_leaves_them_when_they_are_right(void **state)
{
    const char *folder = scratch_folder("generated");
    char line[1200];
    char path[700];
    struct stat before;
    struct stat after;
    (void)state;
    (void)snprintf(line, sizeof line, "generate -o '%s' '" WRENCH "'", folder);
    (void)snprintf(path, sizeof path, "%s/torque_wrench_table.h", folder);
    assert_int_equal(run_command(line).status, 0);
    char *header = read_whole(path);
    assert_non_null(strstr(header, "TORQUE_WRENCH_LIVE_TORQUE = 9,"));
    assert_non_null(strstr(header, "int16_t peak_torque; /* 0.1 N m */"));
    assert_non_null(strstr(header, "TORQUE_WRENCH_LIVE_TORQUE_CONFIGURATION = 10,"));
    assert_non_null(strstr(header, "ys_read_handler torque_wrench_live_torque_read;"));
    assert_non_null(strstr(header, "ys_write_handler torque_wrench_preset_write;"));
    free(header);
    assert_int_equal(stat(path, &before), 0);
    assert_int_equal(run_command(line).status, 0);
    assert_int_equal(stat(path, &after), 0);
    assert_int_equal(before.st_ino, after.st_ino);
    assert_true(before.st_mtim.tv_nsec == after.st_mtim.tv_nsec && before.st_mtim.tv_sec == after.st_mtim.tv_sec);
}

static void what_the_user_wrote_is_never_touched(void **state)
{
    char line[1200];
    char path[700];
    const char *folder = scratch_folder("own");
    (void)state;
    (void)snprintf(line, sizeof line, "generate -o '%s' '" WRENCH "'", folder);
    (void)snprintf(path, sizeof path, "%s/torque_wrench_table.c", folder);
    FILE *file = fopen(path, "w");
    (void)fputs("/* mine */\n", file);
    (void)fclose(file);
    struct outcome outcome = run_command(line);
    assert_int_equal(outcome.status, 2);
    assert_non_null(strstr(outcome.err, "this file was not generated"));
    char *mine = read_whole(path);
    assert_string_equal(mine, "/* mine */\n");
    free(mine);
    (void)snprintf(path, sizeof path, "%s/torque_wrench_table.h", folder);
    assert_null(read_whole(path)); /* nor is the other file written */
}

static void an_error_writes_nothing(void **state)
{
    char line[1200];
    char path[600];
    (void)state;
    (void)snprintf(path, sizeof path, "%s",
                   scratch_file("broken.device.yaml", "device: {name: T2}\nadvertising: {interval: 1 ms}\nservices: "
                                                      "[]\n"));
    const char *folder = scratch_folder("nothing");
    (void)snprintf(line, sizeof line, "generate -o '%s' '%s'", folder, path);
    assert_int_equal(run_command(line).status, 2);
    (void)snprintf(path, sizeof path, "%s/broken_table.c", folder);
    assert_null(read_whole(path));
    (void)snprintf(line, sizeof line, "generate -o '%s/nowhere' '" WRENCH "'", folder);
    struct outcome outcome = run_command(line);
    assert_int_equal(outcome.status, 2);
    assert_int_equal(count_lines(outcome.err), 1);
}

/* demo */

static void the_demo_tells_what_happens_step_by_step(void **state)
{
    static const char *const steps[] = {
        "wrench  is ready: address",
        "wrench  advertises every 100 ms",
        "tablet  scans for \"Torvane T2\"",
        "offers tightening, battery",
        "tablet  connected, every 30 ms",
        "tablet  has agreed on an MTU of 247 bytes",
        "live torque                            5f8d0001-2b1c-4e6f-9a37-d4c1e07b6a52 read, notify",
        "reads preset: 120.0 N m  [b0 04]",
        "reads battery level: 87 %  [57]",
        "is refused to write preset: 250.0 N m  [c4 09]: the value is out of range (0xFF)",
        "writes preset: 42.0 N m  [a4 01]",
        "wrench  notifications of live torque are on",
        "is notified: live torque 0.7 N m   [07 00]",
        "tablet  has unsubscribed from live torque",
        "has received 0 more within 1 s",
        "reads bolt result: number 2, peak torque 42.0 N m, angle 120 \xc2\xb0, verdict good  [02 00 a4 01 78 00 01]",
        "wrench  disconnected: the other side ended the connection (0x13)",
        "tablet  found it after",
        "all as expected",
    };
    (void)state;
    struct outcome outcome = run_command("demo");
    assert_int_equal(outcome.status, 0);
    assert_string_equal(outcome.err, "");
    const char *at = outcome.out;
    for (size_t i = 0; i < COUNT(steps); i++) {
        const char *found = strstr(at, steps[i]);
        if (found == NULL)
            print_error("missing, or out of order: %s\n", steps[i]);
        assert_non_null(found);
        at = found;
    }
    assert_null(strchr(outcome.out, '\033')); /* no colour where there is no terminal */
}

static double number(json_t *root, const char *group, const char *name)
{
    json_t *value = json_object_get(group != NULL ? json_object_get(root, group) : root, name);
    assert_true(json_is_number(value));
    return json_number_value(value);
}

static void the_summary_holds_for_many_seeds(void **state)
{
    (void)state;
    for (int seed = 0; seed < 40; seed++) {
        char line[64];
        (void)snprintf(line, sizeof line, "demo --json --seed %d", seed);
        struct outcome outcome = run_command(line);
        assert_int_equal(outcome.status, 0);
        json_t *root = json_loads(outcome.out, 0, NULL);
        assert_non_null(root);
        json_t *interval = json_object_get(json_object_get(root, "advertising"), "interval_ms");
        assert_true(json_is_true(json_object_get(root, "as_expected")));
        assert_true(number(root, "advertising", "set_ms") == 100);
        assert_true(json_number_value(json_object_get(interval, "min")) >= 100);
        assert_true(json_number_value(json_object_get(interval, "max")) <= 110);
        assert_true(json_number_value(json_object_get(interval, "mean")) > 102);
        assert_true(json_number_value(json_object_get(interval, "mean")) < 108);
        assert_true(number(root, "notifications", "sent") > 100);
        assert_true(number(root, "notifications", "sent") == number(root, "notifications", "received"));
        assert_true(number(root, "notifications", "after_unsubscribe") == 0);
        assert_true(number(root, NULL, "air_packets") > 300);
        json_decref(root);
    }
}

static void the_same_seed_repeats_byte_for_byte(void **state)
{
    (void)state;
    char *first = strdup(run_command("demo --seed 7").out);
    assert_string_equal(run_command("demo --seed 7").out, first);
    assert_string_not_equal(run_command("demo --seed 8").out, first);
    free(first);
}

static void an_interval_is_told_in_words_and_as_json(void **state)
{
    static const char *const lines[] = {
        "events            ",
        "interval          set 100 ms; measured 100.",
        "random part     ",
        "SCAN_REQ",
        "requests          100 % answered",
        "longest silence   10",
        "charge            1",
        "  half            30 ms of 60 ms",
        "yes  interval from 100 ms to 110 ms",
    };
    (void)state;
    struct outcome outcome = run_on("interval --runs 50", WRENCH);
    assert_int_equal(outcome.status, 0);
    assert_string_equal(outcome.err, "");
    for (size_t i = 0; i < COUNT(lines); i++)
        assert_non_null(strstr(outcome.out, lines[i]));
    outcome = run_on("interval --json --runs 50 --scanner tenth --scanner '30 ms of 60 ms'", WRENCH);
    json_t *root = json_loads(outcome.out, 0, NULL);
    assert_non_null(root);
    assert_true(number(root, NULL, "set_ms") == 100);
    assert_true(number(root, NULL, "events") > 550);
    assert_true(number(root, "interval_ms", "min") >= 100 && number(root, "interval_ms", "max") <= 110);
    assert_true(number(root, "interval_ms", "mean") < number(root, "interval_ms", "p95"));
    assert_true(number(root, NULL, "longest_silence_ms") < 110);
    assert_true(number(root, "found_ms", "median") < number(root, "found_ms", "p95"));
    assert_true(number(root, "found_ms", "p95") <= number(root, "found_ms", "max"));
    assert_int_equal(json_array_size(json_object_get(root, "searches")), 2); /* the tablet's is one of them */
    assert_int_equal(json_array_size(json_object_get(root, "verdicts")), 4);
    json_decref(root);
    char *first = strdup(run_on("interval --json --runs 20", WRENCH).out);
    assert_string_equal(run_on("interval --json --runs 20", WRENCH).out, first);
    assert_string_not_equal(run_on("interval --json --runs 20 --seed 2", WRENCH).out, first);
    free(first);
    outcome = run_on("interval --advertising-set locator --runs 5", WRENCH);
    assert_non_null(strstr(outcome.out, "a beacon: locator"));
    assert_int_equal(outcome.status, 0);
    assert_non_null(strstr(outcome.out, "  yes  interval from 1000 ms to 1010 ms: "));
    assert_non_null(strstr(outcome.out, "\n  4 more are about another advertising set: see --advertising-set\n"));
    assert_null(strstr(outcome.out, "interval from 100 ms to 110 ms"));
    outcome =
        run_on("interval --advertising-set locator --runs 5",
               scratch_file("two.device.yaml",
                            "device: {name: T2}\nadvertising:\n  - {interval: 100 ms}\n  - {name: locator, kind: "
                            "beacon, interval: 1 s}\nservices: []\nexpect:\n  - {interval: [100 ms, 110 ms]}\n  - "
                            "{advertising set: locator, interval: [100 ms, 110 ms]}\n"));
    assert_int_equal(outcome.status, 1);
    assert_non_null(strstr(outcome.out, "NO   interval from 100 ms to 110 ms"));
    assert_non_null(strstr(outcome.out, "set at most 100 ms"));
}

static void what_an_interval_cannot_be_asked_is_refused(void **state)
{
    static const struct {
        const char *arguments;
        const char *error;
    } cases[] = {
        {"interval --runs 0", "--runs must be a whole number from 1 to 1000000"},
        {"interval --seconds 1.5", "--seconds must be a whole number"},
        {"interval --scanner fast", "unknown scanner \"fast\""},
        {"interval --plot a.pdf", "a plot must end in .svg or .png"},
        {"interval --advertising-set nothing", "unknown advertising set \"nothing\""},
        {"interval --plot no/such/folder/a.svg --runs 1", "no/such/folder/a.dat: cannot write it"},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct outcome outcome = run_on(cases[i].arguments, WRENCH);
        assert_int_equal(outcome.status, 2);
        assert_non_null(strstr(outcome.err, cases[i].error));
    }
    struct outcome outcome = run_on("interval", scratch_file("mute.device.yaml", "device: {name: T2}\nservices: []\n"));
    assert_int_equal(outcome.status, 2);
    assert_non_null(strstr(outcome.err, "the device does not advertise"));
}

static void a_plot_has_its_data_and_script_beside_it(void **state)
{
    char arguments[600];
    char path[500];
    (void)state;
    const char *folder = scratch_folder("plots");
    (void)snprintf(path, sizeof path, "%s", folder);
    (void)snprintf(arguments, sizeof arguments, "interval --runs 20 --plot \"%s/it's one.svg\"", path);
    assert_int_equal(run_on(arguments, WRENCH).status, 0);
    static const char *const files[] = {"it's one.svg", "it's one.dat", "it's one.gnuplot"};
    static const char *const begins[] = {"<?xml", "# Written by yarnswift", "# Written by yarnswift"};
    for (size_t i = 0; i < COUNT(files); i++) {
        (void)snprintf(arguments, sizeof arguments, "%s/%s", path, files[i]);
        char *text = read_whole(arguments);
        assert_non_null(text);
        assert_memory_equal(text, begins[i], strlen(begins[i]));
        free(text);
    }
}

static void any_definition_is_played_by_its_stand_ins(void **state)
{
    (void)state;
    struct outcome outcome = run_on("demo", WRENCH);
    assert_int_equal(outcome.status, 0);
    assert_non_null(strstr(outcome.out, "reads preset: 120.0 N m"));
    assert_non_null(strstr(outcome.out, "is notified: live torque"));
    assert_non_null(strstr(outcome.out, "all as expected"));
    const char *path =
        scratch_file("shapes.device.yaml",
                     "device: {name: Shapes, address: public}\n"
                     "advertising: {interval: [100 ms, 200 ms]}\n"
                     "services:\n"
                     "  - name: s\n"
                     "    uuid: 5f8d0000-2b1c-4e6f-9a37-d4c1e07b6a52\n"
                     "    characteristics:\n"
                     "      - {name: a, uuid: +1, format: sint16, read: open, notify: open, handler: read,\n"
                     "         simulate: {shape: random walk, from: -5, to: 5, step: 2, every: 50 ms}}\n"
                     "      - {name: b, uuid: +2, format: uint8, read: open, notify: open, handler: read,\n"
                     "         simulate: {shape: ramp, from: 0, to: 100, period: 10 s}}\n"
                     "      - {name: c, uuid: +3, format: utf8s, length: 20, read: open, write: open, value: hook}\n"
                     "      - {name: d, uuid: +4, format: bytes, length: 9, write without response: open, handler: "
                     "write}\n");
    outcome = run_on("demo", path);
    assert_int_equal(outcome.status, 0);
    assert_non_null(strstr(outcome.out, "address 00:FF:FF:00:00:01 (public)"));
    assert_non_null(strstr(outcome.out, "reads c: \"hook\""));
    assert_non_null(strstr(outcome.out, "write without response"));
    path = scratch_file(
        "twins.device.yaml",
        "device: {name: Twins}\n"
        "advertising: {interval: 1 s}\n"
        "services:\n"
        "  - {name: battery, characteristics: [{name: left, uuid: Battery Level, read: open, value: 11}]}\n"
        "  - name: other\n"
        "    uuid: 5f8d0000-2b1c-4e6f-9a37-d4c1e07b6a52\n"
        "    characteristics:\n"
        "      - {name: right, uuid: Battery Level, read: open, value: 22}\n"
        "      - {name: slow, uuid: +1, format: uint8, notify: open, handler: read,\n"
        "         simulate: {shape: ramp, from: 0, to: 9, period: 1 h, every: 1 min}}\n");
    outcome = run_on("demo", path);
    assert_int_equal(outcome.status, 0); /* that a value is slow is no fault */
    assert_non_null(strstr(outcome.out, "reads left: 11 %"));
    assert_non_null(strstr(outcome.out, "reads right: 22 %"));
    path = scratch_file("silent.device.yaml", "device: {name: Silent}\nservices: []\n");
    outcome = run_on("demo", path);
    assert_int_equal(outcome.status, 2);
    assert_non_null(strstr(outcome.err, "the first advertising set is not connectable"));
}

/* pairing: every outcome that is said is what two hosts come to, which test_pairing sees to by the same table. */
/* An index of a characteristic is a byte, and one of its values means none. */
static void a_client_of_more_characteristics_than_it_has_indices_for_is_refused(void **state)
{
    (void)state;
    for (unsigned count = 254; count <= 255; count++) {
        char *text = NULL;
        size_t size = 0;
        FILE *stream = open_memstream(&text, &size);
        assert_non_null(stream);
        (void)fputs("device: {name: Many}\nadvertising: {interval: 1 s}\nservices:\n  - name: s\n    uuid: "
                    "5f8d0000-2b1c-4e6f-9a37-d4c1e07b6a52\n    characteristics:\n",
                    stream);
        for (unsigned i = 1; i <= count; i++)
            (void)fprintf(stream, "      - {name: c%u, uuid: +%u, format: uint8, read: open, value: 1}\n", i, i);
        (void)fclose(stream);
        (void)scratch_file("many.device.yaml", text);
        free(text);
        struct outcome outcome =
            run_command("generate --for client -o " YARNSWIFT_SCRATCH " " YARNSWIFT_SCRATCH "/many.device.yaml");
        assert_int_equal(outcome.status, count == 254 ? 0 : 2);
        assert_int_equal(strstr(outcome.err, "has room for 254 characteristics, and this device has 255") != NULL,
                         count == 255);
    }
}

static void pairing_tells_the_method_the_people_and_what_it_opens(void **state)
{
    static const struct {
        const char *central;
        bool secure;
        const char *method;
        int level;
    } cases[] = {
        {"display", true, "just works", 2},
        {"keyboard", true, "passkey entry, shown by the device", 4},
        {"keyboard", false, "passkey entry, shown by the device", 3},
        {"none", false, "just works", 2},
        {"keyboard and display", true, "passkey entry, shown by the device", 4},
    };
    (void)state;
    struct outcome outcome = run_on("pairing --json", CABINET);
    assert_int_equal(outcome.status, 0);
    json_t *root = json_loads(outcome.out, 0, NULL);
    const json_t *outcomes = json_object_get(root, "outcomes");
    assert_int_equal(json_array_size(outcomes), 10);
    for (size_t i = 0; i < COUNT(cases); i++) {
        bool found = false;
        for (size_t j = 0; j < 10; j++) {
            const json_t *one = json_array_get(outcomes, j);
            if (strcmp(json_string_value(json_object_get(one, "central_capability")), cases[i].central) != 0 ||
                json_is_true(json_object_get(one, "secure_connections")) != cases[i].secure)
                continue;
            found = true;
            assert_string_equal(json_string_value(json_object_get(one, "method")), cases[i].method);
            assert_int_equal(json_integer_value(json_object_get(one, "level")), cases[i].level);
            assert_int_equal(json_is_true(json_object_get(one, "stops_man_in_the_middle")), cases[i].level > 2);
            assert_int_equal(json_is_true(json_object_get(one, "stops_listeners")), cases[i].secure);
        }
        assert_true(found);
    }
    assert_int_equal(json_array_size(json_object_get(root, "rights")), 5);
    json_decref(root);
    outcome = run_on("pairing", CABINET);
    assert_int_equal(outcome.status, 0);
    assert_non_null(strstr(outcome.out, "enter the six digits that the device shows"));
    assert_non_null(strstr(outcome.out, "lock: read and write"));
    assert_null(strstr(outcome.out, "nobody)"));
    outcome = run_on("pairing", WRENCH);
    assert_int_equal(outcome.status, 2);
    assert_non_null(strstr(outcome.err, "does not pair: add security to device"));
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(pairing_tells_the_method_the_people_and_what_it_opens),
        cmocka_unit_test(a_client_of_more_characteristics_than_it_has_indices_for_is_refused),
        cmocka_unit_test(help_names_every_verb),
        cmocka_unit_test(wrong_options_and_files_are_one_line_and_status_2),
        cmocka_unit_test(a_full_disk_is_said),
        cmocka_unit_test(a_good_definition_is_summed_up),
        cmocka_unit_test(every_fault_of_a_bad_one_has_a_line_with_its_place),
        cmocka_unit_test(warnings_fail_a_strict_check_only),
        cmocka_unit_test(findings_come_as_json_with_their_codes),
        cmocka_unit_test(included_files_are_read_and_named),
        cmocka_unit_test(generating_tells_make_what_it_read),
        cmocka_unit_test(the_catalogue_is_searched),
        cmocka_unit_test(the_table_is_printed_and_as_json),
        cmocka_unit_test(generating_writes_two_files_and_leaves_them_when_they_are_right),
        cmocka_unit_test(what_the_user_wrote_is_never_touched),
        cmocka_unit_test(an_error_writes_nothing),
        cmocka_unit_test(the_demo_tells_what_happens_step_by_step),
        cmocka_unit_test(the_summary_holds_for_many_seeds),
        cmocka_unit_test(the_same_seed_repeats_byte_for_byte),
        cmocka_unit_test(an_interval_is_told_in_words_and_as_json),
        cmocka_unit_test(what_an_interval_cannot_be_asked_is_refused),
        cmocka_unit_test(a_plot_has_its_data_and_script_beside_it),
        cmocka_unit_test(any_definition_is_played_by_its_stand_ins),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
