/* What hosts ask each other for. */
#ifndef HOST_GAP_LINK_SIGNALS_H
#define HOST_GAP_LINK_SIGNALS_H

#include <yarnswift/link.h>

#include "host/l2cap/frames.h"

/* Sends a signalling command if it fits now. */
bool ys_link_send_signal(struct ys_host *host, struct ys_connection *connection, uint8_t due);
/* The other side asks for other parameters: decides, and does the one thing or the other. */
void ys_link_answer(struct ys_host *host, struct ys_connection *connection, uint16_t yes, uint16_t no);
bool ys_link_frame(struct ys_host *host, const struct ys_frame *frame);

#endif
