/* Files that the command makes anew. */
#include "cli/shared/output.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "cli/shared/say.h"

static bool cannot_write(const struct output_file *file)
{
    return complain(file->path, "cannot write it: %s", strerror(errno));
}

/* As a file is that is simply created. */
static bool give_usual_rights(int descriptor)
{
    mode_t mask = umask(0);
    (void)umask(mask);
    return fchmod(descriptor, 0666 & ~mask) == 0;
}

bool output_begin(struct output_file *file, const char *path)
{
    struct stat status;
    *file = (struct output_file){.path = path};
    if (stat(path, &status) == 0 && !S_ISREG(status.st_mode))
        return complain(path, "cannot write it: it is there, and is no file");
    if (asprintf(&file->beside, "%s.XXXXXX", path) < 0)
        abort();
    int descriptor = mkstemp(file->beside);
    if (descriptor >= 0 && give_usual_rights(descriptor))
        file->stream = fdopen(descriptor, "wb");
    if (file->stream != NULL)
        return true;
    (void)cannot_write(file);
    if (descriptor >= 0) {
        (void)close(descriptor);
        (void)remove(file->beside);
    }
    free(file->beside);
    return false;
}

bool output_end(struct output_file *file, bool good)
{
    bool written = !ferror(file->stream) && fflush(file->stream) == 0 && fsync(fileno(file->stream)) == 0;
    int error = errno;
    written = fclose(file->stream) == 0 && written;
    if (good && written && rename(file->beside, file->path) == 0) {
        free(file->beside);
        return true;
    }
    errno = written ? errno : error;
    if (good)
        (void)cannot_write(file);
    (void)remove(file->beside);
    free(file->beside);
    return false;
}
