/* UUIDs: resolved, and what is wrong with them. */
#ifndef DESIGN_CHECKING_CHECK_UUIDS_H
#define DESIGN_CHECKING_CHECK_UUIDS_H

#include "design/model/model.h"
#include "design/reading/catalogue.h"

/* The adopted thing that a UUID stands for; NULL if none. */
const struct ys_adopted *ys_find_adopted(enum ys_adopted_kind kind, const struct ys_uuid *uuid);

/* Resolves a UUID that is written, or given by its name. Offsets count from `base`, which may be NULL. Without a result
 * it leaves a length of 0, and adds a finding. */
void ys_resolve_uuid(struct ys_design *design, enum ys_adopted_kind kind, const struct ys_written *written,
                     const char *name, const struct ys_uuid *base, struct ys_uuid *uuid);

void ys_check_service_uuids(struct ys_design *design);

void ys_check_characteristic_uuid(struct ys_design *design, const struct ys_service *service, size_t index);

/* An own UUID in two services is most likely a copy that was forgotten; adopted ones may well come twice. */
void ys_check_across_services(struct ys_design *design, size_t service, size_t index);

#endif
