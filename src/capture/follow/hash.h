/* A number by which bytes are told apart. */
#ifndef CAPTURE_FOLLOW_HASH_H
#define CAPTURE_FOLLOW_HASH_H

#include <stddef.h>
#include <stdint.h>

uint32_t ys_hash(const uint8_t *bytes, size_t length);

#endif
