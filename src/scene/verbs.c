/* What steps do, as scenes say it. */
#include "scene/verbs.h"

#include <string.h>

static const char *const verb_words[YS_VERBS] = {
    [YS_VERB_NONE] = "nothing",
    [YS_VERB_FIND] = "find",
    [YS_VERB_FIND_SERVICE] = "find service",
    [YS_VERB_FIND_ADDRESS] = "find address",
    [YS_VERB_CONNECT] = "connect",
    [YS_VERB_DISCONNECT] = "disconnect",
    [YS_VERB_DISCOVER] = "discover",
    [YS_VERB_READ] = "read",
    [YS_VERB_WRITE] = "write",
    [YS_VERB_SUBSCRIBE] = "subscribe",
    [YS_VERB_UNSUBSCRIBE] = "unsubscribe",
    [YS_VERB_PAIR] = "pair",
    [YS_VERB_FORGET] = "forget",
    [YS_VERB_TOUCH] = "touch",
    [YS_VERB_NONSENSE] = "send garbage",
    [YS_VERB_ADVERTISE] = "advertise",
    [YS_VERB_EXPECT] = "expect",
    [YS_VERB_EXPECT_NONE] = "expect none",
    [YS_VERB_EXPECT_LOG] = "expect log",
    [YS_VERB_EXPECT_NO_LOG] = "expect no log",
    [YS_VERB_EXPECT_DISCONNECTION] = "expect disconnection",
    [YS_VERB_SET] = "set",
    [YS_VERB_POWER] = "power",
    [YS_VERB_STORE] = "store",
    [YS_VERB_WALK] = "walk",
    [YS_VERB_JAM] = "jam",
    [YS_VERB_WAIT] = "wait",
    [YS_VERB_AT_ONCE] = "parallel",
    [YS_VERB_REPEAT] = "repeat",
    [YS_VERB_STEPS] = "steps",
    [YS_VERB_END] = "end",
};

const char *ys_verb_word(int verb)
{
    return verb_words[verb];
}

int ys_verb_named(const char *word)
{
    for (int verb = YS_VERB_FIND; verb < YS_VERBS; verb++) {
        if (strcmp(verb_words[verb], word) == 0)
            return verb;
    }
    return YS_VERB_NONE;
}

const char *ys_reason_next(const char *reasons, char *reason, size_t size)
{
    static const char between[] = " or ";
    const char *end = strstr(reasons, between);
    size_t length = end != NULL ? (size_t)(end - reasons) : strlen(reasons);
    if (length >= size)
        length = size - 1;
    memcpy(reason, reasons, length);
    reason[length] = '\0';
    return end != NULL ? end + strlen(between) : NULL;
}

bool ys_reason_is(const char *reasons, const char *came)
{
    char reason[200];
    if (strcmp(reasons, YS_ANY_REASON) == 0 || strstr(came, reasons) != NULL) /* some have an "or" in them */
        return true;
    while (reasons != NULL) {
        reasons = ys_reason_next(reasons, reason, sizeof reason);
        if (reason[0] != '\0' && strstr(came, reason) != NULL)
            return true;
    }
    return false;
}
