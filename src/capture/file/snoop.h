/* snoop files. */
#ifndef CAPTURE_FILE_SNOOP_H
#define CAPTURE_FILE_SNOOP_H

#include "capture/file/cursor.h"

/* Begins to read it, if it begins as one does. */
bool ys_snoop_begin(struct ys_capture *capture, const uint8_t magic[4]);

#endif
