/* Generated C for what is advertised: the settings of each way, and functions that put its payload with new values, or
 * find the values in what was heard. */
#ifndef DESIGN_MAKING_GENERATE_ADVERTISING_H
#define DESIGN_MAKING_GENERATE_ADVERTISING_H

#include <stdio.h>

#include "design/model/model.h"

/* Types and functions of values in its payloads. */
void ys_generate_payload_values(FILE *stream, const struct ys_design *design, const struct ys_advertisement *set);
/* Declares the settings, and defines them. */
void ys_generate_advertising_header(FILE *stream, const struct ys_design *design, const struct ys_advertisement *set);
void ys_generate_advertising_source(FILE *stream, const struct ys_design *design, const struct ys_advertisement *set);

/* Defines what is looked for, if a definition says it. */
void ys_generate_scanning_source(FILE *stream, const struct ys_design *design);

#endif
