/* Somebody who drives the cistern over the air: subscribes to the level, sees it rise, and switches the pump on. */
#ifndef CENTRAL_H
#define CENTRAL_H

#include <yarnswift/host.h>

struct central {
    struct ys_host host;
    struct ys_client_request request;
    uint16_t connection;
    uint16_t highest_mm; /* level that has come */
    uint16_t last_mm;
    unsigned values; /* levels that have come */
    bool pumps;      /* it has switched it on, or tried to */
    bool failed;     /* something that it asked for was refused */
};

/* Events of its host; `context` is the central. */
void central_event(struct ys_host *host, void *context, const struct ys_event *event);

#endif
