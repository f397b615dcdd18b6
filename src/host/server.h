/* What the parts of the server share: one request being answered. */
#ifndef HOST_SERVER_H
#define HOST_SERVER_H

#include "host/internal.h"

struct answer {
    struct ys_host *host;
    struct ys_connection *connection;
    const struct ys_att_pdu *request;
    struct ys_writer writer; /* of the response, in the connection's own memory */
    uint16_t handle;         /* the attribute in error */
};

/* Composes the response to one kind of request, or returns the error that is sent instead. */
typedef uint8_t answer_fn(struct answer *answer);

/* find.c: what there is */
answer_fn ys_server_find_information;
answer_fn ys_server_find_by_type_value;
answer_fn ys_server_read_by_type;

/* access.c: values */
answer_fn ys_server_read;
answer_fn ys_server_read_blob;
answer_fn ys_server_read_multiple;
answer_fn ys_server_write;
answer_fn ys_server_write_command;
answer_fn ys_server_prepare_write;
answer_fn ys_server_execute_write;

/* Puts the opcode that answers the request. */
void ys_answer_begin(struct answer *answer);

/* Bytes that still fit. */
size_t ys_answer_room(const struct answer *answer);

/* queue.c: writes that wait for their execution, of all connections in one memory */

/* Adds a part of a value; YS_ATT_PREPARE_QUEUE_FULL if there is no room, or if this queue would hold more than one
 * value that only the firmware can take. */
uint8_t ys_queue_add(struct ys_host *host, const struct ys_connection *connection, const struct ys_att_pdu *request);

/* Does all that a connection has queued, or nothing: returns the error of the first that cannot be done, and its
 * handle. YS_LATER leaves the queue as it is, until ys_queue_finish. */
uint8_t ys_queue_execute(struct ys_host *host, struct ys_connection *connection, uint16_t *handle);

/* Does what the firmware has no say in. */
void ys_queue_finish(struct ys_host *host, struct ys_connection *connection);

/* Forgets what a connection has queued. */
void ys_queue_cancel(struct ys_host *host, const struct ys_connection *connection);

/* Keeps a command until ys_answer is called with the token. False if there is no room. */
bool ys_queue_hold(struct ys_host *host, const struct ys_connection *connection, uint32_t token,
                   const struct ys_att_pdu *request);

/* A command that waits under this token was consented to, or refused. False if there is none. */
bool ys_queue_consent(struct ys_host *host, uint32_t token, bool good);

/* Takes a command out that was consented to; its value is valid until the next call. False if there is none. */
bool ys_queue_take(struct ys_host *host, const struct ys_connection *connection, struct ys_att_pdu *command);

#endif
