/* Generated C, whatever the names of a definition are: comments and strings end where they should, what is between them
 * is ours, and brackets are closed. Names stand in the lines of the input. */
#include <ctype.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <jansson.h>

#include "design/making/generate.h"
#include "design/open.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

/* Each @ is a name of the input. */
static const char definition[] =
    "device: {name: @, security: {capability: display}, link: {interval: [15 ms, 30 ms]}}\n"
    "advertising:\n"
    "  - {interval: 100 ms, name: @}\n"
    "  - {interval: 1 s, kind: beacon, extended: true, name: @}\n"
    "services:\n"
    "  - name: @\n"
    "    uuid: 2d4f0000-6a91-4c3e-b8d7-0f15e2a96c84\n"
    "    characteristics:\n"
    "      - {name: @, uuid: +1, format: uint8, read: open, write: open and ask, handler: [read, write], range: [0, "
    "9],\n"
    "         description: @, presentation format: true}\n"
    "      - name: @\n"
    "        uuid: +2\n"
    "        format: struct\n"
    "        read: open\n"
    "        notify: encrypted\n"
    "        handler: read\n"
    "        fields:\n"
    "          - {name: @, format: \"boolean[8]\", bits: [@, wide]}\n"
    "          - {name: @, format: uint16, unit: volt, when: wide}\n"
    "          - {name: @, format: utf8s, length: 20}\n"
    "      - {name: @, uuid: +3, format: utf8s, length: 30, read: open, value: @}\n";

static char *fill_in(const char *names)
{
    char *text = NULL;
    size_t length = 0;
    FILE *out = open_memstream(&text, &length);
    unsigned number = 0;
    for (const char *at = definition; *at != '\0'; at++) {
        if (*at != '@') {
            (void)fputc(*at, out);
            continue;
        }
        size_t span = strcspn(names, "\n");
        json_t *name = span > 0 ? json_stringn(names, span) : NULL;
        char *quoted = name != NULL ? json_dumps(name, JSON_ENCODE_ANY) : NULL;
        if (quoted != NULL)
            (void)fputs(quoted, out);
        else
            (void)fprintf(out, "name %u", number);
        number++;
        free(quoted);
        json_decref(name);
        names += span + (names[span] != '\0');
    }
    (void)fclose(out);
    return text;
}

/* Trigraphs and ends of lines that are none, as a compiler sees them first. */
static void translate(char *text)
{
    static const char from[] = "=/'()!<>-";
    static const char to[] = "#\\^[]|{}~";
    char *out = text;
    for (const char *at = text; *at != '\0';) {
        const char *sign = at[0] == '?' && at[1] == '?' && at[2] != '\0' ? strchr(from, at[2]) : NULL;
        char next = sign != NULL ? to[sign - from] : *at;
        at += sign != NULL ? 3 : 1;
        if (next == '\\' && *at == '\n')
            at++;
        else
            *out++ = next;
    }
    *out = '\0';
}

static const char *behind(const char *at, const char *end)
{
    const char *found = strstr(at, end);
    if (found == NULL)
        abort();
    return found + strlen(end);
}

static const char *behind_quotes(const char *at)
{
    char quote = *at++;
    for (; *at != quote; at++) {
        if (*at == '\\')
            at++;
        if (*at == '\n' || *at == '\0')
            abort();
    }
    return at + 1;
}

static void look_at_directive(const char *at)
{
    static const char *const known[] = {"include", "define", "ifndef", "ifdef", "if", "endif", "error", "else"};
    at += strspn(at, " \t");
    for (size_t i = 0; i < sizeof known / sizeof known[0]; i++) {
        size_t length = strlen(known[i]);
        if (strncmp(at, known[i], length) == 0 && !isalnum((unsigned char)at[length]))
            return;
    }
    abort();
}

static void look(char *text)
{
    char open[64];
    size_t depth = 0;
    bool line_begins = true;
    translate(text);
    for (const char *at = text; *at != '\0';) {
        static const char brackets[] = "({[)}]";
        const char *bracket = strchr(brackets, *at);
        if (at[0] == '/' && at[1] == '*') {
            at = behind(at + 2, "*/");
            continue;
        }
        if (at[0] == '/' && at[1] == '/')
            abort(); /* we write none of these */
        if (*at == '"' || *at == '\'') {
            at = behind_quotes(at);
            line_begins = false;
            continue;
        }
        if (*at == '#' && line_begins)
            look_at_directive(at + 1);
        if (bracket != NULL && bracket - brackets < 3) {
            if (depth == sizeof open)
                abort();
            open[depth++] = *bracket;
        } else if (bracket != NULL && (depth == 0 || open[--depth] != brackets[bracket - brackets - 3])) {
            abort();
        }
        if (!isalnum((unsigned char)*at) && strchr("_ \n\t(){}[]<>;:,.=+-*/&|!~?#%", *at) == NULL)
            abort();
        line_begins = *at == '\n' || (line_begins && *at == ' ');
        at++;
    }
    if (depth != 0)
        abort();
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static void (*const prints[])(FILE *, const struct ys_design *, const struct ys_layout *) = {
        ys_generate_header, ys_generate_source, ys_generate_config, ys_generate_skeleton};
    char *names = strndup((const char *)data, size);
    char *text = fill_in(names);
    struct ys_design *design = ys_design_read("fuzz.device.yaml", text, strlen(text), NULL, NULL);
    struct ys_layout *layout = design->findings.errors == 0 ? ys_layout_new(design) : NULL;
    for (size_t i = 0; i < sizeof prints / sizeof prints[0] && layout != NULL; i++) {
        char *out = NULL;
        size_t length = 0;
        FILE *stream = open_memstream(&out, &length);
        prints[i](stream, design, layout);
        (void)fclose(stream);
        if (strlen(out) != length)
            abort();
        look(out);
        free(out);
    }
    ys_layout_free(layout);
    ys_design_free(design);
    free(text);
    free(names);
    return 0;
}
