/* A trace that is being shown: types. */
#ifndef CLI_TRACE_VIEW_H
#define CLI_TRACE_VIEW_H

#include "capture/file/output.h"
#include "capture/say/filter.h"
#include "capture/say/message.h"
#include "cli/shared/controllers.h"
#include "cli/shared/options.h"
#include "cli/shared/source.h"

enum trace_view { VIEW_AUTO, VIEW_AIR, VIEW_HCI, VIEW_BOTH };

struct trace {
    struct source source;
    struct common common;
    struct controllers controllers; /* real ones, of a scene */
    struct ys_filter *filter;
    unsigned long long before;
    unsigned long long behind;
    unsigned long long packet;   /* 0: none is shown whole */
    unsigned long long expected; /* how many are to match, if `expects` */
    const char *values_path;
    const char *plot_path;
    const char *draw;
    double from_s; /* if `has_from`; also the next: */
    double to_s;
    enum ys_trace_layer layer;
    enum trace_view view;
    /* while it runs */
    struct ys_follower *follower;
    uint64_t origin_ns;
    uint64_t last_ns; /* of the last line */
    uint64_t shown;
    uint64_t matched;
    uint64_t damaged;        /* packets; also the next: */
    uint64_t unreadable;     /* encrypted, without a key */
    unsigned long long left; /* lines that are shown after a match */
    char **kept;             /* lines before a match: a ring of `before` */
    uint64_t kept_count;
    struct ys_output values_file;
    FILE *values; /* its stream, or NULL */
    struct trace_plot *plot;
    struct timeline *timeline; /* of the page, or NULL */
    bool has_origin;
    bool has_last;
    bool on_air; /* a packet on the air was seen */
    bool colour;
    bool headed;
    /* options again */
    bool has_from;
    bool has_to;
    bool follows;
    bool expects;
};

#endif
