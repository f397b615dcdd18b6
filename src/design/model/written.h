/* What a definition says, with the place where it says so. */
#ifndef DESIGN_MODEL_WRITTEN_H
#define DESIGN_MODEL_WRITTEN_H

#include <stdint.h>

#include "design/model/finding.h"

/* A text of the definition, until it is known what it means. It stays the document's. */
struct ys_written {
    const char *text; /* NULL: not given, or not good */
    struct ys_place place;
};

/* A number of the definition. */
struct ys_counted {
    uint64_t number;
    struct ys_place place;
    bool given;
};

#endif
