/* The parts of yarnswift sweep. */
#ifndef CLI_SWEEP_H
#define CLI_SWEEP_H

#include "cli/parameters.h"

#define SWEEP_VALUES_MOST 1000
#define SWEEP_POINTS_MOST 1000000

/* Values of one parameter, each as text. */
struct sweep_axis {
    const struct parameter *parameter;
    char (*values)[16];
    size_t count;
};

/* What is run: every combination of the values, the last axis fastest. */
struct sweep {
    struct ys_throughput_plan base;
    struct sweep_axis axes[32]; /* those with several values */
    size_t axis_count;
    size_t point_count;
};

/* Reads "7.5,15,30..100/10,200..800*2": values, and ranges with what is added or by what it is multiplied. False after
 * a line. */
bool sweep_axis_read(const char *who, const struct parameter *parameter, const char *text, struct sweep_axis *axis);
void sweep_free(struct sweep *sweep);

/* The plan of a point; its values, one behind the other, as they are told apart: "interval=15 mtu=247". */
struct ys_throughput_plan sweep_point(const struct sweep *sweep, size_t index, char *name, size_t size);
/* The index of the value on an axis. */
size_t sweep_place(const struct sweep *sweep, size_t index, size_t axis);

/* sweep_store.c: results in a file. All that fail say so, and leave what is there. */
struct sweep_store;

/* Opens or makes a file of results of this sweep, `about` being what it is of. NULL after a line: it cannot be opened,
 * is damaged, or is of something else. A path of NULL keeps them in memory. */
struct sweep_store *sweep_store_open(const char *who, const char *path, const char *about);
void sweep_store_close(struct sweep_store *store);
bool sweep_store_has(struct sweep_store *store, const char *point);
/* What was kept of a point, which is the caller's; NULL: nothing. */
char *sweep_store_get(struct sweep_store *store, const char *point);
bool sweep_store_put(struct sweep_store *store, const char *point, const char *json);
/* Takes over all results of another file; how many, or -1 after a line. */
int sweep_store_merge(struct sweep_store *store, const char *path);
/* What a file of results is of, which is the caller's; NULL after a line. */
char *sweep_store_about(const char *who, const char *path);

/* sweep_plot.c */
struct sweep_result {
    bool known;
    double goodput_bps;
    double limit_bps;
    double ratio;
    double median_ms;
    double p95_ms;
    uint64_t retransmissions;
    bool trouble;
};

/* Draws lines over one axis, or over two, or with `heat` a map of two; over a picture that is there only if it
 * `replaces`. False after a line. */
bool sweep_draw(const char *who, const char *path, const struct sweep *sweep, const struct sweep_result *results,
                const char *title, bool heat, bool replaces);

#endif
