/* A scene is read. */
#ifndef SCENE_SCENE_READ_H
#define SCENE_SCENE_READ_H

#include <stdbool.h>
#include <stddef.h>

#include "design/reading/yaml.h"
#include "scene/scene.h"

/* Reads and checks a scene. Always returns one; it may be played if findings.errors is 0. `text` is copied. */
struct ys_scene *ys_scene_read(const char *file, const char *text, size_t length, const struct ys_scene_files *files);

/* Reads and checks one step more, for whoever plays step by step: YAML of a step. It is not added to those of the
 * scene; ys_steps_clear frees it. False, with findings, which are then its alone, if it cannot be done. */
bool ys_scene_read_step(struct ys_scene *scene, const char *text, struct ys_steps *steps);

/* A whole scene, for the schema. */
extern const struct ys_mapping ys_scene_mapping;

/* The mapping of one step, for whoever reads single ones. Target: struct ys_step. */
extern const struct ys_mapping ys_step_mapping;

#endif
