/* What centrals are like: how they differ is what a device must cope with. */
#ifndef WORLD_TRAITS_H
#define WORLD_TRAITS_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <yarnswift/security.h>

#include "design/model/model.h"

/* What a central does with a table that it remembers from before. */
enum ys_remembering {
    YS_FORGETS, /* discovers anew each time */
    YS_ASKS,    /* asks for the database hash, and discovers if it has changed, or if there is none */
    YS_TRUSTS   /* uses it, come what may */
};

/* What it does when pairing fails. */
enum ys_temper {
    YS_LEAVES, /* disconnects */
    YS_STAYS,  /* goes on as before */
    YS_INSISTS /* asks again, three times, and stays */
};

struct ys_traits {
    uint32_t interval_us; /* of its connections: 7,500 to 4,000,000 */
    uint32_t patience_us; /* how long it waits for whatever it wants */
    uint16_t mtu;         /* that it asks for, and agrees to at most */
    uint16_t latency;     /* connection events that it lets the peripheral leave out: 0 to 499 */
    uint16_t supervision_timeout_ms;
    bool asks_mtu;         /* else it only answers */
    bool extended;         /* its controller hears extended advertising */
    bool coded;            /* and coded packets, which carry further */
    bool subscribes_again; /* when it has come back */
    bool knows;            /* it knows the definitions of the devices; else it goes by what they tell */
    uint8_t remembering;   /* enum ys_remembering */
    uint8_t temper;        /* enum ys_temper */
    uint8_t capability;    /* enum ys_capability: what people see and can enter at it */
    bool legacy;           /* it only knows the older way of pairing */
    bool refuses_updates;  /* of the parameters of its connections */
};

/* A ready-made one. */
struct ys_kind_of_central {
    const char *name;
    const char *about; /* in a sentence */
    struct ys_traits traits;
};

extern const struct ys_kind_of_central ys_kinds_of_central[];
extern const size_t ys_kinds_of_central_count;

/* A polite one with what it takes to hear a device. */
struct ys_traits ys_traits_for(const struct ys_design *design);

#endif
