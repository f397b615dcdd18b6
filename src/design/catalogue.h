/* What the standard has adopted (Assigned Numbers): services, characteristics, value formats, units. */
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
    const char *name;
    const char *symbol;
};

/* An adopted service, characteristic or descriptor. */
struct ys_adopted {
    uint16_t number;
    int16_t exponent; /* value = raw number x 10^exponent */
    const char *name;
    const char *format; /* characteristics: its format, or NULL */
    const char *unit;   /* or NULL */
};

enum ys_adopted_kind { YS_ADOPTED_SERVICE, YS_ADOPTED_CHARACTERISTIC, YS_ADOPTED_DESCRIPTOR };

const struct ys_format *ys_format_find(const char *name);
const struct ys_unit *ys_unit_find(const char *name_or_symbol);
const struct ys_adopted *ys_adopted_by_name(enum ys_adopted_kind kind, const char *name);
const struct ys_adopted *ys_adopted_by_number(enum ys_adopted_kind kind, uint32_t number);

/* All names, for suggestions: fills at most `most` and returns how many there are. */
size_t ys_format_names(const char **names, size_t most);
size_t ys_unit_names(const char **names, size_t most);
size_t ys_adopted_names(enum ys_adopted_kind kind, const char **names, size_t most);

#endif
