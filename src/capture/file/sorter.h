/* Sorts records by time. A packet is reported when it ends, with the time at which it began. */
#ifndef CAPTURE_SORTER_H
#define CAPTURE_SORTER_H

#include "capture/record.h"

struct ys_sorter;

/* Hands records on to `sink`, numbered from 1; NULL if there is no memory. */
struct ys_sorter *ys_sorter_new(const struct ys_record_sink *sink);

/* Takes a record. Those that began longer ago than any packet lasts are handed on. */
void ys_sorter_take(struct ys_sorter *sorter, const struct ys_record *record);

/* The same for a packet of the simulated radio, whose fields are all known. */
void ys_sorter_take_air(struct ys_sorter *sorter, const struct ys_air_packet *packet);

/* Hands on what is left. */
void ys_sorter_end(struct ys_sorter *sorter);
void ys_sorter_free(struct ys_sorter *sorter);

#endif
