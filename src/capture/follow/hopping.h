/* How a connection hops, recovered from the channels of its events. */
#ifndef CAPTURE_FOLLOW_HOPPING_H
#define CAPTURE_FOLLOW_HOPPING_H

#include <stdbool.h>
#include <stdint.h>

#define YS_HOPPING_KEPT 192 /* events that it is recovered from, at most */
#define YS_HOPPING_COST 256 /* of a search, in packets: what so many cost otherwise */

/* What may be known already. */
struct ys_hopping_premise {
    bool knows_algorithm; /* channel selection #1 or #2; and of #1 the hop increment: */
    bool algorithm_2;
    uint8_t hop;
    uint32_t access_address;
};

/* Zero it before its first use. */
struct ys_hopping {
    /* results */
    bool found;         /* the algorithm and where it is; and these: */
    bool algorithm_2;   /* channel selection #2 */
    uint8_t hop;        /* of #1 */
    uint8_t unmapped;   /* of #1, of the last event */
    uint16_t ahead;     /* of #2: by so much the counter of the devices is ahead of the numbers that were given */
    bool complete;      /* of each channel it is known whether it is used */
    uint64_t used;      /* channels, as bits: these were used, */
    uint64_t unused;    /* and in place of these others were */
    uint32_t confirmed; /* events whose channels fit */
    /* private */
    uint16_t last;
    uint16_t count;
    uint32_t seen;
    uint32_t next_try;
    struct ys_hopping_event {
        uint16_t number;
        uint8_t channel;
    } events[YS_HOPPING_KEPT];
};

/* Takes an event: its number, counted from anywhere, and its channel, 0 to 36. What does not fit to what was found
 * makes it begin anew. Searches as long as `allowance` allows it, which each search takes YS_HOPPING_COST of. */
void ys_hopping_take(struct ys_hopping *hopping, const struct ys_hopping_premise *premise, uint16_t number,
                     uint8_t channel, uint32_t *allowance);

/* Begins anew: an event was miscounted, or something else holds. */
void ys_hopping_restart(struct ys_hopping *hopping);

/* The map of the channels that are used, if it is complete. */
void ys_hopping_map(const struct ys_hopping *hopping, uint8_t channel_map[5]);

/* Of how many channels it is known whether they are used. */
unsigned ys_hopping_known_channels(const struct ys_hopping *hopping);

#endif
