/* What is known of a stream. */
#include "experiment/throughput_report.h"

void ys_throughput_charge(const struct ys_throughput_plan *plan, struct ys_throughput_report *report)
{
    const struct ys_link_meter *air = &report->air;
    const struct ys_link_side *own = &air->sides[1];
    const struct ys_link_side *other = &air->sides[0];
    report->activity = (struct ys_activity){
        .seconds = report->seconds,
        .events = air->events,
        .transmit_s = (double)own->on_air_ns / 1e9,
        .receive_s = (double)(other->on_air_ns + other->packets * YS_LINK_INTER_FRAME_SPACE_NS) / 1e9,
    };
    if (plan->energy == NULL || report->seconds <= 0)
        return;
    report->mean_ua = ys_charge_mean_ua(plan->energy, &report->activity);
    if (report->value_bytes > 0)
        report->mc_per_megabyte = report->mean_ua * report->seconds / 1000 / ((double)report->value_bytes / 1e6);
}

void ys_throughput_free(struct ys_throughput_report *report)
{
    ys_samples_free(&report->latency_ms);
    ys_samples_free(&report->alone_ms);
}
