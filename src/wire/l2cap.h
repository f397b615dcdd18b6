/* L2CAP basic frames and the signalling channel (Core 5.4 Vol 3 Part A 3.1, 4). */
#ifndef WIRE_L2CAP_H
#define WIRE_L2CAP_H

#include <stdint.h>

#include <yarnswift/bytes.h>

#define YS_L2CAP_HEADER_SIZE 4

/* Fixed channels of an LE link (Part A 2.1). */
enum ys_l2cap_channel { YS_L2CAP_ATT = 0x0004, YS_L2CAP_SIGNALLING = 0x0005, YS_L2CAP_SECURITY = 0x0006 };

/* Codes of the signalling channel that are answered here. */
enum ys_l2cap_code { YS_L2CAP_COMMAND_REJECT = 0x01 };

/* Reason of a command reject: the command was not understood. */
#define YS_L2CAP_NOT_UNDERSTOOD 0x0000

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
