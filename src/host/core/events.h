/* Events of the firmware. Lines of the log are public: ys_host_log. */
#ifndef HOST_CORE_EVENTS_H
#define HOST_CORE_EVENTS_H

#include <yarnswift/host.h>

/* Calls the firmware, which may make any call except ys_host_run and ys_host_start. Code that iterates over something
 * has to check afterwards whether it still exists. */
void ys_emit(struct ys_host *host, const struct ys_event *event);

/* Emits an event that has at most a connection (0: none) and a reason. */
void ys_emit_plain(struct ys_host *host, enum ys_event_kind kind, uint16_t connection, uint8_t reason);

#endif
