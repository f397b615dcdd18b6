/* What becomes of connections, in words. */
#include "world/link_words.h"

#include <stdio.h>

#include <yarnswift/link.h>

static const char *phy_name(uint8_t phy)
{
    return phy == YS_2M ? "2M" : phy == YS_CODED ? "LE Coded" : "1M";
}

const char *ys_link_say(const struct ys_event *event, char *text, size_t size)
{
    static const char *const matters[] = {
        [YS_LINK_PARAMETERS] = "parameters", [YS_LINK_PHYS] = "PHY", [YS_LINK_LENGTH] = "packet length"};
    const struct ys_link_state *state = event->u.link.state;
    if (event->kind == YS_EVENT_LINK_REFUSED) {
        (void)snprintf(text, size, "another %s was refused: %s (0x%02X)", matters[event->u.link.matter],
                       ys_hci_error_text(event->reason), event->reason);
        return text;
    }
    if (event->kind != YS_EVENT_LINK_CHANGED)
        return NULL;
    if (event->u.link.matter == YS_LINK_LENGTH)
        (void)snprintf(text, size, "packets now carry %u bytes out and %u in", state->send_length,
                       state->receive_length);
    else if (event->u.link.matter == YS_LINK_PHYS)
        (void)snprintf(text, size, "now sends on %s and receives on %s", phy_name(state->send_phy),
                       phy_name(state->receive_phy));
    else
        (void)snprintf(text, size, "now connected every %g ms, latency %u, timeout %u ms", state->interval_us / 1000.0,
                       state->latency, state->supervision_timeout_ms);
    return text;
}
