/* A measured current. */
#include "experiment/measured_current.h"

#include <errno.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/making/payload.h"
#include "wire/link.h"

#define VALUES_MOST 50000000
#define LINE_SIZE   256

/* A column by its name, and its unit in seconds or milliamperes. */
struct column {
    const char *name;
    bool is_time;
    double factor;
};

static const struct column columns[] = {
    {"time_s", true, 1},       {"time_ms", true, 1e-3},  {"time_us", true, 1e-6},
    {"current_a", false, 1e3}, {"current_ma", false, 1}, {"current_ua", false, 1e-3},
};

static const struct column *column_named(const char *name, size_t length)
{
    for (size_t i = 0; i < sizeof columns / sizeof columns[0]; i++) {
        if (strlen(columns[i].name) == length && strncmp(columns[i].name, name, length) == 0)
            return &columns[i];
    }
    return NULL;
}

static bool say(char problem[YS_CURRENT_PROBLEM], size_t line, const char *text)
{
    if (line > 0)
        (void)snprintf(problem, YS_CURRENT_PROBLEM, "line %zu: %s", line, text);
    else
        (void)snprintf(problem, YS_CURRENT_PROBLEM, "%s", text);
    return false;
}

/* The first line: what the two columns are. */
static bool read_head(FILE *file, const struct column *found[2], char problem[YS_CURRENT_PROBLEM])
{
    char line[LINE_SIZE];
    if (fgets(line, sizeof line, file) == NULL)
        return say(problem, 0, "it is empty");
    char *comma = strchr(line, ',');
    size_t length = strcspn(line, "\r\n");
    found[0] = comma != NULL ? column_named(line, (size_t)(comma - line)) : NULL;
    found[1] = comma != NULL ? column_named(comma + 1, length - (size_t)(comma + 1 - line)) : NULL;
    return (found[0] != NULL && found[1] != NULL && found[0]->is_time && !found[1]->is_time) ||
           say(problem, 1,
               "it must name two columns, such as time_s,current_ma: time_s, time_ms or time_us, then current_a, "
               "current_ma or "
               "current_ua");
}

static bool read_values(const char *line, double values[2])
{
    char *end;
    values[0] = strtod(line, &end);
    if (end == line || *end != ',')
        return false;
    const char *second = end + 1;
    values[1] = strtod(second, &end);
    return end != second && end[strspn(end, " \r\n")] == '\0' && isfinite(values[0]) && isfinite(values[1]);
}

static bool grow(struct ys_current_trace *trace, size_t *capacity)
{
    if (trace->count < *capacity)
        return true;
    *capacity = *capacity > 0 ? 2 * *capacity : 65536;
    double *times = realloc(trace->times_s, *capacity * sizeof *times);
    if (times == NULL)
        return false;
    trace->times_s = times;
    double *currents = realloc(trace->currents_ma, *capacity * sizeof *currents);
    if (currents == NULL)
        return false;
    trace->currents_ma = currents;
    return true;
}

static bool read_all(FILE *file, struct ys_current_trace *trace, char problem[YS_CURRENT_PROBLEM])
{
    char line[LINE_SIZE];
    const struct column *found[2];
    size_t capacity = 0;
    if (!read_head(file, found, problem))
        return false;
    for (size_t number = 2; fgets(line, sizeof line, file) != NULL; number++) {
        double values[2];
        if (!read_values(line, values))
            return say(problem, number, "this is no time and current, such as 0.00012,1.25");
        if (trace->count == VALUES_MOST)
            return say(problem, number, "more than 50 million values: take a part of it");
        if (!grow(trace, &capacity))
            return say(problem, 0, "there is no memory for it");
        trace->times_s[trace->count] = values[0] * found[0]->factor;
        trace->currents_ma[trace->count++] = values[1] * found[1]->factor;
        if (trace->count > 1 && trace->times_s[trace->count - 1] <= trace->times_s[trace->count - 2])
            return say(problem, number, "its time is not after the time of the line before");
    }
    return ferror(file) ? say(problem, 0, strerror(errno)) : true;
}

/* Equal steps, up to what is lost by few digits. */
static bool check_steps(struct ys_current_trace *trace, char problem[YS_CURRENT_PROBLEM])
{
    if (trace->count < 2)
        return say(problem, 0, "it has no values");
    trace->seconds = trace->times_s[trace->count - 1] - trace->times_s[0];
    double step_s = trace->seconds / (double)(trace->count - 1);
    trace->step_us = 1e6 * step_s;
    for (size_t i = 0; i < trace->count; i++) {
        if (fabs(trace->times_s[i] - trace->times_s[0] - (double)i * step_s) > 0.5 * step_s + 1e-6)
            return say(problem, i + 2, "times must have equal steps, and this one is not where it must be");
    }
    return true;
}

bool ys_current_read(const char *path, struct ys_current_trace *trace, char problem[YS_CURRENT_PROBLEM])
{
    *trace = (struct ys_current_trace){.count = 0};
    FILE *file = fopen(path, "r");
    if (file == NULL)
        return say(problem, 0, strerror(errno));
    bool good = read_all(file, trace, problem) && check_steps(trace, problem);
    (void)fclose(file);
    if (!good)
        ys_current_free(trace);
    return good;
}

void ys_current_free(struct ys_current_trace *trace)
{
    free(trace->times_s);
    free(trace->currents_ma);
    *trace = (struct ys_current_trace){.count = 0};
}

const struct ys_advertisement *ys_current_set(const struct ys_design *design, const char *name)
{
    for (size_t i = 0; i < design->set_count; i++) {
        if (name == NULL || (design->sets[i].name != NULL && strcmp(design->sets[i].name, name) == 0))
            return &design->sets[i];
    }
    return NULL;
}

struct ys_phase_shape ys_current_shape(const struct ys_design *design, const struct ys_advertisement *set)
{
    struct ys_payload payload = ys_payload_compose(design, set);
    uint8_t channels = set->channels != 0 ? set->channels : 7;
    unsigned count = (channels & 1u) + (channels >> 1 & 1u) + (channels >> 2 & 1u);
    return (struct ys_phase_shape){
        .channels = count,
        .listens = ys_advertisement_kind(set) != YS_ADVERTISE_BEACON,
        .transmit_us = (double)ys_link_duration_ns(YS_PHY_1M, 2u + 6 + payload.data_length) / 1000,
    };
}
