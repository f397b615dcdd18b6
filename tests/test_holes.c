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
    if ((kept->count & (kept->count - 1)) == 0) { /* twice as many as before */
        size_t room = kept->count > 0 ? 2 * kept->count : 1;
        kept->records = realloc(kept->records, room * sizeof *kept->records);
        kept->bytes = realloc(kept->bytes, room * sizeof *kept->bytes);
    }
    uint8_t *bytes = malloc(record->length + 1);
    if (kept->records == NULL || kept->bytes == NULL || bytes == NULL)
        abort();
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
    double share;      /* of the packets on the air; below 0: one */
    double late;       /* the share of the capture that is missing at its beginning */
    uint64_t step_ns;  /* to which times are rounded; 0: they are not */
    uint64_t apart_ns; /* the clocks of three recorders, each of which hears every third channel */
    bool damages;      /* instead of leaving them out */
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
        if (holes->apart_ns > 0 && record.kind == YS_RECORD_AIR) {
            record.device = (uint16_t)(100 + record.air.channel % 3);
            record.at_ns += record.air.channel % 3 * holes->apart_ns;
            record.air.start_ns = record.at_ns;
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
    unsigned long draws = draws_text != NULL ? strtoul(draws_text, NULL, 10) : getenv("YARNSWIFT_FEW") != NULL ? 1 : 4;
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
    for (uint64_t apart_ns = 5000; apart_ns <= 5000000; apart_ns *= 10) {
        const struct holes merged = {.apart_ns = apart_ns, .seed = 1};
        struct ys_audit *audit = audit_with_holes(&kept, &merged, glossary);
        expect_no_breach(audit, path, &merged);
        ys_audit_free(audit);
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
        {"stream_channel", "throughput --seconds 1 --carrier channel " WRENCH},
        {"stream_both", "throughput --seconds 1 --carrier commands --both-ways " WRENCH},
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

/* faults */

/* What a packet on the air is, for those who spoil it. */
static bool is_advertising(const struct ys_record *record, unsigned type)
{
    return record->air.access_address == YS_LINK_ADVERTISING_ACCESS_ADDRESS && (record->air.pdu[0] & 0x0fu) == type &&
           record->air.channel >= 37;
}

static bool is_of_link(const struct ys_record *record)
{
    return record->air.access_address != YS_LINK_ADVERTISING_ACCESS_ADDRESS;
}

static bool is_sent_by(const struct ys_record *record, enum ys_air_side side)
{
    return is_of_link(record) && record->air.side == side;
}

static bool is_control(const struct ys_record *record, uint8_t opcode)
{
    return is_of_link(record) && (record->air.pdu[0] & 3) == YS_LINK_CONTROL && record->air.pdu[2] == opcode;
}

/* An attribute PDU in one packet. */
static bool is_attribute(const struct ys_record *record, uint8_t opcode)
{
    const uint8_t *pdu = record->air.pdu;
    return is_of_link(record) && (pdu[0] & 3) == YS_LINK_FIRST && pdu[1] > 4 && pdu[4] == YS_L2CAP_ATT && pdu[5] == 0 &&
           pdu[6] == opcode;
}

static void delay(struct ys_record *record, uint64_t us)
{
    record->at_ns += us * 1000;
    record->air.start_ns = record->at_ns;
}

static void spoil_request_time(struct ys_record *record)
{
    if (is_advertising(record, YS_LINK_SCAN_REQ))
        delay(record, 4);
}

static void spoil_response_time(struct ys_record *record)
{
    if (is_advertising(record, YS_LINK_SCAN_RSP))
        delay(record, 4);
}

static void spoil_phy(struct ys_record *record)
{
    if (is_advertising(record, YS_LINK_ADV_IND))
        record->air.phy = YS_PHY_2M;
}

static void spoil_channel_of_advertising(struct ys_record *record)
{
    if (is_advertising(record, YS_LINK_ADV_IND) && record->air.channel == 38)
        record->air.channel = 12;
}

static void spoil_form(struct ys_record *record)
{
    if (is_advertising(record, YS_LINK_SCAN_RSP))
        record->air.pdu[1] = 3;
}

static void spoil_address(struct ys_record *record)
{
    if (is_advertising(record, YS_LINK_ADV_IND))
        record->air.pdu[7] = 0x9f;
}

static void spoil_flags(struct ys_record *record)
{
    if (is_advertising(record, YS_LINK_ADV_IND) && record->air.pdu[9] == 1)
        record->air.pdu[10] |= 3;
}

static void spoil_structures(struct ys_record *record)
{
    if (is_advertising(record, YS_LINK_ADV_IND))
        record->air.pdu[8] = 60;
}

/* A connect request has its hop increment in its last byte, its timeout, latency and interval before its map. */
static void spoil_hop(struct ys_record *record)
{
    if (is_advertising(record, YS_LINK_CONNECT_IND))
        record->air.pdu[35] = (uint8_t)(record->air.pdu[35] & 0xe0) | 3;
}

static void spoil_latency(struct ys_record *record)
{
    if (is_advertising(record, YS_LINK_CONNECT_IND))
        record->air.pdu[27] = 3;
}

static void spoil_timeout(struct ys_record *record)
{
    if (is_advertising(record, YS_LINK_CONNECT_IND))
        record->air.pdu[28] = record->air.pdu[29] = 0;
}

static void spoil_map(struct ys_record *record)
{
    if (is_advertising(record, YS_LINK_CONNECT_IND))
        record->air.pdu[34] |= 0xe0;
}

static void spoil_space(struct ys_record *record)
{
    if (is_sent_by(record, YS_AIR_PERIPHERAL))
        delay(record, 4);
}

static void spoil_channel(struct ys_record *record)
{
    if (is_of_link(record))
        record->air.channel = 38;
}

static void spoil_kind(struct ys_record *record)
{
    if (is_sent_by(record, YS_AIR_PERIPHERAL) && record->air.pdu[1] == 0)
        record->air.pdu[0] &= 0xfc;
}

static void spoil_length_request(struct ys_record *record)
{
    if (is_control(record, YS_LINK_LENGTH_REQ) || is_control(record, YS_LINK_LENGTH_RSP))
        record->air.pdu[3] = 20;
}

static void spoil_mtu(struct ys_record *record)
{
    if (is_attribute(record, YS_ATT_MTU_REQUEST) || is_attribute(record, YS_ATT_MTU_RESPONSE))
        record->air.pdu[7] = 5;
}

static void spoil_reading(struct ys_record *record)
{
    if (is_attribute(record, 0x08)) /* read by type: the last handle before the first */
        record->air.pdu[9] = record->air.pdu[10] = 0;
}

static void spoil_error(struct ys_record *record)
{
    if (is_attribute(record, 0x01))
        record->air.pdu[record->air.pdu[1] + 1] = 0x60;
}

static void spoil_frame_channel(struct ys_record *record)
{
    if (is_attribute(record, YS_ATT_NOTIFICATION))
        record->air.pdu[4] = 0x21;
}

static void spoil_end(struct ys_record *record)
{
    if (is_control(record, YS_LINK_TERMINATE_IND))
        record->air.pdu[3] = 0;
}

static void spoil_crc(struct ys_record *record)
{
    if (is_sent_by(record, YS_AIR_CENTRAL))
        record->air.crc ^= 1;
}

struct fault {
    enum ys_rule_id rule;
    void (*spoil)(struct ys_record *record);
};

static const struct fault faults[] = {
    {YS_RULE_REQUEST_TIME, spoil_request_time},
    {YS_RULE_RESPONSE_TIME, spoil_response_time},
    {YS_RULE_LEGACY_ON_1M, spoil_phy},
    {YS_RULE_LEGACY_ON_PRIMARY, spoil_channel_of_advertising},
    {YS_RULE_ADVERTISING_FORM, spoil_form},
    {YS_RULE_ADDRESS_FORM, spoil_address},
    {YS_RULE_FLAGS_MEANING, spoil_flags},
    {YS_RULE_STRUCTURES, spoil_structures},
    {YS_RULE_HOP, spoil_hop},
    {YS_RULE_CONNECT_LATENCY, spoil_latency},
    {YS_RULE_CONNECT_TIMEOUT, spoil_timeout},
    {YS_RULE_CONNECT_MAP, spoil_map},
    {YS_RULE_INTER_FRAME_SPACE, spoil_space},
    {YS_RULE_LINK_CHANNEL, spoil_channel},
    {YS_RULE_DATA_FORM, spoil_kind},
    {YS_RULE_LENGTH_RANGE, spoil_length_request},
    {YS_RULE_MTU_LEAST, spoil_mtu},
    {YS_RULE_RANGE_ORDER, spoil_reading},
    {YS_RULE_ERROR_CODE, spoil_error},
    {YS_RULE_FRAME_CHANNEL, spoil_frame_channel},
    {YS_RULE_END_REASON, spoil_end},
    {YS_RULE_CRC_FLAG, spoil_crc},
};

static const struct fault *spoiling;
static struct ys_follower *spoiled;
static uint32_t crc_init;

/* What is spoiled is sent with a CRC that fits, but where that is what is spoiled. */
static void take_spoiled(void *context, const struct ys_record *record)
{
    struct ys_record other = *record;
    uint32_t crc = record->air.crc;
    (void)context;
    if (record->kind == YS_RECORD_AIR) {
        spoiling->spoil(&other);
        bool same_crc = other.air.crc == crc;
        if (is_advertising(record, YS_LINK_CONNECT_IND))
            crc_init = record->air.pdu[18] | (uint32_t)record->air.pdu[19] << 8 | (uint32_t)record->air.pdu[20] << 16;
        uint32_t init = is_of_link(record) ? crc_init : YS_LINK_ADVERTISING_CRC_INIT;
        if (same_crc)
            other.air.crc = ys_link_crc(init, other.air.pdu, other.air.length);
    }
    ys_follower_take(spoiled, &other);
}

static void what_is_broken_is_found_with_one_in_a_hundred_missing(void **state)
{
    char path[400];
    char line[800];
    struct ys_names *names = ys_names_new();
    const struct ys_glossary glossary = ys_names_glossary(names);
    (void)state;
    (void)snprintf(path, sizeof path, "%s/faults.pcapng", scratch_folder("faults"));
    (void)snprintf(line, sizeof line, "throughput --seconds 1 --packet-length 251 --mtu 100 " WRENCH " --capture '%s'",
                   path);
    assert_int_equal(run_command(line).status, 0);
    struct kept kept = read_capture(path);
    (void)snprintf(line, sizeof line, "demo " WRENCH " --replace --capture '%s'", path);
    assert_int_equal(run_command(line).status, 0);
    struct kept demo = read_capture(path);
    for (size_t i = 0; i < sizeof faults / sizeof faults[0]; i++) {
        bool found = false;
        for (uint64_t seed = 1; seed <= 6 && !found; seed++) { /* what is there once may be what is missing */
            const struct holes holes = {.share = 0.01, .seed = seed};
            struct holed holed = {.kept = seed % 2 != 0 ? &demo : &kept, .holes = &holes};
            struct ys_audit *audit = ys_audit_new(&glossary);
            spoiling = &faults[i];
            spoiled = ys_follower_new(ys_audit_take, audit);
            (void)replay(&holed, take_spoiled, NULL);
            ys_audit_end(audit);
            found = ys_audit_tally(audit, faults[i].rule)->broken > 0;
            ys_follower_free(spoiled);
            ys_audit_free(audit);
        }
        if (!found)
            fail_msg("%s is not found", ys_rules[faults[i].rule].name);
    }
    forget(&kept);
    forget(&demo);
    ys_names_free(names);
}

static void ignore(void *context, uint64_t offset, const char *text)
{
    (void)context;
    (void)offset;
    (void)text;
}

/* A file that ends anywhere, also within a packet, accuses nobody. */
static void a_capture_may_be_cut_at_every_byte(void **state)
{
    static uint8_t bytes[3000];
    char path[400];
    char line[800];
    struct ys_names *names = ys_names_new();
    const struct ys_glossary glossary = ys_names_glossary(names);
    (void)state;
    (void)snprintf(path, sizeof path, "%s/cut.pcapng", scratch_folder("cut"));
    (void)snprintf(line, sizeof line, "throughput --seconds 1 --phy 2M " WRENCH " --capture '%s'", path);
    assert_int_equal(run_command(line).status, 0);
    FILE *whole = fopen(path, "rb");
    assert_non_null(whole);
    size_t size = fread(bytes, 1, sizeof bytes, whole);
    (void)fclose(whole);
    assert_int_equal(size, sizeof bytes);
    for (size_t length = 1; length <= size; length++) {
        char error[300];
        struct ys_record record;
        const struct holes holes = {.seed = length};
        bool is_audited = length % 24 == 0; /* about once in each packet */
        FILE *part = fmemopen(bytes, length, "rb");
        struct ys_capture *capture = ys_capture_new(part, false, ignore, NULL, error, sizeof error);
        struct ys_audit *audit = is_audited ? ys_audit_new(&glossary) : NULL;
        struct ys_follower *follower = is_audited ? ys_follower_new(ys_audit_take, audit) : NULL;
        while (capture != NULL && ys_capture_next(capture, &record)) {
            if (is_audited)
                ys_follower_take(follower, &record);
        }
        if (is_audited) {
            ys_audit_end(audit);
            expect_no_breach(audit, path, &holes);
        }
        ys_follower_free(follower);
        ys_audit_free(audit);
        ys_capture_free(capture);
    }
    ys_names_free(names);
}

/* figures */

#define FIGURE_DRAWS 6 /* of each way to lose packets */

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
        for (size_t k = 0; k < FIGURE_DRAWS * sizeof all / sizeof all[0]; k++) {
            struct holes holes = all[k / FIGURE_DRAWS];
            if (k % 3 != 0 && getenv("YARNSWIFT_FEW") != NULL)
                continue;
            holes.seed = 1 + k;
            holes.damages = k % 2 != 0;
            struct figures figures = measure(&kept, &holes, design);
            expect_near(&whole, &figures, captures[i].name, &holes);
            if (k < FIGURE_DRAWS) /* a late beginning: two seconds tell the interval, and with it the limit */
                assert_true(figures.any_stream && figures.stream.limit_bps > 0 &&
                            !figures.stream.basis.beginning_heard);
            free_figures(&figures);
        }
        free_figures(&whole);
        forget(&kept);
        ys_design_free(design);
    }
}

/* A silence is told with what others sent meanwhile: of a device that stopped, and while nobody was heard. */
static void a_silence_is_told_with_what_others_sent(void **state)
{
    (void)state;
    for (int others = 0; others < 2; others++) {
        struct ys_advertising_meter meter = {.interval_max_ns = 100000000};
        const struct ys_address other = {.bytes = {9, 9, 9, 9, 9, 0xc9}, .type = 1};
        meter.advertiser = (struct ys_address){.bytes = {1, 2, 3, 4, 5, 0xc6}, .type = 1};
        for (uint64_t at_ms = 0; at_ms <= 5000; at_ms += 100) {
            bool silent = at_ms >= 1000 && at_ms <= 4000;
            struct ys_link_advertising pdu = {.type = YS_LINK_ADV_IND, .sender = meter.advertiser};
            struct ys_air_packet packet = {.start_ns = at_ms * 1000000,
                                           .channel = 37,
                                           .access_address = YS_LINK_ADVERTISING_ACCESS_ADDRESS,
                                           .crc_good = true};
            pdu.sender = silent ? other : meter.advertiser;
            if (silent && others == 0)
                continue;
            struct ys_writer writer = ys_writer_to(packet.pdu, sizeof packet.pdu);
            ys_put_link_advertising(&writer, &pdu);
            packet.length = (uint16_t)ys_writer_stored(&writer);
            packet.duration_ns = ys_link_duration_ns(YS_PHY_1M, packet.length);
            ys_advertising_meter_take(&meter, &packet);
            if (silent)
                ys_advertising_meter_other(&meter); /* and a packet of a connection */
        }
        ys_advertising_meter_end(&meter, UINT64_C(5000500000));
        assert_int_equal(meter.silence, YS_SILENCE_STOPPED);
        assert_int_equal(meter.silence_others, others != 0 ? 62 : 0);
        ys_advertising_meter_free(&meter);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(nobody_is_accused_of_what_was_missed),
        cmocka_unit_test(nobody_is_accused_where_pointers_were_missed),
        cmocka_unit_test(what_is_broken_is_found_with_one_in_a_hundred_missing),
        cmocka_unit_test(a_capture_may_be_cut_at_every_byte),
        cmocka_unit_test(figures_are_right_or_unknown),
        cmocka_unit_test(a_silence_is_told_with_what_others_sent),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
