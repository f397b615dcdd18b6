/* The mappings of a definition: the same tables read it and give the schema. */
#ifndef DESIGN_READING_KEYS_H
#define DESIGN_READING_KEYS_H

#include "design/model/model.h"
#include "design/reading/yaml.h"

/* A whole definition, and a file that one includes. Targets: struct ys_design. */
extern const struct ys_mapping ys_definition_mapping;
extern const struct ys_mapping ys_included_mapping;

/* One characteristic. Target: struct ys_characteristic. */
extern const struct ys_mapping ys_characteristic_mapping;

/* One way to advertise. Target: struct ys_advertisement. */
extern const struct ys_mapping ys_advertisement_mapping;

/* What it asks of its connections. Target: struct ys_design. */
extern const struct ys_kind ys_kind_link;
void ys_read_link(const struct ys_node *node, void *target);

/* What the hardware draws, and what is expected on the air. Targets: struct ys_design. */
extern const struct ys_kind ys_kind_energy;
extern const struct ys_kind ys_kind_expectations;
void ys_read_energy(const struct ys_node *node, void *target);
void ys_read_expectations(const struct ys_node *node, void *target);

/* One time, or the least and the greatest, in microseconds; false, after a finding, if it is neither. */
extern const struct ys_kind ys_kind_interval;
bool ys_read_interval(const struct ys_node *node, uint64_t ends[2]);

#endif
