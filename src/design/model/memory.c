/* Memory of the design tools. */
#include "design/model/memory.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static void *checked(void *memory)
{
    if (memory == NULL) {
        (void)fputs("yarnswift: out of memory\n", stderr);
        abort();
    }
    return memory;
}

void *ys_grow(void *items, size_t count, size_t size)
{
    /* capacities are the powers of two from 8 on, so the count alone tells when one is full */
    if (count != 0 && (count < 8 || (count & (count - 1)) != 0))
        return items;
    return checked(realloc(items, (count == 0 ? 8 : 2 * count) * size));
}

void *ys_new(size_t size)
{
    return checked(calloc(1, size));
}

char *ys_copy(const char *text, size_t length)
{
    char *copy = checked(malloc(length + 1));
    memcpy(copy, text, length);
    copy[length] = '\0';
    return copy;
}

char *ys_new_text_of(const char *format, va_list arguments)
{
    va_list again;
    va_copy(again, arguments);
    int length = vsnprintf(NULL, 0, format, again);
    va_end(again);
    char *text = ys_new((size_t)length + 1);
    (void)vsnprintf(text, (size_t)length + 1, format, arguments);
    return text;
}

char *ys_new_text(const char *format, ...)
{
    va_list arguments;
    va_start(arguments, format);
    char *text = ys_new_text_of(format, arguments);
    va_end(arguments);
    return text;
}
