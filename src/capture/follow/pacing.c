/* When a connection's events are, and where.
 *
 * An event begins with the first packet on another channel, or when an interval has passed since the last anchor. The
 * counter goes on by as many intervals as have passed. What holds from an instant on is put off until then. What is not
 * known is learned from the times and the channels of the events. */
#include "capture/follow/pacing.h"

#include <string.h>

#define UNIT_NS        UINT64_C(1250000)
#define US             UINT64_C(1000)
#define NONE           0xff
#define INTERVAL_LEAST 6    /* in 1.25 ms */
#define INTERVAL_MOST  3200 /* the same */
#define LEARNT         2    /* so often an interval must come again; with a recorder that misses packets: */
#define LEARNT_LOSSY   5
#define FITTED_LEAST   8 /* anchors by which a clock is judged */

/* How much earlier than expected an event may begin: 500 ppm of both clocks, 50 us, and the rounding of times. */
static uint64_t slack_ns(const struct ys_air_link *link, uint64_t since_ns)
{
    return since_ns / 1000 + 50 * US + link->step_ns;
}

static uint64_t interval_ns(const struct ys_air_link *link)
{
    return link->interval_us * US;
}

static bool is_due(uint16_t instant, uint16_t counter)
{
    return (uint16_t)(counter - instant) < 0x8000;
}

/* The first (Vol 6 Part B 4.5.3): its anchor lies in a window after the connect request. */
static uint64_t first_window_ns(const struct ys_air_link *link)
{
    uint64_t delay_ns = !link->request_was_auxiliary     ? UNIT_NS
                        : ys_phy_is_coded(link->phys[0]) ? 3 * UNIT_NS
                                                         : 2 * UNIT_NS;
    return link->request_end_ns + delay_ns + link->request.window_offset * UNIT_NS;
}

void ys_air_link_window(const struct ys_air_link *link, uint64_t *from_ns, uint64_t *to_ns)
{
    *from_ns = first_window_ns(link);
    *to_ns = *from_ns + link->request.window_size * UNIT_NS;
}

static void advance(struct ys_air_link *link, uint16_t events)
{
    link->unmapped = (uint8_t)((link->unmapped + (uint32_t)link->request.hop * events) % 37);
    link->counter = (uint16_t)(link->counter + events);
    link->passed += events;
}

/* Which event it is is not known any more. */
static void lose_count(struct ys_air_link *link)
{
    link->counted = false;
    link->placed = false;
    link->clock = (struct ys_clock_fit){.count = 0};
    ys_hopping_restart(&link->hopping);
}

static void hold_map(struct ys_air_link *link)
{
    memcpy(link->channel_map, link->map.channel_map, sizeof link->channel_map);
    link->knows_map = ys_link_channel_count(link->channel_map) > 0;
    link->map.opcode = NONE;
}

/* What holds from the current event on. */
static void reach_instants(struct ys_air_link *link)
{
    if (!link->counted)
        return;
    if (link->map.opcode != NONE && is_due(link->map.instant, link->counter))
        hold_map(link);
    if (link->phy_update.opcode != NONE && is_due(link->phy_update.instant, link->counter)) {
        static const enum ys_phy phys[] = {[1] = YS_PHY_1M, [2] = YS_PHY_2M, [4] = YS_PHY_CODED_S8};
        const uint8_t bits[2] = {link->phy_update.send_phys, link->phy_update.receive_phys};
        for (int i = 0; i < 2; i++) {
            if (bits[i] == 1 || bits[i] == 2 || bits[i] == 4)
                link->phys[i] = phys[bits[i]];
        }
        link->phy_update.opcode = NONE;
    }
}

static void hold_update(struct ys_air_link *link)
{
    link->interval_us = link->update.interval * 1250u;
    link->latency = link->update.latency;
    link->timeout = link->update.timeout;
    link->update.opcode = NONE;
    link->clock = (struct ys_clock_fit){.count = 0};
}

/* An update of parameters moves the anchors from its instant on. Returns whether the event at `start_ns` is that one or
 * later; then the link is there. */
static bool pass_update(struct ys_air_link *link, uint64_t start_ns)
{
    uint16_t ahead = (uint16_t)(link->update.instant - link->counter);
    if (link->update.opcode == NONE || !link->counted)
        return false;
    if (ahead == 0 || ahead >= 0x8000) { /* its instant lies in a gap: since when it holds is not known */
        hold_update(link);
        lose_count(link);
        return false;
    }
    uint64_t at_ns = link->anchor_ns + ahead * interval_ns(link) + link->update.window_offset * UNIT_NS;
    if (start_ns + slack_ns(link, at_ns - link->anchor_ns) < at_ns)
        return false;
    advance(link, ahead);
    hold_update(link);
    link->anchor_ns = at_ns;
    link->expected_ns = 0; /* anywhere in the window */
    if (start_ns > at_ns && interval_ns(link) > 0) {
        uint64_t later = (start_ns - at_ns + slack_ns(link, start_ns - at_ns)) / interval_ns(link);
        advance(link, (uint16_t)later);
        link->anchor_ns += later * interval_ns(link);
    }
    return true;
}

/* An interval that is not known is the time between two anchors in a row, once it was the same again. Who always hears
 * the same channel does not hear all of them; and where packets are missing, a time may be that of several intervals,
 * or not begin at an anchor. */
static void learn_interval(struct ys_air_link *link, const struct ys_record *record, bool lossy)
{
    uint64_t since_ns = record->air.start_ns - link->anchor_ns;
    uint64_t off_most_ns = slack_ns(link, since_ns) < UNIT_NS / 4 ? slack_ns(link, since_ns) : UNIT_NS / 4;
    bool hops = (record->known & YS_AIR_CHANNEL) == 0 || record->air.channel != link->channel;
    uint32_t units = (uint32_t)((since_ns + UNIT_NS / 2) / UNIT_NS);
    uint64_t whole_ns = units * UNIT_NS;
    uint64_t off_ns = since_ns > whole_ns ? since_ns - whole_ns : whole_ns - since_ns;
    bool fits =
        link->step_ns < UNIT_NS / 8 && units >= INTERVAL_LEAST && units <= INTERVAL_MOST && off_ns <= off_most_ns;
    if (!fits && lossy)
        return;
    if (!fits || link->candidate == 0 || units % link->candidate != 0) {
        link->candidate = fits ? units : 0;
        link->candidate_count = 0;
        return;
    }
    link->candidate_count = (uint8_t)(link->candidate_count + (units == link->candidate && hops));
    if (link->candidate_count < (lossy ? LEARNT_LOSSY : LEARNT))
        return;
    link->interval_us = link->candidate * 1250u;
    link->interval_is_learned = true;
    link->candidate = 0;
}

/* After a hole another interval may hold, or other anchors. If the first packet of an event was missed, a later one is
 * the first heard; none arrives early, unless that was so before. */
static bool has_left_its_anchors(const struct ys_air_link *link, uint64_t start_ns)
{
    uint64_t slack = slack_ns(link, link->since_ns);
    bool early = start_ns + slack < link->expected_ns;
    bool late = start_ns > link->expected_ns + slack + interval_ns(link) / 2;
    return (link->holes > 0 || !link->begun) && ((early && link->anchor_is_sure) || late);
}

/* The agreed parameters hold since an unknown instant, or other ones do. */
static void leave_anchors(struct ys_air_link *link, const struct ys_record *record, int side, bool lossy)
{
    bool could_tell = link->counted; /* then its instant lies ahead, and something else holds */
    lose_count(link);
    link->expected_ns = 0;
    if (link->update.opcode != NONE && !could_tell) {
        hold_update(link);
        return;
    }
    link->interval_us = 0;
    if (side == 0)
        learn_interval(link, record, lossy);
}

static void pass_intervals(struct ys_air_link *link, const struct ys_record *record, int side, bool lossy)
{
    uint64_t since_ns = record->air.start_ns - link->anchor_ns;
    link->expected_ns = 0;
    if (interval_ns(link) == 0) {
        lose_count(link);
        advance(link, 1);
        if (side == 0)
            learn_interval(link, record, lossy);
        return;
    }
    /* the last anchor may be late */
    bool perhaps_late = (lossy && !link->anchor_is_sure) || link->events == 1;
    uint64_t early_ns = perhaps_late ? interval_ns(link) / 2 : slack_ns(link, since_ns);
    uint64_t events = (since_ns + early_ns) / interval_ns(link);
    link->expected_ns = link->anchor_ns + events * interval_ns(link);
    link->since_ns = events * interval_ns(link);
    advance(link, (uint16_t)events);
    if (has_left_its_anchors(link, record->air.start_ns))
        leave_anchors(link, record, side, lossy);
}

bool ys_air_link_channel(const struct ys_air_link *link, uint8_t *channel)
{
    bool placed = link->channel_selection_2 ? link->counted : link->placed;
    if (!placed || !link->knows_map)
        return false;
    if (link->channel_selection_2) {
        *channel = ys_link_event_channel(link->access_address, link->counter, link->channel_map);
        return true;
    }
    uint8_t unmapped = (uint8_t)((link->unmapped + 37u - link->request.hop) % 37);
    *channel = ys_link_next_channel(&unmapped, link->request.hop, link->channel_map);
    return true;
}

/* After a hole, or where its beginning was missed, other channels may hold, or the counter may be another. */
static void doubt_channel(struct ys_air_link *link, const struct ys_record *record)
{
    uint8_t channel;
    if ((link->holes == 0 && link->begun) || !ys_air_link_channel(link, &channel) || channel == record->air.channel)
        return;
    if (link->map.opcode != NONE && !link->counted) {
        hold_map(link);
        if (ys_air_link_channel(link, &channel) && channel == record->air.channel)
            return;
    }
    link->knows_map = false;
    lose_count(link);
}

/* Which event it is, and which channels are used, where that is not known. */
static void recover_channels(struct ys_air_link *link, const struct ys_record *record, uint32_t *allowance)
{
    struct ys_hopping *hopping = &link->hopping;
    const struct ys_hopping_premise premise = {.knows_algorithm = link->begun,
                                               .algorithm_2 = link->channel_selection_2,
                                               .hop = link->request.hop,
                                               .access_address = link->access_address};
    uint8_t channel;
    bool known = link->knows_map && (link->channel_selection_2 ? link->counted : link->placed);
    if (link->interval_us == 0 || known)
        return;
    ys_hopping_take(hopping, &premise, (uint16_t)link->passed, record->air.channel, allowance);
    link->placed = hopping->found;
    link->counted = hopping->found && hopping->algorithm_2;
    if (!hopping->found)
        return;
    link->channel_selection_2 = hopping->algorithm_2;
    link->request.hop = hopping->hop;
    link->unmapped = hopping->unmapped;
    if (hopping->algorithm_2)
        link->counter = (uint16_t)(link->passed + hopping->ahead);
    if (link->knows_map && ys_air_link_channel(link, &channel) && channel != record->air.channel)
        link->knows_map = false; /* it was another one */
    if (hopping->complete && !link->knows_map) {
        ys_hopping_map(hopping, link->channel_map);
        link->knows_map = true;
    }
}

static void first_event(struct ys_air_link *link, uint64_t start_ns)
{
    link->anchored = true;
    link->expected_ns = 0;
    if (!link->begun)
        return;
    uint64_t window_ns = first_window_ns(link);
    uint64_t missed = start_ns + slack_ns(link, 0) > window_ns && interval_ns(link) > 0
                          ? (start_ns + slack_ns(link, 0) - window_ns) / interval_ns(link)
                          : 0;
    link->counted = true;
    link->placed = true;
    advance(link, 1); /* of the algorithm with a memory the first event is one step from its beginning */
    link->counter = 0;
    link->passed = 0;
    advance(link, (uint16_t)missed);
}

/* Where the event has its anchor, which is its first packet, unless that was missed. */
static void set_anchor(struct ys_air_link *link, uint64_t start_ns, int side, bool lossy)
{
    uint64_t slack = slack_ns(link, link->since_ns);
    bool missed = side == 1 || (link->expected_ns != 0 && start_ns > link->expected_ns + slack);
    bool known = link->expected_ns != 0;
    if (side == 1 && !known && link->interval_us == 0 && link->events > 0)
        return; /* the next anchor is so many intervals after the last one */
    if (lossy && missed && known) {
        link->anchor_ns = link->expected_ns;
        return;
    }
    link->anchor_is_sure = known ? link->anchor_is_sure && start_ns + slack >= link->expected_ns : !lossy && side == 0;
    link->anchor_ns = start_ns;
}

/* How far the clock of the central and that of the recorder are apart: a line through the anchors. */
static void fit_clock(struct ys_air_link *link)
{
    struct ys_clock_fit *clock = &link->clock;
    if (clock->count == 0) {
        clock->first_ns = link->anchor_ns;
        clock->first_passed = link->passed;
    }
    double nominal_s = (double)((link->passed - clock->first_passed) * interval_ns(link)) / 1e9;
    double off_us = (double)(link->anchor_ns - clock->first_ns) / 1e3 - nominal_s * 1e6;
    clock->waits = false;
    clock->count++;
    clock->last_s = nominal_s;
    clock->sum_s += nominal_s;
    clock->sum_us += off_us;
    clock->sum_s_s += nominal_s * nominal_s;
    clock->sum_s_us += nominal_s * off_us;
}

void ys_pacing_answer(struct ys_air_link *link)
{
    if (link->clock.waits) /* it was the first of its event, for another follows it */
        fit_clock(link);
}

bool ys_pacing_drift(const struct ys_air_link *link, double *ppm)
{
    const struct ys_clock_fit *clock = &link->clock;
    double count = (double)clock->count;
    double spread = count * clock->sum_s_s - clock->sum_s * clock->sum_s;
    if (clock->count < FITTED_LEAST || spread <= 0)
        return false;
    *ppm = (count * clock->sum_s_us - clock->sum_s * clock->sum_us) / spread;
    return true;
}

void ys_pacing_begin_event(struct ys_air_link *link, const struct ys_record *record, int side,
                           struct ys_recorder *recorder)
{
    const struct ys_air_packet *air = &record->air;
    if (!link->anchored)
        first_event(link, air->start_ns);
    else if (!pass_update(link, air->start_ns))
        pass_intervals(link, record, side, recorder->lossy);
    reach_instants(link);
    bool on_time = link->expected_ns != 0 && air->start_ns <= link->expected_ns + slack_ns(link, link->since_ns);
    set_anchor(link, air->start_ns, side, recorder->lossy);
    link->clock.waits = on_time && side == 0 && link->interval_us != 0;
    if (link->clock.waits && air->side != YS_AIR_SIDE_UNKNOWN)
        fit_clock(link);
    link->channel = air->channel;
    link->events++;
    if ((record->known & YS_AIR_CHANNEL) == 0)
        return;
    doubt_channel(link, record);
    recover_channels(link, record, &recorder->allowance);
}

bool ys_pacing_begins_event(const struct ys_air_link *link, const struct ys_record *record)
{
    uint64_t start_ns = record->air.start_ns;
    uint64_t since_ns = start_ns - link->anchor_ns;
    if (!link->anchored || ((record->known & YS_AIR_CHANNEL) != 0 && record->air.channel != link->channel))
        return true;
    if (start_ns < link->last_end_ns)
        return false;
    if (link->interval_us == 0)
        return start_ns - link->last_end_ns > 3 * UNIT_NS;
    /* on the same channel again, an interval later, and not the next packet of an exchange */
    uint64_t early_ns = link->anchor_is_sure ? slack_ns(link, since_ns) : UNIT_NS;
    return since_ns + early_ns >= interval_ns(link) &&
           start_ns - link->last_end_ns > YS_LINK_INTER_FRAME_SPACE_NS + 5 * US;
}
