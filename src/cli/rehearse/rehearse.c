/* yarnswift rehearse: plays scenes, and says whether all came as it was expected. */
#include <errno.h>
#include <fcntl.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <unistd.h>

#include "cli/page/page.h"
#include "cli/rehearse/rehearsal.h"
#include "cli/rehearse/spread.h"
#include "cli/rehearse/take_page.h"
#include "cli/rehearse/takes.h"
#include "cli/rehearse/watch.h"
#include "cli/shared/crash.h"
#include "cli/shared/definitions.h"
#include "cli/shared/options.h"
#include "cli/shared/pool.h"
#include "cli/shared/saving.h"
#include "cli/shared/say.h"
#include "cli/shared/terminal.h"
#include "cli/shared/verb.h"
#include "design/reading/schema.h"
#include "scene/scene_read.h"
#include "scene/stage.h"

#define SEEDS_MOST        1000000
#define FAILED_SHOWN      10
#define TAKE_LIMIT_MOST_S 1000000

enum key { KEY_TIME_LIMIT = 0x700, KEY_LOG };

static error_t parse(int key, char *argument, struct argp_state *state)
{
    struct input *input = state->input;
    const char *verb = state->argv[0];
    if (share_has(key))
        return share_take(&input->share, verb, key, argument) ? 0 : EINVAL;
    switch (key) {
    case 's':
        return take_seed(verb, argument, &input->seed) ? 0 : EINVAL;
    case 'n':
        return parse_number(argument, &input->seeds) && input->seeds >= 1 && input->seeds <= SEEDS_MOST
                   ? 0
                   : (complain(verb, "--runs must be a number from 1 to 1000000, not \"%s\"", argument), EINVAL);
    case 'J':
        return take_jobs(verb, argument, &input->jobs) ? 0 : EINVAL;
    case KEY_TIME_LIMIT:
        return parse_number(argument, &input->most_s) && input->most_s >= 1 && input->most_s <= TAKE_LIMIT_MOST_S
                   ? 0
                   : (complain(verb, "--time-limit must be a number of seconds from 1 to 1000000, not \"%s\"",
                               argument),
                      EINVAL);
    case 'C':
        return controller_take(&input->controllers, state->argv[0], argument) ? 0 : EINVAL;
    case 'O':
        return plug_take(&input->folders, state->argv[0], argument) ? 0 : EINVAL;
    case 'f':
        return firmware_take(&input->folders, state->argv[0], argument) ? 0 : EINVAL;
    case 'm':
        return module_folder_take(&input->folders, verb, argument) ? 0 : EINVAL;
    case 'x':
        input->junit = argument;
        return 0;
    case 'v':
        input->steps = true;
        return 0;
    case KEY_LOG:
        input->log = true;
        return 0;
    case 'S':
        input->schema = true;
        return 0;
    case 'c':
        input->only_check = true;
        return 0;
    default:
        return recorder_parse(&input->recorder, key, argument) ? 0 : parse_common(key, argument, state, &input->common);
    }
}

/* reading */

static json_t *findings_of(const struct ys_scene *scene)
{
    json_t *list = json_array();
    for (size_t i = 0; scene != NULL && i < scene->findings.count; i++) {
        const struct ys_finding *finding = &scene->findings.items[i];
        (void)json_array_append_new(list,
                                    json_pack("{s:i, s:i, s:s, s:s}", "line", finding->place.line, "column",
                                              finding->place.column, "code", finding->code, "text", finding->text));
    }
    return list;
}

/* Reads all scenes; those that cannot be played are broken, and the others are played. */
static bool read_all(struct rehearsal *rehearsal, const struct ys_scene_files *files)
{
    const struct files *paths = &rehearsal->input->common.files;
    rehearsal->scenes = calloc((size_t)paths->count + 1, sizeof(struct ys_scene *));
    rehearsal->takes = calloc((size_t)paths->count + 1, sizeof(json_t *));
    rehearsal->results = json_array();
    for (int i = 0; i < paths->count && rehearsal->scenes != NULL && rehearsal->takes != NULL; i++) {
        struct ys_scene *scene = read_scene(paths->paths[i], files);
        bool good = scene != NULL && scene->findings.errors == 0;
        const char *title = good ? scene->title.text : "";
        json_t *takes = json_array();
        (void)json_array_append_new(rehearsal->results, json_pack("{s:s, s:s, s:s, s:o}", "kind", "rehearsal", "file",
                                                                  paths->paths[i], "title", title, "takes", takes));
        if (good) {
            rehearsal->takes[rehearsal->scene_count] = takes;
            rehearsal->scenes[rehearsal->scene_count++] = scene;
            continue;
        }
        char problem[4400];
        (void)snprintf(problem, sizeof problem, "%s: %s", paths->paths[i],
                       scene != NULL ? scene->findings.items[0].text : "it cannot be read");
        json_t *take = broken_take(paths->paths[i], "", rehearsal->input->seed, problem);
        (void)json_object_set_new(take, "findings", findings_of(scene));
        (void)json_array_append_new(takes, take);
        ys_scene_free(scene);
    }
    return rehearsal->scenes != NULL && rehearsal->takes != NULL;
}

/* playing */

static double now_s(void)
{
    struct timespec now;
    (void)clock_gettime(CLOCK_MONOTONIC, &now);
    return (double)now.tv_sec + (double)now.tv_nsec / 1e9;
}

/* With real controllers, at the pace of the wall. */
static void play_live(const struct ys_scene *scene, struct input *input, struct ys_recording *recording,
                      struct ys_take *take)
{
    struct controllers *controllers = &input->controllers; /* of this process, as it is one of its own */
    const struct ys_beside beside = controllers_beside(controllers);
    char problem[300] = "";
    *take = (struct ys_take){.seed = input->seed, .ending = YS_TAKE_BROKEN};
    if (controllers_open(controllers, problem, sizeof problem))
        ys_scene_play(scene, input->seed, true, recording, &beside, take);
    else
        take->problem = strdup(problem);
    controllers_close(controllers);
}

/* What firmware prints has been printed before. */
static void be_silent(void)
{
    int nowhere = open("/dev/null", O_WRONLY | O_CLOEXEC);
    (void)dup2(nowhere, STDOUT_FILENO);
    (void)dup2(nowhere, STDERR_FILENO);
}

static void play(void *context, size_t number, FILE *result)
{
    const struct rehearsal *rehearsal = context;
    if (rehearsal->again)
        be_silent();
    const struct input *input = rehearsal->input;
    size_t index = rehearsal->todo[number];
    const struct ys_scene *scene = rehearsal->scenes[index / input->seeds];
    struct recorder recorder = input->recorder;
    double began_s = now_s();
    struct ys_take take;
    if (!recorder_begin(&recorder, input->common.replaces))
        _exit(EXIT_BAD_INPUT);
    struct ys_recording *recording = recorder_recording(&recorder);
    struct watch *watch = input->common.page != NULL ? watch_begin(scene, recording) : NULL;
    if (watch != NULL)
        recording = watch_recording(watch);
    if (input->controllers.count > 0)
        play_live(scene, rehearsal->input, recording, &take);
    else
        ys_scene_play(scene, input->seed + index % input->seeds, rehearsal->packets, recording, NULL, &take);
    if (!recorder_end(&recorder))
        _exit(EXIT_BAD_INPUT);
    json_t *root = take_to_json(scene, &take,
                                input->log || input->common.json || input->common.page != NULL ||
                                    input->share.results != NULL || take.ending != YS_TAKE_PASSED);
    if (watch != NULL)
        (void)json_object_set_new(root, "watched", watch_end(watch));
    (void)json_object_set_new(root, "elapsed_s", json_real(now_s() - began_s));
    char *text = json_dumps(root, JSON_COMPACT | JSON_REAL_PRECISION(15));
    (void)fputs(text != NULL ? text : "", result); /* nothing: whoever waits says so */
    free(text);
    json_decref(root);
    ys_take_clear(&take);
}

static void take_done(void *context, size_t number, const char *result, size_t length, const char *crash)
{
    struct rehearsal *rehearsal = context;
    const struct input *input = rehearsal->input;
    size_t index = rehearsal->todo[number];
    const struct ys_scene *scene = rehearsal->scenes[index / input->seeds];
    json_t *take = crash == NULL ? json_loadb(result, length, 0, NULL) : NULL;
    if (take == NULL)
        take = broken_take(scene->file, scene->title.text, input->seed + index % input->seeds,
                           crash != NULL ? crash : "the process of the scene ended without a result");
    rehearsal->played[index] = take;
    take_page_keep(rehearsal, index, take);
    if (!spread_keep(rehearsal, index, take)) { /* no more can be kept, and nobody would know */
        results_close(rehearsal->store);
        exit(EXIT_BAD_INPUT);
    }
    if (input->junit != NULL && now_s() - rehearsal->written_s >= 1) { /* whoever ends this has what there was */
        spread_gather(rehearsal);
        (void)takes_write_junit(input->junit, rehearsal->results);
        rehearsal->written_s = now_s();
    }
    progress_show(&rehearsal->progress, ++rehearsal->done, rehearsal->todo_count);
}

/* Most takes pass and need no packets. Where only one failed take is shown, it is played again with packets. */

/* The first of a scene that failed; `seeds`: none. */
static size_t first_failed(const struct rehearsal *rehearsal, size_t scene)
{
    size_t seeds = (size_t)rehearsal->input->seeds;
    for (size_t i = 0; i < seeds; i++) {
        const json_t *take = rehearsal->played[scene * seeds + i];
        if (take != NULL && !take_passed(take))
            return i;
    }
    return seeds;
}

static void replayed(void *context, size_t number, const char *result, size_t length, const char *crash)
{
    struct rehearsal *rehearsal = context;
    json_t *take = crash == NULL ? json_loadb(result, length, 0, NULL) : NULL;
    json_t *packets = json_object_get(take, "packets");
    json_t *before = rehearsal->played[rehearsal->todo[number]];
    if (packets != NULL && !take_passed(take) && !take_is_broken(take))
        (void)json_object_set(before, "packets", packets);
    json_decref(take);
}

static bool play_failed_again(struct rehearsal *rehearsal, const struct pool *pool)
{
    struct pool again = *pool;
    size_t seeds = (size_t)rehearsal->input->seeds;
    again.count = 0;
    for (size_t i = 0; i < rehearsal->scene_count; i++) {
        size_t first = first_failed(rehearsal, i);
        if (first < seeds && !take_is_broken(rehearsal->played[i * seeds + first]))
            rehearsal->todo[again.count++] = i * seeds + first;
    }
    rehearsal->packets = true;
    rehearsal->again = true;
    again.done = replayed;
    return pool_run(&again);
}

/* printing */

static void print_title(const json_t *scene, bool colour)
{
    (void)printf("%s%s%s: %s\n", colour ? "\033[1m" : "", json_string_value(json_object_get(scene, "file")),
                 colour ? "\033[0m" : "", json_string_value(json_object_get(scene, "title")));
}

static void print_log(const json_t *take)
{
    const json_t *line;
    size_t index;
    json_array_foreach(json_object_get(take, "log"), index, line)
    {
        (void)printf("%12.6f s  %-10s %s\n", json_number_value(json_object_get(line, "at_s")),
                     json_string_value(json_object_get(line, "who")), json_string_value(json_object_get(line, "text")));
    }
}

static void print_take(const struct input *input, const json_t *take, bool whole, bool colour)
{
    if (take_is_broken(take)) {
        if (json_object_get(take, "findings") == NULL) { /* which have been said */
            put_plain(stderr, json_string_value(json_object_get(take, "problem")));
            (void)fputc('\n', stderr);
        }
        return;
    }
    if (input->log)
        print_log(take);
    else if (whole)
        take_print(stdout, take, colour);
    if (whole && !input->log) {
        take_print_charge(stdout, take);
        take_print_images(stdout, take);
    }
    if (!take_passed(take))
        take_print_failure(stdout, take, colour);
}

static void print_verdict(const char *word, bool good, bool colour)
{
    (void)printf("%s%s%s  ", colour ? (good ? "\033[1;32m" : "\033[1;31m") : "", word, colour ? "\033[0m" : "");
}

/* Which seeds failed, so that each can be repeated. */
static void print_failed_seeds(const json_t *takes)
{
    const json_t *take;
    const char *between = "; failed with --seed ";
    size_t index;
    size_t shown = 0;
    json_array_foreach(takes, index, take)
    {
        if (take_passed(take))
            continue;
        if (shown++ == FAILED_SHOWN) {
            (void)printf(", ...");
            return;
        }
        (void)printf("%s%lld", between, (long long)json_integer_value(json_object_get(take, "seed")));
        between = ", ";
    }
}

static size_t count_passed(const json_t *takes)
{
    const json_t *take;
    size_t index;
    size_t passed = 0;
    json_array_foreach(takes, index, take)
    {
        passed += take_passed(take);
    }
    return passed;
}

/* The first that failed, or the first at all. */
static const json_t *telling_take(const json_t *takes)
{
    const json_t *take;
    size_t index;
    json_array_foreach(takes, index, take)
    {
        if (!take_passed(take))
            return take;
    }
    return json_array_get(takes, 0);
}

static void print_scene(const struct input *input, const json_t *scene, bool alone, bool colour)
{
    const json_t *takes = json_object_get(scene, "takes");
    const json_t *take = telling_take(takes);
    size_t passed = count_passed(takes);
    bool good = passed == json_array_size(takes);
    bool broken = take_is_broken(take);
    bool whole = alone || input->steps || input->log || (!good && !broken);
    if (whole && !broken)
        print_title(scene, colour);
    print_take(input, take, whole, colour);
    if (whole && !broken)
        (void)putchar('\n');
    print_verdict(good ? "passed" : broken ? "broken" : "FAILED", good, colour);
    (void)printf("%s", json_string_value(json_object_get(scene, "file")));
    if (json_array_size(takes) > 1)
        (void)printf("  %zu of %zu seeds", passed, json_array_size(takes));
    else if (!broken)
        (void)printf(
            "  seed %lld, %zu steps, %.3f s simulated", (long long)json_integer_value(json_object_get(take, "seed")),
            json_array_size(json_object_get(take, "steps")), json_number_value(json_object_get(take, "simulated_s")));
    if (!good && json_array_size(takes) > 1)
        print_failed_seeds(takes);
    (void)putchar('\n');
}

static void print_all(const struct rehearsal *rehearsal)
{
    bool colour = wants_colour(stdout);
    bool alone = json_array_size(rehearsal->results) == 1 && rehearsal->input->seeds == 1;
    const json_t *scene;
    size_t index;
    json_array_foreach(rehearsal->results, index, scene)
    {
        if (json_array_size(json_object_get(scene, "takes")) > 0) /* else another share has them */
            print_scene(rehearsal->input, scene, alone, colour);
    }
}

static int status_of(const struct rehearsal *rehearsal)
{
    const json_t *scene;
    const json_t *take;
    size_t i;
    size_t j;
    int status = EXIT_AS_EXPECTED;
    json_array_foreach(rehearsal->results, i, scene)
    {
        json_array_foreach(json_object_get(scene, "takes"), j, take)
        {
            if (take_is_broken(take))
                status = EXIT_BAD_INPUT;
            else if (!take_passed(take) && status == EXIT_AS_EXPECTED)
                status = EXIT_UNEXPECTED;
        }
    }
    return status;
}

/* How long it took is another each time, and no result. */
static void drop_elapsed(const struct rehearsal *rehearsal)
{
    const json_t *scene;
    json_t *take;
    size_t i;
    size_t j;
    json_array_foreach(rehearsal->results, i, scene)
    {
        json_array_foreach(json_object_get(scene, "takes"), j, take)
        {
            (void)json_object_del(take, "elapsed_s");
        }
    }
}

static int rehearse(struct input *input)
{
    bool all_tell = input->common.json || input->common.page != NULL || input->junit != NULL ||
                    input->share.results != NULL || input->recorder.path != NULL || input->controllers.count > 0;
    struct rehearsal rehearsal = {.input = input, .packets = all_tell, .progress = progress_begin("takes")};
    const struct ys_scene_files files = stage_files(&input->folders);
    int status = EXIT_BAD_INPUT;
    bool read = read_all(&rehearsal, &files) && firmware_all_used(&input->folders, "yarnswift rehearse") &&
                (rehearsal.scene_count == 0 ||
                 controllers_give(&input->controllers, "yarnswift rehearse", rehearsal.scenes[0]));
    read = read && (input->only_check || spread_choose(&rehearsal));
    const struct pool pool = {.count = rehearsal.todo_count,
                              .at_once = input->jobs,
                              .most_s = (unsigned)input->most_s,
                              .job = play,
                              .done = take_done,
                              .context = &rehearsal};
    if (read && input->only_check) {
        status = rehearsal.scene_count == (size_t)input->common.files.count ? EXIT_AS_EXPECTED : EXIT_BAD_INPUT;
        (void)printf("%zu of %d scenes %s good\n", rehearsal.scene_count, input->common.files.count,
                     rehearsal.scene_count == 1 ? "is" : "are");
    } else if (read && input->share.undone) {
        spread_say_undone(&rehearsal);
        status = EXIT_AS_EXPECTED;
    } else if (read && pool_run(&pool) && (all_tell || play_failed_again(&rehearsal, &pool))) {
        progress_end(&rehearsal.progress);
        spread_gather(&rehearsal);
        if (rehearsal.mine < rehearsal.scene_count * input->seeds)
            (void)fprintf(stderr, "yarnswift rehearse: part %llu of %llu: %zu of %llu takes, %zu of them played now\n",
                          input->share.part, input->share.parts, rehearsal.mine, rehearsal.scene_count * input->seeds,
                          rehearsal.todo_count);
        status = status_of(&rehearsal);
        bool written = input->junit == NULL || takes_write_junit(input->junit, rehearsal.results);
        drop_elapsed(&rehearsal);
        written = (input->common.page == NULL || take_page_write(&rehearsal)) && written;
        if (input->common.json) {
            (void)json_dumpf(rehearsal.results, stdout, JSON_INDENT(2) | JSON_REAL_PRECISION(15));
            (void)putchar('\n');
        } else {
            print_all(&rehearsal);
        }
        if (!written)
            status = EXIT_BAD_INPUT;
    }
    spread_end(&rehearsal);
    for (size_t i = 0; i < rehearsal.scene_count; i++)
        ys_scene_free(rehearsal.scenes[i]);
    free(rehearsal.scenes);
    free(rehearsal.takes);
    json_decref(rehearsal.results);
    json_decref(rehearsal.shown);
    json_decref(rehearsal.watched);
    return status;
}

/* Whether what is asked for can be; false after a line. */
static bool fits_together(const char *who, const struct input *input)
{
    if (input->common.files.count == 0)
        return complain(who, "name a scene, such as NAME.scene.yaml");
    if (input->recorder.path != NULL && (input->common.files.count != 1 || input->seeds != 1))
        return complain(who, "--capture takes one scene and one seed");
    if (input->common.page != NULL && input->only_check)
        return complain(who, "--page shows what was played: omit --check");
    if (input->controllers.count > 0 && (input->common.files.count != 1 || input->seeds != 1))
        return complain(who, "--controller takes one scene and one seed");
    if (input->controllers.count == 0 && input->folders.plugged_count > 0)
        return complain(who, "--outside needs a real controller: add --controller");
    if (input->controllers.count > 0 && (input->share.results != NULL || input->share.parts > 1))
        return complain(who, "--results and --part are of simulations: they cannot go with real controllers");
    return share_fits(&input->share, who, &input->common);
}

int verb_rehearse(int argc, char **argv)
{
    static const struct argp_option options[] = {
        {"seed", 's', "NUMBER", 0, "Random seed (default 1)", 0},
        {"runs", 'n', "NUMBER", 0,
         "Play each scene this many times, with the seeds from --seed on, and report which failed", 0},
        {"jobs", 'J', "NUMBER", 0, "Number of runs that run in parallel, 1 to 64 (default: number of cores)", 0},
        {"time-limit", KEY_TIME_LIMIT, "SECONDS", 0,
         "Stop a run that needs more computing time, or lasts ten times as long (default 600)", 0},
        FIRMWARE_OPTIONS,
        CONTROLLER_OPTIONS,
        {"steps", 'v', NULL, 0, "Also show the steps of scenes that pass", 0},
        {"log", KEY_LOG, NULL, 0, "Show the logs of all devices and centrals instead of the steps", 0},
        {"junit", 'x', "FILE", 0, "Write the results to FILE as JUnit XML, for build servers", 0},
        PAGE_OPTION,
        {"check", 'c', NULL, 0, "Check the scenes, and play nothing", 0},
        {"schema", 'S', NULL, 0, "Print the JSON Schema of scenes, for editors, and play nothing", 0},
        SHARE_OPTIONS,
        RECORDER_OPTIONS,
        {"json", 'j', NULL, 0, "Print the results as JSON", 0},
        {0}};
    static const struct argp argp = {
        .options = options,
        .parser = parse,
        .args_doc = "SCENE...\n--merge --results FILE FILE...",
        .doc = "Plays scenes: centrals and devices go through the steps of the scene in virtual time, and every "
               "expectation is checked. Devices run their firmware, or are simulated from their definitions.\vModules "
               "and images of firmware are searched for beside the scene, in the folders of --modules, in "
               "build/modules, and in the modules folder beside that of this command. Exit status: 0 all scenes "
               "passed, 1 an expectation was not met, 2 a scene, a module or an option is wrong.",
    };
    long cores = sysconf(_SC_NPROCESSORS_ONLN);
    struct input input = {.seed = 1,
                          .seeds = 1,
                          .share = SHARE_WHOLE,
                          .jobs = cores > 1 ? (unsigned long long)cores : 1,
                          .most_s = TAKE_USUAL_S};
    if (!parse_options(&argp, argc, argv, &input))
        return EXIT_BAD_INPUT;
    if (input.schema)
        return ys_schema_print_of(stdout, &ys_scene_mapping, "What happens to devices: NAME.scene.yaml")
                   ? EXIT_AS_EXPECTED
                   : EXIT_BAD_INPUT;
    if (input.share.merge)
        return share_merge(&input.share, argv[0], &input.common, "takes");
    if (!fits_together(argv[0], &input))
        return EXIT_BAD_INPUT;
    if (!saving_is_free(input.recorder.path, input.common.replaces) ||
        !saving_is_free(input.common.page, input.common.replaces) ||
        (input.junit != NULL && !takes_may_write_junit(input.junit)))
        return EXIT_BAD_INPUT;
    return rehearse(&input);
}
