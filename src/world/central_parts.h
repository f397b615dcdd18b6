/* What a central is made of. */
#ifndef WORLD_CENTRAL_PARTS_H
#define WORLD_CENTRAL_PARTS_H

#include <yarnswift/sets.h>

#include "sim/chance.h"
#include "world/central.h"
#include "world/people.h"
#include <yarnswift/link.h>
#include <yarnswift/pairing.h>

#define FOUND_MOST      512
#define SUBSCRIBED_MOST 32
#define ARRIVALS_KEPT   16384
#define LISTED_MOST     32
#define LIST_SPACING_NS (200 * YS_NS_PER_MS)
#define LIST_FIRST      5  /* values of a stream that are listed one by one; */
#define LIST_EVERY      10 /* of the rest, each tenth */

/* A value that comes often, and when it was listed last. */
struct listed_value {
    uint16_t handle;
    uint64_t at_ns;
    unsigned skipped;
};

/* Something discovered. */
struct discovered {
    struct ys_found found;
    uint16_t configuration;                  /* characteristic: handle of its client configuration, or 0 */
    uint16_t presentation;                   /* and of its presentation format */
    struct ys_field *told;                   /* what that says of it, or NULL */
    const struct ys_characteristic *defined; /* characteristic: what it is by the definition of its device, or NULL */
};

/* A subscription, to be made again. */
struct subscribed {
    struct ys_uuid uuid;
    uint8_t kind; /* enum ys_subscription */
    bool again;   /* it is not made yet on this connection */
};

struct ys_peer {
    struct ys_peer *next;
    struct ys_central *central;
    struct ys_address address;
    char address_text[YS_ADDRESS_TEXT_SIZE];
    const char *name;
    const struct ys_design *defined; /* what it is, if anybody knows */
    const struct ys_design *design;  /* the same if the central knows it, or NULL */
    bool connected;
    bool leaving; /* it disconnects, and is connected until that is known to the other side */
    uint16_t connection;
    uint8_t reason;
    unsigned connections;
    struct discovered tree[FOUND_MOST];
    size_t tree_count;
    bool knows_tree;
    struct ys_found items[FOUND_MOST];
    struct ys_client_cache cache;
    struct subscribed subscribed[SUBSCRIBED_MOST];
    size_t subscribed_count;
};

struct ys_central {
    struct ys_world *world;
    const char *name;
    uint16_t number;
    const struct ys_traits *traits;
    struct ys_hardware hardware;
    ys_known_fn *known;
    void *context;
    struct ys_device *device; /* whose host it uses, or NULL */
    struct ys_host *host;
    struct ys_host own_host;
    struct ys_sets sets;
    struct ys_simulated *simulated; /* its own; NULL: it is off, or has none */
    uint32_t starts;
    bool ready;
    struct ys_task *running; /* all that are not done */
    struct ys_task *finds;
    struct ys_task *connects; /* the first is on its way, or after a pause: */
    struct ys_timer tries_again;
    struct ys_chance chance; /* of pauses */
    struct ys_task *endings;
    struct ys_task *pairing;
    struct ys_pairing keys;
    struct ys_links links;
    struct ys_link_wishes link;
    struct ys_security security;
    struct ys_store *store; /* what survives without power */
    struct ys_person person;
    struct ys_address own_address; /* static: peers know it by that */
    struct ys_peer *peers;
    struct ys_peer *found;
    struct ys_advertiser heard[YS_ADVERTISERS_MOST];
    size_t heard_count;
    struct ys_advertising advertising;
    uint8_t payload[YS_ADVERTISEMENT_MAX];
    struct ys_arrival *arrivals[ARRIVALS_KEPT];
    uint64_t received;
    uint64_t misfits;
    struct ys_stream_meter stream;
    const struct ys_characteristic *metered; /* the first that was subscribed to */
    enum ys_listing listing;
    struct listed_value values[LISTED_MOST];
    uint64_t listed; /* notifications since the list began */
};

#endif
