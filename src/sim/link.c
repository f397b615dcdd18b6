/* Connections (Core 5.4 Vol 6 Part B 4.5): events on their anchors, exchanges inside an event, supervision.
 *
 * The central starts each event; the peripheral answers T_IFS after. Either goes on while one of them has more, until
 * T_IFS before the next event. Both know when that is: a packet that would not end in time is not begun. The first
 * exchange of an event always goes: else a link could never send again what waits for its acknowledgement. */
#include "sim/link.h"

#include <string.h>

#include "sim/channels.h"
#include "sim/controller_state.h"
#include "sim/encryption.h"
#include "sim/link_data.h"
#include "sim/link_lengths.h"
#include "sim/link_time.h"
#include "sim/places.h"
#include "sim/procedures.h"
#include "sim/procedures_order.h"
#include "sim/to_host.h"
#include "sim/turns.h"

/* An event is over after so many packets in a row with a wrong CRC (Vol 6 Part B 4.5.6). */
#define BAD_MOST 2

/* ends */

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

static void silence(struct link *link)
{
    ys_clock_cancel(link_clock(link), &link->event);
    ys_clock_cancel(link_clock(link), &link->step);
    ys_clock_cancel(link_clock(link), &link->watch);
    ys_radio_stop(&link->receiver);
    link_drop_data(link);
    encryption_end(link);
    link->used = false;
    if (link->in_event)
        turns_end(link);
}

static void end_link(struct link *link, uint8_t reason)
{
    silence(link);
    send_disconnected(link, reason);
}

/* when the next event is */

/* Vol 6 Part B 4.5.1: a peripheral with nothing to say may leave out so many events, if it heard the last. */
static uint16_t next_attended(const struct link *link)
{
    bool rests = !link->central && link->parameters.latency > 0 && link->silent_events == 0 && link->established &&
                 !link->peer_has_more && link->first == NULL && link->controls_due == 0 &&
                 link->procedures.wanted == 0 && !procedures_are_busy(link) &&
                 link->encryption.step == ENCRYPTION_IDLE && link->ended_by_peer == 0;
    return rests ? (uint16_t)(link->parameters.latency + 1) : 1;
}

static void close_event(struct link *link)
{
    ys_radio_stop(&link->receiver);
    ys_clock_cancel(link_clock(link), &link->step);
    link->silent_events = link->heard ? 0 : link->silent_events + 1;
    link->in_event = false;
    link->left_out = 0;
    channels_consider(link);
    places_consider(link);
    link->ahead = next_attended(link);
    link_set_event(link);
    turns_end(link);
}

/* Another use of the radio is more urgent. */
static void leave_event(struct link *link)
{
    uint32_t left_out = link->heard ? 0 : link->left_out + 1;
    close_event(link);
    link->left_out = left_out;
}

/* inside an event */

static void listen(struct link *link, uint64_t until_ns)
{
    ys_radio_listen(link->controller->radio, &link->receiver, link->channel, link->receive_phy,
                    link->parameters.access_address);
    link->sends = false;
    ys_clock_set(link_clock(link), &link->step, until_ns);
}

static void send_at(struct link *link, uint64_t at_ns)
{
    link->sends = true;
    ys_clock_set(link_clock(link), &link->step, at_ns);
}

/* Whether there is time for the shortest exchange after a packet that ends then. */
static bool has_time(const struct link *link, uint64_t end_ns)
{
    uint64_t next_ns = end_ns + 2 * YS_LINK_INTER_FRAME_SPACE_NS + ys_link_duration_ns(link->receive_phy, 2) +
                       ys_link_duration_ns(link->send_phy, 2);
    return next_ns <= link->end_ns && next_ns <= link->own_end_ns;
}

static bool may_exchange(const struct link *link)
{
    uint8_t most = link->controller->character.exchanges_most;
    return most == 0 || link->exchanges < most;
}

/* Sends, and waits for what comes back; or ends the event. */
static void send_now(struct link *link)
{
    places_note_exchange(link);
    uint64_t end_ns = link_transmit(link);
    if (end_ns == 0) { /* it would not be over in time */
        close_event(link);
        return;
    }
    if (link->ended_by_peer != 0) { /* this packet has acknowledged it */
        uint8_t reason = link->ended_by_peer;
        end_link(link, reason);
        return;
    }
    if (link->central || ((link->peer_has_more || link->pdu.more) && may_exchange(link) && has_time(link, end_ns)))
        listen(link, end_ns + YS_LINK_INTER_FRAME_SPACE_NS + SLACK_NS);
    else
        close_event(link);
}

/* Inside an event (Vol 6 Part B 4.1.1, 4.5.1); the timer is `link->step`.
 *
 *   attend --central--> sends --packet is out--> listens --T_IFS and nothing began--> event is over
 *   attend --peripheral--> listens through the window --nothing began--> event is over
 *   listens --packet--> sends, T_IFS later; or the event is over: none has more, there is no time, two were spoilt
 *
 * Between events: `link->event` fires at the next anchor that is attended, brings in what holds from now on, and
 * attends, unless the radio has something more urgent (turns.c). `link->watch` supervises the link. */
static void step(void *context)
{
    struct link *link = context;
    if (link->sends) {
        send_now(link);
    } else { /* nothing began in time */
        channels_count(link, false);
        close_event(link);
    }
}

/* Vol 6 Part B 4.5.6: whether there is another exchange. The peripheral answers with nothing where what it has does not
 * fit: then there is no sense in asking again. */
static bool goes_on(const struct link *link, uint64_t at_ns)
{
    if ((!link->pdu.more && !link->peer_has_more) || !may_exchange(link))
        return false;
    if (link->own_end_ns != UINT64_MAX && !link_has_time(link, at_ns)) /* whoever has its turn next may have it */
        return false;
    if (!link->peer_has_more || !link->peer_was_empty || link->pdu.more)
        return true;
    return at_ns + link_longest_answer_ns(link) <= link->end_ns;
}

static void receive(void *context, const struct ys_air_packet *packet)
{
    struct link *link = context;
    uint64_t reply_ns = packet->start_ns + packet->duration_ns + YS_LINK_INTER_FRAME_SPACE_NS;
    bool first = !link->heard;
    ys_radio_stop(&link->receiver);
    link->rssi_dbm = packet->strength_dbm;
    link->heard = true;
    if (!link->central && first) { /* also one with a wrong CRC is an anchor */
        link->anchor_ns = packet->start_ns;
        link->synced_ns = packet->start_ns;
        link->window_ns = 0; /* Vol 6 Part B 4.5.3, 5.1.1: until then it may come anywhere in the window */
        turns_bound(link);
    }
    if (!link_receive(link, packet))
        return;
    if (link->bad_in_a_row >= BAD_MOST || (link->central && !goes_on(link, reply_ns)))
        close_event(link);
    else
        send_at(link, reply_ns);
}

/* Ends a link that has not been heard for too long, or looks again when that may be (Vol 6 Part B 4.5.2). */
static void watch(void *context)
{
    struct link *link = context;
    uint64_t now_ns = ys_clock_now_ns(link_clock(link));
    uint64_t silent_ns = link_silent_ns(link);
    uint64_t late_ns = procedures_deadline_ns(link);
    if (link->encryption.step != ENCRYPTION_IDLE && link->encryption.deadline_ns < late_ns)
        late_ns = link->encryption.deadline_ns;
    if (now_ns >= silent_ns)
        end_link(link, !link->established            ? YS_HCI_NOT_ESTABLISHED
                       : link->terminate_reason != 0 ? YS_HCI_LOCAL_ENDED
                                                     : YS_HCI_TIMEOUT);
    else if (now_ns >= late_ns)
        end_link(link, YS_HCI_LINK_RESPONSE_TIMEOUT);
    else
        ys_clock_set(link_clock(link), &link->watch, silent_ns < late_ns ? silent_ns : late_ns);
}

/* Goes to the event that is to be attended, past those that are not. Returns how much later it begins than at its
 * anchor as of before, by an update of the connection. */
static uint64_t advance(struct link *link)
{
    const struct ys_link_connect *parameters = &link->parameters;
    link->anchor_ns += link_by_own_clock(link, link->ahead * link_interval_ns(link));
    link->counter = (uint16_t)(link->counter + link->ahead);
    uint16_t hops = link->ahead > 0 ? link->ahead : 1; /* the first of all has a hop, too */
    link->ahead = 0;
    uint64_t later_ns = procedures_at_event(link);
    for (uint16_t i = 0; !link->by_counter && i < hops; i++)
        link->channel = ys_link_next_channel(&link->last_unmapped, parameters->hop, parameters->channel_map);
    if (link->by_counter)
        link->channel = ys_link_event_channel(parameters->access_address, link->counter, parameters->channel_map);
    link->anchor_ns += later_ns;
    return later_ns;
}

static void start_event(void *context);

/* Vol 6 Part B 4.5.1. */
static void attend(void *context)
{
    struct link *link = context;
    link->event.fire = start_event;
    link->heard = false;
    link->bad_in_a_row = 0;
    link->peer_has_more = false;
    if (!turns_begin(link)) {
        link->left_out++;
        link->ahead = 1;
        link_set_event(link);
        return;
    }
    link->in_event = true;
    link->exchanges = 0;
    turns_bound(link);
    if (link->central)
        send_now(link);
    else
        listen(link, link->anchor_ns + link->window_ns + link_widening_ns(link, link->anchor_ns - link->synced_ns));
}

static void start_event(void *context)
{
    struct link *link = context;
    uint64_t later_ns = advance(link);
    if (!link->used) /* an instant had passed */
        return;
    if (later_ns == 0) {
        attend(link);
        return;
    }
    link->event.fire = attend;
    ys_clock_set(link_clock(link), &link->event, ys_clock_now_ns(link_clock(link)) + later_ns);
}

/* limits */

void links_stop(struct ys_controller *controller)
{
    for (size_t i = 0; i < controller->link_count; i++) {
        if (controller->links[i]->used)
            silence(controller->links[i]);
    }
}

static const struct link_calls link_calls = {.end = end_link, .leave = leave_event};

/* Vol 6 Part B 4.5.3 to 4.5.5. */
void link_start(struct link *link, const struct link_begin *begin, const struct ys_link_connect *parameters)
{
    static const struct ys_link_lengths shortest = {YS_LINK_PAYLOAD_DEFAULT, YS_LINK_TIME_DEFAULT_US,
                                                    YS_LINK_PAYLOAD_DEFAULT, YS_LINK_TIME_DEFAULT_US};
    uint64_t window_ns = begin->end_ns + link_window_delay_ns(begin->extended, begin->phy) +
                         parameters->window_offset * NS_PER_INTERVAL_STEP;
    *link = (struct link){
        .calls = &link_calls,
        .controller = link->controller,
        .used = true,
        .central = begin->central,
        .handle = link->handle,
        .parameters = *parameters,
        .send_phy = begin->phy,
        .receive_phy = begin->phy,
        .by_counter = begin->by_counter,
        .anchor_ns = window_ns + begin->late_ns,
        .window_ns = begin->central ? 0 : parameters->window_size * NS_PER_INTERVAL_STEP,
        .synced_ns = begin->end_ns,
        .last_heard_ns = begin->end_ns,
        .payload_timeout_ns = 30000 * YS_NS_PER_MS, /* Vol 4 Part E 7.3.94 */
        .lengths = shortest,
        .peer_lengths = shortest,
        .told = shortest,
        .event_length_ns = link->controller->settings.event_length_us * YS_NS_PER_US,
        .rssi_dbm = 127,
        .event = {.fire = start_event, .context = link},
        .step = {.fire = step, .context = link},
        .watch = {.fire = watch, .context = link},
        .receiver = {.receive = receive,
                     .crc_init = parameters->crc_init,
                     .silence = &link->step,
                     .context = link,
                     .owner = link->controller->settings.number,
                     .use = &link->controller->use},
    };
    link_lengths_changed(link);
    procedures_begin(link);
    link_set_event(link);
    link_watch(link);
}
