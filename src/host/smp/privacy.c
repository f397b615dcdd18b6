/* Privacy (Core 5.4 Vol 3 Part C 10.7): the device's address is made from its identity key, and made anew after a
 * while, so that only who has the key can tell whose it is. */
#include "host/smp/privacy.h"

#include <string.h>

#include "host/core/clock.h"
#include "host/core/hooks.h"
#include "host/core/state.h"
#include "host/smp/tools.h"
#include "wire/hci.h"

#define ROTATION_USUAL_S 900

uint16_t ys_privacy_rotation_s(const struct ys_pairing *pairing)
{
    return pairing->security->rotation_s != 0 ? pairing->security->rotation_s : ROTATION_USUAL_S;
}

static uint32_t rotation_ms(const struct ys_pairing *pairing)
{
    return ys_privacy_rotation_s(pairing) * 1000u;
}

/* Vol 6 Part B 1.3.2.2: 24 bits by chance, of which the two highest are 01, and their hash. Without random numbers the
 * address stays as it is. */
static void compose_address(struct ys_host *host, struct ys_writer *writer)
{
    const struct ys_cipher cipher = ys_pairing_cipher(host);
    struct ys_pairing *pairing = host->pairing;
    uint8_t random[3];
    uint8_t hash[3];
    pairing->rotate_ms = ys_now_ms(host) + rotation_ms(pairing);
    if (!ys_pairing_random(host, random, sizeof random))
        return;
    random[0] = (uint8_t)((random[0] & 0x3f) | 0x40);
    if (!ys_toolbox_ah(&cipher, pairing->own_identity_key, random, hash))
        return;
    host->address.type = YS_ADDRESS_RANDOM;
    ys_pairing_reverse(host->address.bytes, hash, sizeof hash);
    ys_pairing_reverse(host->address.bytes + 3, random, sizeof random);
    ys_put_address(writer, &host->address);
}

static void complete_identity(struct ys_host *host, struct ys_reader *parameters)
{
    if (host->pairing->has_public_identity)
        ys_get_address(parameters, &host->pairing->identity);
}

const struct ys_command_row *ys_privacy_row(const struct ys_host *host, uint8_t command)
{
    static const struct ys_command_row address = {YS_HCI_LE_SET_RANDOM_ADDRESS, "LE Set Random Address",
                                                  compose_address, NULL, NULL};
    static const struct ys_command_row identity = {YS_HCI_READ_ADDRESS, "Read BD_ADDR", NULL, complete_identity, NULL};
    if (!host->pairing->security->privacy)
        return NULL;
    if (command == COMMAND_SET_RANDOM_ADDRESS || command == COMMAND_ROTATE)
        return &address;
    return command == COMMAND_READ_ADDRESS ? &identity : NULL;
}

void ys_privacy_begin(struct ys_host *host)
{
    struct ys_pairing *pairing = host->pairing;
    pairing->has_public_identity = host->settings.address_type == YS_OWN_PUBLIC;
    pairing->identity.type = YS_ADDRESS_PUBLIC;
    host->settings.address_type = YS_OWN_STATIC; /* the address that it uses is a random one */
}

/* Vol 3 Part C 10.7. */
uint32_t ys_privacy_run(struct ys_host *host, uint32_t now_ms)
{
    struct ys_pairing *pairing = host->pairing;
    if (!pairing->security->privacy || host->state != STATE_READY)
        return YS_FOREVER;
    uint32_t wait_ms = ys_until_ms(now_ms, pairing->rotate_ms);
    if (wait_ms > 0)
        return wait_ms;
    /* Vol 4 Part E 7.8.4: not while a connection is being made, for which the other side may know the address */
    bool connects = host->connecting && (host->commands_due & BIT(COMMAND_CONNECT)) == 0;
    bool begins = (host->commands_due & (BIT(COMMAND_SCAN_ON) | BIT(COMMAND_CONNECT))) != 0;
    /* Vol 6 Part B 6: the controller makes what it sends, but to whom it does not know; this is for them, and is made
     * anew when it is used again */
    if (host->own_type >= YS_HCI_OWN_RESOLVABLE && (connects || !(host->scanning_on || begins)))
        return YS_FOREVER;
    if (connects)
        return 1000;
    pairing->rotate_ms = now_ms + rotation_ms(pairing);
    ys_commands_want(host, BIT(COMMAND_ROTATE));
    pairing->calls->renew(host);
    return rotation_ms(pairing);
}
