/* A result as a page: one HTML file that needs no other files and no network. The result goes in as JSON, and a script
 * in the page draws it. */
#ifndef CLI_PAGE_PAGE_H
#define CLI_PAGE_PAGE_H

#include <stdbool.h>
#include <stddef.h>

#include <jansson.h>

#include "cli/shared/options.h"

enum page_verdict { PAGE_UNJUDGED, PAGE_GOOD, PAGE_BAD };

struct page {
    const char *verb; /* which drawings it has */
    const char *title;
    enum page_verdict verdict;
    const char *summary; /* the verdict in one sentence */
    json_t *result;      /* as --json prints it; borrowed */
    json_t *more;        /* what only the page has; borrowed, or NULL */
};

/* Keeps the command line, which the page shows. */
void page_command(int argc, char **argv);

/* Writes it to the file that --page names; false after a line. */
bool page_write(const struct common *common, const struct page *page);

/* A text as a JSON string, also when it is not UTF-8; the caller's. */
json_t *page_text(const char *text);

#endif
