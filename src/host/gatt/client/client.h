/* Common parts of the client: a procedure provides its next request, and handles the response. */
#ifndef HOST_GATT_CLIENT_CLIENT_H
#define HOST_GATT_CLIENT_CLIENT_H

#include <yarnswift/host.h>

#include "wire/att.h"

/* What an answer does to its procedure. */
enum ys_next {
    YS_NEXT_DONE,
    YS_NEXT_ASK,
    YS_NEXT_MALFORMED, /* the bearer ends */
    YS_NEXT_CANCELLED, /* what came back was not what was sent; the bearer goes on */
    YS_NEXT_TOO_LONG,
    YS_NEXT_REFUSED
};

struct ys_procedure {
    bool command; /* it is done once it is sent */
    void (*ask)(const struct ys_connection *connection, const struct ys_client_request *request,
                struct ys_att_pdu *pdu);
    enum ys_next (*answer)(struct ys_connection *connection, struct ys_client_request *request,
                           const struct ys_att_pdu *pdu);
    /* An error instead of an answer: an end that was to be expected, or a refusal; NULL: always a refusal. */
    enum ys_next (*error)(struct ys_client_request *request, uint8_t error);
};

/* Whether a request may be begun; makes it ready for that. */
enum ys_result ys_client_prepare(struct ys_client_request *request);
/* Puts a request at the end of its connection's list. */
enum ys_result ys_client_begin(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                               const struct ys_procedure *procedure);

#endif
