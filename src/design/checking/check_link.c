/* Parameters of connections that contradict each other. */
#include "design/checking/check_link.h"

#include "design/making/link.h"

void ys_check_link(struct ys_design *design)
{
    const struct ys_device_link *link = &design->link;
    bool asks = link->interval_max_us != 0;
    if (!link->given)
        return;
    if (!asks && link->interval_place.line == 0 && (link->latency.given || link->timeout_us.given))
        ys_findings_add(&design->findings, YS_ERROR, "link", link->place,
                        "latency and supervision timeout need an interval: add it");
    double interval_ms = link->interval_max_us / 1000.0;
    unsigned latency = (unsigned)link->latency.number;
    double least_s = (double)ys_link_least_timeout_us(link) / 1e6;
    if (asks && ys_link_least_timeout_us(link) > YS_LINK_TIMEOUT_MOST_US)
        ys_findings_add(
            &design->findings, YS_ERROR, "link", link->interval_place,
            "an interval of %g ms with a latency of %u needs a supervision timeout of %g s, and 32 s is the "
            "longest: take a shorter interval, or less latency",
            interval_ms, latency, least_s);
    else if (asks && ys_link_least_timeout_us(link) > ys_link_timeout_us(link))
        ys_findings_add(&design->findings, YS_ERROR, "link", link->interval_place,
                        "with an interval of %g ms and a latency of %u the supervision timeout must be at least %g s, "
                        "and it is %g s: use a longer one, or less latency",
                        interval_ms, latency, least_s, (double)ys_link_timeout_us(link) / 1e6);
    if (link->accepts == YS_LINK_ACCEPT_WITHIN + 1 && !asks)
        ys_findings_add(&design->findings, YS_ERROR, "link", link->place,
                        "it accepts only its own interval, and has none: add one");
}
