/* What has come of it, in words, as JSON, and as a page. */
#include "cli/meet/outcome.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <jansson.h>

#include "cli/shared/saving.h"
#include "cli/shared/say.h"
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
static void put_behaviour(FILE *stream, const struct ys_behaviour *behaviour, void (*put)(FILE *, const char *))
{
    static const char *const causes[] = {"", "write ", "set "};
    static const char *const effects[] = {"", "read ", "expect ", "expect none of "};
    (void)fputs(causes[behaviour->cause], stream);
    if (behaviour->cause != YS_CAUSE_NONE) {
        put(stream, behaviour->cause_text.text);
        if (behaviour->to.text != NULL) {
            (void)fputs(" to ", stream);
            put(stream, behaviour->to.text);
        }
        (void)fputs(", then ", stream);
    }
    (void)fputs(effects[behaviour->effect], stream);
    put(stream, behaviour->effect_text.text);
}

static uint32_t at(const uint32_t *table, const struct meet_outcome *outcome, size_t who, size_t value)
{
    return table[who * (columns(outcome) + 1) + value];
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
            uint32_t met = at(outcome->met, outcome, who, value);
            uint32_t failed = at(outcome->failed, outcome, who, value);
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
        put_behaviour(stdout, &design->behaviours[i], put_plain);
        (void)putchar('\n');
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

void meet_print_json(const struct meet_outcome *outcome)
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
                                  "encounters", (json_int_t)at(outcome->met, outcome, who, value), "failed",
                                  (json_int_t)at(outcome->failed, outcome, who, value)));
        }
    }
    for (size_t i = 0; i < outcome->subject->design->behaviour_count; i++)
        (void)json_array_append_new(behaviours,
                                    json_pack("{s:i, s:I}", "line", outcome->subject->design->behaviours[i].place.line,
                                              "encounters", (json_int_t)outcome->behaved[i]));
    json_t *root =
        json_pack("{s:s, s:s, s:s?, s:I, s:I, s:{s:I, s:I, s:I, s:I}, s:o, s:o, s:o, s:o}", "kind", "meet", "device",
                  title(outcome), "firmware", outcome->subject->firmware, "seed", (json_int_t)outcome->seed,
                  "encounters", (json_int_t)outcome->encounters, "covered", "pairs", (json_int_t)covered.pairs,
                  "all_pairs", (json_int_t)covered.all_pairs, "triples", (json_int_t)covered.triples, "all_triples",
                  (json_int_t)covered.all_triples, "findings", findings, "behaviour", behaviours, "reached",
                  coverage_json(outcome->coverage), "matrix", matrix);
    (void)json_dumpf(root, stdout, JSON_INDENT(2) | JSON_REAL_PRECISION(12));
    (void)putchar('\n');
    json_decref(root);
}

/* as a page */

static void put_html(FILE *stream, const char *text)
{
    for (; *text != '\0'; text++) {
        unsigned char byte = (unsigned char)*text;
        if (*text == '&')
            (void)fputs("&amp;", stream);
        else if (*text == '<')
            (void)fputs("&lt;", stream);
        else if (*text == '"')
            (void)fputs("&quot;", stream);
        else if (byte >= 0x20 && byte != 0x7f)
            (void)fputc(byte, stream);
        else
            (void)fprintf(stream, "\\x%02x", byte);
    }
}

static void put_matrix(FILE *stream, const struct meet_outcome *outcome)
{
    char name[300];
    (void)fputs("<table><tr><th></th>", stream);
    for (size_t who = 0; who < whos(outcome); who++)
        (void)fprintf(stream, "<th>%s</th>", who_name(outcome, who, name));
    (void)fputs("</tr>\n", stream);
    for (size_t value = 0; value < columns(outcome); value++) {
        (void)fputs("<tr><th scope=\"row\">", stream);
        ys_subject_say(outcome->subject, value, name, sizeof name);
        put_html(stream, name);
        (void)fputs("</th>", stream);
        for (size_t who = 0; who < whos(outcome); who++) {
            uint32_t met = at(outcome->met, outcome, who, value);
            uint32_t failed = at(outcome->failed, outcome, who, value);
            if (met == 0)
                (void)fputs("<td class=\"none\">not yet</td>", stream);
            else if (failed == 0)
                (void)fprintf(stream, "<td class=\"good\">%u good</td>", met);
            else
                (void)fprintf(stream, "<td class=\"bad\"><a href=\"#finding%u\">%u of %u failed</a></td>",
                              outcome->first[who * (columns(outcome) + 1) + value], failed, met);
        }
        (void)fputs("</tr>\n", stream);
    }
    (void)fputs("</table>\n", stream);
}

static void put_findings(FILE *stream, const struct meet_outcome *outcome)
{
    if (outcome->finding_count == 0)
        (void)fputs("<p>Nothing was found.</p>\n", stream);
    for (size_t i = 0; i < outcome->finding_count; i++) {
        const struct meet_finding *one = &outcome->findings[i];
        (void)fprintf(stream, "<section id=\"finding%zu\"><h3>", i + 1);
        put_html(stream, one->what);
        (void)fputs("</h3><dl><dt>came</dt><dd>", stream);
        put_html(stream, one->came);
        if (one->expected[0] != '\0') {
            (void)fputs("</dd><dt>expected</dt><dd>", stream);
            put_html(stream, one->expected);
        }
        (void)fprintf(stream, "</dd><dt>where</dt><dd>in %zu encounter%s, first in number %llu, with %zu steps",
                      one->count, one->count == 1 ? "" : "s", (unsigned long long)one->number, one->before);
        if (one->path != NULL) {
            (void)fprintf(stream, "; with %zu in <code>", one->after);
            put_html(stream, one->path);
            (void)fputs("</code>", stream);
        }
        (void)fputs("</dd></dl><details><summary>the smallest scene that shows it</summary><pre>", stream);
        for (char *line = one->scene, *end; line[0] != '\0'; line = end + 1) { /* which ends with a newline */
            end = strchr(line, '\n');
            *end = '\0';
            put_html(stream, line);
            *end = '\n';
            (void)fputc('\n', stream);
        }
        (void)fputs("</pre></details></section>\n", stream);
    }
}

static void put_behaviours(FILE *stream, const struct meet_outcome *outcome)
{
    const struct ys_design *design = outcome->subject->design;
    if (design->behaviour_count == 0)
        return;
    (void)fputs("<h2>Behaviour</h2>\n<table><tr><th></th><th>encounters in which it was tried</th></tr>\n", stream);
    for (size_t i = 0; i < design->behaviour_count; i++) {
        (void)fputs("<tr><th scope=\"row\">", stream);
        put_behaviour(stream, &design->behaviours[i], put_html);
        (void)fprintf(stream, "</th><td class=\"%s\">%llu</td></tr>\n", outcome->behaved[i] > 0 ? "good" : "none",
                      (unsigned long long)outcome->behaved[i]);
    }
    (void)fputs("</table>\n", stream);
}

static void put_covered(FILE *stream, const struct meet_outcome *outcome)
{
    (void)fputs("<table><tr><th></th>", stream);
    for (int i = 0; i < YS_ASPECTS - 1; i++)
        (void)fprintf(stream, "<th>%s</th>", ys_aspect_name((enum ys_aspect)i));
    (void)fputs("</tr>\n", stream);
    for (int i = 1; i < YS_ASPECTS; i++) {
        (void)fprintf(stream, "<tr><th scope=\"row\">%s</th>", ys_aspect_name((enum ys_aspect)i));
        for (int j = 0; j < YS_ASPECTS - 1; j++) {
            size_t met;
            size_t all;
            if (j >= i) {
                (void)fputs("<td></td>", stream);
                continue;
            }
            ys_plan_covered_of(outcome->plan, (enum ys_aspect)j, (enum ys_aspect)i, &met, &all);
            (void)fprintf(stream, "<td class=\"%s\">%zu of %zu</td>", met == all ? "good" : "none", met, all);
        }
        (void)fputs("</tr>\n", stream);
    }
    (void)fputs("</table>\n", stream);
}

static void put_page(FILE *stream, const struct meet_outcome *outcome)
{
    const struct ys_covered covered = ys_plan_covered(outcome->plan);
    (void)fputs("<!doctype html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>", stream);
    put_html(stream, title(outcome));
    (void)fputs(
        " has met everybody</title>\n<style>\n"
        "body { font: 15px/1.5 system-ui, sans-serif; margin: 2rem auto; max-width: 78rem; padding: 0 1rem; "
        "color: #222; }\n"
        "table { border-collapse: collapse; margin: 1rem 0; }\n"
        "th, td { padding: .3rem .7rem; text-align: left; border: 1px solid #ddd; font-weight: normal; }\n"
        "tr:first-child th { background: #f4f4f1; }\n"
        ".good { background: #e4f2e4; } .bad { background: #f8dcd6; font-weight: 600; } .none { color: #888; }\n"
        "section { border-left: 4px solid #c1442e; padding: .1rem 1rem; margin: 1rem 0; }\n"
        "h3 { margin: .4rem 0; } dl { display: grid; grid-template-columns: 6rem 1fr; margin: .4rem 0; }\n"
        "a { color: inherit; } pre { overflow-x: auto; font-size: 13px; }\n"
        "dt { color: #777; } dd { margin: 0; overflow-wrap: anywhere; }\n"
        "</style></head><body>\n<h1>",
        stream);
    put_html(stream, title(outcome));
    (void)fprintf(stream, "</h1>\n<p>%llu encounters, seed %llu, with ", (unsigned long long)outcome->encounters,
                  outcome->seed);
    put_html(stream, outcome->subject->firmware != NULL ? outcome->subject->firmware : "simulated from its definition");
    (void)fprintf(stream, ". %zu of %zu pairs of what encounters are made of have met, and %zu of %zu triples.</p>\n",
                  covered.pairs, covered.all_pairs, covered.triples, covered.all_triples);
    (void)fprintf(stream, "<h2>Found: %zu</h2>\n", outcome->finding_count);
    put_findings(stream, outcome);
    (void)fputs("<h2>Encounters by characteristic and central</h2>\n", stream);
    put_matrix(stream, outcome);
    put_behaviours(stream, outcome);
    if (outcome->coverage != NULL)
        coverage_put_page(outcome->coverage, stream, put_html);
    (void)fputs("<h2>Covered pairs</h2>\n", stream);
    put_covered(stream, outcome);
    (void)fputs("</body></html>\n", stream);
}

bool meet_write_page(const char *path, bool replaces, const struct meet_outcome *outcome)
{
    struct ys_output output;
    if (!saving_begin(&output, path, replaces))
        return false;
    put_page(output.stream, outcome);
    return saving_end(&output, true);
}
