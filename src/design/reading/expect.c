/* The keys of energy and expect: what the hardware draws, and what must hold on the air. */
#include "design/reading/expect.h"

#include <stddef.h>
#include <stdlib.h>
#include <string.h>

#include "design/model/memory.h"
#include "design/model/model.h"
#include "design/reading/advertising.h"
#include "design/reading/yaml.h"
#include "measure/scanner.h"

#define COUNT(array)   (sizeof(array) / sizeof((array)[0]))
#define ENERGY(member) offsetof(struct ys_design, energy.member)
#define EXPECT(member) offsetof(struct ys_expectation, member)

/* A unit, and how many of the first one it is. */
struct scale {
    const char *unit;
    double factor;
};

static const struct scale microamperes[] = {{"uA", 1}, {"mA", 1e3}, {"nA", 1e-3}, {"A", 1e6}};
static const struct scale milliamperes[] = {{"mA", 1}, {"uA", 1e-3}, {"A", 1e3}, {"nA", 1e-6}};
static const struct scale microcoulombs[] = {{"uC", 1}, {"mC", 1e3}, {"nC", 1e-3}};
static const struct scale milliampere_hours[] = {{"mAh", 1}, {"Ah", 1e3}, {"uAh", 1e-3}};

static void scaled(struct ys_design *design, const struct ys_written *written, const char *key,
                   const struct scale *scales, size_t count, double *value)
{
    char *end = NULL;
    if (written->text == NULL)
        return;
    double number = strtod(written->text, &end);
    const char *unit = end + strspn(end, " ");
    for (size_t i = 0; i < count && end != written->text; i++) {
        if (strcmp(unit, scales[i].unit) == 0 && number >= 0 && number * scales[i].factor <= 1e9) {
            *value = number * scales[i].factor;
            return;
        }
    }
    ys_findings_add(&design->findings, YS_ERROR, "energy", written->place,
                    "%s must be a number with its unit, such as 1.5 %s, not \"%s\"", key, scales[0].unit,
                    written->text);
}

static const struct ys_key energy_keys[] = {
    {"standby", ys_key_written, &ys_kind_text, "What it draws all the time, such as 1.9 uA", true, ENERGY(standby)},
    {"transmit", ys_key_written, &ys_kind_text, "While its transmitter is on, such as 5.3 mA", true, ENERGY(transmit)},
    {"receive", ys_key_written, &ys_kind_text, "While its receiver is on, such as 5.4 mA", true, ENERGY(receive)},
    {"wake up", ys_key_written, &ys_kind_text, "The charge of waking up for an event and going to sleep, such as 4 uC",
     false, ENERGY(wake_up)},
    {"battery", ys_key_written, &ys_kind_text, "What the battery holds, such as 230 mAh", false, ENERGY(battery)},
};
static const struct ys_mapping energy_mapping = {"energy", energy_keys, COUNT(energy_keys), NULL};
const struct ys_kind ys_kind_energy = {.form = YS_MAPPING, .mapping = &energy_mapping};

void ys_read_energy(const struct ys_node *node, void *target)
{
    struct ys_design *design = target;
    struct ys_energy_given *energy = &design->energy;
    energy->given = ys_yaml_mapping(node, &energy_mapping, design);
    scaled(design, &energy->standby, "standby", microamperes, COUNT(microamperes), &energy->figures.standby_ua);
    scaled(design, &energy->transmit, "transmit", milliamperes, COUNT(milliamperes), &energy->figures.transmit_ma);
    scaled(design, &energy->receive, "receive", milliamperes, COUNT(milliamperes), &energy->figures.receive_ma);
    scaled(design, &energy->wake_up, "wake up", microcoulombs, COUNT(microcoulombs), &energy->figures.wake_up_uc);
    scaled(design, &energy->battery, "battery", milliampere_hours, COUNT(milliampere_hours),
           &energy->figures.battery_mah);
}

/* One expectation: which key says what it is about. */

static void begin(const struct ys_node *node, struct ys_expectation *expectation, enum ys_expected kind)
{
    if (expectation->kind != YS_EXPECT_NONE)
        ys_findings_add(node->findings, YS_ERROR, "expect", node->place,
                        "one item is one expectation: begin the next with a dash of its own");
    expectation->kind = (int)kind;
}

static void expect_found(const struct ys_node *node, void *target)
{
    begin(node, target, YS_EXPECT_FOUND);
    ys_key_time(node, target);
}

static void expect_interval(const struct ys_node *node, void *target)
{
    struct ys_expectation *expectation = target;
    begin(node, target, YS_EXPECT_INTERVAL);
    if (!ys_read_interval(node, expectation->ends_us))
        return;
    if (expectation->ends_us[0] > expectation->ends_us[1])
        ys_findings_add(node->findings, YS_ERROR, "expect", node->place, "the least interval comes first");
}

static void expect_silence(const struct ys_node *node, void *target)
{
    begin(node, target, YS_EXPECT_SILENCE);
    ys_key_time(node, target);
}

static const struct ys_key expectation_keys[] = {
    {"found within", expect_found, &ys_kind_time, "A scanner finds it within this time", false, EXPECT(within_us)},
    {"by", ys_key_written, &ys_kind_text, "Which one: constant, half, tenth, hundredth, or such as 30 ms of 100 ms",
     false, EXPECT(by_text)},
    {"in", ys_key_written, &ys_kind_text, "In how many of all cases, such as 99 %", false, EXPECT(share_text)},
    {"interval", expect_interval, &ys_kind_interval, "Each interval lies between these two", false, 0},
    {"of", ys_key_written, &ys_kind_text, "Of several ways to advertise, the one that this is about; else the first",
     false, EXPECT(set_text)},
    {"silent at most", expect_silence, &ys_kind_time, "It can never be silent for longer", false, EXPECT(silence_us)},
};
static const struct ys_mapping expectation_mapping = {"an expectation", expectation_keys, COUNT(expectation_keys),
                                                      NULL};
const struct ys_kind ys_kind_expectations = {
    .form = YS_LIST, .items = &(const struct ys_kind){.form = YS_MAPPING, .mapping = &expectation_mapping}};

static void check_found(struct ys_findings *findings, struct ys_expectation *expectation)
{
    const char *by = expectation->by_text.text;
    const char *share = expectation->share_text.text;
    char *end = NULL;
    char *name = ys_copy(by != NULL ? by : "half", by != NULL ? strlen(by) : 4);
    if (!ys_scanner_of(name, &expectation->by))
        ys_findings_add(findings, YS_ERROR, "expect", expectation->by_text.place,
                        "there is no scanner \"%s\": take constant, half, tenth or hundredth, or a window of an "
                        "interval in steps of 0.625 ms, such as 30 ms of 100 ms",
                        by);
    expectation->by_name = name;
    expectation->share = share != NULL ? strtod(share, &end) / 100 : 1;
    if (share != NULL &&
        (strcmp(end + strspn(end, " "), "%") != 0 || !(expectation->share > 0) || expectation->share > 1))
        ys_findings_add(findings, YS_ERROR, "expect", expectation->share_text.place,
                        "in must be a share, such as 99 %%, not \"%s\"", share);
    if (expectation->within_us.number == 0 || expectation->within_us.number > 60000000)
        ys_findings_add(findings, YS_ERROR, "expect", expectation->place,
                        "found within must be more than 0 and at most 60 s, after which a search is given up");
}

/* Whether nothing is wrong with its keys. */
static bool read_one(const struct ys_node *item, struct ys_expectation *expectation)
{
    size_t errors = item->findings->errors;
    (void)ys_yaml_mapping(item, &expectation_mapping, expectation);
    return item->findings->errors == errors;
}

void ys_read_expectations(const struct ys_node *node, void *target)
{
    struct ys_design *design = target;
    struct ys_node item;
    void *iterator = NULL;
    while (ys_yaml_next(node, &iterator, &item)) {
        design->expectations = ys_grow(design->expectations, design->expectation_count, sizeof *design->expectations);
        struct ys_expectation *expectation = &design->expectations[design->expectation_count++];
        *expectation = (struct ys_expectation){.place = item.place};
        if (!read_one(&item, expectation))
            continue;
        bool more = expectation->by_text.text != NULL || expectation->share_text.text != NULL;
        if (expectation->kind == YS_EXPECT_FOUND)
            check_found(node->findings, expectation);
        else if (expectation->kind == YS_EXPECT_NONE)
            ys_findings_add(node->findings, YS_ERROR, "expect", item.place,
                            "say what is expected: found within, interval, or silent at most");
        else if (more)
            ys_findings_add(node->findings, YS_ERROR, "expect", item.place, "by and in belong to found within");
    }
}
