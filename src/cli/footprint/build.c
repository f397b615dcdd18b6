/* Runs the compiler of a target and its tools, in a temporary folder that has the generated files, and a folder for
 * each target. */
#include "cli/footprint/build.h"

#include <errno.h>
#include <ftw.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include <jansson.h>

#include "cli/shared/running.h"
#include "cli/shared/say.h"
#include "cli/shared/scratch.h"
#include "design/making/generate.h"
#include "design/model/memory.h"

extern const char footprint_program[];
extern const char footprint_stack[];

#define COUNT(array) (sizeof(array) / sizeof((array)[0]))

static char *path_in(const struct build *build, const char *format, ...)
{
    va_list names;
    va_start(names, format);
    char *name = ys_new_text_of(format, names);
    va_end(names);
    char *path = ys_new_text("%s/%s", build->folder, name);
    free(name);
    return path;
}

/* Runs programs in a folder below that of the build. */
static bool run_all(const struct build *build, const char *folder, const struct arguments *programs, size_t count)
{
    bool compiles = programs[0].items[0] == build->compiler;
    char *path = path_in(build, "%s", folder);
    bool good = running_all(build->who, path, programs, count,
                            compiles ? "install a GCC for Arm (apt-get install gcc-arm-none-eabi), or name yours with "
                                       "--compiler"
                                     : "it must be in the folder of the compiler");
    free(path);
    return good;
}

static bool run(const struct build *build, const char *folder, const struct arguments *program)
{
    return run_all(build, folder, program, 1);
}

/* The folder */

static bool write_text(const struct build *build, const char *name, const char *text)
{
    char *path = path_in(build, "%s", name);
    FILE *file = fopen(path, "w");
    bool good = file != NULL && fputs(text, file) >= 0;
    if (file != NULL)
        good = fclose(file) == 0 && good;
    if (!good)
        (void)complain(build->who, "cannot write %s: %s", path, strerror(errno));
    free(path);
    return good;
}

typedef void generate_fn(FILE *stream, const struct ys_design *design, const struct ys_layout *layout);

static bool write_generated(const struct build *build, const struct ys_design *design, const struct ys_layout *layout)
{
    static const struct {
        const char *ending;
        generate_fn *generate;
    } files[] = {{"table.h", ys_generate_header}, {"table.c", ys_generate_source}, {"config.h", ys_generate_config}};
    bool good = true;
    for (size_t i = 0; i < COUNT(files) && good; i++) {
        char *text = NULL;
        size_t length = 0;
        FILE *stream = open_memstream(&text, &length);
        char *name = ys_new_text("%s_%s", design->id, files[i].ending);
        good = stream != NULL;
        if (good) {
            files[i].generate(stream, design, layout);
            (void)fclose(stream);
            good = write_text(build, strcmp(files[i].ending, "table.c") == 0 ? "table.c" : name, text);
        }
        free(name);
        free(text);
    }
    return good;
}

static bool is_folder(const char *path)
{
    struct stat found;
    return stat(path, &found) == 0 && S_ISDIR(found.st_mode);
}

/* Relative to the command: where it is installed, or in the tree in which it was built. */
static bool find_sources(struct build *build)
{
    char command[BUILD_PATH];
    ssize_t length = readlink("/proc/self/exe", command, sizeof command - 1);
    command[length > 0 ? (size_t)length : 0] = '\0';
    char *slash = strrchr(command, '/');
    if (slash != NULL)
        slash[1] = '\0';
    char *installed[] = {ys_new_text("%s%s", command, YARNSWIFT_SOURCES_FROM_BIN),
                         ys_new_text("%s%s", command, YARNSWIFT_HEADERS_FROM_BIN)};
    char *built[] = {ys_new_text("%s%s/src", command, YARNSWIFT_TREE_FROM_BIN),
                     ys_new_text("%s%s/include", command, YARNSWIFT_TREE_FROM_BIN)};
    bool is_there = is_folder(installed[0]);
    (void)snprintf(build->sources, sizeof build->sources, "%s", is_there ? installed[0] : built[0]);
    (void)snprintf(build->headers, sizeof build->headers, "%s", is_there ? installed[1] : built[1]);
    free(installed[0]);
    free(installed[1]);
    free(built[0]);
    free(built[1]);
    if (is_folder(build->sources))
        return true;
    return complain(build->who, "the sources of the library are missing: no %s", build->sources);
}

static struct build *collecting; /* nftw hands nothing on */

static int collect(const char *path, const struct stat *found, int kind, struct FTW *place)
{
    const char *name = path + place->base;
    size_t length = strlen(name);
    (void)found;
    if (kind == FTW_F && length > 2 && strcmp(name + length - 2, ".c") == 0) {
        collecting->files = ys_grow(collecting->files, collecting->file_count, sizeof *collecting->files);
        collecting->files[collecting->file_count++] = ys_copy(path, strlen(path));
    }
    return 0;
}

static int compare_paths(const void *a, const void *b)
{
    return strcmp(*(char *const *)a, *(char *const *)b);
}

bool build_begin(struct build *build, const struct ys_design *design, const struct ys_layout *layout,
                 const char *prelude)
{
    running_begin();
    if (!find_sources(build))
        return false;
    if (!scratch_begin(build->who, build->folder, sizeof build->folder))
        return false;
    static const char *const parts[] = {"wire", "host"};
    collecting = build;
    for (size_t i = 0; i < COUNT(parts); i++) {
        char *part = ys_new_text("%s/%s", build->sources, parts[i]);
        (void)nftw(part, collect, 8, FTW_PHYS);
        free(part);
    }
    if (build->file_count == 0)
        return complain(build->who, "there are no sources in %s", build->sources);
    qsort(build->files, build->file_count, sizeof *build->files, compare_paths);
    build->config = ys_new_text("-DYS_CONFIG_FILE=\"%s_config.h\"", design->id);
    char *program = ys_new_text("%s\n%s", prelude, footprint_program);
    bool good = write_generated(build, design, layout) && write_text(build, "program.c", program) &&
                write_text(build, "stack.py", footprint_stack);
    free(program);
    return good;
}

void build_end(struct build *build)
{
    scratch_end(build->folder);
    for (size_t i = 0; i < build->file_count; i++)
        free(build->files[i]);
    free(build->files);
    free(build->config);
    running_end();
}

/* Compiling */

static struct arguments compiler_for(const struct build *build, const struct build_target *target)
{
    static const char *const flags[] = {"-mthumb",
                                        "-Os",
                                        "-std=c11",
                                        "-ffreestanding",
                                        "-ffunction-sections",
                                        "-fdata-sections",
                                        "-fno-common",
                                        "-I",
                                        "..",
                                        "-I",
                                        "../..",
                                        "-I",
                                        NULL};
    struct arguments arguments = {.count = 0};
    arguments_add(&arguments, build->compiler);
    arguments_add(&arguments, target->option);
    arguments_add_all(&arguments, flags);
    arguments_add(&arguments, build->headers);
    arguments_add(&arguments, "-I");
    arguments_add(&arguments, build->sources);
    arguments_add(&arguments, build->config);
    return arguments;
}

static size_t share_count(void)
{
    long cores = sysconf(_SC_NPROCESSORS_ONLN);
    return cores < 1 ? 1 : cores > RUNNING_MOST ? RUNNING_MOST : (size_t)cores;
}

/* Those whose path begins so are compiled in a folder of their own: some names are there in both. */
static bool compile_part(const struct build *build, const struct build_target *target, const char *part)
{
    struct arguments shares[RUNNING_MOST];
    char *folder = ys_new_text("%s/%s", target->name, part);
    char *path = path_in(build, "%s", folder);
    char *begins = ys_new_text("%s/%s/", build->sources, part);
    size_t count = share_count();
    size_t taken = 0;
    bool good = mkdir(path, 0700) == 0 || complain(build->who, "cannot make the folder %s: %s", path, strerror(errno));
    for (size_t i = 0; i < count; i++) {
        shares[i] = compiler_for(build, target);
        arguments_add(&shares[i], "-fcallgraph-info=su");
        arguments_add(&shares[i], "-c");
    }
    for (size_t i = 0; i < build->file_count; i++) {
        if (strncmp(build->files[i], begins, strlen(begins)) == 0)
            arguments_add(&shares[taken++ % count], build->files[i]);
    }
    good = good && run_all(build, folder, shares, taken < count ? taken : count);
    free(begins);
    free(path);
    free(folder);
    return good;
}

bool build_library(const struct build *build, const struct build_target *target)
{
    struct arguments tables = compiler_for(build, target);
    char *path = path_in(build, "%s", target->name);
    bool good = mkdir(path, 0700) == 0 || complain(build->who, "cannot make the folder %s: %s", path, strerror(errno));
    arguments_add(&tables, "-c");
    arguments_add(&tables, "../table.c");
    good = good && run(build, target->name, &tables) && compile_part(build, target, "wire") &&
           compile_part(build, target, "host");
    free(path);
    return good;
}

static bool compile_program(const struct build *build, const struct build_target *target, const char *const *options)
{
    struct arguments arguments = compiler_for(build, target);
    arguments_add_all(&arguments, options);
    arguments_add(&arguments, "-c");
    arguments_add(&arguments, "../program.c");
    return run(build, target->name, &arguments);
}

/* The tools have the name of the compiler, except for the last letters. */
static char *tool(const struct build *build, const char *name)
{
    size_t length = strlen(build->compiler);
    return ys_new_text("%.*s%s", (int)(length - strlen("gcc")), build->compiler, name);
}

static FILE *printed(const struct build *build, const struct build_target *target)
{
    char *path = path_in(build, "%s/" RUNNING_PRINTED, target->name);
    FILE *file = fopen(path, "r");
    free(path);
    return file;
}

static bool read_size(const struct build *build, const struct build_target *target, struct build_size *size)
{
    char line[300];
    char *program = tool(build, "size");
    struct arguments arguments = {.count = 0};
    arguments_add(&arguments, program);
    arguments_add(&arguments, "-A");
    arguments_add(&arguments, "program.elf");
    bool good = run(build, target->name, &arguments);
    FILE *file = good ? printed(build, target) : NULL;
    *size = (struct build_size){0};
    while (file != NULL && fgets(line, sizeof line, file) != NULL) {
        size_t bytes = strtoul(line + strcspn(line, " "), NULL, 10); /* NAME SIZE ADDRESS */
        bool is_data = strncmp(line, ".data", 5) == 0;
        if (is_data || strncmp(line, ".text", 5) == 0 || strncmp(line, ".rodata", 7) == 0)
            size->flash += bytes;
        if (is_data || strncmp(line, ".bss", 4) == 0)
            size->ram += bytes;
    }
    if (file != NULL)
        (void)fclose(file);
    free(program);
    return good && (size->flash > 0 || complain(build->who, "%s has linked nothing", build->compiler));
}

bool build_program(const struct build *build, const struct build_target *target, const char *const *options,
                   struct build_size *size)
{
    struct arguments arguments = {.count = 0};
    if (!compile_program(build, target, options))
        return false;
    static const char *const flags[] = {
        "-mthumb", "-nostdlib",   "-Wl,--gc-sections", "-Wl,--unresolved-symbols=ignore-all",
        "-o",      "program.elf", "program.o",         "table.o",
        NULL};
    arguments_add(&arguments, build->compiler);
    arguments_add(&arguments, target->option);
    arguments_add_all(&arguments, flags);
    char **objects = ys_new(build->file_count * sizeof *objects);
    for (size_t i = 0; i < build->file_count; i++) {
        const char *path = build->files[i] + strlen(build->sources) + 1;
        const char *name = strrchr(path, '/') + 1;
        objects[i] = ys_new_text("%.*s/%.*so", (int)strcspn(path, "/"), path, (int)strlen(name) - 1, name);
        arguments_add(&arguments, objects[i]);
    }
    arguments_add(&arguments, "-lgcc");
    bool good = run(build, target->name, &arguments) && read_size(build, target, size);
    for (size_t i = 0; i < build->file_count; i++)
        free(objects[i]);
    free(objects);
    return good;
}

/* Prints the symbols of a file. */
static bool read_symbols(const struct build *build, const struct build_target *target, const char *path)
{
    char *program = tool(build, "nm");
    struct arguments arguments = {.count = 0};
    arguments_add(&arguments, program);
    arguments_add(&arguments, "-S");
    arguments_add(&arguments, path);
    bool good = run(build, target->name, &arguments);
    free(program);
    return good;
}

/* The name in a line of it, ADDRESS SIZE KIND NAME, and the size, which not all have. */
static const char *symbol_in(char *line, size_t *size)
{
    char *end = line;
    line[strcspn(line, "\n")] = '\0';
    (void)strtoul(line, &end, 16);
    *size = strtoul(end, NULL, 16);
    const char *space = strrchr(line, ' ');
    return space != NULL ? space + 1 : line;
}

bool build_size_of(const struct build *build, const struct build_target *target, const char *const *options,
                   const char *variable, size_t *size)
{
    char line[600];
    size_t bytes;
    bool found = false;
    if (!compile_program(build, target, options) || !read_symbols(build, target, "program.o"))
        return false;
    FILE *file = printed(build, target);
    while (file != NULL && fgets(line, sizeof line, file) != NULL) {
        if (strcmp(symbol_in(line, &bytes), variable) == 0) {
            *size = bytes;
            found = true;
        }
    }
    if (file != NULL)
        (void)fclose(file);
    return found || complain(build->who, "%s has compiled no %s", build->compiler, variable);
}

/* The names of the functions of the program, for the script. */
static bool write_linked(const struct build *build, const struct build_target *target)
{
    char line[600];
    size_t bytes;
    char *path = path_in(build, "%s/linked", target->name);
    FILE *in = printed(build, target);
    FILE *out = fopen(path, "w");
    while (in != NULL && out != NULL && fgets(line, sizeof line, in) != NULL)
        (void)fprintf(out, "%s\n", symbol_in(line, &bytes));
    bool good = in != NULL && out != NULL;
    if (in != NULL)
        (void)fclose(in);
    if (out != NULL)
        good = fclose(out) == 0 && good;
    free(path);
    return good || complain(build->who, "cannot write the names of the functions");
}

static bool read_stack(const struct build *build, const struct build_target *target, struct build_stack *stack)
{
    FILE *file = printed(build, target);
    json_t *root = file != NULL ? json_loadf(file, 0, NULL) : NULL;
    json_int_t numbers[4];
    if (file != NULL)
        (void)fclose(file);
    bool good = root != NULL && json_unpack(root, "{s:I, s:I, s:I, s:I}", "run", &numbers[0], "outside", &numbers[1],
                                            "other", &numbers[2], "interrupt", &numbers[3]) == 0;
    json_decref(root);
    if (!good)
        return complain(build->who, "the depth of the stack could not be read");
    *stack = (struct build_stack){(size_t)numbers[0], (size_t)numbers[1], (size_t)numbers[2], (size_t)numbers[3]};
    return true;
}

bool build_stack(const struct build *build, const struct build_target *target, struct build_stack *stack)
{
    struct arguments arguments = {.count = 0};
    static const char *const options[] = {"python3", "../stack.py", "--json", "--linked", "linked", "--sources", NULL};
    char **graphs = ys_new(build->file_count * sizeof *graphs);
    if (!read_symbols(build, target, "program.elf") || !write_linked(build, target)) {
        free(graphs);
        return false;
    }
    arguments_add_all(&arguments, options);
    arguments_add(&arguments, build->sources);
    arguments_add(&arguments, "--headers");
    arguments_add(&arguments, build->headers);
    for (size_t i = 0; i < build->file_count; i++) {
        const char *path = build->files[i] + strlen(build->sources) + 1;
        const char *name = strrchr(path, '/') + 1;
        graphs[i] = ys_new_text("%.*s/%.*sci", (int)strcspn(path, "/"), path, (int)strlen(name) - 1, name);
        arguments_add(&arguments, graphs[i]);
    }
    bool good = run(build, target->name, &arguments) && read_stack(build, target, stack);
    for (size_t i = 0; i < build->file_count; i++)
        free(graphs[i]);
    free(graphs);
    return good;
}
