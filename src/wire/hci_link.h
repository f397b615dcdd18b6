/* HCI commands and events that shape a connection: parameters, data length, PHYs, channels, and what the other side is
 * and can (Core 5.4 Vol 4 Part E 7.1.23, 7.3.93, 7.5.4, 7.8.18 to 7.8.49), for both sides of the interface. */
#ifndef WIRE_HCI_LINK_H
#define WIRE_HCI_LINK_H

#include "wire/hci.h"

enum ys_hci_link_opcode {
    YS_HCI_READ_REMOTE_VERSION = 0x041d,
    YS_HCI_READ_POWER = 0x0c2d, /* Read Transmit Power Level */
    YS_HCI_READ_PAYLOAD_TIMEOUT = 0x0c7b,
    YS_HCI_WRITE_PAYLOAD_TIMEOUT = 0x0c7c,
    YS_HCI_READ_RSSI = 0x1405,
    YS_HCI_LE_CONNECTION_UPDATE = 0x2013,
    YS_HCI_LE_SET_CHANNELS = 0x2014, /* LE Set Host Channel Classification */
    YS_HCI_LE_READ_CHANNELS = 0x2015,
    YS_HCI_LE_READ_REMOTE_FEATURES = 0x2016,
    YS_HCI_LE_PARAMETERS_REPLY = 0x2020,
    YS_HCI_LE_PARAMETERS_NEGATIVE_REPLY = 0x2021,
    YS_HCI_LE_SET_DATA_LENGTH = 0x2022,
    YS_HCI_LE_READ_DEFAULT_LENGTH = 0x2023,
    YS_HCI_LE_WRITE_DEFAULT_LENGTH = 0x2024,
    YS_HCI_LE_READ_LENGTH_MAX = 0x202f,
    YS_HCI_LE_READ_PHY = 0x2030,
    YS_HCI_LE_SET_DEFAULT_PHY = 0x2031,
    YS_HCI_LE_SET_PHY = 0x2032
};

enum ys_hci_link_event { YS_HCI_REMOTE_VERSION_COMPLETE = 0x0c, YS_HCI_PAYLOAD_TIMEOUT_EXPIRED = 0x57 };

enum ys_hci_le_link_event {
    YS_HCI_LE_CONNECTION_UPDATE_COMPLETE = 0x03,
    YS_HCI_LE_REMOTE_FEATURES_COMPLETE = 0x04,
    YS_HCI_LE_PARAMETERS_REQUEST = 0x06,
    YS_HCI_LE_DATA_LENGTH_CHANGE = 0x07,
    YS_HCI_LE_PHY_UPDATE_COMPLETE = 0x0c
};

/* What the host asks for in the LE event mask once it shapes links. */
#define YS_HCI_LE_EVENT_MASK_LINK                                                                                      \
    (UINT64_C(1) << 2 | UINT64_C(1) << 3 | UINT64_C(1) << 5 | UINT64_C(1) << 6 | UINT64_C(1) << 11)

/* More bits of the LE features (Vol 6 Part B 4.6). */
#define YS_HCI_LE_FEATURE_PARAMETERS  (UINT64_C(1) << 1)
#define YS_HCI_LE_FEATURE_REJECT      (UINT64_C(1) << 2)
#define YS_HCI_LE_FEATURE_FEATURES    (UINT64_C(1) << 3) /* a peripheral may ask for them */
#define YS_HCI_LE_FEATURE_PING        (UINT64_C(1) << 4)
#define YS_HCI_LE_FEATURE_DATA_LENGTH (UINT64_C(1) << 5)

/* Parameters of a connection as a command, or as asked for by the other side (Vol 4 Part E 7.8.18, 7.8.31, 7.7.65.6).
 */
struct ys_hci_parameters {
    uint16_t handle;
    uint16_t interval_min; /* 1.25 ms */
    uint16_t interval_max;
    uint16_t latency;
    uint16_t timeout;          /* 10 ms */
    uint16_t event_length_min; /* 0.625 ms; only in commands */
    uint16_t event_length_max;
};

/* LE Connection Update Complete (Vol 4 Part E 7.7.65.3). */
struct ys_hci_update {
    uint8_t status;
    uint16_t handle;
    uint16_t interval;
    uint16_t latency;
    uint16_t timeout;
};

/* LE Data Length Change (Vol 4 Part E 7.7.65.7). */
struct ys_hci_length {
    uint16_t handle;
    uint16_t send_octets;
    uint16_t send_us;
    uint16_t receive_octets;
    uint16_t receive_us;
};

/* LE Set PHY (Vol 4 Part E 7.8.49). PHYs are bits: 1M, 2M, coded. */
struct ys_hci_phy_wish {
    uint16_t handle;
    uint8_t all;      /* bit 0: no wish for sending; bit 1: none for receiving */
    uint8_t send;     /* the same */
    uint8_t receive;  /* which are wanted */
    uint16_t options; /* enum ys_hci_coding */
};

enum ys_hci_coding { YS_HCI_CODING_ANY = 0, YS_HCI_CODING_S2 = 1, YS_HCI_CODING_S8 = 2 };

/* LE PHY Update Complete (Vol 4 Part E 7.7.65.12); PHYs are numbers. */
struct ys_hci_phy_update {
    uint8_t status;
    uint16_t handle;
    uint8_t send;
    uint8_t receive;
};

/* `lengths` says whether the event lengths belong to it. */
void ys_put_hci_parameters(struct ys_writer *writer, const struct ys_hci_parameters *parameters, bool lengths);
void ys_get_hci_parameters(struct ys_reader *reader, struct ys_hci_parameters *parameters, bool lengths);
void ys_put_hci_update(struct ys_writer *writer, const struct ys_hci_update *update);
void ys_get_hci_update(struct ys_reader *reader, struct ys_hci_update *update);
void ys_put_hci_length(struct ys_writer *writer, const struct ys_hci_length *length);
void ys_get_hci_length(struct ys_reader *reader, struct ys_hci_length *length);
void ys_put_hci_phy_wish(struct ys_writer *writer, const struct ys_hci_phy_wish *phys);
void ys_get_hci_phy_wish(struct ys_reader *reader, struct ys_hci_phy_wish *phys);
void ys_put_hci_phy_update(struct ys_writer *writer, const struct ys_hci_phy_update *update);
void ys_get_hci_phy_update(struct ys_reader *reader, struct ys_hci_phy_update *update);

#endif
