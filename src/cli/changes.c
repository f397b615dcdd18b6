/* yarnswift changes: two versions of a definition side by side. */
#include <stdlib.h>
#include <string.h>

#include <jansson.h>

#include "cli/shared/definitions.h"
#include "cli/shared/options.h"
#include "cli/shared/say.h"
#include "cli/shared/verb.h"
#include "design/making/changes.h"

enum key { KEY_STRICT = 0x700 };

struct input {
    struct common common;
    bool strict;
};

static error_t parse(int key, char *argument, struct argp_state *state)
{
    struct input *input = state->input;
    (void)argument;
    if (key != KEY_STRICT)
        return parse_common(key, argument, state, &input->common);
    input->strict = true;
    return 0;
}

static void print_kind(const struct ys_changes *changes, bool breaks, int width)
{
    for (size_t i = 0; i < changes->count; i++) {
        const struct ys_change *change = &changes->items[i];
        if (change->breaks == breaks)
            (void)printf("%-10s  %-*s  %s\n", breaks ? "breaks" : "compatible", width, change->where, change->what);
    }
}

static void print_changes(const struct ys_changes *changes)
{
    int width = 0;
    for (size_t i = 0; i < changes->count; i++)
        width = (int)strlen(changes->items[i].where) > width ? (int)strlen(changes->items[i].where) : width;
    print_kind(changes, true, width);
    print_kind(changes, false, width);
    if (changes->count == 0)
        (void)puts("nothing has changed for the other side");
    else
        (void)printf("\n%zu breaking, %zu compatible\n", changes->breaking, changes->count - changes->breaking);
}

static void print_json(const struct ys_changes *changes)
{
    json_t *list = json_array();
    for (size_t i = 0; i < changes->count; i++) {
        const struct ys_change *change = &changes->items[i];
        (void)json_array_append_new(
            list, json_pack("{s:b, s:s, s:s}", "breaks", change->breaks, "where", change->where, "what", change->what));
    }
    json_t *root = json_pack("{s:i, s:i, s:o}", "breaking", (int)changes->breaking, "compatible",
                             (int)(changes->count - changes->breaking), "changes", list);
    (void)json_dumpf(root, stdout, JSON_INDENT(2));
    (void)putchar('\n');
    json_decref(root);
}

int verb_changes(int argc, char **argv)
{
    static const struct argp_option options[] = {
        {"strict", KEY_STRICT, NULL, 0, "Exit with status 1 if a change breaks something", 0},
        {"json", 'j', NULL, 0, "Print the changes as JSON", 0},
        {0}};
    static const struct argp argp = {
        .options = options,
        .parser = parse,
        .args_doc = "OLD NEW",
        .doc = "Compares two versions of a definition: what changes for developers of the other side, and for clients "
               "that cached the old table. Services and characteristics are matched by UUID.\vExit status: 0 compared, "
               "1 with --strict if a change breaks something, 2 a definition or an option is wrong.",
    };
    struct input input = {.strict = false};
    if (!parse_options(&argp, argc, argv, &input))
        return EXIT_BAD_INPUT;
    if (input.common.files.count != 2) {
        (void)complain(argv[0], "name two definitions, the old one first");
        return EXIT_BAD_INPUT;
    }
    int status = EXIT_BAD_INPUT;
    struct ys_design *designs[2] = {NULL, NULL};
    struct ys_layout *layouts[2] = {NULL, NULL};
    for (size_t i = 0; i < 2 && (i == 0 || layouts[0] != NULL); i++) {
        designs[i] = read_design(input.common.files.paths[i]);
        if (designs[i] != NULL && designs[i]->findings.errors > 0)
            print_findings(designs[i], false);
        layouts[i] = designs[i] != NULL ? lay_out(designs[i]) : NULL;
    }
    if (layouts[0] != NULL && layouts[1] != NULL) {
        struct ys_changes changes = ys_changes_between(&(struct ys_version){designs[0], layouts[0]},
                                                       &(struct ys_version){designs[1], layouts[1]});
        (input.common.json ? print_json : print_changes)(&changes);
        status = input.strict && changes.breaking > 0 ? EXIT_UNEXPECTED : EXIT_AS_EXPECTED;
        ys_changes_free(&changes);
    }
    for (size_t i = 0; i < 2; i++) {
        ys_layout_free(layouts[i]);
        ys_design_free(designs[i]);
    }
    return status;
}
