/* Generated C for the other side: what a central needs to know of a device, for yarnswift/remote.h. */
#ifndef DESIGN_MAKING_GENERATE_CLIENT_H
#define DESIGN_MAKING_GENERATE_CLIENT_H

#include <stdio.h>

#include "design/making/layout.h"

/* How many characteristics its clients use; a plan has room for so many. */
#define YS_CLIENT_ITEMS_MOST 254
size_t ys_client_items(const struct ys_layout *layout);

/* Prints the header and the source of a design without errors. */
void ys_generate_client_header(FILE *stream, const struct ys_design *design, const struct ys_layout *layout);
void ys_generate_client_source(FILE *stream, const struct ys_design *design, const struct ys_layout *layout);

#endif
