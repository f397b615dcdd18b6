/* Writes captures: pcap with nanoseconds, or pcapng. */
#ifndef CAPTURE_WRITER_H
#define CAPTURE_WRITER_H

#include "capture/record.h"

struct ys_capture_writer;

/* Creates a file. If its name ends in .pcapng, it has the air, and the HCI of each device as an interface of its own.
 * If it ends in .pcap, it has the air, and the HCI of each device goes into a file beside it, NAME-DEVICE.pcap. */
struct ys_capture_writer *ys_capture_create(const char *path, bool replaces, char *error, size_t size);

/* Writes a record; those of a file should come in the order of their times. */
void ys_capture_write(struct ys_capture_writer *writer, const struct ys_record *record);

/* As a sink of records. */
void ys_capture_sink(void *writer, const struct ys_record *record);

/* Closes it; it was watched from then to then, which only pcapng can tell. False, and why in `error`, if something
 * could not be written. */
bool ys_capture_close(struct ys_capture_writer *writer, uint64_t from_ns, uint64_t to_ns, char *error, size_t size);

#endif
