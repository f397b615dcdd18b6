/* Takes of scenes as a page. */
#include "cli/rehearse/take_page.h"

#include <stdio.h>
#include <string.h>

#include "cli/page/page.h"
#include "cli/rehearse/takes.h"

#define STEPS_SHOWN 4000
#define LINES_SHOWN 3000
#define TAKES_SHOWN 2000
#define SUMMARY     1200

void take_page_keep(struct rehearsal *rehearsal, size_t index, json_t *take)
{
    json_t *watched = json_incref(json_object_get(take, "watched"));
    (void)json_object_del(take, "watched");
    bool first = rehearsal->shown == NULL;
    bool known_failed = !first && !rehearsal->shown_passed;
    bool failed = !take_passed(take);
    bool before = !first && index < rehearsal->shown_index;
    if (first || (failed && (!known_failed || before)) || (!failed && !known_failed && before)) {
        json_decref(rehearsal->shown);
        json_decref(rehearsal->watched);
        rehearsal->shown = json_incref(take);
        rehearsal->watched = json_incref(watched);
        rehearsal->shown_index = index;
        rehearsal->shown_passed = !failed;
    }
    json_decref(watched);
}

/* The last so many of a list: what led to the end counts most. */
static json_t *last_of(const json_t *list, size_t most, size_t *left_out)
{
    json_t *last = json_array();
    size_t count = json_array_size(list);
    *left_out = count > most ? count - most : 0;
    for (size_t i = *left_out; i < count; i++)
        (void)json_array_append(last, json_array_get(list, i));
    return last;
}

/* What failed first; NULL: nothing did. */
static json_t *failed_step(const json_t *take)
{
    json_t *step;
    size_t index;
    json_array_foreach(json_object_get(take, "steps"), index, step)
    {
        if (!take_passed(step))
            return step;
    }
    return NULL;
}

static json_t *brief(const json_t *take)
{
    json_t *one = json_object();
    static const char *const keys[] = {"seed", "passed", "simulated_s", "problem"};
    for (size_t i = 0; i < sizeof keys / sizeof keys[0]; i++) {
        json_t *value = json_object_get(take, keys[i]);
        if (value != NULL)
            (void)json_object_set(one, keys[i], value);
    }
    json_t *failed = failed_step(take);
    if (failed != NULL)
        (void)json_object_set(one, "failed", failed);
    return one;
}

static json_t *scenes_json(const struct rehearsal *rehearsal, size_t *passed, size_t *all)
{
    json_t *scenes = json_array();
    const json_t *scene;
    const json_t *take;
    size_t i;
    size_t j;
    json_array_foreach(rehearsal->results, i, scene)
    {
        json_t *takes = json_array();
        json_array_foreach(json_object_get(scene, "takes"), j, take)
        {
            ++*all;
            *passed += take_passed(take);
            if (j < TAKES_SHOWN || !take_passed(take))
                (void)json_array_append_new(takes, brief(take));
        }
        (void)json_array_append_new(scenes, json_pack("{s:O, s:O, s:I, s:o}", "file", json_object_get(scene, "file"),
                                                      "title", json_object_get(scene, "title"), "count",
                                                      (json_int_t)json_array_size(json_object_get(scene, "takes")),
                                                      "takes", takes));
    }
    return scenes;
}

static const char *string_of(const json_t *object, const char *key)
{
    const char *text = json_string_value(json_object_get(object, key));
    return text != NULL ? text : "";
}

static void summarize(const struct rehearsal *rehearsal, size_t passed, size_t all, char text[SUMMARY])
{
    const json_t *failed = failed_step(rehearsal->shown);
    const char *problem = json_string_value(json_object_get(rehearsal->shown, "problem"));
    int length = all == 1 ? 0 : snprintf(text, SUMMARY, "%zu of %zu takes passed. ", passed, all);
    char *rest = text + length;
    size_t room = SUMMARY - (size_t)length;
    if (problem != NULL)
        (void)snprintf(rest, room, "The scene cannot be played: %s", problem);
    else if (failed != NULL)
        (void)snprintf(rest, room, "Line %lld failed: %s: %s. Expected %s; came: %s",
                       (long long)json_integer_value(json_object_get(failed, "line")), string_of(failed, "who"),
                       string_of(failed, "what"), string_of(failed, "expected"), string_of(failed, "came"));
    else if (all == 1)
        (void)snprintf(rest, room, "All %zu steps passed.",
                       json_array_size(json_object_get(rehearsal->shown, "steps")));
}

/* The take that is shown, without the parts that would make the page large. */
static json_t *shown_json(const struct rehearsal *rehearsal)
{
    size_t steps = 0;
    size_t lines = 0;
    json_t *shown = json_copy(rehearsal->shown);
    (void)json_object_set_new(shown, "steps", last_of(json_object_get(shown, "steps"), STEPS_SHOWN, &steps));
    (void)json_object_set_new(shown, "log", last_of(json_object_get(shown, "log"), LINES_SHOWN, &lines));
    (void)json_object_set_new(shown, "steps_left_out", json_integer((json_int_t)steps));
    (void)json_object_set_new(shown, "lines_left_out", json_integer((json_int_t)lines));
    (void)json_object_del(shown, "elapsed_s");
    return shown;
}

bool take_page_write(const struct rehearsal *rehearsal)
{
    const struct input *input = rehearsal->input;
    char text[SUMMARY] = "";
    size_t passed = 0;
    size_t all = 0;
    json_t *scenes = scenes_json(rehearsal, &passed, &all);
    json_t *result = json_pack("{s:o}", "scenes", scenes);
    json_t *more = json_object();
    if (rehearsal->shown != NULL) {
        summarize(rehearsal, passed, all, text);
        (void)json_object_set_new(more, "take", shown_json(rehearsal));
    }
    if (rehearsal->watched != NULL)
        (void)json_object_set(more, "watched", rehearsal->watched);
    const char *title = string_of(rehearsal->shown, "title");
    const struct page page = {.verb = "rehearse",
                              .title = title[0] != '\0' ? title : "Scenes",
                              .verdict = passed == all ? PAGE_GOOD : PAGE_BAD,
                              .summary = text,
                              .result = result,
                              .more = more};
    bool good = page_write(&input->common, &page);
    json_decref(result);
    json_decref(more);
    return good;
}
