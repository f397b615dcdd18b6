/* Control PDUs of the link layer (Core 5.4 Vol 6 Part B 2.4.2). */
#ifndef WIRE_LINK_CONTROL_H
#define WIRE_LINK_CONTROL_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <yarnswift/bytes.h>

enum ys_link_control {
    YS_LINK_CONNECTION_UPDATE_IND = 0x00,
    YS_LINK_CHANNEL_MAP_IND = 0x01,
    YS_LINK_TERMINATE_IND = 0x02,
    YS_LINK_ENC_REQ = 0x03,
    YS_LINK_ENC_RSP = 0x04,
    YS_LINK_START_ENC_REQ = 0x05,
    YS_LINK_START_ENC_RSP = 0x06,
    YS_LINK_UNKNOWN_RSP = 0x07,
    YS_LINK_FEATURE_REQ = 0x08,
    YS_LINK_FEATURE_RSP = 0x09,
    YS_LINK_PAUSE_ENC_REQ = 0x0a,
    YS_LINK_PAUSE_ENC_RSP = 0x0b,
    YS_LINK_VERSION_IND = 0x0c,
    YS_LINK_REJECT_IND = 0x0d,
    YS_LINK_PERIPHERAL_FEATURE_REQ = 0x0e,
    YS_LINK_CONNECTION_PARAM_REQ = 0x0f,
    YS_LINK_CONNECTION_PARAM_RSP = 0x10,
    YS_LINK_REJECT_EXT_IND = 0x11,
    YS_LINK_PING_REQ = 0x12,
    YS_LINK_PING_RSP = 0x13,
    YS_LINK_LENGTH_REQ = 0x14,
    YS_LINK_LENGTH_RSP = 0x15,
    YS_LINK_PHY_REQ = 0x16,
    YS_LINK_PHY_RSP = 0x17,
    YS_LINK_PHY_UPDATE_IND = 0x18,
    YS_LINK_CHANNELS_LEAST_IND = 0x19 /* LL_MIN_USED_CHANNELS_IND */
};

/* The longest of them, with its opcode. */
#define YS_LINK_CONTROL_MAX 27

/* How long data packets may be (Vol 6 Part B 2.4.2.21), as one side says it. */
struct ys_link_lengths {
    uint16_t receive_octets; /* 27 to 251; also the next: */
    uint16_t receive_us;     /* 328 to 17,040; also the next: */
    uint16_t send_octets;
    uint16_t send_us;
};

/* Any control PDU. Which fields count depends on the opcode. */
struct ys_link_control_pdu {
    uint8_t opcode;
    uint8_t code;           /* TERMINATE_IND, REJECT_IND, REJECT_EXT_IND: why; UNKNOWN_RSP: the opcode not known */
    uint8_t refused;        /* REJECT_EXT_IND: the opcode */
    uint8_t random[8];      /* ENC_REQ, with the diversifier: which key, as in HCI */
    uint16_t diversifier;   /* the same */
    uint8_t key_half[8];    /* ENC_REQ, ENC_RSP: this side's half of the session key diversifier, in air order */
    uint8_t vector_half[4]; /* the same of the initialization vector */
    uint64_t features;      /* FEATURE_REQ, PERIPHERAL_FEATURE_REQ, FEATURE_RSP */
    uint8_t version;        /* VERSION_IND; also the next: */
    uint16_t company;
    uint16_t subversion;
    uint8_t window_size;            /* CONNECTION_UPDATE_IND, in 1.25 ms; also the next: */
    uint16_t window_offset;         /* 1.25 ms */
    uint16_t interval;              /* 1.25 ms; also CONNECTION_PARAM_REQ and _RSP: the greatest; also the next: */
    uint16_t latency;               /* events */
    uint16_t timeout;               /* 10 ms */
    uint16_t interval_min;          /* CONNECTION_PARAM_REQ, _RSP, in 1.25 ms; also the next: */
    uint8_t periodicity;            /* preferred, in 1.25 ms; 0: none */
    uint16_t reference;             /* the event to which the offsets belong */
    uint16_t offsets[6];            /* 1.25 ms; 0xffff: none */
    uint8_t channel_map[5];         /* CHANNEL_MAP_IND */
    struct ys_link_lengths lengths; /* LENGTH_REQ, LENGTH_RSP */
    uint8_t channels_least;         /* CHANNELS_LEAST_IND */
    uint8_t send_phys;    /* PHY_REQ, PHY_RSP, CHANNELS_LEAST_IND: bits, 1M first; PHY_UPDATE_IND: one bit, from the
                             central, */
    uint8_t receive_phys; /* and to it; 0: no change */
    uint16_t instant;     /* CONNECTION_UPDATE_IND, CHANNEL_MAP_IND, PHY_UPDATE_IND: the event it holds from */
};

/* Reads a control PDU of a data PDU's payload; false if its length is not that of its opcode. Of an opcode that is not
 * among those above, only that is read. */
bool ys_link_control_decode(const uint8_t *bytes, size_t length, struct ys_link_control_pdu *pdu);
void ys_put_link_control(struct ys_writer *writer, const struct ys_link_control_pdu *pdu);

/* Whether it is among those above. */
bool ys_link_control_is_known(uint8_t opcode);

#endif
