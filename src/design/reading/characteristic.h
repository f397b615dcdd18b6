/* The keys of a characteristic. */
#ifndef DESIGN_READING_CHARACTERISTIC_H
#define DESIGN_READING_CHARACTERISTIC_H

#include "design/reading/yaml.h"

/* One characteristic. Target: struct ys_characteristic. */
extern const struct ys_mapping ys_characteristic_mapping;

#endif
