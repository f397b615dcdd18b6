/* The beginning of a pairing: what both say of themselves, and what follows from that (Core 5.4 Vol 3 Part
 * H 2.3, 3.5.1, 3.5.2). */
#include "host/smp/agreement.h"

#include "host/l2cap/frames.h"

#include "host/core/clock.h"
#include "host/core/connections.h"
#include "host/smp/bonds.h"
#include "host/smp/curve.h"
#include "host/smp/keys.h"
#include "host/smp/methods.h"
#include "host/smp/session.h"
#include "host/smp/step.h"

/* Fills what this device says of itself in a request or a response (Vol 3 Part C 9.4.2, 9.4.3; Vol 3 Part H 2.3.2). */
static void say_features(struct ys_host *host, const struct ys_connection *connection, struct ys_smp_pdu *pdu,
                         bool authenticated, bool asked_secure)
{
    const struct ys_pairing *pairing = host->pairing;
    const struct ys_security *security = pairing->security;
    /* with nothing but the data of legacy pairing, that is what is meant; in a response the request has chosen */
    bool legacy = !security->forbids_legacy && pairing->legacy_oob != NULL && pairing->peer_oob == NULL;
    bool secure = host->port->curve_key != NULL && !legacy && asked_secure;
    bool bonds = security->bonds > 0 && ys_bonds_have_room(host, &connection->peer);
    uint8_t keys = bonds ? YS_SMP_ENC_KEY | YS_SMP_ID_KEY : 0;
    pdu->capability = security->capability;
    pdu->oob = secure ? pairing->peer_oob != NULL : pairing->legacy_oob != NULL;
    pdu->requirements =
        (uint8_t)((bonds ? YS_SMP_BONDING : 0) | (authenticated || security->authenticates ? YS_SMP_MITM : 0) |
                  (secure ? YS_SMP_SECURE_CONNECTIONS : 0));
    pdu->key_size = security->key_size_max;
    pdu->initiator_keys = keys;
    pdu->responder_keys = keys;
}

static void keep(uint8_t kept[7], const struct ys_smp_pdu *pdu)
{
    struct ys_writer writer = ys_writer_to(kept, 7);
    ys_put_smp(&writer, pdu);
}

static void open_pairing(struct ys_host *host, struct ys_connection *connection, bool initiator)
{
    struct ys_pairing *pairing = host->pairing;
    pairing->connection = connection;
    pairing->initiator = initiator;
    pairing->met = pairing->own_key_known ? MET_OWN_KEY : 0;
    pairing->held_length = 0;
    pairing->round = 0;
    pairing->deadline_ms = ys_now_ms(host) + SMP_TIMEOUT_MS;
    connection->held = true;
    connection->keys.asked = true;
    connection->keys.level_due = 0;
}

/* What both have said is known: whether they can pair, how, and with which keys (Vol 3 Part C 10.2.4; Vol 3 Part
 * H 2.3.4, 3.6.1). */
static uint8_t agree(struct ys_host *host, const struct ys_smp_pdu *request, const struct ys_smp_pdu *response)
{
    struct ys_pairing *pairing = host->pairing;
    const struct ys_security *security = pairing->security;
    struct ys_link_security given = {.key_size = request->key_size};
    if (response->key_size < given.key_size)
        given.key_size = response->key_size;
    if (given.key_size < security->key_size_min || given.key_size < 7)
        return YS_SMP_ENCRYPTION_KEY_SIZE;
    pairing->key_size = given.key_size;
    pairing->method = (uint8_t)ys_smp_method(request, response);
    pairing->secure_connections = ys_smp_is_secure(request, response);
    if (!pairing->secure_connections && security->forbids_legacy)
        return YS_SMP_AUTHENTICATION_REQUIREMENTS;
    /* who says that it has our data must have got them from here */
    if (pairing->method == YS_METHOD_OUT_OF_BAND && pairing->secure_connections && !pairing->oob_given &&
        (pairing->initiator ? response : request)->oob != 0)
        return YS_SMP_OOB_NOT_AVAILABLE;
    given.authenticated = pairing->method != YS_METHOD_JUST_WORKS;
    given.secure_connections = pairing->secure_connections;
    uint8_t reason = ys_keys_prepare(host, request, response);
    if (reason != GOOD)
        return reason;
    /* nobody makes a bond weaker by pairing again */
    if (ys_link_level(&given) < security->least ||
        ys_bonds_would_weaken(host, &pairing->connection->peer, &pairing->bond))
        return YS_SMP_AUTHENTICATION_REQUIREMENTS;
    if (pairing->secure_connections && !pairing->own_key_known && pairing->curve == CURVE_IDLE)
        reason = ys_pairing_begin_curve(host, CURVE_KEY);
    if (reason == GOOD)
        pairing->step = ys_methods_first(host);
    return reason;
}

/* initiator */

static uint8_t take_response(struct ys_host *host, const struct ys_smp_pdu *response)
{
    struct ys_pairing *pairing = host->pairing;
    struct ys_smp_pdu request;
    (void)ys_smp_decode(pairing->request, sizeof pairing->request, &request);
    keep(pairing->response, response);
    if (response->capability >= YS_CAPABILITIES || response->oob > 1 || response->key_size > 16 ||
        (response->initiator_keys & ~request.initiator_keys & 0x0f) != 0 ||
        (response->responder_keys & ~request.responder_keys & 0x0f) != 0)
        return YS_SMP_INVALID_PARAMETERS;
    return agree(host, &request, response);
}

/* Vol 3 Part H 3.5.1, 3.5.2. */
static uint8_t send_request(struct ys_host *host, const struct ys_smp_pdu *unused)
{
    struct ys_smp_pdu request;
    (void)unused;
    (void)ys_smp_decode(host->pairing->request, sizeof host->pairing->request, &request);
    ys_pairing_send(host, host->pairing->connection, &request);
    return GOOD;
}

enum ys_result ys_pairing_begin(struct ys_host *host, struct ys_connection *connection, bool authenticated)
{
    static const struct ys_pairing_step steps[] = {
        {NEEDS_NOTHING, 0, send_request},
        {NEEDS_PDU, YS_SMP_PAIRING_RESPONSE, take_response},
        {NEEDS_END, 0, NULL},
    };
    struct ys_pairing *pairing = host->pairing;
    struct ys_smp_pdu request = {.code = YS_SMP_PAIRING_REQUEST};
    if (pairing->connection != NULL)
        return YS_ERROR_BUSY;
    if (connection->keys.ended)
        return YS_ERROR_TOO_LATE;
    open_pairing(host, connection, true);
    say_features(host, connection, &request, authenticated, true);
    keep(pairing->request, &request);
    pairing->step = steps;
    ys_wake(host);
    return YS_OK;
}

/* responder */

/* Vol 3 Part H 3.5.1, 3.5.2. */
static uint8_t send_response(struct ys_host *host, const struct ys_smp_pdu *unused)
{
    struct ys_pairing *pairing = host->pairing;
    struct ys_smp_pdu request;
    struct ys_smp_pdu response;
    (void)unused;
    (void)ys_smp_decode(pairing->request, sizeof pairing->request, &request);
    (void)ys_smp_decode(pairing->response, sizeof pairing->response, &response);
    uint8_t reason = agree(host, &request, &response);
    if (reason == GOOD)
        ys_pairing_send(host, pairing->connection, &response);
    return reason;
}

/* Whether this request may begin a pairing (Vol 3 Part H 3.5.1, 3.5.2). */
static uint8_t check_request(struct ys_host *host, const struct ys_connection *connection,
                             const struct ys_smp_pdu *request)
{
    const struct ys_pairing *pairing = host->pairing;
    if (connection->role == 0)
        return YS_SMP_COMMAND_NOT_SUPPORTED;
    if (request->capability >= YS_CAPABILITIES || request->oob > 1 || request->key_size < 7 || request->key_size > 16)
        return YS_SMP_INVALID_PARAMETERS;
    if (pairing->refused_all)
        return YS_SMP_NOT_SUPPORTED;
    if (ys_pairing_is_quiet(host))
        return YS_SMP_REPEATED_ATTEMPTS;
    if (pairing->connection != NULL)
        return YS_SMP_BUSY;
    if (pairing->security->bonds > 0 && !ys_bonds_have_room(host, &connection->peer)) {
        ys_host_log(host, "refused a pairing: no more peers can be remembered than", pairing->security->bonds);
        return YS_SMP_NOT_SUPPORTED;
    }
    return GOOD;
}

void ys_pairing_requested(struct ys_host *host, struct ys_connection *connection, const struct ys_smp_pdu *request)
{
    static const struct ys_pairing_step steps[] = {
        {NEEDS_NOTHING, 0, send_response},
        {NEEDS_END, 0, NULL},
    };
    struct ys_pairing *pairing = host->pairing;
    struct ys_smp_pdu response = {.code = YS_SMP_PAIRING_RESPONSE};
    uint8_t reason = check_request(host, connection, request);
    if (reason != GOOD) {
        ys_l2cap_refuse_with(connection, YS_SMP_PAIRING_FAILED, reason);
        return;
    }
    open_pairing(host, connection, false);
    say_features(host, connection, &response, false, (request->requirements & YS_SMP_SECURE_CONNECTIONS) != 0);
    response.initiator_keys &= request->initiator_keys;
    response.responder_keys &= request->responder_keys;
    if ((request->requirements & YS_SMP_BONDING) == 0) {
        response.initiator_keys = 0;
        response.responder_keys = 0;
    }
    keep(pairing->request, request);
    keep(pairing->response, &response);
    pairing->step = steps;
}
