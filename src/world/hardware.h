/* What somebody in a world is made of: a controller, a line to it, and a processor that thinks. */
#ifndef WORLD_HARDWARE_H
#define WORLD_HARDWARE_H

#include <stdbool.h>
#include <stdint.h>

#include "sim/character.h"
#include "simulated/simulated.h"

struct ys_hardware {
    const struct ys_character *character; /* of its controller; NULL: one that takes no time */
    uint32_t line_bps;                    /* of the serial line to it; 0: they are on one chip */
    uint32_t thinks_us;                   /* its host, about whatever comes */
    bool adapts;                          /* as central it leaves out channels that do badly */
    /* Its controller's: 1: it has, 2: it has not, 0: as its definition needs */
    uint8_t extended;           /* extended advertising */
    uint8_t coded;              /* LE Coded */
    struct ys_outside *outside; /* its controller is a real one; NULL: it is simulated */
};

/* Of its controller; of none that is named, one that takes no time and holds nothing back. */
const struct ys_character *ys_hardware_character(const struct ys_hardware *hardware);

/* A small processor with its controller on the same chip. */
extern const struct ys_hardware ys_hardware_of_device;
/* A large one, whose system hands on what comes from layer to layer. */
extern const struct ys_hardware ys_hardware_of_central;

#endif
