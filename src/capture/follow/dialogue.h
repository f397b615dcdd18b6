/* The protocols of a connection above the link layer, for the air and for HCI: frames are reassembled and decoded. */
#ifndef CAPTURE_DIALOGUE_H
#define CAPTURE_DIALOGUE_H

#include "capture/follow/party.h"
#include "capture/record.h"
#include "wire/att.h"
#include "wire/l2cap.h"
#include "wire/smp.h"

/* A frame that was whole. */
enum ys_upper { YS_UPPER_NONE, YS_UPPER_ATT, YS_UPPER_SECURITY, YS_UPPER_SIGNALLING, YS_UPPER_OTHER };

/* A request that waits for its answer. */
struct ys_asked {
    bool waits; /* otherwise there is none */
    uint8_t opcode;
    uint16_t handle;
    uint16_t last;
    uint16_t offset;
    uint32_t hash; /* of its value */
    struct ys_uuid type;
    uint64_t at_ns;
    uint64_t record; /* its number */
};

/* The greatest number of pending requests of a peer that does not wait for answers. */
#define YS_ASKED_MOST 16

/* One direction. */
struct ys_speaker {
    struct ys_party *party; /* or NULL */
    uint8_t *frame;
    size_t length;   /* of what has come of it */
    size_t expected; /* 0: none has begun */
    size_t capacity;
    struct ys_asked
        asked[YS_ASKED_MOST]; /* its requests that wait, the oldest first: more than one is against the rules */
    size_t asked_count;
    size_t asked_passed;       /* the oldest of them, that one after them was answered before */
    struct ys_asked indicated; /* its indication */
    uint16_t mtu;              /* that it has said; 0: not */
};

struct ys_dialogue {
    bool mtu_is_agreed;            /* the whole exchange was seen, which comes once */
    struct ys_speaker speakers[2]; /* the central, the peripheral */
    uint16_t mtu;
    uint16_t longest_att; /* frame of the attribute protocol, in bytes: the MTU is not less */
    bool mtu_is_sure;     /* the connection was seen from its beginning, or the exchange was */
    struct ys_old_steps { /* of the older pairing, for its keys */
        uint8_t request[7];
        uint8_t response[7];
        uint8_t confirm[16];
        uint8_t randoms[2][16];
        uint8_t got; /* bits, in this order */
        bool tried;
    } old;
};

/* The content of a piece. Pointers are into the dialogue's frame, until its next piece. */
struct ys_said {
    enum ys_upper upper; /* YS_UPPER_NONE: no frame is whole with it */
    uint16_t channel;
    const uint8_t *frame; /* what is in it, after its header */
    size_t length;
    bool stray;      /* the piece continues what was not begun; or, if it begins: */
    bool unfinished; /* what was begun before was not finished */
    bool overrun;    /* more came than the frame's header says */
    int verdict;     /* enum ys_att_verdict or enum ys_smp_verdict */
    struct ys_att_pdu att;
    struct ys_smp_pdu smp;
    struct ys_l2cap_signal signal;
    struct ys_party *server;  /* whose attributes it is about; NULL: not known, or none */
    struct ys_asked question; /* what is answered with it; no `waits`: nothing was asked */
    struct ys_asked
        replaced;    /* the oldest request or the indication that still waited, when it was sent; no `waits`: none */
    uint16_t handle; /* of the value; 0: it is about none */
    uint16_t offset; /* of what there is of the value */
    const uint8_t *value; /* NULL: none is in it */
    size_t value_length;
};

/* A piece of a frame, sent by this side (0: the central). */
struct ys_piece {
    int side;
    bool first;
    const uint8_t *bytes;
    size_t length;
    uint64_t at_ns;
    uint64_t record;
};

void ys_dialogue_take(struct ys_dialogue *dialogue, const struct ys_piece *piece, struct ys_said *said);

/* The MTU; if it is uncertain, its lower bound by the longest frame. */
uint16_t ys_dialogue_mtu(const struct ys_dialogue *dialogue);

/* Earlier messages may be missing: an unfinished frame is dropped, requests may have been answered, and answers may
 * belong to unseen requests. */
void ys_dialogue_hole(struct ys_dialogue *dialogue);

/* Frees what is in it, but not itself. */
void ys_dialogue_clear(struct ys_dialogue *dialogue);

#endif
