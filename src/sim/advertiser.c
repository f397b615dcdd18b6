/* Advertising sets (Core 5.4 Vol 6 Part B 4.4.2): what starts and ends them, and the events of legacy advertising,
 * which go over channels 37, 38, 39 at the interval plus a random delay of 0 to 10 ms. */
#include "sim/advertiser.h"

#include <stdlib.h>
#include <string.h>

#include "machine/crc.h"
#include "sim/advertising_set.h"
#include "sim/airing.h"
#include "sim/controller_state.h"
#include "sim/extended_advertiser.h"
#include "sim/link_time.h"
#include "sim/resolving.h"
#include "sim/turns.h"

#define DELAY_MAX_US 10000

/* Directed advertising with a high duty cycle: between events, and in all (Vol 6 Part B 4.4.2.4.3). */
#define FAST_INTERVAL_NS (3750 * YS_NS_PER_US)

/* How soon it is tried again to send an event for which the radio was not free. */
#define AGAIN_NS (500 * YS_NS_PER_US)
#define FAST_NS  (1280 * YS_NS_PER_MS)

#define DURATION_STEP_NS (10 * YS_NS_PER_MS)

static bool is_used(const struct advertiser *advertiser, uint8_t channel)
{
    return (advertiser->parameters.channels >> (channel - FIRST_CHANNEL) & 1) != 0;
}

/* ends */

/* Vol 6 Part B 4.4.2.4. */
static void time_is_over(void *context)
{
    struct advertiser *advertiser = context;
    set_silence(advertiser);
    if (advertiser->by_sets)
        set_tell_terminated(advertiser, YS_HCI_ADVERTISING_TIMEOUT, 0);
    else /* directed, high duty cycle */
        controller_connection_complete(advertiser->controller,
                                       &(struct ys_hci_connection){.status = YS_HCI_ADVERTISING_TIMEOUT,
                                                                   .role = 1,
                                                                   .peer = advertiser->parameters.peer});
}

/* legacy events */

static bool knows_selection_2(const struct ys_controller *controller)
{
    return (controller->features & YS_HCI_LE_FEATURE_CHANNELS_2) != 0;
}

/* What the step timer does next inside an event, on each channel:
 *
 *   send -> sent -> (listens) -> waited -> send on the next channel, or the end
 *                                  |  a scan request came
 *                                  +-> respond -> responded -> send on the next channel, or the end */
enum phase { PHASE_SEND, PHASE_SENT, PHASE_WAITED, PHASE_RESPOND, PHASE_RESPONDED };

static void set_phase(struct advertiser *advertiser, enum phase phase)
{
    advertiser->phase = (uint8_t)phase;
}

/* Vol 6 Part B 2.3.1. */
static uint8_t pdu_type(const struct advertiser *advertiser)
{
    if (set_is(advertiser, YS_HCI_SET_DIRECTED))
        return YS_LINK_ADV_DIRECT_IND;
    if (set_is(advertiser, YS_HCI_SET_CONNECTABLE))
        return YS_LINK_ADV_IND;
    return set_is(advertiser, YS_HCI_SET_SCANNABLE) ? YS_LINK_ADV_SCAN_IND : YS_LINK_ADV_NONCONN_IND;
}

static size_t compose(const struct advertiser *advertiser, uint8_t type, const struct set_data *data,
                      uint8_t bytes[YS_LINK_LEGACY_PDU_MAX])
{
    struct ys_writer writer = ys_writer_to(bytes, YS_LINK_LEGACY_PDU_MAX);
    ys_put_link_advertising(
        &writer, &(struct ys_link_advertising){
                     .type = type,
                     .channel_selection_2 = type != YS_LINK_SCAN_RSP && set_is(advertiser, YS_HCI_SET_CONNECTABLE) &&
                                            knows_selection_2(advertiser->controller),
                     .sender = advertiser_address(advertiser),
                     .target = resolving_target(advertiser->controller, &advertiser->parameters.peer),
                     .data = data->bytes,
                     .length = (uint8_t)data->length,
                 });
    return ys_writer_stored(&writer);
}

static struct sending_on here(const struct advertiser *advertiser)
{
    return (struct sending_on){
        .channel = advertiser->channel, .phy = YS_PHY_1M, .power_dbm = advertiser->parameters.power_dbm};
}

/* Whether the composed packets are still valid: until the host changes something, unless they contain an address that
 * changes from time to time. */
static bool is_composed(const struct advertiser *advertiser)
{
    return advertiser->composed.commands != 0 && advertiser->composed.commands == advertiser->controller->commands &&
           advertiser->parameters.own_address_type < YS_HCI_OWN_RESOLVABLE && !set_is(advertiser, YS_HCI_SET_DIRECTED);
}

static void advertise(struct advertiser *advertiser)
{
    struct ys_controller *controller = advertiser->controller;
    struct composed *composed = &advertiser->composed;
    const struct sending_on on = here(advertiser);
    if (!is_composed(advertiser)) {
        composed->commands = controller->commands;
        composed->length = (uint8_t)compose(advertiser, pdu_type(advertiser), &advertiser->data, composed->bytes);
        composed->crc = ys_machine_crc(YS_LINK_ADVERTISING_CRC_INIT, composed->bytes, composed->length);
    }
    uint64_t end_ns = controller_transmit(controller, &on, composed->bytes, composed->length, &composed->crc);
    ys_clock_set(controller->clock, &advertiser->step, end_ns);
}

static void respond(struct advertiser *advertiser)
{
    struct ys_controller *controller = advertiser->controller;
    const struct sending_on on = here(advertiser);
    uint8_t bytes[YS_LINK_LEGACY_PDU_MAX];
    size_t length = compose(advertiser, YS_LINK_SCAN_RSP, &advertiser->response, bytes);
    ys_clock_set(controller->clock, &advertiser->step, controller_transmit(controller, &on, bytes, length, NULL));
}

/* Goes to the next used channel, or ends the event (Vol 6 Part B 4.4.2.1). */
static void next_channel(struct advertiser *advertiser)
{
    ys_radio_stop(&advertiser->receiver);
    set_phase(advertiser, PHASE_SEND);
    do {
        advertiser->channel++;
    } while (advertiser->channel <= LAST_CHANNEL && !is_used(advertiser, advertiser->channel));
    if (advertiser->channel <= LAST_CHANNEL)
        ys_clock_set(advertiser->controller->clock, &advertiser->step,
                     ys_clock_now_ns(advertiser->controller->clock) + TUNING_NS);
    else
        advertiser_event_over(advertiser);
}

/* Vol 6 Part B 4.1.1. */
static void legacy_step(struct advertiser *advertiser)
{
    struct ys_controller *controller = advertiser->controller;
    switch ((enum phase)advertiser->phase) {
    case PHASE_SEND:
        set_phase(advertiser, PHASE_SENT);
        advertise(advertiser);
        break;
    case PHASE_SENT:
        if (!set_is(advertiser, YS_HCI_SET_CONNECTABLE) && !set_is(advertiser, YS_HCI_SET_SCANNABLE)) {
            next_channel(advertiser);
            break;
        }
        ys_radio_listen(controller->radio, &advertiser->receiver, advertiser->channel, YS_PHY_1M,
                        YS_LINK_ADVERTISING_ACCESS_ADDRESS);
        set_phase(advertiser, PHASE_WAITED);
        ys_clock_set(controller->clock, &advertiser->step,
                     ys_clock_now_ns(controller->clock) + YS_LINK_INTER_FRAME_SPACE_NS + SLACK_NS);
        break;
    case PHASE_WAITED:
        if (!ys_receiver_hears(&advertiser->receiver)) /* otherwise its end decides */
            next_channel(advertiser);
        break;
    case PHASE_RESPOND:
        set_phase(advertiser, PHASE_RESPONDED);
        respond(advertiser);
        break;
    case PHASE_RESPONDED:
        next_channel(advertiser);
        break;
    }
}

/* Vol 6 Part B 2.3.2, 4.4.2.3, 4.4.2.5, 4.4.2.6. */
static void legacy_receive(struct advertiser *advertiser, const struct ys_air_packet *packet)
{
    struct ys_controller *controller = advertiser->controller;
    struct ys_link_advertising pdu;
    struct ys_address own = advertiser_address(advertiser);
    uint64_t end_ns = packet->start_ns + packet->duration_ns;
    bool good = controller_takes_advertising(packet, &pdu) && ys_address_is_equal(&pdu.target, &own);
    ys_radio_stop(&advertiser->receiver);
    if (good && pdu.type == YS_LINK_SCAN_REQ && set_is(advertiser, YS_HCI_SET_SCANNABLE) &&
        advertiser_admits(advertiser, &pdu.sender, YS_HCI_FILTER_REQUESTS)) {
        set_phase(advertiser, PHASE_RESPOND);
        ys_clock_set(controller->clock, &advertiser->step, end_ns + YS_LINK_INTER_FRAME_SPACE_NS);
        advertiser_tell_request(advertiser, &pdu.sender);
    } else if (good && pdu.type == YS_LINK_CONNECT_IND && set_is(advertiser, YS_HCI_SET_CONNECTABLE) &&
               advertiser_admits(advertiser, &pdu.sender, YS_HCI_FILTER_CONNECTIONS) &&
               advertiser_connect_is_valid(&pdu.connect)) {
        advertiser->by_counter = pdu.channel_selection_2 && knows_selection_2(controller);
        advertiser_accept(advertiser, &pdu.sender, &pdu.connect, end_ns);
    } else {
        next_channel(advertiser);
    }
}

/* both */

static void step(void *context)
{
    struct advertiser *advertiser = context;
    if (set_is(advertiser, YS_HCI_SET_LEGACY))
        legacy_step(advertiser);
    else
        extended_step(advertiser);
}

static void receive(void *context, const struct ys_air_packet *packet)
{
    struct advertiser *advertiser = context;
    if (set_is(advertiser, YS_HCI_SET_LEGACY))
        legacy_receive(advertiser, packet);
    else
        extended_receive(advertiser, packet);
}

/* Sets the next event, in an interval and a delay from now (Vol 6 Part B 4.4.2.2). */
static void set_next(struct advertiser *advertiser)
{
    uint64_t now_ns = ys_clock_now_ns(advertiser->controller->clock);
    bool fast = set_is(advertiser, YS_HCI_SET_FAST);
    uint64_t interval_ns = fast ? FAST_INTERVAL_NS : advertiser->parameters.interval_min * NS_PER_ADVERTISING_STEP;
    uint64_t delay_ns = fast ? 0 : ys_chance_below(&advertiser->controller->chance, DELAY_MAX_US + 1) * YS_NS_PER_US;
    advertiser->latest_ns = now_ns + interval_ns + (fast ? 0 : DELAY_MAX_US * YS_NS_PER_US);
    ys_clock_set(advertiser->controller->clock, &advertiser->event, now_ns + interval_ns + delay_ns);
}

/* The length of an event without requests (Vol 6 Part B 4.4.2.3, 4.4.2.5, 4.4.2.6). */
static uint64_t event_ns(const struct advertiser *advertiser)
{
    if (!set_is(advertiser, YS_HCI_SET_LEGACY))
        return extended_event_ns(advertiser);
    size_t length = 2 + 6 + (size_t)advertiser->data.length;
    return (LAST_CHANNEL - FIRST_CHANNEL + 1) * (ys_link_duration_ns(YS_PHY_1M, length) + 2 * TUNING_NS + SLACK_NS);
}

/* Vol 6 Part B 4.4.2.2. */
static void start_event(void *context)
{
    struct advertiser *advertiser = context;
    struct ys_clock *clock = advertiser->controller->clock;
    uint64_t now_ns = ys_clock_now_ns(clock);
    if (!turns_advertise(advertiser->controller, event_ns(advertiser), now_ns >= advertiser->latest_ns)) {
        uint64_t again_ns = now_ns + AGAIN_NS < advertiser->latest_ns ? now_ns + AGAIN_NS : advertiser->latest_ns;
        ys_clock_set(clock, &advertiser->event, again_ns);
        return;
    }
    advertiser->channel = FIRST_CHANNEL;
    while (!is_used(advertiser, advertiser->channel))
        advertiser->channel++;
    advertiser->events++;
    set_next(advertiser);
    set_phase(advertiser, PHASE_SEND);
    if (!set_is(advertiser, YS_HCI_SET_LEGACY))
        extended_begin_event(advertiser);
    step(advertiser);
}

/* limits */

void advertiser_init(struct advertiser *advertiser, struct ys_controller *controller)
{
    *advertiser = (struct advertiser){
        .controller = controller,
        .parameters = {.properties = YS_HCI_SET_LEGACY | YS_HCI_SET_CONNECTABLE | YS_HCI_SET_SCANNABLE,
                       .interval_min = 0x800,
                       .interval_max = 0x800,
                       .channels = 7,
                       .power_dbm = controller->settings.power_dbm},
        .event = {.fire = start_event, .context = advertiser},
        .step = {.fire = step, .context = advertiser},
        .end = {.fire = time_is_over, .context = advertiser},
        .receiver = {.receive = receive,
                     .crc_init = YS_LINK_ADVERTISING_CRC_INIT,
                     .context = advertiser,
                     .owner = controller->settings.number,
                     .use = &controller->use},
    };
}

void advertiser_stop(struct advertiser *advertiser)
{
    if (advertiser->on)
        set_silence(advertiser);
}

void advertiser_free(struct advertiser *advertiser)
{
    advertiser_stop(advertiser);
    free(advertiser->data.bytes);
    free(advertiser->response.bytes);
    advertiser->data = advertiser->response = (struct set_data){.length = 0};
}

static bool has_address(const struct advertiser *advertiser)
{
    if ((advertiser->parameters.own_address_type & 1) != YS_ADDRESS_RANDOM)
        return true;
    return advertiser->by_sets ? advertiser->has_random_address : advertiser->controller->has_random_address;
}

/* Vol 6 Part B 4.4.2.10. */
uint8_t advertiser_start(struct advertiser *advertiser, const struct ys_hci_set_on *on)
{
    struct ys_clock *clock = advertiser->controller->clock;
    uint64_t now_ns = ys_clock_now_ns(clock);
    uint64_t duration_ns = set_is(advertiser, YS_HCI_SET_FAST) ? FAST_NS : 0;
    if (advertiser->on && on == NULL)
        return YS_HCI_OK;
    if (!has_address(advertiser))
        return YS_HCI_INVALID_PARAMETERS;
    if (set_is(advertiser, YS_HCI_SET_CONNECTABLE) && !links_have_room(advertiser->controller))
        return YS_HCI_CONNECTION_LIMIT;
    if (on != NULL && on->duration > 0)
        duration_ns = on->duration * DURATION_STEP_NS;
    bool was_on = advertiser->on;
    advertiser->on = true;
    advertiser->events = 0;
    advertiser->events_max = on != NULL ? on->events : 0;
    if (duration_ns > 0)
        ys_clock_set(clock, &advertiser->end, now_ns + duration_ns);
    else
        ys_clock_cancel(clock, &advertiser->end);
    if (was_on) /* Vol 4 Part E 7.8.56: only its end is another */
        return YS_HCI_OK;
    ys_clock_set(clock, &advertiser->event, now_ns);
    advertiser->latest_ns = now_ns + DELAY_MAX_US * YS_NS_PER_US;
    return YS_HCI_OK;
}

/* All of a controller */

void advertisers_stop(struct ys_controller *controller)
{
    advertiser_free(&controller->advertiser);
    for (size_t i = 0; controller->sets != NULL && i < controller->settings.sets; i++)
        advertiser_free(&controller->sets[i]);
}

bool advertisers_are_on(const struct ys_controller *controller)
{
    bool on = controller->advertiser.on;
    for (size_t i = 0; controller->sets != NULL && i < controller->settings.sets; i++)
        on = on || controller->sets[i].on;
    return on;
}

static bool makes(const struct advertiser *advertiser)
{
    return advertiser->on && advertiser->parameters.own_address_type >= YS_HCI_OWN_RESOLVABLE;
}

bool advertisers_made(const struct ys_controller *controller, struct ys_address *made)
{
    const struct advertiser *advertiser = makes(&controller->advertiser) ? &controller->advertiser : NULL;
    for (size_t i = 0; controller->sets != NULL && i < controller->settings.sets; i++) {
        if (advertiser == NULL && makes(&controller->sets[i]))
            advertiser = &controller->sets[i];
    }
    if (advertiser != NULL)
        *made = advertiser_address(advertiser);
    return advertiser != NULL;
}

bool advertisers_use_accept_list(const struct ys_controller *controller)
{
    bool used = controller->advertiser.on && controller->advertiser.parameters.filter != 0;
    for (size_t i = 0; controller->sets != NULL && i < controller->settings.sets; i++)
        used = used || (controller->sets[i].on && controller->sets[i].parameters.filter != 0);
    return used;
}
