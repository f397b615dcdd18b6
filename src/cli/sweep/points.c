/* The points of a sweep: lists and ranges of values, and their combinations. */
#include "cli/sweep/points.h"

#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "cli/shared/parameters.h"
#include "cli/shared/say.h"
#include "cli/sweep/swept.h"

static bool add(const char *who, struct sweep_axis *axis, const char *value)
{
    struct ys_throughput_plan plan = {.seconds = 1};
    if (axis->count == SWEEP_VALUES_MOST)
        return complain(who, "--%s has more than %d values", axis->parameter->name, SWEEP_VALUES_MOST);
    if (strlen(value) >= sizeof axis->values[0] || !axis->parameter->read(value, &plan))
        return parameter_complain(who, axis->parameter, value);
    for (size_t i = 0; i < axis->count; i++) {
        if (strcmp(axis->values[i], value) == 0)
            return complain(who, "--%s has %s twice", axis->parameter->name, value);
    }
    axis->values = realloc(axis->values, (axis->count + 1) * sizeof axis->values[0]);
    if (axis->values == NULL)
        abort();
    (void)snprintf(axis->values[axis->count++], sizeof axis->values[0], "%s", value);
    return true;
}

/* A whole text that is a number. */
static bool read_number(const char *text, double *number)
{
    char *end;
    *number = strtod(text, &end);
    return end != text && *end == '\0' && isfinite(*number);
}

/* FROM..TO/STEP or FROM..TO*FACTOR. */
static bool add_range(const char *who, struct sweep_axis *axis, const char *text)
{
    double from = 0;
    double to = 0;
    double step = 0;
    char *end = NULL;
    const char *dots = strstr(text, "..");
    char first[16] = "";
    if (dots != NULL && (size_t)(dots - text) < sizeof first)
        (void)snprintf(first, sizeof first, "%.*s", (int)(dots - text), text);
    bool good = first[0] != '\0' && read_number(first, &from);
    char by = '\0';
    if (good) {
        to = strtod(dots + 2, &end);
        by = *end;
        good = end != dots + 2 && by != '\0' && read_number(end + 1, &step) && from <= to &&
               ((by == '/' && step > 0) || (by == '*' && step > 1 && from > 0));
    }
    if (!good || !axis->parameter->numeric)
        return complain(
            who,
            "--%s has \"%s\", which is no range: write FROM..TO/STEP, such as 15..60/15, or FROM..TO*FACTOR, "
            "such as 7.5..60*2",
            axis->parameter->name, text);
    for (int i = 0; good; i++) {
        char value[32];
        double number = by == '/' ? from + i * step : from * pow(step, i);
        if (number > to * (1 + 1e-12))
            break;
        (void)snprintf(value, sizeof value, "%.10g", number);
        good = add(who, axis, value);
    }
    return good;
}

bool sweep_axis_read(const char *who, const struct parameter *parameter, const char *text, struct sweep_axis *axis)
{
    char *copy = strdup(text);
    char *rest = copy;
    bool good = copy != NULL;
    *axis = (struct sweep_axis){.parameter = parameter};
    for (char *part = strsep(&rest, ","); good && part != NULL; part = strsep(&rest, ","))
        good = strstr(part, "..") != NULL ? add_range(who, axis, part) : add(who, axis, part);
    free(copy);
    return good;
}

void sweep_free(struct sweep *sweep)
{
    for (size_t i = 0; i < sweep->axis_count; i++)
        free(sweep->axes[i].values);
}

size_t sweep_place(const struct sweep *sweep, size_t index, size_t axis)
{
    for (size_t i = sweep->axis_count - 1; i > axis; i--)
        index /= sweep->axes[i].count;
    return index % sweep->axes[axis].count;
}

struct ys_throughput_plan sweep_point(const struct sweep *sweep, size_t index, char *name, size_t size)
{
    struct ys_throughput_plan plan = sweep->base;
    FILE *stream = fmemopen(name, size, "w");
    if (stream == NULL)
        abort();
    for (size_t i = 0; i < sweep->axis_count; i++) {
        const struct sweep_axis *axis = &sweep->axes[i];
        const char *value = axis->values[sweep_place(sweep, index, i)];
        (void)axis->parameter->read(value, &plan);
    }
    /* all of them, so that results of one sweep serve another */
    for (size_t i = 0; i < parameter_count; i++)
        (void)fprintf(stream, "%s%s=%.10g", i > 0 ? " " : "", parameters[i].name, parameters[i].value(&plan));
    if (plan.energy != NULL) /* the charge is in the result, too */
        (void)fprintf(stream, " energy=%g,%g,%g,%g,%g", plan.energy->standby_ua, plan.energy->transmit[0].ma,
                      plan.energy->receive_ma, plan.energy->turn_ma, ys_event_uc(plan.energy));
    (void)fclose(stream);
    return plan;
}
