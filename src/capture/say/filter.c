/* Filters: a recursive descent parser. Depth is limited, so that neither it nor the evaluation overflows the stack. */
#include "capture/say/filter.h"

#include <math.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

#include "capture/say/filter_tree.h"
#include "capture/say/layouts.h"
#include "capture/say/message.h"
#include "capture/say/text.h"
#include "wire/att.h"
#include "wire/smp.h"

#define DEPTH_MOST 64

static const char *const subject_names[] = {"time",   "since",  "strength",   "channel", "length",
                                            "number", "handle", "connection", "value",   NULL};

static const char *const name_words[] = {"from",     "to",    "with", "service", "characteristic",
                                         "protocol", "layer", "kind", NULL};

static const char *const flag_words[] = {"error", "again", "damaged", "encrypted", "decrypted", NULL};

/* tokens */

enum token_kind { TOKEN_END, TOKEN_WORD, TOKEN_QUOTED, TOKEN_RELATION, TOKEN_OPEN, TOKEN_CLOSE, TOKEN_BAD };

struct token {
    enum token_kind kind;
    size_t column;
    enum relation relation;
    char text[FILTER_WORD_MOST];
};

struct parser {
    const char *begin;
    const char *next;
    struct token token; /* that has been read, and not used */
    char *error;
    size_t size;
    size_t *column;
    bool failed;
    int depth;
};

#if defined(__GNUC__)
__attribute__((format(printf, 3, 4)))
#endif
static struct ys_filter *
fail(struct parser *parser, size_t column, const char *format, ...)
{
    va_list arguments;
    if (parser->failed)
        return NULL;
    parser->failed = true;
    *parser->column = column;
    va_start(arguments, format);
    (void)vsnprintf(parser->error, parser->size, format, arguments);
    va_end(arguments);
    return NULL;
}

static bool ends_word(char character)
{
    return character == '\0' || strchr(" \t\r\n()<>=!\"", character) != NULL;
}

static void read_relation(struct parser *parser, struct token *token)
{
    static const struct {
        const char *text;
        enum relation relation;
    } relations[] = {{"<=", AT_MOST}, {">=", AT_LEAST}, {"!=", UNEQUAL}, {"==", EQUAL},
                     {"<", LESS},     {">", MORE},      {"=", EQUAL}};
    token->kind = TOKEN_BAD;
    for (size_t i = 0; i < sizeof relations / sizeof relations[0]; i++) {
        size_t length = strlen(relations[i].text);
        if (strncmp(parser->next, relations[i].text, length) != 0)
            continue;
        token->kind = TOKEN_RELATION;
        token->relation = relations[i].relation;
        parser->next += length;
        return;
    }
    (void)fail(parser, token->column, "\"%c\" is no relation: take =, !=, <, <=, > or >=", *parser->next);
}

static void read_token(struct parser *parser)
{
    struct token *token = &parser->token;
    parser->next += strspn(parser->next, " \t\r\n");
    *token = (struct token){.column = (size_t)(parser->next - parser->begin) + 1};
    char first = *parser->next;
    size_t length = 0;
    if (first == '\0') {
        token->kind = TOKEN_END;
    } else if (first == '(' || first == ')') {
        token->kind = first == '(' ? TOKEN_OPEN : TOKEN_CLOSE;
        parser->next++;
    } else if (strchr("<>=!", first) != NULL) {
        read_relation(parser, token);
    } else {
        bool quoted = first == '"';
        parser->next += quoted;
        while (quoted ? parser->next[length] != '\0' && parser->next[length] != '"' : !ends_word(parser->next[length]))
            length++;
        token->kind = quoted ? TOKEN_QUOTED : TOKEN_WORD;
        if (quoted && parser->next[length] == '\0')
            (void)fail(parser, token->column, "the quotation mark is not closed");
        else if (length >= sizeof token->text)
            (void)fail(parser, token->column, "that word is too long");
        else
            memcpy(token->text, parser->next, length);
        parser->next += length + (quoted && parser->next[length] == '"');
    }
}

static bool is_word(const struct parser *parser, const char *word)
{
    return parser->token.kind == TOKEN_WORD && strcmp(parser->token.text, word) == 0;
}

static int word_among(const char *text, const char *const words[])
{
    for (int i = 0; words[i] != NULL; i++) {
        if (strcmp(text, words[i]) == 0)
            return i;
    }
    return -1;
}

/* the tree */

static struct ys_filter *new_node(struct parser *parser, enum node_kind kind)
{
    struct ys_filter *node = calloc(1, sizeof *node);
    if (node == NULL)
        return fail(parser, parser->token.column, "there is no memory for it");
    node->kind = kind;
    return node;
}

void ys_filter_free(struct ys_filter *filter)
{
    if (filter == NULL)
        return;
    ys_filter_free(filter->children[0]);
    ys_filter_free(filter->children[1]);
    free(filter);
}

static struct ys_filter *parse_any(struct parser *parser);

/* Words up to a relation, a bracket, "and", "or" or the end; or one in quotes. */
static bool read_name(struct parser *parser, char name[FILTER_WORD_MOST])
{
    name[0] = '\0';
    if (parser->token.kind == TOKEN_QUOTED) {
        (void)snprintf(name, FILTER_WORD_MOST, "%s", parser->token.text);
        read_token(parser);
        return true;
    }
    struct ys_text text = ys_text_in(name, FILTER_WORD_MOST);
    while (parser->token.kind == TOKEN_WORD && !is_word(parser, "and") && !is_word(parser, "or")) {
        if (text.length + strlen(parser->token.text) + 2 > FILTER_WORD_MOST) {
            (void)fail(parser, parser->token.column, "that name is too long");
            return false;
        }
        ys_text_add(&text, "%s%s", text.length > 0 ? " " : "", parser->token.text);
        read_token(parser);
    }
    return name[0] != '\0';
}

/* A time in seconds, by its unit; others stay as they are. */
static bool scale(struct ys_filter *node)
{
    static const struct {
        const char *unit;
        double factor;
    } units[] = {{"s", 1}, {"ms", 1e-3}, {"us", 1e-6}, {"min", 60}, {"h", 3600}};
    if (node->what != SUBJECT_TIME && node->what != SUBJECT_SINCE)
        return node->what == SUBJECT_STRENGTH ? node->unit[0] == '\0' || strcmp(node->unit, "dBm") == 0
                                              : node->what == SUBJECT_VALUE || node->unit[0] == '\0';
    for (size_t i = 0; i < sizeof units / sizeof units[0]; i++) {
        if (strcmp(node->unit, units[i].unit) != 0)
            continue;
        node->number *= units[i].factor;
        return true;
    }
    return false;
}

/* After a relation: a number and its unit, or a text in quotes. */
static struct ys_filter *read_operand(struct parser *parser, struct ys_filter *node)
{
    size_t column = parser->token.column;
    char *end = NULL;
    if (parser->token.kind == TOKEN_QUOTED && node->what == SUBJECT_VALUE && node->relation <= UNEQUAL) {
        node->is_text = true;
        (void)snprintf(node->text, sizeof node->text, "%s", parser->token.text);
        read_token(parser);
        return node;
    }
    if (parser->token.kind == TOKEN_WORD)
        node->number = strtod(parser->token.text, &end); /* hexadecimal ones too */
    if (end == NULL || end == parser->token.text || !isfinite(node->number)) {
        ys_filter_free(node);
        return fail(parser, column, "a number must follow");
    }
    (void)snprintf(node->unit, sizeof node->unit, "%.31s", end); /* such as 40ms */
    read_token(parser);
    char unit[FILTER_WORD_MOST];
    size_t unit_column = parser->token.column;
    if (node->unit[0] == '\0' && parser->token.kind == TOKEN_WORD && read_name(parser, unit))
        (void)snprintf(node->unit, sizeof node->unit, "%.31s", unit);
    if (parser->failed || scale(node))
        return node;
    bool time = node->what == SUBJECT_TIME || node->what == SUBJECT_SINCE;
    (void)fail(parser, unit_column,
               time                             ? "a time needs a unit: s, ms, us, min or h"
               : node->what == SUBJECT_STRENGTH ? "a strength is in dBm"
                                                : "this is a number without a unit");
    ys_filter_free(node);
    return NULL;
}

static bool is_named(const struct ys_packet_layout *layout, const char *name)
{
    return layout != NULL && layout->name != NULL && strcasecmp(layout->name, name) == 0;
}

/* Whether any message has this name. */
static bool is_kind(const char *name)
{
    static const char *const others[] = {"ADV_IND",
                                         "ADV_DIRECT_IND",
                                         "ADV_NONCONN_IND",
                                         "SCAN_REQ",
                                         "SCAN_RSP",
                                         "CONNECT_IND",
                                         "ADV_SCAN_IND",
                                         "ADV_EXT_IND",
                                         "AUX_ADV_IND",
                                         "AUX_CHAIN_IND",
                                         "AUX_SYNC_IND",
                                         "AUX_SCAN_RSP",
                                         "AUX_SCAN_REQ",
                                         "AUX_CONNECT_REQ",
                                         "AUX_CONNECT_RSP",
                                         "empty",
                                         "data",
                                         "frame",
                                         NULL};
    for (int i = 0; others[i] != NULL; i++) {
        if (strcasecmp(others[i], name) == 0)
            return true;
    }
    if (strcasecmp(name, "unknown") == 0)
        return false;
    for (unsigned code = 0; code < 0x100; code++) {
        uint8_t low = (uint8_t)code;
        if (is_named(ys_layout_of_control(low), name) || is_named(ys_layout_of_event(low), name) ||
            is_named(ys_layout_of_le_event(low), name) || is_named(ys_layout_of_signal(low), name) ||
            strcasecmp(ys_att_opcode_name(low), name) == 0 || strcasecmp(ys_smp_code_name(low), name) == 0)
            return true;
    }
    return ys_layout_of_command_named(name) != NULL;
}

static struct ys_filter *parse_comparison(struct parser *parser, const char *name, size_t column)
{
    struct ys_filter *node = new_node(parser, NODE_COMPARE);
    int subject = word_among(name, subject_names);
    (void)column;
    if (node == NULL)
        return NULL;
    node->what = subject >= 0 ? subject : SUBJECT_VALUE;
    if (subject < 0)
        (void)snprintf(node->name, sizeof node->name, "%s", name);
    node->relation = parser->token.relation;
    read_token(parser);
    return read_operand(parser, node);
}

/* Words that begin a term: a flag, a kind, or the subject of a comparison. */
static struct ys_filter *parse_words(struct parser *parser)
{
    char name[FILTER_WORD_MOST];
    size_t column = parser->token.column;
    bool quoted = parser->token.kind == TOKEN_QUOTED;
    if (!read_name(parser, name))
        return fail(parser, column, "a search term must follow");
    if (parser->token.kind == TOKEN_RELATION)
        return parse_comparison(parser, name, column);
    int flag = quoted ? -1 : word_among(name, flag_words);
    if (flag < 0 && !is_kind(name)) {
        /* "handle 12" means what "handle = 12" does */
        char *space = strrchr(name, ' ');
        return space != NULL && strncmp(name, "handle ", 7) == 0
                   ? fail(parser, column, "write handle = %s", space + 1)
                   : fail(parser, column,
                          "unknown kind of message \"%s\"; to search for a characteristic, write: characteristic %s",
                          name, name);
    }
    struct ys_filter *node = new_node(parser, flag >= 0 ? NODE_FLAG : NODE_NAME);
    if (node == NULL)
        return NULL;
    node->what = flag >= 0 ? flag : (int)NAME_KIND;
    (void)snprintf(node->name, sizeof node->name, "%s", name);
    return node;
}

static struct ys_filter *parse_name(struct parser *parser, int what)
{
    const char *word = name_words[what];
    read_token(parser);
    size_t column = parser->token.column;
    struct ys_filter *node = new_node(parser, NODE_NAME);
    if (node == NULL)
        return NULL;
    node->what = what;
    if (read_name(parser, node->name) && (what != NAME_KIND || is_kind(node->name)) &&
        (what != NAME_LAYER || word_among(node->name, ys_trace_layer_names) >= 0))
        return node;
    (void)fail(parser, column, node->name[0] == '\0' ? "\"%s\" needs a name" : "there is no such %s", word);
    ys_filter_free(node);
    return NULL;
}

static struct ys_filter *parse_one(struct parser *parser)
{
    if (parser->failed)
        return NULL;
    if (parser->depth >= DEPTH_MOST)
        return fail(parser, parser->token.column, "that is nested too deeply");
    int name = parser->token.kind == TOKEN_WORD ? word_among(parser->token.text, name_words) : -1;
    if (name >= 0)
        return parse_name(parser, name);
    struct ys_filter *node = NULL;
    parser->depth++;
    if (is_word(parser, "not")) {
        read_token(parser);
        struct ys_filter *child = parse_one(parser);
        node = child != NULL ? new_node(parser, NODE_NOT) : NULL;
        if (node != NULL)
            node->children[0] = child;
        else
            ys_filter_free(child);
    } else if (parser->token.kind == TOKEN_OPEN) {
        size_t column = parser->token.column;
        read_token(parser);
        node = parse_any(parser);
        if (node != NULL && parser->token.kind != TOKEN_CLOSE) {
            ys_filter_free(node);
            node = fail(parser, parser->token.column, "the bracket of column %zu is not closed here", column);
        } else if (node != NULL) {
            read_token(parser);
        }
    } else {
        node = parse_words(parser);
    }
    parser->depth--;
    return node;
}

/* Terms with `word` between them. */
static struct ys_filter *parse_row(struct parser *parser, const char *word, enum node_kind kind,
                                   struct ys_filter *(*part)(struct parser *parser))
{
    struct ys_filter *left = part(parser);
    while (left != NULL && is_word(parser, word)) {
        read_token(parser);
        struct ys_filter *right = part(parser);
        struct ys_filter *node = right != NULL ? new_node(parser, kind) : NULL;
        if (node == NULL) {
            ys_filter_free(left);
            ys_filter_free(right);
            return NULL;
        }
        node->children[0] = left;
        node->children[1] = right;
        left = node;
    }
    return left;
}

static struct ys_filter *parse_all(struct parser *parser)
{
    return parse_row(parser, "and", NODE_AND, parse_one);
}

static struct ys_filter *parse_any(struct parser *parser)
{
    return parse_row(parser, "or", NODE_OR, parse_all);
}

struct ys_filter *ys_filter_parse(const char *text, char *error, size_t size, size_t *column)
{
    struct parser parser = {.begin = text, .next = text, .error = error, .size = size, .column = column};
    if (strlen(text) > 4000) { /* a tree of so many terms would be too deep to walk */
        (void)fail(&parser, 4000, "the filter is too long");
        return NULL;
    }
    read_token(&parser);
    struct ys_filter *filter = parse_any(&parser);
    if (filter != NULL && parser.token.kind != TOKEN_END)
        (void)fail(&parser, parser.token.column, "\"and\" or \"or\" must follow");
    if (!parser.failed)
        return filter;
    ys_filter_free(filter);
    return NULL;
}
