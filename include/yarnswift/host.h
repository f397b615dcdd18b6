/* The host: a state machine driven by ys_host_run. It never blocks, never sleeps, has no heap and no globals, and calls
 * handlers and events one at a time, from ys_host_run; a few calls tell at once what they have done, see
 * ys_event_handler.
 *
 * An owner gives it memory (a struct ys_host), a port and a table, starts it, and calls ys_host_run whenever a packet
 * has come, an interrupt has said that something changed, or the time has passed that the last call returned. */
#ifndef YARNSWIFT_HOST_H
#define YARNSWIFT_HOST_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <yarnswift/address.h>
#include <yarnswift/bytes.h>
#include <yarnswift/client.h>
#include <yarnswift/codes.h>
#include <yarnswift/config.h>
#include <yarnswift/gap.h>
#include <yarnswift/port.h>
#include <yarnswift/result.h>
#include <yarnswift/stream.h>
#include <yarnswift/table.h>
#include <yarnswift/uuid.h>
#include <yarnswift/work.h>

#ifdef __cplusplus
extern "C" {
#endif

/* What a device is in a connection: it has made it, or it has advertised. */
enum ys_role { YS_ROLE_CENTRAL = 0, YS_ROLE_PERIPHERAL = 1 };

/* Kinds of events. */
enum ys_event_kind {
    YS_EVENT_READY,               /* the start has succeeded */
    YS_EVENT_START_FAILED,        /* start: at which step, and why */
    YS_EVENT_CONTROLLER_FAILED,   /* start: the command that was not answered, or a hardware error; start again */
    YS_EVENT_ADVERTISING_FAILED,  /* set, start: the command, and why; the device advertises as before, or tries again
                                     after a disconnection */
    YS_EVENT_ADVERTISING_ENDED,   /* set, reason: YS_HCI_ADVERTISING_TIMEOUT after its duration, YS_HCI_LIMIT_REACHED
                                     after its events, YS_HCI_OK by a connection */
    YS_EVENT_ADVERTISING_REDUCED, /* set, lost: the controller only knows legacy advertising, see sets.h */
    YS_EVENT_SCAN_REQUEST,        /* set, scan_request: who has asked, if `report_scan_requests` */
    YS_EVENT_ACCEPT_LIST_FAILED,  /* start: the command, and why */
    YS_EVENT_SCAN_FAILED,         /* start: the command, and why */
    YS_EVENT_REPORT,              /* report: something was heard while scanning */
    YS_EVENT_CONNECTED,           /* connected */
    YS_EVENT_CONNECT_FAILED,      /* reason; YS_HCI_CONNECTION_LIMIT: one came about in either role for which there is
                                     no room, and is ended */
    YS_EVENT_DISCONNECTED,        /* connection, reason */
    YS_EVENT_MTU,                 /* connection, mtu: a new MTU is agreed */
    YS_EVENT_SUBSCRIPTION, /* connection, subscription: a client switched notifications or indications on or off */
    YS_EVENT_NOTIFICATION, /* connection, notification: a server sent a value */
    /* of receipts, see outbox.h; both with the connection */
    YS_EVENT_SENT,    /* receipt: a value has been handed to the controller */
    YS_EVENT_ARRIVED, /* receipt: the peer has it */
    /* of pairing, see pairing.h; all with the connection */
    YS_EVENT_SECURITY_WANTED,   /* level: the peripheral asks for it, and the firmware is to begin: ys_secure */
    YS_EVENT_PASSKEY_SHOW,      /* passkey: show it */
    YS_EVENT_PASSKEY_WANTED,    /* have it entered: ys_passkey_enter */
    YS_EVENT_NUMBER_COMPARE,    /* passkey: show it, and ask whether the other side shows the same: ys_number_confirm */
    YS_EVENT_SECURED,           /* secured: the link is encrypted */
    YS_EVENT_PAIRING_FAILED,    /* reason: enum ys_smp_reason; failed */
    YS_EVENT_ENCRYPTION_FAILED, /* reason: enum ys_hci_error; YS_HCI_KEY_MISSING: the other side has forgotten this one
                                 */
    YS_EVENT_BOND,              /* bond: what is remembered has changed; without a connection */
    YS_EVENT_OOB_READY,         /* oob: this device's data for pairing out of band; without a connection */
    /* of links, see link.h; both with the connection */
    YS_EVENT_LINK_CHANGED, /* link */
    YS_EVENT_LINK_REFUSED, /* link, reason: what was asked for came to nothing */
    /* of channels, see channel.h; all with the connection, and with the channel */
    YS_EVENT_CHANNEL_OPENED,
    YS_EVENT_CHANNEL_REFUSED,  /* reason: enum ys_channel_result */
    YS_EVENT_CHANNEL_RECEIVED, /* channel: with what has come */
    YS_EVENT_CHANNEL_SENT,     /* the last of what was given has been handed to the controller */
    YS_EVENT_CHANNEL_CLOSED
};

/* A report of a scan. */
enum ys_report_type {
    YS_REPORT_CONNECTABLE,
    YS_REPORT_DIRECTED,
    YS_REPORT_SCANNABLE,
    YS_REPORT_BEACON,
    YS_REPORT_RESPONSE
};

/* How a received value was sent. */
enum ys_notification_kind { YS_BY_NOTIFICATION, YS_BY_INDICATION };

/* Changes of a remembered peer. */
enum ys_bond_change {
    YS_BOND_MADE,
    YS_BOND_FORGOTTEN, /* as asked, or for a new one */
    YS_BOND_DAMAGED,   /* its record was not whole, and is gone */
    YS_BOND_NOT_STORED /* the store did not take it, or is not to be written so often because of strangers: the link is
                          encrypted, and the peer will have to pair again */
};

struct ys_oob;
struct ys_link_state;
struct ys_channel;

/* One event. Pointers are valid during the call. */
struct ys_event {
    enum ys_event_kind kind;
    uint16_t connection;
    uint8_t reason; /* enum ys_hci_error */
    uint8_t set;    /* the number of the advertising set; 0 is that of ys_advertise */
    union {
        struct {
            const char *step; /* in the words of the standard */
            uint8_t status;   /* enum ys_hci_error; YS_HCI_TIMEOUT: no answer at all */
        } start;
        struct {
            struct ys_address address;
            uint8_t type;    /* enum ys_report_type */
            int8_t rssi_dbm; /* 127: not known */
            uint16_t length;
            const uint8_t *data;
            const struct ys_extended_report *extended; /* what else an extended report says, see sets.h; else NULL */
        } report;
        uint16_t lost; /* bits of enum ys_set_loss */
        struct ys_address scan_request;
        struct {
            struct ys_address peer;
            enum ys_role role; /* of this host */
            uint32_t interval_us;
            uint16_t latency;
            uint16_t supervision_timeout_ms;
        } connected;
        uint16_t mtu;
        struct {
            uint16_t handle;    /* of the value */
            bool notifications; /* whether they are on now */
            bool indications;   /* the same */
        } subscription;
        struct {
            uint16_t handle;
            enum ys_notification_kind kind;
            uint16_t length;
            const uint8_t *value;
        } notification;
        struct {
            uint16_t handle;
            enum ys_notification_kind kind;
        } receipt;
        uint8_t level; /* enum ys_level */
        uint32_t passkey;
        struct {
            uint8_t level;    /* enum ys_level */
            uint8_t key_size; /* in bytes */
            uint8_t method;   /* enum ys_method; of a new key only */
            uint8_t bond;     /* the peer's number; 0: it is not remembered */
            bool paired;      /* the key is new; else the peer was remembered */
        } secured;
        struct {
            bool by_peer; /* the other side has said so */
        } failed;
        struct {
            uint8_t number;
            uint8_t change; /* enum ys_bond_change */
        } bond;
        const struct ys_oob *oob;
        struct {
            uint8_t matter; /* enum ys_link_change */
            const struct ys_link_state *state;
        } link;
        struct {
            struct ys_channel *channel;
            uint16_t length; /* of a whole message that has come */
            const uint8_t *bytes;
        } channel;
    } u;
};

/* Told of each event. Called from ys_host_run; and, before they return, from the calls whose work is done at once:
 * ys_host_start (of connections that end), ys_answer (of what it writes), ys_advertise and ys_advertise_set (of what is
 * left out), ys_connect_cancel (of what was not begun), ys_secure (at a level that there is), ys_channel_close (of one
 * that is not open), ys_bond_forget, ys_bond_find and ys_bond_get (of bonds that go, or are damaged). */
typedef void ys_event_handler(struct ys_host *host, void *context, const struct ys_event *event);

/* The device's own address (Core 5.4 Vol 6 Part B 1.3). */
enum ys_own_address {
    YS_OWN_PUBLIC = YS_ADDRESS_PUBLIC, /* the controller's */
    YS_OWN_STATIC = YS_ADDRESS_RANDOM, /* `address`, or if that is NULL a static one that is drawn at each start */
    YS_OWN_NON_RESOLVABLE              /* private, drawn at each start; such a device cannot be connected to (Vol 3
                                          Part C 10.8) */
};

/* Settings of a host. Pointers must stay valid as long as the host is used. */
struct ys_host_settings {
    const struct ys_port *port;
    const struct ys_table *table;
    uint8_t *values;            /* memory of table->values_size bytes; NULL if that is 0 */
    void *context;              /* handed to handlers and to on_event */
    ys_event_handler *on_event; /* may be NULL */
    uint8_t address_type;       /* enum ys_own_address */
    uint8_t connections;        /* at once, at most YS_CONNECTIONS; 0: so many */
    uint16_t mtu;               /* that it asks for and agrees to at most, 23 to YS_MTU; 0: YS_MTU_PREFERRED */
    const uint8_t *address;     /* a static address, 6 bytes in air order, such as NAME_address; may be NULL */
};

/* The longest PDU on a fixed channel of L2CAP: of ATT, or of the security manager, whose public key takes 65 bytes
 * whatever the ATT MTU is (Core 5.4 Vol 3 Part H 3.2). Private. */
#define YS_FIXED_PDU_MAX (YS_MTU > 65 ? YS_MTU : 65)

/* A packet on its way to the controller, with room for the headers in front. Private. */
struct ys_outgoing {
    uint16_t length;
    uint16_t sent;
    uint8_t bytes[9 + YS_FIXED_PDU_MAX];
};

/* Bits, one a notifiable. Private. */
struct ys_bits {
    uint32_t words[(YS_NOTIFIABLES + 31) / 32];
};

/* A request that waits for ys_answer. Its PDU lies where the response will. Private. */
struct ys_waiting {
    uint32_t token; /* 0: nothing waits */
    uint8_t stage;
    uint16_t handle;
    uint16_t offset;
    uint16_t length; /* of the PDU */
};

/* The encryption of a link. Private. */
struct ys_link_security {
    uint8_t key_size; /* 0: it is not encrypted */
    bool authenticated;
    bool secure_connections;
    bool has_key; /* there is a key with which it could be encrypted */
};

/* The pairing of a link. Private. */
struct ys_link_keys {
    struct ys_address own; /* of this device, on the air */
    struct ys_address air; /* of the peer, on the air */
    uint8_t key_from;      /* which key is being used: the number of a bond, or that of a pairing */
    uint8_t level_due;     /* the peripheral is to ask for it */
    uint8_t key_asked;     /* the controller waits for the key */
    bool encrypt_due;
    bool encrypting;
    bool asked; /* the peripheral has asked for security, once, until a pairing succeeds */
    bool ended; /* a pairing ran out of time: no other is possible on this connection */
};

/* One connection. Private. */
struct ys_connection {
    bool used;
    bool ending; /* this side wants it to end */
    bool disconnect_due;
    bool mtu_done; /* as client */
    bool held;     /* requests wait for security */
    bool confirm_due;
    bool request_sent;
    bool indicating;    /* an indication waits for its confirmation */
    bool queue_lost;    /* what it had queued gave way to others */
    bool silent;        /* an answer never came: no more attribute PDUs go or are taken */
    uint8_t features;   /* that the client has said it supports */
    uint8_t awareness;  /* of changes of the table */
    uint8_t remembered; /* the number of its bond, from 1; 0: there is none */
    bool unsaved;       /* what is kept of a remembered peer has changed */
    uint8_t role;
    uint8_t refusal_count; /* answers that are due: a code, and a reason or an identifier */
    bool incoming_begun;   /* pieces of a frame follow */
    struct ys_link_security security;
    struct ys_waiting waiting;
    uint16_t handle;
    uint16_t mtu;
    uint16_t packets_out;
    uint16_t packets_back; /* how many have come back from the controller in all; wraps */
    uint16_t indicated;    /* the value whose confirmation is waited for */
    uint16_t incoming_length;
    uint32_t request_deadline_ms;
    uint32_t indication_deadline_ms;
    struct ys_client_request *requests;
    struct ys_bits notifications;
    struct ys_bits indications;
    struct ys_bits pending;
    struct ys_address peer;
    uint8_t refusals[4][2];
    struct ys_outgoing response;
    uint8_t incoming[4 + YS_FIXED_PDU_MAX];
    struct ys_link_keys keys;
};

struct ys_extra_calls;

/* Something that a host does because the firmware uses it. Private. */
struct ys_extra {
    const struct ys_extra_calls *calls;
    struct ys_extra *next;
};

/* An advertising set of a host. Private. */
struct ys_set {
    const struct ys_advertising *advertising; /* NULL: it is not wanted */
    const struct ys_advertising *before;      /* what was on the air until it was changed */
    uint32_t until_ms;
    uint32_t due;  /* commands, while another set is at work */
    uint16_t sent; /* bytes of the payload that goes to the controller */
    uint8_t kind;  /* what it is to the controller */
    bool on;
    bool known; /* the controller has it */
};

struct ys_whole;
struct ys_keeping;
struct ys_outboxes;
struct ys_receipts;

/* A host. Its fields are private; the type is complete so that the owner can give the memory. Small ones come first: a
 * small processor reaches those with one instruction. */
struct ys_host {
    uint8_t command_running;
    uint8_t command_credits;
    uint8_t state;
    bool scanning_on;
    bool connecting;
    uint8_t next_connection;
    uint8_t connection_end; /* none from here on is used */
    uint8_t accept_count;
    uint8_t accept_sent;
    bool running;  /* ys_host_run is */
    bool may_wait; /* what is being answered */
    bool consented;
    uint8_t own_type; /* the type of the own address in commands */
    uint8_t later_stage;
    bool commands_consented;
    uint16_t data_length; /* of a controller buffer */
    uint16_t data_total;  /* controller buffers in all */
    uint16_t data_free;
    uint16_t mtu; /* the largest that the controller's buffers allow */
    uint16_t queue_length;
    const struct ys_port *port;
    const struct ys_table *table;
    const struct ys_whole *whole; /* what its parts may ask of all of it */
    struct ys_pairing *pairing;   /* NULL: it is refused */
    struct ys_extra *extras;      /* what else it does, because the firmware uses it */
    uint32_t le_events;           /* that they want to hear of */
    uint32_t commands_due;
    uint32_t command_deadline_ms;
    uint32_t last_token;
    uint32_t woken;       /* there is work that a turn may have left behind */
    struct ys_set *set;   /* whose commands are due */
    struct ys_sets *sets; /* NULL: there is the first one alone */
    struct ys_host_settings settings;
    struct ys_address address;
    struct ys_set first_set;
    const struct ys_address *accept_list;
    const struct ys_command_row *(*accept_row)(uint8_t command); /* NULL until it is used; also the next: */
    const struct ys_central *central;
    struct ys_scanning scanning;
    struct ys_connecting connecting_with;
    struct ys_address connecting_to;
    struct ys_bits changed;
    uint32_t quiet_until_ms[YS_NOTIFIABLES];
    struct ys_bits quiet;
    struct ys_outgoing outgoing;
    const struct ys_client *client;       /* NULL until it is used */
    const struct ys_keeping *remembering; /* the same */
    const struct ys_outboxes *outboxes;   /* the same */
    struct ys_receipts *receipts;         /* the same */
    struct ys_extra working;              /* the same */
    struct ys_work *works;                /* that wait for their time, the next first */
    struct ys_work *asked;                /* that were asked for, the first first */
    uint32_t keep_ms;                     /* when what has changed is kept; `keeps`: something is */
    uint32_t queue_until_ms;              /* queued writes are waited for */
    uint32_t store_ms;                    /* up to when writes of the store are spent */
    uint16_t unfit[YS_SETS + 1];          /* connections for which there is no room; each is to be ended */
    uint8_t unfit_count;
    bool keeps;
    struct ys_stream *streams;
    uint8_t queue[YS_QUEUE_SIZE > 0 ? YS_QUEUE_SIZE : 8];
    struct ys_connection connections[YS_CONNECTIONS];
};

/* No work is due: ys_host_run need not be called until something happens. */
#define YS_FOREVER 0xffffffffu

/* Makes a host in the owner's memory. `size` is sizeof *host, which shows whether firmware and library agree on
 * config.h. Before anything else; again only after the host is no longer used.
 * Returns YS_OK or what is missing: YS_ERROR_CONFIGURATION, YS_ERROR_PORT_..., YS_ERROR_TABLE_...; YS_ERROR_ARGUMENT:
 * there is no such MTU. */
enum ys_result ys_host_init(struct ys_host *host, size_t size, const struct ys_host_settings *settings);

/* Starts the controller from its reset on: event masks, buffers, features, address, in the one order that works.
 * YS_EVENT_READY or YS_EVENT_START_FAILED follows. A running host starts anew: all its connections end.
 * From the main loop only. */
void ys_host_start(struct ys_host *host);

/* Does all work that is due. Returns in how many milliseconds it wants to be called again at the latest (0: at once),
 * or YS_FOREVER. From the main loop only. */
uint32_t ys_host_run(struct ys_host *host);

/* Reports that the value of `handle` has changed: subscribers are sent the newest value, as soon as the spacing of
 * the characteristic and the link allow. Any number of calls before that make one notification or indication. Who
 * switched on both is sent indications, each after the last was confirmed; a peer that does not confirm within 30 s is
 * disconnected (Core 5.4 Vol 3 Part F 3.3.3).
 * Safe from an interrupt, and from everywhere else. A handle that cannot notify is ignored. */
void ys_host_changed(struct ys_host *host, uint16_t handle);

/* Answers an access for which a handler returned YS_LATER: `token` is the access's. `error` is YS_ATT_OK, or the ATT or
 * application error that the peer gets; `value` of `length` bytes is the whole value, if it was a read, and is copied;
 * else it is ignored. After a consent the access goes on, and handlers may be called for it, from ys_host_run.
 * A token is good for one answer; YS_ERROR_TOO_LATE: it was answered already, or the connection ended.
 * From handlers, events and the main loop. YS_ERROR_TOO_LATE. */
enum ys_result ys_answer(struct ys_host *host, uint32_t token, uint8_t error, const void *value, uint16_t length);

/* Says that the attributes from `first` to `last` are not what they were: clients that subscribed to Service Changed
 * are told, and those that keep the table are refused with YS_ATT_DATABASE_OUT_OF_SYNC until they know (Core 5.4 Vol 3
 * Part G 2.5.2). For firmware that changes what its attributes mean while it runs; needs a table with caching
 * (`caching: true`). From handlers, events and the main loop. YS_ERROR_ARGUMENT: the range is none, or the table has no
 * caching. */
enum ys_result ys_host_services_changed(struct ys_host *host, uint16_t first, uint16_t last);

/* The time: milliseconds from any beginning, wrapping at 2^32 (after 49 days); or microseconds likewise (after 71
 * minutes), in steps of a millisecond if the port has no finer clock. What lies between two times is their difference,
 * as uint32_t. From everywhere from where the port's clock may be read. */
uint32_t ys_host_now_ms(const struct ys_host *host);
uint32_t ys_host_now_us(const struct ys_host *host);

/* Hands a line to the port's log, if it has one: `text` is constant, `value` belongs to it. A scene shows it, and can
 * expect it. From handlers, events and the main loop. */
void ys_host_log(const struct ys_host *host, const char *text, uint32_t value);

/* The address that the device uses, from YS_EVENT_READY on. With privacy, a controller that knows who is remembered
 * makes the addresses by itself, and this is the one for whom it does not know: it is not advertised then. */
struct ys_address ys_host_address(const struct ys_host *host);

/* The MTU of a connection, or 0 if there is none. */
uint16_t ys_host_mtu(const struct ys_host *host, uint16_t connection);

/* Whether any client is subscribed to the value of `handle`; or the client of one connection.
 * Not from an interrupt. */
bool ys_host_is_subscribed(const struct ys_host *host, uint16_t handle);
bool ys_host_is_subscribed_on(const struct ys_host *host, uint16_t connection, uint16_t handle);

/* Sends the value of `handle`, as it is when the link has room, to one connection only; by indication or
 * notification as ys_host_changed. The handler can tell for whom it is by the connection of its access.
 * From handlers, events, work and the main loop. YS_ERROR_NO_CONNECTION; YS_ERROR_NOT_SUBSCRIBED: its other side does
 * not want to hear of it; YS_ERROR_BUSY: the spacing of the characteristic has not passed since it was sent to
 * somebody. */
enum ys_result ys_host_notify(struct ys_host *host, uint16_t connection, uint16_t handle);

#ifdef __cplusplus
}
#endif

#endif
