/* What the files of the host share. */
#ifndef HOST_INTERNAL_H
#define HOST_INTERNAL_H

#include <yarnswift/pairing.h>

#include "wire/att.h"
#include "wire/hci.h"
#include "wire/l2cap.h"

/* Where an ATT PDU lies in a struct ys_outgoing: behind the headers of the data packet and of L2CAP. */
#define PDU_AT (YS_HCI_DATA_HEADER_SIZE + YS_L2CAP_HEADER_SIZE)

/* The states of a host.
 *
 *   stopped --ys_host_start--> starting --all steps done--> ready
 *                                 |                           |
 *                                 +---- a step fails ---------+---- no answer, hardware error --> stopped */
enum host_state { STATE_STOPPED, STATE_STARTING, STATE_READY };

/* commands.c: the controller's commands, one at a time, in an order that works */

enum command {
    COMMAND_RESET,
    COMMAND_READ_FEATURES,
    COMMAND_LE_READ_FEATURES,
    COMMAND_SET_EVENT_MASK,
    COMMAND_LE_SET_EVENT_MASK,
    COMMAND_LE_READ_BUFFER_SIZE,
    COMMAND_READ_BUFFER_SIZE,
    COMMAND_READ_ADDRESS,
    COMMAND_READ_SETS,
    COMMAND_READ_DATA_MAX,
    COMMAND_SET_RANDOM_ADDRESS, /* the last of the start */
    COMMAND_DISCONNECT,
    COMMAND_KEY_REPLY, /* the other side waits for it */
    COMMAND_NO_KEY,
    COMMAND_ENCRYPT,
    COMMAND_LINK, /* whichever it is that shapes a connection */
    COMMAND_ADVERTISING_OFF,
    COMMAND_SCAN_OFF,
    COMMAND_CONNECT_CANCEL,
    COMMAND_RESOLVING, /* whichever it is of the resolving list */
    COMMAND_LIST_CLEAR,
    COMMAND_LIST_ADD,
    COMMAND_ROTATE,
    COMMAND_REMOVE_SET, /* this to ADVERTISING_ON are of the set at work */
    COMMAND_ADVERTISING_PARAMETERS,
    COMMAND_SET_ADDRESS,
    COMMAND_ADVERTISING_DATA,
    COMMAND_SCAN_RESPONSE_DATA,
    COMMAND_ADVERTISING_ON,
    COMMAND_SCAN_PARAMETERS,
    COMMAND_SCAN_ON,
    COMMAND_CONNECT,
    COMMAND_COUNT
};

#define COMMAND_NONE      0xff
#define BIT(command)      (UINT32_C(1) << (command))
#define COMMANDS_OF_START (BIT(COMMAND_SET_RANDOM_ADDRESS + 1) - 1)
#define COMMANDS_OF_SET                                                                                                \
    (BIT(COMMAND_REMOVE_SET) | BIT(COMMAND_ADVERTISING_PARAMETERS) | BIT(COMMAND_SET_ADDRESS) |                        \
     BIT(COMMAND_ADVERTISING_DATA) | BIT(COMMAND_SCAN_RESPONSE_DATA) | BIT(COMMAND_ADVERTISING_ON))

/* The parameters of a command, at most. */
#define COMMAND_MAX 128

/* Each command: its code, its name in the standard, its parameters, and what its end means. Any function may be NULL.
 */
struct ys_command_row {
    uint16_t opcode;
    const char *name;
    void (*compose)(struct ys_host *host, struct ys_writer *writer);
    void (*complete)(struct ys_host *host, struct ys_reader *parameters);
    void (*failed)(struct ys_host *host, const char *name, uint8_t status);
};

void ys_commands_start(struct ys_host *host);
void ys_commands_run(struct ys_host *host);
void ys_commands_complete(struct ys_host *host, struct ys_reader parameters);
void ys_commands_status(struct ys_host *host, struct ys_reader parameters);
uint32_t ys_commands_wait_ms(const struct ys_host *host, uint32_t now_ms);
/* Ends the start, because of a step of it. */
void ys_start_failed(struct ys_host *host, enum ys_event_kind kind, const char *step, uint8_t status);

/* gap.c: advertising and connections */

#define ADVERTISING_STEP_US 625
#define INTERVAL_STEP_US    1250

void ys_gap_fill_advertising(const struct ys_host *host, struct ys_hci_advertising *parameters);
void ys_gap_connection_complete(struct ys_host *host, const struct ys_hci_connection *complete);
void ys_gap_disconnected(struct ys_host *host, uint16_t handle, uint8_t reason);
/* What all sets need now. */
void ys_gap_restart_advertising(struct ys_host *host);
/* All sets are advertised anew, since the address of the device changes between their end and their beginning. */
void ys_gap_renew_advertising(struct ys_host *host);
/* Ends advertising whose time is over; returns when the next one is. */
void ys_gap_check(struct ys_host *host, uint32_t now_ms);
uint32_t ys_gap_wait_ms(struct ys_host *host, uint32_t now_ms);
/* A connection that is free, or NULL. */
struct ys_connection *ys_connection_free(struct ys_host *host);
/* The address type of the device in commands. */
uint8_t ys_own_type(const struct ys_host *host);

static inline bool ys_in_range(uint32_t value, uint32_t least, uint32_t greatest)
{
    return value >= least && value <= greatest;
}

/* Set `number`; NULL if there are not so many. */
struct ys_set *ys_set_at(struct ys_host *host, uint8_t number);
enum ys_result ys_set_advertise(struct ys_host *host, struct ys_set *set, const struct ys_advertising *advertising);
void ys_set_stop(struct ys_host *host, struct ys_set *set);
void ys_set_ended(struct ys_host *host, struct ys_set *set, uint8_t reason);
/* A set has become a connection. */
void ys_set_connected(struct ys_host *host, struct ys_set *set);
void ys_set_failed(struct ys_host *host, const char *name, uint8_t status);

/* central.c: scanning and connecting, known to a host only once it does */

struct ys_central {
    const struct ys_command_row *(*row)(uint8_t command);
    void (*reports)(struct ys_host *host, struct ys_reader *reports);
    void (*failed)(struct ys_host *host, uint8_t status); /* to connect */
};

void ys_central_report(struct ys_host *host, const struct ys_event *event);
void ys_central_fill_connect(const struct ys_host *host, struct ys_hci_connect *parameters);
void ys_central_scan_on(struct ys_host *host, struct ys_reader *parameters);
void ys_central_scan_off(struct ys_host *host, struct ys_reader *parameters);
void ys_central_scan_failed(struct ys_host *host, const char *name, uint8_t status);
void ys_central_connect_failed(struct ys_host *host, const char *name, uint8_t status);

/* sets.c: known to a host only that uses sets */

struct ys_sets_calls {
    /* Before a command is chosen: whose turn it is. */
    void (*turn)(struct ys_host *host);
    /* The features of the controller have been read. */
    void (*features)(struct ys_host *host, uint64_t features);
    /* Whether a set can be so; a controller without sets may get another of it that fits. */
    enum ys_result (*adapt)(struct ys_host *host, const struct ys_advertising **advertising);
};

/* Extras: what is known to a host only that uses it. Pairing, links and channels are such. */

struct ys_extra_calls {
    /* A command of it; NULL if it is none. */
    const struct ys_command_row *(*row)(const struct ys_host *host, uint8_t command);
    /* Any event of the controller. */
    void (*event)(struct ys_host *host, uint8_t event, const struct ys_reader *parameters);
    /* A PDU on a channel of L2CAP that is not ATT; false if it is not for this one. */
    bool (*receive)(struct ys_host *host, struct ys_connection *connection, uint16_t channel, const uint8_t *pdu,
                    size_t length);
    /* Does what is due; returns in how many milliseconds something will be. */
    uint32_t (*run)(struct ys_host *host, uint32_t now_ms);
    /* A connection has begun, or is not used any more. */
    void (*connection)(struct ys_host *host, struct ys_connection *connection);
};

/* For those that have nothing to do there. */
const struct ys_command_row *ys_extra_no_row(const struct ys_host *host, uint8_t command);
void ys_extra_no_event(struct ys_host *host, uint8_t event, const struct ys_reader *parameters);
bool ys_extra_no_frame(struct ys_host *host, struct ys_connection *connection, uint16_t channel, const uint8_t *pdu,
                       size_t length);
uint32_t ys_extra_no_run(struct ys_host *host, uint32_t now_ms);
void ys_extra_no_connection(struct ys_host *host, struct ys_connection *connection);

/* The extra with these calls; NULL if the host does not use it. */
struct ys_extra *ys_extra_find(const struct ys_host *host, const struct ys_extra_calls *calls);

/* Adds an extra, whose commands and LE events the host has from then on. */
void ys_extra_add(struct ys_host *host, struct ys_extra *extra, const struct ys_extra_calls *calls, uint32_t le_events);

/* Level 4 also asks for a key of 16 bytes (Vol 3 Part C 10.2.1). */
#define YS_LEVEL_4_KEY_SIZE 16

/* pairing.c: an access was refused with this error: true if something is done about it, and it may be tried again
 * then. Called through the host, so that a client without pairing need not link it. */
typedef bool ys_demanded_fn(struct ys_host *host, struct ys_connection *connection, uint8_t error);

/* l2cap.c: data in, data out */

void ys_l2cap_receive(struct ys_host *host, const uint8_t *packet, size_t length);
void ys_l2cap_completed(struct ys_host *host, struct ys_reader *parameters);
void ys_l2cap_run(struct ys_host *host, struct ys_connection *connection);
/* Whether a PDU of this length may be sent to this connection now. */
bool ys_l2cap_fits(const struct ys_host *host, const struct ys_connection *connection, size_t pdu_length);
/* A writer to where the PDU of `outgoing` goes, of at most `limit` bytes. */
struct ys_writer ys_l2cap_writer(struct ys_outgoing *outgoing, size_t limit);
/* Puts the headers before a PDU of `length` bytes that is already in its place; ready to be sent. */
void ys_l2cap_seal(struct ys_outgoing *outgoing, uint16_t channel, size_t length);
/* Sends the host's own packet at once; ys_l2cap_fits must have said that it fits. */
void ys_l2cap_send(struct ys_host *host, struct ys_connection *connection);

/* server.c, notify.c, attributes.c */

/* What a client with robust caching knows of the table; the comment at the top of caching.c draws it. */
enum awareness { AWARE, UNAWARE, TOLD };

/* Bits of the client supported features (Vol 3 Part G 7.2). */
#define FEATURE_ROBUST_CACHING         0x01
#define FEATURE_MULTIPLE_NOTIFICATIONS 0x04
#define FEATURES_KNOWN                 0x07

/* The handle of a value of the GATT service; 0 if there is none. */
enum caching_value { YS_CACHING_CHANGED = 0x2a05, YS_CACHING_HASH = 0x2b2a };
uint16_t ys_caching_find(const struct ys_host *host, enum caching_value type);
/* The table is not what this client knew. */
void ys_caching_changed(struct ys_host *host, struct ys_connection *connection);
/* Before a PDU of a client is done: the error of a request that must not be done, or YS_ATT_OK. */
uint8_t ys_caching_check(const struct ys_host *host, struct ys_connection *connection, const struct ys_att_pdu *pdu);
/* A client has confirmed an indication. */
void ys_caching_confirmed(const struct ys_host *host, struct ys_connection *connection);
/* Whether the value behind a handle may be sent to a client: one that does not know the table is told that it changed,
 * and nothing else. */
bool ys_caching_allows(const struct ys_host *host, const struct ys_connection *connection, uint16_t handle);

/* What a request waits for; the comment at the top of server.c draws it. */
enum stage { STAGE_NONE, STAGE_CONSENT, STAGE_CONSENTED, STAGE_HANDLER };

void ys_server_receive(struct ys_host *host, struct ys_connection *connection, const uint8_t *pdu, size_t length);
void ys_server_run(struct ys_host *host, struct ys_connection *connection);
/* Forgets all writes of a connection that has ended. */
void ys_queue_forget(struct ys_host *host, const struct ys_connection *connection);
void ys_notify_collect(struct ys_host *host, uint32_t now_ms);
bool ys_notify_run(struct ys_host *host, struct ys_connection *connection);
uint32_t ys_notify_wait_ms(const struct ys_host *host, uint32_t now_ms);
/* The index of a characteristic that notifies or indicates, by its value's handle; YS_NONE if it does not. */
uint16_t ys_notifiable_of(const struct ys_host *host, uint16_t handle);
/* The stream behind a handle; NULL if there is none. */
struct ys_stream *ys_stream_at(const struct ys_host *host, uint16_t handle);
/* Sends a packet of a stream to which this connection has subscribed; false if there is none, or no room. */
bool ys_stream_run(struct ys_host *host, struct ys_connection *connection);
/* How many bytes of a stream wait; and the next ones of them, which are then gone. */
uint32_t ys_stream_waiting(const struct ys_stream *stream);
void ys_stream_take(struct ys_stream *stream, struct ys_writer *writer, uint32_t length);
/* Ends a connection whose peer has not confirmed the indication that waits, if its time is over. */
void ys_notify_check(struct ys_host *host, struct ys_connection *connection, uint32_t now_ms);
/* A server has sent a value. */
void ys_notify_received(struct ys_host *host, struct ys_connection *connection, const struct ys_att_pdu *pdu,
                        enum ys_att_verdict verdict);
/* The peer has confirmed the last indication. */
void ys_notify_confirmed(const struct ys_host *host, struct ys_connection *connection);

/* Whether it declares a service, primary or secondary: `size` is then the last handle of its group. */
bool ys_attribute_is_service(const struct ys_attribute *attribute);
const struct ys_attribute *ys_attribute_at(const struct ys_host *host, uint16_t handle);
struct ys_uuid ys_attribute_type(const struct ys_table *table, const struct ys_attribute *attribute);
bool ys_attribute_has_type(const struct ys_table *table, const struct ys_attribute *attribute,
                           const struct ys_uuid *type);
uint8_t ys_attribute_read(struct ys_host *host, struct ys_connection *connection, uint16_t handle,
                          struct ys_writer *value);
uint8_t ys_attribute_write(struct ys_host *host, struct ys_connection *connection, uint16_t handle,
                           struct ys_reader *value);
/* Whether a client may read or write it: by its rights, and then by the application's consent, where it asks. */
uint8_t ys_attribute_check_read(struct ys_host *host, const struct ys_connection *connection,
                                const struct ys_attribute *attribute);
uint8_t ys_attribute_check_write(const struct ys_host *host, const struct ys_connection *connection,
                                 const struct ys_attribute *attribute, bool command);
uint8_t ys_attribute_check_length(const struct ys_attribute *attribute, size_t length);
uint8_t ys_attribute_consent_to_write(struct ys_host *host, const struct ys_connection *connection,
                                      const struct ys_attribute *attribute);
/* The token of the next access of this connection that waits. */
uint32_t ys_attribute_token(const struct ys_host *host, const struct ys_connection *connection);
/* Whether the firmware takes what is written to it. */
bool ys_attribute_has_write_handler(const struct ys_attribute *attribute);
/* The length of a value that the host keeps as bytes; 0 of any other, which is only written whole. */
size_t ys_attribute_stored_length(const struct ys_host *host, uint16_t handle);
/* Whether these bytes, of a value that the host keeps, may be what they are. */
uint8_t ys_attribute_check_part(const struct ys_host *host, const struct ys_connection *connection, uint16_t handle,
                                const uint8_t *bytes, size_t length);
/* Writes a part of a value that the host keeps, which is `end` bytes long with all of its parts; all has been checked.
 */
void ys_attribute_write_part(struct ys_host *host, struct ys_connection *connection, uint16_t handle, uint16_t offset,
                             const uint8_t *bytes, size_t length, size_t end);
void ys_attributes_reset(struct ys_host *host);

/* Writes a client configuration; the rights have been checked. */
uint8_t ys_configuration_write(struct ys_host *host, struct ys_connection *connection, uint16_t notifiable,
                               uint16_t configuration);

/* remembered.c: known to a host only once there is a bond, likewise */

/* The link is encrypted with the key of this bond, from 1: what was kept of the client is so again. */
void ys_remembered_load(struct ys_host *host, struct ys_connection *connection, uint8_t peer);
/* The bond is no more. */
void ys_remembered_forget(const struct ys_host *host, uint8_t peer);

/* client.c: known to a host only once it is used, so that a device which is never a client need not link it */

struct ys_client {
    void (*receive)(struct ys_host *host, struct ys_connection *connection, const struct ys_att_pdu *pdu,
                    enum ys_att_verdict verdict);
    void (*run)(struct ys_host *host, struct ys_connection *connection, uint32_t now_ms);
    void (*abort)(struct ys_connection *connection);
};

/* host.c */

void ys_emit(struct ys_host *host, const struct ys_event *event);
struct ys_connection *ys_connection_find(struct ys_host *host, uint16_t handle);
uint32_t ys_now_ms(const struct ys_host *host);
/* Whether a call comes from an interrupt, where it is not allowed; says so in the log. */
bool ys_in_interrupt(const struct ys_host *host, const char *call);
/* Leaves a function that must not be called from an interrupt, in debug builds. */
#define YS_NOT_IN_INTERRUPT(host, call)                                                                                \
    do {                                                                                                               \
        if (YS_DEBUG && ys_in_interrupt(host, call))                                                                   \
            return YS_ERROR_CONTEXT;                                                                                   \
    } while (0)
/* There is new work: ys_host_run should be called soon. */
void ys_wake(const struct ys_host *host);
/* These commands are due from now on. */
void ys_commands_want(struct ys_host *host, uint32_t commands);

/* Milliseconds from now until a deadline on a clock that wraps; 0 once it has passed. */
static inline uint32_t ys_until_ms(uint32_t now_ms, uint32_t deadline_ms)
{
    int32_t left = (int32_t)(deadline_ms - now_ms);
    return left > 0 ? (uint32_t)left : 0;
}

/* Words that an interrupt or another thread may use meanwhile; each by itself is whole. */
#if defined(__GNUC__)
#define YS_LOAD(word)         __atomic_load_n(&(word), __ATOMIC_ACQUIRE)
#define YS_STORE(word, value) __atomic_store_n(&(word), (value), __ATOMIC_RELEASE)
#else
#define YS_LOAD(word)         (*(volatile const uint32_t *)&(word))
#define YS_STORE(word, value) (*(volatile uint32_t *)&(word) = (value))
#endif

static inline bool ys_bit_get(const struct ys_bits *bits, uint16_t index)
{
    return (bits->words[index / 32] >> index % 32 & 1) != 0;
}

static inline void ys_bit_set(struct ys_bits *bits, uint16_t index, bool on)
{
    uint32_t mask = UINT32_C(1) << index % 32;
    if (on)
        bits->words[index / 32] |= mask;
    else
        bits->words[index / 32] &= ~mask;
}

#endif
