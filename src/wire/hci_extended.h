/* HCI commands and events of extended advertising (Core 5.4 Vol 4 Part E 7.8.52 to 7.8.66, 7.7.65.13 to 7.7.65.19), for
 * both sides of the interface. */
#ifndef WIRE_HCI_EXTENDED_H
#define WIRE_HCI_EXTENDED_H

#include "wire/hci.h"

enum ys_hci_extended_opcode {
    YS_HCI_LE_SET_SET_ADDRESS = 0x2035, /* LE Set Advertising Set Random Address */
    YS_HCI_LE_SET_EXTENDED_ADVERTISING_PARAMETERS = 0x2036,
    YS_HCI_LE_SET_EXTENDED_ADVERTISING_DATA = 0x2037,
    YS_HCI_LE_SET_EXTENDED_SCAN_RESPONSE_DATA = 0x2038,
    YS_HCI_LE_SET_EXTENDED_ADVERTISING_ENABLE = 0x2039,
    YS_HCI_LE_READ_ADVERTISING_DATA_MAX = 0x203a,
    YS_HCI_LE_READ_ADVERTISING_SETS = 0x203b,
    YS_HCI_LE_REMOVE_ADVERTISING_SET = 0x203c,
    YS_HCI_LE_CLEAR_ADVERTISING_SETS = 0x203d,
    YS_HCI_LE_SET_EXTENDED_SCAN_PARAMETERS = 0x2041,
    YS_HCI_LE_SET_EXTENDED_SCAN_ENABLE = 0x2042,
    YS_HCI_LE_EXTENDED_CREATE_CONNECTION = 0x2043
};

enum ys_hci_extended_event {
    YS_HCI_LE_EXTENDED_ADVERTISING_REPORT = 0x0d,
    YS_HCI_LE_SCAN_TIMEOUT = 0x11,
    YS_HCI_LE_ADVERTISING_SET_TERMINATED = 0x12,
    YS_HCI_LE_SCAN_REQUEST_RECEIVED = 0x13
};

/* Bits of the LE event mask, and of the LE features (Vol 6 Part B 4.6). */
#define YS_HCI_LE_EVENT_MASK_EXTENDED (UINT64_C(1) << 12 | UINT64_C(1) << 16 | UINT64_C(1) << 17 | UINT64_C(1) << 18)
#define YS_HCI_LE_FEATURE_ENCRYPTION  (UINT64_C(1) << 0)
#define YS_HCI_LE_FEATURE_PRIVACY     (UINT64_C(1) << 6)
#define YS_HCI_LE_FEATURE_2M          (UINT64_C(1) << 8)
#define YS_HCI_LE_FEATURE_CODED       (UINT64_C(1) << 11)
#define YS_HCI_LE_FEATURE_EXTENDED    (UINT64_C(1) << 12)
#define YS_HCI_LE_FEATURE_CHANNELS_2  (UINT64_C(1) << 14)

/* Bits of what a set is. */
enum ys_hci_set_properties {
    YS_HCI_SET_CONNECTABLE = 0x01,
    YS_HCI_SET_SCANNABLE = 0x02,
    YS_HCI_SET_DIRECTED = 0x04,
    YS_HCI_SET_FAST = 0x08, /* directed, high duty cycle */
    YS_HCI_SET_LEGACY = 0x10,
    YS_HCI_SET_ANONYMOUS = 0x20,
    YS_HCI_SET_POWER = 0x40 /* the packets tell their power */
};

/* The PHYs as commands and reports number them. */
enum ys_hci_phy { YS_HCI_PHY_NONE = 0, YS_HCI_PHY_1M = 1, YS_HCI_PHY_2M = 2, YS_HCI_PHY_CODED = 3 };

/* No wish for a power, and a power that is not known. */
#define YS_HCI_POWER_NONE 127

/* LE Set Extended Advertising Parameters (Vol 4 Part E 7.8.53); intervals in steps of 0.625 ms. */
struct ys_hci_set {
    uint8_t handle;
    uint16_t properties; /* enum ys_hci_set_properties */
    uint32_t interval_min;
    uint32_t interval_max;
    uint8_t channels;
    uint8_t own_address_type;
    struct ys_address peer;
    uint8_t filter;
    int8_t power_dbm; /* -127 to 20, YS_HCI_POWER_NONE */
    uint8_t primary_phy;
    uint8_t max_skip;
    uint8_t secondary_phy;
    uint8_t set_id;
    uint8_t tell_requests;
};

enum ys_hci_operation {
    YS_HCI_FRAGMENT_MIDDLE = 0,
    YS_HCI_FRAGMENT_FIRST = 1,
    YS_HCI_FRAGMENT_LAST = 2,
    YS_HCI_FRAGMENT_WHOLE = 3
};

#define YS_HCI_FRAGMENT_MAX 251

/* LE Set Extended Advertising Data and Scan Response Data (Vol 4 Part E 7.8.54, 7.8.55). */
struct ys_hci_fragment {
    uint8_t handle;
    uint8_t operation; /* enum ys_hci_operation */
    uint8_t length;
    const uint8_t *data;
};

/* A set of LE Set Extended Advertising Enable (Vol 4 Part E 7.8.56). */
struct ys_hci_set_on {
    uint16_t duration; /* 10 ms; 0: without an end */
    uint8_t handle;
    uint8_t events; /* 0: without an end */
};

/* What LE Set Extended Scan Parameters (Vol 4 Part E 7.8.64) and LE Extended Create Connection (Vol 4 Part E 7.8.66)
 * say of one PHY. */
struct ys_hci_phy_scan {
    uint8_t active; /* only when scanning */
    uint16_t interval;
    uint16_t window;
};

/* Bits of the PHYs on which to scan or connect; a bit's row is used if it is set. */
enum ys_hci_phys { YS_HCI_PHYS_1M = 0x01, YS_HCI_PHYS_2M = 0x02, YS_HCI_PHYS_CODED = 0x04 };

struct ys_hci_extended_scan {
    uint8_t own_address_type;
    uint8_t filter;
    uint8_t phys; /* enum ys_hci_phys */
    struct ys_hci_phy_scan by_phy[3];
};

/* LE Extended Create Connection (Vol 4 Part E 7.8.66): scan times and connection parameters by PHY; here the parameters
 * of the connection are the same on all. */
struct ys_hci_extended_connect {
    struct ys_hci_connect common; /* but its scan times */
    uint8_t phys;
    struct ys_hci_phy_scan by_phy[3];
};

/* Bits of the type of an extended report; and what its bits 5 and 6 say of the data. */
enum ys_hci_report_bits {
    YS_HCI_REPORT_CONNECTABLE = 0x01,
    YS_HCI_REPORT_SCANNABLE = 0x02,
    YS_HCI_REPORT_DIRECTED = 0x04,
    YS_HCI_REPORT_RESPONSE = 0x08,
    YS_HCI_REPORT_LEGACY = 0x10,
    YS_HCI_REPORT_MORE = 0x20,
    YS_HCI_REPORT_TRUNCATED = 0x40
};

/* The type of an address that is not there: the advertisement is anonymous. */
#define YS_HCI_ANONYMOUS 0xff

/* One report of LE Extended Advertising Report (Vol 4 Part E 7.7.65.13); `data` points into the event. */
struct ys_hci_extended_report {
    uint16_t type;
    struct ys_address address;
    uint8_t primary_phy;
    uint8_t secondary_phy;
    uint8_t set_id; /* 0xff: none */
    int8_t power_dbm;
    int8_t rssi_dbm;
    uint16_t periodic_interval;
    struct ys_address target;
    uint8_t length;
    const uint8_t *data;
};

#define YS_HCI_REPORT_DATA_MAX 229

/* LE Advertising Set Terminated (Vol 4 Part E 7.7.65.18). */
struct ys_hci_terminated {
    uint8_t status;
    uint8_t handle;
    uint16_t connection;
    uint8_t events;
};

void ys_put_hci_set(struct ys_writer *writer, const struct ys_hci_set *set);
void ys_get_hci_set(struct ys_reader *reader, struct ys_hci_set *set);
void ys_put_hci_fragment(struct ys_writer *writer, const struct ys_hci_fragment *fragment);
void ys_get_hci_fragment(struct ys_reader *reader, struct ys_hci_fragment *fragment);
void ys_put_hci_set_on(struct ys_writer *writer, const struct ys_hci_set_on *on);
void ys_get_hci_set_on(struct ys_reader *reader, struct ys_hci_set_on *on);
void ys_put_hci_extended_scan(struct ys_writer *writer, const struct ys_hci_extended_scan *scan);
void ys_get_hci_extended_scan(struct ys_reader *reader, struct ys_hci_extended_scan *scan);
void ys_put_hci_extended_connect(struct ys_writer *writer, const struct ys_hci_extended_connect *connect);
void ys_get_hci_extended_connect(struct ys_reader *reader, struct ys_hci_extended_connect *connect);
void ys_put_hci_extended_report(struct ys_writer *writer, const struct ys_hci_extended_report *report);
void ys_get_hci_extended_report(struct ys_reader *reader, struct ys_hci_extended_report *report);
void ys_put_hci_terminated(struct ys_writer *writer, const struct ys_hci_terminated *terminated);
void ys_get_hci_terminated(struct ys_reader *reader, struct ys_hci_terminated *terminated);

#endif
