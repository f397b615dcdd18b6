/* `use:` brings an adopted service, or all services of a typical device, with the parts that they must have. */
#ifndef DESIGN_READING_USE_H
#define DESIGN_READING_USE_H

#include "design/model/model.h"
#include "design/reading/yaml.h"

/* Before a service is read: if it uses an adopted one, fills it with its mandatory parts. If it names a whole device,
 * adds that device's services to the design instead, and returns true. */
bool ys_use_begin(struct ys_design *design, struct ys_service *service, const struct ys_node *node);

/* The characteristic that `item` is read into: what has been brought and is changed by it, or a new one. */
struct ys_characteristic *ys_use_part(struct ys_service *service, const struct ys_node *item);

/* After it was read. */
void ys_use_done(struct ys_characteristic *characteristic);

/* After a service was read: drops what is not wanted. */
void ys_use_end(struct ys_service *service, struct ys_findings *findings);

/* Once all services are read: takes out those of a whole device that the definition has itself, and tells parts of the
 * same name apart. */
void ys_use_settle(struct ys_design *design);

#endif
