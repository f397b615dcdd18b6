/* L2CAP basic frames and the signalling channel (Core 5.4 Vol 3 Part A 3.1, 4). */
#ifndef WIRE_L2CAP_H
#define WIRE_L2CAP_H

#include <stdint.h>

#include <yarnswift/bytes.h>

#define YS_L2CAP_HEADER_SIZE 4

/* Fixed channels of an LE link (Vol 3 Part A 2.1). */
enum ys_l2cap_channel { YS_L2CAP_ATT = 0x0004, YS_L2CAP_SIGNALLING = 0x0005, YS_L2CAP_SECURITY = 0x0006 };

/* Codes of the signalling channel that are used here (Vol 3 Part A 4). */
enum ys_l2cap_code {
    YS_L2CAP_COMMAND_REJECT = 0x01,
    YS_L2CAP_DISCONNECTION_REQ = 0x06,
    YS_L2CAP_DISCONNECTION_RSP = 0x07,
    YS_L2CAP_PARAMETER_REQ = 0x12, /* Connection Parameter Update Request; its answer: */
    YS_L2CAP_PARAMETER_RSP = 0x13,
    YS_L2CAP_CREDIT_CONNECTION_REQ = 0x14, /* LE Credit Based Connection Request; its answer: */
    YS_L2CAP_CREDIT_CONNECTION_RSP = 0x15,
    YS_L2CAP_CREDITS = 0x16 /* Flow Control Credit Ind */
};

/* The longest of those, with its header. */
#define YS_L2CAP_SIGNAL_MAX 14

/* Channels that are not fixed (Vol 3 Part A 2.1). */
#define YS_L2CAP_DYNAMIC_FIRST 0x0040
#define YS_L2CAP_DYNAMIC_LAST  0x007f

/* Reason of a command reject: the command was not understood. */
#define YS_L2CAP_NOT_UNDERSTOOD 0x0000 /* a reason to reject a command */
#define YS_L2CAP_REFUSED        0x0001 /* the result of a request for parameters */

/* The header of a basic frame. */
struct ys_l2cap_header {
    uint16_t length; /* of the payload */
    uint16_t channel;
};

/* The header of a signalling command. */
struct ys_l2cap_signal {
    uint8_t code;
    uint8_t identifier;
    uint16_t length; /* of what follows */
};

void ys_get_l2cap_header(struct ys_reader *reader, struct ys_l2cap_header *header);
void ys_put_l2cap_header(struct ys_writer *writer, const struct ys_l2cap_header *header);
void ys_get_l2cap_signal(struct ys_reader *reader, struct ys_l2cap_signal *signal);
void ys_put_l2cap_signal(struct ys_writer *writer, const struct ys_l2cap_signal *signal);

#endif
