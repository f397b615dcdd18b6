/* What limits a stream: it is run again without each possible limit. */
#include "experiment/hindrances.h"

#include "experiment/throughput.h"
#include "experiment/throughput_plan.h"

#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define MTU_FULL      247 /* with which a frame fills one packet */
#define INTERVAL_LONG 400000
#define BUFFERS_MANY  64

/* How long one more run measures, at the most, and how much better it must be to count. */
#define SECONDS_MOST 4
#define COUNTS       1.01
#define ERRORS       3 /* and so many standard errors, or it may be chance */

static bool is_channel(enum ys_carrier carrier)
{
    return carrier == YS_CARRIER_CHANNEL || carrier == YS_CARRIER_CHANNEL_TO_DEVICE;
}

/* A thing that could hold it back: changes the plan so that it does not; false if it does not hold anything back
 * already. */
struct cause {
    const char *code;
    bool (*remove)(struct ys_throughput_plan *plan, const struct ys_throughput_report *report,
                   struct ys_hindrance *told);
};

#if defined(__GNUC__)
__attribute__((format(printf, 2, 3)))
#endif
static bool
say(struct ys_hindrance *told, const char *format, ...);

static bool say(struct ys_hindrance *told, const char *format, ...)
{
    va_list arguments;
    va_start(arguments, format);
    (void)vsnprintf(told->words, sizeof told->words, format, arguments);
    va_end(arguments);
    return true;
}

static void remedy(struct ys_hindrance *told, const char *text)
{
    (void)snprintf(told->remedy, sizeof told->remedy, "%s", text);
}

static bool longer_interval(struct ys_throughput_plan *plan, const struct ys_throughput_report *report,
                            struct ys_hindrance *told)
{
    if (plan->interval_us >= INTERVAL_LONG || report->shape.confirmed || plan->event_length_us != 0)
        return false;
    double left_us = (double)report->shape.interval_us * (1 - report->used);
    if (left_us * 1000 > (double)report->limit.exchange_ns || plan->links > 1) /* something else ends its events */
        return false;
    plan->interval_us = INTERVAL_LONG;
    remedy(told, "interval 400 ms");
    return say(told, "each interval of %g ms ends with %.0f us in which no further exchange of %.0f us fits",
               report->shape.interval_us / 1000.0, left_us, (double)report->limit.exchange_ns / 1000);
}

static bool shorter_interval(struct ys_throughput_plan *plan, const struct ys_throughput_report *report,
                             struct ys_hindrance *told)
{
    if (plan->interval_us == YS_PLAN_INTERVAL_LEAST_US)
        return false;
    plan->interval_us = YS_PLAN_INTERVAL_LEAST_US;
    remedy(told, "interval 7.5 ms");
    return say(told, "events come only every %g ms%s", report->shape.interval_us / 1000.0,
               report->shape.confirmed ? ", and an answer brings the next value with the next event" : "");
}

static bool longer_packets(struct ys_throughput_plan *plan, const struct ys_throughput_report *report,
                           struct ys_hindrance *told)
{
    if (report->shape.packet_length >= YS_PLAN_PACKET_MOST)
        return false;
    plan->packet_length = YS_PLAN_PACKET_MOST;
    remedy(told, "packets of 251 bytes");
    return say(told, "packets of %u bytes: a value of %u bytes takes %u of them", report->limit.packet_length,
               report->shape.value_bytes, report->limit.packets);
}

static bool larger_mtu(struct ys_throughput_plan *plan, const struct ys_throughput_report *report,
                       struct ys_hindrance *told)
{
    if (plan->mtu >= MTU_FULL || is_channel(plan->carrier))
        return false;
    (void)say(told, "an MTU of %u: each value carries %u bytes, and 7 of headers", plan->mtu,
              report->shape.value_bytes);
    plan->mtu = MTU_FULL;
    plan->value_bytes = plan->value_bytes < MTU_FULL - 3 ? plan->value_bytes : MTU_FULL - 3;
    remedy(told, "MTU 247");
    return true;
}

/* Frames that do not fill their packets. */
static bool fitting_mtu(struct ys_throughput_plan *plan, const struct ys_throughput_report *report,
                        struct ys_hindrance *told)
{
    if (plan->mtu <= MTU_FULL || is_channel(plan->carrier) || report->shape.value_bytes <= MTU_FULL - 3)
        return false;
    (void)say(told, "frames of %u bytes do not fill packets of %u", report->shape.frame_bytes,
              report->limit.packet_length);
    plan->mtu = MTU_FULL;
    remedy(told, "MTU 247");
    return true;
}

static bool longer_value(struct ys_throughput_plan *plan, const struct ys_throughput_report *report,
                         struct ys_hindrance *told)
{
    uint16_t most = (uint16_t)(plan->mtu - 3);
    if (is_channel(plan->carrier) || plan->carrier == YS_CARRIER_STREAM || plan->value_bytes >= most)
        return false;
    plan->value_bytes = most < 512 ? most : 512;
    (void)snprintf(told->remedy, sizeof told->remedy, "values of %u bytes", plan->value_bytes);
    return say(told, "a value has only %u of the %u bytes that the MTU carries", report->shape.value_bytes,
               plan->value_bytes);
}

static bool faster_phy(struct ys_throughput_plan *plan, const struct ys_throughput_report *report,
                       struct ys_hindrance *told)
{
    static const char *const names[] = {"1M", "2M", "LE Coded, S=8", "LE Coded, S=2"};
    (void)report;
    if (plan->phy == YS_PHY_2M)
        return false;
    (void)say(told, "the PHY is %s", names[plan->phy]);
    plan->phy = plan->central_phy = YS_PHY_2M;
    remedy(told, "2M");
    return true;
}

static bool longer_events(struct ys_throughput_plan *plan, const struct ys_throughput_report *report,
                          struct ys_hindrance *told)
{
    if (plan->event_length_us == 0)
        return false;
    (void)say(told, "an event is over after %g ms, of an interval of %g ms", plan->event_length_us / 1000.0,
              report->shape.interval_us / 1000.0);
    plan->event_length_us = 0;
    remedy(told, "events as long as the interval");
    return true;
}

static bool more_buffers(struct ys_throughput_plan *plan, const struct ys_throughput_report *report,
                         struct ys_hindrance *told)
{
    const struct ys_hardware *sender = report->shape.by_central ? &plan->central : &plan->device;
    unsigned buffers = plan->buffers > 0 ? plan->buffers : ys_hardware_character(sender)->buffer_count;
    if (buffers == 0)
        return false;
    (void)say(told, "the controller keeps only %u packets", buffers);
    plan->buffers = BUFFERS_MANY;
    remedy(told, "64 buffers");
    return true;
}

static bool no_answers(struct ys_throughput_plan *plan, const struct ys_throughput_report *report,
                       struct ys_hindrance *told)
{
    if (!report->shape.confirmed)
        return false;
    bool indications = plan->carrier == YS_CARRIER_INDICATIONS;
    plan->carrier = indications ? YS_CARRIER_NOTIFICATIONS : YS_CARRIER_COMMANDS;
    remedy(told, indications ? "notifications" : "writes without response");
    return say(told, "%s before the next goes",
               indications ? "each indication must be confirmed" : "each write waits for its response");
}

static bool no_spacing(struct ys_throughput_plan *plan, const struct ys_throughput_report *report,
                       struct ys_hindrance *told)
{
    (void)report;
    if (plan->spacing_ms == 0)
        return false;
    (void)say(told, "the notification spacing of the characteristic is %u ms", plan->spacing_ms);
    plan->spacing_ms = 0;
    remedy(told, "no notification spacing");
    return true;
}

static double again_percent(const struct ys_throughput_report *report)
{
    const struct ys_link_side *side = &report->air.sides[!report->shape.by_central];
    return side->data_packets > 0 ? 100.0 * (double)side->retransmissions / (double)side->data_packets : 0;
}

static bool no_loss(struct ys_throughput_plan *plan, const struct ys_throughput_report *report,
                    struct ys_hindrance *told)
{
    if (plan->loss <= 0)
        return false;
    (void)say(told, "%g %% of the packets are lost: %.0f %% of those with data are sent again", 100 * plan->loss,
              again_percent(report));
    plan->loss = 0;
    remedy(told, "no loss");
    return true;
}

static bool no_bit_errors(struct ys_throughput_plan *plan, const struct ys_throughput_report *report,
                          struct ys_hindrance *told)
{
    if (plan->bit_errors <= 0)
        return false;
    (void)say(told, "%g %% of the bits are wrong: %.0f %% of the packets with data are sent again",
              100 * plan->bit_errors, again_percent(report));
    plan->bit_errors = 0;
    remedy(told, "no bit errors");
    return true;
}

/* Bit errors harm long packets most: those of the best length, each with a frame of its own. */
static bool best_length(struct ys_throughput_plan *plan, const struct ys_throughput_report *report,
                        struct ys_hindrance *told)
{
    double best_bps;
    if (plan->bit_errors <= 0 || is_channel(plan->carrier))
        return false;
    uint8_t best = ys_link_best_length(&report->shape, &best_bps);
    (void)say(told, "bit errors harm packets of %u bytes more than shorter ones", report->limit.packet_length);
    (void)snprintf(told->remedy, sizeof told->remedy, "packets of %u bytes, MTU %u", best, best - 4u);
    if (best - 4 < 23 || best >= report->limit.packet_length)
        return false;
    plan->packet_length = best;
    plan->mtu = (uint16_t)(best - 4);
    return true;
}

static bool has_network(const struct ys_throughput_plan *plan)
{
    return plan->network_channel > 0 && plan->network_duty > 0;
}

static bool is_disturbed(const struct ys_throughput_plan *plan)
{
    return has_network(plan) || plan->oven_distance_m > 0 || plan->neighbours > 0;
}

static bool no_disturbers(struct ys_throughput_plan *plan, const struct ys_throughput_report *report,
                          struct ys_hindrance *told)
{
    char neighbours[40] = "";
    (void)report;
    if (!is_disturbed(plan))
        return false;
    bool network = has_network(plan);
    bool oven = plan->oven_distance_m > 0;
    if (plan->neighbours > 0)
        (void)snprintf(neighbours, sizeof neighbours, " %u devices", (unsigned)plan->neighbours);
    (void)say(told, "others are on the air:%s%s%s%s%s", network ? " a network" : "",
              network && (oven || plan->neighbours > 0) ? "," : "", oven ? " an oven" : "",
              oven && plan->neighbours > 0 ? "," : "", neighbours);
    plan->network_channel = 0;
    plan->oven_distance_m = 0;
    plan->neighbours = 0;
    remedy(told, "nothing else on the air");
    return true;
}

static bool adapting(struct ys_throughput_plan *plan, const struct ys_throughput_report *report,
                     struct ys_hindrance *told)
{
    (void)report;
    if (plan->central.adapts || !is_disturbed(plan))
        return false;
    plan->central.adapts = true;
    remedy(told, "adapting");
    return say(told, "the central uses all channels, however they do");
}

static bool faster_line(struct ys_throughput_plan *plan, const struct ys_throughput_report *report,
                        struct ys_hindrance *told)
{
    (void)report;
    if (plan->device.line_bps == 0)
        return false;
    (void)say(told, "the serial line carries %g kbit/s, of which start and stop bits take a fifth",
              plan->device.line_bps / 1000.0);
    plan->device.line_bps = 0;
    remedy(told, "one chip");
    return true;
}

static bool other_controllers(struct ys_throughput_plan *plan, const struct ys_throughput_report *report,
                              struct ys_hindrance *told)
{
    (void)report;
    bool device = plan->device.character != NULL && plan->device.character != &ys_characters[0];
    bool central = plan->central.character != NULL && plan->central.character != &ys_characters[0];
    if (!device && !central)
        return false;
    (void)say(told, "%s %s: it %s", device ? "the device's controller is" : "the central's controller is",
              device ? plan->device.character->name : plan->central.character->name,
              device ? plan->device.character->about : plan->central.character->about);
    plan->device.character = &ys_characters[0];
    plan->central.character = &ys_characters[0];
    remedy(told, "extending ones");
    return true;
}

static bool no_thinking(struct ys_throughput_plan *plan, const struct ys_throughput_report *report,
                        struct ys_hindrance *told)
{
    const struct ys_character *ideal = ys_character_find("ideal");
    if (!report->shape.confirmed || plan->device.thinks_us + plan->central.thinks_us == 0)
        return false;
    (void)say(told, "answers take their hosts %g and %g ms, and their controllers, too",
              plan->device.thinks_us / 1000.0, plan->central.thinks_us / 1000.0);
    plan->device.thinks_us = 0;
    plan->central.thinks_us = 0;
    plan->device.character = ideal;
    plan->central.character = ideal;
    remedy(told, "answers at once");
    return true;
}

static bool nearer(struct ys_throughput_plan *plan, const struct ys_throughput_report *report,
                   struct ys_hindrance *told)
{
    if (plan->distance_m <= 1)
        return false;
    (void)say(told, "over %g m it arrives with %.0f dBm, %.1f dB more than is needed", plan->distance_m,
              report->strength_dbm, report->margin_db);
    plan->distance_m = 1;
    remedy(told, "1 m");
    return true;
}

static bool no_latency(struct ys_throughput_plan *plan, const struct ys_throughput_report *report,
                       struct ys_hindrance *told)
{
    (void)report;
    if (plan->latency == 0)
        return false;
    (void)say(told, "the device may skip up to %u events when it has no data", plan->latency);
    plan->latency = 0;
    remedy(told, "no latency");
    return true;
}

static bool no_encryption(struct ys_throughput_plan *plan, const struct ys_throughput_report *report,
                          struct ys_hindrance *told)
{
    (void)report;
    if (!plan->encrypted)
        return false;
    plan->encrypted = false;
    remedy(told, "not encrypted");
    return say(told, "encryption adds 4 bytes to each packet, which it is worth");
}

static const struct cause causes[] = {
    {"phy", faster_phy},
    {"packet_length", longer_packets},
    {"mtu", larger_mtu},
    {"frame_length", fitting_mtu},
    {"value_length", longer_value},
    {"acknowledgement", no_answers},
    {"spacing", no_spacing},
    {"interval_end", longer_interval},
    {"interval", shorter_interval},
    {"event_length", longer_events},
    {"buffers", more_buffers},
    {"loss", no_loss},
    {"bit_errors", no_bit_errors},
    {"best_length", best_length},
    {"disturbers", no_disturbers},
    {"adapting", adapting},
    {"line", faster_line},
    {"controller", other_controllers},
    {"answers", no_thinking},
    {"distance", nearer},
    {"latency", no_latency},
    {"encryption", no_encryption},
};

static int by_effect(const void *one, const void *other)
{
    const struct ys_hindrance *a = one;
    const struct ys_hindrance *b = other;
    return a->goodput_bps < b->goodput_bps ? 1 : a->goodput_bps > b->goodput_bps ? -1 : 0;
}

size_t ys_throughput_explain(const struct ys_throughput_plan *plan, const struct ys_throughput_report *report,
                             struct ys_hindrance hindrances[YS_HINDRANCES_MOST])
{
    size_t count = 0;
    for (size_t i = 0; i < sizeof causes / sizeof causes[0]; i++) {
        struct ys_throughput_plan without = *plan;
        struct ys_hindrance *told = &hindrances[count];
        struct ys_throughput_report other;
        *told = (struct ys_hindrance){.code = causes[i].code};
        if (!causes[i].remove(&without, report, told))
            continue;
        without.seconds = without.seconds < SECONDS_MOST ? without.seconds : SECONDS_MOST;
        if (ys_throughput_run(&without, &other)) {
            told->goodput_bps = other.goodput_bps;
            count += other.goodput_bps > (COUNTS + ERRORS * report->error) * report->goodput_bps;
        }
        ys_throughput_free(&other);
    }
    qsort(hindrances, count, sizeof *hindrances, by_effect);
    return count;
}
