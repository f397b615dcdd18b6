/* The firmware of the Torvane L1. */
#ifndef LOGGER_H
#define LOGGER_H

#include <yarnswift/client.h>
#include <yarnswift/host.h>

#include "torque_logger_table.h"

/* What it wants of a wrench. */
enum logger_value { LOGGER_RESULT, LOGGER_PRESET, LOGGER_VALUES };

/* How far it has come with a wrench. */
enum logger_stage { LOGGER_SEARCHES, LOGGER_CONNECTS, LOGGER_DISCOVERS, LOGGER_SUBSCRIBES, LOGGER_LISTENS };

struct logger {
    struct ys_host *host;
    enum logger_stage stage;
    uint16_t wrench;                  /* its connection */
    struct ys_client_request request; /* one at a time */
    uint16_t handles[LOGGER_VALUES];  /* of values */
    uint16_t configuration;           /* of the result */
    uint16_t described;               /* the value whose descriptors are being discovered */
    uint16_t bolts;
    int16_t greatest;        /* 0.1 N m */
    uint16_t preset;         /* 0.1 N m; 0: nobody has said */
    uint8_t preset_bytes[2]; /* on its way */
    bool preset_due;
    bool writing; /* it, to the wrench */
};

void logger_init(struct logger *logger, struct ys_host *host);

/* Events of the host; `context` is the logger. */
void logger_event(struct ys_host *host, void *context, const struct ys_event *event);

#endif
