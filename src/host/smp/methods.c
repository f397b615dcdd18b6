/* Which list of steps a pairing goes through, and what people are asked at its beginning. */
#include "host/smp/methods.h"

#include "host/smp/legacy.h"
#include "host/smp/method_steps.h"
#include "host/smp/secure.h"
#include "host/smp/tools.h"

static bool shows_passkey(const struct ys_pairing *pairing)
{
    return pairing->method == (pairing->initiator ? YS_METHOD_INITIATOR_SHOWS : YS_METHOD_RESPONDER_SHOWS);
}

/* What people are asked at the beginning of passkey entry. One that is drawn is drawn evenly: what would prefer the
 * lower numbers is drawn again. */
static uint8_t begin_passkey(struct ys_host *host)
{
    struct ys_pairing *pairing = host->pairing;
    uint32_t drawn = pairing->security->passkey;
    if (!shows_passkey(pairing)) {
        pairing->passkey = 0;
        ys_smp_emit_passkey(host, YS_EVENT_PASSKEY_WANTED);
        return GOOD;
    }
    while (drawn == YS_PASSKEY_RANDOM || drawn >= 4294000000u) {
        if (!ys_pairing_random(host, &drawn, sizeof drawn))
            return YS_SMP_UNSPECIFIED;
    }
    pairing->passkey = drawn % (YS_PASSKEY_MAX + 1);
    pairing->met |= MET_USER;
    ys_smp_emit_passkey(host, YS_EVENT_PASSKEY_SHOW);
    return GOOD;
}

/* A pairing whose passkey cannot be drawn fails at its first step. */
static uint8_t no_random(struct ys_host *host, const struct ys_smp_pdu *unused)
{
    (void)host;
    (void)unused;
    return YS_SMP_UNSPECIFIED;
}

/* Vol 3 Part H 2.3.5.1. */
const struct ys_pairing_step *ys_methods_first(struct ys_host *host)
{
    static const struct ys_pairing_step failed[] = {{NEEDS_NOTHING, 0, no_random}, {NEEDS_END, 0, NULL}};
    struct ys_pairing *pairing = host->pairing;
    bool initiator = pairing->initiator;
    if (ys_smp_is_passkey(pairing)) {
        if (begin_passkey(host) != GOOD)
            return failed;
    } else if (!pairing->secure_connections) {
        pairing->met |= MET_USER; /* nobody is asked */
    }
    if (!pairing->secure_connections)
        return initiator ? ys_legacy_initiator : ys_legacy_responder;
    if (ys_smp_is_passkey(pairing))
        return initiator ? ys_passkey_initiator : ys_passkey_responder;
    if (pairing->method == YS_METHOD_OUT_OF_BAND)
        return initiator ? ys_oob_initiator : ys_oob_responder;
    return initiator ? ys_numbers_initiator : ys_numbers_responder;
}
