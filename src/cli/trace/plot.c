/* Pictures of a trace: values over time, strength over time, and how a connection went. The data are written as they
 * come: time, number of the series, and what is drawn. */
#include "cli/trace/plot.h"

#include <stdlib.h>
#include <string.h>

#include "cli/shared/plot.h"
#include "cli/shared/say.h"
#include "cli/shared/words.h"
#include "cli/trace/view.h"

#define SERIES_MOST 12
#define PANELS_MOST 4

enum drawn { DRAW_VALUES, DRAW_STRENGTH, DRAW_CONNECTION };

/* The series of a connection's picture. */
enum track { TRACK_ADVERTISING, TRACK_CENTRAL, TRACK_PERIPHERAL, TRACK_AGAIN, TRACK_DAMAGED, TRACK_DATA, TRACKS };

struct series {
    char name[80];
    char unit[32];
    uint64_t count;
    double least;
    double greatest;
};

struct trace_plot {
    struct plot plot;
    enum drawn drawn;
    struct series series[SERIES_MOST];
    size_t count;
    bool crowded; /* there were more */
    bool open;
    /* of a connection: what its current event has carried so far */
    uint32_t event_link;
    double event_at_s;
    uint64_t event_bytes;
};

static const char *const words[] = {"values", "strength", "connection", NULL};

bool trace_plot_is_known(const char *word)
{
    return word_among(word, words) >= 0;
}

struct trace_plot *trace_plot_new(const struct trace *trace)
{
    struct trace_plot *plot = calloc(1, sizeof *plot);
    if (plot == NULL)
        return NULL;
    if (trace->draw != NULL)
        plot->drawn = (enum drawn)word_among(trace->draw, words);
    plot->open = plot_begin(&plot->plot, "yarnswift trace", trace->plot_path, trace->replaces);
    if (plot->open)
        (void)fprintf(plot->plot.data, "# time in s, series, value\n");
    return plot;
}

void trace_plot_free(struct trace_plot *plot)
{
    free(plot);
}

/* The number of a series, new if need be; -1: there are too many. */
static int series_of(struct trace_plot *plot, const char *name, const char *unit)
{
    for (size_t i = 0; i < plot->count; i++) {
        if (strcmp(plot->series[i].name, name) == 0 && strcmp(plot->series[i].unit, unit) == 0)
            return (int)i;
    }
    if (plot->count == SERIES_MOST) {
        plot->crowded = true;
        return -1;
    }
    struct series *series = &plot->series[plot->count];
    (void)snprintf(series->name, sizeof series->name, "%s", name);
    (void)snprintf(series->unit, sizeof series->unit, "%s", unit);
    return (int)plot->count++;
}

static void put(struct trace_plot *plot, double at_s, int series, double value)
{
    if (series < 0)
        return;
    struct series *one = &plot->series[series];
    if (one->count == 0 || value < one->least)
        one->least = value;
    if (one->count == 0 || value > one->greatest)
        one->greatest = value;
    one->count++;
    (void)fprintf(plot->plot.data, "%.9f %d %.12g\n", at_s, series, value);
}

static void take_value(struct trace_plot *plot, const struct trace *trace, const struct ys_seen *seen, double at_s)
{
    const struct ys_glossary *glossary = &trace->source.glossary;
    struct ys_message message;
    double number;
    const char *unit = "";
    if (!ys_message_of(seen, YS_TRACE_VALUES, glossary, &message) || message.landmark ||
        !glossary->number(glossary->context, message.meaning.field, message.value, message.value_length, &number,
                          &unit))
        return;
    put(plot, at_s, series_of(plot, message.meaning.name != NULL ? message.meaning.name : "?", unit), number);
}

static void take_strength(struct trace_plot *plot, const struct trace *trace, const struct ys_seen *seen, double at_s)
{
    struct ys_message message;
    if (seen->record->kind != YS_RECORD_AIR || (seen->record->known & YS_AIR_STRENGTH) == 0 ||
        !ys_message_of(seen, YS_TRACE_AIR, &trace->source.glossary, &message))
        return;
    put(plot, at_s, series_of(plot, message.from[0] != '\0' ? message.from : "unknown", "dBm"),
        seen->record->air.strength_dbm);
}

static void end_event(struct trace_plot *plot)
{
    if (plot->event_link != 0)
        put(plot, plot->event_at_s, TRACK_DATA, (double)plot->event_bytes);
    plot->event_link = 0;
    plot->event_bytes = 0;
}

static void take_packet(struct trace_plot *plot, const struct ys_seen *seen, double at_s)
{
    const struct ys_air_packet *air = &seen->record->air;
    bool packet = seen->kind == YS_SEEN_LINK;
    if (seen->record->kind != YS_RECORD_AIR || (seen->record->known & YS_AIR_CHANNEL) == 0)
        return;
    enum track track = seen->kind == YS_SEEN_NOTHING || !seen->good                      ? TRACK_DAMAGED
                       : packet && seen->packet.repeated && seen->packet.data.length > 0 ? TRACK_AGAIN
                       : packet ? (seen->packet.side == 0 ? TRACK_CENTRAL : TRACK_PERIPHERAL)
                                : TRACK_ADVERTISING;
    put(plot, at_s, track, air->channel);
    if (!packet)
        return;
    if (seen->packet.new_event || plot->event_link != air->access_address) {
        end_event(plot);
        plot->event_link = air->access_address;
        plot->event_at_s = at_s;
    }
    plot->event_bytes += seen->packet.repeated ? 0 : seen->packet.data.length;
}

void trace_plot_take(struct trace_plot *plot, const struct trace *trace, const struct ys_seen *seen)
{
    double at_s = ((double)seen->record->at_ns - (double)trace->origin_ns) / 1e9;
    if (!plot->open)
        return;
    if (plot->drawn == DRAW_VALUES) {
        take_value(plot, trace, seen, at_s);
    } else if (plot->drawn == DRAW_STRENGTH) {
        take_strength(plot, trace, seen, at_s);
    } else {
        if (plot->count == 0) {
            static const char *const tracks[TRACKS] = {"advertising", "central", "peripheral",
                                                       "sent again",  "damaged", "data"};
            for (int i = 0; i < TRACKS; i++)
                (void)series_of(plot, tracks[i], "");
        }
        take_packet(plot, seen, at_s);
    }
}

/* drawing */

static const char *const colours[] = {"#2a6f97", "#c1442e", "#4f7f3a", "#8a5a9e", "#b8860b", "#3b3b3b",
                                      "#d1779b", "#66a5ad", "#7a5230", "#5c6bc0", "#9e9d24", "#00838f"};

static void style(FILE *script, int panels)
{
    (void)fprintf(
        script,
        "set multiplot layout %d,1 margins 0.08,0.97,0.10,0.93 spacing 0.13\nset border 3\n"
        "set tics nomirror out\nset grid ytics lc rgb \"#d8d8d8\"\nset key at graph 1,graph 1.13 right top horizontal\n"
        "set offsets graph 0.01, graph 0.01, graph 0.06, graph 0.06\n",
        panels);
}

static void put_series(FILE *script, const struct series *series, size_t index, bool first, const char *with)
{
    (void)fprintf(script, "%s data using 1:($2==%zu?$3:NaN) with %s lc rgb \"%s\" title ", first ? "plot" : ",\\\n  ",
                  index, with, colours[index % (sizeof colours / sizeof colours[0])]);
    plot_put_text(script, series->name);
    (void)fputs(" noenhanced", script);
}

/* The range of a panel: with some room above and below, also if there is one value only. */
static void put_range(FILE *script, const struct trace_plot *plot, const char *unit)
{
    double least = 0;
    double greatest = 0;
    bool any = false;
    for (size_t i = 0; i < plot->count; i++) {
        const struct series *one = &plot->series[i];
        if (strcmp(one->unit, unit) != 0 || one->count == 0)
            continue;
        least = !any || one->least < least ? one->least : least;
        greatest = !any || one->greatest > greatest ? one->greatest : greatest;
        any = true;
    }
    double room = greatest > least ? (greatest - least) / 15 : 1;
    (void)fprintf(script, "set yrange [%.12g:%.12g]\n", least - room, greatest + room);
}

/* A panel for each unit. */
static void draw_panels(struct trace_plot *plot, const char *label, const char *with)
{
    const char *units[PANELS_MOST] = {NULL};
    int panels = 0;
    FILE *script = plot->plot.script;
    for (size_t i = 0; i < plot->count; i++) {
        int known = 0;
        while (known < panels && strcmp(units[known], plot->series[i].unit) != 0)
            known++;
        if (known == panels && panels < PANELS_MOST)
            units[panels++] = plot->series[i].unit;
        plot->crowded = plot->crowded || known == PANELS_MOST;
    }
    style(script, panels);
    if (panels > 2)
        (void)fputs("set tics font \",10\"\n", script);
    for (int panel = 0; panel < panels; panel++) {
        bool first = true;
        (void)fprintf(script, "set xlabel \"%s\"\nset ylabel ", panel + 1 == panels ? "time, s" : "");
        plot_put_text(script, units[panel][0] != '\0' ? units[panel] : label);
        (void)fputs(" noenhanced\n", script);
        put_range(script, plot, units[panel]);
        for (size_t i = 0; i < plot->count; i++) {
            if (strcmp(plot->series[i].unit, units[panel]) != 0)
                continue;
            put_series(script, &plot->series[i], i, first, with);
            first = false;
        }
        (void)fputc('\n', script);
    }
}

static void draw_connection(struct trace_plot *plot)
{
    static const char *const tracks[TRACK_DATA] = {"points pt 7 ps 0.4", "points pt 7 ps 0.6", "points pt 7 ps 0.6",
                                                   "points pt 9 ps 1.2", "points pt 2 ps 1.0"};
    static const char *const track_colours[TRACK_DATA] = {"#9a9a9a", "#2a6f97", "#4f7f3a", "#c1442e", "#8a5a9e"};
    static const double track_shift[TRACK_DATA] = {0, 0.3, -0.3, 0.3, 0}; /* so that both sides of an event are seen */
    FILE *script = plot->plot.script;
    style(script, 2);
    /* the times are asked for before there is a range of channels, which they would be cut by */
    (void)fputs("set autoscale\nstats data using 1 nooutput name \"T\"\n"
                "set ylabel \"channel\"\nset yrange [-1:40]\nset ytics (0,4,8,12,16,20,24,28,32,36,39)\n"
                "set xlabel \"\"\nset xrange [T_min:T_max > T_min ? T_max : T_min + 1]\n",
                script);
    bool first = true;
    for (int i = 0; i < TRACK_DATA; i++) {
        if (plot->series[i].count == 0)
            continue;
        (void)fprintf(script, "%s data using 1:($2==%d?$3%+.1f:NaN) with %s lc rgb \"%s\" title ",
                      first ? "plot" : ",\\\n  ", i, track_shift[i], tracks[i], track_colours[i]);
        plot_put_text(script, plot->series[i].name);
        first = false;
    }
    (void)fputs("\nset ylabel \"bytes in a connection event\"\nset yrange [0:*]\nset ytics auto\n"
                "set xlabel \"time, s\"\nunset key\n"
                "plot data using 1:($2==5?$3:NaN) with impulses lc rgb \"#2a6f97\"\n",
                script);
}

bool trace_plot_end(struct trace_plot *plot, const struct trace *trace)
{
    if (!plot->open)
        return false;
    end_event(plot);
    uint64_t count = 0;
    for (size_t i = 0; i < plot->count; i++)
        count += plot->series[i].count;
    if (count == 0)
        (void)fputs("set title \"nothing of that kind was seen\"\nplot [0:1][0:1] NaN notitle\n", plot->plot.script);
    else if (plot->drawn == DRAW_CONNECTION)
        draw_connection(plot);
    else
        draw_panels(plot, plot->drawn == DRAW_VALUES ? "value" : "dBm",
                    plot->drawn == DRAW_VALUES ? "points pt 7 ps 0.5" : "points pt 7 ps 0.4");
    if (plot->crowded)
        (void)complain("yarnswift trace", "not all fits into %s: filter what is drawn", trace->plot_path);
    return plot_end(&plot->plot);
}
