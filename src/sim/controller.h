/* A simulated controller: HCI on one side, the air on the other. It knows nothing of any host. */
#ifndef SIM_CONTROLLER_H
#define SIM_CONTROLLER_H

#include <stddef.h>
#include <stdint.h>

#include "sim/controller_settings.h"
#include "sim/radio.h"

struct ys_controller;

/* A controller after power-up; NULL if there is no memory. */
struct ys_controller *ys_controller_new(struct ys_radio *radio, const struct ys_controller_settings *settings);
void ys_controller_free(struct ys_controller *controller);

/* Takes a packet from the host, with its type byte. Malformed or unknown ones are answered as the standard demands, or
 * dropped where it demands nothing. */
void ys_controller_receive(struct ys_controller *controller, const uint8_t *packet, size_t length);

/* Under which address it is advertising, if that is one that it makes itself (Core 5.4 Vol 6 Part B 6); else false. */
bool ys_controller_made(const struct ys_controller *controller, struct ys_address *made);

/* What its radio was used for until now. */
const struct ys_radio_use *ys_controller_use(const struct ys_controller *controller);

#endif
