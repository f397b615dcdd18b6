/* The PDUs of control procedures. */
#include "sim/procedures_compose.h"

#include <string.h>

#include "sim/controller_state.h"
#include "sim/link_time.h"
#include "sim/places.h"
#include "sim/procedures_order.h"
#include "sim/procedures_tell.h"
#include "sim/to_host.h"

/* How many events that the peripheral attends an instant is ahead. */
#define INSTANT_AHEAD 6

static uint16_t next_instant(const struct link *link)
{
    return (uint16_t)(link->counter + INSTANT_AHEAD * (link->parameters.latency + 1));
}

/* The PHYs for one direction that both sides want: the fastest, or 0 if there is none or it is on already. */
static uint8_t choose_phy(uint8_t wanted, uint8_t peer_wants, enum ys_phy now)
{
    static const uint8_t fastest_first[] = {YS_HCI_PHYS_2M, YS_HCI_PHYS_1M, YS_HCI_PHYS_CODED};
    for (size_t i = 0; i < sizeof fastest_first; i++) {
        if ((wanted & peer_wants & fastest_first[i]) != 0)
            return fastest_first[i] == 1u << (phy_to_hci(now) - 1) ? 0 : fastest_first[i];
    }
    return 0;
}

static void compose_phy_update(struct link *link, struct ys_link_control_pdu *pdu)
{
    struct procedures *all = &link->procedures;
    pdu->send_phys = choose_phy(all->send_phys, all->peer_receive_phys, link->send_phy);
    pdu->receive_phys = choose_phy(all->receive_phys, all->peer_send_phys, link->receive_phy);
    if (pdu->send_phys == 0 && pdu->receive_phys == 0) { /* Vol 6 Part B 5.1.10: nothing changes, and nobody waits */
        bool own = all->local == PROCEDURE_PHY;
        all->remote = PROCEDURE_NONE;
        if (own)
            all->local = PROCEDURE_NONE;
        if (own && all->phy_wanted)
            procedures_tell_phys(link, YS_HCI_OK);
        procedures_begin_next(link);
        return;
    }
    pdu->instant = next_instant(link);
    all->pending = *pdu;
    all->has_pending = true;
}

/* Vol 6 Part B 5.1.1. */
static void compose_update(struct link *link, struct ys_link_control_pdu *pdu)
{
    struct procedures *all = &link->procedures;
    uint16_t instant = next_instant(link);
    uint64_t events = (uint16_t)(instant - link->counter);
    uint64_t instant_ns = link->anchor_ns + link_by_own_clock(link, events * link_interval_ns(link));
    uint64_t later_ns = places_later_ns(link->controller, link, instant_ns, all->parameters.interval_max);
    all->moved = all->moves;
    all->moves = false;
    all->late_ns = later_ns % NS_PER_INTERVAL_STEP;
    pdu->window_size = 1;
    pdu->window_offset = (uint16_t)(later_ns / NS_PER_INTERVAL_STEP);
    pdu->interval = all->parameters.interval_max;
    pdu->latency = all->parameters.latency;
    pdu->timeout = all->parameters.timeout;
    pdu->instant = instant;
    all->pending = *pdu;
    all->has_pending = true;
}

/* Vol 6 Part B 5.1.7. */
static void compose_parameters(const struct link *link, struct ys_link_control_pdu *pdu)
{
    const struct ys_hci_parameters *wanted = &link->procedures.parameters;
    pdu->interval_min = wanted->interval_min;
    pdu->interval = wanted->interval_max;
    pdu->latency = wanted->latency;
    pdu->timeout = wanted->timeout;
    memset(pdu->offsets, 0xff, sizeof pdu->offsets);
}

void procedures_compose(struct link *link, enum control control, struct ys_link_control_pdu *pdu)
{
    static const uint8_t opcodes[] = {
        [CONTROL_UNKNOWN] = YS_LINK_UNKNOWN_RSP,
        [CONTROL_REJECT_EXT] = YS_LINK_REJECT_EXT_IND,
        [CONTROL_VERSION] = YS_LINK_VERSION_IND,
        [CONTROL_FEATURE_RSP] = YS_LINK_FEATURE_RSP,
        [CONTROL_PING_RSP] = YS_LINK_PING_RSP,
        [CONTROL_LENGTH_RSP] = YS_LINK_LENGTH_RSP,
        [CONTROL_PHY_RSP] = YS_LINK_PHY_RSP,
        [CONTROL_PARAM_RSP] = YS_LINK_CONNECTION_PARAM_RSP,
        [CONTROL_PHY_UPDATE] = YS_LINK_PHY_UPDATE_IND,
        [CONTROL_UPDATE] = YS_LINK_CONNECTION_UPDATE_IND,
        [CONTROL_CHANNEL_MAP] = YS_LINK_CHANNEL_MAP_IND,
        [CONTROL_FEATURE_REQ] = YS_LINK_FEATURE_REQ,
        [CONTROL_PING_REQ] = YS_LINK_PING_REQ,
        [CONTROL_LENGTH_REQ] = YS_LINK_LENGTH_REQ,
        [CONTROL_PHY_REQ] = YS_LINK_PHY_REQ,
        [CONTROL_PARAM_REQ] = YS_LINK_CONNECTION_PARAM_REQ,
    };
    struct procedures *all = &link->procedures;
    *pdu = (struct ys_link_control_pdu){
        .opcode = opcodes[control],
        .code = control == CONTROL_UNKNOWN ? all->unknown : all->refused_code,
        .refused = all->refused,
        .features = link->controller->features,
        .version = CONTROLLER_VERSION,
        .company = CONTROLLER_COMPANY,
        .subversion = CONTROLLER_SUBVERSION,
        .lengths = link->lengths,
        .send_phys = all->send_phys,
        .receive_phys = all->receive_phys,
    };
    if (control == CONTROL_FEATURE_REQ && !link->central)
        pdu->opcode = YS_LINK_PERIPHERAL_FEATURE_REQ;
    if (control == CONTROL_FEATURE_RSP)
        pdu->features &= all->features;
    if (control == CONTROL_VERSION)
        all->version_sent = true;
    if (control == CONTROL_PHY_UPDATE) {
        compose_phy_update(link, pdu);
    } else if (control == CONTROL_UPDATE) {
        compose_update(link, pdu);
    } else if (control == CONTROL_PARAM_REQ || control == CONTROL_PARAM_RSP) {
        compose_parameters(link, pdu);
    } else if (control == CONTROL_CHANNEL_MAP) {
        memcpy(pdu->channel_map, all->channel_map, sizeof pdu->channel_map);
        pdu->instant = next_instant(link);
        all->pending = *pdu;
        all->has_pending = true;
    }
}
