/* What the controller tells of encryption: it asks for a key, and says what became of a link (Core 5.4 Vol 4 Part E
 * 7.7.8, 7.7.39, 7.7.65.5, 7.7.65.10). */
#include "host/smp/encrypted.h"

#include <string.h>

#include "host/core/connections.h"
#include "host/core/events.h"
#include "host/core/hooks.h"
#include "host/core/state.h"
#include "host/smp/bonds.h"
#include "host/smp/encryption.h"
#include "host/smp/session.h"
#include "host/smp/step.h"
#include "host/smp/tools.h"
#include "wire/hci.h"

/* Vol 4 Part E 7.7.65.5, 7.8.25, 7.8.26. */
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
        from = ys_bonds_find_key(host, connection, &name);
    if (from == 0 && !pairs && pairing->kept == connection && name.diversifier == 0)
        from = KEY_OF_PAIRING;
    uint8_t before = connection->keys.key_from;
    connection->keys.key_from = from;
    bool known = from != 0 && ys_encryption_find_key(host, connection, &key);
    ys_pairing_wipe(&key, sizeof key);
    if (!known)
        connection->keys.key_from = before;
    connection->keys.key_asked = known ? KEY_KNOWN : KEY_UNKNOWN;
    ys_commands_want(host, BIT(known ? COMMAND_KEY_REPLY : COMMAND_NO_KEY));
}

/* The link to a bonded peer is encrypted. */
static void peer_returned(struct ys_host *host, struct ys_connection *connection)
{
    struct ys_link_security *security = &connection->security;
    struct ys_bond bond;
    uint8_t number = connection->keys.key_from;
    if (!ys_bonds_load(host, number, &bond)) { /* forgotten meanwhile: the link must not stay as it is */
        security->key_size = 0;
        (void)ys_disconnect(host, connection->handle);
        return;
    }
    security->key_size = bond.key_size;
    security->authenticated = (bond.flags & BOND_AUTHENTICATED) != 0;
    security->secure_connections = (bond.flags & BOND_SECURE_CONNECTIONS) != 0;
    security->has_key = true;
    ys_bonds_touch(host, number, &bond);
    ys_pairing_wipe(&bond, sizeof bond);
    host->pairing->calls->bond_used(host, connection, number);
    ys_pairing_emit_level(host, connection);
}

static void link_encrypted(struct ys_host *host, struct ys_connection *connection)
{
    struct ys_pairing *pairing = host->pairing;
    struct ys_link_security *security = &connection->security;
    if (connection->keys.key_from != KEY_OF_PAIRING) {
        peer_returned(host, connection);
    } else if (pairing->connection == connection) {
        security->key_size = pairing->key_size;
        security->authenticated = pairing->method != YS_METHOD_JUST_WORKS;
        security->secure_connections = pairing->secure_connections;
        security->has_key = true;
        pairing->met |= MET_LINK;
    } else if (pairing->kept == connection) {
        ys_pairing_emit_level(host, connection);
    }
}

/* Vol 4 Part E 7.7.39. */
static void encryption_changed(struct ys_host *host, uint8_t event, struct ys_reader *parameters)
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
        link_encrypted(host, connection);
        return;
    }
    /* Vol 4 Part E 7.7.8: it has been switched off, which LE has no way to do: it is not to be trusted */
    if (status == YS_HCI_OK) {
        connection->security = (struct ys_link_security){.key_size = 0};
        connection->keys.ended = true;
        memset(&connection->notifications, 0, sizeof connection->notifications);
        memset(&connection->indications, 0, sizeof connection->indications);
        (void)ys_disconnect(host, handle);
    }
    if (pairs)
        ys_pairing_fail(host, YS_SMP_UNSPECIFIED, false);
    ys_emit_plain(host, YS_EVENT_ENCRYPTION_FAILED, handle, status != YS_HCI_OK ? status : YS_HCI_UNSPECIFIED);
}

/* A connection whose peer may have been resolved (Vol 4 Part E 7.7.65.1, 7.7.65.10). */
static void connection_made(struct ys_host *host, struct ys_reader *parameters)
{
    struct ys_hci_connection complete;
    ys_get_hci_enhanced_connection(parameters, &complete);
    if (ys_reader_ok(parameters) && host->state == STATE_READY)
        host->whole->connection_complete(host, &complete);
}

void ys_encryption_event_in(struct ys_host *host, uint8_t event, const struct ys_reader *parameters)
{
    struct ys_reader reader = *parameters;
    uint8_t subevent = event == YS_HCI_LE_META ? ys_get_u8(&reader) : 0;
    if (subevent == YS_HCI_LE_KEY_REQUEST)
        key_asked(host, &reader);
    else if (subevent == YS_HCI_LE_ENHANCED_CONNECTION_COMPLETE)
        connection_made(host, &reader);
    else if (event == YS_HCI_ENCRYPTION_CHANGE || event == YS_HCI_KEY_REFRESH_COMPLETE)
        encryption_changed(host, event, &reader);
}
