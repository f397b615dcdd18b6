/* Advertising sets: several advertisements at once, and extended advertising (Core 5.4 Vol 6 Part B 4.4.2.10): longer
 * payloads, other PHYs, an end by count, a power for each.
 *
 * A host uses them if its owner gives it the memory before the start. With a controller that only knows legacy
 * advertising there is one set, and of what it asks for as much as fits is advertised; YS_EVENT_ADVERTISING_REDUCED
 * says what was lost. */
#ifndef YARNSWIFT_SETS_H
#define YARNSWIFT_SETS_H

#include <stdbool.h>
#include <stdint.h>

#include <yarnswift/advertisement.h>
#include <yarnswift/host.h>
#include <yarnswift/phy.h>

#ifdef __cplusplus
extern "C" {
#endif

/* Options that need advertising sets; `options` of a struct ys_advertising. */
struct ys_set_options {
    bool extended;      /* extended packets, which older centrals do not hear. Then a scannable set has a response and
                           no data, and a connectable one cannot be asked and has data of one packet: 238 bytes */
    bool anonymous;     /* extended beacons: without an address */
    bool include_power; /* extended: the packets tell their power */
    bool report_scan_requests; /* YS_EVENT_SCAN_REQUEST reports who scans */
    bool has_power;            /* the controller's most, unless there is: */
    int8_t power_dbm;          /* -127 to 20; the controller takes the nearest that it has */
    uint8_t primary_phy;       /* extended, enum ys_phys: YS_1M (or 0) or YS_CODED */
    uint8_t phy;               /* extended, enum ys_phys: of the packets with the payload; 0: YS_1M */
    uint8_t set_id;            /* 0 to 15, extended: by which a scanner tells the sets of a device apart */
    uint8_t events;            /* extended: the number of advertising events after which it ends; 0: without an end */
};

/* Options that a controller without extended advertising lacks. */
enum ys_set_loss {
    YS_LOST_PHY = 0x01,       /* it is on 1M */
    YS_LOST_DATA = 0x02,      /* structures that fit neither into the advertisement nor into the scan response */
    YS_LOST_ANONYMITY = 0x04, /* it sends its address */
    YS_LOST_POWER = 0x08,     /* the controller's own power, which is not told */
    YS_LOST_COUNT = 0x10,     /* it does not end after its events */
    YS_LOST_REQUESTS = 0x20,  /* who asks is not told */
    YS_LOST_INTERVAL = 0x40   /* it is 10.24 s, the longest that there is */
};

/* The additional data of an extended report. */
struct ys_extended_report {
    uint8_t primary_phy; /* enum ys_phys */
    uint8_t phy;         /* the same of its payload */
    uint8_t set_id;      /* 255: none */
    int8_t power_dbm;    /* at which it was sent; 127: not told */
    bool anonymous;      /* there is no address */
    bool truncated;      /* it was longer: a part did not come, or did not fit into YS_REPORT_SIZE */
};

/* The memory of sets. Its fields are private; the type is complete so that the owner can give it. */
struct ys_sets {
    struct ys_extra extra;
    const struct ys_sets_calls *calls;
    bool active; /* the controller has them */
    uint8_t count;
    uint8_t report_set;
    uint16_t data_max;
    uint16_t lost; /* to be told */
    uint16_t report_length;
    bool report_truncated;
    struct ys_address report_address;
    struct ys_set others[YS_SETS > 1 ? YS_SETS - 1 : 1];
    struct ys_advertising reduced;
    uint8_t reduced_data[2][YS_ADVERTISEMENT_MAX];
    uint8_t report[YS_REPORT_SIZE];
};

/* Lets a host use sets. Between ys_host_init and ys_host_start; `sets` is the host's from then on. */
void ys_host_use_sets(struct ys_host *host, struct ys_sets *sets);

/* How many sets there are, once the host is ready: at most YS_SETS; 1 with a controller that has no others. */
uint8_t ys_sets_count(const struct ys_host *host);

/* As ys_advertise and ys_advertise_stop, of set `number`, 0 to ys_sets_count - 1; that of ys_advertise is 0.
 * YS_ERROR_NOT_READY, YS_ERROR_ARGUMENT, YS_ERROR_UNSUPPORTED; YS_ERROR_NO_ROOM: there are not so many sets. */
enum ys_result ys_advertise_set(struct ys_host *host, uint8_t number, const struct ys_advertising *advertising);
enum ys_result ys_advertise_set_stop(struct ys_host *host, uint8_t number);

#ifdef __cplusplus
}
#endif

#endif
