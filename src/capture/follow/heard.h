/* What is known of a connection that is heard, and of a packet of it. */
#ifndef CAPTURE_FOLLOW_HEARD_H
#define CAPTURE_FOLLOW_HEARD_H

#include "capture/follow/cipher.h"
#include "capture/follow/dialogue.h"
#include "capture/follow/keys.h"
#include "wire/link.h"
#include "wire/link_control.h"

/* What comes so much later than an event must begin is not its first packet, but the next of the same side at the
 * earliest. */
#define YS_NEXT_PACKET_NS UINT64_C(300000)

/* One side: 0 is the central, 1 the peripheral. */
struct ys_link_end {
    bool any;
    bool sequence; /* of its last packet; likewise: */
    bool next_expected;
    bool more;
    uint8_t kind;
    uint8_t length;
    uint32_t hash; /* of the payload */
    uint64_t start_ns;
    uint64_t end_ns;
    uint64_t record;
    enum ys_phy phy;
    struct ys_link_lengths lengths; /* that it has said; 0: not */
};

/* Whether what is sent can be read. */
enum ys_readable { YS_READ_CLEAR, YS_READ_DECRYPTED, YS_READ_NOT };

struct ys_air_link {
    uint64_t number;                /* of the link in its capture, from 1 */
    uint64_t used;                  /* when it was heard last, in records */
    struct ys_party *parties[2];    /* or NULL */
    struct ys_link_connect request; /* if it was seen */
    uint32_t access_address;        /* 0: this memory is free */
    uint32_t crc_init;
    uint64_t request_end_ns;
    bool begun; /* its connect request was seen */
    bool ended; /* and its end was */
    bool request_was_auxiliary;
    bool channel_selection_2;
    /* events */
    bool anchored;    /* an event was seen */
    bool counted;     /* the counter is that of the devices */
    uint8_t channel;  /* of the current event */
    uint8_t unmapped; /* channel selection #1: likewise */
    uint16_t counter;
    uint16_t latency;
    uint32_t interval_us; /* 0: not known */
    uint64_t anchor_ns;   /* of the current event */
    bool anchor_is_sure;  /* that was its first packet, or followed from one that was */
    uint64_t expected_ns; /* where it had to be; 0: not known */
    uint64_t since_ns;    /* from the anchor before to there */
    uint64_t events;      /* seen */
    uint64_t last_end_ns; /* of any packet; likewise: */
    int last_side;
    uint16_t timeout;       /* 10 ms */
    uint8_t channel_map[5]; /* in use */
    bool knows_map;
    bool knows_phys;
    bool is_encrypted;
    bool pausing;
    uint8_t halves;          /* bits: which of those below were seen */
    enum ys_phy phys[2];     /* of each side's packets */
    uint8_t diversifier[16]; /* the central's half first; likewise: */
    uint8_t vector[8];
    struct ys_opener *opener; /* NULL: no key fits */
    uint64_t unreadable;      /* packets */
    /* holes */
    uint64_t holes;                    /* where something that was received may have been missed */
    uint64_t apart_ns;                 /* when the last packet began before which any may be missing */
    bool encryption_unsure;            /* it may have begun or ended in a hole */
    uint32_t candidate;                /* of an interval that is not known, in 1.25 ms */
    uint8_t candidate_count;           /* of intervals that were so */
    struct ys_link_control_pdu update; /* at an instant; opcode 0xff: none; likewise: */
    struct ys_link_control_pdu map;
    struct ys_link_control_pdu phy_update;
    struct ys_link_end ends[2];
    struct ys_dialogue dialogue;
};

/* What a packet of it was. */
struct ys_link_seen {
    int side;
    bool side_is_sure;
    bool new_event;
    bool repeated;         /* the same as before, sent again */
    bool gap;              /* one or more before it of this side are missing, by its bits or its key */
    bool apart;            /* any may be missing before it; and: */
    bool hole;             /* what the other side has received may be among them */
    uint64_t hole_from_ns; /* the end of what was heard before it */
    uint64_t open_record;  /* a request whose answer may lie in it; 0: none */
    uint32_t hash;         /* of the payload */
    uint16_t counter;
    bool counted;
    bool anchor_is_sure; /* and so was the one before */
    struct ys_link_data data;
    bool good; /* `data` is well formed */
    enum ys_readable readable;
    bool mic_failed;        /* with the key that has fitted before */
    const uint8_t *payload; /* as it can be read */
    uint8_t length;
    bool is_control;
    bool control_good;
    struct ys_link_control_pdu control;
    struct ys_link_end ends_before[2]; /* what each side had sent before it */
    struct ys_said said;
};

#endif
