/* The keys of expect: what must hold on the air. */
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
#define EXPECT(member) offsetof(struct ys_expectation, member)

/* One expectation: its key says what it is about. */

static void begin(const struct ys_node *node, struct ys_expectation *expectation, enum ys_expected kind)
{
    if (expectation->kind != YS_EXPECT_NONE)
        ys_findings_add(node->findings, YS_ERROR, "expect", node->place,
                        "one item is one expectation: begin the next item with a dash");
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
        ys_findings_add(node->findings, YS_ERROR, "expect", node->place, "the minimum interval comes first");
}

static void expect_silence(const struct ys_node *node, void *target)
{
    begin(node, target, YS_EXPECT_SILENCE);
    ys_key_time(node, target);
}

static const struct ys_key expectation_keys[] = {
    {"found within", expect_found, &ys_kind_time, "Time limit for a scanner to find the device", false,
     EXPECT(within_us)},
    {"scanner", ys_key_written, &ys_kind_text,
     "The scanner: constant, half, tenth, hundredth, or such as 30 ms of 100 ms", false, EXPECT(by_text)},
    {"probability", ys_key_written, &ys_kind_text, "Share of the searches that must succeed, such as 99 %", false,
     EXPECT(share_text)},
    {"interval", expect_interval, &ys_kind_interval, "Range of the time between two advertising events", false, 0},
    {"advertising set", ys_key_written, &ys_kind_text, "Name of the advertising set (default: the first)", false,
     EXPECT(set_text)},
    {"max silence", expect_silence, &ys_kind_time, "Maximum time without advertising", false, EXPECT(silence_us)},
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
                        "unknown scanner \"%s\": use constant, half, tenth or hundredth, or a window and an interval "
                        "in steps of 0.625 ms, such as 30 ms of 100 ms",
                        by);
    expectation->by_name = name;
    expectation->share = share != NULL ? strtod(share, &end) / 100 : 1;
    if (share != NULL &&
        (strcmp(end + strspn(end, " "), "%") != 0 || !(expectation->share > 0) || expectation->share > 1))
        ys_findings_add(findings, YS_ERROR, "expect", expectation->share_text.place,
                        "in must be a share, such as 99 %%, not \"%s\"", share);
    if (expectation->within_us.number == 0 || expectation->within_us.number > 60000000)
        ys_findings_add(findings, YS_ERROR, "expect", expectation->place,
                        "found within must be more than 0 and at most 60 s, the length of a search");
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
                            "the expectation is missing: found within, interval, or max silence");
        else if (more)
            ys_findings_add(node->findings, YS_ERROR, "expect", item.place, "by and in belong to found within");
    }
}
