/* Pairing (Core 5.4 Vol 3 Part H): its beginning, its end, and the machine between.
 *
 *   central:     pairing request ->                    peripheral: waits for it
 *                <- pairing response                   a method follows from the two (agreement.c, methods.c)
 *                ... the steps of the method (legacy.c, secure.c), until both have a key
 *                the link is encrypted with it (encryption.c, encrypted.c)
 *                ... keys are given to each other (keys.c)
 *
 * machine.c takes the steps, session.c ends them. Here is what comes in, what is due, and how a host gets to know it.
 */
#include "host/smp/pairing.h"

#include <string.h>

#include "host/core/clock.h"
#include "host/core/connections.h"
#include "host/core/extras.h"
#include "host/core/state.h"
#include "host/l2cap/frames.h"
#include "host/smp/agreement.h"
#include "host/smp/bonds.h"
#include "host/smp/curve.h"
#include "host/smp/demand.h"
#include "host/smp/encrypted.h"
#include "host/smp/encryption.h"
#include "host/smp/machine.h"
#include "host/smp/privacy.h"
#include "host/smp/resolving.h"
#include "host/smp/session.h"
#include "host/smp/step.h"
#include "host/smp/tools.h"
#include "wire/hci.h"
#include "wire/l2cap.h"

static void pairing_receive(struct ys_host *host, struct ys_connection *connection, const uint8_t *bytes, size_t length)
{
    struct ys_pairing *pairing = host->pairing;
    struct ys_smp_pdu pdu;
    enum ys_smp_verdict verdict = ys_smp_decode(bytes, length, &pdu);
    bool pairs = pairing->connection == connection;
    uint8_t reason = GOOD;
    if (length == 0 || connection->keys.ended)
        return;
    if (pairs && (verdict != YS_SMP_GOOD || pdu.code != YS_SMP_KEYPRESS)) /* keys that are pressed lead nowhere */
        pairing->deadline_ms = ys_now_ms(host) + SMP_TIMEOUT_MS;
    if (verdict != YS_SMP_GOOD)
        reason = verdict == YS_SMP_MALFORMED ? YS_SMP_INVALID_PARAMETERS : YS_SMP_COMMAND_NOT_SUPPORTED;
    else if (pdu.code == YS_SMP_PAIRING_FAILED && pairs)
        ys_pairing_fail(host, pdu.reason != 0 ? pdu.reason : YS_SMP_UNSPECIFIED, true);
    else if (pdu.code == YS_SMP_SECURITY_REQUEST && connection->role == 0)
        ys_pairing_security_requested(host, connection, pdu.requirements);
    else if (pdu.code == YS_SMP_PAIRING_REQUEST && !pairs)
        ys_pairing_requested(host, connection, &pdu);
    else if (pairs && pdu.code != YS_SMP_KEYPRESS)
        reason = ys_pairing_hold(host, bytes, length, &pdu);
    else if (!pairs && pdu.code != YS_SMP_PAIRING_FAILED && pdu.code != YS_SMP_KEYPRESS)
        reason = YS_SMP_UNSPECIFIED; /* nothing goes on that it could belong to */
    if (reason != GOOD && pairs && pairing->connection == connection)
        ys_pairing_fail(host, reason, false);
    else if (reason != GOOD)
        ys_l2cap_refuse_with(connection, YS_SMP_PAIRING_FAILED, reason);
    ys_pairing_wipe(&pdu, sizeof pdu);
    if (pairing->connection == connection)
        ys_pairing_advance(host);
}

/* Vol 3 Part H 3.4. */
/* What the device is known by is there. */
static void use_identity(struct ys_host *host)
{
    struct ys_pairing *pairing = host->pairing;
    pairing->identity_due = false;
    if (host->settings.address == NULL)
        host->settings.address = pairing->own_address;
    if (pairing->security->privacy && !pairing->has_public_identity)
        pairing->identity = ys_address_static(host->settings.address);
}

static uint32_t run_pairing(struct ys_host *host, uint32_t now_ms)
{
    struct ys_pairing *pairing = host->pairing;
    if (pairing->identity_due && ys_bonds_load_identity(host)) /* the start goes on, and needs the address next */
        use_identity(host);
    if (pairing->curve != CURVE_IDLE)
        ys_pairing_poll_curve(host);
    if (pairing->connection != NULL && ys_until_ms(now_ms, pairing->deadline_ms) == 0)
        ys_pairing_fail(host, YS_SMP_TIMEOUT, false);
    if (pairing->connection != NULL)
        ys_pairing_advance(host);
    struct ys_connection *connection = NULL;
    while ((connection = ys_connection_next(host, connection)) != NULL)
        ys_pairing_run_connection(host, connection);
    /* the clock wraps: a moment that has passed must not come again */
    if (pairing->failures > 0 && now_ms - pairing->quiet_until_ms < INT32_MAX &&
        now_ms - pairing->quiet_until_ms > QUIET_DECAY_MS)
        pairing->failures = 0;
    pairing->resolving_due |= host->state == STATE_STARTING && pairing->security->bonds > 0; /* it will know nobody */
    if (pairing->resolving_due)
        ys_resolving_run(host);
    uint32_t wait_ms = ys_privacy_run(host, now_ms);
    uint32_t own_ms = pairing->connection != NULL ? ys_until_ms(now_ms, pairing->deadline_ms)
                      : pairing->failures > 0     ? QUIET_MOST_MS
                                                  : YS_FOREVER;
    return own_ms < wait_ms ? own_ms : wait_ms;
}

/* The keys are made of the addresses that are on the air, also where the controller has resolved them. */
static void pairing_connected(struct ys_host *host, struct ys_connection *connection,
                              const struct ys_hci_connection *made)
{
    connection->keys.own = made->own_is_made ? made->own_made : host->address;
    connection->keys.air = made->peer_is_made ? made->peer_made : connection->peer;
    connection->security.has_key = ys_bond_find(host, &connection->peer) != 0;
}

static void pairing_disconnected(struct ys_host *host, struct ys_connection *connection)
{
    if (host->pairing->connection == connection)
        ys_pairing_fail(host, YS_SMP_LINK_ENDED, false);
    /* what it carried may have been secret */
    ys_pairing_keep_key(host->pairing, connection, false);
    ys_pairing_wipe(&connection->response, sizeof connection->response);
    ys_pairing_wipe(connection->incoming, sizeof connection->incoming);
}

static const struct ys_command_row *pairing_row(const struct ys_host *host, uint8_t command)
{
    const struct ys_command_row *row =
        command == COMMAND_RESOLVING ? ys_resolving_row(host) : ys_encryption_row(command);
    return row != NULL ? row : ys_privacy_row(host, command);
}

static void pairing_connection(struct ys_host *host, struct ys_connection *connection,
                               const struct ys_hci_connection *made)
{
    if (made != NULL)
        pairing_connected(host, connection, made);
    else
        pairing_disconnected(host, connection);
}

/* Vol 3 Part H 3.2. */
static bool pairing_frame(struct ys_host *host, const struct ys_frame *frame)
{
    if (frame->channel != YS_L2CAP_SECURITY)
        return false;
    pairing_receive(host, frame->connection, frame->pdu, frame->length);
    return true;
}

static const struct ys_extra_calls pairing_extra = {
    .kind = YS_EXTRA_PAIRING,
    .row = pairing_row,
    .event = ys_encryption_event_in,
    .receive = pairing_frame,
    .run = run_pairing,
    .connection = pairing_connection,
};

static enum ys_result check_security(const struct ys_host *host, const struct ys_security *security)
{
    const struct ys_port *port = host->port;
    if (security->capability >= YS_CAPABILITIES || security->least > YS_LEVEL_SECURE_CONNECTIONS ||
        security->key_size_min < 7 || security->key_size_min > security->key_size_max || security->key_size_max > 16 ||
        security->bonds > BONDS_MOST || security->rotation_s > 3600 ||
        (security->passkey > YS_PASSKEY_MAX && security->passkey != YS_PASSKEY_RANDOM))
        return YS_ERROR_ARGUMENT;
    if (port->random == NULL)
        return YS_ERROR_PORT_RANDOM;
    if (port->encrypt == NULL)
        return YS_ERROR_PORT_CIPHER;
    bool all = port->curve_key != NULL && port->curve_secret != NULL && port->curve_result != NULL;
    bool none = port->curve_key == NULL && port->curve_secret == NULL && port->curve_result == NULL;
    if ((!all && !none) || (none && (security->forbids_legacy || security->least == YS_LEVEL_SECURE_CONNECTIONS)))
        return YS_ERROR_PORT_CURVE;
    return security->bonds > 0 && port->store_get == NULL ? YS_ERROR_PORT_STORE : YS_OK;
}

enum ys_result ys_pairing_use(struct ys_host *host, struct ys_pairing *pairing, const struct ys_security *security,
                              const struct ys_pairing_calls *above)
{
    enum ys_result result = check_security(host, security);
    if (result != YS_OK)
        return result;
    memset(pairing, 0, sizeof *pairing);
    pairing->security = security;
    pairing->calls = above;
    host->pairing = pairing;
    pairing->identity_due = !ys_bonds_load_identity(host);
    if (pairing->identity_due && ys_extra_find(host, YS_EXTRA_COMMANDS) == NULL) { /* nothing could bring any later */
        host->pairing = NULL;
        return YS_ERROR_PORT_RANDOM;
    }
    ys_extra_add(host, &pairing->extra, &pairing_extra, YS_HCI_LE_EVENT_MASK_SECURITY);
    pairing->resolving_due = security->bonds > 0;
    if (security->privacy)
        ys_privacy_begin(host);
    if (!pairing->identity_due)
        use_identity(host);
    return YS_OK;
}
