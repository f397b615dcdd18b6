/* A definition, read and checked: the one model that table, generator and stand-in devices are made from. */
#ifndef DESIGN_MODEL_MODEL_H
#define DESIGN_MODEL_MODEL_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <yarnswift/address.h>
#include <yarnswift/gap.h>
#include <yarnswift/table.h>
#include <yarnswift/uuid.h>

#include "design/model/formats.h"
#include "design/model/written.h"
#include "measure/charge.h"
#include "measure/scanner.h"

/* How a value moves when no firmware is there to give it. */
enum ys_shape {
    YS_SHAPE_NONE,
    YS_SHAPE_CONSTANT,
    YS_SHAPE_RAMP,
    YS_SHAPE_SINE,
    YS_SHAPE_RANDOM_WALK,
    YS_SHAPE_RECORDED
};

struct ys_stand_in {
    int shape; /* enum ys_shape */
    struct ys_place place;
    int64_t from; /* raw numbers, as they are sent */
    int64_t to;
    int64_t step; /* of a random walk, at most */
    struct ys_counted period_us;
    struct ys_counted every_us; /* between two changes */
    struct ys_written from_text;
    struct ys_written to_text;
    struct ys_written step_text;
    struct ys_written file; /* of a recorded one: a number a line */
    int64_t *recorded;
    size_t recorded_count;
};

/* A number that has a name, of an enumerated value. */
struct ys_named_number {
    char *name;
    uint64_t number;
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
    struct ys_counted length; /* greatest length in bytes */
    bool fixed;               /* it is always that long */
    /* flags: */
    char **bits; /* names of the lowest bits */
    size_t bit_count;
    /* enumerated values: */
    struct ys_named_number *names;
    size_t name_count;
    struct ys_place names_place;
    /* structures: */
    struct ys_field *fields;
    size_t field_count;
    /* fields of structures: */
    int order;              /* enum ys_order + 1; 0: not said */
    struct ys_counted most; /* of an array, at most; 0: it is none */
    bool depends;           /* it is there only when a bit of a flags field before it is set, or (`unless`) is not */
    size_t flags_at;        /* which field */
    size_t flag;            /* which bit */
    struct ys_written when;
    struct ys_written unless;
};

/* Which byte of a number is sent first. */
enum ys_order { YS_LEAST_FIRST, YS_MOST_FIRST };

/* Fields of one structure, at most. */
#define YS_FIELDS_MOST 32

/* The ways to a value; each is a property of its characteristic. */
enum ys_way {
    YS_WAY_READ,
    YS_WAY_WRITE,
    YS_WAY_WRITE_COMMAND,
    YS_WAY_SIGNED_WRITE,
    YS_WAY_NOTIFY,
    YS_WAY_INDICATE,
    YS_WAYS
};

/* The keys of the ways, and their properties. */
struct ys_way_words {
    const char *name;
    uint8_t property;
};
extern const struct ys_way_words ys_ways[YS_WAYS];

/* What a way needs. */
struct ys_offer {
    enum ys_right right;
    bool asks; /* the application consents to each access */
    struct ys_place place;
};

/* A descriptor of the definition's own. */
struct ys_descriptor {
    struct ys_place place;
    struct ys_written uuid_text;
    struct ys_written value_text;
    struct ys_field type;
    struct ys_offer read;
    struct ys_offer write;
    struct ys_uuid uuid;
    uint8_t *value;
    size_t value_length;
};

struct ys_characteristic {
    struct ys_place place;
    char *name;
    char *id; /* C identifier */
    struct ys_uuid uuid;
    struct ys_written uuid_text;
    struct ys_field type; /* of its value */
    struct ys_offer ways[YS_WAYS];
    struct ys_place handler_place;
    char *handler_name; /* under which several share their handlers; NULL: its own */
    char *handler_id;   /* C identifier of that */
    struct ys_place handler_name_place;
    struct ys_place any_value_place;
    struct ys_written value_text;
    struct ys_written description; /* for people; NULL: none */
    struct ys_counted description_length;
    struct ys_offer description_write;
    struct ys_place presentation_place;
    struct ys_written range_text[2];
    struct ys_place range_place;
    size_t range_count;                /* how many are written */
    int64_t range[2];                  /* raw: the least and the greatest valid value */
    struct ys_descriptor *descriptors; /* own ones */
    size_t descriptor_count;
    uint8_t *value; /* initial or constant; NULL: none */
    size_t value_length;
    struct ys_counted spacing_us;
    struct ys_stand_in stand_in;
    bool faulty;  /* something in it could not be read: what is missing may be what was meant */
    bool brought; /* by its service's use:, not written */
    bool broadcasts;
    bool reliable;
    bool kept;     /* by the host, though nobody writes it: Service Changed */
    bool features; /* client supported features: each connection has its own */
    bool streams;  /* its notifications are bytes that the firmware appends */
    bool queues;   /* its notifications are values that the firmware puts into an outbox */
    bool read_handler;
    bool write_handler;
    bool any_value;    /* its handler gets writes beyond its range, too */
    bool presentation; /* has a presentation format descriptor */
    bool has_range;
    int64_t usual[2]; /* of its adopted type, likewise; beyond it, its format's ends may mean that nothing is known */
    bool has_usual;
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
    bool brought; /* by the use: of a whole device */
    char *name;
    char *id;
    struct ys_uuid uuid;
    struct ys_written uuid_text;
    bool secondary;
    struct ys_promise *includes; /* services that it includes */
    size_t include_count;
    const struct ys_adopted *used; /* what use: names, or NULL */
    struct ys_promise *dropped;    /* names of parts of it that are not wanted */
    size_t dropped_count;
    struct ys_characteristic *characteristics;
    size_t characteristic_count;
};

/* What can stand in an advertisement. */
enum ys_part_kind {
    YS_PART_NONE,
    YS_PART_FLAGS,
    YS_PART_NAME,
    YS_PART_SERVICES,
    YS_PART_APPEARANCE,
    YS_PART_INTERVAL,
    YS_PART_SOME_SERVICES,
    YS_PART_ROLE,
    YS_PART_SHORT_NAME,
    YS_PART_POWER,
    YS_PART_CONNECTION_INTERVAL,
    YS_PART_WANTED_SERVICES,
    YS_PART_TARGETS,
    YS_PART_URI,
    YS_PART_MANUFACTURER,
    YS_PART_SERVICE_DATA,
    YS_PART_STRUCTURE
};

struct ys_part {
    struct ys_place place;
    int kind;                 /* enum ys_part_kind */
    struct ys_written text;   /* of a power */
    struct ys_counted number; /* length of a short name, company, type of a structure */
    struct ys_promise service;
    struct ys_promise *list; /* services that are wanted, or addresses */
    size_t list_count;
    uint64_t range_us[2];
    struct ys_written value_text;
    struct ys_field type; /* of the value */
    uint8_t *value;
    size_t value_length;
};

struct ys_parts {
    struct ys_part *items;
    size_t count;
    struct ys_place place;
    bool given;
};

/* One way to advertise. */
/* A PHY in a definition. */
enum ys_said_phy { YS_SAID_1M = 1, YS_SAID_2M, YS_SAID_CODED };

struct ys_advertisement {
    struct ys_place place;
    char *name; /* NULL: the main one */
    char *id;
    uint64_t interval_min_us;
    uint64_t interval_max_us;
    struct ys_place interval_place;
    struct ys_place findable_place;
    struct ys_counted duration_us;
    struct ys_promise *promises;
    size_t promise_count;
    struct ys_parts data;
    struct ys_parts response;
    /* what needs a controller that has sets */
    struct ys_written power;
    struct ys_counted set_id;
    struct ys_counted events;
    struct ys_place options_place; /* of the last of these */
    int phy;                       /* enum ys_said_phy; 0: not said; also the next: */
    int primary_phy;
    int8_t power_dbm;
    bool extended;
    bool anonymous;
    bool include_power;
    bool report_scan_requests;
    /* and of any */
    bool faulty;
    uint8_t channels; /* bit 0: 37, bit 1: 38, bit 2: 39; 0: all */
    int kind;         /* enum ys_advertising_kind + 1; 0: not said */
    int findable;     /* enum ys_findable + 1; 0: not said */
};

/* How the device pairs. */
struct ys_device_security {
    struct ys_place place;
    bool given;
    int capability; /* enum ys_capability + 1; 0: not said */
    struct ys_place capability_place;
    bool secure_only; /* only with secure connections */
    bool bonding;
    bool debug_key;
    bool privacy;
    bool out_of_band;
    int least;     /* enum ys_least + 1; 0: not said */
    int when_full; /* enum ys_when_full + 1; 0: not said */
    int begins;    /* enum ys_begins + 1; 0: not said */
    struct ys_counted rotation_us;
    struct ys_place least_place;
    struct ys_written passkey;
    struct ys_counted key_size;
};

/* What it asks of its connections. */
struct ys_device_link {
    struct ys_place place;
    struct ys_place interval_place;
    bool given;
    uint32_t interval_min_us; /* 0: not said */
    uint32_t interval_max_us;
    struct ys_counted latency;
    struct ys_counted timeout_us;
    struct ys_counted pause_us;
    struct ys_counted packet_length;
    struct ys_counted event_length_us;
    int phy; /* which word, from 1; 0: not said; also the next: */
    int receive_phy;
    int accepts; /* enum ys_link_answer + 1 */
};

/* The words of its keys. */
enum ys_least { YS_LEAST_ENCRYPTED, YS_LEAST_AUTHENTICATED };
enum ys_when_full { YS_WHEN_FULL_REFUSE, YS_WHEN_FULL_FORGET };
enum ys_begins { YS_BEGINS_HOST, YS_BEGINS_FIRMWARE };

struct ys_limits {
    struct ys_counted connections;
    struct ys_counted mtu;
    struct ys_counted bonds;
    struct ys_counted flash; /* bytes of an image, also the next: */
    struct ys_counted ram;
    struct ys_counted stack;
};

/* Reads a file that a definition includes: a text of `*length` bytes that is freed by free(), or NULL. */
typedef char *ys_load_fn(void *context, const char *path, size_t *length);

/* A file that was read. Private. */
struct ys_source {
    char *path;
    char *text;
    void *document;
};

/* What is expected of it on the air. */
enum ys_expected { YS_EXPECT_NONE, YS_EXPECT_FOUND, YS_EXPECT_INTERVAL, YS_EXPECT_SILENCE };

struct ys_expectation {
    struct ys_place place;
    struct ys_written set_text;  /* about which way to advertise, if it says so */
    const char *set;             /* its name, or NULL; without a word of it that of the first */
    int kind;                    /* enum ys_expected */
    struct ys_counted within_us; /* FOUND */
    struct ys_written by_text;
    struct ys_written share_text;
    struct ys_scanner by;
    char *by_name;       /* what its name points to */
    double share;        /* 0 to 1 */
    uint64_t ends_us[2]; /* INTERVAL: the least and the greatest */
    struct ys_counted silence_us;
};

/* What the application does, beside what the table says: after what is done, something holds. */
enum ys_cause {
    YS_CAUSE_NONE, /* it always holds */
    YS_CAUSE_WRITE,
    YS_CAUSE_SET /* at the device: a value of a stand-in, an input of firmware */
};

enum ys_effect {
    YS_EFFECT_NONE,
    YS_EFFECT_READ,   /* what is read */
    YS_EFFECT_TOLD,   /* a value is notified or indicated */
    YS_EFFECT_SILENCE /* none is */
};

struct ys_behaviour {
    struct ys_place place;
    int cause; /* enum ys_cause */
    struct ys_written cause_text;
    struct ys_written to; /* without it, any value that may be written */
    int effect;           /* enum ys_effect */
    struct ys_written effect_text;
    struct ys_written field_text; /* of a structure, only this one */
    struct ys_written is;         /* "written": what was written */
    struct ys_written between[2];
    size_t between_count;
    struct ys_counted within_us; /* TOLD */
    struct ys_counted for_us;    /* SILENCE */
    /* filled in by the check */
    const struct ys_service *written_of;
    const struct ys_characteristic *written; /* NULL: an input, or nothing */
    const struct ys_service *seen_of;
    const struct ys_characteristic *seen;
};

/* What the hardware draws, as it is written. */
struct ys_energy_given {
    bool given;
    struct ys_written standby;
    struct ys_written receive;
    struct ys_written turn;
    struct ys_written wake_up;
    struct ys_written battery;
    struct ys_written cut_off;
    struct ys_written self_discharge;
    struct ys_energy figures;
};

/* What it looks for as a central. */
struct ys_device_scanning {
    bool given;
    struct ys_place place;
    struct ys_written service_text;
    struct ys_uuid service; /* of length 0: not said */
    struct ys_written name;
    struct ys_counted company;
    struct ys_written least_text;
    int8_t least_dbm;
    struct ys_counted interval_us;
    struct ys_counted window_us;
    bool active;
    int phy; /* 0: not said; 1M, coded, or both */
};

struct ys_design {
    char *file; /* as given */
    char *id;   /* C identifier, from the file's name */
    struct ys_written name;
    struct ys_written appearance_text;
    uint16_t appearance;
    struct ys_written address_text;
    bool public_address;
    bool private_address; /* a non-resolvable one */
    bool has_address;     /* a static one of its own */
    struct ys_address address;
    struct ys_limits limits;
    struct ys_device_security security;
    struct ys_device_link link;
    struct ys_device_scanning scanning;
    int caching; /* 0: not said, 1: yes, 2: no */
    struct ys_advertisement *sets;
    size_t set_count;
    struct ys_energy_given energy;
    struct ys_expectation *expectations;
    size_t expectation_count;
    struct ys_behaviour *behaviours;
    size_t behaviour_count;
    struct ys_service *services; /* the implied ones first */
    size_t service_count;
    struct ys_findings findings;
    bool lists_services;
    struct ys_source *sources; /* the definition, and what it includes, in order */
    size_t source_count;
    ys_load_fn *load;
    void *load_context;
};

void ys_design_free(struct ys_design *design);

/* Whether clients may cache the table: the definition says so, or the device has bonds. */
bool ys_design_caches(const struct ys_design *design);

/* Properties of a characteristic as the standard counts them (enum ys_property). */
uint8_t ys_characteristic_properties(const struct ys_characteristic *characteristic);

/* Whether a value can be reached this way; by any kind of write; by notification or indication. */
bool ys_offers(const struct ys_characteristic *characteristic, enum ys_way way);
bool ys_is_writable(const struct ys_characteristic *characteristic);
bool ys_is_notifiable(const struct ys_characteristic *characteristic);

/* What any kind of write needs, and any kind of notification; the check sees to it that all say the same. */
const struct ys_offer *ys_write_offer(const struct ys_characteristic *characteristic);
const struct ys_offer *ys_notify_offer(const struct ys_characteristic *characteristic);

/* A right in the definition's word. */
const char *ys_right_word(enum ys_right right);

/* The characteristic of a service with this name; NULL if there is none. */
struct ys_characteristic *ys_characteristic_named(const struct ys_service *service, const char *name);

/* Whether a text names it: "preset", or "tightening/preset"; in both names there may be a slash. */
bool ys_characteristic_is_called(const struct ys_service *service, const struct ys_characteristic *characteristic,
                                 const char *text);

/* The service with this UUID; NULL if there is none. */
const struct ys_service *ys_design_find_service(const struct ys_design *design, const struct ys_uuid *uuid);

/* The service of this name; NULL if there is none. */
struct ys_service *ys_service_named(const struct ys_design *design, const char *name);

/* Frees what they hold. */
void ys_type_clear(struct ys_field *field);
void ys_characteristic_clear(struct ys_characteristic *characteristic);
void ys_service_clear(struct ys_service *service);

#endif
