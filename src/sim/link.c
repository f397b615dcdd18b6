/* Connections (Core 5.4 Vol 6 Part B 4.5): events on their anchors, exchanges inside an event, acknowledgement by one
 * sequence bit each way, termination and supervision.
 *
 * The central starts each event; the peripheral answers T_IFS after. Either goes on while one of them has more. */
#include <string.h>

#include "sim/controller_parts.h"

/* From the end of CONNECT_IND, or of AUX_CONNECT_REQ on an uncoded or a coded PHY, to the first transmit window
 * (4.5.3). */
#define WINDOW_DELAY_NS          (1250 * YS_NS_PER_US)
#define WINDOW_DELAY_EXTENDED_NS (2500 * YS_NS_PER_US)
#define WINDOW_DELAY_CODED_NS    (3750 * YS_NS_PER_US)

/* A connection that was never heard is given up after six intervals (4.5.2). */
#define FIRST_EVENTS 6

/* The longest packet that either side may send: header and payload. */
#define LONGEST (2 + PAYLOAD_MAX + YS_LINK_MIC_SIZE)

static uint64_t interval_ns(const struct link *link)
{
    return link->parameters.interval * NS_PER_INTERVAL_STEP;
}

static struct ys_clock *clock_of(const struct link *link)
{
    return link->controller->clock;
}

/* what the host is told */

static void send_disconnected(struct link *link, uint8_t reason)
{
    uint8_t bytes[8];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    ys_hci_event_begin(&writer, YS_HCI_DISCONNECTION_COMPLETE);
    ys_put_u8(&writer, YS_HCI_OK);
    ys_put_u16(&writer, link->handle);
    ys_put_u8(&writer, reason);
    controller_send(link->controller, &writer);
}

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

static void release(struct link *link, struct outbound *buffer)
{
    buffer->next = link->controller->free_buffers;
    link->controller->free_buffers = buffer;
}

static void silence(struct link *link)
{
    ys_clock_cancel(clock_of(link), &link->event);
    ys_clock_cancel(clock_of(link), &link->step);
    ys_radio_stop(&link->receiver);
    while (link->first != NULL) {
        struct outbound *buffer = link->first;
        link->first = buffer->next;
        release(link, buffer);
    }
    encryption_end(link);
    link->used = false;
}

void link_end(struct link *link, uint8_t reason)
{
    silence(link);
    send_disconnected(link, reason);
}

/* what is sent next */

static bool may_send_data(const struct link *link)
{
    return link->first != NULL && link->terminate_reason == 0 && !encryption_holds_data(link);
}

static bool has_more(const struct link *link)
{
    const struct outbound *first = link->first;
    if (link->controls_due != 0)
        return true;
    return may_send_data(link) && (first->sent + link->data_in_flight < first->length || first->next != NULL);
}

/* The control PDU that is due first. */
static void choose_control(struct link *link)
{
    struct ys_link_control_pdu pdu = {.opcode = YS_LINK_UNKNOWN_RSP, .code = link->unknown};
    enum control control = CONTROL_UNKNOWN;
    while ((link->controls_due >> control & 1) == 0)
        control++;
    link->controls_due = (uint16_t)(link->controls_due & ~(1u << control));
    if (control == CONTROL_TERMINATE)
        pdu = (struct ys_link_control_pdu){.opcode = YS_LINK_TERMINATE_IND, .code = link->terminate_reason};
    else if (control != CONTROL_UNKNOWN)
        encryption_compose(link, control, &pdu);
    struct ys_writer writer = ys_writer_to(link->payload, PAYLOAD_MAX);
    ys_put_link_control(&writer, &pdu);
    link->control_sent = pdu.opcode;
    link->pdu.kind = YS_LINK_CONTROL;
    link->pdu.length = (uint8_t)ys_writer_stored(&writer);
}

static void choose_data(struct link *link)
{
    const struct outbound *first = link->first;
    uint16_t left = (uint16_t)(first->length - first->sent);
    link->pdu.length = (uint8_t)(left < PAYLOAD_MAX ? left : PAYLOAD_MAX);
    if (first->sent == 0 && first->boundary != YS_HCI_CONTINUING)
        link->pdu.kind = YS_LINK_FIRST;
    memcpy(link->payload, first->bytes + first->sent, link->pdu.length);
    link->data_in_flight = link->pdu.length;
}

/* Chooses the PDU that goes next: the one that waits for its acknowledgement, a control PDU, data, or an empty one. */
static void choose(struct link *link)
{
    if (link->in_flight)
        return;
    link->in_flight = true;
    link->data_in_flight = 0;
    link->pdu = (struct ys_link_data){.kind = YS_LINK_CONTINUING, .payload = link->payload};
    if (link->controls_due != 0)
        choose_control(link);
    else if (may_send_data(link))
        choose_data(link);
    encryption_seal(link, &link->pdu, link->payload);
}

static uint64_t transmit(struct link *link)
{
    uint8_t bytes[LONGEST];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    choose(link);
    link->pdu.sequence = link->sequence;
    link->pdu.next_expected = link->next_expected;
    link->pdu.more = has_more(link);
    ys_put_link_data(&writer, &link->pdu);
    return ys_radio_send(link->controller->radio, &(struct ys_sending){
                                                      .channel = link->channel,
                                                      .phy = link->phy,
                                                      .access_address = link->parameters.access_address,
                                                      .crc_init = link->parameters.crc_init,
                                                      .sender = link->controller->settings.number,
                                                      .power_dbm = link->controller->settings.power_dbm,
                                                      .pdu = bytes,
                                                      .length = (uint16_t)ys_writer_stored(&writer),
                                                  });
}

/* what came */

static void control_in(struct link *link, const struct ys_link_data *data)
{
    struct ys_link_control_pdu pdu;
    bool good = ys_link_control_decode(data->payload, data->length, &pdu);
    if (good && pdu.opcode == YS_LINK_TERMINATE_IND) {
        link->ended_by_peer = pdu.code != 0 ? pdu.code : YS_HCI_UNSPECIFIED;
    } else if (pdu.opcode != YS_LINK_UNKNOWN_RSP && (!good || !encryption_control_in(link, &pdu))) { /* 2.4.2.8 */
        link->unknown = pdu.opcode;
        link->controls_due |= 1u << CONTROL_UNKNOWN;
    }
}

/* The PDU in flight has arrived. Returns false if that ended the link. */
static bool acknowledged(struct link *link)
{
    struct outbound *first = link->first;
    link->in_flight = false;
    link->sequence = !link->sequence;
    if (link->pdu.kind == YS_LINK_CONTROL) {
        if (link->control_sent == YS_LINK_TERMINATE_IND)
            link_end(link, YS_HCI_LOCAL_ENDED);
        else
            encryption_acknowledged(link, link->control_sent);
        return link->used;
    }
    if (link->data_in_flight == 0 || first == NULL)
        return true;
    first->sent = (uint16_t)(first->sent + link->data_in_flight);
    link->data_in_flight = 0;
    if (first->sent == first->length) {
        link->first = first->next;
        release(link, first);
        send_completed(link, 1);
    }
    return true;
}

/* Takes a new PDU. Returns false if that ended the link. */
static bool take_new(struct link *link, struct ys_link_data *pdu)
{
    uint8_t payload[YS_LINK_PDU_MAX];
    bool data = pdu->kind != YS_LINK_CONTROL && pdu->length > 0;
    link->next_expected = !link->next_expected;
    if (!encryption_open(link, pdu, payload) || (data && encryption_forbids_data(link))) {
        link_end(link, YS_HCI_MIC_FAILURE);
        return false;
    }
    if (pdu->kind == YS_LINK_CONTROL)
        control_in(link, pdu);
    else if (data)
        send_data(link, pdu);
    return true;
}

/* Takes a packet: its acknowledgement, then its data. Returns false if the link has ended. */
static bool take(struct link *link, const struct ys_air_packet *packet)
{
    struct ys_link_data pdu;
    bool good = packet->crc_good &&
                packet->crc == ys_link_crc(link->parameters.crc_init, packet->pdu, packet->length) &&
                ys_link_data_decode(packet->pdu, packet->length, &pdu);
    link->peer_has_more = false;
    if (!good)
        return true;
    link->heard = true;
    link->established = true;
    link->last_heard_ns = ys_clock_now_ns(clock_of(link));
    link->peer_has_more = pdu.more;
    if (link->in_flight && pdu.next_expected != link->sequence && !acknowledged(link))
        return false;
    if (pdu.sequence != link->next_expected || link->ended_by_peer != 0)
        return true; /* heard before */
    return take_new(link, &pdu);
}

/* events */

/* The moment after which nothing of this event may be on the air any more: T_IFS before the next one. */
static uint64_t event_end_ns(const struct link *link)
{
    return link->anchor_ns + interval_ns(link) - YS_LINK_INTER_FRAME_SPACE_NS;
}

static void close_event(struct link *link)
{
    ys_radio_stop(&link->receiver);
    ys_clock_cancel(clock_of(link), &link->step);
    link->silent_events = link->heard ? 0 : link->silent_events + 1;
    link->anchor_ns += interval_ns(link);
    uint64_t start_ns = link->central ? link->anchor_ns : link->anchor_ns - SLACK_NS;
    ys_clock_set(clock_of(link), &link->event, start_ns);
}

static void listen(struct link *link, uint64_t until_ns)
{
    ys_radio_listen(link->controller->radio, &link->receiver, link->channel, link->phy,
                    link->parameters.access_address);
    link->sends = false;
    ys_clock_set(clock_of(link), &link->step, until_ns);
}

static void send_at(struct link *link, uint64_t at_ns)
{
    link->sends = true;
    ys_clock_set(clock_of(link), &link->step, at_ns);
}

/* Whether the central may start another exchange at `at_ns` that ends in time, whatever the other side sends. */
static bool has_time(const struct link *link, uint64_t at_ns)
{
    uint64_t longest_ns = ys_link_duration_ns(link->phy, LONGEST);
    uint64_t exchange_ns = longest_ns + YS_LINK_INTER_FRAME_SPACE_NS + longest_ns;
    return at_ns + exchange_ns <= event_end_ns(link);
}

static void after_sending(struct link *link, uint64_t end_ns)
{
    if (link->ended_by_peer != 0) { /* this packet has acknowledged it */
        uint8_t reason = link->ended_by_peer;
        link_end(link, reason);
        return;
    }
    if (link->central || link->peer_has_more || link->pdu.more)
        listen(link, end_ns + YS_LINK_INTER_FRAME_SPACE_NS + SLACK_NS);
    else
        close_event(link);
}

static void step(void *context)
{
    struct link *link = context;
    if (link->sends)
        after_sending(link, transmit(link));
    else if (!ys_receiver_hears(&link->receiver)) /* nothing began in time */
        close_event(link);
}

static void receive(void *context, const struct ys_air_packet *packet)
{
    struct link *link = context;
    uint64_t reply_ns = packet->start_ns + packet->duration_ns + YS_LINK_INTER_FRAME_SPACE_NS;
    bool first = !link->heard;
    ys_radio_stop(&link->receiver);
    if (!take(link, packet))
        return;
    if (!link->central) {
        if (first && link->heard)
            link->anchor_ns = packet->start_ns;
        send_at(link, reply_ns);
        return;
    }
    /* 4.5.6: without more data on either side the event is over; an acknowledgement that is due opens the next one */
    bool more = link->pdu.more || link->peer_has_more;
    if (more && has_time(link, reply_ns))
        send_at(link, reply_ns);
    else
        close_event(link);
}

/* Ends a link that has not been heard for too long; false if it has ended. */
static bool supervise(struct link *link)
{
    uint64_t now_ns = ys_clock_now_ns(clock_of(link));
    uint8_t reason = 0;
    if (!link->established && link->silent_events >= FIRST_EVENTS)
        reason = YS_HCI_NOT_ESTABLISHED;
    else if (link->established && now_ns - link->last_heard_ns >= link->parameters.timeout * NS_PER_TIMEOUT_STEP)
        reason = link->terminate_reason != 0 ? YS_HCI_LOCAL_ENDED : YS_HCI_TIMEOUT;
    else if (link->encryption.step != ENCRYPTION_IDLE && now_ns >= link->encryption.deadline_ns)
        reason = YS_HCI_LINK_RESPONSE_TIMEOUT;
    if (reason != 0)
        link_end(link, reason);
    return reason == 0;
}

static void start_event(void *context)
{
    struct link *link = context;
    if (!supervise(link))
        return;
    const struct ys_link_connect *parameters = &link->parameters;
    link->channel = link->by_counter
                        ? ys_link_event_channel(parameters->access_address, link->counter, parameters->channel_map)
                        : ys_link_next_channel(&link->last_unmapped, parameters->hop, parameters->channel_map);
    link->counter++;
    link->heard = false;
    link->peer_has_more = false;
    if (link->central)
        after_sending(link, transmit(link));
    else
        listen(link, link->anchor_ns + link->window_ns + SLACK_NS);
    link->window_ns = 0;
}

/* borders */

void links_init(struct ys_controller *controller)
{
    for (size_t i = 0; i < controller->settings.buffer_count; i++) {
        controller->buffers[i].next = controller->free_buffers;
        controller->free_buffers = &controller->buffers[i];
    }
    for (size_t i = 0; i < LINKS; i++) {
        controller->links[i].controller = controller;
        controller->links[i].handle = (uint16_t)(i + 1);
    }
}

void links_stop(struct ys_controller *controller)
{
    for (size_t i = 0; i < LINKS; i++) {
        if (controller->links[i].used)
            silence(&controller->links[i]);
    }
}

struct link *link_find(struct ys_controller *controller, uint16_t handle)
{
    if (handle == 0 || handle > LINKS || !controller->links[handle - 1].used)
        return NULL;
    return &controller->links[handle - 1];
}

struct link *link_take(struct ys_controller *controller)
{
    for (size_t i = 0; i < LINKS; i++) {
        if (!controller->links[i].used)
            return &controller->links[i];
    }
    return NULL;
}

void link_start(struct link *link, const struct link_begin *begin, const struct ys_link_connect *parameters)
{
    uint64_t delay_ns = !begin->extended                                     ? WINDOW_DELAY_NS
                        : begin->phy == YS_PHY_1M || begin->phy == YS_PHY_2M ? WINDOW_DELAY_EXTENDED_NS
                                                                             : WINDOW_DELAY_CODED_NS;
    uint64_t window_ns = begin->end_ns + delay_ns + parameters->window_offset * NS_PER_INTERVAL_STEP;
    *link = (struct link){
        .controller = link->controller,
        .used = true,
        .central = begin->central,
        .handle = link->handle,
        .parameters = *parameters,
        .phy = begin->phy,
        .by_counter = begin->extended,
        .anchor_ns = window_ns,
        .window_ns = begin->central ? 0 : parameters->window_size * NS_PER_INTERVAL_STEP,
        .last_heard_ns = begin->end_ns,
        .event = {.fire = start_event, .context = link},
        .step = {.fire = step, .context = link},
        .receiver = {.receive = receive, .context = link, .owner = link->controller->settings.number},
    };
    ys_clock_set(clock_of(link), &link->event, begin->central ? window_ns : window_ns - SLACK_NS);
}

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
    struct outbound **end = &link->first;
    while (*end != NULL)
        end = &(*end)->next;
    *end = buffer;
}

uint8_t link_terminate(struct link *link, uint8_t reason)
{
    static const uint8_t allowed[] = {0x05, 0x13, 0x14, 0x15, 0x1a, 0x29, 0x3b}; /* Vol 4 Part E 7.1.6 */
    if (memchr(allowed, reason, sizeof allowed) == NULL)
        return YS_HCI_INVALID_PARAMETERS;
    if (link->terminate_reason != 0)
        return YS_HCI_COMMAND_DISALLOWED;
    link->terminate_reason = reason;
    link->controls_due |= 1u << CONTROL_TERMINATE;
    return YS_HCI_OK;
}
