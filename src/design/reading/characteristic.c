/* The keys of characteristics, their descriptors and stand-ins. */
#include "design/reading/characteristic.h"

#include <stddef.h>
#include <string.h>

#include "design/model/memory.h"
#include "design/reading/names.h"
#include "design/reading/type.h"

#define COUNT(array)  (sizeof(array) / sizeof((array)[0]))
#define INTO(member)  offsetof(struct ys_characteristic, member)
#define WAY_INTO(way) offsetof(struct ys_characteristic, ways[way])

/* simulate: */

static const char *const shapes[] = {"constant", "ramp", "sine", "random walk", "recorded", NULL};
static const struct ys_kind kind_shape = {.form = YS_WORD, .words = shapes};

static const struct ys_key stand_in_keys[] = {
    {"shape", ys_key_word, &kind_shape, "How the value changes", true, offsetof(struct ys_stand_in, shape)},
    {"from", ys_key_value, &ys_kind_text, "The constant value, or the minimum", false,
     offsetof(struct ys_stand_in, from_text)},
    {"to", ys_key_value, &ys_kind_text, "The maximum", false, offsetof(struct ys_stand_in, to_text)},
    {"step", ys_key_written, &ys_kind_text, "Maximum step of a random walk", false,
     offsetof(struct ys_stand_in, step_text)},
    {"file", ys_key_written, &ys_kind_text, "CSV file whose first column has the values", false,
     offsetof(struct ys_stand_in, file)},
    {"period", ys_key_time, &ys_kind_time, "Period of a ramp or a sine", false,
     offsetof(struct ys_stand_in, period_us)},
    {"every", ys_key_time, &ys_kind_time, "Time between two changes, from 1 ms (default 1 s)", false,
     offsetof(struct ys_stand_in, every_us)},
};
static const struct ys_mapping stand_in_mapping = {"simulate", stand_in_keys, COUNT(stand_in_keys), NULL};
static const struct ys_kind kind_stand_in = {.form = YS_MAPPING, .mapping = &stand_in_mapping};

static void characteristic_stand_in(const struct ys_node *node, void *target)
{
    struct ys_characteristic *characteristic = target;
    characteristic->stand_in.place = node->place;
    (void)ys_yaml_mapping(node, &stand_in_mapping, &characteristic->stand_in);
}

/* rights */

static const char *const rights[] = {"open",
                                     "encrypted",
                                     "authenticated",
                                     "secure connections",
                                     "open and ask",
                                     "encrypted and ask",
                                     "authenticated and ask",
                                     "secure connections and ask",
                                     NULL};
static const struct ys_kind kind_right = {.form = YS_WORD, .words = rights};

static void read_offer(const struct ys_node *node, void *target)
{
    struct ys_offer *offer = (struct ys_offer *)((char *)target + node->key->into);
    int word = ys_yaml_word(node);
    if (word == 0)
        return;
    offer->place = node->place;
    offer->right = (enum ys_right)((word - 1) % 4 + YS_RIGHT_OPEN);
    offer->asks = word > 4;
}

/* handler: */

static const char *const handlers[] = {"read", "write", NULL};
static const struct ys_kind kind_handler = {.form = YS_WORD, .words = handlers};
static const struct ys_kind kind_handlers = {.form = YS_LIST, .items = &kind_handler, .otherwise = &kind_handler};

static void read_handler(const struct ys_node *node, struct ys_characteristic *characteristic)
{
    int word = ys_yaml_word(node);
    characteristic->read_handler |= word == 1;
    characteristic->write_handler |= word == 2;
}

static void characteristic_handler(const struct ys_node *node, void *target)
{
    struct ys_characteristic *characteristic = target;
    struct ys_node item;
    void *iterator = NULL;
    characteristic->handler_place = node->place;
    characteristic->read_handler = false; /* what use: may have brought */
    characteristic->write_handler = false;
    if (!ys_yaml_is_sequence(node)) {
        read_handler(node, characteristic);
        return;
    }
    while (ys_yaml_next(node, &iterator, &item))
        read_handler(&item, characteristic);
}

/* descriptors */

static const struct ys_key description_keys[] = {
    {"text", ys_key_written, &ys_kind_text, "Initial description", true, INTO(description)},
    {"length", ys_key_number, &ys_kind_length, "Maximum length in bytes", false, INTO(description_length)},
    {"write", read_offer, &kind_right, "Right to write it", false, INTO(description_write)},
};
static const struct ys_mapping description_mapping = {"description", description_keys, COUNT(description_keys), NULL};
static const struct ys_kind kind_description = {
    .form = YS_TEXT, .otherwise = &(const struct ys_kind){.form = YS_MAPPING, .mapping = &description_mapping}};

static void characteristic_description(const struct ys_node *node, void *target)
{
    if (ys_yaml_is_mapping(node))
        (void)ys_yaml_mapping(node, &description_mapping, target);
    else
        ys_key_written(node, target);
}

static void characteristic_any_value(const struct ys_node *node, void *target)
{
    ((struct ys_characteristic *)target)->any_value_place = node->place;
    ys_key_yes(node, target);
}

static void characteristic_handler_name(const struct ys_node *node, void *target)
{
    struct ys_characteristic *characteristic = target;
    characteristic->handler_name_place = node->place;
    ys_read_name(node, &characteristic->handler_name, &characteristic->handler_id);
}

static void characteristic_presentation(const struct ys_node *node, void *target)
{
    ((struct ys_characteristic *)target)->presentation_place = node->place;
    ys_key_yes(node, target);
}

static void characteristic_range(const struct ys_node *node, void *target)
{
    struct ys_characteristic *characteristic = target;
    struct ys_node item;
    void *iterator = NULL;
    characteristic->range_place = node->place;
    for (characteristic->range_count = 0; ys_yaml_next(node, &iterator, &item); characteristic->range_count++) {
        if (characteristic->range_count < 2)
            characteristic->range_text[characteristic->range_count] =
                (struct ys_written){.text = ys_yaml_text(&item), .place = item.place};
    }
    if (ys_yaml_is_sequence(node) && characteristic->range_count != 2)
        ys_findings_add(node->findings, YS_ERROR, "range", node->place,
                        "range must be a list of minimum and maximum, such as [0, 150]");
}

static const struct ys_key descriptor_keys[] = {
    {"uuid", ys_key_written, &ys_kind_text, "An adopted name, its number, or 128 bits", true,
     offsetof(struct ys_descriptor, uuid_text)},
    {"value", ys_key_value, &ys_kind_text, "The value: constant, or initial", true,
     offsetof(struct ys_descriptor, value_text)},
    {"read", read_offer, &kind_right, "Right to read it (default: open)", false, offsetof(struct ys_descriptor, read)},
    {"write", read_offer, &kind_right, "Right to write it (default: nobody)", false,
     offsetof(struct ys_descriptor, write)},
    YS_TYPE_KEYS(offsetof(struct ys_descriptor, type)),
};
static const struct ys_mapping descriptor_mapping = {"a descriptor", descriptor_keys, COUNT(descriptor_keys), NULL};
static const struct ys_kind kind_descriptors = {
    .form = YS_LIST, .items = &(const struct ys_kind){.form = YS_MAPPING, .mapping = &descriptor_mapping}};

static void characteristic_descriptors(const struct ys_node *node, void *target)
{
    struct ys_characteristic *characteristic = target;
    struct ys_node item;
    void *iterator = NULL;
    while (ys_yaml_next(node, &iterator, &item)) {
        characteristic->descriptors =
            ys_grow(characteristic->descriptors, characteristic->descriptor_count, sizeof *characteristic->descriptors);
        struct ys_descriptor *descriptor = &characteristic->descriptors[characteristic->descriptor_count++];
        *descriptor = (struct ys_descriptor){.place = item.place};
        (void)ys_yaml_mapping(&item, &descriptor_mapping, descriptor);
    }
}

/* the whole */

static void characteristic_name(const struct ys_node *node, void *target)
{
    struct ys_characteristic *characteristic = target;
    characteristic->place = node->place;
    ys_read_name(node, &characteristic->name, &characteristic->id);
}

static void characteristic_fixed_length(const struct ys_node *node, void *target)
{
    ((struct ys_characteristic *)target)->type.fixed = true;
    ys_type_length(node, target);
}

static const struct ys_kind kind_range = {.form = YS_LIST, .items = &ys_kind_text};

static const struct ys_key characteristic_keys[] = {
    {"name", characteristic_name, &ys_kind_text, "Name, also in C; unique in the device", true, 0},
    {"uuid", ys_key_written, &ys_kind_text,
     "An adopted name, its number, 128 bits, or an offset from the service's UUID, such as +1", false, INTO(uuid_text)},
    YS_TYPE_KEYS(INTO(type)),
    {"fixed length", characteristic_fixed_length, &ys_kind_length,
     "Length in bytes of texts and bytes that all have the same length", false, INTO(type)},
    YS_FIELDS_KEY(INTO(type)),
    {"read", read_offer, &kind_right, "Right to read it", false, WAY_INTO(YS_WAY_READ)},
    {"write", read_offer, &kind_right, "Right to write it with a response", false, WAY_INTO(YS_WAY_WRITE)},
    {"write without response", read_offer, &kind_right, "Right to write it without a response", false,
     WAY_INTO(YS_WAY_WRITE_COMMAND)},
    {"signed write", read_offer, &kind_right, "Right to write it with a signature", false,
     WAY_INTO(YS_WAY_SIGNED_WRITE)},
    {"notify", read_offer, &kind_right, "Right to subscribe to notifications", false, WAY_INTO(YS_WAY_NOTIFY)},
    {"indicate", read_offer, &kind_right, "Right to subscribe to indications, each of which the client confirms", false,
     WAY_INTO(YS_WAY_INDICATE)},
    {"broadcast", ys_key_yes, &ys_kind_yes, "Allow broadcasts; adds the server configuration descriptor", false,
     INTO(broadcasts)},
    {"stream", ys_key_yes, &ys_kind_yes, "Notify bytes that the firmware appends to a stream", false, INTO(streams)},
    {"outbox", ys_key_yes, &ys_kind_yes,
     "Notify or indicate every value that the firmware puts into an outbox, until it has arrived", false, INTO(queues)},
    {"reliable write", ys_key_yes, &ys_kind_yes, "Accept queued writes that the client verifies", false,
     INTO(reliable)},
    {"notification spacing", ys_key_time, &ys_kind_time,
     "Minimum time between two notifications, in whole milliseconds up to 60 s", false, INTO(spacing_us)},
    {"handler", characteristic_handler, &kind_handlers, "Handlers that you write: read, write, or both", false, 0},
    {"handler name", characteristic_handler_name, &ys_kind_text,
     "Common name of the handlers of several characteristics", false, 0},
    {"value", ys_key_value, &ys_kind_text, "The value: constant, or initial", false, INTO(value_text)},
    {"range", characteristic_range, &kind_range, "Minimum and maximum of valid values; other writes are refused", false,
     0},
    {"any value", characteristic_any_value, &ys_kind_yes, "Pass writes outside the range to the handler, which decides",
     false, INTO(any_value)},
    {"description", characteristic_description, &kind_description, "Description for people", false, INTO(description)},
    {"presentation format", characteristic_presentation, &ys_kind_yes,
     "Add a descriptor with format and unit, for clients that do not know them", false, INTO(presentation)},
    {"descriptors", characteristic_descriptors, &kind_descriptors, "Other descriptors", false, 0},
    {"simulate", characteristic_stand_in, &kind_stand_in, "How the value changes while there is no firmware", false, 0},
};
const struct ys_mapping ys_characteristic_mapping = {"a characteristic", characteristic_keys,
                                                     COUNT(characteristic_keys), NULL};
