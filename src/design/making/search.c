/* Searching the catalogue. */
#include "design/making/search.h"

#include <ctype.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "design/model/memory.h"
#include "design/model/model.h"
#include "design/model/words.h"

/* One way of fitting. */
typedef bool fits_fn(const struct ys_adopted *adopted, const char *words);

static bool has_number(const struct ys_adopted *adopted, const char *words)
{
    char *end;
    size_t length = strlen(words);
    bool prefixed = length > 2 && words[0] == '0' && (words[1] == 'x' || words[1] == 'X');
    if ((!prefixed && length != 4) || adopted->kind == YS_ADOPTED_DEVICE)
        return false;
    unsigned long number = strtoul(words, &end, 16);
    return *end == '\0' && number == adopted->number;
}

static bool has_name(const struct ys_adopted *adopted, const char *words)
{
    return ys_word_is_equal(adopted->name, words) ||
           (adopted->symbol != NULL && adopted->symbol[0] != '\0' && strcmp(adopted->symbol, words) == 0);
}

/* Whether `text` holds `part` of `length` characters, in whatever case; or as a whole word. */
static bool holds(const char *text, const char *part, size_t length, bool whole)
{
    char before = ' ';
    for (; text != NULL && *text != '\0'; before = *text, text++) {
        size_t same = 0;
        if (whole && isalnum((unsigned char)before))
            continue;
        while (same < length && text[same] != '\0' &&
               tolower((unsigned char)text[same]) == tolower((unsigned char)part[same]))
            same++;
        if (same == length && !(whole && isalnum((unsigned char)text[same])))
            return true;
    }
    return false;
}

static bool holds_all(const char *text, const char *more, const char *words, bool whole)
{
    while (*words != '\0') {
        size_t length = strcspn(words, " ");
        if (length > 0 && !holds(text, words, length, whole) && !holds(more, words, length, whole))
            return false;
        words += length;
        words += strspn(words, " ");
    }
    return true;
}

static bool has_words_of_name(const struct ys_adopted *adopted, const char *words)
{
    return holds_all(adopted->name, NULL, words, true);
}

static bool has_parts_of_name(const struct ys_adopted *adopted, const char *words)
{
    return holds_all(adopted->name, NULL, words, false);
}

static bool has_words_anywhere(const struct ys_adopted *adopted, const char *words)
{
    return holds_all(adopted->name, adopted->about, words, false);
}

static void lower(char *to, const char *from, size_t size)
{
    size_t i = 0;
    for (; from[i] != '\0' && i + 1 < size; i++)
        to[i] = (char)tolower((unsigned char)from[i]);
    to[i] = '\0';
}

/* One way in which a bit or a number can be called so. */
typedef bool called_fn(const char *name, const char *words);

static bool field_has(const struct ys_field *field, called_fn *is_called, const char *words)
{
    for (size_t i = 0; i < field->bit_count; i++) {
        if (is_called(field->bits[i], words))
            return true;
    }
    for (size_t i = 0; i < field->name_count; i++) {
        if (is_called(field->names[i].name, words))
            return true;
    }
    return false;
}

static bool value_has(const struct ys_adopted *adopted, called_fn *is_called, const char *words)
{
    const struct ys_field *type = adopted->type;
    bool found = type != NULL && field_has(type, is_called, words);
    for (size_t i = 0; type != NULL && i < type->field_count && !found; i++)
        found = field_has(&type->fields[i], is_called, words);
    return found;
}

static bool has_all_words(const char *name, const char *words)
{
    return holds_all(name, NULL, words, true);
}

/* "high alert": what a value is called. */
static bool has_value_called(const struct ys_adopted *adopted, const char *words)
{
    return value_has(adopted, ys_word_is_equal, words);
}

static bool has_words_in_value(const struct ys_adopted *adopted, const char *words)
{
    return value_has(adopted, has_all_words, words);
}

/* A typo or two away from the whole name, or from one of its words. */
static bool is_near(const struct ys_adopted *adopted, const char *words)
{
    char name[64];
    char wanted[64];
    char *save = NULL;
    size_t allowed = strlen(words) < 6 ? 1 : 2;
    lower(name, adopted->name, sizeof name);
    lower(wanted, words, sizeof wanted);
    if (ys_word_distance(name, wanted) <= allowed)
        return true;
    for (const char *word = strtok_r(name, " ", &save); word != NULL; word = strtok_r(NULL, " ", &save)) {
        if (ys_word_distance(word, wanted) <= allowed && strlen(word) > 3)
            return true;
    }
    return false;
}

static void find_all(struct ys_search *search, fits_fn *fits, const char *words)
{
    for (int kind = 0; kind < YS_ADOPTED_KINDS; kind++) {
        size_t count = 0;
        const struct ys_adopted *items = ys_adopted_all((enum ys_adopted_kind)kind, &count);
        for (size_t i = 0; i < count; i++) {
            if (!fits(&items[i], words))
                continue;
            search->found = ys_grow(search->found, search->count, sizeof(const struct ys_adopted *));
            search->found[search->count++] = &items[i];
        }
    }
}

void ys_search_run(struct ys_search *search, const char *words)
{
    static fits_fn *const ways[] = {has_number,       has_name,           has_words_of_name,  has_parts_of_name,
                                    has_value_called, has_words_anywhere, has_words_in_value, is_near};
    for (size_t i = 0; i < sizeof ways / sizeof ways[0] && search->count == 0; i++) {
        find_all(search, ways[i], words);
        search->guessed = ways[i] == is_near;
    }
}

void ys_search_clear(struct ys_search *search)
{
    free(search->found);
    *search = (struct ys_search){.found = NULL};
}

const char *ys_adopted_kind_name(enum ys_adopted_kind kind)
{
    static const char *const names[] = {
        [YS_ADOPTED_SERVICE] = "service",         [YS_ADOPTED_CHARACTERISTIC] = "characteristic",
        [YS_ADOPTED_DESCRIPTOR] = "descriptor",   [YS_ADOPTED_UNIT] = "unit",
        [YS_ADOPTED_FORMAT] = "format",           [YS_ADOPTED_APPEARANCE] = "appearance",
        [YS_ADOPTED_ADVERTISING] = "advertising", [YS_ADOPTED_DEVICE] = "device",
    };
    return names[kind];
}

/* fragments */

/* The first service that has it says what it must offer. */
static const struct ys_has *part_of_service(const struct ys_adopted *characteristic)
{
    size_t count = 0;
    const struct ys_adopted *services = ys_adopted_all(YS_ADOPTED_SERVICE, &count);
    for (size_t i = 0; i < count; i++) {
        const struct ys_has *part = ys_adopted_part(&services[i], characteristic->number);
        if (part != NULL && part->knows)
            return part;
    }
    return NULL;
}

static void print_characteristic(FILE *stream, const struct ys_adopted *characteristic, const char *name)
{
    const struct ys_has *part = part_of_service(characteristic);
    uint8_t must = part != NULL ? part->must : YS_PROPERTY_READ;
    bool sends = (must & (YS_PROPERTY_READ | YS_PROPERTY_NOTIFY | YS_PROPERTY_INDICATE)) != 0;
    bool takes = (must & (YS_PROPERTY_WRITE | YS_PROPERTY_WRITE_WITHOUT_RESPONSE)) != 0;
    (void)fprintf(stream, "- {name: %s", name);
    for (int way = 0; way < YS_WAYS; way++) {
        if ((must & ys_ways[way].property) != 0)
            (void)fprintf(stream, ", %s: open", ys_ways[way].name);
    }
    (void)fprintf(stream, ", handler: %s}\n", sends && takes ? "[read, write]" : takes ? "write" : "read");
}

void ys_adopted_print_fragment(FILE *stream, const struct ys_adopted *adopted)
{
    char small[64];
    lower(small, adopted->name, sizeof small);
    switch (adopted->kind) {
    case YS_ADOPTED_SERVICE:
        if (adopted->number < 0x1802) /* made from device */
            return;
        (void)fprintf(stream, "services:\n  - use: %s\n", small);
        break;
    case YS_ADOPTED_DEVICE:
        (void)fprintf(stream, "services:\n  - use: %s\n", small);
        break;
    case YS_ADOPTED_CHARACTERISTIC:
        print_characteristic(stream, adopted, small);
        break;
    case YS_ADOPTED_UNIT:
        (void)fprintf(stream, "unit: %s\n", adopted->name);
        break;
    case YS_ADOPTED_FORMAT:
        (void)fprintf(stream, "format: %s\n", adopted->name);
        break;
    case YS_ADOPTED_APPEARANCE:
        (void)fprintf(stream, "appearance: 0x%04X\n", adopted->number);
        break;
    default:
        break;
    }
}

/* layouts */

static void print_step(FILE *stream, const struct ys_field *field)
{
    if (field->halvings > 0)
        (void)fprintf(stream, ", in steps of 1/%ld", 1L << field->halvings);
    else if (field->has_resolution)
        (void)fprintf(stream, ", in steps of %g", (double)field->multiplier * pow(10, field->exponent));
    if (field->unit != NULL)
        (void)fprintf(stream, "%s %s", field->has_resolution ? "" : ", in", field->unit->symbol);
}

static void print_field(FILE *stream, const struct ys_field *field, const char *name)
{
    (void)fprintf(stream, "%-16s %s", name, field->format->name);
    if (field->format->size == 0 && field->length.number > 0)
        (void)fprintf(stream, ", %llu byte%s at most", (unsigned long long)field->length.number,
                      field->length.number == 1 ? "" : "s");
    print_step(stream, field);
    if (field->most.number > 0)
        (void)fprintf(stream, ", up to %llu of them", (unsigned long long)field->most.number);
    if (field->depends)
        (void)fprintf(stream, ", %s \"%s\"", field->when.text != NULL ? "when" : "unless",
                      field->when.text != NULL ? field->when.text : field->unless.text);
    for (size_t i = 0; i < field->bit_count; i++)
        (void)fprintf(stream, "%s%zu %s", i > 0 ? ", " : ": ", i, field->bits[i]);
    for (size_t i = 0; i < field->name_count; i++)
        (void)fprintf(stream, "%s%llu %s", i > 0 ? ", " : ": ", (unsigned long long)field->names[i].number,
                      field->names[i].name);
    (void)fputc('\n', stream);
}

void ys_adopted_print_layout(FILE *stream, const struct ys_adopted *adopted)
{
    const struct ys_field *type = adopted->type;
    if (type == NULL)
        return;
    if (type->field_count == 0)
        print_field(stream, type, "value");
    if (adopted->range[0] != NULL && adopted->range[1] != NULL)
        (void)fprintf(stream, "%-16s %s to %s%s%s\n", "valid from", adopted->range[0], adopted->range[1],
                      type->unit != NULL ? " " : "", type->unit != NULL ? type->unit->symbol : "");
    for (size_t i = 0; i < type->field_count; i++)
        print_field(stream, &type->fields[i], type->fields[i].name);
}
