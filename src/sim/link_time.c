/* When the events of a connection are, and what may be asked of it from anywhere. */
#include "sim/link_time.h"

#include <stdlib.h>
#include <string.h>

#include "sim/controller_state.h"

/* A connection that was never heard is given up after six intervals (Vol 6 Part B 4.5.2). */
#define FIRST_EVENTS 6

/* How long this controller's clock takes for so much time (Vol 6 Part B 4.2.1, 4.2.2). */
uint64_t link_by_own_clock(const struct link *link, uint64_t ns)
{
    int64_t error = (int64_t)(ns / 1000) * link->controller->settings.clock_error_ppb / 1000000;
    return (uint64_t)((int64_t)ns + error);
}

/* How far off the anchor may be after so long without one (Vol 6 Part B 4.2.4): both clocks at their worst (Vol 6 Part
 * B 4.5.7). */
uint64_t link_widening_ns(const struct link *link, uint64_t silence_ns)
{
    static const uint16_t worst_ppm[] = {500, 250, 150, 100, 75, 50, 30, 20};
    uint64_t both_ppm = worst_ppm[link->parameters.clock_accuracy & 7] + link->controller->settings.clock_accuracy_ppm;
    return SLACK_NS + silence_ns / 1000 * both_ppm / 1000;
}

uint64_t link_next_ns(const struct link *link)
{
    return ys_timer_at_ns(&link->event);
}

/* When this side is to be there for the event that is so far ahead. */
static uint64_t event_ns(const struct link *link)
{
    uint64_t at_ns = link->anchor_ns + link_by_own_clock(link, link->ahead * link_interval_ns(link));
    return link->central ? at_ns : at_ns - link_widening_ns(link, at_ns - link->synced_ns);
}

void link_set_event(struct link *link)
{
    uint64_t at_ns = event_ns(link);
    while (at_ns < ys_clock_now_ns(link_clock(link))) { /* the first exchange took longer than an interval */
        link->ahead++;
        at_ns = event_ns(link);
    }
    ys_clock_set(link_clock(link), &link->event, at_ns);
}

uint64_t link_silent_ns(const struct link *link)
{
    return link->last_heard_ns +
           (link->established ? link->parameters.timeout * NS_PER_TIMEOUT_STEP : FIRST_EVENTS * link_interval_ns(link));
}

void link_watch(struct link *link)
{
    ys_clock_set(link_clock(link), &link->watch, link_silent_ns(link));
}

void link_wake(struct link *link)
{
    if (link->ahead < 2 || !ys_timer_is_set(&link->event))
        return;
    uint64_t since_ns = ys_clock_now_ns(link_clock(link)) - link->anchor_ns + 2 * SLACK_NS;
    uint64_t next = since_ns / link_interval_ns(link) + 1;
    if (next < link->ahead)
        link->ahead = (uint16_t)next;
    link_set_event(link);
}

struct link *link_find(struct ys_controller *controller, uint16_t handle)
{
    if (handle == 0 || handle > controller->link_count || !controller->links[handle - 1]->used)
        return NULL;
    return controller->links[handle - 1];
}

static struct link *free_link(const struct ys_controller *controller)
{
    for (size_t i = 0; i < controller->link_count; i++) {
        if (!controller->links[i]->used)
            return controller->links[i];
    }
    return NULL;
}

bool links_have_room(const struct ys_controller *controller)
{
    return controller->link_count < LINKS || free_link(controller) != NULL;
}

static bool make_buffers(struct ys_controller *controller)
{
    if (controller->buffers == NULL)
        controller->buffers = calloc(controller->settings.buffer_count, sizeof *controller->buffers);
    else
        return true;
    for (size_t i = 0; controller->buffers != NULL && i < controller->settings.buffer_count; i++) {
        controller->buffers[i].next = controller->free_buffers;
        controller->free_buffers = &controller->buffers[i];
    }
    return controller->buffers != NULL;
}

struct link *link_take(struct ys_controller *controller)
{
    struct link *link = free_link(controller);
    if (link != NULL || controller->link_count == LINKS || !make_buffers(controller))
        return link;
    link = calloc(1, sizeof *link);
    if (link == NULL)
        return NULL;
    controller->links[controller->link_count++] = link;
    link->controller = controller;
    link->handle = controller->link_count;
    return link;
}

/* Vol 6 Part B 5.1.6. */
uint8_t link_terminate(struct link *link, uint8_t reason)
{
    static const uint8_t allowed[] = {0x05, 0x13, 0x14, 0x15, 0x1a, 0x29, 0x3b}; /* Vol 4 Part E 7.1.6 */
    if (memchr(allowed, reason, sizeof allowed) == NULL)
        return YS_HCI_INVALID_PARAMETERS;
    if (link->terminate_reason != 0)
        return YS_HCI_COMMAND_DISALLOWED;
    link->terminate_reason = reason;
    link_want(link, CONTROL_TERMINATE);
    return YS_HCI_OK;
}

void link_want(struct link *link, enum control control)
{
    link->controls_due |= UINT32_C(1) << control;
    link_wake(link);
}

bool links_have_radio(const struct ys_controller *controller)
{
    for (size_t i = 0; i < controller->link_count; i++) {
        if (controller->links[i]->used && controller->links[i]->in_event)
            return true;
    }
    return false;
}

void link_end(struct link *link, uint8_t reason)
{
    link->calls->end(link, reason);
}

void link_leave(struct link *link)
{
    link->calls->leave(link);
}
