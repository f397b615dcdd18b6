/* A response that is being composed: common parts of the server. */
#ifndef HOST_GATT_SERVER_ANSWER_H
#define HOST_GATT_SERVER_ANSWER_H

#include <yarnswift/host.h>

#include "wire/att.h"

struct answer {
    struct ys_host *host;
    struct ys_connection *connection;
    const struct ys_att_pdu *request;
    struct ys_writer writer; /* of the response, in the connection's own memory */
    uint16_t handle;         /* the attribute in error */
};

/* Composes the response to one kind of request, or returns the error that is sent instead. */
typedef uint8_t answer_fn(struct answer *answer);

/* Puts the opcode that answers the request. */
void ys_answer_begin(struct answer *answer);

/* Bytes that still fit. */
size_t ys_answer_room(const struct answer *answer);

#endif
