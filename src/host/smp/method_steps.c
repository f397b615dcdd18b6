/* Steps that several methods have (Core 5.4 Vol 3 Part H 2.3.5). */
#include "host/smp/method_steps.h"

#include <string.h>

#include "host/core/events.h"
#include "host/smp/encryption.h"
#include "host/smp/keys.h"
#include "host/smp/session.h"
#include "host/smp/tools.h"

void ys_smp_address_of(const struct ys_host *host, bool own, uint8_t address[YS_TOOLBOX_ADDRESS])
{
    const struct ys_connection *connection = host->pairing->connection;
    const struct ys_address *from = own ? &connection->keys.own : &connection->keys.air;
    address[0] = from->type;
    ys_pairing_reverse(address + 1, from->bytes, sizeof from->bytes);
}

uint8_t ys_smp_cipher_failed(bool good)
{
    return good ? GOOD : YS_SMP_UNSPECIFIED;
}

void ys_smp_emit_passkey(struct ys_host *host, enum ys_event_kind kind)
{
    ys_emit(host, &(struct ys_event){.kind = kind,
                                     .connection = host->pairing->connection->handle,
                                     .u.passkey = host->pairing->passkey});
}

bool ys_smp_is_passkey(const struct ys_pairing *pairing)
{
    return pairing->method >= YS_METHOD_INITIATOR_SHOWS && pairing->method <= YS_METHOD_BOTH_ENTER;
}

void ys_smp_passkey_to_secret(struct ys_pairing *pairing)
{
    memset(pairing->secret, 0, sizeof pairing->secret);
    for (int i = 0; i < 4; i++)
        pairing->secret[15 - i] = (uint8_t)(pairing->passkey >> 8 * i);
}

uint8_t ys_smp_draw_random(struct ys_host *host)
{
    struct ys_pairing *pairing = host->pairing;
    return ys_pairing_random(host, pairing->own_random, sizeof pairing->own_random) ? GOOD : YS_SMP_UNSPECIFIED;
}

/* Vol 3 Part H 3.5.3, 3.5.4. */
uint8_t ys_smp_send_random(struct ys_host *host, const struct ys_smp_pdu *unused)
{
    (void)unused;
    ys_pairing_send_value(host, YS_SMP_PAIRING_RANDOM, host->pairing->own_random);
    return GOOD;
}

/* Vol 3 Part H 3.5.3, 3.5.4. */
uint8_t ys_smp_take_confirm(struct ys_host *host, const struct ys_smp_pdu *pdu)
{
    ys_pairing_reverse(host->pairing->peer_confirm, pdu->value, 16);
    host->pairing->tainted = true; /* whoever gets this far may be guessing */
    return GOOD;
}

/* Vol 3 Part H 3.5.3, 3.5.4. */
void ys_smp_take_random(struct ys_host *host, const struct ys_smp_pdu *pdu)
{
    ys_pairing_reverse(host->pairing->peer_random, pdu->value, 16);
}

/* The link is to be encrypted with `pairing->key`; shorter keys end in zeros (Vol 3 Part H 2.3.4). */
void ys_smp_use_key(struct ys_host *host)
{
    struct ys_pairing *pairing = host->pairing;
    memset(pairing->key, 0, (size_t)16 - pairing->key_size);
    if (pairing->initiator)
        ys_encryption_begin(host, pairing->connection, KEY_OF_PAIRING);
}

uint8_t ys_smp_link_is_encrypted(struct ys_host *host, const struct ys_smp_pdu *unused)
{
    (void)unused;
    host->pairing->step = ys_keys_steps;
    return GOOD;
}
