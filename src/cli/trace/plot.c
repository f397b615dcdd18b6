/* Pictures of a trace: values over time, strength over time, and a connection. The data are written as they arrive:
 * time, number of the series, value. */
#include "cli/trace/plot.h"

#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "capture/say/text.h"
#include "cli/shared/parameters.h"
#include "cli/shared/plot.h"
#include "cli/shared/say.h"
#include "cli/shared/words.h"
#include "cli/trace/series.h"
#include "wire/hci_extended.h"
#include "wire/hci_link.h"

#define UNKNOWN_DBM 127 /* a strength that was not measured (Vol 4 Part E 7.7.65.2) */

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
    plot->open = plot_begin(&plot->plot, "yarnswift trace", trace->plot_path, trace->common.replaces);
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
    (void)snprintf(name, sizeof name, "%.*s, heard by %.*s", YS_PARTY_NAME, whose, YS_PARTY_NAME,
                   seen->interface->name);
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
    const struct ys_hci_seen *crossed = &seen->crossed;
    struct ys_reader reader = crossed->parameters;
    if (crossed->type != YS_HCI_EVENT || crossed->status != YS_HCI_OK)
        return;
    if (crossed->event == YS_HCI_COMMAND_COMPLETE && crossed->opcode == YS_HCI_READ_RSSI) {
        uint16_t handle = ys_get_u16(&reader) & 0x0fff;
        int8_t strength_dbm = ys_get_i8(&reader);
        for (size_t i = 0; i < YS_HCI_LINKS && ys_reader_ok(&reader); i++) {
            const struct ys_hci_interface_link *link = &seen->interface->links[i];
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
    if (seen->kind == YS_SEEN_HCI && seen->good)
        take_received(plot, trace, seen, at_s);
    if (seen->record->kind != YS_RECORD_AIR || (seen->record->known & YS_AIR_STRENGTH) == 0 ||
        !ys_message_of(seen, YS_TRACE_AIR, &trace->source.glossary, &message))
        return;
    (void)snprintf(name, sizeof name, "%s, received by the recorder",
                   message.from[0] != '\0' ? message.from : "unknown");
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
    if (link->begun)
        ys_text_add(&about, ", latency %u", link->latency);
    ys_text_add(&about, ", %s", phy_words[link->phys[0]]);
    if (link->phys[1] != link->phys[0])
        ys_text_add(&about, " and %s", phy_words[link->phys[1]]);
    ys_text_add(&about, ", packets of up to %u bytes, MTU %s%u",
                link->longest[0] > link->longest[1] ? link->longest[0] : link->longest[1],
                link->dialogue.mtu_is_sure ? "" : "at least ", ys_dialogue_mtu(&link->dialogue));
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
        describe(plot, seen->link);
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
    trace_draw(plot, trace, count);
    if (plot->crowded)
        (void)complain("yarnswift trace", "too much for %s: use a filter", trace->plot_path);
    return plot_end(&plot->plot);
}
