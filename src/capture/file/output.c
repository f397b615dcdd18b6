/* Files that are made anew. */
#include "capture/file/output.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

static struct ys_output *outputs;

/* As a file is that is simply created. */
static bool give_usual_rights(int descriptor)
{
    mode_t mask = umask(0);
    (void)umask(mask);
    return fchmod(descriptor, 0666 & ~mask) == 0;
}

static bool fail(int trouble, char *error, size_t size)
{
    if (trouble == EEXIST)
        (void)snprintf(error, size, "it is there, and is left alone");
    else
        (void)snprintf(error, size, "cannot write it: %s", strerror(trouble));
    return false;
}

static void forget(struct ys_output *output)
{
    for (struct ys_output **link = &outputs; *link != NULL; link = &(*link)->next) {
        if (*link == output) {
            *link = output->next;
            break;
        }
    }
    free(output->beside);
    free(output->path);
    output->stream = NULL;
}

bool ys_output_begin(struct ys_output *output, const char *path, bool replaces, char *error, size_t size)
{
    struct stat status;
    *output = (struct ys_output){.path = strdup(path), .replaces = replaces, .owner = getpid()};
    size_t room = strlen(path) + sizeof ".XXXXXX";
    output->beside = malloc(room);
    if (output->path == NULL || output->beside == NULL) {
        forget(output);
        return fail(ENOMEM, error, size);
    }
    (void)snprintf(output->beside, room, "%s.XXXXXX", path);
    bool there = lstat(path, &status) == 0;
    if (there && !replaces) {
        forget(output);
        return fail(EEXIST, error, size);
    }
    if (stat(path, &status) == 0 && !S_ISREG(status.st_mode)) {
        forget(output);
        (void)snprintf(error, size, "cannot write it: it is there, and is no file");
        return false;
    }
    int descriptor = mkstemp(output->beside);
    if (descriptor >= 0 && give_usual_rights(descriptor))
        output->stream = fdopen(descriptor, "wb");
    if (output->stream == NULL) {
        int trouble = errno;
        if (descriptor >= 0) {
            (void)close(descriptor);
            (void)unlink(output->beside);
        }
        forget(output);
        return fail(trouble, error, size);
    }
    output->next = outputs;
    outputs = output;
    return true;
}

/* Without `replaces`, a file that was created meanwhile is not replaced either. */
static bool put_in_place(const struct ys_output *output)
{
    if (!output->replaces && link(output->beside, output->path) == 0)
        return unlink(output->beside) == 0;
    bool links = output->replaces || (errno != EPERM && errno != EOPNOTSUPP); /* whether the place knows links at all */
    if (!output->replaces && (links || access(output->path, F_OK) == 0))
        return false;
    return rename(output->beside, output->path) == 0;
}

bool ys_output_end(struct ys_output *output, bool good, char *error, size_t size)
{
    errno = 0;
    bool written = !ferror(output->stream) && fflush(output->stream) == 0 && fsync(fileno(output->stream)) == 0;
    int trouble = errno != 0 ? errno : EIO;
    if (fclose(output->stream) != 0 && written) {
        written = false;
        trouble = errno;
    }
    bool done = good && written && put_in_place(output);
    if (written)
        trouble = errno;
    if (!done)
        (void)unlink(output->beside);
    forget(output);
    if (good && !done)
        (void)fail(trouble, error, size);
    return done;
}

void ys_outputs_remove(void)
{
    for (const struct ys_output *output = outputs; output != NULL; output = output->next) {
        if (output->owner == getpid())
            (void)unlink(output->beside);
    }
}

void ys_outputs_keep(void)
{
    for (const struct ys_output *output = outputs; output != NULL; output = output->next) {
        if (output->owner == getpid() && !put_in_place(output))
            (void)unlink(output->beside);
    }
}
