/* Names that strangers choose: in definitions, on the air, in captures, in paths. They are shown, and never obeyed: not
 * by a terminal, not by the program that draws, not by a compiler. */
#include "support/check.h"

#include <iconv.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include "capture/file/writer.h"
#include "cli/shared/plot.h"
#include "support/run.h"
#include "support/traffic.h"
#include "wire/utf8.h"

#define WRENCH YARNSWIFT_ROOT "/examples/torque_wrench/torque_wrench.device.yaml"
#define SCENE  YARNSWIFT_ROOT "/examples/scenes/shift.scene.yaml"

/* characters */

static void every_character_is_known_and_nothing_else_is_one(void **state)
{
    iconv_t converter = iconv_open("UTF-8", "UTF-32LE");
    size_t plain = 0;
    (void)state;
    for (uint32_t character = 0; character < 0x112000; character++) {
        uint8_t bytes[4] = {0};
        char *in = (char *)&character;
        char *out = (char *)bytes;
        size_t in_left = 4;
        size_t out_left = 4;
        uint32_t got = UINT32_MAX;
        bool good = iconv(converter, &in, &in_left, &out, &out_left) != (size_t)-1; /* surrogates are none */
        assert_int_equal(good, character < 0xd800 || (character > 0xdfff && character < 0x110000));
        if (!good) { /* as it would be, were it one */
            (void)iconv(converter, NULL, NULL, NULL, NULL);
            const uint8_t wide[4] = {(uint8_t)(0xf0 | character >> 18), (uint8_t)(0x80 | (character >> 12 & 0x3f)),
                                     (uint8_t)(0x80 | (character >> 6 & 0x3f)), (uint8_t)(0x80 | (character & 0x3f))};
            const uint8_t three[3] = {(uint8_t)(0xe0 | character >> 12), wide[2], wide[3]};
            assert_int_equal(character > 0xffff ? ys_utf8_get(wide, 4, &got) : ys_utf8_get(three, 3, &got), 0);
            continue;
        }
        size_t length = 4 - out_left;
        assert_int_equal(ys_utf8_get(bytes, 4, &got), length);
        assert_int_equal(got, character);
        assert_int_equal(ys_utf8_get(bytes, length - 1, &got), 0); /* cut */
        plain += ys_character_is_plain(character);
    }
    (void)iconv_close(converter);
    /* without 32 + 33 control characters, 2 separators, 9 directions, 32 + 34 that are no characters, 2,048 surrogates
     */
    assert_int_equal(plain, 0x110000 - 0x800 - 65 - 11 - 66);
}

static void longer_forms_and_lonely_bytes_are_no_characters(void **state)
{
    static const char *const wrong[] = {"\x80",
                                        "\xbf",
                                        "\xc0\x8a",
                                        "\xc1\xbf",
                                        "\xe0\x80\x8a",
                                        "\xe0\x9f\xbf",
                                        "\xf0\x80\x80\x8a",
                                        "\xf0\x8f\xbf\xbf",
                                        "\xc3",
                                        "\xc3(",
                                        "\xe2\x82",
                                        "\xe2(\xac",
                                        "\xf8\x88\x80\x80\x80",
                                        "\xfe",
                                        "\xff"};
    (void)state;
    for (size_t i = 0; i < COUNT(wrong); i++) {
        uint32_t character;
        assert_int_equal(ys_utf8_get(wrong[i], strlen(wrong[i]), &character), 0);
    }
}

static void a_name_is_copied_without_what_is_not_plain(void **state)
{
    static const struct {
        const char *name;
        const char *copy; /* into 12 bytes */
    } cases[] = {
        {"Hook scale", "Hook scale"},
        {"Hook scales", "Hook scales"},
        {"Hook scales!", "Hook scales"},
        {"a\nb\r\tc\x1b[3mm\x7f", "a?b??c?[3mm"},
        {"\xc2\x9b"
         "31m",
         "?31m"},
        {"a\x80"
         "b\xc3(\xff",
         "a?b?(?"},
        {"\xe2\x80\xae"
         "evil\xe2\x80\xa9",
         "?evil?"},
        {"\xc3\xa4\xc3\xa4\xc3\xa4\xc3\xa4\xc3\xa4\xc3\xa4", "\xc3\xa4\xc3\xa4\xc3\xa4\xc3\xa4\xc3\xa4"},
        {"cut\xe2\x82", "cut"},
        {"\xef\xbf\xbe", "?"},
        {"", ""},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        char copy[12];
        ys_utf8_copy_name(copy, sizeof copy, cases[i].name, strlen(cases[i].name));
        assert_string_equal(copy, cases[i].copy);
    }
}

/* the program that draws */

static void every_byte_comes_back_from_a_script_as_it_went_in(void **state)
{
    char bytes[256];
    char line[700];
    (void)state;
    const char *folder = scratch_folder("script");
    for (int i = 0; i < 255; i++)
        bytes[i] = (char)(i + 1);
    bytes[255] = '\0';
    (void)snprintf(line, sizeof line, "%s/all.gnuplot", folder);
    FILE *script = fopen(line, "wb");
    (void)fputs("set print '-'\nprint ", script);
    plot_put_text(script, bytes);
    (void)fputs("\n", script);
    assert_int_equal(fclose(script), 0);
    (void)snprintf(line, sizeof line, "cd '%s' && gnuplot -d all.gnuplot >out 2>err", folder);
    assert_int_equal(system(line), 0);
    (void)snprintf(line, sizeof line, "%s/out", folder);
    char *out = read_whole(line);
    assert_int_equal(strlen(out), 256);
    assert_memory_equal(out, bytes, 255);
    free(out);
}

/* Runs `yarnswift` in a folder; a name of a shell's command in its arguments is between single quotes. Returns its
 * status. */
static int run_in(const char *folder, const char *arguments)
{
    char line[4096];
    (void)snprintf(line, sizeof line, "cd '%s' && '" YARNSWIFT_COMMAND "' %s >out 2>err", folder, arguments);
    int status = system(line);
    assert_true(WIFEXITED(status));
    return WEXITSTATUS(status);
}

static bool is_there(const char *folder, const char *name)
{
    char path[700];
    struct stat status;
    (void)snprintf(path, sizeof path, "%s/%s", folder, name);
    return lstat(path, &status) == 0;
}

/* Every verb that draws, as it draws each kind of picture. */
static const char *const drawings[] = {
    "interval --runs 2 '%s' --plot '%s'",
    "throughput --seconds 1 '%s' --plot '%s'",
    "sweep --seconds 1 --mtu 23,247 '%s' --plot '%s'",
    "sweep --seconds 1 --mtu 23,247 --phy 1M,2M '%s' --heat --plot '%s'",
    "trace '%s' --plot '%s'",
    "trace '%s' --draw strength --layer air --plot '%s'",
    "trace '%s' --draw connection --layer air --plot '%s'",
};
#define TRACES 4 /* the first of them that takes a scene or a capture */

static void the_path_of_a_picture_runs_no_command(void **state)
{
    static const char *const names[] = {
        "a\nsystem \"touch evil\"\n.svg",
        "`touch evil`.svg",
        "\"; system \"touch evil\"; \".svg",
        "|touch evil #.svg",
        "<touch evil #.svg",
        "-e.svg",
        "$DATA.svg",
        "~.svg",
        "a\\.svg",
        "\x1b[31m\xff.svg",
    };
    char folder[512];
    (void)state;
    for (size_t i = 0; i < COUNT(drawings); i++) {
        for (size_t j = 0; j < COUNT(names); j++) {
            char arguments[1000];
            if (j > 4 && i > 0) /* the rest means the same to all */
                break;
            (void)snprintf(folder, sizeof folder, "%s", scratch_folder("pictures"));
            (void)snprintf(arguments, sizeof arguments, drawings[i], i < TRACES ? WRENCH : SCENE, names[j]);
            if (names[j][0] == '-') /* a name of an option, to us */
                *strstr(arguments, "--plot ") = '\0', (void)strcat(arguments, "'--plot=-e.svg'");
            assert_int_equal(run_in(folder, arguments), 0);
            assert_true(is_there(folder, names[j]));
            assert_false(is_there(folder, "evil"));
        }
    }
}

#define SIGNS     "`touch evil` $(touch evil) '; system \\\"touch evil\\\" #{:Bold x}^_@"
#define FEW_SIGNS "`touch evil`$(touch evil)"

/* A definition may call things what it likes, as long as that is text. */
static void the_names_of_a_definition_run_no_command(void **state)
{
    char folder[512];
    (void)state;
    (void)snprintf(folder, sizeof folder, "%s", scratch_folder("drawn"));
    char *scene = strdup(scratch_file("drawn/s.scene.yaml",
                                      "scene: Signs\ndevices: [{name: \"" SIGNS "\", definition: d.device.yaml}]\n"
                                      "centrals: [{name: \"t" SIGNS "\"}]\nsteps:\n- {connect: \"" SIGNS "\"}\n"
                                      "- discover\n- {subscribe: \"x" SIGNS "\"}\n- {wait: 500 ms}\n"));
    char *definition = strdup(
        scratch_file("drawn/d.device.yaml",
                     "device: {name: \"" FEW_SIGNS "\"}\nadvertising: {interval: 50 ms}\nservices:\n- name: \"s" SIGNS
                     "\"\n  uuid: 0c5e0000-93a1-4b57-8d2e-61f4a7c3d908\n  characteristics:\n  - {name: \"x" SIGNS
                     "\", uuid: +1, format: uint8, handler: read, notify: open, simulate: {shape: ramp, from: 0, to: "
                     "9, period: 1 s, "
                     "every: 50 ms}}\n"));
    for (size_t i = 0; i < COUNT(drawings); i++) {
        char arguments[2000];
        char name[32];
        (void)snprintf(name, sizeof name, "%zu.svg", i);
        (void)snprintf(arguments, sizeof arguments, drawings[i], i < TRACES ? definition : scene, name);
        assert_int_equal(run_in(folder, arguments), 0);
        assert_true(is_there(folder, name));
        assert_false(is_there(folder, "evil"));
    }
    free(scene);
    free(definition);
}

/* what comes over the air, and in captures */

/* "x", a newline after half a character, system "touch evil", the same again, ESC [31m. */
#define HOSTILE "78c30a73797374656d2022746f756368206576696c22c30a1b5b33316d"

/* A capture in which somebody advertises such a name, and an interface has it. */
static void make_hostile(const char *path)
{
    static const uint8_t reset[] = {0x01, 0x03, 0x0c, 0x00};
    char error[200];
    struct ys_capture_writer *writer = ys_capture_create(path, true, error, sizeof error);
    assert_non_null(writer);
    const struct ys_record_sink sink = {.take = ys_capture_sink, .context = writer};
    traffic_play("row 5 20 37 1 4025 0908070605c2 1e09" HOSTILE
                 "; air 37 1 4012 0908070605c3 0b08785c07801bc29b33316d; gap 1000",
                 &sink);
    sink.take(sink.context, &(struct ys_record){.kind = YS_RECORD_HCI,
                                                .at_ns = 200000000,
                                                .direction_is_sure = true,
                                                .device = 1,
                                                .name = "i\n\x1b[31mevil\xc2\x9b\xff",
                                                .bytes = reset,
                                                .length = sizeof reset});
    assert_true(ys_capture_close(writer, 0, 300000000, error, sizeof error));
}

/* Nothing of it moves a cursor, turns a colour on, or ends a line but the command itself. */
static void assert_plain(const char *text)
{
    for (size_t left = strlen(text), length; left > 0; text += length, left -= length) {
        length = *text == '\n' || *text == '\t' ? 1 : ys_utf8_plain(text, left);
        if (length == 0)
            fail_msg("a terminal is told 0x%02x, and \"%.40s\"", (unsigned char)*text, text);
    }
}

static void names_from_the_air_and_from_captures_are_shown_and_not_obeyed(void **state)
{
    static const char *const verbs[] = {"trace --layer air",
                                        "trace --layer hci",
                                        "trace --view both",
                                        "trace --layer air --json",
                                        "trace --packet 1",
                                        "trace --packet 7",
                                        "audit",
                                        "audit --json",
                                        "trace --layer air --filter 'from x'",
                                        "interval",
                                        "trace --filter '\x1b[31m'"};
    char folder[512];
    char path[700];
    (void)state;
    (void)snprintf(folder, sizeof folder, "%s", scratch_folder("hostile"));
    (void)snprintf(path, sizeof path, "%s/h.pcapng", folder);
    make_hostile(path);
    for (size_t i = 0; i < COUNT(verbs); i++) {
        char arguments[900];
        (void)snprintf(arguments, sizeof arguments, "%s '%s'", verbs[i], path);
        struct outcome outcome = run_command(arguments);
        assert_plain(outcome.out);
        assert_plain(outcome.err);
    }
    assert_non_null(strstr(run_command("trace --layer air --help").out, "LAYER"));
    for (size_t i = TRACES; i < COUNT(drawings); i++) {
        char arguments[900];
        (void)snprintf(arguments, sizeof arguments, drawings[i], path, "p.svg");
        (void)strcat(arguments, " --replace");
        assert_int_equal(run_in(folder, arguments), 0);
        assert_false(is_there(folder, "evil"));
        if (strstr(drawings[i], "strength") != NULL) { /* it is drawn, and as a name */
            (void)snprintf(arguments, sizeof arguments, "%s/p.gnuplot", folder);
            char *script = read_whole(arguments);
            assert_non_null(strstr(script, "title \"x\\077\\077system \\042touch evil"));
            free(script);
        }
    }
}

/* definitions and scenes */

static void what_is_not_plain_is_no_name(void **state)
{
    static const char *const signs[] = {"\\n", "\\e[31m", "\\x9b", "\\u202e", "\\u2028", "\\x7f", "\\uffff"};
    static const char *const places[] = {
        "device: {name: \"a%s\"}\nservices: []\n",
        "device: {name: a}\nservices:\n- {name: \"b%s\", uuid: 0x180f}\n",
        "device: {name: a}\nadvertising: [{interval: 1 s}, {name: \"c%s\", interval: 1 s}]\nservices: []\n",
        "device: {name: a}\nservices:\n- name: b\n  uuid: 0x180f\n  characteristics:\n"
        "  - {name: \"c%s\", uuid: 0x2a19, format: uint8, value: 1, read: open}\n",
        "device: {name: a}\nservices:\n- name: b\n  uuid: 0x180f\n  characteristics:\n"
        "  - {name: c, uuid: 0x2a19, format: uint8, value: 1, read: open, description: \"d%s\"}\n",
        "device: {name: a}\nservices:\n- name: b\n  uuid: 0x180f\n  characteristics:\n"
        "  - {name: c, uuid: 0x2a19, format: 'boolean[8]', bits: [\"e%s\"], value: 1, read: open}\n",
        "device: {name: a}\nservices:\n- name: b\n  uuid: 0x180f\n  characteristics:\n"
        "  - {name: c, uuid: 0x2a19, fields: [{name: \"f%s\", format: uint8}], handler: read, read: open}\n",
        "device: {name: a, \"g%s\": 1}\nservices: []\n",
        "device: {name: a}\nservices: []\n\"h%s\": 1\n"};
    (void)state;
    for (size_t i = 0; i < COUNT(places); i++) {
        for (size_t j = 0; j < COUNT(signs); j++) {
            char text[600];
            char arguments[700];
            (void)snprintf(text, sizeof text, places[i], signs[j]);
            (void)snprintf(arguments, sizeof arguments, "check '%s'", scratch_file("n.device.yaml", text));
            struct outcome outcome = run_command(arguments);
            assert_int_equal(outcome.status, 2);
            assert_non_null(strstr(outcome.err, "is not shown but does something"));
            assert_plain(outcome.err);
        }
    }
}

static void a_value_may_be_any_text_and_is_shown_as_text(void **state)
{
    char arguments[700];
    (void)state;
    const char *path = scratch_file(
        "v.device.yaml", "device: {name: a}\nadvertising: {interval: 50 ms}\nservices:\n- name: b\n"
                         "  uuid: 0c5e0000-93a1-4b57-8d2e-61f4a7c3d908\n  characteristics:\n"
                         "  - {name: c, uuid: +1, format: utf8s, value: \"one\\ntwo\\e[31m\", read: open}\n");
    (void)snprintf(arguments, sizeof arguments, "table '%s'", path);
    struct outcome outcome = run_command(arguments);
    assert_int_equal(outcome.status, 0);
    assert_plain(outcome.out);
    assert_non_null(strstr(outcome.out, "\"one\\x0atwo\\x1b[31m\""));
    (void)snprintf(arguments, sizeof arguments, "rehearse --log '%s'",
                   scratch_file("v.scene.yaml", "scene: Any text\ndevices: [{name: d, definition: v.device.yaml}]\n"
                                                "centrals: [{name: t}]\nsteps:\n- {connect: d}\n- discover\n"
                                                "- {read: c, is: \"one\\ntwo\\e[31m\"}\n"));
    outcome = run_command(arguments);
    assert_int_equal(outcome.status, 0);
    assert_plain(outcome.out);
    assert_int_equal(run_command("check \"$(printf 'a\\033[31m\\n.device.yaml')\"").status, 2);
    assert_plain(run_command("check \"$(printf 'a\\033[31m\\n.device.yaml')\"").err);
}

/* pages and tables */

#define MARKS "a|b<i>*c*_d_[e](f)`g`"

static void a_name_is_text_in_pages_and_in_tables(void **state)
{
    char folder[512];
    char path[700];
    (void)state;
    (void)snprintf(folder, sizeof folder, "%s", scratch_folder("pages"));
    (void)scratch_file("pages/d.device.yaml",
                       "device: {name: \"" MARKS "\"}\nadvertising: {interval: 50 ms}\nservices:\n- name: \"s" MARKS
                       "\"\n  uuid: 0c5e0000-93a1-4b57-8d2e-61f4a7c3d908\n  characteristics:\n"
                       "  - {name: \"x" MARKS
                       "\", uuid: +1, format: uint8, read: open, value: 1, description: \"d" MARKS "\"}\n"
                       "  - {name: \"y=1+1\", uuid: +2, format: utf8s, read: open, value: \"=1+1\"}\n"
                       "  - {name: \"z\", uuid: +3, format: utf8s, read: open, value: \"-5 °C\"}\n");
    (void)scratch_file("pages/s.scene.yaml", "scene: Marks\ndevices: [{name: \"@d\", definition: d.device.yaml}]\n"
                                             "centrals: [{name: \"+t\"}]\nsteps:\n- {connect: \"@d\"}\n- discover\n"
                                             "- {read: \"y=1+1\"}\n- {read: z}\n");
    (void)snprintf(path, sizeof path, "generate --interface '%s/d.device.yaml'", folder);
    struct outcome outcome = run_command(path);
    assert_int_equal(outcome.status, 0);
    assert_non_null(strstr(outcome.out, "# a\\|b&lt;i\\>\\*c\\*\\_d\\_\\[e\\](f)\\`g\\`\n"));
    assert_non_null(strstr(outcome.out, "### xa\\|b&lt;i\\>"));
    assert_null(strstr(outcome.out, "<i>"));
    assert_null(strstr(outcome.out, "a|b"));
    assert_int_equal(run_in(folder, "trace s.scene.yaml --values v.csv"), 0);
    (void)snprintf(path, sizeof path, "%s/v.csv", folder);
    char *table = read_whole(path);
    assert_non_null(table);
    assert_non_null(strstr(table, ",'@d,'+t,"));
    assert_null(strstr(table, ",="));
    free(table);
}

/* generated C */

#define ENDS "*/ _Static_assert(0, \\\"x\\\"); /* // \\\\"

static void a_name_stays_in_its_comment(void **state)
{
    char folder[512];
    char line[2500];
    (void)state;
    (void)snprintf(folder, sizeof folder, "%s", scratch_folder("comments"));
    (void)scratch_file(
        "comments/d.device.yaml",
        "device: {name: \"*/_Static_assert(0,0);/*\"}\nadvertising: {name: \"" ENDS
        "\", interval: 50 ms}\nservices:\n- name: \"b" ENDS
        "\"\n  uuid: 0c5e0000-93a1-4b57-8d2e-61f4a7c3d908\n  characteristics:\n"
        "  - {name: \"c*/" ENDS "/\", uuid: +1, format: uint8, range: [0, 9], handler: [read, write], read: open, "
        "write: open, description: \"" ENDS "\"}\n"
        "  - {name: \"d/*/ " ENDS
        "*\", uuid: +2, format: struct, handler: [read, write], read: open, write: open, fields: [{name: \"e" ENDS
        "\", format: uint8}, {name: \"f" ENDS "\", format: 'boolean[8]', bits: [\"g*/ _Static_assert(0) /* //\"]}]}\n");
    assert_int_equal(run_in(folder, "generate d.device.yaml --skeleton own.c"), 0);
    (void)snprintf(line, sizeof line,
                   "cd '%s' && cc -std=c11 -Wall -Wextra -Wpedantic -Werror -I'" YARNSWIFT_ROOT
                   "/include' -fsyntax-only d_table.c own.c 2>err",
                   folder);
    if (system(line) != 0) {
        (void)snprintf(line, sizeof line, "%s/err", folder);
        fail_msg("%s", read_whole(line));
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(every_character_is_known_and_nothing_else_is_one),
        cmocka_unit_test(longer_forms_and_lonely_bytes_are_no_characters),
        cmocka_unit_test(a_name_is_copied_without_what_is_not_plain),
        cmocka_unit_test(every_byte_comes_back_from_a_script_as_it_went_in),
        cmocka_unit_test(the_path_of_a_picture_runs_no_command),
        cmocka_unit_test(the_names_of_a_definition_run_no_command),
        cmocka_unit_test(names_from_the_air_and_from_captures_are_shown_and_not_obeyed),
        cmocka_unit_test(what_is_not_plain_is_no_name),
        cmocka_unit_test(a_value_may_be_any_text_and_is_shown_as_text),
        cmocka_unit_test(a_name_is_text_in_pages_and_in_tables),
        cmocka_unit_test(a_name_stays_in_its_comment),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
