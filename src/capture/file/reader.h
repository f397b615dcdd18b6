/* Captures in files: pcap and pcapng with the registered link types of Bluetooth LE and HCI, and the log of HCI in the
 * snoop format that many devices write. Read from front to end, in little memory.
 *
 * What is wrong in a file is said, with its place, and what can be read is read. */
#ifndef CAPTURE_READER_H
#define CAPTURE_READER_H

#include <stdio.h>

#include "capture/file/trouble.h"
#include "capture/record.h"

struct ys_capture;

/* Reads a capture from `file`, which becomes the capture's. NULL, and why in `error`, if it is not one, and `file` is
 * closed then. With `waits` an end in the middle of a record is no trouble: more may come. */
struct ys_capture *ys_capture_new(FILE *file, bool waits, ys_capture_trouble_fn *trouble, void *context, char *error,
                                  size_t size);

/* The same from a path. */
struct ys_capture *ys_capture_open(const char *path, bool waits, ys_capture_trouble_fn *trouble, void *context,
                                   char *error, size_t size);
void ys_capture_free(struct ys_capture *capture);

/* Reads the next record, which is valid until the next call. False at the end; if it waits, it may be asked again once
 * the file has grown. */
bool ys_capture_next(struct ys_capture *capture, struct ys_record *record);

/* Says what is told at the end. */
void ys_capture_end(struct ys_capture *capture);

/* The times at which the capture began and ended, if the file gives them (perhaps only at its end); false otherwise. */
bool ys_capture_watched(const struct ys_capture *capture, uint64_t *from_ns, uint64_t *to_ns);

/* Whether the file at this path begins as a capture does; false also if it cannot be read. */
bool ys_capture_is_one(const char *path);

#endif
