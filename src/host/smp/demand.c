/* What is demanded of a link: by the firmware, by a right that was missing, or by the other side (Core 5.4 Vol 3 Part C
 * 10.3, Vol 3 Part H 2.4.6). */
#include "host/smp/demand.h"

#include "host/core/clock.h"
#include "host/core/connections.h"
#include "host/core/context.h"
#include "host/core/events.h"
#include "host/l2cap/frames.h"
#include "host/smp/agreement.h"
#include "host/smp/encryption.h"
#include "host/smp/machine.h"
#include "host/smp/session.h"
#include "host/smp/step.h"
#include "wire/att.h"

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
    if (ys_link_level(&found->security) >= level) {
        ys_pairing_emit_level(host, found);
        return YS_OK;
    }
    if (host->pairing->connection == found || found->keys.encrypting || found->keys.encrypt_due)
        return YS_OK; /* it is on its way; or else what is missing will be found missing again */
    if (found->keys.ended)
        return YS_ERROR_TOO_LATE;
    if (found->role != 0) {
        found->keys.level_due = level;
        ys_wake(host);
        return YS_OK;
    }
    uint8_t number = ys_bond_find(host, &found->peer);
    if (number == 0 || found->security.key_size != 0 || level_of(host, number) < level)
        return ys_pairing_begin(host, found, level >= YS_LEVEL_AUTHENTICATED);
    ys_encryption_begin(host, found, number);
    return YS_OK;
}

enum ys_result ys_encryption_refresh(struct ys_host *host, uint16_t connection)
{
    YS_NOT_IN_INTERRUPT(host, "ys_encryption_refresh");
    struct ys_connection *found = ys_connection_find(host, connection);
    if (host->pairing == NULL)
        return YS_ERROR_UNSUPPORTED;
    if (found == NULL || found->ending)
        return YS_ERROR_NO_CONNECTION;
    uint8_t from = host->pairing->kept == found ? KEY_OF_PAIRING : found->remembered;
    if (found->role != 0 || from == 0)
        return YS_ERROR_ARGUMENT;
    if (host->pairing->connection == found || found->keys.encrypting || found->keys.encrypt_due)
        return YS_ERROR_BUSY;
    ys_encryption_begin(host, found, from);
    return YS_OK;
}

/* The peripheral asks for security (Vol 3 Part H 2.4.6). */
void ys_pairing_security_requested(struct ys_host *host, struct ys_connection *connection, uint8_t requirements)
{
    uint8_t level = (requirements & YS_SMP_MITM) != 0 ? YS_LEVEL_AUTHENTICATED : YS_LEVEL_ENCRYPTED;
    if (host->pairing->connection == connection || ys_link_level(&connection->security) >= (enum ys_level)level)
        return;
    if (host->pairing->security->waits) {
        ys_emit(host, &(struct ys_event){
                          .kind = YS_EVENT_SECURITY_WANTED, .connection = connection->handle, .u.level = level});
    } else if (!connection->keys.asked && !ys_pairing_is_quiet(host)) { /* once, until it succeeds */
        connection->keys.asked = true;
        (void)ys_secure(host, connection->handle, level);
    }
}

/* Vol 3 Part H 2.4.6, 3.6.7. */
static void ask_for_security(struct ys_host *host, struct ys_connection *connection)
{
    const struct ys_security *wanted = host->pairing->security;
    bool authenticated = connection->keys.level_due >= YS_LEVEL_AUTHENTICATED || wanted->authenticates;
    bool there = ys_link_level(&connection->security) >= (enum ys_level)connection->keys.level_due;
    if (!there && !ys_pairing_may_send(host, connection))
        return;
    connection->keys.level_due = 0;
    if (there)
        return;
    ys_pairing_send(
        host, connection,
        &(struct ys_smp_pdu){
            .code = YS_SMP_SECURITY_REQUEST,
            .requirements = (uint8_t)((wanted->bonds > 0 ? YS_SMP_BONDING : 0) | (authenticated ? YS_SMP_MITM : 0) |
                                      (host->port->curve_key != NULL ? YS_SMP_SECURE_CONNECTIONS : 0))});
}

/* A right was missing. As server, the central may be asked to do something about it; as client, something is done, and
 * the request waits (Vol 3 Part C 10.3.2). */
bool ys_pairing_demanded(struct ys_host *host, struct ys_connection *connection, uint8_t error)
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
    if (ys_link_level(&connection->security) >= level && error == YS_ATT_INSUFFICIENT_AUTHENTICATION)
        level = (uint8_t)(ys_link_level(&connection->security) + 1);
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

void ys_pairing_run_connection(struct ys_host *host, struct ys_connection *connection)
{
    if (connection->role != 0)
        (void)ys_pairing_demanded(host, connection, refusal_to(connection));
    if (connection->keys.level_due != 0)
        ask_for_security(host, connection);
}
