/* What is asked of the catalogue. Its tables are made of catalogue.yaml at build time (src/adopted). */
#include "design/reading/catalogue.h"

#include "design/model/units.h"
#include "design/model/words.h"

void ys_catalogue_load(void)
{
    ys_units_keep(ys_catalogue_units);
}

const struct ys_adopted *ys_adopted_all(enum ys_adopted_kind kind, size_t *count)
{
    *count = ys_catalogue[kind].count;
    return ys_catalogue[kind].items;
}

const struct ys_unit *ys_unit_find(const char *name_or_symbol)
{
    ys_catalogue_load();
    return ys_units_named(name_or_symbol);
}

const struct ys_adopted *ys_adopted_by_name(enum ys_adopted_kind kind, const char *name)
{
    const struct ys_adopted *items = ys_catalogue[kind].items;
    for (size_t i = 0; i < ys_catalogue[kind].count; i++) {
        if (ys_word_is_equal(items[i].name, name))
            return &items[i];
    }
    return NULL;
}

const struct ys_adopted *ys_adopted_by_number(enum ys_adopted_kind kind, uint32_t number)
{
    for (size_t i = 0; i < ys_catalogue[kind].count; i++) {
        if (ys_catalogue[kind].items[i].number == number)
            return &ys_catalogue[kind].items[i];
    }
    return NULL;
}

const struct ys_has *ys_adopted_part(const struct ys_adopted *service, uint32_t number)
{
    for (size_t i = 0; i < service->part_count; i++) {
        const struct ys_adopted *part = ys_adopted_by_name(YS_ADOPTED_CHARACTERISTIC, service->parts[i].name);
        if (part != NULL && part->number == number)
            return &service->parts[i];
    }
    return NULL;
}

size_t ys_adopted_names(enum ys_adopted_kind kind, const char **names, size_t most)
{
    size_t count = ys_catalogue[kind].count < most ? ys_catalogue[kind].count : most;
    for (size_t i = 0; i < count; i++)
        names[i] = ys_catalogue[kind].items[i].name;
    return count;
}
