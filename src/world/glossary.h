/* Names and meanings for traces: from definitions, and from what the standard has adopted. */
#ifndef WORLD_GLOSSARY_H
#define WORLD_GLOSSARY_H

#include "capture/follow/glossary.h"
#include "design/making/layout.h"

struct ys_names;

struct ys_names *ys_names_new(void);
void ys_names_free(struct ys_names *names);

/* Adds a definition, which must outlive it and be laid out; `who` is the name of the device that it is of, or NULL: any
 * that is named as it says, or whose attributes are its. False if there is no memory. */
bool ys_names_add(struct ys_names *names, const char *who, const struct ys_design *design,
                  const struct ys_layout *layout);

/* What a trace is given. */
struct ys_glossary ys_names_glossary(struct ys_names *names);

/* How many attributes did not fit the definition, and what the first was; "" if all did. */
uint64_t ys_names_misfits(const struct ys_names *names, char *text, size_t size);

#endif
