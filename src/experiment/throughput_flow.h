/* What leaves and what comes in a run. Each value begins with its number, by which the other side sees that none is
 * missing, and when it left. */
#ifndef EXPERIMENT_THROUGHPUT_FLOW_H
#define EXPERIMENT_THROUGHPUT_FLOW_H

#include "experiment/throughput_run.h"

/* A value has come: it must be the next. */
void ys_flow_take(struct run *run, const uint8_t *bytes, uint16_t length);

/* Bytes of the stream: each tells its place in it. */
void ys_flow_take_bytes(struct run *run, const uint8_t *bytes, uint16_t length);

/* A stream's ring is never empty for long: an interrupt would append so. */
void ys_flow_fill(struct run *run);

/* Handlers of the value. */
uint8_t ys_flow_read(const struct ys_access *access, struct ys_writer *value);
uint8_t ys_flow_write(const struct ys_access *access, struct ys_reader *value);

/* Sends the next message over the channel. */
void ys_flow_send(struct run *run);

/* Lets it flow, until run->flows is false. */
void ys_flow_start(struct run *run);

#endif
