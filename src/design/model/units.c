/* The units of the catalogue. */
#include "design/model/units.h"

#include <string.h>

#include "design/model/words.h"

static const struct ys_unit none[1];
static const struct ys_unit *kept = none;

void ys_units_keep(const struct ys_unit *units)
{
    kept = units;
}

const struct ys_unit *ys_units_named(const char *name_or_symbol)
{
    for (const struct ys_unit *unit = kept; unit->name != NULL; unit++) {
        if (ys_word_is_equal(unit->name, name_or_symbol) || strcmp(unit->symbol, name_or_symbol) == 0)
            return unit;
    }
    return NULL;
}

size_t ys_units_names(const char **names, size_t most)
{
    size_t count = 0;
    for (; count < most && kept[count].name != NULL; count++)
        names[count] = kept[count].name;
    return count;
}

size_t ys_units_words(const char **names, size_t most)
{
    size_t count = 0;
    for (const struct ys_unit *unit = kept; unit->name != NULL && count + 2 <= most; unit++) {
        names[count++] = unit->name;
        if (unit->symbol[0] != '\0')
            names[count++] = unit->symbol;
    }
    return count;
}
