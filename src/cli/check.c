/* yarnswift check: says what is wrong with definitions. */
#include <jansson.h>

#include "cli/shared/definitions.h"
#include "cli/shared/options.h"
#include "cli/shared/say.h"
#include "cli/shared/verb.h"
#include "design/reading/schema.h"

enum key { KEY_STRICT = 0x700 };

struct input {
    struct common common;
    bool strict;
    bool schema;
};

static error_t parse(int key, char *argument, struct argp_state *state)
{
    struct input *input = state->input;
    (void)argument;
    if (key != KEY_STRICT && key != 'S')
        return parse_common(key, argument, state, &input->common);
    input->strict |= key == KEY_STRICT;
    input->schema |= key == 'S';
    return 0;
}

static const char *plural(size_t count)
{
    return count == 1 ? "" : "s";
}

static void print_summary(const struct ys_design *design, const struct ys_layout *layout, const char *path)
{
    size_t errors = design->findings.errors;
    size_t warnings = design->findings.warnings;
    size_t advice = design->findings.count - errors - warnings;
    size_t characteristics = 0;
    for (size_t i = 0; i < design->service_count; i++)
        characteristics += design->services[i].characteristic_count;
    if (layout != NULL)
        (void)printf("%s: good: %zu service%s, %zu characteristic%s, %zu attributes", path, design->service_count,
                     plural(design->service_count), characteristics, plural(characteristics), layout->count);
    else
        (void)printf("%s: %zu error%s", path, errors, plural(errors));
    if (warnings > 0)
        (void)printf(", %zu warning%s", warnings, plural(warnings));
    if (advice > 0)
        (void)printf(", %zu piece%s of advice", advice, plural(advice));
    (void)putchar('\n');
}

static void add_findings(json_t *list, const struct ys_design *design)
{
    for (size_t i = 0; i < design->findings.count; i++) {
        const struct ys_finding *finding = &design->findings.items[i];
        (void)json_array_append_new(list, json_pack("{s:s, s:i, s:i, s:s, s:s, s:s}", "file",
                                                    finding->place.file != NULL ? finding->place.file : design->file,
                                                    "line", finding->place.line, "column", finding->place.column,
                                                    "severity", severity_word(finding->severity), "code", finding->code,
                                                    "text", finding->text));
    }
}

/* Checks one file; its findings go to `list` or, where that is NULL, to the terminal. */
static bool check_one(const char *path, bool strict, json_t *list)
{
    struct ys_design *design = read_design(path);
    if (design == NULL)
        return false;
    struct ys_layout *layout = lay_out(design);
    bool good = layout != NULL && (!strict || design->findings.warnings == 0);
    if (list != NULL) {
        add_findings(list, design);
    } else {
        print_findings(design, true);
        print_summary(design, layout, path);
    }
    ys_layout_free(layout);
    ys_design_free(design);
    return good;
}

int verb_check(int argc, char **argv)
{
    static const struct argp_option options[] = {
        {"strict", KEY_STRICT, NULL, 0, "Treat warnings as errors", 0},
        {"schema", 'S', NULL, 0, "Print the JSON Schema of definitions, for editors, and check nothing", 0},
        {"json", 'j', NULL, 0, "Print the findings as JSON: file, line, column, severity, code, text", 0},
        {0}};
    static const struct argp argp = {
        .options = options,
        .parser = parse,
        .args_doc = "DEFINITION...",
        .doc = "Checks definitions (NAME.device.yaml) and reports every problem with its line, its column and a "
               "remedy. An error must be corrected, a warning is probably a mistake, advice is optional.\vExit status: "
               "0 no errors, 2 errors.",
    };
    struct input input = {.strict = false};
    bool good = true;
    if (!parse_options(&argp, argc, argv, &input))
        return EXIT_BAD_INPUT;
    if (input.schema)
        return ys_schema_print(stdout) ? EXIT_AS_EXPECTED : EXIT_BAD_INPUT;
    if (input.common.files.count == 0) {
        (void)complain(argv[0], "name a definition, such as NAME.device.yaml");
        return EXIT_BAD_INPUT;
    }
    json_t *list = input.common.json ? json_array() : NULL;
    for (int i = 0; i < input.common.files.count; i++)
        good &= check_one(input.common.files.paths[i], input.strict, list);
    if (list != NULL) {
        json_t *root = json_pack("{s:b, s:o}", "good", good, "findings", list);
        (void)json_dumpf(root, stdout, JSON_INDENT(2));
        (void)putchar('\n');
        json_decref(root);
    }
    return good ? EXIT_AS_EXPECTED : EXIT_BAD_INPUT;
}
