/* A folder for files that are gone afterwards. */
#include "cli/shared/scratch.h"

#include <errno.h>
#include <ftw.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "cli/shared/say.h"

bool scratch_begin(const char *who, char *folder, size_t size)
{
    const char *temporary = getenv("TMPDIR");
    (void)snprintf(folder, size, "%s/yarnswift.XXXXXX", temporary != NULL && temporary[0] != '\0' ? temporary : "/tmp");
    if (mkdtemp(folder) != NULL)
        return true;
    (void)complain(who, "cannot make the folder %s: %s", folder, strerror(errno));
    folder[0] = '\0';
    return false;
}

static int remove_one(const char *path, const struct stat *found, int kind, struct FTW *place)
{
    (void)found;
    (void)kind;
    (void)place;
    return remove(path);
}

void scratch_end(const char *folder)
{
    if (folder[0] != '\0')
        (void)nftw(folder, remove_one, 8, FTW_DEPTH | FTW_PHYS);
}
