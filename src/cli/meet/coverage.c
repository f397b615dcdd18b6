/* Coverage of firmware modules: a module writes its counts when it is unloaded, and gcov assigns them to lines. */
#include "cli/meet/coverage.h"

#include <ftw.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/shared/running.h"
#include "cli/shared/say.h"
#include "cli/shared/scratch.h"
#include "design/model/memory.h"

#define PATH_MOST  4096
#define LINES_MOST 30 /* of a file, as text; JSON has them all */

/* A line with branches that were never taken, or a function that was never called. */
struct place {
    unsigned line;
    char *function; /* NULL: it is a line */
    unsigned taken;
    unsigned branches;
};

struct source {
    char *path;
    unsigned functions;
    unsigned called;
    unsigned branches;
    unsigned taken;
    struct place *places;
    size_t place_count;
};

struct coverage {
    const char *who;
    char folder[PATH_MOST];
    char **counts; /* the files in it */
    size_t count_count;
    struct source *sources;
    size_t source_count;
};

struct coverage *coverage_begin(const char *who)
{
    struct coverage *coverage = ys_new(sizeof *coverage);
    coverage->who = who;
    if (!scratch_begin(who, coverage->folder, sizeof coverage->folder)) {
        free(coverage);
        return NULL;
    }
    (void)setenv("GCOV_PREFIX", coverage->folder, 1);
    (void)setenv("GCOV_PREFIX_STRIP", "0", 1);
    return coverage;
}

static struct coverage *collecting; /* nftw hands nothing on */

/* The compiler's notes are in the build folder of the module: they are linked beside the counts. */
static int collect(const char *path, const struct stat *found, int kind, struct FTW *place)
{
    size_t length = strlen(path);
    (void)found;
    (void)place;
    if (kind != FTW_F || length < 5 || strcmp(path + length - 5, ".gcda") != 0)
        return 0;
    char *notes = ys_new_text("%.*s.gcno", (int)(length - 5), path);
    (void)symlink(notes + strlen(collecting->folder), notes);
    free(notes);
    collecting->counts = ys_grow(collecting->counts, collecting->count_count, sizeof *collecting->counts);
    collecting->counts[collecting->count_count++] = ys_copy(path, length);
    return 0;
}

/* The path from here, if it is below. */
static char *path_from_here(const json_t *file, const char *folder)
{
    const char *name = json_string_value(json_object_get(file, "file"));
    char here[PATH_MOST] = "";
    char *whole = name == NULL        ? ys_copy("?", 1)
                  : name[0] == '/'    ? ys_copy(name, strlen(name))
                  : folder[0] != '\0' ? ys_new_text("%s/%s", folder, name)
                                      : ys_copy(name, strlen(name));
    size_t length = getcwd(here, sizeof here) != NULL ? strlen(here) : 0;
    if (length > 0 && strncmp(whole, here, length) == 0 && whole[length] == '/')
        memmove(whole, whole + length + 1, strlen(whole + length + 1) + 1);
    return whole;
}

static unsigned number(const json_t *object, const char *name)
{
    return (unsigned)json_integer_value(json_object_get(object, name));
}

static void add_place(struct source *source, struct place place)
{
    source->places = ys_grow(source->places, source->place_count, sizeof *source->places);
    source->places[source->place_count++] = place;
}

/* Whether a line belongs to a function that was never called, which is reported as a whole. */
static bool is_of_uncalled(const struct source *source, const char *function)
{
    for (size_t i = 0; function != NULL && i < source->place_count; i++) {
        if (source->places[i].function != NULL && strcmp(source->places[i].function, function) == 0)
            return true;
    }
    return false;
}

static void take_line(struct source *source, const json_t *line)
{
    const json_t *branch;
    size_t i;
    struct place place = {.line = number(line, "line_number")};
    json_array_foreach(json_object_get(line, "branches"), i, branch)
    {
        if (json_is_true(json_object_get(branch, "throw")))
            continue;
        place.branches++;
        place.taken += json_integer_value(json_object_get(branch, "count")) > 0;
    }
    source->branches += place.branches;
    source->taken += place.taken;
    if (place.taken < place.branches &&
        !is_of_uncalled(source, json_string_value(json_object_get(line, "function_name"))))
        add_place(source, place);
}

static int compare_places(const void *a, const void *b)
{
    unsigned one = ((const struct place *)a)->line;
    unsigned other = ((const struct place *)b)->line;
    return (one > other) - (one < other);
}

static void take_source(struct coverage *coverage, const json_t *file, const char *folder)
{
    const json_t *item;
    size_t i;
    coverage->sources = ys_grow(coverage->sources, coverage->source_count, sizeof *coverage->sources);
    struct source *source = &coverage->sources[coverage->source_count++];
    *source = (struct source){.path = path_from_here(file, folder)};
    json_array_foreach(json_object_get(file, "functions"), i, item)
    {
        const char *name = json_string_value(json_object_get(item, "name"));
        bool called = json_integer_value(json_object_get(item, "execution_count")) > 0;
        source->functions++;
        source->called += called;
        if (!called)
            add_place(source,
                      (struct place){.line = number(item, "start_line"),
                                     .function = ys_copy(name != NULL ? name : "?", name != NULL ? strlen(name) : 1)});
    }
    json_array_foreach(json_object_get(file, "lines"), i, item)
    {
        take_line(source, item);
    }
    if (source->place_count > 0)
        qsort(source->places, source->place_count, sizeof *source->places, compare_places);
}

/* What gcov has printed: an object a line. */
static bool take_printed(struct coverage *coverage)
{
    char *path = ys_new_text("%s/%s", coverage->folder, RUNNING_PRINTED);
    FILE *printed = fopen(path, "r");
    free(path);
    bool good = printed != NULL;
    for (json_t *root; good && (root = json_loadf(printed, JSON_DISABLE_EOF_CHECK, NULL)) != NULL; json_decref(root)) {
        const json_t *file;
        size_t i;
        const char *folder = json_string_value(json_object_get(root, "current_working_directory"));
        json_array_foreach(json_object_get(root, "files"), i, file)
        {
            take_source(coverage, file, folder != NULL ? folder : "");
        }
    }
    if (printed != NULL)
        (void)fclose(printed);
    return good && coverage->source_count > 0;
}

bool coverage_read(struct coverage *coverage)
{
    static const char *const options[] = {"--json-format", "--stdout", "--branch-probabilities", NULL};
    const char *program = getenv("GCOV");
    struct arguments arguments = {.count = 0};
    collecting = coverage;
    (void)nftw(coverage->folder, collect, 8, FTW_PHYS);
    if (coverage->count_count == 0)
        return complain(coverage->who, "the firmware counts its lines, but no encounter delivered counts");
    arguments_add(&arguments, program != NULL && program[0] != '\0' ? program : "gcov");
    arguments_add_all(&arguments, options);
    for (size_t i = 0; i < coverage->count_count; i++)
        arguments_add(&arguments, coverage->counts[i]);
    running_begin();
    bool good = running_all(coverage->who, coverage->folder, &arguments, 1,
                            "it comes with the compiler; or set GCOV to another program");
    running_end();
    return good && (take_printed(coverage) ||
                    complain(coverage->who, "%s has told nothing of the firmware's lines", arguments.items[0]));
}

/* what is told */

void coverage_print(const struct coverage *coverage)
{
    for (size_t i = 0; i < coverage->source_count; i++) {
        const struct source *source = &coverage->sources[i];
        (void)printf("\n  reached in ");
        put_plain(stdout, source->path);
        (void)printf(": %u of %u functions", source->called, source->functions);
        if (source->branches > 0)
            (void)printf(", %u of %u branches", source->taken, source->branches);
        (void)printf("%s\n", source->place_count > 0 ? "; not reached:" : "");
        for (size_t k = 0; k < source->place_count && k < LINES_MOST; k++) {
            const struct place *place = &source->places[k];
            (void)printf("  %8u  ", place->line);
            if (place->function != NULL)
                put_plain(stdout, place->function);
            else
                (void)printf("%u of %u branches", place->branches - place->taken, place->branches);
            (void)putchar('\n');
        }
        if (source->place_count > LINES_MOST)
            (void)printf("            and %zu more, which --json has\n", source->place_count - LINES_MOST);
    }
}

json_t *coverage_json(const struct coverage *coverage)
{
    json_t *root = json_array();
    for (size_t i = 0; coverage != NULL && i < coverage->source_count; i++) {
        const struct source *source = &coverage->sources[i];
        json_t *places = json_array();
        for (size_t k = 0; k < source->place_count; k++) {
            const struct place *place = &source->places[k];
            (void)json_array_append_new(
                places, place->function != NULL
                            ? json_pack("{s:i, s:s}", "line", (int)place->line, "function", place->function)
                            : json_pack("{s:i, s:i, s:i}", "line", (int)place->line, "branches", (int)place->branches,
                                        "taken", (int)place->taken));
        }
        (void)json_array_append_new(root, json_pack("{s:s, s:i, s:i, s:i, s:i, s:o}", "file", source->path, "functions",
                                                    (int)source->functions, "functions_reached", (int)source->called,
                                                    "branches", (int)source->branches, "branches_reached",
                                                    (int)source->taken, "not_reached", places));
    }
    return root;
}

void coverage_end(struct coverage *coverage)
{
    if (coverage == NULL)
        return;
    scratch_end(coverage->folder);
    for (size_t i = 0; i < coverage->count_count; i++)
        free(coverage->counts[i]);
    for (size_t i = 0; i < coverage->source_count; i++) {
        for (size_t k = 0; k < coverage->sources[i].place_count; k++)
            free(coverage->sources[i].places[k].function);
        free(coverage->sources[i].places);
        free(coverage->sources[i].path);
    }
    free(coverage->sources);
    free(coverage->counts);
    free(coverage);
}
