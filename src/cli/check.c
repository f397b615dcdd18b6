/* yarnswift check: says what is wrong with definitions. */
#include "cli/cli.h"

static error_t parse(int key, char *argument, struct argp_state *state)
{
    (void)argument;
    return key == ARGP_KEY_ARGS ? take_files(state, state->input) : ARGP_ERR_UNKNOWN;
}

static const char *plural(size_t count)
{
    return count == 1 ? "" : "s";
}

static bool check_one(const char *path)
{
    struct ys_design *design = open_design(path);
    size_t characteristics = 0;
    if (design == NULL)
        return false;
    size_t errors = design->findings.errors;
    size_t warnings = design->findings.count - errors;
    struct ys_layout *layout = lay_out(design);
    bool good = layout != NULL;
    for (size_t i = 0; i < design->service_count; i++)
        characteristics += design->services[i].characteristic_count;
    if (good)
        (void)printf("%s: good: %zu service%s, %zu characteristic%s, %zu attributes", path, design->service_count,
                     plural(design->service_count), characteristics, plural(characteristics), layout->count);
    else
        (void)printf("%s: %zu error%s", path, errors, plural(errors));
    if (warnings > 0)
        (void)printf(", %zu warning%s", warnings, plural(warnings));
    (void)putchar('\n');
    ys_layout_free(layout);
    ys_design_free(design);
    return good;
}

int verb_check(int argc, char **argv)
{
    static const struct argp argp = {
        .parser = parse,
        .args_doc = "DEFINITION...",
        .doc =
            "Reads definitions (NAME.device.yaml) and says all that is wrong with them, each thing with its line and "
            "column and with what to do about it.\vExit status: 0 they are good (warnings or not), 2 they are not.",
    };
    struct files files = {.count = 0};
    bool good = true;
    if (!parse_options(&argp, argc, argv, &files))
        return EXIT_BAD_INPUT;
    if (files.count == 0) {
        (void)complain(argv[0], "name a definition, such as NAME.device.yaml");
        return EXIT_BAD_INPUT;
    }
    for (int i = 0; i < files.count; i++)
        good &= check_one(files.paths[i]);
    return good ? EXIT_AS_EXPECTED : EXIT_BAD_INPUT;
}
