/* From the chosen method to a key (Core 5.4 Vol 3 Part H 2.3.5.5 and 2.3.5.6): the steps of each method, one list for
 * each side. */
#include <string.h>

#include "host/pairing.h"

#define ROUNDS 20 /* of passkey entry, one for each bit */

/* Who is who: values of the initiator are "a", of the responder "b". */

static void address_of(const struct ys_host *host, bool own, uint8_t address[YS_TOOLBOX_ADDRESS])
{
    const struct ys_connection *connection = host->pairing->connection;
    const struct ys_address *from = own ? &connection->keys.own : &connection->keys.air;
    address[0] = from->type;
    pairing_reverse(address + 1, from->bytes, sizeof from->bytes);
}

static uint8_t cipher_failed(bool good)
{
    return good ? GOOD : YS_SMP_UNSPECIFIED;
}

static void passkey_to_secret(struct ys_pairing *pairing)
{
    memset(pairing->secret, 0, sizeof pairing->secret);
    for (int i = 0; i < 4; i++)
        pairing->secret[15 - i] = (uint8_t)(pairing->passkey >> 8 * i);
}

static void emit_passkey(struct ys_host *host, enum ys_event_kind kind)
{
    ys_emit(host, &(struct ys_event){.kind = kind,
                                     .connection = host->pairing->connection->handle,
                                     .u.passkey = host->pairing->passkey});
}

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
        emit_passkey(host, YS_EVENT_PASSKEY_WANTED);
        return GOOD;
    }
    while (drawn == YS_PASSKEY_RANDOM || drawn >= 4294000000u) {
        if (!pairing_random(host, &drawn, sizeof drawn))
            return YS_SMP_UNSPECIFIED;
    }
    pairing->passkey = drawn % (YS_PASSKEY_MAX + 1);
    pairing->met |= MET_USER;
    emit_passkey(host, YS_EVENT_PASSKEY_SHOW);
    return GOOD;
}

static bool is_passkey(const struct ys_pairing *pairing)
{
    return pairing->method >= YS_METHOD_INITIATOR_SHOWS && pairing->method <= YS_METHOD_BOTH_ENTER;
}

static uint8_t draw_random(struct ys_host *host)
{
    struct ys_pairing *pairing = host->pairing;
    return pairing_random(host, pairing->own_random, sizeof pairing->own_random) ? GOOD : YS_SMP_UNSPECIFIED;
}

static uint8_t send_random(struct ys_host *host, const struct ys_smp_pdu *unused)
{
    (void)unused;
    pairing_send_value(host, YS_SMP_PAIRING_RANDOM, host->pairing->own_random);
    return GOOD;
}

static uint8_t take_confirm(struct ys_host *host, const struct ys_smp_pdu *pdu)
{
    pairing_reverse(host->pairing->peer_confirm, pdu->value, 16);
    host->pairing->tainted = true; /* whoever gets this far may be guessing */
    return GOOD;
}

static void take_random(struct ys_host *host, const struct ys_smp_pdu *pdu)
{
    pairing_reverse(host->pairing->peer_random, pdu->value, 16);
}

/* The link is to be encrypted with `pairing->key`; shorter keys end in zeros (2.3.4). */
static void use_key(struct ys_host *host)
{
    struct ys_pairing *pairing = host->pairing;
    memset(pairing->key, 0, (size_t)16 - pairing->key_size);
    if (pairing->initiator)
        encryption_begin(host, pairing->connection, KEY_OF_PAIRING);
}

static uint8_t link_is_encrypted(struct ys_host *host, const struct ys_smp_pdu *unused)
{
    (void)unused;
    host->pairing->step = keys_steps;
    return GOOD;
}

/* legacy pairing */

static uint8_t legacy_confirm(const struct ys_host *host, bool own, uint8_t confirm[16])
{
    const struct ys_pairing *pairing = host->pairing;
    const struct ys_cipher cipher = pairing_cipher(host);
    uint8_t request[7];
    uint8_t response[7];
    uint8_t initiator[YS_TOOLBOX_ADDRESS];
    uint8_t responder[YS_TOOLBOX_ADDRESS];
    pairing_reverse(request, pairing->request, 7);
    pairing_reverse(response, pairing->response, 7);
    address_of(host, pairing->initiator, initiator);
    address_of(host, !pairing->initiator, responder);
    return cipher_failed(ys_toolbox_c1(&cipher, pairing->secret, own ? pairing->own_random : pairing->peer_random,
                                       request, response, initiator[0], initiator + 1, responder[0], responder + 1,
                                       confirm));
}

static uint8_t legacy_send_confirm(struct ys_host *host, const struct ys_smp_pdu *unused)
{
    struct ys_pairing *pairing = host->pairing;
    uint8_t confirm[16];
    (void)unused;
    if (is_passkey(pairing))
        passkey_to_secret(pairing);
    else if (pairing->method == YS_METHOD_OUT_OF_BAND)
        memcpy(pairing->secret, pairing->legacy_oob, 16);
    else
        memset(pairing->secret, 0, sizeof pairing->secret);
    uint8_t reason = draw_random(host);
    if (reason == GOOD)
        reason = legacy_confirm(host, true, confirm);
    if (reason == GOOD)
        pairing_send_value(host, YS_SMP_PAIRING_CONFIRM, confirm);
    return reason;
}

static uint8_t legacy_take_random(struct ys_host *host, const struct ys_smp_pdu *pdu)
{
    struct ys_pairing *pairing = host->pairing;
    const struct ys_cipher cipher = pairing_cipher(host);
    uint8_t confirm[16];
    take_random(host, pdu);
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
        (void)send_random(host, NULL);
    use_key(host);
    return GOOD;
}

static const struct ys_pairing_step legacy_initiator[] = {
    {NEEDS_USER, 0, legacy_send_confirm}, {NEEDS_PDU, YS_SMP_PAIRING_CONFIRM, take_confirm},
    {NEEDS_NOTHING, 0, send_random},      {NEEDS_PDU, YS_SMP_PAIRING_RANDOM, legacy_take_random},
    {NEEDS_LINK, 0, link_is_encrypted},   {NEEDS_END, 0, NULL},
};

static const struct ys_pairing_step legacy_responder[] = {
    {NEEDS_PDU, YS_SMP_PAIRING_CONFIRM, take_confirm},
    {NEEDS_USER, 0, legacy_send_confirm},
    {NEEDS_PDU, YS_SMP_PAIRING_RANDOM, legacy_take_random},
    {NEEDS_LINK, 0, link_is_encrypted},
    {NEEDS_END, 0, NULL},
};

/* LE Secure Connections */

/* The private key that everybody knows has this public one (2.3.5.6.1). */
static const uint8_t debug_key[32] = {0x20, 0xb0, 0x03, 0xd2, 0xf2, 0x97, 0xbe, 0x2c, 0x5e, 0x2c, 0x83,
                                      0xa7, 0xe9, 0xf9, 0xa5, 0xb9, 0xef, 0xf4, 0x91, 0x11, 0xac, 0xf4,
                                      0xfd, 0xdb, 0xcc, 0x03, 0x01, 0x48, 0x0e, 0x35, 0x9d, 0xe6};

/* Both public keys are known: their secret is computed while the pairing goes on. */
static uint8_t begin_secret(struct ys_host *host)
{
    uint8_t reason = pairing_begin_curve(host, CURVE_SECRET);
    return reason == GOOD ? draw_random(host) : reason;
}

static uint8_t send_public_key(struct ys_host *host, const struct ys_smp_pdu *unused)
{
    struct ys_pairing *pairing = host->pairing;
    struct ys_smp_pdu pdu = {.code = YS_SMP_PUBLIC_KEY};
    (void)unused;
    pairing_reverse(pdu.value, pairing->own_key, 32);
    pairing_reverse(pdu.value + 32, pairing->own_key + 32, 32);
    pairing_send(host, pairing->connection, &pdu);
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
    const struct ys_cipher cipher = pairing_cipher(host);
    return own ? ys_toolbox_f4(&cipher, pairing->own_key, pairing->peer_key, pairing->own_random, z, confirm)
               : ys_toolbox_f4(&cipher, pairing->peer_key, pairing->own_key, pairing->peer_random, z, confirm);
}

/* 2.3.5.6.4: what came out of band commits the peer to its key. */
static uint8_t check_commitment(const struct ys_host *host)
{
    const struct ys_pairing *pairing = host->pairing;
    const struct ys_cipher cipher = pairing_cipher(host);
    uint8_t confirm[16];
    if (pairing->method != YS_METHOD_OUT_OF_BAND || pairing->peer_oob == NULL)
        return GOOD;
    if (!ys_toolbox_f4(&cipher, pairing->peer_key, pairing->peer_key, pairing->peer_oob->random, 0, confirm))
        return YS_SMP_UNSPECIFIED;
    return ys_toolbox_is_equal(confirm, pairing->peer_oob->confirm, 16) ? GOOD : YS_SMP_CONFIRM_VALUE_FAILED;
}

static uint8_t take_public_key(struct ys_host *host, const struct ys_smp_pdu *pdu)
{
    struct ys_pairing *pairing = host->pairing;
    pairing_reverse(pairing->peer_key, pdu->value, 32);
    pairing_reverse(pairing->peer_key + 32, pdu->value + 32, 32);
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
    pairing_send_value(host, YS_SMP_PAIRING_CONFIRM, confirm);
    return GOOD;
}

static uint8_t show_number(struct ys_host *host)
{
    struct ys_pairing *pairing = host->pairing;
    const struct ys_cipher cipher = pairing_cipher(host);
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
    emit_passkey(host, YS_EVENT_NUMBER_COMPARE);
    return GOOD;
}

/* Initiator: the responder has committed itself before it saw our number. */
static uint8_t check_confirm(struct ys_host *host, const struct ys_smp_pdu *pdu)
{
    uint8_t confirm[16];
    take_random(host, pdu);
    if (!confirm_of(host, false, 0, confirm))
        return YS_SMP_UNSPECIFIED;
    if (!ys_toolbox_is_equal(confirm, host->pairing->peer_confirm, 16))
        return YS_SMP_CONFIRM_VALUE_FAILED;
    return show_number(host);
}

static uint8_t answer_random(struct ys_host *host, const struct ys_smp_pdu *pdu)
{
    take_random(host, pdu);
    (void)send_random(host, NULL);
    return show_number(host);
}

/* passkey entry, bit by bit (2.3.5.6.3) */

static uint8_t bit_of(const struct ys_pairing *pairing)
{
    return (uint8_t)(0x80 | (pairing->passkey >> pairing->round & 1));
}

static uint8_t send_bit(struct ys_host *host, const struct ys_smp_pdu *unused)
{
    uint8_t confirm[16];
    (void)unused;
    uint8_t reason = draw_random(host);
    if (reason != GOOD)
        return reason;
    if (!confirm_of(host, true, bit_of(host->pairing), confirm))
        return YS_SMP_UNSPECIFIED;
    pairing_send_value(host, YS_SMP_PAIRING_CONFIRM, confirm);
    return GOOD;
}

static uint8_t check_bit(struct ys_host *host, const struct ys_smp_pdu *pdu)
{
    struct ys_pairing *pairing = host->pairing;
    uint8_t confirm[16];
    take_random(host, pdu);
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
        passkey_to_secret(pairing); /* in the check values it stands for what people have done */
}

/* authentication stage 2 (2.3.5.6.5) */

/* What stands for the method in the check value that `own` side makes: the passkey; or what the other side has handed
 * out of band; else zeros. */
static void check_number(const struct ys_pairing *pairing, bool own, bool has_data, uint8_t r[16])
{
    memset(r, 0, 16);
    if (is_passkey(pairing)) {
        for (int i = 0; i < 4; i++)
            r[15 - i] = (uint8_t)(pairing->passkey >> 8 * i);
    } else if (pairing->method == YS_METHOD_OUT_OF_BAND && has_data) {
        memcpy(r, own ? pairing->peer_oob->random : pairing->oob_random, 16);
    }
}

static bool check_value(const struct ys_host *host, bool own, uint8_t check[16])
{
    const struct ys_pairing *pairing = host->pairing;
    const struct ys_cipher cipher = pairing_cipher(host);
    bool by_initiator = own == pairing->initiator;
    const uint8_t *said = by_initiator ? pairing->request : pairing->response;
    const uint8_t capabilities[3] = {said[3], said[2], said[1]};
    uint8_t from[YS_TOOLBOX_ADDRESS];
    uint8_t to[YS_TOOLBOX_ADDRESS];
    uint8_t r[16];
    address_of(host, own, from);
    address_of(host, !own, to);
    check_number(pairing, own, said[2] != 0, r);
    bool good = own ? ys_toolbox_f6(&cipher, pairing->mac_key, pairing->own_random, pairing->peer_random, r,
                                    capabilities, from, to, check)
                    : ys_toolbox_f6(&cipher, pairing->mac_key, pairing->peer_random, pairing->own_random, r,
                                    capabilities, from, to, check);
    pairing_wipe(r, sizeof r);
    return good;
}

static uint8_t make_keys(struct ys_host *host)
{
    struct ys_pairing *pairing = host->pairing;
    const struct ys_cipher cipher = pairing_cipher(host);
    bool own = pairing->initiator;
    uint8_t a[YS_TOOLBOX_ADDRESS];
    uint8_t b[YS_TOOLBOX_ADDRESS];
    address_of(host, own, a);
    address_of(host, !own, b);
    bool good = ys_toolbox_f5(&cipher, pairing->secret, own ? pairing->own_random : pairing->peer_random,
                              own ? pairing->peer_random : pairing->own_random, a, b, pairing->mac_key, pairing->key);
    pairing_wipe(pairing->secret, sizeof pairing->secret);
    return cipher_failed(good);
}

static uint8_t send_check(struct ys_host *host)
{
    uint8_t check[16];
    if (!check_value(host, true, check))
        return YS_SMP_UNSPECIFIED;
    pairing_send_value(host, YS_SMP_DHKEY_CHECK, check);
    return GOOD;
}

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
    pairing_reverse(host->pairing->peer_confirm, pdu->value, 16);
    uint8_t reason = compare_check(host);
    if (reason == GOOD)
        use_key(host);
    return reason;
}

static uint8_t take_check(struct ys_host *host, const struct ys_smp_pdu *pdu)
{
    pairing_reverse(host->pairing->peer_confirm, pdu->value, 16);
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
        use_key(host);
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
    (void)send_random(host, NULL);
    next_round(host->pairing);
    return GOOD;
}

static const struct ys_pairing_step numbers_initiator[] = {
    {NEEDS_OWN_KEY, 0, send_public_key},
    {NEEDS_PDU, YS_SMP_PUBLIC_KEY, take_public_key},
    {NEEDS_PDU, YS_SMP_PAIRING_CONFIRM, take_confirm},
    {NEEDS_NOTHING, 0, send_random},
    {NEEDS_PDU, YS_SMP_PAIRING_RANDOM, check_confirm},
    {NEEDS_USER, 0, nothing},
    {NEEDS_SECRET, 0, begin_check},
    {NEEDS_PDU, YS_SMP_DHKEY_CHECK, end_check},
    {NEEDS_LINK, 0, link_is_encrypted},
    {NEEDS_END, 0, NULL},
};

static const struct ys_pairing_step numbers_responder[] = {
    {NEEDS_PDU, YS_SMP_PUBLIC_KEY, take_public_key},
    {NEEDS_OWN_KEY, 0, send_public_key},
    {NEEDS_NOTHING, 0, send_confirm},
    {NEEDS_PDU, YS_SMP_PAIRING_RANDOM, answer_random},
    {NEEDS_PDU, YS_SMP_DHKEY_CHECK, take_check},
    {NEEDS_USER, 0, nothing},
    {NEEDS_SECRET, 0, answer_check},
    {NEEDS_LINK, 0, link_is_encrypted},
    {NEEDS_END, 0, NULL},
};

static const struct ys_pairing_step passkey_initiator[] = {
    {NEEDS_OWN_KEY, 0, send_public_key},
    {NEEDS_PDU, YS_SMP_PUBLIC_KEY, take_public_key},
    {NEEDS_USER, 0, send_bit}, /* of each round; next_round counts from here */
    {NEEDS_PDU, YS_SMP_PAIRING_CONFIRM, take_confirm},
    {NEEDS_NOTHING, 0, send_random},
    {NEEDS_PDU, YS_SMP_PAIRING_RANDOM, initiator_ends_round},
    {NEEDS_SECRET, 0, begin_check},
    {NEEDS_PDU, YS_SMP_DHKEY_CHECK, end_check},
    {NEEDS_LINK, 0, link_is_encrypted},
    {NEEDS_END, 0, NULL},
};

static const struct ys_pairing_step passkey_responder[] = {
    {NEEDS_PDU, YS_SMP_PUBLIC_KEY, take_public_key},
    {NEEDS_OWN_KEY, 0, send_public_key},
    {NEEDS_PDU, YS_SMP_PAIRING_CONFIRM, take_confirm}, /* likewise */
    {NEEDS_USER, 0, send_bit},
    {NEEDS_PDU, YS_SMP_PAIRING_RANDOM, check_bit},
    {NEEDS_NOTHING, 0, responder_ends_round},
    {NEEDS_PDU, YS_SMP_DHKEY_CHECK, take_check},
    {NEEDS_SECRET, 0, answer_check},
    {NEEDS_LINK, 0, link_is_encrypted},
    {NEEDS_END, 0, NULL},
};

static uint8_t keep_random(struct ys_host *host, const struct ys_smp_pdu *pdu)
{
    take_random(host, pdu);
    return GOOD;
}

static const struct ys_pairing_step oob_initiator[] = {
    {NEEDS_OWN_KEY, 0, send_public_key}, {NEEDS_PDU, YS_SMP_PUBLIC_KEY, take_public_key},
    {NEEDS_NOTHING, 0, send_random},     {NEEDS_PDU, YS_SMP_PAIRING_RANDOM, keep_random},
    {NEEDS_SECRET, 0, begin_check},      {NEEDS_PDU, YS_SMP_DHKEY_CHECK, end_check},
    {NEEDS_LINK, 0, link_is_encrypted},  {NEEDS_END, 0, NULL},
};

static const struct ys_pairing_step oob_responder[] = {
    {NEEDS_PDU, YS_SMP_PUBLIC_KEY, take_public_key},
    {NEEDS_OWN_KEY, 0, send_public_key},
    {NEEDS_PDU, YS_SMP_PAIRING_RANDOM, answer_random},
    {NEEDS_PDU, YS_SMP_DHKEY_CHECK, take_check},
    {NEEDS_SECRET, 0, answer_check},
    {NEEDS_LINK, 0, link_is_encrypted},
    {NEEDS_END, 0, NULL},
};

/* A pairing whose passkey cannot be drawn fails at its first step. */
static uint8_t no_random(struct ys_host *host, const struct ys_smp_pdu *unused)
{
    (void)host;
    (void)unused;
    return YS_SMP_UNSPECIFIED;
}

const struct ys_pairing_step *methods_first(struct ys_host *host)
{
    static const struct ys_pairing_step failed[] = {{NEEDS_NOTHING, 0, no_random}, {NEEDS_END, 0, NULL}};
    struct ys_pairing *pairing = host->pairing;
    bool initiator = pairing->initiator;
    if (is_passkey(pairing)) {
        if (begin_passkey(host) != GOOD)
            return failed;
    } else if (!pairing->secure_connections) {
        pairing->met |= MET_USER; /* nobody is asked */
    }
    if (!pairing->secure_connections)
        return initiator ? legacy_initiator : legacy_responder;
    if (is_passkey(pairing))
        return initiator ? passkey_initiator : passkey_responder;
    if (pairing->method == YS_METHOD_OUT_OF_BAND)
        return initiator ? oob_initiator : oob_responder;
    return initiator ? numbers_initiator : numbers_responder;
}

bool methods_make_oob(struct ys_host *host, struct ys_oob *oob)
{
    struct ys_pairing *pairing = host->pairing;
    const struct ys_cipher cipher = pairing_cipher(host);
    if (!pairing_random(host, pairing->oob_random, sizeof pairing->oob_random) ||
        !ys_toolbox_f4(&cipher, pairing->own_key, pairing->own_key, pairing->oob_random, 0, oob->confirm))
        return false;
    memcpy(oob->random, pairing->oob_random, sizeof oob->random);
    return true;
}
