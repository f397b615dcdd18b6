/* What the files of the simulated controller share. */
#ifndef SIM_CONTROLLER_PARTS_H
#define SIM_CONTROLLER_PARTS_H

#include "sim/chance.h"
#include "sim/clock.h"
#include "sim/controller.h"
#include "sim/radio.h"
#include "wire/extended.h"
#include "wire/hci_extended.h"
#include "wire/link.h"

#define LINKS       8
#define PAYLOAD_MAX YS_LINK_PAYLOAD_DEFAULT
#define ACL_MAX     251

/* How far from its time a packet may begin and still be waited for: two clocks without error need next to nothing. */
#define SLACK_NS (16 * YS_NS_PER_US)

#define NS_PER_ADVERTISING_STEP (625 * YS_NS_PER_US)
#define NS_PER_INTERVAL_STEP    (1250 * YS_NS_PER_US)
#define NS_PER_TIMEOUT_STEP     (10 * YS_NS_PER_MS)

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
    struct ys_link_connect sent; /* waits for the response of an extended advertiser */
    uint64_t sent_end_ns;
};

/* A data packet from the host on its way to the air. */
struct outbound {
    uint16_t length;
    uint16_t sent; /* and acknowledged */
    uint8_t boundary;
    uint8_t bytes[ACL_MAX];
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

/* What the two link layers know of the encryption of their link (5.1.3). */
struct encryption {
    uint8_t step; /* enum encryption_step */
    bool sends;   /* what is sent is encrypted; likewise: */
    bool receives;
    bool refreshes; /* it was encrypted before */
    uint64_t deadline_ns;
    struct ys_hci_key_name name;
    uint8_t key[16];         /* the long-term key, in air order */
    uint8_t diversifier[16]; /* of the session key, in air order: the central's half, then the peripheral's */
    uint8_t vector[8];       /* likewise */
    struct link_cipher *cipher;
};

/* A connection, seen from one end. */
struct link {
    struct ys_controller *controller;
    bool used;
    bool central;
    uint16_t handle;
    struct ys_link_connect parameters;
    enum ys_phy phy;
    bool by_counter; /* channel selection algorithm #2 */
    uint16_t counter;
    uint64_t anchor_ns; /* of the current event, or the expected one */
    uint64_t window_ns; /* peripheral: how long the first packet of all may take to come */
    uint64_t last_heard_ns;
    uint8_t last_unmapped;
    uint8_t channel;
    uint32_t silent_events;
    bool established; /* at least one packet was heard */
    bool heard;       /* in this event */
    bool sequence;
    bool next_expected;
    bool in_flight; /* `pdu` waits for its acknowledgement */
    bool peer_has_more;
    bool sends; /* the step timer sends; otherwise it ends waiting */
    struct ys_link_data pdu;
    uint8_t payload[PAYLOAD_MAX + YS_LINK_MIC_SIZE];
    uint16_t data_in_flight;  /* bytes of data that are in `pdu` */
    uint16_t controls_due;    /* bits of enum control */
    uint8_t unknown;          /* the opcode for CONTROL_UNKNOWN */
    uint8_t control_sent;     /* the opcode of the control PDU in flight */
    uint8_t terminate_reason; /* asked for by this host; 0: none */
    struct encryption encryption;
    uint8_t ended_by_peer; /* its reason; the link ends once that is acknowledged */
    struct outbound *first;
    struct ys_timer event;
    struct ys_timer step;
    struct ys_receiver receiver;
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
    struct outbound *free_buffers;
    struct outbound *buffers;
};

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

/* commands.c, commands_extended.c */
const struct command_row *commands_find(uint16_t opcode);
const struct command_row *commands_find_extended(uint16_t opcode);
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

/* link.c */
void links_init(struct ys_controller *controller);
void links_stop(struct ys_controller *controller);
struct link *link_find(struct ys_controller *controller, uint16_t handle);
/* A free link of this controller with a handle, or NULL. */
struct link *link_take(struct ys_controller *controller);
/* How a link comes to be. */
struct link_begin {
    bool central;
    bool extended; /* by an AUX_CONNECT_REQ, on the PHY on which it was sent */
    enum ys_phy phy;
    uint64_t end_ns; /* of that, or of the CONNECT_IND */
};
void link_start(struct link *link, const struct link_begin *begin, const struct ys_link_connect *parameters);
void link_send(struct link *link, const struct ys_hci_data *data, const uint8_t *bytes);
uint8_t link_terminate(struct link *link, uint8_t reason);
/* Ends it at once. */
void link_end(struct link *link, uint8_t reason);

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

/* encryption.c */
uint8_t encryption_enable(struct link *link, const struct ys_hci_key_name *name, const uint8_t key[16]);
/* The peripheral's host has the key, or NULL if not. */
uint8_t encryption_key(struct link *link, const uint8_t *key);
/* Fills a control PDU that is due. */
void encryption_compose(struct link *link, enum control control, struct ys_link_control_pdu *pdu);
/* A control PDU that belongs to encryption has come; false if it does not. The link may end by it. */
bool encryption_control_in(struct link *link, const struct ys_link_control_pdu *pdu);
/* The control PDU with this opcode has arrived at the peer. */
void encryption_acknowledged(struct link *link, uint8_t opcode);
/* Whether data must wait. */
bool encryption_holds_data(const struct link *link);
/* Whether data of the peer must not come now. */
bool encryption_forbids_data(const struct link *link);
void encryption_end(struct link *link);
/* Encrypts what is about to be sent, or decrypts what came, in place, if that is on; false if the MIC is wrong. */
void encryption_seal(struct link *link, struct ys_link_data *pdu, uint8_t *payload);
bool encryption_open(struct link *link, struct ys_link_data *pdu, uint8_t *payload);

/* link_cipher.c: AES-CCM as the link layer uses it (Vol 6 Part E) */
/* From a long-term key, and diversifier and vector of the session, all in air order. NULL if there is no memory. */
struct link_cipher *link_cipher_new(const uint8_t key[16], const uint8_t diversifier[16], const uint8_t vector[8]);
void link_cipher_free(struct link_cipher *cipher);
/* `header` is the first byte of the PDU; the payload gets its MIC, and grows by 4 bytes. */
void link_cipher_seal(struct link_cipher *cipher, bool by_central, uint8_t header, uint8_t *payload, uint8_t length);
/* `length` with the MIC; false if that is wrong. */
bool link_cipher_open(struct link_cipher *cipher, bool by_central, uint8_t header, uint8_t *payload, uint8_t length);

#endif
