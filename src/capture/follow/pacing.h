/* When a connection's events are, and on which channels: counted from its connect request, or recovered. */
#ifndef CAPTURE_FOLLOW_PACING_H
#define CAPTURE_FOLLOW_PACING_H

#include "capture/follow/heard.h"

/* Whether a packet begins another event. */
bool ys_pacing_begins_event(const struct ys_air_link *link, const struct ys_record *record);

/* Moves to the event that begins with a packet of this side. */
void ys_pacing_begin_event(struct ys_air_link *link, const struct ys_record *record, int side,
                           struct ys_recorder *recorder);

/* Another packet of the event has followed its first. */
void ys_pacing_answer(struct ys_air_link *link);

/* The channel on which its current event must be; false if that is not known. */
bool ys_air_link_channel(const struct ys_air_link *link, uint8_t *channel);

/* Between when its first event must begin, if its connect request was seen. */
void ys_air_link_window(const struct ys_air_link *link, uint64_t *from_ns, uint64_t *to_ns);

/* The deviation of the central's clock from the recorder's, in millionths; positive: it is slow. False if there are too
 * few anchors. */
bool ys_pacing_drift(const struct ys_air_link *link, double *ppm);

#endif
