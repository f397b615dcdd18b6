/* Which kind an auxiliary packet of extended advertising is, which it does not say itself. */
#ifndef CAPTURE_FOLLOW_AUXILIARY_H
#define CAPTURE_FOLLOW_AUXILIARY_H

#include "capture/record.h"
#include "wire/extended.h"

#define YS_POINTERS_MOST 32

/* The announced place and time of the next packet of an event. */
struct ys_pointer {
    bool any;
    bool from_primary;
    uint8_t channel;
    uint64_t from_ns;
    uint64_t to_ns;
};

/* What was heard that tells it. */
struct ys_auxiliaries {
    struct ys_pointer pointers[YS_POINTERS_MOST];
    uint32_t next;
    uint64_t asked_ns[40]; /* the end of the last scan request on each channel */
};

/* A scan request was heard. */
void ys_auxiliaries_asked(struct ys_auxiliaries *auxiliaries, const struct ys_record *record);

/* The kind of a PDU (enum ys_auxiliary); notes its pointer. Unknown ones are none. */
uint8_t ys_auxiliaries_take(struct ys_auxiliaries *auxiliaries, const struct ys_record *record,
                            const struct ys_link_extended *pdu);

#endif
