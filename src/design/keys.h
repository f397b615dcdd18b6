/* The mappings of a definition: the same tables read it and give the schema. */
#ifndef DESIGN_KEYS_H
#define DESIGN_KEYS_H

#include "design/model.h"
#include "design/yaml.h"

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

/* A list of services by name, such as an advertisement promises or a service includes. */
void ys_read_promises(const struct ys_node *node, struct ys_promise **list, size_t *count);

/* Loads a file whose path is meant from the folder of the file of `place`, and ends it with a zero. NULL if it cannot
 * be read; `*path`, by which it was looked for, is the caller's in any case. */
char *ys_load_beside(const struct ys_design *design, struct ys_place place, const char *name, char **path,
                     size_t *length);

/* Frees what it holds. */
void ys_characteristic_clear(struct ys_characteristic *characteristic);
void ys_service_clear(struct ys_service *service);

#endif
