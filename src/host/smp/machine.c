/* The state machine of a pairing. It is a list of steps; each needs something (a PDU, an answer of the user, a
 * computation) and then acts. A PDU that arrives while its step waits for something else is kept; any other ends the
 * pairing. */
#include "host/smp/machine.h"

#include <string.h>

#include "host/l2cap/frames.h"
#include "host/smp/keys.h"
#include "host/smp/session.h"
#include "host/smp/step.h"
#include "host/smp/tools.h"

bool ys_pairing_may_send(const struct ys_host *host, const struct ys_connection *connection)
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

/* Takes the steps that can be taken.
 *
 *   agreement: request, response --> the steps of a method (secure.c, legacy.c), for this side:
 *     secure connections   own key, public keys [passkey or number to people] commitments, random numbers, checks -->
 * link legacy               [passkey from people] confirm values, random numbers --> link link: the controller has
 * encrypted it with the key --> keys: those of each side, the responder's first --> finished
 *
 * From each step: a message that belongs to a later one, or twice --> failed; 30 s --> failed, and no other try on this
 * connection; the connection ends --> nothing is left. A step may choose another list; none goes back, but for the
 * rounds of a passkey. The event that tells of an end may begin the next pairing: nothing here is looked at after it.
 */
void ys_pairing_advance(struct ys_host *host)
{
    struct ys_pairing *pairing = host->pairing;
    struct ys_connection *connection = pairing->connection;
    uint8_t reason = GOOD;
    bool finished = false;
    if ((pairing->met & MET_REFUSED) != 0)
        reason = pairing->method == YS_METHOD_NUMERIC_COMPARISON ? YS_SMP_NUMERIC_COMPARISON_FAILED
                                                                 : YS_SMP_PASSKEY_ENTRY_FAILED;
    while (reason == GOOD && !finished && pairing->connection == connection && connection->used &&
           ys_pairing_may_send(host, connection)) {
        const struct ys_pairing_step *step = pairing->step;
        struct ys_smp_pdu pdu = {.code = 0};
        if (step->need == NEEDS_KEYS) {
            finished = ys_keys_run(host);
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
        ys_pairing_wipe(&pdu, sizeof pdu);
    }
    if (pairing->connection != connection)
        return;
    if (reason != GOOD)
        ys_pairing_fail(host, reason, false);
    else if (finished)
        ys_pairing_finish(host);
}

/* The PDU for which the pairing waits next, or will. */
static uint8_t awaited(const struct ys_pairing *pairing)
{
    const struct ys_pairing_step *step = pairing->step;
    while (step->need < NEEDS_KEYS && step->need != NEEDS_PDU)
        step++;
    return step->need == NEEDS_PDU ? step->code : 0;
}

uint8_t ys_pairing_hold(struct ys_host *host, const uint8_t *bytes, size_t length, const struct ys_smp_pdu *pdu)
{
    struct ys_pairing *pairing = host->pairing;
    if (pairing->step->need == NEEDS_KEYS)
        return ys_keys_in(host, pdu);
    if (pairing->held_length > 0 || pdu->code != awaited(pairing))
        return YS_SMP_UNSPECIFIED; /* out of order, or twice */
    memcpy(pairing->held, bytes, length);
    pairing->held_length = (uint8_t)length;
    return GOOD;
}
