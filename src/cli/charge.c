/* yarnswift charge: what hardware draws in each phase of its events, out of a measured current. */
#include <errno.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>

#include <jansson.h>

#include "cli/shared/definitions.h"
#include "cli/shared/options.h"
#include "cli/shared/plot.h"
#include "cli/shared/say.h"
#include "cli/shared/verb.h"
#include "experiment/measured_current.h"

enum key { KEY_SET = 0x300 };

struct input {
    struct common common;
    const char *set;
    const char *plot;
};

static error_t parse(int key, char *argument, struct argp_state *state)
{
    struct input *input = state->input;
    switch (key) {
    case KEY_SET:
        input->set = argument;
        return 0;
    case 'p':
        input->plot = argument;
        return plot_is_possible(state->argv[0], argument) ? 0 : EINVAL;
    default:
        return parse_common(key, argument, state, &input->common);
    }
}

static void print_phase(const char *name, const struct ys_phase *phase)
{
    (void)printf("  %s: %.0f us at %.3g mA\n", name, phase->us, phase->ma);
}

/* As it is to stand in the definition. */
static void print_section(const struct ys_phase_fit *fit)
{
    const struct ys_energy *energy = &fit->energy;
    (void)printf("energy:\n  standby: %.3g uA\n  transmit: %.3g mA\n", energy->standby_ua, energy->transmit[0].ma);
    if (energy->receive_ma > 0)
        (void)printf("  receive: %.3g mA\n", energy->receive_ma);
    else
        (void)printf("  receive: %.3g mA                # not in the trace: as its transmitter\n",
                     energy->transmit[0].ma);
    if (energy->turn_ma > 0)
        (void)printf("  turn round: %.3g mA\n", energy->turn_ma);
    print_phase("wake", &energy->wake);
    print_phase("prepare", &energy->prepare);
    print_phase("ramp", &energy->ramp);
    print_phase("finish", &energy->finish);
}

static void print_text(const char *path, const struct ys_current_trace *trace, const struct ys_phase_shape *shape,
                       const struct ys_phase_fit *fit)
{
    (void)printf("%s: %.3f s, a value each %.3g us\n\n", path, trace->seconds, trace->step_us);
    (void)printf("events     %zu, of which %zu are alike and used for the fit\n", fit->events, fit->used);
    (void)printf("packets    %.0f us, by calculation %.0f us\n", fit->transmit_us, shape->transmit_us);
    (void)printf("an event   %.3g uC measured, %.3g uC by its phases\n", fit->event_uc, fit->fitted_uc);
    (void)printf("residual   %.3g mA; the noise in sleep is %.3g mA\n\n", fit->left_ma, fit->noise_ma);
    print_section(fit);
}

static json_t *phase_json(const struct ys_phase *phase)
{
    return json_pack("{s:f, s:f}", "for_us", phase->us, "at_ma", phase->ma);
}

static void print_json(const struct ys_phase_shape *shape, const struct ys_phase_fit *fit)
{
    const struct ys_energy *energy = &fit->energy;
    json_t *root = json_pack(
        "{s:s, s:I, s:I, s:f, s:f, s:f, s:f, s:f, s:f, s:{s:f, s:f, s:f, s:f, s:o, s:o, s:o, s:o}}", "kind", "charge",
        "events", (json_int_t)fit->events, "used", (json_int_t)fit->used, "packet_us", fit->transmit_us,
        "calculated_packet_us", shape->transmit_us, "event_uc", fit->event_uc, "fitted_event_uc", fit->fitted_uc,
        "left_ma", fit->left_ma, "noise_ma", fit->noise_ma, "energy", "standby_ua", energy->standby_ua, "transmit_ma",
        energy->transmit[0].ma, "receive_ma", energy->receive_ma, "turn_round_ma", energy->turn_ma, "wake",
        phase_json(&energy->wake), "prepare", phase_json(&energy->prepare), "ramp", phase_json(&energy->ramp), "finish",
        phase_json(&energy->finish));
    (void)json_dumpf(root, stdout, JSON_INDENT(2) | JSON_REAL_PRECISION(9));
    (void)putchar('\n');
    json_decref(root);
}

/* The events in the mean, what is fitted to them, and what that leaves over. */
static bool draw(const char *who, const struct input *input, const struct ys_phase_fit *fit)
{
    struct plot plot;
    if (!plot_begin(&plot, who, input->plot, input->common.replaces))
        return false;
    (void)fprintf(plot.data, "# us since the first packet began, mA on average, mA fitted, the difference\n");
    for (size_t i = 0; i < fit->samples; i++)
        (void)fprintf(plot.data, "%.3f %.6f %.6f %.6f\n", ((double)i - (double)fit->mark) * fit->step_us,
                      fit->mean_ma[i], fit->fitted_ma[i], fit->mean_ma[i] - fit->fitted_ma[i]);
    char title[600];
    (void)snprintf(title, sizeof title, "%s, for %s: %zu events on average, and their phases",
                   plot_base_of(input->common.files.paths[1]), plot_base_of(input->common.files.paths[0]), fit->used);
    (void)fputs("title = ", plot.script);
    plot_put_text(plot.script, title);
    (void)fputc('\n', plot.script);
    (void)fprintf(plot.script,
                  "set multiplot layout 2,1 margins 0.08,0.97,0.09,0.93 spacing 0.15\nset border 3\nset tics nomirror "
                  "out\nset grid ytics lc rgb \"#d8d8d8\"\nset title title noenhanced\nset ylabel \"mA\"\nset yrange "
                  "[0:*]\nset key top right\nplot data using 1:2 with lines lw 4 lc rgb \"#99c1d9\" title "
                  "\"measured\", \\\n  data using 1:3 with lines lw 2 lc rgb \"#c1442e\" title \"fitted\"\nset title "
                  "\"What the phases leave over, on average\"\nset xlabel \"us since the first packet began\"\nset "
                  "yrange [*:*]\nplot data using 1:4 with lines lw 1 lc rgb \"#2a6f97\" notitle\n");
    return plot_end(&plot);
}

static int run(const char *who, const struct input *input, const struct ys_design *design)
{
    static struct ys_phase_fit fit;
    const char *path = input->common.files.paths[1];
    struct ys_current_trace trace;
    struct ys_phase_shape shape;
    char problem[YS_CURRENT_PROBLEM];
    int status = EXIT_BAD_INPUT;
    const struct ys_advertisement *set = ys_current_set(design, input->set);
    if (set == NULL || set->extended) {
        (void)complain(input->common.files.paths[0],
                       set == NULL
                           ? "unknown advertising set: use a name from advertising:"
                           : "extended advertising cannot be fitted: choose a legacy set with --advertising-set");
        return EXIT_BAD_INPUT;
    }
    if (input->plot != NULL && !plot_is_free(who, input->plot, input->common.replaces))
        return EXIT_BAD_INPUT;
    if (!ys_current_read(path, &trace, problem)) {
        (void)complain(path, "%s", problem);
        return EXIT_BAD_INPUT;
    }
    shape = ys_current_shape(design, set);
    ys_phases_fit(trace.times_s, trace.currents_ma, trace.count, &shape, &fit);
    if (fit.problem != NULL) {
        (void)complain(path, "%s", fit.problem);
    } else {
        if (input->common.json)
            print_json(&shape, &fit);
        else
            print_text(path, &trace, &shape, &fit);
        status = input->plot == NULL || draw(who, input, &fit) ? EXIT_AS_EXPECTED : EXIT_BAD_INPUT;
    }
    ys_current_free(&trace);
    return status;
}

int verb_charge(int argc, char **argv)
{
    static const struct argp_option options[] = {
        {"advertising-set", KEY_SET, "NAME", 0,
         "The trace shows the advertising set with this name (default: the first)", 0},
        {"plot", 'p', "FILE", 0,
         "Draw the events and the fitted model to FILE, which ends in .svg or .png; its data and script are written "
         "beside it",
         0},
        REPLACE_OPTION,
        {"json", 'j', NULL, 0, "Print the result as JSON", 0},
        {0}};
    static const struct argp argp = {
        .options = options,
        .parser = parse,
        .args_doc = "DEFINITION TRACE",
        .doc = "Finds the current that the hardware draws in each phase of an event, from a measured current of a "
               "device that advertises as its definition says. Prints it as the energy section of the definition. "
               "TRACE is a CSV table with two columns, time and current. Its first line names them: time_s, time_ms or "
               "time_us, and current_a, current_ma or current_ua.\vExit status: 0, or 2 if the definition, the trace "
               "or an option is wrong.",
    };
    struct input input = {.set = NULL};
    if (!parse_options(&argp, argc, argv, &input))
        return EXIT_BAD_INPUT;
    if (input.common.files.count != 2) {
        (void)complain(argv[0], "name one definition and one trace, such as NAME.device.yaml and current.csv");
        return EXIT_BAD_INPUT;
    }
    struct ys_design *design;
    struct ys_layout *layout =
        open_only(argv[0], &(struct files){.paths = input.common.files.paths, .count = 1}, &design);
    int status = layout != NULL ? run(argv[0], &input, design) : EXIT_BAD_INPUT;
    ys_layout_free(layout);
    ys_design_free(design);
    return status;
}
