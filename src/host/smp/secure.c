/* LE Secure Connections: a key from the curve, and three ways to know whose it is (Core 5.4 Vol 3 Part H 2.3.5.6). */
#include "host/smp/secure.h"

#include <string.h>

#include "host/smp/curve.h"
#include "host/smp/method_steps.h"
#include "host/smp/session.h"
#include "host/smp/tools.h"

#define ROUNDS 20 /* of passkey entry, one for each bit */

/* The public key of the debug key pair (Vol 3 Part H 2.3.5.6.1). */
static const uint8_t debug_key[32] = {0x20, 0xb0, 0x03, 0xd2, 0xf2, 0x97, 0xbe, 0x2c, 0x5e, 0x2c, 0x83,
                                      0xa7, 0xe9, 0xf9, 0xa5, 0xb9, 0xef, 0xf4, 0x91, 0x11, 0xac, 0xf4,
                                      0xfd, 0xdb, 0xcc, 0x03, 0x01, 0x48, 0x0e, 0x35, 0x9d, 0xe6};

/* Both public keys are known: their secret is computed while the pairing goes on. */
static uint8_t begin_secret(struct ys_host *host)
{
    uint8_t reason = ys_pairing_begin_curve(host, CURVE_SECRET);
    return reason == GOOD ? ys_smp_draw_random(host) : reason;
}

/* Vol 3 Part H 3.5.6. */
static uint8_t send_public_key(struct ys_host *host, const struct ys_smp_pdu *unused)
{
    struct ys_pairing *pairing = host->pairing;
    struct ys_smp_pdu pdu = {.code = YS_SMP_PUBLIC_KEY};
    (void)unused;
    ys_pairing_reverse(pdu.value, pairing->own_key, 32);
    ys_pairing_reverse(pdu.value + 32, pairing->own_key + 32, 32);
    ys_pairing_send(host, pairing->connection, &pdu);
    if (pairing->initiator)
        return GOOD;
    /* only now is it known that it is not this one that came back */
    if (memcmp(pairing->own_key, pairing->peer_key, 32) == 0)
        return YS_SMP_INVALID_PARAMETERS;
    return begin_secret(host);
}

/* The confirm value of one side: of the own random number, or of the peer's. */
static bool confirm_of(const struct ys_host *host, bool own, uint8_t z, uint8_t confirm[16])
{
    const struct ys_pairing *pairing = host->pairing;
    const struct ys_cipher cipher = ys_pairing_cipher(host);
    return own ? ys_toolbox_f4(&cipher, pairing->own_key, pairing->peer_key, pairing->own_random, z, confirm)
               : ys_toolbox_f4(&cipher, pairing->peer_key, pairing->own_key, pairing->peer_random, z, confirm);
}

/* Vol 3 Part H 2.3.5.6.4: what came out of band commits the peer to its key. */
static uint8_t check_commitment(const struct ys_host *host)
{
    const struct ys_pairing *pairing = host->pairing;
    const struct ys_cipher cipher = ys_pairing_cipher(host);
    uint8_t confirm[16];
    if (pairing->method != YS_METHOD_OUT_OF_BAND || pairing->peer_oob == NULL)
        return GOOD;
    if (!ys_toolbox_f4(&cipher, pairing->peer_key, pairing->peer_key, pairing->peer_oob->random, 0, confirm))
        return YS_SMP_UNSPECIFIED;
    return ys_toolbox_is_equal(confirm, pairing->peer_oob->confirm, 16) ? GOOD : YS_SMP_CONFIRM_VALUE_FAILED;
}

/* Vol 3 Part H 2.3.5.6.1, 3.5.6. */
static uint8_t take_public_key(struct ys_host *host, const struct ys_smp_pdu *pdu)
{
    struct ys_pairing *pairing = host->pairing;
    ys_pairing_reverse(pairing->peer_key, pdu->value, 32);
    ys_pairing_reverse(pairing->peer_key + 32, pdu->value + 32, 32);
    pairing->tainted = true;
    if (memcmp(pairing->peer_key, debug_key, sizeof debug_key) == 0 && !pairing->security->allows_debug_key)
        return YS_SMP_INVALID_PARAMETERS;
    if (pairing->initiator && memcmp(pairing->own_key, pairing->peer_key, 32) == 0)
        return YS_SMP_INVALID_PARAMETERS; /* the own key, reflected */
    uint8_t reason = check_commitment(host);
    if (reason != GOOD || !pairing->initiator)
        return reason;
    return begin_secret(host);
}

static uint8_t send_confirm(struct ys_host *host, const struct ys_smp_pdu *unused)
{
    uint8_t confirm[16];
    (void)unused;
    if (!confirm_of(host, true, 0, confirm))
        return YS_SMP_UNSPECIFIED;
    ys_pairing_send_value(host, YS_SMP_PAIRING_CONFIRM, confirm);
    return GOOD;
}

static uint8_t show_number(struct ys_host *host)
{
    struct ys_pairing *pairing = host->pairing;
    const struct ys_cipher cipher = ys_pairing_cipher(host);
    bool own = pairing->initiator;
    const uint8_t *u = own ? pairing->own_key : pairing->peer_key;
    const uint8_t *v = own ? pairing->peer_key : pairing->own_key;
    const uint8_t *x = own ? pairing->own_random : pairing->peer_random;
    const uint8_t *y = own ? pairing->peer_random : pairing->own_random;
    if (pairing->method != YS_METHOD_NUMERIC_COMPARISON) {
        pairing->met |= MET_USER;
        return GOOD;
    }
    if (!ys_toolbox_g2(&cipher, u, v, x, y, &pairing->passkey))
        return YS_SMP_UNSPECIFIED;
    ys_smp_emit_passkey(host, YS_EVENT_NUMBER_COMPARE);
    return GOOD;
}

/* Initiator: the responder has committed itself before it saw our number. */
static uint8_t check_confirm(struct ys_host *host, const struct ys_smp_pdu *pdu)
{
    uint8_t confirm[16];
    ys_smp_take_random(host, pdu);
    if (!confirm_of(host, false, 0, confirm))
        return YS_SMP_UNSPECIFIED;
    if (!ys_toolbox_is_equal(confirm, host->pairing->peer_confirm, 16))
        return YS_SMP_CONFIRM_VALUE_FAILED;
    return show_number(host);
}

static uint8_t answer_random(struct ys_host *host, const struct ys_smp_pdu *pdu)
{
    ys_smp_take_random(host, pdu);
    (void)ys_smp_send_random(host, NULL);
    return show_number(host);
}

/* passkey entry, bit by bit */

/* Vol 3 Part H 2.3.5.6.3. */
static uint8_t bit_of(const struct ys_pairing *pairing)
{
    return (uint8_t)(0x80 | (pairing->passkey >> pairing->round & 1));
}

static uint8_t send_bit(struct ys_host *host, const struct ys_smp_pdu *unused)
{
    uint8_t confirm[16];
    (void)unused;
    uint8_t reason = ys_smp_draw_random(host);
    if (reason != GOOD)
        return reason;
    if (!confirm_of(host, true, bit_of(host->pairing), confirm))
        return YS_SMP_UNSPECIFIED;
    ys_pairing_send_value(host, YS_SMP_PAIRING_CONFIRM, confirm);
    return GOOD;
}

static uint8_t check_bit(struct ys_host *host, const struct ys_smp_pdu *pdu)
{
    struct ys_pairing *pairing = host->pairing;
    uint8_t confirm[16];
    ys_smp_take_random(host, pdu);
    if (!confirm_of(host, false, bit_of(pairing), confirm))
        return YS_SMP_UNSPECIFIED;
    return ys_toolbox_is_equal(confirm, pairing->peer_confirm, 16) ? GOOD : YS_SMP_CONFIRM_VALUE_FAILED;
}

/* A round is over; 4 steps back is the beginning of one. */
static void next_round(struct ys_pairing *pairing)
{
    if (++pairing->round < ROUNDS)
        pairing->step -= 4;
    else
        ys_smp_passkey_to_secret(pairing); /* in the check values it stands for what people have done */
}

/* authentication stage 2 (Vol 3 Part H 2.3.5.6.5) */

/* The value of the method in the check value of `own` side: the passkey; or the peer's out-of-band data; else zeros. */
static void check_number(const struct ys_pairing *pairing, bool own, bool has_data, uint8_t r[16])
{
    memset(r, 0, 16);
    if (ys_smp_is_passkey(pairing)) {
        for (int i = 0; i < 4; i++)
            r[15 - i] = (uint8_t)(pairing->passkey >> 8 * i);
    } else if (pairing->method == YS_METHOD_OUT_OF_BAND && has_data) {
        memcpy(r, own ? pairing->peer_oob->random : pairing->oob_random, 16);
    }
}

static bool check_value(const struct ys_host *host, bool own, uint8_t check[16])
{
    const struct ys_pairing *pairing = host->pairing;
    const struct ys_cipher cipher = ys_pairing_cipher(host);
    bool by_initiator = own == pairing->initiator;
    const uint8_t *said = by_initiator ? pairing->request : pairing->response;
    const uint8_t capabilities[3] = {said[3], said[2], said[1]};
    uint8_t from[YS_TOOLBOX_ADDRESS];
    uint8_t to[YS_TOOLBOX_ADDRESS];
    uint8_t r[16];
    ys_smp_address_of(host, own, from);
    ys_smp_address_of(host, !own, to);
    check_number(pairing, own, said[2] != 0, r);
    bool good = own ? ys_toolbox_f6(&cipher, pairing->mac_key, pairing->own_random, pairing->peer_random, r,
                                    capabilities, from, to, check)
                    : ys_toolbox_f6(&cipher, pairing->mac_key, pairing->peer_random, pairing->own_random, r,
                                    capabilities, from, to, check);
    ys_pairing_wipe(r, sizeof r);
    return good;
}

/* Vol 3 Part H 2.3.5.6.5. */
static uint8_t make_keys(struct ys_host *host)
{
    struct ys_pairing *pairing = host->pairing;
    const struct ys_cipher cipher = ys_pairing_cipher(host);
    bool own = pairing->initiator;
    uint8_t a[YS_TOOLBOX_ADDRESS];
    uint8_t b[YS_TOOLBOX_ADDRESS];
    ys_smp_address_of(host, own, a);
    ys_smp_address_of(host, !own, b);
    bool good = ys_toolbox_f5(&cipher, pairing->secret, own ? pairing->own_random : pairing->peer_random,
                              own ? pairing->peer_random : pairing->own_random, a, b, pairing->mac_key, pairing->key);
    ys_pairing_wipe(pairing->secret, sizeof pairing->secret);
    return ys_smp_cipher_failed(good);
}

/* Vol 3 Part H 3.5.7. */
static uint8_t send_check(struct ys_host *host)
{
    uint8_t check[16];
    if (!check_value(host, true, check))
        return YS_SMP_UNSPECIFIED;
    ys_pairing_send_value(host, YS_SMP_DHKEY_CHECK, check);
    return GOOD;
}

/* Vol 3 Part H 2.3.5.6.5. */
static uint8_t compare_check(const struct ys_host *host)
{
    uint8_t check[16];
    if (!check_value(host, false, check))
        return YS_SMP_UNSPECIFIED;
    return ys_toolbox_is_equal(check, host->pairing->peer_confirm, 16) ? GOOD : YS_SMP_DHKEY_CHECK_FAILED;
}

static uint8_t begin_check(struct ys_host *host, const struct ys_smp_pdu *unused)
{
    (void)unused;
    uint8_t reason = make_keys(host);
    return reason == GOOD ? send_check(host) : reason;
}

/* Initiator: the other side has the same key. */
static uint8_t end_check(struct ys_host *host, const struct ys_smp_pdu *pdu)
{
    ys_pairing_reverse(host->pairing->peer_confirm, pdu->value, 16);
    uint8_t reason = compare_check(host);
    if (reason == GOOD)
        ys_smp_use_key(host);
    return reason;
}

/* Vol 3 Part H 3.5.7. */
static uint8_t take_check(struct ys_host *host, const struct ys_smp_pdu *pdu)
{
    ys_pairing_reverse(host->pairing->peer_confirm, pdu->value, 16);
    return GOOD;
}

static uint8_t answer_check(struct ys_host *host, const struct ys_smp_pdu *unused)
{
    (void)unused;
    uint8_t reason = make_keys(host);
    if (reason == GOOD)
        reason = compare_check(host);
    if (reason == GOOD)
        reason = send_check(host);
    if (reason == GOOD)
        ys_smp_use_key(host);
    return reason;
}

static uint8_t nothing(struct ys_host *host, const struct ys_smp_pdu *unused)
{
    (void)host;
    (void)unused;
    return GOOD;
}

static uint8_t initiator_ends_round(struct ys_host *host, const struct ys_smp_pdu *pdu)
{
    uint8_t reason = check_bit(host, pdu);
    if (reason == GOOD)
        next_round(host->pairing);
    return reason;
}

static uint8_t responder_ends_round(struct ys_host *host, const struct ys_smp_pdu *unused)
{
    (void)unused;
    (void)ys_smp_send_random(host, NULL);
    next_round(host->pairing);
    return GOOD;
}

/* Vol 3 Part H 2.3.5.6.2. */
const struct ys_pairing_step ys_numbers_initiator[] = {
    {NEEDS_OWN_KEY, 0, send_public_key},
    {NEEDS_PDU, YS_SMP_PUBLIC_KEY, take_public_key},
    {NEEDS_PDU, YS_SMP_PAIRING_CONFIRM, ys_smp_take_confirm},
    {NEEDS_NOTHING, 0, ys_smp_send_random},
    {NEEDS_PDU, YS_SMP_PAIRING_RANDOM, check_confirm},
    {NEEDS_USER, 0, nothing},
    {NEEDS_SECRET, 0, begin_check},
    {NEEDS_PDU, YS_SMP_DHKEY_CHECK, end_check},
    {NEEDS_LINK, 0, ys_smp_link_is_encrypted},
    {NEEDS_END, 0, NULL},
};

/* Vol 3 Part H 2.3.5.6.2. */
const struct ys_pairing_step ys_numbers_responder[] = {
    {NEEDS_PDU, YS_SMP_PUBLIC_KEY, take_public_key},
    {NEEDS_OWN_KEY, 0, send_public_key},
    {NEEDS_NOTHING, 0, send_confirm},
    {NEEDS_PDU, YS_SMP_PAIRING_RANDOM, answer_random},
    {NEEDS_PDU, YS_SMP_DHKEY_CHECK, take_check},
    {NEEDS_USER, 0, nothing},
    {NEEDS_SECRET, 0, answer_check},
    {NEEDS_LINK, 0, ys_smp_link_is_encrypted},
    {NEEDS_END, 0, NULL},
};

/* Vol 3 Part H 2.3.5.6.3. */
const struct ys_pairing_step ys_passkey_initiator[] = {
    {NEEDS_OWN_KEY, 0, send_public_key},
    {NEEDS_PDU, YS_SMP_PUBLIC_KEY, take_public_key},
    {NEEDS_USER, 0, send_bit}, /* of each round; next_round counts from here */
    {NEEDS_PDU, YS_SMP_PAIRING_CONFIRM, ys_smp_take_confirm},
    {NEEDS_NOTHING, 0, ys_smp_send_random},
    {NEEDS_PDU, YS_SMP_PAIRING_RANDOM, initiator_ends_round},
    {NEEDS_SECRET, 0, begin_check},
    {NEEDS_PDU, YS_SMP_DHKEY_CHECK, end_check},
    {NEEDS_LINK, 0, ys_smp_link_is_encrypted},
    {NEEDS_END, 0, NULL},
};

/* Vol 3 Part H 2.3.5.6.3. */
const struct ys_pairing_step ys_passkey_responder[] = {
    {NEEDS_PDU, YS_SMP_PUBLIC_KEY, take_public_key},
    {NEEDS_OWN_KEY, 0, send_public_key},
    {NEEDS_PDU, YS_SMP_PAIRING_CONFIRM, ys_smp_take_confirm}, /* the same */
    {NEEDS_USER, 0, send_bit},
    {NEEDS_PDU, YS_SMP_PAIRING_RANDOM, check_bit},
    {NEEDS_NOTHING, 0, responder_ends_round},
    {NEEDS_PDU, YS_SMP_DHKEY_CHECK, take_check},
    {NEEDS_SECRET, 0, answer_check},
    {NEEDS_LINK, 0, ys_smp_link_is_encrypted},
    {NEEDS_END, 0, NULL},
};

static uint8_t keep_random(struct ys_host *host, const struct ys_smp_pdu *pdu)
{
    ys_smp_take_random(host, pdu);
    return GOOD;
}

/* Vol 3 Part H 2.3.5.6.4. */
const struct ys_pairing_step ys_oob_initiator[] = {
    {NEEDS_OWN_KEY, 0, send_public_key},
    {NEEDS_PDU, YS_SMP_PUBLIC_KEY, take_public_key},
    {NEEDS_NOTHING, 0, ys_smp_send_random},
    {NEEDS_PDU, YS_SMP_PAIRING_RANDOM, keep_random},
    {NEEDS_SECRET, 0, begin_check},
    {NEEDS_PDU, YS_SMP_DHKEY_CHECK, end_check},
    {NEEDS_LINK, 0, ys_smp_link_is_encrypted},
    {NEEDS_END, 0, NULL},
};

/* Vol 3 Part H 2.3.5.6.4. */
const struct ys_pairing_step ys_oob_responder[] = {
    {NEEDS_PDU, YS_SMP_PUBLIC_KEY, take_public_key},
    {NEEDS_OWN_KEY, 0, send_public_key},
    {NEEDS_PDU, YS_SMP_PAIRING_RANDOM, answer_random},
    {NEEDS_PDU, YS_SMP_DHKEY_CHECK, take_check},
    {NEEDS_SECRET, 0, answer_check},
    {NEEDS_LINK, 0, ys_smp_link_is_encrypted},
    {NEEDS_END, 0, NULL},
};
