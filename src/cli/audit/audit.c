/* yarnswift audit: traffic watched against the rules of the standard. */
#include <errno.h>
#include <stdlib.h>
#include <string.h>

#include <jansson.h>

#include "capture/audit/audit.h"
#include "cli/audit/connections.h"
#include "cli/page/page.h"
#include "cli/page/timeline.h"
#include "cli/shared/options.h"
#include "cli/shared/saving.h"
#include "cli/shared/say.h"
#include "cli/shared/source.h"
#include "cli/shared/terminal.h"
#include "cli/shared/verb.h"

/* Breaches of a rule that are told where nothing more is asked for. */
#define SHOWN_USUAL 3

/* Packets of a page that stand before a breach, with its own. */
#define RECENT_KEPT 6

enum key { KEY_RULES = 1, KEY_EXCEPT };

struct input {
    struct source source;
    struct common common;
    const char *only;
    const char *excepted[YS_EXCEPTED_MOST];
    size_t excepted_count;
    bool all;
    bool rules;
};

struct running {
    struct ys_audit *audit;
    struct ys_follower *follower;
    uint64_t records;
    uint64_t first_ns;
    uint64_t last_ns;
    const struct ys_glossary *glossary;
    json_t *packets; /* for a page: of each breach, by its packet's number, that packet and those before; or NULL */
    json_t *recent;  /* the last packets in words */
    size_t breaches; /* whose packets are kept */
};

static error_t parse(int key, char *argument, struct argp_state *state)
{
    struct input *input = state->input;
    switch (key) {
    case 'a':
        input->all = true;
        return 0;
    case KEY_RULES:
        input->rules = true;
        return 0;
    case KEY_EXCEPT:
        if (input->excepted_count < YS_EXCEPTED_MOST) {
            input->excepted[input->excepted_count++] = argument;
            return 0;
        }
        (void)complain(state->argv[0], "--except can be given at most %d times", YS_EXCEPTED_MOST);
        return EINVAL;
    case 'r':
        input->only = argument;
        for (int i = 0; i < YS_RULES; i++) {
            if (strcmp(ys_rules[i].name, argument) == 0)
                return 0;
        }
        (void)complain(state->argv[0], "unknown rule \"%s\"; --rules lists all rules", argument);
        return EINVAL;
    default: {
        error_t taken = source_parse(&input->source, state->argv[0], key, argument);
        return taken == ARGP_ERR_UNKNOWN ? parse_common(key, argument, state, &input->common) : taken;
    }
    }
}

/* the table */

static int print_rules(void)
{
    const char *group = "";
    unsigned count = 0;
    (void)printf(
        "# Rules of the audit\n\n"
        "`yarnswift audit --rules` prints this page from its own table. Clauses are those of the Core Specification "
        "5.4 and its supplement (CSS).\nEach time a rule applies it is kept, broken, or undecided, because something "
        "is missing in the capture: its\nbeginning, a packet, a key. Advice is no violation.\n");
    for (int i = 0; i < YS_RULES; i++) {
        const struct ys_rule *rule = &ys_rules[i];
        if (strcmp(group, rule->group) != 0)
            (void)printf("\n## %s\n\n| rule | clause | requirement | how it is checked |\n|---|---|---|---|\n",
                         rule->group);
        group = rule->group;
        (void)printf("| `%s`%s | %s | %s | %s |\n", rule->name, rule->is_error ? "" : " (advice)", rule->clause,
                     rule->demands, rule->watched);
        count++;
    }
    (void)printf("\n%u rules.\n", count);
    return EXIT_AS_EXPECTED;
}

/* running */

/* Keeps what led to a breach, in words. */
static void keep_packets(struct running *running, const struct ys_seen *seen)
{
    size_t count;
    const struct ys_breach *breaches = ys_audit_breaches(running->audit, &count);
    bool empty = seen->kind == YS_SEEN_LINK && seen->good && seen->packet.data.length == 0;
    bool found = count > running->breaches;
    json_t *packet = empty && !found ? NULL : timeline_packet(seen, running->glossary, running->first_ns);
    if (packet != NULL)
        (void)json_array_append_new(running->recent, packet);
    if (json_array_size(running->recent) > RECENT_KEPT)
        (void)json_array_remove(running->recent, 0);
    for (; running->breaches < count; running->breaches++) {
        char number[24];
        (void)snprintf(number, sizeof number, "%llu", (unsigned long long)breaches[running->breaches].record);
        (void)json_object_set_new(running->packets, number, json_copy(running->recent));
    }
}

static void take_seen(void *context, const struct ys_seen *seen)
{
    struct running *running = context;
    if (running->records++ == 0)
        running->first_ns = seen->record->at_ns < YS_SIMULATED_NS ? 0 : seen->record->at_ns;
    running->last_ns = seen->record->at_ns;
    ys_audit_take(running->audit, seen);
    if (running->packets != NULL)
        keep_packets(running, seen);
}

static bool is_wanted(const struct input *input, enum ys_rule_id rule)
{
    return input->only == NULL || strcmp(input->only, ys_rules[rule].name) == 0;
}

/* as text */

static const char *verdict_of(const struct ys_tally *tally, enum ys_rule_id rule)
{
    if (tally->broken > 0)
        return ys_rules[rule].is_error ? "BROKEN" : "advice";
    return tally->kept > 0 ? "kept" : tally->unknown > 0 ? "undecided" : "not applicable";
}

static void print_breach(const struct running *running, const struct ys_breach *breach)
{
    (void)printf("    packet %llu, %.6f s%s%s: %s\n", (unsigned long long)breach->record,
                 ((double)breach->at_ns - (double)running->first_ns) / 1e9, breach->who[0] != '\0' ? ", " : "",
                 breach->who, breach->what);
}

static void print_broken(const struct input *input, const struct running *running, enum ys_rule_id rule, bool colour)
{
    const struct ys_rule *row = &ys_rules[rule];
    const struct ys_tally *tally = ys_audit_tally(running->audit, rule);
    size_t count;
    const struct ys_breach *breaches = ys_audit_breaches(running->audit, &count);
    uint64_t shown = 0;
    uint64_t most = input->all || input->only != NULL ? YS_BREACHES_OF_EACH : SHOWN_USUAL;
    if (tally->broken == 0 || !is_wanted(input, rule))
        return;
    const char *begin = !colour ? "" : row->is_error ? "\033[1;31m" : "\033[1;34m";
    (void)printf("%s%s: %s%s (%s)\n", begin, row->is_error ? "broken" : "advice", row->name, colour ? "\033[0m" : "",
                 row->clause);
    (void)printf("    %s\n", row->demands);
    for (size_t i = 0; i < count; i++) {
        if (breaches[i].rule == rule && shown < most) {
            print_breach(running, &breaches[i]);
            shown++;
        }
    }
    if (tally->broken > shown)
        (void)printf("    and %llu times more\n", (unsigned long long)(tally->broken - shown));
    (void)printf("    remedy: %s\n\n", row->remedy);
}

static void print_all(const struct input *input, const struct running *running)
{
    (void)printf("  %-24s %-12s %12s %10s %12s\n", "rule", "verdict", "kept", "broken", "undecided");
    for (int i = 0; i < YS_RULES; i++) {
        const struct ys_tally *tally = ys_audit_tally(running->audit, (enum ys_rule_id)i);
        if (is_wanted(input, (enum ys_rule_id)i))
            (void)printf("  %-24s %-12s %12llu %10llu %12llu\n", ys_rules[i].name,
                         verdict_of(tally, (enum ys_rule_id)i), (unsigned long long)tally->kept,
                         (unsigned long long)tally->broken, (unsigned long long)tally->unknown);
    }
    (void)putchar('\n');
}

struct sums {
    unsigned kept;
    unsigned broken;
    unsigned advice;
    unsigned unknown;
    unsigned unmet;
};

/* Of the rules that are asked for. */
static struct sums sum_up(const struct input *input, const struct running *running)
{
    struct sums sums = {.kept = 0};
    for (int i = 0; i < YS_RULES; i++) {
        const struct ys_tally *tally = ys_audit_tally(running->audit, (enum ys_rule_id)i);
        if (!is_wanted(input, (enum ys_rule_id)i))
            continue;
        if (tally->broken > 0 && ys_rules[i].is_error)
            sums.broken++;
        else if (tally->broken > 0)
            sums.advice++;
        else if (tally->kept > 0)
            sums.kept++;
        else if (tally->unknown > 0)
            sums.unknown++;
        else
            sums.unmet++;
    }
    return sums;
}

static double seconds_of(const struct running *running, uint64_t at_ns)
{
    return ((double)at_ns - (double)running->first_ns) / 1e9;
}

/* What this capture cannot show: a recorder that heard nothing at all may not have worked. */
static void print_hole(const struct running *running, const struct ys_hole *hole)
{
    char between[90];
    (void)snprintf(between, sizeof between, "%s and %s", hole->who[0][0] != '\0' ? hole->who[0] : "a central",
                   hole->who[1][0] != '\0' ? hole->who[1] : "a peripheral");
    (void)printf("  %12.6f %12.6f  %6llu  ", seconds_of(running, hole->from_ns), seconds_of(running, hole->to_ns),
                 (unsigned long long)hole->others);
    put_plain(stdout, between);
    if (hole->open > 0)
        (void)printf("; the answer to packet %llu may lie in it", (unsigned long long)hole->open);
    if (hole->mtu)
        (void)printf("%s", hole->open > 0 ? ", and an MTU exchange" : "; an MTU exchange may lie in it");
    (void)putchar('\n');
}

static void print_holes(const struct input *input, const struct running *running)
{
    uint64_t count = ys_audit_hole_count(running->audit);
    const struct ys_hole *holes = ys_audit_holes(running->audit);
    if (count == 0)
        return;
    if (input->all) {
        (void)printf("\n  holes, from     to s           others heard meanwhile, and between whom\n");
        for (uint64_t i = 0; i < count && i < YS_HOLES_MOST; i++)
            print_hole(running, &holes[i]);
        if (count > YS_HOLES_MOST)
            (void)printf("  and %llu more\n", (unsigned long long)(count - YS_HOLES_MOST));
        (void)putchar('\n');
    }
    (void)printf("packets of connections may be missing in %llu place%s, the first at %.6f s: earlier agreements are "
                 "unknown after %s%s\n",
                 (unsigned long long)count, count == 1 ? "" : "s", seconds_of(running, holes[0].from_ns),
                 count == 1 ? "it" : "them", input->all ? "" : "; --all lists them");
}

static void print_text(const struct input *input, const struct running *running)
{
    bool colour = wants_colour(stdout);
    struct sums sums = sum_up(input, running);
    uint64_t damaged = ys_audit_damaged(running->audit);
    uint64_t unreadable = ys_audit_unreadable(running->audit);
    unsigned lossy_logs = ys_audit_lossy_logs(running->audit);
    for (int i = 0; i < YS_RULES; i++)
        print_broken(input, running, (enum ys_rule_id)i, colour);
    if (input->all || input->only != NULL)
        print_all(input, running);
    unsigned joined = count_joined(running->follower);
    if (input->all)
        print_connections(running->follower, running->first_ns);
    (void)printf("%llu packets in %.3f s; %d rule%s: %u broken, %u kept, %u undecided, %u not applicable",
                 (unsigned long long)running->records, ((double)running->last_ns - (double)running->first_ns) / 1e9,
                 input->only != NULL ? 1 : YS_RULES, input->only != NULL ? "" : "s", sums.broken, sums.kept,
                 sums.unknown, sums.unmet);
    (void)printf(sums.advice > 0 ? "; %u give advice\n" : "\n", sums.advice);
    if (damaged > 0)
        (void)printf("%llu packets were damaged and not judged\n", (unsigned long long)damaged);
    if (joined > 0)
        (void)printf("of %u connection%s the beginning is missing: %s\n", joined, joined == 1 ? "" : "s",
                     input->all ? "what was recovered is said above" : "--all says what was recovered");
    print_holes(input, running);
    if (lossy_logs > 0)
        (void)printf("%u HCI log%s ha%s lost packets, as their violations show; these violations are not reported\n",
                     lossy_logs, lossy_logs == 1 ? "" : "s", lossy_logs == 1 ? "s" : "ve");
    if (unreadable > 0)
        (void)printf("%llu packets were encrypted, and their key is not known: give it by --key or --bonds\n",
                     (unsigned long long)unreadable);
}

/* as JSON */

static json_t *rule_json(const struct running *running, enum ys_rule_id rule)
{
    const struct ys_tally *tally = ys_audit_tally(running->audit, rule);
    const struct ys_rule *row = &ys_rules[rule];
    size_t count;
    const struct ys_breach *breaches = ys_audit_breaches(running->audit, &count);
    json_t *list = json_array();
    for (size_t i = 0; i < count; i++) {
        if (breaches[i].rule != rule)
            continue;
        json_t *who = json_string(breaches[i].who);
        (void)json_array_append_new(list,
                                    json_pack("{s:I, s:f, s:o, s:s}", "number", (json_int_t)breaches[i].record,
                                              "time_s", ((double)breaches[i].at_ns - (double)running->first_ns) / 1e9,
                                              "who", who != NULL ? who : json_null(), "what", breaches[i].what));
    }
    return json_pack("{s:s, s:s, s:s, s:s, s:s, s:s, s:I, s:I, s:I, s:o}", "rule", row->name, "severity",
                     row->is_error ? "error" : "advice", "verdict", verdict_of(tally, rule), "clause", row->clause,
                     "demands", row->demands, "remedy", row->remedy, "kept", (json_int_t)tally->kept, "broken",
                     (json_int_t)tally->broken, "unknown", (json_int_t)tally->unknown, "breaches", list);
}

static json_t *holes_json(const struct running *running)
{
    uint64_t count = ys_audit_hole_count(running->audit);
    const struct ys_hole *holes = ys_audit_holes(running->audit);
    json_t *list = json_array();
    for (uint64_t i = 0; i < count && i < YS_HOLES_MOST; i++) {
        const struct ys_hole *hole = &holes[i];
        json_t *whos[2];
        for (int side = 0; side < 2; side++) {
            whos[side] = hole->who[side][0] != '\0' ? json_string(hole->who[side]) : json_null();
            whos[side] = whos[side] != NULL ? whos[side] : json_null();
        }
        (void)json_array_append_new(
            list, json_pack("{s:f, s:f, s:I, s:I, s:o, s:o, s:o, s:b}", "from_s", seconds_of(running, hole->from_ns),
                            "to_s", seconds_of(running, hole->to_ns), "number", (json_int_t)hole->record,
                            "others_heard", (json_int_t)hole->others, "central", whos[0], "peripheral", whos[1],
                            "open_request", hole->open > 0 ? json_integer((json_int_t)hole->open) : json_null(),
                            "may_hide_mtu_exchange", hole->mtu));
    }
    return json_pack("{s:I, s:o}", "count", (json_int_t)count, "first", list);
}

/* The caller's. */
static json_t *result_json(const struct input *input, const struct running *running)
{
    struct sums sums = sum_up(input, running);
    json_t *rules = json_array();
    for (int i = 0; i < YS_RULES; i++) {
        if (is_wanted(input, (enum ys_rule_id)i))
            (void)json_array_append_new(rules, rule_json(running, (enum ys_rule_id)i));
    }
    return json_pack(
        "{s:s, s:I, s:f, s:i, s:i, s:i, s:i, s:i, s:I, s:i, s:I, s:o, s:o, s:o}", "kind", "audit", "packets",
        (json_int_t)running->records, "seconds", ((double)running->last_ns - (double)running->first_ns) / 1e9, "broken",
        sums.broken, "kept", sums.kept, "unknown", sums.unknown, "no_occasion", sums.unmet, "advice", sums.advice,
        "damaged_packets", (json_int_t)ys_audit_damaged(running->audit), "lossy_logs",
        (int)ys_audit_lossy_logs(running->audit), "unreadable_packets", (json_int_t)ys_audit_unreadable(running->audit),
        "connections", connections_json(running->follower, running->first_ns), "holes", holes_json(running), "rules",
        rules);
}

static void print_json(const struct input *input, const struct running *running)
{
    json_t *root = result_json(input, running);
    (void)json_dumpf(root, stdout, JSON_INDENT(2) | JSON_REAL_PRECISION(12));
    (void)putchar('\n');
    json_decref(root);
}

/* as a page */

static bool write_page(const struct input *input, const struct running *running)
{
    char summary[300];
    struct sums sums = sum_up(input, running);
    (void)snprintf(summary, sizeof summary,
                   "%llu packets; %u rules broken, %u kept, %u undecided, %u not applicable.%s",
                   (unsigned long long)running->records, sums.broken, sums.kept, sums.unknown, sums.unmet,
                   input->source.failed ? " The scene itself failed." : "");
    json_t *result = result_json(input, running);
    json_t *more = json_pack("{s:O}", "packets", running->packets);
    const struct page page = {.verb = "audit",
                              .title = input->common.files.paths[0],
                              .verdict = sums.broken > 0 || input->source.failed ? PAGE_BAD : PAGE_GOOD,
                              .summary = summary,
                              .result = result,
                              .more = more};
    bool good = page_write(&input->common, &page);
    json_decref(result);
    json_decref(more);
    return good;
}

static int run(struct input *input, const char *who)
{
    struct running running = {.audit = ys_audit_new(&input->source.glossary), .glossary = &input->source.glossary};
    if (input->common.page != NULL) {
        running.packets = json_object();
        running.recent = json_array();
    }
    running.follower = ys_follower_new(take_seen, &running);
    bool good = running.audit != NULL && running.follower != NULL;
    bool broken = false;
    if (!good) {
        (void)complain(who, "there is no memory for it");
    } else {
        for (size_t i = 0; i < input->excepted_count; i++)
            (void)ys_audit_except(running.audit, input->excepted[i]);
        *ys_follower_keys(running.follower) = input->source.keys;
        good = source_run(&input->source, ys_follower_take, running.follower);
        source_end(&input->source);
        ys_audit_end(running.audit);
        broken = sum_up(input, &running).broken > 0;
    }
    if (good && running.records == 0)
        (void)complain(who, "there is no packet in it");
    if (good && input->common.json)
        print_json(input, &running);
    else if (good)
        print_text(input, &running);
    good = good && (input->common.page == NULL || write_page(input, &running));
    json_decref(running.packets);
    json_decref(running.recent);
    ys_follower_free(running.follower);
    ys_audit_free(running.audit);
    return !good ? EXIT_BAD_INPUT : broken || input->source.failed ? EXIT_UNEXPECTED : EXIT_AS_EXPECTED;
}

int verb_audit(int argc, char **argv)
{
    static const struct argp_option options[] = {
        {"rule", 'r', "RULE", 0, "Report this rule only", 0},
        {"except", KEY_EXCEPT, "NAME", 0, "Ignore what this device does wrong; may be repeated", 0},
        {"all", 'a', NULL, 0,
         "Also list every rule with its counts, the connections, and the places where packets may be missing; report "
         "more violations of each rule",
         0},
        {"rules", KEY_RULES, NULL, 0, "Print the table of rules as Markdown, and audit nothing", 0},
        SOURCE_OPTIONS,
        PAGE_OPTION,
        REPLACE_OPTION,
        {"json", 'j', NULL, 0, "Print the result as JSON", 0},
        {0}};
    static const struct argp argp = {
        .options = options,
        .parser = parse,
        .args_doc = "CAPTURE...|SCENE",
        .doc = "Checks the traffic of captures, or of a scene that it plays, against the rules of the standard. Each "
               "violation is printed with its packet, its clause and a remedy. A definition adds checks of formats, "
               "ranges and rights.\vExit status: 0 no violation, 1 a violation, or the scene failed, 2 a capture, a "
               "scene or an option is wrong.",
    };
    static struct input input;
    input = (struct input){.only = NULL};
    input.source.seed = 1;
    if (!parse_options(&argp, argc, argv, &input))
        return EXIT_BAD_INPUT;
    if (input.rules)
        return print_rules();
    if (!saving_is_free(input.common.page, input.common.replaces))
        return EXIT_BAD_INPUT;
    int status = source_open(&input.source, argv[0], &input.common.files) ? run(&input, argv[0]) : EXIT_BAD_INPUT;
    source_close(&input.source);
    return status;
}
