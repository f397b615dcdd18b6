/* What becomes of connections, in words for the log. */
#ifndef WORLD_LINK_WORDS_H
#define WORLD_LINK_WORDS_H

#include <yarnswift/host.h>

/* An event of links; NULL if it is none. */
const char *ys_link_say(const struct ys_event *event, char *text, size_t size);

#endif
