/* Compares expectations with measurements, and says what to change. */
#include "experiment/verdict.h"

#include <stdio.h>
#include <string.h>

#include "experiment/interval.h"

#define STEP_US       625u
#define LEAST_US      20000u
#define DELAY_MOST_MS 10.0
#define LATE_MS       5.0 /* that a host is told of what a real controller has heard */
#define MS(us)        ((double)(us) / 1000)

/* The longest interval, not longer than it is, at which the calculation meets the expectation; 0 if none does. */
static uint32_t interval_that_does(const struct ys_search *search, const struct ys_expectation *expectation)
{
    struct ys_discovery discovery = search->calculated_of;
    double within_ms = MS(expectation->within_us.number);
    for (uint32_t us = discovery.interval_us; us >= LEAST_US; us = us / 10 * 9) {
        struct ys_discovery_expectation unused;
        discovery.interval_us = us - us % STEP_US;
        if (discovery.interval_us < LEAST_US)
            return 0;
        if (ys_discovery_expect(&discovery, within_ms, within_ms, &unused) >= expectation->share)
            return discovery.interval_us;
    }
    return 0;
}

static struct ys_search *search_by(const struct ys_interval_report *report, const struct ys_scanner *scanner)
{
    for (size_t i = 0; i < report->search_count; i++) {
        const struct ys_scanner *one = &report->searches[i].scanner;
        if (one->window_us == scanner->window_us && one->interval_us == scanner->interval_us)
            return &report->searches[i];
    }
    return NULL;
}

static void judge_found(const struct ys_expectation *expectation, const struct ys_interval_report *report,
                        struct ys_verdict *verdict)
{
    struct ys_search *search = search_by(report, &expectation->by);
    double within_ms = MS(expectation->within_us.number);
    (void)snprintf(verdict->expected, sizeof verdict->expected, "found within %g s by %s in %g %%", within_ms / 1000,
                   expectation->by.name, expectation->share * 100);
    if (report->recorded) {
        verdict->unknown = true;
        (void)snprintf(verdict->measured, sizeof verdict->measured, "cannot be known from a capture");
        return;
    }
    size_t found = search != NULL ? ys_samples_within(&search->found_ms, within_ms) : 0;
    double share = search != NULL && search->runs > 0 ? (double)found / search->runs : 0;
    verdict->met = share >= expectation->share;
    (void)snprintf(verdict->measured, sizeof verdict->measured, "in %.4g %%", share * 100);
    if (verdict->met || search == NULL)
        return;
    uint32_t interval_us = interval_that_does(search, expectation);
    if (interval_us == search->calculated_of.interval_us)
        (void)snprintf(verdict->advice, sizeof verdict->advice,
                       "by calculation it is just met: try more runs, or an interval a little shorter");
    else if (interval_us > 0)
        (void)snprintf(verdict->advice, sizeof verdict->advice, "an interval of %g ms would do, by calculation",
                       MS(interval_us));
    else
        (void)snprintf(verdict->advice, sizeof verdict->advice,
                       "no interval that is allowed does that: expect less, or a scanner that listens more");
}

static void judge_interval(const struct ys_expectation *expectation, struct ys_interval_report *report,
                           struct ys_verdict *verdict)
{
    struct ys_samples *intervals_ms = &report->air.intervals_ms;
    double least_ms = MS(expectation->ends_us[0]);
    double greatest_ms = MS(expectation->ends_us[1]);
    double min_ms = ys_samples_quantile(intervals_ms, 0);
    double max_ms = ys_samples_quantile(intervals_ms, 1);
    (void)snprintf(verdict->expected, sizeof verdict->expected, "interval from %g ms to %g ms", least_ms, greatest_ms);
    if (intervals_ms->count == 0 && report->air.unmeasured > 0) {
        verdict->unknown = true;
        (void)snprintf(verdict->measured, sizeof verdict->measured,
                       "too much was missed to measure one from its beginning to its end");
        return;
    }
    if (intervals_ms->count == 0) {
        (void)snprintf(verdict->measured, sizeof verdict->measured, "there was none");
        (void)snprintf(verdict->advice, sizeof verdict->advice, "watch it for longer, with --seconds");
        return;
    }
    double late_ms = report->live ? LATE_MS : 0;
    verdict->met = min_ms >= least_ms - late_ms && max_ms <= greatest_ms + late_ms;
    (void)snprintf(verdict->measured, sizeof verdict->measured, "%.3f ms to %.3f ms", min_ms, max_ms);
    if (verdict->met)
        return;
    if (min_ms < least_ms - late_ms)
        (void)snprintf(verdict->advice, sizeof verdict->advice, "set an interval of at least %g ms", least_ms);
    else
        (void)snprintf(verdict->advice, sizeof verdict->advice,
                       "the standard adds up to 10 ms to each interval: set at most %g ms",
                       greatest_ms - DELAY_MOST_MS);
}

static void judge_silence(const struct ys_design *design, const struct ys_expectation *expectation,
                          const struct ys_interval_report *report, struct ys_verdict *verdict)
{
    static const char *const reasons[] = {
        [YS_SILENCE_EVENTS] = "between two events",
        [YS_SILENCE_CONNECTED] = "while it was connected",
        [YS_SILENCE_STOPPED] = "it had stopped",
        [YS_SILENCE_MISSED] = "the recorder may have missed packets meanwhile",
    };
    const struct ys_advertising_meter *air = &report->air;
    double silence_ms = (double)air->silence_ns / 1e6;
    (void)snprintf(verdict->expected, sizeof verdict->expected, "silent for at most %g ms",
                   MS(expectation->silence_us.number));
    verdict->met = silence_ms <= MS(expectation->silence_us.number);
    if (report->live) { /* whoever hears nothing does not know why */
        verdict->unknown = !verdict->met;
        (void)snprintf(verdict->measured, sizeof verdict->measured, "not heard for %.0f ms at most", silence_ms);
        return;
    }
    (void)snprintf(verdict->measured, sizeof verdict->measured, "%.3f ms, %s", silence_ms, reasons[air->silence]);
    verdict->unknown = !verdict->met && air->silence == YS_SILENCE_MISSED;
    if (verdict->met || verdict->unknown)
        return;
    if (air->silence == YS_SILENCE_CONNECTED)
        (void)snprintf(verdict->advice, sizeof verdict->advice,
                       "make room for another connection, so that it continues to advertise while it is connected");
    else if (air->silence == YS_SILENCE_STOPPED)
        (void)snprintf(verdict->advice, sizeof verdict->advice, "let it advertise without an end");
    else
        (void)snprintf(verdict->advice, sizeof verdict->advice,
                       "the interval is %g ms, and up to 10 ms are added: set a shorter one",
                       MS(design->sets->interval_max_us));
}

bool ys_interval_concerns(const struct ys_design *design, const struct ys_expectation *expectation)
{
    return expectation->set == design->sets->name;
}

void ys_interval_judge(const struct ys_design *design, const struct ys_expectation *expectation,
                       struct ys_interval_report *report, struct ys_verdict *verdict)
{
    memset(verdict, 0, sizeof *verdict);
    switch ((enum ys_expected)expectation->kind) {
    case YS_EXPECT_FOUND:
        judge_found(expectation, report, verdict);
        break;
    case YS_EXPECT_INTERVAL:
        judge_interval(expectation, report, verdict);
        break;
    case YS_EXPECT_SILENCE:
        judge_silence(design, expectation, report, verdict);
        break;
    case YS_EXPECT_NONE:
        break;
    }
}
