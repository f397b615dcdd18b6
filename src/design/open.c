/* Definitions in files. */
#include "design/open.h"

#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

#include "design/memory.h"

#define DEFINITION_MOST (16u << 20)

char *ys_file_read(const char *path, size_t most, size_t *length)
{
    struct stat status;
    FILE *file = fopen(path, "rb");
    char *text = NULL;
    size_t size = 0;
    if (file == NULL)
        return NULL;
    if (fstat(fileno(file), &status) == 0 && S_ISDIR(status.st_mode)) {
        (void)fclose(file);
        errno = EISDIR;
        return NULL;
    }
    *length = 0;
    do {
        if (*length == size) {
            size = size == 0 ? 65536 : 2 * size;
            char *grown = size <= 2 * most ? realloc(text, size) : NULL;
            if (grown == NULL) {
                free(text);
                (void)fclose(file);
                errno = EFBIG;
                return NULL;
            }
            text = grown;
        }
        *length += fread(text + *length, 1, size - *length, file);
    } while (!feof(file) && !ferror(file));
    bool failed = ferror(file) != 0;
    (void)fclose(file);
    if (failed || *length > most) {
        free(text);
        errno = failed ? EIO : EFBIG;
        return NULL;
    }
    return text;
}

char *ys_path_beside(const char *file, const char *path)
{
    const char *slash = strrchr(file, '/');
    size_t folder = path[0] == '/' || slash == NULL ? 0 : (size_t)(slash - file) + 1;
    size_t size = folder + strlen(path) + 1;
    char *joined = ys_new(size);
    (void)snprintf(joined, size, "%.*s%s", (int)folder, file, path);
    return joined;
}

/* What a definition includes is read as it is itself. */
static char *load(void *context, const char *path, size_t *length)
{
    (void)context;
    return ys_file_read(path, DEFINITION_MOST, length);
}

struct ys_design *ys_design_open(const char *path)
{
    size_t length = 0;
    char *text = ys_file_read(path, DEFINITION_MOST, &length);
    if (text == NULL)
        return NULL;
    struct ys_design *design = ys_design_read(path, text, length, load, NULL);
    free(text);
    return design;
}
