/* What hardware draws in each phase of its events. Each event is cut into as many pieces as it has phases by dynamic
 * programming over sums and sums of squares; what comes out is averaged over all events that are alike, so that a phase
 * is known to much less than a sample. */
#include "measure/phases.h"

#include <math.h>
#include <stdlib.h>

#define PHASES_MOST 20
#define BEFORE      3  /* wake, prepare, ramp */
#define MARGIN      15 /* samples of sleep before and after an event */
#define GAP_US      500.0
#define SMOOTH      9    /* values of which the mean is looked at: it has a third of their noise */
#define LEVELS_OFF  8.0  /* so many of its standard deviations above sleep is an event */
#define SHARE_OFF   0.02 /* and so much of the greatest current */
#define UNLIKE      0.08 /* an event that is so much longer or shorter than others is another one */

struct trace {
    double *ma;
    size_t count;
    double step_us;
};

struct event {
    size_t from; /* in the trace, with its margins */
    size_t count;
    double bounds[PHASES_MOST + 1]; /* where each phase begins, in samples */
    double means_ma[PHASES_MOST];
    bool used;
};

static void *room(size_t count, size_t size)
{
    void *memory = calloc(count + 1, size);
    if (memory == NULL)
        abort();
    return memory;
}

static int ascending(const void *one, const void *other)
{
    double a = *(const double *)one;
    double b = *(const double *)other;
    return a < b ? -1 : a > b;
}

static double median_of(const double *values, size_t count)
{
    double *sorted = room(count, sizeof *sorted);
    for (size_t i = 0; i < count; i++)
        sorted[i] = values[i];
    qsort(sorted, count, sizeof *sorted, ascending);
    double median = count > 0 ? sorted[count / 2] : 0;
    free(sorted);
    return median;
}

/* A robust standard deviation: from the median of the distances to a level. */
static double noise_of(const struct trace *trace, double level)
{
    double *off = room(trace->count, sizeof *off);
    for (size_t i = 0; i < trace->count; i++)
        off[i] = fabs(trace->ma[i] - level);
    double noise = 1.4826 * median_of(off, trace->count);
    free(off);
    return noise;
}

/* Events: stretches above the sleep current, with at most a short gap in each. */
static size_t find_events(const struct trace *trace, double level, struct event *events, size_t most)
{
    size_t gap = (size_t)(GAP_US / trace->step_us) + SMOOTH;
    size_t count = 0;
    size_t last = 0;
    bool inside = false;
    size_t from = 0;
    double sum = 0;
    for (size_t i = 0; i < trace->count; i++) {
        sum += trace->ma[i] - (i >= SMOOTH ? trace->ma[i - SMOOTH] : 0);
        if (sum > level * SMOOTH) {
            from = inside ? from : i;
            inside = true;
            last = i;
        } else if (inside && i - last > gap) {
            inside = false;
            if (from >= MARGIN && last + MARGIN < trace->count && last > from + BEFORE && count < most) {
                events[count] = (struct event){.from = from - MARGIN, .count = last - from + 1 + (size_t)2 * MARGIN};
                count++;
            }
        }
    }
    return count;
}

/* The best division of an event into this number of pieces, of which the first and the last are sleep. */
static void cut(const struct trace *trace, struct event *event, unsigned pieces)
{
    size_t n = event->count;
    const double *ma = trace->ma + event->from;
    double *sums = room(n, sizeof *sums);
    double *squares = room(n, sizeof *squares);
    double *costs = room((n + 1) * (pieces + 1), sizeof *costs);
    unsigned short *starts = room((n + 1) * (pieces + 1), sizeof *starts);
    for (size_t i = 0; i < n; i++) {
        sums[i + 1] = sums[i] + ma[i];
        squares[i + 1] = squares[i] + ma[i] * ma[i];
    }
    for (size_t end = 0; end <= n; end++)
        costs[end] = end == 0 ? 0 : INFINITY;
    for (unsigned piece = 1; piece <= pieces; piece++) {
        double *now = costs + piece * (n + 1);
        const double *before = now - (n + 1);
        for (size_t end = 0; end <= n; end++) {
            now[end] = INFINITY;
            for (size_t start = piece - 1; start < end; start++) {
                double sum = sums[end] - sums[start];
                double cost = before[start] + squares[end] - squares[start] - sum * sum / (double)(end - start);
                if (cost >= now[end])
                    continue;
                now[end] = cost;
                starts[piece * (n + 1) + end] = (unsigned short)start;
            }
        }
    }
    size_t end = n;
    for (unsigned piece = pieces; piece > 0; piece--) {
        size_t start = starts[piece * (n + 1) + end];
        event->bounds[piece - 1] = (double)start;
        event->means_ma[piece - 1] = (sums[end] - sums[start]) / (double)(end - start);
        end = start;
    }
    event->bounds[pieces] = (double)n;
    free(sums);
    free(squares);
    free(costs);
    free(starts);
}

/* What phase a piece is. */
enum kind { SLEEP, WAKE, PREPARE, RAMP, TRANSMIT, TURN, RECEIVE, FINISH, KINDS };

static unsigned lay_out(const struct ys_phase_shape *shape, enum kind kinds[PHASES_MOST])
{
    unsigned count = 0;
    kinds[count++] = SLEEP;
    kinds[count++] = WAKE;
    kinds[count++] = PREPARE;
    kinds[count++] = RAMP;
    for (unsigned i = 0; i < shape->channels; i++) {
        kinds[count++] = TRANSMIT;
        if (shape->listens) {
            kinds[count++] = TURN;
            kinds[count++] = RECEIVE;
        }
        if (i + 1 < shape->channels)
            kinds[count++] = TURN;
    }
    kinds[count++] = FINISH;
    kinds[count++] = SLEEP;
    return count;
}

/* Means and durations of each kind, over all events that are used. */
static void average(const struct trace *trace, const struct event *events, size_t count, const enum kind *kinds,
                    unsigned pieces, struct ys_phase_fit *fit)
{
    double charge[KINDS] = {0}; /* in samples x mA; likewise the time: */
    double time[KINDS] = {0};
    for (size_t i = 0; i < count; i++) {
        const struct event *event = &events[i];
        for (unsigned k = 0; k < pieces && event->used; k++) {
            double length = event->bounds[k + 1] - event->bounds[k];
            charge[kinds[k]] += length * event->means_ma[k];
            time[kinds[k]] += length;
        }
    }
    double ma[KINDS];
    double us[KINDS];
    for (int kind = 0; kind < KINDS; kind++) {
        ma[kind] = time[kind] > 0 ? charge[kind] / time[kind] : 0;
        us[kind] = time[kind] * trace->step_us / (double)fit->used;
    }
    fit->energy.wake = (struct ys_phase){us[WAKE], ma[WAKE]};
    fit->energy.prepare = (struct ys_phase){us[PREPARE], ma[PREPARE]};
    fit->energy.ramp = (struct ys_phase){us[RAMP], ma[RAMP]};
    fit->energy.finish = (struct ys_phase){us[FINISH], ma[FINISH]};
    fit->energy.transmit[0] = (struct ys_power_level){0, ma[TRANSMIT]};
    fit->energy.levels = 1;
    fit->energy.turn_ma = ma[TURN];
    fit->energy.receive_ma = ma[RECEIVE];
}

/* The mean of all events, aligned at the first packet; of the fit to each; and the residue. */
static void compare(const struct trace *trace, const struct event *events, size_t count, unsigned pieces,
                    struct ys_phase_fit *fit)
{
    double left = 0;
    double charge = 0;
    double fitted = 0;
    double transmit = 0;
    size_t samples = 0;
    size_t counts[YS_EVENT_SAMPLES] = {0};
    for (size_t i = 0; i < count; i++) {
        if (events[i].used && (size_t)events[i].bounds[BEFORE + 1] > fit->mark)
            fit->mark = (size_t)events[i].bounds[BEFORE + 1];
    }
    for (size_t i = 0; i < count; i++) {
        const struct event *event = &events[i];
        unsigned piece = 0;
        size_t offset = fit->mark - (size_t)event->bounds[BEFORE + 1];
        if (!event->used)
            continue;
        transmit += event->bounds[BEFORE + 2] - event->bounds[BEFORE + 1];
        for (size_t k = 0; k < event->count; k++) {
            while (piece + 1 < pieces && (double)k >= event->bounds[piece + 1])
                piece++;
            double ma = trace->ma[event->from + k];
            left += (ma - event->means_ma[piece]) * (ma - event->means_ma[piece]);
            charge += ma;
            fitted += event->means_ma[piece];
            samples++;
            if (offset + k >= YS_EVENT_SAMPLES)
                continue;
            fit->mean_ma[offset + k] += ma;
            fit->fitted_ma[offset + k] += event->means_ma[piece];
            counts[offset + k]++;
        }
    }
    for (size_t k = 0; k < YS_EVENT_SAMPLES; k++) {
        fit->mean_ma[k] /= counts[k] > 0 ? (double)counts[k] : 1;
        fit->fitted_ma[k] /= counts[k] > 0 ? (double)counts[k] : 1;
        fit->samples = counts[k] > 0 && k >= fit->samples ? k + 1 : fit->samples;
    }
    fit->left_ma = samples > 0 ? sqrt(left / (double)samples) : 0;
    fit->event_uc = charge * trace->step_us / 1000 / (double)fit->used;
    fit->fitted_uc = fitted * trace->step_us / 1000 / (double)fit->used;
    fit->transmit_us = transmit * trace->step_us / (double)fit->used;
}

/* Those that are as long as most, and whose first packet is as long as it must be. */
static void choose(const struct trace *trace, struct event *events, size_t count, const struct ys_phase_shape *shape,
                   unsigned pieces, struct ys_phase_fit *fit)
{
    double *lengths = room(count, sizeof *lengths);
    for (size_t i = 0; i < count; i++)
        lengths[i] = (double)events[i].count;
    double usual = median_of(lengths, count);
    free(lengths);
    for (size_t i = 0; i < count; i++) {
        if (fabs((double)events[i].count / usual - 1) > UNLIKE || events[i].count < 2 * (size_t)pieces ||
            events[i].count > YS_EVENT_SAMPLES)
            continue;
        cut(trace, &events[i], pieces);
        double packet_us = (events[i].bounds[BEFORE + 2] - events[i].bounds[BEFORE + 1]) * trace->step_us;
        events[i].used = fabs(packet_us - shape->transmit_us) <= 0.1 * shape->transmit_us + 2 * trace->step_us;
        fit->used += events[i].used;
    }
}

static void fit_trace(const struct trace *trace, const struct ys_phase_shape *shape, struct ys_phase_fit *fit)
{
    enum kind kinds[PHASES_MOST];
    unsigned pieces = lay_out(shape, kinds);
    double standby_ma = median_of(trace->ma, trace->count);
    double most_ma = 0;
    for (size_t i = 0; i < trace->count; i++)
        most_ma = fmax(most_ma, trace->ma[i]);
    fit->noise_ma = noise_of(trace, standby_ma);
    double level = standby_ma + fmax(LEVELS_OFF * fit->noise_ma / sqrt(SMOOTH), SHARE_OFF * most_ma);
    size_t most = trace->count / (MARGIN + BEFORE) + 1;
    struct event *events = room(most, sizeof *events);
    fit->events = find_events(trace, level, events, most);
    choose(trace, events, fit->events, shape, pieces, fit);
    if (fit->events == 0)
        fit->problem = "no events found: the current is even";
    else if (fit->used == 0)
        fit->problem = "its events are not those of this way to advertise: no first packet is as long as it must be";
    if (fit->problem == NULL) {
        double asleep = 0;
        size_t count = 0;
        for (size_t i = 0, next = 0; i < trace->count; i++) { /* all that is no event */
            while (next < fit->events && i >= events[next].from + events[next].count)
                next++;
            bool quiet = next == fit->events || i < events[next].from;
            asleep += quiet ? trace->ma[i] : 0;
            count += quiet;
        }
        fit->energy.standby_ua = count > 0 ? 1000 * asleep / (double)count : 1000 * standby_ma;
        average(trace, events, fit->events, kinds, pieces, fit);
        compare(trace, events, fit->events, pieces, fit);
    }
    free(events);
}

/* An event is taken to be no longer than that: of a trace that is finer than needed, means are taken. */
#define EVENT_US_MOST 10000.0

void ys_phases_fit(const double *times_s, const double *currents_ma, size_t count, const struct ys_phase_shape *shape,
                   struct ys_phase_fit *fit)
{
    *fit = (struct ys_phase_fit){.events = 0};
    if (count < 100) {
        fit->problem = "it has too few values";
        return;
    }
    double step_us = 1e6 * (times_s[count - 1] - times_s[0]) / (double)(count - 1);
    size_t together = (size_t)ceil(EVENT_US_MOST / step_us / YS_EVENT_SAMPLES - 1e-3);
    together = together > 0 ? together : 1;
    struct trace trace = {.count = count / together, .step_us = step_us * (double)together};
    if (trace.step_us > shape->transmit_us / 4) {
        fit->problem = "its values are too far apart: a packet must have four at least";
        return;
    }
    trace.ma = room(trace.count, sizeof *trace.ma);
    for (size_t i = 0; i < trace.count; i++) {
        for (size_t k = 0; k < together; k++)
            trace.ma[i] += currents_ma[i * together + k] / (double)together;
    }
    fit->step_us = trace.step_us;
    fit_trace(&trace, shape, fit);
    free(trace.ma);
}
