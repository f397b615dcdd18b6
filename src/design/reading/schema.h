/* JSON Schemas, made from the tables by which files are read. */
#ifndef DESIGN_READING_SCHEMA_H
#define DESIGN_READING_SCHEMA_H

#include <stdbool.h>
#include <stdio.h>

#include "design/reading/yaml.h"

/* Prints that of files whose root is a mapping, in JSON Schema draft 2020-12. False as below. */
bool ys_schema_print_of(FILE *stream, const struct ys_mapping *mapping, const char *title);

/* Prints that of definitions, in JSON Schema draft 2020-12. False if there is no memory, or it cannot be written. */
bool ys_schema_print(FILE *stream);

#endif
