/* Value formats, and units. */
#ifndef DESIGN_MODEL_FORMATS_H
#define DESIGN_MODEL_FORMATS_H

#include <stdbool.h>
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
    YS_FORMAT_WIDE,     /* a number too wide for arithmetic, in hexadecimal */
    YS_FORMAT_PAIR,     /* two numbers of 16 bits */
    YS_FORMAT_TEXT,     /* UTF-8 */
    YS_FORMAT_UTF16,    /* a text, sent as UTF-16 */
    YS_FORMAT_BYTES,
    YS_FORMAT_STRUCT /* named fields, one after the other */
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
    uint16_t number;
};

/* All formats. */
extern const struct ys_format ys_formats[];

/* The format of a name; NULL if there is none. */
const struct ys_format *ys_format_find(const char *name);

/* All names, for suggestions: fills at most `most` and returns how many it has filled. */
size_t ys_format_names(const char **names, size_t most);

#endif
