/* The interface of a device in Markdown, for the people who write the other side's app. */
#ifndef DESIGN_MAKING_INTERFACE_H
#define DESIGN_MAKING_INTERFACE_H

#include <stdio.h>

#include "design/model/model.h"

/* Prints the page of a design without errors: services, characteristics, rights, and the layout of each value. */
void ys_interface_print(FILE *stream, const struct ys_design *design);

#endif
