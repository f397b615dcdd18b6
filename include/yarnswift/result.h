/* Results of the host's functions. */
#ifndef YARNSWIFT_RESULT_H
#define YARNSWIFT_RESULT_H

#ifdef __cplusplus
extern "C" {
#endif

/* What a call returns: that all is well, or why nothing was done. ys_result_text has each in words. */
enum ys_result {
    YS_OK = 0,
    YS_ERROR_CONFIGURATION,     /* library and firmware were compiled with different sizes, see config.h */
    YS_ERROR_PORT_SEND,         /* the port has no `send` */
    YS_ERROR_PORT_RECEIVE,      /* the port has no `receive` */
    YS_ERROR_PORT_CLOCK,        /* the port has no `now_ms` */
    YS_ERROR_PORT_RANDOM,       /* the port has no `random`, and a random address is wanted */
    YS_ERROR_PORT_CRITICAL,     /* the port has no `enter_critical` or no `leave_critical` */
    YS_ERROR_PORT_CIPHER,       /* the port has no `encrypt`, which pairing needs */
    YS_ERROR_PORT_CURVE,        /* the port has none or only a part of the curve, which LE Secure Connections need */
    YS_ERROR_PORT_STORE,        /* the port has one of store_put, store_get and store_delete, but not all;
                                   or none, and peers are to be remembered */
    YS_ERROR_TABLE,             /* there is no attribute table */
    YS_ERROR_TABLE_NOTIFIABLES, /* the table has more notifying characteristics than YS_NOTIFIABLES */
    YS_ERROR_TABLE_VALUES,      /* the table stores values, and no memory is given for them */
    YS_ERROR_NOT_READY,         /* the host has not been started, or its start has not succeeded yet */
    YS_ERROR_ARGUMENT,          /* an argument is out of its range */
    YS_ERROR_NO_CONNECTION,     /* there is no such connection */
    YS_ERROR_UNSUPPORTED,       /* it needs one of ys_host_use_sets, _pairing, _links and _channels, see there */
    YS_ERROR_NO_ROOM,           /* no more connections fit, see YS_CONNECTIONS; or no more sets */
    YS_ERROR_BUSY,              /* the same is already going on */
    YS_ERROR_TOO_LATE,          /* it was answered already, or the connection has ended */
    YS_ERROR_NOT_SUBSCRIBED,    /* the other side has not subscribed to it, or it cannot be subscribed to */
    YS_ERROR_CONTEXT            /* it was called from where it is not allowed; only found if YS_DEBUG is 1 */
};

/* The meaning of a result, with a remedy, in one line; never NULL. From any context. */
const char *ys_result_text(enum ys_result result);

#ifdef __cplusplus
}
#endif

#endif
