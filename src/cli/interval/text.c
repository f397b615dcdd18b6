/* Intervals and times until found in words. */
#include "cli/interval/text.h"

#include <stdio.h>
#include <string.h>

#include "design/making/payload.h"
#include "experiment/verdict.h"

const char *interval_silence_reason(enum ys_silence silence)
{
    return silence == YS_SILENCE_CONNECTED ? "a central was connected"
           : silence == YS_SILENCE_STOPPED ? "it had stopped"
           : silence == YS_SILENCE_MISSED  ? "the recorder may have missed packets meanwhile"
                                           : "between two events";
}

static const char *const packet_names[YS_ADVERTISING_TYPES] = {
    "ADV_IND",      "ADV_DIRECT_IND", "ADV_NONCONN_IND", "SCAN_REQ",       "SCAN_RSP",
    "CONNECT_IND",  "ADV_SCAN_IND",   "ADV_EXT_IND",     "AUX_ADV_IND",    "AUX_SCAN_REQ",
    "AUX_SCAN_RSP", "AUX_CHAIN_IND",  "AUX_CONNECT_REQ", "AUX_CONNECT_RSP"};

static void print_intervals(struct ys_samples *intervals, double set)
{
    (void)printf("; measured %.3f ms to %.3f ms\n", ys_samples_quantile(intervals, 0),
                 ys_samples_quantile(intervals, 1));
    (void)printf("                  mean %.3f ms, median %.3f ms, 95 %% within %.3f ms\n", ys_samples_mean(intervals),
                 ys_samples_quantile(intervals, 0.5), ys_samples_quantile(intervals, 0.95));
    (void)printf("  random part     %.3f ms to %.3f ms, mean %.3f ms; the standard: 0 to 10 ms\n",
                 ys_samples_quantile(intervals, 0) - set, ys_samples_quantile(intervals, 1) - set,
                 ys_samples_mean(intervals) - set);
}

static void print_air(const struct ys_design *design, struct ys_interval_report *report)
{
    struct ys_advertising_meter *air = &report->air;
    struct ys_samples *intervals = &air->intervals_ms;
    double set = interval_set_ms(design);
    (void)printf("events            %llu in %g s", (unsigned long long)air->events, report->seconds);
    if (report->connections > 0)
        (void)printf(", with %u connections", report->connections);
    if (air->missed_share > 0)
        (void)printf(
            "\nmissed            %.2g %% of its packets, estimated from partly received events; about %llu events",
            100 * air->missed_share, (unsigned long long)air->missed);
    (void)printf("\ninterval          set %g ms", set);
    if (design->sets->interval_max_us != design->sets->interval_min_us)
        (void)printf(" to %g ms", (double)design->sets->interval_max_us / 1000);
    if (intervals->count == 0)
        (void)printf(air->unmeasured > 0 ? "; no event was received completely\n"
                     : report->recorded  ? "; too few events to measure it\n"
                                         : "; too few events to measure it: use more --seconds\n");
    else
        print_intervals(intervals, set);
    if (air->spacings > 0)
        (void)printf("channels          in sequence, %g us apart", (double)air->spacing_min_ns / 1000);
    if (air->spacing_max_ns > air->spacing_min_ns)
        (void)printf(" to %g us", (double)air->spacing_max_ns / 1000);
    (void)printf("%s", air->spacings > 0 ? "\n" : "");
    (void)printf("packets           ");
    const char *separator = "";
    for (size_t i = 0; i < YS_ADVERTISING_TYPES; i++) {
        if (air->packets[i] == 0)
            continue;
        (void)printf("%s%llu %s", separator, (unsigned long long)air->packets[i], packet_names[i]);
        separator = ", ";
    }
    (void)printf("\n");
    if (air->requests > 0 && air->missed_share <= 0)
        (void)printf("requests          %.4g %% answered\n", 100.0 * (double)air->responses / (double)air->requests);
    (void)printf("on the air        %s%.3f s of %g s: %.3f %%\n", air->missed_share > 0 ? "at least " : "",
                 (double)air->on_air_ns / 1e9, report->seconds, (double)air->on_air_ns / 1e7 / report->seconds);
    (void)printf("longest silence   %.3f ms, from %.3f s on: %s", (double)air->silence_ns / 1e6,
                 (double)(air->silence_from_ns - report->from_ns) / 1e9, interval_silence_reason(air->silence));
    if (report->recorded && air->silence >= YS_SILENCE_STOPPED)
        (void)printf("; %llu packets of others were received then", (unsigned long long)air->silence_others);
    (void)putchar('\n');
}

/* Of what one receiver has heard. */
static void print_heard(const struct ys_design *design, struct ys_interval_report *report)
{
    struct ys_advertising_meter *air = &report->air;
    struct ys_samples *intervals = &air->intervals_ms;
    struct ys_samples *strengths = &report->strengths_dbm;
    double set = interval_set_ms(design);
    (void)printf("received          %llu events in %g s", (unsigned long long)air->events, report->seconds);
    if (report->missed > 0)
        (void)printf(", and about %u were missed", report->missed);
    (void)printf("\ninterval          set %g ms", set);
    if (design->sets->interval_max_us != design->sets->interval_min_us)
        (void)printf(" to %g ms", (double)design->sets->interval_max_us / 1000);
    if (intervals->count == 0)
        (void)printf("; no two events in a row were received\n");
    else
        (void)printf("; received %.0f ms to %.0f ms, mean %.1f ms, median %.0f ms\n", ys_samples_quantile(intervals, 0),
                     ys_samples_quantile(intervals, 1), ys_samples_mean(intervals),
                     ys_samples_quantile(intervals, 0.5));
    if (strengths->count > 0)
        (void)printf("strength          %.0f dBm in the median, %.0f to %.0f dBm\n",
                     ys_samples_quantile(strengths, 0.5), ys_samples_quantile(strengths, 0),
                     ys_samples_quantile(strengths, 1));
    (void)printf("longest silence   %.0f ms, from %.3f s on\n", (double)air->silence_ns / 1e6,
                 (double)(air->silence_from_ns - report->from_ns) / 1e9);
    (void)printf("                  as reported to the host, with a precision of a few milliseconds; packets, channels "
                 "and charge are unknown\n");
}

static void print_charge(const struct ys_design *design, const struct ys_interval_report *report)
{
    const struct ys_energy *figures = &design->energy.figures;
    if (!design->energy.given)
        return;
    double mean_ua = ys_charge_mean_ua(figures, &report->activity);
    (void)printf("charge            %s%.2f uA on average", report->air.missed_share > 0 ? "at least " : "", mean_ua);
    if (figures->battery_mah > 0)
        (void)printf("; %g mAh last %s%.0f days", figures->battery_mah, report->air.missed_share > 0 ? "at most " : "",
                     ys_charge_days(figures, mean_ua));
    const struct ys_activity *activity = &report->activity;
    double transmit_s = 0;
    for (unsigned i = 0; i < YS_ACTIVITY_POWERS; i++)
        transmit_s += activity->transmit_s[i];
    (void)printf("\n                  = %g uA + (%llu events x %.4g uC + %.4f s x %g mA sending + %.4f s x %g mA "
                 "turning round + "
                 "%.4f s x %g mA listening) / %g s\n",
                 figures->standby_ua, (unsigned long long)activity->events, ys_event_uc(figures), transmit_s,
                 ys_transmit_ma(figures, activity->power_dbm[0]), activity->turn_s,
                 figures->turn_ma > 0 ? figures->turn_ma : figures->receive_ma, activity->receive_s,
                 figures->receive_ma, activity->seconds);
}

static const char *time_text(double ms, char *text, size_t size)
{
    if (ms < 0)
        (void)snprintf(text, size, "> %g s", YS_SEARCH_MS / 1000.0);
    else if (ms < 1000)
        (void)snprintf(text, size, "%.1f ms", ms);
    else
        (void)snprintf(text, size, "%.3f s", ms / 1000);
    return text;
}

static void print_searches(struct ys_interval_report *report)
{
    (void)printf("\ndiscovery time    %-22s %10s %10s %10s %7s %20s %10s\n", "window of interval", "median", "95 %",
                 "worst", "never", "calculated: median", "95 %");
    for (size_t i = 0; i < report->search_count; i++) {
        struct ys_search *search = &report->searches[i];
        char window[48];
        char texts[5][24];
        (void)snprintf(window, sizeof window, "%g ms of %g ms", search->scanner.window_us / 1000.0,
                       search->scanner.interval_us / 1000.0);
        bool named = strstr(search->scanner.name, " of ") == NULL;
        (void)printf("  %-15s %-22s %10s %10s %10s %7u %20s %10s\n", named ? search->scanner.name : "", window,
                     time_text(ys_search_quantile_ms(search, 0.5), texts[0], sizeof texts[0]),
                     time_text(ys_search_quantile_ms(search, 0.95), texts[1], sizeof texts[1]),
                     time_text(ys_search_quantile_ms(search, 1), texts[2], sizeof texts[2]), search->never,
                     time_text(search->calculated.median_ms, texts[3], sizeof texts[3]),
                     time_text(search->calculated.p95_ms, texts[4], sizeof texts[4]));
    }
}

/* The shares that were found within round times, with the calculated ones below. */
static void print_shares(const struct ys_interval_report *report)
{
    (void)printf("\ndiscovered        %-10s", "within");
    for (size_t i = 0; i < YS_ROUND_TIMES; i++)
        (void)printf(ys_round_times_ms[i] < 1000 ? "%6g ms" : "%7g s",
                     ys_round_times_ms[i] < 1000 ? ys_round_times_ms[i] : ys_round_times_ms[i] / 1000);
    (void)printf("\n");
    for (size_t i = 0; i < report->search_count; i++) {
        const struct ys_search *search = &report->searches[i];
        double most = 0;
        (void)printf("  %-15s %-10s", search->scanner.name, "found");
        for (size_t k = 0; k < YS_ROUND_TIMES; k++)
            (void)printf("%7.1f %%", 100 * search->found_within[k]);
        (void)printf("\n  %-15s %-10s", "", "calculated");
        for (size_t k = 0; k < YS_ROUND_TIMES; k++) {
            (void)printf("%7.1f %%", 100 * search->calculated_within[k]);
            most = search->error_within[k] > most ? search->error_within[k] : most;
        }
        (void)printf("  %s within %.1f\n",
                     search->crowded  ? "calculated for independent collisions"
                     : search->agrees ? "they agree"
                                      : "THEY DO NOT AGREE",
                     100 * most);
    }
}

/* Prints each expectation and whether it is met; false if one is not. */
static bool print_verdicts(const struct ys_design *design, struct ys_interval_report *report)
{
    bool good = true;
    size_t others = 0;
    for (size_t i = 0; i < design->expectation_count; i++)
        others += !ys_interval_concerns(design, &design->expectations[i]);
    if (design->expectation_count > 0)
        (void)printf("\nexpected\n");
    for (size_t i = 0; i < design->expectation_count; i++) {
        struct ys_verdict verdict;
        if (!ys_interval_concerns(design, &design->expectations[i]))
            continue;
        ys_interval_judge(design, &design->expectations[i], report, &verdict);
        (void)printf("  %s  %s: %s\n",
                     verdict.unknown ? "?  "
                     : verdict.met   ? "yes"
                                     : "NO ",
                     verdict.expected, verdict.measured);
        if (verdict.advice[0] != '\0')
            (void)printf("       %s\n", verdict.advice);
        good = good && (verdict.met || verdict.unknown);
    }
    if (others > 0)
        (void)printf("  %zu more %s about another advertising set: see --advertising-set\n", others,
                     others == 1 ? "is" : "are");
    return good;
}

bool interval_print(const struct measured *measured)
{
    const struct ys_design *design = measured->design;
    struct ys_interval_report *report = measured->report;
    static const char *const kinds[] = {"connectable", "scannable", "a beacon"};
    static const char *const phys[] = {"1M", "1M", "2M", "coded"}; /* not said, or said */
    const struct ys_advertisement *set = design->sets;
    (void)printf("%s, %s%s%s", design->name.text, kinds[ys_advertisement_kind(set)], set->name != NULL ? ": " : "",
                 set->name != NULL ? set->name : "");
    if (set->extended)
        (void)printf(", extended: found on %s, payload on %s", phys[set->primary_phy], phys[set->phy]);
    if (report->recorded)
        (void)printf("; in %s\n\n", measured->capture);
    else if (report->live)
        (void)printf("; received by a real controller\n\n");
    else
        (void)printf("; seed %llu\n\n", measured->seed);
    if (report->trouble[0] != '\0') {
        (void)printf("trouble           %s\n", report->trouble);
        return false;
    }
    if (report->live) {
        print_heard(design, report);
    } else {
        print_air(design, report);
        print_charge(design, report);
    }
    if (report->recorded) {
        (void)printf("\ndiscovery time    unknown from a capture; use a simulation\n");
    } else {
        print_searches(report);
        (void)printf("  %llu searches by each scanner; a search ends after %d s\n", measured->runs,
                     YS_SEARCH_MS / 1000);
        if (measured->runs > 0 && !report->live)
            print_shares(report);
    }
    return print_verdicts(design, report);
}
