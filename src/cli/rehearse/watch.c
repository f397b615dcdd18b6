/* What a page shows of a take. */
#include "cli/rehearse/watch.h"

#include <stdlib.h>

#include "capture/follow/follow.h"
#include "cli/page/page.h"
#include "cli/page/timeline.h"
#include "design/making/layout.h"
#include "world/glossary.h"

struct watch {
    const struct ys_scene *scene;
    struct ys_names *names;
    struct ys_layout **layouts;
    struct ys_glossary glossary;
    struct timeline *timeline;
    struct ys_follower *follower;
    struct ys_recording *recording; /* somebody's, or its own */
    struct ys_recording own;
    struct ys_record_sink next; /* where somebody's went */
};

static void take(void *context, const struct ys_record *record)
{
    struct watch *watch = context;
    ys_follower_take(watch->follower, record);
    if (watch->next.take != NULL)
        watch->next.take(watch->next.context, record);
}

static bool name_devices(struct watch *watch)
{
    bool good = true;
    for (size_t i = 0; i < watch->scene->device_count && good; i++) {
        const struct ys_actor *actor = &watch->scene->actors[i];
        watch->layouts[i] = ys_layout_new(actor->design);
        good =
            watch->layouts[i] != NULL && ys_names_add(watch->names, actor->name.text, actor->design, watch->layouts[i]);
    }
    return good;
}

static void free_watch(struct watch *watch)
{
    ys_follower_free(watch->follower);
    timeline_free(watch->timeline);
    ys_names_free(watch->names);
    for (size_t i = 0; i < watch->scene->device_count && watch->layouts != NULL; i++)
        ys_layout_free(watch->layouts[i]);
    free(watch->layouts);
    free(watch);
}

struct watch *watch_begin(const struct ys_scene *scene, struct ys_recording *recording)
{
    struct watch *watch = calloc(1, sizeof *watch);
    if (watch == NULL)
        return NULL;
    watch->scene = scene;
    watch->names = ys_names_new();
    watch->layouts = calloc(scene->device_count + 1, sizeof(struct ys_layout *));
    bool good = watch->names != NULL && watch->layouts != NULL && name_devices(watch);
    if (good) {
        watch->glossary = ys_names_glossary(watch->names);
        watch->timeline = timeline_new(&watch->glossary);
        watch->follower = watch->timeline != NULL ? ys_follower_new(timeline_take, watch->timeline) : NULL;
    }
    if (watch->follower == NULL) {
        free_watch(watch);
        return NULL;
    }
    watch->recording = recording != NULL ? recording : &watch->own;
    watch->next = watch->recording->sink;
    watch->recording->sink = (struct ys_record_sink){.take = take, .context = watch};
    return watch;
}

struct ys_recording *watch_recording(struct watch *watch)
{
    return watch->recording;
}

json_t *watch_end(struct watch *watch)
{
    const struct ys_scene *scene = watch->scene;
    json_t *devices = json_array();
    json_t *centrals = json_array();
    for (size_t i = 0; i < scene->actor_count; i++)
        (void)json_array_append_new(i < scene->device_count ? devices : centrals,
                                    page_text(scene->actors[i].name.text));
    json_t *watched =
        json_pack("{s:o, s:o, s:o}", "devices", devices, "centrals", centrals, "air", timeline_json(watch->timeline));
    free_watch(watch);
    return watched;
}
