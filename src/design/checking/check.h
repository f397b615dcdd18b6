/* What a definition means together: UUIDs and values are resolved, and everything that does not fit is found. */
#ifndef DESIGN_CHECKING_CHECK_H
#define DESIGN_CHECKING_CHECK_H

#include "design/model/model.h"
#include "design/reading/catalogue.h"

/* Completes a design that was read, and adds to its findings. */
void ys_design_check(struct ys_design *design);

/* Its parts. */

/* The adopted thing that a UUID stands for; NULL if none. */
const struct ys_adopted *ys_find_adopted(enum ys_adopted_kind kind, const struct ys_uuid *uuid);

/* Resolves a UUID by what is written, or else by the name. `base` is what offsets count from, or NULL. Leaves a length
 * of 0 if neither gives a UUID, and says so. */
void ys_resolve_uuid(struct ys_design *design, enum ys_adopted_kind kind, const struct ys_written *written,
                     const char *name, const struct ys_uuid *base, struct ys_uuid *uuid);

void ys_check_service_uuids(struct ys_design *design);
void ys_check_characteristic_uuid(struct ys_design *design, const struct ys_service *service, size_t index);

/* An own UUID in two services is most likely a copy that was forgotten; adopted ones may well come twice. */
void ys_check_across_services(struct ys_design *design, size_t service, size_t index);

void ys_check_names(struct ys_design *design);

/* Checks what the bytes of `name` are, which a value of `length` bytes at most has: its structure, resolution and
 * length. False if nothing can be done with it. */
bool ys_check_type(struct ys_design *design, struct ys_field *type, const char *name, struct ys_place place);

/* Encodes a value that is written; the caller owns it. NULL, after a finding, if it is none of the type's. */
uint8_t *ys_check_value(struct ys_design *design, struct ys_field *type, const struct ys_written *written,
                        const char *name, size_t *length);

void ys_check_characteristic(struct ys_design *design, const struct ys_service *service, size_t index);

/* What is only seen well once nothing is wrong. */
void ys_check_advice(struct ys_design *design, const struct ys_characteristic *characteristic);

/* How it pairs, and what of its rights that allows; how many of what there is room for. */
void ys_check_security(struct ys_design *design);

/* Parameters of connections that contradict each other. */
void ys_check_link(struct ys_design *design);

void ys_check_advertising(struct ys_design *design);

/* Advice: who filters by a service that is not promised never finds the device. */
void ys_check_unpromised(struct ys_design *design);

#endif
