/* Takes of scenes as a page: the first that failed, or else the first, with all that happened in it. */
#ifndef CLI_REHEARSE_TAKE_PAGE_H
#define CLI_REHEARSE_TAKE_PAGE_H

#include "cli/rehearse/rehearsal.h"

/* Removes the watched data from a take, and keeps it if this take is the one to show. `index` is its place among all
 * takes, by scene and seed. */
void take_page_keep(struct rehearsal *rehearsal, size_t index, json_t *take);

/* Writes the page. False after a line. */
bool take_page_write(const struct rehearsal *rehearsal);

#endif
