/* YAML as the definition uses it: mappings whose keys stand in tables. */
#ifndef DESIGN_READING_YAML_H
#define DESIGN_READING_YAML_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <libfyaml.h>

#include "design/model/written.h"

/* How a value is written. */
enum ys_form {
    YS_TEXT,
    YS_NUMBER, /* whole, decimal or with 0x */
    YS_YES,    /* true or false */
    YS_TIME,   /* a number with its unit */
    YS_WORD,   /* one of several */
    YS_NAME,   /* one of a longer list that is known */
    YS_LIST,
    YS_MAPPING
};

struct ys_mapping;

/* What a key's value may be: read by, and the schema made from, the same tables. */
struct ys_kind {
    enum ys_form form;
    uint64_t least; /* YS_NUMBER */
    uint64_t greatest;
    const char *const *words;                         /* YS_WORD: ends with NULL */
    size_t (*names)(const char **names, size_t most); /* YS_NAME: fills them in, and counts them */
    const struct ys_kind *items;                      /* YS_LIST: of each item */
    const struct ys_mapping *mapping;                 /* YS_MAPPING */
    const struct ys_kind *otherwise;                  /* another way to write it, or NULL */
};

struct ys_key;

/* A value that is being read, and where it stands. */
struct ys_node {
    struct ys_findings *findings;
    struct fy_node *node;
    struct ys_place place;
    const struct ys_key *key; /* whose value it is, or of whose list an item; NULL for the root */
    const struct ys_kind *kind;
};

/* Reads the value of a key into `target`. */
typedef void ys_key_fn(const struct ys_node *value, void *target);

/* A key of a mapping. */
struct ys_key {
    const char *name;
    ys_key_fn *read;
    const struct ys_kind *kind;
    const char *about; /* what it says, for editors; NULL in the catalogue */
    bool required;
    size_t into; /* offset of the member in the target that ys_key_... fill */
};

/* A mapping: `what` names it in messages. */
struct ys_mapping {
    const char *what;
    const struct ys_key *keys;
    size_t count;
    const char *instead; /* a key with which nothing else is required, or NULL */
};

extern const struct ys_kind ys_kind_text;
extern const struct ys_kind ys_kind_texts; /* a list of them */
extern const struct ys_kind ys_kind_yes;
extern const struct ys_kind ys_kind_time;

/* Readers of keys: each fills the member that the key names. */
void ys_key_text(const struct ys_node *node, void *target);    /* const char * */
void ys_key_written(const struct ys_node *node, void *target); /* struct ys_written */
void ys_key_value(const struct ys_node *node, void *target);   /* the same of a value that is sent */
void ys_key_number(const struct ys_node *node, void *target);  /* struct ys_counted */
void ys_key_yes(const struct ys_node *node, void *target);     /* bool */
void ys_key_time(const struct ys_node *node, void *target);    /* struct ys_counted, in us */
void ys_key_word(const struct ys_node *node, void *target);    /* int: which word, from 1; unchanged if it is none */

/* Parses a document; NULL, with findings, if it is no YAML. `place` says which file it is. */
struct fy_document *ys_yaml_parse(const char *text, size_t length, struct ys_place place, struct ys_findings *findings);

struct ys_node ys_yaml_root(struct fy_document *document, struct ys_place place, struct ys_findings *findings);

/* Reads a mapping by its table: says what is unknown, with the nearest key, and what is missing. False if it is no
 * mapping. */
bool ys_yaml_mapping(const struct ys_node *node, const struct ys_mapping *mapping, void *target);

/* The text of a scalar, which stays the document's; NULL, with a finding, if it is none or empty, or contains what is
 * not plain (wire/utf8.h): names go into messages, code and pages. */
const char *ys_yaml_text(const struct ys_node *node);

/* The same of a value that is sent, which may contain anything but a zero byte. */
const char *ys_yaml_value(const struct ys_node *node);

/* The text of a key of a mapping, without any finding; NULL if there is none. */
const char *ys_yaml_peek(const struct ys_node *node, const char *key);

/* The same, with where it stands. */
const char *ys_yaml_peek_at(const struct ys_node *node, const char *key, struct ys_place *place);

/* Which of its kind's words it is, from 1; 0, with a finding that names the nearest, if none. */
int ys_yaml_word(const struct ys_node *node);

/* A whole number within its kind's range; false, after a finding, if it is none. */
bool ys_yaml_number(const struct ys_node *node, uint64_t *number);

/* A time in microseconds; false, after a finding, if it is none. */
bool ys_yaml_time(const struct ys_node *node, uint64_t *us);

/* The text of a scalar, which may be empty; "" if it is none. */
const char *ys_yaml_scalar(const struct ys_node *node);

/* The next item of a sequence after `*iterator` (NULL at first); false at the end. Says so if it is no sequence. */
bool ys_yaml_next(const struct ys_node *node, void **iterator, struct ys_node *item);

/* The next key of a mapping after `*iterator` (NULL at first), with its value; false at the end, or if it is none. */
bool ys_yaml_next_pair(const struct ys_node *node, void **iterator, const char **key, struct ys_node *value);

bool ys_yaml_is_sequence(const struct ys_node *node);
bool ys_yaml_is_mapping(const struct ys_node *node);

/* Says that `word` is not known, with the nearest of `words`; `what` names what it should be. */
void ys_yaml_unknown(const struct ys_node *node, const char *what, const char *word, const char *const *words,
                     size_t count);

#endif
