/* What a scene says of the air: its keys. */
#ifndef SCENE_SCENE_AIR_READ_H
#define SCENE_SCENE_AIR_READ_H

#include "design/reading/yaml.h"
#include "scene/scene.h"

/* A number with its unit, of several that there are. */
struct ys_quantity_unit {
    const char *unit;
    double factor;
};

/* Reads a quantity in that unit whose factor is 1; false, after a finding that gives an example, if it is none, or not
 * within the bounds. */
bool ys_scene_quantity(const struct ys_node *node, const struct ys_quantity_unit *units, double least, double most,
                       const char *example, double *value);

/* A place: two distances in metres. */
void ys_scene_place(const struct ys_node *node, struct ys_place_m *place);

extern const struct ys_kind ys_kind_fading;
extern const struct ys_kind ys_kind_disturbers;

/* Readers of keys of a scene, and of one of an actor. */
void ys_scene_key_fading(const struct ys_node *node, void *target);
void ys_scene_key_disturbers(const struct ys_node *node, void *target);
void ys_scene_key_body(const struct ys_node *node, void *target);

#endif
