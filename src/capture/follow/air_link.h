/* A connection as it is seen on the air: its events, its bits of acknowledgement, its encryption, and what is agreed by
 * control PDUs. Made from its packets alone; what was not seen is not known. */
#ifndef CAPTURE_AIR_LINK_H
#define CAPTURE_AIR_LINK_H

#include "capture/follow/heard.h"

/* Begins one with a connect request that was heard. */
void ys_air_link_begin(struct ys_air_link *link, const struct ys_record *record,
                       const struct ys_link_advertising *request);

/* Begins one in the middle. */
void ys_air_link_join(struct ys_air_link *link, const struct ys_record *record);

/* Takes a packet of the connection, whose CRC is good as far as is known. `scratch` has room for its payload; its
 * information on the recorder is noted. */
void ys_air_link_take(struct ys_air_link *link, const struct ys_record *record, struct ys_keys *keys,
                      uint8_t scratch[YS_LINK_PDU_MAX], struct ys_link_seen *seen, struct ys_recorder *recorder);

void ys_air_link_clear(struct ys_air_link *link);

#endif
