/* Listening on the advertising channels (Core 5.4 Vol 6 Part B 4.4.3, 4.4.4): the scanner, which reports and may ask
 * for scan responses, and the initiator, which answers an advertisement with a connection. */
#include <string.h>

#include "sim/controller_parts.h"

#define FIRST_CHANNEL 37
#define LAST_CHANNEL  39

/* The window of both */

static void listen(struct listener *listener)
{
    listener->waits_for_response = false;
    ys_radio_listen(listener->controller->radio, &listener->receiver, listener->channel, YS_PHY_1M,
                    YS_LINK_ADVERTISING_ACCESS_ADDRESS);
}

static void begin_interval(void *context)
{
    struct listener *listener = context;
    struct ys_clock *clock = listener->controller->clock;
    uint64_t now_ns = ys_clock_now_ns(clock);
    listener->channel = listener->channel == LAST_CHANNEL ? FIRST_CHANNEL : (uint8_t)(listener->channel + 1);
    ys_clock_cancel(clock, &listener->reply_timer);
    ys_clock_set(clock, &listener->interval_timer, now_ns + listener->interval * NS_PER_ADVERTISING_STEP);
    if (listener->window < listener->interval)
        ys_clock_set(clock, &listener->window_timer, now_ns + listener->window * NS_PER_ADVERTISING_STEP);
    listen(listener);
}

static void end_window(void *context)
{
    struct listener *listener = context;
    ys_clock_cancel(listener->controller->clock, &listener->reply_timer);
    ys_radio_stop(&listener->receiver);
}

static void start(struct listener *listener, uint16_t interval, uint16_t window)
{
    listener->on = true;
    listener->interval = interval;
    listener->window = window;
    listener->channel = LAST_CHANNEL;
    begin_interval(listener);
}

static void stop(struct listener *listener)
{
    struct ys_clock *clock = listener->controller->clock;
    listener->on = false;
    ys_clock_cancel(clock, &listener->interval_timer);
    ys_clock_cancel(clock, &listener->window_timer);
    ys_clock_cancel(clock, &listener->reply_timer);
    ys_radio_stop(&listener->receiver);
}

static void init(struct listener *listener, struct ys_controller *controller, ys_timer_fn *reply,
                 ys_receive_fn *receive)
{
    *listener = (struct listener){
        .controller = controller,
        .channel = LAST_CHANNEL,
        .interval_timer = {.fire = begin_interval, .context = listener},
        .window_timer = {.fire = end_window, .context = listener},
        .reply_timer = {.fire = reply, .context = listener},
        .receiver = {.receive = receive, .context = listener, .owner = controller->settings.number},
    };
}

/* The scanner. Its listener is its first member, so that a pointer to one is a pointer to the other. */

static void report(struct ys_controller *controller, uint8_t type, const struct ys_link_advertising *pdu,
                   int8_t rssi_dbm)
{
    uint8_t bytes[YS_HCI_EVENT_MAX];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    if ((controller->le_event_mask & 2) == 0)
        return;
    ys_hci_event_begin(&writer, YS_HCI_LE_META);
    ys_put_u8(&writer, YS_HCI_LE_ADVERTISING_REPORT);
    ys_put_u8(&writer, 1);
    ys_put_hci_report(
        &writer,
        &(struct ys_hci_report){
            .type = type, .address = pdu->sender, .length = pdu->length, .data = pdu->data, .rssi_dbm = rssi_dbm});
    ys_hci_end(&writer);
    controller_send(controller, &writer);
}

/* The type of a report; -1 for PDUs that are not reported. */
static int report_type(const struct ys_link_advertising *pdu)
{
    switch (pdu->type) {
    case YS_LINK_ADV_IND:
        return 0;
    case YS_LINK_ADV_SCAN_IND:
        return 2;
    case YS_LINK_ADV_NONCONN_IND:
        return 3;
    case YS_LINK_SCAN_RSP:
        return 4;
    default:
        return -1;
    }
}

static void scanner_reply(void *context)
{
    struct scanner *scanner = context;
    struct listener *listener = &scanner->listener;
    struct ys_controller *controller = listener->controller;
    if (!scanner->asks) { /* no response began in time */
        if (!ys_receiver_hears(&listener->receiver))
            listener->waits_for_response = false;
        return;
    }
    const struct ys_link_advertising request = {
        .type = YS_LINK_SCAN_REQ,
        .sender = controller_own_address(controller, scanner->parameters.own_address_type),
        .target = listener->asked,
    };
    uint64_t end_ns;
    scanner->asks = false;
    controller_transmit_advertising(controller, listener->channel, &request, &end_ns);
    listen(listener);
    listener->waits_for_response = true;
    ys_clock_set(controller->clock, &listener->reply_timer, end_ns + YS_LINK_INTER_FRAME_SPACE_NS + SLACK_NS);
}

static void scanner_receive(void *context, const struct ys_air_packet *packet)
{
    struct scanner *scanner = context;
    struct listener *listener = &scanner->listener;
    struct ys_controller *controller = listener->controller;
    struct ys_link_advertising pdu;
    if (!controller_takes_advertising(packet, &pdu))
        return;
    int type = report_type(&pdu);
    bool response = pdu.type == YS_LINK_SCAN_RSP;
    if (type < 0 || (response && !(listener->waits_for_response && ys_address_is_equal(&pdu.sender, &listener->asked))))
        return;
    if (response)
        listener->waits_for_response = false;
    report(controller, (uint8_t)type, &pdu, packet->strength_dbm);
    if (scanner->parameters.active && (pdu.type == YS_LINK_ADV_IND || pdu.type == YS_LINK_ADV_SCAN_IND)) {
        scanner->asks = true;
        listener->asked = pdu.sender;
        ys_radio_stop(&listener->receiver);
        ys_clock_set(controller->clock, &listener->reply_timer,
                     packet->start_ns + packet->duration_ns + YS_LINK_INTER_FRAME_SPACE_NS);
    }
}

void scanner_init(struct ys_controller *controller)
{
    struct scanner *scanner = &controller->scanner;
    init(&scanner->listener, controller, scanner_reply, scanner_receive);
    scanner->parameters = (struct ys_hci_scan){.interval = 0x10, .window = 0x10};
    scanner->asks = false;
}

void scanner_stop(struct ys_controller *controller)
{
    if (controller->scanner.listener.on)
        stop(&controller->scanner.listener);
}

uint8_t scanner_enable(struct ys_controller *controller, bool on)
{
    struct scanner *scanner = &controller->scanner;
    if (!on) {
        scanner_stop(controller);
        return YS_HCI_OK;
    }
    if (scanner->listener.on)
        return YS_HCI_OK;
    if (scanner->parameters.own_address_type == YS_ADDRESS_RANDOM && !controller->has_random_address)
        return YS_HCI_INVALID_PARAMETERS;
    scanner->asks = false;
    start(&scanner->listener, scanner->parameters.interval, scanner->parameters.window);
    return YS_HCI_OK;
}

/* The initiator, likewise */

/* An access address as the standard wants it (2.1.2): not that of advertising, nor one bit away from it; no more than
 * six equal bits in a row; at most 24 changes; at least two changes in the highest six bits; four bytes that differ. */
static bool access_address_is_valid(uint32_t address)
{
    uint32_t difference = address ^ YS_LINK_ADVERTISING_ACCESS_ADDRESS;
    uint32_t changes = address ^ address >> 1;
    int run = 1;
    int count = 0;
    int high = 0;
    if ((difference & (difference - 1)) == 0 || address == (address & 0xff) * 0x01010101u)
        return false;
    for (int bit = 0; bit < 31; bit++) {
        bool change = (changes >> bit & 1) != 0;
        run = change ? 1 : run + 1;
        count += change;
        high += change && bit >= 26;
        if (run > 6)
            return false;
    }
    return count <= 24 && high >= 2;
}

static uint32_t draw_access_address(struct ys_chance *chance)
{
    uint32_t address;
    do {
        address = (uint32_t)ys_chance_next(chance);
    } while (!access_address_is_valid(address));
    return address;
}

static void connect(struct initiator *initiator)
{
    struct listener *listener = &initiator->listener;
    struct ys_controller *controller = listener->controller;
    const struct ys_hci_connect *wanted = &initiator->parameters;
    struct link *link = link_take(controller);
    stop(listener);
    if (link == NULL) {
        controller_connection_complete(controller, &(struct ys_hci_connection){.status = YS_HCI_CONNECTION_LIMIT});
        return;
    }
    const struct ys_link_advertising request = {
        .type = YS_LINK_CONNECT_IND,
        .sender = controller_own_address(controller, wanted->own_address_type),
        .target = initiator->offer.sender,
        .connect = {.access_address = draw_access_address(&controller->chance),
                    .crc_init = (uint32_t)ys_chance_next(&controller->chance) & 0xffffff,
                    .window_size = 1,
                    .window_offset = 0,
                    .interval = wanted->interval_max,
                    .latency = wanted->latency,
                    .timeout = wanted->timeout,
                    .channel_map = {0xff, 0xff, 0xff, 0xff, 0x1f},
                    .hop = (uint8_t)(5 + ys_chance_below(&controller->chance, 12))},
    };
    uint64_t end_ns;
    controller_transmit_advertising(controller, listener->channel, &request, &end_ns);
    link_start(link, true, &request.connect, end_ns);
    controller_connection_complete(controller, &(struct ys_hci_connection){.status = YS_HCI_OK,
                                                                           .handle = link->handle,
                                                                           .role = 0,
                                                                           .peer = initiator->offer.sender,
                                                                           .interval = wanted->interval_max,
                                                                           .latency = wanted->latency,
                                                                           .timeout = wanted->timeout});
}

static void initiator_reply(void *context)
{
    connect(context);
}

static void initiator_receive(void *context, const struct ys_air_packet *packet)
{
    struct initiator *initiator = context;
    struct listener *listener = &initiator->listener;
    struct ys_link_advertising pdu;
    if (!controller_takes_advertising(packet, &pdu) || pdu.type != YS_LINK_ADV_IND ||
        !ys_address_is_equal(&pdu.sender, &initiator->parameters.peer))
        return;
    initiator->offer = pdu;
    ys_radio_stop(&listener->receiver);
    ys_clock_set(listener->controller->clock, &listener->reply_timer,
                 packet->start_ns + packet->duration_ns + YS_LINK_INTER_FRAME_SPACE_NS);
}

uint8_t initiator_start(struct ys_controller *controller)
{
    struct initiator *initiator = &controller->initiator;
    if (link_take(controller) == NULL)
        return YS_HCI_CONNECTION_LIMIT;
    init(&initiator->listener, controller, initiator_reply, initiator_receive);
    start(&initiator->listener, initiator->parameters.scan_interval, initiator->parameters.scan_window);
    return YS_HCI_OK;
}

void initiator_stop(struct ys_controller *controller)
{
    if (controller->initiator.listener.on)
        stop(&controller->initiator.listener);
}
