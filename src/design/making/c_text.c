/* C as text. */
#include "design/making/c_text.h"

#include <ctype.h>
#include <string.h>

#include "design/model/memory.h"

static char *raise(char *text)
{
    for (char *letter = text; *letter != '\0'; letter++)
        *letter = (char)toupper((unsigned char)*letter);
    return text;
}

char *ys_c_upper(const char *identifier)
{
    return raise(ys_copy(identifier, strlen(identifier)));
}

char *ys_new_upper(const char *format, ...)
{
    va_list arguments;
    va_start(arguments, format);
    char *text = ys_new_text_of(format, arguments);
    va_end(arguments);
    return raise(text);
}

void ys_c_put_comment(FILE *stream, const char *text)
{
    for (char before = '\0'; *text != '\0'; before = *text++) {
        if ((before == '*' && *text == '/') || (before == '/' && *text == '*'))
            (void)fputc(' ', stream);
        (void)fputc(*text, stream);
    }
}

/* In octal, of which a literal takes three digits and no more; a question mark might begin a trigraph. */
void ys_c_put_string(FILE *stream, const char *text)
{
    (void)fputc('"', stream);
    for (; *text != '\0'; text++) {
        unsigned char letter = (unsigned char)*text;
        if (letter < 0x20 || letter > 0x7e || letter == '"' || letter == '\\' || letter == '?')
            (void)fprintf(stream, "\\%03o", letter);
        else
            (void)fputc(letter, stream);
    }
    (void)fputc('"', stream);
}

void ys_c_put_bytes(FILE *stream, const char *indent, const char *name, const uint8_t *bytes, size_t length)
{
    (void)fprintf(stream, "%sstatic const uint8_t %s[] = {", indent, name);
    for (size_t i = 0; i < length; i++) {
        if (i > 0)
            (void)fputs(i % 16 == 0 ? ",\n" : ", ", stream);
        if (i > 0 && i % 16 == 0)
            (void)fprintf(stream, "%s    ", indent);
        (void)fprintf(stream, "0x%02x", bytes[i]);
    }
    (void)fputs(length == 0 ? "0};\n" : "};\n", stream);
}
