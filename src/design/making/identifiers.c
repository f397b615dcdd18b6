/* The names that generated C declares: what generate.c and generate_values.c write, in one list. */
#include "design/making/identifiers.h"

#include <ctype.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/making/naming.h"
#include "design/model/memory.h"
#include "design/model/words.h"

struct list {
    struct ys_identifier *items;
    size_t count;
    const char *owner;
    struct ys_place place;
};

enum letters { AS_IT_IS, UPPER };

#if defined(__GNUC__)
__attribute__((format(printf, 3, 4)))
#endif
static void
add(struct list *list, enum letters letters, const char *format, ...)
{
    va_list arguments;
    va_start(arguments, format);
    char *text = ys_new_text_of(format, arguments);
    va_end(arguments);
    for (char *letter = text; letters == UPPER && *letter != '\0'; letter++)
        *letter = (char)toupper((unsigned char)*letter);
    list->items = ys_grow(list->items, list->count, sizeof *list->items);
    list->items[list->count] = (struct ys_identifier){text, list->owner, list->place, list->count};
    list->count++;
}

static void add_word(struct list *list, const struct ys_design *design, const char *id, const struct ys_field *field,
                     const char *word)
{
    const char *owner = list->owner;
    char *name = ys_identifier_of_word(design->id, id, field, word);
    list->owner = word;
    add(list, AS_IT_IS, "%s", name);
    free(name);
    list->owner = owner;
}

static void add_words(struct list *list, const struct ys_design *design, const char *id, const struct ys_field *field)
{
    for (size_t i = 0; i < field->bit_count; i++)
        add_word(list, design, id, field, field->bits[i]);
    for (size_t i = 0; i < field->name_count; i++)
        add_word(list, design, id, field, field->names[i].name);
}

/* What a type needs: see ys_generate_value. */
static void add_type(struct list *list, const struct ys_design *design, const char *id, const struct ys_field *type)
{
    add_words(list, design, id, type);
    for (size_t i = 0; i < type->field_count; i++)
        add_words(list, design, id, &type->fields[i]);
    if (type->format->kind == YS_FORMAT_STRUCT)
        add(list, AS_IT_IS, "struct %s_%s", design->id, id);
    if (!ys_value_has_functions(type))
        return;
    add(list, AS_IT_IS, "%s_%s_put", design->id, id);
    add(list, AS_IT_IS, "%s_%s_get", design->id, id);
}

static void add_value(struct list *list, const struct ys_design *design, const struct ys_layout *layout, size_t index)
{
    const struct ys_row *row = &layout->rows[index];
    const struct ys_characteristic *one = row->characteristic;
    add(list, UPPER, "%s_%s", design->id, one->id);
    if (ys_row_is_item(row))
        add(list, UPPER, "%s_client_%s", design->id, one->id);
    if (row->notifiable != YS_NONE)
        add(list, UPPER, "%s_%s_configuration", design->id, one->id);
    if (one->has_range) {
        add(list, UPPER, "%s_%s_min", design->id, one->id);
        add(list, UPPER, "%s_%s_max", design->id, one->id);
    }
    if (ys_handler_is_first(layout, index, false))
        add(list, AS_IT_IS, "%s_%s_read", design->id, ys_handler_id(one));
    if (ys_handler_is_first(layout, index, true))
        add(list, AS_IT_IS, "%s_%s_write", design->id, ys_handler_id(one));
    if (one->has_range)
        add(list, AS_IT_IS, "checked_write_of_%s", one->id);
    add(list, AS_IT_IS, "value_of_%s", one->id);
    if (one->value != NULL && !one->read_handler)
        add(list, AS_IT_IS, "bytes_of_%s", one->id);
    add_type(list, design, one->id, &one->type);
}

static void add_payload(struct list *list, const struct ys_design *design, const struct ys_advertisement *set,
                        bool response)
{
    const struct ys_parts *parts = response ? &set->response : &set->data;
    char *payload = ys_payload_id(set, response);
    for (size_t i = 0; i < parts->count; i++) {
        char *id = ys_layout_id(set, &parts->items[i]);
        if (id == NULL)
            continue;
        add_type(list, design, id, &parts->items[i].type);
        add(list, AS_IT_IS, "%s_%s_find", design->id, id);
        free(id);
    }
    if (payload != NULL) {
        add(list, UPPER, "%s_%s_size", design->id, payload);
        add(list, AS_IT_IS, "%s_%s_put", design->id, payload);
    }
    free(payload);
}

static void add_set(struct list *list, const struct ys_design *design, const struct ys_advertisement *set)
{
    const char *of = set->id != NULL ? "_of_" : "";
    const char *id = set->id != NULL ? set->id : "";
    add(list, AS_IT_IS, "%s%s%s_advertising", design->id, set->id != NULL ? "_" : "", id);
    add(list, AS_IT_IS, "advertisement%s%s", of, id);
    add(list, AS_IT_IS, "scan_response%s%s", of, id);
    add(list, AS_IT_IS, "options%s%s", of, id);
    add_payload(list, design, set, false);
    add_payload(list, design, set, true);
}

static void add_table(struct list *list, const struct ys_design *design, const struct ys_layout *layout)
{
    add(list, UPPER, "%s_table_h", design->id);
    add(list, UPPER, "%s_config_h", design->id);
    add(list, UPPER, "%s_values_h", design->id);
    add(list, UPPER, "%s_client_h", design->id);
    add(list, UPPER, "%s_client_places", design->id);
    add(list, AS_IT_IS, "%s_client", design->id);
    add(list, AS_IT_IS, "%s_table", design->id);
    if (layout->values_size > 0)
        add(list, UPPER, "%s_values_size", design->id);
    if (layout->asks)
        add(list, AS_IT_IS, "%s_consent", design->id);
    if (design->security.given)
        add(list, AS_IT_IS, "%s_security", design->id);
    if (design->scanning.given) {
        add(list, AS_IT_IS, "%s_scanning", design->id);
        add(list, AS_IT_IS, "wanted");
        add(list, AS_IT_IS, "wanted_service");
    }
    if (design->link.given)
        add(list, AS_IT_IS, "%s_link", design->id);
    if (design->has_address)
        add(list, AS_IT_IS, "%s_address", design->id);
    add(list, AS_IT_IS, "attributes");
    if (layout->notifiable_count > 0)
        add(list, AS_IT_IS, "notifiables");
    if (layout->long_uuid_count > 0)
        add(list, AS_IT_IS, "long_uuids");
}

struct ys_identifier *ys_identifiers_new(const struct ys_design *design, const struct ys_layout *layout, size_t *count)
{
    struct list list = {.items = NULL};
    add_table(&list, design, layout);
    for (size_t i = 0; i < layout->count; i++) {
        const struct ys_row *row = &layout->rows[i];
        const struct ys_characteristic *one = row->characteristic;
        list.owner = one != NULL ? one->name : row->service->name;
        list.place = one != NULL ? one->place : row->service->place;
        if (ys_row_is_service(row))
            add(&list, UPPER, "%s_%s_service", design->id, row->service->id);
        else if (row->kind == YS_ATTRIBUTE_VALUE && one != NULL)
            add_value(&list, design, layout, i);
        else if (row->kind == YS_ATTRIBUTE_DESCRIPTOR || row->kind == YS_ATTRIBUTE_STORED)
            add(&list, AS_IT_IS, "descriptor_%zu", i + 1);
        if (row->kind == YS_ATTRIBUTE_STORED)
            add(&list, AS_IT_IS, "value_of_descriptor_%zu", i + 1);
    }
    for (size_t i = 0; i < design->set_count; i++) {
        list.owner = design->sets[i].name;
        list.place = design->sets[i].place;
        add_set(&list, design, &design->sets[i]);
    }
    *count = list.count;
    return list.items;
}

void ys_identifiers_free(struct ys_identifier *list, size_t count)
{
    for (size_t i = 0; i < count; i++)
        free(list[i].text);
    free(list);
}

void ys_identifiers_of_field(const struct ys_field *field, char *names[2])
{
    struct list list = {.items = NULL};
    bool text = field->format->kind == YS_FORMAT_TEXT || field->format->kind == YS_FORMAT_UTF16;
    add(&list, AS_IT_IS, "%s", field->id);
    names[0] = list.items[0].text;
    names[1] = NULL;
    if (field->most.number > 0 || text) {
        add(&list, AS_IT_IS, field->most.number > 0 ? "%s_count" : "%s_length", field->id);
        names[1] = list.items[1].text;
    }
    free(list.items);
}
