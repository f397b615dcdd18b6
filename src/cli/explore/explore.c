/* yarnswift explore: the engineer is the central. */

#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/explore/commands.h"
#include "cli/explore/completion.h"
#include "cli/explore/doing.h"
#include "cli/explore/explorer.h"
#include "cli/explore/prompt.h"
#include "cli/explore/session.h"
#include "cli/shared/crash.h"
#include "cli/shared/definitions.h"
#include "cli/shared/options.h"
#include "cli/shared/recorder.h"
#include "cli/shared/say.h"
#include "cli/shared/stage_files.h"
#include "cli/shared/terminal.h"
#include "cli/shared/verb.h"
#include "scene/report.h"
#include "scene/scene.h"
#include "scene/scene_read.h"

struct input {
    struct common common;
    unsigned long long seed;
    const char *firmware;
    const char *kind;
    struct module_folders folders;
    struct recorder recorder;
};

static error_t parse(int key, char *argument, struct argp_state *state)
{
    struct input *input = state->input;
    switch (key) {
    case 's':
        return take_seed(state->argv[0], argument, &input->seed) ? 0 : EINVAL;
    case 'f':
        input->firmware = argument;
        return 0;
    case 'k':
        input->kind = argument;
        return 0;
    case 'm':
        if (module_folder_add(&input->folders, argument))
            return 0;
        (void)complain(state->argv[0], "there are too many folders of modules");
        return EINVAL;
    case 'j':
        return ARGP_ERR_UNKNOWN;
    default:
        return recorder_parse(&input->recorder, key, argument) ? 0 : parse_common(key, state, &input->common);
    }
}

static void line_out(void *context, uint64_t at_ns, enum ys_side side, const char *name, const char *text)
{
    struct explorer *explorer = context;
    struct ys_report_log log = {.stream = stdout, .colour = explorer->colour};
    if (explorer->silent)
        return;
    if (explorer->prompt != NULL)
        prompt_hide(explorer->prompt);
    ys_report_line(&log, at_ns, side, name, text);
    if (explorer->prompt != NULL)
        prompt_show(explorer->prompt);
}

static const char *prompt_text(void *context)
{
    const struct explorer *explorer = context;
    static char text[48];
    size_t count = 0;
    (void)ys_central_connected(ys_stage_central(explorer->stage, EXPLORED_CENTRAL), &count);
    (void)snprintf(text, sizeof text, "%.3f s%s> ",
                   (double)ys_world_now_ns(ys_stage_world(explorer->stage)) / (double)YS_NS_PER_S,
                   count > 0 ? " connected" : "");
    return text;
}

static void idle(void *context, unsigned long passed_us)
{
    struct explorer *explorer = context;
    if (explorer->clock_runs)
        ys_world_run(ys_stage_world(explorer->stage), passed_us * YS_NS_PER_US);
}

/* The scene in which it happens: one device, one central beside it. */
static json_t *head_of(const struct input *input)
{
    json_t *device = json_pack("{s:s, s:s, s:[s, s]}", "name", "device", "definition", input->common.files.paths[0],
                               "at", "0 m", "0 m");
    if (input->firmware != NULL)
        (void)json_object_set_new(device, "firmware", json_string(input->firmware));
    return json_pack("{s:s, s:s, s:[o], s:[{s:s, s:s, s:[s, s]}]}", "scene", "As it was done at the prompt", "air",
                     "open", "devices", device, "centrals", "name", "central", "kind", input->kind, "at", "2 m", "0 m");
}

static struct ys_scene *read_head(const json_t *head, const struct ys_scene_files *files)
{
    json_t *whole = json_deep_copy(head);
    (void)json_object_set_new(whole, "steps", json_pack("[{s:s}]", "wait", "1 ms"));
    char *text = json_dumps(whole, 0);
    struct ys_scene *scene = ys_scene_read("explore", text, strlen(text), files);
    free(text);
    json_decref(whole);
    for (size_t i = 0; i < scene->findings.count; i++)
        (void)complain("yarnswift explore", "%s", scene->findings.items[i].text);
    return scene;
}

static int explore(struct explorer *explorer)
{
    const struct prompt_owner owner = {
        .context = explorer, .text = prompt_text, .idle = idle, .complete = explore_complete};
    const char *line;
    explorer->prompt = prompt_new(&owner);
    if (explorer->prompt == NULL) {
        (void)complain("yarnswift explore", "the terminal cannot be used");
        return EXIT_BAD_INPUT;
    }
    explorer->clock_runs = prompt_is_terminal(explorer->prompt);
    while (!explorer->quits && (line = prompt_next(explorer->prompt)) != NULL)
        explore_line(explorer, line);
    if (!explorer->quits && prompt_is_terminal(explorer->prompt))
        (void)putchar('\n');
    bool terminal = prompt_is_terminal(explorer->prompt);
    prompt_free(explorer->prompt);
    explorer->prompt = NULL;
    return explorer->wrong && !terminal ? EXIT_BAD_INPUT : EXIT_AS_EXPECTED;
}

int verb_explore(int argc, char **argv)
{
    static const struct argp_option options[] = {
        {"firmware", 'f', "MODULE", 0, "The module of the device's firmware; else its definition plays it", 0},
        {"modules", 'm', "FOLDER", 0, "Look for the module here, too; may be given again", 0},
        {"as", 'k', "KIND", 0, "What kind of central to be, such as polite (default), old, eavesdropping", 0},
        {"seed", 's', "NUMBER", 0, "With other chances; the same number and input give the same (default 1)", 0},
        RECORDER_OPTIONS,
        {0}};
    static const struct argp argp = {
        .options = options,
        .parser = parse,
        .args_doc = "DEFINITION",
        .doc = "You are the central: scan, connect, see the table, read, write, subscribe, change the device's own "
               "values, "
               "look at the last packets, in virtual time that runs with the clock or stands. Commands come from the "
               "terminal, with history and completion, or from a pipe. What was done can be saved as a scene.\v"
               "Exit status: 0, or 2 if the definition or an option is wrong, or a command from a pipe was not "
               "understood.",
    };
    struct input input = {.seed = 1, .kind = "polite"};
    struct explorer explorer = {.colour = wants_colour(stdout)};
    if (!parse_options(&argp, argc, argv, &input))
        return EXIT_BAD_INPUT;
    if (input.common.files.count != 1) {
        (void)complain(argv[0], "name one definition, such as NAME.device.yaml");
        return EXIT_BAD_INPUT;
    }
    struct ys_design *design = open_design(input.common.files.paths[0]);
    bool good = design != NULL && design->findings.errors == 0;
    ys_design_free(design);
    if (!good)
        return EXIT_BAD_INPUT;
    if (!recorder_begin(&input.recorder))
        return EXIT_BAD_INPUT;
    const struct ys_scene_files files = stage_files(&input.folders);
    crash_watch(STDERR_FILENO, "\nyarnswift explore: ", "\n", EXIT_BAD_INPUT, 0);
    explorer.head = head_of(&input);
    explorer.scene = read_head(explorer.head, &files);
    int status = EXIT_BAD_INPUT;
    if (explorer.scene->findings.errors == 0) {
        (void)puts("You are a central in an open yard, 2 m from the device. help lists what you can do.");
        explorer.stage = ys_stage_new(explorer.scene, &explorer.take, input.seed, recorder_recording(&input.recorder),
                                      line_out, &explorer);
        if (explorer.stage == NULL)
            (void)complain(argv[0], "%s", explorer.take.problem);
    }
    if (explorer.stage != NULL) {
        ys_central_list(ys_stage_central(explorer.stage, EXPLORED_CENTRAL), YS_LIST_ALL);
        status = explore(&explorer);
    }
    explorer_end(&explorer);
    return recorder_end(&input.recorder) ? status : EXIT_BAD_INPUT;
}
