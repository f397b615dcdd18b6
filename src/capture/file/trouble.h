/* What is wrong in a file. */
#ifndef CAPTURE_FILE_TROUBLE_H
#define CAPTURE_FILE_TROUBLE_H

#include <stdint.h>

/* Is called with a problem, or a remark, and its offset in the file in bytes. Of each kind, the first is reported at
 * once, and their number at the end. */
typedef void ys_capture_trouble_fn(void *context, uint64_t offset, const char *text);

#endif
