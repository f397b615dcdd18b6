/* Files that are there: none is lost by what the command writes beside or over it, and keys are read by nobody else. */
#include "support/check.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <sqlite3.h>

#include "design/making/generate.h"
#include "simulated/store.h"
#include "support/run.h"

#define WRENCH YARNSWIFT_ROOT "/examples/torque_wrench/torque_wrench.device.yaml"
#define SCALE  YARNSWIFT_ROOT "/examples/hook_scale/hook_scale.device.yaml"
#define SCENE  YARNSWIFT_ROOT "/examples/scenes/shift.scene.yaml"
#define LONG   YARNSWIFT_ROOT "/examples/scenes/long_hour.scene.yaml"
#define OWN    "somebody's own\n"

static char folder[512];

static int setup(void **state)
{
    (void)state;
    (void)snprintf(folder, sizeof folder, "%s", scratch_folder("files"));
    return 0;
}

/* A path in the folder; four of them are good at once. */
static const char *in(const char *name)
{
    static char paths[4][700];
    static size_t next;
    char *path = paths[next++ % 4];
    (void)snprintf(path, sizeof paths[0], "%s/%s", folder, name);
    return path;
}

static void make(const char *name, const char *text)
{
    FILE *file = fopen(in(name), "wb");
    assert_non_null(file);
    (void)fputs(text, file);
    assert_int_equal(fclose(file), 0);
}

static void assert_holds(const char *name, const char *text)
{
    char *whole = read_whole(in(name));
    assert_non_null(whole);
    assert_string_equal(whole, text);
    free(whole);
}

static bool is_there(const char *name)
{
    return access(in(name), F_OK) == 0;
}

/* Runs `yarnswift` with these arguments, in which %s is the folder. */
static struct outcome run(const char *format)
{
    char arguments[2000];
    (void)snprintf(arguments, sizeof arguments, format, folder, folder, folder);
    return run_command(arguments);
}

static void assert_runs(const char *format, int status, const char *says)
{
    struct outcome outcome = run(format);
    if (outcome.status != status || strstr(outcome.err, says) == NULL)
        fail_msg("%s: status %d where %d was expected, or not \"%s\" in\n%s", format, outcome.status, status, says,
                 outcome.err);
}

static mode_t mode_of(const char *name)
{
    struct stat status;
    assert_int_equal(stat(in(name), &status), 0);
    return status.st_mode & 0777;
}

static size_t count_files(void)
{
    char line[700];
    char number[16] = "";
    (void)snprintf(line, sizeof line, "ls -A '%s' | wc -l", folder);
    FILE *pipe = popen(line, "r"); /* NOLINT(cert-env33-c): a test, as system() is in others */
    assert_non_null(fgets(number, sizeof number, pipe));
    (void)pclose(pipe);
    return (size_t)strtoul(number, NULL, 10);
}

static void generating_writes_through_no_link_and_loses_nothing_beside(void **state)
{
    (void)state;
    make("victim", OWN);
    make("hook_scale_table.h.new", OWN);
    assert_int_equal(symlink("victim", in("hook_scale_table.c.new")), 0);
    assert_runs("generate '" SCALE "' -o '%s'", 0, "");
    assert_holds("victim", OWN);
    assert_holds("hook_scale_table.h.new", OWN);
    assert_int_equal(count_files(), 6); /* these three, and the three that were wanted */
    assert_int_equal(mode_of("hook_scale_table.c"), mode_of("victim"));
    /* what looks like ours, and lies elsewhere */
    char *text = read_whole(in("hook_scale_table.h"));
    make("elsewhere", YS_GENERATED_MARK "\nof another day\n");
    assert_int_equal(remove(in("hook_scale_table.h")), 0);
    assert_int_equal(symlink("elsewhere", in("hook_scale_table.h")), 0);
    assert_runs("generate '" SCALE "' -o '%s'", 0, "");
    assert_holds("elsewhere", YS_GENERATED_MARK "\nof another day\n");
    assert_holds("hook_scale_table.h", text);
    free(text);
}

static void a_rule_for_make_takes_the_place_of_nothing_else(void **state)
{
    (void)state;
    char *text = read_whole(SCALE);
    make("s.device.yaml", text);
    assert_runs("generate '%s/s.device.yaml' -o '%s' --depends '%s/s.device.yaml'", 2,
                "this is no rule that was generated");
    assert_holds("s.device.yaml", text);
    assert_int_equal(count_files(), 1); /* and no table is there */
    make("own.d", OWN);
    assert_runs("generate '%s/s.device.yaml' -o '%s' --depends '%s/own.d'", 2, "move it away");
    assert_holds("own.d", OWN);
    for (int i = 0; i < 2; i++) /* its own it writes anew */
        assert_runs("generate '%s/s.device.yaml' -o '%s' --depends '%s/s.d'", 0, "");
    char *rule = read_whole(in("s.d"));
    assert_non_null(strstr(rule, "/s_table.h: "));
    free(rule);
    assert_int_equal(mkdir(in("a folder: $1"), 0777), 0);
    make("a folder: $1/s.device.yaml", text); /* signs that mean something to make */
    for (int i = 0; i < 2; i++)
        assert_runs("generate '%s/a folder: $1/s.device.yaml' -o '%s/a folder: $1' --depends '%s/s.d'", 0, "");
    rule = read_whole(in("s.d"));
    assert_non_null(strstr(rule, "/a\\ folder\\:\\ $$1/s_table.h: "));
    assert_non_null(strstr(rule, "/a\\ folder\\:\\ $$1/s.device.yaml\n"));
    assert_runs("generate '%s/s.device.yaml' -o '%s' --depends '%s/no/such/folder'", 2, "cannot");
    free(rule);
    free(text);
}

static void a_picture_takes_the_place_of_nothing_that_is_not_one(void **state)
{
    static const char *const verbs[] = {"interval --runs 2 '" WRENCH "'", "throughput --seconds 1 '" WRENCH "'",
                                        "sweep --seconds 1 --mtu 23,247 '" WRENCH "'", "trace '" SCENE "'"};
    (void)state;
    for (size_t i = 0; i < COUNT(verbs); i++) {
        char line[600];
        (void)setup(NULL);
        (void)snprintf(line, sizeof line, "%s --plot '%%s/p.svg'", verbs[i]);
        make("p.dat", OWN);
        assert_runs(line, 2, "p.dat would be overwritten");
        (void)strcat(line, " --replace"); /* which is about pictures */
        assert_runs(line, 2, "p.dat would be overwritten");
        assert_holds("p.dat", OWN);
        assert_int_equal(count_files(), 1);
        assert_int_equal(rename(in("p.dat"), in("p.gnuplot")), 0);
        assert_runs(line, 2, "p.gnuplot would be overwritten");
        assert_int_equal(count_files(), 1);
        assert_int_equal(remove(in("p.gnuplot")), 0);
        *strstr(line, " --replace") = '\0';
        assert_runs(line, 0, "");
        assert_int_equal(count_files(), 3);
        make("p.svg", OWN);
        assert_runs(line, 2, "it is there; give --replace");
        assert_holds("p.svg", OWN);
        (void)strcat(line, " --replace");
        assert_runs(line, 0, "");
        assert_int_equal(count_files(), 3);
        char *picture = read_whole(in("p.svg"));
        assert_non_null(strstr(picture, "<svg"));
        free(picture);
    }
}

static void a_picture_does_not_eat_what_is_drawn(void **state)
{
    (void)state;
    assert_runs("rehearse '" SCENE "' --capture '%s/day.pcapng'", 0, "");
    assert_int_equal(rename(in("day.pcapng"), in("day.dat")), 0);
    struct stat before;
    struct stat after;
    assert_int_equal(stat(in("day.dat"), &before), 0);
    assert_runs("trace '%s/day.dat' --plot '%s/day.svg' --replace", 2, "day.dat would be overwritten");
    assert_int_equal(stat(in("day.dat"), &after), 0);
    assert_int_equal(before.st_size, after.st_size);
    assert_int_equal(before.st_mtim.tv_nsec, after.st_mtim.tv_nsec);
    assert_false(is_there("day.svg"));
}

/* Where no file may have more than 512 bytes, as where a disk is full, nothing half is left, and nothing else. */
static void what_cannot_be_written_whole_is_not_there(void **state)
{
    static const char *const verbs[] = {
        "rehearse '" SCENE "' --capture a.pcapng",
        "rehearse '" SCENE "' --capture a.pcap",
        "interval --runs 5 '" WRENCH "' --capture a.pcapng",
        "generate '" WRENCH "'",
        "trace '" SCENE "' --plot a.png",
        "trace '" SCENE "' --values a.csv",
        "new kettle",
    };
    (void)state;
    for (size_t i = 0; i < COUNT(verbs); i++) {
        char line[1500];
        char said[2000] = "";
        (void)setup(NULL);
        (void)snprintf(line, sizeof line,
                       "cd '%s' && { ( ulimit -f 1; '" YARNSWIFT_COMMAND
                       "' %s 2>&1 >/dev/null; echo status $? ); } | cat",
                       folder, verbs[i]);
        FILE *pipe = popen(line, "r"); /* NOLINT(cert-env33-c): a test, as system() is in others */
        size_t length = fread(said, 1, sizeof said - 1, pipe);
        (void)pclose(pipe);
        said[length] = '\0';
        if (strstr(said, "status 2") == NULL || strstr(said, "annot write it") == NULL || count_files() != 0)
            fail_msg("%s says %s and leaves %zu files", verbs[i], said, count_files());
    }
}

static int run_line(const char *line)
{
    char whole[1500];
    (void)snprintf(whole, sizeof whole, "cd '%s' && %s", folder, line);
    int status = system(whole); /* NOLINT(cert-env33-c): a test, as popen() is in others */
    return WIFEXITED(status) ? WEXITSTATUS(status) : -1;
}

static void a_signal_leaves_nothing_half(void **state)
{
    static const char *const signals[] = {"INT", "TERM", "HUP"};
    (void)state;
    for (size_t i = 0; i < COUNT(signals); i++) {
        char line[600];
        (void)snprintf(line, sizeof line,
                       "timeout -s %s 0.5 '" YARNSWIFT_COMMAND "' rehearse --capture a.pcapng '" LONG
                       "' >/dev/null 2>&1",
                       signals[i]);
        (void)run_line(line);
        (void)snprintf(line, sizeof line,
                       "timeout -s %s 0.5 '" YARNSWIFT_COMMAND "' throughput --seconds 3600 --capture a.pcapng '" WRENCH
                       "' >/dev/null 2>&1",
                       signals[i]);
        assert_int_equal(run_line(line), 124);
        assert_int_equal(count_files(), 0);
    }
}

/* Nothing can be tidied up after this signal: what was there of the results is whole all the same. */
static void a_killed_rehearsal_leaves_the_results_that_it_had(void **state)
{
    (void)state;
    assert_int_not_equal(run_line("timeout -s KILL 3 '" YARNSWIFT_COMMAND
                                  "' rehearse --runs 1000000 --junit r.xml '" SCENE "' >/dev/null 2>&1"),
                         0);
    char *report = read_whole(in("r.xml"));
    assert_non_null(report);
    assert_non_null(strstr(report, "seed 1\" time="));
    assert_non_null(strstr(report, "</testsuites>\n"));
    free(report);
}

/* Whichever makes the file, the other waits for it. */
static void two_sweeps_begin_on_one_file(void **state)
{
    static const char line[] =
        "for i in 1 2; do ( '" YARNSWIFT_COMMAND "' sweep --seconds 1 --mtu 23,100 --results r.sqlite '" WRENCH
        "' >out.$i 2>&1 || touch failed ) & done; wait; cmp -s out.1 out.2 && test ! -e failed";
    (void)state;
    for (int i = 0; i < 5; i++) {
        (void)setup(NULL);
        assert_int_equal(run_line(line), 0);
    }
}

/* stores of keys */

static void a_store_is_its_owners_alone(void **state)
{
    char error[300];
    (void)state;
    (void)umask(0);
    struct ys_store *store = ys_store_open(in("bonds.sqlite"), 4096, error, sizeof error);
    assert_non_null(store);
    assert_int_equal(mode_of("bonds.sqlite"), 0600);
    assert_true(ys_store_put(store, 7, "key", 3));
    ys_store_free(store);
    assert_int_equal(mode_of("bonds.sqlite"), 0600);
    assert_int_equal(chmod(in("bonds.sqlite"), 0644), 0); /* as they were made before */
    store = ys_store_open(in("bonds.sqlite"), 4096, error, sizeof error);
    assert_int_equal(mode_of("bonds.sqlite"), 0600);
    ys_store_free(store);
    (void)umask(022);
}

static void what_is_only_read_stays_as_it_is(void **state)
{
    char error[300];
    uint8_t bytes[8];
    sqlite3 *other;
    (void)state;
    struct ys_store *store = ys_store_open(in("bonds.sqlite"), 4096, error, sizeof error);
    assert_true(ys_store_put(store, 7, "key", 3));
    ys_store_free(store);
    assert_int_equal(chmod(in("bonds.sqlite"), 0444), 0);
    store = ys_store_read(in("bonds.sqlite"), 4096, error, sizeof error);
    assert_int_equal(ys_store_get(store, 7, bytes, sizeof bytes), 3);
    assert_true(ys_store_put(store, 7, "other", 5)); /* in memory */
    assert_int_equal(ys_store_get(store, 7, bytes, sizeof bytes), 5);
    ys_store_free(store);
    assert_int_equal(mode_of("bonds.sqlite"), 0444);
    store = ys_store_read(in("bonds.sqlite"), 4096, error, sizeof error);
    assert_int_equal(ys_store_get(store, 7, bytes, sizeof bytes), 3);
    ys_store_free(store);
    assert_null(ys_store_read(in("none.sqlite"), 4096, error, sizeof error));
    assert_false(is_there("none.sqlite"));
    /* a file of somebody else's, and one that is empty */
    assert_int_equal(sqlite3_open(in("other.sqlite"), &other), SQLITE_OK);
    assert_int_equal(sqlite3_exec(other, "CREATE TABLE stock (name TEXT)", NULL, NULL, NULL), SQLITE_OK);
    (void)sqlite3_close(other);
    make("empty.sqlite", "");
    assert_runs("rehearse '" SCENE "' --capture '%s/day.pcapng'", 0, "");
    assert_runs("trace '%s/day.pcapng' --bonds '%s/other.sqlite'", 2, "it is no store");
    assert_runs("trace '%s/day.pcapng' --bonds '%s/empty.sqlite'", 2, "it is no store");
    assert_holds("empty.sqlite", "");
    assert_null(ys_store_open(in("other.sqlite"), 4096, error, sizeof error)); /* nor is it made a store of */
    assert_int_equal(sqlite3_open(in("other.sqlite"), &other), SQLITE_OK);
    assert_int_not_equal(sqlite3_exec(other, "SELECT * FROM records", NULL, NULL, NULL), SQLITE_OK);
    (void)sqlite3_close(other);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test_setup(generating_writes_through_no_link_and_loses_nothing_beside, setup),
        cmocka_unit_test_setup(a_rule_for_make_takes_the_place_of_nothing_else, setup),
        cmocka_unit_test_setup(a_picture_takes_the_place_of_nothing_that_is_not_one, setup),
        cmocka_unit_test_setup(a_picture_does_not_eat_what_is_drawn, setup),
        cmocka_unit_test_setup(what_cannot_be_written_whole_is_not_there, setup),
        cmocka_unit_test_setup(a_signal_leaves_nothing_half, setup),
        cmocka_unit_test_setup(a_killed_rehearsal_leaves_the_results_that_it_had, setup),
        cmocka_unit_test_setup(two_sweeps_begin_on_one_file, setup),
        cmocka_unit_test_setup(a_store_is_its_owners_alone, setup),
        cmocka_unit_test_setup(what_is_only_read_stays_as_it_is, setup),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
