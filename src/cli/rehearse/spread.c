#include "cli/rehearse/spread.h"

#include <stdio.h>
#include <stdlib.h>

#include "cli/rehearse/takes.h"

#define NAME_SIZE 4400

/* Which scene a take is of. Each has as many seeds, one at least. */
static size_t scene_of(const struct rehearsal *rehearsal, size_t index)
{
    unsigned long long seeds = rehearsal->input->seeds;
    return seeds > 1 ? index / seeds : index;
}

/* What results are of: these scenes, as they stand there. */
static char *describe(const struct files *paths)
{
    char *about = NULL;
    if (asprintf(&about, "%d scene%s, %s first, as they are (%016llx)", paths->count, paths->count == 1 ? "" : "s",
                 paths->paths[0], (unsigned long long)share_stamp(paths->paths, paths->count)) < 0)
        abort();
    return about;
}

static void name_take(const struct rehearsal *rehearsal, size_t index, char name[NAME_SIZE])
{
    unsigned long long seeds = rehearsal->input->seeds;
    (void)snprintf(name, NAME_SIZE, "%s --seed %llu", rehearsal->scenes[scene_of(rehearsal, index)]->file,
                   rehearsal->input->seed + (seeds > 1 ? index % seeds : 0));
}

/* The longest scenes first, so that no core is left with one of them at the end. */
static void put_longest_first(struct rehearsal *rehearsal)
{
    size_t *sorted = calloc(rehearsal->todo_count + 1, sizeof *sorted);
    size_t *order = calloc(rehearsal->scene_count + 1, sizeof *order);
    size_t count = 0;
    if (sorted == NULL || order == NULL)
        abort();
    for (size_t i = 0; i < rehearsal->scene_count; i++) { /* they are few */
        uint64_t last_us = ys_steps_last_us(&rehearsal->scenes[i]->steps, false);
        size_t at = i;
        for (; at > 0 && ys_steps_last_us(&rehearsal->scenes[order[at - 1]]->steps, false) < last_us; at--)
            order[at] = order[at - 1];
        order[at] = i;
    }
    for (size_t i = 0; i < rehearsal->scene_count; i++) {
        for (size_t j = 0; j < rehearsal->todo_count; j++) {
            if (scene_of(rehearsal, rehearsal->todo[j]) == order[i])
                sorted[count++] = rehearsal->todo[j];
        }
    }
    free(order);
    free(rehearsal->todo);
    rehearsal->todo = sorted;
}

bool spread_choose(struct rehearsal *rehearsal)
{
    const struct input *input = rehearsal->input;
    size_t count = rehearsal->scene_count * input->seeds;
    char name[NAME_SIZE];
    rehearsal->played = calloc(count + 1, sizeof(json_t *));
    rehearsal->todo = calloc(count + 1, sizeof *rehearsal->todo);
    if (rehearsal->played == NULL || rehearsal->todo == NULL)
        abort();
    if (input->share.results != NULL) {
        char *about = describe(&input->common.files);
        rehearsal->store = results_open("yarnswift rehearse", input->share.results, about);
        free(about);
        if (rehearsal->store == NULL)
            return false;
    }
    for (size_t index = 0; index < count; index++) {
        bool mine = share_is_mine(&input->share, index);
        name_take(rehearsal, index, name);
        rehearsal->mine += mine;
        if ((mine || input->share.undone) && (rehearsal->store == NULL || !results_has(rehearsal->store, name)))
            rehearsal->todo[rehearsal->todo_count++] = index;
    }
    if (!input->share.undone)
        put_longest_first(rehearsal);
    return true;
}

void spread_say_undone(const struct rehearsal *rehearsal)
{
    char name[NAME_SIZE];
    for (size_t i = 0; i < rehearsal->todo_count; i++) {
        name_take(rehearsal, rehearsal->todo[i], name);
        share_say_undone(&rehearsal->input->share, name, rehearsal->todo[i]);
    }
}

bool spread_keep(struct rehearsal *rehearsal, size_t index, json_t *take)
{
    char name[NAME_SIZE];
    if (rehearsal->store == NULL || take_is_broken(take))
        return true;
    json_t *kept = json_copy(take);
    (void)json_object_del(kept, "elapsed_s");
    char *text = json_dumps(kept, JSON_COMPACT | JSON_REAL_PRECISION(15));
    json_decref(kept);
    name_take(rehearsal, index, name);
    bool good = text != NULL && results_put(rehearsal->store, name, text);
    free(text);
    return good;
}

void spread_gather(struct rehearsal *rehearsal)
{
    size_t count = rehearsal->scene_count * rehearsal->input->seeds;
    char name[NAME_SIZE];
    for (size_t i = 0; i < rehearsal->scene_count; i++)
        (void)json_array_clear(rehearsal->takes[i]);
    for (size_t index = 0; index < count; index++) {
        json_t *take = json_incref(rehearsal->played[index]);
        if (take == NULL && rehearsal->store != NULL) {
            name_take(rehearsal, index, name);
            char *text = results_get(rehearsal->store, name);
            take = text != NULL ? json_loads(text, 0, NULL) : NULL;
            free(text);
        }
        if (take != NULL)
            (void)json_array_append_new(rehearsal->takes[scene_of(rehearsal, index)], take);
    }
}

void spread_end(struct rehearsal *rehearsal)
{
    for (size_t i = 0; rehearsal->played != NULL && i < rehearsal->scene_count * rehearsal->input->seeds; i++)
        json_decref(rehearsal->played[i]);
    if (rehearsal->store != NULL)
        results_close(rehearsal->store);
    free(rehearsal->played);
    free(rehearsal->todo);
}
