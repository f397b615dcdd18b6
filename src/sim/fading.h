/* Variations of signal strength besides distance: multipath, and the bodies of people. */
#ifndef SIM_FADING_H
#define SIM_FADING_H

#include <stdint.h>

#include "sim/air_model.h"

/* The loss by many paths between two devices on a channel at a time, in hundredths of a dB, less than 0 where they add
 * up: the same both ways. `pair` names the two, `channel` counts from 2402 MHz on in steps of 2 MHz. */
int32_t fading_cdb(const struct ys_air_model *model, uint64_t pair, uint8_t channel, uint64_t at_ns);

/* The loss by the body of a person who carries a device: none in the direction they face, all of it behind them. They
 * turn every five seconds. `x_m` and `y_m` are the vector to the other device. */
int32_t body_cdb(const struct ys_air_model *model, uint32_t number, double body_db, double x_m, double y_m,
                 uint64_t at_ns);

#endif
