/* Playing encounters. */
#include "cli/meet/trials.h"

#include <ctype.h>
#include <stdlib.h>
#include <string.h>

#include <jansson.h>

#include "cli/shared/pool.h"
#include "design/model/memory.h"
#include "scene/scene_read.h"
#include "scene/stage.h"

/* As if the scene lay here. */
#define FILE_NAME "encounter.scene.yaml"

struct playing {
    const struct trials *trials;
    struct trial *list;
    char **scenes;
    int **lines;
};

void trial_clear(struct trial *trial)
{
    ys_encounter_free(trial->encounter);
    free(trial->key);
    free(trial->what);
    free(trial->expected);
    free(trial->came);
    *trial = (struct trial){.encounter = NULL};
}

/* in the process of a job */

static const char *topic_at(const struct ys_encounter *encounter, const int *lines, int line)
{
    for (size_t i = 0; i < encounter->step_count; i++) {
        if (lines[i] == line)
            return encounter->steps[i].topic;
    }
    return "";
}

static const struct ys_done_step *first_failed(const struct ys_take *take)
{
    for (size_t i = 0; i < take->step_count; i++) {
        if (!take->steps[i].passed)
            return &take->steps[i];
    }
    return NULL;
}

static json_t *result_of(const struct ys_take *take, const struct ys_encounter *encounter, const int *lines)
{
    const struct ys_done_step *step = take->ending == YS_TAKE_FAILED ? first_failed(take) : NULL;
    json_t *root = json_pack("{s:b, s:I, s:f}", "failed", take->ending != YS_TAKE_PASSED, "steps",
                             (json_int_t)take->step_count, "simulated_s", take->simulated_s);
    if (take->ending == YS_TAKE_BROKEN) {
        (void)json_object_set_new(root, "what", json_string("goes on"));
        (void)json_object_set_new(root, "topic", json_string("goes on"));
        (void)json_object_set_new(root, "came", json_string(take->problem));
    } else if (step != NULL) {
        (void)json_object_set_new(root, "what", json_sprintf("%s: %s", step->who, step->what));
        (void)json_object_set_new(root, "topic", json_string(topic_at(encounter, lines, step->line)));
        (void)json_object_set_new(root, "rule", json_string(step->what));
        (void)json_object_set_new(root, "expected", json_string(step->expected));
        (void)json_object_set_new(root, "came", json_string(step->came));
    }
    return root;
}

static void play(void *context, size_t index, FILE *result)
{
    const struct playing *playing = context;
    const struct trials *trials = playing->trials;
    const char *text = playing->scenes[index];
    struct ys_scene *scene = ys_scene_read(FILE_NAME, text, strlen(text), trials->files);
    struct ys_take take = {.ending = YS_TAKE_BROKEN};
    json_t *root;
    if (scene->findings.errors > 0) {
        root = json_pack("{s:b, s:s, s:s, s:s}", "failed", 1, "what", "makes a scene", "topic", "makes a scene", "came",
                         scene->findings.items[0].text);
    } else {
        ys_scene_play(scene, trials->seed, false, NULL, NULL, &take);
        root = result_of(&take, playing->list[index].encounter, playing->lines[index]);
    }
    (void)json_dumpf(root, result, JSON_COMPACT);
    json_decref(root);
    ys_take_clear(&take);
    ys_scene_free(scene);
}

/* in the process of the caller */

#define RULE "keeps the rule "

/* What came, without the value that it came with. */
static const char *kind_of(const struct trial *trial, bool broken_rule)
{
    static const char *const values[] = {"does not fit its format", "which was written"};
    for (size_t i = 0; i < sizeof values / sizeof values[0]; i++) {
        if (strstr(trial->came, values[i]) != NULL || strstr(trial->expected, values[i]) != NULL)
            return values[i];
    }
    return broken_rule ? "" : trial->came;
}

/* Without numbers, which are others each time. */
static char *key_of(const char *topic, const char *came)
{
    const char *parts[] = {topic, "|", came};
    size_t size = strlen(parts[0]) + strlen(came) + 2;
    char *key = ys_new(size);
    char *to = key;
    for (size_t i = 0; i < 3; i++) {
        for (const char *at = parts[i]; *at != '\0'; at++) {
            bool number =
                isxdigit((unsigned char)*at) && (isdigit((unsigned char)*at) || (at > parts[i] && to[-1] == '#'));
            if (!number)
                *to++ = *at;
            else if (to == key || to[-1] != '#')
                *to++ = '#';
        }
    }
    *to = '\0';
    return key;
}

static char *text_of(const json_t *root, const char *name)
{
    const char *text = json_string_value(json_object_get(root, name));
    return ys_copy(text != NULL ? text : "", text != NULL ? strlen(text) : 0);
}

/* Failures that do not count: a weak link may be lost, and the events of several centrals may collide. */
static bool is_by_radio(const struct ys_encounter *encounter, const char *came)
{
    static const char *const lost[] = {"connection ended", "is no connection", "not discovered"};
    if (came == NULL)
        return false;
    for (size_t i = 0; i < sizeof lost / sizeof lost[0] && encounter->far; i++) {
        if (strstr(came, lost[i]) != NULL)
            return true;
    }
    return (encounter->far || encounter->central_count > 1) &&
           strstr(came, "not heard for the supervision timeout") != NULL;
}

static void take_result(void *context, size_t index, const char *result, size_t length, const char *crash)
{
    const struct playing *playing = context;
    struct trial *trial = &playing->list[index];
    json_t *root = crash == NULL ? json_loadb(result, length, 0, NULL) : NULL;
    if (root == NULL) {
        trial->failed = true;
        trial->what = ys_new_text("the firmware goes on");
        trial->expected = ys_new_text("that it does");
        trial->came = ys_new_text("%s", crash != NULL ? crash : "its process ended without a result");
        trial->key = key_of("goes on", trial->came);
        return;
    }
    trial->failed = json_is_true(json_object_get(root, "failed"));
    trial->steps = (unsigned)json_integer_value(json_object_get(root, "steps"));
    trial->simulated_s = json_real_value(json_object_get(root, "simulated_s"));
    if (trial->failed && is_by_radio(trial->encounter, json_string_value(json_object_get(root, "came"))))
        trial->failed = false;
    if (trial->failed) {
        char *topic = text_of(root, "topic");
        char *rule = text_of(root, "rule");
        trial->what = text_of(root, "what");
        trial->expected = text_of(root, "expected");
        trial->came = text_of(root, "came");
        bool broken_rule = strncmp(rule, RULE, strlen(RULE)) == 0;
        trial->key = key_of(broken_rule ? rule : topic, kind_of(trial, broken_rule));
        free(topic);
        free(rule);
    }
    json_decref(root);
}

bool trials_play(const struct trials *trials, struct trial *list, size_t count)
{
    struct playing playing = {.trials = trials,
                              .list = list,
                              .scenes = ys_new((count + 1) * sizeof *playing.scenes),
                              .lines = ys_new((count + 1) * sizeof *playing.lines)};
    for (size_t i = 0; i < count; i++) {
        playing.lines[i] = ys_new((list[i].encounter->step_count + 1) * sizeof *playing.lines[i]);
        playing.scenes[i] = ys_encounter_scene(trials->subject, list[i].encounter, NULL, playing.lines[i]);
    }
    const struct pool pool = {.count = count,
                              .at_once = trials->at_once,
                              .most_s = trials->most_s,
                              .job = play,
                              .done = take_result,
                              .context = &playing};
    bool good = pool_run(&pool);
    for (size_t i = 0; i < count; i++) {
        free(playing.scenes[i]);
        free(playing.lines[i]);
    }
    free(playing.scenes);
    free(playing.lines);
    return good;
}

size_t trial_steps(const struct trial *trial)
{
    size_t count = 0;
    for (size_t i = 0; i < trial->encounter->step_count; i++)
        count += !trial->encounter->steps[i].left_out;
    return count;
}
