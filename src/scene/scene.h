/* A scene, read and checked: its actors, steps and expectations. */
#ifndef SCENE_SCENE_H
#define SCENE_SCENE_H

#include <stdbool.h>

#include "design/model/model.h"
#include "design/model/written.h"
#include "world/air.h"
#include "world/hardware.h"
#include "world/traits.h"

/* What a step does. */
enum ys_verb {
    YS_VERB_NONE,
    YS_VERB_FIND,
    YS_VERB_FIND_SERVICE,
    YS_VERB_FIND_ADDRESS,
    YS_VERB_CONNECT,
    YS_VERB_DISCONNECT,
    YS_VERB_DISCOVER,
    YS_VERB_READ,
    YS_VERB_WRITE,
    YS_VERB_SUBSCRIBE,
    YS_VERB_UNSUBSCRIBE,
    YS_VERB_PAIR,
    YS_VERB_FORGET,
    YS_VERB_TOUCH,
    YS_VERB_NONSENSE,
    YS_VERB_ADVERTISE,
    YS_VERB_EXPECT,
    YS_VERB_EXPECT_NONE,
    YS_VERB_EXPECT_LOG,
    YS_VERB_EXPECT_NO_LOG,
    YS_VERB_EXPECT_DISCONNECTION,
    YS_VERB_SET,
    YS_VERB_POWER,
    YS_VERB_STORE,
    YS_VERB_WALK,
    YS_VERB_JAM,
    YS_VERB_WAIT,
    YS_VERB_AT_ONCE,
    YS_VERB_REPEAT,
    YS_VERB_STEPS,
    YS_VERB_END,
    YS_VERBS
};

/* The words of `power`. */
enum ys_power { YS_POWER_OFF = 1, YS_POWER_ON, YS_POWER_CYCLE };

/* The words of `store`. */
enum ys_store_word { YS_STORE_FAILS = 1, YS_STORE_WORKS };

/* A value as bytes. */
struct ys_bytes {
    uint8_t *bytes;
    size_t length;
};

struct ys_place_m {
    double x_m;
    double y_m;
    bool given;
};

struct ys_steps {
    struct ys_step *items;
    size_t count;
};

/* Nobody, or no device. */
#define YS_NOBODY SIZE_MAX

struct ys_step {
    struct ys_place place;
    int verb; /* enum ys_verb */
    int as;   /* 1: what is read must be what was written; 0: not said */
    struct ys_written object;
    /* how it is written */
    struct ys_written who_text;
    struct ys_written of_text;
    struct ys_written is_text;
    struct ys_written to_text;
    struct ys_written bytes_text;
    struct ys_written field_text;
    struct ys_written fails;
    struct ys_written may_fail;
    struct ys_written by_text;
    struct ys_written because;
    struct ys_written passkey_text;
    struct ys_counted within_us;
    struct ys_counted for_us;
    bool meanwhile; /* it lasts as long as the other steps of its group */
    struct ys_written between_text[2];
    struct ys_written rate_text[2];
    size_t between_count;
    size_t rate_count;
    struct ys_written *order_text;
    size_t order_count;
    struct ys_place_m to;
    struct ys_counted repeat;
    int word;          /* enum ys_power, enum ys_store_word; whether it advertises: 1, 2 */
    int response;      /* 0: not said, 1: yes, 2: no */
    uint64_t channels; /* to be jammed */
    uint64_t wait_us;
    struct ys_steps steps;
    bool has_steps;
    /* what it means */
    size_t who;                                     /* the number of an actor, or YS_NOBODY */
    size_t peer;                                    /* whom it is about, the same */
    const struct ys_characteristic *characteristic; /* or NULL: */
    uint16_t handle;
    const struct ys_field *field; /* of the value that is compared */
    const char *input;            /* of firmware */
    int64_t input_value;
    struct ys_bytes is;
    struct ys_bytes value; /* to be written or set */
    struct ys_bytes *order;
    double between[2];
    double rate[2];
    struct ys_uuid service;
    struct ys_address address;
    int subscription; /* enum ys_subscription + 1; 0: not said */
    uint8_t people;   /* enum ys_people_do */
    uint32_t digits;
};

/* Somebody in it: first the devices, then the centrals. */
struct ys_actor {
    struct ys_place place;
    bool is_device;
    struct ys_written name;
    struct ys_place_m at;
    double body_db; /* of who carries it */
    int unseen;     /* 0: not said, 1: true, 2: false; likewise */
    int adapts;
    int character; /* of its controller: which of ys_characters, from 1; 0: not said */
    uint64_t line_bps;
    struct ys_counted thinks_us;
    struct ys_hardware hardware; /* what comes of that */
    /* devices */
    struct ys_written definition;
    struct ys_written firmware;
    struct ys_design *design;
    char *module;  /* path of its firmware; NULL: its definition plays it */
    bool is_image; /* that is an image, and not a module */
    bool plugged;  /* its host is outside: it has firmware, and no path */
    /* centrals */
    int kind; /* which of ys_kinds_of_central, from 1; 0: not said */
    struct ys_counted mtu;
    struct ys_counted latency;
    struct ys_counted interval_us;
    struct ys_counted patience_us;
    struct ys_counted supervision_timeout_us;
    int remembering; /* enum + 1; 0: not said; likewise */
    int temper;
    int capability;
    int legacy;
    int refuses_updates;
    struct ys_written pretends_text;
    size_t pretends; /* the number of another central, or YS_NOBODY */
    int asks_mtu;    /* 0: not said, 1: true, 2: false; likewise */
    int extended;
    int coded;
    int subscribes_again;
    int knows;
    struct ys_traits traits;
};

/* Something that disturbs, as it is written and as it is. */
struct ys_heard {
    struct ys_place place;
    int kind; /* enum ys_disturber_kind + 1 */
    struct ys_counted channel;
    struct ys_counted count;
    struct ys_counted burst_us;
    struct ys_counted interval_us;
    double duty; /* NAN: not said; also the next: */
    double power_dbm;
    double around_m;
    struct ys_place_m at;
    struct ys_disturber is;
};

struct ys_scene {
    char *file;
    struct ys_written title;
    int audited;       /* 0: not said, 1: true, 2: false */
    int air_said;      /* enum ys_air_kind; 0: not said */
    struct ys_air air; /* what comes of that */
    int reception;     /* enum ys_reception_kind + 1; 0: not said; also the next: */
    int fading;
    bool has_factor;
    double factor_db;
    struct ys_counted coherence_us;
    struct ys_place fading_place;
    struct ys_heard *disturbers;
    size_t disturber_count;
    struct ys_actor *actors;
    size_t actor_count;
    size_t device_count;
    struct ys_steps steps;
    struct ys_findings findings;
    void **documents; /* whose texts it uses */
    size_t document_count;
};

/* How the files that a scene names are opened. */
struct ys_scene_files {
    struct ys_design *(*design)(void *context, const char *path); /* NULL if it cannot be read */
    /* The path of a module, or of an image (.elf), by its name; NULL, with where it was looked for, if there is none.
     */
    char *(*module)(void *context, const char *scene, const char *name, char *looked, size_t size);
    /* Optional: the firmware of a device, instead of that of the scene; NULL: that of the scene. */
    const char *(*firmware)(void *context, const char *device);
    /* Optional: whether the host of a device is outside, at a line. */
    bool (*plugged)(void *context, const char *device);
    void *context;
};

void ys_scene_free(struct ys_scene *scene);

void ys_steps_clear(struct ys_steps *steps);

/* The shortest total time of the steps in us, to order scenes by their duration. */
uint64_t ys_steps_last_us(const struct ys_steps *steps, bool at_once);

#endif
