/* Value formats. */
#include "design/model/formats.h"

#include <string.h>

#define COUNT(array) (sizeof(array) / sizeof((array)[0]))

const struct ys_format ys_formats[] = {
    {"boolean", YS_FORMAT_BOOLEAN, 1, 1},      {"boolean[8]", YS_FORMAT_FLAGS, 1, 8},
    {"boolean[16]", YS_FORMAT_FLAGS, 2, 16},   {"boolean[24]", YS_FORMAT_FLAGS, 3, 24},
    {"boolean[32]", YS_FORMAT_FLAGS, 4, 32},   {"uint2", YS_FORMAT_UNSIGNED, 1, 2},
    {"uint4", YS_FORMAT_UNSIGNED, 1, 4},       {"uint8", YS_FORMAT_UNSIGNED, 1, 8},
    {"uint12", YS_FORMAT_UNSIGNED, 2, 12},     {"uint16", YS_FORMAT_UNSIGNED, 2, 16},
    {"uint24", YS_FORMAT_UNSIGNED, 3, 24},     {"uint32", YS_FORMAT_UNSIGNED, 4, 32},
    {"uint48", YS_FORMAT_UNSIGNED, 6, 48},     {"uint64", YS_FORMAT_UNSIGNED, 8, 64},
    {"uint128", YS_FORMAT_WIDE, 16, 128},      {"sint128", YS_FORMAT_WIDE, 16, 128},
    {"uint16[2]", YS_FORMAT_PAIR, 4, 32},      {"utf16s", YS_FORMAT_UTF16, 0, 0},
    {"medASN1", YS_FORMAT_BYTES, 0, 0},        {"sint8", YS_FORMAT_SIGNED, 1, 8},
    {"sint12", YS_FORMAT_SIGNED, 2, 12},       {"sint16", YS_FORMAT_SIGNED, 2, 16},
    {"sint24", YS_FORMAT_SIGNED, 3, 24},       {"sint32", YS_FORMAT_SIGNED, 4, 32},
    {"sint48", YS_FORMAT_SIGNED, 6, 48},       {"sint64", YS_FORMAT_SIGNED, 8, 64},
    {"float32", YS_FORMAT_FLOAT, 4, 32},       {"float64", YS_FORMAT_FLOAT, 8, 64},
    {"medfloat16", YS_FORMAT_MEDFLOAT, 2, 16}, {"medfloat32", YS_FORMAT_MEDFLOAT, 4, 32},
    {"utf8s", YS_FORMAT_TEXT, 0, 0},           {"bytes", YS_FORMAT_BYTES, 0, 0},
    {"struct", YS_FORMAT_STRUCT, 0, 0},
};

const struct ys_format *ys_format_find(const char *name)
{
    for (size_t i = 0; i < COUNT(ys_formats); i++) {
        if (strcmp(ys_formats[i].name, name) == 0)
            return &ys_formats[i];
    }
    return NULL;
}

size_t ys_format_names(const char **names, size_t most)
{
    size_t count = 0;
    for (; count < COUNT(ys_formats) && count < most; count++)
        names[count] = ys_formats[count].name;
    return count;
}
