/* The scanner (Core 5.4 Vol 6 Part B 4.4.3): it reports what it hears, may ask for scan responses, and follows extended
 * advertisements to their end. */
#include "sim/scanner.h"

#include <stdlib.h>
#include <string.h>

#include "sim/airing.h"
#include "sim/controller_state.h"
#include "sim/link_time.h"
#include "sim/listener.h"
#include "sim/resolving.h"
#include "sim/to_host.h"

#define BACK_OFF_MAX     256
#define DURATION_STEP_NS (10 * YS_NS_PER_MS)

static struct scanning *scanning_of(const struct scanner *scanner)
{
    return &scanner->listener.controller->scanning;
}

/* The back-off: how many advertisements that could be asked are let pass before the next request (Vol 6 Part
 * B 4.4.3.2). */

static void draw_back_off(struct ys_controller *controller)
{
    struct scanning *scanning = &controller->scanning;
    scanning->back_off = (uint16_t)(1 + ys_chance_below(&controller->chance, scanning->back_off_max));
}

/* Vol 6 Part B 4.4.3.2: two answers in a row halve the upper limit, two failures in a row double it. */
static void count_request(struct ys_controller *controller, bool answered)
{
    struct scanning *scanning = &controller->scanning;
    int8_t in_a_row = (int8_t)(answered ? 1 : -1);
    if (scanning->in_a_row == in_a_row) {
        if (answered && scanning->back_off_max > 1)
            scanning->back_off_max /= 2;
        else if (!answered && scanning->back_off_max < BACK_OFF_MAX)
            scanning->back_off_max *= 2;
        in_a_row = 0;
    }
    scanning->in_a_row = in_a_row;
    draw_back_off(controller);
}

/* Zero already: a request was due, and the window ended before it was sent (Vol 6 Part B 2.3.2, 4.4.3.2). */
static bool may_ask(struct scanning *scanning)
{
    if (scanning->back_off > 0)
        scanning->back_off--;
    return scanning->back_off == 0;
}

/* Duplicates: what the last reports were about. The oldest is forgotten first, as a controller's memory has an end. */

static uint64_t mix(uint64_t value)
{
    value = (value ^ value >> 30) * UINT64_C(0xbf58476d1ce4e5b9);
    value = (value ^ value >> 27) * UINT64_C(0x94d049bb133111eb);
    return value ^ value >> 31;
}

static bool was_seen(struct scanning *scanning, const struct ys_address *address, uint32_t what)
{
    uint64_t key = 0;
    if (!scanning->once)
        return false;
    memcpy(&key, address->bytes, sizeof address->bytes);
    key = mix(mix(key ^ (uint64_t)address->type << 48) ^ what);
    for (uint16_t i = 0; i < scanning->seen_count; i++) {
        if (scanning->seen[i] == key)
            return true;
    }
    scanning->seen[scanning->seen_next] = key;
    scanning->seen_next = (uint16_t)((scanning->seen_next + 1) % SEEN_MAX);
    if (scanning->seen_count < SEEN_MAX)
        scanning->seen_count++;
    return false;
}

/* Vol 6 Part B 4.3.3: the filter accept list, and for directed advertisements their target (Vol 6 Part B 4.3.4). */
static bool is_let_through(struct ys_controller *controller, const struct ys_address *sender,
                           const struct ys_address *target)
{
    const struct scanning *scanning = &controller->scanning;
    if (scanning->parameters.filter != 0 && !controller_accepts(controller, sender))
        return false;
    if (target == NULL)
        return true;
    struct ys_address own = controller_own_address(controller, scanning->parameters.own_address_type, sender);
    return controller_is_own(controller, &own, target);
}

/* legacy advertisements */

static const struct legacy_report {
    bool reported;
    uint8_t type;   /* in LE Advertising Report */
    uint8_t reason; /* the bits of an extended one */
} legacy_reports[] = {
    [YS_LINK_ADV_IND] = {true, 0, YS_HCI_REPORT_CONNECTABLE | YS_HCI_REPORT_SCANNABLE},
    [YS_LINK_ADV_DIRECT_IND] = {true, 1, YS_HCI_REPORT_CONNECTABLE | YS_HCI_REPORT_DIRECTED},
    [YS_LINK_ADV_NONCONN_IND] = {true, 3, 0},
    [YS_LINK_SCAN_RSP] = {true, 4, YS_HCI_REPORT_SCANNABLE | YS_HCI_REPORT_RESPONSE},
    [YS_LINK_ADV_SCAN_IND] = {true, 2, YS_HCI_REPORT_SCANNABLE},
};

/* Who has sent it, as a host is told. */
static struct ys_address told(const struct ys_controller *controller, const struct ys_address *sender)
{
    struct ys_address identity;
    if (resolving_identify(controller, sender, &identity))
        identity.type = (uint8_t)(identity.type + YS_HCI_IDENTITY);
    return identity;
}

/* Vol 4 Part E 7.7.65.2. */
static void report(struct ys_controller *controller, const struct legacy_report *row,
                   const struct ys_link_advertising *pdu, int8_t rssi_dbm)
{
    uint8_t bytes[YS_HCI_EVENT_MAX];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    if (!controller_begin_le_event(controller, &writer,
                                   controller->scanning.by_sets ? (uint8_t)YS_HCI_LE_EXTENDED_ADVERTISING_REPORT
                                                                : (uint8_t)YS_HCI_LE_ADVERTISING_REPORT))
        return;
    ys_put_u8(&writer, 1);
    if (controller->scanning.by_sets)
        ys_put_hci_extended_report(&writer, &(struct ys_hci_extended_report){
                                                .type = (uint16_t)(row->reason | YS_HCI_REPORT_LEGACY),
                                                .address = told(controller, &pdu->sender),
                                                .primary_phy = YS_HCI_PHY_1M,
                                                .set_id = 0xff,
                                                .power_dbm = YS_HCI_POWER_NONE,
                                                .rssi_dbm = rssi_dbm,
                                                .target = pdu->target,
                                                .length = pdu->length,
                                                .data = pdu->data,
                                            });
    else
        ys_put_hci_report(&writer, &(struct ys_hci_report){.type = row->type,
                                                           .address = told(controller, &pdu->sender),
                                                           .length = pdu->length,
                                                           .data = pdu->data,
                                                           .rssi_dbm = rssi_dbm});
    controller_send(controller, &writer);
}

static bool is_active(const struct scanner *scanner)
{
    const struct ys_hci_extended_scan *parameters = &scanning_of(scanner)->parameters;
    return parameters->by_phy[scanner->listener.phy == YS_PHY_1M ? 0 : 2].active != 0;
}

static void ask(struct scanner *scanner, const struct ys_air_packet *packet, const struct ys_address *whom)
{
    scanner->asks = true;
    scanner->listener.asked = *whom;
    listener_reply_to(&scanner->listener, packet);
}

static void hear_legacy(struct scanner *scanner, const struct ys_air_packet *packet)
{
    struct listener *listener = &scanner->listener;
    struct ys_controller *controller = listener->controller;
    struct ys_link_advertising pdu;
    if (!controller_takes_advertising(packet, &pdu) || !legacy_reports[pdu.type].reported)
        return;
    const struct legacy_report *row = &legacy_reports[pdu.type];
    bool response = pdu.type == YS_LINK_SCAN_RSP;
    bool directed = pdu.type == YS_LINK_ADV_DIRECT_IND;
    if (response && !(listener->waits_for_response && ys_address_is_equal(&pdu.sender, &listener->asked)))
        return;
    if (response) {
        listener->waits_for_response = false;
        count_request(controller, true);
    }
    if (!is_let_through(controller, &pdu.sender, directed ? &pdu.target : NULL))
        return;
    if (!was_seen(&controller->scanning, &pdu.sender, row->type))
        report(controller, row, &pdu, packet->strength_dbm);
    if (is_active(scanner) && (pdu.type == YS_LINK_ADV_IND || pdu.type == YS_LINK_ADV_SCAN_IND) &&
        may_ask(&controller->scanning))
        ask(scanner, packet, &pdu.sender);
}

/* extended advertisements */

static uint16_t followed_type(const struct followed *followed)
{
    uint16_t type = 0;
    if (followed->mode == YS_LINK_MODE_CONNECTABLE)
        type |= YS_HCI_REPORT_CONNECTABLE;
    if (followed->mode == YS_LINK_MODE_SCANNABLE)
        type |= YS_HCI_REPORT_SCANNABLE;
    if (followed->has_target)
        type |= YS_HCI_REPORT_DIRECTED;
    if (followed->response)
        type |= YS_HCI_REPORT_SCANNABLE | YS_HCI_REPORT_RESPONSE;
    return type;
}

/* Vol 4 Part E 7.7.65.13. */
static void report_part(struct scanner *scanner, uint16_t status, const uint8_t *data, uint8_t length, int8_t rssi_dbm)
{
    const struct followed *followed = &scanner->followed;
    struct ys_controller *controller = scanner->listener.controller;
    uint8_t bytes[YS_HCI_EVENT_MAX];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    if (!controller_begin_le_event(controller, &writer, YS_HCI_LE_EXTENDED_ADVERTISING_REPORT))
        return;
    ys_put_u8(&writer, 1);
    struct ys_hci_extended_report one = {
        .type = (uint16_t)(followed_type(followed) | status),
        .address = followed->has_sender ? told(controller, &followed->sender) : followed->sender,
        .primary_phy = phy_to_hci(scanner->listener.phy),
        .secondary_phy = followed->secondary_phy,
        .set_id = followed->set_id,
        .power_dbm = followed->power_dbm,
        .rssi_dbm = rssi_dbm,
        .target = followed->target,
        .length = length,
        .data = data,
    };
    if (!followed->has_sender)
        one.address.type = YS_HCI_ANONYMOUS;
    ys_put_hci_extended_report(&writer, &one);
    controller_send(controller, &writer);
}

/* Reports the data of a packet, which may be more than fits into one report. */
static void report_data(struct scanner *scanner, const struct ys_link_extended *pdu, bool more, int8_t rssi_dbm)
{
    const uint8_t *data = pdu->data;
    uint8_t left = pdu->length;
    scanner->followed.any = true;
    while (left > YS_HCI_REPORT_DATA_MAX) {
        report_part(scanner, YS_HCI_REPORT_MORE, data, YS_HCI_REPORT_DATA_MAX, rssi_dbm);
        data += YS_HCI_REPORT_DATA_MAX;
        left -= YS_HCI_REPORT_DATA_MAX;
    }
    report_part(scanner, more ? YS_HCI_REPORT_MORE : 0, data, left, rssi_dbm);
}

static void lost(void *context)
{
    struct scanner *scanner = context;
    if (scanner->followed.any && !scanner->followed.skip)
        report_part(scanner, YS_HCI_REPORT_TRUNCATED, NULL, 0, YS_HCI_POWER_NONE);
    scanner->followed.any = false;
    scanner->asks = false;
}

static void give_up(struct scanner *scanner)
{
    listener_resume(&scanner->listener);
    lost(scanner);
}

/* A packet of the primary channels: it holds all, or says where the rest is. */
static void take_primary(struct scanner *scanner, const struct ys_link_extended *pdu,
                         const struct ys_air_packet *packet)
{
    struct listener *listener = &scanner->listener;
    const struct followed pending = scanner->followed;
    if (pdu->has_aux && !listener_follow(listener, packet, &pdu->aux))
        return; /* it is busy with another one */
    scanner->followed = (struct followed){
        .has_sender = pdu->has_sender,
        .sender = pdu->sender,
        .has_target = pdu->has_target,
        .target = pdu->target,
        .mode = pdu->mode,
        .secondary_phy = pdu->has_aux ? phy_to_hci((enum ys_phy)pdu->aux.phy) : (uint8_t)YS_HCI_PHY_NONE,
        .set_id = pdu->has_data_id ? pdu->data_id.set : 0xff,
        .version = pdu->data_id.version,
        .power_dbm = YS_HCI_POWER_NONE,
    };
    if (pdu->has_power)
        scanner->followed.power_dbm = pdu->power_dbm;
    if (pdu->has_aux)
        return;
    if (is_let_through(listener->controller, &pdu->sender, pdu->has_target ? &pdu->target : NULL) &&
        !was_seen(scanning_of(scanner), &pdu->sender, UINT32_C(1) << 31))
        report_data(scanner, pdu, false, packet->strength_dbm);
    scanner->followed = pending; /* it may be awaited still */
}

/* What identifies the data: set, version, and whether it is a response. */
static uint32_t data_key(const struct followed *followed)
{
    return UINT32_C(1) << 30 | (uint32_t)followed->response << 24 | (uint32_t)followed->set_id << 16 |
           followed->version;
}

/* The first packet after the pointer. */
static void take_first(struct scanner *scanner, const struct ys_link_extended *pdu)
{
    struct followed *followed = &scanner->followed;
    struct ys_controller *controller = scanner->listener.controller;
    if (pdu->has_sender) {
        followed->has_sender = true;
        followed->sender = pdu->sender;
    }
    if (pdu->has_target) {
        followed->has_target = true;
        followed->target = pdu->target;
    }
    if (pdu->has_power)
        followed->power_dbm = pdu->power_dbm;
    if (followed->has_sender)
        followed->skip =
            !is_let_through(controller, &followed->sender, followed->has_target ? &followed->target : NULL);
    else
        followed->skip = !is_let_through(controller, &(struct ys_address){.type = YS_HCI_ANONYMOUS}, NULL);
}

static void take_secondary(struct scanner *scanner, const struct ys_link_extended *pdu,
                           const struct ys_air_packet *packet)
{
    struct listener *listener = &scanner->listener;
    struct followed *followed = &scanner->followed;
    bool answer = listener->waits_for_response;
    bool first = !followed->any || answer;
    if (answer) {
        if (!pdu->has_sender || !ys_address_is_equal(&pdu->sender, &listener->asked)) {
            give_up(scanner);
            return;
        }
        listener->waits_for_response = false;
        followed->response = true;
        count_request(listener->controller, true);
    }
    if (first)
        take_first(scanner, pdu);
    /* a packet of a chain belongs to what it is of */
    bool stranger =
        pdu->has_data_id && (pdu->data_id.set != followed->set_id || pdu->data_id.version != followed->version);
    if (stranger) {
        give_up(scanner);
        return;
    }
    bool asks = first && !answer && !followed->skip && pdu->mode == YS_LINK_MODE_SCANNABLE && is_active(scanner) &&
                may_ask(scanning_of(scanner));
    if (first && !followed->skip)
        followed->skip = was_seen(scanning_of(scanner), &followed->sender, data_key(followed));
    bool more = pdu->has_aux && !followed->skip && listener_follow(listener, packet, &pdu->aux);
    if (!followed->skip)
        report_data(scanner, pdu, pdu->has_aux, packet->strength_dbm);
    if (asks)
        ask(scanner, packet, &followed->sender);
    else if (!more && pdu->has_aux)
        give_up(scanner);
    else if (!more)
        listener_resume(listener);
    if (!more)
        followed->any = false;
}

static void hear_extended(struct scanner *scanner, const struct ys_air_packet *packet)
{
    struct listener *listener = &scanner->listener;
    struct ys_link_extended pdu;
    bool away = listener->follows == FOLLOWS_NOW;
    bool good = packet->crc_good && ys_link_extended_decode(packet->pdu, packet->length, &pdu) &&
                pdu.type == YS_LINK_ADV_EXTENDED;
    if (away)
        ys_clock_cancel(listener->controller->clock, &listener->aux_timer);
    if (good && away)
        take_secondary(scanner, &pdu, packet);
    else if (good)
        take_primary(scanner, &pdu, packet);
    else if (away)
        give_up(scanner);
}

static void receive(void *context, const struct ys_air_packet *packet)
{
    struct scanner *scanner = context;
    if (packet->channel >= FIRST_CHANNEL && scanner->listener.phy == YS_PHY_1M)
        hear_legacy(scanner, packet);
    if (scanning_of(scanner)->by_sets)
        hear_extended(scanner, packet);
}

static void reply(void *context)
{
    struct scanner *scanner = context;
    struct listener *listener = &scanner->listener;
    struct ys_controller *controller = listener->controller;
    if (!scanner->asks) { /* no response began in time */
        if (!listener->waits_for_response || ys_receiver_hears(&listener->receiver))
            return;
        count_request(controller, false);
        listener_resume(listener);
        return;
    }
    if (links_have_radio(controller)) {
        scanner->asks = false;
        listener_resume(listener);
        return;
    }
    const struct sending_on place = listener_place(listener);
    const struct ys_link_advertising request = {
        .type = YS_LINK_SCAN_REQ,
        .sender =
            controller_own_address(controller, controller->scanning.parameters.own_address_type, &listener->asked),
        .target = listener->asked,
    };
    scanner->asks = false;
    listener_wait_for_answer(listener, controller_transmit_advertising(controller, &place, &request));
}

/* Vol 4 Part E 7.7.65.17. */
static void time_is_over(void *context)
{
    struct ys_controller *controller = context;
    uint8_t bytes[YS_HCI_EVENT_MAX];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    scanners_stop(controller);
    if (controller_begin_le_event(controller, &writer, YS_HCI_LE_SCAN_TIMEOUT))
        controller_send(controller, &writer);
}

static void init_each(struct ys_controller *controller)
{
    for (size_t i = 0; controller->scanners != NULL && i < SCANNER_PHYS; i++) {
        struct scanner *scanner = &controller->scanners[i];
        *scanner = (struct scanner){.asks = false};
        listener_init(&scanner->listener, controller, i == SCANNER_1M ? YS_PHY_1M : YS_PHY_CODED_S8, reply, receive,
                      lost);
    }
}

static bool make(struct ys_controller *controller)
{
    if (controller->scanners == NULL) {
        controller->scanners = calloc(SCANNER_PHYS, sizeof *controller->scanners);
        init_each(controller);
    }
    return controller->scanners != NULL;
}

void scanners_init(struct ys_controller *controller)
{
    uint64_t *seen = controller->scanning.seen;
    controller->scanning = (struct scanning){
        .parameters = {.phys = YS_HCI_PHYS_1M, .by_phy = {{0, 0x10, 0x10}}},
        .seen = seen,
        .end = {.fire = time_is_over, .context = controller},
    };
    init_each(controller);
}

bool scanners_are_on(const struct ys_controller *controller)
{
    const struct scanner *both = controller->scanners;
    return both != NULL && (both[SCANNER_1M].listener.on || both[SCANNER_CODED].listener.on);
}

void scanners_stop(struct ys_controller *controller)
{
    ys_clock_cancel(controller->clock, &controller->scanning.end);
    for (size_t i = 0; controller->scanners != NULL && i < SCANNER_PHYS; i++) {
        if (controller->scanners[i].listener.on)
            listener_stop(&controller->scanners[i].listener);
    }
}

uint8_t scanners_enable(struct ys_controller *controller, bool on, bool once, uint16_t duration)
{
    struct scanning *scanning = &controller->scanning;
    const struct ys_hci_extended_scan *parameters = &scanning->parameters;
    if (!on) {
        scanners_stop(controller);
        return YS_HCI_OK;
    }
    if (scanners_are_on(controller) && !scanning->by_sets)
        return YS_HCI_OK;
    if (parameters->own_address_type == YS_ADDRESS_RANDOM && !controller->has_random_address)
        return YS_HCI_INVALID_PARAMETERS;
    if (!make(controller))
        return YS_HCI_MEMORY_FULL;
    if (once && scanning->seen == NULL && (scanning->seen = calloc(SEEN_MAX, sizeof *scanning->seen)) == NULL)
        return YS_HCI_MEMORY_FULL;
    scanners_stop(controller);
    scanning->once = once;
    scanning->seen_count = 0;
    scanning->seen_next = 0;
    scanning->back_off = 1;
    scanning->back_off_max = 1;
    scanning->in_a_row = 0;
    /* the two take turns: the coded window begins when that of 1M has ended */
    bool both = parameters->phys == (YS_HCI_PHYS_1M | YS_HCI_PHYS_CODED);
    for (size_t i = 0; i < SCANNER_PHYS; i++) {
        size_t row = i == SCANNER_1M ? 0 : 2;
        if ((parameters->phys >> row & 1) == 0)
            continue;
        controller->scanners[i].asks = false;
        listener_start(&controller->scanners[i].listener, &parameters->by_phy[row],
                       both && i == SCANNER_CODED ? parameters->by_phy[0].window * NS_PER_ADVERTISING_STEP : 0);
    }
    if (duration > 0)
        ys_clock_set(controller->clock, &scanning->end,
                     ys_clock_now_ns(controller->clock) + duration * DURATION_STEP_NS);
    return YS_HCI_OK;
}
