/* What the files of the simulated controller share. */
#ifndef SIM_CONTROLLER_PARTS_H
#define SIM_CONTROLLER_PARTS_H

#include "sim/chance.h"
#include "sim/clock.h"
#include "sim/controller.h"
#include "sim/radio.h"
#include "wire/hci.h"
#include "wire/link.h"

#define LINKS       8
#define PAYLOAD_MAX YS_LINK_PAYLOAD_DEFAULT
#define ACL_MAX     251

/* How far from its time a packet may begin and still be waited for: two clocks without error need next to nothing. */
#define SLACK_NS (16 * YS_NS_PER_US)

#define NS_PER_ADVERTISING_STEP (625 * YS_NS_PER_US)
#define NS_PER_INTERVAL_STEP    (1250 * YS_NS_PER_US)
#define NS_PER_TIMEOUT_STEP     (10 * YS_NS_PER_MS)

/* An advertiser. Its events go over the used channels of 37, 38, 39 in order. */
struct advertiser {
    struct ys_controller *controller;
    bool on;
    struct ys_hci_advertising parameters;
    struct ys_hci_payload data;
    struct ys_hci_payload response;
    struct ys_timer event; /* the next advertising event */
    struct ys_timer step;  /* the next thing inside an event */
    uint8_t phase;
    uint8_t channel;
    struct ys_receiver receiver;
};

/* A listener on the advertising channels: the scanner, and the initiator of connections. */
struct listener {
    struct ys_controller *controller;
    bool on;
    uint16_t interval; /* 0.625 ms */
    uint16_t window;
    uint8_t channel;
    struct ys_timer interval_timer;
    struct ys_timer window_timer;
    struct ys_timer reply_timer;
    struct ys_receiver receiver;
    struct ys_address asked; /* who was sent a scan request */
    bool waits_for_response;
};

struct scanner {
    struct listener listener;
    struct ys_hci_scan parameters;
    bool asks; /* the reply timer sends a scan request */
};

struct initiator {
    struct listener listener;
    struct ys_hci_connect parameters;
    struct ys_link_advertising offer; /* the advertisement that is being answered */
};

/* A data packet from the host on its way to the air. */
struct outbound {
    uint16_t length;
    uint16_t sent; /* and acknowledged */
    uint8_t boundary;
    uint8_t bytes[ACL_MAX];
    struct outbound *next;
};

/* A connection, seen from one end. */
struct link {
    struct ys_controller *controller;
    bool used;
    bool central;
    uint16_t handle;
    struct ys_link_connect parameters;
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
    uint8_t payload[PAYLOAD_MAX];
    uint8_t control[PAYLOAD_MAX]; /* a control PDU that waits */
    uint8_t control_length;
    uint8_t terminate_reason; /* asked for by this host: waits to be sent; 0: none */
    bool terminate_sent;
    uint8_t ended_by_peer; /* its reason; the link ends once that is acknowledged */
    struct outbound *first;
    struct ys_timer event;
    struct ys_timer step;
    struct ys_receiver receiver;
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
    struct advertiser advertiser;
    struct scanner scanner;
    struct initiator initiator;
    struct link links[LINKS];
    struct outbound *free_buffers;
    struct outbound *buffers;
};

/* controller.c */
void controller_send(struct ys_controller *controller, struct ys_writer *writer);
void controller_connection_complete(struct ys_controller *controller, const struct ys_hci_connection *complete);
struct ys_address controller_own_address(const struct ys_controller *controller, uint8_t type);
/* Whether a packet on an advertising channel has come whole: its CRC is really computed. */
bool controller_takes_advertising(const struct ys_air_packet *packet, struct ys_link_advertising *pdu);
void controller_transmit_advertising(struct ys_controller *controller, uint8_t channel,
                                     const struct ys_link_advertising *pdu, uint64_t *end_ns);

/* advertiser.c */
void advertiser_init(struct ys_controller *controller);
uint8_t advertiser_enable(struct ys_controller *controller, bool on);
void advertiser_stop(struct ys_controller *controller);

/* listener.c */
void scanner_init(struct ys_controller *controller);
uint8_t scanner_enable(struct ys_controller *controller, bool on);
void scanner_stop(struct ys_controller *controller);
uint8_t initiator_start(struct ys_controller *controller);
void initiator_stop(struct ys_controller *controller);

/* link.c */
void links_init(struct ys_controller *controller);
void links_stop(struct ys_controller *controller);
struct link *link_find(struct ys_controller *controller, uint16_t handle);
/* A free link of this controller with a handle, or NULL. */
struct link *link_take(struct ys_controller *controller);
/* Starts a link whose CONNECT_IND ended at `end_ns`. */
void link_start(struct link *link, bool central, const struct ys_link_connect *parameters, uint64_t end_ns);
void link_send(struct link *link, const struct ys_hci_data *data, const uint8_t *bytes);
uint8_t link_terminate(struct link *link, uint8_t reason);

#endif
