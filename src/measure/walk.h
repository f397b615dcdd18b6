/* What a connection carries when packets are lost, or wait for answers: there is no formula for that, so it is walked
 * through, exchange by exchange, as the standard has it, with a chance of its own, until the mean is known well. It
 * shares nothing with the simulation. */
#ifndef MEASURE_WALK_H
#define MEASURE_WALK_H

#include "measure/shape.h"

struct ys_walked {
    double frames_hz[2]; /* that arrive whole, from the side that streams and from the other */
    double error;        /* the standard error of the first, in parts of it; and that of one second: */
    double error_of_1s;
};

/* `packet_length` is that of ys_link_limit. */
void ys_link_walk(const struct ys_link_shape *shape, uint8_t packet_length, struct ys_walked *walked);

#endif
