/* The version, with the commit that it was built from. */
#include "cli/shared/version.h"

#include <stdio.h>

/* The commit, or "" if unknown (made at build time). The generator has none: otherwise every commit would generate all
 * tables again. */
#ifdef YARNSWIFT_NO_COMMIT
static const char version_commit[] = "";
#else
extern const char version_commit[];
#endif

const char *version_text(void)
{
    static char text[80];
    (void)snprintf(text, sizeof text, version_commit[0] != '\0' ? "%s (%s)" : "%s", YARNSWIFT_VERSION, version_commit);
    return text;
}
