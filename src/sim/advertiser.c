/* Legacy advertising (Core 5.4 Vol 6 Part B 4.4.2): events over channels 37, 38, 39, at the interval plus a random
 * delay of 0 to 10 ms. */
#include <string.h>

#include "sim/controller_parts.h"

#define FIRST_CHANNEL 37
#define LAST_CHANNEL  39
#define DELAY_MAX_US  10000

/* From the end of one channel's turn to the next packet: time to tune. */
#define TUNING_NS (150 * YS_NS_PER_US)

static bool is_used(const struct advertiser *advertiser, uint8_t channel)
{
    return (advertiser->parameters.channels >> (channel - FIRST_CHANNEL) & 1) != 0;
}

static void send_advertisement(struct advertiser *advertiser)
{
    static const uint8_t types[] = {
        [YS_HCI_ADVERTISE_CONNECTABLE] = YS_LINK_ADV_IND,
        [YS_HCI_ADVERTISE_SCANNABLE] = YS_LINK_ADV_SCAN_IND,
        [YS_HCI_ADVERTISE_BEACON] = YS_LINK_ADV_NONCONN_IND,
    };
    struct ys_controller *controller = advertiser->controller;
    const struct ys_link_advertising pdu = {
        .type = types[advertiser->parameters.type],
        .sender = controller_own_address(controller, advertiser->parameters.own_address_type),
        .data = advertiser->data.bytes,
        .length = advertiser->data.length,
    };
    uint64_t end_ns;
    controller_transmit_advertising(controller, advertiser->channel, &pdu, &end_ns);
    ys_clock_set(controller->clock, &advertiser->step, end_ns);
}

/* Goes to the next used channel, or ends the event. */
static void next_channel(struct advertiser *advertiser)
{
    ys_radio_stop(&advertiser->receiver);
    do {
        advertiser->channel++;
    } while (advertiser->channel <= LAST_CHANNEL && !is_used(advertiser, advertiser->channel));
    if (advertiser->channel <= LAST_CHANNEL)
        ys_clock_set(advertiser->controller->clock, &advertiser->step,
                     ys_clock_now_ns(advertiser->controller->clock) + TUNING_NS);
}

static void send_response(struct advertiser *advertiser)
{
    struct ys_controller *controller = advertiser->controller;
    const struct ys_link_advertising pdu = {
        .type = YS_LINK_SCAN_RSP,
        .sender = controller_own_address(controller, advertiser->parameters.own_address_type),
        .data = advertiser->response.bytes,
        .length = advertiser->response.length,
    };
    uint64_t end_ns;
    controller_transmit_advertising(controller, advertiser->channel, &pdu, &end_ns);
    ys_clock_set(controller->clock, &advertiser->step, end_ns);
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

static void step(void *context)
{
    struct advertiser *advertiser = context;
    struct ys_controller *controller = advertiser->controller;
    switch ((enum phase)advertiser->phase) {
    case PHASE_SEND:
        set_phase(advertiser, PHASE_SENT);
        send_advertisement(advertiser);
        break;
    case PHASE_SENT:
        if (advertiser->parameters.type == YS_HCI_ADVERTISE_BEACON) {
            set_phase(advertiser, PHASE_SEND);
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
        if (ys_receiver_hears(&advertiser->receiver))
            break; /* its end decides */
        set_phase(advertiser, PHASE_SEND);
        next_channel(advertiser);
        break;
    case PHASE_RESPOND:
        set_phase(advertiser, PHASE_RESPONDED);
        send_response(advertiser);
        break;
    case PHASE_RESPONDED:
        set_phase(advertiser, PHASE_SEND);
        next_channel(advertiser);
        break;
    }
}

static void start_event(void *context)
{
    struct advertiser *advertiser = context;
    struct ys_controller *controller = advertiser->controller;
    uint64_t delay_ns = ys_chance_below(&controller->chance, DELAY_MAX_US + 1) * YS_NS_PER_US;
    uint64_t now_ns = ys_clock_now_ns(controller->clock);
    advertiser->channel = FIRST_CHANNEL - 1;
    do {
        advertiser->channel++;
    } while (!is_used(advertiser, advertiser->channel));
    ys_clock_set(controller->clock, &advertiser->event,
                 now_ns + advertiser->parameters.interval_min * NS_PER_ADVERTISING_STEP + delay_ns);
    set_phase(advertiser, PHASE_SEND);
    step(advertiser);
}

static void accept(struct advertiser *advertiser, const struct ys_link_advertising *request, uint64_t end_ns)
{
    struct ys_controller *controller = advertiser->controller;
    const struct ys_link_connect *connect = &request->connect;
    struct link *link = link_take(controller);
    advertiser_stop(controller);
    if (link == NULL)
        return;
    link_start(link, false, connect, end_ns);
    controller_connection_complete(controller, &(struct ys_hci_connection){
                                                   .status = YS_HCI_OK,
                                                   .handle = link->handle,
                                                   .role = 1,
                                                   .peer = request->sender,
                                                   .interval = connect->interval,
                                                   .latency = connect->latency,
                                                   .timeout = connect->timeout,
                                               });
}

static bool connect_is_valid(const struct ys_link_connect *connect)
{
    static const uint8_t none[5] = {0};
    return ys_link_parameters_are_valid(connect->interval, connect->latency, connect->timeout) &&
           connect->window_size >= 1 && connect->hop >= 5 && connect->hop <= 16 &&
           memcmp(connect->channel_map, none, sizeof none) != 0;
}

static void receive(void *context, const struct ys_air_packet *packet)
{
    struct advertiser *advertiser = context;
    struct ys_controller *controller = advertiser->controller;
    struct ys_link_advertising pdu;
    struct ys_address own = controller_own_address(controller, advertiser->parameters.own_address_type);
    uint64_t end_ns = packet->start_ns + packet->duration_ns;
    bool good = controller_takes_advertising(packet, &pdu) && ys_address_is_equal(&pdu.target, &own);
    ys_radio_stop(&advertiser->receiver);
    if (good && pdu.type == YS_LINK_SCAN_REQ) {
        set_phase(advertiser, PHASE_RESPOND);
        ys_clock_set(controller->clock, &advertiser->step, end_ns + YS_LINK_INTER_FRAME_SPACE_NS);
    } else if (good && pdu.type == YS_LINK_CONNECT_IND && advertiser->parameters.type == YS_HCI_ADVERTISE_CONNECTABLE &&
               connect_is_valid(&pdu.connect)) {
        accept(advertiser, &pdu, end_ns);
    } else {
        set_phase(advertiser, PHASE_SEND);
        next_channel(advertiser);
    }
}

void advertiser_init(struct ys_controller *controller)
{
    struct advertiser *advertiser = &controller->advertiser;
    *advertiser = (struct advertiser){
        .controller = controller,
        .parameters = {.interval_min = 0x800, .interval_max = 0x800, .channels = 7},
        .event = {.fire = start_event, .context = advertiser},
        .step = {.fire = step, .context = advertiser},
        .receiver = {.receive = receive, .context = advertiser, .owner = controller->settings.number},
    };
}

void advertiser_stop(struct ys_controller *controller)
{
    struct advertiser *advertiser = &controller->advertiser;
    advertiser->on = false;
    ys_clock_cancel(controller->clock, &advertiser->event);
    ys_clock_cancel(controller->clock, &advertiser->step);
    ys_radio_stop(&advertiser->receiver);
}

uint8_t advertiser_enable(struct ys_controller *controller, bool on)
{
    struct advertiser *advertiser = &controller->advertiser;
    if (!on) {
        advertiser_stop(controller);
        return YS_HCI_OK;
    }
    if (advertiser->on)
        return YS_HCI_OK;
    if (advertiser->parameters.own_address_type == YS_ADDRESS_RANDOM && !controller->has_random_address)
        return YS_HCI_INVALID_PARAMETERS;
    if (advertiser->parameters.type == YS_HCI_ADVERTISE_CONNECTABLE && link_take(controller) == NULL)
        return YS_HCI_CONNECTION_LIMIT;
    advertiser->on = true;
    ys_clock_set(controller->clock, &advertiser->event, ys_clock_now_ns(controller->clock));
    return YS_HCI_OK;
}
