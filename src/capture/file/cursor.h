/* Common part of all readers: a cursor that knows its offset in the file, and can go back to the beginning of an
 * incomplete record. */
#ifndef CAPTURE_FILE_CURSOR_H
#define CAPTURE_FILE_CURSOR_H

#include <stdbool.h>
#include <stdint.h>
#include <stdio.h>

#include "capture/file/trouble.h"
#include "capture/record.h"

#define YS_CAPTURE_INTERFACES 256
#define NS_PER_S              UINT64_C(1000000000)
#define RECORD_MOST           (1u << 18) /* bytes of a record; more is no packet of ours */

/* What can be wrong. */
enum trouble {
    TROUBLE_CUT_FILE,
    TROUBLE_EMPTY,
    TROUBLE_LONG,
    TROUBLE_LINK_TYPE,
    TROUBLE_SHORT,
    TROUBLE_OTHER,
    TROUBLE_BACK,
    TROUBLE_JUMP,
    TROUBLE_INTERFACE,
    TROUBLE_BLOCK,
    TROUBLE_DROPPED,
    TROUBLE_KINDS
};

struct interface {
    uint32_t link_type;
    uint64_t ticks; /* in a second */
    int64_t offset_s;
    char name[64];
};

typedef enum step {
    STEP_RECORD, /* one was read */
    STEP_MORE,   /* something else was: go on */
    STEP_END
} step;

struct ys_capture {
    FILE *file;
    char *buffer;
    uint8_t *bytes;   /* of the record */
    uint8_t *scratch; /* for what is put before them */
    step (*next)(struct ys_capture *capture, struct ys_record *record);
    ys_capture_trouble_fn *trouble;
    void *context;
    uint64_t troubles[TROUBLE_KINDS];
    uint64_t offset;
    uint64_t number;
    uint64_t last_ns;
    uint64_t from_ns;
    uint64_t to_ns;
    uint32_t dropped; /* snoop: packets, so far */
    bool waits;
    bool broken;
    bool big;       /* the most significant byte comes first */
    bool bare;      /* snoop: packets have no type */
    uint8_t prefix; /* which is to be put before the next; 0: none */
    bool has_from;
    bool has_to;
    struct interface *interfaces;
    size_t interface_count;
};

/* Says what is wrong, with the place of the record. */
#if defined(__GNUC__)
__attribute__((format(printf, 3, 4)))
#endif
void ys_capture_tell(struct ys_capture *capture, enum trouble kind, const char *format, ...);

/* Reports how often each kind of trouble was repeated. */
void ys_capture_tell_rest(struct ys_capture *capture);

/* Numbers in the file's order of bytes. */
uint32_t ys_cursor_u32(const struct ys_capture *capture, const uint8_t *bytes);
uint16_t ys_cursor_u16(const struct ys_capture *capture, const uint8_t *bytes);

/* Reads into `to`; false if there are fewer bytes. `got` is the number that was read. */
bool ys_cursor_fetch(struct ys_capture *capture, void *to, size_t length, size_t *got);

/* Skips bytes of the file; false if there are fewer. */
bool ys_cursor_pass(struct ys_capture *capture, size_t length, size_t *got);

/* The end of the file has come within a record that began at `capture->offset`. */
step ys_cursor_give_back(struct ys_capture *capture, size_t got);

/* Makes a record of the bytes that were fetched to `capture->bytes`. */
step ys_cursor_unpack(struct ys_capture *capture, uint32_t link_type, size_t length, uint64_t at_ns,
                      struct ys_record *record);

/* Reads the bytes of a record, whose header has been read, to `capture->bytes`, and unpacks it. */
step ys_cursor_record(struct ys_capture *capture, uint32_t link_type, size_t length, uint64_t at_ns, size_t *got,
                      struct ys_record *record);

#endif
