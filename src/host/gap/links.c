/* What is to be done for connections, and what became of it. */
#include "host/gap/links.h"

#include "host/core/clock.h"
#include "host/core/events.h"
#include "host/core/extras.h"
#include "host/gap/connecting.h"

#define SAME_AGAIN_MS 1000 /* after a collision */
#define TRIES_MOST    4

struct ys_links *ys_links_of(const struct ys_host *host)
{
    return (struct ys_links *)ys_extra_find(host, YS_EXTRA_LINKS);
}

struct ys_link_of *ys_link_of_connection(struct ys_host *host, const struct ys_connection *connection)
{
    return &ys_links_of(host)->of[connection - host->connections];
}

void ys_link_want(struct ys_host *host, struct ys_link_of *of, uint16_t due)
{
    of->due |= due;
    ys_wake(host);
}

void ys_link_tell(struct ys_host *host, const struct ys_connection *connection, enum ys_event_kind kind,
                  enum ys_link_change matter, uint8_t reason)
{
    ys_emit(host, &(struct ys_event){
                      .kind = kind,
                      .connection = connection->handle,
                      .reason = reason,
                      .u.link = {.matter = (uint8_t)matter, .state = &ys_link_of_connection(host, connection)->state}});
}

/* A request has failed; after a collision it is repeated later. */
void ys_link_refused(struct ys_host *host, struct ys_connection *connection, uint16_t due, uint8_t status)
{
    struct ys_link_of *of = ys_link_of_connection(host, connection);
    bool again =
        status == YS_HCI_COLLISION || status == YS_HCI_DIFFERENT_COLLISION || status == YS_HCI_COMMAND_DISALLOWED;
    bool cannot =
        status == YS_HCI_UNSUPPORTED || status == YS_HCI_UNSUPPORTED_REMOTE || status == YS_HCI_UNKNOWN_COMMAND;
    if (again && of->tries < TRIES_MOST) {
        of->tries++;
        of->timed = true;
        of->at_ms = ys_now_ms(host) + SAME_AGAIN_MS;
        ys_link_want(host, of, due);
    } else if (cannot && due == DUE(DUE_PARAMETERS) && connection->role != 0) {
        ys_link_want(host, of, DUE(DUE_SIGNAL));
    } else {
        enum ys_link_change matter = due == DUE(DUE_LENGTH) ? YS_LINK_LENGTH
                                     : due == DUE(DUE_PHYS) ? YS_LINK_PHYS
                                                            : YS_LINK_PARAMETERS;
        ys_link_tell(host, connection, YS_EVENT_LINK_REFUSED, matter, status);
    }
}

struct ys_hci_parameters ys_link_wished(const struct ys_link_wishes *wishes)
{
    return (struct ys_hci_parameters){
        .interval_min = (uint16_t)(wishes->interval_min_us / INTERVAL_STEP_US),
        .interval_max = (uint16_t)(wishes->interval_max_us / INTERVAL_STEP_US),
        .latency = wishes->latency,
        .timeout = (uint16_t)(wishes->supervision_timeout_ms / TIMEOUT_STEP_MS),
    };
}
