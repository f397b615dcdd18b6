/* What is demanded of a link. */
#ifndef HOST_SMP_DEMAND_H
#define HOST_SMP_DEMAND_H

#include <yarnswift/pairing.h>

/* The peripheral asks for security (Vol 3 Part H 2.4.6). */
void ys_pairing_security_requested(struct ys_host *host, struct ys_connection *connection, uint8_t requirements);
/* An access was refused with this error: true if something is done about it, and it may be tried again then. */
bool ys_pairing_demanded(struct ys_host *host, struct ys_connection *connection, uint8_t error);
/* Does what is due for a connection. */
void ys_pairing_run_connection(struct ys_host *host, struct ys_connection *connection);

#endif
