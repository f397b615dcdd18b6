/* What the controller is told of encryption: to begin it, and with which key (Core 5.4 Vol 4 Part E 7.8.24 to 7.8.26).
 */
#include "host/smp/encryption.h"

#include <string.h>

#include "host/core/connections.h"
#include "host/core/events.h"
#include "host/smp/bonds.h"
#include "host/smp/session.h"
#include "host/smp/step.h"
#include "host/smp/tools.h"
#include "wire/hci.h"

/* Vol 3 Part C 10.6. */
void ys_encryption_begin(struct ys_host *host, struct ys_connection *connection, uint8_t key_from)
{
    connection->keys.key_from = key_from;
    connection->keys.encrypt_due = true;
    connection->held = true;
    ys_commands_want(host, BIT(COMMAND_ENCRYPT));
}

/* The next connection that waits: to be encrypted, or for an answer about its key; NULL if none does. While there is
 * one the command stays due: the last time it composes nothing, and is not sent. */
static struct ys_connection *next_due(struct ys_host *host, uint8_t answer, uint32_t command)
{
    for (struct ys_connection *connection = NULL; (connection = ys_connection_next(host, connection)) != NULL;) {
        const struct ys_link_keys *keys = &connection->keys;
        if (!(answer == KEY_NOT_ASKED ? keys->encrypt_due : keys->key_asked == answer))
            continue;
        ys_commands_want(host, command);
        return connection;
    }
    return NULL;
}

/* The key of this link: of the pairing that goes on, or was without a bond; or of a bond. False if it is not there any
 * more (Vol 3 Part H 2.4.4). */
bool ys_encryption_find_key(struct ys_host *host, const struct ys_connection *connection, struct ys_key *key)
{
    const struct ys_pairing *pairing = host->pairing;
    struct ys_bond bond;
    if (connection->keys.key_from == KEY_OF_PAIRING) {
        bool pairs = pairing->connection == connection;
        *key = (struct ys_key){.diversifier = 0};
        memcpy(key->value, pairs ? pairing->key : pairing->kept_key, sizeof key->value);
        return pairs || pairing->kept == connection;
    }
    bool good = ys_bonds_load(host, connection->keys.key_from, &bond);
    *key = connection->role == 0 ? bond.taken : bond.given;
    good = good && (bond.flags & (connection->role == 0 ? BOND_HAS_TAKEN : BOND_HAS_GIVEN)) != 0;
    ys_pairing_wipe(&bond, sizeof bond);
    return good;
}

static void put_key(struct ys_writer *writer, const struct ys_key *key)
{
    uint8_t value[16];
    ys_pairing_reverse(value, key->value, sizeof value);
    ys_put_bytes(writer, value, sizeof value);
    ys_pairing_wipe(value, sizeof value);
}

/* It does not come about. */
static void end_encryption(struct ys_host *host, struct ys_connection *connection, uint8_t status)
{
    connection->keys.encrypting = false;
    connection->held = false;
    ys_emit_plain(host, YS_EVENT_ENCRYPTION_FAILED, connection->handle, status);
}

/* Vol 4 Part E 7.8.24. */
static void compose_encrypt(struct ys_host *host, struct ys_writer *writer)
{
    struct ys_key key = {.diversifier = 0};
    struct ys_connection *connection = next_due(host, KEY_NOT_ASKED, BIT(COMMAND_ENCRYPT));
    if (connection == NULL)
        return;
    connection->keys.encrypt_due = false;
    connection->keys.encrypting = ys_encryption_find_key(host, connection, &key);
    if (connection->keys.encrypting) {
        struct ys_hci_key_name name = {.handle = connection->handle, .diversifier = key.diversifier};
        memcpy(name.random, key.random, sizeof name.random);
        ys_put_hci_key_name(writer, &name);
        put_key(writer, &key);
    } else { /* it was forgotten meanwhile */
        end_encryption(host, connection, YS_HCI_KEY_MISSING);
    }
    ys_pairing_wipe(&key, sizeof key);
}

/* Vol 4 Part E 7.7.65.5, 7.8.25, 7.8.26. */
static void compose_key(struct ys_host *host, struct ys_writer *writer)
{
    struct ys_key key = {.diversifier = 0};
    struct ys_connection *connection = next_due(host, KEY_KNOWN, BIT(COMMAND_KEY_REPLY));
    if (connection == NULL)
        return;
    if (ys_encryption_find_key(host, connection, &key)) {
        connection->keys.key_asked = KEY_NOT_ASKED;
        ys_put_u16(writer, connection->handle);
        put_key(writer, &key);
    } else { /* it was forgotten meanwhile */
        connection->keys.key_asked = KEY_UNKNOWN;
        ys_commands_want(host, BIT(COMMAND_NO_KEY));
    }
    ys_pairing_wipe(&key, sizeof key);
}

/* Vol 4 Part E 7.7.65.5, 7.8.25, 7.8.26. */
static void compose_no_key(struct ys_host *host, struct ys_writer *writer)
{
    struct ys_connection *connection = next_due(host, KEY_UNKNOWN, BIT(COMMAND_NO_KEY));
    if (connection == NULL)
        return;
    connection->keys.key_asked = KEY_NOT_ASKED;
    ys_put_u16(writer, connection->handle);
}

/* The controller would not begin. */
static void refused_encryption(struct ys_host *host, const char *name, uint8_t status)
{
    ys_host_log(host, name, status);
    for (struct ys_connection *connection = NULL; (connection = ys_connection_next(host, connection)) != NULL;) {
        if (!connection->held || connection->keys.encrypt_due)
            continue;
        if (host->pairing->connection != connection)
            end_encryption(host, connection, status);
        else if (connection->keys.encrypting)
            ys_pairing_fail(host, YS_SMP_UNSPECIFIED, false);
    }
}

const struct ys_command_row *ys_encryption_row(uint8_t command)
{
    static const struct ys_command_row encrypt = {YS_HCI_LE_ENABLE_ENCRYPTION, "LE Enable Encryption", compose_encrypt,
                                                  NULL, refused_encryption};
    static const struct ys_command_row key = {YS_HCI_LE_KEY_REPLY, "LE Long Term Key Request Reply", compose_key, NULL,
                                              NULL};
    static const struct ys_command_row no_key = {YS_HCI_LE_KEY_NEGATIVE_REPLY,
                                                 "LE Long Term Key Request Negative Reply", compose_no_key, NULL, NULL};
    if (command == COMMAND_ENCRYPT)
        return &encrypt;
    if (command == COMMAND_KEY_REPLY)
        return &key;
    return command == COMMAND_NO_KEY ? &no_key : NULL;
}
