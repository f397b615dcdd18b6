/* The data of a connection (Core 5.4 Vol 6 Part B 2.4, 4.5.9, 4.5.10): what is sent next, acknowledgement by one
 * sequence bit each way, what came, and how long packets may be. */
#include "sim/link_data.h"

#include <string.h>

#include "sim/channels.h"
#include "sim/controller_state.h"
#include "sim/encryption.h"
#include "sim/link_lengths.h"
#include "sim/link_time.h"
#include "sim/procedures.h"
#include "sim/procedures_compose.h"
#include "sim/procedures_order.h"
#include "sim/to_host.h"

/* what the host is told */

/* Vol 4 Part E 7.7.19. */
static void send_completed(struct link *link, uint16_t count)
{
    uint8_t bytes[8];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    ys_hci_event_begin(&writer, YS_HCI_COMPLETED_PACKETS);
    ys_put_u8(&writer, 1);
    ys_put_u16(&writer, link->handle);
    ys_put_u16(&writer, count);
    controller_send(link->controller, &writer);
}

static void send_data(struct link *link, const struct ys_link_data *pdu)
{
    uint8_t bytes[YS_HCI_DATA_HEADER_SIZE + 255];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    ys_put_u8(&writer, YS_HCI_DATA);
    ys_put_hci_data(&writer, &(struct ys_hci_data){
                                 .handle = link->handle,
                                 .boundary = pdu->kind == YS_LINK_FIRST ? YS_HCI_FIRST_TO_HOST : YS_HCI_CONTINUING,
                                 .length = pdu->length,
                             });
    ys_put_bytes(&writer, pdu->payload, pdu->length);
    controller_send(link->controller, &writer);
}

static uint16_t lesser(uint16_t a, uint16_t b)
{
    return a < b ? a : b;
}

/* the packets of the host */

void link_send(struct link *link, const struct ys_hci_data *data, const uint8_t *bytes)
{
    struct outbound *buffer = link->controller->free_buffers;
    if (buffer == NULL) /* the host sent more than it was given room for */
        return;
    link->controller->free_buffers = buffer->next;
    buffer->length = data->length;
    buffer->sent = 0;
    buffer->boundary = data->boundary;
    buffer->next = NULL;
    memcpy(buffer->bytes, bytes, data->length);
    if (link->first == NULL)
        link->first = buffer;
    else
        link->last->next = buffer;
    link->last = buffer;
    link->queued += data->length;
    link_wake(link);
}

static void release_first(struct link *link)
{
    struct outbound *buffer = link->first;
    link->first = buffer->next;
    buffer->next = link->controller->free_buffers;
    link->controller->free_buffers = buffer;
}

void link_drop_data(struct link *link)
{
    while (link->first != NULL)
        release_first(link);
    link->queued = 0;
}

/* These bytes of the first packets have arrived. */
static void release_sent(struct link *link, uint16_t bytes)
{
    uint16_t count = 0;
    link->queued -= bytes;
    while (bytes > 0) {
        struct outbound *first = link->first;
        uint16_t part = lesser(bytes, (uint16_t)(first->length - first->sent));
        first->sent = (uint16_t)(first->sent + part);
        bytes = (uint16_t)(bytes - part);
        if (first->sent == first->length) {
            release_first(link);
            count++;
        }
    }
    if (count > 0)
        send_completed(link, count);
}

/* what is sent next */

#define OF_ENCRYPTION                                                                                                  \
    (UINT32_C(1) << CONTROL_UNKNOWN | UINT32_C(1) << CONTROL_PAUSE_REQ | UINT32_C(1) << CONTROL_PAUSE_RSP |            \
     UINT32_C(1) << CONTROL_ENC_REQ | UINT32_C(1) << CONTROL_ENC_RSP | UINT32_C(1) << CONTROL_REJECT |                 \
     UINT32_C(1) << CONTROL_START_REQ | UINT32_C(1) << CONTROL_START_RSP | UINT32_C(1) << CONTROL_TERMINATE)
#define BEGINS_ENCRYPTION (UINT32_C(1) << CONTROL_PAUSE_REQ | UINT32_C(1) << CONTROL_ENC_REQ)

/* The due PDUs that may be sent: while encryption starts, only its own; it does not start during another procedure (Vol
 * 6 Part B 5.1.3). */
static uint32_t controls_sendable(const struct link *link)
{
    uint32_t due = link->controls_due;
    if (link->encryption.step == ENCRYPTION_IDLE)
        return due;
    if ((due & BEGINS_ENCRYPTION) != 0 && procedures_are_busy(link))
        return due & ~BEGINS_ENCRYPTION;
    return due & OF_ENCRYPTION;
}

static bool may_send_data(const struct link *link)
{
    return link->first != NULL && link->terminate_reason == 0 && !encryption_holds_data(link);
}

/* Whether there is more than the PDU that is being sent. */
static bool has_more(const struct link *link)
{
    return controls_sendable(link) != 0 || (may_send_data(link) && link->queued > link->data_in_flight);
}

/* The control PDU that is due first. */
static void choose_control(struct link *link, uint32_t sendable)
{
    struct ys_link_control_pdu pdu = {.opcode = YS_LINK_TERMINATE_IND, .code = link->terminate_reason};
    struct ys_writer writer = ys_writer_to(link->payload, YS_LINK_CONTROL_MAX);
    enum control control = CONTROL_UNKNOWN;
    while ((sendable >> control & 1) == 0)
        control++;
    link->controls_due &= ~(UINT32_C(1) << control);
    link->usage.began_ns = 0;
    if (control >= CONTROL_PAUSE_REQ && control <= CONTROL_START_RSP)
        encryption_compose(link, control, &pdu);
    else if (control != CONTROL_TERMINATE)
        procedures_compose(link, control, &pdu);
    ys_put_link_control(&writer, &pdu);
    link->control_sent = pdu.opcode;
    link->pdu.kind = YS_LINK_CONTROL;
    link->pdu.length = (uint8_t)ys_writer_stored(&writer);
}

/* As much of a frame as one packet carries, from as many of the host's packets as it lies in. */
static void choose_data(struct link *link, uint8_t most)
{
    const struct outbound *buffer = link->first;
    if (buffer->sent == 0 && buffer->boundary != YS_HCI_CONTINUING)
        link->pdu.kind = YS_LINK_FIRST;
    uint16_t from = buffer->sent;
    do {
        uint16_t part = lesser((uint16_t)(buffer->length - from), (uint16_t)(most - link->pdu.length));
        memcpy(link->payload + link->pdu.length, buffer->bytes + from, part);
        link->pdu.length = (uint8_t)(link->pdu.length + part);
        buffer = buffer->next;
        from = 0;
    } while (buffer != NULL && buffer->boundary == YS_HCI_CONTINUING && link->pdu.length < most);
    link->data_in_flight = link->pdu.length;
}

/* The longest answer that the other side may begin without knowing this side's other radio activity: the longest
 * packet, if it has announced more data. */
static uint64_t answer_ns(const struct link *link)
{
    return link->peer_has_more ? link_longest_answer_ns(link) : ys_link_duration_ns(link->receive_phy, 2);
}

/* Whether a packet of this length is over in time, with its answer if it has one. The first of an event is. */
static bool fits(const struct link *link, uint64_t at_ns, size_t length)
{
    uint64_t end_ns = at_ns + ys_link_duration_ns(link->send_phy, 2 + length);
    if (link->exchanges == 0)
        return true;
    if (!link->central)
        return end_ns <= link->end_ns && end_ns <= link->own_end_ns;
    end_ns += YS_LINK_INTER_FRAME_SPACE_NS;
    return end_ns + ys_link_duration_ns(link->receive_phy, 2) <= link->end_ns &&
           (link->own_end_ns == UINT64_MAX || end_ns + answer_ns(link) <= link->own_end_ns);
}

/* How long the data is that would be sent next, with its MIC. */
static size_t next_length(const struct link *link, uint8_t most)
{
    const struct outbound *buffer = link->first;
    size_t left = (size_t)buffer->length - buffer->sent;
    for (buffer = buffer->next; buffer != NULL && buffer->boundary == YS_HCI_CONTINUING && left < most;
         buffer = buffer->next)
        left += buffer->length;
    left = left < most ? left : most;
    return left + (link->encryption.sends ? YS_LINK_MIC_SIZE : 0);
}

bool link_has_time(const struct link *link, uint64_t at_ns)
{
    return fits(link, at_ns, link->in_flight ? link->pdu.length : 0);
}

/* Chooses the PDU that goes next: a control PDU, data, or an empty one. */
static void choose(struct link *link)
{
    uint64_t now_ns = ys_clock_now_ns(link_clock(link));
    uint32_t sendable = controls_sendable(link);
    uint8_t most = procedures_are_busy(link) ? link_payload_through_procedures(link) : link->send_payload;
    link->in_flight = true;
    link->data_in_flight = 0;
    link->pdu = (struct ys_link_data){.kind = YS_LINK_CONTINUING, .payload = link->payload};
    if (sendable != 0 && fits(link, now_ns, YS_LINK_CONTROL_MAX + YS_LINK_MIC_SIZE))
        choose_control(link, sendable);
    else if (sendable == 0 && may_send_data(link) && fits(link, now_ns, next_length(link, most)))
        choose_data(link, most);
    encryption_seal(link, &link->pdu, link->payload);
}

uint64_t link_transmit(struct link *link)
{
    uint8_t bytes[YS_LINK_PDU_MAX];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    if (!link_has_time(link, ys_clock_now_ns(link_clock(link))))
        return 0;
    if (!link->in_flight) /* else the one that waits for its acknowledgement goes again */
        choose(link);
    link->exchanges++;
    link->pdu.sequence = link->sequence;
    link->pdu.next_expected = link->next_expected;
    link->pdu.more = has_more(link);
    ys_put_link_data(&writer, &link->pdu);
    return ys_radio_send(link->controller->radio, &(struct ys_sending){
                                                      .channel = link->channel,
                                                      .phy = link->send_phy,
                                                      .access_address = link->parameters.access_address,
                                                      .crc_init = link->parameters.crc_init,
                                                      .side = link->central ? YS_AIR_CENTRAL : YS_AIR_PERIPHERAL,
                                                      .sender = link->controller->settings.number,
                                                      .power_dbm = link->controller->settings.power_dbm,
                                                      .use = &link->controller->use,
                                                      .pdu = bytes,
                                                      .length = (uint16_t)ys_writer_stored(&writer),
                                                  });
}

/* what came */

static void control_in(struct link *link, const struct ys_link_data *data)
{
    struct ys_link_control_pdu pdu;
    bool good = ys_link_control_decode(data->payload, data->length, &pdu);
    link->usage.began_ns = 0;
    if (good && pdu.opcode == YS_LINK_TERMINATE_IND) {
        link->ended_by_peer = pdu.code != 0 ? pdu.code : YS_HCI_UNSPECIFIED;
        return;
    }
    /* Vol 6 Part B 2.4.2.8 */
    if (pdu.opcode == YS_LINK_UNKNOWN_RSP && !good)
        return;
    if (!good || (!encryption_control_in(link, &pdu) && !procedures_control_in(link, &pdu))) {
        link->procedures.unknown = pdu.opcode;
        link_want(link, CONTROL_UNKNOWN);
    }
}

/* The PDU in flight has arrived. Returns false if that ended the link (Vol 6 Part B 4.5.9). */
static bool acknowledged(struct link *link)
{
    link->in_flight = false;
    link->sequence = !link->sequence;
    if (link->pdu.kind == YS_LINK_CONTROL) {
        if (link->control_sent == YS_LINK_TERMINATE_IND)
            link_end(link, YS_HCI_LOCAL_ENDED);
        else
            encryption_acknowledged(link, link->control_sent);
        return link->used;
    }
    uint16_t bytes = link->data_in_flight;
    link->data_in_flight = 0;
    if (bytes > 0 && link->first != NULL)
        release_sent(link, bytes);
    return true;
}

/* Takes a new PDU. Returns false if that ended the link (Vol 6 Part B 4.5.9). */
static bool take_new(struct link *link, struct ys_link_data *pdu)
{
    uint8_t payload[YS_LINK_PDU_MAX];
    bool data = pdu->kind != YS_LINK_CONTROL && pdu->length > 0;
    link->next_expected = !link->next_expected;
    if (!encryption_open(link, pdu, payload) || (data && encryption_forbids_data(link))) {
        link_end(link, YS_HCI_MIC_FAILURE);
        return false;
    }
    if (pdu->length > 0) {
        link->last_authenticated_ns = ys_clock_now_ns(link_clock(link));
        link->payload_timeout_told = false;
    }
    if (pdu->kind == YS_LINK_CONTROL)
        control_in(link, pdu);
    else if (data)
        send_data(link, pdu);
    return link->used;
}

bool link_receive(struct link *link, const struct ys_air_packet *packet)
{
    struct ys_link_data pdu;
    bool good = packet->crc_good && ys_link_data_decode(packet->pdu, packet->length, &pdu);
    channels_count(link, good);
    link->receive_phy = packet->phy; /* which of the two, of a coded one */
    link->bad_in_a_row = good ? 0 : (uint8_t)(link->bad_in_a_row + 1);
    link->peer_has_more = true; /* who has not been understood may have more to say */
    link->peer_was_empty = false;
    if (!good)
        return true;
    link->last_heard_ns = ys_clock_now_ns(link_clock(link));
    if (!link->established) {
        link->established = true;
        link_watch(link);
    }
    link->peer_has_more = pdu.more;
    link->peer_was_empty = pdu.length == 0;
    if (link->in_flight && pdu.next_expected != link->sequence && !acknowledged(link))
        return false;
    if (pdu.sequence != link->next_expected || link->ended_by_peer != 0)
        return true; /* heard before */
    return take_new(link, &pdu);
}
