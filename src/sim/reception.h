/* Whether a packet comes through, bit by bit: what interferes with a part of it harms that part.
 *
 * Everything is counted in whole numbers that come out of tables, so that the last digit of a logarithm is never what
 * decides. */
#ifndef SIM_RECEPTION_H
#define SIM_RECEPTION_H

#include <stdbool.h>
#include <stdint.h>

#include "sim/air_model.h"
#include "wire/link.h"

struct ys_reception;

/* For a model whose reception is real; NULL if there is no memory. */
struct ys_reception *ys_reception_new(const struct ys_air_model *model);
void ys_reception_free(struct ys_reception *reception);

/* A packet that is being received. Its memory is the receiver's; private. */
struct ys_reception_state {
    enum ys_phy phy;
    uint64_t from_ns;   /* of which nothing is counted yet */
    uint64_t data_ns;   /* after the access address */
    uint64_t cost;      /* so far, */
    uint64_t limit;     /* and from which on the packet has an error */
    int32_t level_cdbm; /* of the packet */
    bool disturbed;     /* something has changed since it began */
};

/* How much of the power of something on another channel counts as if it were on the own one: `apart` channels away, and
 * whether one of the two is sent on 2M. */
double ys_reception_weight(const struct ys_reception *reception, unsigned apart, bool on_2m);

/* Whether a packet that begins now is heard at all; then its state is set. `draws` are two random numbers. */
bool ys_reception_begin(const struct ys_reception *reception, struct ys_reception_state *state, enum ys_phy phy,
                        int32_t level_cdbm, uint64_t other_aw, uint64_t now_ns, const uint64_t draws[2]);

/* Counts what has come until now, beside so much else on its channel. To be called before that changes, and at the end.
 * `now_ns` must not go back. */
void ys_reception_count(const struct ys_reception *reception, struct ys_reception_state *state, uint64_t other_aw,
                        uint64_t now_ns);

/* Whether it has no error, at its end. */
bool ys_reception_is_good(const struct ys_reception_state *state);

#endif
