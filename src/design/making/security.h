/* What a definition says of security, as the host takes it. */
#ifndef DESIGN_MAKING_SECURITY_H
#define DESIGN_MAKING_SECURITY_H

#include <yarnswift/security.h>
#include <yarnswift/table.h>

#include "design/model/model.h"

/* The security of a definition that has some and was checked. */
void ys_security_of(const struct ys_design *design, struct ys_security *security);

/* The strictest right that anything in it demands. */
enum ys_right ys_security_most(const struct ys_design *design);

#endif
