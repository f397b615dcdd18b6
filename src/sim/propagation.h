/* How strong a sender is where somebody listens: a loss that grows with the distance, and shadowing that each pair of
 * places has of its own.
 *
 * Powers are added and compared in attowatts (10^-18 W), as whole numbers, so that what is added can be taken away
 * again without a remainder. -150 dBm is 1 aW. */
#ifndef SIM_PROPAGATION_H
#define SIM_PROPAGATION_H

#include <stdbool.h>
#include <stdint.h>

#include "sim/air_model.h"

struct ys_propagation;

/* NULL if there is no memory. */
struct ys_propagation *ys_propagation_new(const struct ys_air_model *model);
void ys_propagation_free(struct ys_propagation *propagation);

/* Puts device `number` at a place, in metres; all are at 0, 0 before. Two at one place are 10 cm apart. False if there
 * is no memory. */
bool ys_propagation_place(struct ys_propagation *propagation, uint32_t number, double x_m, double y_m);

/* Somebody carries device `number`, whose body takes so much towards what lies behind them; 0: nobody does. False if
 * there is no memory. */
bool ys_propagation_carry(struct ys_propagation *propagation, uint32_t number, double body_db);

/* What comes to the loss at a time on a channel, counted from 2402 MHz on in steps of 2 MHz: fading, and bodies. */
int32_t ys_propagation_change_cdb(const struct ys_propagation *propagation, uint32_t one, uint32_t other,
                                  uint8_t channel, uint64_t at_ns);

/* The loss between two devices, the same both ways, in hundredths of a dB. */
int32_t ys_propagation_loss_cdb(struct ys_propagation *propagation, uint32_t one, uint32_t other);

/* What is known of the way from a sender to somebody who listens for long. */
struct ys_path {
    int32_t loss_cdb;
    int32_t power_cdbm; /* of the sender; with it arrive: */
    uint64_t power_aw;
    bool known;
};

/* Gives somebody who listens for long an ear: a place in the paths of each sender, counted from 0. YS_NO_EAR: they are
 * too many. */
#define YS_NO_EAR UINT32_MAX
uint32_t ys_propagation_ear(struct ys_propagation *propagation, uint32_t number);

/* The path of a sender to each ear. NULL if there is no memory. Good until the next ear is given. */
struct ys_path *ys_propagation_paths(struct ys_propagation *propagation, uint32_t sender);

/* Fills in a path for this power. */
void ys_propagation_learn(struct ys_propagation *propagation, struct ys_path *path, uint32_t sender, uint32_t ear,
                          int32_t power_cdbm);

/* A power given in hundredths of a dBm, in attowatts; at most that of 40 dBm. */
uint64_t ys_propagation_power_aw(const struct ys_propagation *propagation, int32_t power_cdbm);

#endif
