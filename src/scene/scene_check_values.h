/* Checks of the object of a step, given its keys and its actor: a characteristic and its values, an input, a peer, a
 * name, a service, an address, a reason. */
#ifndef SCENE_SCENE_CHECK_VALUES_H
#define SCENE_SCENE_CHECK_VALUES_H

#include "scene/checking.h"

void scene_check_characteristic(struct checking *checking, struct ys_step *step);
void scene_check_set(struct checking *checking, struct ys_step *step);
void scene_check_peer(struct checking *checking, struct ys_step *step);
void scene_check_name(struct checking *checking, const struct ys_step *step);
void scene_check_service(struct checking *checking, struct ys_step *step);
void scene_check_address(struct checking *checking, struct ys_step *step);
void scene_check_reason(struct checking *checking, const struct ys_written *reason);

#endif
