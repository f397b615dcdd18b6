/* Findings of a definition. */
#include "design/model/finding.h"

#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>

#include "design/model/memory.h"
#include "wire/utf8.h"

void ys_findings_add(struct ys_findings *findings, enum ys_severity severity, const char *code, struct ys_place place,
                     const char *format, ...)
{
    char *text = NULL;
    size_t size = 0;
    FILE *stream = open_memstream(&text, &size);
    va_list arguments;
    if (stream == NULL)
        abort();
    va_start(arguments, format);
    (void)vfprintf(stream, format, arguments);
    va_end(arguments);
    (void)fclose(stream);
    ys_utf8_copy_name(text, size + 1, text, size); /* it quotes what it is about */
    findings->items = ys_grow(findings->items, findings->count, sizeof *findings->items);
    findings->items[findings->count++] =
        (struct ys_finding){.severity = severity, .code = code, .place = place, .text = text};
    findings->errors += severity == YS_ERROR;
    findings->warnings += severity == YS_WARNING;
}

static bool is_behind(const struct ys_place *a, const struct ys_place *b)
{
    if (a->order != b->order)
        return a->order > b->order;
    return a->line != b->line ? a->line > b->line : a->column > b->column;
}

/* Insertion keeps those of one place in the order in which they were found; lists are short. */
void ys_findings_sort(struct ys_findings *findings)
{
    for (size_t i = 1; i < findings->count; i++) {
        struct ys_finding moved = findings->items[i];
        size_t at = i;
        for (; at > 0; at--) {
            if (!is_behind(&findings->items[at - 1].place, &moved.place))
                break;
            findings->items[at] = findings->items[at - 1];
        }
        findings->items[at] = moved;
    }
}

void ys_findings_clear(struct ys_findings *findings)
{
    for (size_t i = 0; i < findings->count; i++)
        free(findings->items[i].text);
    free(findings->items);
    *findings = (struct ys_findings){.items = NULL};
}
