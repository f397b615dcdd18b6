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

/* What others may do with an advertisement: scan, connect, or neither. */
enum ys_advertising_kind {
    YS_ADVERTISE_CONNECTABLE,
    YS_ADVERTISE_SCANNABLE,
    YS_ADVERTISE_BEACON,
    YS_ADVERTISE_DIRECTED,     /* one central may connect, and nobody else hears it: no payload */
    YS_ADVERTISE_DIRECTED_FAST /* the same every 3.75 ms, for 1.28 s; YS_EVENT_ADVERTISING_ENDED reports it */
};

/* Whom a device hears that keeps to its accept list: bits of `filter`. */
enum ys_advertising_filter {
    YS_ONLY_LISTED_ASK = 0x01,    /* who is not listed gets no scan response */
    YS_ONLY_LISTED_CONNECT = 0x02 /* who is not listed cannot connect */
};

/* For how long a connectable device can be found: the host keeps to it by itself, across connections, disconnections
 * and failures. */
enum ys_findable {
    YS_FINDABLE_WHILE_FREE,      /* whenever another connection fits */
    YS_FINDABLE_UNTIL_CONNECTED, /* until a central has connected; YS_EVENT_ADVERTISING_ENDED reports it */
    YS_FINDABLE_ALWAYS           /* also when no connection fits: others may then ask, and not connect (ADV_SCAN_IND) */
};

/* How to advertise. The payloads are advertising structures, see advertisement.h. */
struct ys_advertising {
    uint32_t interval_min_us; /* 20,000 to 10,240,000; rounded down to steps of 625 */
    uint32_t interval_max_us; /* not less; rounded down in the same way */
    uint8_t kind;             /* enum ys_advertising_kind */
    uint16_t data_length;     /* 0 to 31; more with `options` */
    uint16_t response_length; /* 0 to 31; of the scan response */
    const uint8_t *data;
    const uint8_t *response;
    uint8_t findable;       /* enum ys_findable; only for YS_ADVERTISE_CONNECTABLE */
    uint8_t channels;       /* bit 0: 37, bit 1: 38, bit 2: 39; 0: all three */
    uint32_t duration_ms;   /* 0: without end; at most 2,147,483,647. YS_EVENT_ADVERTISING_ENDED reports it */
    uint8_t filter;         /* enum ys_advertising_filter */
    struct ys_address peer; /* of the directed kinds: for whom it is */
    const struct ys_set_options *options; /* what needs a newer controller, see sets.h; may be NULL */
};

/* How to scan. */
struct ys_scanning {
    uint32_t interval_us; /* 2,500 to 10,240,000; rounded down to steps of 625 */
    uint32_t window_us;   /* not more than the interval; rounded down in the same way */
    bool active;          /* ask for scan responses */
    bool once;            /* report each advertisement once, as far as the controller remembers it */
    bool listed;          /* report only who is on the accept list */
    uint8_t phys;         /* enum ys_phys: YS_1M, YS_CODED or both; 0: YS_1M. YS_CODED needs ys_host_use_sets */
    const struct ys_report_filter *filter; /* what is reported, see advertisement.h; the caller's; NULL: all */
};

/* How to connect. */
struct ys_connecting {
    uint32_t interval_us;            /* 7,500 to 4,000,000; rounded down to steps of 1,250 */
    uint16_t latency;                /* connection events that the peripheral may leave out: 0 to 499 */
    uint16_t supervision_timeout_ms; /* 100 to 32,000, more than (1 + latency) x interval x 2 */
    bool listed;                     /* with the first that is heard of the accept list */
    uint8_t phys;                    /* as of ys_scanning */
};

/* Advertises with these settings from now on, as `findable` says, until ys_advertise_stop or the end that they set
 * themselves. `advertising` stays the caller's and must stay valid until then. May be called again to
 * change the settings: what is refused, here or by the controller (YS_EVENT_ADVERTISING_FAILED), leaves the device
 * advertising as before; so the former settings must stay valid until the new ones are on the air, or have failed.
 * From handlers, events and the main loop.
 * YS_ERROR_NOT_READY; YS_ERROR_ARGUMENT; YS_ERROR_UNSUPPORTED: they have options, and the host uses no sets. */
enum ys_result ys_advertise(struct ys_host *host, const struct ys_advertising *advertising);

/* Changes the payload of set `number` (0: that of ys_advertise; others see sets.h) while it is advertised, which goes
 * on in its rhythm and to its end: `advertising` has the same settings as before but for `data`, `response` and their
 * lengths. It may be the same struct, with other bytes. What cannot be changed so begins anew: extended sets with more
 * than 124 bytes, and extended ones that a controller only knows as legacy advertising. From the same places.
 * YS_ERROR_NOT_READY, YS_ERROR_NO_ROOM; YS_ERROR_ARGUMENT: it is not advertised, or as something else. */
enum ys_result ys_advertise_payload(struct ys_host *host, uint8_t number, const struct ys_advertising *advertising);

/* Stops advertising. From the same places. YS_ERROR_NOT_READY. */
enum ys_result ys_advertise_stop(struct ys_host *host);

/* The accept list: who may scan, connect, be reported, or be connected to, where that is restricted: `count` addresses,
 * which stay the caller's and must stay valid until the list is set again. The list is empty after each start. It
 * cannot change while it is used (Core 5.4 Vol 4 Part E 7.8.16): stop first. YS_EVENT_ACCEPT_LIST_FAILED reports that
 * the controller has no room for so many. From handlers, events and the main loop. YS_ERROR_NOT_READY, YS_ERROR_BUSY,
 * YS_ERROR_ARGUMENT. */
enum ys_result ys_accept_list_set(struct ys_host *host, const struct ys_address *peers, uint8_t count);

/* Scans with these settings, which are copied, and reports by YS_EVENT_REPORT until ys_scan_stop.
 * YS_ERROR_NOT_READY, YS_ERROR_ARGUMENT, YS_ERROR_UNSUPPORTED (a PHY needs sets, see sets.h). */
enum ys_result ys_scan(struct ys_host *host, const struct ys_scanning *scanning);

/* Stops scanning. YS_ERROR_NOT_READY. */
enum ys_result ys_scan_stop(struct ys_host *host);

/* Connects as central to `peer` as soon as it is heard (NULL if `listed`); YS_EVENT_CONNECTED or
 * YS_EVENT_CONNECT_FAILED reports it. Both arguments are copied.
 * YS_ERROR_NOT_READY, YS_ERROR_ARGUMENT, YS_ERROR_UNSUPPORTED, YS_ERROR_NO_ROOM, YS_ERROR_BUSY (it is connecting
 * already). */
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
