/* yarnswift demo: lets a central meet a device. Without a definition, the device is the torque wrench of the examples,
 * with its real firmware. */
#include <inttypes.h>
#include <string.h>

#include <jansson.h>

#include "cli/cli.h"
#include "scene/demo.h"
#include "torque_wrench_table.h"
#include "wrench.h"

/* The wrench's definition, as it was when the firmware was built (made at build time). */
extern const char torque_wrench_definition[];

struct input {
    struct common common;
    unsigned long long seed;
};

static error_t parse(int key, char *argument, struct argp_state *state)
{
    struct input *input = state->input;
    switch (key) {
    case 's':
        if (parse_number(argument, &input->seed))
            return 0;
        (void)complain(state->argv[0], "--seed must be a whole number from 0 on, not \"%s\"", argument);
        return EINVAL;
    default:
        return parse_common(key, state, &input->common);
    }
}

/* the log */

static void print_line(void *context, uint64_t at_ns, enum ys_side side, const char *name, const char *text)
{
    static const char *const colours[] = {[YS_SIDE_DEVICE] = "\033[36m", [YS_SIDE_CENTRAL] = "\033[33m"};
    bool colour = *(const bool *)context;
    (void)printf("%10.6f s  %s%s%-7s%s %s\n", (double)at_ns / 1e9, colour ? colours[side] : "",
                 side == YS_SIDE_DEVICE ? "" : "        ", name, colour ? "\033[0m" : "", text);
}

static void print_summary(const struct ys_demo_summary *summary)
{
    (void)printf("\nadvertising interval  set %g ms", (double)summary->set_min_us / 1000);
    if (summary->set_max_us != summary->set_min_us)
        (void)printf(" to %g ms", (double)summary->set_max_us / 1000);
    (void)printf("; measured %.3f ms to %.3f ms, %.3f ms in the mean of %" PRIu64 "\n", summary->interval_min_ms,
                 summary->interval_max_ms, summary->interval_mean_ms, summary->intervals);
    (void)printf("notifications         %" PRIu64 " sent, %" PRIu64 " received, %" PRIu64
                 " after unsubscribing; %.1f a second, %.0f bit/s of value\n",
                 summary->sent, summary->received, summary->after_unsubscribe, summary->rate_hz, summary->goodput_bps);
    (void)printf("on the air            %" PRIu64 " packets in %.3f s\n", summary->air_packets, summary->simulated_s);
    if (summary->as_expected)
        (void)printf("all as expected\n");
    else
        (void)printf("NOT as expected: %s\n", summary->problem);
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
    (void)json_dumpf(root, stdout, JSON_INDENT(2) | JSON_REAL_PRECISION(12));
    (void)putchar('\n');
    json_decref(root);
}

/* the wrench */

static void start(void *context, struct ys_host *host)
{
    wrench_init(context, host);
}

static void interrupt(void *context)
{
    wrench_timer_interrupt(context);
}

static void act(void *context, bool on)
{
    wrench_trigger(context, on);
}

static int play(const struct ys_demo_plan *plan, const struct input *input)
{
    struct ys_demo_summary summary;
    bool colour = wants_colour(stdout);
    if (!ys_demo_run(plan, input->seed, input->common.json ? NULL : print_line, &colour, &summary)) {
        (void)complain("yarnswift demo", "the device cannot be started");
        return EXIT_BAD_INPUT;
    }
    if (input->common.json)
        print_json(&summary, input->seed);
    else
        print_summary(&summary);
    return summary.as_expected ? EXIT_AS_EXPECTED : EXIT_UNEXPECTED;
}

static int play_wrench(const struct input *input)
{
    struct wrench wrench;
    struct ys_design *design = ys_design_read("torque_wrench.device.yaml", torque_wrench_definition,
                                              strlen(torque_wrench_definition), NULL, NULL);
    const struct ys_firmware firmware = {
        .table = &torque_wrench_table,
        .context = &wrench,
        .start = start,
        .on_event = wrench_event,
        .interrupt = interrupt,
        .interrupt_every_ns = WRENCH_SAMPLE_MS * YS_NS_PER_MS,
        .act = act,
    };
    const struct ys_demo_plan plan = {
        .design = design,
        .firmware = &firmware,
        .device_name = "wrench",
        .central_name = "tablet",
        .write = "preset",
        .refused = "250.0 N m",
        .accepted = "42.0 N m",
        .watch = "live torque",
        .act = "somebody pulls the trigger, and tightens bolt after bolt",
        .watch_ns = 3 * YS_NS_PER_S,
        .read_last = "bolt result",
    };
    int status = play(&plan, input);
    ys_design_free(design);
    return status;
}

static int play_definition(const struct input *input)
{
    struct ys_design *design = open_design(input->common.files.paths[0]);
    struct ys_layout *layout = design != NULL ? lay_out(design) : NULL;
    int status = EXIT_BAD_INPUT;
    if (layout != NULL && !design->advertises) {
        (void)complain(input->common.files.paths[0],
                       "nobody can meet a device that does not advertise: add advertising:");
    } else if (layout != NULL) {
        const struct ys_demo_plan plan = {
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
    static const struct argp_option options[] = {
        {"seed", 's', "NUMBER", 0, "Play it with other chances; the same number gives the same run (default 1)", 0},
        {"json", 'j', NULL, 0, "Print only the summary, as JSON", 0},
        {0}};
    static const struct argp argp = {
        .options = options,
        .parser = parse,
        .args_doc = "[DEFINITION]",
        .doc = "Lets a central meet a device on a simulated air: it scans, connects, discovers, reads, writes, "
               "subscribes, "
               "unsubscribes, disconnects and finds the device again. Without a definition the device is the torque "
               "wrench of the examples, with its firmware; with one, the device does what its stand_in says.\v"
               "Exit status: 0 all was as expected, 1 something was not, 2 the definition or an option is wrong.",
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
