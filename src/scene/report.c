/* A scene in words. */
#include "scene/report.h"

#include <inttypes.h>

void ys_report_line(void *context, uint64_t at_ns, enum ys_side side, const char *name, const char *text)
{
    static const char *const colours[] = {
        [YS_SIDE_DEVICE] = "\033[36m", [YS_SIDE_CENTRAL] = "\033[33m", [YS_SIDE_SCENE] = "\033[35m"};
    const struct ys_report_log *log = context;
    (void)fprintf(log->stream, "%10.6f s  %s%s%-*s%s %s\n", (double)at_ns / 1e9, log->colour ? colours[side] : "",
                  side == YS_SIDE_DEVICE ? "" : "        ", log->width > 7 ? log->width : 7, name,
                  log->colour ? "\033[0m" : "", text);
}

void ys_report_summary(FILE *stream, const struct ys_demo_summary *summary)
{
    (void)fprintf(stream, "\nadvertising interval  set %g ms", (double)summary->set_min_us / 1000);
    if (summary->set_max_us != summary->set_min_us)
        (void)fprintf(stream, " to %g ms", (double)summary->set_max_us / 1000);
    (void)fprintf(stream, "; measured %.3f ms to %.3f ms, %.3f ms on average of %" PRIu64 "\n",
                  summary->interval_min_ms, summary->interval_max_ms, summary->interval_mean_ms, summary->intervals);
    (void)fprintf(stream,
                  "notifications         %" PRIu64 " sent, %" PRIu64 " received, %" PRIu64 " after unsubscribing\n",
                  summary->sent, summary->received, summary->after_unsubscribe);
    if (summary->watched != NULL)
        (void)fprintf(stream, "%-21s %.1f a second, %.0f bit/s of value\n", summary->watched, summary->rate_hz,
                      summary->goodput_bps);
    (void)fprintf(stream, "on the air            %" PRIu64 " packets in %.3f s\n", summary->air_packets,
                  summary->simulated_s);
    if (summary->as_expected)
        (void)fprintf(stream, "all as expected\n");
    else
        (void)fprintf(stream, "NOT as expected: %s\n", summary->problem);
}
