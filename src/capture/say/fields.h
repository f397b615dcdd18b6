/* The fields of packets, by the tables of layouts.h: one reader tells them all. What is on a line of a trace, and in a
 * packet that is shown whole, comes from here. */
#ifndef CAPTURE_FIELDS_H
#define CAPTURE_FIELDS_H

#include <stdbool.h>

#include <yarnswift/bytes.h>

#include "capture/follow/glossary.h"

/* Is told a field: its name, its bytes, and what they mean. */
typedef void ys_field_fn(void *context, const char *name, const uint8_t *bytes, size_t length, const char *text);

/* Tells the fields of `reader` one after the other, up to the first that is not there, and what is left over. */
void ys_fields_tell(const char *fields, struct ys_reader *reader, const struct ys_glossary *glossary, ys_field_fn *tell,
                    void *context);

#endif
