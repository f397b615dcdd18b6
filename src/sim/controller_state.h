/* What a simulated controller is. */
#ifndef SIM_CONTROLLER_STATE_H
#define SIM_CONTROLLER_STATE_H

#include "sim/chance.h"
#include "sim/character.h"
#include "sim/clock.h"
#include "sim/controller_settings.h"
#include "sim/link_state.h"
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

/* Of every one: version 5.4 of the specification, and a company identifier that is reserved for tests. */
#define CONTROLLER_VERSION    13
#define CONTROLLER_COMPANY    0xffff
#define CONTROLLER_SUBVERSION 1

/* From the end of one channel's turn to the next packet: time to tune. */
#define TUNING_NS (150 * YS_NS_PER_US)

/* Advertising structures of a set. */
struct set_data {
    uint8_t *bytes;
    uint16_t length;
    bool whole; /* the last fragment has come */
};

/* What an advertiser sends on each channel. */
struct composed {
    uint32_t commands; /* of the host, when it was composed; 0: never */
    uint8_t length;
    uint8_t bytes[YS_LINK_LEGACY_PDU_MAX];
    uint32_t crc;
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
    struct composed composed;
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

/* The received part of the advertisement that is being followed. */
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

/* What all scanners of a controller share: settings, the back-off (Vol 6 Part B 4.4.3.2), whom they have reported. */
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
    uint64_t late_ns; /* of the first packet, within its window */
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

/* Computations for its host on the curve P-256: most significant byte first. */
struct computing {
    struct ys_chance chance;
    struct ys_timer timer; /* when it is done */
    bool busy;
    bool good;
    bool has_key;
    uint8_t length; /* of the result */
    uint8_t private_key[32];
    uint8_t result[64];
};

struct ys_controller {
    struct ys_controller_settings settings;
    struct ys_character character;
    struct ys_radio_use use;
    struct ys_radio *radio;
    struct ys_clock *clock;
    struct ys_chance chance;
    struct ys_address random_address;
    bool has_random_address;
    uint64_t event_mask;
    uint64_t le_event_mask;
    uint32_t commands;          /* of the host until now */
    enum generation generation; /* of the commands for advertising that the host uses */
    struct advertiser advertiser;
    struct advertiser *sets; /* settings.sets of them; NULL until one is used */
    struct scanning scanning;
    struct scanner *scanners; /* SCANNER_PHYS of them; NULL until they are used */
    struct ys_hci_extended_connect connecting;
    struct initiator *initiators; /* the same */
    struct ys_address accept_list[ACCEPT_LIST_SIZE];
    uint8_t accepted; /* how many are on the list */
    struct resolving resolving[RESOLVING_MOST];
    uint8_t resolving_count;
    bool resolves;
    uint64_t resolving_timeout_s;
    struct link *links[LINKS]; /* made when they are first used; the first so many: */
    uint8_t link_count;
    uint64_t features;         /* of LE, which it has */
    uint8_t channel_map[5];    /* that its host allows */
    uint8_t default_send_phys; /* wanted, unless the host says otherwise of a link: bits; also the next: */
    uint8_t default_receive_phys;
    uint16_t default_octets; /* of data packets, that it asks for by itself; and how long: */
    uint16_t default_us;
    struct computing computing;
    uint64_t advertises_until_ns; /* an advertising event has the radio until then */
    struct outbound *free_buffers;
    struct outbound *buffers; /* NULL until there is a link */
};

/* Where and how an advertising PDU is sent. */
struct sending_on {
    uint8_t channel;
    enum ys_phy phy;
    int8_t power_dbm;
    uint8_t auxiliary; /* enum ys_auxiliary */
};

#endif
