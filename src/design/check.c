/* What a definition means together. */
#include "design/check.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/memory.h"
#include "design/payload.h"
#include "design/type.h"
#include "design/value.h"
#include "design/words.h"

#define NAMES_MOST 256

/* UUIDs */

/* Reads "+N", as a number to be added to the service's UUID. */
static bool parse_offset(const char *text, uint32_t *offset)
{
    char *end;
    if (text[0] != '+' || text[1] < '0' || text[1] > '9')
        return false;
    unsigned long value = strtoul(text + 1, &end, strncmp(text + 1, "0x", 2) == 0 ? 16 : 10);
    *offset = (uint32_t)value;
    return *end == '\0' && value <= 0xffff;
}

static void unknown_uuid(struct ys_design *design, struct ys_place place, enum ys_adopted_kind kind, const char *text)
{
    const char *names[NAMES_MOST];
    const char *nearest = ys_word_nearest(text, names, ys_adopted_names(kind, names, NAMES_MOST));
    if (nearest != NULL)
        ys_findings_add(&design->findings, YS_ERROR, "uuid-unknown", place,
                        "no adopted UUID is named \"%s\"; did you mean \"%s\"?", text, nearest);
    else
        ys_findings_add(&design->findings, YS_ERROR, "uuid-unknown", place,
                        "\"%s\" is no UUID: write an adopted name, 0x180F, 128 bits as 8-4-4-4-12 digits%s", text,
                        kind == YS_ADOPTED_CHARACTERISTIC ? ", or an offset such as +1" : "");
}

static const struct ys_adopted *find_adopted(enum ys_adopted_kind kind, const struct ys_uuid *uuid)
{
    return ys_uuid_is_adopted(uuid) ? ys_adopted_by_number(kind, ys_uuid_number(uuid)) : NULL;
}

/* By what is written, or else by the name. Leaves a length of 0 if neither gives a UUID. */
static void resolve_uuid(struct ys_design *design, enum ys_adopted_kind kind, const char *text, const char *name,
                         struct ys_place place, const struct ys_uuid *base, struct ys_uuid *uuid)
{
    uint32_t offset = 0;
    if (text == NULL && name == NULL)
        return;
    const struct ys_adopted *adopted = ys_adopted_by_name(kind, text != NULL ? text : name);
    if (adopted != NULL) {
        *uuid = ys_uuid_of(adopted->number);
    } else if (text == NULL) {
        ys_findings_add(&design->findings, YS_ERROR, "uuid-missing", place,
                        "\"%s\" is no adopted name and has no uuid: add a uuid of its own%s", name,
                        base != NULL ? ", or an offset such as +1" : "");
    } else if (base != NULL && parse_offset(text, &offset)) {
        if (base->length == 16)
            *uuid = ys_uuid_plus(base, offset);
        else if (base->length != 0)
            ys_findings_add(&design->findings, YS_ERROR, "uuid-offset", place,
                            "an offset needs a service with a 128-bit UUID: write the whole UUID");
    } else if (ys_uuid_parse(text, strlen(text), uuid)) {
        if (uuid->length == 4) /* ATT knows no 32-bit UUIDs: Core 5.4 Vol 3 Part F 3.2.1 */
            *uuid = ys_uuid_in_full(uuid);
    } else {
        unknown_uuid(design, place, kind, text);
    }
    if (uuid->length == 16 && ys_uuid_is_adopted(uuid))
        ys_findings_add(&design->findings, YS_ERROR, "uuid-reserved", place,
                        "this UUID lies in the range that the standard keeps for itself: draw a random one");
}

static void check_service_uuids(struct ys_design *design)
{
    for (size_t i = 0; i < design->service_count; i++) {
        const struct ys_service *service = &design->services[i];
        for (size_t j = 0; j < i && service->uuid.length != 0; j++) {
            if (design->services[j].uuid.length == 0 || !ys_uuid_is_equal(&service->uuid, &design->services[j].uuid))
                continue;
            if (design->services[j].implied)
                ys_findings_add(&design->findings, YS_ERROR, "service-implied", service->uuid_place,
                                "the service \"%s\" is made from device: leave it out", design->services[j].name);
            else
                ys_findings_add(&design->findings, YS_ERROR, "uuid-duplicate", service->uuid_place,
                                "this is also the UUID of the service \"%s\": give each its own",
                                design->services[j].name);
            break;
        }
    }
}

static void check_characteristic_uuid(struct ys_design *design, const struct ys_service *service, size_t index)
{
    const struct ys_characteristic *characteristic = &service->characteristics[index];
    for (size_t i = 0; i < index && characteristic->uuid.length != 0; i++) {
        const struct ys_characteristic *other = &service->characteristics[i];
        if (other->uuid.length != 0 && other->name != NULL && ys_uuid_is_equal(&characteristic->uuid, &other->uuid)) {
            ys_findings_add(&design->findings, YS_ERROR, "uuid-duplicate", characteristic->uuid_place,
                            "this is also the UUID of \"%s\": give each characteristic its own", other->name);
            return;
        }
    }
}

/* names */

struct named {
    const char *id;
    const char *name;
    struct ys_place place;
    size_t order;
    char *made; /* the id, where it is not a name's own */
};

static int compare_named(const void *a, const void *b)
{
    const struct named *left = a;
    const struct named *right = b;
    int order = strcmp(left->id, right->id);
    if (order != 0)
        return order;
    return left->order < right->order ? -1 : 1;
}

/* Two names that are one in C. Sorted, so that a thousand take no time. */
static void check_names(struct ys_design *design, struct named *names, size_t count, const char *what)
{
    if (names != NULL)
        qsort(names, count, sizeof *names, compare_named);
    for (size_t i = 1; names != NULL && i < count; i++) {
        if (strcmp(names[i - 1].id, names[i].id) == 0)
            ys_findings_add(&design->findings, YS_ERROR, "name-clash", names[i].place,
                            "the %s \"%s\" has the same name in C as \"%s\": rename one", what, names[i].name,
                            names[i - 1].name);
    }
}

/* Adds the constant that a name gives besides its own: NAME_CONFIGURATION, NAME_SERVICE. */
static struct named *add_made(struct named *names, size_t *count, const char *id, const char *suffix, const char *name,
                              struct ys_place place)
{
    size_t size = strlen(id) + strlen(suffix) + 1;
    char *made = ys_new(size);
    (void)snprintf(made, size, "%s%s", id, suffix);
    names = ys_grow(names, *count, sizeof *names);
    names[*count] = (struct named){made, name, place, *count, made};
    (*count)++;
    return names;
}

/* Constants for handles: a characteristic called "x configuration" must not meet the configuration of "x". */
static void check_constants(struct ys_design *design)
{
    struct named *names = NULL;
    size_t count = 0;
    for (size_t i = 0; i < design->service_count; i++) {
        const struct ys_service *service = &design->services[i];
        if (service->id != NULL)
            names = add_made(names, &count, service->id, "_service", service->name, service->place);
        for (size_t j = 0; j < service->characteristic_count; j++) {
            const struct ys_characteristic *one = &service->characteristics[j];
            if (one->id == NULL)
                continue;
            names = ys_grow(names, count, sizeof *names);
            names[count] = (struct named){one->id, one->name, one->place, count, NULL};
            count++;
            if (one->notify != YS_RIGHT_NONE)
                names = add_made(names, &count, one->id, "_configuration", one->name, one->place);
        }
    }
    if (names != NULL)
        qsort(names, count, sizeof *names, compare_named);
    for (size_t i = 1; names != NULL && i < count; i++) {
        /* two names of one kind have been said */
        if (strcmp(names[i - 1].id, names[i].id) == 0 && (names[i - 1].made == NULL) != (names[i].made == NULL))
            ys_findings_add(&design->findings, YS_ERROR, "name-clash", names[i].place,
                            "a constant of \"%s\" has the same name in C as one of \"%s\": rename one", names[i].name,
                            names[i - 1].name);
    }
    for (size_t i = 0; i < count; i++)
        free(names[i].made);
    free(names);
}

static void check_all_names(struct ys_design *design)
{
    struct named *services = NULL;
    struct named *characteristics = NULL;
    size_t service_count = 0;
    size_t count = 0;
    for (size_t i = 0; i < design->service_count; i++) {
        const struct ys_service *service = &design->services[i];
        if (service->id != NULL) {
            services = ys_grow(services, service_count, sizeof *services);
            services[service_count] = (struct named){service->id, service->name, service->place, service_count, NULL};
            service_count++;
        }
        for (size_t j = 0; j < service->characteristic_count; j++) {
            const struct ys_characteristic *one = &service->characteristics[j];
            if (one->id == NULL)
                continue;
            characteristics = ys_grow(characteristics, count, sizeof *characteristics);
            characteristics[count] = (struct named){one->id, one->name, one->place, count, NULL};
            count++;
        }
    }
    check_names(design, services, service_count, "service");
    check_names(design, characteristics, count, "characteristic");
    check_constants(design);
    free(services);
    free(characteristics);
}

/* characteristics */

static void complete_format(struct ys_design *design, struct ys_characteristic *characteristic)
{
    const struct ys_adopted *adopted = find_adopted(YS_ADOPTED_CHARACTERISTIC, &characteristic->uuid);
    if (adopted != NULL && adopted->type != NULL)
        ys_type_inherit(&characteristic->type, adopted->type);
    if (characteristic->type.format == NULL) {
        if (!characteristic->faulty)
            ys_findings_add(&design->findings, YS_ERROR, "format-missing", characteristic->place,
                            "\"%s\" has no format: say what its bytes are, such as format: uint16",
                            characteristic->name);
        characteristic->type.format = ys_format_find("bytes");
        characteristic->type.length = 1;
        characteristic->value_text = NULL;
        characteristic->stand_in.shape = YS_SHAPE_NONE;
    }
}

/* A step needs a number; one that is no power of ten, a number whose product with it is still exact. */
static void check_resolution(struct ys_design *design, const struct ys_field *field, struct ys_place place,
                             const char *name)
{
    bool number = field->format->kind == YS_FORMAT_UNSIGNED || field->format->kind == YS_FORMAT_SIGNED;
    if (field->has_resolution && !number)
        ys_findings_add(&design->findings, YS_ERROR, "resolution", place,
                        "\"%s\" has a resolution, which only whole numbers have: leave it out", name);
    if ((field->multiplier > 1 || field->halvings > 0) && field->format->bits > 32)
        ys_findings_add(&design->findings, YS_ERROR, "resolution", place,
                        "\"%s\" is too wide for this resolution: take a format of at most 32 bits, or a power of ten",
                        name);
}

/* structures */

static bool is_open_ended(const struct ys_field *field)
{
    return field->most > 0 || field->format->kind == YS_FORMAT_TEXT;
}

/* Finds the bit that an optional field depends on, among the flags before it. */
static void resolve_dependence(struct ys_design *design, const struct ys_field *whole, size_t index)
{
    struct ys_field *field = &whole->fields[index];
    if (!field->depends)
        return;
    for (size_t i = 0; i < index; i++) {
        for (size_t bit = 0; bit < whole->fields[i].bit_count; bit++) {
            if (strcmp(whole->fields[i].bits[bit], field->depends_text) == 0) {
                field->flags_at = i;
                field->flag = bit;
                return;
            }
        }
    }
    field->depends = false;
    ys_findings_add(&design->findings, YS_ERROR, "flag-unknown", field->depends_place,
                    "no flags before it have a bit \"%s\": name one of their bits", field->depends_text);
}

static void check_field(struct ys_design *design, const struct ys_field *whole, size_t index)
{
    struct ys_field *field = &whole->fields[index];
    struct ys_findings *findings = &design->findings;
    enum ys_format_kind kind = field->format->kind;
    if (kind == YS_FORMAT_STRUCT)
        ys_findings_add(findings, YS_ERROR, "structure", field->place,
                        "a field cannot be a structure itself: list its fields here");
    if (kind != YS_FORMAT_FLAGS && field->bit_count > 0)
        ys_findings_add(findings, YS_ERROR, "structure", field->place,
                        "only flags have bits: give it a format such as boolean[8]");
    if (field->bit_count > field->format->bits && kind == YS_FORMAT_FLAGS)
        ys_findings_add(findings, YS_ERROR, "structure", field->place,
                        "\"%s\" names %zu bits and has %u: take a longer format", field->name, field->bit_count,
                        field->format->bits);
    if (field->format->size == 0 && kind != YS_FORMAT_STRUCT && field->length == 0)
        ys_findings_add(findings, YS_ERROR, "length", field->place, "\"%s\" has no length: say how many bytes it has",
                        field->name);
    if (field->format->size != 0 && field->length != 0)
        ys_findings_add(findings, YS_ERROR, "length", field->length_place,
                        "%s is always %u bytes long: leave the length out", field->format->name, field->format->size);
    if (is_open_ended(field) && index + 1 < whole->field_count)
        ys_findings_add(findings, YS_ERROR, "structure", field->place,
                        "\"%s\" can be of any length, so nothing can come behind it: make it the last", field->name);
    for (size_t i = 1; i < field->bit_count; i++) {
        for (size_t j = 0; j < i; j++) {
            if (ys_word_is_equal(field->bits[i], field->bits[j]))
                ys_findings_add(findings, YS_ERROR, "name-clash", field->place,
                                "\"%s\" has two bits \"%s\": rename one", field->name, field->bits[i]);
        }
    }
    for (size_t i = 0; i < index; i++) {
        if (whole->fields[i].id != NULL && strcmp(whole->fields[i].id, field->id) == 0)
            ys_findings_add(findings, YS_ERROR, "name-clash", field->place,
                            "the field \"%s\" has the same name in C as \"%s\": rename one", field->name,
                            whole->fields[i].name);
    }
    if (ys_is_keyword(field->id))
        ys_findings_add(findings, YS_ERROR, "name-keyword", field->place, "\"%s\" is a keyword of C or C++: rename it",
                        field->name);
    check_resolution(design, field, field->place, field->name);
    resolve_dependence(design, whole, index);
}

/* False if the structure cannot be used at all. */
static bool check_fields(struct ys_design *design, const struct ys_characteristic *characteristic)
{
    const struct ys_field *whole = &characteristic->type;
    bool is_struct = whole->format->kind == YS_FORMAT_STRUCT;
    if (!is_struct && whole->field_count > 0)
        ys_findings_add(&design->findings, YS_ERROR, "structure", characteristic->place,
                        "\"%s\" has fields: give it format: struct", characteristic->name);
    if (!is_struct)
        return true;
    if (whole->field_count == 0 || whole->field_count > YS_FIELDS_MOST) {
        ys_findings_add(&design->findings, YS_ERROR, "structure", characteristic->place,
                        "\"%s\" is a structure of %zu fields: list 1 to %d of them", characteristic->name,
                        whole->field_count, YS_FIELDS_MOST);
        return false;
    }
    for (size_t i = 0; i < whole->field_count; i++) {
        if (whole->fields[i].name == NULL || whole->fields[i].format == NULL)
            return false; /* has been said */
    }
    for (size_t i = 0; i < whole->field_count; i++)
        check_field(design, whole, i);
    if (ys_value_greatest(whole) > 512)
        ys_findings_add(&design->findings, YS_ERROR, "length", characteristic->place,
                        "\"%s\" can be %zu bytes long: an attribute has at most 512", characteristic->name,
                        ys_value_greatest(whole));
    return true;
}

static void check_length(struct ys_design *design, struct ys_characteristic *characteristic)
{
    struct ys_field *type = &characteristic->type;
    const struct ys_format *format = type->format;
    if (format->kind == YS_FORMAT_STRUCT) {
        if (type->length != 0)
            ys_findings_add(&design->findings, YS_ERROR, "length", type->length_place,
                            "a structure is as long as its fields: leave the length out");
        type->length = ys_value_greatest(type);
    } else if (format->size != 0) {
        if (type->length != 0 && type->length != format->size)
            ys_findings_add(&design->findings, YS_ERROR, "length", type->length_place,
                            "%s is always %u bytes long: leave the length out", format->name, format->size);
        type->length = format->size;
    } else if (type->length == 0) {
        bool constant = characteristic->value_text != NULL && characteristic->write == YS_RIGHT_NONE &&
                        characteristic->write_command == YS_RIGHT_NONE;
        if (!constant && !characteristic->faulty)
            ys_findings_add(&design->findings, YS_ERROR, "length", characteristic->place,
                            "\"%s\" has no length: say how many bytes it has at most, such as length: 20",
                            characteristic->name);
        type->length = 512; /* until the value is known */
    }
}

static void check_value(struct ys_design *design, struct ys_characteristic *characteristic)
{
    uint8_t bytes[512];
    const char *problem = NULL;
    if (characteristic->value_text == NULL)
        return;
    size_t room = characteristic->type.length < sizeof bytes ? (size_t)characteristic->type.length : sizeof bytes;
    int length = ys_value_parse(&characteristic->type, characteristic->value_text, bytes, room, &problem);
    if (length < 0) {
        ys_findings_add(&design->findings, YS_ERROR, "value", characteristic->value_place,
                        "\"%s\" is no value of %s (%s, at most %u bytes): %s", characteristic->value_text,
                        characteristic->name, characteristic->type.format->name, (unsigned)room, problem);
        return;
    }
    characteristic->value = (uint8_t *)ys_copy((const char *)bytes, (size_t)length);
    characteristic->value_length = (size_t)length;
    if (characteristic->type.length_place.line == 0 && characteristic->type.format->size == 0 &&
        characteristic->type.format->kind != YS_FORMAT_STRUCT)
        characteristic->type.length = (uint64_t)length;
}

static void check_access(struct ys_design *design, struct ys_characteristic *characteristic)
{
    struct ys_findings *findings = &design->findings;
    bool readable = characteristic->read != YS_RIGHT_NONE;
    bool writable = characteristic->write != YS_RIGHT_NONE || characteristic->write_command != YS_RIGHT_NONE;
    bool notifies = characteristic->notify != YS_RIGHT_NONE;
    if (!readable && !writable && !notifies)
        ys_findings_add(
            findings, YS_ERROR, "access-none", characteristic->place,
            "\"%s\" can be neither read nor written nor notified: add read:, write: or notify:", characteristic->name);
    if ((readable || notifies) && characteristic->value_text == NULL && !characteristic->read_handler)
        ys_findings_add(findings, YS_ERROR, "value-missing", characteristic->place,
                        "\"%s\" has nothing to send: add a value, or handler: read", characteristic->name);
    if (!readable && !notifies && characteristic->read_handler)
        ys_findings_add(
            findings, YS_ERROR, "handler-unreachable", characteristic->handler_place,
            "\"%s\" has a handler for reading that nobody can call: add read: or notify:", characteristic->name);
    if (!writable && characteristic->write_handler)
        ys_findings_add(findings, YS_ERROR, "handler-unreachable", characteristic->handler_place,
                        "\"%s\" has a handler for writing that nobody can call: add write:", characteristic->name);
    if (writable && !characteristic->write_handler && characteristic->value_text == NULL)
        ys_findings_add(findings, YS_ERROR, "write-nowhere", characteristic->place,
                        "a write to \"%s\" goes nowhere: add handler: write, or a value to start with",
                        characteristic->name);
    if (characteristic->write != YS_RIGHT_NONE && characteristic->write_command != YS_RIGHT_NONE &&
        characteristic->write != characteristic->write_command)
        ys_findings_add(findings, YS_ERROR, "rights-differ", characteristic->place,
                        "\"%s\" asks for different rights to write with and without response: take the same",
                        characteristic->name);
    if (characteristic->rights_place.line != 0)
        ys_findings_add(findings, YS_WARNING, "rights-unreachable", characteristic->rights_place,
                        "nobody can reach \"%s\" this way yet, since this version does not pair: every central is "
                        "refused",
                        characteristic->name);
}

static void check_spacing(struct ys_design *design, struct ys_characteristic *characteristic)
{
    if (characteristic->spacing_place.line == 0)
        return;
    if (characteristic->notify == YS_RIGHT_NONE)
        ys_findings_add(&design->findings, YS_ERROR, "spacing", characteristic->spacing_place,
                        "spacing is the least time between notifications: add notify:, or leave it out");
    if (characteristic->spacing_us % 1000 != 0 || characteristic->spacing_us > 60000000)
        ys_findings_add(&design->findings, YS_ERROR, "spacing", characteristic->spacing_place,
                        "spacing must be whole milliseconds, at most 60 s");
}

static bool stand_in_number(struct ys_design *design, const struct ys_characteristic *characteristic, const char *text,
                            const char *key, int64_t *raw)
{
    const char *problem = NULL;
    if (text == NULL) {
        ys_findings_add(&design->findings, YS_ERROR, "stand-in", characteristic->stand_in.place,
                        "this stand_in has no %s: add it", key);
        return false;
    }
    if (ys_value_parse_raw(&characteristic->type, text, raw, &problem))
        return true;
    ys_findings_add(&design->findings, YS_ERROR, "stand-in", characteristic->stand_in.place,
                    "%s: \"%s\" is no value of %s: %s", key, text, characteristic->name, problem);
    return false;
}

static void check_stand_in(struct ys_design *design, struct ys_characteristic *characteristic)
{
    struct ys_stand_in *stand_in = &characteristic->stand_in;
    enum ys_shape shape = stand_in->shape;
    if (shape == YS_SHAPE_NONE || characteristic->faulty)
        return;
    if (characteristic->type.format->kind != YS_FORMAT_UNSIGNED &&
        characteristic->type.format->kind != YS_FORMAT_SIGNED) {
        ys_findings_add(&design->findings, YS_ERROR, "stand-in", stand_in->place,
                        "only a number can move by itself: give \"%s\" a value", characteristic->name);
        return;
    }
    if (characteristic->type.format->bits > 48) {
        ys_findings_add(&design->findings, YS_ERROR, "stand-in", stand_in->place,
                        "only a number of at most 48 bits can move by itself: give \"%s\" a value",
                        characteristic->name);
        return;
    }
    bool moves = shape != YS_SHAPE_CONSTANT;
    bool good = stand_in_number(design, characteristic, stand_in->from_text, "from", &stand_in->from);
    if (moves)
        good &= stand_in_number(design, characteristic, stand_in->to_text, "to", &stand_in->to);
    if (shape == YS_SHAPE_RANDOM_WALK)
        good &= stand_in_number(design, characteristic, stand_in->step_text, "step", &stand_in->step);
    if (good && moves && stand_in->from >= stand_in->to)
        ys_findings_add(&design->findings, YS_ERROR, "stand-in", stand_in->place, "from must be less than to");
    if (good && shape == YS_SHAPE_RANDOM_WALK && stand_in->step <= 0)
        ys_findings_add(&design->findings, YS_ERROR, "stand-in", stand_in->place, "step must be more than 0");
    if ((shape == YS_SHAPE_RAMP || shape == YS_SHAPE_SINE) && stand_in->period_us == 0)
        ys_findings_add(&design->findings, YS_ERROR, "stand-in", stand_in->place,
                        "this stand_in has no period: say how long it takes to come round");
    if (moves && stand_in->every_us == 0)
        stand_in->every_us = 1000000;
}

/* descriptors */

/* A presentation format (Vol 3 Part G 3.3.3.5) knows a format, a power of ten and a unit, and nothing else. */
static void check_presentation(struct ys_design *design, const struct ys_characteristic *characteristic)
{
    const struct ys_field *type = &characteristic->type;
    if (!characteristic->presentation)
        return;
    if (ys_adopted_by_name(YS_ADOPTED_FORMAT, type->format->name) == NULL)
        ys_findings_add(&design->findings, YS_ERROR, "descriptor", characteristic->presentation_place,
                        "a presentation format cannot tell %s: leave it out, or take an adopted format",
                        type->format->name);
    else if (type->multiplier > 1 || type->halvings > 0)
        ys_findings_add(&design->findings, YS_ERROR, "descriptor", characteristic->presentation_place,
                        "a presentation format can only tell steps that are powers of ten: leave it out");
}

static void check_descriptor(struct ys_design *design, struct ys_descriptor *descriptor)
{
    static const struct ys_format bytes_format = {.name = "bytes", .kind = YS_FORMAT_BYTES};
    const struct ys_field field = {.format = &bytes_format, .length = 512};
    uint8_t bytes[512];
    const char *problem = NULL;
    if (descriptor->uuid_text == NULL || descriptor->value_text == NULL)
        return;
    resolve_uuid(design, YS_ADOPTED_DESCRIPTOR, descriptor->uuid_text, NULL, descriptor->place, NULL,
                 &descriptor->uuid);
    uint32_t number = ys_uuid_number(&descriptor->uuid);
    if (number == 0x2902 || number == 0x2901 || number == 0x2904 || (number >= 0x2800 && number <= 0x2803))
        ys_findings_add(&design->findings, YS_ERROR, "descriptor", descriptor->place,
                        "0x%04X is made from notify:, description:, presentation format: or the table itself: leave it "
                        "out",
                        (unsigned)number);
    int length = ys_value_parse(&field, descriptor->value_text, bytes, sizeof bytes, &problem);
    if (length < 0) {
        ys_findings_add(&design->findings, YS_ERROR, "value", descriptor->place,
                        "the value of a descriptor is written in hexadecimal: %s", problem);
        return;
    }
    descriptor->value = (uint8_t *)ys_copy((const char *)bytes, (size_t)length);
    descriptor->value_length = (size_t)length;
}

static void check_descriptors(struct ys_design *design, struct ys_characteristic *characteristic)
{
    check_presentation(design, characteristic);
    for (size_t i = 0; i < characteristic->descriptor_count; i++)
        check_descriptor(design, &characteristic->descriptors[i]);
}

/* What does not fit into 20 bytes is cut off for a central that never asks for a larger MTU (Vol 3 Part F 3.4.7.1). */
static void check_default_mtu(struct ys_design *design, const struct ys_characteristic *characteristic)
{
    if (characteristic->notify != YS_RIGHT_NONE && characteristic->type.length > 20)
        ys_findings_add(&design->findings, YS_ADVICE, "longer-than-mtu", characteristic->place,
                        "\"%s\" can be %llu bytes long: a central that keeps the MTU of 23 is notified of the first 20",
                        characteristic->name, (unsigned long long)characteristic->type.length);
}

static void check_characteristic(struct ys_design *design, const struct ys_service *service, size_t index)
{
    struct ys_characteristic *characteristic = &service->characteristics[index];
    if (characteristic->name == NULL) /* has been said */
        return;
    if (characteristic->uuid_text != NULL || !characteristic->faulty)
        resolve_uuid(design, YS_ADOPTED_CHARACTERISTIC, characteristic->uuid_text, characteristic->name,
                     characteristic->uuid_place, &service->uuid, &characteristic->uuid);
    check_characteristic_uuid(design, service, index);
    complete_format(design, characteristic);
    if (!check_fields(design, characteristic)) {
        characteristic->type.length = 1;
        return;
    }
    if (!characteristic->faulty)
        check_resolution(design, &characteristic->type, characteristic->place, characteristic->name);
    check_length(design, characteristic);
    check_value(design, characteristic);
    if (!characteristic->faulty)
        check_access(design, characteristic);
    check_spacing(design, characteristic);
    check_stand_in(design, characteristic);
    check_descriptors(design, characteristic);
}

/* adopted services */

static bool has_characteristic(const struct ys_service *service, const struct ys_adopted *adopted)
{
    for (size_t i = 0; i < service->characteristic_count; i++) {
        if (ys_uuid_number(&service->characteristics[i].uuid) == adopted->number)
            return true;
    }
    return false;
}

static void check_adopted_service(struct ys_design *design, const struct ys_service *service)
{
    const struct ys_adopted *adopted = find_adopted(YS_ADOPTED_SERVICE, &service->uuid);
    if (adopted == NULL || service->uuid.length != 2) /* a long form has been said to be wrong */
        return;
    for (size_t i = 0; i < adopted->has_count; i++) {
        const struct ys_adopted *part = ys_adopted_by_name(YS_ADOPTED_CHARACTERISTIC, adopted->has[i]);
        if (part != NULL && !has_characteristic(service, part))
            ys_findings_add(&design->findings, YS_WARNING, "mandatory-missing", service->place,
                            "the service %s must have the characteristic %s (0x%04X): add it", adopted->name,
                            part->name, part->number);
    }
}

/* the device */

/* Advice: who filters by a service that is not promised never finds the device. */
static void check_unpromised(struct ys_design *design)
{
    for (size_t i = 0; i < design->service_count && design->advertises; i++) {
        const struct ys_service *service = &design->services[i];
        bool promised = service->implied || service->secondary || service->name == NULL;
        for (size_t j = 0; j < design->promise_count; j++)
            promised |= design->promises[j].service == service;
        if (!promised)
            ys_findings_add(&design->findings, YS_ADVICE, "not-promised", service->place,
                            "\"%s\" is not advertised: a central that looks for it by its UUID will not find this "
                            "device",
                            service->name);
    }
}

static struct ys_service *service_named(const struct ys_design *design, const char *name)
{
    for (size_t i = 0; i < design->service_count; i++) {
        if (design->services[i].name != NULL && strcmp(design->services[i].name, name) == 0)
            return &design->services[i];
    }
    return NULL;
}

static void check_promises(struct ys_design *design)
{
    for (size_t i = 0; i < design->promise_count; i++) {
        struct ys_promise *promise = &design->promises[i];
        promise->service = service_named(design, promise->name);
        if (promise->service == NULL)
            ys_findings_add(&design->findings, YS_ERROR, "promise-unknown", promise->place,
                            "the advertisement promises \"%s\", which is not among the services: add it, or leave it "
                            "out",
                            promise->name);
        else if (promise->service->secondary)
            ys_findings_add(&design->findings, YS_ERROR, "promise-unknown", promise->place,
                            "\"%s\" is secondary, which nobody looks for: leave it out", promise->name);
    }
}

static bool is_included(const struct ys_design *design, const struct ys_service *service)
{
    for (size_t i = 0; i < design->service_count; i++) {
        for (size_t j = 0; j < design->services[i].include_count; j++) {
            if (design->services[i].includes[j].service == service)
                return true;
        }
    }
    return false;
}

/* Core 5.4 Vol 3 Part G 2.6.3: a service may include others, but not itself by whatever way. */
static bool reaches(const struct ys_service *from, const struct ys_service *service, size_t steps)
{
    for (size_t i = 0; i < from->include_count && steps > 0; i++) {
        if (from->includes[i].service == service ||
            (from->includes[i].service != NULL && reaches(from->includes[i].service, service, steps - 1)))
            return true;
    }
    return false;
}

static void check_includes(struct ys_design *design)
{
    for (size_t i = 0; i < design->service_count; i++) {
        struct ys_service *service = &design->services[i];
        for (size_t j = 0; j < service->include_count; j++) {
            service->includes[j].service = service_named(design, service->includes[j].name);
            if (service->includes[j].service == NULL)
                ys_findings_add(&design->findings, YS_ERROR, "include", service->includes[j].place,
                                "\"%s\" is not among the services: add it, or leave it out", service->includes[j].name);
        }
    }
    for (size_t i = 0; i < design->service_count; i++) {
        struct ys_service *service = &design->services[i];
        if (service->include_count > 0 && reaches(service, service, 8))
            ys_findings_add(&design->findings, YS_ERROR, "include", service->includes[0].place,
                            "\"%s\" includes itself, by whatever way: leave that out", service->name);
        else if (service->secondary && !is_included(design, service))
            ys_findings_add(&design->findings, YS_WARNING, "include", service->place,
                            "\"%s\" is secondary, and no service includes it: nobody will find it", service->name);
    }
}

static void check_device(struct ys_design *design)
{
    if (design->name != NULL && strlen(design->name) > 248) /* Vol 3 Part C 12.1 */
        ys_findings_add(&design->findings, YS_ERROR, "name-too-long", design->name_place,
                        "the name is %zu bytes long: a device name has at most 248", strlen(design->name));
    if (!design->advertises)
        ys_findings_add(&design->findings, YS_WARNING, "not-advertised", (struct ys_place){.line = 1, .column = 1},
                        "nobody can find this device: add advertising: with an interval");
}

/* An own UUID in two services is most likely a copy that was forgotten; adopted ones may well come twice. */
static void check_across_services(struct ys_design *design, size_t service, size_t index)
{
    const struct ys_characteristic *one = &design->services[service].characteristics[index];
    for (size_t i = 0; i < service && one->uuid.length == 16; i++) {
        for (size_t j = 0; j < design->services[i].characteristic_count; j++) {
            const struct ys_characteristic *other = &design->services[i].characteristics[j];
            if (!ys_uuid_is_equal(&one->uuid, &other->uuid))
                continue;
            ys_findings_add(&design->findings, YS_WARNING, "uuid-duplicate", one->uuid_place,
                            "this is also the UUID of \"%s\" in the service \"%s\": give each its own", other->name,
                            design->services[i].name);
            return;
        }
    }
}

/* What is only seen well once nothing is wrong. */
static void check_again(struct ys_design *design)
{
    for (size_t i = 0; i < design->service_count; i++) {
        if (!design->services[i].implied)
            check_adopted_service(design, &design->services[i]);
        for (size_t j = 0; j < design->services[i].characteristic_count; j++) {
            check_default_mtu(design, &design->services[i].characteristics[j]);
            check_across_services(design, i, j);
        }
    }
    check_unpromised(design);
}

void ys_design_check(struct ys_design *design)
{
    check_device(design);
    for (size_t i = 0; i < design->service_count; i++) {
        struct ys_service *service = &design->services[i];
        if (!service->implied)
            resolve_uuid(design, YS_ADOPTED_SERVICE, service->uuid_text, service->name, service->uuid_place, NULL,
                         &service->uuid);
        for (size_t j = 0; j < service->characteristic_count && !service->implied; j++)
            check_characteristic(design, service, j);
    }
    check_service_uuids(design);
    check_all_names(design);
    check_includes(design);
    check_promises(design);
    ys_payload_check(design);
    if (design->findings.errors == 0)
        check_again(design);
}

uint8_t ys_characteristic_properties(const struct ys_characteristic *characteristic)
{
    return (uint8_t)((characteristic->read != YS_RIGHT_NONE ? YS_PROPERTY_READ : 0) |
                     (characteristic->write != YS_RIGHT_NONE ? YS_PROPERTY_WRITE : 0) |
                     (characteristic->write_command != YS_RIGHT_NONE ? YS_PROPERTY_WRITE_WITHOUT_RESPONSE : 0) |
                     (characteristic->notify != YS_RIGHT_NONE ? YS_PROPERTY_NOTIFY : 0));
}

const struct ys_service *ys_design_find_service(const struct ys_design *design, const struct ys_uuid *uuid)
{
    for (size_t i = 0; i < design->service_count; i++) {
        if (ys_uuid_is_equal(&design->services[i].uuid, uuid))
            return &design->services[i];
    }
    return NULL;
}
