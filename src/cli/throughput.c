/* yarnswift throughput: the speed of a stream over a given link, compared with the limit of the link, and what holds it
 * back. */
#include <errno.h>
#include <stdlib.h>
#include <string.h>

#include "capture/file/reader.h"
#include "cli/page/page.h"
#include "cli/shared/controllers.h"
#include "cli/shared/definitions.h"
#include "cli/shared/options.h"
#include "cli/shared/parameters.h"
#include "cli/shared/plot.h"
#include "cli/shared/recorder.h"
#include "cli/shared/saving.h"
#include "cli/shared/say.h"
#include "cli/shared/source.h"
#include "cli/shared/verb.h"
#include "experiment/hindrances.h"
#include "experiment/recorded.h"
#include "experiment/throughput.h"
#include "experiment/throughput_plan.h"

/* Options of this verb; those of the parameters are numbered from FIRST_PARAMETER. */
#define KEY_CARRIER 1
#define KEY_FROM    2
#define KEY_TO      3

struct input {
    struct common common;
    const char *texts[64]; /* of the parameters that were given */
    const char *carrier;
    const char *plot;
    struct recorder recorder;
    struct controllers controllers; /* real ones; and: */
    struct ys_live live;
    struct source source; /* of a capture */
    struct ys_recorded_stream stream;
    const char *of_simulations; /* an option that was given and is about a simulation, or NULL; also the next: */
    const char *of_captures;
    const char *of_air; /* the same about what only a simulated air has */
};

/* What a run with real controllers can take, too. */
static bool is_of_real_ones(const struct parameter *parameter)
{
    static const char *const names[] = {"phy",     "central-phy",  "packet-length", "mtu",       "interval",
                                        "latency", "event-length", "encrypted",     "both-ways", "seconds"};
    for (size_t i = 0; i < sizeof names / sizeof names[0]; i++) {
        if (strcmp(parameter->name, names[i]) == 0)
            return true;
    }
    return false;
}

static error_t parse(int key, char *argument, struct argp_state *state)
{
    struct input *input = state->input;
    size_t index = parameter_of_option(key);
    if (index < parameter_count) {
        const struct parameter *parameter = &parameters[index];
        struct ys_throughput_plan plan = {.seconds = 1};
        const char *text = argument != NULL ? argument : "yes";
        if (!is_of_real_ones(parameter))
            input->of_air = parameter->name;
        input->texts[index] = text;
        input->of_simulations = parameter->name;
        return parameter->read(text, &plan) || parameter_complain(state->argv[0], parameter, text) ? 0 : EINVAL;
    }
    switch (key) {
    case 'C':
        input->of_simulations = "controller";
        return controller_take(&input->controllers, state->argv[0], argument) ? 0 : EINVAL;
    case KEY_CARRIER:
        input->carrier = argument;
        input->of_simulations = "carrier";
        return 0;
    case 'p':
        input->plot = argument;
        input->of_simulations = "plot";
        return plot_is_possible(state->argv[0], argument) ? 0 : EINVAL;
    case KEY_FROM:
        input->of_captures = "from";
        input->stream.has_from = true;
        return take_seconds(state->argv[0], "from", argument, &input->stream.from_s) ? 0 : EINVAL;
    case KEY_TO:
        input->of_captures = "to";
        input->stream.has_to = true;
        return take_seconds(state->argv[0], "to", argument, &input->stream.to_s) ? 0 : EINVAL;
    case SOURCE_KEY:
    case SOURCE_BONDS:
        input->of_captures = key == SOURCE_KEY ? "key" : "bonds";
        return source_parse(&input->source, state->argv[0], key, argument);
    default:
        return recorder_parse(&input->recorder, key, argument) ? 0 : parse_common(key, argument, state, &input->common);
    }
}

/* in words */

static const char *rate_text(double bps, char text[32])
{
    if (bps >= 1e6)
        (void)snprintf(text, 32, "%.3f Mbit/s", bps / 1e6);
    else if (bps >= 1e3)
        (void)snprintf(text, 32, "%.1f kbit/s", bps / 1e3);
    else
        (void)snprintf(text, 32, "%.0f bit/s", bps);
    return text;
}

static void print_link(const struct ys_throughput_plan *plan, const struct ys_throughput_report *report)
{
    const struct ys_link_shape *shape = &report->shape;
    enum ys_phy phy = shape->by_central ? shape->answer_phy : shape->data_phy;
    enum ys_phy central_phy = shape->by_central ? shape->data_phy : shape->answer_phy;
    if (central_phy == phy)
        (void)printf("  link       %s", phy_words[phy]);
    else
        (void)printf("  link       %s from the device, %s from the central", phy_words[phy], phy_words[central_phy]);
    const struct ys_recorded_basis *basis = &report->basis;
    (void)printf(", packets of %s%u bytes, MTU %s%u", report->recorded && !basis->knows_lengths ? "at least " : "",
                 shape->packet_length, report->recorded && !basis->knows_mtu ? "at least " : "", report->mtu);
    if (shape->interval_us > 0)
        (void)printf(", interval %g ms%s", shape->interval_us / 1000.0,
                     report->recorded && basis->interval_is_learned ? ", from the times of its events" : "");
    else
        (void)printf(", interval not known");
    if (plan->latency > 0)
        (void)printf(", latency %u", plan->latency);
    if (plan->event_length_us > 0)
        (void)printf(", events of at most %g ms", plan->event_length_us / 1000.0);
    (void)printf(", %sencrypted", plan->encrypted ? "" : "not ");
    if (plan->loss > 0)
        (void)printf(", %g %% lost", plan->loss * 100);
    if (plan->bit_errors > 0)
        (void)printf(", %g %% of the bits wrong", plan->bit_errors * 100);
    if (plan->distance_m > 0)
        (void)printf(", over %g m: %.0f dBm, %.1f dB %s than needed", plan->distance_m, report->strength_dbm,
                     report->margin_db < 0 ? -report->margin_db : report->margin_db,
                     report->margin_db < 0 ? "less" : "more");
    (void)putchar('\n');
}

/* What a capture does not tell of the connection. */
static void print_basis(const struct ys_recorded_basis *basis)
{
    if (basis->beginning_heard && basis->holes == 0)
        return;
    (void)printf("  rests on   a capture in which ");
    if (!basis->beginning_heard)
        (void)printf("the beginning of the connection is missing");
    if (basis->holes > 0)
        (void)printf("%spackets of the connection may be missing in %llu place%s",
                     basis->beginning_heard ? "" : ", and ", (unsigned long long)basis->holes,
                     basis->holes == 1 ? "" : "s");
    (void)putchar('\n');
}

static void print_alone(struct ys_throughput_report *report)
{
    if (report->limit_bps <= 0) {
        (void)printf("  alone      unknown\n");
        return;
    }
    (void)printf("  alone      a single value takes %.1f ms in the median, %.1f ms at worst, by calculation\n",
                 report->alone.median_ms, report->alone.max_ms);
    if (report->alone_ms.count > 0)
        (void)printf("             and %.1f ms, %.1f ms at worst, of %zu at any time\n",
                     ys_samples_quantile(&report->alone_ms, 0.5), ys_samples_quantile(&report->alone_ms, 1),
                     report->alone_ms.count);
}

static void print_air(struct ys_throughput_report *report)
{
    const struct ys_link_meter *air = &report->air;
    const struct ys_link_side *sender = &air->sides[!report->shape.by_central];
    uint64_t packets = air->sides[0].packets + air->sides[1].packets;
    if (report->recorded)
        (void)printf("  latency    cannot be known from a capture: when a value changed is not on the air\n");
    else if (report->foreign)
        (void)printf("  latency    cannot be known: when a value changed is known to the device alone\n");
    else
        (void)printf("  latency    median %.1f ms, 95th %.1f ms, worst %.1f ms, from changed to received\n",
                     ys_samples_quantile(&report->latency_ms, 0.5), ys_samples_quantile(&report->latency_ms, 0.95),
                     ys_samples_quantile(&report->latency_ms, 1));
    print_alone(report);
    if (report->recorded)
        (void)printf(
            "  delivery   %llu values with %llu bytes; whether any is missing cannot be known from a capture\n",
            (unsigned long long)report->values, (unsigned long long)report->value_bytes);
    else if (report->foreign)
        (void)printf("  delivery   %llu values with %llu bytes; whether any is missing is known to the device alone\n",
                     (unsigned long long)report->values, (unsigned long long)report->value_bytes);
    else if (report->missing == 0 && report->out_of_order == 0)
        (void)printf("  delivery   %llu values with %llu bytes, all in order, none missing\n",
                     (unsigned long long)report->values, (unsigned long long)report->value_bytes);
    else
        (void)printf("  delivery   %llu values with %llu bytes; %llu are missing, %llu out of order\n",
                     (unsigned long long)report->values, (unsigned long long)report->value_bytes,
                     (unsigned long long)report->missing, (unsigned long long)report->out_of_order);
    if (report->live) {
        (void)printf(
            "  air        cannot be seen by real controllers: how many packets were sent again, and how full it "
            "was\n");
        return;
    }
    (void)printf("  packets    %llu, of which %llu with data, of which %llu were retransmissions (%.2f %%)\n",
                 (unsigned long long)packets, (unsigned long long)sender->data_packets,
                 (unsigned long long)sender->retransmissions,
                 sender->data_packets > 0 ? 100.0 * (double)sender->retransmissions / (double)sender->data_packets : 0);
    if (report->shape.interval_us > 0)
        (void)printf("  air        %.1f %% of each interval used; %.1f %% of the time on the air\n", 100 * report->used,
                     100 * report->airtime);
    else
        (void)printf("  air        %.1f %% of the time on the air\n", 100 * report->airtime);
}

static void print_back(const struct ys_throughput_report *report)
{
    char text[2][32];
    (void)printf("  back       %s, of %s by calculation, from the %s at the same time\n",
                 rate_text(report->back_bps, text[0]), rate_text(report->back_limit_bps, text[1]),
                 report->shape.by_central ? "device" : "central");
}

static void print_shares(const struct ys_throughput_plan *plan, const struct ys_throughput_report *report)
{
    char text[32];
    for (size_t i = 0; i < report->links; i++) {
        (void)printf("  link %zu     %s", i + 1, rate_text(report->shares[i].goodput_bps, text));
        if (plan->both)
            (void)printf(", and %s back", rate_text(report->shares[i].back_bps, text));
        (void)printf(", %.0f %% of all\n",
                     report->goodput_bps > 0 ? 100 * report->shares[i].goodput_bps / report->goodput_bps : 0);
    }
}

/* Bit errors make long packets dear, and short ones carry little. */
static void print_best_length(const struct ys_throughput_report *report)
{
    char text[32];
    double best_bps = 0;
    uint8_t best = ys_link_best_length(&report->shape, &best_bps);
    (void)printf("  best       packets of %u bytes, and frames that fill them, would carry %s by calculation\n", best,
                 rate_text(best_bps, text));
}

static void print_charge(const struct ys_throughput_plan *plan, const struct ys_throughput_report *report)
{
    if (plan->energy == NULL)
        (void)printf("  charge     unknown: the definition has no energy section\n");
    else
        (void)printf("  charge     %.1f mC a megabyte; the device draws %.2f mA on average%s\n",
                     report->mc_per_megabyte, report->mean_ua / 1000,
                     report->recorded && report->basis.holes > 0 ? ", of what was heard of it" : "");
}

static void print_hindrances(const struct ys_throughput_report *report, const struct ys_hindrance *hindrances,
                             size_t count)
{
    char text[32];
    if (count == 0) {
        (void)printf("\nNothing that can be changed limits it.\n");
        return;
    }
    (void)printf("\nWhat limits it, ordered by effect, each with the result of a change:\n");
    for (size_t i = 0; i < count; i++) {
        const struct ys_hindrance *one = &hindrances[i];
        (void)printf("  %zu. %s\n     %s: %s, %+.1f %%\n", i + 1, one->words, one->remedy,
                     rate_text(one->goodput_bps, text), 100 * (one->goodput_bps / report->goodput_bps - 1));
    }
}

static void print_text(const struct ys_throughput_plan *plan, struct ys_throughput_report *report, const char *device,
                       const struct ys_characteristic *characteristic, const struct ys_hindrance *hindrances,
                       size_t count)
{
    char text[32];
    const char *what = characteristic != NULL ? characteristic->name
                       : report->recorded     ? "what its definition does not name"
                                              : "messages";
    if (report->recorded)
        (void)printf("%s: \"%s\" as %s, for %.3f s from %.6f s on\n\n", device, what, ys_carrier_names[plan->carrier],
                     report->seconds, report->from_s);
    else if (report->live)
        (void)printf("%s: \"%s\" as %s, for %.3f s over real controllers%s\n\n", device, what,
                     ys_carrier_names[plan->carrier], report->seconds, report->foreign ? ", from a real device" : "");
    else
        (void)printf("%s: \"%s\" as %s, for %u s, seed %llu\n\n", device, what, ys_carrier_names[plan->carrier],
                     plan->seconds, (unsigned long long)plan->seed);
    if (report->trouble[0] != '\0')
        (void)printf("  trouble    %s\n", report->trouble);
    if (report->air.events == 0 && (!report->live || report->seconds <= 0))
        return;
    bool perhaps_more = report->recorded && report->basis.holes > 0;
    (void)printf("  goodput    %s%s of value%s\n", perhaps_more ? "at least " : "",
                 rate_text(report->goodput_bps, text), report->links > 1 ? ", all links together" : "");
    if (report->limit_bps > 0)
        (void)printf("  limit      %s by calculation: %s%.2f %% of it is reached", rate_text(report->limit_bps, text),
                     perhaps_more ? "at least " : "", 100 * report->ratio);
    else
        (void)printf("  limit      unknown, because the connection interval is unknown");
    if (report->error > 0)
        (void)printf(", within %.2f", 100 * report->error);
    (void)putchar('\n');
    if (plan->both)
        print_back(report);
    if (report->links > 1)
        print_shares(plan, report);
    if (plan->bit_errors > 0)
        print_best_length(report);
    print_air(report);
    if (!report->live)
        print_charge(plan, report);
    print_link(plan, report);
    if (report->recorded)
        print_basis(&report->basis);
    if (report->goodput_bps <= 0)
        return;
    if (report->recorded || report->live)
        (void)printf("\nA %s does not show what limits the stream; use a simulation.\n",
                     report->live ? "real air" : "capture");
    else
        print_hindrances(report, hindrances, count);
}

/* as JSON */

/* The caller's. */
static json_t *result_json(const struct ys_throughput_plan *plan, struct ys_throughput_report *report,
                           const char *device, const struct ys_characteristic *characteristic,
                           const struct ys_hindrance *hindrances, size_t count)
{
    json_t *root = report_json(plan, report);
    json_t *list = json_array();
    (void)json_object_set_new(root, "kind", json_string("throughput"));
    (void)json_object_set_new(root, "device", json_string(device));
    (void)json_object_set_new(root, "characteristic",
                              characteristic != NULL ? json_string(characteristic->name) : json_null());
    for (size_t i = 0; i < count; i++)
        (void)json_array_append_new(list, json_pack("{s:s, s:s, s:s, s:f}", "cause", hindrances[i].code, "words",
                                                    hindrances[i].words, "instead", hindrances[i].remedy, "goodput_bps",
                                                    hindrances[i].goodput_bps));
    (void)json_object_set_new(root, "limited_by", list);
    return root;
}

static void print_json(const json_t *root)
{
    (void)json_dumpf(root, stdout, JSON_INDENT(2) | JSON_REAL_PRECISION(12));
    (void)putchar('\n');
}

/* as a page */

static bool write_page(const struct input *input, const struct ys_throughput_report *report, const char *device,
                       json_t *result, bool well)
{
    char summary[700];
    int length =
        snprintf(summary, sizeof summary, "%.1f kbit/s, %.0f %% of what this link allows.", report->goodput_bps / 1000,
                 report->limit_bps > 0 ? 100 * report->goodput_bps / report->limit_bps : 0);
    if (report->trouble[0] != '\0')
        (void)snprintf(summary + length, sizeof summary - (size_t)length, " %s.", report->trouble);
    const struct page page = {.verb = "throughput",
                              .title = device,
                              .verdict = well ? PAGE_GOOD : PAGE_BAD,
                              .summary = summary,
                              .result = result};
    return page_write(&input->common, &page);
}

/* Prints the result, and writes its page, if one is wanted. False after a line. */
static bool tell(const struct input *input, const struct ys_throughput_plan *plan, struct ys_throughput_report *report,
                 const char *device, const struct ys_characteristic *characteristic,
                 const struct ys_hindrance *hindrances, size_t count, bool well)
{
    bool good = true;
    json_t *result = result_json(plan, report, device, characteristic, hindrances, count);
    if (input->common.json)
        print_json(result);
    else
        print_text(plan, report, device, characteristic, hindrances, count);
    if (input->common.page != NULL)
        good = write_page(input, report, device, result, well);
    json_decref(result);
    return good;
}

/* as a picture: a bar for the result, and for the result without each limit */

static bool draw(const char *who, const struct input *input, const struct ys_throughput_plan *plan,
                 const struct ys_throughput_report *report, const char *device, const char *what,
                 const struct ys_hindrance *hindrances, size_t count)
{
    struct plot plot;
    if (!plot_begin(&plot, who, input->plot, input->common.replaces))
        return false;
    (void)fprintf(plot.data, "# place, goodput in kbit/s, what\n");
    (void)fprintf(plot.data, "%zu %.3f \"as it is\"\n", count, report->goodput_bps / 1000);
    for (size_t i = 0; i < count; i++) {
        (void)fprintf(plot.data, "%zu %.3f ", count - 1 - i, hindrances[i].goodput_bps / 1000);
        plot_put_text(plot.data, hindrances[i].remedy);
        (void)fputc('\n', plot.data);
    }
    char title[600];
    char fixed[300];
    parameters_say_fixed(plan, NULL, 0, fixed, sizeof fixed);
    (void)snprintf(title, sizeof title, "%s, %s as %s: goodput, and what it would be with one thing changed\n%s",
                   device, what, ys_carrier_names[plan->carrier], fixed);
    (void)fputs("set title ", plot.script);
    plot_put_text(plot.script, title);
    (void)fprintf(plot.script,
                  " noenhanced\nset border 3\nset tics nomirror out\nset grid xtics lc rgb \"#d8d8d8\"\n"
                  "set style fill solid 0.85 noborder\nset xlabel \"kbit/s of value\"\nset xrange [0:*]\n"
                  "set yrange [-0.6:%zu.6]\nset lmargin 30\nset bmargin 6\nset key below\n"
                  "set arrow 1 from %.3f,graph 0 to %.3f,graph 1 nohead lc rgb \"#c1442e\" lw 2 dt 2 front\n"
                  "plot data using ($2/2):1:($2/2):(0.36):ytic(3) with boxxyerror lc rgb \"#2a6f97\" notitle, \\\n"
                  "  data using 2:1:(sprintf(\" %%.1f\", $2)) with labels left notitle, \\\n"
                  "  NaN with lines lc rgb \"#c1442e\" lw 2 dt 2 title \"limit as it is, by calculation\"\n",
                  count, report->limit_bps / 1000, report->limit_bps / 1000);
    return plot_end(&plot);
}

/* The characteristic at a handle of the definition, if it can stream; NULL: the capture is of another device. */
static const struct ys_characteristic *streamed(const struct ys_layout *layout, uint16_t handle,
                                                enum ys_carrier carrier)
{
    static const enum ys_way ways[YS_CARRIERS] = {[YS_CARRIER_NOTIFICATIONS] = YS_WAY_NOTIFY,
                                                  [YS_CARRIER_INDICATIONS] = YS_WAY_INDICATE,
                                                  [YS_CARRIER_COMMANDS] = YS_WAY_WRITE_COMMAND,
                                                  [YS_CARRIER_REQUESTS] = YS_WAY_WRITE};
    const struct ys_row *row = handle > 0 && handle <= layout->count ? &layout->rows[handle - 1] : NULL;
    bool value = row != NULL && row->kind == YS_ATTRIBUTE_VALUE && row->characteristic != NULL;
    return value && ys_offers(row->characteristic, ways[carrier]) ? row->characteristic : NULL;
}

static int run_recorded(const char *who, struct input *input, struct ys_throughput_plan *plan,
                        const struct ys_layout *layout, const char *device)
{
    struct ys_recorded recorded = {.replay = source_replay, .context = &input->source, .keys = &input->source.keys};
    struct ys_throughput_report report;
    char *path = input->common.files.paths[1];
    const struct files files = {.paths = &path, .count = 1};
    int status = EXIT_BAD_INPUT;
    if (input->stream.has_to && input->stream.to_s <= input->stream.from_s) {
        (void)complain(who, "--to must be after --from");
        return EXIT_BAD_INPUT;
    }
    if (source_open(&input->source, who, &files)) {
        char problem[YS_PROBLEM_SIZE];
        if (ys_throughput_of(&recorded, &input->stream, plan, &report, problem)) {
            const struct ys_characteristic *characteristic = streamed(layout, input->stream.handle, plan->carrier);
            if (tell(input, plan, &report, device, characteristic, NULL, 0, true))
                status = EXIT_AS_EXPECTED;
            ys_throughput_free(&report);
        } else if (problem[0] != '\0') {
            (void)complain(path, "%s", problem);
        }
        source_end(&input->source);
    }
    source_close(&input->source);
    return status;
}

/* Real devices are not written to: they would take the numbers of the measurement for values. */
static bool may_meet(const char *who, const struct ys_throughput_plan *plan, const struct ys_live *live)
{
    return live->device != NULL ||
           (!plan->both && !ys_carrier_is_to_device(plan->carrier) && plan->carrier != YS_CARRIER_CHANNEL) ||
           complain(who, "a real device must notify or indicate the stream: use another characteristic, or --carrier "
                         "notifications; or give the controller of the device: --controller device=WHERE");
}

/* Opens real controllers for it. */
static bool go_live(const char *who, struct input *input, struct ys_throughput_plan *plan)
{
    if (input->of_air != NULL)
        return complain(who, "--%s is of a simulated air: it cannot go with real controllers", input->of_air);
    if (input->plot != NULL)
        return complain(who, "--plot needs a simulation: omit --controller");
    plan->live = &input->live;
    if (controllers_live(&input->controllers, who, &input->live) && may_meet(who, plan, &input->live))
        return true;
    controllers_close(&input->controllers);
    return false;
}

static int run(const char *who, struct input *input, struct ys_throughput_plan *plan, const char *device,
               const struct ys_characteristic *characteristic)
{
    struct ys_throughput_report report;
    struct ys_hindrance hindrances[YS_HINDRANCES_MOST];
    size_t count = 0;
    if (input->controllers.count > 0 && !go_live(who, input, plan))
        return EXIT_BAD_INPUT;
    input->live.name = device;
    input->live.value = characteristic != NULL ? &characteristic->uuid : NULL;
    if ((input->plot != NULL && !plot_is_free(who, input->plot, input->common.replaces)) ||
        !recorder_begin(&input->recorder, input->common.replaces))
        return EXIT_BAD_INPUT;
    plan->recording = recorder_recording(&input->recorder);
    bool good = ys_throughput_run(plan, &report);
    controllers_close(&input->controllers);
    plan->recording = NULL; /* the first run alone is recorded */
    if (!recorder_end(&input->recorder)) {
        ys_throughput_free(&report);
        return EXIT_BAD_INPUT;
    }
    if (!good) {
        (void)complain(who, "there is no memory for it");
        return EXIT_BAD_INPUT;
    }
    if (report.broken) {
        (void)complain(who, "%s", report.trouble);
        ys_throughput_free(&report);
        return EXIT_BAD_INPUT;
    }
    if (report.goodput_bps > 0 && !report.live)
        count = ys_throughput_explain(plan, &report, hindrances);
    bool well = report.trouble[0] == '\0' && report.out_of_order == 0 && report.missing == 0;
    int status = well ? EXIT_AS_EXPECTED : EXIT_UNEXPECTED;
    if (!tell(input, plan, &report, device, characteristic, hindrances, count, well))
        status = EXIT_BAD_INPUT;
    if (input->plot != NULL && !draw(who, input, plan, &report, device,
                                     characteristic != NULL ? characteristic->name : "messages", hindrances, count))
        status = EXIT_BAD_INPUT;
    ys_throughput_free(&report);
    return status;
}

/* Applies what was given to what is usual for the definition. */
static bool apply(const char *who, const struct input *input, struct ys_throughput_plan *plan)
{
    char text[120];
    for (size_t i = 0; i < parameter_count; i++) {
        if (input->texts[i] != NULL)
            (void)parameters[i].read(input->texts[i], plan);
    }
    return ys_throughput_check(plan, text, sizeof text) || complain(who, "%s", text);
}

/* The arguments: a definition, perhaps a capture, and a characteristic. */
static int run_named(const char *who, struct input *input)
{
    const struct files *given = &input->common.files;
    bool captured = given->count > 1 && ys_capture_is_one(given->paths[1]);
    const char *name = given->count > 1 + captured ? given->paths[1 + captured] : NULL;
    if (given->count > 2 + captured) {
        (void)complain(who, captured ? "name one definition, one capture and one characteristic"
                                     : "name one definition and one characteristic");
        return EXIT_BAD_INPUT;
    }
    if (!source_suits(who, captured, input->recorder.path != NULL ? "capture" : input->of_simulations,
                      input->of_captures) ||
        !saving_is_free(input->common.page, input->common.replaces))
        return EXIT_BAD_INPUT;
    struct ys_design *design;
    struct ys_layout *layout =
        open_only(who, &(struct files){.paths = given->paths, .count = given->count > 0 ? 1 : 0}, &design);
    int status = EXIT_BAD_INPUT;
    if (layout != NULL) {
        const struct ys_characteristic *characteristic;
        struct ys_throughput_plan plan = parameters_begin(design);
        if (parameters_source(given->paths[0], layout, name, input->carrier, &plan, &characteristic) &&
            apply(who, input, &plan)) {
            if (captured && name != NULL)
                input->stream.handle = plan.handle;
            status = captured ? run_recorded(who, input, &plan, layout, design->name.text)
                              : run(who, input, &plan, design->name.text, characteristic);
        }
    }
    ys_layout_free(layout);
    ys_design_free(design);
    return status;
}

int verb_throughput(int argc, char **argv)
{
    static const struct argp_option own[] = {
        {"carrier", KEY_CARRIER, "CARRIER", 0,
         "How the data travels: stream, notifications, indications, commands, requests, channel (with credits), or "
         "\"channel to device\" (default: as the characteristic offers)",
         0},
        {"controller", 'C', "WHO=WHERE[,RATE][,flow]", 0,
         "Use a real controller, in real time: central=WHERE and device=WHERE, where WHERE is a serial device, a "
         "socket, or hci0. Without device=WHERE the device is real and found by its name. May be repeated",
         0},
        {"plot", 'p', "FILE", 0,
         "Draw what limits the stream to FILE, which ends in .svg or .png; its data and script are written beside it",
         0},
        {"from", KEY_FROM, "TIME", 0, "In a capture, measure from this time, in seconds (default: the first value)", 0},
        {"to", KEY_TO, "TIME", 0, "In a capture, measure up to this time, in seconds (default: the last value)", 0},
        SOURCE_KEY_OPTIONS,
        PAGE_OPTION,
        RECORDER_OPTIONS,
        {"json", 'j', NULL, 0, "Print the result as JSON", 0},
        {0}};
    struct argp_option options[64] = {{0}};
    const struct argp argp = {
        .options = options,
        .parser = parse,
        .args_doc = "DEFINITION [CAPTURE] [CHARACTERISTIC]",
        .doc =
            "Streams from a device to a central, or back, as fast as the link allows. Prints the goodput measured on "
            "the air beside the calculated limit, and what limits the stream: each limit is found by a run without it. "
            "By default, the characteristic that can stream the most is used. Omitted options come from `link` in the "
            "definition; without it, a link has 1M, packets of 27 bytes and an interval of 30 ms. With a capture, the "
            "stream in the capture is measured instead of a simulated one.\vExit status: 0 everything arrived in "
            "order, 1 something did not, or the connection ended, 2 the definition or an option is wrong.",
    };
    for (size_t i = 0; i < parameter_count; i++)
        options[i] = (struct argp_option){.name = parameters[i].name,
                                          .key = parameter_option(i),
                                          .arg = parameters[i].argument,
                                          .doc = parameters[i].help};
    memcpy(options + parameter_count, own, sizeof own);
    static struct input input;
    input = (struct input){.carrier = NULL};
    if (!parse_options(&argp, argc, argv, &input))
        return EXIT_BAD_INPUT;
    return run_named(argv[0], &input);
}
