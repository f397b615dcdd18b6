/* The air over time, for a page: packets in words and bytes, values as points, and the load of the air. Its memory is
 * bounded, so that the page of an hour stays small; it counts what it leaves out. */
#ifndef CLI_PAGE_TIMELINE_H
#define CLI_PAGE_TIMELINE_H

#include <jansson.h>

#include "capture/follow/follow.h"
#include "capture/follow/glossary.h"

struct timeline;

/* NULL if there is no memory. The glossary must outlive it. */
struct timeline *timeline_new(const struct ys_glossary *glossary);
void timeline_free(struct timeline *timeline);

/* Takes a followed record; a ys_seen_fn whose `context` is the timeline. */
void timeline_take(void *context, const struct ys_seen *seen);

/* All of it; the caller's. Times are in seconds from the origin. */
json_t *timeline_json(const struct timeline *timeline);

/* One packet in words and bytes, as the timeline has them; NULL if it says nothing. The caller's. */
json_t *timeline_packet(const struct ys_seen *seen, const struct ys_glossary *glossary, uint64_t origin_ns);

#endif
