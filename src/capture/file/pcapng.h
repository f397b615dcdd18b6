/* pcapng files. */
#ifndef CAPTURE_FILE_PCAPNG_H
#define CAPTURE_FILE_PCAPNG_H

#include "capture/file/cursor.h"

/* Begins to read it, if it begins as one does: it is `ours` then. Returns why it cannot be read, or NULL. */
const char *ys_pcapng_begin(struct ys_capture *capture, const uint8_t magic[4], bool *ours);

#endif
