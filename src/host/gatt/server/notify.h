/* Notifications and indications, sent. */
#ifndef HOST_GATT_SERVER_NOTIFY_H
#define HOST_GATT_SERVER_NOTIFY_H

#include <yarnswift/host.h>

/* Sends pending values: one, or several in one PDU where the client supports that; false if nothing is pending or there
 * is no room. */
bool ys_notify_run(struct ys_host *host, struct ys_connection *connection);
/* Whether notifications and indications can be sent on a connection now, if the link has room. */
bool ys_notify_may(const struct ys_host *host, const struct ys_connection *connection);
/* Sends one that is sealed in host->outgoing. */
void ys_notify_send(struct ys_host *host, struct ys_connection *connection, uint16_t handle, bool indicate);
/* What a notification that has just been sent waits for, and whether the peer has it: its packets have come back from
 * the controller (Core 5.4 Vol 4 Part E 7.7.19), or it has confirmed an indication (Vol 3 Part F 3.3.2). */
uint16_t ys_notify_mark(const struct ys_connection *connection);
bool ys_notify_has_arrived(const struct ys_connection *connection, uint16_t handle, bool indicated, uint16_t mark);
/* Disconnects a peer that has not confirmed an indication in time. */
void ys_notify_check(struct ys_host *host, struct ys_connection *connection, uint32_t now_ms);
/* The peer has confirmed the last indication. */
void ys_notify_confirmed(const struct ys_host *host, struct ys_connection *connection);

#endif
