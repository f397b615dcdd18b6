/* Writes that wait: for their execution, or for consent; of all connections in one memory. */
#ifndef HOST_GATT_SERVER_QUEUE_H
#define HOST_GATT_SERVER_QUEUE_H

#include <yarnswift/host.h>

#include "wire/att.h"

/* Adds a part of a value; YS_ATT_PREPARE_QUEUE_FULL if there is no room, or if this queue would hold more than one
 * value that only the firmware can take. */
uint8_t ys_queue_add(struct ys_host *host, const struct ys_connection *connection, const struct ys_att_pdu *request);

/* Executes all queued writes of a connection, or none: returns the error of the first that fails, and its handle.
 * YS_LATER leaves the queue as it is, until ys_queue_finish. */
uint8_t ys_queue_execute(struct ys_host *host, struct ys_connection *connection, uint16_t *handle);

/* Does what the firmware has no say in. */
void ys_queue_finish(struct ys_host *host, struct ys_connection *connection);

/* Forgets what a connection has queued. */
void ys_queue_cancel(struct ys_host *host, struct ys_connection *connection);

/* Keeps a command until ys_answer is called with the token. False if there is no room. */
bool ys_queue_hold(struct ys_host *host, const struct ys_connection *connection, uint32_t token,
                   const struct ys_att_pdu *request);

/* The write command that waits under this token has got consent, or was refused. False if no command waits under it. */
bool ys_queue_consent(struct ys_host *host, uint32_t token, bool good);

/* Removes a command that has got consent; its value is valid until the next call. False if there is none. */
bool ys_queue_take(struct ys_host *host, const struct ys_connection *connection, struct ys_att_pdu *command);

/* Forgets all writes of a connection that has ended. */
void ys_queue_forget(struct ys_host *host, const struct ys_connection *connection);

#endif
