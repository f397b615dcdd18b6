/* Opens the named definitions, and prints their findings. */
#ifndef CLI_SHARED_DEFINITIONS_H
#define CLI_SHARED_DEFINITIONS_H

#include "cli/shared/options.h"
#include "design/making/layout.h"
#include "design/model/model.h"

/* "error", "warning" or "advice". */
const char *severity_word(enum ys_severity severity);

/* Reads a definition. NULL, after a line, if there is no such file. */
struct ys_design *read_design(const char *path);

/* Reads a definition and prints its errors and warnings. NULL, after a line, if there is no such file. */
struct ys_design *open_design(const char *path);

/* Prints the findings of a design, each with its place; advice only if asked for. */
void print_findings(const struct ys_design *design, bool advice);

/* The same of any file with such findings, all of them. */
void print_all_findings(const char *file, const struct ys_findings *findings);

/* Whether the design may be used; lays it out. */
struct ys_layout *lay_out(const struct ys_design *design);

/* Opens the one definition that is named, and lays it out. NULL, after a line, if there is none, more than one, or an
 * error in it. */
struct ys_layout *open_only(const char *who, const struct files *files, struct ys_design **design);

#endif
