/* What the standard has adopted (Assigned Numbers), from catalogue.yaml, which is compiled in and read once. */
#ifndef DESIGN_CATALOGUE_H
#define DESIGN_CATALOGUE_H

#include <stddef.h>
#include <stdint.h>

/* What the bytes of a value mean. */
enum ys_format_kind {
    YS_FORMAT_BOOLEAN,
    YS_FORMAT_UNSIGNED,
    YS_FORMAT_SIGNED,
    YS_FORMAT_FLOAT,    /* IEEE 754 */
    YS_FORMAT_MEDFLOAT, /* decimal, see yarnswift/medfloat.h */
    YS_FORMAT_FLAGS,    /* named bits */
    YS_FORMAT_TEXT,
    YS_FORMAT_BYTES,
    YS_FORMAT_STRUCT /* named fields, one behind the other */
};

/* A value format, by the name of the Assigned Numbers 2.4; `bytes` is ours, for what has no format. */
struct ys_format {
    const char *name;
    enum ys_format_kind kind;
    uint8_t size; /* bytes; 0: as long as the definition says */
    uint8_t bits; /* of a number or of flags; the rest of the last byte is 0 */
};

struct ys_unit {
    char *name;
    char *symbol;
    uint16_t number;
};

enum ys_adopted_kind {
    YS_ADOPTED_SERVICE,
    YS_ADOPTED_CHARACTERISTIC,
    YS_ADOPTED_DESCRIPTOR,
    YS_ADOPTED_UNIT,
    YS_ADOPTED_FORMAT,
    YS_ADOPTED_APPEARANCE,
    YS_ADOPTED_ADVERTISING,
    YS_ADOPTED_KINDS
};

struct ys_field;

/* Something adopted. */
struct ys_adopted {
    enum ys_adopted_kind kind;
    uint16_t number;
    char *name;
    char *about;           /* a sentence or two, or NULL */
    char *symbol;          /* units */
    struct ys_field *type; /* characteristics: the layout of the value */
    char **has;            /* services: names of characteristics that one must have */
    size_t has_count;
    char **may_have; /* and of those that it can have */
    size_t may_have_count;
};

/* Everything of a kind, in the order of the catalogue. */
const struct ys_adopted *ys_adopted_all(enum ys_adopted_kind kind, size_t *count);

const struct ys_format *ys_format_find(const char *name);
const struct ys_unit *ys_unit_find(const char *name_or_symbol);
const struct ys_adopted *ys_adopted_by_name(enum ys_adopted_kind kind, const char *name);
const struct ys_adopted *ys_adopted_by_number(enum ys_adopted_kind kind, uint32_t number);

/* All names, for suggestions: fills at most `most` and returns how many it has filled. */
size_t ys_format_names(const char **names, size_t most);
size_t ys_unit_names(const char **names, size_t most);
size_t ys_adopted_names(enum ys_adopted_kind kind, const char **names, size_t most);

#endif
