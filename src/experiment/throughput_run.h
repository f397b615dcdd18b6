/* A run of a stream: types. */
#ifndef EXPERIMENT_THROUGHPUT_RUN_H
#define EXPERIMENT_THROUGHPUT_RUN_H

#include <yarnswift/channel.h>
#include <yarnswift/link.h>
#include <yarnswift/pairing.h>

#include "experiment/throughput_report.h"
#include "sim/chance.h"
#include "simulated/simulated.h"
#include "world/world.h"

#define CENTRAL 2

#define RING_SIZE       2048
#define COMMANDS        16 /* that a central has waiting, on each connection */
#define STAMPS          65536
#define MESSAGE_PACKETS 10 /* of a channel, to a message */
#define CHANNEL_PACKET  247
#define MESSAGE_SIZE    ((size_t)MESSAGE_PACKETS * CHANNEL_PACKET)

/* One of the hosts. */
struct end {
    struct ys_host host; /* first, so that either is found from the other */
    struct run *run;
    struct link_run *link; /* of a device; NULL: it is the central */
    struct ys_simulated *simulated;
    struct ys_links links;
    struct ys_pairing pairing;
    struct ys_channels channels;
    struct ys_channel channel;
    uint16_t connection; /* of a device, or the last of the central; also the next: */
    bool connected;
    bool ready;
    bool secured;
    bool open;  /* its channel */
    bool heard; /* the device, by a central that looks for it: its address */
    struct ys_address address;
    uint8_t reason;
};

/* Values that go one way over a link: each begins with its number, so that the other side notices a missing one. */
struct flow {
    struct run *run;
    uint16_t value_bytes;
    uint64_t sent; /* values, or bytes of a stream */
    uint64_t received;
    uint64_t values; /* that were measured; also the next: */
    uint64_t bytes;
    uint64_t last_ns;
    uint64_t *stamps;        /* when each had changed, STAMPS of them in turn */
    struct ys_samples *took; /* or NULL */
};

/* A device, and its link with the central. */
struct link_run {
    struct run *run;
    struct end device;
    uint16_t connection; /* of the central */
    struct flow up;
    struct flow down;
    struct ys_value value;
    struct ys_notifiable notifiable;
    struct ys_table table;
    struct ys_attribute *attributes;
    struct ys_stream stream;
    uint8_t *ring;
    struct ys_timer changes;
    struct ys_chance chance;
    uint64_t changed_ns; /* when its value did so last */
    struct ys_client_request writes[COMMANDS];
    uint8_t written[COMMANDS][512];
    struct ys_link_meter air;
};

/* What is measured. */
struct run {
    const struct ys_throughput_plan *plan;
    struct ys_throughput_report *report;
    struct ys_world world;
    struct ys_observer observer;
    struct end central;
    struct link_run *links; /* plan->links of them */
    size_t connected;       /* how many of them are */
    struct ys_link_wishes device_wishes;
    struct ys_link_wishes central_wishes;
    uint16_t value_handle;
    uint16_t configuration_handle;
    uint8_t *incoming[2]; /* of the channel */
    uint8_t *message;
    struct ys_client_request request;
    bool done; /* the request */
    bool flows;
    bool measures;
    uint64_t change_ns; /* from one change of a value to the next, in the mean */
    uint64_t from_ns;   /* when the measuring began */
};

static inline uint64_t ys_run_now_ns(const struct run *run)
{
    return ys_world_now_ns(&run->world);
}

/* The numbers of devices on the air: the first has 1. */
static inline uint16_t ys_run_number(size_t link)
{
    return (uint16_t)(link == 0 ? 1 : CENTRAL + link);
}

static inline size_t ys_run_links(const struct ys_throughput_plan *plan)
{
    return plan->links > 0 ? plan->links : 1;
}

/* How long it takes at the most until the device attends an event again. */
static inline uint64_t ys_run_attended_ns(const struct ys_throughput_plan *plan)
{
    return (UINT64_C(1) + plan->latency) * plan->interval_us * YS_NS_PER_US;
}

/* The device is real, and only the central is part of the run. Its end is filled in with the central's knowledge. */
static inline bool ys_run_is_foreign(const struct run *run)
{
    return run->plan->live != NULL && run->plan->live->device == NULL;
}

/* The one that the figures are of. */
static inline struct flow *main_flow(struct link_run *link)
{
    return ys_carrier_is_to_device(link->run->plan->carrier) ? &link->down : &link->up;
}

#endif
