/* The payloads of an advertisement, as bytes. What the definition does not say is: flags and services in front, the
 * name in the scan response. */
#ifndef DESIGN_PAYLOAD_H
#define DESIGN_PAYLOAD_H

#include "design/model.h"

struct ys_payload {
    uint8_t data[31];
    size_t data_length;
    uint8_t response[31];
    size_t response_length;
};

/* Composes it. What does not fit is left out; ys_payload_check has said so. */
struct ys_payload ys_payload_compose(const struct ys_design *design, const struct ys_advertisement *set);

/* Adds to the findings what does not fit, with its budget. */
void ys_payload_check(struct ys_design *design, const struct ys_advertisement *set);

/* A set as the host takes it; `payload` must outlive it. */
struct ys_advertising ys_advertisement_settings(const struct ys_advertisement *set, const struct ys_payload *payload);

/* The kind of a set: enum ys_advertising_kind. */
uint8_t ys_advertisement_kind(const struct ys_advertisement *set);

#endif
