/* Legacy pairing: one secret of at most six digits, or out of band, for all (Core 5.4 Vol 3 Part H 2.3.5.5). */
#include "host/smp/legacy.h"

#include <string.h>

#include "host/smp/method_steps.h"
#include "host/smp/session.h"
#include "host/smp/tools.h"

static uint8_t legacy_confirm(const struct ys_host *host, bool own, uint8_t confirm[16])
{
    const struct ys_pairing *pairing = host->pairing;
    const struct ys_cipher cipher = ys_pairing_cipher(host);
    uint8_t request[7];
    uint8_t response[7];
    uint8_t initiator[YS_TOOLBOX_ADDRESS];
    uint8_t responder[YS_TOOLBOX_ADDRESS];
    ys_pairing_reverse(request, pairing->request, 7);
    ys_pairing_reverse(response, pairing->response, 7);
    ys_smp_address_of(host, pairing->initiator, initiator);
    ys_smp_address_of(host, !pairing->initiator, responder);
    return ys_smp_cipher_failed(ys_toolbox_c1(&cipher, pairing->secret,
                                              own ? pairing->own_random : pairing->peer_random, request, response,
                                              initiator[0], initiator + 1, responder[0], responder + 1, confirm));
}

static uint8_t legacy_send_confirm(struct ys_host *host, const struct ys_smp_pdu *unused)
{
    struct ys_pairing *pairing = host->pairing;
    uint8_t confirm[16];
    (void)unused;
    if (ys_smp_is_passkey(pairing))
        ys_smp_passkey_to_secret(pairing);
    else if (pairing->method == YS_METHOD_OUT_OF_BAND)
        memcpy(pairing->secret, pairing->legacy_oob, 16);
    else
        memset(pairing->secret, 0, sizeof pairing->secret);
    uint8_t reason = ys_smp_draw_random(host);
    if (reason == GOOD)
        reason = legacy_confirm(host, true, confirm);
    if (reason == GOOD)
        ys_pairing_send_value(host, YS_SMP_PAIRING_CONFIRM, confirm);
    return reason;
}

static uint8_t legacy_take_random(struct ys_host *host, const struct ys_smp_pdu *pdu)
{
    struct ys_pairing *pairing = host->pairing;
    const struct ys_cipher cipher = ys_pairing_cipher(host);
    uint8_t confirm[16];
    ys_smp_take_random(host, pdu);
    uint8_t reason = legacy_confirm(host, false, confirm);
    if (reason != GOOD)
        return reason;
    /* a peer that sends back what it was sent has shown nothing */
    if (!ys_toolbox_is_equal(confirm, pairing->peer_confirm, 16) ||
        ys_toolbox_is_equal(pairing->own_random, pairing->peer_random, 16))
        return YS_SMP_CONFIRM_VALUE_FAILED;
    const uint8_t *initiator = pairing->initiator ? pairing->own_random : pairing->peer_random;
    const uint8_t *responder = pairing->initiator ? pairing->peer_random : pairing->own_random;
    if (!ys_toolbox_s1(&cipher, pairing->secret, responder, initiator, pairing->key))
        return YS_SMP_UNSPECIFIED;
    if (!pairing->initiator)
        (void)ys_smp_send_random(host, NULL);
    ys_smp_use_key(host);
    return GOOD;
}

/* Vol 3 Part H 2.3.5.2 to 2.3.5.5. */
const struct ys_pairing_step ys_legacy_initiator[] = {
    {NEEDS_USER, 0, legacy_send_confirm},      {NEEDS_PDU, YS_SMP_PAIRING_CONFIRM, ys_smp_take_confirm},
    {NEEDS_NOTHING, 0, ys_smp_send_random},    {NEEDS_PDU, YS_SMP_PAIRING_RANDOM, legacy_take_random},
    {NEEDS_LINK, 0, ys_smp_link_is_encrypted}, {NEEDS_END, 0, NULL},
};

/* Vol 3 Part H 2.3.5.2 to 2.3.5.5. */
const struct ys_pairing_step ys_legacy_responder[] = {
    {NEEDS_PDU, YS_SMP_PAIRING_CONFIRM, ys_smp_take_confirm},
    {NEEDS_USER, 0, legacy_send_confirm},
    {NEEDS_PDU, YS_SMP_PAIRING_RANDOM, legacy_take_random},
    {NEEDS_LINK, 0, ys_smp_link_is_encrypted},
    {NEEDS_END, 0, NULL},
};
