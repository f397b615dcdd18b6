/* Intervals and times until found as a picture. */
#include "cli/interval/plot.h"

#include <math.h>
#include <stdio.h>
#include <string.h>

#include "cli/shared/plot.h"

#define BINS         20
#define CURVE_POINTS 400
#define DELAY_MS     10.0

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

/* The calculated share at times that are as far from each other on a logarithmic scale. */
static void put_calculated(FILE *data, const struct ys_search *search)
{
    double times_ms[CURVE_POINTS];
    double shares[CURVE_POINTS];
    for (int i = 0; i < CURVE_POINTS; i++)
        times_ms[i] = pow(YS_SEARCH_MS, (double)(i + 1) / CURVE_POINTS);
    ys_discovery_shares(&search->calculated_of, times_ms, shares, CURVE_POINTS);
    (void)fprintf(data, "\n\n# %s, calculated: time in s, and the share in %%\n", search->scanner.name);
    for (int i = 0; i < CURVE_POINTS; i++)
        (void)fprintf(data, "%.6f %.4f\n", times_ms[i] / 1000, shares[i] * 100);
}

/* The expected number in a bin of intervals: the random delay is uniform from 0 to 10 ms. */
static double expected_in_bin(const struct measured *measured, double width_ms)
{
    const struct ys_advertisement *set = measured->design->sets;
    bool exact = set->interval_max_us == set->interval_min_us;
    return exact ? (double)measured->report->air.intervals_ms.count * width_ms / DELAY_MS : 0;
}

bool interval_draw(const char *who, const char *path, bool replaces, const struct measured *measured)
{
    struct ys_interval_report *report = measured->report;
    struct plot plot;
    double least_ms;
    double width_ms;
    if (!plot_begin(&plot, who, path, replaces))
        return false;
    put_histogram(plot.data, &report->air.intervals_ms, &least_ms, &width_ms);
    for (size_t i = 0; i < report->search_count; i++)
        put_curve(plot.data, &report->searches[i]);
    for (size_t i = 0; i < report->search_count; i++)
        put_calculated(plot.data, &report->searches[i]);
    double expected = expected_in_bin(measured, width_ms);
    char line[160] = "";
    if (expected > 0)
        (void)snprintf(line, sizeof line,
                       ", [%.6f:%.6f] %.6f with lines lw 2 dt 2 lc rgb \"#c1442e\" title \"expected, 0 to 10 ms\"",
                       interval_set_ms(measured->design), interval_set_ms(measured->design) + DELAY_MS, expected);
    char title[400];
    (void)snprintf(title, sizeof title, "%s%s%s: intervals between advertising events, set to %g ms; %g s%s%s",
                   measured->design->name.text, measured->design->sets->name != NULL ? ", " : "",
                   measured->design->sets->name != NULL ? measured->design->sets->name : "",
                   interval_set_ms(measured->design), report->seconds, measured->capture != NULL ? " of " : "",
                   measured->capture != NULL ? plot_base_of(measured->capture) : "");
    (void)fputs("title = ", plot.script);
    plot_put_text(plot.script, title);
    (void)fputc('\n', plot.script);
    (void)fprintf(plot.script,
                  "set multiplot layout 2,1 margins 0.08,0.97,0.09,0.93 spacing 0.15\n"
                  "set border 3\nset tics nomirror out\nset grid ytics lc rgb \"#d8d8d8\"\n"
                  "set style fill solid 0.85 noborder\n"
                  "set title title noenhanced\n"
                  "set xlabel \"ms\"\nset ylabel \"events\"\nset yrange [0:*]\nset boxwidth %.6f\n"
                  "set key top right\n"
                  "plot data index 0 using 1:2 with boxes lc rgb \"#2a6f97\" title \"measured\"%s\n"
                  "set title \"Share of %llu searches that have found it; seed %llu\"\n"
                  "set logscale x\nset xlabel \"s since the scanner began\"\nset ylabel \"%%\"\nset yrange [0:104]\n"
                  "set xrange [0.001:%d]\nset key left top Left reverse\nplot",
                  0.9 * width_ms, line, measured->runs, measured->seed, YS_SEARCH_MS / 1000);
    for (size_t i = 0; i < report->search_count; i++) {
        static const char *const colours[] = {"#2a6f97", "#c1442e", "#4f7f3a", "#8a5a9e",
                                              "#b8860b", "#3b3b3b", "#d1779b", "#66a5ad"};
        const struct ys_scanner *scanner = &report->searches[i].scanner;
        bool named = strstr(scanner->name, " of ") == NULL;
        char name[120];
        (void)snprintf(name, sizeof name, "%s%s%g ms of %g ms", named ? scanner->name : "", named ? ", " : "",
                       scanner->window_us / 1000.0, scanner->interval_us / 1000.0);
        (void)fprintf(plot.script,
                      "%s data index %zu using 1:2 with lines lw 6 lc rgb \"#55%s\" notitle"
                      ", data index %zu using 1:2 with steps lw 2 lc rgb \"%s\" title ",
                      i > 0 ? "," : "", report->search_count + i + 1, colours[i % 8] + 1, i + 1, colours[i % 8]);
        plot_put_text(plot.script, name);
    }
    (void)fprintf(plot.script, ", NaN with lines lw 6 lc rgb \"#55808080\" title \"calculated\"");
    (void)fprintf(plot.script, "\n");
    return plot_end(&plot);
}
