/* CRC-24 of the link layer, as fast as the machine can. */
#ifndef MACHINE_CRC_H
#define MACHINE_CRC_H

#include "wire/link.h"

/* Gives what ys_link_crc gives. */
uint32_t ys_machine_crc(uint32_t init, const uint8_t *bytes, size_t length);

#endif
