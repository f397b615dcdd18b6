/* Lists and ranges of a sweep: read or refused, and every value of them is one of the parameter. The first byte says of
 * which; what stands behind a zero is for the next parameter. */
#include <stdlib.h>
#include <string.h>

#include "cli/sweep/points.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static const struct ys_design nothing;

static void look(const struct sweep *sweep)
{
    for (size_t i = 0; i < sweep->point_count && i < 50; i++) {
        char name[600];
        struct ys_throughput_plan plan = sweep_point(sweep, i, name, sizeof name);
        for (size_t j = 0; j < sweep->axis_count; j++) {
            struct ys_throughput_plan alone = {.seconds = 1};
            const struct sweep_axis *axis = &sweep->axes[j];
            if (sweep_place(sweep, i, j) >= axis->count ||
                !axis->parameter->read(axis->values[sweep_place(sweep, i, j)], &alone))
                abort();
        }
        if (strlen(name) + 1 >= sizeof name || strstr(name, "interval=") == NULL)
            abort();
        (void)plan;
    }
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    struct sweep sweep = {.base = parameters_begin(&nothing), .point_count = 1};
    size_t next = size > 0 ? data[0] : 0;
    char *text = strndup(size > 0 ? (const char *)data + 1 : "", size > 0 ? size - 1 : 0);
    char *rest = text;
    for (char *part = strsep(&rest, "\n"); part != NULL && sweep.axis_count < 3; part = strsep(&rest, "\n")) {
        struct sweep_axis *axis = &sweep.axes[sweep.axis_count];
        bool good = sweep_axis_read("fuzz", &parameters[next++ % parameter_count], part, axis);
        if (axis->count > SWEEP_VALUES_MOST || (good && axis->count == 0))
            abort();
        sweep.axis_count++;
        sweep.point_count *= axis->count;
        if (!good)
            break;
    }
    if (sweep.axis_count > 0)
        look(&sweep);
    sweep_free(&sweep);
    free(text);
    return 0;
}
