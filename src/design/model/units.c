/* The units of the catalogue. */
#include "design/model/units.h"

#include <stdlib.h>
#include <string.h>

#include "design/model/words.h"

static const struct ys_unit none[1];
static const struct ys_unit *kept = none;

void ys_units_keep(const struct ys_unit *units)
{
    kept = units;
}

/* "0x27A8" as a number; 0 if it is anything else. */
static uint16_t number_of(const char *text)
{
    char *end;
    if (strncmp(text, "0x", 2) != 0 && strncmp(text, "0X", 2) != 0)
        return 0;
    unsigned long number = strtoul(text, &end, 16);
    return *end == '\0' && number <= 0xffff ? (uint16_t)number : 0;
}

const struct ys_unit *ys_units_named(const char *word)
{
    uint16_t number = number_of(word);
    for (const struct ys_unit *unit = kept; unit->name != NULL; unit++) {
        if (ys_word_is_equal(unit->name, word) || strcmp(unit->symbol, word) == 0 ||
            (number != 0 && unit->number == number))
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
