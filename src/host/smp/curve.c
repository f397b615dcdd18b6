/* The curve, which the port computes on while the pairing goes on (Core 5.4 Vol 3 Part H 2.3.5.6.1). */
#include "host/smp/curve.h"

#include <string.h>

#include "host/core/events.h"
#include "host/smp/session.h"
#include "host/smp/step.h"
#include "host/smp/tools.h"

/* Vol 3 Part H 2.3.5.6.1. */
uint8_t ys_pairing_begin_curve(struct ys_host *host, enum curve_job job)
{
    struct ys_pairing *pairing = host->pairing;
    bool begun = job == CURVE_KEY ? host->port->curve_key(host->port->context)
                                  : host->port->curve_secret(host->port->context, pairing->peer_key);
    pairing->curve = (uint8_t)(begun ? job : CURVE_IDLE);
    return begun ? GOOD : YS_SMP_UNSPECIFIED;
}

static bool make_oob(struct ys_host *host, struct ys_oob *oob)
{
    struct ys_pairing *pairing = host->pairing;
    const struct ys_cipher cipher = ys_pairing_cipher(host);
    if (!ys_pairing_random(host, pairing->oob_random, sizeof pairing->oob_random) ||
        !ys_toolbox_f4(&cipher, pairing->own_key, pairing->own_key, pairing->oob_random, 0, oob->confirm))
        return false;
    memcpy(oob->random, pairing->oob_random, sizeof oob->random);
    return true;
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
    pairing->oob_given = make_oob(host, &oob);
    if (pairing->oob_given)
        ys_emit(host, &(struct ys_event){.kind = YS_EVENT_OOB_READY, .u.oob = &oob});
    ys_pairing_wipe(&oob, sizeof oob);
}

void ys_pairing_poll_curve(struct ys_host *host)
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
    } else if (pairing->connection != NULL) { /* Vol 3 Part H 2.3.5.6.1: a point that is not on the curve */
        ys_pairing_fail(host, job == CURVE_SECRET ? YS_SMP_INVALID_PARAMETERS : YS_SMP_UNSPECIFIED, false);
    }
    ys_pairing_wipe(result, sizeof result);
}
