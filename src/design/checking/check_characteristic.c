/* Checks of characteristics: types, rights, and the combination of their keys. */
#include "design/checking/check_characteristic.h"

#include <ctype.h>
#include <stdlib.h>
#include <string.h>

#include "design/checking/check_type.h"
#include "design/checking/check_uuids.h"
#include "design/model/memory.h"
#include "design/model/value.h"
#include "design/model/value_parse.h"
#include "design/reading/catalogue.h"
#include "design/reading/files.h"
#include "design/reading/type.h"

#define COUNT(array) (sizeof(array) / sizeof((array)[0]))

static void complete_format(struct ys_design *design, struct ys_characteristic *characteristic)
{
    const struct ys_adopted *adopted = ys_find_adopted(YS_ADOPTED_CHARACTERISTIC, &characteristic->uuid);
    if (adopted != NULL && adopted->type != NULL)
        ys_type_inherit(&characteristic->type, adopted->type);
    if (characteristic->streams && characteristic->type.format == NULL && !characteristic->type.length.given) {
        characteristic->type.format = ys_format_find("bytes"); /* whatever a notification holds */
        characteristic->type.length = (struct ys_counted){.number = 512, .place = characteristic->place, .given = true};
    }
    if (characteristic->type.format == NULL) {
        if (!characteristic->faulty)
            ys_findings_add(&design->findings, YS_ERROR, "format-missing", characteristic->place,
                            "\"%s\" has no format: add one, such as format: uint16", characteristic->name);
        characteristic->type.format = ys_format_find("bytes");
        characteristic->type.length.number = 1;
        characteristic->type.has_resolution = false;
        characteristic->type.multiplier = 0;
        characteristic->type.halvings = 0;
        characteristic->value_text.text = NULL;
        characteristic->stand_in.shape = YS_SHAPE_NONE;
    }
}

/* What a characteristic must have to be of use. */
static void check_access(struct ys_design *design, struct ys_characteristic *characteristic)
{
    struct ys_findings *findings = &design->findings;
    bool readable = ys_offers(characteristic, YS_WAY_READ);
    bool writable = ys_is_writable(characteristic);
    bool notifies = ys_is_notifiable(characteristic);
    bool has_value = characteristic->value_text.text != NULL;
    if (!readable && !writable && !notifies && !characteristic->broadcasts)
        ys_findings_add(
            findings, YS_ERROR, "access-none", characteristic->place,
            "\"%s\" can be neither read nor written nor notified: add read:, write: or notify:", characteristic->name);
    if (characteristic->streams &&
        (!ys_offers(characteristic, YS_WAY_NOTIFY) || ys_offers(characteristic, YS_WAY_INDICATE) || readable ||
         has_value || characteristic->read_handler))
        ys_findings_add(findings, YS_ERROR, "stream", characteristic->place,
                        "\"%s\" is a stream, which is notified and has no value: give it notify:, and leave out read:, "
                        "indicate:, value: and handler: read",
                        characteristic->name);
    else if (characteristic->queues && (!notifies || characteristic->streams || characteristic->spacing_us.given))
        ys_findings_add(findings, YS_ERROR, "outbox", characteristic->place,
                        "\"%s\" has an outbox, from which each value is sent as soon as the link has room: give it "
                        "notify: or indicate:, and leave out stream: and notification spacing:",
                        characteristic->name);
    else if (characteristic->queues && !readable && has_value)
        ys_findings_add(findings, YS_ERROR, "outbox", characteristic->place,
                        "\"%s\" has an outbox and is not readable: remove value:, or add read:", characteristic->name);
    else if ((readable || (notifies && !characteristic->queues)) && !characteristic->streams && !has_value &&
             !characteristic->read_handler)
        ys_findings_add(findings, YS_ERROR, "value-missing", characteristic->place,
                        "\"%s\" has nothing to send: add a value, or handler: read", characteristic->name);
    if (!readable && (!notifies || characteristic->queues) && characteristic->read_handler)
        ys_findings_add(findings, YS_ERROR, "handler-unreachable", characteristic->handler_place,
                        "\"%s\" has a read handler but no right to read: add read:%s", characteristic->name,
                        characteristic->queues ? "" : " or notify:");
    if (!writable && characteristic->write_handler)
        ys_findings_add(findings, YS_ERROR, "handler-unreachable", characteristic->handler_place,
                        "\"%s\" has a write handler but no right to write: add write:", characteristic->name);
    if (characteristic->handler_id != NULL && !characteristic->read_handler && !characteristic->write_handler)
        ys_findings_add(findings, YS_ERROR, "handler-name", characteristic->handler_name_place,
                        "\"%s\" has no handler that could be shared under this name: add handler:, or leave it out",
                        characteristic->name);
    if (writable && !characteristic->write_handler && !has_value)
        ys_findings_add(findings, YS_ERROR, "write-nowhere", characteristic->place,
                        "a write to \"%s\" is lost: add handler: write, or an initial value", characteristic->name);
    if (characteristic->reliable && !ys_offers(characteristic, YS_WAY_WRITE))
        ys_findings_add(
            findings, YS_ERROR, "access-none", characteristic->place,
            "\"%s\" takes reliable writes, which are writes with a response: add write:", characteristic->name);
    if (ys_offers(characteristic, YS_WAY_SIGNED_WRITE))
        ys_findings_add(findings, YS_WARNING, "unsupported", characteristic->ways[YS_WAY_SIGNED_WRITE].place,
                        "this host takes no signed writes to \"%s\": offer write without response on an encrypted "
                        "link instead",
                        characteristic->name);
}

/* Attributes have one right for all kinds of writes, and one client configuration. */
static void check_equal_rights(struct ys_design *design, const struct ys_characteristic *characteristic)
{
    static const struct {
        enum ys_way first;
        enum ys_way last;
        const char *what;
    } groups[] = {{YS_WAY_WRITE, YS_WAY_SIGNED_WRITE, "to write with and without response"},
                  {YS_WAY_NOTIFY, YS_WAY_INDICATE, "to be notified and to be indicated"}};
    for (size_t i = 0; i < COUNT(groups); i++) {
        const struct ys_offer *first = NULL;
        for (enum ys_way way = groups[i].first; way <= groups[i].last; way++) {
            const struct ys_offer *offer = &characteristic->ways[way];
            if (offer->right == YS_RIGHT_NONE)
                continue;
            if (first != NULL && (first->right != offer->right || first->asks != offer->asks))
                ys_findings_add(&design->findings, YS_ERROR, "rights-differ", offer->place,
                                "\"%s\" asks for different rights %s: take the same", characteristic->name,
                                groups[i].what);
            first = offer;
        }
    }
}

/* What the standard allows; some of its values beyond mean that nothing is known. */
static void check_adopted_range(struct ys_design *design, struct ys_characteristic *characteristic)
{
    const struct ys_adopted *adopted = ys_find_adopted(YS_ADOPTED_CHARACTERISTIC, &characteristic->uuid);
    const struct ys_field *type = &characteristic->type;
    int64_t *range = characteristic->usual;
    const char *problem = NULL;
    characteristic->has_usual = adopted != NULL && adopted->range[0] != NULL && adopted->range[1] != NULL &&
                                adopted->type->format == type->format && adopted->type->exponent == type->exponent &&
                                adopted->type->multiplier == type->multiplier &&
                                adopted->type->halvings == type->halvings &&
                                ys_value_parse_raw(adopted->type, adopted->range[0], &range[0], &problem) &&
                                ys_value_parse_raw(adopted->type, adopted->range[1], &range[1], &problem);
    if (characteristic->value == NULL || !characteristic->has_usual)
        return;
    int64_t raw = ys_value_decode(&characteristic->type, characteristic->value);
    if (raw < range[0] || raw > range[1])
        ys_findings_add(&design->findings, YS_WARNING, "range", characteristic->value_text.place,
                        "\"%s\" is not among the values of %s, which go from %s to %s", characteristic->value_text.text,
                        adopted->name, adopted->range[0], adopted->range[1]);
}

static void check_spacing(struct ys_design *design, struct ys_characteristic *characteristic)
{
    const struct ys_counted *spacing = &characteristic->spacing_us;
    if (!spacing->given)
        return;
    if (!ys_is_notifiable(characteristic))
        ys_findings_add(&design->findings, YS_ERROR, "notification-spacing", spacing->place,
                        "notification spacing is the minimum time between notifications: add notify:, or leave it out");
    if (spacing->number % 1000 != 0 || spacing->number > 60000000)
        ys_findings_add(&design->findings, YS_ERROR, "notification-spacing", spacing->place,
                        "notification spacing must be whole milliseconds, at most 60 s");
}

static bool is_number(const struct ys_field *type)
{
    return type->format->kind == YS_FORMAT_UNSIGNED || type->format->kind == YS_FORMAT_SIGNED;
}

static void check_any_value(struct ys_design *design, const struct ys_characteristic *characteristic)
{
    if (characteristic->any_value && (characteristic->range_count == 0 || !characteristic->write_handler))
        ys_findings_add(&design->findings, YS_ERROR, "any-value", characteristic->any_value_place,
                        "any value is for a handler: write of a value with a range: leave it out of \"%s\"",
                        characteristic->name);
}

/* The valid range, and whether the value lies in it. */
static void check_range(struct ys_design *design, struct ys_characteristic *characteristic)
{
    const char *problem = NULL;
    if (characteristic->range_count != 2 || characteristic->faulty)
        return;
    if (!is_number(&characteristic->type)) {
        ys_findings_add(&design->findings, YS_ERROR, "range", characteristic->range_place,
                        "only a whole number has a range: leave it out of \"%s\"", characteristic->name);
        return;
    }
    if (characteristic->type.format->bits > 48) {
        ys_findings_add(&design->findings, YS_ERROR, "range", characteristic->range_place,
                        "only a number of at most 48 bits can have a range: remove it from \"%s\"",
                        characteristic->name);
        return;
    }
    for (size_t i = 0; i < 2; i++) {
        const struct ys_written *end = &characteristic->range_text[i];
        if (ys_value_parse_raw(&characteristic->type, end->text, &characteristic->range[i], &problem))
            continue;
        ys_findings_add(&design->findings, YS_ERROR, "range", end->place, "\"%s\" is no value of %s: %s", end->text,
                        characteristic->name, problem);
        return;
    }
    if (characteristic->range[0] >= characteristic->range[1]) {
        ys_findings_add(&design->findings, YS_ERROR, "range", characteristic->range_place,
                        "the minimum of a range must be less than the maximum");
        return;
    }
    characteristic->has_range = true;
    if (characteristic->value == NULL)
        return;
    int64_t raw = ys_value_decode(&characteristic->type, characteristic->value);
    if (raw < characteristic->range[0] || raw > characteristic->range[1])
        ys_findings_add(&design->findings, YS_ERROR, "range", characteristic->value_text.place,
                        "\"%s\" is out of the range of %s: take one inside", characteristic->value_text.text,
                        characteristic->name);
}

static bool stand_in_number(struct ys_design *design, const struct ys_characteristic *characteristic,
                            const struct ys_written *written, const char *key, int64_t *raw)
{
    const char *problem = NULL;
    const char *text = written->text;
    if (text == NULL) {
        ys_findings_add(&design->findings, YS_ERROR, "simulate", characteristic->stand_in.place,
                        "simulate needs %s:", key);
        return false;
    }
    if (ys_value_parse_raw(&characteristic->type, text, raw, &problem))
        return true;
    ys_findings_add(&design->findings, YS_ERROR, "simulate", characteristic->stand_in.place,
                    "%s: \"%s\" is no value of %s: %s", key, text, characteristic->name, problem);
    return false;
}

/* The first column of a CSV file; lines that begin with a letter or # are headings. */
static void read_recorded(struct ys_design *design, struct ys_characteristic *characteristic, char *text)
{
    struct ys_stand_in *stand_in = &characteristic->stand_in;
    char *save = NULL;
    int row = 0;
    for (char *line = strtok_r(text, "\n", &save); line != NULL; line = strtok_r(NULL, "\n", &save)) {
        const char *problem = NULL;
        int64_t raw = 0;
        row++;
        line[strcspn(line, ",;\t\r")] = '\0';
        if (line[0] == '\0' || line[0] == '#' || isalpha((unsigned char)line[0]))
            continue;
        if (!ys_value_parse_raw(&characteristic->type, line, &raw, &problem)) {
            ys_findings_add(&design->findings, YS_ERROR, "simulate", stand_in->file.place,
                            "row %d of \"%s\": \"%s\" is no value of %s: %s", row, stand_in->file.text, line,
                            characteristic->name, problem);
            return;
        }
        stand_in->recorded = ys_grow(stand_in->recorded, stand_in->recorded_count, sizeof *stand_in->recorded);
        stand_in->recorded[stand_in->recorded_count++] = raw;
    }
    if (stand_in->recorded_count == 0)
        ys_findings_add(&design->findings, YS_ERROR, "simulate", stand_in->file.place,
                        "\"%s\" has no values: write one a row", stand_in->file.text);
}

static void check_recorded(struct ys_design *design, struct ys_characteristic *characteristic)
{
    struct ys_stand_in *stand_in = &characteristic->stand_in;
    size_t length = 0;
    char *path = NULL;
    if (stand_in->file.text == NULL) {
        ys_findings_add(&design->findings, YS_ERROR, "simulate", stand_in->place,
                        "simulate needs a file with its values");
        return;
    }
    char *text = ys_load_beside(design, stand_in->file.place, stand_in->file.text, &path, &length);
    if (text == NULL)
        ys_findings_add(&design->findings, YS_ERROR, "simulate", stand_in->file.place,
                        "\"%s\" cannot be read: a path is meant from the folder of the file that names it", path);
    else if (strlen(text) != length)
        ys_findings_add(&design->findings, YS_ERROR, "simulate", stand_in->file.place,
                        "\"%s\" is no text: write a value a row", path);
    else
        read_recorded(design, characteristic, text);
    free(text);
    free(path);
    if (stand_in->recorded_count > 0)
        stand_in->from = stand_in->recorded[0];
}

static void check_stand_in(struct ys_design *design, struct ys_characteristic *characteristic)
{
    struct ys_stand_in *stand_in = &characteristic->stand_in;
    enum ys_shape shape = (enum ys_shape)stand_in->shape;
    if (shape == YS_SHAPE_NONE || characteristic->faulty)
        return;
    if (!is_number(&characteristic->type)) {
        ys_findings_add(&design->findings, YS_ERROR, "simulate", stand_in->place,
                        "only numbers can be simulated: give \"%s\" a value", characteristic->name);
        return;
    }
    if (characteristic->type.format->bits > 48) {
        ys_findings_add(&design->findings, YS_ERROR, "simulate", stand_in->place,
                        "only numbers of at most 48 bits can be simulated: give \"%s\" a value", characteristic->name);
        return;
    }
    if (stand_in->every_us.given && stand_in->every_us.number < 1000)
        ys_findings_add(&design->findings, YS_ERROR, "simulate", stand_in->every_us.place,
                        "every must be at least 1 ms");
    if (stand_in->period_us.given && stand_in->period_us.number == 0)
        ys_findings_add(&design->findings, YS_ERROR, "simulate", stand_in->period_us.place,
                        "period must be longer than nothing");
    if (!stand_in->every_us.given)
        stand_in->every_us.number = 1000000;
    if (shape == YS_SHAPE_RECORDED) {
        check_recorded(design, characteristic);
        return;
    }
    bool moves = shape != YS_SHAPE_CONSTANT;
    bool good = stand_in_number(design, characteristic, &stand_in->from_text, "from", &stand_in->from);
    if (moves)
        good &= stand_in_number(design, characteristic, &stand_in->to_text, "to", &stand_in->to);
    if (shape == YS_SHAPE_RANDOM_WALK)
        good &= stand_in_number(design, characteristic, &stand_in->step_text, "step", &stand_in->step);
    if (good && moves && stand_in->from >= stand_in->to)
        ys_findings_add(&design->findings, YS_ERROR, "simulate", stand_in->place, "from must be less than to");
    if (good && shape == YS_SHAPE_RANDOM_WALK && stand_in->step <= 0)
        ys_findings_add(&design->findings, YS_ERROR, "simulate", stand_in->place, "step must be more than 0");
    if ((shape == YS_SHAPE_RAMP || shape == YS_SHAPE_SINE) && !stand_in->period_us.given)
        ys_findings_add(&design->findings, YS_ERROR, "simulate", stand_in->place, "simulate needs a period");
}

/* descriptors */

/* A presentation format (Vol 3 Part G 3.3.3.5) knows a format, a power of ten and a unit, and nothing else. */
static void check_presentation(struct ys_design *design, const struct ys_characteristic *characteristic,
                               const struct ys_field *type)
{
    struct ys_place place = characteristic->presentation_place;
    if (ys_adopted_by_name(YS_ADOPTED_FORMAT, type->format->name) == NULL)
        ys_findings_add(&design->findings, YS_ERROR, "descriptor", place,
                        "a presentation format cannot describe %s: remove it, or use an adopted format",
                        type->format->name);
    else if (type->multiplier > 1 || type->halvings > 0)
        ys_findings_add(&design->findings, YS_ERROR, "descriptor", place,
                        "a presentation format can only describe powers of ten: remove it");
    else if (type->depends || type->most.number > 0)
        ys_findings_add(&design->findings, YS_ERROR, "descriptor", place,
                        "presentation formats cannot describe the optional field \"%s\": remove them",
                        type->name != NULL ? type->name : characteristic->name);
}

static void check_presentations(struct ys_design *design, const struct ys_characteristic *characteristic)
{
    const struct ys_field *type = &characteristic->type;
    if (!characteristic->presentation || characteristic->faulty)
        return;
    if (type->field_count == 0)
        check_presentation(design, characteristic, type);
    for (size_t i = 0; i < type->field_count; i++)
        check_presentation(design, characteristic, &type->fields[i]);
}

static void check_description(struct ys_design *design, struct ys_characteristic *characteristic)
{
    const struct ys_written *description = &characteristic->description;
    struct ys_counted *length = &characteristic->description_length;
    if (description->text == NULL)
        return;
    size_t needed = strlen(description->text);
    size_t room = length->given ? (size_t)length->number : 512;
    if (needed > room)
        ys_findings_add(&design->findings, YS_ERROR, "length", description->place,
                        "the description has %zu bytes, and may have %zu", needed, room);
    if (length->given && characteristic->description_write.right == YS_RIGHT_NONE)
        ys_findings_add(&design->findings, YS_ERROR, "length", length->place,
                        "a constant description has its own length: remove length");
    if (!length->given)
        length->number = needed;
}

static void check_descriptor(struct ys_design *design, struct ys_descriptor *descriptor)
{
    static const struct ys_format bytes_format = {.name = "bytes", .kind = YS_FORMAT_BYTES};
    if (descriptor->uuid_text.text == NULL || descriptor->value_text.text == NULL)
        return;
    ys_resolve_uuid(design, YS_ADOPTED_DESCRIPTOR, &descriptor->uuid_text, NULL, NULL, &descriptor->uuid);
    uint32_t number = ys_uuid_number(&descriptor->uuid);
    if ((number >= 0x2900 && number <= 0x2906) || (number >= 0x2800 && number <= 0x2803))
        ys_findings_add(&design->findings, YS_ERROR, "descriptor", descriptor->place,
                        "0x%04X is made from other keys (notify, description, presentation format, range, broadcast, "
                        "reliable write) or is the table itself: leave it out",
                        (unsigned)number);
    if (descriptor->read.right == YS_RIGHT_NONE && descriptor->write.right == YS_RIGHT_NONE)
        descriptor->read.right = YS_RIGHT_OPEN;
    if (descriptor->type.format == NULL)
        descriptor->type.format = &bytes_format;
    if (ys_check_type(design, &descriptor->type, "a descriptor", descriptor->place))
        descriptor->value = ys_check_value(design, &descriptor->type, &descriptor->value_text, "a descriptor",
                                           &descriptor->value_length);
}

static void check_descriptors(struct ys_design *design, struct ys_characteristic *characteristic)
{
    check_presentations(design, characteristic);
    check_description(design, characteristic);
    for (size_t i = 0; i < characteristic->descriptor_count; i++)
        check_descriptor(design, &characteristic->descriptors[i]);
}

#define MTU_USUAL 247 /* config.h */
#define MTU_MOST  517

/* A value longer than the device's own MTU allows can never be sent completely. */
static bool check_own_mtu(struct ys_design *design, const struct ys_characteristic *characteristic)
{
    const struct ys_counted *mtu = &design->limits.mtu;
    unsigned long long own = mtu->given ? mtu->number : MTU_USUAL;
    unsigned long long length = characteristic->type.length.number;
    if (!ys_is_notifiable(characteristic) || characteristic->streams || length + 3 <= own)
        return false;
    ys_findings_add(&design->findings, mtu->given ? YS_WARNING : YS_ADVICE, "longer-than-limit", characteristic->place,
                    "\"%s\" can be %llu bytes long, and with an MTU of %llu, which is the most this device agrees to, "
                    "%s: say limits: {mtu: %llu}",
                    characteristic->name, length, own,
                    characteristic->queues ? "longer values never leave the outbox" : "the rest is cut off",
                    length + 3 < MTU_MOST ? length + 3 : (unsigned long long)MTU_MOST);
    return true;
}

/* A value of more than 20 bytes is truncated for a central that never asks for a larger MTU (Vol 3 Part F 3.4.7.1). */
void ys_check_advice(struct ys_design *design, const struct ys_characteristic *characteristic)
{
    unsigned long long length = characteristic->type.length.number;
    bool said = check_own_mtu(design, characteristic);
    if (!said && ys_is_notifiable(characteristic) && !characteristic->streams && length > 20)
        ys_findings_add(&design->findings, YS_ADVICE, "longer-than-mtu", characteristic->place,
                        "\"%s\" can be %llu bytes long: a central that keeps the MTU of 23 is sent %s",
                        characteristic->name, length,
                        characteristic->queues ? "none that is longer than 20" : "the first 20");
    if (ys_is_writable(characteristic) && length > 20)
        ys_findings_add(&design->findings, YS_ADVICE, "longer-than-mtu", characteristic->place,
                        "\"%s\" can be %llu bytes long: a central that keeps the MTU of 23 can write the first 20 only",
                        characteristic->name, length);
    if (ys_offers(characteristic, YS_WAY_NOTIFY) && characteristic->read_handler && !characteristic->spacing_us.given)
        ys_findings_add(&design->findings, YS_ADVICE, "no-notification-spacing", characteristic->place,
                        "\"%s\" is notified at every change, even by a noisy sensor: limit that, such as notification "
                        "spacing: 100 ms",
                        characteristic->name);
}

/* A text or bytes without a length have that of their value, if that is constant. */
static void check_free_length(struct ys_design *design, const struct ys_characteristic *characteristic)
{
    const struct ys_field *type = &characteristic->type;
    bool constant = characteristic->value_text.text != NULL && !ys_is_writable(characteristic);
    if (type->format->size != 0 || type->format->kind == YS_FORMAT_STRUCT || type->length.number != 0 || constant ||
        characteristic->faulty)
        return;
    ys_findings_add(&design->findings, YS_ERROR, "length", characteristic->place,
                    "\"%s\" has no length: add the maximum, such as length: 20", characteristic->name);
}

void ys_check_characteristic(struct ys_design *design, const struct ys_service *service, size_t index)
{
    struct ys_characteristic *characteristic = &service->characteristics[index];
    if (characteristic->name == NULL) /* has been said */
        return;
    if (characteristic->uuid_text.text != NULL || !characteristic->faulty)
        ys_resolve_uuid(design, YS_ADOPTED_CHARACTERISTIC, &characteristic->uuid_text, characteristic->name,
                        &service->uuid, &characteristic->uuid);
    ys_check_characteristic_uuid(design, service, index);
    complete_format(design, characteristic);
    if (!ys_check_type(design, &characteristic->type, characteristic->name, characteristic->place))
        return;
    for (size_t i = 0; i < characteristic->type.field_count; i++) {
        if (characteristic->type.fields[i].order == YS_MOST_FIRST + 1) /* Core 5.4 Vol 3 Part G 2.4 */
            ys_findings_add(&design->findings, YS_ERROR, "order", characteristic->type.fields[i].place,
                            "values of characteristics are little endian: remove byte order");
    }
    check_free_length(design, characteristic);
    if (characteristic->value_text.text != NULL)
        characteristic->value = ys_check_value(design, &characteristic->type, &characteristic->value_text,
                                               characteristic->name, &characteristic->value_length);
    if (characteristic->type.length.number == 0)
        characteristic->type.length.number = characteristic->value != NULL ? characteristic->value_length : 512;
    if (!characteristic->faulty) {
        check_access(design, characteristic);
        check_equal_rights(design, characteristic);
    }
    check_range(design, characteristic);
    check_any_value(design, characteristic);
    check_adopted_range(design, characteristic);
    check_spacing(design, characteristic);
    check_stand_in(design, characteristic);
    check_descriptors(design, characteristic);
}
