/* The connections of a host. */
#include "host/core/connections.h"

#include <yarnswift/security.h>

#include "host/core/context.h"
#include "host/core/due.h"

struct ys_connection *ys_connection_next(struct ys_host *host, struct ys_connection *connection)
{
    connection = connection == NULL ? host->connections : connection + 1;
    while (connection < host->connections + host->connection_end && !connection->used)
        connection++;
    return connection < host->connections + host->connection_end ? connection : NULL;
}

struct ys_connection *ys_connection_find(struct ys_host *host, uint16_t handle)
{
    struct ys_connection *connection = NULL;
    do
        connection = ys_connection_next(host, connection);
    while (connection != NULL && connection->handle != handle);
    return connection;
}

struct ys_connection *ys_connection_free(struct ys_host *host)
{
    size_t most = host->settings.connections > 0 ? host->settings.connections : YS_CONNECTIONS;
    size_t used = 0;
    struct ys_connection *found = NULL;
    for (size_t i = 0; i < YS_CONNECTIONS; i++) {
        if (host->connections[i].used)
            used++;
        else if (found == NULL)
            found = &host->connections[i];
    }
    return used < most ? found : NULL;
}

/* Vol 3 Part C 9.3.10. */
enum ys_result ys_disconnect(struct ys_host *host, uint16_t connection)
{
    YS_NOT_IN_INTERRUPT(host, "ys_disconnect");
    struct ys_connection *found = ys_connection_find(host, connection);
    if (found == NULL)
        return YS_ERROR_NO_CONNECTION;
    if (found->ending)
        return YS_OK;
    found->ending = true;
    found->disconnect_due = true;
    ys_commands_want(host, BIT(COMMAND_DISCONNECT));
    return YS_OK;
}

/* Vol 3 Part C 10.2.1. */
uint8_t ys_link_level(const struct ys_link_security *security)
{
    if (security->key_size == 0)
        return YS_LEVEL_OPEN;
    if (!security->authenticated)
        return YS_LEVEL_ENCRYPTED;
    return security->secure_connections && security->key_size == YS_LEVEL_4_KEY_SIZE ? YS_LEVEL_SECURE_CONNECTIONS
                                                                                     : YS_LEVEL_AUTHENTICATED;
}
