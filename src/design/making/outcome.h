/* The result of pairing with each kind of central: the method, what it protects against, what people have to do, and
 * which rights it grants. */
#ifndef DESIGN_MAKING_OUTCOME_H
#define DESIGN_MAKING_OUTCOME_H

#include <stdbool.h>
#include <stddef.h>

#include "design/model/model.h"

/* One kind of central. */
struct ys_pairing_outcome {
    uint8_t capability; /* enum ys_capability, of the central */
    bool out_of_band;   /* data came by another way, whatever else it has */
    bool secure;        /* by LE Secure Connections; else the older way */
    uint8_t method;     /* enum ys_method */
    uint8_t level;      /* enum ys_level that the link then has */
    uint8_t refused;    /* enum ys_smp_reason; 0: they pair */
};

/* How many kinds there are at most. */
#define YS_OUTCOMES_MOST 12

/* All of them, for a device with this security: how many. A central is taken to ask for no more than the device does.
 */
size_t ys_outcomes_of(const struct ys_design *design, struct ys_pairing_outcome outcomes[YS_OUTCOMES_MOST]);

/* In words. */
const char *ys_capability_words(uint8_t capability);
const char *ys_method_words(uint8_t method);
const char *ys_level_words(uint8_t level);

/* What a method protects against, in a sentence, and what people do at the central and at the device. */
const char *ys_method_protects(uint8_t method, bool secure);
const char *ys_method_at_central(uint8_t method);
const char *ys_method_at_device(uint8_t method);
bool ys_method_stops_listeners(uint8_t method, bool secure);
bool ys_method_stops_a_man_in_the_middle(uint8_t method);

/* The level that a right takes. */
uint8_t ys_level_for(enum ys_right right);

/* Whether any central can come to a level. */
bool ys_level_is_reachable(const struct ys_pairing_outcome *outcomes, size_t count, uint8_t level);

#endif
