/* yarnswift sweep: throughput over lists and ranges of parameters, on all cores, interruptible, resumable, and split
 * over machines. */
#include "cli/sweep/swept.h"

#include <errno.h>
#include <pthread.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/shared/definitions.h"
#include "cli/shared/options.h"
#include "cli/shared/parameters.h"
#include "cli/shared/plot.h"
#include "cli/shared/progress.h"
#include "cli/shared/say.h"
#include "cli/shared/share.h"
#include "cli/shared/verb.h"
#include "cli/sweep/plot.h"
#include "cli/sweep/points.h"
#include "experiment/throughput.h"
#include "experiment/throughput_plan.h"

#define KEY_CARRIER     1
#define KEY_HEAT        5
#define NAME_SIZE       400
#define INTERRUPTS_MOST 2

struct input {
    struct common common;
    const char *texts[64];
    const char *carrier;
    const char *plot;
    struct share share;
    unsigned long long jobs;
    bool heat;
};

static error_t parse(int key, char *argument, struct argp_state *state)
{
    struct input *input = state->input;
    bool good = true;
    size_t index = parameter_of_option(key);
    if (index < parameter_count) {
        input->texts[index] = argument != NULL ? argument : "yes";
        return 0;
    }
    if (share_has(key))
        return share_take(&input->share, state->argv[0], key, argument) ? 0 : EINVAL;
    switch (key) {
    case KEY_CARRIER:
        input->carrier = argument;
        break;
    case KEY_HEAT:
        input->heat = true;
        break;
    case 'J':
        good = take_jobs(state->argv[0], argument, &input->jobs);
        break;
    case 'p':
        input->plot = argument;
        good = plot_is_possible(state->argv[0], argument);
        break;
    default:
        return parse_common(key, argument, state, &input->common);
    }
    return good ? 0 : EINVAL;
}

/* running */

struct work {
    const struct sweep *sweep;
    const size_t *points; /* that are still to be run */
    size_t count;
    size_t next;
    size_t done;
    bool stop;
    struct results *store;
    struct progress progress;
    pthread_mutex_t mutex;
};

static volatile sig_atomic_t interrupted;

/* On an interrupt, running points are finished first; a second one ends at once. */
static void on_interrupt(int number)
{
    interrupted = interrupted + 1;
    if (interrupted > INTERRUPTS_MOST)
        (void)signal(number, SIG_DFL);
}

/* What is kept of a point, as JSON. */
static char *run_point(const struct sweep *sweep, size_t index, char *name)
{
    struct ys_throughput_report report;
    struct ys_throughput_plan plan = sweep_point(sweep, index, name, NAME_SIZE);
    char *text = NULL;
    if (ys_throughput_run(&plan, &report)) {
        json_t *json = report_json(&plan, &report);
        text = json_dumps(json, JSON_COMPACT | JSON_REAL_PRECISION(12));
        json_decref(json);
    }
    ys_throughput_free(&report);
    return text;
}

struct effort {
    size_t point;
    double packets;
};

static int compare_efforts(const void *one, const void *other)
{
    const struct effort *a = one;
    const struct effort *b = other;
    if (a->packets != b->packets)
        return a->packets < b->packets ? 1 : -1;
    return a->point < b->point ? -1 : 1;
}

static void *worker(void *context)
{
    struct work *work = context;
    char name[NAME_SIZE];
    (void)pthread_mutex_lock(&work->mutex);
    while (work->next < work->count && !work->stop && !interrupted) {
        size_t index = work->points[work->next++];
        (void)pthread_mutex_unlock(&work->mutex);
        char *json = run_point(work->sweep, index, name);
        (void)pthread_mutex_lock(&work->mutex);
        if (work->stop || json == NULL || !results_put(work->store, name, json))
            work->stop = true;
        else
            progress_show(&work->progress, ++work->done, work->count);
        free(json);
    }
    (void)pthread_mutex_unlock(&work->mutex);
    return NULL;
}

/* The longest points first, so that no core is left with one of them at the end. */
static void put_longest_first(const struct sweep *sweep, size_t *points, size_t count)
{
    char name[NAME_SIZE];
    struct effort *efforts = calloc(count + 1, sizeof *efforts);
    if (efforts == NULL)
        abort();
    for (size_t i = 0; i < count; i++) {
        const struct ys_throughput_plan plan = sweep_point(sweep, points[i], name, sizeof name);
        efforts[i] = (struct effort){.point = points[i], .packets = ys_throughput_effort(&plan)};
    }
    qsort(efforts, count, sizeof *efforts, compare_efforts);
    for (size_t i = 0; i < count; i++)
        points[i] = efforts[i].point;
    free(efforts);
}

/* Runs what is to be done; false if not all of it was. */
static bool run_all(const struct sweep *sweep, const size_t *points, size_t count, struct results *store, size_t jobs)
{
    struct work work = {.sweep = sweep,
                        .points = points,
                        .count = count,
                        .store = store,
                        .progress = progress_begin("points"),
                        .mutex = PTHREAD_MUTEX_INITIALIZER};
    pthread_t threads[256];
    size_t running = 0;
    struct sigaction action = {.sa_handler = on_interrupt};
    struct sigaction before;
    (void)sigaction(SIGINT, &action, &before);
    while (running + 1 < jobs && pthread_create(&threads[running], NULL, worker, &work) == 0)
        running++;
    (void)worker(&work); /* this thread is one of them */
    while (running > 0)
        (void)pthread_join(threads[--running], NULL);
    (void)sigaction(SIGINT, &before, NULL);
    progress_end(&work.progress);
    return work.done == count;
}

/* results */

static double number_of(const json_t *json, const char *key)
{
    return json_number_value(json_object_get(json, key));
}

static struct sweep_result read_result(struct results *store, const char *name)
{
    struct sweep_result result = {.known = false};
    char *text = results_get(store, name);
    json_t *json = text != NULL ? json_loads(text, 0, NULL) : NULL;
    free(text);
    if (json == NULL)
        return result;
    const json_t *latency = json_object_get(json, "latency_ms");
    const char *trouble = json_string_value(json_object_get(json, "trouble"));
    result = (struct sweep_result){.known = true,
                                   .goodput_bps = number_of(json, "goodput_bps"),
                                   .limit_bps = number_of(json, "limit_bps"),
                                   .ratio = number_of(json, "ratio"),
                                   .median_ms = number_of(latency, "median"),
                                   .p95_ms = number_of(latency, "p95"),
                                   .retransmissions = (uint64_t)number_of(json, "retransmissions"),
                                   .trouble = trouble == NULL || trouble[0] != '\0'};
    json_decref(json);
    return result;
}

static void print_text(const struct sweep *sweep, const struct sweep_result *results, const char *about)
{
    (void)printf("%s\n\n", about);
    for (size_t axis = 0; axis < sweep->axis_count; axis++)
        (void)printf("%13s", sweep->axes[axis].parameter->name);
    (void)printf("%14s %14s %9s %12s %12s %10s\n", "goodput", "limit", "reached", "median", "95th", "again");
    for (size_t axis = 0; axis < sweep->axis_count; axis++)
        (void)printf("%13s", "");
    (void)printf("%14s %14s %9s %12s %12s\n", "kbit/s", "kbit/s", "%", "ms", "ms");
    for (size_t i = 0; i < sweep->point_count; i++) {
        const struct sweep_result *result = &results[i];
        if (!result->known)
            continue;
        for (size_t axis = 0; axis < sweep->axis_count; axis++)
            (void)printf("%13s", sweep->axes[axis].values[sweep_place(sweep, i, axis)]);
        (void)printf("%14.1f %14.1f %9.2f %12.1f %12.1f %10llu%s\n", result->goodput_bps / 1000,
                     result->limit_bps / 1000, 100 * result->ratio, result->median_ms, result->p95_ms,
                     (unsigned long long)result->retransmissions,
                     result->trouble ? "  the connection did not last" : "");
    }
}

static void print_json(const struct sweep *sweep, struct results *store, const char *about)
{
    json_t *list = json_array();
    char name[NAME_SIZE];
    for (size_t i = 0; i < sweep->point_count; i++) {
        (void)sweep_point(sweep, i, name, sizeof name);
        char *text = results_get(store, name);
        json_t *json = text != NULL ? json_loads(text, 0, NULL) : NULL;
        if (json != NULL)
            (void)json_array_append_new(list, json);
        free(text);
    }
    json_t *root = json_pack("{s:s, s:s, s:I, s:o}", "kind", "sweep", "about", about, "points",
                             (json_int_t)sweep->point_count, "results", list);
    (void)json_dumpf(root, stdout, JSON_INDENT(2) | JSON_REAL_PRECISION(12));
    (void)putchar('\n');
    json_decref(root);
}

/* the sweep */

/* The values by which a combination differs from others. */
static void say_point(const struct sweep *sweep, size_t index, char name[NAME_SIZE])
{
    size_t length = 0;
    name[0] = '\0';
    for (size_t i = 0; i < sweep->axis_count && length < NAME_SIZE; i++)
        length += (size_t)snprintf(name + length, NAME_SIZE - length, "%s%s %s", i > 0 ? ", " : "",
                                   sweep->axes[i].parameter->name, sweep->axes[i].values[sweep_place(sweep, index, i)]);
}

/* Says what is wrong with a combination, and which it is. */
static bool complain_point(const char *who, const struct sweep *sweep, size_t index, const char *text)
{
    char name[NAME_SIZE];
    say_point(sweep, index, name);
    return complain(who, "%s%s%s", text, name[0] != '\0' ? ", with " : "", name);
}

/* A parameter that is not given has its base value; one with several values is an axis. */
static bool read_axes(const char *who, const struct input *input, struct sweep *sweep)
{
    char text[120];
    char name[NAME_SIZE];
    sweep->point_count = 1;
    for (size_t i = 0; i < parameter_count; i++) {
        struct sweep_axis axis;
        if (input->texts[i] == NULL)
            continue;
        bool good = sweep_axis_read(who, &parameters[i], input->texts[i], &axis);
        if (good && axis.count == 1) {
            (void)axis.parameter->read(axis.values[0], &sweep->base);
            free(axis.values);
            continue;
        }
        sweep->axes[sweep->axis_count++] = axis;
        if (!good)
            return false;
        if (axis.count > SWEEP_POINTS_MOST / sweep->point_count)
            return complain(who, "there are more than %d combinations", SWEEP_POINTS_MOST);
        sweep->point_count *= axis.count;
    }
    for (size_t i = 0; i < sweep->point_count; i++) {
        struct ys_throughput_plan plan = sweep_point(sweep, i, name, sizeof name);
        if (!ys_throughput_check(&plan, text, sizeof text))
            return complain_point(who, sweep, i, text);
    }
    return true;
}

static int finish_sweep(const char *who, const struct input *input, const struct sweep *sweep, struct results *store,
                        const char *about, bool whole)
{
    char name[NAME_SIZE];
    struct sweep_result *results = calloc(sweep->point_count + 1, sizeof *results);
    bool well = true;
    if (results == NULL)
        abort();
    for (size_t i = 0; i < sweep->point_count; i++) {
        (void)sweep_point(sweep, i, name, sizeof name);
        results[i] = read_result(store, name);
        well = well && !results[i].trouble;
    }
    if (input->common.json)
        print_json(sweep, store, about);
    else
        print_text(sweep, results, about);
    int status = !whole ? EXIT_BAD_INPUT : well ? EXIT_AS_EXPECTED : EXIT_UNEXPECTED;
    if (whole && input->plot != NULL &&
        !sweep_draw(who, input->plot, sweep, results, about, input->heat, input->common.replaces))
        status = EXIT_BAD_INPUT;
    free(results);
    return status;
}

static int run(const char *who, const struct input *input, const struct sweep *sweep, const char *about)
{
    char name[NAME_SIZE];
    size_t count = 0;
    size_t mine = 0;
    size_t *points = calloc(sweep->point_count + 1, sizeof *points);
    struct results *store = results_open(who, input->share.results, about);
    if (points == NULL)
        abort();
    if (store == NULL) {
        free(points);
        return EXIT_BAD_INPUT;
    }
    for (size_t i = 0; i < sweep->point_count; i++) {
        if (!input->share.undone && !share_is_mine(&input->share, i))
            continue;
        mine++;
        (void)sweep_point(sweep, i, name, sizeof name);
        if (!results_has(store, name))
            points[count++] = i;
    }
    if (input->share.undone) {
        for (size_t i = 0; i < count; i++) {
            say_point(sweep, points[i], name);
            share_say_undone(&input->share, name, points[i]);
        }
        results_close(store);
        free(points);
        return EXIT_AS_EXPECTED;
    }
    put_longest_first(sweep, points, count);
    bool whole = run_all(sweep, points, count, store, (size_t)input->jobs);
    if (!whole && interrupted)
        (void)complain(who, "interrupted: %s; the same command continues from there",
                       input->share.results != NULL ? "what was done is kept" : "use --results to keep results");
    if (mine < sweep->point_count)
        (void)fprintf(stderr, "%s: part %llu of %llu: %zu of %zu points, %zu of them run now\n", who, input->share.part,
                      input->share.parts, mine, sweep->point_count, count);
    int status = finish_sweep(who, input, sweep, store, about, whole);
    results_close(store);
    free(points);
    return status;
}

/* The subject of the results: the stream, and the parts of the definition that matter for it. */
static char *describe(const char *device, const struct ys_characteristic *characteristic,
                      const struct ys_throughput_plan *plan)
{
    char *text = NULL;
    char values[40] = "";
    char spacing[40] = "";
    if (plan->carrier != YS_CARRIER_STREAM && characteristic != NULL)
        (void)snprintf(values, sizeof values, ", values of %u bytes", plan->value_bytes);
    if (plan->spacing_ms > 0)
        (void)snprintf(spacing, sizeof spacing, ", at least %u ms apart", plan->spacing_ms);
    if (asprintf(&text, "%s: \"%s\" as %s%s%s", device, characteristic != NULL ? characteristic->name : "messages",
                 ys_carrier_names[plan->carrier], values, spacing) < 0)
        abort();
    return text;
}

static int sweep_definition(const char *who, const struct input *input)
{
    const struct files *given = &input->common.files;
    struct ys_design *design;
    if (given->count > 2) {
        (void)complain(who, "name one definition and one characteristic");
        return EXIT_BAD_INPUT;
    }
    struct ys_layout *layout =
        open_only(who, &(struct files){.paths = given->paths, .count = given->count > 0 ? 1 : 0}, &design);
    int status = EXIT_BAD_INPUT;
    if (layout != NULL) {
        const struct ys_characteristic *characteristic;
        struct sweep sweep = {.base = parameters_begin(design)};
        if (parameters_source(given->paths[0], layout, given->count > 1 ? given->paths[1] : NULL, input->carrier,
                              &sweep.base, &characteristic) &&
            read_axes(who, input, &sweep) && (input->plot == NULL || sweep_can_be_drawn(who, &sweep, input->heat))) {
            char *about = describe(design->name.text, characteristic, &sweep.base);
            status = run(who, input, &sweep, about);
            free(about);
        }
        sweep_free(&sweep);
    }
    ys_layout_free(layout);
    ys_design_free(design);
    return status;
}

int verb_sweep(int argc, char **argv)
{
    static const struct argp_option own[] = {
        {"carrier", KEY_CARRIER, "CARRIER", 0, "How the data travels, as in throughput", 0},
        SHARE_OPTIONS,
        {"jobs", 'J', "NUMBER", 0, "Number of points that run in parallel, 1 to 64 (default: number of cores)", 0},
        {"plot", 'p', "FILE", 0,
         "Draw goodput and limit as lines to FILE, which ends in .svg or .png; its data and script are written beside "
         "it",
         0},
        REPLACE_OPTION,
        {"heat", KEY_HEAT, NULL, 0, "Draw a heat map of two parameters instead of lines", 0},
        {"json", 'j', NULL, 0, "Print the results as JSON", 0},
        {0}};
    struct argp_option options[64] = {{0}};
    const struct argp argp = {
        .options = options,
        .parser = parse,
        .args_doc = "DEFINITION [CHARACTERISTIC]\n--merge --results FILE FILE...",
        .doc = "Runs throughput for every combination of values. A value of an option may be a list such as 15,30,100, "
               "which may contain ranges such as 15..60/15 (in steps of 15) or 7.5..60*2 (each value twice the one "
               "before).\vWith --results, an interrupted sweep can be resumed. Results do not depend on --jobs or "
               "--part. Exit status: 0 all streams arrived, 1 a connection was lost, 2 the definition, an option or a "
               "file is wrong, or the sweep was interrupted.",
    };
    for (size_t i = 0; i < parameter_count; i++)
        options[i] = (struct argp_option){.name = parameters[i].name,
                                          .key = parameter_option(i),
                                          .arg = "LIST",
                                          .flags = parameters[i].argument == NULL ? OPTION_ARG_OPTIONAL : 0,
                                          .doc = parameters[i].help};
    memcpy(options + parameter_count, own, sizeof own);
    long cores = sysconf(_SC_NPROCESSORS_ONLN);
    struct input input = {.share = SHARE_WHOLE, .jobs = cores > 0 ? (unsigned long long)cores : 1};
    if (!parse_options(&argp, argc, argv, &input))
        return EXIT_BAD_INPUT;
    if (input.share.merge)
        return share_merge(&input.share, argv[0], &input.common, "results");
    if (!share_fits(&input.share, argv[0], &input.common))
        return EXIT_BAD_INPUT;
    if (input.plot != NULL && !plot_is_free(argv[0], input.plot, input.common.replaces))
        return EXIT_BAD_INPUT;
    return sweep_definition(argv[0], &input);
}
