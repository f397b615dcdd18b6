/* Notifications and indications, sent. */
#ifndef HOST_GATT_SERVER_NOTIFY_H
#define HOST_GATT_SERVER_NOTIFY_H

#include <yarnswift/host.h>

/* Sends what is pending: one value, or several in one, where the client takes them so; false if there is none or no
 * room. */
bool ys_notify_run(struct ys_host *host, struct ys_connection *connection);
/* Ends a connection whose peer has not confirmed the indication that waits, if its time is over. */
void ys_notify_check(struct ys_host *host, struct ys_connection *connection, uint32_t now_ms);
/* The peer has confirmed the last indication. */
void ys_notify_confirmed(const struct ys_host *host, struct ys_connection *connection);

#endif
