/* A number by which bytes are told apart. */
#ifndef CAPTURE_FOLLOW_HASH_H
#define CAPTURE_FOLLOW_HASH_H

#include <stddef.h>
#include <stdint.h>

/* The same for the same bytes on one machine; it is nothing to be kept. */
uint32_t ys_hash(const uint8_t *bytes, size_t length);

#endif
