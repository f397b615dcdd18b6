/* Listening at the prompt: who is on the air, with their names, strengths and services. */
#ifndef CLI_EXPLORE_LISTENING_H
#define CLI_EXPLORE_LISTENING_H

#include "cli/explore/explorer.h"

/* listen [TIME] [name TEXT] [service NAME] [at least STRENGTH] */
void listening_run(struct explorer *explorer, const char *rest);

#endif
