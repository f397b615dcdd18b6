/* The last packets that were on the air, and what they were, in words. */
#ifndef SCENE_PACKETS_H
#define SCENE_PACKETS_H

#include <stdint.h>

#include "scene/world.h"
#include "wire/air.h"

struct ys_packets;

/* What a number of a sender is called; NULL if nobody knows. */
typedef const char *ys_sender_fn(void *context, uint16_t number);

/* What the value behind a handle of a sender's server is called, and what it means; NULL if nobody knows. */
struct ys_field;
typedef const char *ys_handle_fn(void *context, uint16_t number, uint16_t handle, const struct ys_field **field);

/* NULL if there is no memory. */
struct ys_packets *ys_packets_new(ys_sender_fn *sender, ys_handle_fn *handle, void *context);
void ys_packets_free(struct ys_packets *packets);

/* Takes a packet, in the order in which they end. */
void ys_packets_take(struct ys_packets *packets, const struct ys_air_packet *packet);

/* Says what the last `count` were that told something, the oldest first: each by one call of `line`, without a newline.
 * `all`: also empty packets, and advertising. */
void ys_packets_say(const struct ys_packets *packets, size_t count, bool all,
                    void (*line)(void *context, const char *text), void *context);

#endif
