/* Definitions in files. */
#ifndef DESIGN_OPEN_H
#define DESIGN_OPEN_H

#include "design/model/model.h"

/* ys_design_read from a file of at most 16 MiB, with what it includes from other files. NULL, with errno, if it cannot
 * be read; EFBIG if it is longer. */
struct ys_design *ys_design_open(const char *path);

#endif
