/* The result of a stream that was simulated, or measured in a capture. */
#ifndef EXPERIMENT_THROUGHPUT_REPORT_H
#define EXPERIMENT_THROUGHPUT_REPORT_H

#include "experiment/throughput_plan.h"
#include "measure/charge.h"
#include "measure/link_meter.h"
#include "measure/samples.h"
#include "measure/throughput.h"

/* What one of several links gets. */
struct ys_throughput_share {
    double goodput_bps;
    double back_bps;
};

/* What the figures of a capture rest on. */
struct ys_recorded_basis {
    bool beginning_heard;     /* of the connection */
    bool interval_is_learned; /* from the times of its events; it is not known if the shape has none */
    bool knows_mtu;           /* otherwise it is at least that of the longest frame */
    bool knows_lengths;       /* that were agreed; otherwise the shape has the longest that was heard */
    uint64_t holes;           /* places in which packets of it may be missing, in the time that is measured */
};

struct ys_throughput_report {
    char trouble[400];          /* why there is no result, or the connection ended; "": it is well */
    bool broken;                /* a real controller is gone, or has never answered */
    bool ended;                 /* the connection did not last until the end */
    struct ys_link_shape shape; /* as it came about; also the next: */
    uint16_t mtu;
    struct ys_link_limit limit;
    double limit_bps;   /* with spacing, the serial line, and what a channel adds to each packet */
    double goodput_bps; /* of all links together */
    double ratio;
    double error;    /* the standard error of goodput and limit together, in parts of the limit: with chance in it */
    double back_bps; /* what goes the other way at the same time */
    double back_limit_bps;
    size_t links;
    struct ys_throughput_share shares[YS_PLAN_LINKS_MOST];
    double seconds;                 /* that were measured, */
    double from_s;                  /* from this time on */
    bool recorded;                  /* it was measured in a capture: latency and losses are not known */
    struct ys_recorded_basis basis; /* then */
    bool live;                      /* it was measured with real controllers: what is on the air is not known; */
    bool foreign;                   /* nor, of a device that is real, what it has sent */
    uint64_t values;
    uint64_t value_bytes; /* in all */
    uint64_t missing;     /* values, or bytes of a stream, that were sent and did not come */
    uint64_t out_of_order;
    struct ys_link_meter air;
    double used;    /* share of the interval */
    double airtime; /* share of the time that somebody sends */
    struct ys_samples latency_ms;
    struct ys_link_latency alone; /* of a single value, by calculation */
    struct ys_samples alone_ms;   /* the same as it came about */
    struct ys_activity activity;  /* of the device */
    double mean_ua;               /* 0: not known; also the next: */
    double mc_per_megabyte;       /* millicoulombs */
    double strength_dbm;          /* with a distance; also the next: */
    double margin_db;
};

/* The charge of the device, computed from the air. */
void ys_throughput_charge(const struct ys_throughput_plan *plan, struct ys_throughput_report *report);

void ys_throughput_free(struct ys_throughput_report *report);

#endif
