/* Listening on the advertising channels (Core 5.4 Vol 6 Part B 4.4.3): the window that hops over channels 37, 38, 39,
 * and what is pointed to on the others. */
#include "sim/listener.h"

#include "sim/controller_state.h"
#include "sim/link_time.h"

static struct ys_clock *clock_of(const struct listener *listener)
{
    return listener->controller->clock;
}

static void tune(struct listener *listener, uint8_t channel, enum ys_phy phy)
{
    listener->waits_for_response = false;
    if (links_have_radio(listener->controller)) {
        ys_radio_stop(&listener->receiver);
        return;
    }
    ys_radio_listen(listener->controller->radio, &listener->receiver, channel, phy, YS_LINK_ADVERTISING_ACCESS_ADDRESS);
}

void listener_resume(struct listener *listener)
{
    if (listener->follows == FOLLOWS_NOW)
        listener->follows = FOLLOWS_NOTHING;
    listener->waits_for_response = false;
    if (listener->in_window)
        tune(listener, listener->channel, listener->phy);
    else
        ys_radio_stop(&listener->receiver);
}

/* A connection event begins. The packet that is being received is lost, even if it has begun already: otherwise the
 * listener would wait for its end for ever. */
void listener_pause(struct listener *listener)
{
    if (!listener->on)
        return;
    ys_radio_stop(&listener->receiver);
    if (listener->follows != FOLLOWS_NOW)
        return;
    ys_clock_cancel(clock_of(listener), &listener->aux_timer);
    ys_clock_cancel(clock_of(listener), &listener->reply_timer);
    listener->follows = FOLLOWS_NOTHING;
    listener->waits_for_response = false;
    listener->lost(listener);
}

void listener_unpause(struct listener *listener)
{
    if (listener->on && listener->in_window && listener->follows != FOLLOWS_NOW &&
        !ys_timer_is_set(&listener->reply_timer))
        tune(listener, listener->channel, listener->phy);
}

/* Vol 6 Part B 4.4.3. */
static void begin_interval(void *context)
{
    struct listener *listener = context;
    uint64_t now_ns = ys_clock_now_ns(clock_of(listener));
    listener->channel = listener->channel == LAST_CHANNEL ? FIRST_CHANNEL : (uint8_t)(listener->channel + 1);
    ys_clock_set(clock_of(listener), &listener->interval_timer, now_ns + listener->interval * NS_PER_ADVERTISING_STEP);
    if (listener->window < listener->interval)
        ys_clock_set(clock_of(listener), &listener->window_timer, now_ns + listener->window * NS_PER_ADVERTISING_STEP);
    listener->in_window = true;
    if (listener->follows == FOLLOWS_NOW)
        return;
    ys_clock_cancel(clock_of(listener), &listener->reply_timer);
    tune(listener, listener->channel, listener->phy);
}

static void end_window(void *context)
{
    struct listener *listener = context;
    listener->in_window = false;
    if (listener->follows == FOLLOWS_NOW)
        return;
    ys_clock_cancel(clock_of(listener), &listener->reply_timer);
    ys_radio_stop(&listener->receiver);
}

/* Where it was pointed to: first to listen there in time, then to see whether anything has come. */
static void follow(void *context)
{
    struct listener *listener = context;
    if (listener->follows == FOLLOWS_LATER) {
        uint64_t step_ns = ys_link_aux_step_us(listener->aux.offset_us) * YS_NS_PER_US;
        listener->follows = FOLLOWS_NOW;
        ys_clock_cancel(clock_of(listener), &listener->reply_timer);
        tune(listener, listener->aux.channel, (enum ys_phy)listener->aux.phy);
        ys_clock_set(clock_of(listener), &listener->aux_timer, listener->aux_ns + step_ns + SLACK_NS);
    } else if (!ys_receiver_hears(&listener->receiver)) {
        listener_resume(listener);
        listener->lost(listener);
    }
}

bool listener_follow(struct listener *listener, const struct ys_air_packet *packet, const struct ys_link_aux *aux)
{
    uint64_t at_ns = packet->start_ns + aux->offset_us * YS_NS_PER_US;
    if (listener->follows == FOLLOWS_LATER || at_ns < packet->start_ns + packet->duration_ns)
        return false;
    listener_resume(listener);
    listener->follows = FOLLOWS_LATER;
    listener->aux = *aux;
    listener->aux_ns = at_ns;
    ys_clock_set(clock_of(listener), &listener->aux_timer, at_ns - SLACK_NS);
    return true;
}

void listener_reply_to(struct listener *listener, const struct ys_air_packet *packet)
{
    ys_radio_stop(&listener->receiver);
    if (listener->follows == FOLLOWS_NOW)
        ys_clock_cancel(clock_of(listener), &listener->aux_timer);
    ys_clock_set(clock_of(listener), &listener->reply_timer,
                 packet->start_ns + packet->duration_ns + YS_LINK_INTER_FRAME_SPACE_NS);
}

struct sending_on listener_place(const struct listener *listener)
{
    bool away = listener->follows == FOLLOWS_NOW;
    return (struct sending_on){
        .channel = away ? listener->aux.channel : listener->channel,
        .phy = away ? (enum ys_phy)listener->aux.phy : listener->phy,
        .power_dbm = listener->controller->settings.power_dbm,
    };
}

void listener_wait_for_answer(struct listener *listener, uint64_t end_ns)
{
    const struct sending_on place = listener_place(listener);
    tune(listener, place.channel, place.phy);
    listener->waits_for_response = true;
    ys_clock_set(clock_of(listener), &listener->reply_timer, end_ns + YS_LINK_INTER_FRAME_SPACE_NS + SLACK_NS);
}

static void first_interval(void *context)
{
    struct listener *listener = context;
    listener->interval_timer.fire = begin_interval;
    begin_interval(listener);
}

void listener_init(struct listener *listener, struct ys_controller *controller, enum ys_phy phy, ys_timer_fn *reply,
                   ys_receive_fn *receive, void (*lost)(void *listener))
{
    *listener = (struct listener){
        .controller = controller,
        .phy = phy,
        .channel = LAST_CHANNEL,
        .interval_timer = {.fire = begin_interval, .context = listener},
        .window_timer = {.fire = end_window, .context = listener},
        .reply_timer = {.fire = reply, .context = listener},
        .aux_timer = {.fire = follow, .context = listener},
        .receiver = {.receive = receive,
                     .crc_init = YS_LINK_ADVERTISING_CRC_INIT,
                     .lasts = true,
                     .context = listener,
                     .owner = controller->settings.number,
                     .use = &controller->use},
        .lost = lost,
    };
}

void listener_start(struct listener *listener, const struct ys_hci_phy_scan *times, uint64_t after_ns)
{
    listener->on = true;
    listener->interval = times->interval;
    listener->window = times->window;
    listener->channel = LAST_CHANNEL;
    if (after_ns == 0) {
        begin_interval(listener);
    } else {
        listener->interval_timer.fire = first_interval;
        ys_clock_set(clock_of(listener), &listener->interval_timer, ys_clock_now_ns(clock_of(listener)) + after_ns);
    }
}

void listener_stop(struct listener *listener)
{
    struct ys_clock *clock = clock_of(listener);
    listener->on = false;
    listener->in_window = false;
    listener->follows = FOLLOWS_NOTHING;
    ys_clock_cancel(clock, &listener->interval_timer);
    ys_clock_cancel(clock, &listener->window_timer);
    ys_clock_cancel(clock, &listener->reply_timer);
    ys_clock_cancel(clock, &listener->aux_timer);
    ys_radio_stop(&listener->receiver);
}
