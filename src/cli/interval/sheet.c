/* Intervals and times until found as a page: the result, and the data of its drawings. */
#include "cli/interval/sheet.h"

#include <math.h>
#include <stdio.h>

#include "cli/interval/json.h"
#include "cli/interval/text.h"

#define BINS         24
#define CURVE_POINTS 200
#define DELAY_MS     10.0 /* Core 5.4 Vol 6 Part B 4.4.2.2.1: the random delay of each event */

static json_t *histogram_json(struct ys_samples *intervals, double *width_ms)
{
    json_t *bins = json_array();
    double min_ms = ys_samples_quantile(intervals, 0);
    double max_ms = ys_samples_quantile(intervals, 1);
    size_t before = 0;
    *width_ms = max_ms > min_ms ? (max_ms - min_ms) / BINS : 1;
    for (int i = 0; i < BINS && intervals->count > 0; i++) {
        double end_ms = i + 1 < BINS ? min_ms + (i + 1) * *width_ms : max_ms;
        size_t until = ys_samples_within(intervals, end_ms);
        (void)json_array_append_new(bins, json_pack("[f, f, I]", min_ms + i * *width_ms, min_ms + (i + 1) * *width_ms,
                                                    (json_int_t)(until - before)));
        before = until;
    }
    return bins;
}

static json_t *found_json(struct ys_search *search)
{
    json_t *measured = json_array();
    json_t *calculated = json_array();
    double times_ms[CURVE_POINTS];
    double shares[CURVE_POINTS];
    char name[120];
    for (int i = 1; i <= CURVE_POINTS; i++) {
        double share = (double)i / CURVE_POINTS;
        double found_ms = ys_search_quantile_ms(search, share);
        if (found_ms >= 0)
            (void)json_array_append_new(measured, json_pack("[f, f]", found_ms, share * 100));
        times_ms[i - 1] = pow(YS_SEARCH_MS, share);
    }
    ys_discovery_shares(&search->calculated_of, times_ms, shares, CURVE_POINTS);
    for (int i = 0; i < CURVE_POINTS; i++)
        (void)json_array_append_new(calculated, json_pack("[f, f]", times_ms[i], shares[i] * 100));
    (void)snprintf(name, sizeof name, "%g ms of %g ms", search->scanner.window_us / 1000.0,
                   search->scanner.interval_us / 1000.0);
    return json_pack("{s:s, s:o, s:o}", "scanner", name, "measured", measured, "calculated", calculated);
}

static json_t *drawn_json(const struct measured *measured)
{
    const struct ys_advertisement *set = measured->design->sets;
    struct ys_interval_report *report = measured->report;
    json_t *found = json_array();
    double width_ms;
    json_t *bins = histogram_json(&report->air.intervals_ms, &width_ms);
    json_t *more = json_pack("{s:o, s:o, s:s}", "histogram", bins, "found", found, "silence",
                             interval_silence_reason(report->air.silence));
    for (size_t i = 0; i < report->search_count; i++)
        (void)json_array_append_new(found, found_json(&report->searches[i]));
    if (set->interval_max_us == set->interval_min_us && report->air.intervals_ms.count > 0) {
        double set_ms = interval_set_ms(measured->design);
        (void)json_object_set_new(more, "expected_in_bin",
                                  json_real((double)report->air.intervals_ms.count * width_ms / DELAY_MS));
        (void)json_object_set_new(more, "expected_from_ms", json_real(set_ms));
        (void)json_object_set_new(more, "expected_to_ms", json_real(set_ms + DELAY_MS));
    }
    return more;
}

bool interval_write_page(const struct common *common, const struct measured *measured)
{
    bool met;
    char summary[600];
    const struct ys_interval_report *report = measured->report;
    json_t *result = interval_json(measured, &met);
    json_t *more = drawn_json(measured);
    size_t count = json_array_size(json_object_get(result, "verdicts"));
    const struct page page = {.verb = "interval",
                              .title = measured->design->name.text,
                              .verdict = met ? count > 0 ? PAGE_GOOD : PAGE_UNJUDGED : PAGE_BAD,
                              .summary = summary,
                              .result = result,
                              .more = more};
    if (report->trouble[0] != '\0')
        (void)snprintf(summary, sizeof summary, "%s.", report->trouble);
    else if (count == 0)
        (void)snprintf(summary, sizeof summary,
                       "The definition has no expectations of advertising: nothing was judged.");
    else
        (void)snprintf(summary, sizeof summary,
                       met ? "Every expectation of the definition is met."
                           : "An expectation of the definition is not met.");
    bool good = page_write(common, &page);
    json_decref(result);
    json_decref(more);
    return good;
}
