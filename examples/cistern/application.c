/* The side of the application: a thread that knows nothing of connections. Of the host it calls ys_work_ask alone,
 * which is one of the calls that every thread may make. */
#include "cistern.h"

#include <time.h>

#define SAMPLE_NS 20000000

void *application_run(void *context)
{
    struct application *application = context;
    const struct timespec sample = {.tv_nsec = SAMPLE_NS};
    uint16_t level_mm = 1500;
    bool pumps = false;
    for (;;) {
        struct message letter;
        while (mailbox_take(&application->letters, &letter)) {
            if (letter.topic == STOP)
                return NULL;
            if (letter.topic == PUMP)
                pumps = letter.value != 0;
        }
        level_mm = (uint16_t)(pumps ? level_mm - 5 : level_mm + 1); /* here the sensor would be read */
        if (mailbox_put(&application->cistern->letters, (struct message){LEVEL, level_mm}))
            ys_work_ask(&application->cistern->mail);
        (void)nanosleep(&sample, NULL);
    }
}
