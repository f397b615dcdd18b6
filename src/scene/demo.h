/* The demo: one device, one central, from the first advertisement to being found again. */
#ifndef SCENE_DEMO_H
#define SCENE_DEMO_H

#include "world/world.h"

/* The plan of a demo. Names that are NULL are chosen from the definition, or the step is left out. */
struct ys_demo_plan {
    const struct ys_design *design;
    const struct ys_module *module; /* NULL: the definition plays the device */
    const char *device_name;        /* in the log */
    const char *central_name;
    const char *write;                   /* name of a characteristic to be written */
    const char *refused;                 /* a value that it must refuse */
    const char *accepted;                /* a value that it must take */
    const char *watch;                   /* name of a characteristic to subscribe to */
    const char *input;                   /* of the firmware, switched on meanwhile */
    const char *act;                     /* what the person at the device does with it, for the log */
    uint64_t watch_ns;                   /* for how long */
    const char *command;                 /* name of a characteristic that is written without response, with consent */
    const char *commanded;               /* what is written to it */
    const char *consent;                 /* how the person at the device consents, by acting */
    bool (*obeyed)(const void *context); /* whether the device has done it; `context` is the firmware's */
    const char *results;                 /* name of a characteristic whose indications come meanwhile */
    const char *log;                     /* name of a stream that is fetched at the end */
    const char *read_last;               /* read again at the end */
    struct ys_recording *recording;      /* of all that happens; NULL: none */
};

/* What was measured. */
struct ys_demo_summary {
    bool as_expected;
    const char *problem; /* the first thing that was not, or NULL */
    uint64_t set_min_us;
    uint64_t set_max_us;
    uint64_t intervals;
    double interval_min_ms;
    double interval_mean_ms;
    double interval_max_ms;
    uint64_t sent;
    uint64_t received;
    uint64_t after_unsubscribe;
    const char *watched; /* whose values the next two are about; NULL: none */
    double rate_hz;
    double goodput_bps;
    uint64_t air_packets;
    double simulated_s;
};

/* Plays it. False if there is no memory. */
bool ys_demo_run(const struct ys_demo_plan *plan, uint64_t seed, ys_line_fn *line, void *line_context,
                 struct ys_demo_summary *summary);

#endif
