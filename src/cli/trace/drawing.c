/* The pictures of a trace: panels of values, and how a connection went. */
#include "cli/trace/series.h"

#include <math.h>
#include <string.h>

#include "capture/say/text.h"

#define PANELS_MOST 4
#define FILES_NAMED 3    /* in a title */
#define WHOLE_TICKS 8    /* whole numbers over so short a range have a tick each */
#define DENSE       3000 /* packets; more would be a carpet */
#define FEW         400  /* points, which are drawn larger */
#define BINS        150  /* stretches of time in which they are counted then */

static const char *const colours[] = {"#2a6f97", "#c1442e", "#4f7f3a", "#8a5a9e", "#b8860b", "#3b3b3b",
                                      "#d1779b", "#66a5ad", "#7a5230", "#5c6bc0", "#9e9d24", "#00838f"};

/* What is drawn of which captures, with whose definitions. */
static void put_title(FILE *script, const struct trace *trace, const char *what)
{
    char title[900];
    struct ys_text text = ys_text_in(title, sizeof title);
    ys_text_add(&text, "%s", what);
    for (int i = 0; i < trace->common.files.count && i < FILES_NAMED; i++)
        ys_text_add(&text, "%s%s", i == 0 ? "; " : ", ", plot_base_of(trace->common.files.paths[i]));
    for (size_t i = 0; i < trace->source.definition_count && i < FILES_NAMED; i++)
        ys_text_add(&text, "%s%s", i == 0 ? ", with " : ", ", plot_base_of(trace->source.definition_paths[i]));
    (void)fputs("title = ", script);
    plot_put_text(script, title);
    (void)fputs("\n", script);
}

static void style(FILE *script, int panels)
{
    (void)fprintf(
        script,
        "set multiplot layout %d,1 title title noenhanced font \",11\" margins 0.10,0.97,0.10,0.87 spacing 0.13\nset "
        "border 3\n"
        "set tics nomirror out\nset grid ytics lc rgb \"#d8d8d8\"\nset key at graph 1,graph %g right top horizontal\n"
        "set offsets graph 0.01, graph 0.01, graph 0.06, graph 0.06\n",
        panels, panels == 1 ? 1.06 : 1.13);
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
    bool fractions = false;
    for (size_t i = 0; i < plot->count; i++) {
        const struct series *one = &plot->series[i];
        if (strcmp(one->unit, unit) != 0 || one->count == 0)
            continue;
        fractions = fractions || one->fractions;
        least = !any || one->least < least ? one->least : least;
        greatest = !any || one->greatest > greatest ? one->greatest : greatest;
        any = true;
    }
    double room = greatest > least ? (greatest - least) / 15 : 1;
    (void)fprintf(script, "set yrange [%.12g:%.12g]\n", least - room, greatest + room);
    (void)fputs(!fractions && greatest - least < WHOLE_TICKS ? "set ytics 1\n" : "set ytics auto\n", script);
}

/* The label of a panel: the name of its series, if it has only one, and the unit. */
static void put_label(FILE *script, const struct trace_plot *plot, const char *unit, const char *label)
{
    char text[200];
    const struct series *only = NULL;
    size_t count = 0;
    for (size_t i = 0; i < plot->count; i++) {
        if (strcmp(plot->series[i].unit, unit) == 0 && plot->series[i].count > 0) {
            only = &plot->series[i];
            count++;
        }
    }
    if (count == 1)
        (void)snprintf(text, sizeof text, "%s%s%s", only->name, unit[0] != '\0' ? ", " : "", unit);
    else
        (void)snprintf(text, sizeof text, "%s", unit[0] != '\0' ? unit : label);
    plot_put_text(script, text);
}

/* A panel for each unit. */
static void draw_panels(struct trace_plot *plot, const char *label, const char *with)
{
    const char *units[PANELS_MOST] = {NULL};
    int panels = 0;
    FILE *script = plot->plot.script;
    for (size_t i = 0; i < plot->count; i++) {
        int known = 0;
        if (plot->series[i].count == 0)
            continue;
        while (known < panels && strcmp(units[known], plot->series[i].unit) != 0)
            known++;
        if (known == panels && panels < PANELS_MOST)
            units[panels++] = plot->series[i].unit;
        plot->crowded = plot->crowded || known == PANELS_MOST;
    }
    style(script, panels);
    double room_s = plot->last_s > plot->first_s ? (plot->last_s - plot->first_s) / 50 : 1;
    (void)fprintf(script, "set xrange [%.9g:%.9g]\n", plot->first_s - room_s, plot->last_s + room_s);
    if (panels > 2)
        (void)fputs("set tics font \",10\"\n", script);
    for (int panel = 0; panel < panels; panel++) {
        bool first = true;
        (void)fprintf(script, "set xlabel \"%s\"\nset ylabel ", panel + 1 == panels ? "time, s" : "");
        put_label(script, plot, units[panel], label);
        (void)fputs(" noenhanced\n", script);
        put_range(script, plot, units[panel]);
        for (size_t i = 0; i < plot->count; i++) {
            if (strcmp(plot->series[i].unit, units[panel]) != 0 || plot->series[i].count == 0)
                continue;
            put_series(script, &plot->series[i], i, first, with);
            first = false;
        }
        (void)fputc('\n', script);
    }
}

/* A width of 1, 2 or 5 times a power of ten, of which about BINS cover the time. */
static double bin_of(const struct trace_plot *plot)
{
    double wanted = (plot->last_s - plot->first_s) / BINS;
    double power = pow(10, floor(log10(wanted)));
    double factor = wanted / power;
    return power * (factor <= 1 ? 1 : factor <= 2 ? 2 : factor <= 5 ? 5 : 10);
}

/* Of many packets, how many there were in each stretch of time. */
static void draw_counts(struct trace_plot *plot)
{
    static const char *const track_colours[TRACK_DATA] = {"#9a9a9a", "#8fb8d0", "#4f7f3a", "#c1442e", "#8a5a9e"};
    static const double widths[TRACK_DATA] = {1.5, 5, 1.5, 1.5, 1.5}; /* both sides often send as many */
    FILE *script = plot->plot.script;
    double bin = bin_of(plot);
    bool first = true;
    style(script, 2);
    (void)fprintf(script,
                  "set autoscale\nset xrange [%.9g:%.9g]\nset yrange [0:*]\nset ylabel \"packets in %g s\"\n"
                  "bin(t) = floor(t / %.9g) * %.9g + %.9g\n",
                  plot->first_s, plot->last_s, bin, bin, bin, bin / 2);
    for (int i = 0; i < TRACK_DATA; i++) {
        if (plot->series[i].count == 0)
            continue;
        (void)fprintf(script,
                      "%s data using (bin($1)):($2==%d) smooth frequency with histeps lw %g lc rgb \"%s\" title ",
                      first ? "plot" : ",\\\n  ", i, widths[i], track_colours[i]);
        plot_put_text(script, plot->series[i].name);
        first = false;
    }
    (void)fprintf(script,
                  "\nset ylabel \"bytes in %g s\"\nset xlabel \"time, s\"\nunset key\n"
                  "plot data using (bin($1)):($2==%d?$3:0) smooth frequency with histeps lw 1.5 lc rgb \"#2a6f97\"\n",
                  bin, TRACK_DATA);
}

static bool is_dense(const struct trace_plot *plot)
{
    uint64_t count = 0;
    for (int i = 0; i < TRACK_DATA; i++)
        count += plot->series[i].count;
    return count > DENSE && plot->last_s > plot->first_s;
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

void trace_draw(struct trace_plot *plot, const struct trace *trace, uint64_t count)
{
    put_title(plot->plot.script, trace,
              plot->drawn == DRAW_VALUES     ? "values"
              : plot->drawn == DRAW_STRENGTH ? "strength"
              : plot->about[0] != '\0'       ? plot->about
                                             : "packets");
    if (count == 0)
        (void)fputs("set title \"nothing of that kind was seen\"\nplot [0:1][0:1] NaN notitle\n", plot->plot.script);
    else if (plot->drawn == DRAW_CONNECTION && is_dense(plot))
        draw_counts(plot);
    else if (plot->drawn == DRAW_CONNECTION)
        draw_connection(plot);
    else
        draw_panels(plot, plot->drawn == DRAW_VALUES ? "value" : "dBm",
                    count > FEW ? "points pt 7 ps 0.4" : "points pt 7 ps 0.8");
}
