/* What is said of what is wrong. */
#include "cli/shared/say.h"

#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "wire/utf8.h"

void put_plain(FILE *stream, const char *text)
{
    size_t left = strlen(text);
    for (size_t length; left > 0; text += length, left -= length) {
        length = ys_utf8_plain(text, left);
        if (length > 0) {
            (void)fwrite(text, 1, length, stream);
            continue;
        }
        (void)fprintf(stream, "\\x%02x", (unsigned char)*text);
        length = 1;
    }
}

bool complain(const char *who, const char *format, ...)
{
    va_list arguments;
    char *text = NULL;
    va_start(arguments, format);
    if (vasprintf(&text, format, arguments) < 0)
        abort();
    va_end(arguments);
    put_plain(stderr, who);
    (void)fputs(": ", stderr);
    put_plain(stderr, text);
    (void)fputc('\n', stderr);
    free(text);
    return false;
}
