/* The events of extended advertising (Core 5.4 Vol 6 Part B 4.4.2.2): short packets on the primary channels point to
 * one on another channel, which holds the data, may point to more of it, and is answered there. */
#include "sim/extended_advertiser.h"

#include <string.h>

#include "sim/advertising_set.h"
#include "sim/airing.h"
#include "sim/controller_state.h"
#include "sim/link_time.h"
#include "sim/resolving.h"
#include "sim/to_host.h"

static enum ys_phy primary_phy(const struct advertiser *advertiser)
{
    return phy_of_hci(advertiser->parameters.primary_phy);
}

static enum ys_phy secondary_phy(const struct advertiser *advertiser)
{
    return phy_of_hci(advertiser->parameters.secondary_phy);
}

static bool has_address(const struct advertiser *advertiser)
{
    return !set_is(advertiser, YS_HCI_SET_ANONYMOUS);
}

/* A set without data that cannot be answered needs no second packet. */
static bool has_aux(const struct advertiser *advertiser)
{
    return set_is(advertiser, YS_HCI_SET_CONNECTABLE) || set_is(advertiser, YS_HCI_SET_SCANNABLE) ||
           set_is(advertiser, YS_HCI_SET_ANONYMOUS) || advertiser->data.length > 0;
}

static uint8_t mode(const struct advertiser *advertiser)
{
    if (set_is(advertiser, YS_HCI_SET_CONNECTABLE))
        return YS_LINK_MODE_CONNECTABLE;
    return set_is(advertiser, YS_HCI_SET_SCANNABLE) ? YS_LINK_MODE_SCANNABLE : YS_LINK_MODE_NEITHER;
}

static struct ys_link_data_id data_id(const struct advertiser *advertiser)
{
    return (struct ys_link_data_id){.set = advertiser->parameters.set_id, .version = advertiser->version};
}

static struct ys_link_extended primary_pdu(const struct advertiser *advertiser)
{
    bool aux = has_aux(advertiser);
    return (struct ys_link_extended){
        .type = YS_LINK_ADV_EXTENDED,
        .mode = mode(advertiser),
        .has_sender = !aux,
        .sender = advertiser_address(advertiser),
        .has_target = !aux && set_is(advertiser, YS_HCI_SET_DIRECTED),
        .target = resolving_target(advertiser->controller, &advertiser->parameters.peer),
        .has_data_id = aux,
        .data_id = data_id(advertiser),
        .has_aux = aux,
    };
}

/* The first auxiliary packet, before its data and its pointer. */
static struct ys_link_extended aux_pdu(const struct advertiser *advertiser)
{
    return (struct ys_link_extended){
        .type = YS_LINK_ADV_EXTENDED,
        .mode = mode(advertiser),
        .has_sender = has_address(advertiser),
        .sender = advertiser_address(advertiser),
        .has_target = set_is(advertiser, YS_HCI_SET_DIRECTED),
        .target = resolving_target(advertiser->controller, &advertiser->parameters.peer),
        .has_data_id = true,
        .data_id = data_id(advertiser),
        .has_power = set_is(advertiser, YS_HCI_SET_POWER),
        .power_dbm = advertiser->parameters.power_dbm,
    };
}

static struct ys_link_extended response_pdu(const struct advertiser *advertiser)
{
    return (struct ys_link_extended){
        .type = YS_LINK_ADV_EXTENDED,
        .has_sender = true,
        .sender = advertiser_address(advertiser),
        .has_data_id = true, /* so that what follows is known to belong to it */
        .data_id = data_id(advertiser),
        .has_power = set_is(advertiser, YS_HCI_SET_POWER),
        .power_dbm = advertiser->parameters.power_dbm,
    };
}

static struct ys_link_extended chain_pdu(const struct advertiser *advertiser)
{
    return (struct ys_link_extended){.type = YS_LINK_ADV_EXTENDED, .has_data_id = true, .data_id = data_id(advertiser)};
}

/* Puts as much of the chain into a packet as fits, with a pointer if there is more. */
static void fill(struct advertiser *advertiser, struct ys_link_extended *pdu)
{
    uint16_t left = (uint16_t)(advertiser->chain->length - advertiser->chained);
    pdu->has_aux = left > ys_link_extended_room(pdu);
    size_t room = ys_link_extended_room(pdu);
    pdu->data = advertiser->chain->bytes != NULL ? advertiser->chain->bytes + advertiser->chained : NULL;
    pdu->length = (uint8_t)(left < room ? left : room);
    advertiser->chained = (uint16_t)(advertiser->chained + pdu->length);
}

static uint64_t pdu_ns(enum ys_phy phy, const struct ys_link_extended *pdu)
{
    uint8_t bytes[YS_LINK_PDU_MAX];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    ys_put_link_extended(&writer, pdu);
    return ys_link_duration_ns(phy, ys_writer_stored(&writer));
}

/* The least time from the end of a packet to the next, at which a pointer can point. */
static uint64_t after(uint64_t start_ns, uint64_t end_ns)
{
    uint64_t step_ns = ys_link_aux_step_us((uint32_t)((end_ns - start_ns) / 1000)) * YS_NS_PER_US;
    uint64_t offset_ns = end_ns + YS_LINK_AUX_SPACE_NS - start_ns;
    return start_ns + (offset_ns + step_ns - 1) / step_ns * step_ns;
}

static uint8_t draw_channel(const struct advertiser *advertiser)
{
    return (uint8_t)ys_chance_below(&advertiser->controller->chance, 37);
}

/* Vol 6 Part B 4.1.2, 4.1.3. */
static struct ys_link_aux pointer(const struct advertiser *advertiser, uint64_t now_ns)
{
    return (struct ys_link_aux){
        .channel = advertiser->aux_channel,
        .accurate = true,
        .phy = (uint8_t)secondary_phy(advertiser),
        .offset_us = ys_link_aux_offset_us(advertiser->aux_ns - now_ns),
    };
}

static unsigned used_channels(const struct advertiser *advertiser)
{
    uint8_t channels = advertiser->parameters.channels;
    return (channels & 1u) + (channels >> 1 & 1u) + (channels >> 2 & 1u);
}

static uint64_t primary_ns(const struct advertiser *advertiser)
{
    const struct ys_link_extended pdu = primary_pdu(advertiser);
    unsigned count = used_channels(advertiser);
    return count * pdu_ns(primary_phy(advertiser), &pdu) + (count - 1) * TUNING_NS;
}

void extended_begin_event(struct advertiser *advertiser)
{
    uint64_t now_ns = ys_clock_now_ns(advertiser->controller->clock);
    if (!has_aux(advertiser))
        return;
    advertiser->aux_channel = draw_channel(advertiser);
    /* one time for all pointers: each says the step that it lies in, from its own begin; a step in reserve, so that
     * rounding down leaves the space that there must be */
    advertiser->aux_ns = now_ns + primary_ns(advertiser) + YS_LINK_AUX_SPACE_NS;
    advertiser->aux_ns += ys_link_aux_step_us((uint32_t)((advertiser->aux_ns - now_ns) / 1000)) * YS_NS_PER_US;
}

/* Sends, and lets the step timer go on when it ends. */
static void transmit(struct advertiser *advertiser, uint8_t channel, enum ys_phy phy,
                     const struct ys_link_extended *pdu, enum ys_auxiliary auxiliary)
{
    struct ys_controller *controller = advertiser->controller;
    const struct sending_on on = {
        .channel = channel, .phy = phy, .power_dbm = advertiser->parameters.power_dbm, .auxiliary = (uint8_t)auxiliary};
    ys_clock_set(controller->clock, &advertiser->step, controller_transmit_extended(controller, &on, pdu));
}

/* Sends an auxiliary packet with its share of the data; its pointer has the place of the next one. */
static void transmit_part(struct advertiser *advertiser, struct ys_link_extended *pdu, enum ys_auxiliary auxiliary)
{
    uint64_t now_ns = ys_clock_now_ns(advertiser->controller->clock);
    uint8_t channel = advertiser->aux_channel;
    fill(advertiser, pdu);
    if (pdu->has_aux) {
        advertiser->aux_channel = draw_channel(advertiser);
        advertiser->aux_ns = after(now_ns, now_ns + pdu_ns(secondary_phy(advertiser), pdu));
        pdu->aux = pointer(advertiser, now_ns);
    }
    transmit(advertiser, channel, secondary_phy(advertiser), pdu, auxiliary);
}

/* What the step timer does next:
 *
 *   primary, on each channel -> aux -> sent -> more, while there is data -> the end
 *                                       |
 *                                       +-> (listens) waited -> the end
 *                                             |  asked
 *                                             +-> respond -> more, while there is data -> the end
 *                                             |  invited
 *                                             +-> connect -> a link */
enum phase {
    PHASE_PRIMARY,
    PHASE_PRIMARY_SENT,
    PHASE_AUX,
    PHASE_AUX_SENT,
    PHASE_WAITED,
    PHASE_PART,
    PHASE_PART_SENT,
    PHASE_RESPOND,
    PHASE_CONNECT,
    PHASE_CONNECTED
};

static void next(struct advertiser *advertiser, enum phase phase, uint64_t at_ns)
{
    advertiser->phase = (uint8_t)phase;
    ys_clock_set(advertiser->controller->clock, &advertiser->step, at_ns);
}

static void send_primary(struct advertiser *advertiser)
{
    struct ys_link_extended pdu = primary_pdu(advertiser);
    if (pdu.has_aux)
        pdu.aux = pointer(advertiser, ys_clock_now_ns(advertiser->controller->clock));
    advertiser->phase = PHASE_PRIMARY_SENT;
    transmit(advertiser, advertiser->channel, primary_phy(advertiser), &pdu, YS_AUXILIARY_NOT);
}

static void primary_sent(struct advertiser *advertiser)
{
    uint64_t now_ns = ys_clock_now_ns(advertiser->controller->clock);
    do {
        advertiser->channel++;
    } while (advertiser->channel <= LAST_CHANNEL &&
             (advertiser->parameters.channels >> (advertiser->channel - FIRST_CHANNEL) & 1) == 0);
    if (advertiser->channel <= LAST_CHANNEL)
        next(advertiser, PHASE_PRIMARY, now_ns + TUNING_NS);
    else if (has_aux(advertiser))
        next(advertiser, PHASE_AUX, advertiser->aux_ns);
    else
        advertiser_event_over(advertiser);
}

static void send_aux(struct advertiser *advertiser)
{
    struct ys_link_extended pdu = aux_pdu(advertiser);
    advertiser->chain = &advertiser->data;
    advertiser->chained = 0;
    advertiser->phase = mode(advertiser) == YS_LINK_MODE_NEITHER ? PHASE_PART_SENT : PHASE_AUX_SENT;
    transmit_part(advertiser, &pdu, YS_AUXILIARY_ADV);
}

static void wait_for_request(struct advertiser *advertiser)
{
    struct ys_controller *controller = advertiser->controller;
    ys_radio_listen(controller->radio, &advertiser->receiver, advertiser->aux_channel, secondary_phy(advertiser),
                    YS_LINK_ADVERTISING_ACCESS_ADDRESS);
    next(advertiser, PHASE_WAITED, ys_clock_now_ns(controller->clock) + YS_LINK_INTER_FRAME_SPACE_NS + SLACK_NS);
}

static void send_connect_response(struct advertiser *advertiser)
{
    const struct ys_link_extended pdu = {
        .type = YS_LINK_CONNECT_RSP,
        .has_sender = true,
        .sender = advertiser_address(advertiser),
        .has_target = true,
        .target = advertiser->peer,
    };
    advertiser->phase = PHASE_CONNECTED;
    transmit(advertiser, advertiser->aux_channel, secondary_phy(advertiser), &pdu, YS_AUXILIARY_NOT);
}

void extended_step(struct advertiser *advertiser)
{
    struct ys_link_extended pdu;
    switch ((enum phase)advertiser->phase) {
    case PHASE_PRIMARY:
        send_primary(advertiser);
        break;
    case PHASE_PRIMARY_SENT:
        primary_sent(advertiser);
        break;
    case PHASE_AUX:
        send_aux(advertiser);
        break;
    case PHASE_AUX_SENT:
        wait_for_request(advertiser);
        break;
    case PHASE_WAITED:
        if (!ys_receiver_hears(&advertiser->receiver)) /* otherwise its end decides */
            advertiser_event_over(advertiser);
        break;
    case PHASE_RESPOND:
        pdu = response_pdu(advertiser);
        advertiser->chain = &advertiser->response;
        advertiser->chained = 0;
        advertiser->phase = PHASE_PART_SENT;
        transmit_part(advertiser, &pdu, YS_AUXILIARY_SCAN_RSP);
        break;
    case PHASE_PART:
        if (advertiser->chained > advertiser->chain->length) { /* it has been replaced by less meanwhile */
            advertiser_event_over(advertiser);
            break;
        }
        pdu = chain_pdu(advertiser);
        advertiser->phase = PHASE_PART_SENT;
        transmit_part(advertiser, &pdu, YS_AUXILIARY_CHAIN);
        break;
    case PHASE_PART_SENT:
        if (advertiser->chained < advertiser->chain->length)
            next(advertiser, PHASE_PART, advertiser->aux_ns);
        else
            advertiser_event_over(advertiser);
        break;
    case PHASE_CONNECT:
        send_connect_response(advertiser);
        break;
    case PHASE_CONNECTED:
        advertiser_accept(advertiser, &advertiser->peer, &advertiser->connect, advertiser->aux_ns);
        break;
    }
}

void extended_receive(struct advertiser *advertiser, const struct ys_air_packet *packet)
{
    struct ys_link_advertising pdu;
    struct ys_address own = advertiser_address(advertiser);
    uint64_t end_ns = packet->start_ns + packet->duration_ns;
    bool good = controller_takes_advertising(packet, &pdu) && ys_address_is_equal(&pdu.target, &own);
    ys_radio_stop(&advertiser->receiver);
    if (good && pdu.type == YS_LINK_SCAN_REQ && set_is(advertiser, YS_HCI_SET_SCANNABLE) &&
        advertiser_admits(advertiser, &pdu.sender, YS_HCI_FILTER_REQUESTS)) {
        next(advertiser, PHASE_RESPOND, end_ns + YS_LINK_INTER_FRAME_SPACE_NS);
        advertiser_tell_request(advertiser, &pdu.sender);
    } else if (good && pdu.type == YS_LINK_CONNECT_IND && set_is(advertiser, YS_HCI_SET_CONNECTABLE) &&
               advertiser_admits(advertiser, &pdu.sender, YS_HCI_FILTER_CONNECTIONS) &&
               advertiser_connect_is_valid(&pdu.connect) && links_have_room(advertiser->controller)) {
        advertiser->peer = pdu.sender;
        advertiser->connect = pdu.connect;
        advertiser->aux_ns = end_ns; /* the connection counts from there */
        next(advertiser, PHASE_CONNECT, end_ns + YS_LINK_INTER_FRAME_SPACE_NS);
    } else {
        advertiser_event_over(advertiser);
    }
}

size_t extended_data_max(const struct advertiser *advertiser)
{
    const struct ys_link_extended pdu = aux_pdu(advertiser);
    return ys_link_extended_room(&pdu);
}

uint64_t extended_event_ns(const struct advertiser *advertiser)
{
    enum ys_phy phy = secondary_phy(advertiser);
    const struct ys_link_extended first = aux_pdu(advertiser);
    const struct ys_link_extended response = response_pdu(advertiser);
    uint64_t sum_ns = primary_ns(advertiser);
    if (has_aux(advertiser))
        sum_ns += ys_link_chain_ns(phy, &first, advertiser->data.length);
    if (set_is(advertiser, YS_HCI_SET_SCANNABLE))
        sum_ns += ys_link_chain_ns(phy, &response, advertiser->response.length);
    return sum_ns;
}
