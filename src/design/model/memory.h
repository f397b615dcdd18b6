/* Memory of the design tools. Running out of it ends the program with a message: a definition is small. */
#ifndef DESIGN_MODEL_MEMORY_H
#define DESIGN_MODEL_MEMORY_H

#include <stddef.h>

/* Room for at least one more item behind `count` items of `size` bytes; doubles when it must. */
void *ys_grow(void *items, size_t count, size_t size);

/* A zeroed piece of `size` bytes. */
void *ys_new(size_t size);

/* A copy of the first `length` characters, with a terminating zero. */
char *ys_copy(const char *text, size_t length);

#endif
