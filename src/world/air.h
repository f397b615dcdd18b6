/* What the air of a world is like, and what else is on it. */
#ifndef WORLD_AIR_H
#define WORLD_AIR_H

#include "world/world.h"

/* Where it is. */
enum ys_air_kind { YS_AIR_PERFECT = 1, YS_AIR_OPEN, YS_AIR_HALL };

struct ys_air {
    int kind;                         /* enum ys_air_kind; 0: perfect */
    enum ys_reception_kind reception; /* of what is not perfect; also the next: */
    enum ys_fading fading;
    double rician_k_db;
    uint32_t coherence_us; /* 0: fading belongs to places, and does not change with time */
};

/* The names of enum ys_air_kind, of enum ys_reception_kind and of enum ys_fading; each ends with NULL. */
extern const char *const ys_air_words[];
extern const char *const ys_reception_words[];
extern const char *const ys_fading_words[];

/* The properties of an air of which only the place is given: realistic; no fading outdoors, Rician between machines. */
struct ys_air ys_air_of(int kind);

/* Its numbers, for calculations. */
struct ys_air_model ys_air_model_of(const struct ys_air *air, uint64_t seed);

/* Gives a world its air. False if there is no memory. */
bool ys_world_set_air(struct ys_world *world, const struct ys_air *air);

/* What disturbs. */
enum ys_disturber_kind {
    YS_DISTURBER_NETWORK,    /* a wide-band network on a channel of its own: bursts of 20 MHz */
    YS_DISTURBER_OVEN,       /* a microwave oven: half of each period of the mains, over much of the band */
    YS_DISTURBER_ADVERTISERS /* devices of others that advertise */
};

extern const char *const ys_disturber_words[];

struct ys_disturber {
    enum ys_disturber_kind kind;
    uint8_t channel; /* of a network: 1 to 13, in steps of 5 MHz from 2412 MHz on; of which 1, 6 and 11 are usual */
    double duty;     /* the same: the share of time, above 0 to 1 */
    uint32_t burst_us;
    int8_t power_dbm;     /* of its transmitter */
    uint32_t count;       /* of advertisers */
    uint32_t interval_us; /* the same */
    double x_m;
    double y_m;
    double around_m; /* advertisers stand within a circle of this radius */
};

/* What one is of which nothing else is said. */
struct ys_disturber ys_disturber_of(enum ys_disturber_kind kind);

#define YS_DISTURBERS_MOST     64
#define YS_NEIGHBOURS_MOST     100000 /* in all */
#define YS_NUMBER_OF_NEIGHBOUR 30000  /* on the air: of the first, or of another disturber */

/* Puts one into a world whose air is not perfect, or advertisers into any. False if there is no memory. */
bool ys_world_disturb(struct ys_world *world, const struct ys_disturber *disturber);

#endif
