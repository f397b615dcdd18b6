/* Whose turn it is on the one radio of a controller. The rule:
 *
 * - An event of a connection lasts at the longest until T_IFS before the next event of another one, as far as there is
 *   time for its first exchange before that. For others the longest answer is kept free that may come.
 * - Two events that would begin closer together, or at once: the connection goes first that has been left out more
 *   often in a row; otherwise the one that began first. The other one is left out this time, unless the first has
 *   nothing to say, and is over by then.
 * - An advertising event waits until it fits between connection events, but no longer than the 10 ms by which the
 *   standard lets it be late (Vol 6 Part B 4.4.2.2.1); then it is sent, and the connections are left out.
 * - Scanning and connecting have what is left.
 *
 * A central moves its connections apart (places.c), unless its character is another. A peripheral has to take them as
 * they come: a connection that takes all it can get leaves others each of their events, or every second one where they
 * begin too close together; and scanners nothing. */
#include "sim/turns.h"

#include "sim/controller_state.h"
#include "sim/link_time.h"
#include "sim/listener.h"

static bool is_more_urgent(const struct link *link, const struct link *other)
{
    return link->left_out > other->left_out;
}

static void pause_listeners(struct ys_controller *controller)
{
    for (size_t i = 0; i < SCANNER_PHYS; i++) {
        if (controller->scanners != NULL)
            listener_pause(&controller->scanners[i].listener);
        if (controller->initiators != NULL)
            listener_pause(&controller->initiators[i].listener);
    }
}

bool turns_begin(struct link *link)
{
    struct ys_controller *controller = link->controller;
    uint64_t now_ns = ys_clock_now_ns(controller->clock);
    if (controller->advertises_until_ns > now_ns)
        return false;
    for (size_t i = 0; i < controller->link_count; i++) {
        const struct link *other = controller->links[i];
        bool comes = other->used && link_next_ns(other) < now_ns + link->exchange_ns;
        if (other != link && other->used && (other->in_event || comes) && is_more_urgent(other, link))
            return false;
        if (other != link && other->used && other->in_event && !is_more_urgent(link, other))
            return false;
    }
    for (size_t i = 0; i < controller->link_count; i++) {
        if (controller->links[i] != link && controller->links[i]->used && controller->links[i]->in_event)
            link_leave(controller->links[i]);
    }
    pause_listeners(controller);
    return true;
}

void turns_end(struct link *link)
{
    struct ys_controller *controller = link->controller;
    if (links_have_radio(controller))
        return;
    for (size_t i = 0; i < SCANNER_PHYS; i++) {
        if (controller->scanners != NULL)
            listener_unpause(&controller->scanners[i].listener);
        if (controller->initiators != NULL)
            listener_unpause(&controller->initiators[i].listener);
    }
}

void turns_bound(struct link *link)
{
    const struct ys_controller *controller = link->controller;
    uint64_t now_ns = ys_clock_now_ns(controller->clock);
    uint64_t interval_ns = link_interval_ns(link);
    uint64_t before_ns = YS_LINK_INTER_FRAME_SPACE_NS;
    if (!link->central && link_widening_ns(link, interval_ns) > before_ns)
        before_ns = link_widening_ns(link, interval_ns);
    link->end_ns = link->anchor_ns + interval_ns - before_ns;
    link->own_end_ns = link->event_length_ns != 0 ? link->anchor_ns + link->event_length_ns : UINT64_MAX;
    for (size_t i = 0; i < controller->link_count; i++) {
        const struct link *other = controller->links[i];
        if (other == link || !other->used || link_next_ns(other) < now_ns + link->exchange_ns)
            continue;
        uint64_t other_ns = link_next_ns(other) - YS_LINK_INTER_FRAME_SPACE_NS;
        link->own_end_ns = other_ns < link->own_end_ns ? other_ns : link->own_end_ns;
    }
}

bool turns_advertise(struct ys_controller *controller, uint64_t length_ns, bool at_once)
{
    uint64_t now_ns = ys_clock_now_ns(controller->clock);
    bool free = true;
    for (size_t i = 0; i < controller->link_count; i++) {
        const struct link *link = controller->links[i];
        free = free && (!link->used || (!link->in_event && link_next_ns(link) >= now_ns + length_ns));
    }
    if (!free && !at_once)
        return false;
    for (size_t i = 0; !free && i < controller->link_count; i++) {
        if (controller->links[i]->used && controller->links[i]->in_event)
            link_leave(controller->links[i]);
    }
    controller->advertises_until_ns = now_ns + length_ns;
    return true;
}
