/* Intervals and times until found as a page. */
#ifndef CLI_INTERVAL_SHEET_H
#define CLI_INTERVAL_SHEET_H

#include "cli/interval/measured.h"
#include "cli/page/page.h"

/* Writes the page; the rest of `page` is filled in. False after a line. */
bool interval_write_page(const char *path, bool replaces, const struct measured *measured, struct page *page);

#endif
