/* What a plan of a stream may say. */
#include "experiment/throughput_plan.h"

#include <stdio.h>

#include "world/air.h"

const char *const ys_carrier_names[YS_CARRIERS + 1] = {"stream",   "notifications", "indications",       "commands",
                                                       "requests", "channel",       "channel to device", NULL};

#define TIMEOUT_MS   4000
#define TIMEOUT_MOST 32000

uint16_t ys_throughput_timeout_ms(const struct ys_throughput_plan *plan)
{
    uint64_t least_ms = (2 * (1 + (uint64_t)plan->latency) * plan->interval_us / 10000 + 1) * 10;
    uint64_t ms = 3 * least_ms > TIMEOUT_MS ? 3 * least_ms : TIMEOUT_MS;
    if (least_ms > TIMEOUT_MOST)
        return 0;
    return (uint16_t)(ms < TIMEOUT_MOST ? ms : TIMEOUT_MOST);
}

bool ys_throughput_check(const struct ys_throughput_plan *plan, char *text, size_t size)
{
    const char *wrong = NULL;
    if (plan->packet_length < 27 || plan->packet_length > YS_PLAN_PACKET_MOST)
        wrong = "a packet carries 27 to 251 bytes of data";
    else if (plan->mtu < 23 || plan->mtu > 517)
        wrong = "an MTU is 23 to 517 bytes";
    else if (plan->interval_us < YS_PLAN_INTERVAL_LEAST_US || plan->interval_us > 4000000 ||
             plan->interval_us % 1250 != 0)
        wrong = "a connection interval is 7.5 ms to 4 s in steps of 1.25 ms";
    else if (plan->latency > 499)
        wrong = "a latency is 0 to 499 events";
    else if (ys_throughput_timeout_ms(plan) == 0)
        wrong = "2 x (1 + latency) x interval must be less than 32 s, the longest supervision timeout";
    else if (plan->event_length_us != 0 && (plan->event_length_us < 1250 || plan->event_length_us > 4000000))
        wrong = "an event lasts 1.25 ms to 4 s";
    else if (plan->loss < 0 || plan->loss > 0.9)
        wrong = "a loss is 0 to 90 percent";
    else if (plan->bit_errors < 0 || plan->bit_errors > 0.01)
        wrong = "a rate of bit errors is 0 to 0.01";
    else if (plan->links > YS_PLAN_LINKS_MOST)
        wrong = "a central has 1 to 8 links";
    else if (plan->carrier >= YS_CARRIER_CHANNEL && (plan->both || plan->links > 1))
        wrong = "a channel goes one way, over one link: take stream, notifications or commands";
    else if (plan->both && (plan->carrier == YS_CARRIER_INDICATIONS || plan->carrier == YS_CARRIER_REQUESTS))
        wrong = "what is confirmed goes one way: take stream, notifications or commands";
    else if (plan->network_channel > 13 || plan->network_duty < 0 || plan->network_duty > 1)
        wrong = "a network has a channel from 1 to 13, and sends 0 to 100 percent of the time";
    else if (plan->neighbours > YS_NEIGHBOURS_MOST)
        wrong = "there may be 100,000 neighbours";
    else if (plan->distance_m < 0 || plan->distance_m > 10000)
        wrong = "a distance is 0 to 10000 m";
    else if (plan->buffers != 0 && (plan->buffers < 2 || plan->buffers > 64))
        wrong = "a controller has 2 to 64 buffers";
    else if (plan->seconds < 1 || plan->seconds > 3600)
        wrong = "it runs for 1 to 3600 seconds";
    if (wrong != NULL)
        (void)snprintf(text, size, "%s", wrong);
    return wrong == NULL;
}

double ys_throughput_effort(const struct ys_throughput_plan *plan)
{
    uint64_t exchange_ns = ys_link_duration_ns(plan->phy, 2u + plan->packet_length) +
                           ys_link_duration_ns(plan->central_phy, 2) + 2 * YS_LINK_INTER_FRAME_SPACE_NS;
    double of_links = 2e9 * (plan->links > 0 ? plan->links : 1) / (double)exchange_ns;
    return plan->seconds * (of_links + 30.0 * plan->neighbours); /* each advertises ten times a second */
}
