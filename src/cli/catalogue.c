/* yarnswift catalogue: searches what the standard has adopted. */
#include <stdlib.h>
#include <string.h>

#include <jansson.h>

#include "cli/shared/options.h"
#include "cli/shared/say.h"
#include "cli/shared/verb.h"
#include "design/making/search.h"
#include "design/model/model.h"
#include "design/reading/catalogue.h"

/* More than these are listed a line each, fewer are shown whole. */
#define WHOLE_MOST 3

static error_t parse(int key, char *argument, struct argp_state *state)
{
    (void)argument;
    return parse_common(key, argument, state, state->input);
}

/* Prints a block of lines after a title, each moved in. */
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

/* "read, may notify": what a part must offer, and may offer. */
static void print_properties(const struct ys_has *part)
{
    const char *between = " (";
    for (int way = 0; way < YS_WAYS; way++) {
        if (((part->must | part->may) & ys_ways[way].property) == 0)
            continue;
        (void)printf("%s%s%s", between, (part->must & ys_ways[way].property) != 0 ? "" : "may ", ys_ways[way].name);
        between = ", ";
    }
    (void)fputs(part->must != 0 || part->may != 0 ? ")" : "", stdout);
}

static void print_parts(const char *title, const struct ys_adopted *adopted, bool mandatory)
{
    const char *between = "";
    for (size_t i = 0; i < adopted->part_count; i++) {
        if (adopted->parts[i].mandatory != mandatory)
            continue;
        (void)printf("%s    %s", between[0] == '\0' ? title : "", adopted->parts[i].name);
        between = ",";
        print_properties(&adopted->parts[i]);
        (void)putchar('\n');
    }
}

static void print_line(const struct ys_adopted *adopted)
{
    char number[8] = "";
    if (adopted->kind != YS_ADOPTED_DEVICE)
        (void)snprintf(number, sizeof number, "0x%04X", adopted->number);
    (void)printf("%-6s  %-14s  %-44s %s\n", number, ys_adopted_kind_name(adopted->kind), adopted->name,
                 adopted->about != NULL    ? adopted->about
                 : adopted->symbol != NULL ? adopted->symbol
                                           : "");
}

static void print_whole(const struct ys_adopted *adopted)
{
    (void)fputs(ys_adopted_kind_name(adopted->kind), stdout);
    if (adopted->kind != YS_ADOPTED_DEVICE)
        (void)printf(" 0x%04X", adopted->number);
    (void)printf(" %s", adopted->name);
    if (adopted->symbol != NULL && adopted->symbol[0] != '\0')
        (void)printf(" (%s)", adopted->symbol);
    (void)putchar('\n');
    if (adopted->about != NULL)
        (void)printf("  %s\n", adopted->about);
    print_parts(adopted->kind == YS_ADOPTED_DEVICE ? "  has the services:\n" : "  must have:\n", adopted, true);
    print_parts("  may have:\n", adopted, false);
    print_block("its value:", adopted, ys_adopted_print_layout);
    print_block("in a definition:", adopted, ys_adopted_print_fragment);
}

static void print_json(const struct ys_search *search)
{
    json_t *root = json_object();
    json_t *found = json_array();
    for (size_t i = 0; i < search->count; i++) {
        const struct ys_adopted *adopted = search->found[i];
        json_t *number = adopted->kind == YS_ADOPTED_DEVICE ? json_null() : json_integer(adopted->number);
        (void)json_array_append_new(
            found, json_pack("{s:s, s:o, s:s, s:s?, s:s?}", "kind", ys_adopted_kind_name(adopted->kind), "number",
                             number, "name", adopted->name, "about", adopted->about, "symbol", adopted->symbol));
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
        if (search->count > WHOLE_MOST) {
            print_line(search->found[i]);
            continue;
        }
        if (i > 0)
            (void)putchar('\n');
        print_whole(search->found[i]);
    }
}

int verb_catalogue(int argc, char **argv)
{
    static const struct argp_option options[] = {{"json", 'j', NULL, 0, "Print the matches as JSON", 0}, {0}};
    static const struct argp argp = {
        .options = options,
        .parser = parse,
        .args_doc = "[WORD...]",
        .doc = "Searches the numbers that the standard has adopted: services, characteristics, descriptors, units, "
               "formats, appearances, advertising types. Search by number (0x180F), by name or by words; small typing "
               "errors are tolerated. Without words, everything is listed. A single match is shown in full, with a "
               "fragment for a definition.\vExit status: 0 found, 1 not found, 2 an option is wrong.",
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
