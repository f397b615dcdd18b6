/* A remote device, as a central uses it: it is found, connected to and discovered, what was named is subscribed to, and
 * after a loss it is looked for again.
 *
 *   idle --ys_remote_search--> searches --heard--> connects --> discovers --> subscribes --> ready
 *                                 ^------------- lost, or not the right one ---------------+
 *
 * What it is like comes from its definition: `yarnswift generate --for client` writes a struct ys_remote_plan, an index
 * for each characteristic, and functions that put and get its values. */
#ifndef YARNSWIFT_REMOTE_H
#define YARNSWIFT_REMOTE_H

#include <yarnswift/advertisement.h>
#include <yarnswift/host.h>

#ifdef __cplusplus
extern "C" {
#endif

/* A characteristic of a remote device, by the UUIDs of its service and its own. */
struct ys_remote_item {
    struct ys_uuid service;
    struct ys_uuid uuid;
};

/* A remote device: its items, and how it is recognised. */
struct ys_remote_plan {
    const struct ys_remote_item *items;
    const struct ys_report_filter *filter;
    uint8_t count;
};

/* Where a characteristic was found. Private. */
struct ys_remote_place {
    uint16_t value; /* its handle; 0: it was not found */
    uint16_t configuration;
    uint16_t last; /* handle of its service, then of its own */
    uint16_t first;
    uint8_t properties;
};

struct ys_remote;

/* What of a remote device is wanted, and who is told. Pointers are the caller's, and must stay valid. */
struct ys_remote_settings {
    const struct ys_remote_plan *plan;
    struct ys_remote_place *places; /* memory for plan->count of them */
    const uint8_t *subscribe;       /* indices of characteristics whose values are wanted; they must be there */
    uint8_t subscribe_count;
    uint8_t *memory;                        /* for values that are read or written: twice `size` bytes */
    uint16_t size;                          /* the longest of them; 0 if there are none */
    const struct ys_scanning *scanning;     /* NULL: half of the time on 1M. Without a filter, the plan's counts */
    const struct ys_connecting *connecting; /* NULL: 50 ms, 2 s of supervision; by itself on the PHYs of the scanning */
    void *context;                          /* the caller's, see ys_remote_context */
    /* It can be used from now on; or no longer, and is looked for again. May be NULL, as may the others. */
    void (*on_ready)(struct ys_remote *remote, bool ready);
    /* A value has come, by a subscription or by ys_remote_read: `item` is the index of its characteristic. Its bytes
     * are there until the next call with this remote. */
    void (*on_value)(struct ys_remote *remote, uint8_t item, struct ys_reader *value);
    /* A read or a write has failed: enum ys_att_error; or of a write to its end, YS_ATT_OK. */
    void (*on_done)(struct ys_remote *remote, uint8_t item, uint8_t error);
};

/* States of a remote. */
enum ys_remote_state {
    YS_REMOTE_IDLE,
    YS_REMOTE_SEARCHES,
    YS_REMOTE_CONNECTS,
    YS_REMOTE_DISCOVERS,
    YS_REMOTE_SUBSCRIBES,
    YS_REMOTE_READY
};

/* A remote device, in memory of its owner. Its fields are private. */
struct ys_remote {
    struct ys_host *host;
    const struct ys_remote_settings *settings;
    struct ys_client_request request;
    struct ys_work patience;
    struct ys_address peer;
    struct ys_address wrong; /* that was none of these devices, and is left alone for a while */
    uint32_t wrong_until_ms;
    uint16_t connection;
    struct ys_remote_place changed; /* its Service Changed */
    uint8_t hash[16];               /* of the table in which the places were found */
    bool hashed;
    bool has_hash; /* the table that is being discovered */
    uint8_t hash_read[16];
    uint8_t state; /* enum ys_remote_state */
    uint8_t next;  /* of what is subscribed to */
    uint8_t item;  /* that is read or written */
    uint8_t busy;
    uint8_t waiting; /* item of a write that waits; and its length */
    uint16_t waiting_length;
    bool waits;
    bool outdated; /* the table has changed */
    bool cancels;  /* it was stopped while it connected */
    bool ends;     /* it was stopped while it was connected */
};

/* Makes a remote of this host, before any other call with it. The settings and what they point to must stay valid as
 * long as the host is used. After ys_host_init. YS_ERROR_ARGUMENT: there is no plan or no place, or something that is
 * subscribed to is not in the plan. */
enum ys_result ys_remote_init(struct ys_host *host, struct ys_remote *remote,
                              const struct ys_remote_settings *settings);

/* Looks for the device, from now on and after each loss, until ys_remote_stop. One remote of a host searches at a time,
 * with the host's one scanning. A host that is not ready yet begins with it once it is. From events, handlers, work and
 * the main loop, after ys_remote_init. YS_ERROR_UNSUPPORTED (a PHY needs sets), YS_ERROR_ARGUMENT (of the scanning),
 * YS_ERROR_BUSY: it does so already, or the connection that was stopped has not ended yet. */
enum ys_result ys_remote_search(struct ys_remote *remote);

/* Ends its connection, if there is one, and does not look for it any more; on_ready is not called for that. From the
 * same places. */
void ys_remote_stop(struct ys_remote *remote);

/* Has it know of an event: call it first in the host's event handler, with each event. True if the event was about this
 * remote, and there is nothing more to do. */
bool ys_remote_event(struct ys_remote *remote, const struct ys_event *event);

/* Writes a value, `length` bytes that are copied: with a response, or where the characteristic only takes commands,
 * without. While one is under way another one waits, and is replaced by a newer one for the same characteristic.
 * From the same places. YS_ERROR_NOT_READY: it is not there; YS_ERROR_ARGUMENT: it has no such characteristic, or the
 * value is longer than the memory for it; YS_ERROR_BUSY: one for another characteristic waits already. */
enum ys_result ys_remote_write(struct ys_remote *remote, uint8_t item, const void *value, uint16_t length);

/* Reads a value, which comes by on_value. From the same places. YS_ERROR_NOT_READY, YS_ERROR_ARGUMENT; YS_ERROR_BUSY:
 * something is read or written already. */
enum ys_result ys_remote_read(struct ys_remote *remote, uint8_t item);

/* Whether it can be used; whether it has this characteristic, where it can be; its connection, for other calls. From
 * the same places. */
bool ys_remote_is_ready(const struct ys_remote *remote);
bool ys_remote_has(const struct ys_remote *remote, uint8_t item);
uint16_t ys_remote_connection(const struct ys_remote *remote);

/* The context of its settings. From any context. */
void *ys_remote_context(const struct ys_remote *remote);

#ifdef __cplusplus
}
#endif

#endif
