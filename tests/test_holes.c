/* Captures from which packets are missing, or in which they are damaged: a conforming device is not accused, and what
 * cannot be told grows with the holes. How many are drawn of each: YARNSWIFT_HOLES, 4 if it is not set. */
#include "support/check.h"

#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "capture/audit/audit.h"
#include "capture/file/reader.h"
#include "capture/follow/follow.h"
#include "design/making/layout.h"
#include "design/open.h"
#include "experiment/recorded.h"
#include "sim/chance.h"
#include "support/run.h"
#include "world/glossary.h"

#define EXAMPLES "'" YARNSWIFT_ROOT "/examples/"
#define WRENCH   EXAMPLES "torque_wrench/torque_wrench.device.yaml'"

#define TEN_BYTES "00112233445566778899"
#define LONG                                                                                                           \
    TEN_BYTES TEN_BYTES TEN_BYTES TEN_BYTES TEN_BYTES TEN_BYTES TEN_BYTES TEN_BYTES TEN_BYTES TEN_BYTES TEN_BYTES      \
        TEN_BYTES TEN_BYTES TEN_BYTES TEN_BYTES TEN_BYTES TEN_BYTES TEN_BYTES TEN_BYTES TEN_BYTES TEN_BYTES TEN_BYTES  \
            TEN_BYTES TEN_BYTES

/* A capture in memory. */
struct kept {
    struct ys_capture *capture; /* whose names are in its records */
    struct ys_record *records;
    uint8_t **bytes; /* of each */
    size_t count;
};

static void keep(struct kept *kept, const struct ys_record *record)
{
    kept->records = realloc(kept->records, (kept->count + 1) * sizeof *kept->records);
    kept->bytes = realloc(kept->bytes, (kept->count + 1) * sizeof *kept->bytes);
    uint8_t *bytes = malloc(record->length + 1);
    assert_true(kept->records != NULL && kept->bytes != NULL && bytes != NULL);
    if (record->length > 0)
        memcpy(bytes, record->bytes, record->length);
    kept->records[kept->count] = *record;
    kept->records[kept->count].bytes = bytes;
    kept->bytes[kept->count++] = bytes;
}

static struct kept read_capture(const char *path)
{
    char error[300];
    struct kept kept = {.count = 0};
    struct ys_record record;
    struct ys_capture *capture = ys_capture_open(path, false, NULL, NULL, error, sizeof error);
    if (capture == NULL)
        fail_msg("%s: %s", path, error);
    while (ys_capture_next(capture, &record)) {
        keep(&kept, &record);
    }
    kept.capture = capture;
    return kept;
}

static void forget(struct kept *kept)
{
    for (size_t i = 0; i < kept->count; i++)
        free(kept->bytes[i]);
    free(kept->bytes);
    free(kept->records);
    ys_capture_free(kept->capture);
}

/* What is done to a capture. */
struct holes {
    double share;     /* of the packets on the air; below 0: one */
    double late;      /* the share of the capture that is missing at its beginning */
    uint64_t step_ns; /* to which times are rounded; 0: they are not */
    bool damages;     /* instead of leaving them out */
    uint64_t seed;
};

/* A capture with holes: its records one by one. */
struct holed {
    const struct kept *kept;
    const struct holes *holes;
};

static bool replay(void *context, ys_record_fn *take, void *take_context)
{
    const struct holed *holed = context;
    const struct holes *holes = holed->holes;
    const struct kept *kept = holed->kept;
    struct ys_chance chance = ys_chance_of(holes->seed, 1);
    size_t one = ys_chance_below(&chance, (uint32_t)kept->count);
    for (size_t i = 0; i < kept->count; i++) {
        struct ys_record record = kept->records[i];
        record.air.auxiliary = YS_AUXILIARY_NOT; /* which few recorders say */
        bool is_hole = holes->share < 0 ? i == one : ys_chance_below(&chance, 1000000) < holes->share * 1e6;
        is_hole = is_hole || (double)i < holes->late * (double)kept->count;
        if (is_hole && record.kind == YS_RECORD_AIR && !holes->damages)
            continue;
        if (is_hole && record.kind == YS_RECORD_AIR) {
            record.air.pdu[ys_chance_below(&chance, record.air.length)] ^= 0x10;
            record.air.crc_good = false;
            record.known |= YS_AIR_CRC;
        }
        if (holes->step_ns > 0) {
            record.at_ns -= record.at_ns % holes->step_ns;
            record.air.start_ns = record.at_ns;
        }
        take(take_context, &record);
    }
    return true;
}

static struct ys_audit *audit_with_holes(const struct kept *kept, const struct holes *holes,
                                         const struct ys_glossary *glossary)
{
    struct holed holed = {.kept = kept, .holes = holes};
    struct ys_audit *audit = ys_audit_new(glossary);
    struct ys_follower *follower = ys_follower_new(ys_audit_take, audit);
    assert_non_null(follower);
    (void)ys_audit_except(audit, "stranger"); /* who talks nonsense, */
    (void)ys_audit_except(audit, "central");  /* also where nobody heard who it is */
    (void)replay(&holed, ys_follower_take, follower);
    ys_audit_end(audit);
    ys_follower_free(follower);
    return audit;
}

static void expect_no_breach(const struct ys_audit *audit, const char *path, const struct holes *holes)
{
    size_t count;
    const struct ys_breach *breaches = ys_audit_breaches(audit, &count);
    for (size_t i = 0; i < count; i++) {
        if (ys_rules[breaches[i].rule].is_error)
            fail_msg("%s with %g %s, seed %llu: %s is accused of %s: number %llu, %s", path, holes->share,
                     holes->damages ? "damaged" : "missing", (unsigned long long)holes->seed, breaches[i].who,
                     ys_rules[breaches[i].rule].name, (unsigned long long)breaches[i].record, breaches[i].what);
    }
}

/* The share of all occasions that cannot be told. */
static double untold(const struct ys_audit *audit)
{
    double unknown = 0;
    double all = 0;
    for (int rule = 0; rule < YS_RULES; rule++) {
        const struct ys_tally *tally = ys_audit_tally(audit, (enum ys_rule_id)rule);
        unknown += (double)tally->unknown;
        all += (double)(tally->unknown + tally->kept + tally->broken);
    }
    return all > 0 ? unknown / all : 0;
}

static void try_capture(const char *path, const struct ys_glossary *glossary)
{
    static const double shares[] = {-1, 0.01, 0.05, 0.2, 0.5, 0.9};
    const char *draws_text = getenv("YARNSWIFT_HOLES");
    unsigned long draws = draws_text != NULL ? strtoul(draws_text, NULL, 10) : 4;
    struct kept kept = read_capture(path);
    struct holes none = {.share = 0};
    struct ys_audit *whole = audit_with_holes(&kept, &none, glossary);
    double before = untold(whole);
    expect_no_breach(whole, path, &none);
    ys_audit_free(whole);
    for (size_t i = 0; i < sizeof shares / sizeof shares[0]; i++) {
        double sum = 0;
        for (unsigned long draw = 0; draw < 2 * draws; draw++) {
            struct holes holes = {.share = shares[i], .damages = draw % 2 != 0, .seed = 1 + draw / 2};
            struct ys_audit *audit = audit_with_holes(&kept, &holes, glossary);
            expect_no_breach(audit, path, &holes);
            sum += untold(audit);
            ys_audit_free(audit);
        }
        double mean = sum / (double)(2 * draws);
        if (shares[i] > 0.05 && shares[i] < 0.9 && mean <= before)
            fail_msg("%s: with %g missing, %g %% cannot be told, and with none %g %%", path, shares[i], 100 * mean,
                     100 * before);
    }
    for (uint64_t step_ns = 1000; step_ns <= 1000000; step_ns *= 1000) {
        struct holes rounded = {.step_ns = step_ns, .seed = 1};
        for (int draw = 0; draw < 4; draw++) {
            struct ys_audit *audit = audit_with_holes(&kept, &rounded, glossary);
            expect_no_breach(audit, path, &rounded);
            ys_audit_free(audit);
            rounded.share = 0.05;
            rounded.seed++;
        }
    }
    forget(&kept);
}

/* Extended sets whose answers, and whose chains, follow what may be missing. */
static void nobody_is_accused_where_pointers_were_missed(void **state)
{
    static const char *const sets[] = {
        "{interval: 100 ms, extended: true, kind: scannable, response: [name]}",
        "{interval: 100 ms, extended: true, kind: beacon, data: [name, {manufacturer: {company: 0xFFFF, format: bytes, "
        "value: \"" LONG "\"}}]}",
    };
    struct ys_names *names = ys_names_new();
    const struct ys_glossary glossary = ys_names_glossary(names);
    char definition[3000];
    char scene[1200];
    char capture[600];
    char line[1500];
    (void)state;
    (void)snprintf(capture, sizeof capture, "%s/set.pcapng", scratch_folder("sets"));
    for (size_t i = 0; i < sizeof sets / sizeof sets[0]; i++) {
        (void)snprintf(definition, sizeof definition,
                       "device: {name: S9, address: C2:00:5E:10:00:19}\nadvertising: %s\n", sets[i]);
        (void)scratch_file("hidden.device.yaml", definition);
        (void)snprintf(scene, sizeof scene,
                       "scene: sets\ndevices: [{name: s, definition: hidden.device.yaml}]\ncentrals: [{name: a, "
                       "extended: true}]\nsteps: [{who: a, find address: s, within: 5 s}, {wait: 3 s}]\n");
        (void)snprintf(line, sizeof line, "rehearse --replace --capture '%s' '%s'", capture,
                       scratch_file("sets.scene.yaml", scene));
        assert_int_equal(run_command(line).status, 0);
        try_capture(capture, &glossary);
    }
    ys_names_free(names);
}

static void nobody_is_accused_of_what_was_missed(void **state)
{
    static const struct {
        const char *name;
        const char *command;
    } captures[] = {
        {"wrench", "demo " WRENCH},
        {"hoist", "demo " EXAMPLES "crane/hoist.device.yaml'"}, /* extended, coded */
        {"mast", "demo " EXAMPLES "weather_mast/weather_mast.device.yaml'"},
        {"cabinet", "rehearse " EXAMPLES "scenes/cabinet.scene.yaml'"}, /* encrypted */
        {"shift", "rehearse " EXAMPLES "scenes/shift.scene.yaml'"},
        {"crib", "rehearse " EXAMPLES "scenes/crib.scene.yaml'"},
        {"between", "rehearse " EXAMPLES "scenes/in_between.scene.yaml'"},
        {"stranger", "rehearse " EXAMPLES "scenes/stranger.scene.yaml'"},
        {"stream", "throughput --seconds 1 " WRENCH},
        {"stream_2m", "throughput --seconds 1 --phy 2M " WRENCH},
        {"stream_coded", "throughput --seconds 1 --phy coded-s2 " WRENCH},
        {"stream_lossy", "throughput --seconds 1 --loss 10 " WRENCH},
        {"stream_encrypted", "throughput --seconds 1 --encrypted " WRENCH},
        {"stream_long", "throughput --seconds 1 --packet-length 251 " WRENCH},
    };
    static const char *const definitions[] = {"torque_wrench/torque_wrench", "tool_cabinet/tool_cabinet", "crane/hoist",
                                              "weather_mast/weather_mast"};
    struct ys_design *designs[4];
    struct ys_layout *layouts[4];
    struct ys_names *names = ys_names_new();
    (void)state;
    for (size_t i = 0; i < 4; i++) {
        char path[300];
        (void)snprintf(path, sizeof path, YARNSWIFT_ROOT "/examples/%s.device.yaml", definitions[i]);
        designs[i] = ys_design_open(path);
        layouts[i] = ys_layout_new(designs[i]);
        assert_true(ys_names_add(names, NULL, designs[i], layouts[i]));
    }
    const struct ys_glossary glossary = ys_names_glossary(names);
    const char *folder = scratch_folder("holes");
    char path[400];
    char line[800];
    for (size_t i = 0; i < sizeof captures / sizeof captures[0]; i++) {
        (void)snprintf(path, sizeof path, "%s/%s.pcapng", folder, captures[i].name);
        (void)snprintf(line, sizeof line, "%s --capture '%s'", captures[i].command, path);
        (void)run_command(line);
        try_capture(path, &glossary);
    }
    ys_names_free(names);
    for (size_t i = 0; i < 4; i++) {
        ys_layout_free(layouts[i]);
        ys_design_free(designs[i]);
    }
}

/* figures */

static void watched(struct ys_recorded *recorded)
{
    (void)recorded;
}

/* The figures of one capture with holes, beside those of the whole. */
struct figures {
    struct ys_interval_report interval;
    struct ys_throughput_report stream;
    bool any_interval;
    bool any_stream;
};

static struct figures measure(const struct kept *kept, const struct holes *holes, const struct ys_design *design)
{
    struct figures figures = {.any_stream = false};
    struct holed holed = {.kept = kept, .holes = holes};
    struct ys_throughput_plan plan = {.seconds = 1};
    struct ys_recorded_stream stream = {.handle = 0};
    char problem[YS_PROBLEM_SIZE];
    struct ys_recorded recorded = {.replay = replay, .context = &holed};
    figures.any_interval = ys_interval_of(&recorded, design, NULL, watched, &figures.interval, problem);
    recorded = (struct ys_recorded){.replay = replay, .context = &holed};
    figures.any_stream = ys_throughput_of(&recorded, &stream, &plan, &figures.stream, problem);
    return figures;
}

static void free_figures(struct figures *figures)
{
    ys_advertising_meter_free(&figures->interval.air);
    ys_throughput_free(&figures->stream);
}

static void expect_near(struct figures *whole, struct figures *holed, const char *name, const struct holes *holes)
{
    struct ys_samples *all = &whole->interval.air.intervals_ms;
    struct ys_samples *some = &holed->interval.air.intervals_ms;
    const struct ys_throughput_report *stream = &holed->stream;
    bool good = true;
    if (holed->any_interval && whole->any_interval && some->count > 0)
        good = ys_samples_quantile(some, 0) >= ys_samples_quantile(all, 0) - 0.001 &&
               ys_samples_quantile(some, 1) <= ys_samples_quantile(all, 1) + 0.001;
    if (!good)
        fail_msg("%s, %g missing, seed %llu: intervals %.3f to %.3f ms, not %.3f to %.3f", name, holes->share,
                 (unsigned long long)holes->seed, ys_samples_quantile(some, 0), ys_samples_quantile(some, 1),
                 ys_samples_quantile(all, 0), ys_samples_quantile(all, 1));
    if (!holed->any_stream || !whole->any_stream || holed->stream.shape.value_bytes != whole->stream.shape.value_bytes)
        return;
    bool limit_is_right =
        stream->limit_bps <= 0 || !stream->basis.knows_lengths || fabs(stream->limit_bps - whole->stream.limit_bps) < 1;
    bool interval_is_right =
        stream->shape.interval_us == 0 || stream->shape.interval_us == whole->stream.shape.interval_us;
    if (!limit_is_right || !interval_is_right || stream->values > whole->stream.values || stream->used > 1)
        fail_msg("%s, %g missing, seed %llu: %llu values of %llu, limit %.0f of %.0f bit/s, interval %u us of %u, "
                 "%g used",
                 name, holes->share, (unsigned long long)holes->seed, (unsigned long long)stream->values,
                 (unsigned long long)whole->stream.values, stream->limit_bps, whole->stream.limit_bps,
                 stream->shape.interval_us, whole->stream.shape.interval_us, stream->used);
}

/* What is measured in a capture with holes is what is measured in the whole one, or is said to be unknown. */
static void figures_are_right_or_unknown(void **state)
{
    static const struct {
        const char *name;
        const char *command;
    } captures[] = {
        {"wrench", "demo " WRENCH},
        {"hoist", "demo " EXAMPLES "crane/hoist.device.yaml'"},
        {"stream", "throughput --seconds 1 " WRENCH},
        {"stream_long", "throughput --seconds 1 --packet-length 251 --phy 2M " WRENCH},
        {"stream_lossy", "throughput --seconds 1 --loss 10 " WRENCH},
    };
    static const struct holes all[] = {{.share = 0, .late = 0.3}, {.share = -1},  {.share = 0.01},
                                       {.share = 0.05},           {.share = 0.2}, {.share = 0.5, .late = 0.2}};
    char path[400];
    char line[800];
    (void)state;
    for (size_t i = 0; i < sizeof captures / sizeof captures[0]; i++) {
        struct ys_design *design =
            ys_design_open(i == 1 ? YARNSWIFT_ROOT "/examples/crane/hoist.device.yaml"
                                  : YARNSWIFT_ROOT "/examples/torque_wrench/torque_wrench.device.yaml");
        const struct holes none = {.share = 0};
        (void)snprintf(path, sizeof path, "%s/%s.pcapng", scratch_folder("figures"), captures[i].name);
        (void)snprintf(line, sizeof line, "%s --capture '%s'", captures[i].command, path);
        assert_int_equal(run_command(line).status, 0);
        struct kept kept = read_capture(path);
        struct figures whole = measure(&kept, &none, design);
        assert_true(whole.any_interval && whole.any_stream && whole.stream.limit_bps > 0);
        for (size_t k = 0; k < 60 * sizeof all / sizeof all[0]; k++) {
            struct holes holes = all[k / 60];
            holes.seed = 1 + k;
            holes.damages = k % 2 != 0;
            struct figures figures = measure(&kept, &holes, design);
            expect_near(&whole, &figures, captures[i].name, &holes);
            if (k < 60) /* a late beginning: two seconds tell the interval, and with it the limit */
                assert_true(figures.any_stream && figures.stream.limit_bps > 0 &&
                            !figures.stream.basis.beginning_heard);
            free_figures(&figures);
        }
        free_figures(&whole);
        forget(&kept);
        ys_design_free(design);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(nobody_is_accused_of_what_was_missed),
        cmocka_unit_test(nobody_is_accused_where_pointers_were_missed),
        cmocka_unit_test(figures_are_right_or_unknown),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
