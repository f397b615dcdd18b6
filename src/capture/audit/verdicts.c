/* Whether a rule was kept. */
#include "capture/audit/verdicts.h"

#include <stdarg.h>
#include <stdio.h>
#include <string.h>

void audit_cannot_tell(struct ys_audit *audit, enum ys_rule_id rule)
{
    audit->tallies[rule].unknown++;
}

static const char *name_of(const struct ys_seen *seen)
{
    return seen->kind == YS_SEEN_BORDER && seen->said == NULL ? seen->border->name
           : seen->from != NULL                               ? seen->from->name
           : seen->kind == YS_SEEN_LINK                       ? (seen->packet.side == 0 ? "central" : "peripheral")
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

bool audit_judge(struct ys_audit *audit, enum ys_rule_id rule, bool kept, const char *format, ...)
{
    struct ys_tally *tally = &audit->tallies[rule];
    const struct ys_seen *seen = audit->seen;
    va_list arguments;
    if (kept) {
        tally->kept++;
        return true;
    }
    const char *name = name_of(seen);
    if (is_excepted(audit, name))
        return false;
    tally->broken++;
    if (audit->kept_of[rule] == YS_BREACHES_OF_EACH)
        return false;
    audit->kept_of[rule]++;
    struct ys_breach *breach = &audit->breaches[audit->breach_count++];
    *breach = (struct ys_breach){.rule = rule, .record = seen->record->number, .at_ns = seen->record->at_ns};
    (void)snprintf(breach->who, sizeof breach->who, "%s", name);
    va_start(arguments, format);
    (void)vsnprintf(breach->what, sizeof breach->what, format, arguments);
    va_end(arguments);
    return false;
}
