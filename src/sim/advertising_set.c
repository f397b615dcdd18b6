/* An advertising set: its addresses, who may connect, and its end. */
#include "sim/advertising_set.h"

#include <string.h>

#include "sim/airing.h"
#include "sim/controller_state.h"
#include "sim/link.h"
#include "sim/link_time.h"
#include "sim/resolving.h"
#include "sim/to_host.h"

void set_silence(struct advertiser *advertiser)
{
    struct ys_clock *clock = advertiser->controller->clock;
    advertiser->on = false;
    ys_clock_cancel(clock, &advertiser->event);
    ys_clock_cancel(clock, &advertiser->step);
    ys_clock_cancel(clock, &advertiser->end);
    ys_radio_stop(&advertiser->receiver);
}

/* Vol 4 Part E 7.7.65.18. */
void set_tell_terminated(const struct advertiser *advertiser, uint8_t status, uint16_t connection)
{
    uint8_t bytes[YS_HCI_EVENT_MAX];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    struct ys_controller *controller = advertiser->controller;
    if (!controller_begin_le_event(controller, &writer, YS_HCI_LE_ADVERTISING_SET_TERMINATED))
        return;
    ys_put_hci_terminated(&writer, &(struct ys_hci_terminated){
                                       .status = status,
                                       .handle = advertiser->parameters.handle,
                                       .connection = connection,
                                       .events = advertiser->events_max > 0 ? (uint8_t)advertiser->events : 0,
                                   });
    controller_send(controller, &writer);
}

struct ys_address advertiser_address(const struct advertiser *advertiser)
{
    uint8_t type = advertiser->parameters.own_address_type;
    struct ys_address own;
    if (type >= YS_HCI_OWN_RESOLVABLE && resolving_own(advertiser->controller, &advertiser->parameters.peer, &own))
        return own;
    if (advertiser->by_sets && (type & 1) == YS_ADDRESS_RANDOM)
        return advertiser->random_address;
    return controller_own_address(advertiser->controller, type & 1, &advertiser->parameters.peer);
}

void advertiser_event_over(struct advertiser *advertiser)
{
    ys_radio_stop(&advertiser->receiver);
    ys_clock_cancel(advertiser->controller->clock, &advertiser->step); /* it may have waited for an answer */
    if (advertiser->events_max == 0 || advertiser->events < advertiser->events_max)
        return;
    set_silence(advertiser);
    set_tell_terminated(advertiser, YS_HCI_LIMIT_REACHED, 0);
}

void advertiser_accept(struct advertiser *advertiser, const struct ys_address *peer,
                       const struct ys_link_connect *connect, uint64_t end_ns)
{
    struct ys_controller *controller = advertiser->controller;
    bool extended = !set_is(advertiser, YS_HCI_SET_LEGACY);
    struct link *link = link_take(controller);
    set_silence(advertiser);
    if (link == NULL)
        return;
    link_start(link,
               &(struct link_begin){
                   .extended = extended,
                   .by_counter = extended || advertiser->by_counter,
                   .phy = extended ? phy_of_hci(advertiser->parameters.secondary_phy) : YS_PHY_1M,
                   .end_ns = end_ns,
               },
               connect);
    controller_connection_complete(controller,
                                   &(struct ys_hci_connection){
                                       .status = YS_HCI_OK,
                                       .handle = link->handle,
                                       .role = 1,
                                       .peer = *peer,
                                       .own_is_made = advertiser->parameters.own_address_type >= YS_HCI_OWN_RESOLVABLE,
                                       .interval = connect->interval,
                                       .latency = connect->latency,
                                       .timeout = connect->timeout,
                                   });
    if (advertiser->by_sets)
        set_tell_terminated(advertiser, YS_HCI_OK, link->handle);
}

/* Vol 6 Part B 4.3.1, 4.3.2, 4.4.2.4. */
bool advertiser_admits(const struct advertiser *advertiser, const struct ys_address *peer, enum ys_hci_filter filter)
{
    if (set_is(advertiser, YS_HCI_SET_DIRECTED))
        return resolving_is(advertiser->controller, &advertiser->parameters.peer, peer);
    return (advertiser->parameters.filter & filter) == 0 || controller_accepts(advertiser->controller, peer);
}

/* Vol 4 Part E 7.7.65.19. */
void advertiser_tell_request(const struct advertiser *advertiser, const struct ys_address *peer)
{
    uint8_t bytes[YS_HCI_EVENT_MAX];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    if (advertiser->parameters.tell_requests == 0 ||
        !controller_begin_le_event(advertiser->controller, &writer, YS_HCI_LE_SCAN_REQUEST_RECEIVED))
        return;
    ys_put_u8(&writer, advertiser->parameters.handle);
    ys_put_hci_address(&writer, peer);
    controller_send(advertiser->controller, &writer);
}

bool advertiser_connect_is_valid(const struct ys_link_connect *connect)
{
    static const uint8_t none[5] = {0};
    return ys_link_parameters_are_valid(connect->interval, connect->latency, connect->timeout) &&
           connect->window_size >= 1 && connect->hop >= 5 && connect->hop <= 16 &&
           memcmp(connect->channel_map, none, sizeof none) != 0;
}
