/* YAML as the definition uses it: mappings whose keys stand in tables. */
#ifndef DESIGN_YAML_H
#define DESIGN_YAML_H

#include <stdbool.h>
#include <stddef.h>

#include <libfyaml.h>

#include "design/finding.h"

/* A value that is being read, and where it stands. */
struct ys_node {
    struct ys_findings *findings;
    struct fy_node *node;
    struct ys_place place;
};

/* Reads the value of a key into `target`. */
typedef void ys_key_fn(const struct ys_node *value, void *target);

/* A key of a mapping. */
struct ys_key {
    const char *name;
    ys_key_fn *read;
    bool required;
};

/* Parses a document; NULL, with findings, if it is no YAML. `place` says which file it is. */
struct fy_document *ys_yaml_parse(const char *text, size_t length, struct ys_place place, struct ys_findings *findings);

struct ys_node ys_yaml_root(struct fy_document *document, struct ys_place place, struct ys_findings *findings);

/* Reads a mapping by its table: says what is unknown, with the nearest key, and what is missing. `what` names the
 * mapping in messages. False if it is no mapping. */
bool ys_yaml_mapping(const struct ys_node *node, const char *what, const struct ys_key *keys, size_t count,
                     void *target);

/* The text of a scalar, which stays the document's; NULL, with a finding, if it is none or empty. */
const char *ys_yaml_text(const struct ys_node *node, const char *what);

/* The text of a scalar, which may be empty; "" if it is none. */
const char *ys_yaml_scalar(const struct ys_node *node);

/* The next item of a sequence after `*iterator` (NULL at first); false at the end. Says so if it is no sequence. */
bool ys_yaml_next(const struct ys_node *node, const char *what, void **iterator, struct ys_node *item);

bool ys_yaml_is_sequence(const struct ys_node *node);
bool ys_yaml_is_mapping(const struct ys_node *node);

/* Says that the word at `node` is not one of `words`, with the nearest of them. */
void ys_yaml_unknown(const struct ys_node *node, const char *what, const char *word, const char *const *words,
                     size_t count);

#endif
