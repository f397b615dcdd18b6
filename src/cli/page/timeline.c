/* What was on the air, for a page. */
#include "cli/page/timeline.h"

#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "capture/say/message.h"
#include "cli/page/page.h"
#include "wire/hex.h"

#define FIRST_KEPT    2000 /* packets at the beginning, and */
#define LAST_KEPT     4000 /* at the end */
#define SERIES_MOST   24
#define POINTS_MOST   2048 /* of a series; where there are more, only the extremes of each stretch are kept */
#define WORDS_MOST    1000 /* values that are words */
#define STRETCHES     1024
#define WORDS_SIZE    260
#define BYTES_SHOWN   64
#define FIRST_STRETCH UINT64_C(1000000) /* in ns */

struct point {
    double at_s;
    double value;
};

struct series {
    char *name;
    char *unit;
    size_t count;
    size_t each; /* so many values have become one stretch of two points */
    size_t in_stretch;
    uint64_t values;
    struct point points[POINTS_MOST];
};

struct timeline {
    struct ys_glossary glossary;
    bool has_origin;
    bool of_hci; /* nothing was on the air so far */
    uint64_t origin_ns;
    uint64_t last_ns;
    uint64_t packets; /* all */
    uint64_t telling; /* of these in words */
    uint64_t worded;  /* values that are words */
    json_t *first;
    json_t *last[LAST_KEPT];
    json_t *words;
    struct series *series[SERIES_MOST];
    size_t series_count;
    uint64_t lost_series; /* values of series that have no room */
    uint64_t stretch_ns;
    uint32_t busy[STRETCHES]; /* packets in each stretch */
    char *advertised[16];     /* what was last said by advertisers, which say it again and again */
    size_t next_advertised;
};

struct timeline *timeline_new(const struct ys_glossary *glossary)
{
    struct timeline *timeline = calloc(1, sizeof *timeline);
    if (timeline == NULL)
        return NULL;
    timeline->glossary = *glossary;
    timeline->of_hci = true;
    timeline->stretch_ns = FIRST_STRETCH;
    timeline->first = json_array();
    timeline->words = json_array();
    return timeline;
}

/* Nothing was taken so far. */
static void clear(struct timeline *timeline)
{
    (void)json_array_clear(timeline->first);
    (void)json_array_clear(timeline->words);
    for (size_t i = 0; i < LAST_KEPT; i++) {
        json_decref(timeline->last[i]);
        timeline->last[i] = NULL;
    }
    for (size_t i = 0; i < timeline->series_count; i++) {
        free(timeline->series[i]->name);
        free(timeline->series[i]->unit);
        free(timeline->series[i]);
    }
    timeline->series_count = 0;
    timeline->packets = 0;
    timeline->telling = 0;
    timeline->worded = 0;
    timeline->lost_series = 0;
    memset(timeline->busy, 0, sizeof timeline->busy);
}

void timeline_free(struct timeline *timeline)
{
    if (timeline == NULL)
        return;
    clear(timeline);
    json_decref(timeline->first);
    json_decref(timeline->words);
    for (size_t i = 0; i < sizeof timeline->advertised / sizeof timeline->advertised[0]; i++)
        free(timeline->advertised[i]);
    free(timeline);
}

static double seconds(uint64_t at_ns, uint64_t origin_ns)
{
    return ((double)at_ns - (double)origin_ns) / 1e9;
}

/* packets */

/* What was said, if anything was, tells more than how. */
static bool message_of(const struct ys_seen *seen, const struct ys_glossary *glossary, struct ys_message *message)
{
    bool air = seen->record->kind == YS_RECORD_AIR;
    if (seen->said != NULL && seen->said->upper != YS_UPPER_NONE &&
        ys_message_of(seen, YS_TRACE_ATTRIBUTES, glossary, message))
        return true;
    return ys_message_of(seen, air ? YS_TRACE_AIR : YS_TRACE_HCI, glossary, message);
}

/* Who sent it: 1 a peripheral or an advertiser, 0 a central or scanner. */
static int side_of(const struct ys_message *message)
{
    const struct ys_seen *seen = message->seen;
    if (seen->kind == YS_SEEN_LINK)
        return seen->packet.side;
    if (seen->kind == YS_SEEN_HCI)
        return seen->record->to_host;
    return strstr(message->kind, "REQ") == NULL && strstr(message->kind, "CONNECT") == NULL;
}

static json_t *packet_json(const struct ys_message *message, const char *words, uint64_t origin_ns)
{
    const struct ys_record *record = message->seen->record;
    bool air = record->kind == YS_RECORD_AIR;
    const uint8_t *bytes = air ? record->air.pdu : record->bytes;
    size_t length = air ? record->air.length : record->length;
    char hex[2 * BYTES_SHOWN + 1];
    (void)ys_hex_format(bytes, length < BYTES_SHOWN ? length : BYTES_SHOWN, "", hex, sizeof hex);
    return json_pack("[f, I, o, o, i, o, s, I, b, i]", seconds(record->at_ns, origin_ns), (json_int_t)record->number,
                     page_text(message->from), page_text(message->to),
                     air && (record->known & YS_AIR_CHANNEL) != 0 ? record->air.channel : -1, page_text(words), hex,
                     (json_int_t)length, message->is_error, side_of(message));
}

json_t *timeline_packet(const struct ys_seen *seen, const struct ys_glossary *glossary, uint64_t origin_ns)
{
    char text[WORDS_SIZE];
    struct ys_text words = ys_text_in(text, sizeof text);
    struct ys_message message;
    if (!message_of(seen, glossary, &message))
        return NULL;
    ys_message_say(&message, glossary, &words);
    return packet_json(&message, text, origin_ns);
}

/* Whether an advertiser has said it before. */
static bool is_repeated(struct timeline *timeline, const char *from, const char *words)
{
    char text[WORDS_SIZE + 60];
    size_t most = sizeof timeline->advertised / sizeof timeline->advertised[0];
    (void)snprintf(text, sizeof text, "%s\n%s", from, words);
    for (size_t i = 0; i < most; i++) {
        if (timeline->advertised[i] != NULL && strcmp(timeline->advertised[i], text) == 0)
            return true;
    }
    char **place = &timeline->advertised[timeline->next_advertised++ % most];
    free(*place);
    *place = strdup(text);
    return false;
}

static void keep_packet(struct timeline *timeline, const struct ys_seen *seen)
{
    char text[WORDS_SIZE];
    struct ys_text words = ys_text_in(text, sizeof text);
    struct ys_message message;
    bool link = seen->kind == YS_SEEN_LINK;
    bool empty = link && seen->good && seen->packet.data.length == 0;
    if (empty || !message_of(seen, &timeline->glossary, &message))
        return;
    ys_message_say(&message, &timeline->glossary, &words);
    if (!link && seen->kind != YS_SEEN_HCI && seen->good && is_repeated(timeline, message.from, text))
        return;
    uint64_t number = timeline->telling++;
    json_t *packet = packet_json(&message, text, timeline->origin_ns);
    if (number < FIRST_KEPT) {
        (void)json_array_append_new(timeline->first, packet);
        return;
    }
    json_t **place = &timeline->last[number % LAST_KEPT];
    json_decref(*place);
    *place = packet;
}

/* values */

static struct series *series_of(struct timeline *timeline, const char *name, const char *unit)
{
    for (size_t i = 0; i < timeline->series_count; i++) {
        struct series *series = timeline->series[i];
        if (strcmp(series->name, name) == 0 && strcmp(series->unit, unit) == 0)
            return series;
    }
    struct series *series = timeline->series_count < SERIES_MOST ? calloc(1, sizeof *series) : NULL;
    if (series == NULL)
        return NULL;
    series->name = strdup(name);
    series->unit = strdup(unit);
    series->each = 1;
    if (series->name == NULL || series->unit == NULL)
        abort();
    timeline->series[timeline->series_count++] = series;
    return series;
}

/* Of each four points, which are two stretches, the two extremes stay, in the order of time. */
static void thin_out(struct series *series)
{
    size_t count = 0;
    for (size_t i = 0; i + 3 < series->count; i += 4) {
        const struct point *points = &series->points[i];
        size_t least = 0;
        size_t greatest = 0;
        for (size_t j = 1; j < 4; j++) {
            least = points[j].value < points[least].value ? j : least;
            greatest = points[j].value > points[greatest].value ? j : greatest;
        }
        if (least == greatest) /* all the same */
            greatest = 3;
        const struct point before = points[least < greatest ? least : greatest];
        const struct point after = points[least < greatest ? greatest : least];
        series->points[count++] = before;
        series->points[count++] = after;
    }
    series->count = count;
    series->each = series->each == 1 ? 4 : 2 * series->each;
    series->in_stretch = 0;
}

static void put_point(struct series *series, double at_s, double value)
{
    const struct point point = {.at_s = at_s, .value = value};
    series->values++;
    if (series->each > 1 && series->in_stretch > 0 && series->in_stretch < series->each) { /* widens the last stretch */
        struct point *low = &series->points[series->count - 2];
        struct point *high = &series->points[series->count - 1];
        double least = low->value < high->value ? low->value : high->value;
        double greatest = low->value < high->value ? high->value : low->value;
        series->in_stretch++;
        if (value < least) {
            *low = (struct point){.at_s = low->at_s, .value = greatest};
            *high = point;
        } else if (value > greatest) {
            *low = (struct point){.at_s = low->at_s, .value = least};
            *high = point;
        }
        return;
    }
    if (series->count + (series->each > 1 ? 2 : 1) > POINTS_MOST)
        thin_out(series);
    series->points[series->count++] = point;
    if (series->each > 1)
        series->points[series->count++] = point;
    series->in_stretch = 1;
}

static void keep_value(struct timeline *timeline, const struct ys_seen *seen)
{
    const struct ys_glossary *glossary = &timeline->glossary;
    struct ys_message message;
    double number;
    const char *unit = "";
    char name[160];
    if (!ys_message_of(seen, YS_TRACE_VALUES, glossary, &message) || message.landmark || message.meaning.name == NULL)
        return;
    (void)snprintf(name, sizeof name, "%.*s: %s", YS_PARTY_NAME,
                   seen->said->server != NULL ? seen->said->server->name : "unknown", message.meaning.name);
    double at_s = seconds(seen->record->at_ns, timeline->origin_ns);
    if (glossary->number != NULL &&
        glossary->number(glossary->context, message.meaning.field, message.value, message.value_length, &number,
                         &unit) &&
        isfinite(number)) {
        struct series *series = series_of(timeline, name, unit);
        if (series != NULL)
            put_point(series, at_s, number);
        else
            timeline->lost_series++;
        return;
    }
    if (timeline->worded++ >= WORDS_MOST)
        return;
    char words[WORDS_SIZE];
    words[0] = '\0';
    if (glossary->value != NULL)
        glossary->value(glossary->context, message.meaning.field, message.value, message.value_length, words,
                        sizeof words);
    (void)json_array_append_new(timeline->words, json_pack("[f, o, o]", at_s, page_text(name), page_text(words)));
}

/* all */

static void count_packet(struct timeline *timeline, uint64_t at_ns)
{
    uint64_t since_ns = at_ns > timeline->origin_ns ? at_ns - timeline->origin_ns : 0;
    while (since_ns / timeline->stretch_ns >= STRETCHES) {
        for (size_t i = 0; i < STRETCHES / 2; i++)
            timeline->busy[i] = timeline->busy[2 * i] + timeline->busy[2 * i + 1];
        memset(&timeline->busy[STRETCHES / 2], 0, sizeof timeline->busy / 2);
        timeline->stretch_ns *= 2;
    }
    timeline->busy[since_ns / timeline->stretch_ns]++;
    timeline->packets++;
}

void timeline_take(void *context, const struct ys_seen *seen)
{
    struct timeline *timeline = context;
    const struct ys_record *record = seen->record;
    bool air = record->kind == YS_RECORD_AIR;
    if (!timeline->has_origin) {
        timeline->has_origin = true;
        timeline->origin_ns = record->at_ns < YS_SIMULATED_NS ? 0 : record->at_ns;
    }
    if (air && timeline->of_hci) { /* what crossed HCI before is on the air, too */
        clear(timeline);
        timeline->of_hci = false;
    }
    if (air == timeline->of_hci)
        return;
    timeline->last_ns = record->at_ns;
    count_packet(timeline, record->at_ns);
    keep_packet(timeline, seen);
    if (seen->said != NULL)
        keep_value(timeline, seen);
}

static json_t *series_json(const struct series *series)
{
    json_t *points = json_array();
    for (size_t i = 0; i < series->count; i++)
        (void)json_array_append_new(points, json_pack("[f, f]", series->points[i].at_s, series->points[i].value));
    return json_pack("{s:o, s:o, s:I, s:b, s:o}", "name", page_text(series->name), "unit", page_text(series->unit),
                     "values", (json_int_t)series->values, "thinned", series->each > 1, "points", points);
}

json_t *timeline_json(const struct timeline *timeline)
{
    json_t *packets = json_copy(timeline->first);
    json_t *series = json_array();
    json_t *busy = json_array();
    uint64_t kept = timeline->telling > FIRST_KEPT ? timeline->telling - FIRST_KEPT : 0;
    uint64_t last = kept < LAST_KEPT ? kept : LAST_KEPT;
    uint64_t end_ns = timeline->last_ns > timeline->origin_ns ? timeline->last_ns - timeline->origin_ns : 0;
    for (uint64_t i = timeline->telling - last; i < timeline->telling; i++)
        (void)json_array_append(packets, timeline->last[i % LAST_KEPT]);
    for (size_t i = 0; i < timeline->series_count; i++)
        (void)json_array_append_new(series, series_json(timeline->series[i]));
    for (uint64_t i = 0; i * timeline->stretch_ns <= end_ns; i++)
        (void)json_array_append_new(busy, json_integer(timeline->busy[i]));
    return json_pack("{s:f, s:b, s:I, s:I, s:I, s:I, s:o, s:o, s:o, s:I, s:I, s:f, s:o}", "end_s", (double)end_ns / 1e9,
                     "hci", timeline->of_hci, "packets_all", (json_int_t)timeline->packets, "packets_telling",
                     (json_int_t)timeline->telling, "packets_left_out", (json_int_t)(kept - last), "packets_last",
                     (json_int_t)last, "packets", packets, "series", series, "words", json_copy(timeline->words),
                     "words_all", (json_int_t)timeline->worded, "values_left_out", (json_int_t)timeline->lost_series,
                     "stretch_s", (double)timeline->stretch_ns / 1e9, "busy", busy);
}
