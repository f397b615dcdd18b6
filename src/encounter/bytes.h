/* Values to write: at the limits of a characteristic, and beyond them. */
#ifndef ENCOUNTER_BYTES_H
#define ENCOUNTER_BYTES_H

#include "design/model/value.h"
#include "encounter/aspects.h"
#include "sim/chance.h"

/* What the definition says of a value that is written. */
enum ys_worth {
    YS_WORTH_GOOD,
    YS_WORTH_BEYOND, /* its range */
    YS_WORTH_LENGTH, /* it has a length that its format does not allow */
    YS_WORTH_OPEN    /* it does not say */
};

/* Makes a value for a way of writing; false if this kind does not exist. `bytes` has room for YS_VALUE_LONGEST + 1. */
bool ys_encounter_bytes(const struct ys_characteristic *characteristic, enum ys_access_way way,
                        struct ys_chance *chance, uint8_t *bytes, size_t *length, enum ys_worth *worth);

#endif
