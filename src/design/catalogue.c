/* The catalogue of adopted numbers, as far as this version knows it. */
#include "design/catalogue.h"

#include <string.h>

#include "design/words.h"

#define COUNT(array) (sizeof(array) / sizeof((array)[0]))

static const struct ys_format formats[] = {
    {"boolean", YS_FORMAT_BOOLEAN, 1, 1},      {"boolean[8]", YS_FORMAT_FLAGS, 1, 8},
    {"boolean[16]", YS_FORMAT_FLAGS, 2, 16},   {"boolean[24]", YS_FORMAT_FLAGS, 3, 24},
    {"boolean[32]", YS_FORMAT_FLAGS, 4, 32},   {"uint2", YS_FORMAT_UNSIGNED, 1, 2},
    {"uint4", YS_FORMAT_UNSIGNED, 1, 4},       {"uint8", YS_FORMAT_UNSIGNED, 1, 8},
    {"uint12", YS_FORMAT_UNSIGNED, 2, 12},     {"uint16", YS_FORMAT_UNSIGNED, 2, 16},
    {"uint24", YS_FORMAT_UNSIGNED, 3, 24},     {"uint32", YS_FORMAT_UNSIGNED, 4, 32},
    {"uint48", YS_FORMAT_UNSIGNED, 6, 48},     {"sint8", YS_FORMAT_SIGNED, 1, 8},
    {"sint12", YS_FORMAT_SIGNED, 2, 12},       {"sint16", YS_FORMAT_SIGNED, 2, 16},
    {"sint24", YS_FORMAT_SIGNED, 3, 24},       {"sint32", YS_FORMAT_SIGNED, 4, 32},
    {"sint48", YS_FORMAT_SIGNED, 6, 48},       {"sint64", YS_FORMAT_SIGNED, 8, 64},
    {"float32", YS_FORMAT_FLOAT, 4, 32},       {"float64", YS_FORMAT_FLOAT, 8, 64},
    {"medfloat16", YS_FORMAT_MEDFLOAT, 2, 16}, {"medfloat32", YS_FORMAT_MEDFLOAT, 4, 32},
    {"utf8s", YS_FORMAT_TEXT, 0, 0},           {"bytes", YS_FORMAT_BYTES, 0, 0},
    {"struct", YS_FORMAT_STRUCT, 0, 0},
};

static const struct ys_unit units[] = {
    {"unitless", ""},
    {"metre", "m"},
    {"kilogram", "kg"},
    {"second", "s"},
    {"ampere", "A"},
    {"kelvin", "K"},
    {"hertz", "Hz"},
    {"newton", "N"},
    {"pascal", "Pa"},
    {"joule", "J"},
    {"watt", "W"},
    {"volt", "V"},
    {"ohm", "Ohm"},
    {"lux", "lx"},
    {"degree Celsius", "\xc2\xb0"
                       "C"},
    {"degree", "\xc2\xb0"},
    {"percentage", "%"},
    {"newton metre", "N m"},
    {"minute", "min"},
    {"hour", "h"},
    {"metre per second", "m/s"},
};

static const struct ys_adopted services[] = {
    {0x1800, 0, "Generic Access", NULL, NULL},        {0x1801, 0, "Generic Attribute", NULL, NULL},
    {0x180a, 0, "Device Information", NULL, NULL},    {0x180f, 0, "Battery", NULL, NULL},
    {0x181a, 0, "Environmental Sensing", NULL, NULL},
};

static const struct ys_adopted characteristics[] = {
    {0x2a00, 0, "Device Name", "utf8s", NULL},
    {0x2a01, 0, "Appearance", "uint16", NULL},
    {0x2a19, 0, "Battery Level", "uint8", "percentage"},
    {0x2a24, 0, "Model Number String", "utf8s", NULL},
    {0x2a25, 0, "Serial Number String", "utf8s", NULL},
    {0x2a26, 0, "Firmware Revision String", "utf8s", NULL},
    {0x2a27, 0, "Hardware Revision String", "utf8s", NULL},
    {0x2a28, 0, "Software Revision String", "utf8s", NULL},
    {0x2a29, 0, "Manufacturer Name String", "utf8s", NULL},
    {0x2a6d, -1, "Pressure", "uint32", "pascal"},
    {0x2a6e, -2, "Temperature", "sint16", "degree Celsius"},
    {0x2a6f, -2, "Humidity", "uint16", "percentage"},
};

static const struct ys_adopted descriptors[] = {
    {0x2901, 0, "Characteristic User Description", NULL, NULL},
    {0x2902, 0, "Client Characteristic Configuration", NULL, NULL},
    {0x2904, 0, "Characteristic Presentation Format", NULL, NULL},
};

static const struct {
    const struct ys_adopted *items;
    size_t count;
} adopted[] = {
    [YS_ADOPTED_SERVICE] = {services, COUNT(services)},
    [YS_ADOPTED_CHARACTERISTIC] = {characteristics, COUNT(characteristics)},
    [YS_ADOPTED_DESCRIPTOR] = {descriptors, COUNT(descriptors)},
};

const struct ys_format *ys_format_find(const char *name)
{
    for (size_t i = 0; i < COUNT(formats); i++) {
        if (strcmp(formats[i].name, name) == 0)
            return &formats[i];
    }
    return NULL;
}

const struct ys_unit *ys_unit_find(const char *name_or_symbol)
{
    for (size_t i = 0; i < COUNT(units); i++) {
        if (ys_word_is_equal(units[i].name, name_or_symbol) || strcmp(units[i].symbol, name_or_symbol) == 0)
            return &units[i];
    }
    return NULL;
}

const struct ys_adopted *ys_adopted_by_name(enum ys_adopted_kind kind, const char *name)
{
    for (size_t i = 0; i < adopted[kind].count; i++) {
        if (ys_word_is_equal(adopted[kind].items[i].name, name))
            return &adopted[kind].items[i];
    }
    return NULL;
}

const struct ys_adopted *ys_adopted_by_number(enum ys_adopted_kind kind, uint32_t number)
{
    for (size_t i = 0; i < adopted[kind].count; i++) {
        if (adopted[kind].items[i].number == number)
            return &adopted[kind].items[i];
    }
    return NULL;
}

size_t ys_format_names(const char **names, size_t most)
{
    for (size_t i = 0; i < COUNT(formats) && i < most; i++)
        names[i] = formats[i].name;
    return COUNT(formats);
}

size_t ys_unit_names(const char **names, size_t most)
{
    for (size_t i = 0; i < COUNT(units) && i < most; i++)
        names[i] = units[i].name;
    return COUNT(units);
}

size_t ys_adopted_names(enum ys_adopted_kind kind, const char **names, size_t most)
{
    for (size_t i = 0; i < adopted[kind].count && i < most; i++)
        names[i] = adopted[kind].items[i].name;
    return adopted[kind].count;
}
