/* Reads a definition: device, services, and the files that it includes. */
#include "design/reading/read.h"

#include <stddef.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/model/memory.h"
#include "design/model/words.h"
#include "design/reading/advertising.h"
#include "design/reading/behaviour.h"
#include "design/reading/catalogue.h"
#include "design/reading/characteristic.h"
#include "design/reading/energy.h"
#include "design/reading/expect.h"
#include "design/reading/files.h"
#include "design/reading/names.h"
#include "design/reading/read_link.h"
#include "design/reading/read_scanning.h"
#include "design/reading/use.h"

#define COUNT(array)   (sizeof(array) / sizeof((array)[0]))
#define DESIGN(member) offsetof(struct ys_design, member)

/* services: */

static void service_name(const struct ys_node *node, void *target)
{
    struct ys_service *service = target;
    ys_read_name(node, &service->name, &service->id);
}

/* What it names has been brought before anything else of the service is read. */
static void service_use(const struct ys_node *node, void *target)
{
    (void)target;
    (void)ys_yaml_text(node);
}

static void service_includes(const struct ys_node *node, void *target)
{
    struct ys_service *service = target;
    ys_read_promises(node, &service->includes, &service->include_count);
}

static void service_drop(const struct ys_node *node, void *target)
{
    struct ys_service *service = target;
    ys_read_promises(node, &service->dropped, &service->dropped_count);
}

static void service_characteristics(const struct ys_node *node, void *target)
{
    struct ys_service *service = target;
    struct ys_node item;
    void *iterator = NULL;
    while (ys_yaml_next(node, &iterator, &item)) {
        struct ys_characteristic *characteristic = ys_use_part(service, &item);
        size_t errors = node->findings->errors;
        (void)ys_yaml_mapping(&item, &ys_characteristic_mapping, characteristic);
        characteristic->faulty = node->findings->errors > errors;
        ys_use_done(characteristic);
    }
}

static const struct ys_kind kind_characteristics = {
    .form = YS_LIST, .items = &(const struct ys_kind){.form = YS_MAPPING, .mapping = &ys_characteristic_mapping}};

static const struct ys_key service_keys[] = {
    {"name", service_name, &ys_kind_text, "Name, also in C; an adopted name gives the UUID", true, 0},
    {"use", service_use, &ys_kind_text, "An adopted service, or a typical device, with everything mandatory", false, 0},
    {"drop", service_drop, &ys_kind_texts, "Names of parts of use that are not wanted", false, 0},
    {"uuid", ys_key_written, &ys_kind_text, "An adopted name, its number, or 128 bits in writing order", false,
     offsetof(struct ys_service, uuid_text)},
    {"secondary", ys_key_yes, &ys_kind_yes, "A secondary service, which is only included by others", false,
     offsetof(struct ys_service, secondary)},
    {"includes", service_includes, &ys_kind_texts, "Names of included services", false, 0},
    {"characteristics", service_characteristics, &kind_characteristics, "Characteristics, in the order of the table",
     true, 0},
};
static const struct ys_mapping service_mapping = {"a service", service_keys, COUNT(service_keys), "use"};

/* device: */

static const struct ys_kind kind_connections = {.form = YS_NUMBER, .least = 1, .greatest = 32};
static const struct ys_kind kind_mtu = {.form = YS_NUMBER, .least = 23, .greatest = 517};
static const struct ys_kind kind_bonds = {.form = YS_NUMBER, .greatest = 64};
static const struct ys_kind kind_bytes = {.form = YS_NUMBER, .least = 64, .greatest = 1u << 30};
static const struct ys_kind kind_key_size = {.form = YS_NUMBER, .least = 7, .greatest = 16};

static const struct ys_key limits_keys[] = {
    {"connections", ys_key_number, &kind_connections, "Maximum number of connections", false,
     DESIGN(limits.connections)},
    {"mtu", ys_key_number, &kind_mtu, "Maximum ATT MTU, in bytes", false, DESIGN(limits.mtu)},
    {"bonds", ys_key_number, &kind_bonds, "Maximum number of bonds", false, DESIGN(limits.bonds)},
    {"flash", ys_key_number, &kind_bytes, "Maximum flash of an image, in bytes", false, DESIGN(limits.flash)},
    {"ram", ys_key_number, &kind_bytes, "Maximum RAM of an image with its stack, in bytes", false, DESIGN(limits.ram)},
    {"stack", ys_key_number, &kind_bytes, "Maximum stack of an image, in bytes", false, DESIGN(limits.stack)},
};
static const struct ys_mapping limits_mapping = {"limits", limits_keys, COUNT(limits_keys), NULL};
static const struct ys_kind kind_limits = {.form = YS_MAPPING, .mapping = &limits_mapping};

static void device_limits(const struct ys_node *node, void *target)
{
    (void)ys_yaml_mapping(node, &limits_mapping, target);
}

/* in the order of enum ys_capability */
static const char *const capabilities[] = {"display", "display and yes/no",   "keyboard",
                                           "none",    "keyboard and display", NULL};
static const struct ys_kind kind_capability = {.form = YS_WORD, .words = capabilities};

static void security_capability(const struct ys_node *node, void *target)
{
    ((struct ys_design *)target)->security.capability_place = node->place;
    ys_key_word(node, target);
}

static const char *const leasts[] = {"encrypted", "authenticated", NULL};
static const struct ys_kind kind_least = {.form = YS_WORD, .words = leasts};
static const char *const fulls[] = {"refuse", "forget", NULL};
static const struct ys_kind kind_full = {.form = YS_WORD, .words = fulls};
static const char *const beginners[] = {"host", "firmware", NULL};
static const struct ys_kind kind_begins = {.form = YS_WORD, .words = beginners};

static void security_least(const struct ys_node *node, void *target)
{
    ((struct ys_design *)target)->security.least_place = node->place;
    ys_key_word(node, target);
}

static void security_rotation(const struct ys_node *node, void *target)
{
    const struct ys_counted *rotation_us = &((const struct ys_design *)target)->security.rotation_us;
    ys_key_time(node, target);
    if (rotation_us->given && (rotation_us->number < 1000000 || rotation_us->number > 3600000000u))
        ys_findings_add(node->findings, YS_ERROR, "duration", node->place, "a rotation must be from 1 s to 1 h");
}

static const struct ys_key security_keys[] = {
    {"capability", security_capability, &kind_capability, "Input and output capability", true,
     DESIGN(security.capability)},
    {"bonding", ys_key_yes, &ys_kind_yes, "Whether bonds are kept (default: true)", false, DESIGN(security.bonding)},
    {"secure connections only", ys_key_yes, &ys_kind_yes, "Refuse legacy pairing", false, DESIGN(security.secure_only)},
    {"passkey", ys_key_written, &ys_kind_text, "A fixed passkey of six digits, instead of a random one", false,
     DESIGN(security.passkey)},
    {"key size", ys_key_number, &kind_key_size, "Minimum size of the key in bytes (default 16)", false,
     DESIGN(security.key_size)},
    {"minimum", security_least, &kind_least, "Minimum security of a pairing: encrypted (default) or authenticated",
     false, DESIGN(security.least)},
    {"initiated by", ys_key_word, &kind_begins,
     "Who starts pairing or encryption when a right requires it: host (default) or firmware", false,
     DESIGN(security.begins)},
    {"when full", ys_key_word, &kind_full,
     "Which peer loses when there is no room for another bond: refuse the new one, or forget the least recently used "
     "(default: forget)",
     false, DESIGN(security.when_full)},
    {"privacy", ys_key_yes, &ys_kind_yes, "Use resolvable private addresses", false, DESIGN(security.privacy)},
    {"rotation", security_rotation, &ys_kind_time,
     "Time between two changes of the private address, 1 s to 1 h (default 15 min)", false,
     DESIGN(security.rotation_us)},
    {"out of band", ys_key_yes, &ys_kind_yes, "The firmware can exchange pairing data out of band, such as over a tag",
     false, DESIGN(security.out_of_band)},
    {"debug key", ys_key_yes, &ys_kind_yes, "Accept the debug key of the standard; for development only", false,
     DESIGN(security.debug_key)},
};
static const struct ys_mapping security_mapping = {"security", security_keys, COUNT(security_keys), NULL};
static const struct ys_kind kind_security = {.form = YS_MAPPING, .mapping = &security_mapping};

static void device_security(const struct ys_node *node, void *target)
{
    struct ys_design *design = target;
    design->security.given = true;
    design->security.place = node->place;
    (void)ys_yaml_mapping(node, &security_mapping, target);
}

static void device_caching(const struct ys_node *node, void *target)
{
    ((struct ys_design *)target)->caching = ys_yaml_word(node);
}

static const struct ys_key device_keys[] = {
    {"name", ys_key_written, &ys_kind_text, "Device name, 1 to 248 bytes", true, DESIGN(name)},
    {"appearance", ys_key_written, &ys_kind_text, "Appearance: an adopted name, or its number", false,
     DESIGN(appearance_text)},
    {"address", ys_key_written, &ys_kind_text,
     "random, public, non-resolvable, or a static address such as C2:00:5E:10:00:01", false, DESIGN(address_text)},
    {"caching", device_caching, &ys_kind_yes,
     "Allow clients to cache the table, and inform them of changes (default: true if bonds are kept)", false, 0},
    {"limits", device_limits, &kind_limits, "Sizes and numbers", false, 0},
    {"security", device_security, &kind_security, "Pairing", false, 0},
    {"link", ys_read_link, &ys_kind_link, "Requested connection parameters", false, 0},
};
static const struct ys_mapping device_mapping = {"device", device_keys, COUNT(device_keys), NULL};
static const struct ys_kind kind_device = {.form = YS_MAPPING, .mapping = &device_mapping};

/* the whole */

static void root_device(const struct ys_node *node, void *target)
{
    (void)ys_yaml_mapping(node, &device_mapping, target);
}

static void add_set(const struct ys_node *node, struct ys_design *design)
{
    design->sets = ys_grow(design->sets, design->set_count, sizeof *design->sets);
    struct ys_advertisement *set = &design->sets[design->set_count++];
    *set = (struct ys_advertisement){.place = node->place};
    size_t errors = node->findings->errors;
    (void)ys_yaml_mapping(node, &ys_advertisement_mapping, set);
    set->faulty = node->findings->errors > errors;
}

static void root_advertising(const struct ys_node *node, void *target)
{
    struct ys_node item;
    void *iterator = NULL;
    if (!ys_yaml_is_sequence(node))
        add_set(node, target);
    while (ys_yaml_is_sequence(node) && ys_yaml_next(node, &iterator, &item))
        add_set(&item, target);
}

static void root_services(const struct ys_node *node, void *target)
{
    struct ys_design *design = target;
    design->lists_services = true;
    struct ys_node item;
    void *iterator = NULL;
    while (ys_yaml_next(node, &iterator, &item)) {
        struct ys_service service = {.place = item.place, .uuid_text = {.place = item.place}};
        if (ys_use_begin(design, &service, &item))
            continue; /* a whole device */
        (void)ys_yaml_mapping(&item, &service_mapping, &service);
        ys_use_end(&service, &design->findings);
        design->services = ys_grow(design->services, design->service_count, sizeof *design->services);
        design->services[design->service_count++] = service;
    }
}

static void root_include(const struct ys_node *node, void *target);

static const struct ys_kind kind_set = {.form = YS_MAPPING, .mapping = &ys_advertisement_mapping};
static const struct ys_kind kind_advertising = {.form = YS_LIST, .items = &kind_set, .otherwise = &kind_set};
static const struct ys_kind kind_services = {
    .form = YS_LIST, .items = &(const struct ys_kind){.form = YS_MAPPING, .mapping = &service_mapping}};

#define INCLUDE_KEY                                                                                                    \
    {                                                                                                                  \
        "include", root_include, &ys_kind_texts, "Files whose services come first, by path relative to this file",     \
            false, 0                                                                                                   \
    }
#define SERVICES_KEY                                                                                                   \
    {                                                                                                                  \
        "services", root_services, &kind_services, "Services, in the order of the table", false, 0                     \
    }

static const struct ys_key root_keys[] = {
    INCLUDE_KEY,
    {"device", root_device, &kind_device, "The device itself", true, 0},
    {"advertising", root_advertising, &kind_advertising, "Advertising: one set, or a list of sets", false, 0},
    {"scanning", ys_read_scanning, &ys_kind_scanning, "What it scans for, as a central", false, 0},
    SERVICES_KEY,
    {"energy", ys_read_energy, &ys_kind_energy, "Current that the hardware draws", false, 0},
    {"expect", ys_read_expectations, &ys_kind_expectations,
     "Expectations of the advertising, judged by the interval verb", false, 0},
    {"behaviour", ys_read_behaviours, &ys_kind_behaviours, "Expectations of the application, tested by the meet verb",
     false, 0},
};
const struct ys_mapping ys_definition_mapping = {"the definition", root_keys, COUNT(root_keys), NULL};

/* What an included file may say: what several devices share. */
static const struct ys_key included_keys[] = {INCLUDE_KEY, SERVICES_KEY};
const struct ys_mapping ys_included_mapping = {"an included file", included_keys, COUNT(included_keys), NULL};

/* The C identifier of a device: its file's name without .device.yaml, or what its last part is. */
static char *identifier_of(const char *file)
{
    const char *name = strrchr(file, '/') != NULL ? strrchr(file, '/') + 1 : file;
    const char *end = strstr(name, ".device.");
    if (end == NULL)
        end = strrchr(name, '.') != NULL ? strrchr(name, '.') : name + strlen(name);
    char *stem = ys_copy(name, (size_t)(end - name));
    char *identifier = ys_identifier(stem);
    free(stem);
    return identifier;
}

/* GAP and GATT are made from the device (Core 5.4 Vol 3 Part C 12, Vol 3 Part G 7), before what the definition lists.
 */
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
                                                    .ways = {[YS_WAY_READ] = {.right = YS_RIGHT_OPEN}}};
    characteristics[1] = (struct ys_characteristic){.name = ys_copy("appearance", 10),
                                                    .id = ys_copy("appearance", 10),
                                                    .uuid = ys_uuid_of(0x2a01),
                                                    .type = {.format = ys_format_find("uint16")},
                                                    .ways = {[YS_WAY_READ] = {.right = YS_RIGHT_OPEN}}};
    design->service_count = 2;
}

static void add_gatt(struct ys_service *gatt, size_t index, const char *name, uint16_t uuid, const char *format,
                     uint64_t length)
{
    struct ys_characteristic *one = &gatt->characteristics[index];
    *one = (struct ys_characteristic){
        .name = ys_copy(name, strlen(name)),
        .id = ys_identifier(name),
        .uuid = ys_uuid_of(uuid),
        .type = {.format = ys_format_find(format), .length = {.number = length}, .fixed = true},
        .value = ys_new((size_t)length),
        .value_length = (size_t)length,
    };
    gatt->characteristic_count = index + 1;
}

/* What clients need that keep the table (Core 5.4 Vol 3 Part G 7). The value of the hash is known last. */
static void fill_caching(struct ys_service *gatt)
{
    const struct ys_offer open = {.right = YS_RIGHT_OPEN};
    gatt->characteristics = ys_new(3 * sizeof *gatt->characteristics);
    add_gatt(gatt, 0, "service changed", 0x2a05, "bytes", 4);
    gatt->characteristics[0].kept = true;
    gatt->characteristics[0].ways[YS_WAY_INDICATE] = open;
    add_gatt(gatt, 1, "client supported features", 0x2b29, "uint8", 1);
    gatt->characteristics[1].features = true;
    gatt->characteristics[1].ways[YS_WAY_READ] = open;
    gatt->characteristics[1].ways[YS_WAY_WRITE] = open;
    add_gatt(gatt, 2, "database hash", 0x2b2a, "bytes", 16);
    gatt->characteristics[2].ways[YS_WAY_READ] = open;
}

/* Gives them their values, once those are known (Vol 3 Part C 12.1, 12.2). */
static void fill_implied(struct ys_design *design)
{
    if (ys_design_caches(design))
        fill_caching(&design->services[1]);
    struct ys_characteristic *characteristics = design->services[0].characteristics;
    size_t length = design->name.text != NULL ? strlen(design->name.text) : 0;
    characteristics[0].value = (uint8_t *)ys_copy(design->name.text != NULL ? design->name.text : "", length);
    characteristics[0].value_length = length;
    characteristics[0].type.length.number = length;
    characteristics[1].value = ys_new(2);
    characteristics[1].value[0] = (uint8_t)design->appearance;
    characteristics[1].value[1] = (uint8_t)(design->appearance >> 8);
    characteristics[1].value_length = 2;
    characteristics[1].type.length.number = 2;
}

/* Includes that go deeper have surely lost their way. */
#define INCLUDES_MOST 32

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
    bool good = ys_yaml_mapping(&root, main_file ? &ys_definition_mapping : &ys_included_mapping, design);
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
    char *path = NULL;
    char *text = ys_load_beside(design, node->place, name, &path, &length);
    if (is_included_already(design, path) || design->source_count > INCLUDES_MOST) {
        ys_findings_add(node->findings, YS_ERROR, "include-file", node->place,
                        "\"%s\" is read already, or too many files are: include each file once, and none that includes "
                        "this one",
                        path);
    } else if (text == NULL) {
        ys_findings_add(node->findings, YS_ERROR, "include-file", node->place,
                        "\"%s\" cannot be read: a path is meant from the folder of the file that names it", path);
    } else {
        read_source(design, path, text, length, node->place);
        path = NULL;
        text = NULL;
    }
    free(path);
    free(text);
}

static void root_include(const struct ys_node *node, void *target)
{
    struct ys_node item;
    void *iterator = NULL;
    while (ys_yaml_next(node, &iterator, &item)) {
        const char *name = ys_yaml_text(&item);
        if (name != NULL)
            include_file(target, &item, name);
    }
}

/* Whether others can connect to it: a beacon and who only looks for others need no services. */
static bool offers_something(const struct ys_design *design)
{
    for (size_t i = 0; i < design->set_count; i++) {
        if (design->sets[i].kind == 0 || design->sets[i].kind == YS_ADVERTISE_CONNECTABLE + 1)
            return true;
    }
    return design->set_count == 0 && !design->scanning.given;
}

struct ys_design *ys_definition_read(const char *file, const char *text, size_t length, ys_load_fn *load,
                                     void *load_context, bool *whole)
{
    struct ys_design *design = ys_new(sizeof *design);
    ys_catalogue_load();
    design->file = ys_copy(file, strlen(file));
    design->id = identifier_of(file);
    design->load = load;
    design->load_context = load_context;
    design->security.bonding = true;
    add_implied(design);
    if (design->id == NULL || ys_is_keyword(design->id))
        ys_findings_add(&design->findings, YS_ERROR, "name-in-c", (struct ys_place){.line = 1, .column = 1},
                        "the file's name gives the device's name in C: begin it with a letter, and avoid keywords");
    else if (ys_identifier_is_reserved(design->id))
        ys_findings_add(&design->findings, YS_ERROR, "name-in-c", (struct ys_place){.line = 1, .column = 1},
                        "the file's name would give names in C that a library has, such as %s_...: rename it",
                        design->id);
    read_source(design, ys_copy(file, strlen(file)), ys_copy(text, length), length, (struct ys_place){.line = 0});
    const struct fy_document *document = design->sources[0].document;
    *whole = document != NULL && fy_node_is_mapping(fy_document_root(design->sources[0].document));
    if (*whole) {
        if (!design->lists_services && offers_something(design))
            ys_findings_add(&design->findings, YS_ERROR, "key-missing", (struct ys_place){.line = 1, .column = 1},
                            "the definition has no services: add it");
        fill_implied(design);
    }
    return design;
}
