/* What is wrong in a file. */
#ifndef CAPTURE_FILE_TROUBLE_H
#define CAPTURE_FILE_TROUBLE_H

#include <stdint.h>

/* Is told what is wrong, or worth knowing, with the byte of the file at which it is. Of each kind of trouble the first
 * is told, and how often it came at the end. */
typedef void ys_capture_trouble_fn(void *context, uint64_t offset, const char *text);

#endif
