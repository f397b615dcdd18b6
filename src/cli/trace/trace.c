/* yarnswift trace: what went over the air and over HCI, a line a message, on the layer that is asked for. */
#include "capture/say/filter_ask.h"
#include "cli/trace/view.h"

#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <time.h>
#include <unistd.h>

#include "cli/page/page.h"
#include "cli/page/timeline.h"
#include "cli/shared/options.h"
#include "cli/shared/plot.h"
#include "cli/shared/saving.h"
#include "cli/shared/say.h"
#include "cli/shared/source.h"
#include "cli/shared/terminal.h"
#include "cli/shared/verb.h"
#include "cli/shared/words.h"
#include "cli/trace/lines.h"
#include "cli/trace/packet.h"
#include "cli/trace/plot.h"

#define AROUND_MOST 10000
#define POLL_NS     100000000

enum key {
    KEY_VIEW = 1,
    KEY_FOLLOW,
    KEY_EXPECT,
    KEY_PACKET,
    KEY_VALUES,
    KEY_DRAW,
    KEY_BEFORE,
    KEY_AFTER,
    KEY_FROM,
    KEY_TO
};

/* options */

static bool take_layer(struct trace *trace, const char *who, const char *argument)
{
    int layer = word_among(argument, ys_trace_layer_names);
    if (layer < 0)
        return complain(who, "unknown layer \"%s\"; use air, hci, l2cap, attributes or values", argument);
    trace->layer = (enum ys_trace_layer)layer;
    return true;
}

static bool take_view(struct trace *trace, const char *who, const char *argument)
{
    static const char *const views[] = {"auto", "air", "hci", "both", NULL};
    int view = word_among(argument, views);
    if (view < 0)
        return complain(who, "unknown view \"%s\"; use air, hci or both", argument);
    trace->view = (enum trace_view)view;
    return true;
}

static bool take_filter(struct trace *trace, const char *who, const char *argument)
{
    char error[300];
    size_t column = 0;
    ys_filter_free(trace->filter);
    trace->filter = ys_filter_parse(argument, error, sizeof error, &column);
    if (trace->filter != NULL)
        return true;
    (void)complain(who, "the filter, column %zu: %s", column, error);
    (void)fputs("  ", stderr);
    put_plain(stderr, argument);
    (void)fprintf(stderr, "\n  %*s\n", (int)column, "^");
    return false;
}

static bool take_count(const char *who, const char *option, const char *argument, unsigned long long *count)
{
    return (parse_number(argument, count) && *count <= AROUND_MOST) ||
           complain(who, "--%s must be a whole number up to %d, not \"%s\"", option, AROUND_MOST, argument);
}

/* From when, or to when, it is shown. */
static bool take_end(struct trace *trace, const char *who, bool from, const char *argument)
{
    trace->has_from = trace->has_from || from;
    trace->has_to = trace->has_to || !from;
    return take_seconds(who, from ? "from" : "to", argument, from ? &trace->from_s : &trace->to_s);
}

/* What it shares with other verbs. */
static error_t parse_shared(struct trace *trace, struct argp_state *state, int key, char *argument)
{
    const char *who = state->argv[0];
    if (key == 'C')
        return controller_take(&trace->controllers, who, argument) ? 0 : EINVAL;
    if (key == 'O')
        return plug_take(&trace->source.folders, who, argument) ? 0 : EINVAL;
    error_t taken = source_parse(&trace->source, who, key, argument);
    return taken == ARGP_ERR_UNKNOWN ? parse_common(key, argument, state, &trace->common) : taken;
}

static error_t parse(int key, char *argument, struct argp_state *state)
{
    struct trace *trace = state->input;
    const char *who = state->argv[0];
    bool good = true;
    switch (key) {
    case 'l':
        good = take_layer(trace, who, argument);
        break;
    case 'F':
        good = take_filter(trace, who, argument);
        break;
    case KEY_VIEW:
        good = take_view(trace, who, argument);
        break;
    case KEY_FOLLOW:
        trace->follows = true;
        break;
    case KEY_BEFORE:
        good = take_count(who, "before", argument, &trace->before);
        break;
    case KEY_AFTER:
        good = take_count(who, "after", argument, &trace->behind);
        break;
    case KEY_EXPECT:
        trace->expects = true;
        good = parse_number(argument, &trace->expected) ||
               complain(who, "--expect must be a whole number, not \"%s\"", argument);
        break;
    case KEY_PACKET:
        good = (parse_number(argument, &trace->packet) && trace->packet > 0) ||
               complain(who, "--packet must be a number from 1 on, not \"%s\"", argument);
        break;
    case KEY_FROM:
    case KEY_TO:
        good = take_end(trace, who, key == KEY_FROM, argument);
        break;
    case KEY_VALUES:
        trace->values_path = argument;
        break;
    case 'p':
        trace->plot_path = argument;
        good = plot_is_possible(who, argument);
        break;
    case KEY_DRAW:
        trace->draw = argument;
        good = trace_plot_is_known(argument) ||
               complain(who, "unknown picture \"%s\"; use values, strength or connection", argument);
        break;
    default:
        return parse_shared(trace, state, key, argument);
    }
    return good ? 0 : EINVAL;
}

/* lines */

static void print_line(struct trace *trace, char *line)
{
    if (!trace->headed && !trace->common.json)
        trace_head(trace);
    trace->headed = true;
    (void)puts(line != NULL ? line : "");
    free(line);
    trace->shown++;
    if (trace->follows)
        (void)fflush(stdout);
}

static char *make_line(const struct trace *trace, const struct ys_message *message, uint64_t since_ns)
{
    return trace->common.json         ? trace_line_json(trace, message, since_ns)
           : trace->view == VIEW_BOTH ? trace_line_both(trace, message)
                                      : trace_line(trace, message, since_ns);
}

/* What was kept, the oldest first. */
static void print_kept(struct trace *trace)
{
    uint64_t kept = trace->kept_count < trace->before ? trace->kept_count : trace->before;
    for (uint64_t i = trace->kept_count - kept; i < trace->kept_count; i++) {
        print_line(trace, trace->kept[i % trace->before]);
        trace->kept[i % trace->before] = NULL;
    }
    trace->kept_count = 0;
}

static void keep(struct trace *trace, char *line)
{
    char **place = &trace->kept[trace->kept_count++ % trace->before];
    free(*place);
    *place = line;
}

/* What a line says of the time since the last one that was shown. */
static void show(struct trace *trace, const struct ys_message *message)
{
    uint64_t at_ns = message->seen->record->at_ns;
    uint64_t since_ns = trace->has_last && at_ns > trace->last_ns ? at_ns - trace->last_ns : 0;
    bool matches = trace->filter == NULL ||
                   ys_filter_matches(trace->filter, message, &trace->source.glossary, trace->origin_ns, since_ns);
    trace->matched += matches;
    if (matches && trace->values != NULL) {
        struct ys_message value;
        if (ys_message_of(message->seen, YS_TRACE_VALUES, &trace->source.glossary, &value) && !value.landmark)
            trace_value(trace, &value);
    }
    if (matches && trace->timeline != NULL)
        timeline_take(trace->timeline, message->seen);
    if (matches && trace->plot != NULL)
        trace_plot_take(trace->plot, trace, message->seen);
    if (!matches && trace->left == 0) {
        if (trace->before > 0)
            keep(trace, make_line(trace, message, since_ns));
        return;
    }
    if (matches && trace->before > 0)
        print_kept(trace);
    trace->left = matches ? trace->behind : trace->left - 1;
    trace->has_last = true;
    trace->last_ns = at_ns;
    if (trace->plot_path == NULL && trace->values_path == NULL)
        print_line(trace, make_line(trace, message, since_ns));
    else
        trace->shown++;
}

/* Frames are seen on the air and at HCI: where both are, those on the air are shown. */
static bool is_in_view(const struct trace *trace, const struct ys_seen *seen)
{
    bool air = seen->record->kind == YS_RECORD_AIR;
    if (trace->layer == YS_TRACE_AIR || trace->layer == YS_TRACE_HCI)
        return true;
    return trace->view == VIEW_AIR ? air : trace->view == VIEW_HCI ? !air : air == trace->on_air;
}

static void take_seen(void *context, const struct ys_seen *seen)
{
    struct trace *trace = context;
    const struct ys_record *record = seen->record;
    struct ys_message message;
    if (!trace->has_origin) {
        trace->has_origin = true;
        trace->origin_ns = record->at_ns < YS_SIMULATED_NS ? 0 : record->at_ns;
    }
    trace->on_air = trace->on_air || record->kind == YS_RECORD_AIR;
    double at_s = ((double)record->at_ns - (double)trace->origin_ns) / 1e9;
    if ((trace->has_from && at_s < trace->from_s) || (trace->has_to && at_s > trace->to_s))
        return;
    trace->damaged += seen->kind == YS_SEEN_NOTHING;
    trace->unreadable += seen->kind == YS_SEEN_LINK && seen->packet.readable == YS_READ_NOT;
    if (trace->packet > 0) {
        if (record->number == trace->packet) {
            trace_packet(trace, seen);
            trace->shown++;
        }
        return;
    }
    if (trace->view == VIEW_BOTH) {
        bool air = record->kind == YS_RECORD_AIR;
        bool empty = seen->kind == YS_SEEN_LINK && seen->good && seen->packet.data.length == 0;
        if (ys_message_of(seen, air ? YS_TRACE_AIR : YS_TRACE_HCI, &trace->source.glossary, &message) && !empty)
            show(trace, &message);
        return;
    }
    if (trace->plot != NULL && trace_plot_takes_packets(trace->plot)) {
        bool air = record->kind == YS_RECORD_AIR;
        if (ys_message_of(seen, air ? YS_TRACE_AIR : YS_TRACE_HCI, &trace->source.glossary, &message))
            show(trace, &message);
        return;
    }
    if (is_in_view(trace, seen) && ys_message_of(seen, trace->layer, &trace->source.glossary, &message))
        show(trace, &message);
}

/* running */

static volatile sig_atomic_t interrupted;

static void interrupt(int number)
{
    (void)number;
    interrupted = 1;
}

/* Reads on whenever the file has grown, until the user interrupts. */
static bool follow(struct trace *trace)
{
    const struct timespec pause = {.tv_nsec = POLL_NS};
    struct sigaction action = {.sa_handler = interrupt};
    (void)sigaction(SIGINT, &action, NULL);
    (void)sigaction(SIGTERM, &action, NULL);
    bool good = true;
    while (good && !interrupted) {
        good = source_run(&trace->source, ys_follower_take, trace->follower);
        (void)nanosleep(&pause, NULL);
    }
    return good;
}

static bool open_values(struct trace *trace)
{
    if (trace->values_path == NULL)
        return true;
    if (!saving_is_free(trace->values_path, trace->common.replaces) ||
        !saving_begin(&trace->values_file, trace->values_path, trace->common.replaces))
        return false;
    trace->values = trace->values_file.stream;
    trace_values_head(trace->values);
    return true;
}

static bool close_values(struct trace *trace)
{
    if (trace->values == NULL)
        return true;
    trace->values = NULL;
    return saving_end(&trace->values_file, true);
}

static bool is_free(const struct trace *trace, const char *who)
{
    return saving_is_free(trace->common.page, trace->common.replaces) &&
           (trace->plot_path == NULL || plot_is_free(who, trace->plot_path, trace->common.replaces));
}

/* What could not be shown, and why. */
static void tell_missing(const struct trace *trace, const char *who)
{
    if (trace->matched == 0 && !trace->expects)
        (void)complain(who, "nothing %s", trace->filter != NULL ? "matches the filter" : "found in this layer");
    if (trace->damaged > 0 && trace->layer != YS_TRACE_AIR)
        (void)complain(who, "%llu packets were damaged; --layer air shows them", (unsigned long long)trace->damaged);
    if (trace->unreadable > 0)
        (void)complain(who, "%llu packets were encrypted, and their key is not known: give it by --key or --bonds",
                       (unsigned long long)trace->unreadable);
}

static bool write_page(const struct trace *trace, bool met)
{
    char summary[300];
    (void)snprintf(summary, sizeof summary, "%llu messages%s.%s%s", (unsigned long long)trace->matched,
                   trace->filter != NULL ? " match the filter" : "",
                   trace->source.failed ? " The scene itself failed." : "",
                   met ? "" : " Their number is not the one that was expected.");
    json_t *result = json_pack("{s:I, s:I, s:I}", "matched", (json_int_t)trace->matched, "damaged",
                               (json_int_t)trace->damaged, "unreadable", (json_int_t)trace->unreadable);
    json_t *more = json_pack("{s:o}", "air", timeline_json(trace->timeline));
    bool judged = trace->expects || trace->source.scene != NULL;
    const struct page page = {.verb = "trace",
                              .title = trace->common.files.paths[0],
                              .verdict = !judged                        ? PAGE_UNJUDGED
                                         : met && !trace->source.failed ? PAGE_GOOD
                                                                        : PAGE_BAD,
                              .summary = summary,
                              .result = result,
                              .more = more};
    bool good = page_write(&trace->common, &page);
    json_decref(result);
    json_decref(more);
    return good;
}

static int run(struct trace *trace, const char *who)
{
    trace->follower = ys_follower_new(take_seen, trace);
    trace->kept = calloc((size_t)trace->before + 1, sizeof *trace->kept);
    if (trace->plot_path != NULL)
        trace->plot = trace_plot_new(trace);
    if (trace->common.page != NULL)
        trace->timeline = timeline_new(&trace->source.glossary);
    bool good = trace->follower != NULL && trace->kept != NULL && (trace->plot_path == NULL || trace->plot != NULL) &&
                (trace->common.page == NULL || trace->timeline != NULL);
    if (!good) {
        (void)complain(who, "there is no memory for it");
    } else {
        *ys_follower_keys(trace->follower) = trace->source.keys;
        good = trace->follows && trace->source.beside == NULL
                   ? follow(trace)
                   : source_run(&trace->source, ys_follower_take, trace->follower);
        source_end(&trace->source);
    }
    if (good && trace->packet > 0 && trace->shown == 0)
        good = complain(who, "there is no packet %llu", trace->packet);
    if (good && trace->packet == 0)
        tell_missing(trace, who);
    if (good && trace->plot != NULL)
        good = trace_plot_end(trace->plot, trace);
    good = close_values(trace) && good;
    trace_plot_free(trace->plot);
    for (unsigned long long i = 0; i < trace->before && trace->kept != NULL; i++)
        free(trace->kept[i]);
    free(trace->kept);
    ys_follower_free(trace->follower);
    bool met = !trace->expects || trace->matched == trace->expected;
    good = good && (trace->common.page == NULL || write_page(trace, met));
    timeline_free(trace->timeline);
    if (good && !met)
        (void)complain(who, "%llu messages match, and %llu were expected", (unsigned long long)trace->matched,
                       trace->expected);
    return !good ? EXIT_BAD_INPUT : trace->source.failed || !met ? EXIT_UNEXPECTED : EXIT_AS_EXPECTED;
}

/* Options that only go together. */
static bool go_together(const struct trace *trace, const char *who)
{
    if (trace->has_to && trace->to_s <= (trace->has_from ? trace->from_s : 0))
        return complain(who, "--to must be after --from");
    if (trace->draw != NULL && trace->plot_path == NULL)
        return complain(who, "--draw needs --plot");
    if (trace->before + trace->behind > 0 && trace->filter == NULL)
        return complain(who, "--before and --after need --filter");
    if (trace->expects && (trace->packet > 0 || trace->follows))
        return complain(who, "--expect counts matches up to the end: omit --packet and --follow");
    if (trace->packet > 0 &&
        (trace->plot_path != NULL || trace->common.page != NULL || trace->values_path != NULL || trace->common.json))
        return complain(who, "--packet shows one packet in words, and nothing else");
    return true;
}

/* The scene's own, if it has any. */
static bool open_controllers(struct trace *trace, const char *who)
{
    char problem[300];
    if (trace->controllers.count == 0)
        return trace->source.folders.plugged_count == 0 ||
               complain(who, "--outside needs a real controller: add --controller");
    return controllers_give(&trace->controllers, who, trace->source.scene) &&
           firmware_all_used(&trace->source.folders, who) &&
           (controllers_open(&trace->controllers, problem, sizeof problem) || complain(who, "%s", problem));
}

int verb_trace(int argc, char **argv)
{
    static const struct argp_option options[] = {
        {"layer", 'l', "LAYER", 0, "What a line shows: air, hci, l2cap, attributes (default) or values", 0},
        {"filter", 'F', "FILTER", 0, "Show what matches, such as \"live torque > 40 N m and from wrench\"", 0},
        {"before", KEY_BEFORE, "NUMBER", 0, "Also show this many lines before each match", 0},
        {"after", KEY_AFTER, "NUMBER", 0, "Also show this many lines after each match", 0},
        {"from", KEY_FROM, "TIME", 0, "Begin at this time of the trace, in seconds", 0},
        {"to", KEY_TO, "TIME", 0, "End at this time of the trace, in seconds", 0},
        {"expect", KEY_EXPECT, "NUMBER", 0, "Fail unless exactly this many messages match", 0},
        {"view", KEY_VIEW, "VIEW", 0,
         "Read frames from the air, from hci, or from both (default: the air, if it was captured)", 0},
        {"packet", KEY_PACKET, "NUMBER", 0, "Show every field of every layer of this packet", 0},
        {"follow", KEY_FOLLOW, NULL, 0, "Continue while the capture grows, or show a scene with real controllers live",
         0},
        CONTROLLER_OPTIONS,
        {"values", KEY_VALUES, "FILE", 0, "Write the matching values to FILE as CSV, and print no lines", 0},
        {"plot", 'p', "FILE", 0,
         "Draw a picture to FILE, which ends in .svg or .png; its data and script are written beside it. No lines are "
         "printed",
         0},
        PAGE_OPTION,
        {"draw", KEY_DRAW, "WHAT", 0, "What to draw: values (default), strength, or connection", 0},
        REPLACE_OPTION,
        SOURCE_OPTIONS,
        {"json", 'j', NULL, 0, "Print one JSON object a line", 0},
        {0}};
    static const struct argp argp = {
        .options = options,
        .parser = parse,
        .args_doc = "CAPTURE...|SCENE",
        .doc = "Shows the traffic of captures, or of a scene that it plays: one line a message, with names, values and "
               "units, from the air or from HCI. Several captures are merged by time. Encrypted links are decrypted "
               "where their keys are known: from HCI in the capture, from a pairing that can be read, or from --key "
               "and --bonds.\vExit status: 0, 1 if the scene failed or the number of matches is not the expected one, "
               "2 if a capture, a scene or an option is wrong.",
    };
    static struct trace trace;
    trace = (struct trace){.layer = YS_TRACE_ATTRIBUTES, .colour = wants_colour(stdout)};
    trace.source.seed = 1;
    int status = EXIT_BAD_INPUT;
    if (parse_options(&argp, argc, argv, &trace) && go_together(&trace, argv[0])) {
        const struct ys_beside beside = controllers_beside(&trace.controllers);
        trace.source.waits = trace.follows;
        trace.source.beside = trace.controllers.count > 0 ? &beside : NULL;
        if (source_open(&trace.source, argv[0], &trace.common.files) && is_free(&trace, argv[0]) &&
            open_values(&trace) && open_controllers(&trace, argv[0]))
            status = run(&trace, argv[0]);
        controllers_close(&trace.controllers);
        source_close(&trace.source);
    }
    ys_filter_free(trace.filter);
    return status;
}
