/* A definition, read and checked: the one model that table, generator and stand-in devices are made from. */
#ifndef DESIGN_MODEL_H
#define DESIGN_MODEL_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <yarnswift/table.h>
#include <yarnswift/uuid.h>

#include "design/catalogue.h"
#include "design/finding.h"

/* How a value moves when no firmware is there to give it. */
enum ys_shape { YS_SHAPE_NONE, YS_SHAPE_CONSTANT, YS_SHAPE_RAMP, YS_SHAPE_SINE, YS_SHAPE_RANDOM_WALK };

struct ys_stand_in {
    enum ys_shape shape;
    struct ys_place place;
    int64_t from; /* raw numbers, as they are sent */
    int64_t to;
    int64_t step; /* of a random walk, at most */
    uint64_t period_us;
    uint64_t every_us;     /* between two changes */
    const char *from_text; /* as written, until the format is known */
    const char *to_text;
    const char *step_text;
};

/* What bytes mean: a whole value, or a part of a structured one. */
struct ys_field {
    struct ys_place place;
    char *name; /* NULL for a whole value, which has its characteristic's */
    char *id;
    const struct ys_format *format;
    const struct ys_unit *unit; /* or NULL */
    int64_t multiplier;         /* value = raw number x multiplier x 10^exponent / 2^halvings; 0 is 1 */
    int exponent;
    int halvings;
    bool has_resolution;
    struct ys_place length_place;
    uint64_t length; /* greatest length in bytes */
    /* flags: */
    char **bits; /* names of the lowest bits */
    size_t bit_count;
    /* structures: */
    struct ys_field *fields;
    size_t field_count;
    /* fields of structures: */
    uint64_t most; /* of an array, at most; 0: it is none */
    bool depends;  /* it is there only when a bit of a flags field before it is set, or (`unless`) is not */
    bool unless;
    size_t flags_at; /* which field */
    size_t flag;     /* which bit */
    const char *depends_text;
    struct ys_place depends_place;
};

/* Fields of one structure, at most. */
#define YS_FIELDS_MOST 32

/* A descriptor of the definition's own, with a constant value. */
struct ys_descriptor {
    struct ys_place place;
    const char *uuid_text;
    const char *value_text;
    struct ys_uuid uuid;
    uint8_t *value;
    size_t value_length;
};

struct ys_characteristic {
    struct ys_place place;
    bool faulty; /* something in it could not be read: what is missing may be what was meant */
    char *name;
    char *id; /* C identifier */
    struct ys_uuid uuid;
    struct ys_place uuid_place;
    const char *uuid_text;
    struct ys_field type; /* of its value */
    enum ys_right read;
    enum ys_right write;
    enum ys_right write_command;
    enum ys_right notify;
    struct ys_place rights_place; /* of the first right that needs more than an open link */
    bool read_handler;
    bool write_handler;
    struct ys_place handler_place;
    const char *value_text;
    struct ys_place value_place;
    char *description; /* for people; NULL: none */
    bool presentation; /* has a presentation format descriptor */
    struct ys_place presentation_place;
    struct ys_descriptor *descriptors; /* own ones */
    size_t descriptor_count;
    uint8_t *value; /* initial or constant; NULL: none */
    size_t value_length;
    struct ys_place spacing_place;
    uint64_t spacing_us;
    struct ys_stand_in stand_in;
};

struct ys_service;

/* A service that something names: the advertisement that promises it, or a service that includes it. */
struct ys_promise {
    const char *name;
    struct ys_place place;
    const struct ys_service *service;
};

struct ys_service {
    struct ys_place place;
    bool implied; /* made from the device, not written as a service */
    char *name;
    char *id;
    struct ys_uuid uuid;
    struct ys_place uuid_place;
    const char *uuid_text;
    bool secondary;
    struct ys_promise *includes; /* services that it includes */
    size_t include_count;
    struct ys_characteristic *characteristics;
    size_t characteristic_count;
};

/* Reads a file that a definition includes: a text of `*length` bytes that is freed by free(), or NULL. */
typedef char *ys_load_fn(void *context, const char *path, size_t *length);

/* A file that was read. Private. */
struct ys_source {
    char *path;
    char *text;
    void *document;
};

struct ys_design {
    char *file; /* as given */
    char *id;   /* C identifier, from the file's name */
    const char *name;
    struct ys_place name_place;
    uint64_t appearance;
    struct ys_place appearance_place;
    bool public_address;
    bool advertises;
    struct ys_place advertising_place;
    uint64_t interval_min_us;
    uint64_t interval_max_us;
    struct ys_promise *promises;
    size_t promise_count;
    struct ys_service *services; /* the implied ones first */
    size_t service_count;
    struct ys_findings findings;
    bool lists_services;
    struct ys_source *sources; /* the definition, and what it includes, in order */
    size_t source_count;
    ys_load_fn *load;
    void *load_context;
};

/* Reads and checks a definition. Always returns a design; it may only be used for more than its findings if
 * findings.errors is 0. `text` of `length` bytes is copied; `file` is for messages and for the name. `load` reads what
 * it includes; if it is NULL, nothing can be included. */
struct ys_design *ys_design_read(const char *file, const char *text, size_t length, ys_load_fn *load,
                                 void *load_context);
void ys_design_free(struct ys_design *design);

/* Properties of a characteristic as the standard counts them (enum ys_property). */
uint8_t ys_characteristic_properties(const struct ys_characteristic *characteristic);

/* The service with this UUID; NULL if there is none. */
const struct ys_service *ys_design_find_service(const struct ys_design *design, const struct ys_uuid *uuid);

#endif
