/* Checks of pairing: its method, the rights that it allows, and limits of bonds. */
#include "design/checking/check_security.h"

#include <string.h>

#include <yarnswift/config.h>
#include <yarnswift/security.h>

static void check_passkey(struct ys_design *design)
{
    const struct ys_device_security *security = &design->security;
    const char *text = security->passkey.text;
    if (text == NULL)
        return;
    if (strlen(text) != 6 || strspn(text, "0123456789") != 6)
        ys_findings_add(&design->findings, YS_ERROR, "security", security->passkey.place,
                        "a passkey has six digits, such as \"004711\", not \"%s\"", text);
    if (security->capability == YS_CAPABILITY_NONE + 1)
        ys_findings_add(&design->findings, YS_ERROR, "security", security->passkey.place,
                        "a device without display and keyboard cannot use a passkey: remove it, or correct capability");
    else
        ys_findings_add(&design->findings, YS_ADVICE, "security", security->passkey.place,
                        "a fixed passkey can be found in at most 20 attempts, one bit with each: a random one is "
                        "safer, if the device has a display");
}

/* Whether people, or another way, can show that no one is between the two. */
static bool can_authenticate(const struct ys_device_security *security)
{
    return security->capability != YS_CAPABILITY_NONE + 1 || security->out_of_band;
}

/* What contradicts itself, whatever the rights are. */
static void check_demands(struct ys_design *design)
{
    const struct ys_device_security *security = &design->security;
    struct ys_findings *findings = &design->findings;
    if (!security->given)
        return;
    if (security->least == YS_LEAST_AUTHENTICATED + 1 && !can_authenticate(security))
        ys_findings_add(findings, YS_ERROR, "security", security->least_place,
                        "no pairing can succeed: authenticated needs a display, a keyboard or out-of-band data, and "
                        "the device has none");
    if (security->rotation_us.given && !security->privacy)
        ys_findings_add(findings, YS_ERROR, "security", security->rotation_us.place,
                        "only an address of its own privacy changes: add privacy: true, or leave this out");
    if (security->privacy && !security->bonding)
        ys_findings_add(findings, YS_WARNING, "security", security->place,
                        "its address changes, and without bonds no peer can resolve it: add bonding");
    if (security->when_full != 0 && !security->bonding)
        ys_findings_add(findings, YS_ERROR, "security", security->place,
                        "without bonds there is no limit: remove when full, or add bonding");
    if (security->debug_key)
        ys_findings_add(findings, YS_WARNING, "security", security->place,
                        "with the debug key any eavesdropper can read everything: remove it from a product");
}

static void check_limits(struct ys_design *design)
{
    const struct ys_limits *limits = &design->limits;
    const struct ys_device_security *security = &design->security;
    if (security->given && security->bonding && limits->bonds.given && limits->bonds.number == 0)
        ys_findings_add(&design->findings, YS_ERROR, "limits", limits->bonds.place,
                        "there is room for no bonds, but security bonds: make room, or add bonding: false");
    if (limits->bonds.given && limits->bonds.number > 0 && !(security->given && security->bonding))
        ys_findings_add(&design->findings, YS_ERROR, "limits", limits->bonds.place,
                        security->given ? "there is room for bonds, but bonding: false: leave one of the two out"
                                        : "bonds need security: add security: {capability: none}, or the capability of "
                                          "the device, or remove bonds");
    if (security->given && security->bonding && limits->bonds.given && limits->connections.given &&
        limits->bonds.number < limits->connections.number)
        ys_findings_add(
            &design->findings, YS_WARNING, "limits", limits->bonds.place,
            security->when_full == YS_WHEN_FULL_REFUSE + 1
                ? "%llu peers can be connected but only %llu bonded, the others cannot pair: use bonds: %llu"
                : "%llu peers can be connected but only %llu bonded, so a new bond replaces another: use bonds: %llu",
            (unsigned long long)limits->connections.number, (unsigned long long)limits->bonds.number,
            (unsigned long long)limits->connections.number);
    if (limits->connections.given && design->set_count > 0) {
        bool connectable = false;
        for (size_t i = 0; i < design->set_count; i++)
            connectable |= design->sets[i].kind <= YS_ADVERTISE_CONNECTABLE + 1;
        if (!connectable)
            ys_findings_add(&design->findings, YS_WARNING, "limits", limits->connections.place,
                            "no advertising set is connectable: remove this");
    }
}

static const char *right_words(enum ys_right right)
{
    static const char *const words[] = {"nobody", "everybody", "encrypted links", "authenticated links",
                                        "links with Secure Connections"};
    return words[right];
}

/* Whether a right can be reached at all with this security. */
static void check_offer(struct ys_design *design, const struct ys_offer *offer, const char *name, const char *what)
{
    const struct ys_device_security *security = &design->security;
    if (offer->right <= YS_RIGHT_OPEN)
        return;
    if (!security->given)
        ys_findings_add(&design->findings, YS_ERROR, "rights-unreachable", offer->place,
                        "\"%s\" offers %s to %s, but pairing is off: add security to device, or make it open", name,
                        what, right_words(offer->right));
    else if (offer->right >= YS_RIGHT_AUTHENTICATED && !can_authenticate(security))
        ys_findings_add(&design->findings, YS_ERROR, "rights-unreachable", offer->place,
                        "\"%s\" offers %s to %s, which a device without display and keyboard cannot reach: use "
                        "encrypted, or correct capability",
                        name, what, right_words(offer->right));
    else if (offer->right == YS_RIGHT_SECURE_CONNECTIONS && security->key_size.given && security->key_size.number < 16)
        ys_findings_add(&design->findings, YS_WARNING, "security", security->key_size.place,
                        "\"%s\" offers %s to %s, whose keys have 16 bytes: a pairing with a shorter key never gets it; "
                        "remove key size",
                        name, what, right_words(offer->right));
}

static void check_rights(struct ys_design *design, const struct ys_characteristic *characteristic)
{
    if (characteristic->faulty || characteristic->name == NULL)
        return;
    for (int way = 0; way < YS_WAYS; way++)
        check_offer(design, &characteristic->ways[way], characteristic->name, ys_ways[way].name);
    check_offer(design, &characteristic->description_write, characteristic->name, "writing its description");
    for (size_t i = 0; i < characteristic->descriptor_count; i++) {
        check_offer(design, &characteristic->descriptors[i].read, characteristic->name, "reading a descriptor");
        check_offer(design, &characteristic->descriptors[i].write, characteristic->name, "writing a descriptor");
    }
}

static bool uses_security(const struct ys_design *design)
{
    for (size_t i = 0; i < design->service_count; i++) {
        for (size_t j = 0; j < design->services[i].characteristic_count; j++) {
            for (int way = 0; way < YS_WAYS; way++) {
                if (design->services[i].characteristics[j].ways[way].right > YS_RIGHT_OPEN)
                    return true;
            }
        }
    }
    return false;
}

void ys_check_security(struct ys_design *design)
{
    check_passkey(design);
    check_demands(design);
    check_limits(design);
    for (size_t i = 0; i < design->service_count; i++) {
        for (size_t j = 0; j < design->services[i].characteristic_count; j++)
            check_rights(design, &design->services[i].characteristics[j]);
    }
    if (design->security.given && design->findings.errors == 0 && !uses_security(design))
        ys_findings_add(&design->findings, YS_WARNING, "security", design->security.place,
                        "security is set up, but everything is open: give it something to protect, or leave it out");
}
