/* What has come of it, in words, as JSON, and as a page. */
#include "cli/meet/outcome.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <jansson.h>

#include "cli/page/page.h"
#include "cli/shared/say.h"
#include "design/model/memory.h"
#include "world/traits.h"

#define NAME_WIDTH 24

static const char *title(const struct meet_outcome *outcome)
{
    return outcome->subject->design->name.text;
}

static size_t columns(const struct meet_outcome *outcome)
{
    return outcome->subject->value_count;
}

static size_t whos(const struct meet_outcome *outcome)
{
    return ys_aspect_count(outcome->subject, YS_ASPECT_WHO);
}

static const char *who_name(const struct meet_outcome *outcome, size_t who, char text[60])
{
    ys_aspect_say(outcome->subject, YS_ASPECT_WHO, who, text, 60);
    return text;
}

/* "write preset, then read preset" */
static char *behaviour_text(const struct ys_behaviour *behaviour)
{
    static const char *const causes[] = {"", "write ", "set "};
    static const char *const effects[] = {"", "read ", "expect ", "expect none of "};
    bool caused = behaviour->cause != YS_CAUSE_NONE;
    return ys_new_text("%s%s%s%s%s%s%s", causes[behaviour->cause], caused ? behaviour->cause_text.text : "",
                       caused && behaviour->to.text != NULL ? " to " : "",
                       caused && behaviour->to.text != NULL ? behaviour->to.text : "", caused ? ", then " : "",
                       effects[behaviour->effect], behaviour->effect_text.text);
}

static size_t place(const struct meet_outcome *outcome, size_t who, size_t value)
{
    return who * (columns(outcome) + 1) + value;
}

/* as text */

static void print_covered(const struct meet_outcome *outcome)
{
    const struct ys_covered covered = ys_plan_covered(outcome->plan);
    (void)printf("covered   %zu of %zu pairs, %zu of %zu triples\n\n", covered.pairs, covered.all_pairs,
                 covered.triples, covered.all_triples);
    (void)printf("  %-11s", "% of pairs");
    for (int i = 0; i < YS_ASPECTS - 1; i++)
        (void)printf("%12s", ys_aspect_name((enum ys_aspect)i));
    (void)putchar('\n');
    for (int i = 1; i < YS_ASPECTS; i++) {
        (void)printf("  %-11s", ys_aspect_name((enum ys_aspect)i));
        for (int j = 0; j < i; j++) {
            size_t met;
            size_t all;
            ys_plan_covered_of(outcome->plan, (enum ys_aspect)j, (enum ys_aspect)i, &met, &all);
            (void)printf("%12.0f", all > 0 ? 100.0 * (double)met / (double)all : 100.0);
        }
        (void)putchar('\n');
    }
}

static void print_matrix(const struct meet_outcome *outcome)
{
    (void)printf("\n  %-*s", NAME_WIDTH, "encounters, + failed");
    char name[300];
    for (size_t i = 0; i < whos(outcome); i++)
        (void)printf("%14s", who_name(outcome, i, name));
    (void)putchar('\n');
    for (size_t value = 0; value < columns(outcome); value++) {
        ys_subject_say(outcome->subject, value, name, sizeof name);
        (void)printf("  %-*.*s", NAME_WIDTH, NAME_WIDTH, name);
        for (size_t who = 0; who < whos(outcome); who++) {
            uint32_t met = outcome->met[place(outcome, who, value)];
            uint32_t failed = outcome->failed[place(outcome, who, value)];
            char text[40];
            if (met == 0)
                (void)snprintf(text, sizeof text, "-");
            else if (failed == 0)
                (void)snprintf(text, sizeof text, "%u", met);
            else
                (void)snprintf(text, sizeof text, "%u + %u", met - failed, failed);
            (void)printf("%14s", text);
        }
        (void)putchar('\n');
    }
}

static void print_behaviour(const struct meet_outcome *outcome)
{
    const struct ys_design *design = outcome->subject->design;
    for (size_t i = 0; i < design->behaviour_count; i++) {
        (void)printf(i == 0 ? "\n  behaviour, and in how many encounters it was tried\n  %8llu  " : "  %8llu  ",
                     (unsigned long long)outcome->behaved[i]);
        char *text = behaviour_text(&design->behaviours[i]);
        put_plain(stdout, text);
        (void)putchar('\n');
        free(text);
    }
}

static void print_finding(const struct meet_finding *finding, size_t number)
{
    (void)printf("\n%zu. ", number);
    put_plain(stdout, finding->what);
    (void)printf("\n   came      ");
    put_plain(stdout, finding->came);
    if (finding->expected[0] != '\0') {
        (void)printf("\n   expected  ");
        put_plain(stdout, finding->expected);
    }
    (void)printf("\n   in %zu encounter%s, first in number %llu, with %zu steps", finding->count,
                 finding->count == 1 ? "" : "s", (unsigned long long)finding->number, finding->before);
    if (finding->path != NULL)
        (void)printf("; with %zu in %s", finding->after, finding->path);
    (void)putchar('\n');
}

void meet_print(const struct meet_outcome *outcome)
{
    put_plain(stdout, title(outcome));
    (void)printf(", as %s: %llu encounters",
                 outcome->subject->firmware != NULL ? outcome->subject->firmware : "its definition plays it",
                 (unsigned long long)outcome->encounters);
    if (outcome->now < outcome->encounters)
        (void)printf(", %llu of them now", (unsigned long long)outcome->now);
    if (outcome->now > 0 && outcome->seconds > 0)
        (void)printf(" in %.1f s (%.0f a second, %.0f s of the device's time)", outcome->seconds,
                     (double)outcome->now / outcome->seconds, outcome->simulated_s);
    (void)printf("; seed %llu\n\n", outcome->seed);
    print_covered(outcome);
    print_matrix(outcome);
    print_behaviour(outcome);
    if (outcome->coverage != NULL)
        coverage_print(outcome->coverage);
    if (outcome->finding_count == 0)
        (void)printf("\nNothing was found.\n");
    for (size_t i = 0; i < outcome->finding_count; i++)
        print_finding(&outcome->findings[i], i + 1);
}

/* as JSON */

static json_t *outcome_json(const struct meet_outcome *outcome)
{
    const struct ys_covered covered = ys_plan_covered(outcome->plan);
    json_t *findings = json_array();
    json_t *matrix = json_array();
    json_t *behaviours = json_array();
    char who_text[60];
    char value_text[300];
    for (size_t i = 0; i < outcome->finding_count; i++) {
        const struct meet_finding *one = &outcome->findings[i];
        (void)json_array_append_new(findings, json_pack("{s:s, s:s, s:s, s:I, s:I, s:I, s:I, s:s?}", "what", one->what,
                                                        "expected", one->expected, "came", one->came, "encounters",
                                                        (json_int_t)one->count, "first", (json_int_t)one->number,
                                                        "steps_before", (json_int_t)one->before, "steps",
                                                        (json_int_t)one->after, "scene", one->path));
    }
    for (size_t who = 0; who < whos(outcome); who++) {
        for (size_t value = 0; value < columns(outcome); value++) {
            ys_subject_say(outcome->subject, value, value_text, sizeof value_text);
            (void)json_array_append_new(
                matrix, json_pack("{s:s, s:s, s:I, s:I}", "who", who_name(outcome, who, who_text), "value", value_text,
                                  "encounters", (json_int_t)outcome->met[place(outcome, who, value)], "failed",
                                  (json_int_t)outcome->failed[place(outcome, who, value)]));
        }
    }
    for (size_t i = 0; i < outcome->subject->design->behaviour_count; i++)
        (void)json_array_append_new(behaviours,
                                    json_pack("{s:i, s:I}", "line", outcome->subject->design->behaviours[i].place.line,
                                              "encounters", (json_int_t)outcome->behaved[i]));
    return json_pack("{s:s, s:s, s:s?, s:I, s:I, s:{s:I, s:I, s:I, s:I}, s:o, s:o, s:o, s:o}", "kind", "meet", "device",
                     title(outcome), "firmware", outcome->subject->firmware, "seed", (json_int_t)outcome->seed,
                     "encounters", (json_int_t)outcome->encounters, "covered", "pairs", (json_int_t)covered.pairs,
                     "all_pairs", (json_int_t)covered.all_pairs, "triples", (json_int_t)covered.triples, "all_triples",
                     (json_int_t)covered.all_triples, "findings", findings, "behaviour", behaviours, "reached",
                     coverage_json(outcome->coverage), "matrix", matrix);
}

void meet_print_json(const struct meet_outcome *outcome)
{
    json_t *root = outcome_json(outcome);
    (void)json_dumpf(root, stdout, JSON_INDENT(2) | JSON_REAL_PRECISION(12));
    (void)putchar('\n');
    json_decref(root);
}

/* as a page */

/* Of each two aspects how many pairs have met, of how many. */
static json_t *covered_json(const struct meet_outcome *outcome)
{
    json_t *covered = json_array();
    for (int i = 0; i < YS_ASPECTS; i++) {
        json_t *row = json_array();
        for (int j = 0; j < i; j++) {
            size_t met;
            size_t all;
            ys_plan_covered_of(outcome->plan, (enum ys_aspect)j, (enum ys_aspect)i, &met, &all);
            (void)json_array_append_new(row, json_pack("[I, I]", (json_int_t)met, (json_int_t)all));
        }
        (void)json_array_append_new(covered,
                                    json_pack("{s:s, s:o}", "name", ys_aspect_name((enum ys_aspect)i), "with", row));
    }
    return covered;
}

/* The additional data of the page: scenes of findings, the finding of each failed cell, and behaviour in words. */
static json_t *more_json(const struct meet_outcome *outcome)
{
    json_t *scenes = json_array();
    json_t *first = json_array();
    json_t *behaviours = json_array();
    for (size_t i = 0; i < outcome->finding_count; i++)
        (void)json_array_append_new(scenes, page_text(outcome->findings[i].scene));
    for (size_t i = 0; i < whos(outcome); i++) { /* in the order of the matrix in JSON */
        for (size_t value = 0; value < columns(outcome); value++)
            (void)json_array_append_new(first, json_integer(outcome->first[place(outcome, i, value)]));
    }
    for (size_t i = 0; i < outcome->subject->design->behaviour_count; i++) {
        char *text = behaviour_text(&outcome->subject->design->behaviours[i]);
        (void)json_array_append_new(behaviours, page_text(text));
        free(text);
    }
    return json_pack("{s:o, s:o, s:o, s:o}", "scenes", scenes, "first", first, "behaviour", behaviours, "covered",
                     covered_json(outcome));
}

bool meet_write_page(const struct common *common, const struct meet_outcome *outcome)
{
    const struct ys_covered covered = ys_plan_covered(outcome->plan);
    char found[60];
    (void)snprintf(found, sizeof found, outcome->finding_count == 0 ? "nothing" : "%zu fault%s", outcome->finding_count,
                   outcome->finding_count == 1 ? "" : "s");
    char *summary = ys_new_text("%llu encounters found %s. %zu of %zu pairs and %zu of %zu triples were covered.",
                                (unsigned long long)outcome->encounters, found, covered.pairs, covered.all_pairs,
                                covered.triples, covered.all_triples);
    json_t *result = outcome_json(outcome);
    json_t *more = more_json(outcome);
    const struct page page = {.verb = "meet",
                              .title = title(outcome),
                              .verdict = outcome->finding_count == 0 ? PAGE_GOOD : PAGE_BAD,
                              .summary = summary,
                              .result = result,
                              .more = more};
    bool good = page_write(common, &page);
    json_decref(more);
    json_decref(result);
    free(summary);
    return good;
}
