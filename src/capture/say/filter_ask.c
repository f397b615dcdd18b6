/* A filter is asked whether a message is wanted. */
#include "capture/say/filter_ask.h"

#include <math.h>
#include <string.h>
#include <strings.h>

#include "capture/say/filter.h"
#include "capture/say/filter_tree.h"

static bool holds(enum relation relation, double left, double right)
{
    double near = fabs(right) * 1e-9; /* 40.1 is not what it is in binary */
    switch (relation) {
    case EQUAL:
        return fabs(left - right) <= near;
    case UNEQUAL:
        return fabs(left - right) > near;
    case LESS:
        return left < right - near;
    case AT_MOST:
        return left <= right + near;
    case MORE:
        return left > right + near;
    case AT_LEAST:
    default:
        return left >= right - near;
    }
}

static bool is_called(const char *name, const char *wanted)
{
    return name != NULL && strcasecmp(name, wanted) == 0;
}

static bool is_party(const struct ys_party *party, const char *name, const char *wanted)
{
    char address[YS_ADDRESS_TEXT_SIZE];
    if (is_called(name, wanted))
        return true;
    return party != NULL && strncasecmp(ys_address_format(&party->address, address), wanted, 17) == 0 &&
           strlen(wanted) >= 17;
}

static bool matches_value(const struct ys_filter *filter, const struct ys_message *message,
                          const struct ys_glossary *glossary)
{
    double number;
    const char *unit = "";
    if (message->value == NULL || (filter->name[0] != '\0' && !is_called(message->meaning.name, filter->name)))
        return false;
    if (filter->is_text) {
        char words[400] = "";
        if (glossary->value != NULL)
            glossary->value(glossary->context, message->meaning.field, message->value, message->value_length, words,
                            sizeof words);
        size_t length = strlen(words);
        bool same = strcmp(words, filter->text) == 0 || (length == strlen(filter->text) + 2 && words[0] == '"' &&
                                                         strncmp(words + 1, filter->text, length - 2) == 0);
        return same == (filter->relation == EQUAL);
    }
    return glossary->number != NULL &&
           glossary->number(glossary->context, message->meaning.field, message->value, message->value_length, &number,
                            &unit) &&
           (filter->unit[0] == '\0' || strcmp(filter->unit, unit) == 0) &&
           holds(filter->relation, number, filter->number);
}

/* The number that a message is compared by; false if it has none. */
static bool number_of(const struct ys_message *message, int subject, uint64_t origin_ns, uint64_t since_ns,
                      double *number)
{
    const struct ys_record *record = message->seen->record;
    bool air = record->kind == YS_RECORD_AIR;
    switch (subject) {
    case SUBJECT_TIME:
        *number = ((double)record->at_ns - (double)origin_ns) / 1e9;
        return true;
    case SUBJECT_SINCE:
        *number = (double)since_ns / 1e9;
        return true;
    case SUBJECT_STRENGTH:
        *number = record->air.strength_dbm;
        return air && (record->known & YS_AIR_STRENGTH) != 0;
    case SUBJECT_CHANNEL:
        *number = record->air.channel;
        return air && (record->known & YS_AIR_CHANNEL) != 0;
    case SUBJECT_LENGTH:
        *number = (double)(message->value != NULL ? message->value_length : air ? record->air.length : record->length);
        return true;
    case SUBJECT_NUMBER:
        *number = (double)record->number;
        return true;
    case SUBJECT_HANDLE:
        *number = message->handle;
        return message->handle != 0;
    case SUBJECT_CONNECTION:
    default:
        *number = message->seen->link != NULL ? (double)message->seen->link->number : 0;
        return message->seen->link != NULL;
    }
}

static bool matches_name(const struct ys_filter *filter, const struct ys_message *message)
{
    const struct ys_seen *seen = message->seen;
    bool from = is_party(seen->from, message->from, filter->name);
    bool to = is_party(seen->to, message->to, filter->name);
    switch (filter->what) {
    case NAME_FROM:
        return from;
    case NAME_TO:
        return to;
    case NAME_WITH:
        return from || to || (seen->interface != NULL && is_called(seen->interface->name, filter->name));
    case NAME_SERVICE:
        return is_called(message->meaning.service, filter->name);
    case NAME_CHARACTERISTIC:
        return is_called(message->meaning.name, filter->name);
    case NAME_PROTOCOL:
        return is_called(message->protocol, filter->name);
    case NAME_LAYER:
        return is_called(ys_trace_layer_names[message->layer], filter->name);
    case NAME_KIND:
    default:
        return is_called(message->kind, filter->name);
    }
}

static bool matches_flag(const struct ys_filter *filter, const struct ys_message *message)
{
    const struct ys_seen *seen = message->seen;
    bool packet = seen->kind == YS_SEEN_LINK;
    switch (filter->what) {
    case FLAG_ERROR:
        return message->is_error;
    case FLAG_AGAIN:
        return packet && seen->packet.repeated;
    case FLAG_DAMAGED:
        return seen->kind == YS_SEEN_NOTHING || !seen->good;
    case FLAG_ENCRYPTED:
        return packet && seen->packet.readable != YS_READ_CLEAR;
    case FLAG_DECRYPTED:
    default:
        return packet && seen->packet.readable == YS_READ_DECRYPTED;
    }
}

bool ys_filter_matches(const struct ys_filter *filter, const struct ys_message *message,
                       const struct ys_glossary *glossary, uint64_t origin_ns, uint64_t since_ns)
{
    double number;
    switch (filter->kind) {
    case NODE_AND:
        return ys_filter_matches(filter->children[0], message, glossary, origin_ns, since_ns) &&
               ys_filter_matches(filter->children[1], message, glossary, origin_ns, since_ns);
    case NODE_OR:
        return ys_filter_matches(filter->children[0], message, glossary, origin_ns, since_ns) ||
               ys_filter_matches(filter->children[1], message, glossary, origin_ns, since_ns);
    case NODE_NOT:
        return !ys_filter_matches(filter->children[0], message, glossary, origin_ns, since_ns);
    case NODE_COMPARE:
        if (filter->what == SUBJECT_VALUE)
            return matches_value(filter, message, glossary);
        return number_of(message, filter->what, origin_ns, since_ns, &number) &&
               holds(filter->relation, number, filter->number);
    case NODE_FLAG:
        return matches_flag(filter, message);
    case NODE_NAME:
    default:
        return matches_name(filter, message);
    }
}
