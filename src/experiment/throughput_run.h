/* A run of a stream: types. */
#ifndef EXPERIMENT_THROUGHPUT_RUN_H
#define EXPERIMENT_THROUGHPUT_RUN_H

#include <yarnswift/channel.h>
#include <yarnswift/link.h>
#include <yarnswift/pairing.h>

#include "experiment/throughput_report.h"
#include "simulated/simulated.h"
#include "world/world.h"

#define DEVICE  1
#define CENTRAL 2

#define RING_SIZE       2048
#define COMMANDS        16 /* that a central has waiting */
#define STAMPS          65536
#define MESSAGE_PACKETS 10 /* of a channel, to a message */
#define CHANNEL_PACKET  247
#define MESSAGE_SIZE    ((size_t)MESSAGE_PACKETS * CHANNEL_PACKET)

/* One of the two hosts. */
struct end {
    struct ys_host host; /* first, so that either is found from the other */
    struct run *run;
    struct ys_simulated *simulated;
    struct ys_links links;
    struct ys_pairing pairing;
    struct ys_channels channels;
    struct ys_channel channel;
    uint16_t connection;
    bool ready;
    bool connected;
    bool secured;
    bool open; /* its channel */
    uint8_t reason;
};

/* A stream between them, while it is measured. */
struct run {
    const struct ys_throughput_plan *plan;
    struct ys_throughput_report *report;
    struct ys_world world;
    struct ys_observer observer;
    struct end device;
    struct end central;
    struct ys_link_wishes wishes;
    struct ys_attribute *attributes;
    uint16_t value_handle;
    struct ys_value value;
    struct ys_notifiable notifiable;
    struct ys_table table;
    struct ys_stream stream;
    uint8_t *ring;
    uint8_t *incoming[2];
    uint8_t *message; /* on its way over the channel */
    struct ys_client_request request;
    struct ys_client_request writes[COMMANDS];
    uint8_t written[COMMANDS][512];
    bool done; /* the request */
    bool flows;
    bool measures;
    uint16_t value_bytes; /* in a value */
    uint64_t sent;        /* values, or bytes of a stream */
    uint64_t received;
    uint64_t stamps[STAMPS]; /* when each left */
    uint64_t from_ns;        /* the first and the last arrival that were measured */
    uint64_t last_ns;
};

static inline bool ys_carrier_is_channel(enum ys_carrier carrier)
{
    return carrier == YS_CARRIER_CHANNEL || carrier == YS_CARRIER_CHANNEL_TO_DEVICE;
}

static inline bool ys_carrier_is_to_device(enum ys_carrier carrier)
{
    return carrier == YS_CARRIER_COMMANDS || carrier == YS_CARRIER_REQUESTS || carrier == YS_CARRIER_CHANNEL_TO_DEVICE;
}

static inline uint64_t ys_run_now_ns(const struct run *run)
{
    return ys_world_now_ns(&run->world);
}

/* How long it takes at the most until the device attends an event again. */
static inline uint64_t ys_run_attended_ns(const struct ys_throughput_plan *plan)
{
    return (UINT64_C(1) + plan->latency) * plan->interval_us * YS_NS_PER_US;
}

#endif
