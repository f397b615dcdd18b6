/* What a line at the prompt could go on with. */
#ifndef CLI_EXPLORE_COMPLETION_H
#define CLI_EXPLORE_COMPLETION_H

#include <stddef.h>

/* Completes a line, for struct prompt_owner; the context is the explorer. */
size_t explore_complete(void *context, const char *line, size_t *from, const char **words, size_t most);

#endif
