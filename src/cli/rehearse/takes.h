/* Takes of scenes: as JSON, in words, as JUnit XML. */
#ifndef CLI_REHEARSE_TAKES_H
#define CLI_REHEARSE_TAKES_H

#include <stdbool.h>
#include <stdio.h>

#include <jansson.h>

#include "scene/scene.h"
#include "scene/take.h"

/* A take as JSON, with its log if that is wanted; the caller's. */
json_t *take_to_json(const struct ys_scene *scene, const struct ys_take *take, bool log);

/* A take that was broken off, with the problem. */
json_t *broken_take(const char *file, const char *title, unsigned long long seed, const char *problem);

bool take_passed(const json_t *take);
bool take_is_broken(const json_t *take);

/* Prints it step by step. */
void take_print(FILE *stream, const json_t *take, bool colour);

/* Prints what devices have drawn; and what their images have told. */
void take_print_charge(FILE *stream, const json_t *take);
void take_print_images(FILE *stream, const json_t *take);

/* Prints the failure of a take: the step, the expected and the actual value, and the last packets. */
void take_print_failure(FILE *stream, const json_t *take, bool colour);

/* Whether the results for build servers may be written there: over results of before, and nothing else. False after a
 * line. */
bool takes_may_write_junit(const char *path);

/* Writes all takes of all scenes for build servers. False after a line, if it cannot be written. */
bool takes_write_junit(const char *path, const json_t *scenes);

#endif
