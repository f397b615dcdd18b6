/* yarnswift catalogue: searches what the standard has adopted. */
#include <stdlib.h>
#include <string.h>

#include <jansson.h>

#include "cli/cli.h"
#include "design/search.h"

/* More than these are listed a line each, fewer are shown whole. */
#define WHOLE_MOST 3

static error_t parse(int key, char *argument, struct argp_state *state)
{
    (void)argument;
    return parse_common(key, state, state->input);
}

/* Prints a block of lines behind a title, each moved in. */
static void print_block(const char *title, const struct ys_adopted *adopted,
                        void (*print)(FILE *stream, const struct ys_adopted *adopted))
{
    char *text = NULL;
    size_t length = 0;
    char *save = NULL;
    FILE *stream = open_memstream(&text, &length);
    if (stream == NULL)
        return;
    print(stream, adopted);
    (void)fclose(stream);
    if (length > 0)
        (void)printf("  %s\n", title);
    for (const char *line = strtok_r(text, "\n", &save); line != NULL; line = strtok_r(NULL, "\n", &save))
        (void)printf("    %s\n", line);
    free(text);
}

static void print_names(const char *title, char *const *names, size_t count)
{
    if (count == 0)
        return;
    (void)printf("  %s", title);
    for (size_t i = 0; i < count; i++)
        (void)printf("%s %s", i > 0 ? "," : "", names[i]);
    (void)putchar('\n');
}

static void print_line(const struct ys_adopted *adopted)
{
    (void)printf("0x%04X  %-14s  %-44s %s\n", adopted->number, ys_adopted_kind_name(adopted->kind), adopted->name,
                 adopted->about != NULL    ? adopted->about
                 : adopted->symbol != NULL ? adopted->symbol
                                           : "");
}

static void print_whole(const struct ys_adopted *adopted)
{
    (void)printf("%s 0x%04X %s", ys_adopted_kind_name(adopted->kind), adopted->number, adopted->name);
    if (adopted->symbol != NULL && adopted->symbol[0] != '\0')
        (void)printf(" (%s)", adopted->symbol);
    (void)putchar('\n');
    if (adopted->about != NULL)
        (void)printf("  %s\n", adopted->about);
    print_names("must have:", adopted->has, adopted->has_count);
    print_names("may have:", adopted->may_have, adopted->may_have_count);
    print_block("its value:", adopted, ys_adopted_print_layout);
    print_block("in a definition:", adopted, ys_adopted_print_fragment);
}

static void print_json(const struct ys_search *search)
{
    json_t *root = json_object();
    json_t *found = json_array();
    for (size_t i = 0; i < search->count; i++) {
        const struct ys_adopted *adopted = search->found[i];
        (void)json_array_append_new(found, json_pack("{s:s, s:i, s:s, s:s?, s:s?}", "kind",
                                                     ys_adopted_kind_name(adopted->kind), "number",
                                                     (int)adopted->number, "name", adopted->name, "about",
                                                     adopted->about, "symbol", adopted->symbol));
    }
    (void)json_object_set_new(root, "guessed", json_boolean(search->guessed));
    (void)json_object_set_new(root, "found", found);
    (void)json_dumpf(root, stdout, JSON_INDENT(2));
    (void)putchar('\n');
    json_decref(root);
}

static void print_text(const struct ys_search *search, const char *words)
{
    if (search->guessed && search->count > 0)
        (void)printf("nothing is named \"%s\"; near to it:\n", words);
    for (size_t i = 0; i < search->count; i++) {
        if (search->count > WHOLE_MOST)
            print_line(search->found[i]);
        else
            print_whole(search->found[i]);
    }
}

int verb_catalogue(int argc, char **argv)
{
    static const struct argp_option options[] = {{"json", 'j', NULL, 0, "Print what is found as JSON", 0}, {0}};
    static const struct argp argp = {
        .options = options,
        .parser = parse,
        .args_doc = "[WORD...]",
        .doc = "Searches what the standard has adopted: services, characteristics, descriptors, units, formats, "
               "appearances, advertising types. By number (0x180F), by name, by words; a typo does no harm. Without "
               "words all are listed. What is found alone is shown whole, with a fragment for a definition.\v"
               "Exit status: 0 something was found, 1 nothing was.",
    };
    struct common input = {.json = false};
    struct ys_search search = {.found = NULL};
    char words[256] = "";
    size_t used = 0;
    if (!parse_options(&argp, argc, argv, &input))
        return EXIT_BAD_INPUT;
    for (int i = 0; i < input.files.count && used < sizeof words; i++)
        used += (size_t)snprintf(words + used, sizeof words - used, "%s%s", i > 0 ? " " : "", input.files.paths[i]);
    if (used >= sizeof words) {
        (void)complain(argv[0], "that is too much to look for: give a few words");
        return EXIT_BAD_INPUT;
    }
    ys_search_run(&search, words);
    if (input.json)
        print_json(&search);
    else
        print_text(&search, words);
    int status = search.count > 0 ? EXIT_AS_EXPECTED : EXIT_UNEXPECTED;
    if (search.count == 0)
        (void)complain(argv[0], "nothing fits \"%s\"; without words all is listed", words);
    ys_search_clear(&search);
    return status;
}
