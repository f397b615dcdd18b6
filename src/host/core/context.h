/* From where a call comes, in debug builds. */
#ifndef HOST_CORE_CONTEXT_H
#define HOST_CORE_CONTEXT_H

#include <yarnswift/host.h>

/* Whether a call comes from an interrupt, where it is not allowed; if so, it is logged. */
bool ys_in_interrupt(const struct ys_host *host, const char *call);

/* Leaves a function that must not be called from an interrupt. */
#define YS_NOT_IN_INTERRUPT(host, call)                                                                                \
    do {                                                                                                               \
        if (YS_DEBUG && ys_in_interrupt(host, call))                                                                   \
            return YS_ERROR_CONTEXT;                                                                                   \
    } while (0)

#endif
