/* The payloads of an advertisement, as bytes. What the definition does not say is: flags and services in front, the
 * name in the scan response. */
#ifndef DESIGN_MAKING_PAYLOAD_H
#define DESIGN_MAKING_PAYLOAD_H

#include <yarnswift/sets.h>

#include "design/model/model.h"

/* Bytes in an extended advertisement, at most; and in one that can be connected to, which is a single packet. */
#define YS_PAYLOAD_MOST        1650
#define YS_PAYLOAD_CONNECTABLE 238

struct ys_payload {
    uint8_t data[YS_PAYLOAD_MOST];
    size_t data_length;
    uint8_t response[YS_PAYLOAD_MOST];
    size_t response_length;
};

/* How many bytes the advertisement, or the scan response, of a set has. */
size_t ys_payload_room(const struct ys_advertisement *set, bool response);

/* Composes it. What does not fit is left out; ys_payload_check has said so. */
struct ys_payload ys_payload_compose(const struct ys_design *design, const struct ys_advertisement *set);

/* Puts one part of it, whole; and what stands in front of the value of data, a company or a service's UUID, where the
 * type of the structure is returned. */
void ys_payload_put_part(const struct ys_design *design, const struct ys_advertisement *set, const struct ys_part *part,
                         struct ys_writer *writer);
uint8_t ys_payload_put_head(const struct ys_part *part, struct ys_writer *writer);

/* Adds to the findings what does not fit, with its budget. */
void ys_payload_check(struct ys_design *design, const struct ys_advertisement *set);

/* A set as the host takes it; `payload` and `options` must outlive it. */
struct ys_advertising ys_advertisement_settings(const struct ys_advertisement *set, const struct ys_payload *payload,
                                                struct ys_set_options *options);

/* Whether it, or any way to advertise of a design, needs a controller that has sets. */
bool ys_advertisement_has_options(const struct ys_advertisement *set);
bool ys_design_has_sets(const struct ys_design *design);

/* The kind of a set: enum ys_advertising_kind. */
uint8_t ys_advertisement_kind(const struct ys_advertisement *set);

#endif
