/* What hardware draws in each phase of its events, out of a measured current.
 *
 * The current of an advertiser is taken to be constant in each phase: it sleeps, wakes, prepares, switches its radio
 * on; sends on each channel, and where it may be answered turns round, listens, and turns round again; finishes, and
 * sleeps. How many phases an event has is known from that, and where each begins is found so that what is left over is
 * least, by its square. */
#ifndef MEASURE_PHASES_H
#define MEASURE_PHASES_H

#include <stdbool.h>
#include <stddef.h>

#include "measure/charge.h"

/* Of what events the trace is. */
struct ys_phase_shape {
    unsigned channels;  /* packets of an event, 1 to 3 */
    bool listens;       /* after each packet */
    double transmit_us; /* how long each packet lasts, by calculation */
};

/* Samples of an event at the most; a trace that has more is taken in means of several. */
#define YS_EVENT_SAMPLES 1000

struct ys_phase_fit {
    const char *problem;     /* why there is none; NULL: there is */
    struct ys_energy energy; /* standby, wake, prepare, ramp, transmit, turn, receive, finish */
    size_t events;           /* that were found, */
    size_t used;        /* and of which it is made; the others were longer or shorter: somebody asked, or connected */
    double transmit_us; /* as measured */
    double event_uc;    /* of an event in the mean, as measured, */
    double fitted_uc;   /* and as the phases have it */
    double left_ma;     /* what the phases leave over, as a standard deviation */
    double noise_ma;    /* of that while it sleeps */
    double step_us;     /* between two values of these: */
    double mean_ma[YS_EVENT_SAMPLES];   /* of the events, from their packet on the first channel as a mark */
    double fitted_ma[YS_EVENT_SAMPLES]; /* the same of the phases */
    size_t samples;
    size_t mark;
};

/* Fits it. Times ascend, by equal steps. Without memory the process ends. */
void ys_phases_fit(const double *times_s, const double *currents_ma, size_t count, const struct ys_phase_shape *shape,
                   struct ys_phase_fit *fit);

#endif
