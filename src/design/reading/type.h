/* What bytes mean: the keys that characteristics, fields of structures and the catalogue share. */
#ifndef DESIGN_READING_TYPE_H
#define DESIGN_READING_TYPE_H

#include "design/model/model.h"
#include "design/reading/yaml.h"

extern const struct ys_kind ys_kind_format;
extern const struct ys_kind ys_kind_unit;
extern const struct ys_kind ys_kind_length;
extern const struct ys_kind ys_kind_fields;

/* Each reads the value of the key of its name; `target` is the field that has it, at the key's offset. */
void ys_type_format(const struct ys_node *node, void *target);
void ys_type_unit(const struct ys_node *node, void *target);
void ys_type_resolution(const struct ys_node *node, void *target);
void ys_type_length(const struct ys_node *node, void *target);
void ys_type_bits(const struct ys_node *node, void *target);
void ys_type_names(const struct ys_node *node, void *target);
void ys_type_fields(const struct ys_node *node, void *target);

/* The keys of a type that lies at `at` in their target. */
#define YS_TYPE_KEYS(at)                                                                                               \
    {                                                                                                                  \
        "format", ys_type_format, &ys_kind_format, "What its bytes are, by the names of the Assigned Numbers", false,  \
        at},                                                                                                           \
        {"unit", ys_type_unit, &ys_kind_unit, "Its unit, by name or symbol", false, at},                               \
        {"resolution",  ys_type_resolution,                                                                            \
         &ys_kind_text, "What one step of the number is worth, such as 0.1 or 1/64",                                   \
         false,         at},                                                                                           \
        {"length", ys_type_length, &ys_kind_length, "Greatest length in bytes of texts and bytes", false, at},         \
        {"bits", ys_type_bits, &ys_kind_texts, "Names of the bits of flags, from the lowest on", false, at},           \
    {                                                                                                                  \
        "names", ys_type_names, &ys_kind_texts,                                                                        \
            "Names of a number's values, from 0 on; \"NAME = 5\" gives another number, and the next goes on from it",  \
            false, at                                                                                                  \
    }

/* And of the fields of a structure. */
#define YS_FIELDS_KEY(at)                                                                                              \
    {                                                                                                                  \
        "fields", ys_type_fields, &ys_kind_fields, "The fields of a struct, in the order in which they are sent",      \
            false, at                                                                                                  \
    }

/* Takes from `adopted` what `field` does not say itself: all of it, if it has no format; unit and resolution, if it has
 * the same. */
void ys_type_inherit(struct ys_field *field, const struct ys_field *adopted);

#endif
