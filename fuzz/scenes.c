/* Scenes: whatever the text, it is read or refused with a reason, and each step can be said in words. Every definition
 * that a scene names is the torque wrench's, and every module is there. */
#include <stdlib.h>
#include <string.h>

#include "design/open.h"
#include "scene/scene.h"
#include "scene/scene_read.h"
#include "scene/scene_words.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

/* The wrench's definition (made at build time). */
extern const char wrench_definition[];

static struct ys_design *open_wrench(void *context, const char *path)
{
    (void)context;
    if (strstr(path, "none") != NULL)
        return NULL;
    return ys_design_read("torque_wrench.device.yaml", wrench_definition, strlen(wrench_definition), NULL, NULL);
}

static char *find_module(void *context, const char *scene, const char *name, char *looked, size_t size)
{
    (void)context;
    (void)scene;
    (void)looked;
    (void)size;
    return strstr(name, "none") != NULL ? NULL : strdup(name);
}

static void say(const struct ys_steps *steps)
{
    for (size_t i = 0; i < steps->count; i++) {
        char text[80];
        ys_step_say(&steps->items[i], text, sizeof text);
        if (strlen(text) >= sizeof text)
            abort();
        say(&steps->items[i].steps);
    }
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    const struct ys_scene_files files = {.design = open_wrench, .module = find_module};
    struct ys_scene *scene = ys_scene_read("fuzz.scene.yaml", (const char *)data, size, &files);
    if (scene->findings.errors == 0) {
        struct ys_steps steps;
        say(&scene->steps);
        (void)ys_scene_read_step(scene, "{read: preset}", &steps);
        ys_steps_clear(&steps);
    }
    for (size_t i = 0; i < scene->findings.count; i++) {
        if (scene->findings.items[i].text[0] == '\0')
            abort();
    }
    ys_scene_free(scene);
    return 0;
}
