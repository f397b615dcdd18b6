/* What the files of the simulated controller share. */
#ifndef SIM_CONTROLLER_PARTS_H
#define SIM_CONTROLLER_PARTS_H

#include "sim/chance.h"
#include "sim/clock.h"
#include "sim/controller.h"
#include "sim/link.h"
#include "sim/radio.h"
#include "wire/extended.h"
#include "wire/hci_extended.h"
#include "wire/link.h"

#define LINKS   8
#define ACL_MAX 251

#define NS_PER_ADVERTISING_STEP (625 * YS_NS_PER_US)

#define FIRST_CHANNEL 37
#define LAST_CHANNEL  39

#define ACCEPT_LIST_SIZE 8
#define SETS_MAX         16
#define SET_DATA_MAX     1650

/* From the end of one channel's turn to the next packet: time to tune. */
#define TUNING_NS (150 * YS_NS_PER_US)

/* Advertising structures of a set. */
struct set_data {
    uint8_t *bytes;
    uint16_t length;
    bool whole; /* the last fragment has come */
};

/* An advertising set. The commands of before there were sets have one of their own. */
struct advertiser {
    struct ys_controller *controller;
    bool known; /* it has parameters */
    bool on;
    bool by_sets; /* ruled by the extended commands */
    struct ys_hci_set parameters;
    struct ys_address random_address;
    bool has_random_address;
    uint16_t version; /* of its data */
    struct set_data data;
    struct set_data response;
    uint16_t events_max;
    uint16_t events;
    struct ys_timer event; /* the next advertising event */
    struct ys_timer step;  /* the next thing inside an event */
    struct ys_timer end;
    uint8_t phase;
    uint8_t channel;
    bool by_counter;    /* whoever connects knows channel selection algorithm #2, and so does this side */
    uint64_t latest_ns; /* by when the next event must have begun */
    /* the auxiliary packets of an extended event */
    uint8_t aux_channel;
    uint64_t aux_ns;              /* when the next one begins */
    const struct set_data *chain; /* what is being sent */
    uint16_t chained;             /* how much of it has been */
    struct ys_link_connect connect;
    struct ys_address peer;
    struct ys_receiver receiver;
};

/* A listener on the advertising channels: the scanner, and the initiator of connections, each on one primary PHY. What
 * a packet there points to is followed to the other channels, one pointer at a time. */
struct listener {
    struct ys_controller *controller;
    bool on;
    bool in_window;
    enum ys_phy phy;
    uint16_t interval; /* 0.625 ms */
    uint16_t window;
    uint8_t channel;
    struct ys_timer interval_timer;
    struct ys_timer window_timer;
    struct ys_timer reply_timer;
    struct ys_timer aux_timer;
    struct ys_receiver receiver;
    struct ys_address asked; /* who was sent a scan request */
    bool waits_for_response;
    uint8_t follows; /* enum follow */
    struct ys_link_aux aux;
    uint64_t aux_ns;              /* the begin of the step in which it comes */
    void (*lost)(void *listener); /* what was pointed to did not come */
};

enum follow { FOLLOWS_NOTHING, FOLLOWS_LATER, FOLLOWS_NOW };

/* What has come so far of the advertisement that is being followed. */
struct followed {
    bool any; /* something of it was reported */
    bool has_sender;
    bool has_target;
    bool response;
    uint8_t mode;
    uint8_t secondary_phy;
    uint8_t set_id;
    int8_t power_dbm;
    bool skip; /* it is filtered, or was reported before */
    uint16_t version;
    struct ys_address sender;
    struct ys_address target;
};

struct scanner {
    struct listener listener;
    bool asks; /* the reply timer sends a scan request */
    struct followed followed;
};

enum scanner_phy { SCANNER_1M, SCANNER_CODED, SCANNER_PHYS };

#define SEEN_MAX 256

/* What all scanners of a controller share: settings, the back-off (4.4.3.2), whom they have reported. */
struct scanning {
    bool by_sets;
    struct ys_hci_extended_scan parameters;
    bool once; /* duplicates are not reported */
    uint16_t back_off;
    uint16_t back_off_max;
    int8_t in_a_row; /* requests that were answered, or if negative that were not */
    uint64_t *seen;
    uint16_t seen_count;
    uint16_t seen_next;
    struct ys_timer end;
};

struct initiator {
    struct listener listener;
    struct ys_address offered;   /* by whom */
    bool by_counter;             /* who knows channel selection algorithm #2 */
    struct ys_link_connect sent; /* waits for the response of an extended advertiser */
    uint64_t sent_end_ns;
};

/* The host may use one generation of commands after a reset, and then no longer the other (Vol 4 Part E 3.1.1). */
enum generation { GENERATION_ANY, GENERATION_LEGACY, GENERATION_EXTENDED };

/* A command: how many bytes of parameters (-1: it looks itself), and whether it is answered by Command Status. */
typedef uint8_t command_fn(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer);
struct command_row {
    uint16_t opcode;
    int16_t length;
    bool status_only;
    enum generation generation;
    command_fn *run;
};

#define OWN_TYPE_MOST  3
#define RESOLVING_MOST 8

/* Somebody on the resolving list. */
struct resolving {
    struct ys_hci_resolving keys;
    bool device_privacy;   /* it may also use its identity address */
    struct ys_address own; /* of this controller, made for it */
    uint64_t made_ns;      /* 0: never */
};

struct ys_controller {
    struct ys_controller_settings settings;
    struct ys_radio *radio;
    struct ys_clock *clock;
    struct ys_chance chance;
    struct ys_address random_address;
    bool has_random_address;
    uint64_t event_mask;
    uint64_t le_event_mask;
    enum generation generation; /* of the commands for advertising that the host uses */
    struct advertiser advertiser;
    struct advertiser *sets; /* settings.sets of them; NULL until one is used */
    struct scanning scanning;
    struct scanner scanners[SCANNER_PHYS];
    struct ys_hci_extended_connect connecting;
    struct initiator initiators[SCANNER_PHYS];
    struct ys_address accept_list[ACCEPT_LIST_SIZE];
    uint8_t accepted; /* how many are on the list */
    struct resolving resolving[RESOLVING_MOST];
    uint8_t resolving_count;
    bool resolves;
    uint64_t resolving_timeout_s;
    struct link links[LINKS];
    uint64_t features;         /* of LE, which it has */
    uint8_t channel_map[5];    /* that its host allows */
    uint8_t default_send_phys; /* wanted, unless the host says otherwise of a link: bits; likewise: */
    uint8_t default_receive_phys;
    uint16_t default_octets; /* of data packets, that it asks for by itself; and how long: */
    uint16_t default_us;
    uint64_t advertises_until_ns; /* an advertising event has the radio until then */
    struct outbound *free_buffers;
    struct outbound *buffers;
};

/* commands_link.c: what the settings allow, and how links begin after a reset */
uint64_t controller_features(const struct ys_controller_settings *settings);
void links_reset(struct ys_controller *controller);

/* controller.c */
void controller_send(struct ys_controller *controller, struct ys_writer *writer);
/* Begins an LE event; false if the host has masked it. */
bool controller_begin_le_event(const struct ys_controller *controller, struct ys_writer *writer, uint8_t subevent);
void controller_connection_complete(struct ys_controller *controller, const struct ys_hci_connection *complete);
/* By its type in commands: public, random, or one that is made for this peer, and else public or random. */
struct ys_address controller_own_address(struct ys_controller *controller, uint8_t type, const struct ys_address *peer);
/* Whether a target is this controller, by that address or one that is made for whoever knows it. */
bool controller_is_own(const struct ys_controller *controller, const struct ys_address *own,
                       const struct ys_address *target);
bool controller_accepts(const struct ys_controller *controller, const struct ys_address *address);
void controller_reset(struct ys_controller *controller);
/* Whether a packet on an advertising channel has come whole: its CRC is really computed. */
bool controller_heard(const struct ys_air_packet *packet);
bool controller_takes_advertising(const struct ys_air_packet *packet, struct ys_link_advertising *pdu);
enum ys_phy phy_of_hci(uint8_t phy);
uint8_t phy_to_hci(enum ys_phy phy);
/* Where and how an advertising PDU is sent. */
struct sending_on {
    uint8_t channel;
    enum ys_phy phy;
    int8_t power_dbm;
};
/* Both return when the packet ends. */
uint64_t controller_transmit_advertising(struct ys_controller *controller, const struct sending_on *on,
                                         const struct ys_link_advertising *pdu);
uint64_t controller_transmit_extended(struct ys_controller *controller, const struct sending_on *on,
                                      const struct ys_link_extended *pdu);

/* commands.c, commands_extended.c, commands_link.c */
const struct command_row *commands_find(uint16_t opcode);
const struct command_row *commands_find_extended(uint16_t opcode);
const struct command_row *commands_find_link(uint16_t opcode);
bool scan_times_are_valid(uint16_t interval, uint16_t window);
uint8_t connect_check(const struct ys_controller *controller, const struct ys_hci_connect *wanted);

/* advertiser.c */
void advertiser_init(struct advertiser *advertiser, struct ys_controller *controller);
/* `on` is NULL for the set of the legacy commands. */
uint8_t advertiser_start(struct advertiser *advertiser, const struct ys_hci_set_on *on);
void advertiser_stop(struct advertiser *advertiser);
/* Stops, and forgets what it had to say. */
void advertiser_free(struct advertiser *advertiser);
struct ys_address advertiser_address(const struct advertiser *advertiser);
/* The event is over: the last that was asked for may be. */
void advertiser_event_over(struct advertiser *advertiser);
/* Whether somebody who was heard may connect, or ask. */
bool advertiser_admits(const struct advertiser *advertiser, const struct ys_address *peer, enum ys_hci_filter filter);
/* Tells of a scan request, if it is to be told. */
void advertiser_tell_request(const struct advertiser *advertiser, const struct ys_address *peer);
/* Becomes a connection. */
void advertiser_accept(struct advertiser *advertiser, const struct ys_address *peer,
                       const struct ys_link_connect *connect, uint64_t end_ns);
bool advertiser_connect_is_valid(const struct ys_link_connect *connect);
void advertisers_stop(struct ys_controller *controller);
bool advertisers_are_on(const struct ys_controller *controller);
bool advertisers_use_accept_list(const struct ys_controller *controller);

/* extended_advertiser.c */
void extended_begin_event(struct advertiser *advertiser);
void extended_step(struct advertiser *advertiser);
void extended_receive(struct advertiser *advertiser, const struct ys_air_packet *packet);
/* How much fits into the one packet of a set that can be connected to; and how long an event of it lasts, with its
 * response. */
size_t extended_data_max(const struct advertiser *advertiser);
uint64_t extended_event_ns(const struct advertiser *advertiser);

/* listener.c */
void listener_init(struct listener *listener, struct ys_controller *controller, enum ys_phy phy, ys_timer_fn *reply,
                   ys_receive_fn *receive, void (*lost)(void *listener));
void listener_start(struct listener *listener, const struct ys_hci_phy_scan *times, uint64_t after_ns);
void listener_stop(struct listener *listener);
/* Back to the primary channel, or to silence outside the window. */
void listener_resume(struct listener *listener);
/* A connection needs the radio, and does not any more. */
void listener_pause(struct listener *listener);
void listener_unpause(struct listener *listener);
/* Follows what a packet points to; false if it cannot. */
bool listener_follow(struct listener *listener, const struct ys_air_packet *packet, const struct ys_link_aux *aux);
/* Stops listening to send a reply T_IFS after a packet; the reply timer tells. */
void listener_reply_to(struct listener *listener, const struct ys_air_packet *packet);
/* Listens for the answer to what ends at `end_ns`, where it was sent. */
void listener_wait_for_answer(struct listener *listener, uint64_t end_ns);
struct sending_on listener_place(const struct listener *listener);

/* scanner.c */
void scanners_init(struct ys_controller *controller);
uint8_t scanners_enable(struct ys_controller *controller, bool on, bool once, uint16_t duration);
void scanners_stop(struct ys_controller *controller);
bool scanners_are_on(const struct ys_controller *controller);

/* initiator.c */
void initiators_init(struct ys_controller *controller);
uint8_t initiators_start(struct ys_controller *controller);
void initiators_stop(struct ys_controller *controller);
bool initiators_are_on(const struct ys_controller *controller);

/* resolving.c */
/* Who has this address on the air: an identity, or the address itself; true if it was resolved. */
bool resolving_identify(const struct ys_controller *controller, const struct ys_address *address,
                        struct ys_address *identity);
/* Whether the address on the air is of whom is wanted. */
bool resolving_is(const struct ys_controller *controller, const struct ys_address *wanted,
                  const struct ys_address *address);
/* Whether somebody has made this address for this controller. */
bool resolving_is_own(const struct ys_controller *controller, const struct ys_address *target);
/* How a peer is named on the air. */
struct ys_address resolving_target(struct ys_controller *controller, const struct ys_address *peer);
/* The address of this controller for a peer; false if there is none. */
bool resolving_own(struct ys_controller *controller, const struct ys_address *peer, struct ys_address *own);
void resolving_reset(struct ys_controller *controller);
command_fn resolving_add, resolving_remove, resolving_clear, resolving_read_size, resolving_enable,
    resolving_set_timeout, resolving_set_mode;

#endif
