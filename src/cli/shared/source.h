/* The source of traffic: captures, or a scene that is played. Shared by the verbs that show traffic. */
#ifndef CLI_SHARED_SOURCE_H
#define CLI_SHARED_SOURCE_H

#include "capture/follow/follow.h"
#include "cli/shared/options.h"
#include "cli/shared/stage_files.h"
#include "scene/stage.h"
#include "world/glossary.h"

/* Their options, as rows of a verb's table; the first two also of verbs that only measure. */
/* clang-format off */
#define SOURCE_KEY_OPTIONS                                                                                             \
    {"key", SOURCE_KEY, "KEY", 0,                                                                                      \
     "A long-term key of encrypted links: 32 hexadecimal digits, most significant byte first; may be repeated",    \
     0},                                                                                                               \
    {"bonds", SOURCE_BONDS, "FILE", 0, "Take keys from this store of bonds; may be repeated", 0}

#define SOURCE_OPTIONS                                                                                                 \
    SOURCE_KEY_OPTIONS,                                                                                                \
    {"definition", SOURCE_DEFINITION, "FILE", 0, "Take names, formats and units from this definition; may be repeated", 0},      \
    {"seed", 's', "NUMBER", 0, "Random seed (default 1)", 0},                              \
    {"modules", 'm', "FOLDER", 0, "Also look for modules and images of firmware in this folder; may be repeated", 0}
/* clang-format on */

enum source_key { SOURCE_DEFINITION = 0x280, SOURCE_KEY, SOURCE_BONDS };

#define DEFINITIONS_MOST 16
#define CAPTURES_MOST    16

struct source {
    const char *who;
    struct module_folders folders;
    unsigned long long seed;
    const char *definition_paths[DEFINITIONS_MOST];
    size_t definition_count;
    struct ys_keys keys;
    /* once it is open */
    struct ys_design *designs[DEFINITIONS_MOST];
    struct ys_layout *layouts[DEFINITIONS_MOST + 64];
    size_t layout_count;
    struct ys_names *names;
    struct ys_glossary glossary;
    struct ys_scene *scene; /* NULL: captures */
    struct ys_capture *captures[CAPTURES_MOST];
    char *paths[CAPTURES_MOST];
    size_t capture_count;
    bool waits;
    const struct ys_beside *beside; /* of a scene that is played in real time; NULL: in simulated time */
    bool failed;                    /* something was said that makes the exit status 1: a scene has failed */
    bool was_read;
    bool watched;
    uint64_t from_ns; /* when watching began and ended, if that is known */
    uint64_t to_ns;
};

/* Takes one of its options: 0 if it did, EINVAL after a line, or ARGP_ERR_UNKNOWN. */
error_t source_parse(struct source *source, const char *who, int key, const char *argument);

/* Opens the named captures, or the named scene. False after a line. */
bool source_open(struct source *source, const char *who, const struct files *files);

/* Options of verbs that can simulate or read a capture. False after a line if an option (or NULL) was given that has no
 * meaning for a capture. */
bool source_suits(const char *who, bool captured, const char *of_simulations, const char *of_captures);

/* Passes all records to `take`, in the order of time. With `waits`, only those that exist now. False after a line. */
bool source_run(struct source *source, ys_record_fn *take, void *context);

/* The same as a ys_replay_fn, whose context is the source: from the first record on, each time. */
bool source_replay(void *context, ys_record_fn *take, void *take_context);

/* Prints problems of files, and where the definition does not fit the traffic. Call it at the end. */
void source_end(struct source *source);

void source_close(struct source *source);

#endif
