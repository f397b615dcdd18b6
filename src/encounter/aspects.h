/* The aspects of encounters: the central, its purpose, the moment, and events meanwhile. */
#ifndef ENCOUNTER_ASPECTS_H
#define ENCOUNTER_ASPECTS_H

#include "design/making/layout.h"
#include "design/making/outcome.h"

/* Who is met. Its parts stay the caller's. */
struct ys_subject {
    const struct ys_design *design;
    const struct ys_layout *layout;
    const char *definition;    /* as scenes name it */
    const char *firmware;      /* NULL: its definition plays it */
    const char *const *inputs; /* of its firmware */
    size_t input_count;
    /* filled in by ys_subject_know */
    const struct ys_row **values; /* of its layout: of characteristics, then their descriptors */
    size_t value_count;
    struct ys_pairing_outcome outcomes[YS_OUTCOMES_MOST];
    size_t outcome_count;
};

/* Fills it in; and frees what was. */
void ys_subject_know(struct ys_subject *subject);
void ys_subject_forget(struct ys_subject *subject);

/* The name of a value: of its characteristic, and for a descriptor also its type. */
void ys_subject_say(const struct ys_subject *subject, size_t value, char *text, size_t size);

/* The aspects of an encounter, each of which has one of several values. */
enum ys_aspect {
    YS_ASPECT_WHO,        /* which kind of central */
    YS_ASPECT_CAPABILITY, /* what people see and can enter at it */
    YS_ASPECT_PAIRING,    /* whether it pairs, and what people do */
    YS_ASPECT_VALUE,      /* which value it wants */
    YS_ASPECT_WAY,        /* and how */
    YS_ASPECT_MOMENT,     /* when */
    YS_ASPECT_TROUBLE,    /* what goes wrong meanwhile */
    YS_ASPECT_INPUT,      /* what is done at the device */
    YS_ASPECT_OTHERS,     /* how many others are there */
    YS_ASPECTS
};

enum ys_pairing_way {
    YS_PAIR_NOT,
    YS_PAIR_RIGHT,
    YS_PAIR_WRONG,
    YS_PAIR_NOTHING,
    YS_PAIR_CANCELLED,
    YS_PAIR_AGAIN,    /* and it comes back, with the key */
    YS_PAIR_IMPOSTOR, /* somebody comes afterwards who has its address, and not its key */
    YS_PAIR_WAYS
};

enum ys_access_way {
    YS_ACCESS_READ,
    YS_ACCESS_READ_TWICE,
    YS_ACCESS_LEAST,
    YS_ACCESS_GREATEST,
    YS_ACCESS_ANY, /* within its format and its range */
    YS_ACCESS_BELOW,
    YS_ACCESS_BEYOND,
    YS_ACCESS_EMPTY,
    YS_ACCESS_SHORT,
    YS_ACCESS_LONG,
    YS_ACCESS_512,
    YS_ACCESS_COMMAND,
    YS_ACCESS_COMMAND_SHORT,
    YS_ACCESS_SUBSCRIBE,
    YS_ACCESS_SUBSCRIBE_TWICE,
    YS_ACCESS_SUBSCRIBE_OFF,
    YS_ACCESS_WAYS
};

enum ys_moment {
    YS_MOMENT_QUIET,
    YS_MOMENT_BEFORE_DISCOVERY,
    YS_MOMENT_WHILE_DISCOVERED, /* by another */
    YS_MOMENT_BEFORE_PAIRING,
    YS_MOMENT_SUBSCRIBED, /* to all there is */
    YS_MOMENT_AT_ONCE,    /* with somebody else's */
    YS_MOMENT_AGAIN,      /* in a second connection */
    YS_MOMENT_WHILE_PAIRING,
    YS_MOMENT_OFTEN,   /* again and again, while parameters of the connection change */
    YS_MOMENT_AS_SET,  /* while an input changes */
    YS_MOMENT_AS_LOST, /* the link goes in the middle of it */
    YS_MOMENT_AS_POWER,
    YS_MOMENTS
};

enum ys_trouble {
    YS_TROUBLE_NONE,
    YS_TROUBLE_CHANNELS,
    YS_TROUBLE_LOST,
    YS_TROUBLE_POWER,
    YS_TROUBLE_FAR,
    YS_TROUBLE_STORE, /* cannot be written */
    YS_TROUBLES
};

/* How many values an aspect has, at least 1; its name; and a value of it in words. */
size_t ys_aspect_count(const struct ys_subject *subject, enum ys_aspect aspect);
const char *ys_aspect_name(enum ys_aspect aspect);
void ys_aspect_say(const struct ys_subject *subject, enum ys_aspect aspect, size_t value, char *text, size_t size);

#endif
