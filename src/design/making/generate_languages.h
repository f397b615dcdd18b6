/* For who writes the other side in another language: the interface as JSON, and modules that encode and decode every
 * value. */
#ifndef DESIGN_MAKING_GENERATE_LANGUAGES_H
#define DESIGN_MAKING_GENERATE_LANGUAGES_H

#include <stdio.h>

#include "design/making/layout.h"

/* Prints what a design without errors offers, as JSON, as a module for Python, or one for JavaScript. */
void ys_generate_json(FILE *stream, const struct ys_design *design, const struct ys_layout *layout);
void ys_generate_python(FILE *stream, const struct ys_design *design, const struct ys_layout *layout);
void ys_generate_javascript(FILE *stream, const struct ys_design *design, const struct ys_layout *layout);

#endif
