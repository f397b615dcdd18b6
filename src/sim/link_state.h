/* A connection as the simulated controller keeps it, seen from one end; and what the files share that make it up:
 *
 *   link_time.c    when its next event is
 *   link.c         events on their anchors, exchanges inside an event, supervision
 *   link_data.c    what is sent next, what was acknowledged, what came
 *   link_lengths.c how long packets may be
 *   procedures.c   control procedures: what comes, and what holds from an instant on; procedures_order.c has which goes
 *                  on, procedures_compose.c their PDUs, procedures_tell.c what hosts are told
 *   encryption.c   the one of them that starts encryption
 *   link_cipher.c  AES-CCM
 *   channels.c     which channels are used
 *   turns.c        whose turn it is on the one radio of the controller
 *   places.c       where the events of a central's connections lie */
#ifndef SIM_LINK_STATE_H
#define SIM_LINK_STATE_H

#include "sim/clock.h"
#include "sim/radio.h"
#include "wire/hci_link.h"
#include "wire/link.h"
#include "wire/link_control.h"

/* The time that a packet may deviate from its expected beginning, besides clock drift. */
#define SLACK_NS (16 * YS_NS_PER_US)

#define NS_PER_INTERVAL_STEP     (1250 * YS_NS_PER_US)
#define NS_PER_TIMEOUT_STEP      (10 * YS_NS_PER_MS)
#define NS_PER_EVENT_LENGTH_STEP (625 * YS_NS_PER_US)

#define DATA_CHANNELS 37

/* A data packet from the host on its way to the air. */
struct outbound {
    uint16_t length;
    uint16_t sent; /* and acknowledged */
    uint8_t boundary;
    uint8_t bytes[YS_LINK_PAYLOAD_MAX];
    struct outbound *next;
};

/* Control PDUs that wait to be sent, the first one first. */
enum control {
    CONTROL_UNKNOWN,
    CONTROL_PAUSE_REQ,
    CONTROL_PAUSE_RSP,
    CONTROL_ENC_REQ,
    CONTROL_ENC_RSP,
    CONTROL_REJECT,
    CONTROL_START_REQ,
    CONTROL_START_RSP,
    CONTROL_REJECT_EXT, /* answers */
    CONTROL_VERSION,
    CONTROL_FEATURE_RSP,
    CONTROL_PING_RSP,
    CONTROL_LENGTH_RSP,
    CONTROL_PHY_RSP,
    CONTROL_PARAM_RSP,
    CONTROL_PHY_UPDATE, /* what has an instant */
    CONTROL_UPDATE,
    CONTROL_CHANNEL_MAP,
    CONTROL_FEATURE_REQ, /* questions */
    CONTROL_PING_REQ,
    CONTROL_LENGTH_REQ,
    CONTROL_PHY_REQ,
    CONTROL_PARAM_REQ,
    CONTROL_TERMINATE
};

/* Where the procedure is that starts encryption, or pauses it before it is started anew with another key; the comment
 * at the top of encryption.c draws it. */
enum encryption_step {
    ENCRYPTION_IDLE,
    ENCRYPTION_PAUSING,  /* central: the pause is asked for; peripheral: it has been answered */
    ENCRYPTION_ASKED,    /* central: ENC_REQ is due or sent */
    ENCRYPTION_WAITS,    /* peripheral: its host is asked for the key; central: START_ENC_REQ is waited for */
    ENCRYPTION_STARTING, /* START_ENC_RSP is waited for */
};

struct link_cipher;

/* The state of encryption in the two link layers (Vol 6 Part B 5.1.3). */
struct encryption {
    uint8_t step; /* enum encryption_step */
    bool sends;   /* what is sent is encrypted; also the next: */
    bool receives;
    bool refreshes; /* it was encrypted before */
    uint64_t deadline_ns;
    struct ys_hci_key_name name;
    uint8_t key[16];         /* the long-term key, in air order */
    uint8_t diversifier[16]; /* of the session key, in air order: the central's half, then the peripheral's */
    uint8_t vector[8];       /* the same */
    struct link_cipher *cipher;
};

/* Procedures that this side can begin, beside encryption and termination. The first that is wanted goes first, and one
 * goes on at a time (Vol 6 Part B 5.2). */
enum procedure {
    PROCEDURE_VERSION,
    PROCEDURE_FEATURES,
    PROCEDURE_LENGTH,
    PROCEDURE_PHY,
    PROCEDURE_PARAMETERS, /* a peripheral asks for other parameters */
    PROCEDURE_UPDATE,     /* a central sets them */
    PROCEDURE_CHANNELS,   /* a central sets the channel map */
    PROCEDURE_PING,
    PROCEDURE_NONE
};

/* The control procedures of a link; the comment at the top of procedures.c says how they get along. */
struct procedures {
    uint16_t wanted; /* bits of enum procedure */
    uint8_t local;   /* enum procedure: that this side has begun */
    uint8_t remote;  /* the same: that the other side has begun, and that is not over with the answer */
    uint64_t local_deadline_ns;
    uint64_t remote_deadline_ns;
    bool version_sent;
    bool features_wanted; /* by the host */
    bool version_wanted;  /* the same */
    bool phy_wanted;      /* the same */
    uint8_t unknown;      /* the opcode for CONTROL_UNKNOWN */
    uint8_t refused;      /* the opcode for CONTROL_REJECT_EXT, and why: */
    uint8_t refused_code;
    uint64_t features; /* of the other side */
    struct ys_link_control_pdu version;
    struct ys_hci_parameters parameters; /* that this side asks for, or sets */
    uint8_t channel_map[5];              /* the same */
    uint8_t send_phys;                   /* that this side wants: bits; also the next: */
    uint8_t receive_phys;
    uint8_t peer_send_phys; /* central: likewise the other side */
    uint8_t peer_receive_phys;
    struct ys_link_control_pdu pending; /* what holds from its instant on */
    bool has_pending;
    bool moves;       /* the update that is wanted is for another place of the events, which no host has asked for; */
    bool moved;       /* the same the one that has been sent */
    uint64_t late_ns; /* within the transmit window */
};

/* How a channel has done. */
struct channel_quality {
    uint8_t tries;
    uint8_t failures;
};

/* How a central's connection uses its events, of which places.c makes something. */
struct usage {
    uint64_t began_ns;    /* the exchange that goes on; 0: one with a control PDU, which does not count */
    uint64_t longest_ns;  /* the longest since the last look; and of the look before: */
    uint64_t exchange_ns; /* 0: not known */
    bool cut;             /* since the last look, an event was over while there was more to say; before: */
    bool busy;
    uint8_t events; /* since the last look */
};

struct link;

/* What link.c does for those below it. */
struct link_calls {
    /* Ends it at once. */
    void (*end)(struct link *link, uint8_t reason);
    /* Leaves the rest of an event out. */
    void (*leave)(struct link *link);
};

struct link {
    const struct link_calls *calls;
    struct ys_controller *controller;
    bool used;
    bool central;
    uint16_t handle;
    struct ys_link_connect parameters;
    enum ys_phy send_phy;
    enum ys_phy receive_phy;
    bool prefers_s2;
    bool by_counter; /* channel selection algorithm #2 */

    /* events */
    uint16_t counter;         /* of the event at `anchor_ns` */
    uint16_t ahead;           /* so many events after it the next one is attended */
    uint64_t anchor_ns;       /* of the current event, or the last; expected, until it is heard */
    uint64_t window_ns;       /* peripheral: how long the first packet may take to come, beside the widening */
    uint64_t synced_ns;       /* peripheral: when it last heard an anchor */
    uint64_t event_length_ns; /* 0: without a limit */
    uint64_t end_ns;          /* nothing of this event may be on the air after that, as both sides know */
    uint64_t own_end_ns;      /* the same, as this side alone knows */
    uint16_t exchanges;       /* packets that this side has sent in this event */
    uint8_t last_unmapped;
    uint8_t channel;
    uint32_t silent_events; /* in a row, in which nothing was heard */
    uint32_t left_out;      /* in a row, for another use of the radio */
    uint64_t last_heard_ns;
    uint64_t last_authenticated_ns;
    uint64_t payload_timeout_ns;
    bool payload_timeout_told;
    bool established; /* at least one packet was heard */
    bool in_event;
    bool heard; /* in this event, also the next: */
    uint8_t bad_in_a_row;
    bool sends;      /* the step timer sends; otherwise it ends waiting */
    int8_t rssi_dbm; /* of the last packet */

    /* data */
    bool sequence;
    bool next_expected;
    bool in_flight; /* `pdu` waits for its acknowledgement */
    bool peer_has_more;
    bool peer_was_empty; /* its last packet carried nothing */
    struct ys_link_data pdu;
    uint8_t payload[YS_LINK_PAYLOAD_MAX + YS_LINK_MIC_SIZE];
    uint16_t data_in_flight; /* bytes of data that are in `pdu` */
    uint32_t queued;         /* bytes of data that are not acknowledged */
    struct outbound *first;
    struct outbound *last;
    struct ys_link_lengths lengths;      /* that this side wants */
    struct ys_link_lengths peer_lengths; /* the same the other */
    struct ys_link_lengths told;         /* to the host, of what both allow */
    uint64_t exchange_ns;                /* how long two of the longest packets take, with T_IFS after each */
    uint8_t send_payload;                /* the longest data that may be sent now */
    uint16_t receive_payload;            /* the same that may come */

    /* control */
    uint32_t controls_due;    /* bits of enum control */
    uint8_t control_sent;     /* the opcode of the control PDU in flight */
    uint8_t terminate_reason; /* asked for by this host; 0: none */
    uint8_t ended_by_peer;    /* its reason; the link ends once that is acknowledged */
    struct encryption encryption;
    struct procedures procedures;

    struct channel_quality quality[DATA_CHANNELS];
    uint32_t quality_events;
    struct usage usage;

    struct ys_timer event;
    struct ys_timer step;
    struct ys_timer watch; /* when it may have been silent for too long */
    struct ys_receiver receiver;
};

/* How a link comes to be. */
struct link_begin {
    bool central;
    bool extended;   /* by an AUX_CONNECT_REQ, on the PHY on which it was sent */
    bool by_counter; /* channel selection algorithm #2 */
    enum ys_phy phy;
    uint64_t end_ns;  /* of that, or of the CONNECT_IND */
    uint64_t late_ns; /* central: the first packet, within the transmit window */
};

#endif
