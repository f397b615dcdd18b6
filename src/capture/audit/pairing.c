/* Rules of pairing (Core 5.4 Vol 3 Part H). */
#include "capture/audit/pairing.h"

#include <string.h>

#include <yarnswift/security.h>

#include "capture/audit/verdicts.h"
#include "capture/follow/cipher.h"

#define SILENCE_NS (30 * NS_PER_S)
#define SECURE_BIT 0x08

/* The lower half of the public debug key (Vol 3 Part H 2.3.5.6.1), in air order. */
static const uint8_t debug_key[32] = {0xe6, 0x9d, 0x35, 0x0e, 0x48, 0x01, 0x03, 0xcc, 0xdb, 0xfd, 0xf4,
                                      0xac, 0x11, 0x91, 0xf4, 0xef, 0xb9, 0xa5, 0xf9, 0xe9, 0xa7, 0x83,
                                      0x2c, 0x5e, 0x2c, 0xbe, 0x97, 0xf2, 0xd2, 0x03, 0xb0, 0x20};

static bool is_key(uint8_t code)
{
    return code >= YS_SMP_ENCRYPTION_INFORMATION && code <= YS_SMP_SIGNING_INFORMATION;
}

/* Which bit of the keys that are handed over a PDU belongs to. */
static uint8_t key_bit(uint8_t code)
{
    return code <= YS_SMP_CENTRAL_IDENTIFICATION ? 1 : code <= YS_SMP_IDENTITY_ADDRESS ? 2 : 4;
}

static void audit_role(struct ys_audit *audit, uint8_t code, int side)
{
    if (code == YS_SMP_PAIRING_REQUEST)
        (void)audit_judge(audit, YS_RULE_SECURITY_ROLE, side == 0, "a pairing request of a peripheral");
    if (code == YS_SMP_PAIRING_RESPONSE || code == YS_SMP_SECURITY_REQUEST)
        (void)audit_judge(audit, YS_RULE_SECURITY_ROLE, side == 1, "%s of a central", ys_smp_code_name(code));
}

/* Bits of the requirements that are for later versions, and 0 until then (Vol 3 Part H 3.5.1). */
#define RESERVED_BITS 0xc0

static void audit_values(struct ys_audit *audit, const struct ys_smp_pdu *smp, const uint8_t *frame)
{
    if (smp->code != YS_SMP_PAIRING_REQUEST && smp->code != YS_SMP_PAIRING_RESPONSE)
        return;
    (void)audit_judge(audit, YS_RULE_SECURITY_VALUES,
                      smp->capability < YS_CAPABILITIES && smp->oob <= 1 && smp->key_size >= 7 && smp->key_size <= 16 &&
                          (frame[3] & RESERVED_BITS) == 0 && (smp->initiator_keys & 0xf0) == 0 &&
                          (smp->responder_keys & 0xf0) == 0,
                      "capability %u, out of band %u, requirements 0x%02x, key size %u, keys 0x%02x and 0x%02x",
                      smp->capability, smp->oob, frame[3], smp->key_size, smp->initiator_keys, smp->responder_keys);
}

/* Whether a PDU may come now; `pairing` then goes on. */
static bool goes_on(struct audited_pairing *pairing, const struct ys_smp_pdu *smp, int side)
{
    uint8_t bit = (uint8_t)(1 << side);
    bool agreed = pairing->step == PAIRING_AGREED || pairing->step == PAIRING_GOES;
    switch (smp->code) {
    case YS_SMP_SECURITY_REQUEST:
        return true;
    case YS_SMP_PAIRING_REQUEST:
        *pairing = (struct audited_pairing){.step = PAIRING_REQUESTED};
        return true;
    case YS_SMP_PAIRING_RESPONSE: {
        bool good = pairing->step == PAIRING_REQUESTED;
        pairing->step = PAIRING_AGREED;
        return good;
    }
    case YS_SMP_PAIRING_CONFIRM:
        pairing->confirmed |= bit;
        pairing->step = agreed ? PAIRING_GOES : pairing->step;
        return agreed;
    case YS_SMP_PAIRING_RANDOM: /* whoever answers has confirmed, but where data came out of band */
        pairing->randomized |= bit;
        return agreed && ((pairing->confirmed & 2) != 0 || pairing->request[2] == 1 || pairing->response[2] == 1);
    case YS_SMP_PUBLIC_KEY:
        pairing->has_key |= bit;
        return agreed && pairing->confirmed == 0;
    case YS_SMP_DHKEY_CHECK:
        pairing->checked |= bit;
        return agreed && pairing->randomized == 3;
    case YS_SMP_PAIRING_FAILED:
        *pairing = (struct audited_pairing){.step = PAIRING_NONE};
        return true;
    case YS_SMP_KEYPRESS:
        return agreed;
    default: {
        bool good = pairing->step == PAIRING_KEYS || pairing->randomized == 3;
        pairing->step = PAIRING_KEYS;
        return good;
    }
    }
}

static void audit_keys(struct ys_audit *audit, const struct ys_smp_pdu *smp, const struct audit_place *place)
{
    const struct audited_pairing *pairing = &place->dialogue->pairing;
    if (!is_key(smp->code))
        return;
    if (!place->knows_encryption)
        audit_cannot_tell(audit, YS_RULE_KEYS_IN_CLEAR);
    else
        (void)audit_judge(audit, YS_RULE_KEYS_IN_CLEAR, place->encrypted, "%s in clear", ys_smp_code_name(smp->code));
    uint8_t promised = pairing->response[place->side == 0 ? 5 : 6] & pairing->request[place->side == 0 ? 5 : 6];
    if (pairing->request[0] == 0 || pairing->response[0] == 0)
        audit_cannot_tell(audit, YS_RULE_KEYS_PROMISED);
    else
        (void)audit_judge(audit, YS_RULE_KEYS_PROMISED, (promised & key_bit(smp->code)) != 0,
                          "%s, and 0x%02x was agreed", ys_smp_code_name(smp->code), promised);
}

static void audit_public_key(struct ys_audit *audit, const struct ys_smp_pdu *smp, const struct audit_place *place)
{
    struct audited_pairing *pairing = &place->dialogue->pairing;
    memcpy(pairing->public_keys[place->side], smp->value, 32);
    (void)audit_judge(audit, YS_RULE_KEY_ON_CURVE, ys_key_is_on_curve(smp->value), "it is no point of P-256");
    (void)audit_judge(audit, YS_RULE_DEBUG_KEY, memcmp(smp->value, debug_key, sizeof debug_key) != 0,
                      "the debug key, which everybody knows");
    if (pairing->has_key == 3)
        (void)audit_judge(audit, YS_RULE_KEY_REFLECTED,
                          memcmp(pairing->public_keys[0], pairing->public_keys[1], 32) != 0,
                          "the key of the other side");
}

/* It contains one bit of a passkey, which only the two sides know: either value is accepted. */
static bool makes_confirm(const struct audited_pairing *pairing, const struct ys_smp_pdu *smp, int side)
{
    static const uint8_t zs[] = {0, 0x80, 0x81};
    for (size_t i = 0; i < sizeof zs; i++) {
        uint8_t confirm[16];
        if (ys_confirm_value(pairing->public_keys[side], pairing->public_keys[!side], smp->value, zs[i], confirm) &&
            memcmp(confirm, pairing->confirms[side], sizeof confirm) == 0)
            return true;
    }
    return false;
}

static void audit_confirm(struct ys_audit *audit, const struct ys_smp_pdu *smp, const struct audit_place *place)
{
    struct audited_pairing *pairing = &place->dialogue->pairing;
    int side = place->side;
    bool was_confirmed = (pairing->confirmed >> side & 1) != 0;
    bool knows_method = pairing->request[0] != 0 && pairing->response[0] != 0;
    if (smp->code == YS_SMP_PAIRING_CONFIRM)
        memcpy(pairing->confirms[side], smp->value, sizeof pairing->confirms[side]);
    if (smp->code != YS_SMP_PAIRING_RANDOM || !was_confirmed || pairing->has_key != 3)
        return;
    if (!knows_method || pairing->request[2] != 0 || pairing->response[2] != 0)
        audit_cannot_tell(audit, YS_RULE_CONFIRM_FITS);
    else
        (void)audit_judge(audit, YS_RULE_CONFIRM_FITS, makes_confirm(pairing, smp, side),
                          "the confirm value before it was made of something else");
}

void audit_pairing(struct ys_audit *audit, const struct ys_said *said, const struct audit_place *place)
{
    const struct ys_smp_pdu *smp = &said->smp;
    struct audited_pairing *pairing = &place->dialogue->pairing;
    if (!audit_judge(audit, YS_RULE_SECURITY_FORM, said->verdict == YS_SMP_GOOD, "code 0x%02x with %zu bytes",
                     said->length > 0 ? said->frame[0] : 0, said->length))
        return;
    audit_role(audit, smp->code, place->side);
    audit_values(audit, smp, said->frame);
    audit_confirm(audit, smp, place);
    uint64_t silence_ns = audit->now_ns - pairing->last_ns;
    bool begins = smp->code == YS_SMP_PAIRING_REQUEST || smp->code == YS_SMP_SECURITY_REQUEST;
    if (pairing->step != PAIRING_NONE && !begins)
        (void)audit_judge(audit, YS_RULE_PAIRING_TIME, silence_ns <= SILENCE_NS, "%.1f s after the step before",
                          (double)silence_ns / 1e9);
    bool unsure = pairing->step == PAIRING_NONE && (!place->dialogue->begun || place->hole);
    bool follows = goes_on(pairing, smp, place->side);
    if (!follows && unsure)
        audit_cannot_tell(audit, YS_RULE_PAIRING_ORDER);
    else
        (void)audit_judge(audit, YS_RULE_PAIRING_ORDER, follows, "%s cannot come now", ys_smp_code_name(smp->code));
    pairing->last_ns = audit->now_ns;
    if (smp->code == YS_SMP_PAIRING_REQUEST)
        memcpy(pairing->request, said->frame, sizeof pairing->request);
    if (smp->code == YS_SMP_PAIRING_RESPONSE) {
        memcpy(pairing->response, said->frame, sizeof pairing->response);
        if (pairing->request[0] != 0)
            (void)audit_judge(audit, YS_RULE_LEGACY_PAIRING,
                              (pairing->request[3] & pairing->response[3] & SECURE_BIT) != 0,
                              "the older pairing is used");
    }
    audit_keys(audit, smp, place);
    if (smp->code == YS_SMP_PUBLIC_KEY)
        audit_public_key(audit, smp, place);
}
