/* The yarnswift command: finds the verb, and runs it. */
#include <argp.h>
#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "cli/shared/saving.h"
#include "cli/shared/say.h"
#include "cli/shared/verb.h"
#include "design/model/words.h"

static const struct verb verbs[] = {
#ifndef YARNSWIFT_GENERATOR
    {"new", "write a small project to begin with", verb_new},
#endif
    {"check", "say what is wrong with a definition", verb_check},
    {"table", "show the attribute table that a definition gives", verb_table},
    {"pairing", "show what becomes of a pairing with each central that may come", verb_pairing},
    {"catalogue", "search what the standard has adopted", verb_catalogue},
    {"generate", "write C for the device or its clients, or its interface for other languages", verb_generate},
#ifndef YARNSWIFT_GENERATOR /* the generator builds the demo's device, and so comes without what plays one */
    {"changes", "compare two versions of a definition, for who has built the other side", verb_changes},
    {"footprint", "measure what a device takes of a microcontroller", verb_footprint},
    {"interval", "watch a device advertise, and see how long it takes to find it", verb_interval},
    {"throughput", "see how fast a stream goes, and what holds it back", verb_throughput},
    {"charge", "find out of a measured current what your hardware draws", verb_charge},
    {"sweep", "the same over lists and ranges of parameters", verb_sweep},
    {"compare", "set two results side by side", verb_compare},
    {"explore", "be the central yourself, at a prompt", verb_explore},
    {"rehearse", "play scenes with your device and its centrals, and check what they expect", verb_rehearse},
    {"meet", "let your device meet all that can come, and see what does not hold", verb_meet},
    {"air", "offer simulated controllers to other hosts, in real time", verb_air},
    {"trace", "see what went over the air, in words", verb_trace},
    {"audit", "watch traffic against the rules of the standard", verb_audit},
    {"demo", "let a central meet a device, from being found to being found again", verb_demo},
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
    (void)fputs("\nyarnswift VERB --help tells more. Exit status: 0 as expected, 1 an expectation\n"
                "failed, 2 the input or the options are wrong.\n",
                stream);
}

static int unknown_verb(const char *word)
{
    const char *names[VERB_COUNT];
    for (size_t i = 0; i < VERB_COUNT; i++)
        names[i] = verbs[i].name;
    const char *nearest = ys_word_nearest(word, names, VERB_COUNT);
    if (nearest != NULL)
        (void)complain("yarnswift", "there is no verb \"%s\"; did you mean \"%s\"?", word, nearest);
    else
        (void)complain("yarnswift", "there is no verb \"%s\"; see yarnswift --help", word);
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

int main(int argc, char **argv)
{
    argp_err_exit_status = EXIT_BAD_INPUT;
    saving_watch();
    if (argc < 2) {
        print_help(stderr);
        return EXIT_BAD_INPUT;
    }
    if (strcmp(argv[1], "--help") == 0 || strcmp(argv[1], "help") == 0) {
        print_help(stdout);
        return finish(EXIT_AS_EXPECTED);
    }
    if (strcmp(argv[1], "--version") == 0) {
        (void)puts("yarnswift " YARNSWIFT_VERSION);
        return finish(EXIT_AS_EXPECTED);
    }
    for (size_t i = 0; i < VERB_COUNT; i++) {
        if (strcmp(argv[1], verbs[i].name) == 0)
            return run(&verbs[i], argc - 1, argv + 1);
    }
    if (argv[1][0] == '-') {
        (void)complain("yarnswift", "there is no option %s; see yarnswift --help", argv[1]);
        return EXIT_BAD_INPUT;
    }
    return unknown_verb(argv[1]);
}
