/* yarnswift interval: what a device does on the air while it advertises, how long it takes to find it, and whether that
 * is what its definition expects. */
#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "capture/file/reader.h"
#include "cli/interval/json.h"
#include "cli/interval/kept.h"
#include "cli/interval/plot.h"
#include "cli/interval/sheet.h"
#include "cli/interval/text.h"
#include "cli/shared/controllers.h"
#include "cli/shared/definitions.h"
#include "cli/shared/options.h"
#include "cli/shared/plot.h"
#include "cli/shared/progress.h"
#include "cli/shared/recorder.h"
#include "cli/shared/saving.h"
#include "cli/shared/say.h"
#include "cli/shared/share.h"
#include "cli/shared/source.h"
#include "cli/shared/verb.h"
#include "experiment/interval.h"
#include "experiment/recorded.h"
#include "experiment/verdict.h"
#include "world/air.h"

#define SCANNERS_MOST 16

/* Options without a letter. */
#define KEY_ANY_PHASE      0x400
#define KEY_LOSS           0x401
#define KEY_CROWD          0x402
#define KEY_CROWD_INTERVAL 0x403
#define KEY_BIT_ERRORS     0x404
#define KEY_SET            0x405
#define KEY_SCANNER        0x406
#define KEY_ADVERTISER     0x407

struct input {
    struct common common;
    unsigned long long seed;
    unsigned long long seconds;
    unsigned long long runs;
    bool runs_said;
    const char *set;
    const char *plot;
    struct ys_scanner scanners[SCANNERS_MOST];
    size_t scanner_count;
    bool any_phase;
    double loss; /* percent; also the next: */
    double bit_errors;
    unsigned long long crowd;
    unsigned long long crowd_interval_ms;
    struct share share;
    struct recorder recorder;
    struct controllers controllers; /* real ones */
    const char *capture;            /* NULL: it is simulated */
    const char *advertiser;
    const char *of_simulations; /* an option that was given and is about a simulation, or NULL */
    const char *of_air;         /* the same about what only a simulated air has */
};

/* options */

static bool take_number(const struct argp_state *state, const char *option, const char *argument,
                        unsigned long long least, unsigned long long most, unsigned long long *number)
{
    if (parse_number(argument, number) && *number >= least && *number <= most)
        return true;
    return complain(state->argv[0], "--%s must be a whole number from %llu to %llu, not \"%s\"", option, least, most,
                    argument);
}

static bool take_percent(const struct argp_state *state, const char *option, const char *argument, double most,
                         double *percent)
{
    return parse_real(argument, 0, most, percent) ||
           complain(state->argv[0], "--%s must be from 0 to %g percent, not \"%s\"", option, most, argument);
}

static bool take_scanner(const struct argp_state *state, const char *argument, struct input *input)
{
    if (input->scanner_count == SCANNERS_MOST / 2)
        return complain(state->argv[0], "name at most %d scanners", SCANNERS_MOST / 2);
    if (!ys_scanner_of(argument, &input->scanners[input->scanner_count]))
        return complain(state->argv[0],
                        "unknown scanner \"%s\"; use constant, half, tenth or hundredth, or a window and an interval "
                        "in steps of 0.625 ms, such as \"30 ms of 100 ms\"",
                        argument);
    input->scanner_count++;
    return true;
}

static bool take_share(const struct argp_state *state, int key, const char *argument, struct input *input)
{
    input->of_simulations = input->of_air = "results and --part";
    return share_take(&input->share, state->argv[0], key, argument);
}

/* What comes of it, and where that goes. */
static error_t parse_output(int key, char *argument, struct argp_state *state)
{
    struct input *input = state->input;
    if (key == 'p') {
        input->plot = argument;
        return plot_is_possible(state->argv[0], argument) ? 0 : EINVAL;
    }
    return recorder_parse(&input->recorder, key, argument) ? 0 : parse_common(key, argument, state, &input->common);
}

static error_t parse(int key, char *argument, struct argp_state *state)
{
    struct input *input = state->input;
    bool good = true;
    if (share_has(key))
        return take_share(state, key, argument, input) ? 0 : EINVAL;
    switch (key) {
    case 's':
        input->of_simulations = "seed";
        good = take_seed(state->argv[0], argument, &input->seed);
        break;
    case 't':
        input->of_simulations = "seconds";
        good = take_number(state, "seconds", argument, 1, 86400, &input->seconds);
        break;
    case 'n':
        input->of_simulations = "runs";
        input->runs_said = true;
        good = take_number(state, "runs", argument, 1, 1000000, &input->runs);
        break;
    case KEY_ANY_PHASE:
        input->of_simulations = input->of_air = "any-phase";
        input->any_phase = true;
        break;
    case KEY_LOSS:
        input->of_simulations = input->of_air = "loss";
        good = take_percent(state, "loss", argument, 90, &input->loss);
        break;
    case KEY_BIT_ERRORS:
        input->of_simulations = input->of_air = "bit-errors";
        good = take_percent(state, "bit-errors", argument, 1, &input->bit_errors);
        break;
    case KEY_CROWD:
        input->of_simulations = input->of_air = "neighbours";
        good = take_number(state, "neighbours", argument, 0, YS_NEIGHBOURS_MOST, &input->crowd);
        break;
    case KEY_CROWD_INTERVAL:
        input->of_simulations = input->of_air = "neighbours-interval";
        good = take_number(state, "neighbours-interval", argument, 20, 10240, &input->crowd_interval_ms);
        break;
    case KEY_SET:
        input->set = argument;
        break;
    case KEY_SCANNER:
        input->of_simulations = "scanner";
        good = take_scanner(state, argument, input);
        break;
    case KEY_ADVERTISER:
        input->advertiser = argument;
        break;
    case 'C':
        input->of_simulations = "controller";
        return controller_take(&input->controllers, state->argv[0], argument) ? 0 : EINVAL;
    default:
        return parse_output(key, argument, state);
    }
    return good ? 0 : EINVAL;
}

/* Takes the way to advertise that is asked for for the first. */
static bool choose_set(struct ys_design *design, const char *path, const char *name)
{
    for (size_t i = 0; name != NULL && i < design->set_count; i++) {
        if (design->sets[i].name == NULL || strcmp(design->sets[i].name, name) != 0)
            continue;
        struct ys_advertisement first = design->sets[0];
        design->sets[0] = design->sets[i];
        design->sets[i] = first;
        return true;
    }
    if (name != NULL)
        return complain(path, "unknown advertising set \"%s\"", name);
    return design->set_count > 0 || complain(path, "the device does not advertise: add advertising:");
}

static void add_scanner(struct input *input, const struct ys_scanner *scanner)
{
    for (size_t i = 0; i < input->scanner_count; i++) {
        if (input->scanners[i].window_us == scanner->window_us &&
            input->scanners[i].interval_us == scanner->interval_us)
            return;
    }
    if (input->scanner_count < SCANNERS_MOST)
        input->scanners[input->scanner_count++] = *scanner;
}

/* Those that are named, or all presets; and those of the expectations. */
static void gather_scanners(struct input *input, const struct ys_design *design)
{
    bool presets = input->scanner_count == 0;
    for (size_t i = 0; presets && i < ys_scanner_count; i++)
        add_scanner(input, &ys_scanners[i]);
    for (size_t i = 0; i < design->expectation_count; i++) {
        if (design->expectations[i].kind == YS_EXPECT_FOUND && ys_interval_concerns(design, &design->expectations[i]))
            add_scanner(input, &design->expectations[i].by);
    }
}

static void show_progress(void *context, uint32_t done, uint32_t of)
{
    progress_show(context, done, of);
}

/* Prints, draws and frees what was measured. */
static int tell(const char *who, const struct input *input, const struct ys_design *design,
                struct ys_interval_report *report)
{
    const struct measured measured = {
        .design = design, .report = report, .capture = input->capture, .seed = input->seed, .runs = input->runs};
    bool good = input->common.json ? interval_print_json(&measured) : interval_print(&measured);
    int status = good ? EXIT_AS_EXPECTED : EXIT_UNEXPECTED;
    if (input->common.page != NULL && !interval_write_page(&input->common, &measured))
        status = EXIT_BAD_INPUT;
    if (input->plot != NULL && !interval_draw(who, input->plot, input->common.replaces, &measured))
        status = EXIT_BAD_INPUT;
    ys_interval_report_free(report);
    return status;
}

static void tell_watched(struct ys_recorded *recorded)
{
    const struct source *source = recorded->context;
    recorded->watched = source->watched;
    recorded->from_ns = source->from_ns;
    recorded->to_ns = source->to_ns;
}

/* The same from a capture. */
static int run_recorded(const char *who, struct input *input, const struct ys_design *design)
{
    static struct source source;
    struct ys_recorded recorded = {.replay = source_replay, .context = &source};
    struct ys_interval_report report;
    char *path = input->common.files.paths[1];
    const struct files files = {.paths = &path, .count = 1};
    int status = EXIT_BAD_INPUT;
    source = (struct source){.seed = input->seed};
    if (source_open(&source, who, &files)) {
        char problem[YS_PROBLEM_SIZE];
        if (ys_interval_of(&recorded, design, input->advertiser, tell_watched, &report, problem))
            status = tell(who, input, design, &report);
        else if (problem[0] != '\0')
            (void)complain(input->capture, "%s", problem);
        source_end(&source);
    }
    source_close(&source);
    return status;
}

static int run(const char *who, struct input *input, const struct ys_design *design)
{
    struct ys_interval_report report;
    struct progress progress = progress_begin("searches");
    long cores = sysconf(_SC_NPROCESSORS_ONLN);
    struct ys_interval_plan plan = {
        .design = design,
        .seconds = (uint32_t)input->seconds,
        .runs = (uint32_t)input->runs,
        .seed = input->seed,
        .any_phase = input->any_phase,
        .loss = input->loss / 100,
        .bit_errors = input->bit_errors / 100,
        .crowd = (uint32_t)input->crowd,
        .crowd_interval_us = (uint32_t)input->crowd_interval_ms * 1000,
        .scanners = input->scanners,
        .scanner_count = input->scanner_count,
        .threads = cores > 0 ? (unsigned)cores : 1,
        .progress = show_progress,
        .context = &progress,
    };
    struct kept kept;
    if (!kept_begin(&kept, &input->share, who, input->common.files.paths[0], &plan))
        return EXIT_BAD_INPUT;
    if (input->share.undone) {
        kept_say_undone(&kept);
        return kept_end(&kept, who) ? EXIT_AS_EXPECTED : EXIT_BAD_INPUT;
    }
    if (!recorder_begin(&input->recorder, input->common.replaces))
        return EXIT_BAD_INPUT; /* what is kept is closed with the process */
    plan.recording = recorder_recording(&input->recorder);
    bool good = ys_interval_run(&plan, &report);
    progress_end(&progress);
    good = recorder_end(&input->recorder) && (good || complain(who, "the device cannot be started"));
    good = kept_end(&kept, who) && good;
    if (good && report.search_count > 0)
        input->runs = report.searches[0].runs; /* of a share, fewer */
    bool empty = good && input->runs == 0;     /* a share without any judges nothing */
    if (good && !empty)
        return tell(who, input, design, &report);
    ys_interval_report_free(&report);
    return empty ? EXIT_AS_EXPECTED : EXIT_BAD_INPUT;
}

/* The same of what real controllers hear. */
static int run_live(const char *who, struct input *input, const struct ys_design *design)
{
    struct ys_interval_report report;
    struct ys_live live;
    if (input->of_air != NULL) {
        (void)complain(who, "--%s is of a simulated air: it cannot go with real controllers", input->of_air);
        return EXIT_BAD_INPUT;
    }
    if (!input->runs_said)
        input->runs = YS_SEARCHES_LIVE;
    if (!controllers_live(&input->controllers, who, &live) || !recorder_begin(&input->recorder, input->common.replaces))
        return EXIT_BAD_INPUT;
    struct progress progress = progress_begin("searches");
    const struct ys_interval_plan plan = {
        .design = design,
        .seconds = (uint32_t)input->seconds,
        .runs = (uint32_t)input->runs,
        .seed = input->seed,
        .scanners = input->scanners,
        .scanner_count = input->scanner_count,
        .threads = 1,
        .progress = show_progress,
        .context = &progress,
        .recording = recorder_recording(&input->recorder),
        .live = &live,
    };
    bool good = ys_interval_run_live(&plan, &report);
    progress_end(&progress);
    controllers_close(&input->controllers);
    good = recorder_end(&input->recorder) && (good || complain(who, "the device cannot be started"));
    if (good && report.broken)
        good = complain(who, "%s", report.trouble);
    if (good)
        return tell(who, input, design, &report);
    ys_interval_report_free(&report);
    return EXIT_BAD_INPUT;
}

static int measure(const char *who, struct input *input, const struct ys_design *design)
{
    gather_scanners(input, design);
    if (input->capture != NULL)
        return run_recorded(who, input, design);
    return input->controllers.count > 0 ? run_live(who, input, design) : run(who, input, design);
}

static int measure_files(const char *who, struct input *input)
{
    struct ys_design *design;
    const struct files *files = &input->common.files;
    input->capture = files->count == 2 ? files->paths[1] : NULL;
    if (!share_fits(&input->share, who, &input->common) ||
        !source_suits(who, input->capture != NULL, input->recorder.path != NULL ? "capture" : input->of_simulations,
                      input->advertiser != NULL ? "advertiser" : NULL) ||
        !saving_is_free(input->common.page, input->common.replaces) ||
        (input->plot != NULL && !plot_is_free(who, input->plot, input->common.replaces)))
        return EXIT_BAD_INPUT;
    struct ys_layout *layout = open_only(
        who, &(struct files){.paths = files->paths, .count = files->count - (input->capture != NULL)}, &design);
    int status = EXIT_BAD_INPUT;
    if (layout != NULL && choose_set(design, files->paths[0], input->set))
        status = measure(who, input, design);
    ys_layout_free(layout);
    ys_design_free(design);
    return status;
}

int verb_interval(int argc, char **argv)
{
    static const struct argp_option options[] = {
        {"seconds", 't', "NUMBER", 0, "Observe the device for this time (default 60)", 0},
        {"runs", 'n', "NUMBER", 0, "Number of searches by each scanner (default 1000; with real controllers 10)", 0},
        {"scanner", KEY_SCANNER, "SCANNER", 0,
         "Search with this scanner instead of all presets: constant, half, tenth, hundredth, or a window and an "
         "interval such as \"30 ms of 100 ms\"; may be repeated",
         0},
        {"any-phase", KEY_ANY_PHASE, NULL, 0,
         "Begin each search at a random time of the scanner's cycle (default: when its window on channel 37 begins)",
         0},
        {"loss", KEY_LOSS, "PERCENT", 0, "Packets that arrive with a wrong CRC: 0 to 90", 0},
        {"bit-errors", KEY_BIT_ERRORS, "PERCENT", 0,
         "Bits that arrive wrong, so that long packets are lost more often: 0 to 1", 0},
        {"neighbours", KEY_CROWD, "NUMBER", 0, "Other devices that advertise in the same place: 0 to 100000", 0},
        {"neighbours-interval", KEY_CROWD_INTERVAL, "MS", 0,
         "Advertising interval of the neighbours: 20 to 10240 ms (default 100)", 0},
        {"advertiser", KEY_ADVERTISER, "WHO", 0,
         "In a capture, the device with this name or address (default: the one that advertises the definition's name)",
         0},
        {"advertising-set", KEY_SET, "NAME", 0, "Use the advertising set with this name (default: the first)", 0},
        {"controller", 'C', "WHO=WHERE[,RATE][,flow]", 0,
         "Use a real controller, in real time: central=WHERE, where WHERE is a serial device, a socket, or hci0. The "
         "device is then real and found by its name; device=WHERE plays it with a second controller. May be repeated",
         0},
        SHARE_OPTIONS,
        {"seed", 's', "NUMBER", 0, "Random seed (default 1)", 0},
        {"plot", 'p', "FILE", 0,
         "Draw the intervals and the discovery times to FILE, which ends in .svg or .png; its data and script are "
         "written beside it",
         0},
        PAGE_OPTION,
        RECORDER_OPTIONS,
        {"json", 'j', NULL, 0, "Print the result as JSON", 0},
        {0}};
    static const struct argp argp = {
        .options = options,
        .parser = parse,
        .args_doc = "DEFINITION [CAPTURE]\n--merge --results FILE FILE...",
        .doc = "Observes a device that advertises on a simulated air: intervals, packets, time on the air and "
               "silences, while a scanner sends requests and a central connects and leaves. Then scanners search for "
               "it; the measured discovery times are printed beside the calculated ones, and the expectations of the "
               "definition are judged. With a capture, the device in the capture is measured instead of a simulated "
               "one.\vExit status: 0 all expectations are met, 1 one is not, 2 the definition or an option is wrong.",
    };
    struct input input = {.seed = 1, .seconds = 60, .runs = 1000, .crowd_interval_ms = 100, .share = SHARE_WHOLE};
    if (!parse_options(&argp, argc, argv, &input))
        return EXIT_BAD_INPUT;
    if (input.share.merge)
        return share_merge(&input.share, argv[0], &input.common, "searches");
    return measure_files(argv[0], &input);
}
