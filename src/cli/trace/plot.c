/* Pictures of a trace: values over time, strength over time, and how a connection went. The data are written as they
 * come: time, number of the series, and what is drawn. */
#include "cli/trace/plot.h"

#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "capture/say/text.h"
#include "cli/shared/parameters.h"
#include "cli/shared/plot.h"
#include "cli/shared/say.h"
#include "cli/shared/words.h"
#include "cli/trace/view.h"
#include "wire/hci_extended.h"
#include "wire/hci_link.h"

#define SERIES_MOST 12
#define PANELS_MOST 4
#define UNKNOWN_DBM 127  /* a strength that was not measured (Vol 4 Part E 7.7.65.2) */
#define FILES_NAMED 3    /* in a title */
#define WHOLE_TICKS 8    /* whole numbers over so short a range have a tick each */
#define DENSE       3000 /* packets; more would be a carpet */
#define FEW         400  /* points, which are drawn larger */
#define BINS        150  /* stretches of time in which they are counted then */

enum drawn { DRAW_VALUES, DRAW_STRENGTH, DRAW_CONNECTION };

/* The series of a connection's picture. */
enum track { TRACK_ADVERTISING, TRACK_CENTRAL, TRACK_PERIPHERAL, TRACK_AGAIN, TRACK_DAMAGED, TRACK_DATA, TRACKS };

struct series {
    char name[120];
    char unit[32];
    uint64_t count;
    double least;
    double greatest;
    bool fractions;     /* not all of its values are whole numbers */
    bool by_a_receiver; /* a strength, as somebody who takes part has heard it */
};

struct trace_plot {
    struct plot plot;
    enum drawn drawn;
    struct series series[SERIES_MOST];
    size_t count;
    bool crowded; /* there were more */
    bool open;
    bool any;
    double first_s;
    double last_s;
    /* of a connection: what its current event has carried so far */
    uint64_t event_link;
    uint64_t event_number;
    double event_at_s;
    uint64_t event_bytes;
    uint64_t links;
    uint64_t last_link;
    char about[300]; /* the last connection, in words */
};

static const char *const words[] = {"values", "strength", "connection", NULL};

bool trace_plot_takes_packets(const struct trace_plot *plot)
{
    return plot->drawn != DRAW_VALUES;
}

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
    one->fractions = one->fractions || value != floor(value);
    plot->first_s = !plot->any || at_s < plot->first_s ? at_s : plot->first_s;
    plot->last_s = !plot->any || at_s > plot->last_s ? at_s : plot->last_s;
    plot->any = true;
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
    const char *name = message.meaning.name != NULL ? message.meaning.name : "a value that has no name";
    char whose[120];
    if (seen->said->server != NULL)
        (void)snprintf(whose, sizeof whose, "%.*s: %s", YS_PARTY_NAME, seen->said->server->name, name);
    else
        (void)snprintf(whose, sizeof whose, "%s", name);
    put(plot, at_s, series_of(plot, whose, unit), number);
}

/* As the host of a receiver was told. */
static void put_received(struct trace_plot *plot, const struct ys_seen *seen, const char *whose, double at_s,
                         int8_t strength_dbm)
{
    char name[120];
    if (strength_dbm == UNKNOWN_DBM)
        return;
    (void)snprintf(name, sizeof name, "%.*s, heard by %.*s", YS_PARTY_NAME, whose, YS_PARTY_NAME, seen->border->name);
    int series = series_of(plot, name, "dBm");
    if (series >= 0)
        plot->series[series].by_a_receiver = true;
    put(plot, at_s, series, strength_dbm);
}

static const char *name_of(const struct trace *trace, const struct ys_address *address)
{
    const struct ys_party *party = ys_party_of(ys_follower_parties(trace->follower), address);
    return party != NULL ? party->name : "somebody";
}

static void take_received(struct trace_plot *plot, const struct trace *trace, const struct ys_seen *seen, double at_s)
{
    const struct ys_border_seen *crossed = &seen->crossed;
    struct ys_reader reader = crossed->parameters;
    if (crossed->type != YS_HCI_EVENT || crossed->status != YS_HCI_OK)
        return;
    if (crossed->event == YS_HCI_COMMAND_COMPLETE && crossed->opcode == YS_HCI_READ_RSSI) {
        uint16_t handle = ys_get_u16(&reader) & 0x0fff;
        int8_t strength_dbm = ys_get_i8(&reader);
        for (size_t i = 0; i < YS_BORDER_LINKS && ys_reader_ok(&reader); i++) {
            const struct ys_border_link *link = &seen->border->links[i];
            if (link->used && link->handle == handle)
                put_received(plot, seen, link->peer != NULL ? link->peer->name : "its peer", at_s, strength_dbm);
        }
    }
    if (crossed->event != YS_HCI_LE_META)
        return;
    bool extended = crossed->subevent == YS_HCI_LE_EXTENDED_ADVERTISING_REPORT;
    uint8_t reports = extended || crossed->subevent == YS_HCI_LE_ADVERTISING_REPORT ? ys_get_u8(&reader) : 0;
    for (; reports > 0; reports--) {
        struct ys_hci_extended_report more = {.rssi_dbm = UNKNOWN_DBM};
        struct ys_hci_report report = {.rssi_dbm = UNKNOWN_DBM};
        if (extended)
            ys_get_hci_extended_report(&reader, &more);
        else
            ys_get_hci_report(&reader, &report);
        if (!ys_reader_ok(&reader))
            return;
        if (extended)
            put_received(plot, seen, name_of(trace, &more.address), at_s, more.rssi_dbm);
        else
            put_received(plot, seen, name_of(trace, &report.address), at_s, report.rssi_dbm);
    }
}

static void take_strength(struct trace_plot *plot, const struct trace *trace, const struct ys_seen *seen, double at_s)
{
    struct ys_message message;
    char name[120];
    if (seen->kind == YS_SEEN_BORDER && seen->good)
        take_received(plot, trace, seen, at_s);
    if (seen->record->kind != YS_RECORD_AIR || (seen->record->known & YS_AIR_STRENGTH) == 0 ||
        !ys_message_of(seen, YS_TRACE_AIR, &trace->source.glossary, &message))
        return;
    (void)snprintf(name, sizeof name, "%s, heard by who recorded", message.from[0] != '\0' ? message.from : "unknown");
    put(plot, at_s, series_of(plot, name, "dBm"), seen->record->air.strength_dbm);
}

static void end_event(struct trace_plot *plot)
{
    if (plot->event_link != 0)
        put(plot, plot->event_at_s, TRACK_DATA, (double)plot->event_bytes);
    plot->event_link = 0;
    plot->event_bytes = 0;
}

/* What was fixed of a connection, for who reads the picture later. */
static void describe(struct trace_plot *plot, const struct ys_air_link *link)
{
    struct ys_text about = ys_text_in(plot->about, sizeof plot->about);
    plot->links += link->number != plot->last_link;
    plot->last_link = link->number;
    ys_text_add(&about, "%s and %s", link->parties[0] != NULL ? link->parties[0]->name : "a central",
                link->parties[1] != NULL ? link->parties[1]->name : "a peripheral");
    if (plot->links > 1)
        ys_text_add(&about, ", the last of %llu connections", (unsigned long long)plot->links);
    if (link->interval_us > 0)
        ys_text_add(&about, ", interval %g ms", link->interval_us / 1e3);
    ys_text_add(&about, ", latency %u, %s", link->latency, phy_words[link->phys[0]]);
    if (link->phys[1] != link->phys[0])
        ys_text_add(&about, " and %s", phy_words[link->phys[1]]);
    ys_text_add(&about, ", packets of up to %u bytes, MTU %s%u",
                link->longest[0] > link->longest[1] ? link->longest[0] : link->longest[1],
                link->dialogue.mtu_is_sure ? "" : "at least ", link->dialogue.mtu);
    if (link->is_encrypted)
        ys_text_add(&about, ", encrypted");
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
    if (plot->event_link != seen->link->number || plot->event_number != seen->link->events) {
        end_event(plot);
        plot->event_link = seen->link->number;
        plot->event_number = seen->link->events;
        plot->event_at_s = at_s;
    }
    plot->event_bytes += seen->packet.repeated ? 0 : seen->packet.data.length;
    describe(plot, seen->link);
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

/* What the numbers of a panel are: the name of its series, if it has only one, and the unit. */
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

/* What a receiver has heard tells more than what the recorder has, who is elsewhere. */
static void leave_out_recorder(struct trace_plot *plot)
{
    bool any = false;
    for (size_t i = 0; i < plot->count; i++)
        any = any || plot->series[i].by_a_receiver;
    for (size_t i = 0; i < plot->count && any; i++)
        plot->series[i].count = plot->series[i].by_a_receiver ? plot->series[i].count : 0;
}

bool trace_plot_end(struct trace_plot *plot, const struct trace *trace)
{
    if (!plot->open)
        return false;
    end_event(plot);
    uint64_t count = 0;
    if (plot->drawn == DRAW_STRENGTH)
        leave_out_recorder(plot);
    for (size_t i = 0; i < plot->count; i++)
        count += plot->series[i].count;
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
    if (plot->crowded)
        (void)complain("yarnswift trace", "not all fits into %s: filter what is drawn", trace->plot_path);
    return plot_end(&plot->plot);
}
