/* What people and firmware answer while a pairing goes on. */
#include "host/core/clock.h"
#include "host/core/context.h"
#include "host/smp/curve.h"
#include "host/smp/step.h"

/* The pairing of this connection, if it waits for the user's answer; else NULL. */
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
    if (YS_DEBUG && ys_in_interrupt(host, "ys_pairing_allow"))
        return;
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
    pairing->oob_wanted = ys_pairing_begin_curve(host, CURVE_KEY) == GOOD;
    ys_wake(host);
    return pairing->oob_wanted ? YS_OK : YS_ERROR_UNSUPPORTED;
}

/* Vol 3 Part H 2.3.3. */
void ys_oob_set(struct ys_host *host, const struct ys_oob *peer, const uint8_t *legacy)
{
    if (host->pairing == NULL || (YS_DEBUG && ys_in_interrupt(host, "ys_oob_set")))
        return;
    host->pairing->peer_oob = peer;
    host->pairing->legacy_oob = legacy;
}
