/* A file that claims to be a measured current: it is read, or refused with a reason, and whatever was read can be
 * fitted. */
#include <stdio.h>
#include <stdlib.h>
#include <unistd.h>

#include "experiment/measured_current.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static char path[64];

static void remove_it(void)
{
    (void)unlink(path);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static const struct ys_phase_shape shapes[] = {{3, true, 328}, {1, false, 128}};
    static struct ys_phase_fit fit;
    struct ys_current_trace trace;
    char problem[YS_CURRENT_PROBLEM] = "";
    if (path[0] == '\0') {
        (void)snprintf(path, sizeof path, "%s/yarnswift_current_%d",
                       access("/dev/shm", W_OK) == 0 ? "/dev/shm" : "/tmp", (int)getpid());
        (void)atexit(remove_it);
    }
    FILE *file = fopen(path, "wb");
    if (file == NULL || fwrite(data, 1, size, file) != size || fclose(file) != 0)
        abort();
    if (!ys_current_read(path, &trace, problem)) {
        if (problem[0] == '\0')
            abort();
        return 0;
    }
    for (size_t i = 0; i < sizeof shapes / sizeof shapes[0]; i++)
        ys_phases_fit(trace.times_s, trace.currents_ma, trace.count, &shapes[i], &fit);
    ys_current_free(&trace);
    return 0;
}
