/* yarnswift air: a simulated air on which others' hosts can be, in real time. */
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/air/offered.h"
#include "cli/shared/crash.h"
#include "cli/shared/options.h"
#include "cli/shared/pace.h"
#include "cli/shared/recorder.h"
#include "cli/shared/say.h"
#include "cli/shared/stage_files.h"
#include "cli/shared/terminal.h"
#include "cli/shared/verb.h"
#include "scene/report.h"
#include "scene/scene.h"
#include "scene/stage.h"

#define CONTROLLERS_MOST PACE_LINES_MOST
#define START_NS         (500 * YS_NS_PER_MS)

enum key { KEY_CONTROLLERS = 0x700, KEY_SOCKETS };

struct input {
    struct common common;
    unsigned long long seed;
    unsigned long long controllers;
    bool controllers_said;
    double seconds; /* 0: until it is interrupted, or the scene is over */
    const char *folder;
    struct module_folders folders;
    struct recorder recorder;
};

/* What is offered, and the pace of time. */
struct offers {
    struct pace pace;
    struct offered *offered[PACE_LINES_MOST];
    size_t count;
};

static struct pollfd waits(void *context)
{
    return offered_waits(context);
}

static void turn(void *context)
{
    offered_turn(context);
}

/* Lines */

static void line_out(void *context, uint64_t at_ns, enum ys_side side, const char *name, const char *text)
{
    struct ys_report_log log = {.stream = stdout, .colour = *(const bool *)context};
    ys_report_line(&log, at_ns, side, name, text);
    (void)fflush(stdout);
}

static void offered_says(void *context, const char *name, const char *text)
{
    const struct offers *offers = context;
    ys_world_say(offers->pace.world, YS_SIDE_SCENE, name, "%s", text);
}

static bool offer_one(const char *who, const struct input *input, struct offers *offers, struct offering *offering)
{
    if (offers->count == CONTROLLERS_MOST)
        return complain(who, "at most %d lines can be offered", CONTROLLERS_MOST);
    offering->world = offers->pace.world;
    offering->folder = input->folder;
    offering->seed = input->seed;
    offering->number = (uint16_t)(offers->count + 1);
    offering->say = offered_says;
    offering->context = offers;
    struct offered *offered = offered_new(who, offering);
    if (offered == NULL)
        return false;
    offers->offered[offers->count++] = offered;
    offers->pace.lines[offers->pace.count++] = (struct pace_line){waits, turn, offered};
    (void)printf("%s: %s\n", offered_name(offered), offered_path(offered));
    (void)fflush(stdout);
    return true;
}

static bool offer(const char *who, const struct input *input, struct offers *offers, uint16_t first)
{
    unsigned long long count = input->folders.plugged_count > 0 && !input->controllers_said ? 0 : input->controllers;
    for (unsigned i = 0; i < count; i++) {
        struct offering offering = {.first = (uint16_t)(first + i)};
        if (!offer_one(who, input, offers, &offering))
            return false;
        if (ys_radio_has_model(offers->pace.world->radio))
            (void)ys_radio_place(offers->pace.world->radio, offering.first, 1, 1);
    }
    return true;
}

/* The devices of the scene whose hosts are outside. */
static bool offer_devices(const char *who, const struct input *input, struct offers *offers,
                          const struct ys_scene *scene, struct ys_stage *stage)
{
    for (size_t i = 0; i < scene->device_count; i++) {
        struct offering offering = {.plug = ys_stage_plug(stage, i), .name = scene->actors[i].name.text};
        if (offering.plug != NULL && !offer_one(who, input, offers, &offering))
            return false;
    }
    return true;
}

/* The steps begin when all hosts have connected and have had time to start. */
static void wait_for_hosts(const struct offers *offers, const struct ys_scene *scene, struct ys_stage *stage)
{
    bool waited = false;
    for (size_t i = 0; i < scene->device_count; i++) {
        const struct ys_plug *plug = ys_stage_plug(stage, i);
        waited |= plug != NULL;
        while (plug != NULL && !ys_plug_is_there(plug) && !pace_is_interrupted())
            ys_world_run(offers->pace.world, 10 * YS_NS_PER_MS);
    }
    if (waited)
        ys_world_run(offers->pace.world, START_NS);
}

static void end_offers(struct offers *offers)
{
    pace_end(&offers->pace);
    for (size_t i = 0; i < offers->count; i++)
        offered_free(offers->offered[i]);
}

static void print_end(const struct offers *offers)
{
    (void)fputs("the air was there ", stdout);
    pace_print(stdout, &offers->pace);
}

static void go_on(const struct input *input, const struct offers *offers)
{
    uint64_t until_ns = input->seconds > 0 ? (uint64_t)(input->seconds * (double)YS_NS_PER_S) : UINT64_MAX;
    struct ys_world *world = offers->pace.world;
    while (!pace_is_interrupted() && ys_world_now_ns(world) < until_ns) {
        uint64_t left_ns = until_ns - ys_world_now_ns(world);
        ys_world_run(world, left_ns < 100 * YS_NS_PER_MS ? left_ns : 100 * YS_NS_PER_MS);
    }
}

/* Nothing but what is offered. */
static int run_empty(const char *who, struct input *input)
{
    struct ys_world world;
    struct offers offers = {.pace = {.world = &world}};
    bool colour = wants_colour(stdout);
    if (!ys_world_init(&world, input->seed, line_out, &colour)) {
        (void)complain(who, "there is no memory for an air");
        return EXIT_BAD_INPUT;
    }
    ys_world_record(&world, recorder_recording(&input->recorder));
    bool good = offer(who, input, &offers, 1);
    if (good) {
        pace_begin(&offers.pace);
        go_on(input, &offers);
        print_end(&offers);
    }
    end_offers(&offers);
    ys_world_end(&world);
    return good ? EXIT_AS_EXPECTED : EXIT_BAD_INPUT;
}

/* A scene around it. Those who are offered come after its own devices and centrals. */
static int run_scene(const char *who, struct input *input)
{
    const struct ys_scene_files files = stage_files(&input->folders);
    struct ys_take take = {.steps = NULL};
    bool colour = wants_colour(stdout);
    struct ys_scene *scene = read_scene(input->common.files.paths[0], &files);
    int status = EXIT_BAD_INPUT;
    if (scene == NULL || scene->findings.errors > 0 || !firmware_all_used(&input->folders, who)) {
        ys_scene_free(scene);
        return status;
    }
    struct ys_stage *stage =
        ys_stage_new(scene, &take, input->seed, false, recorder_recording(&input->recorder), line_out, &colour);
    struct offers offers = {.pace = {.world = stage != NULL ? ys_stage_world(stage) : NULL}};
    if (stage == NULL) {
        (void)complain(who, "%s", take.problem);
    } else if (offer_devices(who, input, &offers, scene, stage) &&
               offer(who, input, &offers, (uint16_t)(scene->actor_count + 1))) {
        pace_begin(&offers.pace);
        wait_for_hosts(&offers, scene, stage);
        bool passed = ys_stage_do(stage, &scene->steps);
        if (passed && input->seconds > 0)
            go_on(input, &offers);
        print_end(&offers);
        bool broken = offers.pace.world->failure[0] != '\0';
        if (broken)
            (void)complain(who, "%s", offers.pace.world->failure);
        else if (!passed && take.step_count > 0 && !pace_is_interrupted())
            (void)printf("FAILED: %s: %s\n", take.steps[take.step_count - 1].what,
                         take.steps[take.step_count - 1].came);
        status = broken ? EXIT_BAD_INPUT : passed ? EXIT_AS_EXPECTED : EXIT_UNEXPECTED;
    }
    if (stage != NULL)
        end_offers(&offers);
    ys_stage_free(stage);
    ys_take_clear(&take);
    ys_scene_free(scene);
    return status;
}

static error_t parse(int key, char *argument, struct argp_state *state)
{
    struct input *input = state->input;
    switch (key) {
    case 's':
        return take_seed(state->argv[0], argument, &input->seed) ? 0 : EINVAL;
    case KEY_CONTROLLERS:
        if (parse_number(argument, &input->controllers) && input->controllers >= 1 &&
            input->controllers <= CONTROLLERS_MOST) {
            input->controllers_said = true;
            return 0;
        }
        (void)complain(state->argv[0], "--controllers takes a number from 1 to %d", CONTROLLERS_MOST);
        return EINVAL;
    case 't':
        if (parse_real(argument, 0.001, 1e6, &input->seconds))
            return 0;
        (void)complain(state->argv[0], "--seconds takes a number from 0.001 to 1000000");
        return EINVAL;
    case KEY_SOCKETS:
        input->folder = argument;
        return 0;
    case 'P':
        return plug_take(&input->folders, state->argv[0], argument) ? 0 : EINVAL;
    case 'f':
        return firmware_take(&input->folders, state->argv[0], argument) ? 0 : EINVAL;
    case 'm':
        return module_folder_take(&input->folders, state->argv[0], argument) ? 0 : EINVAL;
    case 'j':
        return ARGP_ERR_UNKNOWN;
    default:
        return recorder_parse(&input->recorder, key, argument) ? 0 : parse_common(key, argument, state, &input->common);
    }
}

int verb_air(int argc, char **argv)
{
    static const struct argp_option options[] = {
        {"controllers", KEY_CONTROLLERS, "NUMBER", 0, "Number of controllers that are offered, 1 to 16 (default 1)", 0},
        {"sockets", KEY_SOCKETS, "FOLDER", 0,
         "Offer them as sockets FOLDER/1, FOLDER/2, ... instead of pseudo-terminals", 0},
        {"seconds", 't', "NUMBER", 0, "Stop after this time; with a scene, not before its steps have ended", 0},
        {"plug", 'P', "DEVICE", 0, "Offer a line for the host of this device of the scene; may be repeated", 0},
        FIRMWARE_OPTIONS,
        {"seed", 's', "NUMBER", 0, "Random seed (default 1)", 0},
        RECORDER_OPTIONS,
        {0}};
    static const struct argp argp = {
        .options = options,
        .parser = parse,
        .args_doc = "[SCENE]",
        .doc = "Offers simulated controllers to other programs, in real time: any host that speaks HCI over a serial "
               "line (H4) can be a device or a central on the simulated air. The path of each controller is printed: a "
               "pseudo-terminal, or a socket. With a scene, its devices and centrals are on the same air, and its "
               "steps are played. Without a scene it runs until it is interrupted.\vExit status: 0, 1 if a step of the "
               "scene failed, 2 if the scene, the firmware or an option is wrong.",
    };
    struct input input = {.seed = 1, .controllers = 1};
    if (!parse_options(&argp, argc, argv, &input))
        return EXIT_BAD_INPUT;
    if (input.common.files.count > 1) {
        (void)complain(argv[0], "name one scene, or none");
        return EXIT_BAD_INPUT;
    }
    if (input.common.files.count == 0 && input.folders.played_count + input.folders.plugged_count > 0) {
        (void)complain(argv[0], "--plug and --firmware are of devices of a scene: name one");
        return EXIT_BAD_INPUT;
    }
    if (!recorder_begin(&input.recorder, input.common.replaces))
        return EXIT_BAD_INPUT;
    crash_watch(STDERR_FILENO, "\nyarnswift air: ", "\n", EXIT_BAD_INPUT, 0);
    pace_mind_signals();
    int status = input.common.files.count == 1 ? run_scene(argv[0], &input) : run_empty(argv[0], &input);
    return recorder_end(&input.recorder) ? status : EXIT_BAD_INPUT;
}
