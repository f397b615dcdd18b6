/* Which control procedure goes on (Core 5.4 Vol 6 Part B 5.2, 5.3). */
#include "sim/procedures_order.h"

#include <string.h>

#include "sim/controller_state.h"
#include "sim/link_time.h"
#include "sim/procedures_tell.h"

/* The procedure response timeout (Vol 6 Part B 5.2). */
#define PROCEDURE_NS (40000 * YS_NS_PER_MS)

static uint64_t now_ns(const struct link *link)
{
    return ys_clock_now_ns(link_clock(link));
}

bool procedure_has_instant(uint8_t procedure)
{
    return procedure == PROCEDURE_PHY || procedure == PROCEDURE_PARAMETERS || procedure == PROCEDURE_UPDATE ||
           procedure == PROCEDURE_CHANNELS;
}

bool procedures_are_busy(const struct link *link)
{
    const struct procedures *all = &link->procedures;
    return all->local != PROCEDURE_NONE || all->remote != PROCEDURE_NONE || all->has_pending;
}

/* Vol 6 Part B 5.2. */
uint64_t procedures_deadline_ns(const struct link *link)
{
    const struct procedures *all = &link->procedures;
    uint64_t local_ns = all->local != PROCEDURE_NONE ? all->local_deadline_ns : UINT64_MAX;
    uint64_t remote_ns = all->remote != PROCEDURE_NONE ? all->remote_deadline_ns : UINT64_MAX;
    return local_ns < remote_ns ? local_ns : remote_ns;
}

/* Begins the first that is wanted and may begin now. */
void procedures_begin_next(struct link *link)
{
    static const uint8_t first_pdus[] = {
        [PROCEDURE_VERSION] = CONTROL_VERSION,      [PROCEDURE_FEATURES] = CONTROL_FEATURE_REQ,
        [PROCEDURE_LENGTH] = CONTROL_LENGTH_REQ,    [PROCEDURE_PHY] = CONTROL_PHY_REQ,
        [PROCEDURE_PARAMETERS] = CONTROL_PARAM_REQ, [PROCEDURE_UPDATE] = CONTROL_UPDATE,
        [PROCEDURE_CHANNELS] = CONTROL_CHANNEL_MAP, [PROCEDURE_PING] = CONTROL_PING_REQ,
    };
    struct procedures *all = &link->procedures;
    for (unsigned i = 0; i < PROCEDURE_NONE && all->local == PROCEDURE_NONE; i++) {
        bool waits = procedure_has_instant((uint8_t)i) && (all->has_pending || procedure_has_instant(all->remote));
        if ((all->wanted >> i & 1) == 0 || waits || link->encryption.step != ENCRYPTION_IDLE)
            continue;
        all->wanted = (uint16_t)(all->wanted & ~(1u << i));
        all->local = (uint8_t)i;
        all->local_deadline_ns = now_ns(link) + PROCEDURE_NS;
        link_want(link, (enum control)first_pdus[i]);
    }
}

void procedures_want(struct link *link, enum procedure procedure)
{
    link->procedures.wanted = (uint16_t)(link->procedures.wanted | 1u << procedure);
    procedures_begin_next(link);
    link_wake(link);
}

void procedures_forget_move(struct link *link)
{
    struct procedures *all = &link->procedures;
    if (!all->moves)
        return;
    all->moves = false;
    all->wanted = (uint16_t)(all->wanted & ~(1u << PROCEDURE_UPDATE));
    link->controls_due &= ~(UINT32_C(1) << CONTROL_UPDATE);
    if (all->local == PROCEDURE_UPDATE)
        all->local = PROCEDURE_NONE;
}

void procedures_end_local(struct link *link, enum procedure procedure)
{
    if (link->procedures.local == procedure)
        link->procedures.local = PROCEDURE_NONE;
    procedures_begin_next(link);
}

void procedures_end_remote(struct link *link)
{
    link->procedures.remote = PROCEDURE_NONE;
    procedures_begin_next(link);
}

/* Vol 6 Part B 5.3. */
void procedures_begin_remote(struct link *link, enum procedure procedure)
{
    link->procedures.remote = (uint8_t)procedure;
    link->procedures.remote_deadline_ns = now_ns(link) + PROCEDURE_NS;
}

void procedures_refuse(struct link *link, uint8_t opcode, uint8_t code)
{
    link->procedures.refused = opcode;
    link->procedures.refused_code = code;
    link_want(link, CONTROL_REJECT_EXT);
}

/* This side's own procedure has come to nothing. */
void procedures_fail_local(struct link *link, uint8_t status)
{
    uint8_t procedure = link->procedures.local;
    link->procedures.local = PROCEDURE_NONE;
    switch (procedure) {
    case PROCEDURE_VERSION:
        procedures_tell_version(link, status);
        break;
    case PROCEDURE_FEATURES:
        procedures_tell_features(link, status);
        break;
    case PROCEDURE_PHY:
        procedures_tell_phys(link, status);
        break;
    case PROCEDURE_PARAMETERS:
        procedures_tell_update(link, status);
        break;
    default: /* the others have no answer that the host would hear of */
        break;
    }
    procedures_begin_next(link);
}

void procedures_begin(struct link *link)
{
    const struct ys_controller *controller = link->controller;
    struct procedures *all = &link->procedures;
    all->local = PROCEDURE_NONE;
    all->remote = PROCEDURE_NONE;
    all->send_phys = controller->default_send_phys;
    all->receive_phys = controller->default_receive_phys;
    memcpy(all->channel_map, link->parameters.channel_map, sizeof all->channel_map);
    bool longer =
        controller->default_octets > YS_LINK_PAYLOAD_DEFAULT || controller->default_us > YS_LINK_TIME_DEFAULT_US;
    if ((controller->features & YS_HCI_LE_FEATURE_DATA_LENGTH) == 0)
        return;
    link->lengths.receive_octets = YS_LINK_PAYLOAD_MAX;
    link->lengths.receive_us = YS_LINK_TIME_MAX_US;
    if (longer) {
        link->lengths.send_octets = controller->default_octets;
        link->lengths.send_us = controller->default_us;
        procedures_want(link, PROCEDURE_LENGTH);
    }
}
