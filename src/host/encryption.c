/* The controller's side of security: it is told to encrypt a link, asks for the key of a peripheral, and tells what
 * became of it (Core 5.4 Vol 4 Part E 7.8.24 to 7.8.26, 7.7.8, 7.7.39). */
#include <string.h>

#include "host/pairing.h"

/* Of no connection: what the controller is told of it comes to nothing. */
#define NO_HANDLE 0x0eff

void encryption_begin(struct ys_host *host, struct ys_connection *connection, uint8_t key_from)
{
    connection->keys.key_from = key_from;
    connection->keys.encrypt_due = true;
    connection->held = true;
    ys_commands_want(host, BIT(COMMAND_ENCRYPT));
}

/* The next connection that waits: to be encrypted, or for an answer about its key; and whether there are more. */
static struct ys_connection *next_due(struct ys_host *host, uint8_t answer, bool *more)
{
    struct ys_connection *found = NULL;
    *more = false;
    for (size_t i = 0; i < YS_CONNECTIONS; i++) {
        struct ys_connection *connection = &host->connections[i];
        const struct ys_link_keys *keys = &connection->keys;
        bool due = answer == KEY_NOT_ASKED ? keys->encrypt_due : keys->key_asked == answer;
        if (!connection->used || !due)
            continue;
        *more = found != NULL;
        if (found != NULL)
            break;
        found = connection;
    }
    return found;
}

/* The key of this link: of the pairing that goes on, or of a bond. False if it is not there any more. */
static bool find_key(struct ys_host *host, const struct ys_connection *connection, struct ys_key *key)
{
    const struct ys_pairing *pairing = host->pairing;
    struct ys_bond bond;
    if (connection->keys.key_from == KEY_OF_PAIRING) {
        *key = (struct ys_key){.diversifier = 0};
        memcpy(key->value, pairing->key, sizeof key->value);
        return pairing->connection == connection;
    }
    bool good = bonds_load(host, connection->keys.key_from, &bond);
    *key = connection->role == 0 ? bond.taken : bond.given;
    good = good && (bond.flags & (connection->role == 0 ? BOND_HAS_TAKEN : BOND_HAS_GIVEN)) != 0;
    pairing_wipe(&bond, sizeof bond);
    return good;
}

static void put_key(struct ys_writer *writer, const struct ys_key *key)
{
    uint8_t value[16];
    pairing_reverse(value, key->value, sizeof value);
    ys_put_bytes(writer, value, sizeof value);
    pairing_wipe(value, sizeof value);
}

static void compose_encrypt(struct ys_host *host, struct ys_writer *writer)
{
    bool more;
    struct ys_key key = {.diversifier = 0};
    struct ys_connection *connection = next_due(host, KEY_NOT_ASKED, &more);
    struct ys_hci_key_name name = {.handle = connection != NULL ? connection->handle : NO_HANDLE};
    if (connection != NULL) {
        connection->keys.encrypt_due = false;
        connection->keys.encrypting = find_key(host, connection, &key);
        if (!connection->keys.encrypting) /* it was forgotten meanwhile: there is no such connection for it */
            name.handle = NO_HANDLE;
        name.diversifier = key.diversifier;
        memcpy(name.random, key.random, sizeof name.random);
    }
    ys_put_hci_key_name(writer, &name);
    put_key(writer, &key);
    pairing_wipe(&key, sizeof key);
    if (more)
        ys_commands_want(host, BIT(COMMAND_ENCRYPT));
}

static void compose_key(struct ys_host *host, struct ys_writer *writer)
{
    bool more;
    struct ys_key key = {.diversifier = 0};
    struct ys_connection *connection = next_due(host, KEY_KNOWN, &more);
    if (connection != NULL && find_key(host, connection, &key)) {
        connection->keys.key_asked = KEY_NOT_ASKED;
        ys_put_u16(writer, connection->handle);
    } else { /* the connection has ended, or the key was forgotten meanwhile: said of none, and then said again */
        ys_put_u16(writer, NO_HANDLE);
        pairing_wipe(&key, sizeof key);
        if (connection != NULL) {
            connection->keys.key_asked = KEY_UNKNOWN;
            ys_commands_want(host, BIT(COMMAND_NO_KEY));
        }
    }
    put_key(writer, &key);
    pairing_wipe(&key, sizeof key);
    if (more)
        ys_commands_want(host, BIT(COMMAND_KEY_REPLY));
}

static void compose_no_key(struct ys_host *host, struct ys_writer *writer)
{
    bool more;
    struct ys_connection *connection = next_due(host, KEY_UNKNOWN, &more);
    ys_put_u16(writer, connection != NULL ? connection->handle : NO_HANDLE);
    if (connection != NULL)
        connection->keys.key_asked = KEY_NOT_ASKED;
    if (more)
        ys_commands_want(host, BIT(COMMAND_NO_KEY));
}

/* The controller would not begin. */
static void refused(struct ys_host *host, const char *name, uint8_t status)
{
    ys_host_log(host, name, status);
    for (size_t i = 0; i < YS_CONNECTIONS; i++) {
        struct ys_connection *connection = &host->connections[i];
        if (!connection->used || !connection->held || host->pairing->connection == connection ||
            connection->keys.encrypt_due)
            continue;
        connection->keys.encrypting = false;
        connection->held = false;
        ys_emit(host, &(struct ys_event){
                          .kind = YS_EVENT_ENCRYPTION_FAILED, .connection = connection->handle, .reason = status});
    }
}

const struct ys_command_row *encryption_row(uint8_t command)
{
    static const struct ys_command_row encrypt = {YS_HCI_LE_ENABLE_ENCRYPTION, "LE Enable Encryption", compose_encrypt,
                                                  NULL, refused};
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

/* what is told */

static void key_asked(struct ys_host *host, struct ys_reader *parameters)
{
    const struct ys_pairing *pairing = host->pairing;
    struct ys_hci_key_name name;
    ys_get_hci_key_name(parameters, &name);
    struct ys_connection *connection = ys_connection_find(host, name.handle & 0x0fff);
    if (!ys_reader_ok(parameters) || connection == NULL)
        return;
    bool pairs = pairing->connection == connection;
    struct ys_key key;
    uint8_t from = 0;
    if (pairs && pairing->step->need == NEEDS_LINK)
        from = KEY_OF_PAIRING;
    else if (!pairs)
        from = bonds_find_key(host, connection, &name);
    uint8_t before = connection->keys.key_from;
    connection->keys.key_from = from;
    bool known = from != 0 && find_key(host, connection, &key);
    pairing_wipe(&key, sizeof key);
    if (!known)
        connection->keys.key_from = before;
    connection->keys.key_asked = known ? KEY_KNOWN : KEY_UNKNOWN;
    ys_commands_want(host, BIT(known ? COMMAND_KEY_REPLY : COMMAND_NO_KEY));
}

/* The link of somebody who is remembered is encrypted. */
static void returned(struct ys_host *host, struct ys_connection *connection)
{
    struct ys_link_security *security = &connection->security;
    struct ys_bond bond;
    uint8_t number = connection->keys.key_from;
    if (!bonds_load(host, number, &bond)) { /* forgotten meanwhile: the link must not stay as it is */
        security->key_size = 0;
        (void)ys_disconnect(host, connection->handle);
        return;
    }
    security->key_size = bond.key_size;
    security->authenticated = (bond.flags & BOND_AUTHENTICATED) != 0;
    security->secure_connections = (bond.flags & BOND_SECURE_CONNECTIONS) != 0;
    security->has_key = true;
    bonds_touch(host, number, &bond);
    pairing_wipe(&bond, sizeof bond);
    ys_remembered_load(host, connection, number);
    pairing_emit_level(host, connection);
}

static void encrypted(struct ys_host *host, struct ys_connection *connection)
{
    struct ys_pairing *pairing = host->pairing;
    struct ys_link_security *security = &connection->security;
    if (connection->keys.key_from != KEY_OF_PAIRING) {
        returned(host, connection);
    } else if (pairing->connection == connection) {
        security->key_size = pairing->key_size;
        security->authenticated = pairing->method != YS_METHOD_JUST_WORKS;
        security->secure_connections = pairing->secure_connections;
        security->has_key = true;
        pairing->met |= MET_LINK;
    }
}

static void changed(struct ys_host *host, uint8_t event, struct ys_reader *parameters)
{
    uint8_t status = ys_get_u8(parameters);
    uint16_t handle = ys_get_u16(parameters) & 0x0fff;
    bool on = event == YS_HCI_KEY_REFRESH_COMPLETE || ys_get_u8(parameters) != 0;
    struct ys_connection *connection = ys_connection_find(host, handle);
    if (!ys_reader_ok(parameters) || connection == NULL)
        return;
    bool pairs = host->pairing->connection == connection;
    connection->keys.encrypting = false;
    connection->held = pairs;
    if (status == YS_HCI_OK && on) {
        encrypted(host, connection);
        return;
    }
    if (status == YS_HCI_OK) { /* 7.7.8: it has been switched off, which LE has no way to do: it is not to be trusted */
        connection->security = (struct ys_link_security){.key_size = 0};
        connection->keys.ended = true;
        memset(&connection->notifications, 0, sizeof connection->notifications);
        memset(&connection->indications, 0, sizeof connection->indications);
        (void)ys_disconnect(host, handle);
    }
    if (pairs)
        pairing_fail(host, YS_SMP_UNSPECIFIED, false);
    ys_emit(host, &(struct ys_event){.kind = YS_EVENT_ENCRYPTION_FAILED,
                                     .connection = handle,
                                     .reason = status != YS_HCI_OK ? status : YS_HCI_UNSPECIFIED});
}

/* A connection whose peer was resolved: the keys are made of the addresses that are on the air. */
static void connected(struct ys_host *host, struct ys_reader *parameters)
{
    struct ys_hci_connection complete;
    ys_get_hci_enhanced_connection(parameters, &complete);
    if (!ys_reader_ok(parameters) || host->state != STATE_READY)
        return;
    ys_gap_connection_complete(host, &complete);
    struct ys_connection *connection = ys_connection_find(host, complete.handle);
    if (connection == NULL || complete.status != YS_HCI_OK)
        return;
    if (complete.own_is_made)
        connection->keys.own = complete.own_made;
    if (complete.peer_is_made)
        connection->keys.air = complete.peer_made;
}

void encryption_event(struct ys_host *host, uint8_t event, const struct ys_reader *parameters)
{
    struct ys_reader reader = *parameters;
    uint8_t subevent = event == YS_HCI_LE_META ? ys_get_u8(&reader) : 0;
    if (subevent == YS_HCI_LE_KEY_REQUEST)
        key_asked(host, &reader);
    else if (subevent == YS_HCI_LE_ENHANCED_CONNECTION_COMPLETE)
        connected(host, &reader);
    else if (event == YS_HCI_ENCRYPTION_CHANGE || event == YS_HCI_KEY_REFRESH_COMPLETE)
        changed(host, event, &reader);
}
