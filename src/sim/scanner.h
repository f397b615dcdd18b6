/* Scanning. */
#ifndef SIM_SCANNER_H
#define SIM_SCANNER_H

#include "sim/controller_state.h"

void scanners_init(struct ys_controller *controller);
uint8_t scanners_enable(struct ys_controller *controller, bool on, bool once, uint16_t duration);
void scanners_stop(struct ys_controller *controller);
bool scanners_are_on(const struct ys_controller *controller);

#endif
