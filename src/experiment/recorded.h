/* The figures of an interval and of a stream, from a capture instead of a simulation. */
#ifndef EXPERIMENT_RECORDED_H
#define EXPERIMENT_RECORDED_H

#include "capture/follow/keys.h"
#include "capture/record.h"
#include "experiment/interval.h"
#include "experiment/throughput_report.h"

/* Hands all records from the first to the last to `take`; may be called again. False after saying why. */
typedef bool ys_replay_fn(void *context, ys_record_fn *take, void *take_context);

struct ys_recorded {
    ys_replay_fn *replay;
    void *context;
    const struct ys_keys *keys;
    bool watched; /* filled in by who replays: between when was watched, if that is known */
    uint64_t from_ns;
    uint64_t to_ns;
};

#define YS_PROBLEM_SIZE 300

/* Fills a report by what a device did: the one of this name or address, or if that is NULL the one that advertises the
 * name of its definition, or else the only one. `watched` tells between when, after the first replay. False, with the
 * problem, or "" if replaying has failed. */
bool ys_interval_of(struct ys_recorded *recorded, const struct ys_design *design, const char *advertiser,
                    void (*watched)(struct ys_recorded *recorded), struct ys_interval_report *report,
                    char problem[YS_PROBLEM_SIZE]);

/* What is measured of a stream. */
struct ys_recorded_stream {
    uint16_t handle; /* of the value that streams; 0: the one with the most bytes; then filled in */
    double from_s;   /* in the times of a trace */
    double to_s;
    bool has_from; /* otherwise from its first value on */
    bool has_to;   /* otherwise to its last */
};

/* Fills in a report, and the known parts of the plan, from the stream with the most bytes of value. False as above. */
bool ys_throughput_of(struct ys_recorded *recorded, struct ys_recorded_stream *stream, struct ys_throughput_plan *plan,
                      struct ys_throughput_report *report, char problem[YS_PROBLEM_SIZE]);

#endif
