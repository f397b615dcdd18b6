/* The initiator (Core 5.4 Vol 6 Part B 4.4.4): it answers an advertisement with a connection. */
#include "sim/initiator.h"

#include <stdlib.h>
#include <string.h>

#include "sim/airing.h"
#include "sim/channels.h"
#include "sim/controller_state.h"
#include "sim/link.h"
#include "sim/link_time.h"
#include "sim/listener.h"
#include "sim/places.h"
#include "sim/resolving.h"

/* CONNECT_IND and AUX_CONNECT_REQ: two bytes of header and 34 (Vol 6 Part B 2.3.3.1). */
#define REQUEST_LENGTH 36

/* An access address as the standard wants it (Vol 6 Part B 2.1.2): not that of advertising, nor one bit away from it;
 * no more than six equal bits in a row; at most 24 changes; at least two changes in the highest six bits; four bytes
 * that differ. Of a controller that knows LE Coded: three ones in the lowest eight bits, and at most eleven changes in
 * the lowest sixteen. */
static bool access_address_is_valid(uint32_t address, bool coded)
{
    uint32_t difference = address ^ YS_LINK_ADVERTISING_ACCESS_ADDRESS;
    uint32_t changes = address ^ address >> 1;
    int run = 1;
    int count = 0;
    int high = 0;
    int low = 0;
    int ones = 0;
    if ((difference & (difference - 1)) == 0 || address == (address & 0xff) * 0x01010101u)
        return false;
    for (int bit = 0; bit < 31; bit++) {
        bool change = (changes >> bit & 1) != 0;
        run = change ? 1 : run + 1;
        count += change;
        high += change && bit >= 26;
        low += change && bit < 15;
        ones += bit < 8 && (address >> bit & 1) != 0;
        if (run > 6)
            return false;
    }
    return count <= 24 && high >= 2 && (!coded || (low <= 11 && ones >= 3));
}

static uint32_t draw_access_address(struct ys_controller *controller)
{
    bool coded = (controller->features & YS_HCI_LE_FEATURE_CODED) != 0;
    uint32_t address;
    do {
        address = (uint32_t)ys_chance_next(&controller->chance);
    } while (!access_address_is_valid(address, coded));
    return address;
}

static void complete(struct initiator *initiator, const struct link_begin *begin)
{
    struct ys_controller *controller = initiator->listener.controller;
    const struct ys_hci_connect *wanted = &controller->connecting.common;
    struct link *link = link_take(controller);
    initiators_stop(controller);
    if (link == NULL) {
        controller_connection_complete(controller, &(struct ys_hci_connection){.status = YS_HCI_CONNECTION_LIMIT});
        return;
    }
    link_start(link, begin, &initiator->sent);
    controller_connection_complete(
        controller, &(struct ys_hci_connection){.status = YS_HCI_OK,
                                                .handle = link->handle,
                                                .role = 0,
                                                .peer = initiator->offered,
                                                .own_is_made = wanted->own_address_type >= YS_HCI_OWN_RESOLVABLE,
                                                .interval = wanted->interval_max,
                                                .latency = wanted->latency,
                                                .timeout = wanted->timeout});
}

/* The class of a clock that is no worse than that (Vol 6 Part B 2.3.3.1). */
static uint8_t accuracy_class(uint16_t ppm)
{
    static const uint16_t worst_ppm[] = {250, 150, 100, 75, 50, 30, 20};
    uint8_t row = 0;
    while (row < 7 && ppm <= worst_ppm[row])
        row++;
    return row;
}

/* Vol 6 Part B 2.3.3. */
static void send_request(struct initiator *initiator)
{
    struct listener *listener = &initiator->listener;
    struct ys_controller *controller = listener->controller;
    const struct ys_hci_connect *wanted = &controller->connecting.common;
    const struct sending_on place = listener_place(listener);
    bool extended = listener->follows == FOLLOWS_NOW;
    uint64_t window_ns = ys_clock_now_ns(controller->clock) + ys_link_duration_ns(place.phy, REQUEST_LENGTH) +
                         link_window_delay_ns(extended, place.phy);
    uint64_t later_ns = places_later_ns(controller, NULL, window_ns, wanted->interval_max);
    initiator->late_ns = later_ns % NS_PER_INTERVAL_STEP;
    initiator->sent = (struct ys_link_connect){
        .access_address = draw_access_address(controller),
        .crc_init = (uint32_t)ys_chance_next(&controller->chance) & 0xffffff,
        .window_size = 1,
        .window_offset = (uint16_t)(later_ns / NS_PER_INTERVAL_STEP),
        .interval = wanted->interval_max,
        .latency = wanted->latency,
        .timeout = wanted->timeout,
        .hop = (uint8_t)(5 + ys_chance_below(&controller->chance, 12)),
        .clock_accuracy = accuracy_class(controller->settings.clock_accuracy_ppm),
    };
    channels_allowed(controller, initiator->sent.channel_map);
    bool by_counter = initiator->by_counter && (controller->features & YS_HCI_LE_FEATURE_CHANNELS_2) != 0;
    const struct ys_link_advertising request = {
        .type = YS_LINK_CONNECT_IND,
        .channel_selection_2 = by_counter,
        .sender = controller_own_address(controller, wanted->own_address_type, &initiator->offered),
        .target = initiator->offered,
        .connect = initiator->sent,
    };
    initiator->sent_end_ns = controller_transmit_advertising(controller, &place, &request);
    if (extended)
        listener_wait_for_answer(listener, initiator->sent_end_ns);
    else
        complete(initiator, &(struct link_begin){.central = true,
                                                 .by_counter = by_counter,
                                                 .phy = YS_PHY_1M,
                                                 .end_ns = initiator->sent_end_ns,
                                                 .late_ns = initiator->late_ns});
}

static void reply(void *context)
{
    struct initiator *initiator = context;
    struct listener *listener = &initiator->listener;
    if (!listener->waits_for_response && links_have_radio(listener->controller))
        listener_resume(listener);
    else if (!listener->waits_for_response)
        send_request(initiator);
    else if (!ys_receiver_hears(&listener->receiver)) /* no answer: it may be heard again */
        listener_resume(listener);
}

/* Whether this advertiser is the one to connect to; with the filter, any on the list (Vol 6 Part B 4.3.3, 4.3.4). */
static bool is_wanted(const struct ys_controller *controller, const struct ys_address *sender)
{
    const struct ys_hci_connect *wanted = &controller->connecting.common;
    return wanted->filter != 0 ? controller_accepts(controller, sender)
                               : resolving_is(controller, &wanted->peer, sender);
}

static bool is_named(struct ys_controller *controller, const struct ys_address *sender, const struct ys_address *target)
{
    const struct ys_hci_connect *wanted = &controller->connecting.common;
    struct ys_address own = controller_own_address(controller, wanted->own_address_type, sender);
    return controller_is_own(controller, &own, target);
}

/* Vol 6 Part B 4.4.4. */
static void hear_legacy(struct initiator *initiator, const struct ys_air_packet *packet)
{
    struct ys_controller *controller = initiator->listener.controller;
    struct ys_link_advertising pdu;
    if (!controller_takes_advertising(packet, &pdu) || !is_wanted(controller, &pdu.sender) ||
        (pdu.type != YS_LINK_ADV_IND &&
         (pdu.type != YS_LINK_ADV_DIRECT_IND || !is_named(controller, &pdu.sender, &pdu.target))))
        return;
    initiator->offered = pdu.sender;
    initiator->by_counter = pdu.channel_selection_2;
    listener_reply_to(&initiator->listener, packet);
}

static void take_secondary(struct initiator *initiator, const struct ys_link_extended *pdu,
                           const struct ys_air_packet *packet)
{
    struct listener *listener = &initiator->listener;
    struct ys_controller *controller = listener->controller;
    if (listener->waits_for_response) {
        enum ys_phy phy = (enum ys_phy)listener->aux.phy;
        if (pdu->type == YS_LINK_CONNECT_RSP && pdu->has_sender && pdu->has_target &&
            ys_address_is_equal(&pdu->sender, &initiator->offered) && is_named(controller, &pdu->sender, &pdu->target))
            complete(initiator, &(struct link_begin){.central = true,
                                                     .extended = true,
                                                     .by_counter = true,
                                                     .phy = phy,
                                                     .end_ns = initiator->sent_end_ns,
                                                     .late_ns = initiator->late_ns});
        else
            listener_resume(listener);
    } else if (pdu->type == YS_LINK_ADV_EXTENDED && pdu->mode == YS_LINK_MODE_CONNECTABLE && pdu->has_sender &&
               is_wanted(controller, &pdu->sender) &&
               (!pdu->has_target || is_named(controller, &pdu->sender, &pdu->target))) {
        initiator->offered = pdu->sender;
        listener_reply_to(listener, packet);
    } else {
        listener_resume(listener);
    }
}

/* Vol 6 Part B 4.4.4. */
static void hear_extended(struct initiator *initiator, const struct ys_air_packet *packet)
{
    struct listener *listener = &initiator->listener;
    struct ys_link_extended pdu;
    bool away = listener->follows == FOLLOWS_NOW;
    bool good = packet->crc_good && ys_link_extended_decode(packet->pdu, packet->length, &pdu);
    if (away)
        ys_clock_cancel(listener->controller->clock, &listener->aux_timer);
    if (away && good)
        take_secondary(initiator, &pdu, packet);
    else if (away)
        listener_resume(listener);
    else if (good && pdu.type == YS_LINK_ADV_EXTENDED && pdu.has_aux && pdu.mode == YS_LINK_MODE_CONNECTABLE)
        (void)listener_follow(listener, packet, &pdu.aux);
}

static void receive(void *context, const struct ys_air_packet *packet)
{
    struct initiator *initiator = context;
    if (packet->channel >= FIRST_CHANNEL && initiator->listener.phy == YS_PHY_1M)
        hear_legacy(initiator, packet);
    if (initiator->listener.controller->generation == GENERATION_EXTENDED)
        hear_extended(initiator, packet);
}

static void lost(void *context)
{
    (void)context;
}

void initiators_init(struct ys_controller *controller)
{
    for (size_t i = 0; controller->initiators != NULL && i < SCANNER_PHYS; i++)
        listener_init(&controller->initiators[i].listener, controller, i == SCANNER_1M ? YS_PHY_1M : YS_PHY_CODED_S8,
                      reply, receive, lost);
}

bool initiators_are_on(const struct ys_controller *controller)
{
    const struct initiator *both = controller->initiators;
    return both != NULL && (both[SCANNER_1M].listener.on || both[SCANNER_CODED].listener.on);
}

static bool make(struct ys_controller *controller)
{
    if (controller->initiators == NULL) {
        controller->initiators = calloc(SCANNER_PHYS, sizeof *controller->initiators);
        initiators_init(controller);
    }
    return controller->initiators != NULL;
}

uint8_t initiators_start(struct ys_controller *controller)
{
    const struct ys_hci_extended_connect *connecting = &controller->connecting;
    bool both = (connecting->phys & YS_HCI_PHYS_1M) != 0 && (connecting->phys & YS_HCI_PHYS_CODED) != 0;
    if (!links_have_room(controller))
        return YS_HCI_CONNECTION_LIMIT;
    if (!make(controller))
        return YS_HCI_MEMORY_FULL;
    for (size_t i = 0; i < SCANNER_PHYS; i++) {
        size_t row = i == SCANNER_1M ? 0 : 2;
        if ((connecting->phys >> row & 1) != 0)
            listener_start(&controller->initiators[i].listener, &connecting->by_phy[row],
                           both && i == SCANNER_CODED ? connecting->by_phy[0].window * NS_PER_ADVERTISING_STEP : 0);
    }
    return YS_HCI_OK;
}

void initiators_stop(struct ys_controller *controller)
{
    for (size_t i = 0; controller->initiators != NULL && i < SCANNER_PHYS; i++) {
        if (controller->initiators[i].listener.on)
            listener_stop(&controller->initiators[i].listener);
    }
}
