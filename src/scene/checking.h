/* What the parts of a scene's check share. */
#ifndef SCENE_CHECKING_H
#define SCENE_CHECKING_H

#include "scene/scene.h"

/* Names in a list of suggestions, at most. */
#define NAMES_MOST 256

struct checking {
    struct ys_scene *scene;
    const struct ys_scene_files *files;
    const struct ys_step **subscriptions; /* so far, in the order of the file */
    size_t subscription_count;
};

#if defined(__GNUC__)
__attribute__((format(printf, 4, 5)))
#endif
void scene_error(struct checking *checking, const char *code, struct ys_place place, const char *format, ...);

/* Reports an unknown name, with the nearest one, or with all. */
void scene_unknown(struct checking *checking, const struct ys_written *written, const char *what,
                   const char *const *names, size_t count);

/* The actor of this name among those from `first` to `end`, or YS_NOBODY; the second also reports that. */
size_t scene_actor_named(const struct ys_scene *scene, const char *name, size_t first, size_t end);
size_t scene_find_actor(struct checking *checking, const struct ys_written *name, size_t first, size_t end,
                        const char *what);

/* The only one of those from `first` to `end`, or YS_NOBODY. */
size_t scene_only_one(size_t first, size_t end);

#endif
