/* A result as a page: one HTML file that needs no other files and no network. The result goes in as JSON, and a script
 * in the page draws it. */
#ifndef CLI_PAGE_PAGE_H
#define CLI_PAGE_PAGE_H

#include <stdbool.h>
#include <stddef.h>

#include <jansson.h>

/* The option, as a row of a verb's table. */
/* clang-format off */
#define PAGE_OPTION                                                                                                    \
    {"page", PAGE_FILE, "FILE", 0, "Also write the result to FILE, an HTML page that needs no other files", 0}
/* clang-format on */

enum page_key { PAGE_FILE = 0x2c0 };

enum page_verdict { PAGE_UNJUDGED, PAGE_GOOD, PAGE_BAD };

struct page {
    const char *verb; /* which drawings it has */
    const char *title;
    enum page_verdict verdict;
    const char *summary; /* the verdict in one sentence */
    json_t *result;      /* as --json prints it; borrowed */
    json_t *more;        /* what only the page has; borrowed, or NULL */
    char *const *paths;  /* files that were named: the texts of definitions and scenes are shown */
    size_t path_count;
};

/* Keeps the command line, which the page shows. */
void page_command(int argc, char **argv);

/* Whether the page can be made, as far as can be known before; false after a line. `path` may be NULL. */
bool page_is_free(const char *path, bool replaces);

/* Writes it; false after a line. */
bool page_write(const char *path, bool replaces, const struct page *page);

/* A text as a JSON string, also when it is not UTF-8; the caller's. */
json_t *page_text(const char *text);

#endif
