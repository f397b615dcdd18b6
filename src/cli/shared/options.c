/* Options: argp reads them; mistakes are reported before, in one line. */
#include "cli/shared/options.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>

#include "cli/shared/say.h"
#include "design/model/words.h"

#define OPTIONS_MOST 64

bool parse_number(const char *text, unsigned long long *number)
{
    char *end;
    if (text[0] < '0' || text[0] > '9')
        return false;
    errno = 0;
    *number = strtoull(text, &end, 10);
    return *end == '\0' && errno == 0;
}

bool parse_real(const char *text, double least, double most, double *number)
{
    char *end;
    if (strspn(text, "0123456789.-e") != strlen(text))
        return false;
    *number = strtod(text, &end);
    return end != text && *end == '\0' && *number >= least && *number <= most;
}

bool take_seed(const char *verb, const char *argument, unsigned long long *seed)
{
    return parse_number(argument, seed) ||
           complain(verb, "--seed must be a whole number from 0 on, not \"%s\"", argument);
}

bool take_jobs(const char *verb, const char *argument, unsigned long long *jobs)
{
    return (parse_number(argument, jobs) && *jobs >= 1 && *jobs <= JOBS_MOST) ||
           complain(verb, "--jobs must be a whole number from 1 to %d, not \"%s\"", JOBS_MOST, argument);
}

static const struct argp_option own_options[] = {{"help", '?', NULL, 0, NULL, 0}, {"usage", 0x100, NULL, 0, NULL, 0}};

/* The option that `name` of `length` characters is or abbreviates; NULL if there is none. */
static const struct argp_option *find_option(const struct argp_option *options, const char *name, size_t length)
{
    for (const struct argp_option *option = options; option != NULL && option->name != NULL; option++) {
        if (strncmp(option->name, name, length) == 0)
            return option;
    }
    for (size_t i = 0; i < sizeof own_options / sizeof own_options[0]; i++) {
        if (strncmp(own_options[i].name, name, length) == 0)
            return &own_options[i];
    }
    return NULL;
}

static const struct argp_option *find_short(const struct argp_option *options, char key)
{
    for (const struct argp_option *option = options; option != NULL && option->name != NULL; option++) {
        if (option->key == key)
            return option;
    }
    return key == '?' ? &own_options[0] : NULL;
}

static bool unknown_option(const char *who, const struct argp_option *options, const char *argument)
{
    const char *names[OPTIONS_MOST] = {"help"};
    char word[64];
    size_t count = 1;
    for (const struct argp_option *option = options; option != NULL && option->name != NULL && count < OPTIONS_MOST;
         option++)
        names[count++] = option->name;
    (void)snprintf(word, sizeof word, "%.*s", (int)strcspn(argument + 2, "="), argument + 2);
    const char *nearest = ys_word_nearest(word, names, count);
    if (nearest != NULL)
        return complain(who, "unknown option --%s; did you mean --%s?", word, nearest);
    return complain(who, "unknown option --%s; see --help", word);
}

/* Checks one argument that begins with a dash. Returns whether the next one belongs to it. */
static bool check_option(const char *who, const struct argp_option *options, const char *argument, const char *next,
                         bool *takes_next)
{
    const struct argp_option *option;
    size_t length = strcspn(argument, "=");
    *takes_next = false;
    if (argument[1] == '-') {
        option = find_option(options, argument + 2, length - 2);
        if (option == NULL)
            return unknown_option(who, options, argument);
        if (argument[length] == '=')
            return option->arg != NULL || complain(who, "--%s takes no value", option->name);
    } else {
        option = find_short(options, argument[1]);
        if (option == NULL)
            return complain(who, "unknown option -%c; see --help", argument[1]);
        if (argument[2] != '\0')
            return option->arg != NULL || complain(who, "options are given one by one, not as %s", argument);
    }
    if (option->arg != NULL && next == NULL)
        return complain(who, "--%s needs a value", option->name);
    *takes_next = option->arg != NULL;
    return true;
}

/* The options of a verb, for the pages and completions that are made of them. */

static json_t *description;

void options_describe(json_t *verb)
{
    description = verb;
}

static void describe(const struct argp *argp)
{
    json_t *options = json_array();
    for (const struct argp_option *option = argp->options; option != NULL && option->name != NULL; option++) {
        char letter[2] = "";
        if (option->key > ' ' && option->key < 127)
            (void)snprintf(letter, sizeof letter, "%c", option->key);
        (void)json_array_append_new(options,
                                    json_pack("{s:s, s:s, s:s?, s:b, s:s}", "name", option->name, "letter", letter,
                                              "argument", option->arg, "optional",
                                              (option->flags & OPTION_ARG_OPTIONAL) != 0, "help", option->doc));
    }
    (void)json_object_set_new(description, "arguments", json_string(argp->args_doc));
    (void)json_object_set_new(description, "help", json_string(argp->doc));
    (void)json_object_set_new(description, "options", options);
}

bool parse_options(const struct argp *argp, int argc, char **argv, void *input)
{
    if (description != NULL) {
        describe(argp);
        return false;
    }
    for (int i = 1; i < argc && strcmp(argv[i], "--") != 0; i++) {
        bool takes_next = false;
        if (argv[i][0] != '-' || argv[i][1] == '\0')
            continue;
        if (!check_option(argv[0], argp->options, argv[i], i + 1 < argc ? argv[i + 1] : NULL, &takes_next))
            return false;
        i += takes_next;
    }
    return argp_parse(argp, argc, argv, 0, NULL, input) == 0;
}

error_t parse_common(int key, char *argument, struct argp_state *state, struct common *common)
{
    switch (key) {
    case 'j':
        common->json = true;
        return 0;
    case COMMON_PAGE:
        common->page = argument;
        return 0;
    case COMMON_REPLACE:
        common->replaces = true;
        return 0;
    case ARGP_KEY_ARGS:
        common->files.paths = state->argv + state->next;
        common->files.count = state->argc - state->next;
        state->next = state->argc;
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

bool take_seconds(const char *who, const char *option, const char *argument, double *seconds)
{
    char *end;
    *seconds = strtod(argument, &end);
    if (end != argument && strcmp(end, " ms") == 0)
        *seconds /= 1000;
    bool good = end != argument && (*end == '\0' || strcmp(end, " s") == 0 || strcmp(end, " ms") == 0);
    return (good && *seconds >= 0 && *seconds < 1e9) ||
           complain(who, "--%s must be a time in seconds, such as \"1.5 s\", not \"%s\"", option, argument);
}
