/* What somebody in a world is made of. */
#include "world/hardware.h"

const struct ys_hardware ys_hardware_of_device = {.character = ys_characters, .thinks_us = 100};
const struct ys_hardware ys_hardware_of_central = {.character = ys_characters, .thinks_us = 1000};
