/* Encodes events of a host for the step line: those that the workstation logs, and those that people see. */
#ifndef PORTS_STEP_EVENT_H
#define PORTS_STEP_EVENT_H

#include <yarnswift/host.h>
#include <yarnswift/link.h>
#include <yarnswift/security.h>

#define YS_STEP_EVENT_MOST 96

/* An event that has come, with what it points to. */
struct ys_step_event {
    struct ys_event event;
    struct ys_address own; /* of the device */
    struct ys_link_state link;
    char step[64];
};

/* Puts an event; false if the workstation does not need it. `own` is the device's address. */
bool ys_step_event_put(struct ys_writer *writer, const struct ys_event *event, const struct ys_address *own);

/* Gets one; false if it is none. */
bool ys_step_event_get(struct ys_reader *reader, struct ys_step_event *into);

#endif
