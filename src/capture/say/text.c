/* A text that grows. */
#include "capture/say/text.h"

#include <stdarg.h>
#include <stdio.h>

#include "wire/hex.h"

struct ys_text ys_text_in(char *to, size_t size)
{
    to[0] = '\0';
    return (struct ys_text){.to = to, .size = size};
}

void ys_text_add(struct ys_text *text, const char *format, ...)
{
    va_list arguments;
    size_t room = text->size - text->length;
    va_start(arguments, format);
    int length = vsnprintf(text->to + text->length, room, format, arguments);
    va_end(arguments);
    if (length > 0)
        text->length += (size_t)length < room ? (size_t)length : room - 1;
}

void ys_text_hex(struct ys_text *text, const uint8_t *bytes, size_t length, size_t most)
{
    for (size_t i = 0; i < length && i < most && text->length + 4 < text->size; i++) {
        if (i > 0)
            text->to[text->length++] = ' ';
        (void)ys_hex_put(text->to + text->length, bytes[i], false);
        text->length += 2;
    }
    text->to[text->length] = '\0';
    if (length > most)
        ys_text_add(text, " ... (%zu bytes)", length);
}
