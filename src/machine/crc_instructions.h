/* CRC-24 by products without carries; its plain twin is ys_link_crc. */
#ifndef MACHINE_CRC_INSTRUCTIONS_H
#define MACHINE_CRC_INSTRUCTIONS_H

#include <stddef.h>
#include <stdint.h>

/* Of at least 16 bytes. Only where ys_machine_has_products(). */
uint32_t ys_crc_fold(uint32_t init, const uint8_t *bytes, size_t length);

#endif
