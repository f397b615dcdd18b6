/* What clients know of the table that they keep. */
#ifndef HOST_GATT_SERVER_CACHING_H
#define HOST_GATT_SERVER_CACHING_H

#include <yarnswift/host.h>

#include "wire/att.h"

/* The change-aware state of a client with robust caching; the comment at the top of caching.c draws it. */
enum awareness { AWARE, UNAWARE, TOLD };

/* The handle of a value of the GATT service; 0 if there is none. */
enum caching_value { YS_CACHING_CHANGED = 0x2a05, YS_CACHING_HASH = 0x2b2a };
uint16_t ys_caching_find(const struct ys_host *host, enum caching_value type);
/* The table is not what this client knew. */
void ys_caching_changed(struct ys_host *host, struct ys_connection *connection);
/* Before a PDU of a client is done: the error of a request that must not be done, or YS_ATT_OK. */
uint8_t ys_caching_check(struct ys_connection *connection, const struct ys_att_pdu *pdu);
/* A client has confirmed an indication. */
void ys_caching_confirmed(const struct ys_host *host, struct ys_connection *connection);
/* Whether the value of a handle may be sent to a client: a change-unaware client gets only the indication of Service
 * Changed. */
bool ys_caching_allows(const struct ys_host *host, const struct ys_connection *connection, uint16_t handle);

#endif
