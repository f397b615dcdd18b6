/* The state of a connection that is heard, and of a packet of it. */
#ifndef CAPTURE_FOLLOW_HEARD_H
#define CAPTURE_FOLLOW_HEARD_H

#include "capture/follow/cipher.h"
#include "capture/follow/dialogue.h"
#include "capture/follow/hopping.h"
#include "capture/follow/keys.h"
#include "wire/link.h"
#include "wire/link_control.h"

/* A packet that arrives this much later than an event must begin is not its first packet, but at the earliest the next
 * of the same side. */
#define YS_NEXT_PACKET_NS UINT64_C(300000)

/* What is known of who recorded. */
struct ys_recorder {
    bool lossy;         /* it is known to miss packets */
    uint64_t step_ns;   /* of its times, or what the clocks of several may be apart */
    uint32_t device;    /* what the capture calls it, and 1 more; 0: nothing was heard on the air */
    bool several;       /* recorders, each with its own clock */
    bool writes_crcs;   /* a CRC was seen that fits, where it is not said to be wrong */
    uint32_t allowance; /* for searches: see ys_hopping_take */
};

/* A clock against the recorder's: a line through the anchors. */
struct ys_clock_fit {
    bool waits;     /* whether what was taken for an anchor was one is not known yet */
    uint64_t count; /* of anchors */
    uint64_t first_ns;
    uint64_t first_passed; /* events */
    double last_s;
    double sum_s;
    double sum_us;
    double sum_s_s;
    double sum_s_us;
};

/* So many packets with the same beginning of their CRC show it. */
#define YS_CRC_LEARNT 3

/* One side: 0 is the central, 1 the peripheral. */
struct ys_link_end {
    bool any;
    bool sequence; /* of its last packet; also the next: */
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
    uint64_t number;       /* of the link in its capture, from 1 */
    uint64_t first_record; /* its connect request, or its first packet; and its time: */
    uint64_t first_ns;
    uint64_t packets;
    uint64_t step_ns;               /* of the recorder's times */
    uint64_t used;                  /* when it was heard last, in records */
    struct ys_party *parties[2];    /* or NULL */
    struct ys_link_connect request; /* if it was seen */
    uint64_t request_end_ns;
    uint32_t access_address; /* 0: this memory is free */
    uint32_t crc_init;
    uint32_t crc_fits; /* packets in a row; of a connection that was joined, it is known after a few */
    bool begun;        /* its connect request was seen */
    bool ended;        /* and its end was */
    bool request_was_auxiliary;
    bool channel_selection_2;
    /* events */
    uint64_t anchor_ns;   /* of the current event */
    uint64_t expected_ns; /* where it had to be; 0: not known */
    uint64_t since_ns;    /* from the anchor before to there */
    uint64_t events;      /* seen */
    uint64_t passed;      /* from any on */
    uint64_t last_end_ns; /* of any packet; also the next: */
    int last_side;
    uint32_t interval_us;     /* 0: not known */
    bool interval_is_learned; /* from its events */
    bool anchored;            /* an event was seen */
    bool anchor_is_sure;      /* that was its first packet, or followed from one that was */
    bool counted;             /* the counter is that of the devices */
    bool placed;              /* it is known where in its hops it is */
    uint8_t channel;          /* of the current event */
    uint8_t unmapped;         /* channel selection #1: likewise */
    uint16_t counter;
    uint16_t latency;
    uint16_t timeout;       /* 10 ms */
    uint8_t channel_map[5]; /* in use */
    bool knows_map;
    bool knows_phys;
    bool sides_are_said;      /* the capture says who has sent its packets */
    uint8_t longest[2];       /* data in a packet of each side, in bytes */
    enum ys_phy phys[2];      /* of each side's packets */
    struct ys_opener *opener; /* NULL: no key fits */
    uint64_t unreadable;      /* packets */
    uint8_t diversifier[16];  /* the central's half first; also the next: */
    uint8_t vector[8];
    uint8_t halves; /* bits: which of those were seen */
    bool is_encrypted;
    bool pausing;
    bool encryption_unsure; /* it may have begun or ended in a hole */
    /* holes */
    uint8_t candidate_count;           /* of intervals that were so: */
    uint32_t candidate;                /* of an interval that is not known, in 1.25 ms */
    uint64_t holes;                    /* where something that was received may have been missed */
    uint64_t apart_ns;                 /* when the last packet began before which any may be missing */
    struct ys_link_control_pdu update; /* at an instant; opcode 0xff: none; also the next: */
    struct ys_link_control_pdu map;
    struct ys_link_control_pdu phy_update;
    struct ys_link_end ends[2];
    struct ys_dialogue dialogue;
    struct ys_clock_fit clock;
    struct ys_hopping hopping; /* while it is not known */
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
    bool hole_is_shown;    /* the recorder is known to miss packets */
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
