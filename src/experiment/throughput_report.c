/* What is known of a stream. */
#include "experiment/throughput_report.h"

void ys_throughput_charge(const struct ys_throughput_plan *plan, struct ys_throughput_report *report)
{
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
