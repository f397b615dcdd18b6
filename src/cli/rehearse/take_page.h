/* Takes of scenes as a page: the first that failed, or else the first, with all that happened in it. */
#ifndef CLI_REHEARSE_TAKE_PAGE_H
#define CLI_REHEARSE_TAKE_PAGE_H

#include "cli/rehearse/rehearsal.h"

/* Takes what was watched of a take out of it, and keeps it if it is the one to show. `index` is that of the take among
 * all, by scene and seed. */
void take_page_keep(struct rehearsal *rehearsal, size_t index, json_t *take);

/* Writes the page. False after a line. */
bool take_page_write(const struct rehearsal *rehearsal);

#endif
