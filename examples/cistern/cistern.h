/* The cistern: its two sides, each of which belongs to one thread, and what lies between them. */
#ifndef CISTERN_H
#define CISTERN_H

#include <stdatomic.h>

#include <yarnswift/host.h>

#include "mailbox.h"

/* Belongs to the thread of the host, but for `letters` and `mail`. */
struct cistern {
    struct ys_host host;
    struct ys_work mail; /* there are letters: asked for by the application */
    struct mailbox letters;
    struct mailbox *to_application;
    uint16_t level_mm;
    bool pumps;
};

/* Events of the host; `context` is the cistern. */
void cistern_event(struct ys_host *host, void *context, const struct ys_event *event);

/* Makes the cistern's side of the host, between ys_host_init and ys_host_start. */
void cistern_init(struct cistern *cistern, struct mailbox *to_application);

/* The application, as a thread: measures the level every 20 ms and tells the host, and runs the pump as it is told.
 * Ends by a letter. `context` is a struct application. */
struct application {
    struct cistern *cistern;
    struct mailbox letters;
};
void *application_run(void *context);

#endif
