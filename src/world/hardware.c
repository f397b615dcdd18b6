/* What somebody in a world is made of. */
#include "world/hardware.h"

const struct ys_hardware ys_hardware_of_device = {.character = ys_characters, .thinks_us = 100};
const struct ys_hardware ys_hardware_of_central = {.character = ys_characters, .thinks_us = 1000};

const struct ys_character *ys_hardware_character(const struct ys_hardware *hardware)
{
    static const struct ys_character none = {.buffer_length = 251};
    return hardware->character != NULL ? hardware->character : &none;
}
