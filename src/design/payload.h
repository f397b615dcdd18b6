/* The advertisement that a definition gives, as bytes: flags and services in front, the name in the scan response. */
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
struct ys_payload ys_payload_compose(const struct ys_design *design);

/* Adds to the findings what does not fit, with its budget. */
void ys_payload_check(struct ys_design *design);

#endif
