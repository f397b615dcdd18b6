/* How often bits arrive wrong, by how much stronger a signal is than noise and interference together.
 *
 * Uncoded: GFSK, received without its phase, so that half of exp(-x) of the bits are wrong, where x is in proportion to
 * the ratio of the two powers. LE Coded: the same of each symbol, and then a decoder of hard decisions for the code of
 * the standard (Core 5.4 Vol 6 Part B 3.3.1), by its union bound; its errors come in bursts, so that packets have to do
 * with how often a burst begins. A margin is how many dB the ratio is above that at which one bit of a thousand is
 * wrong, which is what the standard calls sensitivity (Vol 6 Part A 4.1). */
#ifndef MEASURE_ERRORS_H
#define MEASURE_ERRORS_H

#include <stdbool.h>
#include <stddef.h>

#include "wire/link.h"

/* The bits of an access address, all of which must be right for a packet to be heard; for LE Coded, with the coding
 * indicator and the end of that block, which always has S=8 (Vol 6 Part B 2.2). */
#define YS_SYNC_BITS       32
#define YS_SYNC_BITS_CODED 37

/* The bits after it: header, payload, CRC, and three that end a coded block. `length` is that of the PDU, with its
 * header of two bytes. */
static inline unsigned ys_bits_of(enum ys_phy phy, size_t length)
{
    return (unsigned)(8 * (length + 3)) + (ys_phy_is_coded(phy) ? 3 : 0);
}

/* The share of bits that are wrong, 0 to 0.5. */
double ys_bit_errors(bool coded, double margin_db);

/* How often an error begins, for each bit: uncoded the same, coded once for each burst. 0 to 1. */
double ys_error_starts(bool coded, double margin_db);

/* The probability that a packet is heard, and that it then has no error after its access address. Both margins are the
 * same but for a packet of S=2, whose beginning has that of S=8. */
double ys_packet_heard(enum ys_phy phy, double margin_db);
double ys_packet_whole(enum ys_phy phy, double margin_db, size_t length);

/* Thermal noise in the band of a PHY, in dBm, at 17 degrees Celsius. */
double ys_thermal_noise_dbm(enum ys_phy phy, double noise_figure_db);

#endif
