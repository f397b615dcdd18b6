/* What the files of the host share. */
#ifndef HOST_INTERNAL_H
#define HOST_INTERNAL_H

#include <yarnswift/host.h>

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
    COMMAND_SET_RANDOM_ADDRESS, /* the last of the start */
    COMMAND_DISCONNECT,
    COMMAND_ADVERTISING_OFF,
    COMMAND_ADVERTISING_PARAMETERS,
    COMMAND_ADVERTISING_DATA,
    COMMAND_SCAN_RESPONSE_DATA,
    COMMAND_ADVERTISING_ON,
    COMMAND_SCAN_OFF,
    COMMAND_SCAN_PARAMETERS,
    COMMAND_SCAN_ON,
    COMMAND_CONNECT_CANCEL,
    COMMAND_CONNECT,
    COMMAND_COUNT
};

#define COMMAND_NONE      0xff
#define BIT(command)      (UINT32_C(1) << (command))
#define COMMANDS_OF_START (BIT(COMMAND_SET_RANDOM_ADDRESS + 1) - 1)

void ys_commands_start(struct ys_host *host);
void ys_commands_run(struct ys_host *host);
void ys_commands_complete(struct ys_host *host, struct ys_reader parameters);
void ys_commands_status(struct ys_host *host, struct ys_reader parameters);
uint32_t ys_commands_wait_ms(const struct ys_host *host, uint32_t now_ms);

/* gap.c */

void ys_gap_fill_advertising(const struct ys_host *host, struct ys_hci_advertising *parameters);
void ys_gap_fill_scan(const struct ys_host *host, struct ys_hci_scan *parameters);
void ys_gap_fill_connect(const struct ys_host *host, struct ys_hci_connect *parameters);
void ys_gap_command_failed(struct ys_host *host, enum command command, const char *name, uint8_t status);
void ys_gap_connection_complete(struct ys_host *host, const struct ys_hci_connection *complete);
void ys_gap_disconnected(struct ys_host *host, uint16_t handle, uint8_t reason);
void ys_gap_reports(struct ys_host *host, struct ys_reader *reports);
void ys_gap_restart_advertising(struct ys_host *host);

/* l2cap.c: data in, data out */

void ys_l2cap_receive(struct ys_host *host, const uint8_t *packet, size_t length);
void ys_l2cap_completed(struct ys_host *host, struct ys_reader *parameters);
void ys_l2cap_run(struct ys_host *host, struct ys_connection *connection);
bool ys_l2cap_fits(const struct ys_host *host, size_t pdu_length);
/* A writer to where the PDU of `outgoing` goes, of at most `limit` bytes. */
struct ys_writer ys_l2cap_writer(struct ys_outgoing *outgoing, size_t limit);
/* Puts the headers before a PDU of `length` bytes that is already in its place; ready to be sent. */
void ys_l2cap_seal(struct ys_outgoing *outgoing, uint16_t channel, size_t length);
/* Sends the host's own packet at once; ys_l2cap_fits must have said that it fits. */
void ys_l2cap_send(struct ys_host *host, struct ys_connection *connection);

/* server.c, notify.c, attributes.c */

void ys_server_receive(struct ys_host *host, struct ys_connection *connection, const uint8_t *pdu, size_t length);
void ys_notify_collect(struct ys_host *host, uint32_t now_ms);
bool ys_notify_run(struct ys_host *host, struct ys_connection *connection);
uint32_t ys_notify_wait_ms(const struct ys_host *host, uint32_t now_ms);

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
uint8_t ys_attribute_check_read(const struct ys_attribute *attribute);
uint8_t ys_attribute_check_write(const struct ys_attribute *attribute, size_t length, bool command,
                                 const struct ys_attribute *declaration);
void ys_attributes_reset(struct ys_host *host);

/* client.c */

void ys_client_receive(struct ys_host *host, struct ys_connection *connection, const struct ys_att_pdu *pdu,
                       enum ys_att_verdict verdict);
void ys_client_run(struct ys_host *host, struct ys_connection *connection, uint32_t now_ms);
void ys_client_abort(struct ys_host *host, struct ys_connection *connection);
uint32_t ys_client_wait_ms(const struct ys_connection *connection, uint32_t now_ms);

/* host.c */

void ys_emit(struct ys_host *host, const struct ys_event *event);
void ys_log(const struct ys_host *host, const char *text, uint32_t value);
struct ys_connection *ys_connection_find(struct ys_host *host, uint16_t handle);
uint32_t ys_now_ms(const struct ys_host *host);
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
