/* A stream over a connection: how fast it goes, how far that is from what the link can carry, and what holds it back.
 */
#ifndef EXPERIMENT_THROUGHPUT_H
#define EXPERIMENT_THROUGHPUT_H

#include "measure/charge.h"
#include "measure/link_meter.h"
#include "measure/samples.h"
#include "measure/throughput.h"
#include "world/world.h"

/* How it travels. */
enum ys_carrier {
    YS_CARRIER_STREAM,        /* notifications, as full as the MTU allows */
    YS_CARRIER_NOTIFICATIONS, /* of a value that is always a new one */
    YS_CARRIER_INDICATIONS,
    YS_CARRIER_COMMANDS, /* written by the central, without a response; with one: */
    YS_CARRIER_REQUESTS,
    YS_CARRIER_CHANNEL, /* a channel with credits, from the device; to it: */
    YS_CARRIER_CHANNEL_TO_DEVICE,
    YS_CARRIERS
};

/* Their names in words: "stream", "notifications", ... */
extern const char *const ys_carrier_names[YS_CARRIERS + 1];

struct ys_throughput_plan {
    enum ys_carrier carrier;
    uint16_t handle;          /* of the value, in the table of the definition; 0: of none */
    uint16_t value_bytes;     /* of the value, at the most; what is longer than an MTU carries is cut to that */
    uint16_t spacing_ms;      /* least time between two notifications or indications; 0: none */
    enum ys_phy phy;          /* in both directions */
    uint8_t packet_length;    /* 27 to 251 */
    uint16_t mtu;             /* 23 to 517 */
    uint32_t interval_us;     /* 7,500 to 4,000,000, in steps of 1,250 */
    uint16_t latency;         /* 0 to 499 */
    uint32_t event_length_us; /* 0: no limit */
    bool encrypted;
    double loss;       /* share of packets, 0 to less than 1 */
    double distance_m; /* 0: the air is perfect */
    int8_t power_dbm;
    uint8_t buffers;  /* of the controller that sends, 2 to 64 */
    uint32_t seconds; /* 1 to 3,600 */
    uint64_t seed;
    const struct ys_energy *energy; /* of the device; NULL: not known */
    struct ys_recording *recording; /* of all that happens; NULL: none */
};

struct ys_throughput_report {
    char trouble[200];          /* why there is no result, or the connection ended; "": it is well */
    bool ended;                 /* the connection did not last until the end */
    struct ys_link_shape shape; /* as it came about */
    struct ys_link_limit limit;
    double limit_bps; /* with spacing, and what a channel adds to each packet */
    double goodput_bps;
    double ratio;
    double seconds; /* that were measured, */
    double from_s;  /* from this time on */
    bool recorded;  /* it was measured in a capture: latency and losses are not known */
    uint64_t values;
    uint64_t value_bytes; /* in all */
    uint64_t missing;     /* values, or bytes of a stream, that were sent and did not come */
    uint64_t out_of_order;
    struct ys_link_meter air;
    double used;    /* share of the interval */
    double airtime; /* share of the time that somebody sends */
    struct ys_samples latency_ms;
    struct ys_link_latency alone; /* of a single value, by calculation */
    struct ys_activity activity;  /* of the device */
    double mean_ua;               /* 0: not known; likewise: */
    double mc_per_megabyte;       /* millicoulombs */
    double strength_dbm;          /* with a distance; likewise: */
    double margin_db;
};

/* Runs it. False if there is no memory. */
bool ys_throughput_run(const struct ys_throughput_plan *plan, struct ys_throughput_report *report);
/* What the device drew, from what was on the air; part of a run. */
void ys_throughput_charge(const struct ys_throughput_plan *plan, struct ys_throughput_report *report);
void ys_throughput_free(struct ys_throughput_report *report);

/* Something that holds it back, and what it would be without. */
struct ys_hindrance {
    const char *code; /* "interval", "packet_length", ... */
    char words[160];  /* what it is */
    char remedy[80];  /* what was tried instead */
    double goodput_bps;
};

#define YS_HINDRANCES_MOST 16

/* Runs it again without each thing that could hold it back; returns how many do, by more than 1 %, those with the
 * greatest effect first. */
size_t ys_throughput_explain(const struct ys_throughput_plan *plan, const struct ys_throughput_report *report,
                             struct ys_hindrance hindrances[YS_HINDRANCES_MOST]);

#endif
