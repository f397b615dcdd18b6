/* Two versions of a definition: what has changed is told, and whether it breaks the other side. */
#include "support/check.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/making/changes.h"
#include "support/definition.h"
#include "support/run.h"

static const char base[] =
    "device: {name: T2, security: {capability: display}}\n"
    "advertising:\n"
    "  - {interval: 100 ms, services: [s], data: [flags, services], response: [name]}\n"
    "  - {name: far, kind: beacon, interval: 1 s, data: [{manufacturer: {company: 0xFFFF, format: struct, fields: "
    "[{name: crib, format: uint16}], value: crib 3}}]}\n"
    "services:\n"
    "  - name: s\n"
    "    uuid: " LONG "\n"
    "    characteristics:\n"
    "      - {name: a, uuid: +1, format: uint16, resolution: 0.1, unit: metre, range: [0, 100], read: open, write: "
    "encrypted, notify: open, notification spacing: 100 ms, handler: [read, write]}\n"
    "      - {name: b, uuid: +2, format: struct, read: open, handler: read, fields: [{name: flags, format: "
    "\"boolean[8]\", bits: [wide, hot]}, {name: angle, format: uint16}, {name: more, format: uint8, when: wide}]}\n"
    "      - {name: c, uuid: +3, format: utf8s, length: 12, read: open, handler: read, descriptors: [{uuid: 0x2911, "
    "value: 2a}]}\n"
    "      - {name: d, uuid: +4, format: uint8, read: open, value: 7, names: [off, low, on = 7]}\n"
    "  - {name: t, uuid: 6c1e0000-59d2-4b8a-9e40-2f6d8b13a5c7, characteristics: [{name: e, uuid: +1, format: uint8, "
    "write: encrypted, value: 1}]}\n";

struct one_change {
    const char *from;
    const char *to;
    const char *expected; /* each change in a line: an exclamation mark if it breaks */
};

static const struct one_change cases[] = {
    {"T2", "T3", "!device: is called \"T3\", was \"T2\": a search for the name fails\n"},
    {"capability: display", "capability: none",
     "device: can show or enter something else: people pair in another way\n"},
    {"capability: display", "capability: display, secure connections only: true",
     "!device: only pairs by LE Secure Connections: older centrals cannot\n"},
    {"name: T2,", "name: T2, limits: {connections: 2, mtu: 100},",
     "!device: takes 2 connections at once, was 3\n"
     "device: agrees to an MTU of 100 at most, was 247: notifications of longer values are cut off\n"},
    {"value: 2a}", "value: 2a}, {uuid: 0x2913, value: 01}",
     "table: 5 attributes are moved or gone: clients that keep it see that by its hash, and by Service Changed if they "
     "are remembered\n"},
    {"value: 2a", "value: 2b", "s, c: descriptor 0x2911 has another value\n"},
    {"0x2911", "0x2913",
     "!s, c: descriptor 0x2913, was 0x2911\n"
     "table: 1 attribute is moved or gone: clients that keep it see that by its hash, and by Service Changed if they "
     "are remembered\n"},
    {"notification spacing: 100 ms, handler", "outbox: true, handler",
     "s, a: each of its values arrives, where only the newest did\ns, a: notification spacing 0 ms, was 100 ms\n"},
    {"interval: 100 ms", "interval: 200 ms",
     "advertising: interval 200 ms, was 100 ms: how fast it is found changes\n"},
    {"services: [s]", "services: [t]",
     "!advertising: no longer advertises the service \"s\", by which centrals may search\nadvertising: also advertises "
     "the service \"t\"\n"},
    {"name: far, kind: beacon", "name: far, kind: beacon, extended: true",
     "!far: is extended now: centrals with legacy advertising only do not find it\n"},
    {"name: far", "name: near", "!far: is gone\nnear: is new\n"},
    {"crib, format: uint16", "crib, format: uint8", "!far: field crib: format uint8, was uint16\n"},
    {"company: 0xFFFF", "company: 0xFFFE", "!far: data of a manufacturer that it told is gone\n"},
    {"format: uint16, resolution", "format: uint32, resolution", "!s, a: format uint32, was uint16\n"},
    {"resolution: 0.1", "resolution: 0.01", "!s, a: resolution: a raw 1 is another amount than it was\n"},
    {"unit: metre", "unit: second", "!s, a: unit second, was metre\n"},
    {"range: [0, 100]", "range: [0, 90]", "!s, a: writes are refused that were taken: its range is narrower\n"},
    {"range: [0, 100]", "range: [0, 200]", "s, a: its range is wider\n"},
    {"range: [0, 100]", "range: [0, 100], any value: true", "s, a: writes beyond a range are not refused any more\n"},
    {"write: encrypted, notify", "write: open, notify", "s, a: write open, was encrypted\n"},
    {"write: encrypted, notify", "write: authenticated, notify", "!s, a: write authenticated, was encrypted\n"},
    {"write: encrypted, notify", "write: encrypted and ask, notify", "!s, a: write encrypted and ask, was encrypted\n"},
    {"notify: open, notification spacing: 100 ms", "notification spacing: 200 ms, notify: open",
     "s, a: notification spacing 200 ms, was 100 ms\n"},
    {"notify: open, notification spacing: 100 ms, ", "",
     "!s, a: no notify any more\ns, a: notification spacing 0 ms, was 100 ms\ntable: 12 attributes are moved or gone: "
     "clients that keep it see that by its hash, and by Service Changed if they are remembered\n"},
    {"{name: a,", "{name: height,", "s, height: is called so, and was called \"a\": names in generated code change\n"},
    {"wide, hot", "wide, cold", "!s, b: field flags: bit 1 means \"cold\", and meant \"hot\"\n"},
    {"wide, hot", "wide, hot, dry", "s, b: field flags: bit 2 means \"dry\", and meant nothing\n"},
    {"wide, hot", "wide", "!s, b: field flags: bit 1 has no meaning any more; it meant \"hot\"\n"},
    {"when: wide", "when: hot", "!s, b: field more: there under another condition than before\n"},
    {"name: angle", "name: turn", "s, b: field 2 is called \"turn\", was \"angle\"\n"},
    {", {name: more, format: uint8, when: wide}", "", "!s, b: field \"more\" is gone\n"},
    {"{name: more, format: uint8, when: wide}", "{name: more, format: uint8, when: wide}, {name: x, format: uint8}",
     "!s, b: field \"x\" is new\n"},
    {"length: 12", "length: 9", "!s, c: 9 bytes at most, was 12\n"},
    {"length: 12", "length: 20", "s, c: 20 bytes at most, was 12\n"},
    {"off, low", "off, slow", "!s, d: 1 means \"slow\", and meant \"low\"\n"},
    {"off, low", "off", "!s, d: 1 has no meaning any more; it meant \"low\"\n"},
    {"on = 7", "on = 7, more", "s, d: 8 means \"more\", and meant nothing\n"},
    {"value: 7", "value: 8", "s, d: another constant value\n"},
    {"read: open, value: 7", "read: encrypted, value: 7", "!s, d: read encrypted, was open\n"},
    {"uuid: +4", "uuid: +5",
     "!s, d: is gone\n"
     "s, d: is new\n"
     "table: 2 attributes are moved or gone: clients that keep it see that by its hash, and by Service "
     "Changed if they are remembered\n"},
    {"6c1e0000", "6c1e0001",
     "!t: is gone\n"
     "t: is new\n"
     "table: 3 attributes are moved or gone: clients that keep it see that by its hash, and by Service "
     "Changed if they are remembered\n"},
    {"write: encrypted, value: 1", "write: encrypted, write without response: encrypted, value: 1",
     "t, e: new: write without response, encrypted\n"
     "table: has another hash: clients that keep it discover it once more\n"},
};

static char *edited(const struct one_change *one)
{
    const char *at = strstr(base, one->from);
    assert_non_null(at);
    char *text = malloc(sizeof base + strlen(one->to));
    assert_non_null(text);
    (void)sprintf(text, "%.*s%s%s", (int)(at - base), base, one->to, at + strlen(one->from));
    return text;
}

static char *changes_between(const char *before, const char *after)
{
    struct ys_design *designs[] = {read_text(before), read_text(after)};
    struct ys_layout *layouts[2];
    char *text = NULL;
    size_t size = 0;
    for (size_t i = 0; i < 2; i++) {
        if (designs[i]->findings.errors > 0)
            (void)printf("%s%s", i == 0 ? before : after, all_findings(designs[i]));
        assert_int_equal(designs[i]->findings.errors, 0);
        layouts[i] = ys_layout_new(designs[i]);
    }
    struct ys_changes changes =
        ys_changes_between(&(struct ys_version){designs[0], layouts[0]}, &(struct ys_version){designs[1], layouts[1]});
    FILE *stream = open_memstream(&text, &size);
    size_t breaking = 0;
    for (size_t i = 0; i < changes.count; i++) {
        (void)fprintf(stream, "%s%s: %s\n", changes.items[i].breaks ? "!" : "", changes.items[i].where,
                      changes.items[i].what);
        breaking += changes.items[i].breaks;
    }
    (void)fclose(stream);
    assert_int_equal(changes.breaking, breaking);
    ys_changes_free(&changes);
    for (size_t i = 0; i < 2; i++) {
        ys_layout_free(layouts[i]);
        ys_design_free(designs[i]);
    }
    return text;
}

static void each_change_is_told_with_what_it_breaks(void **state)
{
    size_t wrong = 0;
    (void)state;
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        char *after = edited(&cases[i]);
        char *text = changes_between(base, after);
        if (strcmp(text, cases[i].expected) != 0) {
            (void)printf("\"%s\" for \"%s\" is told as\n%sand not as\n%s\n", cases[i].to, cases[i].from, text,
                         cases[i].expected);
            wrong++;
        }
        free(text);
        free(after);
    }
    assert_int_equal(wrong, 0);
    char *same = changes_between(base, base);
    assert_string_equal(same, "");
    free(same);
}

/* What was compatible in one direction breaks in the other. */
static void what_is_taken_back_breaks(void **state)
{
    (void)state;
    struct one_change grown = {"length: 12", "length: 20", ""};
    char *after = edited(&grown);
    char *text = changes_between(after, base);
    assert_string_equal(text, "!s, c: 12 bytes at most, was 20\n");
    free(text);
    free(after);
    text = changes_between("device: {name: T2}\nadvertising: {interval: 1 s}\nservices:\n  - {name: u, uuid: " LONG
                           ", characteristics: [{name: a, uuid: +1, format: uint8, read: open, value: 1}]}\n",
                           "device: {name: T2}\nadvertising: {interval: 1 s}\nservices: []\n");
    assert_string_equal(text, "!u: is gone\n!table: 3 attributes are moved or gone: clients that keep it are "
                              "not told, since the old version had no caching\n");
    free(text);
}

static void the_command_notices_on_request(void **state)
{
    static const char scale[] = "\"" YARNSWIFT_ROOT "/examples/hook_scale/hook_scale.device.yaml\"";
    char line[1200];
    (void)state;
    (void)snprintf(line, sizeof line, "changes --strict %s %s", scale, scale);
    struct outcome outcome = run_command(line);
    assert_int_equal(outcome.status, 0);
    assert_string_equal(outcome.out, "nothing has changed for the other side\n");
    (void)snprintf(line, sizeof line, "changes %s \"%s/examples/weather_mast/weather_mast.device.yaml\"", scale,
                   YARNSWIFT_ROOT);
    outcome = run_command(line);
    assert_int_equal(outcome.status, 0);
    assert_non_null(strstr(outcome.out, "breaks      weighing"));
    (void)snprintf(line, sizeof line,
                   "changes --json --strict %s \"%s/examples/weather_mast/weather_mast.device.yaml\"", scale,
                   YARNSWIFT_ROOT);
    outcome = run_command(line);
    assert_int_equal(outcome.status, 1);
    assert_non_null(strstr(outcome.out, "\"breaks\": true"));
    assert_int_equal(run_command("changes nowhere.device.yaml nowhere.device.yaml").status, 2);
    (void)snprintf(line, sizeof line, "changes %s", scale);
    assert_int_equal(run_command(line).status, 2);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(each_change_is_told_with_what_it_breaks),
        cmocka_unit_test(what_is_taken_back_breaks),
        cmocka_unit_test(the_command_notices_on_request),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
