/* Memory of the design tools. Running out of it ends the program with a message: a definition is small. */
#ifndef DESIGN_MODEL_MEMORY_H
#define DESIGN_MODEL_MEMORY_H

#include <stdarg.h>
#include <stddef.h>

/* Room for at least one item after `count` items of `size` bytes; doubles the memory when needed. */
void *ys_grow(void *items, size_t count, size_t size);

/* A zeroed piece of `size` bytes. */
void *ys_new(size_t size);

/* A copy of the first `length` characters, with a terminating zero. */
char *ys_copy(const char *text, size_t length);

/* A new text, formatted as by printf or vprintf. */
#if defined(__GNUC__)
__attribute__((format(printf, 1, 2)))
#endif
char *
ys_new_text(const char *format, ...);
char *ys_new_text_of(const char *format, va_list arguments);

#endif
