/* Where traffic comes from. */
#include "cli/shared/source.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "capture/file/reader.h"
#include "cli/shared/crash.h"
#include "cli/shared/definitions.h"
#include "cli/shared/options.h"
#include "cli/shared/say.h"
#include "cli/shared/stage_files.h"
#include "cli/shared/verb.h"
#include "design/reading/files.h"
#include "scene/scene.h"
#include "scene/scene_read.h"
#include "scene/stage.h"
#include "wire/hex.h"
#include "world/bonds.h"

/* Borders of one capture are numbered apart from those of another. */
#define DEVICES_EACH 8

/* options */

static error_t take_key(struct source *source, const char *who, const char *text)
{
    uint8_t key[16] = {0};
    size_t length = strlen(text);
    for (size_t i = 0; i < 16 && length == 32; i++) {
        int high = ys_hex_digit(text[2 * i]);
        int low = ys_hex_digit(text[2 * i + 1]);
        if (high < 0 || low < 0)
            length = 0;
        else
            key[15 - i] = (uint8_t)(16 * high + low); /* as on the air: the least significant byte first */
    }
    if (length != 32) {
        (void)complain(who, "a key has 32 hexadecimal digits, unlike \"%s\"", text);
        return EINVAL;
    }
    ys_keys_add(&source->keys, key);
    return 0;
}

static error_t take_bonds(struct source *source, const char *who, const char *path)
{
    char error[300];
    size_t count = 0;
    if (access(path, R_OK) != 0) { /* it would be made */
        (void)complain(who, "cannot read the bonds in %s: %s", path, strerror(errno));
        return EINVAL;
    }
    if (!ys_bonds_read(path, &source->keys, &count, error, sizeof error)) {
        (void)complain(who, "cannot read the bonds in %s: %s", path, error);
        return EINVAL;
    }
    if (count == 0)
        (void)complain(who, "there is no bond in %s", path);
    return 0;
}

error_t source_parse(struct source *source, const char *who, int key, const char *argument)
{
    switch (key) {
    case SOURCE_DEFINITION:
        if (source->definition_count < DEFINITIONS_MOST) {
            source->definition_paths[source->definition_count++] = argument;
            return 0;
        }
        (void)complain(who, "name at most %d definitions", DEFINITIONS_MOST);
        return EINVAL;
    case SOURCE_KEY:
        return take_key(source, who, argument);
    case SOURCE_BONDS:
        return take_bonds(source, who, argument);
    case 's':
        return take_seed(who, argument, &source->seed) ? 0 : EINVAL;
    case 'm':
        return module_folder_take(&source->folders, who, argument) ? 0 : EINVAL;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

/* opening */

static bool add_names(struct source *source, const char *who, const struct ys_design *design)
{
    struct ys_layout *layout = ys_layout_new(design);
    if (layout == NULL || source->layout_count == sizeof source->layouts / sizeof source->layouts[0]) {
        ys_layout_free(layout);
        return complain(source->who, "a definition has too many attributes");
    }
    source->layouts[source->layout_count++] = layout;
    return ys_names_add(source->names, who, design, layout) || complain(source->who, "there is no memory for it");
}

static bool open_definitions(struct source *source)
{
    for (size_t i = 0; i < source->definition_count; i++) {
        source->designs[i] = open_design(source->definition_paths[i]);
        if (source->designs[i] == NULL || source->designs[i]->findings.errors > 0)
            return false;
        if (!add_names(source, NULL, source->designs[i]))
            return false;
    }
    return true;
}

static void trouble(void *context, uint64_t offset, const char *text)
{
    (void)complain(context, "byte %llu: %s", (unsigned long long)offset, text);
}

static bool open_capture(struct source *source, const char *path)
{
    char error[300];
    if (source->capture_count == CAPTURES_MOST)
        return complain(source->who, "name at most %d captures", CAPTURES_MOST);
    char *name = strdup(path);
    struct ys_capture *capture =
        name != NULL ? ys_capture_open(path, source->waits, trouble, name, error, sizeof error) : NULL;
    if (capture == NULL) {
        free(name);
        return complain(path, "%s", error);
    }
    source->paths[source->capture_count] = name;
    source->captures[source->capture_count++] = capture;
    return true;
}

static bool open_scene(struct source *source, const char *path)
{
    const struct ys_scene_files files = stage_files(&source->folders);
    source->scene = read_scene(path, &files);
    if (source->scene == NULL || source->scene->findings.errors > 0)
        return false;
    for (size_t i = 0; i < source->scene->device_count; i++) {
        const struct ys_actor *actor = &source->scene->actors[i];
        if (!add_names(source, actor->name.text, actor->design))
            return false;
    }
    return true;
}

static bool is_scene(const char *path)
{
    const char *ending = ".yaml";
    size_t length = strlen(path);
    return length > strlen(ending) && strcmp(path + length - strlen(ending), ending) == 0;
}

bool source_open(struct source *source, const char *who, const struct files *files)
{
    source->who = who;
    if (files->count == 0)
        return complain(who, "name a capture, such as NAME.pcapng, or a scene, such as NAME.scene.yaml");
    source->names = ys_names_new();
    if (source->names == NULL)
        return complain(who, "there is no memory for it");
    source->glossary = ys_names_glossary(source->names);
    if (!open_definitions(source))
        return false;
    if (is_scene(files->paths[0])) {
        if (files->count > 1)
            return complain(who, "name one scene");
        return (!source->waits || source->beside != NULL ||
                complain(
                    who,
                    "a scene in simulated time cannot be followed: only a capture, or a scene with --controller")) &&
               open_scene(source, files->paths[0]);
    }
    if (source->beside != NULL)
        return complain(who, "--controller is for a scene, and a capture is named");
    for (int i = 0; i < files->count; i++) {
        if (!open_capture(source, files->paths[i]))
            return false;
    }
    return !source->waits || files->count == 1 || complain(who, "only one capture can be followed");
}

bool source_suits(const char *who, bool captured, const char *of_simulations, const char *of_captures)
{
    if (captured && of_simulations != NULL)
        return complain(who, "--%s is about a simulation, and a capture is named", of_simulations);
    return captured || of_captures == NULL || complain(who, "--%s is about a capture: name one", of_captures);
}

/* running */

static bool play(struct source *source, ys_record_fn *take, void *context)
{
    struct ys_recording recording = {.sink = {.take = take, .context = context}};
    struct ys_take played;
    crash_watch(STDERR_FILENO, "yarnswift: ", "\n", EXIT_BAD_INPUT, TAKE_MOST_S);
    ys_scene_play(source->scene, source->seed, false, &recording, source->beside, &played);
    if (played.ending == YS_TAKE_FAILED) {
        const struct ys_done_step *last = &played.steps[played.step_count - 1];
        (void)complain(source->scene->file, "line %d: the scene failed: %s: expected %s, came %s", last->line,
                       last->what, last->expected, last->came);
        source->failed = true;
    }
    bool good = played.ending != YS_TAKE_BROKEN || complain(source->scene->file, "%s", played.problem);
    ys_take_clear(&played);
    source->watched = true;
    source->from_ns = recording.from_ns;
    source->to_ns = recording.to_ns;
    return good;
}

static bool read_one(struct source *source, ys_record_fn *take, void *context)
{
    struct ys_record record = {.number = 0};
    while (ys_capture_next(source->captures[0], &record))
        take(context, &record);
    return true;
}

/* Several, by their times; of the same time, the first named goes first. */
static bool read_merged(struct source *source, ys_record_fn *take, void *context)
{
    struct ys_record *heads = calloc(source->capture_count, sizeof *heads);
    bool has[CAPTURES_MOST];
    uint64_t number = 0;
    if (heads == NULL)
        return complain(source->who, "there is no memory for it");
    for (size_t i = 0; i < source->capture_count; i++)
        has[i] = ys_capture_next(source->captures[i], &heads[i]);
    for (;;) {
        size_t first = source->capture_count;
        for (size_t i = 0; i < source->capture_count; i++) {
            if (has[i] && (first == source->capture_count || heads[i].at_ns < heads[first].at_ns))
                first = i;
        }
        if (first == source->capture_count)
            break;
        heads[first].number = ++number;
        heads[first].device = (uint16_t)(heads[first].device + first * DEVICES_EACH);
        take(context, &heads[first]);
        has[first] = ys_capture_next(source->captures[first], &heads[first]);
    }
    free(heads);
    return true;
}

bool source_run(struct source *source, ys_record_fn *take, void *context)
{
    if (source->scene != NULL)
        return play(source, take, context);
    bool good = source->capture_count == 1 ? read_one(source, take, context) : read_merged(source, take, context);
    for (size_t i = 0; i < source->capture_count && !source->watched; i++)
        source->watched = ys_capture_watched(source->captures[i], &source->from_ns, &source->to_ns);
    return good;
}

/* Opens captures that have been read again. */
static bool rewind_captures(struct source *source)
{
    char error[300];
    for (size_t i = 0; i < source->capture_count; i++) {
        ys_capture_free(source->captures[i]);
        source->captures[i] =
            ys_capture_open(source->paths[i], source->waits, NULL, NULL, error, sizeof error); /* it was said before */
        if (source->captures[i] == NULL)
            return complain(source->paths[i], "%s", error);
    }
    return true;
}

bool source_replay(void *context, ys_record_fn *take, void *take_context)
{
    struct source *source = context;
    bool good = !source->was_read || rewind_captures(source);
    source->was_read = true;
    return good && source_run(source, take, take_context);
}

void source_end(struct source *source)
{
    char text[500];
    for (size_t i = 0; i < source->capture_count; i++)
        ys_capture_end(source->captures[i]);
    uint64_t misfits = ys_names_misfits(source->names, text, sizeof text);
    if (misfits > 0)
        (void)complain(source->who, "the definition does not match the traffic: %s", text);
}

void source_close(struct source *source)
{
    for (size_t i = 0; i < source->capture_count; i++) {
        ys_capture_free(source->captures[i]);
        free(source->paths[i]);
    }
    for (size_t i = 0; i < source->layout_count; i++)
        ys_layout_free(source->layouts[i]);
    for (size_t i = 0; i < source->definition_count; i++)
        ys_design_free(source->designs[i]);
    ys_scene_free(source->scene);
    ys_names_free(source->names);
}
