/* pcap files. */
#ifndef CAPTURE_FILE_PCAP_H
#define CAPTURE_FILE_PCAP_H

#include "capture/file/cursor.h"

/* Begins to read it, if it begins as one does. */
bool ys_pcap_begin(struct ys_capture *capture, const uint8_t magic[4]);

#endif
