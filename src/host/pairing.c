/* Pairing (Core 5.4 Vol 3 Part H): its beginning, its end, and the machine between.
 *
 *   central:     pairing request ->                    peripheral: waits for it
 *                <- pairing response                   a method follows from the two
 *                ... the steps of the method (pairing_methods.c), until both have a key
 *                the link is encrypted with it
 *                ... keys are given to each other (pairing_keys.c)
 *
 * What comes next is a list of steps; each needs something (a PDU, somebody's answer, a computation) and then does
 * something. A PDU that comes while its step still waits for something else is held; any other ends the pairing. */
#include "host/pairing.h"

#include <string.h>

/* tools */

struct ys_cipher pairing_cipher(const struct ys_host *host)
{
    return (struct ys_cipher){host->port->context, host->port->encrypt};
}

bool pairing_random(const struct ys_host *host, void *bytes, size_t length)
{
    return host->port->random(host->port->context, bytes, length);
}

/* Through a pointer that the compiler must believe in: what nobody reads any more is cleared all the same. */
void pairing_wipe(void *bytes, size_t length)
{
    volatile uint8_t *at = bytes;
    while (length-- > 0)
        *at++ = 0;
}

void pairing_reverse(uint8_t *to, const uint8_t *from, size_t length)
{
    for (size_t i = 0; i < length; i++)
        to[i] = from[length - 1 - i];
}

enum ys_level pairing_level(const struct ys_link_security *security)
{
    if (security->key_size == 0)
        return YS_LEVEL_OPEN;
    if (!security->authenticated)
        return YS_LEVEL_ENCRYPTED;
    return security->secure_connections && security->key_size == YS_LEVEL_4_KEY_SIZE ? YS_LEVEL_SECURE_CONNECTIONS
                                                                                     : YS_LEVEL_AUTHENTICATED;
}

void pairing_emit_level(struct ys_host *host, const struct ys_connection *connection)
{
    struct ys_event event = {.kind = YS_EVENT_SECURED, .connection = connection->handle};
    event.u.secured.level = (uint8_t)pairing_level(&connection->security);
    event.u.secured.key_size = connection->security.key_size;
    event.u.secured.bond = connection->remembered;
    ys_emit(host, &event);
}

/* out */

void pairing_send(struct ys_host *host, struct ys_connection *connection, const struct ys_smp_pdu *pdu)
{
    struct ys_writer writer = ys_l2cap_writer(&host->outgoing, YS_SMP_PDU_MAX);
    ys_put_smp(&writer, pdu);
    ys_l2cap_seal(&host->outgoing, YS_L2CAP_SECURITY, ys_writer_stored(&writer));
    ys_l2cap_send(host, connection);
    host->pairing->deadline_ms = ys_now_ms(host) + SMP_TIMEOUT_MS;
}

void pairing_send_value(struct ys_host *host, uint8_t code, const uint8_t value[16])
{
    struct ys_smp_pdu pdu = {.code = code};
    pairing_reverse(pdu.value, value, 16);
    pairing_send(host, host->pairing->connection, &pdu);
    pairing_wipe(&pdu, sizeof pdu);
}

/* the end */

/* Forgets all that belongs to the pairing that is over. */
static void forget(struct ys_host *host)
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
    pairing_wipe(pairing->held, sizeof pairing->held);
    pairing_wipe(pairing->secret, sizeof pairing->secret);
    pairing_wipe(pairing->own_random, sizeof pairing->own_random);
    pairing_wipe(pairing->peer_random, sizeof pairing->peer_random);
    pairing_wipe(pairing->oob_random, sizeof pairing->oob_random);
    pairing_wipe(pairing->mac_key, sizeof pairing->mac_key);
    pairing_wipe(pairing->key, sizeof pairing->key);
    pairing_wipe(&pairing->bond, sizeof pairing->bond);
    pairing_wipe(host->outgoing.bytes, sizeof host->outgoing.bytes);
}

/* 2.3.6: who guesses must wait, and longer each time. Not by address, which anybody can change. */
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

void pairing_fail(struct ys_host *host, uint8_t reason, bool by_peer)
{
    struct ys_connection *connection = host->pairing->connection;
    struct ys_event event = {.kind = YS_EVENT_PAIRING_FAILED, .connection = connection->handle, .reason = reason};
    event.u.failed.by_peer = by_peer;
    if (!by_peer && reason != YS_SMP_LINK_ENDED && reason != YS_SMP_TIMEOUT)
        connection->pairing_failed = reason;
    connection->keys.ended = reason == YS_SMP_TIMEOUT;
    count_failure(host);
    forget(host);
    ys_emit(host, &event);
}

static void finish(struct ys_host *host)
{
    struct ys_pairing *pairing = host->pairing;
    struct ys_connection *connection = pairing->connection;
    uint8_t reason = GOOD;
    uint8_t number = pairing->bonds ? bonds_make(host, &reason) : 0;
    if (reason != GOOD) {
        pairing_fail(host, reason, false);
        return;
    }
    struct ys_event event = {.kind = YS_EVENT_SECURED, .connection = connection->handle};
    event.u.secured.level = (uint8_t)pairing_level(&connection->security);
    event.u.secured.key_size = connection->security.key_size;
    event.u.secured.method = pairing->method;
    event.u.secured.bond = number;
    event.u.secured.paired = true;
    if (number != 0) {
        connection->keys.key_from = number;
        ys_remembered_load(host, connection, number);
        connection->unsaved = true; /* what it has subscribed to so far is kept from now on */
        bonds_emit(host, number, YS_BOND_MADE);
    }
    pairing->failures = 0;
    pairing->tainted = false;
    forget(host);
    ys_emit(host, &event);
}

/* the curve */

uint8_t pairing_begin_curve(struct ys_host *host, enum curve_job job)
{
    struct ys_pairing *pairing = host->pairing;
    bool begun = job == CURVE_KEY ? host->port->curve_key(host->port->context)
                                  : host->port->curve_secret(host->port->context, pairing->peer_key);
    pairing->curve = (uint8_t)(begun ? job : CURVE_IDLE);
    return begun ? GOOD : YS_SMP_UNSPECIFIED;
}

static void take_own_key(struct ys_host *host, const uint8_t key[64])
{
    struct ys_pairing *pairing = host->pairing;
    struct ys_oob oob;
    memcpy(pairing->own_key, key, sizeof pairing->own_key);
    pairing->own_key_known = true;
    pairing->met |= MET_OWN_KEY;
    if (!pairing->oob_wanted)
        return;
    pairing->oob_wanted = false;
    pairing->oob_given = methods_make_oob(host, &oob);
    if (pairing->oob_given)
        ys_emit(host, &(struct ys_event){.kind = YS_EVENT_OOB_READY, .u.oob = &oob});
    pairing_wipe(&oob, sizeof oob);
}

static void poll_curve(struct ys_host *host)
{
    struct ys_pairing *pairing = host->pairing;
    uint8_t result[64];
    enum curve_job job = (enum curve_job)pairing->curve;
    enum ys_curve state = host->port->curve_result(host->port->context, result);
    if (state == YS_CURVE_BUSY)
        return;
    pairing->curve = CURVE_IDLE;
    if (state == YS_CURVE_DONE && job == CURVE_KEY) {
        take_own_key(host, result);
    } else if (state == YS_CURVE_DONE) {
        memcpy(pairing->secret, result, sizeof pairing->secret);
        pairing->met |= MET_SECRET;
    } else if (pairing->connection != NULL) { /* 2.3.5.6.1: a point that is not on the curve */
        pairing_fail(host, job == CURVE_SECRET ? YS_SMP_INVALID_PARAMETERS : YS_SMP_UNSPECIFIED, false);
    }
    pairing_wipe(result, sizeof result);
}

/* steps */

static bool may_send(const struct ys_host *host, const struct ys_connection *connection)
{
    return connection->response.length == 0 && ys_l2cap_fits(host, connection, YS_SMP_PDU_MAX);
}

static bool is_met(const struct ys_pairing *pairing, const struct ys_pairing_step *step)
{
    static const uint8_t bits[] = {
        [NEEDS_USER] = MET_USER, [NEEDS_OWN_KEY] = MET_OWN_KEY, [NEEDS_SECRET] = MET_SECRET, [NEEDS_LINK] = MET_LINK};
    if (step->need == NEEDS_NOTHING)
        return true;
    if (step->need == NEEDS_PDU)
        return pairing->held_length > 0;
    return step->need <= NEEDS_LINK && (pairing->met & bits[step->need]) != 0;
}

/* Takes the steps that can be taken. */
static void advance(struct ys_host *host)
{
    struct ys_pairing *pairing = host->pairing;
    struct ys_connection *connection = pairing->connection;
    uint8_t reason = GOOD;
    bool finished = false;
    if ((pairing->met & MET_REFUSED) != 0)
        reason = pairing->method == YS_METHOD_NUMERIC_COMPARISON ? YS_SMP_NUMERIC_COMPARISON_FAILED
                                                                 : YS_SMP_PASSKEY_ENTRY_FAILED;
    while (reason == GOOD && !finished && pairing->connection == connection && connection->used &&
           may_send(host, connection)) {
        const struct ys_pairing_step *step = pairing->step;
        struct ys_smp_pdu pdu = {.code = 0};
        if (step->need == NEEDS_KEYS) {
            finished = keys_run(host);
            if (!finished)
                break;
            continue;
        }
        if (!is_met(pairing, step))
            break;
        if (step->need == NEEDS_PDU) {
            (void)ys_smp_decode(pairing->held, pairing->held_length, &pdu);
            pairing->held_length = 0;
        }
        pairing->step = step + 1;
        reason = step->act(host, &pdu);
        pairing_wipe(&pdu, sizeof pdu);
    }
    if (pairing->connection != connection)
        return;
    if (reason != GOOD)
        pairing_fail(host, reason, false);
    else if (finished)
        finish(host);
}

/* The PDU for which the pairing waits next, or will. */
static uint8_t awaited(const struct ys_pairing *pairing)
{
    const struct ys_pairing_step *step = pairing->step;
    while (step->need < NEEDS_KEYS && step->need != NEEDS_PDU)
        step++;
    return step->need == NEEDS_PDU ? step->code : 0;
}

static uint8_t hold(struct ys_host *host, const uint8_t *bytes, size_t length, const struct ys_smp_pdu *pdu)
{
    struct ys_pairing *pairing = host->pairing;
    if (pairing->step->need == NEEDS_KEYS)
        return keys_in(host, pdu);
    if (pairing->held_length > 0 || pdu->code != awaited(pairing))
        return YS_SMP_UNSPECIFIED; /* out of order, or twice */
    memcpy(pairing->held, bytes, length);
    pairing->held_length = (uint8_t)length;
    return GOOD;
}

/* the beginning */

/* Fills what this device says of itself in a request or a response. */
static void say_features(struct ys_host *host, const struct ys_connection *connection, struct ys_smp_pdu *pdu,
                         bool authenticated, bool asked_secure)
{
    const struct ys_pairing *pairing = host->pairing;
    const struct ys_security *security = pairing->security;
    /* with nothing but the data of legacy pairing, that is what is meant; in a response the request has chosen */
    bool legacy = !security->forbids_legacy && pairing->legacy_oob != NULL && pairing->peer_oob == NULL;
    bool secure = host->port->curve_key != NULL && !legacy && asked_secure;
    bool bonds = security->bonds > 0 && bonds_have_room(host, &connection->peer);
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

/* What both have said is known: whether they can pair, how, and with which keys. */
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
    uint8_t reason = keys_prepare(host, request, response);
    if (reason != GOOD)
        return reason;
    /* nobody makes a bond weaker by pairing again */
    if (pairing_level(&given) < security->least || bonds_would_weaken(host, &pairing->connection->peer, &pairing->bond))
        return YS_SMP_AUTHENTICATION_REQUIREMENTS;
    if (pairing->secure_connections && !pairing->own_key_known && pairing->curve == CURVE_IDLE)
        reason = pairing_begin_curve(host, CURVE_KEY);
    if (reason == GOOD)
        pairing->step = methods_first(host);
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

static uint8_t send_request(struct ys_host *host, const struct ys_smp_pdu *unused)
{
    struct ys_smp_pdu request;
    (void)unused;
    (void)ys_smp_decode(host->pairing->request, sizeof host->pairing->request, &request);
    pairing_send(host, host->pairing->connection, &request);
    return GOOD;
}

static enum ys_result begin(struct ys_host *host, struct ys_connection *connection, bool authenticated)
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
        pairing_send(host, pairing->connection, &response);
    return reason;
}

/* Whether this request may begin a pairing. */
static uint8_t check_request(struct ys_host *host, const struct ys_connection *connection,
                             const struct ys_smp_pdu *request)
{
    const struct ys_pairing *pairing = host->pairing;
    uint32_t now_ms = ys_now_ms(host);
    if (connection->role == 0)
        return YS_SMP_COMMAND_NOT_SUPPORTED;
    if (request->capability >= YS_CAPABILITIES || request->oob > 1 || request->key_size < 7 || request->key_size > 16)
        return YS_SMP_INVALID_PARAMETERS;
    if (pairing->refused_all)
        return YS_SMP_NOT_SUPPORTED;
    if (pairing->failures > 0 && ys_until_ms(now_ms, pairing->quiet_until_ms) > 0)
        return YS_SMP_REPEATED_ATTEMPTS;
    if (pairing->connection != NULL)
        return YS_SMP_BUSY;
    if (pairing->security->bonds > 0 && !bonds_have_room(host, &connection->peer)) {
        ys_host_log(host, "refused a pairing: no more peers can be remembered than", pairing->security->bonds);
        return YS_SMP_NOT_SUPPORTED;
    }
    return GOOD;
}

static void request_in(struct ys_host *host, struct ys_connection *connection, const struct ys_smp_pdu *request)
{
    static const struct ys_pairing_step steps[] = {
        {NEEDS_NOTHING, 0, send_response},
        {NEEDS_END, 0, NULL},
    };
    struct ys_pairing *pairing = host->pairing;
    struct ys_smp_pdu response = {.code = YS_SMP_PAIRING_RESPONSE};
    uint8_t reason = check_request(host, connection, request);
    if (reason != GOOD) {
        connection->pairing_failed = reason;
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

/* The peripheral asks for security (2.4.6). */
static void security_request_in(struct ys_host *host, struct ys_connection *connection, uint8_t requirements)
{
    uint8_t level = (requirements & YS_SMP_MITM) != 0 ? YS_LEVEL_AUTHENTICATED : YS_LEVEL_ENCRYPTED;
    if (connection->role != 0 || host->pairing->connection == connection ||
        pairing_level(&connection->security) >= (enum ys_level)level)
        return;
    if (host->pairing->security->waits)
        ys_emit(host, &(struct ys_event){
                          .kind = YS_EVENT_SECURITY_WANTED, .connection = connection->handle, .u.level = level});
    else
        (void)ys_secure(host, connection->handle, level);
}

/* in */

static void receive(struct ys_host *host, struct ys_connection *connection, const uint8_t *bytes, size_t length)
{
    struct ys_pairing *pairing = host->pairing;
    struct ys_smp_pdu pdu;
    enum ys_smp_verdict verdict = ys_smp_decode(bytes, length, &pdu);
    bool pairs = pairing->connection == connection;
    uint8_t reason = GOOD;
    if (length == 0 || connection->keys.ended)
        return;
    if (pairs)
        pairing->deadline_ms = ys_now_ms(host) + SMP_TIMEOUT_MS;
    if (verdict != YS_SMP_GOOD)
        reason = verdict == YS_SMP_MALFORMED ? YS_SMP_INVALID_PARAMETERS : YS_SMP_COMMAND_NOT_SUPPORTED;
    else if (pdu.code == YS_SMP_PAIRING_FAILED && pairs)
        pairing_fail(host, pdu.reason != 0 ? pdu.reason : YS_SMP_UNSPECIFIED, true);
    else if (pdu.code == YS_SMP_SECURITY_REQUEST && connection->role == 0)
        security_request_in(host, connection, pdu.requirements);
    else if (pdu.code == YS_SMP_PAIRING_REQUEST && !pairs)
        request_in(host, connection, &pdu);
    else if (pairs && pdu.code != YS_SMP_KEYPRESS)
        reason = hold(host, bytes, length, &pdu);
    else if (!pairs && pdu.code != YS_SMP_PAIRING_FAILED && pdu.code != YS_SMP_KEYPRESS)
        reason = YS_SMP_UNSPECIFIED; /* nothing goes on that it could belong to */
    if (reason != GOOD && pairs && pairing->connection == connection)
        pairing_fail(host, reason, false);
    else if (reason != GOOD)
        connection->pairing_failed = reason;
    pairing_wipe(&pdu, sizeof pdu);
    if (pairing->connection == connection)
        advance(host);
}

/* turns */

static void ask_for_security(struct ys_host *host, struct ys_connection *connection)
{
    const struct ys_security *wanted = host->pairing->security;
    bool authenticated = connection->keys.level_due >= YS_LEVEL_AUTHENTICATED || wanted->authenticates;
    bool there = pairing_level(&connection->security) >= (enum ys_level)connection->keys.level_due;
    if (!there && !may_send(host, connection))
        return;
    connection->keys.level_due = 0;
    if (there)
        return;
    pairing_send(host, connection,
                 &(struct ys_smp_pdu){.code = YS_SMP_SECURITY_REQUEST,
                                      .requirements =
                                          (uint8_t)((wanted->bonds > 0 ? YS_SMP_BONDING : 0) |
                                                    (authenticated ? YS_SMP_MITM : 0) |
                                                    (host->port->curve_key != NULL ? YS_SMP_SECURE_CONNECTIONS : 0))});
}

/* A right was missing. As server, the central may be asked to do something about it; as client, something is done, and
 * the request waits. */
static bool demanded(struct ys_host *host, struct ys_connection *connection, uint8_t error)
{
    bool too_short = error == YS_ATT_KEY_TOO_SHORT;
    uint8_t level = YS_LEVEL_AUTHENTICATED;
    if (too_short || (error != YS_ATT_INSUFFICIENT_AUTHENTICATION && error != YS_ATT_INSUFFICIENT_ENCRYPTION) ||
        host->pairing->security->waits || connection->keys.ended)
        return false;
    if (error == YS_ATT_INSUFFICIENT_ENCRYPTION || host->pairing->security->capability == YS_CAPABILITY_NONE)
        level = YS_LEVEL_ENCRYPTED;
    if (connection->role != 0) {
        if (!connection->keys.asked && connection->security.key_size == 0)
            connection->keys.level_due = level;
        connection->keys.asked = true;
        return false;
    }
    if (pairing_level(&connection->security) >= level && error == YS_ATT_INSUFFICIENT_AUTHENTICATION)
        level = (uint8_t)(pairing_level(&connection->security) + 1);
    if (level > YS_LEVEL_SECURE_CONNECTIONS)
        return false;
    return ys_secure(host, connection->handle, level) == YS_OK;
}

/* The error that is about to be answered to a client; YS_ATT_OK if none is. */
static uint8_t refusal_to(const struct ys_connection *connection)
{
    struct ys_att_pdu pdu;
    if (connection->response.length <= YS_L2CAP_HEADER_SIZE || connection->response.sent > 0)
        return YS_ATT_OK;
    enum ys_att_verdict verdict = ys_att_decode(connection->response.bytes + PDU_AT,
                                                (size_t)connection->response.length - YS_L2CAP_HEADER_SIZE, &pdu);
    return verdict == YS_ATT_GOOD && pdu.opcode == YS_ATT_ERROR_RESPONSE ? pdu.error : YS_ATT_OK;
}

static void run_connection(struct ys_host *host, struct ys_connection *connection)
{
    if (connection->role != 0)
        (void)demanded(host, connection, refusal_to(connection));
    if (connection->keys.level_due != 0)
        ask_for_security(host, connection);
}

static uint32_t run(struct ys_host *host, uint32_t now_ms)
{
    struct ys_pairing *pairing = host->pairing;
    if (pairing->curve != CURVE_IDLE)
        poll_curve(host);
    if (pairing->connection != NULL && ys_until_ms(now_ms, pairing->deadline_ms) == 0)
        pairing_fail(host, YS_SMP_TIMEOUT, false);
    if (pairing->connection != NULL)
        advance(host);
    for (size_t i = 0; i < YS_CONNECTIONS; i++) {
        if (host->connections[i].used)
            run_connection(host, &host->connections[i]);
    }
    /* the clock wraps: a moment that has passed must not come again */
    if (pairing->failures > 0 && now_ms - pairing->quiet_until_ms < INT32_MAX &&
        now_ms - pairing->quiet_until_ms > QUIET_DECAY_MS)
        pairing->failures = 0;
    if (pairing->resolving_due)
        resolving_run(host);
    uint32_t wait_ms = privacy_run(host, now_ms);
    uint32_t own_ms = pairing->connection != NULL ? ys_until_ms(now_ms, pairing->deadline_ms)
                      : pairing->failures > 0     ? QUIET_MOST_MS
                                                  : YS_FOREVER;
    return own_ms < wait_ms ? own_ms : wait_ms;
}

static void connected(struct ys_host *host, struct ys_connection *connection)
{
    connection->keys.own = host->address;
    connection->keys.air = connection->peer;
    connection->security.has_key = ys_bond_find(host, &connection->peer) != 0;
}

static void disconnected(struct ys_host *host, struct ys_connection *connection)
{
    if (host->pairing->connection == connection)
        pairing_fail(host, YS_SMP_LINK_ENDED, false);
    /* what it carried may have been secret */
    pairing_wipe(&connection->response, sizeof connection->response);
    pairing_wipe(connection->incoming, sizeof connection->incoming);
}

static const struct ys_command_row *command_row(const struct ys_host *host, uint8_t command)
{
    const struct ys_command_row *row = command == COMMAND_RESOLVING ? resolving_row(host) : encryption_row(command);
    return row != NULL ? row : privacy_row(host, command);
}

static void connection_changed(struct ys_host *host, struct ys_connection *connection)
{
    if (connection->used)
        connected(host, connection);
    else
        disconnected(host, connection);
}

static bool frame_in(struct ys_host *host, struct ys_connection *connection, uint16_t channel, const uint8_t *pdu,
                     size_t length)
{
    if (channel != YS_L2CAP_SECURITY)
        return false;
    receive(host, connection, pdu, length);
    return true;
}

static const struct ys_extra_calls calls = {
    .row = command_row,
    .event = encryption_event,
    .receive = frame_in,
    .run = run,
    .connection = connection_changed,
};

/* calls */

static enum ys_result check(const struct ys_host *host, const struct ys_security *security)
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

enum ys_result ys_host_use_pairing(struct ys_host *host, struct ys_pairing *pairing, const struct ys_security *security)
{
    enum ys_result result = check(host, security);
    if (result != YS_OK)
        return result;
    memset(pairing, 0, sizeof *pairing);
    pairing->security = security;
    pairing->demanded = demanded;
    host->pairing = pairing;
    if (!bonds_load_identity(host)) {
        host->pairing = NULL;
        return YS_ERROR_PORT_RANDOM;
    }
    ys_extra_add(host, &pairing->extra, &calls, YS_HCI_LE_EVENT_MASK_SECURITY);
    pairing->resolving_due = security->bonds > 0;
    if (host->settings.address == NULL)
        host->settings.address = pairing->own_address;
    if (security->privacy)
        privacy_begin(host);
    return YS_OK;
}

/* The level that a link would have with the key of a bond. */
static uint8_t level_of(struct ys_host *host, uint8_t number)
{
    struct ys_address identity;
    uint8_t level = YS_LEVEL_OPEN;
    (void)ys_bond_get(host, number, &identity, &level);
    return level;
}

enum ys_result ys_secure(struct ys_host *host, uint16_t connection, uint8_t level)
{
    YS_NOT_IN_INTERRUPT(host, "ys_secure");
    struct ys_connection *found = ys_connection_find(host, connection);
    if (host->pairing == NULL)
        return YS_ERROR_UNSUPPORTED;
    if (found == NULL || found->ending)
        return YS_ERROR_NO_CONNECTION;
    if (level < YS_LEVEL_OPEN || level > YS_LEVEL_SECURE_CONNECTIONS)
        return YS_ERROR_ARGUMENT;
    if (pairing_level(&found->security) >= level) {
        pairing_emit_level(host, found);
        return YS_OK;
    }
    if (host->pairing->connection == found || found->keys.encrypting || found->keys.encrypt_due)
        return YS_OK; /* it is on its way; or else what is missing will be found missing again */
    if (found->role != 0) {
        found->keys.level_due = level;
        ys_wake(host);
        return found->keys.ended ? YS_ERROR_TOO_LATE : YS_OK;
    }
    uint8_t number = ys_bond_find(host, &found->peer);
    if (number == 0 || found->security.key_size != 0 || level_of(host, number) < level)
        return begin(host, found, level >= YS_LEVEL_AUTHENTICATED);
    encryption_begin(host, found, number);
    return YS_OK;
}

enum ys_result ys_refresh(struct ys_host *host, uint16_t connection)
{
    YS_NOT_IN_INTERRUPT(host, "ys_refresh");
    struct ys_connection *found = ys_connection_find(host, connection);
    if (host->pairing == NULL)
        return YS_ERROR_UNSUPPORTED;
    if (found == NULL || found->ending)
        return YS_ERROR_NO_CONNECTION;
    if (found->role != 0 || found->remembered == 0)
        return YS_ERROR_ARGUMENT;
    if (host->pairing->connection == found || found->keys.encrypting || found->keys.encrypt_due)
        return YS_ERROR_BUSY;
    encryption_begin(host, found, found->remembered);
    return YS_OK;
}

/* The pairing of this connection, if it waits for an answer of somebody; else NULL. */
static struct ys_pairing *waiting_for_user(const struct ys_host *host, uint16_t connection)
{
    struct ys_pairing *pairing = host->pairing;
    bool waits = pairing != NULL && pairing->connection != NULL && pairing->connection->handle == connection &&
                 (pairing->met & (MET_USER | MET_REFUSED)) == 0;
    return waits ? pairing : NULL;
}

enum ys_result ys_passkey_enter(struct ys_host *host, uint16_t connection, uint32_t passkey)
{
    YS_NOT_IN_INTERRUPT(host, "ys_passkey_enter");
    struct ys_pairing *pairing = waiting_for_user(host, connection);
    if (passkey > YS_PASSKEY_MAX)
        return YS_ERROR_ARGUMENT;
    if (pairing == NULL || pairing->method < YS_METHOD_INITIATOR_SHOWS || pairing->method > YS_METHOD_BOTH_ENTER)
        return YS_ERROR_TOO_LATE;
    pairing->passkey = passkey;
    pairing->met |= MET_USER;
    ys_wake(host);
    return YS_OK;
}

enum ys_result ys_number_confirm(struct ys_host *host, uint16_t connection, bool same)
{
    YS_NOT_IN_INTERRUPT(host, "ys_number_confirm");
    struct ys_pairing *pairing = waiting_for_user(host, connection);
    if (pairing == NULL || pairing->method != YS_METHOD_NUMERIC_COMPARISON)
        return YS_ERROR_TOO_LATE;
    pairing->met |= same ? MET_USER : MET_REFUSED;
    ys_wake(host);
    return YS_OK;
}

enum ys_result ys_pairing_cancel(struct ys_host *host, uint16_t connection)
{
    YS_NOT_IN_INTERRUPT(host, "ys_pairing_cancel");
    struct ys_pairing *pairing = host->pairing;
    if (pairing == NULL || pairing->connection == NULL || pairing->connection->handle != connection)
        return YS_ERROR_TOO_LATE;
    pairing->met |= MET_REFUSED;
    ys_wake(host);
    return YS_OK;
}

void ys_pairing_allow(struct ys_host *host, bool allow)
{
    if (host->pairing != NULL)
        host->pairing->refused_all = !allow;
}

enum ys_result ys_oob_make(struct ys_host *host)
{
    YS_NOT_IN_INTERRUPT(host, "ys_oob_make");
    struct ys_pairing *pairing = host->pairing;
    if (pairing == NULL || host->port->curve_key == NULL)
        return YS_ERROR_UNSUPPORTED;
    if (pairing->connection != NULL || pairing->curve != CURVE_IDLE)
        return YS_ERROR_BUSY;
    pairing->own_key_known = false;
    pairing->oob_given = false;
    pairing->oob_wanted = pairing_begin_curve(host, CURVE_KEY) == GOOD;
    ys_wake(host);
    return pairing->oob_wanted ? YS_OK : YS_ERROR_UNSUPPORTED;
}

void ys_oob_set(struct ys_host *host, const struct ys_oob *peer, const uint8_t *legacy)
{
    if (host->pairing == NULL)
        return;
    host->pairing->peer_oob = peer;
    host->pairing->legacy_oob = legacy;
}
