/* What the audit keeps of what it has seen. */
#ifndef CAPTURE_AUDIT_STATE_H
#define CAPTURE_AUDIT_STATE_H

#include "capture/audit/breaches.h"
#include "capture/follow/follow.h"
#include "capture/follow/glossary.h"
#include "wire/hci_link.h"

#define NS_PER_US UINT64_C(1000)
#define NS_PER_MS UINT64_C(1000000)
#define NS_PER_S  UINT64_C(1000000000)

/* How exact a time within an exchange must be (Vol 6 Part B 4.2.1). */
#define JITTER_NS (2 * NS_PER_US)

/* An advertiser of legacy packets. */
struct advertiser {
    bool any;
    bool shared; /* two send with this address: their events cannot be told apart */
    uint8_t type;
    uint8_t last_channel;
    uint8_t inverted; /* how often in a row its channels went downwards within an event */
    uint8_t same;     /* intervals in a row that were the same */
    uint32_t payload;
    uint64_t event_ns; /* begin of the last event */
    uint64_t last_ns;  /* of the last packet */
    uint64_t end_ns;   /* of that */
    uint64_t interval_ns;
};

/* The last packet of a kind on a channel. */
struct heard {
    bool any;
    bool is_extended;
    uint8_t type; /* or mode */
    const struct ys_party *from;
    const struct ys_party *to;
    uint64_t start_ns;
    uint64_t end_ns;
};

/* Where an auxiliary packet is awaited. */
struct awaited {
    bool any;
    bool come;
    uint8_t channel;
    uint8_t set;
    uint16_t version;
    uint64_t from_ns;
    uint64_t step_ns;
    uint64_t primary_ns; /* of a packet on a primary channel that points there; 0: it is on another */
    uint8_t phy;
    uint8_t mode;
};

#define AWAITED_MOST 64

/* Data of extended advertising of which more is to come. */
struct chained {
    bool any;
    bool is_response;
    uint8_t channel; /* of what comes next; also the next: */
    uint64_t from_ns;
    uint64_t step_ns;
    size_t length;
    uint8_t data[1650];
};

#define CHAINS_MOST 8

/* A connect request that was heard. */
struct requested {
    const struct ys_party *parties[2]; /* central, peripheral */
    uint64_t at_ns;
    uint64_t record;
    uint16_t interval;
    uint16_t latency;
    uint16_t timeout;
};

#define REQUESTED_MOST 16

/* A frame that a host has handed on. */
struct handed {
    const struct ys_party *peer;
    uint32_t hash;
    uint16_t length;
    uint16_t channel;
};

/* As many are known again: more than wait in any controller. */
#define HANDED_MOST 64

/* The host's settings of legacy advertising. */
struct audited_told {
    uint16_t interval_max; /* 0.625 ms */
    bool advertises;
    bool does_more;    /* than that alone */
    uint8_t slow;      /* intervals in a row that were too long */
    uint64_t since_ns; /* when it was told so; 0: never */
    uint64_t event_ns; /* begin of the last event that was heard since; 0: none */
};

/* A control procedure that somebody has begun. */
#define PROCEDURE_NONE 0xff
struct procedure {
    uint8_t opcode; /* or PROCEDURE_NONE */
    uint64_t at_ns;
    uint64_t record;
};

/* A channel with credits. */
struct credit_channel {
    uint16_t number[2];  /* that each side receives on; 0: not known */
    uint32_t credits[2]; /* that each side has for sending */
    bool open;
};

#define CREDIT_CHANNELS 8
#define SUBSCRIBED_MOST 64

/* A CCCD value that one side has written on the other. */
struct subscription {
    uint16_t handle; /* of the value */
    uint8_t wishes;
};

/* Steps of a pairing. */
enum pairing_step {
    PAIRING_NONE,
    PAIRING_REQUESTED,
    PAIRING_AGREED,
    PAIRING_GOES, /* confirm values, random values, keys of the curve, checks */
    PAIRING_KEYS
};

struct audited_pairing {
    enum pairing_step step;
    uint64_t last_ns;
    uint8_t confirmed; /* bits of sides; also the next: */
    uint8_t randomized;
    uint8_t has_key;
    uint8_t checked;
    uint8_t request[7];
    uint8_t response[7];
    uint8_t public_keys[2][32];
    uint8_t confirms[2][16];
};

/* The audit's own state of a dialogue. */
struct audited_dialogue {
    bool begun; /* from its beginning on */
    uint8_t mtu_requests[2];
    bool overdue[2]; /* a request was not answered in time; that was said */
    bool unconfirmed[2];
    uint8_t same_discovery[2]; /* how often the same was asked */
    struct ys_asked discovery[2];
    struct subscription subscriptions[2][SUBSCRIBED_MOST]; /* by the side that subscribed */
    size_t subscription_count[2];
    struct subscription asked[2]; /* a write that waits for its answer */
    uint8_t identifiers[2];       /* of a signalling request that waits for its answer; 0: none */
    struct credit_channel channels[CREDIT_CHANNELS];
    struct credit_channel opening; /* as the request said */
    struct audited_pairing pairing;
};

/* A connection on the air. */
struct audited_link {
    uint64_t number;       /* of the link in the capture */
    uint64_t heard_record; /* the count of records on the air when it was heard last */
    bool hole;             /* something that was said may be missing */
    uint16_t events_alone; /* of the central, at its beginning, without an answer */
    bool answered;
    bool ended[2];
    bool supervised[2];
    uint64_t heard_ns[2];
    uint8_t versions[2];
    uint8_t told[2];    /* the last control opcode that wants no answer, and so may be refused */
    uint8_t encryption; /* steps of its start that were seen */
    bool starting;      /* between ENC_REQ and the end of the start */
    uint64_t random[2]; /* halves of the last start */
    bool has_random[2];
    struct procedure procedures[2];
    uint8_t phys_named[2][2]; /* by PHY_REQ or PHY_RSP of each side: sends, receives */
    bool has_phys[2];
    struct audited_dialogue dialogue;
};

#define AUDITED_LINKS 256

/* When a value was notified last, as its host handed it on. */
struct audited_notified {
    uint16_t handle;
    bool waited; /* for room in the controller: it was due earlier */
    uint64_t at_ns;
};
#define AUDITED_NOTIFIED 8

struct audited_hci_link {
    uint16_t handle;
    bool used;
    bool encrypted;
    bool lost; /* something that was said on it */
    uint16_t in_flight;
    struct audited_notified notified[AUDITED_NOTIFIED];
    struct audited_dialogue dialogue;
};

struct audited_hci {
    uint16_t device;
    bool any;
    uint16_t opcode; /* that waits; 0: none */
    uint64_t asked_ns;
    uint8_t credits;
    bool knows_buffers;
    uint16_t buffer_length;
    uint16_t buffers;
    uint64_t room_ns; /* when the controller last told that it has room again */
    bool overdue;     /* that the command was not answered was said */
    struct audited_hci_link links[YS_HCI_LINKS];
    bool from_reset;  /* what came since is known */
    bool own_changed; /* it has had more than one address */
    const struct ys_party *own;
    struct audited_told told;
    struct handed handed[HANDED_MOST];
    uint64_t handed_count;
    uint32_t broken[YS_RULES]; /* by what crossed it */
};

#define AUDITED_INTERFACES 65

/* As many halves of session keys' numbers are known again. */
#define AUDITED_HALVES 64

struct ys_audit {
    struct ys_glossary glossary;
    struct ys_tally tallies[YS_RULES];
    uint8_t kept_of[YS_RULES];
    struct ys_breach *breaches;
    size_t breach_count;
    struct ys_hole *holes;
    uint64_t hole_count;
    uint64_t records; /* on the air */
    uint64_t damaged;
    uint64_t damaged_ns; /* when the last of them was heard */
    uint64_t unreadable;
    unsigned lossy_logs; /* of interfaces, of which packets are missing */
    uint64_t now_ns;
    uint64_t rounded_ns; /* what a time between two packets may be off, because they are rounded */
    const struct ys_seen *seen;
    struct advertiser *advertisers; /* by the number of their party */
    struct heard advertisements[40];
    struct heard requests[40];
    struct awaited awaited[AWAITED_MOST];
    size_t next_awaited;
    struct chained chains[CHAINS_MOST];
    size_t next_chain;
    struct requested requested[REQUESTED_MOST];
    size_t next_requested;
    struct audited_link *links;
    struct audited_hci *interfaces;
    size_t last_interface;               /* that there is */
    char excepted[YS_EXCEPTED_MOST][40]; /* whose breaches do not count */
    size_t excepted_count;
    uint64_t halves[AUDITED_HALVES]; /* that connections have had */
    size_t next_half;
    bool on_air; /* a packet on the air was seen: then what is said is watched there */
};

/* How far a time between two packets that follow at once may be off, as it was recorded. */
static inline uint64_t audit_jitter_ns(const struct ys_audit *audit)
{
    return JITTER_NS + audit->rounded_ns;
}

/* The place of a message: on the air, or at an interface. */
struct audit_place {
    struct audited_dialogue *dialogue;
    const struct ys_dialogue *followed;
    int side;
    bool encrypted;
    bool knows_encryption;
    bool hole; /* something may be missing before it */
};

#endif
