/* Files that a definition or a scene names. */
#include "design/reading/files.h"

#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

#include "design/model/memory.h"

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

char *ys_load_beside(const struct ys_design *design, struct ys_place place, const char *name, char **path,
                     size_t *length)
{
    *path = ys_path_beside(place.file != NULL ? place.file : design->file, name);
    char *text = design->load != NULL ? design->load(design->load_context, *path, length) : NULL;
    char *copy = text != NULL ? ys_copy(text, *length) : NULL;
    free(text);
    return copy;
}
