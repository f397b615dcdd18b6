/* What a plan of a stream says, and may say. */
#ifndef EXPERIMENT_THROUGHPUT_PLAN_H
#define EXPERIMENT_THROUGHPUT_PLAN_H

#include "experiment/live.h"
#include "measure/charge.h"
#include "world/hardware.h"
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

static inline bool ys_carrier_is_channel(enum ys_carrier carrier)
{
    return carrier == YS_CARRIER_CHANNEL || carrier == YS_CARRIER_CHANNEL_TO_DEVICE;
}

static inline bool ys_carrier_is_to_device(enum ys_carrier carrier)
{
    return carrier == YS_CARRIER_COMMANDS || carrier == YS_CARRIER_REQUESTS || carrier == YS_CARRIER_CHANNEL_TO_DEVICE;
}

struct ys_throughput_plan {
    enum ys_carrier carrier;
    uint16_t handle;      /* of the value, in the table of the definition; 0: of none */
    uint16_t value_bytes; /* of the value, at the most; what is longer than an MTU carries is cut to that */
    uint16_t spacing_ms;  /* least time between two notifications or indications; 0: none */
    enum ys_phy phy;      /* of the device; and of the central: */
    enum ys_phy central_phy;
    bool both;                /* both sides stream: the other writes commands, or notifies */
    uint8_t links;            /* so many devices do, with one central: 1 to YS_PLAN_LINKS_MOST; 0: 1 */
    uint8_t packet_length;    /* 27 to 251 */
    uint16_t mtu;             /* 23 to 517 */
    uint32_t interval_us;     /* 7,500 to 4,000,000, in steps of 1,250 */
    uint16_t latency;         /* 0 to 499 */
    uint32_t event_length_us; /* 0: no limit */
    bool encrypted;
    double loss;               /* share of packets, 0 to less than 1 */
    double bit_errors;         /* share of bits, 0 to 0.01 */
    double distance_m;         /* 0: the air is perfect, unless something disturbs: then it is 1 */
    bool by_levels;            /* with a distance: packets are whole or not heard at all */
    uint8_t network_channel;   /* of a wide-band network, 1 to 13; 0: there is none */
    double network_duty;       /* the share of time in which it sends */
    double network_distance_m; /* of it from the central */
    double oven_distance_m;    /* the same of a microwave oven; 0: there is none */
    uint32_t neighbours;       /* devices of others that advertise */
    int8_t power_dbm;
    struct ys_hardware device;
    struct ys_hardware central;
    uint8_t buffers;  /* of the controller that sends, 2 to 64; 0: as its character has it */
    uint32_t seconds; /* 1 to 3,600 */
    uint64_t seed;
    const struct ys_energy *energy; /* of the device; NULL: not known */
    struct ys_recording *recording; /* of all that happens; NULL: none */
    const struct ys_live *live;     /* the controllers are real ones; NULL: they are simulated */
};

#define YS_PLAN_PACKET_MOST       251 /* bytes of data in a packet */
#define YS_PLAN_LINKS_MOST        8
#define YS_PLAN_INTERVAL_LEAST_US 7500 /* between connection events */

/* Describes a value of a plan that contradicts the standard or another value, with the allowed range; false if there is
 * one. */
bool ys_throughput_check(const struct ys_throughput_plan *plan, char *text, size_t size);

/* An estimate of the packets on the air, to order plans by their duration. */
double ys_throughput_effort(const struct ys_throughput_plan *plan);

/* The supervision timeout that goes with an interval and a latency; 0: there is none that the standard allows. */
uint16_t ys_throughput_timeout_ms(const struct ys_throughput_plan *plan);

#endif
