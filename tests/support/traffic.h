/* Traffic by hand, from a script: what would be on the air, or cross an interface, packet by packet. Commands are
 * separated by semicolons:
 *
 *   air CHANNEL PHY HEX   a packet with the access address of advertising; PHY is 1, 2 or c
 *   row COUNT MS CHANNEL PHY HEX   the same packet again and again
 *   ifs                   the next begins 150 us after the last one ended;  gap US: so much after it
 *   + MS                  time passes
 *   link KEY=NUMBER ...   an advertisement and a connect request to it: interval, latency, timeout, window, offset,
 * hop, aa, map, csa2, type (of the advertisement) >WHAT  <WHAT          a connection event in which the central, or the
 * peripheral, sends something, and the other is empty: a HEX (attribute protocol), s HEX (pairing), g HEX (signalling),
 * l HEX (control), f CID HEX (a frame of that channel), r KIND HEX (as it stands) e                     an event in
 * which both are empty;  e COUNT: so many enc                   the link is encrypted from now on h> HEX  h< HEX a
 * packet to the controller, or from it ~WHAT                 of the next event: of the packet of who tells something
 * sn, nesn, crc, called-good (its CRC is wrong, and said to be good), clear, mic, length N, phy P; alone (no answer),
 * refused (it is not acknowledged), twice (without waiting), more (another packet after the answer), longer (another
 * exchange), md (it says that it has more), ifs US, late US, channel N
 *
 * In HEX, @N stands for the number of the next event and N more, in two bytes. */
#ifndef SUPPORT_TRAFFIC_H
#define SUPPORT_TRAFFIC_H

#include "capture/record.h"

/* Hands the records of a script to a sink. The test fails if it cannot be read. */
void traffic_play(const char *script, const struct ys_record_sink *sink);

/* The key that `enc` uses, in air order. */
extern const uint8_t traffic_key[16];

#endif
