/* YAML as the definition uses it. */
#include "design/reading/yaml.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>

#include "design/model/words.h"
#include "wire/utf8.h"

#define WORDS_MOST   64
#define TEXT_MOST    (4u << 20)
#define ANCHORS_MOST 1000

/* Where a node begins; `otherwise` if it is empty and thus nowhere. */
static struct ys_place place_of(struct fy_node *node, struct ys_place otherwise)
{
    void *iterator = NULL;
    const struct fy_mark *mark = NULL;
    if (fy_node_is_mapping(node)) {
        struct fy_node_pair *pair = fy_node_mapping_iterate(node, &iterator);
        return pair != NULL ? place_of(fy_node_pair_key(pair), otherwise) : otherwise;
    }
    if (fy_node_is_sequence(node)) {
        struct fy_node *first = fy_node_sequence_iterate(node, &iterator);
        return first != NULL ? place_of(first, otherwise) : otherwise;
    }
    struct fy_token *token = node != NULL ? fy_node_get_scalar_token(node) : NULL;
    if (token != NULL)
        mark = fy_token_start_mark(token);
    if (mark == NULL || fy_node_is_null(node)) /* where nothing stands, the library's versions do not agree */
        return otherwise;
    return (struct ys_place){
        .line = mark->line + 1, .column = mark->column + 1, .file = otherwise.file, .order = otherwise.order};
}

static void take_errors(struct fy_diag *diag, struct ys_place place, struct ys_findings *findings)
{
    void *iterator = NULL;
    const struct fy_diag_error *error = fy_diag_errors_iterate(diag, &iterator);
    if (error == NULL) {
        place.line = 1;
        place.column = 1;
        ys_findings_add(findings, YS_ERROR, "yaml", place,
                        "this is no YAML document: write a mapping of keys to values");
        return;
    }
    /* what follows the first error is its consequence */
    place.line = error->line > 0 ? error->line : 1;
    place.column = error->column > 0 ? error->column : 1;
    ys_findings_add(findings, YS_ERROR, "yaml", place, "this is not YAML: %s; mend this first, nothing else was read",
                    error->msg);
}

/* How many bytes the character at `text` has; 0 if it is none that a file may hold. */
static size_t character_length(const char *text, size_t left)
{
    uint32_t character;
    size_t length = ys_utf8_get(text, left, &character);
    bool control = character < 0x20 && character != '\t' && character != '\n' && character != '\r';
    return length > 0 && !control ? length : 0;
}

/* Whether a line is this mark of a document, "---" or "...". */
static bool is_mark(const char *line, size_t left, const char *mark)
{
    return left >= 3 && memcmp(line, mark, 3) == 0 && (left == 3 || strchr(" \t\r\n", line[3]) != NULL);
}

/* What stands in a file besides its one document. */
struct documents {
    bool begun;
    bool ended;
};

/* Whether this line begins a second document. Its marks count wherever they begin a line, within texts too. */
static bool begins_another(struct documents *documents, const char *line, size_t left)
{
    size_t indent = 0;
    if (is_mark(line, left, "...")) {
        documents->ended = documents->begun;
        return false;
    }
    while (indent < left && (line[indent] == ' ' || line[indent] == '\t' || line[indent] == '\r'))
        indent++;
    if (indent == left || line[indent] == '\n' || line[indent] == '#')
        return false;
    bool another = documents->ended || (documents->begun && is_mark(line, left, "---"));
    documents->begun = true;
    return another;
}

/* What the parser is not asked to cope with: what is too much or no text, directives, which no definition needs, and a
 * second document, which it would pass over. */
static bool check_text(const char *text, size_t length, struct ys_place place, struct ys_findings *findings)
{
    struct documents documents = {false, false};
    place.line = 1;
    place.column = 1;
    if (length > TEXT_MOST) {
        ys_findings_add(findings, YS_ERROR, "text", place, "the file is too long: at most %u bytes are read",
                        TEXT_MOST);
        return false;
    }
    size_t anchors = 0; /* no definition needs one, and each is looked for among all before */
    for (size_t i = 0; i < length;) {
        size_t size = character_length(text + i, length - i);
        if (size == 0) {
            ys_findings_add(findings, YS_ERROR, "text", place,
                            "this byte (0x%02x) is no text: write the file in UTF-8, without control characters",
                            (unsigned char)text[i]);
            return false;
        }
        if (place.column == 1 && text[i] == '%') {
            ys_findings_add(findings, YS_ERROR, "text", place, "a directive is not read here: leave out this line");
            return false;
        }
        if (place.column == 1 && begins_another(&documents, text + i, length - i)) {
            ys_findings_add(findings, YS_ERROR, "yaml", place,
                            "a second document begins here: a file contains one document");
            return false;
        }
        if (text[i] == '&' && ++anchors > ANCHORS_MOST) {
            ys_findings_add(findings, YS_ERROR, "text", place,
                            "more than %d of the sign & are not read: anchors are not used", ANCHORS_MOST);
            return false;
        }
        place.column++;
        if (text[i] == '\n') {
            place.line++;
            place.column = 1;
        }
        i += size;
    }
    return true;
}

struct fy_document *ys_yaml_parse(const char *text, size_t length, struct ys_place place, struct ys_findings *findings)
{
    struct fy_diag_cfg diag_settings;
    if (!check_text(text, length, place, findings))
        return NULL;
    fy_diag_cfg_default(&diag_settings);
    diag_settings.fp = NULL;
    struct fy_diag *diag = fy_diag_create(&diag_settings);
    if (diag == NULL)
        return NULL;
    fy_diag_set_collect_errors(diag, true);
    const struct fy_parse_cfg settings = {.flags = FYPCF_QUIET | FYPCF_DEFAULT_VERSION_1_2 | FYPCF_ALLOW_DUPLICATE_KEYS,
                                          .diag = diag};
    struct fy_document *document = fy_document_build_from_string(&settings, text, length);
    if (document == NULL || fy_document_root(document) == NULL) {
        take_errors(diag, place, findings);
        fy_document_destroy(document);
        document = NULL;
    }
    fy_diag_destroy(diag);
    return document;
}

struct ys_node ys_yaml_root(struct fy_document *document, struct ys_place place, struct ys_findings *findings)
{
    struct fy_node *root = fy_document_root(document);
    place.line = 1;
    place.column = 1;
    return (struct ys_node){.findings = findings, .node = root, .place = place_of(root, place)};
}

bool ys_yaml_is_sequence(const struct ys_node *node)
{
    return fy_node_is_sequence(node->node);
}

bool ys_yaml_is_mapping(const struct ys_node *node)
{
    return fy_node_is_mapping(node->node);
}

const char *ys_yaml_scalar(const struct ys_node *node)
{
    const char *text = node->node != NULL && fy_node_is_scalar(node->node) ? fy_node_get_scalar0(node->node) : NULL;
    return text != NULL ? text : "";
}

/* What a value is called in messages: by its key. */
static const char *name_of(const struct ys_node *node)
{
    return node->key != NULL ? node->key->name : "a key";
}

const char *ys_yaml_value(const struct ys_node *node)
{
    const char *text = NULL;
    size_t length = 0;
    if (node->node != NULL && fy_node_is_alias(node->node)) {
        ys_findings_add(node->findings, YS_ERROR, "alias", node->place, "%s is an alias: write its value here",
                        name_of(node));
        return NULL;
    }
    if (node->node != NULL && fy_node_is_scalar(node->node)) {
        text = fy_node_get_scalar0(node->node);
        (void)fy_node_get_scalar(node->node, &length);
    }
    if (text == NULL || text[0] == '\0') {
        ys_findings_add(node->findings, YS_ERROR, "value-empty", node->place,
                        "%s is empty: a single value belongs here", name_of(node));
        return NULL;
    }
    if (strlen(text) != length) {
        ys_findings_add(node->findings, YS_ERROR, "text", node->place, "%s contains a zero byte: leave it out",
                        name_of(node));
        return NULL;
    }
    return text;
}

const char *ys_yaml_text(const struct ys_node *node)
{
    const char *text = ys_yaml_value(node);
    size_t left = text != NULL ? strlen(text) : 0;
    for (size_t at = 0, length; left > 0; at += length, left -= length) {
        length = ys_utf8_plain(text + at, left);
        if (length == 0) {
            ys_findings_add(node->findings, YS_ERROR, "text", node->place,
                            "%s contains a character that is not shown but does something (its first byte is 0x%02x): "
                            "leave it out",
                            name_of(node), (unsigned char)text[at]);
            return NULL;
        }
    }
    return text;
}

const char *ys_yaml_peek_at(const struct ys_node *node, const char *key, struct ys_place *place)
{
    struct fy_node *found =
        ys_yaml_is_mapping(node) ? fy_node_mapping_lookup_by_string(node->node, key, strlen(key)) : NULL;
    *place = found != NULL ? place_of(found, node->place) : node->place;
    return found != NULL && fy_node_is_scalar(found) ? fy_node_get_scalar0(found) : NULL;
}

const char *ys_yaml_peek(const struct ys_node *node, const char *key)
{
    struct ys_place place;
    return ys_yaml_peek_at(node, key, &place);
}

/* The way of writing it that has this form. */
static const struct ys_kind *kind_of(const struct ys_node *node, enum ys_form form)
{
    const struct ys_kind *kind = node->kind;
    while (kind != NULL && kind->form != form)
        kind = kind->otherwise;
    return kind;
}

bool ys_yaml_next(const struct ys_node *node, void **iterator, struct ys_node *item)
{
    if (!ys_yaml_is_sequence(node)) {
        ys_findings_add(node->findings, YS_ERROR, "kind", node->place, "%s must be a list: begin each item with a dash",
                        name_of(node));
        return false;
    }
    const struct ys_kind *list = kind_of(node, YS_LIST);
    item->findings = node->findings;
    item->key = node->key;
    item->kind = list != NULL ? list->items : NULL;
    item->node = fy_node_sequence_iterate(node->node, iterator);
    item->place = place_of(item->node, node->place);
    return item->node != NULL;
}

bool ys_yaml_next_pair(const struct ys_node *node, void **iterator, const char **key, struct ys_node *value)
{
    struct fy_node_pair *pair = ys_yaml_is_mapping(node) ? fy_node_mapping_iterate(node->node, iterator) : NULL;
    if (pair == NULL)
        return false;
    struct fy_node *name = fy_node_pair_key(pair);
    *key = fy_node_is_scalar(name) ? fy_node_get_scalar0(name) : "";
    *value = *node;
    value->node = fy_node_pair_value(pair);
    value->place = place_of(value->node, node->place);
    return true;
}

static void unknown(const struct ys_node *node, const char *code, const char *what, const char *word,
                    const char *const *words, size_t count)
{
    const char *nearest = ys_word_nearest(word, words, count);
    if (nearest != NULL) {
        ys_findings_add(node->findings, YS_ERROR, code, node->place, "%s is not known: \"%s\"; did you mean \"%s\"?",
                        what, word, nearest);
        return;
    }
    char list[400] = "";
    char more[40] = "";
    size_t used = 0;
    size_t listed = 0;
    for (; listed < count && used + strlen(words[listed]) + 3 < sizeof list; listed++) {
        used += (size_t)(stpcpy(list + used, listed > 0 ? ", " : "") - (list + used));
        used += (size_t)(stpcpy(list + used, words[listed]) - (list + used));
    }
    if (listed < count)
        (void)snprintf(more, sizeof more, " and %zu more", count - listed);
    ys_findings_add(node->findings, YS_ERROR, code, node->place, "%s is not known: \"%s\"; there are %s%s", what, word,
                    list, more);
}

void ys_yaml_unknown(const struct ys_node *node, const char *what, const char *word, const char *const *words,
                     size_t count)
{
    unknown(node, "word-unknown", what, word, words, count);
}

int ys_yaml_word(const struct ys_node *node)
{
    const char *const *words = kind_of(node, YS_WORD)->words;
    const char *text = ys_yaml_text(node);
    size_t count = 0;
    if (text == NULL)
        return 0;
    for (; words[count] != NULL; count++) {
        if (strcmp(words[count], text) == 0)
            return (int)count + 1;
    }
    ys_yaml_unknown(node, name_of(node), text, words, count);
    return 0;
}

bool ys_yaml_number(const struct ys_node *node, uint64_t *number)
{
    const struct ys_kind *kind = kind_of(node, YS_NUMBER);
    const char *text = ys_yaml_text(node);
    char *end = NULL;
    if (text == NULL)
        return false;
    bool digits = text[0] >= '0' && text[0] <= '9';
    errno = 0;
    unsigned long long value = digits ? strtoull(text, &end, text[1] == 'x' ? 16 : 10) : 0;
    if (digits && *end == '\0' && errno == 0 && value >= kind->least && value <= kind->greatest) {
        *number = value;
        return true;
    }
    ys_findings_add(node->findings, YS_ERROR, "number", node->place,
                    "%s must be a whole number from %llu to %llu, not \"%s\"", name_of(node),
                    (unsigned long long)kind->least, (unsigned long long)kind->greatest, text);
    return false;
}

bool ys_yaml_time(const struct ys_node *node, uint64_t *us)
{
    const char *text = ys_yaml_text(node);
    if (text == NULL)
        return false;
    if (ys_duration_parse(text, us))
        return true;
    ys_findings_add(node->findings, YS_ERROR, "duration", node->place,
                    "%s must be a time with its unit, such as 100 ms or 1.5 s, not \"%s\"", name_of(node), text);
    return false;
}

/* Readers of keys */

static const char *const yes_words[] = {"true", "false", NULL};

const struct ys_kind ys_kind_text = {.form = YS_TEXT};
const struct ys_kind ys_kind_texts = {.form = YS_LIST, .items = &ys_kind_text};
const struct ys_kind ys_kind_time = {.form = YS_TIME};
/* a word to the reader, a boolean to the schema */
const struct ys_kind ys_kind_yes = {.form = YS_YES,
                                    .otherwise = &(const struct ys_kind){.form = YS_WORD, .words = yes_words}};

static void *member(const struct ys_node *node, void *target)
{
    return (char *)target + node->key->into;
}

void ys_key_text(const struct ys_node *node, void *target)
{
    *(const char **)member(node, target) = ys_yaml_text(node);
}

void ys_key_written(const struct ys_node *node, void *target)
{
    struct ys_written *written = member(node, target);
    written->place = node->place;
    written->text = ys_yaml_text(node);
}

void ys_key_value(const struct ys_node *node, void *target)
{
    struct ys_written *written = member(node, target);
    written->place = node->place;
    written->text = ys_yaml_value(node);
}

void ys_key_number(const struct ys_node *node, void *target)
{
    struct ys_counted *counted = member(node, target);
    counted->place = node->place;
    counted->given |= ys_yaml_number(node, &counted->number);
}

void ys_key_time(const struct ys_node *node, void *target)
{
    struct ys_counted *counted = member(node, target);
    counted->place = node->place;
    counted->given |= ys_yaml_time(node, &counted->number);
}

void ys_key_yes(const struct ys_node *node, void *target)
{
    *(bool *)member(node, target) = ys_yaml_word(node) == 1;
}

void ys_key_word(const struct ys_node *node, void *target)
{
    int word = ys_yaml_word(node);
    if (word > 0)
        *(int *)member(node, target) = word;
}

/* Mappings */

static void unknown_key(const struct ys_node *node, const struct ys_mapping *mapping, const char *name)
{
    const char *names[WORDS_MOST];
    char title[80];
    for (size_t i = 0; i < mapping->count; i++)
        names[i] = mapping->keys[i].name;
    (void)snprintf(title, sizeof title, "this key of %s", mapping->what);
    unknown(node, "key-unknown", title, name, names, mapping->count);
}

static const struct ys_key *find_key(const char *name, const struct ys_mapping *mapping)
{
    for (size_t i = 0; i < mapping->count; i++) {
        if (strcmp(mapping->keys[i].name, name) == 0)
            return &mapping->keys[i];
    }
    return NULL;
}

bool ys_yaml_mapping(const struct ys_node *node, const struct ys_mapping *mapping, void *target)
{
    bool seen[WORDS_MOST] = {false};
    void *iterator = NULL;
    struct fy_node_pair *pair;
    if (!ys_yaml_is_mapping(node)) {
        ys_findings_add(node->findings, YS_ERROR, "kind", node->place, "%s must be a mapping of keys to values",
                        mapping->what);
        return false;
    }
    while ((pair = fy_node_mapping_iterate(node->node, &iterator)) != NULL) {
        struct ys_node key = {.findings = node->findings, .node = fy_node_pair_key(pair)};
        key.place = place_of(key.node, node->place);
        const char *name = ys_yaml_text(&key);
        if (name == NULL)
            continue;
        const struct ys_key *found = find_key(name, mapping);
        if (found == NULL) {
            unknown_key(&key, mapping, name);
            continue;
        }
        struct ys_node value = {
            .findings = node->findings, .node = fy_node_pair_value(pair), .key = found, .kind = found->kind};
        value.place = place_of(value.node, key.place);
        if (seen[found - mapping->keys]) {
            ys_findings_add(node->findings, YS_ERROR, "key-twice", key.place,
                            "%s has %s already: leave one of them out", mapping->what, name);
            continue;
        }
        seen[found - mapping->keys] = true;
        found->read(&value, target);
    }
    bool complete = mapping->instead != NULL && ys_yaml_peek(node, mapping->instead) != NULL;
    for (size_t i = 0; i < mapping->count && !complete; i++) {
        if (mapping->keys[i].required && !seen[i])
            ys_findings_add(node->findings, YS_ERROR, "key-missing", node->place, "%s has no %s: add it", mapping->what,
                            mapping->keys[i].name);
    }
    return true;
}
