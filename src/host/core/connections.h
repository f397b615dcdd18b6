/* The connections of a host: places that are free or used. */
#ifndef HOST_CORE_CONNECTIONS_H
#define HOST_CORE_CONNECTIONS_H

#include <yarnswift/host.h>

/* The next of those that are used, from NULL to NULL. */
struct ys_connection *ys_connection_next(struct ys_host *host, struct ys_connection *connection);

/* NULL if there is none with this handle. */
struct ys_connection *ys_connection_find(struct ys_host *host, uint16_t handle);

/* One that is free, or NULL. */
struct ys_connection *ys_connection_free(struct ys_host *host);

/* Level 4 also asks for a key of 16 bytes (Core 5.4 Vol 3 Part C 10.2.1). */
#define YS_LEVEL_4_KEY_SIZE 16

/* The level of a link (enum ys_level). */
uint8_t ys_link_level(const struct ys_link_security *security);

#endif
