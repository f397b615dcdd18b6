/* The JSON Schema of definitions, made from the tables by which they are read. */
#ifndef DESIGN_SCHEMA_H
#define DESIGN_SCHEMA_H

#include <stdbool.h>
#include <stdio.h>

/* Prints it, in JSON Schema draft 2020-12. False if there is no memory, or it cannot be written. */
bool ys_schema_print(FILE *stream);

#endif
