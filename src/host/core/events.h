/* What the firmware is told. Lines of the log are public: ys_host_log. */
#ifndef HOST_CORE_EVENTS_H
#define HOST_CORE_EVENTS_H

#include <yarnswift/host.h>

/* Calls the firmware, which may make any call but turn the host or start it: whoever walks over something meanwhile
 * looks again whether it is still there. */
void ys_emit(struct ys_host *host, const struct ys_event *event);

/* Tells of what has a connection (0: none) and a reason at most. */
void ys_emit_plain(struct ys_host *host, enum ys_event_kind kind, uint16_t connection, uint8_t reason);

#endif
