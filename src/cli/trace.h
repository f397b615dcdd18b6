/* What the parts of yarnswift trace share. */
#ifndef CLI_TRACE_H
#define CLI_TRACE_H

#include "capture/say/filter.h"
#include "cli/source.h"

enum trace_view { VIEW_AUTO, VIEW_AIR, VIEW_BORDER };

struct trace {
    struct source source;
    struct common common;
    struct ys_filter *filter;
    unsigned long long before;
    unsigned long long behind;
    unsigned long long packet; /* 0: none is shown whole */
    const char *values_path;
    const char *plot_path;
    const char *draw;
    enum ys_trace_level level;
    enum trace_view view;
    /* while it runs */
    struct ys_follower *follower;
    uint64_t origin_ns;
    uint64_t last_ns; /* of the last line */
    uint64_t shown;
    uint64_t damaged;        /* packets; likewise: */
    uint64_t unreadable;     /* encrypted, without a key */
    unsigned long long left; /* lines that are shown behind a match */
    char **kept;             /* lines before a match: a ring of `before` */
    uint64_t kept_count;
    FILE *values;
    struct trace_plot *plot;
    bool has_origin;
    bool has_last;
    bool on_air; /* a packet on the air was seen */
    bool colour;
    bool headed;
    /* options again */
    bool both;
    bool follows;
    bool replaces;
};

/* trace_lines.c */
/* A message as a line: as text, as JSON. The line is the caller's, without a newline. */
char *trace_line(const struct trace *trace, const struct ys_message *message, uint64_t since_ns);
char *trace_line_json(const struct trace *trace, const struct ys_message *message, uint64_t since_ns);
/* In two columns: the border to the left, the air to the right. */
char *trace_line_both(const struct trace *trace, const struct ys_message *message);
void trace_head(const struct trace *trace);
/* A row of values, and their head. */
void trace_values_head(FILE *file);
void trace_value(const struct trace *trace, const struct ys_message *message);

/* trace_packet.c */
/* Shows all of a record. */
void trace_packet(const struct trace *trace, const struct ys_seen *seen);

/* trace_plot.c */
struct trace_plot *trace_plot_new(const struct trace *trace);
void trace_plot_take(struct trace_plot *plot, const struct trace *trace, const struct ys_seen *seen);
/* Draws it; false after a line. */
bool trace_plot_end(struct trace_plot *plot, const struct trace *trace);
void trace_plot_free(struct trace_plot *plot);
/* Whether it is a word for what can be drawn. */
bool trace_plot_is_known(const char *word);

#endif
