/* Files that are generated. */
#include "cli/shared/generated.h"

#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "cli/shared/saving.h"
#include "cli/shared/say.h"
#include "design/making/generate.h"
#include "design/reading/files.h"

/* The mark is after this number of characters: those of a comment, or of a JSON object. */
#define NOTE_AT_MOST 16

bool may_be_generated(const char *path)
{
    size_t length = 0;
    char *text = ys_file_read(path, SIZE_MAX / 4, &length);
    if (text == NULL)
        return errno == ENOENT || complain(path, "cannot read it: %s", strerror(errno));
    const char *note = length > 0 ? strstr(text, YS_GENERATED_NOTE) : NULL;
    bool ours = note != NULL && note - text < NOTE_AT_MOST;
    free(text);
    return ours || complain(path, "this file was not generated: move it away, or choose another folder with -o");
}

static bool is_same(const char *path, const char *text, size_t length)
{
    size_t old_length = 0;
    char *old = ys_file_read(path, SIZE_MAX / 4, &old_length);
    bool same = old != NULL && old_length == length && memcmp(old, text, length) == 0;
    free(old);
    return same;
}

bool write_generated(const char *path, const char *text, size_t length)
{
    struct ys_output output;
    if (is_same(path, text, length))
        return true;
    if (!saving_begin(&output, path, true))
        return false;
    (void)fwrite(text, 1, length, output.stream);
    return saving_end(&output, true);
}
