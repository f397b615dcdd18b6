/* yarnswift demo: lets a central meet a device. Without a definition, the device is the torque wrench of the examples,
 * with its real firmware. */
#include <string.h>

#include <jansson.h>
#include <yarnswift/workstation.h>

#include "cli/shared/definitions.h"
#include "cli/shared/options.h"
#include "cli/shared/recorder.h"
#include "cli/shared/say.h"
#include "cli/shared/terminal.h"
#include "cli/shared/verb.h"
#include "design/making/payload.h"
#include "design/model/model.h"
#include "design/open.h"
#include "scene/demo.h"
#include "scene/report.h"
#include "torque_wrench_table.h"
#include "wrench.h"

/* The wrench's definition, as it was when the firmware was built (made at build time). */
extern const char torque_wrench_definition[];

struct input {
    struct common common;
    unsigned long long seed;
    struct recorder recorder;
};

static error_t parse(int key, char *argument, struct argp_state *state)
{
    struct input *input = state->input;
    switch (key) {
    case 's':
        return take_seed(state->argv[0], argument, &input->seed) ? 0 : EINVAL;
    default:
        return recorder_parse(&input->recorder, key, argument) ? 0 : parse_common(key, argument, state, &input->common);
    }
}

static void print_json(const struct ys_demo_summary *summary, unsigned long long seed)
{
    json_t *root = json_pack(
        "{s:b, s:s?, s:I, s:{s:f, s:f, s:f, s:I, s:{s:f, s:f, s:f}}, s:{s:I, s:I, s:I, s:f, s:f}, s:I, s:f}",
        "as_expected", summary->as_expected, "problem", summary->problem, "seed", (json_int_t)seed, "advertising",
        "set_ms", (double)summary->set_min_us / 1000, "set_min_ms", (double)summary->set_min_us / 1000, "set_max_ms",
        (double)summary->set_max_us / 1000, "intervals", (json_int_t)summary->intervals, "interval_ms", "min",
        summary->interval_min_ms, "mean", summary->interval_mean_ms, "max", summary->interval_max_ms, "notifications",
        "sent", (json_int_t)summary->sent, "received", (json_int_t)summary->received, "after_unsubscribe",
        (json_int_t)summary->after_unsubscribe, "rate_hz", summary->rate_hz, "goodput_bps", summary->goodput_bps,
        "air_packets", (json_int_t)summary->air_packets, "simulated_s", summary->simulated_s);
    (void)json_object_set_new(root, "kind", json_string("demo"));
    (void)json_dumpf(root, stdout, JSON_INDENT(2) | JSON_REAL_PRECISION(12));
    (void)putchar('\n');
    json_decref(root);
}

static bool is_armed(const void *context)
{
    return ((const struct wrench *)context)->armed;
}

static int play(struct ys_demo_plan *plan, struct input *input)
{
    struct ys_demo_summary summary;
    struct ys_report_log log = {.stream = stdout, .colour = wants_colour(stdout)};
    if (!recorder_begin(&input->recorder, input->common.replaces))
        return EXIT_BAD_INPUT;
    plan->recording = recorder_recording(&input->recorder);
    bool played = ys_demo_run(plan, input->seed, input->common.json ? NULL : ys_report_line, &log, &summary);
    if (!recorder_end(&input->recorder))
        return EXIT_BAD_INPUT;
    if (!played) {
        (void)complain("yarnswift demo", "the device cannot be started");
        return EXIT_BAD_INPUT;
    }
    if (input->common.json)
        print_json(&summary, input->seed);
    else
        ys_report_summary(stdout, &summary);
    return summary.as_expected ? EXIT_AS_EXPECTED : EXIT_UNEXPECTED;
}

static int play_wrench(struct input *input)
{
    struct ys_design *design = ys_design_read("torque_wrench.device.yaml", torque_wrench_definition,
                                              strlen(torque_wrench_definition), NULL, NULL);
    struct ys_demo_plan plan = {
        .design = design,
        .module = &ys_module,
        .device_name = "wrench",
        .central_name = "tablet",
        .write = "preset",
        .refused = "250.0 N m",
        .accepted = "42.0 N m",
        .watch = "live torque",
        .input = "trigger",
        .act = "a worker pulls the trigger and tightens bolt after bolt",
        .command = "arm",
        .commanded = "true",
        .consent = "takes that as consent, and is armed",
        .obeyed = is_armed,
        .results = "bolt result",
        .log = "log",
        .watch_ns = 3 * YS_NS_PER_S,
        .read_last = "bolt result",
    };
    int status = play(&plan, input);
    ys_design_free(design);
    return status;
}

static int play_definition(struct input *input)
{
    struct ys_design *design = open_design(input->common.files.paths[0]);
    struct ys_layout *layout = design != NULL ? lay_out(design) : NULL;
    int status = EXIT_BAD_INPUT;
    bool connectable =
        layout != NULL && design->set_count > 0 && ys_advertisement_kind(design->sets) == YS_ADVERTISE_CONNECTABLE;
    if (layout != NULL && !connectable) {
        (void)complain(input->common.files.paths[0],
                       "the first advertising set is not connectable: add a connectable one to advertising:");
    } else if (layout != NULL) {
        struct ys_demo_plan plan = {
            .design = design,
            .device_name = "device",
            .central_name = "central",
            .watch_ns = 3 * YS_NS_PER_S,
        };
        status = play(&plan, input);
    }
    ys_layout_free(layout);
    ys_design_free(design);
    return status;
}

int verb_demo(int argc, char **argv)
{
    static const struct argp_option options[] = {{"seed", 's', "NUMBER", 0, "Random seed (default 1)", 0},
                                                 RECORDER_OPTIONS,
                                                 {"json", 'j', NULL, 0, "Print only the summary, as JSON", 0},
                                                 {0}};
    static const struct argp argp = {
        .options = options,
        .parser = parse,
        .args_doc = "[DEFINITION]",
        .doc = "Runs a central against a device on a simulated air: it scans, connects, discovers, reads, writes, "
               "subscribes, unsubscribes, disconnects and finds the device again. Without a definition, the device is "
               "the torque wrench of the examples, with its firmware; with one, values change as its simulate keys "
               "say.\vExit status: 0 everything worked, 1 something did not, 2 the definition or an option is wrong.",
    };
    struct input input = {.seed = 1};
    if (!parse_options(&argp, argc, argv, &input))
        return EXIT_BAD_INPUT;
    if (input.common.files.count > 1) {
        (void)complain(argv[0], "name at most one definition");
        return EXIT_BAD_INPUT;
    }
    return input.common.files.count == 0 ? play_wrench(&input) : play_definition(&input);
}
