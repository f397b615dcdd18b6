/* What a recorder has missed of a connection. */
#ifndef CAPTURE_FOLLOW_HOLES_H
#define CAPTURE_FOLLOW_HOLES_H

#include "capture/follow/heard.h"

/* Where the link was before its packet was taken. */
struct ys_link_before {
    bool anchored;
    uint16_t counter;
    uint64_t last_end_ns;
    int last_side;
    bool paced; /* the interval was known */
};

/* Notes in `seen` whether packets may be missing before this one (`apart`), and whether what the other side has
 * received may be among them (`hole`). `lossy` says whether the recorder is known to miss packets; it is set if this
 * shows it. What a hole may hide is unknown to the link from now on. */
void ys_holes_note(struct ys_air_link *link, const struct ys_link_before *before, const struct ys_record *record,
                   struct ys_link_seen *seen, bool *lossy);

#endif
