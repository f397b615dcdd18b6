/* Common parts of the checks: errors, and lookups by name. */
#include "scene/checking.h"

#include <stdarg.h>
#include <stdio.h>
#include <string.h>

#include "design/model/words.h"

void scene_error(struct checking *checking, const char *code, struct ys_place place, const char *format, ...)
{
    char text[500];
    va_list arguments;
    va_start(arguments, format);
    (void)vsnprintf(text, sizeof text, format, arguments);
    va_end(arguments);
    ys_findings_add(&checking->scene->findings, YS_ERROR, code, place, "%s", text);
}

void scene_unknown(struct checking *checking, const struct ys_written *written, const char *what,
                   const char *const *names, size_t count)
{
    char list[300] = "";
    size_t used = 0;
    const char *nearest = ys_word_nearest(written->text, names, count);
    if (nearest != NULL) {
        scene_error(checking, "name-unknown", written->place, "there is no %s \"%s\"; did you mean \"%s\"?", what,
                    written->text, nearest);
        return;
    }
    for (size_t i = 0; i < count && used + strlen(names[i]) + 3 < sizeof list; i++)
        used += (size_t)snprintf(list + used, sizeof list - used, "%s%s", i > 0 ? ", " : "", names[i]);
    scene_error(checking, "name-unknown", written->place, "there is no %s \"%s\"; there %s%s", what, written->text,
                count == 0 ? "is none" : "are ", list);
}

size_t scene_actor_named(const struct ys_scene *scene, const char *name, size_t first, size_t end)
{
    for (size_t i = first; i < end; i++) {
        if (scene->actors[i].name.text != NULL && strcmp(scene->actors[i].name.text, name) == 0)
            return i;
    }
    return YS_NOBODY;
}

size_t scene_find_actor(struct checking *checking, const struct ys_written *name, size_t first, size_t end,
                        const char *what)
{
    const struct ys_scene *scene = checking->scene;
    const char *names[NAMES_MOST];
    size_t count = 0;
    size_t found = scene_actor_named(scene, name->text, first, end);
    if (found != YS_NOBODY)
        return found;
    for (size_t i = first; i < end && count < NAMES_MOST; i++)
        names[count++] = scene->actors[i].name.text;
    scene_unknown(checking, name, what, names, count);
    return YS_NOBODY;
}

size_t scene_only_one(size_t first, size_t end)
{
    return end - first == 1 ? first : YS_NOBODY;
}
