/* Reads a definition: each mapping is a table of keys, each key reads one thing. What it means together is checked in
 * check.c. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/check.h"
#include "design/memory.h"
#include "design/model.h"
#include "design/type.h"
#include "design/words.h"
#include "design/yaml.h"

#define COUNT(array) (sizeof(array) / sizeof((array)[0]))
#define NAMES_MOST   64

static void error(const struct ys_node *node, const char *code, const char *text)
{
    ys_findings_add(node->findings, YS_ERROR, code, node->place, "%s", text);
}

/* kinds of values */

static void read_word(const struct ys_node *node, const char *what, const char *const *words, size_t count, int *index)
{
    const char *text = ys_yaml_text(node, what);
    if (text == NULL)
        return;
    for (size_t i = 0; i < count; i++) {
        if (strcmp(words[i], text) == 0) {
            *index = (int)i;
            return;
        }
    }
    ys_yaml_unknown(node, what, text, words, count);
}

static bool read_duration(const struct ys_node *node, const char *what, uint64_t *us)
{
    const char *text = ys_yaml_text(node, what);
    if (text == NULL)
        return false;
    if (ys_duration_parse(text, us))
        return true;
    ys_findings_add(node->findings, YS_ERROR, "duration", node->place,
                    "%s must be a time with its unit, such as 100 ms or 1.5 s, not \"%s\"", what, text);
    return false;
}

/* stand_in: */

static void stand_in_shape(const struct ys_node *node, void *target)
{
    static const char *const shapes[] = {"constant", "ramp", "sine", "random walk"};
    struct ys_stand_in *stand_in = target;
    int index = -1;
    read_word(node, "a shape", shapes, COUNT(shapes), &index);
    if (index >= 0)
        stand_in->shape = (enum ys_shape)(YS_SHAPE_CONSTANT + index);
}

static void stand_in_from(const struct ys_node *node, void *target)
{
    ((struct ys_stand_in *)target)->from_text = ys_yaml_text(node, "from");
}

static void stand_in_to(const struct ys_node *node, void *target)
{
    ((struct ys_stand_in *)target)->to_text = ys_yaml_text(node, "to");
}

static void stand_in_step(const struct ys_node *node, void *target)
{
    ((struct ys_stand_in *)target)->step_text = ys_yaml_text(node, "step");
}

static void stand_in_period(const struct ys_node *node, void *target)
{
    uint64_t us = 1;
    if (read_duration(node, "period", &us) && us == 0)
        error(node, "stand-in", "period must be longer than nothing");
    ((struct ys_stand_in *)target)->period_us = us;
}

static void stand_in_every(const struct ys_node *node, void *target)
{
    uint64_t us = 1000;
    if (read_duration(node, "every", &us) && us < 1000)
        error(node, "stand-in", "every must be at least 1 ms");
    ((struct ys_stand_in *)target)->every_us = us;
}

static const struct ys_key stand_in_keys[] = {
    {"shape", stand_in_shape, true}, {"from", stand_in_from, true},      {"to", stand_in_to, false},
    {"step", stand_in_step, false},  {"period", stand_in_period, false}, {"every", stand_in_every, false},
};

/* characteristics: */

static void characteristic_name(const struct ys_node *node, void *target)
{
    struct ys_characteristic *characteristic = target;
    characteristic->place = node->place;
    ys_read_name(node, "the characteristic's name", &characteristic->name, &characteristic->id);
}

static void characteristic_uuid(const struct ys_node *node, void *target)
{
    struct ys_characteristic *characteristic = target;
    characteristic->uuid_place = node->place;
    characteristic->uuid_text = ys_yaml_text(node, "uuid");
}

static void characteristic_format(const struct ys_node *node, void *target)
{
    ys_type_format(node, &((struct ys_characteristic *)target)->type);
}

static void characteristic_unit(const struct ys_node *node, void *target)
{
    ys_type_unit(node, &((struct ys_characteristic *)target)->type);
}

static void characteristic_resolution(const struct ys_node *node, void *target)
{
    ys_type_resolution(node, &((struct ys_characteristic *)target)->type);
}

static void characteristic_length(const struct ys_node *node, void *target)
{
    ys_type_length(node, &((struct ys_characteristic *)target)->type);
}

static void characteristic_bits(const struct ys_node *node, void *target)
{
    ys_type_bits(node, &((struct ys_characteristic *)target)->type);
}

static void characteristic_fields(const struct ys_node *node, void *target)
{
    ys_type_fields(node, &((struct ys_characteristic *)target)->type);
}

static void read_right(const struct ys_node *node, const char *what, struct ys_characteristic *characteristic,
                       enum ys_right *right)
{
    static const char *const rights[] = {"open", "encrypted", "authenticated"};
    int index = -1;
    read_word(node, what, rights, COUNT(rights), &index);
    if (index < 0)
        return;
    *right = (enum ys_right)(YS_RIGHT_OPEN + index);
    if (*right != YS_RIGHT_OPEN && characteristic->rights_place.line == 0)
        characteristic->rights_place = node->place;
}

static void characteristic_read(const struct ys_node *node, void *target)
{
    struct ys_characteristic *characteristic = target;
    read_right(node, "read", characteristic, &characteristic->read);
}

static void characteristic_write(const struct ys_node *node, void *target)
{
    struct ys_characteristic *characteristic = target;
    read_right(node, "write", characteristic, &characteristic->write);
}

static void characteristic_write_command(const struct ys_node *node, void *target)
{
    struct ys_characteristic *characteristic = target;
    read_right(node, "write without response", characteristic, &characteristic->write_command);
}

static void characteristic_notify(const struct ys_node *node, void *target)
{
    struct ys_characteristic *characteristic = target;
    read_right(node, "notify", characteristic, &characteristic->notify);
}

static void read_handler(const struct ys_node *node, struct ys_characteristic *characteristic)
{
    static const char *const handlers[] = {"read", "write"};
    int index = -1;
    read_word(node, "a handler", handlers, COUNT(handlers), &index);
    characteristic->read_handler |= index == 0;
    characteristic->write_handler |= index == 1;
}

static void characteristic_handler(const struct ys_node *node, void *target)
{
    struct ys_characteristic *characteristic = target;
    struct ys_node item;
    void *iterator = NULL;
    characteristic->handler_place = node->place;
    if (!ys_yaml_is_sequence(node)) {
        read_handler(node, characteristic);
        return;
    }
    while (ys_yaml_next(node, "handler", &iterator, &item))
        read_handler(&item, characteristic);
}

static void characteristic_value(const struct ys_node *node, void *target)
{
    struct ys_characteristic *characteristic = target;
    characteristic->value_place = node->place;
    characteristic->value_text = ys_yaml_text(node, "value");
}

static void characteristic_spacing(const struct ys_node *node, void *target)
{
    struct ys_characteristic *characteristic = target;
    characteristic->spacing_place = node->place;
    (void)read_duration(node, "spacing", &characteristic->spacing_us);
}

static void characteristic_stand_in(const struct ys_node *node, void *target)
{
    struct ys_characteristic *characteristic = target;
    characteristic->stand_in.place = node->place;
    (void)ys_yaml_mapping(node, "stand_in", stand_in_keys, COUNT(stand_in_keys), &characteristic->stand_in);
}

static bool read_yes(const struct ys_node *node, const char *what)
{
    static const char *const words[] = {"true", "false"};
    int index = 1;
    read_word(node, what, words, COUNT(words), &index);
    return index == 0;
}

static void characteristic_description(const struct ys_node *node, void *target)
{
    struct ys_characteristic *characteristic = target;
    const char *text = ys_yaml_text(node, "description");
    if (text != NULL && strlen(text) > 512)
        error(node, "length", "a description has at most 512 bytes, as every attribute");
    else if (text != NULL && characteristic->description == NULL)
        characteristic->description = ys_copy(text, strlen(text));
}

static void characteristic_presentation(const struct ys_node *node, void *target)
{
    struct ys_characteristic *characteristic = target;
    characteristic->presentation_place = node->place;
    characteristic->presentation = read_yes(node, "presentation format");
}

static void descriptor_uuid(const struct ys_node *node, void *target)
{
    ((struct ys_descriptor *)target)->uuid_text = ys_yaml_text(node, "uuid");
}

static void descriptor_value(const struct ys_node *node, void *target)
{
    ((struct ys_descriptor *)target)->value_text = ys_yaml_text(node, "value");
}

static const struct ys_key descriptor_keys[] = {
    {"uuid", descriptor_uuid, true},
    {"value", descriptor_value, true},
};

static void characteristic_descriptors(const struct ys_node *node, void *target)
{
    struct ys_characteristic *characteristic = target;
    struct ys_node item;
    void *iterator = NULL;
    while (ys_yaml_next(node, "descriptors", &iterator, &item)) {
        characteristic->descriptors =
            ys_grow(characteristic->descriptors, characteristic->descriptor_count, sizeof *characteristic->descriptors);
        struct ys_descriptor *descriptor = &characteristic->descriptors[characteristic->descriptor_count++];
        *descriptor = (struct ys_descriptor){.place = item.place};
        (void)ys_yaml_mapping(&item, "a descriptor", descriptor_keys, COUNT(descriptor_keys), descriptor);
    }
}

static const struct ys_key characteristic_keys[] = {
    {"name", characteristic_name, true},
    {"uuid", characteristic_uuid, false},
    {"format", characteristic_format, false},
    {"unit", characteristic_unit, false},
    {"resolution", characteristic_resolution, false},
    {"length", characteristic_length, false},
    {"bits", characteristic_bits, false},
    {"fields", characteristic_fields, false},
    {"read", characteristic_read, false},
    {"write", characteristic_write, false},
    {"write without response", characteristic_write_command, false},
    {"notify", characteristic_notify, false},
    {"spacing", characteristic_spacing, false},
    {"handler", characteristic_handler, false},
    {"value", characteristic_value, false},
    {"stand_in", characteristic_stand_in, false},
    {"description", characteristic_description, false},
    {"presentation format", characteristic_presentation, false},
    {"descriptors", characteristic_descriptors, false},
};

/* services: */

static void service_name(const struct ys_node *node, void *target)
{
    struct ys_service *service = target;
    ys_read_name(node, "the service's name", &service->name, &service->id);
}

static void service_uuid(const struct ys_node *node, void *target)
{
    struct ys_service *service = target;
    service->uuid_place = node->place;
    service->uuid_text = ys_yaml_text(node, "uuid");
}

/* A list of services by name, such as an advertisement promises or a service includes. */
static void read_services(const struct ys_node *node, const char *what, struct ys_promise **list, size_t *count)
{
    struct ys_node item;
    void *iterator = NULL;
    while (ys_yaml_next(node, what, &iterator, &item)) {
        const char *name = ys_yaml_text(&item, "a service");
        if (name == NULL)
            continue;
        *list = ys_grow(*list, *count, sizeof **list);
        (*list)[(*count)++] = (struct ys_promise){.name = name, .place = item.place};
    }
}

static void service_secondary(const struct ys_node *node, void *target)
{
    ((struct ys_service *)target)->secondary = read_yes(node, "secondary");
}

static void service_includes(const struct ys_node *node, void *target)
{
    struct ys_service *service = target;
    read_services(node, "includes", &service->includes, &service->include_count);
}

static void service_characteristics(const struct ys_node *node, void *target)
{
    struct ys_service *service = target;
    struct ys_node item;
    void *iterator = NULL;
    while (ys_yaml_next(node, "characteristics", &iterator, &item)) {
        service->characteristics =
            ys_grow(service->characteristics, service->characteristic_count, sizeof *service->characteristics);
        struct ys_characteristic *characteristic = &service->characteristics[service->characteristic_count++];
        *characteristic = (struct ys_characteristic){.place = item.place, .uuid_place = item.place};
        size_t errors = node->findings->errors;
        (void)ys_yaml_mapping(&item, "a characteristic", characteristic_keys, COUNT(characteristic_keys),
                              characteristic);
        characteristic->faulty = node->findings->errors > errors;
    }
}

static const struct ys_key service_keys[] = {
    {"name", service_name, true},
    {"uuid", service_uuid, false},
    {"secondary", service_secondary, false},
    {"includes", service_includes, false},
    {"characteristics", service_characteristics, true},
};

/* device: */

static void device_name(const struct ys_node *node, void *target)
{
    struct ys_design *design = target;
    design->name_place = node->place;
    design->name = ys_yaml_text(node, "the device's name");
}

static void device_appearance(const struct ys_node *node, void *target)
{
    struct ys_design *design = target;
    design->appearance_place = node->place;
    (void)ys_read_number(node, "appearance", UINT16_MAX, &design->appearance);
}

static void device_address(const struct ys_node *node, void *target)
{
    static const char *const addresses[] = {"public", "random"};
    int index = 1;
    read_word(node, "address", addresses, COUNT(addresses), &index);
    ((struct ys_design *)target)->public_address = index == 0;
}

static const struct ys_key device_keys[] = {
    {"name", device_name, true},
    {"appearance", device_appearance, false},
    {"address", device_address, false},
};

/* advertising: */

static void advertising_interval(const struct ys_node *node, void *target)
{
    struct ys_design *design = target;
    struct ys_node item;
    void *iterator = NULL;
    if (!ys_yaml_is_sequence(node)) {
        if (!read_duration(node, "interval", &design->interval_min_us))
            return;
        design->interval_max_us = design->interval_min_us;
    } else {
        uint64_t ends[2] = {0, 0};
        size_t count = 0;
        while (ys_yaml_next(node, "interval", &iterator, &item)) {
            if (count < 2 && !read_duration(&item, "interval", &ends[count]))
                return;
            count++;
        }
        if (count != 2) {
            error(node, "interval", "interval must be one time, or a list of the least and the greatest");
            return;
        }
        design->interval_min_us = ends[0];
        design->interval_max_us = ends[1];
    }
    if (design->interval_min_us < 20000 || design->interval_max_us > 10240000 ||
        design->interval_min_us > design->interval_max_us)
        error(node, "interval", "the advertising interval must be from 20 ms to 10.24 s, the least one first");
    else if (design->interval_min_us % 625 != 0 || design->interval_max_us % 625 != 0)
        error(node, "interval", "the advertising interval goes in steps of 0.625 ms: take a multiple of it");
}

static void advertising_services(const struct ys_node *node, void *target)
{
    struct ys_design *design = target;
    read_services(node, "services", &design->promises, &design->promise_count);
}

static const struct ys_key advertising_keys[] = {
    {"interval", advertising_interval, true},
    {"services", advertising_services, false},
};

/* the whole */

static void root_device(const struct ys_node *node, void *target)
{
    (void)ys_yaml_mapping(node, "device", device_keys, COUNT(device_keys), target);
}

static void root_advertising(const struct ys_node *node, void *target)
{
    struct ys_design *design = target;
    design->advertises = true;
    design->advertising_place = node->place;
    (void)ys_yaml_mapping(node, "advertising", advertising_keys, COUNT(advertising_keys), target);
}

static void root_services(const struct ys_node *node, void *target)
{
    struct ys_design *design = target;
    design->lists_services = true;
    struct ys_node item;
    void *iterator = NULL;
    while (ys_yaml_next(node, "services", &iterator, &item)) {
        design->services = ys_grow(design->services, design->service_count, sizeof *design->services);
        struct ys_service *service = &design->services[design->service_count++];
        *service = (struct ys_service){.place = item.place, .uuid_place = item.place};
        (void)ys_yaml_mapping(&item, "a service", service_keys, COUNT(service_keys), service);
    }
}

static void root_include(const struct ys_node *node, void *target);

static const struct ys_key root_keys[] = {
    {"include", root_include, false},
    {"device", root_device, true},
    {"advertising", root_advertising, false},
    {"services", root_services, false},
};

/* The C identifier of a device: its file's name up to the first dot. */
static char *identifier_of(const char *file)
{
    const char *name = strrchr(file, '/') != NULL ? strrchr(file, '/') + 1 : file;
    char *stem = ys_copy(name, strcspn(name, "."));
    char *identifier = ys_identifier(stem);
    free(stem);
    return identifier;
}

/* GAP and GATT are made from the device (Core 5.4 Vol 3 Part C 12, Part G 7), before what the definition lists. */
static void add_implied(struct ys_design *design)
{
    struct ys_characteristic *characteristics = ys_new(8 * sizeof *characteristics);
    design->services = ys_grow(NULL, 0, sizeof *design->services);
    design->services[0] = (struct ys_service){
        .implied = true,
        .name = ys_copy("generic access", 14),
        .id = ys_copy("generic_access", 14),
        .uuid = ys_uuid_of(0x1800),
        .characteristics = characteristics,
        .characteristic_count = 2,
    };
    design->services[1] = (struct ys_service){
        .implied = true,
        .name = ys_copy("generic attribute", 17),
        .id = ys_copy("generic_attribute", 17),
        .uuid = ys_uuid_of(0x1801),
    };
    characteristics[0] = (struct ys_characteristic){.name = ys_copy("device name", 11),
                                                    .id = ys_copy("device_name", 11),
                                                    .uuid = ys_uuid_of(0x2a00),
                                                    .type = {.format = ys_format_find("utf8s")},
                                                    .read = YS_RIGHT_OPEN};
    characteristics[1] = (struct ys_characteristic){.name = ys_copy("appearance", 10),
                                                    .id = ys_copy("appearance", 10),
                                                    .uuid = ys_uuid_of(0x2a01),
                                                    .type = {.format = ys_format_find("uint16")},
                                                    .read = YS_RIGHT_OPEN};
    design->service_count = 2;
}

/* Gives them their values, once those are known. */
static void fill_implied(struct ys_design *design)
{
    struct ys_characteristic *characteristics = design->services[0].characteristics;
    size_t length = design->name != NULL ? strlen(design->name) : 0;
    characteristics[0].value = (uint8_t *)ys_copy(design->name != NULL ? design->name : "", length);
    characteristics[0].value_length = length;
    characteristics[0].type.length = length;
    characteristics[1].value = ys_new(2);
    characteristics[1].value[0] = (uint8_t)design->appearance;
    characteristics[1].value[1] = (uint8_t)(design->appearance >> 8);
    characteristics[1].value_length = 2;
    characteristics[1].type.length = 2;
}

/* What an included file may say: what several devices share. */
static const struct ys_key included_keys[] = {
    {"include", root_include, false},
    {"services", root_services, false},
};

/* Includes that go deeper have surely lost their way. */
#define INCLUDES_MOST 32

/* A path as the including file means it: from its own folder. */
static char *path_beside(const char *file, const char *path)
{
    const char *slash = strrchr(file, '/');
    size_t folder = path[0] == '/' || slash == NULL ? 0 : (size_t)(slash - file) + 1;
    size_t size = folder + strlen(path) + 1;
    char *joined = ys_new(size);
    (void)snprintf(joined, size, "%.*s%s", (int)folder, file, path);
    return joined;
}

/* Reads one file by its table of keys. Takes the path and the text. */
static void read_source(struct ys_design *design, char *path, char *text, size_t length, struct ys_place included_at)
{
    bool main_file = design->source_count == 0;
    const struct ys_place place = {.file = main_file ? NULL : path, .order = (int)design->source_count};
    size_t index = design->source_count;
    size_t services = design->service_count;
    design->sources = ys_grow(design->sources, index, sizeof *design->sources);
    design->sources[index] = (struct ys_source){.path = path, .text = text};
    design->source_count++;
    struct fy_document *document = ys_yaml_parse(text, length, place, &design->findings);
    design->sources[index].document = document;
    if (document == NULL)
        return;
    struct ys_node root = ys_yaml_root(document, place, &design->findings);
    bool good = main_file ? ys_yaml_mapping(&root, "the definition", root_keys, COUNT(root_keys), design)
                          : ys_yaml_mapping(&root, "an included file", included_keys, COUNT(included_keys), design);
    if (!main_file && good && design->service_count == services)
        ys_findings_add(&design->findings, YS_WARNING, "include-file", included_at,
                        "\"%s\" brings no services: leave it out", path);
}

static bool is_included_already(const struct ys_design *design, const char *path)
{
    for (size_t i = 0; i < design->source_count; i++) {
        if (strcmp(design->sources[i].path, path) == 0)
            return true;
    }
    return false;
}

static void include_file(struct ys_design *design, const struct ys_node *node, const char *name)
{
    size_t length = 0;
    char *path = path_beside(node->place.file != NULL ? node->place.file : design->file, name);
    if (is_included_already(design, path) || design->source_count > INCLUDES_MOST) {
        ys_findings_add(node->findings, YS_ERROR, "include-file", node->place,
                        "\"%s\" is read already, or too many files are: include each file once, and none that includes "
                        "this one",
                        path);
        free(path);
        return;
    }
    char *text = design->load != NULL ? design->load(design->load_context, path, &length) : NULL;
    if (text == NULL) {
        ys_findings_add(node->findings, YS_ERROR, "include-file", node->place,
                        "\"%s\" cannot be read: a path is meant from the folder of the file that names it", path);
        free(path);
        return;
    }
    char *copy = ys_copy(text, length);
    free(text);
    read_source(design, path, copy, length, node->place);
}

static void root_include(const struct ys_node *node, void *target)
{
    struct ys_node item;
    void *iterator = NULL;
    while (ys_yaml_next(node, "include", &iterator, &item)) {
        const char *name = ys_yaml_text(&item, "a file to include");
        if (name != NULL)
            include_file(target, &item, name);
    }
}

struct ys_design *ys_design_read(const char *file, const char *text, size_t length, ys_load_fn *load,
                                 void *load_context)
{
    struct ys_design *design = ys_new(sizeof *design);
    design->file = ys_copy(file, strlen(file));
    design->id = identifier_of(file);
    design->load = load;
    design->load_context = load_context;
    add_implied(design);
    if (design->id == NULL || ys_is_keyword(design->id))
        ys_findings_add(&design->findings, YS_ERROR, "name-in-c", (struct ys_place){.line = 0},
                        "the file's name gives the device's name in C: begin it with a letter, and take no keyword");
    read_source(design, ys_copy(file, strlen(file)), ys_copy(text, length), length, (struct ys_place){.line = 0});
    const struct fy_document *document = design->sources[0].document;
    if (document != NULL && fy_node_is_mapping(fy_document_root(design->sources[0].document))) {
        if (!design->lists_services)
            ys_findings_add(&design->findings, YS_ERROR, "key-missing", (struct ys_place){.line = 1, .column = 1},
                            "the definition has no services: add it");
        fill_implied(design);
        ys_design_check(design);
    }
    ys_findings_sort(&design->findings);
    return design;
}

static void free_service(struct ys_service *service)
{
    for (size_t i = 0; i < service->characteristic_count; i++) {
        free(service->characteristics[i].name);
        free(service->characteristics[i].id);
        free(service->characteristics[i].value);
        free(service->characteristics[i].description);
        for (size_t j = 0; j < service->characteristics[i].descriptor_count; j++)
            free(service->characteristics[i].descriptors[j].value);
        free(service->characteristics[i].descriptors);
        ys_type_clear(&service->characteristics[i].type);
    }
    free(service->characteristics);
    free(service->includes);
    free(service->name);
    free(service->id);
}

void ys_design_free(struct ys_design *design)
{
    if (design == NULL)
        return;
    for (size_t i = 0; i < design->service_count; i++)
        free_service(&design->services[i]);
    free(design->services);
    free(design->promises);
    free(design->file);
    free(design->id);
    ys_findings_clear(&design->findings);
    for (size_t i = 0; i < design->source_count; i++) {
        fy_document_destroy(design->sources[i].document);
        free(design->sources[i].path);
        free(design->sources[i].text);
    }
    free(design->sources);
    free(design);
}
