/* yarnswift explore: the engineer is the central. */

#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include <yarnswift/sets.h>

#include "cli/explore/commands.h"
#include "cli/explore/completion.h"
#include "cli/explore/doing.h"
#include "cli/explore/explorer.h"
#include "cli/explore/prompt.h"
#include "cli/explore/session.h"
#include "cli/shared/controllers.h"
#include "cli/shared/crash.h"
#include "cli/shared/definitions.h"
#include "cli/shared/options.h"
#include "cli/shared/recorder.h"
#include "cli/shared/say.h"
#include "cli/shared/stage_files.h"
#include "cli/shared/terminal.h"
#include "cli/shared/verb.h"
#include "design/model/memory.h"
#include "scene/report.h"
#include "scene/scene.h"
#include "scene/scene_read.h"

#define DEVICES_MOST 8
#define CENTRAL      "central"

/* The argument of --firmware: the device (NULL: the first one), and the module. */
struct firmware {
    const char *device;
    const char *module;
};

struct input {
    struct common common;
    unsigned long long seed;
    struct firmware firmware[DEVICES_MOST];
    size_t firmware_count;
    const char *kind;
    struct module_folders folders;
    struct controllers controllers;
    struct recorder recorder;
};

/* MODULE, or DEVICE=MODULE, which is split. */
static struct firmware firmware_of(char *argument)
{
    char *equals = strchr(argument, '=');
    if (equals == NULL)
        return (struct firmware){NULL, argument};
    *equals = '\0';
    return (struct firmware){argument, equals + 1};
}

static error_t parse(int key, char *argument, struct argp_state *state)
{
    struct input *input = state->input;
    switch (key) {
    case 's':
        return take_seed(state->argv[0], argument, &input->seed) ? 0 : EINVAL;
    case 'f':
        if (input->firmware_count == DEVICES_MOST) {
            (void)complain(state->argv[0], "there are at most %d devices", DEVICES_MOST);
            return EINVAL;
        }
        input->firmware[input->firmware_count++] = firmware_of(argument);
        return 0;
    case 'C':
        return controller_take(&input->controllers, state->argv[0], argument) ? 0 : EINVAL;
    case 'O':
        return plug_take(&input->folders, state->argv[0], argument) ? 0 : EINVAL;
    case 'k':
        input->kind = argument;
        return 0;
    case 'm':
        return module_folder_take(&input->folders, state->argv[0], argument) ? 0 : EINVAL;
    case 'j':
        return ARGP_ERR_UNKNOWN;
    default:
        return recorder_parse(&input->recorder, key, argument) ? 0 : parse_common(key, argument, state, &input->common);
    }
}

static void line_out(void *context, uint64_t at_ns, enum ys_side side, const char *name, const char *text)
{
    struct explorer *explorer = context;
    struct ys_report_log log = {.stream = stdout, .colour = explorer->colour, .width = 0};
    for (size_t i = 0; i < explorer->central; i++) {
        int length = (int)strlen(explorer->scene->actors[i].name.text);
        log.width = length > log.width ? length : log.width;
    }
    if (explorer->silent)
        return;
    if (explorer->prompt != NULL)
        prompt_hide(explorer->prompt);
    ys_report_line(&log, at_ns, side, name, text);
    if (explorer->prompt != NULL)
        prompt_show(explorer->prompt);
}

/* The name of the current device, if there are several. */
static const char *prompt_text(void *context)
{
    struct explorer *explorer = context;
    static char text[120];
    bool connected = explorer_peer(explorer) != NULL;
    (void)snprintf(text, sizeof text, "%.3f s%s%s> ", (double)explorer_now_ns(explorer) / (double)YS_NS_PER_S,
                   connected ? " " : "",
                   !connected              ? ""
                   : explorer->central > 1 ? explorer_device(explorer)
                                           : "connected");
    return text;
}

static void idle(void *context, unsigned long passed_us)
{
    struct explorer *explorer = context;
    if (explorer->clock_runs)
        ys_world_run(ys_stage_world(explorer->stage), passed_us * YS_NS_PER_US);
}

/* Whether a name is one of these devices', or the central's. */
static bool is_taken(const json_t *devices, const char *name)
{
    size_t i;
    json_t *device;
    json_array_foreach(devices, i, device)
    {
        if (strcmp(json_string_value(json_object_get(device, "name")), name) == 0)
            return true;
    }
    return strcmp(name, CENTRAL) == 0;
}

/* A device is called as its definition is in C, with a number after it if that is taken. */
static char *device_name(const json_t *devices, const char *id)
{
    char *name = ys_copy(id, strlen(id));
    for (unsigned i = 2; is_taken(devices, name); i++) {
        free(name);
        name = ys_new_text("%s_%u", id, i);
    }
    return name;
}

static bool is_of(const struct firmware *firmware, const char *name, size_t device)
{
    return firmware->device == NULL ? device == 0 : strcmp(firmware->device, name) == 0;
}

static bool needs_coded(const struct ys_design *design)
{
    for (size_t i = 0; i < design->set_count; i++) {
        if (design->sets[i].primary_phy == YS_SAID_CODED || design->sets[i].phy == YS_SAID_CODED)
            return true;
    }
    return false;
}

/* The scene in which it happens: devices two metres from each other, and the central beside the first. */
static json_t *head_of(const struct input *input, struct ys_design *const *designs)
{
    json_t *devices = json_array();
    json_t *central = json_pack("{s:s, s:s, s:[s, s]}", "name", CENTRAL, "kind", input->kind, "at", "2 m", "0 m");
    for (int i = 0; i < input->common.files.count; i++) {
        char place[24];
        char *name = device_name(devices, designs[i]->id);
        (void)snprintf(place, sizeof place, "%d m", 2 * i);
        json_t *device = json_pack("{s:s, s:s, s:[s, s]}", "name", name, "definition", input->common.files.paths[i],
                                   "at", "0 m", place);
        for (size_t j = 0; j < input->firmware_count; j++) {
            if (is_of(&input->firmware[j], name, (size_t)i))
                (void)json_object_set_new(device, "firmware", json_string(input->firmware[j].module));
        }
        (void)json_array_append_new(devices, device);
        free(name);
        if (needs_coded(designs[i]) && strcmp(input->kind, "old") != 0)
            (void)json_object_set_new(central, "coded", json_string("true"));
    }
    return json_pack("{s:s, s:s, s:o, s:[o]}", "scene", "As it was done at the prompt", "air", "outdoors", "devices",
                     devices, "centrals", central);
}

/* Whether the devices of all --firmware are there; false after a line. */
static bool has_devices(const char *who, const struct input *input, const json_t *head)
{
    const json_t *devices = json_object_get(head, "devices");
    for (size_t i = 0; i < input->firmware_count; i++) {
        const char *device = input->firmware[i].device;
        if (device != NULL && (strcmp(device, CENTRAL) == 0 || !is_taken(devices, device)))
            return complain(who,
                            "--firmware: there is no device \"%s\"; the first is \"%s\", as its definition is called",
                            device, json_string_value(json_object_get(json_array_get(devices, 0), "name")));
    }
    return true;
}

/* NULL, after lines, if a definition cannot be used. */
static json_t *open_head(const struct input *input)
{
    struct ys_design *designs[DEVICES_MOST] = {NULL};
    json_t *head = NULL;
    bool good = true;
    for (int i = 0; i < input->common.files.count; i++) {
        designs[i] = open_design(input->common.files.paths[i]);
        good = good && designs[i] != NULL && designs[i]->findings.errors == 0;
    }
    if (good)
        head = head_of(input, designs);
    for (int i = 0; i < input->common.files.count; i++)
        ys_design_free(designs[i]);
    return head;
}

static void greet(const struct explorer *explorer)
{
    (void)fputs("You are a central in an open yard, 2 m from ", stdout);
    for (size_t i = 0; i < explorer->central; i++)
        (void)printf("%s%s",
                     i == 0                      ? ""
                     : i + 1 < explorer->central ? ", "
                                                 : " and ",
                     explorer->scene->actors[i].name.text);
    (void)puts(". help lists all commands.");
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

/* Opens real controllers for who has them; false after a line. */
static bool prepare_controllers(struct controllers *controllers, const char *who, struct ys_scene *scene)
{
    char problem[300];
    return controllers_give(controllers, who, scene) &&
           (controllers_open(controllers, problem, sizeof problem) || complain(who, "%s", problem));
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
    const char *failure = ys_stage_world(explorer->stage)->failure;
    while (!explorer->quits && failure[0] == '\0' && (line = prompt_next(explorer->prompt)) != NULL)
        explore_line(explorer, line);
    if (!explorer->quits && prompt_is_terminal(explorer->prompt))
        (void)putchar('\n');
    bool terminal = prompt_is_terminal(explorer->prompt);
    prompt_free(explorer->prompt);
    explorer->prompt = NULL;
    if (failure[0] != '\0') {
        (void)complain("yarnswift explore", "%s", failure);
        return EXIT_BAD_INPUT;
    }
    return explorer->wrong && !terminal ? EXIT_BAD_INPUT : EXIT_AS_EXPECTED;
}

static int play(const char *who, struct input *input, struct explorer *explorer)
{
    const struct ys_scene_files files = stage_files(&input->folders);
    crash_watch(STDERR_FILENO, "\nyarnswift explore: ", "\n", EXIT_BAD_INPUT, 0);
    explorer->scene = read_head(explorer->head, &files);
    int status = EXIT_BAD_INPUT;
    const struct ys_beside beside = controllers_beside(&input->controllers);
    bool live = input->controllers.count > 0;
    if (explorer->scene->findings.errors == 0 && firmware_all_used(&input->folders, who) &&
        prepare_controllers(&input->controllers, who, explorer->scene)) {
        greet(explorer);
        explorer->stage = ys_stage_new(explorer->scene, &explorer->take, input->seed, true,
                                       recorder_recording(&input->recorder), line_out, explorer);
        if (explorer->stage == NULL)
            (void)complain(who, "%s", explorer->take.problem);
    }
    if (explorer->stage != NULL) {
        if (live)
            beside.begin(beside.context, explorer->stage);
        ys_central_list(explorer_central(explorer), YS_LIST_ALL);
        status = explore(explorer);
        if (live)
            beside.end(beside.context, explorer->stage);
    }
    explorer_end(explorer);
    controllers_close(&input->controllers);
    return status;
}

int verb_explore(int argc, char **argv)
{
    static const struct argp_option options[] = {
        {"firmware", 'f', "[DEVICE=]MODULE", 0,
         "The module or image (.elf) of the firmware of a device, by default the first (default: simulate it from its "
         "definition)",
         0},
        {"modules", 'm', "FOLDER", 0, "Also look for modules and images of firmware in this folder; may be repeated",
         0},
        CONTROLLER_OPTIONS,
        {"kind", 'k', "KIND", 0, "Kind of central to be, such as polite (default), old, eavesdropping", 0},
        {"seed", 's', "NUMBER", 0, "Random seed (default 1)", 0},
        RECORDER_OPTIONS,
        {0}};
    static const struct argp argp = {
        .options = options,
        .parser = parse,
        .args_doc = "DEFINITION...",
        .doc = "Makes you the central: scan, connect, list the table, read, write, subscribe, change a device's own "
               "values, look at the last packets. Virtual time follows the wall clock, or stands still. A device is "
               "named after its definition; several devices can be on the air, and connected. Commands come from the "
               "terminal, with history and completion, or from a pipe; steps of scenes are commands, too. The session "
               "can be saved as a scene.\vExit status: 0, or 2 if the definition or an option is wrong, or a command "
               "from a pipe was not understood.",
    };
    struct input input = {.seed = 1, .kind = "polite"};
    struct explorer explorer = {.colour = wants_colour(stdout)};
    if (!parse_options(&argp, argc, argv, &input))
        return EXIT_BAD_INPUT;
    if (input.common.files.count < 1 || input.common.files.count > DEVICES_MOST) {
        (void)complain(argv[0], "name one definition, such as NAME.device.yaml, or up to %d", DEVICES_MOST);
        return EXIT_BAD_INPUT;
    }
    explorer.head = open_head(&input);
    explorer.central = (size_t)input.common.files.count;
    if (explorer.head == NULL || !has_devices(argv[0], &input, explorer.head) ||
        !recorder_begin(&input.recorder, input.common.replaces)) {
        json_decref(explorer.head);
        return EXIT_BAD_INPUT;
    }
    int status = play(argv[0], &input, &explorer);
    return recorder_end(&input.recorder) ? status : EXIT_BAD_INPUT;
}
