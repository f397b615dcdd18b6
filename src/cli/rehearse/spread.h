/* Which takes are to be played, of those that others play or that were played before; and all of them together. */
#ifndef CLI_REHEARSE_SPREAD_H
#define CLI_REHEARSE_SPREAD_H

#include "cli/rehearse/rehearsal.h"

/* Fills in what is to be played. False after a line. */
bool spread_choose(struct rehearsal *rehearsal);

/* Prints what is not played. */
void spread_say_undone(const struct rehearsal *rehearsal);

/* Keeps a take that is not broken, but for how long it took. False after a line. */
bool spread_keep(struct rehearsal *rehearsal, size_t index, json_t *take);

/* Puts all takes that are known behind their scenes, in the order of their seeds. */
void spread_gather(struct rehearsal *rehearsal);

void spread_end(struct rehearsal *rehearsal);

#endif
