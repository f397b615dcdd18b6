/* The yarnswift command: finds the verb, and runs it. */
#include <argp.h>
#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "cli/page/page.h"
#include "cli/shared/options.h"
#include "cli/shared/saving.h"
#include "cli/shared/say.h"
#include "cli/shared/verb.h"
#include "cli/shared/version.h"
#include "design/model/words.h"

static const struct verb verbs[] = {
#ifndef YARNSWIFT_GENERATOR
    {"new", "write a small project to begin with", verb_new},
#endif
    {"check", "check definitions, and report every problem with a remedy", verb_check},
    {"table", "show the attribute table of a definition", verb_table},
#ifndef YARNSWIFT_GENERATOR
    {"pairing", "show the result of pairing with each kind of central", verb_pairing},
#endif
    {"catalogue", "search the numbers that the standard has adopted", verb_catalogue},
    {"generate", "write C for the device or its clients, or its interface for other languages", verb_generate},
#ifndef YARNSWIFT_GENERATOR /* the generator builds the demo's device, and so comes without what plays one */
    {"changes", "compare two versions of a definition: what breaks, and what does not", verb_changes},
    {"footprint", "measure flash, RAM and stack on a microcontroller", verb_footprint},
    {"interval", "measure advertising, and how long it takes to find a device", verb_interval},
    {"throughput", "measure how fast a stream is, and what limits it", verb_throughput},
    {"charge", "find out from a measured current what your hardware draws", verb_charge},
    {"sweep", "run throughput over lists and ranges of parameters", verb_sweep},
    {"compare", "compare two results, with thresholds", verb_compare},
    {"explore", "be the central yourself, at a prompt", verb_explore},
    {"rehearse", "play scenes with devices and centrals, and check their expectations", verb_rehearse},
    {"meet", "test a device against every kind of central and fault", verb_meet},
    {"air", "offer simulated controllers to other hosts, in real time", verb_air},
    {"trace", "show traffic, line by line", verb_trace},
    {"audit", "check traffic against the rules of the standard", verb_audit},
    {"demo", "run a central against a device, from the first advertisement on", verb_demo},
#endif
};

#define VERB_COUNT (sizeof verbs / sizeof verbs[0])

static void print_help(FILE *stream)
{
    (void)fputs("Usage: yarnswift VERB [OPTION...] [FILE...]\n\n"
                "Define a Bluetooth Low Energy device, generate its tables, meet it, measure it.\n\n",
                stream);
    for (size_t i = 0; i < VERB_COUNT; i++)
        (void)fprintf(stream, "  %-10s %s\n", verbs[i].name, verbs[i].summary);
    (void)fputs("\nRun yarnswift VERB --help for the options of a verb. Exit status: 0 as expected,\n"
                "1 an expectation was not met, 2 the input or the options are wrong.\n",
                stream);
}

static int unknown_verb(const char *word)
{
    const char *names[VERB_COUNT];
    for (size_t i = 0; i < VERB_COUNT; i++)
        names[i] = verbs[i].name;
    const char *nearest = ys_word_nearest(word, names, VERB_COUNT);
    if (nearest != NULL)
        (void)complain("yarnswift", "unknown verb \"%s\"; did you mean \"%s\"?", word, nearest);
    else
        (void)complain("yarnswift", "unknown verb \"%s\"; see yarnswift --help", word);
    return EXIT_BAD_INPUT;
}

/* Says what is wrong with writing to stdout, if anything. */
static int finish(int status)
{
    if (fflush(stdout) == 0 && !ferror(stdout))
        return status;
    (void)complain("yarnswift", "cannot write the result: %s", strerror(errno));
    return EXIT_BAD_INPUT;
}

static int run(const struct verb *verb, int argc, char **argv)
{
    char name[32];
    (void)snprintf(name, sizeof name, "yarnswift %s", verb->name);
    argv[0] = name;
    return finish(verb->run(argc, argv));
}

/* All that verbs take, as JSON: from this the manual, the man page and completions are made. */
static int print_options(void)
{
    json_t *all = json_array();
    for (size_t i = 0; i < VERB_COUNT; i++) {
        char name[] = "yarnswift";
        char *arguments[] = {name, NULL};
        json_t *verb = json_pack("{s:s, s:s}", "verb", verbs[i].name, "summary", verbs[i].summary);
        options_describe(verb);
        (void)verbs[i].run(1, arguments);
        (void)json_array_append_new(all, verb);
    }
    (void)json_dumpf(all, stdout, JSON_INDENT(1) | JSON_ENSURE_ASCII);
    (void)putchar('\n');
    json_decref(all);
    return finish(EXIT_AS_EXPECTED);
}

int main(int argc, char **argv)
{
    argp_err_exit_status = EXIT_BAD_INPUT;
    saving_watch();
#ifndef YARNSWIFT_GENERATOR
    page_command(argc, argv);
#endif
    if (argc < 2) {
        print_help(stderr);
        return EXIT_BAD_INPUT;
    }
    if (strcmp(argv[1], "--help") == 0 || strcmp(argv[1], "help") == 0) {
        print_help(stdout);
        return finish(EXIT_AS_EXPECTED);
    }
    if (strcmp(argv[1], "--version") == 0) {
        (void)printf("yarnswift %s\n", version_text());
        return finish(EXIT_AS_EXPECTED);
    }
    if (strcmp(argv[1], "--options") == 0)
        return print_options();
    for (size_t i = 0; i < VERB_COUNT; i++) {
        if (strcmp(argv[1], verbs[i].name) == 0)
            return run(&verbs[i], argc - 1, argv + 1);
    }
    if (argv[1][0] == '-') {
        (void)complain("yarnswift", "unknown option %s; see yarnswift --help", argv[1]);
        return EXIT_BAD_INPUT;
    }
    return unknown_verb(argv[1]);
}
