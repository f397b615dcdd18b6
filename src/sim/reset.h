/* The state of a controller after a reset. */
#ifndef SIM_RESET_H
#define SIM_RESET_H

#include "sim/controller_state.h"

/* As after power-up: everything stops, and is forgotten. */
void controller_reset(struct ys_controller *controller);
/* What the settings allow. */
uint64_t controller_features(const struct ys_controller_settings *settings);
/* The PHYs that it has, as bits. */
uint8_t controller_phys(const struct ys_controller *controller);

#endif
