/* yarnswift interval: what a device does on the air while it advertises, how long it takes to find it, and whether that
 * is what its definition expects. */
#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include <jansson.h>

#include "capture/file/reader.h"
#include "cli/cli.h"
#include "cli/plot.h"
#include "cli/progress.h"
#include "cli/recorder.h"
#include "cli/say.h"
#include "cli/source.h"
#include "design/making/payload.h"
#include "experiment/interval.h"
#include "experiment/recorded.h"

#define SCANNERS_MOST 16
#define BINS          20
#define CURVE_POINTS  400

struct input {
    struct common common;
    unsigned long long seed;
    unsigned long long seconds;
    unsigned long long runs;
    const char *set;
    const char *plot;
    struct ys_scanner scanners[SCANNERS_MOST];
    size_t scanner_count;
    struct recorder recorder;
    const char *capture; /* NULL: it is simulated */
    const char *advertiser;
    const char *of_simulations; /* an option that was given and is about a simulation, or NULL */
};

/* options */

static bool take_number(const struct argp_state *state, const char *option, const char *argument,
                        unsigned long long least, unsigned long long most, unsigned long long *number)
{
    if (parse_number(argument, number) && *number >= least && *number <= most)
        return true;
    return complain(state->argv[0], "--%s must be a whole number from %llu to %llu, not \"%s\"", option, least, most,
                    argument);
}

static bool take_scanner(const struct argp_state *state, const char *argument, struct input *input)
{
    if (input->scanner_count == SCANNERS_MOST / 2)
        return complain(state->argv[0], "name at most %d scanners", SCANNERS_MOST / 2);
    if (!ys_scanner_of(argument, &input->scanners[input->scanner_count]))
        return complain(state->argv[0],
                        "there is no scanner \"%s\"; take constant, half, tenth or hundredth, or a window of an "
                        "interval in steps of 0.625 ms, such as \"30 ms of 100 ms\"",
                        argument);
    input->scanner_count++;
    return true;
}

static error_t parse(int key, char *argument, struct argp_state *state)
{
    struct input *input = state->input;
    bool good = true;
    switch (key) {
    case 's':
        input->of_simulations = "seed";
        good = take_number(state, "seed", argument, 0, 18446744073709551615u, &input->seed);
        break;
    case 't':
        input->of_simulations = "seconds";
        good = take_number(state, "seconds", argument, 1, 86400, &input->seconds);
        break;
    case 'r':
        input->of_simulations = "runs";
        good = take_number(state, "runs", argument, 1, 1000000, &input->runs);
        break;
    case 'w':
        input->set = argument;
        break;
    case 'c':
        input->of_simulations = "scanner";
        good = take_scanner(state, argument, input);
        break;
    case 'a':
        input->advertiser = argument;
        break;
    case 'p':
        input->plot = argument;
        good = plot_is_possible(state->argv[0], argument);
        break;
    default:
        return recorder_parse(&input->recorder, key, argument) ? 0 : parse_common(key, state, &input->common);
    }
    return good ? 0 : EINVAL;
}

/* Takes the way to advertise that is asked for for the first. */
static bool choose_set(struct ys_design *design, const char *path, const char *name)
{
    for (size_t i = 0; name != NULL && i < design->set_count; i++) {
        if (design->sets[i].name == NULL || strcmp(design->sets[i].name, name) != 0)
            continue;
        struct ys_advertisement first = design->sets[0];
        design->sets[0] = design->sets[i];
        design->sets[i] = first;
        return true;
    }
    if (name != NULL)
        return complain(path, "there is no way to advertise named \"%s\"", name);
    return design->set_count > 0 || complain(path, "the device does not advertise: add advertising:");
}

static void add_scanner(struct input *input, const struct ys_scanner *scanner)
{
    for (size_t i = 0; i < input->scanner_count; i++) {
        if (input->scanners[i].window_us == scanner->window_us &&
            input->scanners[i].interval_us == scanner->interval_us)
            return;
    }
    if (input->scanner_count < SCANNERS_MOST)
        input->scanners[input->scanner_count++] = *scanner;
}

/* Those that are named, or all presets; and those of the expectations. */
static void gather_scanners(struct input *input, const struct ys_design *design)
{
    bool presets = input->scanner_count == 0;
    for (size_t i = 0; presets && i < ys_scanner_count; i++)
        add_scanner(input, &ys_scanners[i]);
    for (size_t i = 0; i < design->expectation_count; i++) {
        if (design->expectations[i].kind == YS_EXPECT_FOUND)
            add_scanner(input, &design->expectations[i].by);
    }
}

/* in words */

static const char *silence_reason(enum ys_silence silence)
{
    return silence == YS_SILENCE_CONNECTED ? "a central had connected"
           : silence == YS_SILENCE_STOPPED ? "it had stopped"
                                           : "between two events";
}

static const char *const packet_names[YS_ADVERTISING_TYPES] = {
    "ADV_IND",      "ADV_DIRECT_IND", "ADV_NONCONN_IND", "SCAN_REQ",       "SCAN_RSP",
    "CONNECT_IND",  "ADV_SCAN_IND",   "ADV_EXT_IND",     "AUX_ADV_IND",    "AUX_SCAN_REQ",
    "AUX_SCAN_RSP", "AUX_CHAIN_IND",  "AUX_CONNECT_REQ", "AUX_CONNECT_RSP"};

static double set_ms(const struct ys_design *design)
{
    return (double)design->sets->interval_min_us / 1000;
}

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
    double set = set_ms(design);
    (void)printf("events            %llu in %g s", (unsigned long long)air->events, report->seconds);
    if (report->connections > 0)
        (void)printf(", and %u connections meanwhile", report->connections);
    (void)printf("\ninterval          set %g ms", set);
    if (design->sets->interval_max_us != design->sets->interval_min_us)
        (void)printf(" to %g ms", (double)design->sets->interval_max_us / 1000);
    if (intervals->count == 0)
        (void)printf("; too few events to measure it: take more --seconds\n");
    else
        print_intervals(intervals, set);
    if (air->spacings > 0)
        (void)printf("channels          one after the other, %g us apart", (double)air->spacing_min_ns / 1000);
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
    if (air->requests > 0)
        (void)printf("requests          %.4g %% answered\n", 100.0 * (double)air->responses / (double)air->requests);
    (void)printf("on the air        %.3f s of %g s: %.3f %%\n", (double)air->on_air_ns / 1e9, report->seconds,
                 (double)air->on_air_ns / 1e7 / report->seconds);
    (void)printf("longest silence   %.3f ms, from %.3f s on: %s\n", (double)air->silence_ns / 1e6,
                 (double)(air->silence_from_ns - report->from_ns) / 1e9, silence_reason(air->silence));
}

static void print_charge(const struct ys_design *design, const struct ys_interval_report *report)
{
    const struct ys_energy *figures = &design->energy.figures;
    if (!design->energy.given)
        return;
    double mean_ua = ys_charge_mean_ua(figures, &report->activity);
    (void)printf("charge            %.2f uA in the mean", mean_ua);
    if (figures->battery_mah > 0)
        (void)printf("; %g mAh last %.0f days", figures->battery_mah, ys_charge_days(figures, mean_ua));
    (void)printf("\n                  = %g uA + (%llu x %g uC + %.4f s x %g mA + %.4f s x %g mA) / %g s\n",
                 figures->standby_ua, (unsigned long long)report->activity.events, figures->wake_up_uc,
                 report->activity.transmit_s, figures->transmit_ma, report->activity.receive_s, figures->receive_ma,
                 report->activity.seconds);
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
    (void)printf("\ntime until found  %-22s %10s %10s %10s %7s %20s %10s\n", "window of interval", "median", "95 %",
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

/* Prints each expectation and whether it is met; false if one is not. */
static bool print_verdicts(const struct ys_design *design, struct ys_interval_report *report)
{
    bool good = true;
    if (design->expectation_count > 0)
        (void)printf("\nexpected\n");
    for (size_t i = 0; i < design->expectation_count; i++) {
        struct ys_verdict verdict;
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
    return good;
}

static bool print_text(const struct input *input, const struct ys_design *design, struct ys_interval_report *report)
{
    static const char *const kinds[] = {"connectable", "scannable", "a beacon"};
    static const char *const phys[] = {"1M", "1M", "2M", "coded"}; /* not said, or said */
    const struct ys_advertisement *set = design->sets;
    (void)printf("%s, %s%s%s", design->name.text, kinds[ys_advertisement_kind(set)], set->name != NULL ? ": " : "",
                 set->name != NULL ? set->name : "");
    if (set->extended)
        (void)printf(", extended: found on %s, payload on %s", phys[set->primary_phy], phys[set->phy]);
    if (report->recorded)
        (void)printf("; in %s\n\n", input->capture);
    else
        (void)printf("; seed %llu\n\n", input->seed);
    print_air(design, report);
    print_charge(design, report);
    if (report->recorded) {
        (void)printf("\ntime until found  cannot be known from a capture; the simulation tells\n");
    } else {
        print_searches(report);
        (void)printf("  %llu searches each; one is given up after %d s\n", input->runs, YS_SEARCH_MS / 1000);
    }
    return print_verdicts(design, report);
}

/* as JSON */

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

static json_t *search_json(struct ys_search *search)
{
    return json_pack("{s:s, s:f, s:f, s:I, s:I, s:o, s:{s:o, s:o}}", "scanner", search->scanner.name, "window_ms",
                     search->scanner.window_us / 1000.0, "interval_ms", search->scanner.interval_us / 1000.0, "runs",
                     (json_int_t)search->runs, "never", (json_int_t)search->never, "found_ms", found_json(search),
                     "calculated_ms", "median", time_json(search->calculated.median_ms), "p95",
                     time_json(search->calculated.p95_ms));
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
        ys_interval_judge(design, &design->expectations[i], report, &verdict);
        (void)json_array_append_new(verdicts, json_pack("{s:s, s:o, s:s, s:s}", "expected", verdict.expected, "met",
                                                        verdict.unknown ? json_null() : json_boolean(verdict.met),
                                                        "measured", verdict.measured, "advice", verdict.advice));
        *good = *good && (verdict.met || verdict.unknown);
    }
    return verdicts;
}

static bool print_json(const struct input *input, const struct ys_design *design, struct ys_interval_report *report)
{
    struct ys_advertising_meter *air = &report->air;
    struct ys_samples *intervals = &air->intervals_ms;
    static const char *const reasons[] = {"events", "connected", "stopped"};
    double set = set_ms(design);
    bool good = true;
    json_t *root = json_pack(
        "{s:f, s:f, s:I, s:f, s:I, s:I, s:{s:f, s:f, s:f, s:f, s:f}, s:{s:f, s:f, s:f}, s:{s:f, s:f}, s:o, s:f, s:f, "
        "s:f, s:s, s:f}",
        "set_ms", set, "set_max_ms", (double)design->sets->interval_max_us / 1000, "seed", (json_int_t)input->seed,
        "seconds", report->seconds, "connections", (json_int_t)report->connections, "events", (json_int_t)air->events,
        "interval_ms", "min", ys_samples_quantile(intervals, 0), "mean", ys_samples_mean(intervals), "median",
        ys_samples_quantile(intervals, 0.5), "p95", ys_samples_quantile(intervals, 0.95), "max",
        ys_samples_quantile(intervals, 1), "random_ms", "min", ys_samples_quantile(intervals, 0) - set, "mean",
        ys_samples_mean(intervals) - set, "max", ys_samples_quantile(intervals, 1) - set, "spacing_us", "min",
        (double)air->spacing_min_ns / 1000, "max", (double)air->spacing_max_ns / 1000, "packets", packets_json(air),
        "on_air_ms", (double)air->on_air_ns / 1e6, "duty_percent", (double)air->on_air_ns / 1e7 / report->seconds,
        "longest_silence_ms", (double)air->silence_ns / 1e6, "longest_silence_reason", reasons[air->silence],
        "longest_silence_from_s", (double)(air->silence_from_ns - report->from_ns) / 1e9);
    json_t *searches = json_array();
    for (size_t i = 0; i < report->search_count; i++)
        (void)json_array_append_new(searches, search_json(&report->searches[i]));
    (void)json_object_set_new(root, "found_ms", report->recorded ? json_null() : found_json(&report->searches[0]));
    if (report->recorded)
        (void)json_object_set_new(root, "seed", json_null());
    (void)json_object_set_new(root, "searches", searches);
    if (design->energy.given) {
        double mean_ua = ys_charge_mean_ua(&design->energy.figures, &report->activity);
        double days = ys_charge_days(&design->energy.figures, mean_ua);
        (void)json_object_set_new(root, "mean_current_ua", json_real(mean_ua));
        (void)json_object_set_new(root, "battery_days", days > 0 ? json_real(days) : json_null());
    }
    (void)json_object_set_new(root, "verdicts", verdicts_json(design, report, &good));
    (void)json_dumpf(root, stdout, JSON_INDENT(2) | JSON_REAL_PRECISION(12));
    (void)putchar('\n');
    json_decref(root);
    return good;
}

/* as a picture: the intervals, and the share that has found it over time */

static void put_histogram(FILE *data, struct ys_samples *intervals, double *least_ms, double *width_ms)
{
    double min_ms = ys_samples_quantile(intervals, 0);
    double max_ms = ys_samples_quantile(intervals, 1);
    *width_ms = max_ms > min_ms ? (max_ms - min_ms) / BINS : 1;
    *least_ms = min_ms;
    size_t before = 0;
    (void)fprintf(data, "# middle of each bin in ms, and how many intervals are in it\n");
    for (int i = 0; i < BINS; i++) {
        size_t until = ys_samples_within(intervals, i + 1 < BINS ? min_ms + (i + 1) * *width_ms : max_ms);
        (void)fprintf(data, "%.6f %zu\n", min_ms + (i + 0.5) * *width_ms, until - before);
        before = until;
    }
}

static void put_curve(FILE *data, struct ys_search *search)
{
    (void)fprintf(data, "\n\n# %s: time in s, and the share of all searches in %%\n", search->scanner.name);
    (void)fprintf(data, "%.6f 0\n", 1e-3);
    for (int i = 1; i <= CURVE_POINTS; i++) {
        double share = (double)i / CURVE_POINTS;
        double found_ms = ys_search_quantile_ms(search, share);
        if (found_ms >= 0)
            (void)fprintf(data, "%.6f %.4f\n", found_ms / 1000, share * 100);
    }
}

static bool draw(const char *who, const struct input *input, const struct ys_design *design,
                 struct ys_interval_report *report)
{
    struct plot plot;
    double least_ms;
    double width_ms;
    if (!plot_begin(&plot, who, input->plot, input->recorder.replaces))
        return false;
    put_histogram(plot.data, &report->air.intervals_ms, &least_ms, &width_ms);
    for (size_t i = 0; i < report->search_count; i++)
        put_curve(plot.data, &report->searches[i]);
    (void)fprintf(plot.script,
                  "set multiplot layout 2,1 margins 0.08,0.97,0.09,0.93 spacing 0.15\n"
                  "set border 3\nset tics nomirror out\nset grid ytics lc rgb \"#d8d8d8\"\n"
                  "set style fill solid 0.85 noborder\n"
                  "set title \"Intervals between advertising events, set to %g ms\"\n"
                  "set xlabel \"ms\"\nset ylabel \"events\"\nset yrange [0:*]\nset boxwidth %.6f\n"
                  "plot data index 0 using 1:2 with boxes lc rgb \"#2a6f97\" notitle\n"
                  "set title \"Share of %llu searches that have found it\"\n"
                  "set logscale x\nset xlabel \"s since the scanner began\"\nset ylabel \"%%\"\nset yrange [0:104]\n"
                  "set xrange [0.001:%d]\nset key left top Left reverse\nplot",
                  set_ms(design), 0.9 * width_ms, input->runs, YS_SEARCH_MS / 1000);
    for (size_t i = 0; i < report->search_count; i++) {
        static const char *const colours[] = {"#2a6f97", "#c1442e", "#4f7f3a", "#8a5a9e",
                                              "#b8860b", "#3b3b3b", "#d1779b", "#66a5ad"};
        const struct ys_scanner *scanner = &report->searches[i].scanner;
        bool named = strstr(scanner->name, " of ") == NULL;
        char title[120];
        (void)snprintf(title, sizeof title, "%s%s%g ms of %g ms", named ? scanner->name : "", named ? ", " : "",
                       scanner->window_us / 1000.0, scanner->interval_us / 1000.0);
        (void)fprintf(plot.script, "%s data index %zu using 1:2 with steps lw 2 lc rgb \"%s\" title ", i > 0 ? "," : "",
                      i + 1, colours[i % 8]);
        plot_put_text(plot.script, title);
    }
    (void)fprintf(plot.script, "\n");
    return plot_end(&plot);
}

static void show_progress(void *context, uint32_t done, uint32_t of)
{
    progress_show(context, done, of);
}

/* Prints, draws and frees what was measured. */
static int tell(const char *who, const struct input *input, const struct ys_design *design,
                struct ys_interval_report *report)
{
    bool good = input->common.json ? print_json(input, design, report) : print_text(input, design, report);
    int status = good ? EXIT_AS_EXPECTED : EXIT_UNEXPECTED;
    if (input->plot != NULL && !draw(who, input, design, report))
        status = EXIT_BAD_INPUT;
    ys_interval_report_free(report);
    return status;
}

static void tell_watched(struct ys_recorded *recorded)
{
    const struct source *source = recorded->context;
    recorded->watched = source->watched;
    recorded->from_ns = source->from_ns;
    recorded->to_ns = source->to_ns;
}

/* The same from a capture. */
static int run_recorded(const char *who, struct input *input, const struct ys_design *design)
{
    static struct source source;
    struct ys_recorded recorded = {.replay = source_replay, .context = &source};
    struct ys_interval_report report;
    char *path = input->common.files.paths[1];
    const struct files files = {.paths = &path, .count = 1};
    int status = EXIT_BAD_INPUT;
    source = (struct source){.seed = input->seed};
    if (source_open(&source, who, &files)) {
        char problem[YS_PROBLEM_SIZE];
        if (ys_interval_of(&recorded, design, input->advertiser, tell_watched, &report, problem))
            status = tell(who, input, design, &report);
        else if (problem[0] != '\0')
            (void)complain(input->capture, "%s", problem);
        source_end(&source);
    }
    source_close(&source);
    return status;
}

static int run(const char *who, struct input *input, const struct ys_design *design)
{
    struct ys_interval_report report;
    if (!recorder_begin(&input->recorder))
        return EXIT_BAD_INPUT;
    struct progress progress = progress_begin("searches");
    long cores = sysconf(_SC_NPROCESSORS_ONLN);
    const struct ys_interval_plan plan = {
        .design = design,
        .seconds = (uint32_t)input->seconds,
        .runs = (uint32_t)input->runs,
        .seed = input->seed,
        .scanners = input->scanners,
        .scanner_count = input->scanner_count,
        .threads = cores > 0 ? (unsigned)cores : 1,
        .progress = show_progress,
        .context = &progress,
        .recording = recorder_recording(&input->recorder),
    };
    bool good = ys_interval_run(&plan, &report);
    progress_end(&progress);
    good = recorder_end(&input->recorder) && (good || complain(who, "the device cannot be started"));
    if (good)
        return tell(who, input, design, &report);
    ys_interval_report_free(&report);
    return EXIT_BAD_INPUT;
}

int verb_interval(int argc, char **argv)
{
    static const struct argp_option options[] = {
        {"seconds", 't', "NUMBER", 0, "Watch it for that long (default 60)", 0},
        {"runs", 'r', "NUMBER", 0, "Let each scanner look for it so many times (default 1000)", 0},
        {"scanner", 'c', "SCANNER", 0,
         "Let this one look for it, and not all presets: constant, half, tenth, hundredth, or a window of an interval "
         "such as \"30 ms of 100 ms\"; may be given several times",
         0},
        {"advertiser", 'a', "WHO", 0,
         "In a capture, the device with this name or address; otherwise the one that advertises the definition's name",
         0},
        {"set", 'w', "NAME", 0, "Of several ways to advertise, take the one with this name, not the first", 0},
        {"seed", 's', "NUMBER", 0, "Play it with other chances; the same number gives the same result (default 1)", 0},
        {"plot", 'p', "FILE", 0,
         "Draw intervals and times until found; FILE ends in .svg or .png, and its data and script stay beside it", 0},
        RECORDER_OPTIONS,
        {"json", 'j', NULL, 0, "Print the result as JSON", 0},
        {0}};
    static const struct argp argp = {
        .options = options,
        .parser = parse,
        .args_doc = "DEFINITION [CAPTURE]",
        .doc = "Lets a device advertise on a simulated air, and tells from the air alone what it does: its intervals, "
               "packets, time on the air, and silences, while a scanner asks it and a central comes and goes. Then "
               "scanners look for it, and it is told how long that takes, beside what is to be expected by "
               "calculation. What the definition expects is judged. With a capture, the device in it is measured in "
               "place of a simulated one.\v"
               "Exit status: 0 all is as expected, 1 something is not, 2 the definition or an option is wrong.",
    };
    struct input input = {.seed = 1, .seconds = 60, .runs = 1000};
    if (!parse_options(&argp, argc, argv, &input))
        return EXIT_BAD_INPUT;
    struct ys_design *design;
    const struct files *files = &input.common.files;
    input.capture = files->count == 2 ? files->paths[1] : NULL;
    if (!source_suits(argv[0], input.capture != NULL, input.recorder.path != NULL ? "capture" : input.of_simulations,
                      input.advertiser != NULL ? "advertiser" : NULL) ||
        (input.plot != NULL && !plot_is_free(argv[0], input.plot, input.recorder.replaces)))
        return EXIT_BAD_INPUT;
    struct ys_layout *layout = open_only(
        argv[0], &(struct files){.paths = files->paths, .count = files->count - (input.capture != NULL)}, &design);
    int status = EXIT_BAD_INPUT;
    if (layout != NULL && choose_set(design, files->paths[0], input.set)) {
        gather_scanners(&input, design);
        status = input.capture != NULL ? run_recorded(argv[0], &input, design) : run(argv[0], &input, design);
    }
    ys_layout_free(layout);
    ys_design_free(design);
    return status;
}
