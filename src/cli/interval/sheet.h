/* Intervals and times until found as a page. */
#ifndef CLI_INTERVAL_SHEET_H
#define CLI_INTERVAL_SHEET_H

#include "cli/interval/measured.h"
#include "cli/page/page.h"

/* Writes the page. False after a line. */
bool interval_write_page(const struct common *common, const struct measured *measured);

#endif
