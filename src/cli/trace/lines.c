/* Messages as lines. */
#include "cli/trace/lines.h"

#include <ctype.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include <jansson.h>

#include "capture/say/text.h"
#include "cli/shared/options.h"
#include "cli/trace/view.h"
#include "wire/hex.h"

#define LINE_MOST     3000
#define NAME_WIDTH    12
#define BOTH_BEFORE   22 /* columns before the two sides */
#define BOTH_INDENT   4  /* of the lines after the first */
#define COLUMNS_USUAL 160

static double seconds_of(const struct trace *trace, const struct ys_message *message)
{
    return ((double)message->seen->record->at_ns - (double)trace->origin_ns) / 1e9;
}

/* A name in a column, padded; a longer one moves the rest of its line. Addresses lose their colons. */
static void add_name(struct ys_text *line, const char *name)
{
    char digits[NAME_WIDTH + 1];
    int width = 0;
    if (strlen(name) == 17 && name[2] == ':' && name[14] == ':') {
        for (int i = 0; i < NAME_WIDTH; i++)
            digits[i] = name[i + i / 2];
        digits[NAME_WIDTH] = '\0';
        name = digits;
    }
    for (const char *end = name; *end != '\0'; end++)
        width += ((unsigned char)*end & 0xc0) != 0x80;
    ys_text_add(line, "%s%*s", name, width < NAME_WIDTH ? NAME_WIDTH - width : 0, "");
}

static void add_radio(struct ys_text *line, const struct ys_record *record)
{
    bool air = record->kind == YS_RECORD_AIR;
    if (air && (record->known & YS_AIR_STRENGTH) != 0)
        ys_text_add(line, "%4d ", record->air.strength_dbm);
    else
        ys_text_add(line, "     ");
    if (air && (record->known & YS_AIR_CHANNEL) != 0)
        ys_text_add(line, "%2u  ", record->air.channel);
    else
        ys_text_add(line, "    ");
}

static int columns_of(void)
{
    const char *columns = getenv("COLUMNS");
    struct winsize window;
    unsigned long long number;
    if (columns != NULL && parse_number(columns, &number) && number >= 80 && number <= 1000)
        return (int)number;
    if (ioctl(STDOUT_FILENO, TIOCGWINSZ, &window) == 0 && window.ws_col >= 80)
        return window.ws_col;
    return COLUMNS_USUAL;
}

void trace_head(const struct trace *trace)
{
    if (trace->view == VIEW_BOTH) {
        (void)printf("%s      time s  packet  %-*s | air%s\n", trace->colour ? "\033[2m" : "",
                     (columns_of() - BOTH_BEFORE - 3) / 2, "host and controller", trace->colour ? "\033[0m" : "");
        return;
    }
    (void)printf("%s      time s   since ms  packet  dBm ch  %-12s   %-12s layer%s\n", trace->colour ? "\033[2m" : "",
                 "from", "to", trace->colour ? "\033[0m" : "");
}

char *trace_line(const struct trace *trace, const struct ys_message *message, uint64_t since_ns)
{
    char text[LINE_MOST];
    struct ys_text line = ys_text_in(text, sizeof text);
    const struct ys_record *record = message->seen->record;
    const char *colour = !trace->colour ? "" : message->is_error ? "\033[31m" : message->landmark ? "\033[1m" : "";
    ys_text_add(&line, "%12.6f %10.3f %7llu ", seconds_of(trace, message), (double)since_ns / 1e6,
                (unsigned long long)record->number);
    add_radio(&line, record);
    add_name(&line, message->from);
    ys_text_add(&line, " > ");
    add_name(&line, message->to);
    ys_text_add(&line, " %s%-5s ", colour, message->protocol);
    ys_message_say(message, &trace->source.glossary, &line);
    if (colour[0] != '\0')
        ys_text_add(&line, "\033[0m");
    return strdup(text);
}

/* in two columns */

/* Where the next line of a text that is so many columns wide ends: after a word, if there is one. */
static const char *end_of_line(const char *words, int width)
{
    const char *end = words;
    const char *behind_word = NULL;
    for (int columns = 0; *end != '\0' && columns < width; columns++) {
        behind_word = *end == ' ' ? end : behind_word;
        end++;
        while (((unsigned char)*end & 0xc0) == 0x80)
            end++;
    }
    return *end == '\0' || *end == ' ' || behind_word == NULL ? end : behind_word;
}

static int columns_within(const char *words, const char *end)
{
    int columns = 0;
    for (; words < end; words++)
        columns += ((unsigned char)*words & 0xc0) != 0x80;
    return columns;
}

/* Adds words in a column, in as many lines as they take. */
static void add_wrapped(struct ys_text *line, const char *words, int width, bool is_right)
{
    const char *begin = words;
    while (*words != '\0') {
        bool is_first = words == begin;
        int indent = is_first ? 0 : BOTH_INDENT;
        const char *end = end_of_line(words, width - indent);
        int columns = columns_within(words, end) + indent;
        if (!is_first)
            ys_text_add(line, "\n%*s", BOTH_BEFORE, "");
        if (is_right)
            ys_text_add(line, "%*s | %*s%.*s", width, "", indent, "", (int)(end - words), words);
        else
            ys_text_add(line, "%*s%.*s%*s |", indent, "", (int)(end - words), words, width - columns, "");
        words = end;
        while (*words == ' ')
            words++;
    }
}

char *trace_line_both(const struct trace *trace, const struct ys_message *message)
{
    char text[LINE_MOST];
    char words[LINE_MOST];
    struct ys_text line = ys_text_in(text, sizeof text);
    struct ys_text side = ys_text_in(words, sizeof words);
    int width = (columns_of() - BOTH_BEFORE - 3) / 2;
    const struct ys_seen *seen = message->seen;
    struct ys_message said; /* what was said tells more than how */
    bool says = seen->said != NULL && seen->said->upper == YS_UPPER_ATT &&
                ys_message_of(seen, YS_TRACE_ATTRIBUTES, &trace->source.glossary, &said);
    const char *protocol = says ? said.protocol : message->protocol;
    if (message->layer == YS_TRACE_HCI)
        ys_text_add(&side, "%s %s: ", protocol, seen->record->to_host ? "controller to host" : "host to controller");
    else
        ys_text_add(&side, "%s ch %u: ", protocol, seen->record->air.channel);
    if (message->layer == YS_TRACE_HCI)
        ys_text_add(&side, "%s, ", seen->interface->name);
    else
        ys_text_add(&side, "%s to %s, ", message->from[0] != '\0' ? message->from : "unknown",
                    message->to[0] != '\0' ? message->to : "all");
    ys_message_say(says ? &said : message, &trace->source.glossary, &side);
    ys_text_add(&line, "%12.6f %7llu  ", seconds_of(trace, message), (unsigned long long)seen->record->number);
    add_wrapped(&line, words, width, message->layer != YS_TRACE_HCI);
    return strdup(text);
}

/* as JSON */

static json_t *text_json(const char *text)
{
    json_t *string = text != NULL && text[0] != '\0' ? json_string(text) : NULL;
    return string != NULL ? string : json_null();
}

/* A value of any length; the caller's. */
static char *value_hex(const struct ys_message *message)
{
    char *hex = malloc(2 * message->value_length + 1);
    return hex != NULL ? ys_hex_format(message->value, message->value_length, "", hex, 2 * message->value_length + 1)
                       : NULL;
}

static void add_value(const struct trace *trace, const struct ys_message *message, json_t *root)
{
    const struct ys_glossary *glossary = &trace->source.glossary;
    char words[1200];
    double number;
    const char *unit = "";
    char *hex = value_hex(message);
    if (hex == NULL)
        return;
    (void)json_object_set_new(root, "value_hex", json_string(hex));
    free(hex);
    glossary->value(glossary->context, message->meaning.field, message->value, message->value_length, words,
                    sizeof words);
    (void)json_object_set_new(root, "value", text_json(words));
    if (!glossary->number(glossary->context, message->meaning.field, message->value, message->value_length, &number,
                          &unit))
        return;
    (void)json_object_set_new(root, "value_number", json_real(number));
    (void)json_object_set_new(root, "unit", text_json(unit));
}

char *trace_line_json(const struct trace *trace, const struct ys_message *message, uint64_t since_ns)
{
    char text[LINE_MOST];
    struct ys_text words = ys_text_in(text, sizeof text);
    const struct ys_record *record = message->seen->record;
    bool air = record->kind == YS_RECORD_AIR;
    ys_message_say(message, &trace->source.glossary, &words);
    json_t *root = json_pack(
        "{s:I, s:f, s:f, s:s, s:s, s:o, s:o, s:s, s:s, s:b, s:o, s:o, s:o}", "number", (json_int_t)record->number,
        "time_s", seconds_of(trace, message), "since_ms", (double)since_ns / 1e6, "layer",
        ys_trace_layer_names[message->layer], "view", air ? "air" : "hci", "from", text_json(message->from), "to",
        text_json(message->to), "protocol", message->protocol, "kind", message->kind, "error", message->is_error,
        "strength_dbm",
        air && (record->known & YS_AIR_STRENGTH) != 0 ? json_integer(record->air.strength_dbm) : json_null(), "channel",
        air && (record->known & YS_AIR_CHANNEL) != 0 ? json_integer(record->air.channel) : json_null(), "text",
        text_json(text));
    if (message->handle != 0)
        (void)json_object_set_new(root, "handle", json_integer(message->handle));
    if (message->meaning.service != NULL)
        (void)json_object_set_new(root, "service", text_json(message->meaning.service));
    if (message->meaning.name != NULL)
        (void)json_object_set_new(root, "characteristic", text_json(message->meaning.name));
    if (message->value != NULL)
        add_value(trace, message, root);
    char *line = json_dumps(root, JSON_COMPACT | JSON_REAL_PRECISION(15));
    json_decref(root);
    return line;
}

/* as a table of values */

/* A field of CSV: in quotes if need be (RFC 4180). One that a spreadsheet would take for a formula has an apostrophe
 * before it. */
static void put_field(FILE *file, const char *text, char behind)
{
    bool quoted = text != NULL && strpbrk(text, ",\"\r\n") != NULL;
    bool sign = text != NULL && *text != '\0' && strchr("=+-@", *text) != NULL;
    bool formula = sign && (strchr("=@", *text) != NULL || !isdigit((unsigned char)text[1]));
    if (quoted)
        (void)fputc('"', file);
    if (formula)
        (void)fputc('\'', file);
    for (; text != NULL && *text != '\0'; text++) {
        if (*text == '"')
            (void)fputc('"', file);
        (void)fputc(*text, file);
    }
    if (quoted)
        (void)fputc('"', file);
    (void)fputc(behind, file);
}

void trace_values_head(FILE *file)
{
    (void)fputs("time_s,from,to,kind,service,characteristic,handle,number,unit,value,value_hex\n", file);
}

void trace_value(const struct trace *trace, const struct ys_message *message)
{
    const struct ys_glossary *glossary = &trace->source.glossary;
    char words[1200];
    char *hex = value_hex(message);
    double number;
    const char *unit = "";
    (void)fprintf(trace->values, "%.9f,", seconds_of(trace, message));
    put_field(trace->values, message->from, ',');
    put_field(trace->values, message->to, ',');
    put_field(trace->values, message->kind, ',');
    put_field(trace->values, message->meaning.service, ',');
    put_field(trace->values, message->meaning.name, ',');
    (void)fprintf(trace->values, "%u,", message->handle);
    if (glossary->number(glossary->context, message->meaning.field, message->value, message->value_length, &number,
                         &unit))
        (void)fprintf(trace->values, "%.12g", number);
    (void)fputc(',', trace->values);
    put_field(trace->values, unit, ',');
    glossary->value(glossary->context, message->meaning.field, message->value, message->value_length, words,
                    sizeof words);
    put_field(trace->values, words, ',');
    put_field(trace->values, hex, '\n');
    free(hex);
}
