/* What a definition says of security, as the host takes it. */
#include "design/making/security.h"

#include <stdlib.h>

/* How many peers are remembered if nothing is said. */
#define BONDS_USUAL 4

enum ys_right ys_security_most(const struct ys_design *design)
{
    enum ys_right most = YS_RIGHT_NONE;
    for (size_t i = 0; i < design->service_count; i++) {
        for (size_t j = 0; j < design->services[i].characteristic_count; j++) {
            for (int way = 0; way < YS_WAYS; way++) {
                enum ys_right right = design->services[i].characteristics[j].ways[way].right;
                if (right > most)
                    most = right;
            }
        }
    }
    return most;
}

void ys_security_of(const struct ys_design *design, struct ys_security *security)
{
    const struct ys_device_security *said = &design->security;
    uint8_t capability = (uint8_t)(said->capability > 0 ? said->capability - 1 : YS_CAPABILITY_NONE);
    bool authenticated = said->least == YS_LEAST_AUTHENTICATED + 1;
    *security = (struct ys_security){
        .capability = capability,
        .least = (uint8_t)(!authenticated                               ? YS_LEVEL_ENCRYPTED
                           : said->secure_only && !said->key_size.given ? YS_LEVEL_SECURE_CONNECTIONS
                                                                        : YS_LEVEL_AUTHENTICATED),
        .key_size_min = (uint8_t)(said->key_size.given ? said->key_size.number : 16),
        .key_size_max = 16,
        .forgets = said->when_full != YS_WHEN_FULL_REFUSE + 1,
        .authenticates =
            capability != YS_CAPABILITY_NONE && (authenticated || ys_security_most(design) >= YS_RIGHT_AUTHENTICATED),
        .forbids_legacy = said->secure_only,
        .allows_debug_key = said->debug_key,
        .waits = said->begins == YS_BEGINS_FIRMWARE + 1,
        .privacy = said->privacy,
        .rotation_s = (uint16_t)(said->rotation_us.number / 1000000),
        .passkey = said->passkey.text != NULL ? (uint32_t)strtoul(said->passkey.text, NULL, 10) : YS_PASSKEY_RANDOM,
    };
    if (said->bonding)
        security->bonds = (uint8_t)(design->limits.bonds.given ? design->limits.bonds.number : BONDS_USUAL);
}
