/* Intervals and times until found as JSON. */
#include "cli/interval/json.h"

#include <stdio.h>

#include <jansson.h>

#include "experiment/verdict.h"

static json_t *time_json(double ms)
{
    return ms < 0 ? json_null() : json_real(ms);
}

static json_t *found_json(struct ys_search *search)
{
    return json_pack("{s:o, s:o, s:o}", "median", time_json(ys_search_quantile_ms(search, 0.5)), "p95",
                     time_json(ys_search_quantile_ms(search, 0.95)), "max",
                     time_json(ys_search_quantile_ms(search, 1)));
}

static json_t *within_json(const struct ys_search *search)
{
    json_t *list = json_array();
    for (size_t i = 0; i < YS_ROUND_TIMES; i++)
        (void)json_array_append_new(list,
                                    json_pack("{s:f, s:f, s:f, s:f}", "within_ms", ys_round_times_ms[i], "found_ratio",
                                              search->found_within[i], "calculated_ratio", search->calculated_within[i],
                                              "error_ratio", search->error_within[i]));
    return list;
}

static json_t *search_json(struct ys_search *search)
{
    json_t *root = json_pack("{s:s, s:f, s:f, s:I, s:I, s:o, s:{s:o, s:o}}", "scanner", search->scanner.name,
                             "window_ms", search->scanner.window_us / 1000.0, "interval_ms",
                             search->scanner.interval_us / 1000.0, "runs", (json_int_t)search->runs, "never",
                             (json_int_t)search->never, "found_ms", found_json(search), "calculated_ms", "median",
                             time_json(search->calculated.median_ms), "p95", time_json(search->calculated.p95_ms));
    (void)json_object_set_new(root, "shares", within_json(search));
    (void)json_object_set_new(root, "agrees", search->crowded ? json_null() : json_boolean(search->agrees));
    return root;
}

static json_t *packets_json(const struct ys_advertising_meter *air)
{
    static const char *const names[YS_ADVERTISING_TYPES] = {
        "adv_ind",      "adv_direct_ind", "adv_nonconn_ind", "scan_req",       "scan_rsp",
        "connect_ind",  "adv_scan_ind",   "adv_ext_ind",     "aux_adv_ind",    "aux_scan_req",
        "aux_scan_rsp", "aux_chain_ind",  "aux_connect_req", "aux_connect_rsp"};
    json_t *packets = json_object();
    for (size_t i = 0; i < YS_ADVERTISING_TYPES; i++)
        (void)json_object_set_new(packets, names[i], json_integer((json_int_t)air->packets[i]));
    return packets;
}

static json_t *verdicts_json(const struct ys_design *design, struct ys_interval_report *report, bool *good)
{
    json_t *verdicts = json_array();
    for (size_t i = 0; i < design->expectation_count; i++) {
        struct ys_verdict verdict;
        if (!ys_interval_concerns(design, &design->expectations[i]))
            continue;
        ys_interval_judge(design, &design->expectations[i], report, &verdict);
        (void)json_array_append_new(verdicts, json_pack("{s:s, s:o, s:s, s:s}", "expected", verdict.expected, "met",
                                                        verdict.unknown ? json_null() : json_boolean(verdict.met),
                                                        "measured", verdict.measured, "advice", verdict.advice));
        *good = *good && (verdict.met || verdict.unknown);
    }
    return verdicts;
}

/* The results of a real receiver, instead of those that only a simulated air can give. */
static void put_live(json_t *root, struct ys_interval_report *report)
{
    static const char *const unknown[] = {"connections", "spacing_us",   "packets",
                                          "on_air_ms",   "duty_percent", "longest_silence_reason"};
    struct ys_samples *strengths = &report->strengths_dbm;
    for (size_t i = 0; i < sizeof unknown / sizeof unknown[0]; i++)
        (void)json_object_set_new(root, unknown[i], json_null());
    (void)json_object_set_new(root, "trouble", json_string(report->trouble));
    (void)json_object_set_new(root, "missed", json_integer((json_int_t)report->missed));
    (void)json_object_set_new(root, "strength_dbm",
                              strengths->count == 0
                                  ? json_null()
                                  : json_pack("{s:f, s:f, s:f}", "min", ys_samples_quantile(strengths, 0), "median",
                                              ys_samples_quantile(strengths, 0.5), "max",
                                              ys_samples_quantile(strengths, 1)));
}

json_t *interval_json(const struct measured *measured, bool *met)
{
    const struct ys_design *design = measured->design;
    struct ys_interval_report *report = measured->report;
    struct ys_advertising_meter *air = &report->air;
    struct ys_samples *intervals = &air->intervals_ms;
    static const char *const reasons[] = {"events", "connected", "stopped", "missed"};
    double set = interval_set_ms(design);
    bool good = true;
    json_t *root = json_pack(
        "{s:f, s:f, s:I, s:f, s:I, s:I, s:{s:f, s:f, s:f, s:f, s:f}, s:{s:f, s:f, s:f}, s:{s:f, s:f}, s:o, s:f, s:f, "
        "s:f, s:s, s:f}",
        "set_ms", set, "set_max_ms", (double)design->sets->interval_max_us / 1000, "seed", (json_int_t)measured->seed,
        "seconds", report->seconds, "connections", (json_int_t)report->connections, "events", (json_int_t)air->events,
        "interval_ms", "min", ys_samples_quantile(intervals, 0), "mean", ys_samples_mean(intervals), "median",
        ys_samples_quantile(intervals, 0.5), "p95", ys_samples_quantile(intervals, 0.95), "max",
        ys_samples_quantile(intervals, 1), "random_ms", "min", ys_samples_quantile(intervals, 0) - set, "mean",
        ys_samples_mean(intervals) - set, "max", ys_samples_quantile(intervals, 1) - set, "spacing_us", "min",
        (double)air->spacing_min_ns / 1000, "max", (double)air->spacing_max_ns / 1000, "packets", packets_json(air),
        "on_air_ms", (double)air->on_air_ns / 1e6, "duty_percent", (double)air->on_air_ns / 1e7 / report->seconds,
        "longest_silence_ms", (double)air->silence_ns / 1e6, "longest_silence_reason", reasons[air->silence],
        "longest_silence_from_s", (double)(air->silence_from_ns - report->from_ns) / 1e9);
    if (intervals->count == 0) {
        (void)json_object_set_new(root, "interval_ms", json_null());
        (void)json_object_set_new(root, "random_ms", json_null());
    }
    if (air->spacings == 0)
        (void)json_object_set_new(root, "spacing_us", json_null());
    if (report->recorded)
        (void)json_object_set_new(root, "not_heard",
                                  json_pack("{s:f, s:I, s:I, s:I}", "packets_percent", 100 * air->missed_share,
                                            "events", (json_int_t)air->missed, "unmeasured_intervals",
                                            (json_int_t)air->unmeasured, "others_in_longest_silence",
                                            (json_int_t)air->silence_others));
    (void)json_object_set_new(root, "kind", json_string("interval"));
    (void)json_object_set_new(root, "live", json_boolean(report->live));
    json_t *searches = json_array();
    for (size_t i = 0; i < report->search_count; i++)
        (void)json_array_append_new(searches, search_json(&report->searches[i]));
    (void)json_object_set_new(root, "found_ms",
                              report->search_count == 0 ? json_null() : found_json(&report->searches[0]));
    if (report->recorded || report->live)
        (void)json_object_set_new(root, "seed", json_null());
    if (report->live)
        put_live(root, report);
    (void)json_object_set_new(root, "searches", searches);
    if (design->energy.given && !report->live) {
        double mean_ua = ys_charge_mean_ua(&design->energy.figures, &report->activity);
        double days = ys_charge_days(&design->energy.figures, mean_ua);
        (void)json_object_set_new(root, "mean_current_ua", json_real(mean_ua));
        (void)json_object_set_new(root, "battery_days", days > 0 ? json_real(days) : json_null());
    }
    bool troubled = report->trouble[0] != '\0';
    (void)json_object_set_new(root, "verdicts", troubled ? json_array() : verdicts_json(design, report, &good));
    *met = good && !troubled;
    return root;
}

bool interval_print_json(const struct measured *measured)
{
    bool met;
    json_t *root = interval_json(measured, &met);
    (void)json_dumpf(root, stdout, JSON_INDENT(2) | JSON_REAL_PRECISION(12));
    (void)putchar('\n');
    json_decref(root);
    return met;
}
