/* Outboxes and receipts: values that must all arrive, each as a whole, and what became of what was sent.
 *
 * Beside the newest value (ys_host_changed) and the stream of bytes (stream.h), an outbox is a queue of values. Each
 * is sent by itself, in order, and stays in the outbox until the peer has it. */
#ifndef YARNSWIFT_OUTBOX_H
#define YARNSWIFT_OUTBOX_H

#include <yarnswift/host.h>

#ifdef __cplusplus
extern "C" {
#endif

/* An outbox: a ring with one writer, such as an interrupt, and one reader, the host. Zero it before its first use; its
 * fields are private. */
struct ys_outbox {
    struct ys_extra extra; /* of the first outbox, for all of them */
    struct ys_stream ring;
    struct ys_outbox *next;
    uint32_t unsent;     /* where the first value lies that has not been handed to the controller; the host's */
    uint16_t connection; /* that has been given what lies before it */
    bool indicated;      /* by an indication, whose confirmation is waited for */
    bool too_long;       /* the next value does not fit the MTU, which has been logged */
};

/* Memory that an outbox needs for each value besides its own bytes; one byte more is needed in all. */
#define YS_OUTBOX_VALUE 4u
/* The memory for `count` values of `size` bytes each. */
#define YS_OUTBOX_SIZE(count, size) ((count) * (YS_OUTBOX_VALUE + (size)) + 1u)

/* Opens an outbox for a characteristic that notifies or indicates and whose definition says `outbox: true`. `memory` of
 * `size` bytes holds the values, see YS_OUTBOX_SIZE; it and the outbox stay the caller's and must stay valid as long as
 * the host is used. One client at a time gets the values, by indication if it has switched on both.
 *
 * A value leaves the outbox when the peer has it: when an indication is confirmed (Core 5.4 Vol 3 Part F 3.3.2), or
 * when the controller gives back the buffers of a notification, which it does after the peer's link layer has
 * acknowledged them (Vol 4 Part E 7.7.19). Values that had not left it when a connection ends are sent again to the
 * next subscriber, so a value can arrive twice: number the values if that matters. While nobody is subscribed values
 * wait. A value longer than the MTU allows waits until the client has agreed to a larger one; this is logged.
 *
 * Opening it again changes nothing. From handlers, events, work and the main loop, after ys_host_init.
 * YS_ERROR_ARGUMENT: the handle can neither notify nor indicate, or `size` has no room for a value of one byte. */
enum ys_result ys_outbox_open(struct ys_host *host, struct ys_outbox *outbox, uint16_t handle, void *memory,
                              uint32_t size);

/* Puts in a value of `length` bytes, 0 to 512, which is copied; false if there is no room for it now (counted), if it
 * never fits, or if the outbox is not open. Safe from one interrupt, or one thread, at a time, and from everywhere else
 * while that cannot come. */
bool ys_outbox_put(struct ys_outbox *outbox, const void *value, uint32_t length);

/* How many values of `length` bytes fit now, none before it is open. From where ys_outbox_put may be called. */
uint32_t ys_outbox_room(const struct ys_outbox *outbox, uint32_t length);

/* Whether all values have arrived. From where ys_outbox_put may be called. */
bool ys_outbox_is_empty(const struct ys_outbox *outbox);

/* How many values have been refused since it was opened; wraps at 2^32. From anywhere. */
uint32_t ys_outbox_refused(const struct ys_outbox *outbox);

/* One notification or indication that is under way. Private. */
struct ys_receipt {
    uint16_t connection;
    uint16_t handle;
    uint16_t mark; /* what it waits for */
    uint8_t kind;  /* enum ys_notification_kind */
    bool told;     /* that it was sent */
};

/* Receipts. Private. */
struct ys_receipts {
    struct ys_extra extra;
    struct ys_receipt *receipts;
    uint8_t size;
    uint8_t count;
};

/* Makes the host report when each notification and indication is sent and has arrived, also of outboxes but not of
 * streams: YS_EVENT_SENT when it has been handed to the controller, and YS_EVENT_ARRIVED when the peer has it, as told
 * at ys_outbox_open. No YS_EVENT_ARRIVED comes for what was under way when a connection ended. `memory` has room for
 * `size` of them, 1 to 255; no more are under way at once, so it also limits how fast values are sent: as many as the
 * controller has buffers is enough. Each is then sent in a PDU of its own. Both blocks of memory stay the caller's and
 * must stay valid as long as the host is used. After ys_host_init, before ys_host_start. YS_ERROR_ARGUMENT: there is no
 * memory. */
enum ys_result ys_host_use_receipts(struct ys_host *host, struct ys_receipts *receipts, struct ys_receipt *memory,
                                    uint8_t size);

#ifdef __cplusplus
}
#endif

#endif
