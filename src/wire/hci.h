/* HCI commands, events and data packets (Core 5.4 Vol 4 Part E 5.4, 7), for both sides of the interface: what the host
 * writes the controller reads, and the other way round. A packet starts with its type, as on a serial line
 * (Vol 4 Part A 2). */
#ifndef WIRE_HCI_H
#define WIRE_HCI_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <yarnswift/address.h>
#include <yarnswift/advertisement.h>
#include <yarnswift/bytes.h>
#include <yarnswift/codes.h>

enum ys_hci_packet {
    YS_HCI_COMMAND = 0x01,
    YS_HCI_DATA = 0x02,
    YS_HCI_SYNCHRONOUS = 0x03, /* nothing here sends these two, but a line has to step over them */
    YS_HCI_EVENT = 0x04,
    YS_HCI_ISO = 0x05
};

#define YS_HCI_DATA_HEADER_SIZE 5   /* with the packet type */
#define YS_HCI_COMMAND_MAX      259 /* with the packet type */
#define YS_HCI_EVENT_MAX        258 /* with the packet type */

enum ys_hci_opcode {
    YS_HCI_DISCONNECT = 0x0406,
    YS_HCI_SET_EVENT_MASK = 0x0c01,
    YS_HCI_RESET = 0x0c03,
    YS_HCI_SET_HOST_FLOW_CONTROL = 0x0c31,
    YS_HCI_HOST_BUFFER_SIZE = 0x0c33,
    YS_HCI_HOST_COMPLETED_PACKETS = 0x0c35,
    YS_HCI_SET_EVENT_MASK_2 = 0x0c63,
    YS_HCI_READ_LE_SUPPORT = 0x0c6c,
    YS_HCI_WRITE_LE_SUPPORT = 0x0c6d,
    YS_HCI_READ_VERSION = 0x1001,
    YS_HCI_READ_COMMANDS = 0x1002,
    YS_HCI_READ_FEATURES = 0x1003,
    YS_HCI_READ_BUFFER_SIZE = 0x1005,
    YS_HCI_READ_ADDRESS = 0x1009,
    YS_HCI_LE_SET_EVENT_MASK = 0x2001,
    YS_HCI_LE_READ_BUFFER_SIZE = 0x2002,
    YS_HCI_LE_READ_FEATURES = 0x2003,
    YS_HCI_LE_SET_RANDOM_ADDRESS = 0x2005,
    YS_HCI_LE_SET_ADVERTISING_PARAMETERS = 0x2006,
    YS_HCI_LE_READ_ADVERTISING_POWER = 0x2007,
    YS_HCI_LE_SET_ADVERTISING_DATA = 0x2008,
    YS_HCI_LE_SET_SCAN_RESPONSE_DATA = 0x2009,
    YS_HCI_LE_SET_ADVERTISING_ENABLE = 0x200a,
    YS_HCI_LE_SET_SCAN_PARAMETERS = 0x200b,
    YS_HCI_LE_SET_SCAN_ENABLE = 0x200c,
    YS_HCI_LE_CREATE_CONNECTION = 0x200d,
    YS_HCI_LE_CREATE_CONNECTION_CANCEL = 0x200e,
    YS_HCI_LE_READ_ACCEPT_LIST_SIZE = 0x200f,
    YS_HCI_LE_CLEAR_ACCEPT_LIST = 0x2010,
    YS_HCI_LE_ADD_TO_ACCEPT_LIST = 0x2011,
    YS_HCI_LE_REMOVE_FROM_ACCEPT_LIST = 0x2012,
    YS_HCI_LE_ENCRYPT = 0x2017,
    YS_HCI_LE_RAND = 0x2018,
    YS_HCI_LE_ENABLE_ENCRYPTION = 0x2019,
    YS_HCI_LE_KEY_REPLY = 0x201a, /* LE Long Term Key Request Reply */
    YS_HCI_LE_KEY_NEGATIVE_REPLY = 0x201b,
    YS_HCI_LE_READ_STATES = 0x201c,
    YS_HCI_LE_READ_PUBLIC_KEY = 0x2025,   /* of P-256 */
    YS_HCI_LE_GENERATE_SECRET = 0x2026,   /* of it and a peer's, the DHKey */
    YS_HCI_LE_GENERATE_SECRET_2 = 0x205e, /* the same, also of the key for debugging */
    YS_HCI_LE_ADD_TO_RESOLVING_LIST = 0x2027,
    YS_HCI_LE_REMOVE_FROM_RESOLVING_LIST = 0x2028,
    YS_HCI_LE_CLEAR_RESOLVING_LIST = 0x2029,
    YS_HCI_LE_READ_RESOLVING_LIST_SIZE = 0x202a,
    YS_HCI_LE_SET_RESOLUTION_ENABLE = 0x202d,
    YS_HCI_LE_SET_RESOLVABLE_TIMEOUT = 0x202e,
    YS_HCI_LE_SET_PRIVACY_MODE = 0x204e
};

enum ys_hci_event {
    YS_HCI_DISCONNECTION_COMPLETE = 0x05,
    YS_HCI_ENCRYPTION_CHANGE = 0x08,
    YS_HCI_COMMAND_COMPLETE = 0x0e,
    YS_HCI_COMMAND_STATUS = 0x0f,
    YS_HCI_HARDWARE_ERROR = 0x10,
    YS_HCI_COMPLETED_PACKETS = 0x13,
    YS_HCI_KEY_REFRESH_COMPLETE = 0x30,
    YS_HCI_LE_META = 0x3e
};

enum ys_hci_le_event {
    YS_HCI_LE_CONNECTION_COMPLETE = 0x01,
    YS_HCI_LE_ADVERTISING_REPORT = 0x02,
    YS_HCI_LE_KEY_REQUEST = 0x05,
    YS_HCI_LE_PUBLIC_KEY_COMPLETE = 0x08,
    YS_HCI_LE_SECRET_COMPLETE = 0x09,
    YS_HCI_LE_ENHANCED_CONNECTION_COMPLETE = 0x0a
};

/* An own address type from here on: one that the controller makes, or else public or random. */
#define YS_HCI_OWN_RESOLVABLE 2
/* What the type of an address is more if it is an identity that was resolved. */
#define YS_HCI_IDENTITY 2

/* Bit 38 of the local features: the controller speaks LE. */
#define YS_HCI_FEATURE_LE (UINT64_C(1) << 38)

/* Bits of the event masks that the host asks for; the second of LE also if it pairs: otherwise the controller itself
 * says that there is no key. */
#define YS_HCI_EVENT_MASK                                                                                              \
    (UINT64_C(1) << 4 | UINT64_C(1) << 7 | UINT64_C(1) << 15 | UINT64_C(1) << 47 | UINT64_C(1) << 61)
#define YS_HCI_LE_EVENT_MASK          0x03u
#define YS_HCI_LE_EVENT_MASK_SECURITY 0x210u

/* A command's header; `opcode` is followed by `length` bytes. */
struct ys_hci_command {
    uint16_t opcode;
    struct ys_reader parameters;
};

/* LE Set Advertising Parameters (Vol 4 Part E 7.8.5); intervals in steps of 0.625 ms. */
struct ys_hci_advertising {
    uint16_t interval_min;
    uint16_t interval_max;
    uint8_t type; /* enum ys_hci_advertising_type */
    uint8_t own_address_type;
    struct ys_address peer;
    uint8_t channels; /* bit 0: 37, bit 1: 38, bit 2: 39 */
    uint8_t filter;
};

enum ys_hci_advertising_type {
    YS_HCI_ADVERTISE_CONNECTABLE = 0,
    YS_HCI_ADVERTISE_DIRECTED_FAST = 1, /* high duty cycle: at most 3.75 ms between events, for 1.28 s */
    YS_HCI_ADVERTISE_SCANNABLE = 2,
    YS_HCI_ADVERTISE_BEACON = 3,
    YS_HCI_ADVERTISE_DIRECTED = 4
};

/* Bits of an advertiser's filter policy: who is not on the accept list is not heard (Vol 6 Part B 4.3.2). That of a
 * scanner and of an initiator only knows 0 and 1: who is listed. */
enum ys_hci_filter { YS_HCI_FILTER_REQUESTS = 1, YS_HCI_FILTER_CONNECTIONS = 2 };

/* LE Set Advertising Data and LE Set Scan Response Data (Vol 4 Part E 7.8.7, 7.8.8): the length, then always 31 bytes.
 */
struct ys_hci_payload {
    uint8_t length;
    uint8_t bytes[YS_ADVERTISEMENT_MAX];
};

/* LE Set Scan Parameters (Vol 4 Part E 7.8.10); interval and window in steps of 0.625 ms. */
struct ys_hci_scan {
    uint8_t active;
    uint16_t interval;
    uint16_t window;
    uint8_t own_address_type;
    uint8_t filter;
};

/* LE Create Connection (Vol 4 Part E 7.8.12); scan times in 0.625 ms, connection intervals in 1.25 ms, timeout in 10
 * ms, event lengths in 0.625 ms. */
struct ys_hci_connect {
    uint16_t scan_interval;
    uint16_t scan_window;
    uint8_t filter;
    struct ys_address peer;
    uint8_t own_address_type;
    uint16_t interval_min;
    uint16_t interval_max;
    uint16_t latency;
    uint16_t timeout;
    uint16_t event_length_min;
    uint16_t event_length_max;
};

/* LE Connection Complete (Vol 4 Part E 7.7.65.1). */
struct ys_hci_connection {
    uint8_t status;
    uint16_t handle;
    uint8_t role; /* 0: central, 1: peripheral */
    struct ys_address peer;
    uint16_t interval;
    uint16_t latency;
    uint16_t timeout;
    uint8_t clock_accuracy;
    /* of LE Enhanced Connection Complete (Vol 4 Part E 7.7.65.10) */
    bool own_is_made;           /* this device has an address made for the peer, */
    bool peer_is_made;          /* and the peer one that was resolved */
    struct ys_address own_made; /* on the air; also the next: */
    struct ys_address peer_made;
};

/* One report of LE Advertising Report (Vol 4 Part E 7.7.65.2); `data` points into the event. */
struct ys_hci_report {
    uint8_t type; /* 0 connectable, 1 directed, 2 scannable, 3 beacon, 4 scan response */
    struct ys_address address;
    uint8_t length;
    const uint8_t *data;
    int8_t rssi_dbm; /* 127: not available */
};

/* Which key, as LE Enable Encryption (Vol 4 Part E 7.8.24) says to a controller, and LE Long Term Key Request (Vol 4
 * Part E 7.7.65.5) to a host; both are 0 for a key of LE Secure Connections. */
struct ys_hci_key_name {
    uint16_t handle;
    uint8_t random[8];
    uint16_t diversifier;
};

/* An entry of the resolving list (Vol 4 Part E 7.8.38): whose addresses these keys make and resolve, in air order. */
struct ys_hci_resolving {
    struct ys_address identity; /* of the peer */
    uint8_t peer_key[16];
    uint8_t own_key[16];
};

/* The header of a data packet: handle and boundary flag, then `length` bytes. */
struct ys_hci_data {
    uint16_t handle;
    uint8_t boundary; /* enum ys_hci_boundary */
    uint16_t length;
};

enum ys_hci_boundary { YS_HCI_FIRST_TO_CONTROLLER = 0, YS_HCI_CONTINUING = 1, YS_HCI_FIRST_TO_HOST = 2 };

/* Commands. `ys_hci_command_begin` puts type, opcode and a length to be filled by `ys_hci_end`, which works for
 * events too. */
void ys_hci_command_begin(struct ys_writer *writer, uint16_t opcode);
void ys_hci_event_begin(struct ys_writer *writer, uint8_t event);
void ys_hci_end(struct ys_writer *writer);

/* Reads a command after its packet type; false if its length is not what it says. */
bool ys_get_hci_command(struct ys_reader *reader, struct ys_hci_command *command);

/* Reads an event after its packet type: the code, and a reader of its parameters; false as above. */
bool ys_get_hci_event(struct ys_reader *reader, uint8_t *event, struct ys_reader *parameters);

/* An address after its type. */
void ys_put_hci_address(struct ys_writer *writer, const struct ys_address *address);
void ys_get_hci_address(struct ys_reader *reader, struct ys_address *address);

void ys_put_hci_advertising(struct ys_writer *writer, const struct ys_hci_advertising *parameters);
void ys_get_hci_advertising(struct ys_reader *reader, struct ys_hci_advertising *parameters);
void ys_put_hci_payload(struct ys_writer *writer, const struct ys_hci_payload *payload);
void ys_get_hci_payload(struct ys_reader *reader, struct ys_hci_payload *payload);
void ys_put_hci_scan(struct ys_writer *writer, const struct ys_hci_scan *parameters);
void ys_get_hci_scan(struct ys_reader *reader, struct ys_hci_scan *parameters);
void ys_put_hci_connect(struct ys_writer *writer, const struct ys_hci_connect *parameters);
void ys_get_hci_connect(struct ys_reader *reader, struct ys_hci_connect *parameters);
void ys_put_hci_connection(struct ys_writer *writer, const struct ys_hci_connection *connection);
void ys_get_hci_connection(struct ys_reader *reader, struct ys_hci_connection *connection);
void ys_get_hci_enhanced_connection(struct ys_reader *reader, struct ys_hci_connection *connection);
void ys_put_hci_report(struct ys_writer *writer, const struct ys_hci_report *report);
void ys_get_hci_report(struct ys_reader *reader, struct ys_hci_report *report);
void ys_put_hci_key_name(struct ys_writer *writer, const struct ys_hci_key_name *name);
void ys_get_hci_key_name(struct ys_reader *reader, struct ys_hci_key_name *name);
void ys_put_hci_resolving(struct ys_writer *writer, const struct ys_hci_resolving *entry);
void ys_get_hci_resolving(struct ys_reader *reader, struct ys_hci_resolving *entry);
void ys_put_hci_data(struct ys_writer *writer, const struct ys_hci_data *data);
void ys_get_hci_data(struct ys_reader *reader, struct ys_hci_data *data);

#endif
