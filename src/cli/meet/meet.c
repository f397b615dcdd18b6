/* yarnswift meet: a device meets all that can come, in encounters that are made of its definition; what does not hold
 * is handed back as the smallest scene that shows it. */
#include <errno.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <time.h>
#include <unistd.h>

#include <jansson.h>

#include "cli/meet/coverage.h"
#include "cli/meet/outcome.h"
#include "cli/meet/trials.h"
#include "cli/shared/definitions.h"
#include "cli/shared/options.h"
#include "cli/shared/pool.h"
#include "cli/shared/progress.h"
#include "cli/shared/results.h"
#include "cli/shared/saving.h"
#include "cli/shared/say.h"
#include "cli/shared/stage_files.h"
#include "cli/shared/verb.h"
#include "design/model/memory.h"
#include "world/module.h"
#include "world/traits.h"

#define KEY_RESULTS 0x500
#define KEY_PART    0x501
#define KEY_MERGE   0x502
#define KEY_INPUT   0x505
#define KEY_UNTIL   0x506

#define SECONDS_USUAL  60
#define MOST_S         10 /* of the processor, for one encounter */
#define BATCH          64
#define SMALLER_MOST_S 20 /* beyond --seconds, for making scenes small */
#define FINDINGS_MOST  100
#define INPUTS_MOST    64
#define PARTS_MOST     10000

/* Only what firmware is asked once. */
#define INPUTS_MOST_S 10

struct input {
    struct common common;
    const char *firmware;
    const char *scenes; /* folder for those that fail */
    const char *results;
    unsigned long long number; /* of encounters; 0: as many as there is time for */
    double seconds;            /* 0: as long as that many take */
    unsigned long long seed;
    unsigned long long at_once;
    unsigned long long part; /* from 1, of: */
    unsigned long long parts;
    bool merge;
    bool until_found;
    struct module_folders folders;
    const char *inputs[INPUTS_MOST];
    size_t input_count;
    char *told[INPUTS_MOST]; /* of these, what the firmware has told */
    size_t told_count;
};

struct meeting {
    struct input *input;
    const char *who;
    struct ys_subject subject;
    struct ys_scene_files files;
    struct trials trials;
    struct ys_plan *plan;
    struct results *results; /* NULL: none are kept */
    struct meet_outcome outcome;
    struct progress progress;
    double began_s;
    bool unwritten; /* a scene */
};

static volatile sig_atomic_t interrupted;

static void on_interrupt(int number)
{
    interrupted = number;
}

static double now_s(void)
{
    struct timespec now;
    (void)clock_gettime(CLOCK_MONOTONIC, &now);
    return (double)now.tv_sec + (double)now.tv_nsec / 1e9;
}

/* options */

static error_t parse(int key, char *argument, struct argp_state *state)
{
    struct input *input = state->input;
    bool good = true;
    switch (key) {
    case 'f':
        input->firmware = argument;
        break;
    case 'm':
        good = module_folder_take(&input->folders, state->argv[0], argument);
        break;
    case 'n':
        good = (parse_number(argument, &input->number) && input->number >= 1 && input->number <= 100000000) ||
               complain(state->argv[0], "--runs must be a whole number from 1 to 100000000, not \"%s\"", argument);
        break;
    case 't':
        good = parse_real(argument, 0.1, 1e7, &input->seconds) ||
               complain(state->argv[0], "--seconds must be from 0.1 to 10000000, not \"%s\"", argument);
        break;
    case 's':
        good = take_seed(state->argv[0], argument, &input->seed);
        break;
    case 'J':
        good = take_jobs(state->argv[0], argument, &input->at_once);
        break;
    case 'o':
        input->scenes = argument;
        break;
    case KEY_RESULTS:
        input->results = argument;
        break;
    case KEY_PART:
        good = results_take_part(state->argv[0], argument, PARTS_MOST, &input->part, &input->parts);
        break;
    case KEY_MERGE:
        input->merge = true;
        break;
    case KEY_UNTIL:
        input->until_found = true;
        break;
    case KEY_INPUT:
        good = input->input_count < INPUTS_MOST || complain(state->argv[0], "name at most %d inputs", INPUTS_MOST);
        if (good)
            input->inputs[input->input_count++] = argument;
        break;
    default:
        return parse_common(key, argument, state, &input->common);
    }
    return good ? 0 : EINVAL;
}

/* the firmware */

struct asking {
    const char *path;
    const struct ys_design *design;
    struct input *input;
    const char *who;
    bool good;
    bool counts; /* which of its lines are reached */
};

/* In a process of its own, since it may do anything: its inputs, or why it cannot be used. */
static void ask_firmware(void *context, size_t index, FILE *result)
{
    const struct asking *asking = context;
    char problem[1000] = "";
    json_t *names = json_array();
    struct ys_loaded *loaded = ys_module_open(asking->path, asking->design, problem, sizeof problem);
    const struct ys_firmware *firmware = loaded != NULL ? ys_module_of(loaded)->firmware : NULL;
    (void)index;
    for (size_t i = 0; firmware != NULL && i < firmware->input_count; i++)
        (void)json_array_append_new(names, json_string(firmware->inputs[i].name));
    json_t *root = json_pack("{s:o, s:s, s:b}", "inputs", names, "problem", problem, "counts",
                             loaded != NULL && ys_module_counts(loaded));
    (void)json_dumpf(root, result, JSON_COMPACT);
    json_decref(root);
    ys_module_close(loaded);
}

static void take_inputs(void *context, size_t index, const char *result, size_t length, const char *crash)
{
    struct asking *asking = context;
    json_t *root = crash == NULL ? json_loadb(result, length, 0, NULL) : NULL;
    const char *problem = root != NULL ? json_string_value(json_object_get(root, "problem")) : crash;
    json_t *name;
    size_t i;
    (void)index;
    asking->counts = json_is_true(json_object_get(root, "counts"));
    asking->good = (problem != NULL && problem[0] == '\0') ||
                   complain(asking->who, "%s: %s", asking->path, problem != NULL ? problem : "it cannot be loaded");
    bool named = asking->input->input_count > 0; /* by --input */
    json_array_foreach(json_object_get(root, "inputs"), i, name)
    {
        if (named || asking->input->input_count == INPUTS_MOST)
            break;
        char *copy = strdup(json_string_value(name));
        asking->input->told[asking->input->told_count++] = copy;
        asking->input->inputs[asking->input->input_count++] = copy;
    }
    json_decref(root);
}

/* An image reports its inputs only when it runs, so they are named by --input. */
static bool know_firmware(struct meeting *meeting)
{
    struct input *input = meeting->input;
    char looked[1000] = "";
    size_t length = input->firmware != NULL ? strlen(input->firmware) : 0;
    if (input->firmware == NULL)
        return input->input_count == 0 || complain(meeting->who, "--input is of firmware: name it with --firmware");
    char *path =
        meeting->files.module(meeting->files.context, "encounter.scene.yaml", input->firmware, looked, sizeof looked);
    if (path == NULL)
        return complain(meeting->who, "there is no firmware \"%s\": looked for it as %s", input->firmware, looked);
    struct asking asking = {
        .path = path, .design = meeting->subject.design, .input = input, .who = meeting->who, .good = true};
    const struct pool pool = {.count = 1,
                              .at_once = 1,
                              .most_s = INPUTS_MOST_S,
                              .job = ask_firmware,
                              .done = take_inputs,
                              .context = &asking};
    bool image = length > 4 && strcmp(input->firmware + length - 4, ".elf") == 0;
    bool good = image || (pool_run(&pool) && asking.good);
    free(path);
    if (good && asking.counts)
        meeting->outcome.coverage = coverage_begin(meeting->who);
    return good && (!asking.counts || meeting->outcome.coverage != NULL);
}

/* findings */

static struct meet_finding *finding_of(struct meet_outcome *outcome, const char *key)
{
    for (size_t i = 0; i < outcome->finding_count; i++) {
        if (strcmp(outcome->findings[i].key, key) == 0)
            return &outcome->findings[i];
    }
    return NULL;
}

static char *file_name(const struct meeting *meeting, const struct meet_finding *finding, size_t number)
{
    char words[60];
    size_t length = 0;
    for (const char *at = finding->key; *at != '\0' && *at != '|' && length + 1 < sizeof words; at++) {
        bool plain = (*at >= 'a' && *at <= 'z') || (*at >= 'A' && *at <= 'Z');
        if (plain)
            words[length++] = *at;
        else if (length > 0 && words[length - 1] != '_')
            words[length++] = '_';
    }
    words[length] = '\0';
    return ys_new_text("%s/%zu_%s.scene.yaml", meeting->input->scenes, number, words);
}

/* In a comment a text is in lines of its own. */
static void put_comment(FILE *stream, const char *label, const char *text)
{
    (void)fprintf(stream, "# %s: ", label);
    for (; *text != '\0'; text++)
        (void)fputc((unsigned char)*text < 0x20 ? ' ' : *text, stream);
    (void)fputc('\n', stream);
}

/* The scene, with a comment that says what was expected. */
static char *scene_of(const struct meeting *meeting, const struct trial *trial, const struct meet_finding *finding)
{
    char *comment = NULL;
    size_t size = 0;
    FILE *stream = open_memstream(&comment, &size);
    if (stream == NULL)
        abort();
    (void)fprintf(stream, "# From yarnswift meet, encounter %llu of seed %llu, reduced.\n",
                  (unsigned long long)finding->number, meeting->input->seed);
    put_comment(stream, "step", trial->what);
    put_comment(stream, "expected", trial->expected);
    put_comment(stream, "came", trial->came);
    (void)fprintf(stream, "# Play it: yarnswift rehearse --seed %llu THIS\n", meeting->input->seed);
    (void)fclose(stream);
    char *text = ys_encounter_scene(&meeting->subject, trial->encounter, comment, NULL);
    free(comment);
    return text;
}

static bool write_scene(const struct meeting *meeting, struct meet_finding *finding, size_t number)
{
    struct ys_output output;
    finding->path = file_name(meeting, finding, number);
    bool good = (mkdir(meeting->input->scenes, 0777) == 0 || errno == EEXIST) ||
                complain(meeting->who, "cannot make the folder %s: %s", meeting->input->scenes, strerror(errno));
    good = good && saving_begin(&output, finding->path, meeting->input->common.replaces);
    if (good)
        good = fputs(finding->scene, output.stream) >= 0 && saving_end(&output, true);
    if (!good) {
        free(finding->path);
        finding->path = NULL;
    }
    return good;
}

/* The value that a failure is about: the key of its finding begins with a topic, which ends with the value's name. */
static size_t value_of(const struct ys_subject *subject, const char *key, size_t otherwise)
{
    size_t topic = strcspn(key, "|");
    for (size_t i = 0; i < subject->value_count; i++) {
        char name[300];
        ys_subject_say(subject, i, name, sizeof name);
        size_t length = strlen(name);
        if (length < topic && strncmp(key + topic - length, name, length) == 0 && key[topic - length - 1] == ' ')
            return i;
    }
    return otherwise;
}

/* Whether there is time to make findings smaller: longer than for encounters, but not without end. */
static bool may_go_on(const void *context)
{
    const struct meeting *meeting = context;
    double most_s = meeting->input->seconds + SMALLER_MOST_S;
    return interrupted == 0 && (meeting->input->seconds <= 0 || now_s() - meeting->began_s < most_s);
}

/* A finding that is new is made small first. */
static void take_failure(struct meeting *meeting, struct trial *trial)
{
    struct meet_outcome *outcome = &meeting->outcome;
    struct meet_finding *finding = finding_of(outcome, trial->key);
    if (finding != NULL) {
        finding->count++;
        return;
    }
    if (outcome->finding_count == FINDINGS_MOST)
        return;
    outcome->findings = ys_grow(outcome->findings, outcome->finding_count, sizeof *outcome->findings);
    finding = &outcome->findings[outcome->finding_count++];
    *finding = (struct meet_finding){.key = ys_copy(trial->key, strlen(trial->key)),
                                     .number = trial->encounter->choice.number,
                                     .count = 1,
                                     .before = trial_steps(trial)};
    progress_end(&meeting->progress);
    trial_shrink(&meeting->trials, trial);
    finding->after = trial_steps(trial);
    finding->what = ys_copy(trial->what, strlen(trial->what));
    finding->expected = ys_copy(trial->expected, strlen(trial->expected));
    finding->came = ys_copy(trial->came, strlen(trial->came));
    finding->scene = scene_of(meeting, trial, finding);
    if (meeting->input->scenes != NULL && !write_scene(meeting, finding, outcome->finding_count))
        meeting->unwritten = true; /* which has been said; the findings are told all the same */
}

/* running */

static bool keep(struct meeting *meeting, const struct trial *trial)
{
    char name[40];
    if (meeting->results == NULL)
        return true;
    (void)snprintf(name, sizeof name, "%llu", (unsigned long long)trial->encounter->choice.number);
    json_t *root = json_pack("{s:b}", "failed", trial->failed);
    char *text = json_dumps(root, JSON_COMPACT);
    bool good = results_put(meeting->results, name, text);
    free(text);
    json_decref(root);
    return good;
}

/* The stored result of an encounter: it is played again only if it failed. */
static bool is_kept(struct meeting *meeting, const struct ys_choice *choice)
{
    char name[40];
    if (meeting->results == NULL)
        return false;
    (void)snprintf(name, sizeof name, "%llu", (unsigned long long)choice->number);
    char *text = results_get(meeting->results, name);
    json_t *root = text != NULL ? json_loads(text, 0, NULL) : NULL;
    bool good = root != NULL && !json_is_true(json_object_get(root, "failed"));
    json_decref(root);
    free(text);
    return good;
}

static bool has_time(const struct meeting *meeting, uint64_t planned)
{
    const struct input *input = meeting->input;
    double passed_s = now_s() - meeting->began_s;
    bool enough = input->until_found && meeting->outcome.finding_count > 0;
    return interrupted == 0 && !enough && (input->number == 0 || planned < input->number) &&
           (input->seconds <= 0 || passed_s < input->seconds);
}

static void show(struct meeting *meeting, uint64_t planned)
{
    const struct input *input = meeting->input;
    if (input->number > 0)
        progress_show(&meeting->progress, (size_t)planned, (size_t)input->number);
    else
        progress_show(&meeting->progress, (size_t)(now_s() - meeting->began_s), (size_t)input->seconds + 1);
}

/* Also what of the definition's behaviour was tried. */
static void note_met(struct meet_outcome *outcome, const struct ys_encounter *encounter, const char *key)
{
    const struct ys_choice *choice = &encounter->choice;
    size_t row = choice->values[YS_ASPECT_WHO] * (outcome->subject->value_count + 1);
    size_t value = choice->values[YS_ASPECT_VALUE];
    size_t about = key != NULL ? value_of(outcome->subject, key, value) : value;
    const struct meet_finding *finding = key != NULL ? finding_of(outcome, key) : NULL;
    outcome->met[row + about]++;
    outcome->failed[row + about] += key != NULL;
    if (finding != NULL && outcome->first[row + about] == 0)
        outcome->first[row + about] = (uint8_t)(finding - outcome->findings + 1);
    if (about != value)
        outcome->met[row + value]++;
    for (size_t i = 0; i < outcome->subject->design->behaviour_count; i++)
        outcome->behaved[i] += encounter->behaved >> i & 1;
}

static bool play_batch(struct meeting *meeting, struct trial *list, size_t count)
{
    struct meet_outcome *outcome = &meeting->outcome;
    bool good = count == 0 || trials_play(&meeting->trials, list, count);
    for (size_t i = 0; i < count; i++) {
        if (good) {
            outcome->encounters++;
            outcome->now++;
            outcome->simulated_s += list[i].simulated_s;
            good = keep(meeting, &list[i]);
            if (list[i].failed)
                take_failure(meeting, &list[i]);
            note_met(outcome, list[i].encounter, list[i].failed ? list[i].key : NULL);
        }
        trial_clear(&list[i]);
    }
    return good;
}

static bool meet_all(struct meeting *meeting)
{
    const struct input *input = meeting->input;
    struct trial list[BATCH];
    uint64_t planned = 0;
    bool good = true;
    while (good && has_time(meeting, planned)) {
        size_t count = 0;
        size_t looked = 0;
        /* short ones at first, so that a short time has its end */
        size_t most = planned < BATCH ? 16 : BATCH;
        for (; looked < 4096 && count < most && (input->number == 0 || planned < input->number); looked++, planned++) {
            const struct ys_choice choice = ys_plan_next(meeting->plan);
            if (choice.number % input->parts != input->part % input->parts)
                continue;
            struct ys_encounter *encounter = ys_encounter_new(&meeting->subject, &choice, input->seed);
            if (is_kept(meeting, &choice)) {
                meeting->outcome.encounters++;
                note_met(&meeting->outcome, encounter, NULL);
                ys_encounter_free(encounter);
                continue;
            }
            list[count++] = (struct trial){.encounter = encounter};
        }
        good = play_batch(meeting, list, count);
        show(meeting, planned);
    }
    progress_end(&meeting->progress);
    return good;
}

static int tell(struct meeting *meeting)
{
    const struct input *input = meeting->input;
    if (meeting->outcome.coverage != NULL && !coverage_read(meeting->outcome.coverage))
        return EXIT_BAD_INPUT;
    meeting->outcome.seconds = now_s() - meeting->began_s;
    if (interrupted != 0)
        (void)complain(meeting->who, "interrupted: results so far%s",
                       input->results != NULL ? "; the same command continues from there" : "");
    if (input->common.json)
        meet_print_json(&meeting->outcome);
    else
        meet_print(&meeting->outcome);
    if (input->common.page != NULL && !meet_write_page(&input->common, &meeting->outcome))
        return EXIT_BAD_INPUT;
    if (meeting->unwritten)
        return EXIT_BAD_INPUT;
    return meeting->outcome.finding_count > 0 ? EXIT_UNEXPECTED : EXIT_AS_EXPECTED;
}

static bool open_results(struct meeting *meeting)
{
    const struct input *input = meeting->input;
    if (input->results == NULL)
        return true;
    char *about = ys_new_text("%s with %s, seed %llu", meeting->subject.design->file,
                              input->firmware != NULL ? input->firmware : "its stand-in", input->seed);
    meeting->results = results_open(meeting->who, input->results, about);
    free(about);
    return meeting->results != NULL;
}

/* Fills in what is known before anybody is met. */
static void begin(struct meeting *meeting)
{
    struct input *input = meeting->input;
    const struct ys_subject *subject = &meeting->subject;
    meeting->subject.inputs = input->inputs;
    meeting->subject.input_count = input->input_count;
    ys_subject_know(&meeting->subject);
    meeting->plan = ys_plan_new(subject, input->seed);
    size_t cells = ys_aspect_count(subject, YS_ASPECT_WHO) * (subject->value_count + 1);
    struct meet_outcome *outcome = &meeting->outcome;
    outcome->subject = subject;
    outcome->plan = meeting->plan;
    outcome->seed = input->seed;
    outcome->met = ys_new(cells * sizeof *outcome->met);
    outcome->failed = ys_new(cells * sizeof *outcome->failed);
    outcome->first = ys_new(cells * sizeof *outcome->first);
    outcome->behaved = ys_new((subject->design->behaviour_count + 1) * sizeof *outcome->behaved);
    meeting->trials = (struct trials){.subject = subject,
                                      .files = &meeting->files,
                                      .seed = input->seed,
                                      .at_once = (size_t)input->at_once,
                                      .most_s = MOST_S,
                                      .may_go_on = may_go_on,
                                      .context = meeting};
    meeting->progress = progress_begin("encounters");
}

static void end(struct meeting *meeting)
{
    struct meet_outcome *outcome = &meeting->outcome;
    struct input *input = meeting->input;
    if (meeting->results != NULL)
        results_close(meeting->results);
    for (size_t i = 0; i < outcome->finding_count; i++) {
        struct meet_finding *finding = &outcome->findings[i];
        free(finding->key);
        free(finding->what);
        free(finding->expected);
        free(finding->came);
        free(finding->scene);
        free(finding->path);
    }
    while (input->told_count > 0)
        free(input->told[--input->told_count]);
    coverage_end(outcome->coverage);
    free(outcome->findings);
    free(outcome->met);
    free(outcome->failed);
    free(outcome->first);
    free(outcome->behaved);
    ys_plan_free(meeting->plan);
    ys_subject_forget(&meeting->subject);
}

static int run(const char *who, struct input *input)
{
    struct ys_design *design;
    struct ys_layout *layout = open_only(who, &input->common.files, &design);
    char *path = layout != NULL ? realpath(design->file, NULL) : NULL;
    struct meeting meeting = {.input = input, .who = who, .files = stage_files(&input->folders), .began_s = now_s()};
    int status = EXIT_BAD_INPUT;
    if (layout != NULL && path != NULL) {
        meeting.subject =
            (struct ys_subject){.design = design, .layout = layout, .definition = path, .firmware = input->firmware};
        bool good = (design->set_count > 0 ||
                     complain(who, "the device does not advertise, so no central can connect: add advertising:")) &&
                    know_firmware(&meeting);
        begin(&meeting);
        if (good && open_results(&meeting) && meet_all(&meeting))
            status = tell(&meeting);
        end(&meeting);
    }
    free(path);
    ys_layout_free(layout);
    ys_design_free(design);
    return status;
}

int verb_meet(int argc, char **argv)
{
    static const struct argp_option options[] = {
        {"firmware", 'f', "MODULE", 0,
         "The module or image (.elf) of the firmware (default: simulate the device from its definition)", 0},
        {"modules", 'm', "FOLDER", 0, "Also look for modules and images of firmware in this folder; may be repeated",
         0},
        {"input", KEY_INPUT, "NAME", 0,
         "An input of the firmware that may be used; may be repeated (default: all inputs of a module, none of an "
         "image)",
         0},
        {"seconds", 't', "NUMBER", 0, "Stop after this time (default 60, unless --runs is given)", 0},
        {"runs", 'n', "NUMBER", 0, "Number of encounters", 0},
        {"until-found", KEY_UNTIL, NULL, 0, "Stop at the first finding", 0},
        {"seed", 's', "NUMBER", 0, "Random seed (default 1)", 0},
        {"jobs", 'J', "NUMBER", 0, "Number of encounters that run in parallel, 1 to 64 (default: number of cores)", 0},
        {"output", 'o', "FOLDER", 0, "Write the smallest scene of each finding to this folder", 0},
        {"results", KEY_RESULTS, "FILE", 0,
         "Keep the encounters that passed in this SQLite file; a later run continues from there", 0},
        {"part", KEY_PART, "I/N", 0, PART_HELP, 0},
        {"merge", KEY_MERGE, NULL, 0, "Merge the results of the named files into --results", 0},
        PAGE_OPTION,
        REPLACE_OPTION,
        {"json", 'j', NULL, 0, "Print the result as JSON", 0},
        {0}};
    static const struct argp argp = {
        .options = options,
        .parser = parse,
        .args_doc = "DEFINITION\n--merge --results FILE FILE...",
        .doc =
            "Tests a device with everything that may come: every kind of central, each value in each way, at every "
            "moment, and with faults. Encounters are derived from the definition alone, and so is what must hold: it "
            "follows from the definition and from the standard. All pairs of ingredients come first, then triples, "
            "then random combinations. A failure is reduced to its smallest scene and reported once.\vExit status: 0 "
            "nothing was found, 1 something was found, 2 the definition, the firmware or an option is wrong.",
    };
    long cores = sysconf(_SC_NPROCESSORS_ONLN);
    struct input input = {.seed = 1, .part = 1, .parts = 1, .at_once = cores > 1 ? (unsigned long long)cores : 1};
    if (!parse_options(&argp, argc, argv, &input))
        return EXIT_BAD_INPUT;
    if (input.merge)
        return results_merge_all(argv[0], input.results, &input.common, "encounters") ? EXIT_AS_EXPECTED
                                                                                      : EXIT_BAD_INPUT;
    if (input.number == 0 && input.seconds <= 0)
        input.seconds = SECONDS_USUAL;
    if (!saving_is_free(input.common.page, input.common.replaces))
        return EXIT_BAD_INPUT;
    struct sigaction action = {.sa_handler = on_interrupt};
    (void)sigaction(SIGINT, &action, NULL);
    (void)sigaction(SIGTERM, &action, NULL);
    return run(argv[0], &input);
}
