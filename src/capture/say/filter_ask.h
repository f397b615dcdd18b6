/* Whether a filter matches. */
#ifndef CAPTURE_SAY_FILTER_ASK_H
#define CAPTURE_SAY_FILTER_ASK_H

#include <stdbool.h>
#include <stdint.h>

#include "capture/say/filter.h"
#include "capture/say/message.h"

/* Whether a message is wanted. Times count from `origin_ns`; `since_ns` is the time since the message before it. */
bool ys_filter_matches(const struct ys_filter *filter, const struct ys_message *message,
                       const struct ys_glossary *glossary, uint64_t origin_ns, uint64_t since_ns);

#endif
