/* Finding and being found: advertising, scanning, connecting (Core 5.4 Vol 3 Part C). */
#ifndef YARNSWIFT_GAP_H
#define YARNSWIFT_GAP_H

#include <stdbool.h>
#include <stdint.h>

#include <yarnswift/address.h>
#include <yarnswift/result.h>

#ifdef __cplusplus
extern "C" {
#endif

struct ys_host;

/* What others may do with an advertisement. */
enum ys_advertising_kind { YS_ADVERTISE_CONNECTABLE, YS_ADVERTISE_SCANNABLE, YS_ADVERTISE_BEACON };

/* For how long a connectable device can be found: the host keeps to it by itself, across connections, disconnections
 * and failures. */
enum ys_findable {
    YS_FINDABLE_WHILE_FREE,      /* whenever another connection fits */
    YS_FINDABLE_UNTIL_CONNECTED, /* until a central has connected; YS_EVENT_ADVERTISING_ENDED tells */
    YS_FINDABLE_ALWAYS           /* also when no connection fits: others may then ask, and not connect (ADV_SCAN_IND) */
};

/* How to advertise. The payloads are advertising structures, see advertisement.h. */
struct ys_advertising {
    uint32_t interval_min_us; /* 20,000 to 10,240,000; rounded down to steps of 625 */
    uint32_t interval_max_us; /* not less; rounded down likewise */
    uint8_t kind;             /* enum ys_advertising_kind */
    uint8_t data_length;      /* 0 to 31 */
    uint8_t response_length;  /* 0 to 31; of the scan response */
    const uint8_t *data;
    const uint8_t *response;
    uint8_t findable;     /* enum ys_findable; only for YS_ADVERTISE_CONNECTABLE */
    uint8_t channels;     /* bit 0: 37, bit 1: 38, bit 2: 39; 0: all three */
    uint32_t duration_ms; /* 0: without an end; at most 2,147,483,647. YS_EVENT_ADVERTISING_ENDED tells */
};

/* How to scan. */
struct ys_scanning {
    uint32_t interval_us; /* 2,500 to 10,240,000; rounded down to steps of 625 */
    uint32_t window_us;   /* not more than the interval; rounded down likewise */
    bool active;          /* ask for scan responses */
};

/* How to connect. */
struct ys_connecting {
    uint32_t interval_us;            /* 7,500 to 4,000,000; rounded down to steps of 1,250 */
    uint16_t latency;                /* connection events that the peripheral may leave out: 0 to 499 */
    uint16_t supervision_timeout_ms; /* 100 to 32,000, more than (1 + latency) x interval x 2 */
};

/* Advertises with these settings from now on, as `findable` says, until ys_advertise_stop or the end that they set
 * themselves. `advertising` stays the caller's and must stay valid until then. May be called again to
 * change the settings. From handlers, events and the main loop.
 * YS_ERROR_NOT_READY, YS_ERROR_ARGUMENT. */
enum ys_result ys_advertise(struct ys_host *host, const struct ys_advertising *advertising);

/* Stops advertising. From the same places. YS_ERROR_NOT_READY. */
enum ys_result ys_advertise_stop(struct ys_host *host);

/* Scans with these settings, which are copied, and reports by YS_EVENT_REPORT until ys_scan_stop.
 * YS_ERROR_NOT_READY, YS_ERROR_ARGUMENT. */
enum ys_result ys_scan(struct ys_host *host, const struct ys_scanning *scanning);

/* Stops scanning. YS_ERROR_NOT_READY. */
enum ys_result ys_scan_stop(struct ys_host *host);

/* Connects as central to `peer` as soon as it is heard; YS_EVENT_CONNECTED or YS_EVENT_CONNECT_FAILED tells. Both
 * arguments are copied.
 * YS_ERROR_NOT_READY, YS_ERROR_ARGUMENT, YS_ERROR_NO_ROOM, YS_ERROR_BUSY (it is connecting already). */
enum ys_result ys_connect(struct ys_host *host, const struct ys_address *peer, const struct ys_connecting *connecting);

/* Gives up connecting; YS_EVENT_CONNECT_FAILED follows, or YS_EVENT_CONNECTED if it was too late.
 * YS_ERROR_NOT_READY. */
enum ys_result ys_connect_cancel(struct ys_host *host);

/* Ends a connection; YS_EVENT_DISCONNECTED follows. YS_ERROR_NO_CONNECTION. */
enum ys_result ys_disconnect(struct ys_host *host, uint16_t connection);

#ifdef __cplusplus
}
#endif

#endif
