/* A central in a world: a host on a simulated controller that is told what to do. What it is told is a task, which
 * begins at once and is done later; meanwhile it can be given others, and so can everybody else in the world.
 *
 * It remembers whom it has met: of each peer the attribute table, what it subscribed to, and the values that came. */
#ifndef WORLD_CENTRAL_H
#define WORLD_CENTRAL_H

#include <stdbool.h>
#include <stdint.h>

#include <yarnswift/host.h>

#include "design/model/model.h"
#include "design/model/value.h"
#include "measure/stream.h"
#include "world/device.h"
#include "world/hardware.h"
#include "world/traits.h"
#include "world/world.h"

struct ys_person;
struct ys_central;
struct ys_peer;

/* The text for a value whose length its format does not allow. */
#define YS_DOES_NOT_FIT "this does not fit its format"

/* The search of a central: NULL fields are ignored. If all are NULL, it only listens until its time is over. */
struct ys_wanted {
    const char *name; /* its whole name */
    const struct ys_uuid *service;
    const struct ys_address *address; /* of the type YS_ANY_TYPE: public or random */
};

#define YS_ANY_TYPE 0xff

#define YS_ADVERTISERS_MOST 64 /* that a central remembers */

/* An advertiser that a central has heard since it began to scan. */
struct ys_advertiser {
    struct ys_address address;
    uint32_t packets; /* advertisements, without scan responses */
    int8_t rssi_dbm;  /* of the last; 127: not known */
    uint8_t phy;      /* on which it advertises: enum ys_phys */
    bool connectable;
    bool extended;
    char name[64]; /* whole or shortened, as it was sent; empty: none was heard */
    uint16_t length;
    uint8_t data[255]; /* of an advertisement by which it can be connected to, if there is one */
    uint64_t at_ns;    /* when it was listed last; private */
};

/* A task of a central. Its memory is the caller's, and must last as long as the central. */
struct ys_task {
    bool done;
    bool good;       /* it was done as it was told */
    bool misfits;    /* a value was read, and it does not fit its format */
    bool answered;   /* there was an answer: `error` is the server's */
    uint8_t error;   /* of the attribute protocol */
    char came[500];  /* what came of it, in words; of a failure why */
    char brief[500]; /* the same for whoever knows what it was told */
    uint16_t length; /* of a value that was read */
    uint8_t value[YS_VALUE_LONGEST];
    /* private */
    struct ys_central *central;
    struct ys_peer *peer;
    const struct ys_wanted *wanted;
    void (*finish)(struct ys_task *task);  /* its request has ended */
    void (*give_up)(struct ys_task *task); /* its time is over */
    struct ys_task *next;
    struct ys_task *next_running;
    struct ys_timer timer;
    struct ys_client_request request;
    uint64_t began_ns;
    uint64_t patience_ns;
    uint16_t handle;
    uint8_t subscription;
    bool commands; /* it asks for no response */
    bool connects; /* and tries again, if what was there is no connection */
    size_t again;  /* how far it has come through the table, or the subscriptions; how often it has connected again */
    char asked[480];
    const char *what;
};

/* A value that came. */
struct ys_arrival {
    const struct ys_peer *peer;
    uint64_t at_ns;
    uint16_t handle;
    bool indicated;
    bool fits; /* its format, or it fills its packet and may be longer */
    uint16_t length;
    uint8_t bytes[];
};

/* The definition and the scene's name of the device with this address; NULL if unknown. */
typedef const struct ys_design *ys_known_fn(void *context, const struct ys_address *address, const char **name);

/* Which of the values that come are listed in the log. */
enum ys_listing { YS_LIST_NONE, YS_LIST_SOME, YS_LIST_ALL };

/* A central with a host of its own. `traits` and `name` must outlive it. NULL if there is no memory. */
struct ys_central *ys_central_new(struct ys_world *world, uint16_t number, const char *name,
                                  const struct ys_traits *traits, const struct ys_hardware *hardware,
                                  ys_known_fn *known, void *context);

/* Who stands in front of it. */
struct ys_person *ys_central_person(struct ys_central *central);

/* People do not see it any more. */
void ys_central_hide(struct ys_central *central);

/* From its next start on it has the address of another central. */
void ys_central_pretend(struct ys_central *central, const struct ys_central *other);

/* The same with the host of a stand-in, which is then peripheral and central at once. */
struct ys_central *ys_central_on(struct ys_device *device, struct ys_world *world, const char *name,
                                 const struct ys_traits *traits, ys_known_fn *known, void *context);
void ys_central_free(struct ys_central *central);

/* Switches it on, or off and with it all its links, without a word to anybody. */
void ys_central_start(struct ys_central *central);
void ys_central_stop(struct ys_central *central);

bool ys_central_is_on(const struct ys_central *central);
/* Whether what is to be stored is. */
void ys_central_store(struct ys_central *central, bool works);

bool ys_central_is_ready(const struct ys_central *central);
void ys_central_list(struct ys_central *central, enum ys_listing listing);
/* From when it is ready on. */
struct ys_address ys_central_address(const struct ys_central *central);
const char *ys_central_name(const struct ys_central *central);

/* Advertises a central, connectable, under its own name; or stops that. A failure is also logged. */
enum ys_result ys_central_advertise(struct ys_central *central, bool on);

/* The peer with this address, created if it is new; NULL if there is no memory. */
struct ys_peer *ys_central_peer(struct ys_central *central, const struct ys_address *address);
/* The last that it was connected with, or else the last that it met, of those that have this name (which is compared as
 * a pointer); NULL if there is none. */
struct ys_peer *ys_central_peer_named(const struct ys_central *central, const char *name);
/* The peer that it is connected with, if it is one; `*count` is how many. */
struct ys_peer *ys_central_connected(const struct ys_central *central, size_t *count);
/* The identity of the device that was found last has become known. */
void ys_central_found_is_known(struct ys_central *central);
/* Whom it has found last; NULL: nobody yet. */
struct ys_peer *ys_central_found(const struct ys_central *central);

const struct ys_address *ys_peer_address(const struct ys_peer *peer);
bool ys_peer_is_connected(const struct ys_peer *peer);
/* Why it is not connected any more: enum ys_hci_error. */
uint8_t ys_peer_reason(const struct ys_peer *peer);
/* How many connections with it there have been. */
unsigned ys_peer_connections(const struct ys_peer *peer);

/* Tasks. Each waits as long as the central's patience, or a time of its own (0: the patience). */

/* Scans until it hears the wanted device; `wanted` must outlive the task. */
void ys_begin_find(struct ys_task *task, struct ys_central *central, const struct ys_wanted *wanted,
                   uint64_t at_most_ns);

/* Connects, and agrees on an MTU if it asks for one. */
void ys_begin_connect(struct ys_task *task, struct ys_peer *peer, uint64_t at_most_ns);

/* Discovers everything, or does not, as the central deals with a table that it remembers; subscribes again, if it does
 * that. */
void ys_begin_discover(struct ys_task *task, struct ys_peer *peer);

/* Reads, writes, switches notifications or indications on or off; `handle` is the value's. */
void ys_begin_read(struct ys_task *task, struct ys_peer *peer, uint16_t handle);
void ys_begin_write(struct ys_task *task, struct ys_peer *peer, uint16_t handle, const uint8_t *value, size_t length,
                    bool response);
void ys_begin_subscribe(struct ys_task *task, struct ys_peer *peer, uint16_t handle, enum ys_subscription subscription);

/* Pairs with it, or encrypts the link with the key of before. */
void ys_begin_pair(struct ys_task *task, struct ys_peer *peer);
/* Deletes the keys of the peer with this identity, or with NULL of all peers; false if there are none. */
bool ys_central_forget(struct ys_central *central, const struct ys_address *identity);

void ys_begin_disconnect(struct ys_task *task, struct ys_peer *peer);

/* Sends garbage on a link: a random frame every 20 ms, for this time. */
void ys_begin_nonsense(struct ys_task *task, struct ys_peer *peer, uint64_t for_ns);

/* Gives up an unfinished task: `after_ns` is its time limit, for the message. */
void ys_task_give_up(struct ys_task *task, uint64_t after_ns);

/* Lets the world go on until a task is done; returns whether it was good. */
bool ys_task_wait(struct ys_task *task);

/* Waits until it is ready. */
bool ys_central_wait(struct ys_central *central);

/* What it knows of a table. */

/* The value handle of a characteristic of the definition; 0 if it has not been discovered. */
uint16_t ys_peer_handle(const struct ys_peer *peer, const struct ys_characteristic *characteristic);
/* The characteristic of a value handle; NULL if it is not in a definition that the central knows. */
const struct ys_characteristic *ys_peer_characteristic(const struct ys_peer *peer, uint16_t handle);
/* The name of a value: by the definition, the catalogue, or its UUID. */
const char *ys_peer_value_name(const struct ys_peer *peer, uint16_t handle, char *text, size_t size);
/* The type of a value, by the definition, the catalogue, or a presentation format descriptor; NULL: unknown. */
const struct ys_field *ys_peer_field(const struct ys_peer *peer, uint16_t handle);
/* Lists the tree in the log. */
void ys_peer_list(const struct ys_peer *peer);
/* The words of properties: "read, notify". */
void ys_properties_say(uint8_t properties, char *text, size_t size);

/* The discovered attributes, in the order of handles; NULL after the last. */
const struct ys_found *ys_peer_item(const struct ys_peer *peer, size_t i);
const char *ys_peer_item_name(const struct ys_peer *peer, size_t i);
size_t ys_peer_value_count(const struct ys_peer *peer);

/* The devices heard in the last search, in order; NULL after the last. */
const struct ys_advertiser *ys_central_advertiser(const struct ys_central *central, size_t i);

/* Received values, numbered from 0 in order, from any device. */
uint64_t ys_central_received(const struct ys_central *central);
/* One of them; NULL if it has not come yet, or is forgotten: the last 16,384 are kept. */
const struct ys_arrival *ys_central_arrival(const struct ys_central *central, uint64_t number);
/* The values that have come of the characteristic to which it subscribed first. */
/* How many of them did not fit their format. */
uint64_t ys_central_misfits(const struct ys_central *central);

const struct ys_stream_meter *ys_central_stream(const struct ys_central *central);
/* Begins to list anew, where only some are listed. */
void ys_central_list_anew(struct ys_central *central);

#endif
