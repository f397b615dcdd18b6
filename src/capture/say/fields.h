/* Prints the fields of packets, by the tables in layouts.h. One reader serves both the lines of a trace and a packet
 * shown in full. */
#ifndef CAPTURE_FIELDS_H
#define CAPTURE_FIELDS_H

#include <stdbool.h>

#include <yarnswift/bytes.h>

#include "capture/follow/glossary.h"

/* Called with a field: its name, its bytes, and their meaning. */
typedef void ys_field_fn(void *context, const char *name, const uint8_t *bytes, size_t length, const char *text);

/* Prints the fields of `reader` one after the other, until one is missing, and then the bytes that are left. */
void ys_fields_tell(const char *fields, struct ys_reader *reader, const struct ys_glossary *glossary, ys_field_fn *tell,
                    void *context);

#endif
