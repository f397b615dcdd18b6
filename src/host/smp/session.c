/* A pairing as it goes on: what is sent, and how it ends. */
#include "host/smp/session.h"

#include <string.h>

#include "host/core/clock.h"
#include "host/core/connections.h"
#include "host/core/events.h"
#include "host/core/hooks.h"
#include "host/l2cap/frames.h"
#include "host/smp/bonds.h"
#include "host/smp/step.h"
#include "host/smp/tools.h"

/* Vol 3 Part H 2.3.1. */
void ys_pairing_emit_level(struct ys_host *host, const struct ys_connection *connection)
{
    struct ys_event event = {.kind = YS_EVENT_SECURED, .connection = connection->handle};
    event.u.secured.level = ys_link_level(&connection->security);
    event.u.secured.key_size = connection->security.key_size;
    event.u.secured.bond = connection->remembered;
    ys_emit(host, &event);
}

void ys_pairing_send(struct ys_host *host, struct ys_connection *connection, const struct ys_smp_pdu *pdu)
{
    struct ys_writer writer = ys_l2cap_writer(&host->outgoing, YS_SMP_PDU_MAX);
    ys_put_smp(&writer, pdu);
    ys_l2cap_seal(&host->outgoing, YS_L2CAP_SECURITY, ys_writer_stored(&writer));
    ys_l2cap_send(host, connection);
    host->pairing->deadline_ms = ys_now_ms(host) + SMP_TIMEOUT_MS;
}

void ys_pairing_send_value(struct ys_host *host, uint8_t code, const uint8_t value[16])
{
    struct ys_smp_pdu pdu = {.code = code};
    ys_pairing_reverse(pdu.value, value, 16);
    ys_pairing_send(host, host->pairing->connection, &pdu);
    ys_pairing_wipe(&pdu, sizeof pdu);
}

/* Forgets all that belongs to the pairing that is over. */
static void forget_pairing(struct ys_host *host)
{
    struct ys_pairing *pairing = host->pairing;
    if (pairing->connection != NULL)
        pairing->connection->held = false;
    pairing->connection = NULL;
    pairing->step = NULL;
    pairing->held_length = 0;
    pairing->met = 0;
    pairing->passkey = 0;
    pairing->tainted = false;
    pairing->curve = CURVE_IDLE;
    pairing->own_key_known = false;
    pairing->oob_given = false;
    if (host->port->curve_result != NULL)
        (void)host->port->curve_result(host->port->context, NULL);
    ys_pairing_wipe(pairing->held, sizeof pairing->held);
    ys_pairing_wipe(pairing->secret, sizeof pairing->secret);
    ys_pairing_wipe(pairing->own_random, sizeof pairing->own_random);
    ys_pairing_wipe(pairing->peer_random, sizeof pairing->peer_random);
    ys_pairing_wipe(pairing->oob_random, sizeof pairing->oob_random);
    ys_pairing_wipe(pairing->mac_key, sizeof pairing->mac_key);
    ys_pairing_wipe(pairing->key, sizeof pairing->key);
    ys_pairing_wipe(&pairing->bond, sizeof pairing->bond);
    ys_pairing_wipe(host->outgoing.bytes, sizeof host->outgoing.bytes);
}

/* Vol 3 Part H 2.3.6: who guesses must wait, and longer each time. Not by address, which anybody can change. */
static void count_failure(struct ys_host *host)
{
    struct ys_pairing *pairing = host->pairing;
    uint32_t now_ms = ys_now_ms(host);
    uint32_t quiet_ms = QUIET_LEAST_MS;
    if (!pairing->tainted)
        return;
    for (uint8_t i = 0; i < pairing->failures && quiet_ms < QUIET_MOST_MS; i++)
        quiet_ms *= 2;
    if (pairing->failures < UINT8_MAX)
        pairing->failures++;
    pairing->quiet_until_ms = now_ms + (quiet_ms < QUIET_MOST_MS ? quiet_ms : QUIET_MOST_MS);
}

bool ys_pairing_is_quiet(const struct ys_host *host)
{
    const struct ys_pairing *pairing = host->pairing;
    return pairing->failures > 0 && ys_until_ms(ys_now_ms(host), pairing->quiet_until_ms) > 0;
}

/* Vol 3 Part H 3.5.5. */
void ys_pairing_fail(struct ys_host *host, uint8_t reason, bool by_peer)
{
    struct ys_connection *connection = host->pairing->connection;
    struct ys_event event = {.kind = YS_EVENT_PAIRING_FAILED, .connection = connection->handle, .reason = reason};
    event.u.failed.by_peer = by_peer;
    if (!by_peer && reason != YS_SMP_LINK_ENDED && reason != YS_SMP_TIMEOUT)
        ys_l2cap_refuse_with(connection, YS_SMP_PAIRING_FAILED, reason);
    connection->keys.ended = reason == YS_SMP_TIMEOUT;
    count_failure(host);
    forget_pairing(host);
    ys_emit(host, &event);
}

/* Vol 3 Part H 2.4.1: without a bond the key is that of this connection, and only the last one is kept. */
void ys_pairing_keep_key(struct ys_pairing *pairing, const struct ys_connection *connection, bool keeps)
{
    if (keeps) {
        memcpy(pairing->kept_key, pairing->key, sizeof pairing->kept_key);
        pairing->kept = connection;
    } else if (pairing->kept == connection) {
        ys_pairing_wipe(pairing->kept_key, sizeof pairing->kept_key);
        pairing->kept = NULL;
    }
}

void ys_pairing_finish(struct ys_host *host)
{
    struct ys_pairing *pairing = host->pairing;
    struct ys_connection *connection = pairing->connection;
    uint8_t reason = GOOD;
    uint8_t number = pairing->bonds ? ys_bonds_make(host, &reason) : 0;
    if (reason != GOOD) {
        ys_pairing_fail(host, reason, false);
        return;
    }
    struct ys_event event = {.kind = YS_EVENT_SECURED, .connection = connection->handle};
    event.u.secured.level = ys_link_level(&connection->security);
    event.u.secured.key_size = connection->security.key_size;
    event.u.secured.method = pairing->method;
    event.u.secured.bond = number;
    event.u.secured.paired = true;
    if (number != 0) {
        connection->keys.key_from = number;
        pairing->calls->bond_used(host, connection, number);
        connection->unsaved = true; /* what it has subscribed to so far is kept from now on */
        ys_bonds_emit(host, number, YS_BOND_MADE);
    }
    ys_pairing_keep_key(pairing, connection, number == 0);
    pairing->failures = 0;
    pairing->tainted = false;
    connection->keys.asked = false;
    forget_pairing(host);
    ys_emit(host, &event);
}
