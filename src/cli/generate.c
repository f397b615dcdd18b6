/* yarnswift generate: writes a definition's tables in C. */
#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/shared/definitions.h"
#include "cli/shared/generated.h"
#include "cli/shared/options.h"
#include "cli/shared/saving.h"
#include "cli/shared/say.h"
#include "cli/shared/verb.h"
#include "design/making/generate.h"
#include "design/making/generate_client.h"
#include "design/making/generate_languages.h"
#include "design/making/interface.h"
#include "design/reading/files.h"

enum key { KEY_SKELETON = 0x700, KEY_DEPENDS, KEY_INTERFACE, KEY_FOR };

struct input {
    struct common common;
    const char *folder;
    const char *skeleton; /* file for the handlers, or NULL */
    bool interface;
    const char *depends; /* file for make, or NULL */
    const struct purpose *purpose;
};

typedef void print_fn(FILE *stream, const struct ys_design *design, const struct ys_layout *layout);

#define FILES_MOST 3

/* A purpose of --for: its name, and the files that are generated. */
struct purpose {
    const char *name;
    struct {
        const char *suffix;
        print_fn *print;
    } files[FILES_MOST];
};

static const struct purpose purposes[] = {
    {"device", {{"table.h", ys_generate_header}, {"table.c", ys_generate_source}, {"config.h", ys_generate_config}}},
    {"client", {{"client.h", ys_generate_client_header}, {"client.c", ys_generate_client_source}, {NULL, NULL}}},
    {"json", {{"interface.json", ys_generate_json}, {NULL, NULL}}},
    {"python", {{"values.py", ys_generate_python}, {NULL, NULL}}},
    {"javascript", {{"values.mjs", ys_generate_javascript}, {NULL, NULL}}},
};

#define COUNT(array) (sizeof(array) / sizeof((array)[0]))

static const struct purpose *find_purpose(const char *name)
{
    for (size_t i = 0; i < COUNT(purposes); i++) {
        if (strcmp(name, purposes[i].name) == 0)
            return &purposes[i];
    }
    (void)complain("yarnswift generate", "--for must be device, client, json, python or javascript, not \"%s\"", name);
    return NULL;
}

static error_t parse(int key, char *argument, struct argp_state *state)
{
    struct input *input = state->input;
    switch (key) {
    case 'o':
        input->folder = argument;
        return 0;
    case KEY_SKELETON:
        input->skeleton = argument;
        return 0;
    case KEY_DEPENDS:
        input->depends = argument;
        return 0;
    case KEY_INTERFACE:
        input->interface = true;
        return 0;
    case KEY_FOR:
        input->purpose = find_purpose(argument);
        return input->purpose != NULL ? 0 : EINVAL;
    default:
        return key == 'j' ? ARGP_ERR_UNKNOWN : parse_common(key, argument, state, &input->common);
    }
}

/* A generated file, ready to be written. */
struct output {
    char path[4000];
    char *text;
    size_t length;
};

static bool prepare(struct output *output, const char *folder, const struct ys_design *design,
                    const struct ys_layout *layout, const char *suffix, print_fn *print)
{
    FILE *stream = open_memstream(&output->text, &output->length);
    if (stream == NULL)
        return complain(design->file, "out of memory");
    print(stream, design, layout);
    (void)fclose(stream);
    if ((size_t)snprintf(output->path, sizeof output->path, "%s/%s_%s", folder, design->id, suffix) >=
        sizeof output->path)
        return complain(folder, "the path is too long");
    return may_be_generated(output->path);
}

/* All files are ready, and all may be written, before any is. */
static bool generate(const struct input *input, const struct ys_design *design, const struct ys_layout *layout)
{
    struct output outputs[FILES_MOST] = {{.text = NULL}};
    bool good = true;
    for (size_t i = 0; i < FILES_MOST && good && input->purpose->files[i].print != NULL; i++)
        good = prepare(&outputs[i], input->folder, design, layout, input->purpose->files[i].suffix,
                       input->purpose->files[i].print);
    for (size_t i = 0; i < FILES_MOST; i++) {
        good =
            good && (outputs[i].text == NULL || write_generated(outputs[i].path, outputs[i].text, outputs[i].length));
        free(outputs[i].text);
    }
    return good;
}

/* Whether a file of dependencies was written by us, or does not exist. It has no mark, since not every reader of rules
 * knows comments: it is recognised by its first word, the name of a generated header. */
static bool may_be_rule(const char *path)
{
    size_t length = 0;
    char *text = ys_file_read(path, SIZE_MAX / 4, &length);
    if (text == NULL)
        return errno == ENOENT || complain(path, "cannot read it: %s", strerror(errno));
    const char *colon = memchr(text, ':', length);
    while (colon != NULL && colon > text && colon[-1] == '\\') /* one of a path */
        colon = memchr(colon + 1, ':', length - (size_t)(colon + 1 - text));
    const char *end = memchr(text, '\n', length);
    size_t target = colon != NULL ? (size_t)(colon - text) : 0;
    bool ours = false;
    for (size_t i = 0; i < COUNT(purposes) && target > 0 && (end == NULL || colon < end); i++) {
        size_t size = strlen(purposes[i].files[0].suffix);
        ours = ours || (target > size && colon[-1 - (ptrdiff_t)size] == '_' &&
                        memcmp(colon - size, purposes[i].files[0].suffix, size) == 0);
    }
    free(text);
    return ours || complain(path, "this is no rule that was generated: move it away, or take another file for -d");
}

/* A path in a rule for make: spaces, and signs that mean something there, are escaped. */
static void put_path(FILE *stream, const char *path)
{
    for (; *path != '\0'; path++)
        (void)fprintf(stream, "%s%c", strchr(" \t#:", *path) != NULL ? "\\" : *path == '$' ? "$" : "", *path);
}

/* A rule for make: the header depends on the definition and the files that it includes. */
static bool write_depends(const struct input *input, const struct ys_design *design)
{
    struct ys_output output;
    if (!saving_begin(&output, input->depends, true))
        return false;
    put_path(output.stream, input->folder);
    (void)fprintf(output.stream, "/%s_%s:", design->id, input->purpose->files[0].suffix);
    for (size_t i = 0; i < design->source_count; i++) {
        (void)fputc(' ', output.stream);
        put_path(output.stream, design->sources[i].path);
    }
    (void)fputc('\n', output.stream);
    return saving_end(&output, true);
}

/* The user's own file: it is written once, and never over another. */
static bool write_skeleton(const char *path, const struct ys_design *design, const struct ys_layout *layout)
{
    struct ys_output output;
    if (access(path, F_OK) == 0)
        return true;
    if (!saving_begin(&output, path, false))
        return false;
    ys_generate_skeleton(output.stream, design, layout);
    return saving_end(&output, true);
}

int verb_generate(int argc, char **argv)
{
    static const struct argp_option options[] = {
        {"output", 'o', "FOLDER", 0, "Write to this folder, which must exist (default: the current one)", 0},
        {"skeleton", KEY_SKELETON, "FILE", 0, "Also write a first version of the handlers to FILE, unless FILE exists",
         0},
        {"depends", KEY_DEPENDS, "FILE", 0, "Write a make rule to FILE that lists the files the tables were made from",
         0},
        {"for", KEY_FOR, "TARGET", 0,
         "What to generate: the tables of the device (default), client for the other side in C, json for a description "
         "of the interface, or python or javascript for a module that encodes and decodes its values",
         0},
        {"interface", KEY_INTERFACE, NULL, 0,
         "Print a Markdown page that describes the interface to developers of the other side, and write nothing", 0},
        {0}};
    static const struct argp argp = {
        .options = options,
        .parser = parse,
        .args_doc = "DEFINITION",
        .doc = "Generates C from a definition. NAME_table.c and NAME_table.h have the constant attribute table, the "
               "handles, the declarations of the handlers and the advertisement; NAME_config.h has the sizes that the "
               "device needs. --for client writes NAME_client.c and NAME_client.h; json, python and javascript write "
               "NAME_interface.json, NAME_values.py and NAME_values.mjs. Files that are up to date are not rewritten, "
               "files that were not generated are never changed, and nothing is written if the definition has an "
               "error.\vExit status: 0, or 2 if the definition, an option or a file is wrong.",
    };
    struct input input = {.folder = ".", .purpose = &purposes[0]};
    if (!parse_options(&argp, argc, argv, &input))
        return EXIT_BAD_INPUT;
    struct ys_design *design;
    struct ys_layout *layout = open_only(argv[0], &input.common.files, &design);
    bool good = layout != NULL;
    if (good && input.purpose->files[0].print == ys_generate_client_header &&
        ys_client_items(layout) > YS_CLIENT_ITEMS_MOST)
        good = complain(argv[0], "a client in C has room for %d characteristics, and this device has %zu",
                        YS_CLIENT_ITEMS_MOST, ys_client_items(layout));
    if (good && input.interface)
        ys_interface_print(stdout, design);
    else
        good = good && (input.depends == NULL || may_be_rule(input.depends)) && generate(&input, design, layout) &&
               (input.skeleton == NULL || write_skeleton(input.skeleton, design, layout)) &&
               (input.depends == NULL || write_depends(&input, design));
    ys_layout_free(layout);
    ys_design_free(design);
    return good ? EXIT_AS_EXPECTED : EXIT_BAD_INPUT;
}
