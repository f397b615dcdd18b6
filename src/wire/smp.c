/* PDUs of the Security Manager, read and written by one table of layouts. */
#include "wire/smp.h"

/* One letter a field, in the order of the air:
 *   p  the six bytes of a pairing request   q  authentication requirements   f  reason   n  keypress
 *   v  a value of 16 bytes                  w  one of 64                     d  diversifier
 *   r  random number of 8 bytes             a  address with its type                             */
struct layout {
    uint8_t code;
    char fields[3];
    const char *name;
};

static const struct layout layouts[] = {
    {YS_SMP_PAIRING_REQUEST, "p", "pairing request"},
    {YS_SMP_PAIRING_RESPONSE, "p", "pairing response"},
    {YS_SMP_PAIRING_CONFIRM, "v", "pairing confirm"},
    {YS_SMP_PAIRING_RANDOM, "v", "pairing random"},
    {YS_SMP_PAIRING_FAILED, "f", "pairing failed"},
    {YS_SMP_ENCRYPTION_INFORMATION, "v", "encryption information"},
    {YS_SMP_CENTRAL_IDENTIFICATION, "dr", "central identification"},
    {YS_SMP_IDENTITY_INFORMATION, "v", "identity information"},
    {YS_SMP_IDENTITY_ADDRESS, "a", "identity address information"},
    {YS_SMP_SIGNING_INFORMATION, "v", "signing information"},
    {YS_SMP_SECURITY_REQUEST, "q", "security request"},
    {YS_SMP_PUBLIC_KEY, "w", "pairing public key"},
    {YS_SMP_DHKEY_CHECK, "v", "pairing DHKey check"},
    {YS_SMP_KEYPRESS, "n", "keypress notification"},
};

static const struct layout *find(uint8_t code)
{
    /*@ loop assigns i; loop invariant i <= sizeof(layouts) / sizeof(layouts[0]); */
    for (size_t i = 0; i < sizeof layouts / sizeof layouts[0]; i++) {
        if (layouts[i].code == code)
            return &layouts[i];
    }
    return NULL;
}

static void get_pairing(struct ys_reader *reader, struct ys_smp_pdu *pdu)
{
    pdu->capability = ys_get_u8(reader);
    pdu->oob = ys_get_u8(reader);
    pdu->requirements = ys_get_u8(reader);
    pdu->key_size = ys_get_u8(reader);
    pdu->initiator_keys = ys_get_u8(reader);
    pdu->responder_keys = ys_get_u8(reader);
}

static void put_pairing(struct ys_writer *writer, const struct ys_smp_pdu *pdu)
{
    ys_put_u8(writer, pdu->capability);
    ys_put_u8(writer, pdu->oob);
    ys_put_u8(writer, pdu->requirements);
    ys_put_u8(writer, pdu->key_size);
    ys_put_u8(writer, pdu->initiator_keys);
    ys_put_u8(writer, pdu->responder_keys);
}

static void get_field(struct ys_reader *reader, char field, struct ys_smp_pdu *pdu)
{
    switch (field) {
    case 'p':
        get_pairing(reader, pdu);
        break;
    case 'q':
        pdu->requirements = ys_get_u8(reader);
        break;
    case 'f':
        pdu->reason = ys_get_u8(reader);
        break;
    case 'n':
        pdu->keypress = ys_get_u8(reader);
        break;
    case 'd':
        pdu->diversifier = ys_get_u16(reader);
        break;
    case 'r':
        ys_get_copy(reader, pdu->random, sizeof pdu->random);
        break;
    case 'a':
        pdu->identity.type = ys_get_u8(reader);
        ys_get_copy(reader, pdu->identity.bytes, sizeof pdu->identity.bytes);
        break;
    case 'w':
        ys_get_copy(reader, pdu->value, 64);
        break;
    default:
        ys_get_copy(reader, pdu->value, 16);
        break;
    }
}

static void put_field(struct ys_writer *writer, char field, const struct ys_smp_pdu *pdu)
{
    switch (field) {
    case 'p':
        put_pairing(writer, pdu);
        break;
    case 'q':
        ys_put_u8(writer, pdu->requirements);
        break;
    case 'f':
        ys_put_u8(writer, pdu->reason);
        break;
    case 'n':
        ys_put_u8(writer, pdu->keypress);
        break;
    case 'd':
        ys_put_u16(writer, pdu->diversifier);
        break;
    case 'r':
        ys_put_bytes(writer, pdu->random, sizeof pdu->random);
        break;
    case 'a':
        ys_put_u8(writer, pdu->identity.type);
        ys_put_bytes(writer, pdu->identity.bytes, sizeof pdu->identity.bytes);
        break;
    default:
        ys_put_bytes(writer, pdu->value, field == 'w' ? 64 : 16);
        break;
    }
}

static void begin(struct ys_smp_pdu *pdu, uint8_t code)
{
    *pdu = (struct ys_smp_pdu){.code = code};
}

static void get_fields(struct ys_reader *reader, const struct layout *layout, struct ys_smp_pdu *pdu)
{
    /*@ loop assigns i, *reader, *pdu; loop invariant i <= 3 && on{Pre, Here}(reader); */
    for (size_t i = 0; i < sizeof layout->fields && layout->fields[i] != '\0'; i++)
        get_field(reader, layout->fields[i], pdu);
}

enum ys_smp_verdict ys_smp_decode(const uint8_t *bytes, size_t length, struct ys_smp_pdu *pdu)
{
    struct ys_reader reader = ys_reader_of(bytes, length);
    begin(pdu, ys_get_u8(&reader));
    const struct layout *layout = find(pdu->code);
    if (layout == NULL)
        return YS_SMP_UNKNOWN;
    get_fields(&reader, layout, pdu);
    return ys_reader_done(&reader) ? YS_SMP_GOOD : YS_SMP_MALFORMED;
}

/* Vol 3 Part H 3.3. */
void ys_put_smp(struct ys_writer *writer, const struct ys_smp_pdu *pdu)
{
    const struct layout *layout = find(pdu->code);
    ys_put_u8(writer, pdu->code);
    for (const char *field = layout != NULL ? layout->fields : ""; *field != '\0'; field++)
        put_field(writer, *field, pdu);
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
        return "the other side said nothing for 30 s";
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
