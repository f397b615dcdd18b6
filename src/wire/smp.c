/* PDUs of the Security Manager, read and written by one table of layouts. */
#include "wire/smp.h"

#include <stddef.h>

/* Each PDU is a run of bytes of struct ys_smp_pdu, from this field on, except that a number precedes the
 * diversifier. */
struct layout {
    uint8_t code;
    uint8_t at;
    uint8_t size;
    const char *name;
};

#define FROM(field) (offsetof(struct ys_smp_pdu, field) - offsetof(struct ys_smp_pdu, bytes))

static const struct layout layouts[] = {
    {YS_SMP_PAIRING_REQUEST, FROM(capability), 6, "pairing request"},
    {YS_SMP_PAIRING_RESPONSE, FROM(capability), 6, "pairing response"},
    {YS_SMP_PAIRING_CONFIRM, FROM(value), 16, "pairing confirm"},
    {YS_SMP_PAIRING_RANDOM, FROM(value), 16, "pairing random"},
    {YS_SMP_PAIRING_FAILED, FROM(reason), 1, "pairing failed"},
    {YS_SMP_ENCRYPTION_INFORMATION, FROM(value), 16, "encryption information"},
    {YS_SMP_CENTRAL_IDENTIFICATION, FROM(random), 8, "central identification"},
    {YS_SMP_IDENTITY_INFORMATION, FROM(value), 16, "identity information"},
    {YS_SMP_IDENTITY_ADDRESS, FROM(identity), 7, "identity address information"},
    {YS_SMP_SIGNING_INFORMATION, FROM(value), 16, "signing information"},
    {YS_SMP_SECURITY_REQUEST, FROM(requirements), 1, "security request"},
    {YS_SMP_PUBLIC_KEY, FROM(value), 64, "pairing public key"},
    {YS_SMP_DHKEY_CHECK, FROM(value), 16, "pairing DHKey check"},
    {YS_SMP_KEYPRESS, FROM(keypress), 1, "keypress notification"},
};

/*@ assigns \nothing;
    ensures \result == \null || (\valid_read(\result) && \result->at + \result->size <= 87); */
static const struct layout *find(uint8_t code)
{
    /*@ loop assigns i; loop invariant i <= sizeof(layouts) / sizeof(layouts[0]); */
    for (size_t i = 0; i < sizeof layouts / sizeof layouts[0]; i++) {
        if (layouts[i].code == code)
            return &layouts[i];
    }
    return NULL;
}

static void begin(struct ys_smp_pdu *pdu, uint8_t code)
{
    *pdu = (struct ys_smp_pdu){.code = code};
}

enum ys_smp_verdict ys_smp_decode(const uint8_t *bytes, size_t length, struct ys_smp_pdu *pdu)
{
    struct ys_reader reader = ys_reader_of(bytes, length);
    begin(pdu, ys_get_u8(&reader));
    const struct layout *layout = find(pdu->code);
    if (layout == NULL)
        return YS_SMP_UNKNOWN;
    if (layout->code == YS_SMP_CENTRAL_IDENTIFICATION)
        pdu->diversifier = ys_get_u16(&reader);
    ys_get_copy(&reader, pdu->bytes + layout->at, layout->size);
    return ys_reader_done(&reader) ? YS_SMP_GOOD : YS_SMP_MALFORMED;
}

/* Vol 3 Part H 3.3. */
void ys_put_smp(struct ys_writer *writer, const struct ys_smp_pdu *pdu)
{
    const struct layout *layout = find(pdu->code);
    ys_put_u8(writer, pdu->code);
    if (layout == NULL)
        return;
    if (pdu->code == YS_SMP_CENTRAL_IDENTIFICATION)
        ys_put_u16(writer, pdu->diversifier);
    ys_put_bytes(writer, pdu->bytes + layout->at, layout->size);
}

const char *ys_smp_code_name(uint8_t code)
{
    const struct layout *layout = find(code);
    return layout != NULL ? layout->name : "unknown";
}

const char *ys_smp_reason_text(uint8_t reason)
{
    static const char *const texts[] = {
        [YS_SMP_LINK_ENDED] = "the connection ended",
        [YS_SMP_PASSKEY_ENTRY_FAILED] = "the passkey was not entered",
        [YS_SMP_OOB_NOT_AVAILABLE] = "there are no data from out of band",
        [YS_SMP_AUTHENTICATION_REQUIREMENTS] = "the requirements cannot be met this way",
        [YS_SMP_CONFIRM_VALUE_FAILED] = "the confirm value does not match",
        [YS_SMP_NOT_SUPPORTED] = "pairing is not supported",
        [YS_SMP_ENCRYPTION_KEY_SIZE] = "the key would be too short",
        [YS_SMP_COMMAND_NOT_SUPPORTED] = "the command is not supported",
        [YS_SMP_UNSPECIFIED] = "an unspecified reason",
        [YS_SMP_REPEATED_ATTEMPTS] = "too little time has passed since the last attempt",
        [YS_SMP_INVALID_PARAMETERS] = "a parameter is invalid",
        [YS_SMP_DHKEY_CHECK_FAILED] = "the DHKey check does not match",
        [YS_SMP_NUMERIC_COMPARISON_FAILED] = "the numbers were not confirmed to be the same",
        [YS_SMP_CLASSIC_PAIRING_IN_PROGRESS] = "pairing over BR/EDR is in progress",
        [YS_SMP_CROSS_TRANSPORT_NOT_ALLOWED] = "a key of the other transport may not be made from this one",
        [YS_SMP_KEY_REJECTED] = "a key that was given is rejected",
        [YS_SMP_BUSY] = "the other side is busy",
    };
    if (reason == YS_SMP_TIMEOUT)
        return "the other side did not answer for 30 s";
    bool known = reason < sizeof texts / sizeof texts[0] && texts[reason] != NULL;
    return known ? texts[reason] : "a reason that the standard reserves";
}

bool ys_smp_is_secure(const struct ys_smp_pdu *request, const struct ys_smp_pdu *response)
{
    return (request->requirements & response->requirements & YS_SMP_SECURE_CONNECTIONS) != 0;
}

/* Vol 3 Part H 2.3.5.1. */
enum ys_method ys_smp_method(const struct ys_smp_pdu *request, const struct ys_smp_pdu *response)
{
    enum { WORKS = YS_METHOD_JUST_WORKS, CENTRAL = YS_METHOD_INITIATOR_SHOWS, OTHER = YS_METHOD_RESPONDER_SHOWS };
    /* Table 2.8: by the initiator's capability, then the responder's; legacy pairing */
    static const uint8_t methods[YS_CAPABILITIES][YS_CAPABILITIES] = {
        [YS_CAPABILITY_DISPLAY] = {WORKS, WORKS, CENTRAL, WORKS, CENTRAL},
        [YS_CAPABILITY_DISPLAY_YES_NO] = {WORKS, WORKS, CENTRAL, WORKS, CENTRAL},
        [YS_CAPABILITY_KEYBOARD] = {OTHER, OTHER, YS_METHOD_BOTH_ENTER, WORKS, OTHER},
        [YS_CAPABILITY_NONE] = {WORKS, WORKS, WORKS, WORKS, WORKS},
        [YS_CAPABILITY_KEYBOARD_DISPLAY] = {OTHER, OTHER, CENTRAL, WORKS, CENTRAL},
    };
    bool secure = ys_smp_is_secure(request, response);
    /* legacy pairing needs data at both ends, LE Secure Connections at one */
    if (secure ? request->oob != 0 || response->oob != 0 : request->oob != 0 && response->oob != 0)
        return YS_METHOD_OUT_OF_BAND;
    if (((request->requirements | response->requirements) & YS_SMP_MITM) == 0 ||
        request->capability >= YS_CAPABILITIES || response->capability >= YS_CAPABILITIES)
        return YS_METHOD_JUST_WORKS;
    bool compares =
        request->capability == YS_CAPABILITY_DISPLAY_YES_NO || request->capability == YS_CAPABILITY_KEYBOARD_DISPLAY;
    bool both = compares && (response->capability == YS_CAPABILITY_DISPLAY_YES_NO ||
                             response->capability == YS_CAPABILITY_KEYBOARD_DISPLAY);
    if (secure && both)
        return YS_METHOD_NUMERIC_COMPARISON;
    return (enum ys_method)methods[request->capability][response->capability];
}
