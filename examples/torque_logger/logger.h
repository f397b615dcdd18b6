/* The firmware of the Torvane L1. */
#ifndef LOGGER_H
#define LOGGER_H

#include <yarnswift/remote.h>

#include "torque_logger_table.h"
#include "torque_wrench_client.h"

struct logger {
    struct ys_host *host;
    struct ys_remote wrench;
    struct ys_remote_settings settings;
    struct ys_remote_place places[TORQUE_WRENCH_CLIENT_PLACES];
    uint8_t memory[2 * 7]; /* of the longest value, a result */
    uint16_t bolts;
    int16_t greatest; /* 0.1 N m */
    uint16_t preset;  /* 0.1 N m */
    bool preset_said; /* somebody has; else the wrench keeps its own */
};

void logger_init(struct logger *logger, struct ys_host *host);

/* Events of the host; `context` is the logger. */
void logger_event(struct ys_host *host, void *context, const struct ys_event *event);

#endif
