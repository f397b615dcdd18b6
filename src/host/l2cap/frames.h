/* Frames of L2CAP on the fixed channels and on those with credits, cut into data packets and put together from them.
 * The one place that counts the controller's buffers. */
#ifndef HOST_L2CAP_FRAMES_H
#define HOST_L2CAP_FRAMES_H

#include <yarnswift/host.h>

#include "wire/hci.h"
#include "wire/l2cap.h"

/* The offset of a PDU in a struct ys_outgoing: after the headers of the data packet and of L2CAP. */
#define PDU_AT (YS_HCI_DATA_HEADER_SIZE + YS_L2CAP_HEADER_SIZE)

/* A received frame. It is in the connection's memory, and valid until more data arrives. */
struct ys_frame {
    struct ys_connection *connection;
    uint16_t channel;
    uint16_t length;
    const uint8_t *pdu;
};

/* What every sender asks: whether a PDU of this length may begin on this connection now. */
bool ys_l2cap_fits(const struct ys_host *host, const struct ys_connection *connection, size_t pdu_length);
/* A writer to where the PDU of `outgoing` goes, of at most `limit` bytes. */
struct ys_writer ys_l2cap_writer(struct ys_outgoing *outgoing, size_t limit);
/* Puts the headers before a PDU of `length` bytes that is already in its place; ready to be sent. */
void ys_l2cap_seal(struct ys_outgoing *outgoing, uint16_t channel, size_t length);
/* Sends the host's own packet at once; ys_l2cap_fits must have said that it fits. */
void ys_l2cap_send(struct ys_host *host, struct ys_connection *connection);
/* Sends one of the few PDUs that are never longer than a few bytes; false if it does not fit now. */
bool ys_l2cap_send_short(struct ys_host *host, struct ys_connection *connection, uint16_t channel, const uint8_t *pdu,
                         size_t length);
/* Goes on with a response that was begun, or is to be. False while there is more of it: no other PDU may come between
 * its pieces. */
bool ys_l2cap_go_on(struct ys_host *host, struct ys_connection *connection);
/* The controller has sent packets. */
void ys_l2cap_completed(struct ys_host *host, struct ys_reader *parameters);

/* Takes a data packet; true once a frame is whole. */
bool ys_l2cap_receive(struct ys_host *host, const uint8_t *packet, size_t length, struct ys_frame *frame);
/* No part has taken this frame: sends the response that the standard prescribes, if any. */
void ys_l2cap_refuse(struct ys_host *host, const struct ys_frame *frame);
/* The answer that is due: a code with its reason (pairing failed), or with the identifier of a signal. */
void ys_l2cap_refuse_with(struct ys_connection *connection, uint8_t code, uint8_t argument);
/* Sends what of these answers is due, if it fits. */
void ys_l2cap_send_refusals(struct ys_host *host, struct ys_connection *connection);

#endif
