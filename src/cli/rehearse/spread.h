/* Chooses the takes to be played, without those of other shares and those played before, and merges all results. */
#ifndef CLI_REHEARSE_SPREAD_H
#define CLI_REHEARSE_SPREAD_H

#include "cli/rehearse/rehearsal.h"

/* Fills in what is to be played. False after a line. */
bool spread_choose(struct rehearsal *rehearsal);

/* Prints what is not played. */
void spread_say_undone(const struct rehearsal *rehearsal);

/* Stores a take, unless it is broken, without its duration. False after a line. */
bool spread_keep(struct rehearsal *rehearsal, size_t index, json_t *take);

/* Appends all known takes to their scenes, in the order of seeds. */
void spread_gather(struct rehearsal *rehearsal);

void spread_end(struct rehearsal *rehearsal);

#endif
