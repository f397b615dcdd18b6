/* The last packets that were on the air, and what they were, in words. */
#ifndef WORLD_PACKETS_H
#define WORLD_PACKETS_H

#include "capture/follow/glossary.h"
#include "world/world.h"

struct ys_packets;

/* Keeps the last packets of a world until that ends; names and meanings come from the glossary, which must outlive it.
 * NULL if there is no memory. */
struct ys_packets *ys_packets_new(struct ys_world *world, const struct ys_glossary *glossary);

/* To be called when the world has ended. */
void ys_packets_free(struct ys_packets *packets);

/* Says what the last `count` were that told something, the oldest first: each by one call of `line`, without a newline.
 * `all`: also empty packets, and advertising. */
void ys_packets_say(struct ys_packets *packets, size_t count, bool all, void (*line)(void *context, const char *text),
                    void *context);

#endif
