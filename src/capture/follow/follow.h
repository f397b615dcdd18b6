/* Follows the records of the air and of HCI one by one: each is decoded with the state that earlier ones have left. */
#ifndef CAPTURE_FOLLOW_H
#define CAPTURE_FOLLOW_H

#include "capture/follow/air_link.h"
#include "capture/follow/hci_interface.h"
#include "wire/extended.h"

/* What a record was. */
enum ys_seen_kind {
    YS_SEEN_NOTHING,     /* its CRC is wrong, or not all of it is there */
    YS_SEEN_ADVERTISING, /* `legacy`, if it is good */
    YS_SEEN_EXTENDED,    /* `extended`, the same */
    YS_SEEN_LINK,        /* `packet`, and `link` */
    YS_SEEN_HCI          /* `crossed`, and `interface` */
};

struct ys_seen {
    const struct ys_record *record;
    enum ys_seen_kind kind;
    uint64_t step_ns;         /* times so far are all whole numbers of this: 1 ns, 1 us or 1 ms */
    bool good;                /* it is well formed */
    bool crc_wrong;           /* as far as can be known */
    bool crc_called_good;     /* though it is said to be good */
    struct ys_party *from;    /* or NULL: not known */
    struct ys_party *to;      /* the same */
    struct ys_air_link *link; /* also of a connect request: the one that it begins */
    struct ys_hci_interface *interface;
    const struct ys_said
        *said; /* what it said above the link layer, its upper may be none; NULL of what says nothing */
    struct ys_link_advertising legacy;
    struct ys_link_extended extended;
    uint8_t auxiliary; /* enum ys_auxiliary, of an extended PDU: what it is, as far as can be known */
    struct ys_link_seen packet;
    struct ys_hci_seen crossed;
};

typedef void ys_seen_fn(void *context, const struct ys_seen *seen);

struct ys_follower;

/* Calls `take` for each record. NULL if there is no memory. */
struct ys_follower *ys_follower_new(ys_seen_fn *take, void *context);
void ys_follower_free(struct ys_follower *follower);

/* Takes a record; in the order of time, as far as there is one. `context` is the follower, as a sink of records has it.
 */
void ys_follower_take(void *context, const struct ys_record *record);

/* The keys it knows, to which others can be added. */
struct ys_keys *ys_follower_keys(struct ys_follower *follower);

/* Lists the known connections, in the order in which they were first heard. */
typedef void ys_link_fn(void *context, const struct ys_air_link *link);
void ys_follower_links(const struct ys_follower *follower, ys_link_fn *tell, void *context);

/* Who was heard. */
struct ys_parties *ys_follower_parties(struct ys_follower *follower);

#endif
