/* Generated C: constant tables in the host's own format, handle constants, declarations of the handlers. */
#ifndef DESIGN_MAKING_GENERATE_H
#define DESIGN_MAKING_GENERATE_H

#include <stdio.h>

#include "design/making/layout.h"

/* The first line of every generated file. A file without it belongs to the user and is never overwritten. */
#define YS_GENERATED_NOTE "Written by yarnswift generate. Do not change it: it is written anew."
#define YS_GENERATED_MARK "/* " YS_GENERATED_NOTE " */"

/* Prints the header, the source, and the header with the sizes of a design without errors. */
void ys_generate_config(FILE *stream, const struct ys_design *design, const struct ys_layout *layout);
void ys_generate_header(FILE *stream, const struct ys_design *design, const struct ys_layout *layout);
/* Prints the declarations of values, once for all headers of a definition that are included together. */
void ys_generate_values(FILE *stream, const struct ys_design *design, const struct ys_layout *layout);
/* Prints a first version of the handlers: each answers with zeros, or takes what is written and does nothing with it.
 */
void ys_generate_skeleton(FILE *stream, const struct ys_design *design, const struct ys_layout *layout);

void ys_generate_source(FILE *stream, const struct ys_design *design, const struct ys_layout *layout);

#endif
