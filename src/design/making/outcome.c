/* What becomes of a pairing. */
#include "design/making/outcome.h"

#include "design/making/security.h"
#include "design/model/model.h"
#include "wire/smp.h"

const char *ys_capability_words(uint8_t capability)
{
    static const char *const words[YS_CAPABILITIES] = {"display", "display and yes/no", "keyboard", "none",
                                                       "keyboard and display"};
    return capability < YS_CAPABILITIES ? words[capability] : "";
}

const char *ys_method_words(uint8_t method)
{
    static const char *const words[YS_METHODS] = {
        [YS_METHOD_JUST_WORKS] = "just works",
        [YS_METHOD_NUMERIC_COMPARISON] = "numeric comparison",
        [YS_METHOD_INITIATOR_SHOWS] = "passkey entry, shown by the central",
        [YS_METHOD_RESPONDER_SHOWS] = "passkey entry, shown by the device",
        [YS_METHOD_BOTH_ENTER] = "passkey entry, entered at both",
        [YS_METHOD_OUT_OF_BAND] = "out of band",
    };
    return method < YS_METHODS ? words[method] : "";
}

const char *ys_level_words(uint8_t level)
{
    static const char *const words[] = {"", "not encrypted", "encrypted", "authenticated",
                                        "authenticated, by LE Secure Connections"};
    return level < sizeof words / sizeof words[0] ? words[level] : "";
}

bool ys_method_stops_listeners(uint8_t method, bool secure)
{
    return secure || method == YS_METHOD_OUT_OF_BAND;
}

bool ys_method_stops_a_man_in_the_middle(uint8_t method)
{
    return method != YS_METHOD_JUST_WORKS;
}

const char *ys_method_protects(uint8_t method, bool secure)
{
    if (method == YS_METHOD_OUT_OF_BAND)
        return "against eavesdroppers and a man in the middle, if nobody else gets the data";
    if (method == YS_METHOD_JUST_WORKS)
        return secure ? "against listeners; not against a man in the middle"
                      : "not against eavesdroppers during the pairing, who can compute the key";
    return secure ? "against listeners and a man in the middle"
                  : "against a man in the middle (one guess in a million); not against eavesdroppers during the "
                    "pairing, who can try all passkeys";
}

const char *ys_method_at_central(uint8_t method)
{
    static const char *const words[YS_METHODS] = {
        [YS_METHOD_JUST_WORKS] = "nothing",
        [YS_METHOD_NUMERIC_COMPARISON] = "see six digits, and confirm that the device shows the same",
        [YS_METHOD_INITIATOR_SHOWS] = "see six digits",
        [YS_METHOD_RESPONDER_SHOWS] = "enter the six digits that the device shows",
        [YS_METHOD_BOTH_ENTER] = "enter six digits of their choice",
        [YS_METHOD_OUT_OF_BAND] = "bring the data over, such as by touching a tag",
    };
    return method < YS_METHODS ? words[method] : "";
}

const char *ys_method_at_device(uint8_t method)
{
    static const char *const words[YS_METHODS] = {
        [YS_METHOD_JUST_WORKS] = "nothing",
        [YS_METHOD_NUMERIC_COMPARISON] = "see six digits, and confirm that the central shows the same",
        [YS_METHOD_INITIATOR_SHOWS] = "enter the six digits that the central shows",
        [YS_METHOD_RESPONDER_SHOWS] = "see six digits",
        [YS_METHOD_BOTH_ENTER] = "enter the same six digits",
        [YS_METHOD_OUT_OF_BAND] = "nothing",
    };
    return method < YS_METHODS ? words[method] : "";
}

uint8_t ys_level_for(enum ys_right right)
{
    static const uint8_t levels[] = {
        [YS_RIGHT_NONE] = YS_LEVEL_OPEN,
        [YS_RIGHT_OPEN] = YS_LEVEL_OPEN,
        [YS_RIGHT_ENCRYPTED] = YS_LEVEL_ENCRYPTED,
        [YS_RIGHT_AUTHENTICATED] = YS_LEVEL_AUTHENTICATED,
        [YS_RIGHT_SECURE_CONNECTIONS] = YS_LEVEL_SECURE_CONNECTIONS,
    };
    return levels[right];
}

/* What the two would say to each other. */
static struct ys_pairing_outcome outcome_of(const struct ys_security *security, uint8_t capability, bool secure,
                                            bool oob)
{
    uint8_t requirements = (uint8_t)((security->authenticates ? YS_SMP_MITM : 0) | YS_SMP_SECURE_CONNECTIONS);
    const struct ys_smp_pdu request = {
        .capability = capability,
        .requirements = (uint8_t)(secure ? YS_SMP_SECURE_CONNECTIONS : 0),
        .oob = oob,
    };
    const struct ys_smp_pdu response = {.capability = security->capability, .requirements = requirements, .oob = oob};
    struct ys_pairing_outcome outcome = {.capability = capability,
                                         .secure = secure,
                                         .out_of_band = oob,
                                         .method = (uint8_t)ys_smp_method(&request, &response)};
    outcome.level = (uint8_t)(outcome.method == YS_METHOD_JUST_WORKS ? YS_LEVEL_ENCRYPTED
                              : secure                               ? YS_LEVEL_SECURE_CONNECTIONS
                                                                     : YS_LEVEL_AUTHENTICATED);
    if ((!secure && security->forbids_legacy) || outcome.level < security->least)
        outcome.refused = YS_SMP_AUTHENTICATION_REQUIREMENTS;
    return outcome;
}

size_t ys_outcomes_of(const struct ys_design *design, struct ys_pairing_outcome outcomes[YS_OUTCOMES_MOST])
{
    struct ys_security security;
    size_t count = 0;
    ys_security_of(design, &security);
    for (unsigned capability = 0; capability < YS_CAPABILITIES; capability++) {
        outcomes[count++] = outcome_of(&security, (uint8_t)capability, true, false);
        outcomes[count++] = outcome_of(&security, (uint8_t)capability, false, false);
    }
    if (design->security.out_of_band) {
        outcomes[count++] = outcome_of(&security, YS_CAPABILITY_NONE, true, true);
        outcomes[count++] = outcome_of(&security, YS_CAPABILITY_NONE, false, true);
    }
    return count;
}

bool ys_level_is_reachable(const struct ys_pairing_outcome *outcomes, size_t count, uint8_t level)
{
    for (size_t i = 0; i < count; i++) {
        if (outcomes[i].refused == 0 && outcomes[i].level >= level)
            return true;
    }
    return level <= YS_LEVEL_OPEN;
}
