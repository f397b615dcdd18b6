/* Powers and strengths in dBm. */
#ifndef DESIGN_CHECKING_CHECK_POWER_H
#define DESIGN_CHECKING_CHECK_POWER_H

#include "design/model/model.h"

/* A power as it is sent: a signed byte in dBm (CSS Part A 1.5). */
const struct ys_field *ys_power_type(void);

/* Reads one, from -127 to `greatest`; false if none is written, or, with a finding, if it is wrong. */
bool ys_check_power(struct ys_design *design, const struct ys_written *written, int greatest, int64_t *raw);

#endif
