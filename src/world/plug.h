/* A device whose host is outside of the simulation, at a line: nothing is known of it but what it tells its controller.
 * To a device it is a module. */
#ifndef WORLD_PLUG_H
#define WORLD_PLUG_H

#include <yarnswift/workstation.h>

struct ys_plug;

/* NULL if there is no memory. */
struct ys_plug *ys_plug_new(void);
void ys_plug_free(struct ys_plug *plug);

/* What a device is made with; the plug's own. */
const struct ys_module *ys_plug_module(const struct ys_plug *plug);

/* Who carries packets from its controller to its host. */
typedef void ys_plug_fn(void *context, const uint8_t *packet, size_t length);
void ys_plug_carry(struct ys_plug *plug, ys_plug_fn *carry, void *context);

/* A packet has come from its host. */
void ys_plug_send(struct ys_plug *plug, const uint8_t *packet, size_t length);

/* Its controller has no power any more, until its host is made again. */
void ys_plug_stop(struct ys_plug *plug);

/* It has been found on the air by its name, which its host does not tell: this is its address. */
void ys_plug_assume(struct ys_plug *plug, const struct ys_address *address);

/* Whether its address is known. */
bool ys_plug_has_address(const struct ys_plug *plug);

/* Whether a packet has ever come from its host. */
bool ys_plug_is_there(const struct ys_plug *plug);

#endif
