/* Definitions, read and checked. */
#ifndef DESIGN_OPEN_H
#define DESIGN_OPEN_H

#include "design/model/model.h"

/* Reads and checks a definition. Always returns a design; it may only be used for more than its findings if
 * findings.errors is 0. `text` of `length` bytes is copied; `file` is for messages and for the name. `load` reads what
 * it includes; if it is NULL, nothing can be included. */
struct ys_design *ys_design_read(const char *file, const char *text, size_t length, ys_load_fn *load,
                                 void *load_context);

/* The same from a file of at most 16 MiB, with what it includes from other files. NULL, with errno, if it cannot
 * be read; EFBIG if it is longer. */
struct ys_design *ys_design_open(const char *path);

#endif
