/* --capture of the verbs that simulate: what is on the air, and crosses HCI, goes into a file. */
#ifndef CLI_SHARED_RECORDER_H
#define CLI_SHARED_RECORDER_H

#include <argp.h>

#include "capture/file/writer.h"
#include "cli/shared/options.h"
#include "world/world.h"

/* Their options, as rows of a verb's table. */
/* clang-format off */
#define RECORDER_OPTIONS                                                                                               \
    {"capture", RECORDER_CAPTURE, "FILE", 0,                                                                           \
     "Write a capture of the air and of HCI to FILE: NAME.pcapng has both; with NAME.pcap, HCI goes to NAME-WHO.pcap",  \
     0},                                                                                                               \
    REPLACE_OPTION
/* clang-format on */

enum recorder_key { RECORDER_CAPTURE = 0x200 };

struct recorder {
    const char *path; /* NULL: nothing is captured */
    struct ys_capture_writer *writer;
    struct ys_recording recording;
};

/* Takes its option; false if the key is another. */
bool recorder_parse(struct recorder *recorder, int key, char *argument);

/* Makes the file, if one is wanted; false after a line. */
bool recorder_begin(struct recorder *recorder, bool replaces);

/* What a run is given; NULL if nothing is captured. */
struct ys_recording *recorder_recording(struct recorder *recorder);

/* Closes the file; false after a line. */
bool recorder_end(struct recorder *recorder);

#endif
