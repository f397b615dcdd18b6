/* What things are called in generated C, and which have a type or functions there. */
#ifndef DESIGN_MAKING_NAMING_H
#define DESIGN_MAKING_NAMING_H

#include "design/making/layout.h"

/* The constant of a bit or of a named number, DEVICE_CHARACTERISTIC_FIELD_WORD; a whole value has no field. The caller
 * frees it. */
char *ys_identifier_of_word(const char *device, const char *characteristic, const struct ys_field *field,
                            const char *word);

/* Whether a value is one number, which has a C type of its own; and whether it has functions that put and get it. */
bool ys_value_is_scalar(const struct ys_field *type);
bool ys_value_has_functions(const struct ys_field *type);

/* What the handlers of a characteristic are called after the device; whether the row of a value is the first whose
 * handler for reading or writing is called so, and whether another row has the same one. */
const char *ys_handler_id(const struct ys_characteristic *characteristic);
bool ys_handler_is_first(const struct ys_layout *layout, size_t index, bool write);
bool ys_handler_is_shared(const struct ys_layout *layout, size_t index, size_t other, bool write);

/* An identifier as a member in Python, where other words are taken than in C. The caller frees it. */
char *ys_member_name(const char *id);

/* Whether a row is the value of a characteristic that clients use: of any service but those that every device has. */
bool ys_row_is_item(const struct ys_row *row);

/* Whether its valid range leaves out anything that its type can hold: below, above, or either. */
bool ys_range_limits_below(const struct ys_characteristic *characteristic);
bool ys_range_limits_above(const struct ys_characteristic *characteristic);
bool ys_range_limits(const struct ys_characteristic *characteristic);

/* Whether a part of an advertisement is data with a type whose values functions can put. */
bool ys_layout_is(const struct ys_part *part);
/* What such data is called after the device; NULL if it is none. The caller frees it. */
char *ys_layout_id(const struct ys_advertisement *set, const struct ys_part *part);
/* What it is called among the parameters of a function. */
void ys_part_name(const struct ys_advertisement *set, const struct ys_part *part, char name[40]);
/* What the functions and sizes of a payload are called after the device; NULL if nothing in it has a layout. The
 * caller frees it. */
char *ys_payload_id(const struct ys_advertisement *set, bool response);

#endif
