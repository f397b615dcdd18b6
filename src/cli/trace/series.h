/* What is drawn of a trace: series of points, and what the title says. */
#ifndef CLI_TRACE_SERIES_H
#define CLI_TRACE_SERIES_H

#include <stdbool.h>
#include <stdint.h>

#include "cli/shared/plot.h"
#include "cli/trace/view.h"

#define SERIES_MOST 12

enum drawn { DRAW_VALUES, DRAW_STRENGTH, DRAW_CONNECTION };

/* The series of a connection's picture. */
enum track { TRACK_ADVERTISING, TRACK_CENTRAL, TRACK_PERIPHERAL, TRACK_AGAIN, TRACK_DAMAGED, TRACK_DATA, TRACKS };

struct series {
    char name[120];
    char unit[32];
    uint64_t count;
    double least;
    double greatest;
    bool fractions;     /* not all of its values are whole numbers */
    bool by_a_receiver; /* a strength, as somebody who takes part has heard it */
};

struct trace_plot {
    struct plot plot;
    enum drawn drawn;
    struct series series[SERIES_MOST];
    size_t count;
    bool crowded; /* there were more */
    bool open;
    bool any;
    double first_s;
    double last_s;
    /* of a connection: what its current event has carried so far */
    uint64_t event_link;
    uint64_t event_number;
    double event_at_s;
    uint64_t event_bytes;
    uint64_t links;
    uint64_t last_link;
    char about[300]; /* the last connection, in words */
};

/* Writes the script that draws them: `count` points in all, with this title. */
void trace_draw(struct trace_plot *plot, const struct trace *trace, uint64_t count);

#endif
