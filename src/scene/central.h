/* A central in a world: a host on a simulated controller that is told what to do, one thing after the other. Each call
 * lets time pass until the thing is done, or until it has taken too long, and says in the log what came of it. */
#ifndef SCENE_CENTRAL_H
#define SCENE_CENTRAL_H

#include <stdbool.h>
#include <stdint.h>

#include "design/model.h"
#include "measure/stream.h"
#include "scene/world.h"

struct ys_central;

/* `design` gives the names of what it discovers, and must outlive it. NULL if there is no memory. */
struct ys_central *ys_central_new(struct ys_world *world, uint16_t number, const char *name,
                                  const struct ys_design *design);
void ys_central_free(struct ys_central *central);

/* Switches it on. */
bool ys_central_start(struct ys_central *central);

/* Scans until a device of this name is heard, and remembers its address. */
bool ys_central_find(struct ys_central *central, const char *name, uint64_t at_most_ns);

/* Takes this for what it has found, without scanning. */
void ys_central_know(struct ys_central *central, const struct ys_address *address);

/* Connects to what it has found. */
bool ys_central_connect(struct ys_central *central, uint32_t interval_us);

bool ys_central_exchange_mtu(struct ys_central *central);

/* Discovers everything, and lists it with the definition's names. */
bool ys_central_discover(struct ys_central *central);

/* Reads the value of a characteristic. */
bool ys_central_read(struct ys_central *central, const struct ys_characteristic *characteristic);

/* Writes a value, as a person writes it. Returns the ATT error of the answer, 0 for none, or -1. */
int ys_central_write(struct ys_central *central, const struct ys_characteristic *characteristic, const char *text);

/* Writes a value without asking for an answer. */
bool ys_central_command(struct ys_central *central, const struct ys_characteristic *characteristic, const char *text);

/* Switches notifications on or off. */
bool ys_central_subscribe(struct ys_central *central, const struct ys_characteristic *characteristic, bool on);

/* Lets time pass while values come; the first few, and then some, are listed. */
void ys_central_watch(struct ys_central *central, uint64_t for_ns);

bool ys_central_disconnect(struct ys_central *central);

/* How many values have come by notification and indication since it was made. */
uint64_t ys_central_received(const struct ys_central *central);

/* The values that have come of the characteristic to which it subscribed first. */
const struct ys_stream_meter *ys_central_stream(const struct ys_central *central);

#endif
