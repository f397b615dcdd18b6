/* Definitions, read and checked. */
#include "design/open.h"

#include <stdlib.h>

#include "design/checking/check.h"
#include "design/reading/files.h"
#include "design/reading/read.h"

#define DEFINITION_MOST (16u << 20)

struct ys_design *ys_design_read(const char *file, const char *text, size_t length, ys_load_fn *load,
                                 void *load_context)
{
    bool whole = false;
    struct ys_design *design = ys_definition_read(file, text, length, load, load_context, &whole);
    if (whole)
        ys_design_check(design);
    ys_findings_sort(&design->findings);
    return design;
}

/* What a definition includes is read as it is itself. */
static char *load(void *context, const char *path, size_t *length)
{
    (void)context;
    return ys_file_read(path, DEFINITION_MOST, length);
}

struct ys_design *ys_design_open(const char *path)
{
    size_t length = 0;
    char *text = ys_file_read(path, DEFINITION_MOST, &length);
    if (text == NULL)
        return NULL;
    struct ys_design *design = ys_design_read(path, text, length, load, NULL);
    free(text);
    return design;
}
