/* Whether a rule was kept. */
#include "capture/audit/verdicts.h"

#include <stdarg.h>
#include <stdio.h>
#include <string.h>

/* A log that breaks this number of the rules that missing packets break has missing packets. */
#define LOST_KINDS 3

void audit_cannot_tell(struct ys_audit *audit, enum ys_rule_id rule)
{
    audit->tallies[rule].unknown++;
}

static const char *name_of(const struct ys_seen *seen)
{
    return seen->kind == YS_SEEN_HCI && seen->said == NULL ? seen->interface->name
           : seen->from != NULL                            ? seen->from->name
           : seen->kind == YS_SEEN_LINK                    ? (seen->packet.side == 0 ? "central" : "peripheral")
                                                           : "";
}

static bool is_excepted(const struct ys_audit *audit, const char *name)
{
    for (size_t i = 0; i < audit->excepted_count; i++) {
        if (strcmp(audit->excepted[i], name) == 0)
            return true;
    }
    return false;
}

static uint16_t interface_number(const struct ys_seen *seen)
{
    bool counted = seen->kind == YS_SEEN_HCI && seen->record->device < AUDITED_INTERFACES;
    return counted ? seen->record->device : 0;
}

/* Rules that a log with missing packets seems to break. */
static bool is_of_logs(enum ys_rule_id rule)
{
    static const enum ys_rule_id rules[] = {YS_RULE_COMMAND_CREDIT, YS_RULE_COMMAND_ASKED, YS_RULE_COMPLETED_FITS,
                                            YS_RULE_DATA_KNOWN,     YS_RULE_FRAME_BEGIN,   YS_RULE_FRAME_END,
                                            YS_RULE_ANSWER_ASKED,   YS_RULE_REQUEST_ONE,   YS_RULE_PAIRING_ORDER};
    for (size_t i = 0; i < sizeof rules / sizeof rules[0]; i++) {
        if (rules[i] == rule)
            return true;
    }
    return false;
}

/* Removes all violations found at this interface: the tallies, and the breaches that are kept. */
static void take_back(struct ys_audit *audit, uint16_t interface)
{
    uint32_t *broken = audit->interfaces[interface].broken;
    size_t kept = 0;
    for (int rule = 0; rule < YS_RULES; rule++) {
        audit->tallies[rule].broken -= broken[rule];
        audit->tallies[rule].unknown += broken[rule];
        broken[rule] = 0;
    }
    for (size_t i = 0; i < audit->breach_count; i++) {
        if (audit->breaches[i].interface != interface)
            audit->breaches[kept++] = audit->breaches[i];
        else
            audit->kept_of[audit->breaches[i].rule]--;
    }
    audit->breach_count = kept;
}

void audit_forgive_logs(struct ys_audit *audit)
{
    for (uint16_t interface = 1; interface < AUDITED_INTERFACES; interface++) {
        unsigned kinds = 0;
        for (int rule = 0; rule < YS_RULES; rule++)
            kinds += audit->interfaces[interface].broken[rule] > 0 && is_of_logs((enum ys_rule_id)rule);
        if (kinds < LOST_KINDS)
            continue;
        take_back(audit, interface);
        audit->lossy_logs++;
    }
}

bool audit_judge(struct ys_audit *audit, enum ys_rule_id rule, bool kept, const char *format, ...)
{
    struct ys_tally *tally = &audit->tallies[rule];
    const struct ys_seen *seen = audit->seen;
    va_list arguments;
    if (kept) {
        tally->kept++;
        return true;
    }
    if (ys_rules[rule].is_fine && audit->rounded_ns > YS_FINE_NS) {
        tally->unknown++;
        return false;
    }
    const char *name = name_of(seen);
    if (is_excepted(audit, name))
        return false;
    tally->broken++;
    uint16_t interface = interface_number(seen);
    if (interface > 0)
        audit->interfaces[interface].broken[rule]++;
    if (audit->kept_of[rule] == YS_BREACHES_OF_EACH)
        return false;
    audit->kept_of[rule]++;
    struct ys_breach *breach = &audit->breaches[audit->breach_count++];
    *breach = (struct ys_breach){
        .rule = rule, .record = seen->record->number, .at_ns = seen->record->at_ns, .interface = interface};
    (void)snprintf(breach->who, sizeof breach->who, "%s", name);
    va_start(arguments, format);
    (void)vsnprintf(breach->what, sizeof breach->what, format, arguments);
    va_end(arguments);
    return false;
}
