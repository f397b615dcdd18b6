/* The GATT client (Core 5.4 Vol 3 Part G 4): discover, read, write, subscribe.
 *
 * Each procedure takes a request, which is the caller's memory and belongs to the host until `on_done` is called;
 * there it may be used again at once. Requests of one connection run one after the other, in order. All functions
 * may be called from events, handlers and the main loop, not from an interrupt. They return YS_ERROR_NO_CONNECTION,
 * YS_ERROR_BUSY (the request is already waiting) or YS_ERROR_ARGUMENT; then `on_done` is not called. */
#ifndef YARNSWIFT_CLIENT_H
#define YARNSWIFT_CLIENT_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <yarnswift/result.h>
#include <yarnswift/uuid.h>

#ifdef __cplusplus
extern "C" {
#endif

struct ys_host;

/* How a request ended. */
enum ys_outcome {
    YS_OUTCOME_DONE,
    YS_OUTCOME_REFUSED,     /* the server answered with `error` */
    YS_OUTCOME_MALFORMED,   /* the server's answer did not fit the question; the host ends the connection */
    YS_OUTCOME_TOO_LONG,    /* a value was longer than the buffer, which holds its beginning */
    YS_OUTCOME_TIMEOUT,     /* no answer for 30 s (Vol 3 Part F 3.3.3); the host ends the connection */
    YS_OUTCOME_DISCONNECTED /* the connection ended first */
};

/* Kinds of items that a discovery finds. */
enum ys_found_kind { YS_FOUND_SERVICE, YS_FOUND_CHARACTERISTIC, YS_FOUND_DESCRIPTOR, YS_FOUND_INCLUDE };

/* Something that was discovered. */
struct ys_found {
    uint8_t kind;          /* enum ys_found_kind */
    uint8_t properties;    /* characteristic: enum ys_property */
    uint16_t handle;       /* of the declaration or descriptor */
    uint16_t value_handle; /* characteristic: of its value; include: the first of the included service */
    uint16_t last_handle;  /* service: the last of its group; include: the last of the included service */
    struct ys_uuid uuid;   /* include: the included service's, if it has 16 bits, or else of length 0 */
};

/* One of several values that are written together. */
struct ys_client_part {
    uint16_t handle;
    uint16_t length;
    const uint8_t *value;
};

/* The result of a discovery, kept for the next connection, in the caller's memory. Zero it before its first use but
 * for the first two; it may be stored and loaded as it is, with its items. */
struct ys_client_cache {
    struct ys_found *items;
    uint16_t capacity; /* how many there is room for */
    uint16_t count;
    bool complete; /* the items are all there is after a server with this hash */
    uint8_t hash[16];
};

struct ys_client_request;
struct ys_procedure; /* private */

/* A procedure has ended; `request` is the caller's again. Called from ys_host_run. */
typedef void ys_client_done(struct ys_client_request *request);

/* Something was found; valid during the call. Called from ys_host_run. */
typedef void ys_client_item(struct ys_client_request *request, const struct ys_found *found);

/* A procedure that waits or runs. Zero it before its first use. Set the first three before the call; read the next
 * three in `on_done`. */
struct ys_client_request {
    void *context;           /* the caller's */
    ys_client_done *on_done; /* must be set */
    ys_client_item *on_item; /* for discoveries; must be set for them */

    uint8_t outcome; /* enum ys_outcome */
    uint8_t error;   /* YS_OUTCOME_REFUSED: the ATT error */
    uint16_t length; /* of the value read; after an MTU exchange: the MTU */

    /* private from here on */
    struct ys_client_request *next;
    const struct ys_procedure *procedure;
    uint16_t connection;
    uint16_t handle;
    uint16_t last;
    uint16_t size;
    uint8_t step;
    uint8_t opcode;
    bool waiting;
    bool value_next;
    bool mended; /* it was refused for want of security, and asked again */
    bool only_uuid;
    uint8_t refusal; /* of a queued write, while the queue is cancelled */
    uint16_t part;
    uint16_t part_count;
    uint16_t written; /* of the part */
    uint8_t *buffer;
    const uint16_t *handles;
    const struct ys_client_part *parts;
    struct ys_client_cache *cache;
    struct ys_client_part own_part;
    struct ys_uuid uuid;
};

/* Agrees on the MTU; at most once a connection (Vol 3 Part F 3.4.2.1). The outcome has it in `length`. */
enum ys_result ys_client_exchange_mtu(struct ys_host *host, uint16_t connection, struct ys_client_request *request);

/* Discovers everything: each primary service, then each include, each characteristic, and each descriptor, by
 * `on_item`. */
enum ys_result ys_client_discover(struct ys_host *host, uint16_t connection, struct ys_client_request *request);

/* The same, but where the server's database hash (Vol 3 Part G 7.3) is the cache's, all is told from the cache, after
 * one round trip. Else everything is discovered, and kept if it fits. A server without a hash is discovered each time.
 * The cache must stay valid until `on_done`. */
enum ys_result ys_client_discover_cached(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                                         struct ys_client_cache *cache);

/* Finds the primary services with this UUID, by `on_item`; their `uuid` is the one asked for. */
enum ys_result ys_client_find_service(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                                      const struct ys_uuid *uuid);

/* Finds the characteristics of this type within the handles, by `on_item`. */
enum ys_result ys_client_find_characteristics(struct ys_host *host, uint16_t connection,
                                              struct ys_client_request *request, const struct ys_uuid *uuid,
                                              uint16_t first, uint16_t last);

/* Reads a value, however long, to `buffer` of `size` bytes, which must stay valid until `on_done`. */
enum ys_result ys_client_read(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                              uint16_t handle, uint8_t *buffer, uint16_t size);

/* Reads the first characteristic of this type within the handles, as far as one answer holds it. */
enum ys_result ys_client_read_by_uuid(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                                      const struct ys_uuid *uuid, uint16_t first, uint16_t last, uint8_t *buffer,
                                      uint16_t size);

/* Reads `count` (2 or more, as many as fit the MTU) values at once, as far as one answer holds them: each in `buffer`
 * after its length in two bytes, the least significant first; the last may be cut off. `handles` must stay valid until
 * `on_done`. YS_OUTCOME_REFUSED with YS_ATT_REQUEST_NOT_SUPPORTED: read them one by one. */
enum ys_result ys_client_read_multiple(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                                       const uint16_t *handles, uint16_t count, uint8_t *buffer, uint16_t size);

/* Writes a value and waits for the answer; `value` must stay valid until `on_done`. What is longer than MTU - 3 is
 * queued in parts and then executed (Vol 3 Part G 4.9.4). */
enum ys_result ys_client_write(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                               uint16_t handle, const uint8_t *value, uint16_t length);

/* Writes several values together, all or none, and checks that each came across as it was sent (Vol 3 Part G 4.9.5);
 * `parts` and their values must stay valid until `on_done`. YS_OUTCOME_MALFORMED: one did not, and none was written. */
enum ys_result ys_client_write_reliable(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                                        const struct ys_client_part *parts, uint16_t count);

/* Writes at most MTU - 3 bytes without an answer: done as soon as it is handed to the controller. Otherwise the same.
 */
enum ys_result ys_client_write_command(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                                       uint16_t handle, const uint8_t *value, uint16_t length);

/* Values of a client characteristic configuration, as ys_client_subscribe writes them (Vol 3 Part G 3.3.3.3). */
enum ys_subscription { YS_SUBSCRIBE_NONE = 0, YS_SUBSCRIBE_NOTIFICATIONS = 1, YS_SUBSCRIBE_INDICATIONS = 2 };

/* Writes the client configuration at `handle`; values then come by YS_EVENT_NOTIFICATION. */
enum ys_result ys_client_subscribe(struct ys_host *host, uint16_t connection, struct ys_client_request *request,
                                   uint16_t handle, enum ys_subscription subscription);

#ifdef __cplusplus
}
#endif

#endif
