/* The shape of connections: interval, latency, PHYs, and how long packets are (Core 5.4 Vol 6 Part B 4.5, 5.1).
 *
 * A host that uses links asks for what its firmware wants, once a connection has been made, and answers what the other
 * side asks for. It asks the controllers first, and where they cannot, it asks the other host (Vol 3 Part A 4.20). What
 * collides with something that the other side began is asked again. Without it connections stay as the central made
 * them, with packets of 27 bytes on the PHY on which they began.
 *
 * All calls: from handlers, events and the main loop. */
#ifndef YARNSWIFT_LINK_H
#define YARNSWIFT_LINK_H

#include <yarnswift/host.h>
#include <yarnswift/phy.h>

#ifdef __cplusplus
extern "C" {
#endif

/* How to send on LE Coded: how many symbols stand for a bit. */
enum ys_link_coding { YS_CODING_ANY, YS_CODING_S2, YS_CODING_S8 };

/* The answer of a central to a peripheral that requests other parameters, and of a peripheral to a central. */
enum ys_link_answer {
    YS_LINK_ACCEPT,        /* whatever the standard allows */
    YS_LINK_ACCEPT_WITHIN, /* an interval in the range that it wants itself, and no more latency */
    YS_LINK_REFUSE
};

/* Connection parameters that the firmware requests. */
struct ys_link_wishes {
    uint32_t interval_min_us;        /* 7,500 to 4,000,000; 0: whatever the central chose. Steps of 1,250 */
    uint32_t interval_max_us;        /* not less */
    uint16_t latency;                /* events that the peripheral may leave out: 0 to 499 */
    uint16_t supervision_timeout_ms; /* 100 to 32,000, more than (1 + latency) x interval x 2 */
    uint32_t event_length_us;        /* how long an event may last; 0: no wish. Steps of 625 */
    uint16_t pause_ms;               /* before it asks; a peripheral should wait 5,000 (Vol 3 Part C 9.3.12.2) */
    uint8_t packet_length;           /* of what it sends, 27 to 251; 0: no wish */
    uint8_t send_phys;               /* enum ys_phys: which may be; the fastest is taken. 0: no wish. Also the next: */
    uint8_t receive_phys;
    uint8_t coding;  /* enum ys_link_coding */
    uint8_t accepts; /* enum ys_link_answer */
};

/* How a connection is now. */
struct ys_link_state {
    uint32_t interval_us;
    uint16_t latency;
    uint16_t supervision_timeout_ms;
    uint8_t send_phy; /* enum ys_phys; also the next: */
    uint8_t receive_phy;
    uint8_t send_length; /* of data in a packet, 27 to 251; also the next: */
    uint8_t receive_length;
};

/* The part of it that has changed, or was refused. */
enum ys_link_change { YS_LINK_PARAMETERS, YS_LINK_PHYS, YS_LINK_LENGTH };

/* One connection's. Private. */
struct ys_link_of {
    const struct ys_link_wishes *wishes;
    struct ys_link_state state;
    uint32_t at_ms; /* when what is due may go */
    uint16_t due;
    uint8_t tries;
    uint32_t answer_ms;      /* until when the answer to that is waited for: */
    uint8_t identifier;      /* of the own request to the other host that waits for its answer; 0: none */
    uint8_t peer_identifier; /* of the other host's that is to be answered; 0: none */
    uint16_t asked[4]; /* what the other side asks for: interval, at least and at most, latency, timeout, as in HCI */
    bool timed;
};

/* The memory of links. Private. */
struct ys_links {
    struct ys_extra extra;
    const struct ys_link_wishes *wishes;
    uint8_t running_connection;
    uint8_t running; /* what of it the controller is told */
    uint8_t last_identifier;
    struct ys_link_of of[YS_CONNECTIONS];
};

/* Lets a host shape its connections. Between ys_host_init and ys_host_start; `links` is the host's from then on, and
 * `wishes`, which hold for all connections, stay the caller's and must stay valid; NULL: it asks for nothing by itself,
 * and accepts everything. YS_ERROR_ARGUMENT: a value is out of its range. */
enum ys_result ys_host_use_links(struct ys_host *host, struct ys_links *links, const struct ys_link_wishes *wishes);

/* Asks for something else on a connection, at once; `wishes` stay the caller's and must stay valid until the connection
 * ends or others are asked for. YS_EVENT_LINK_CHANGED reports each matter that has changed, YS_EVENT_LINK_REFUSED of
 * each that came to nothing. YS_ERROR_ARGUMENT, YS_ERROR_NO_CONNECTION, YS_ERROR_UNSUPPORTED (it needs
 * ys_host_use_links). */
enum ys_result ys_link_ask(struct ys_host *host, uint16_t connection, const struct ys_link_wishes *wishes);

/* How a connection is now; as central or peripheral. YS_ERROR_NO_CONNECTION, YS_ERROR_UNSUPPORTED. */
enum ys_result ys_link_get(const struct ys_host *host, uint16_t connection, struct ys_link_state *state);

#ifdef __cplusplus
}
#endif

#endif
