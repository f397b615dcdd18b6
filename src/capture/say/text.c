/* A text that grows. */
#include "capture/say/text.h"

#include <stdarg.h>
#include <stdio.h>
#include <string.h>

#include "wire/hex.h"

struct ys_text ys_text_in(char *to, size_t size)
{
    to[0] = '\0';
    return (struct ys_text){.to = to, .size = size};
}

#define WORD_MOST 40

/* Cuts after a whole word, unless that is very long, and appends a sign. */
static void cut(struct ys_text *text)
{
    static const char more[] = " ...";
    size_t most = text->size - sizeof more;
    text->is_cut = true;
    if (text->size < 2 * sizeof more)
        return;
    if (most > text->length)
        most = text->length;
    size_t end = most;
    while (end > 0 && most - end < WORD_MOST && text->to[end] != ' ')
        end--;
    if (text->to[end] != ' ') {
        end = most;
        while (end > 0 && ((unsigned char)text->to[end] & 0xc0) == 0x80) /* within a character */
            end--;
    }
    while (end > 0 && (text->to[end - 1] == ' ' || text->to[end - 1] == ','))
        end--;
    memcpy(text->to + end, more, sizeof more);
    text->length = end + sizeof more - 1;
}

void ys_text_add(struct ys_text *text, const char *format, ...)
{
    va_list arguments;
    size_t room = text->size - text->length;
    if (text->is_cut)
        return;
    va_start(arguments, format);
    int length = vsnprintf(text->to + text->length, room, format, arguments);
    va_end(arguments);
    if (length > 0)
        text->length += (size_t)length < room ? (size_t)length : room - 1;
    if (length > 0 && (size_t)length >= room)
        cut(text);
}

void ys_text_hex(struct ys_text *text, const uint8_t *bytes, size_t length, size_t most)
{
    for (size_t i = 0; i < length && i < most && !text->is_cut; i++) {
        if (text->length + 4 >= text->size) {
            cut(text);
            return;
        }
        if (i > 0)
            text->to[text->length++] = ' ';
        (void)ys_hex_put(text->to + text->length, bytes[i], false);
        text->length += 2;
        text->to[text->length] = '\0';
    }
    if (length > most)
        ys_text_add(text, " ... (%zu bytes)", length);
}
