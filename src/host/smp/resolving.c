/* The controller's resolving list (Core 5.4 Vol 6 Part B 4.7, 6): who is remembered with an identity key stands on it,
 * so that the accept list, connecting and directed advertising know identities, whatever addresses are on the air; and
 * so that the controller makes the device's own addresses, if it is to be private. A controller that has no such list
 * is not asked again: the host then resolves alone, and makes its addresses. */
#include "host/smp/resolving.h"

#include "host/core/hooks.h"
#include "host/core/state.h"
#include "host/smp/bonds.h"
#include "host/smp/privacy.h"
#include "host/smp/step.h"
#include "host/smp/tools.h"
#include "wire/hci.h"

enum step { CLEAR, ADD, MODE, PACE, ON };

#define DEVICE_PRIVACY 1 /* a peer may also use its identity address (Vol 4 Part E 7.8.77) */

/* The next bond after a number that has a key; 0: there is none. */
static uint8_t next_bond(struct ys_host *host, uint8_t number, struct ys_bond *bond)
{
    do
        number = ys_bonds_next(host, number, bond);
    while (number != 0 && (bond->flags & BOND_HAS_IDENTITY_KEY) == 0);
    return number;
}

static void want_resolving(struct ys_host *host, enum step step)
{
    host->pairing->resolving_step = (uint8_t)step;
    ys_commands_want(host, BIT(COMMAND_RESOLVING));
}

static enum step after_the_list(const struct ys_pairing *pairing)
{
    return pairing->security->privacy ? PACE : ON;
}

/* From one bond to the next, and then on. */
static void resolving_go_on(struct ys_host *host, struct ys_reader *parameters)
{
    struct ys_pairing *pairing = host->pairing;
    struct ys_bond bond;
    (void)parameters;
    switch ((enum step)pairing->resolving_step) {
    case ADD:
        pairing->has_listed = true;
        want_resolving(host, MODE);
        return;
    case PACE:
        want_resolving(host, ON);
        return;
    case ON:
        if (pairing->security->privacy && pairing->has_listed)
            host->own_type = YS_HCI_OWN_RESOLVABLE | YS_ADDRESS_RANDOM;
        return;
    case CLEAR:
        pairing->resolving_number = 0;
        pairing->has_listed = false;
        break;
    case MODE:
        break;
    }
    pairing->resolving_number = next_bond(host, pairing->resolving_number, &bond);
    ys_pairing_wipe(&bond, sizeof bond);
    want_resolving(host, pairing->resolving_number != 0 ? ADD : after_the_list(pairing));
}

/* What does not fit is left out; what is not known is not tried again. */
static void resolving_failed(struct ys_host *host, const char *name, uint8_t status)
{
    ys_host_log(host, name, status);
    if (status == YS_HCI_MEMORY_FULL)
        want_resolving(host, after_the_list(host->pairing));
    else if (status == YS_HCI_UNKNOWN_COMMAND)
        host->pairing->resolves_alone = true;
}

/* Vol 4 Part E 7.8.38 to 7.8.41. */
static void compose_entry(struct ys_host *host, struct ys_writer *writer)
{
    struct ys_pairing *pairing = host->pairing;
    struct ys_bond bond;
    if (ys_bonds_load(host, pairing->resolving_number, &bond)) {
        struct ys_hci_resolving entry = {.identity = bond.identity};
        ys_pairing_reverse(entry.peer_key, bond.identity_key, sizeof entry.peer_key);
        ys_pairing_reverse(entry.own_key, pairing->own_identity_key, sizeof entry.own_key);
        ys_put_hci_resolving(writer, &entry);
        if (!pairing->has_listed)
            pairing->listed = bond.identity;
        ys_pairing_wipe(&entry, sizeof entry);
    } else { /* it was forgotten meanwhile */
        want_resolving(host, CLEAR);
    }
    ys_pairing_wipe(&bond, sizeof bond);
}

/* Vol 4 Part E 7.8.44, 7.8.45, 7.8.77. */
static void compose_mode(struct ys_host *host, struct ys_writer *writer)
{
    struct ys_address identity;
    uint8_t level;
    if (!ys_bond_get(host, host->pairing->resolving_number, &identity, &level)) {
        want_resolving(host, CLEAR);
        return;
    }
    ys_put_hci_address(writer, &identity);
    ys_put_u8(writer, DEVICE_PRIVACY);
}

static void compose_pace(struct ys_host *host, struct ys_writer *writer)
{
    ys_put_u16(writer, ys_privacy_rotation_s(host->pairing));
}

static void compose_on(struct ys_host *host, struct ys_writer *writer)
{
    (void)host;
    ys_put_u8(writer, 1);
}

const struct ys_command_row *ys_resolving_row(const struct ys_host *host)
{
    static const struct ys_command_row rows[] = {
        [CLEAR] = {YS_HCI_LE_CLEAR_RESOLVING_LIST, "LE Clear Resolving List", NULL, resolving_go_on, resolving_failed},
        [ADD] = {YS_HCI_LE_ADD_TO_RESOLVING_LIST, "LE Add Device To Resolving List", compose_entry, resolving_go_on,
                 resolving_failed},
        [MODE] = {YS_HCI_LE_SET_PRIVACY_MODE, "LE Set Privacy Mode", compose_mode, resolving_go_on, resolving_failed},
        [PACE] = {YS_HCI_LE_SET_RESOLVABLE_TIMEOUT, "LE Set Resolvable Private Address Timeout", compose_pace,
                  resolving_go_on, resolving_failed},
        [ON] = {YS_HCI_LE_SET_RESOLUTION_ENABLE, "LE Set Address Resolution Enable", compose_on, resolving_go_on,
                resolving_failed},
    };
    return &rows[host->pairing->resolving_step];
}

/* Vol 4 Part E 7.8.38: the list must not change while something goes on for which addresses are resolved; so it ends,
 * and begins again (Vol 3 Part C 10.7). */
void ys_resolving_run(struct ys_host *host)
{
    struct ys_pairing *pairing = host->pairing;
    if (!pairing->resolving_due || host->state != STATE_READY || host->connecting || pairing->connection != NULL)
        return;
    pairing->resolving_due = false;
    if (pairing->resolves_alone)
        return;
    host->own_type &= (uint8_t)~YS_HCI_OWN_RESOLVABLE;
    want_resolving(host, CLEAR);
    pairing->calls->renew(host);
}
