/* The connections of a capture: what is known of each, and how. */
#ifndef CLI_AUDIT_CONNECTIONS_H
#define CLI_AUDIT_CONNECTIONS_H

#include <jansson.h>

#include "capture/follow/follow.h"

/* Prints what the audit knows of each connection. Times count from `first_ns`. */
void print_connections(const struct ys_follower *follower, uint64_t first_ns);

/* How many of them began before the capture did, or in a hole of it. */
unsigned count_joined(const struct ys_follower *follower);

/* The same as JSON: an array; what is not known is null. */
json_t *connections_json(const struct ys_follower *follower, uint64_t first_ns);

#endif
