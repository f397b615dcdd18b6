/* What the standard has adopted (Assigned Numbers). Tables are made of catalogue.yaml at build time (src/adopted). */
#ifndef DESIGN_READING_CATALOGUE_H
#define DESIGN_READING_CATALOGUE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "design/model/formats.h"

enum ys_adopted_kind {
    YS_ADOPTED_SERVICE,
    YS_ADOPTED_CHARACTERISTIC,
    YS_ADOPTED_DESCRIPTOR,
    YS_ADOPTED_UNIT,
    YS_ADOPTED_FORMAT,
    YS_ADOPTED_APPEARANCE,
    YS_ADOPTED_ADVERTISING,
    YS_ADOPTED_DEVICE, /* no number: a typical device, made of services */
    YS_ADOPTED_KINDS
};

struct ys_field;

/* A part of a service, or a service of a typical device. Properties count as in enum ys_property. */
struct ys_has {
    const char *name;
    bool mandatory;
    bool knows;   /* whether the properties below are known */
    uint8_t must; /* properties that it must have */
    uint8_t may;  /* and that it can have besides; all others are excluded */
};

/* Something adopted. */
struct ys_adopted {
    enum ys_adopted_kind kind;
    uint16_t number;
    const char *name;
    const char *about;     /* a sentence or two, or NULL */
    const char *symbol;    /* units */
    struct ys_field *type; /* characteristics: the layout of the value */
    const char *range[2];  /* the least and the greatest value, as they are written; or NULL */
    struct ys_has *parts;  /* services: their characteristics, the mandatory ones first */
    size_t part_count;
};

/* The tables. */
struct ys_catalogue_section {
    const struct ys_adopted *items;
    size_t count;
};
extern const struct ys_catalogue_section ys_catalogue[YS_ADOPTED_KINDS];
extern const struct ys_unit ys_catalogue_units[]; /* the last has no name */

/* Makes its units those that are known (units.h). */
void ys_catalogue_load(void);

/* Everything of a kind, in the order of the catalogue. */
const struct ys_adopted *ys_adopted_all(enum ys_adopted_kind kind, size_t *count);

const struct ys_unit *ys_unit_find(const char *name_or_symbol);
const struct ys_adopted *ys_adopted_by_name(enum ys_adopted_kind kind, const char *name);
const struct ys_adopted *ys_adopted_by_number(enum ys_adopted_kind kind, uint32_t number);

/* The part of a service with this number; NULL if it has none. */
const struct ys_has *ys_adopted_part(const struct ys_adopted *service, uint32_t number);

/* All names, for suggestions: fills at most `most` and returns how many it has filled. */
size_t ys_adopted_names(enum ys_adopted_kind kind, const char **names, size_t most);

#endif
