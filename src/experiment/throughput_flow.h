/* What leaves and what comes in a run. */
#ifndef EXPERIMENT_THROUGHPUT_FLOW_H
#define EXPERIMENT_THROUGHPUT_FLOW_H

#include "experiment/throughput_run.h"

/* A value of a real device has arrived; its content is unknown. */
void ys_flow_count(struct flow *flow, uint16_t length);

/* A value has come: it must be the next. */
void ys_flow_take(struct flow *flow, const uint8_t *bytes, uint16_t length);

/* Bytes of the stream: each tells its place in it. */
void ys_flow_take_bytes(struct flow *flow, const uint8_t *bytes, uint16_t length);

/* A stream's ring is never empty for long: an interrupt would append so. */
void ys_flow_fill(struct link_run *link);

/* Handlers of the value; their context is the link. */
uint8_t ys_flow_read(const struct ys_access *access, struct ys_writer *value);
uint8_t ys_flow_write(const struct ys_access *access, struct ys_reader *value);

/* Sends the next message over the channel. */
void ys_flow_send(struct run *run);

/* Lets a link flow, until run->flows is false. */
void ys_flow_start(struct link_run *link);

/* Lets a single value go, at once; false if that is not possible with this carrier. */
bool ys_flow_single(struct link_run *link);

#endif
