/* What things are called in generated C. */
#include "design/making/naming.h"

#include <ctype.h>
#include <stdio.h>
#include <string.h>

#include "design/model/memory.h"

char *ys_identifier_of_word(const char *device, const char *characteristic, const struct ys_field *field,
                            const char *word)
{
    size_t size = strlen(device) + strlen(characteristic) + strlen(word) + 4;
    size_t length = 0;
    char *name = ys_new(size + (field->id != NULL ? strlen(field->id) : 0));
    const char *const parts[] = {device, characteristic, field->id, word};
    for (size_t i = 0; i < sizeof parts / sizeof parts[0]; i++) {
        for (const char *text = parts[i]; text != NULL && *text != '\0'; text++) {
            unsigned char letter = (unsigned char)*text;
            if (letter < 0x80 && isalnum(letter))
                name[length++] = (char)toupper(letter);
            else if (length > 0 && name[length - 1] != '_')
                name[length++] = '_';
        }
        if (parts[i] != NULL && i + 1 < sizeof parts / sizeof parts[0] && length > 0 && name[length - 1] != '_')
            name[length++] = '_';
    }
    name[length] = '\0';
    return name;
}

const char *ys_handler_id(const struct ys_characteristic *characteristic)
{
    return characteristic->handler_id != NULL ? characteristic->handler_id : characteristic->id;
}

static const char *handler_of(const struct ys_layout *layout, size_t index, bool write)
{
    const struct ys_characteristic *one = layout->rows[index].characteristic;
    if (layout->rows[index].kind != YS_ATTRIBUTE_VALUE || !(write ? one->write_handler : one->read_handler))
        return NULL;
    return ys_handler_id(one);
}

bool ys_handler_is_shared(const struct ys_layout *layout, size_t index, size_t other, bool write)
{
    const char *id = handler_of(layout, index, write);
    const char *others = handler_of(layout, other, write);
    return id != NULL && others != NULL && strcmp(id, others) == 0;
}

bool ys_handler_is_first(const struct ys_layout *layout, size_t index, bool write)
{
    if (handler_of(layout, index, write) == NULL)
        return false;
    if (layout->rows[index].characteristic->handler_id == NULL) /* names are unique: nothing to look for */
        return true;
    for (size_t i = 0; i < index; i++) {
        if (ys_handler_is_shared(layout, index, i, write))
            return false;
    }
    return true;
}

char *ys_member_name(const char *id)
{
    static const char *const taken[] = {"and",   "as",   "assert", "async",    "await", "class",  "def",
                                        "del",   "elif", "except", "finally",  "from",  "global", "import",
                                        "in",    "is",   "lambda", "nonlocal", "not",   "or",     "pass",
                                        "raise", "try",  "with",   "yield"};
    bool is_taken = false;
    for (size_t i = 0; i < sizeof taken / sizeof taken[0]; i++)
        is_taken = is_taken || strcmp(id, taken[i]) == 0;
    return ys_new_text("%s%s", id, is_taken ? "_" : "");
}

bool ys_row_is_item(const struct ys_row *row)
{
    uint32_t service = ys_uuid_number(&row->service->uuid);
    return row->kind == YS_ATTRIBUTE_VALUE && service != 0x1800 && service != 0x1801;
}

static bool has_limited_range(const struct ys_characteristic *characteristic)
{
    enum ys_format_kind kind = characteristic->type.format->kind;
    return characteristic->has_range && (kind == YS_FORMAT_SIGNED || kind == YS_FORMAT_UNSIGNED);
}

/* The bits of its C type that a magnitude has, which all that is received fits. */
static unsigned bits_of(const struct ys_characteristic *characteristic)
{
    const struct ys_format *format = characteristic->type.format;
    return 8u * format->size - (format->kind == YS_FORMAT_SIGNED);
}

bool ys_range_limits_below(const struct ys_characteristic *characteristic)
{
    bool is_signed = characteristic->type.format->kind == YS_FORMAT_SIGNED;
    return has_limited_range(characteristic) &&
           characteristic->range[0] > (is_signed ? INT64_MIN >> (63 - bits_of(characteristic)) : 0);
}

bool ys_range_limits_above(const struct ys_characteristic *characteristic)
{
    return has_limited_range(characteristic) && characteristic->range[1] < (INT64_C(1) << bits_of(characteristic)) - 1;
}

bool ys_range_limits(const struct ys_characteristic *characteristic)
{
    return ys_range_limits_below(characteristic) || ys_range_limits_above(characteristic);
}

bool ys_value_is_scalar(const struct ys_field *type)
{
    switch (type->format->kind) {
    case YS_FORMAT_BOOLEAN:
    case YS_FORMAT_UNSIGNED:
    case YS_FORMAT_SIGNED:
    case YS_FORMAT_FLOAT:
    case YS_FORMAT_MEDFLOAT:
    case YS_FORMAT_FLAGS:
        return type->most.number == 0;
    default:
        return false;
    }
}

bool ys_value_has_functions(const struct ys_field *type)
{
    return type->format->kind == YS_FORMAT_STRUCT || ys_value_is_scalar(type);
}

static const struct ys_parts *parts_of(const struct ys_advertisement *set, bool response)
{
    return response ? &set->response : &set->data;
}

/* A part whose value functions can put: the standard's own numbers are sent least first, and so these need nothing for
 * other orders. */
bool ys_layout_is(const struct ys_part *part)
{
    bool data =
        part->kind == YS_PART_MANUFACTURER || part->kind == YS_PART_SERVICE_DATA || part->kind == YS_PART_STRUCTURE;
    if (!data || part->value == NULL || !ys_value_has_functions(&part->type))
        return false;
    for (size_t i = 0; i < part->type.field_count; i++) {
        const struct ys_field *field = &part->type.fields[i];
        bool turned = field->format->kind == YS_FORMAT_WIDE || field->format->kind == YS_FORMAT_MEDFLOAT;
        if (field->order == YS_MOST_FIRST + 1 && turned)
            return false;
    }
    return true;
}

static const char *kind_word(const struct ys_part *part)
{
    return part->kind == YS_PART_MANUFACTURER   ? "manufacturer"
           : part->kind == YS_PART_SERVICE_DATA ? "service_data"
                                                : "structure";
}

/* Which of its kind it is, in both payloads, from 1. */
static size_t place_of(const struct ys_advertisement *set, const struct ys_part *part)
{
    size_t place = 0;
    for (int response = 0; response < 2; response++) {
        const struct ys_parts *parts = parts_of(set, response != 0);
        for (size_t i = 0; i < parts->count; i++) {
            place += parts->items[i].kind == part->kind && ys_layout_is(&parts->items[i]);
            if (&parts->items[i] == part)
                return place;
        }
    }
    return place;
}

/* What a part is called among the parameters of a function. */
void ys_part_name(const struct ys_advertisement *set, const struct ys_part *part, char name[40])
{
    size_t place = place_of(set, part);
    if (place > 1)
        (void)snprintf(name, 40, "%s_%zu", kind_word(part), place);
    else
        (void)snprintf(name, 40, "%s", kind_word(part));
}

char *ys_layout_id(const struct ys_advertisement *set, const struct ys_part *part)
{
    char name[40];
    if (!ys_layout_is(part))
        return NULL;
    ys_part_name(set, part, name);
    return ys_new_text("%s%s%s", set->id != NULL ? set->id : "", set->id != NULL ? "_" : "", name);
}

char *ys_payload_id(const struct ys_advertisement *set, bool response)
{
    const struct ys_parts *parts = parts_of(set, response);
    bool any = false;
    for (size_t i = 0; i < parts->count; i++)
        any = any || ys_layout_is(&parts->items[i]);
    if (!any)
        return NULL;
    if (set->id == NULL)
        return ys_new_text("%s", response ? "scan_response" : "advertisement");
    return ys_new_text("%s%s", set->id, response ? "_response" : "");
}
