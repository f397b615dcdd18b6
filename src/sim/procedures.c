/* Control procedures (Core 5.4 Vol 6 Part B 5.1, 5.2): what the two ends of a link ask and tell each other.
 *
 *   who begins    first PDU              answer                 then
 *   either        VERSION_IND            VERSION_IND
 *   either        (PERIPHERAL_)FEATURE_REQ   FEATURE_RSP
 *   either        PING_REQ               PING_RSP
 *   either        LENGTH_REQ             LENGTH_RSP
 *   central       PHY_REQ                PHY_RSP                PHY_UPDATE_IND, which holds from its instant on
 *   peripheral    PHY_REQ                PHY_UPDATE_IND
 *   central       CONNECTION_UPDATE_IND                         holds from its instant on
 *   central       CHANNEL_MAP_IND                               likewise
 *   peripheral    CONNECTION_PARAM_REQ   CONNECTION_UPDATE_IND, once the central's host agrees
 *   central       CONNECTION_PARAM_REQ   CONNECTION_PARAM_RSP, once the peripheral's host agrees; then
 * CONNECTION_UPDATE_IND
 *
 * Each side has one of its own at a time. Two that have instants do not go together (Vol 6 Part B 5.3): if both sides
 * begin one, the central refuses that of the peripheral, and goes on with its own. What is refused, or not known to the
 * other side, ends with that; what is not answered for 40 s ends the link. */
#include "sim/procedures.h"

#include <string.h>

#include "sim/controller_state.h"
#include "sim/link_lengths.h"
#include "sim/link_time.h"
#include "sim/procedures_order.h"
#include "sim/procedures_tell.h"
#include "sim/to_host.h"

/* The longest before a ping that leaves time for its answer: three quarters of the timeout. */
#define PING_SHARE(ns) ((ns) / 4 * 3)

static uint64_t now_ns(const struct link *link)
{
    return ys_clock_now_ns(link_clock(link));
}

/* what holds from an instant on */

static enum ys_phy phy_of_bits(const struct link *link, uint8_t bits, enum ys_phy now)
{
    if ((bits & YS_HCI_PHYS_2M) != 0)
        return YS_PHY_2M;
    if ((bits & YS_HCI_PHYS_CODED) != 0)
        return link->prefers_s2 ? YS_PHY_CODED_S2 : YS_PHY_CODED_S8;
    return (bits & YS_HCI_PHYS_1M) != 0 ? YS_PHY_1M : now;
}

static void hold_phys(struct link *link, const struct ys_link_control_pdu *pdu)
{
    uint8_t send = link->central ? pdu->send_phys : pdu->receive_phys;
    uint8_t receive = link->central ? pdu->receive_phys : pdu->send_phys;
    link->send_phy = phy_of_bits(link, send, link->send_phy);
    link->receive_phy = phy_of_bits(link, receive, link->receive_phy);
    link_lengths_changed(link);
    procedures_tell_phys(link, YS_HCI_OK);
    link->procedures.remote = PROCEDURE_NONE;
    procedures_end_local(link, PROCEDURE_PHY);
}

static uint64_t hold_update(struct link *link, const struct ys_link_control_pdu *pdu)
{
    struct procedures *all = &link->procedures;
    struct ys_link_connect *now = &link->parameters;
    bool changed = now->interval != pdu->interval || now->latency != pdu->latency || now->timeout != pdu->timeout;
    bool asked = link->central ? !all->moved : all->local == PROCEDURE_PARAMETERS;
    now->interval = pdu->interval;
    now->latency = pdu->latency;
    now->timeout = pdu->timeout;
    link->window_ns = link->central ? 0 : pdu->window_size * NS_PER_INTERVAL_STEP;
    if (ys_phy_is_coded(link->send_phy) || ys_phy_is_coded(link->receive_phy))
        link_lengths_changed(link);
    link_watch(link);
    if (asked || changed)
        procedures_tell_update(link, YS_HCI_OK);
    all->remote = PROCEDURE_NONE;
    procedures_end_local(link, link->central ? PROCEDURE_UPDATE : PROCEDURE_PARAMETERS);
    return pdu->window_offset * NS_PER_INTERVAL_STEP + (link->central ? all->late_ns : 0);
}

/* Vol 6 Part B 5.1.8, 5.4; Vol 4 Part E 7.3.93, 7.3.94, 7.7.75. */
static void check_payload_timeout(struct link *link)
{
    uint64_t silence_ns = now_ns(link) - link->last_authenticated_ns;
    if (!link->encryption.receives || link->encryption.step != ENCRYPTION_IDLE ||
        silence_ns < PING_SHARE(link->payload_timeout_ns))
        return;
    if (link->procedures.local != PROCEDURE_PING && (link->controller->features & YS_HCI_LE_FEATURE_PING) != 0)
        procedures_want(link, PROCEDURE_PING);
    if (silence_ns < link->payload_timeout_ns || link->payload_timeout_told)
        return;
    uint8_t bytes[8];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    link->payload_timeout_told = true;
    ys_hci_event_begin(&writer, YS_HCI_PAYLOAD_TIMEOUT_EXPIRED);
    ys_put_u16(&writer, link->handle);
    controller_send(link->controller, &writer);
}

uint64_t procedures_at_event(struct link *link)
{
    struct procedures *all = &link->procedures;
    check_payload_timeout(link);
    if (all->wanted != 0)
        procedures_begin_next(link);
    if (!all->has_pending || (uint16_t)(link->counter - all->pending.instant) >= 0x8000)
        return 0;
    struct ys_link_control_pdu pending = all->pending;
    all->has_pending = false;
    if (pending.opcode == YS_LINK_CONNECTION_UPDATE_IND)
        return hold_update(link, &pending);
    if (pending.opcode == YS_LINK_PHY_UPDATE_IND) {
        hold_phys(link, &pending);
    } else {
        memcpy(link->parameters.channel_map, pending.channel_map, sizeof link->parameters.channel_map);
        procedures_end_local(link, PROCEDURE_CHANNELS);
    }
    return 0;
}

/* what came */

/* What the central has set: it holds from its instant on, which must not have passed (Vol 6 Part B 5.1.1, 5.1.2). */
static void take_instant(struct link *link, const struct ys_link_control_pdu *pdu)
{
    struct procedures *all = &link->procedures;
    uint16_t left = (uint16_t)(pdu->instant - link->counter);
    if (left == 0 || left >= 0x7fff) {
        link_end(link, YS_HCI_INSTANT_PASSED);
        return;
    }
    all->pending = *pdu;
    all->has_pending = true;
}

/* Vol 6 Part B 5.1.10. */
static void phy_update_in(struct link *link, const struct ys_link_control_pdu *pdu)
{
    struct procedures *all = &link->procedures;
    if (pdu->send_phys != 0 || pdu->receive_phys != 0) {
        take_instant(link, pdu);
        return;
    }
    bool own = all->local == PROCEDURE_PHY;
    all->remote = PROCEDURE_NONE;
    if (own && all->phy_wanted)
        procedures_tell_phys(link, YS_HCI_OK);
    procedures_end_local(link, PROCEDURE_PHY);
}

/* The code with which the other side's procedure is refused because of another one, or YS_HCI_OK. A central goes on
 * with its own; a peripheral lets its own wait, which the central refuses (Vol 6 Part B 5.3). */
static uint8_t collision(const struct link *link, enum procedure procedure)
{
    const struct procedures *all = &link->procedures;
    if (!link->central)
        return YS_HCI_OK;
    uint8_t same = procedure == PROCEDURE_PARAMETERS ? PROCEDURE_UPDATE : (uint8_t)procedure;
    if (all->local == same)
        return YS_HCI_COLLISION;
    return procedure_has_instant(all->local) || all->has_pending ? YS_HCI_DIFFERENT_COLLISION : YS_HCI_OK;
}

/* Vol 6 Part B 5.1.10. */
static void phy_request_in(struct link *link, const struct ys_link_control_pdu *pdu)
{
    struct procedures *all = &link->procedures;
    uint8_t code = collision(link, PROCEDURE_PHY);
    if (code != YS_HCI_OK) {
        procedures_refuse(link, pdu->opcode, code);
        return;
    }
    all->peer_send_phys = pdu->send_phys;
    all->peer_receive_phys = pdu->receive_phys;
    procedures_begin_remote(link, PROCEDURE_PHY);
    link_want(link, link->central ? CONTROL_PHY_UPDATE : CONTROL_PHY_RSP);
}

/* Vol 6 Part B 5.1.7. */
static void parameters_request_in(struct link *link, const struct ys_link_control_pdu *pdu)
{
    uint8_t code = collision(link, PROCEDURE_PARAMETERS);
    if (code == YS_HCI_OK && (pdu->interval_min > pdu->interval || pdu->interval_min < 6 ||
                              !ys_link_parameters_are_valid(pdu->interval, pdu->latency, pdu->timeout)))
        code = YS_HCI_INVALID_PARAMETERS;
    if (code == YS_HCI_OK && !procedures_ask_host(link, pdu))
        code = YS_HCI_UNSUPPORTED_REMOTE;
    if (code != YS_HCI_OK)
        procedures_refuse(link, pdu->opcode, code);
    else
        procedures_begin_remote(link, PROCEDURE_PARAMETERS);
}

uint8_t procedures_answer(struct link *link, const struct ys_hci_parameters *parameters, uint8_t reason)
{
    struct procedures *all = &link->procedures;
    if (all->remote != PROCEDURE_PARAMETERS)
        return YS_HCI_COMMAND_DISALLOWED;
    if (parameters == NULL) {
        procedures_refuse(link, YS_LINK_CONNECTION_PARAM_REQ, reason);
        procedures_end_remote(link);
        return YS_HCI_OK;
    }
    procedures_forget_move(link);
    all->parameters = *parameters;
    link_want(link, link->central ? CONTROL_UPDATE : CONTROL_PARAM_RSP);
    return YS_HCI_OK;
}

/* The first PDU of which procedure this is; PROCEDURE_NONE if of none that is waited for. */
static uint8_t begun_by(uint8_t opcode)
{
    switch (opcode) {
    case YS_LINK_FEATURE_REQ:
    case YS_LINK_PERIPHERAL_FEATURE_REQ:
        return PROCEDURE_FEATURES;
    case YS_LINK_CONNECTION_PARAM_REQ:
        return PROCEDURE_PARAMETERS;
    case YS_LINK_VERSION_IND:
        return PROCEDURE_VERSION;
    case YS_LINK_PING_REQ:
        return PROCEDURE_PING;
    case YS_LINK_LENGTH_REQ:
        return PROCEDURE_LENGTH;
    case YS_LINK_PHY_REQ:
        return PROCEDURE_PHY;
    default:
        return PROCEDURE_NONE;
    }
}

static void refused_in(struct link *link, uint8_t opcode, uint8_t code)
{
    uint8_t procedure = begun_by(opcode);
    if (procedure == PROCEDURE_NONE || procedure != link->procedures.local)
        return;
    procedures_fail_local(link, code);
}

/* Vol 6 Part B 5.1.9; Vol 4 Part E 7.7.65.7. */
static void lengths_in(struct link *link, const struct ys_link_lengths *lengths)
{
    link->peer_lengths = *lengths;
    link_lengths_changed(link);
}

static bool lengths_are_valid(const struct ys_link_lengths *lengths)
{
    return lengths->receive_octets >= YS_LINK_PAYLOAD_DEFAULT && lengths->send_octets >= YS_LINK_PAYLOAD_DEFAULT &&
           lengths->receive_us >= YS_LINK_TIME_DEFAULT_US && lengths->send_us >= YS_LINK_TIME_DEFAULT_US;
}

/* Whether this controller has the feature to which a PDU belongs; otherwise it is as good as unknown. */
static bool is_supported(const struct link *link, uint8_t opcode)
{
    uint64_t features = link->controller->features;
    switch (opcode) {
    case YS_LINK_PERIPHERAL_FEATURE_REQ:
        return (features & YS_HCI_LE_FEATURE_FEATURES) != 0;
    case YS_LINK_CONNECTION_PARAM_REQ:
    case YS_LINK_CONNECTION_PARAM_RSP:
        return (features & YS_HCI_LE_FEATURE_PARAMETERS) != 0;
    case YS_LINK_PING_REQ:
    case YS_LINK_PING_RSP:
        return (features & YS_HCI_LE_FEATURE_PING) != 0;
    case YS_LINK_LENGTH_REQ:
    case YS_LINK_LENGTH_RSP:
        return (features & YS_HCI_LE_FEATURE_DATA_LENGTH) != 0;
    case YS_LINK_PHY_REQ:
    case YS_LINK_PHY_RSP:
    case YS_LINK_PHY_UPDATE_IND:
        return (features & (YS_HCI_LE_FEATURE_2M | YS_HCI_LE_FEATURE_CODED)) != 0;
    default:
        return true;
    }
}

/* Vol 6 Part B 5.1.5. */
static void version_in(struct link *link, const struct ys_link_control_pdu *pdu)
{
    link->procedures.version = *pdu;
    if (!link->procedures.version_sent)
        link_want(link, CONTROL_VERSION);
    procedures_tell_version(link, YS_HCI_OK);
    procedures_end_local(link, PROCEDURE_VERSION);
}

/* Vol 6 Part B 5.1.4. */
static void features_in(struct link *link, const struct ys_link_control_pdu *pdu)
{
    link->procedures.features = pdu->features;
    if (pdu->opcode != YS_LINK_FEATURE_RSP) {
        link_want(link, CONTROL_FEATURE_RSP);
        return;
    }
    procedures_tell_features(link, YS_HCI_OK);
    procedures_end_local(link, PROCEDURE_FEATURES);
}

/* Vol 6 Part B 5.1.9. */
static bool lengths_pdu_in(struct link *link, const struct ys_link_control_pdu *pdu)
{
    if (!lengths_are_valid(&pdu->lengths))
        return false;
    lengths_in(link, &pdu->lengths);
    if (pdu->opcode == YS_LINK_LENGTH_REQ)
        link_want(link, CONTROL_LENGTH_RSP);
    else
        procedures_end_local(link, PROCEDURE_LENGTH);
    return true;
}

static void phy_response_in(struct link *link, const struct ys_link_control_pdu *pdu)
{
    if (!link->central || link->procedures.local != PROCEDURE_PHY)
        return;
    link->procedures.peer_send_phys = pdu->send_phys;
    link->procedures.peer_receive_phys = pdu->receive_phys;
    link_want(link, CONTROL_PHY_UPDATE);
}

/* What only a central may set (Vol 6 Part B 5.5). */
static bool instant_in(struct link *link, const struct ys_link_control_pdu *pdu)
{
    bool valid = pdu->opcode == YS_LINK_CONNECTION_UPDATE_IND
                     ? ys_link_parameters_are_valid(pdu->interval, pdu->latency, pdu->timeout) && pdu->window_size > 0
                     : pdu->opcode != YS_LINK_CHANNEL_MAP_IND || ys_link_channel_count(pdu->channel_map) >= 2;
    if (link->central || !valid)
        return false;
    if (pdu->opcode == YS_LINK_PHY_UPDATE_IND)
        phy_update_in(link, pdu);
    else
        take_instant(link, pdu);
    return true;
}

bool procedures_control_in(struct link *link, const struct ys_link_control_pdu *pdu)
{
    if (!is_supported(link, pdu->opcode))
        return false;
    switch (pdu->opcode) {
    case YS_LINK_UNKNOWN_RSP: /* Vol 6 Part B 5.1.8: a ping that is not known has been answered all the same */
        refused_in(link, pdu->code, YS_HCI_UNSUPPORTED_REMOTE);
        return true;
    case YS_LINK_REJECT_EXT_IND:
        refused_in(link, pdu->refused, pdu->code);
        return true;
    case YS_LINK_VERSION_IND:
        version_in(link, pdu);
        return true;
    case YS_LINK_FEATURE_REQ:
    case YS_LINK_PERIPHERAL_FEATURE_REQ:
        if (link->central != (pdu->opcode == YS_LINK_PERIPHERAL_FEATURE_REQ))
            return false;
        features_in(link, pdu);
        return true;
    case YS_LINK_FEATURE_RSP:
        features_in(link, pdu);
        return true;
    case YS_LINK_PING_REQ:
        link_want(link, CONTROL_PING_RSP);
        return true;
    case YS_LINK_PING_RSP:
        procedures_end_local(link, PROCEDURE_PING);
        return true;
    case YS_LINK_LENGTH_REQ:
    case YS_LINK_LENGTH_RSP:
        return lengths_pdu_in(link, pdu);
    case YS_LINK_PHY_REQ:
        phy_request_in(link, pdu);
        return true;
    case YS_LINK_PHY_RSP:
        phy_response_in(link, pdu);
        return true;
    case YS_LINK_CONNECTION_PARAM_REQ:
        parameters_request_in(link, pdu);
        return true;
    case YS_LINK_CONNECTION_PARAM_RSP: /* this central never asks so */
        return link->central;
    case YS_LINK_CONNECTION_UPDATE_IND:
    case YS_LINK_CHANNEL_MAP_IND:
    case YS_LINK_PHY_UPDATE_IND:
        return instant_in(link, pdu);
    default:
        return false;
    }
}
