/* The stored state of a bonded client. Known to a host only once there is a bond. */
#ifndef HOST_GATT_SERVER_REMEMBERED_H
#define HOST_GATT_SERVER_REMEMBERED_H

#include <yarnswift/host.h>

/* Lets a host store the subscriptions of bonded clients, if its port has a store. */
void ys_remembered_use(struct ys_host *host);
/* The link is encrypted with the key of this bond, from 1: the stored state of the client is restored. */
void ys_remembered_load(struct ys_host *host, struct ys_connection *connection, uint8_t peer);
/* The bond is no more. */
void ys_remembered_forget(const struct ys_host *host, uint8_t peer);

#endif
