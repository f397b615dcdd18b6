/* The version, with the commit that it was built from. */
#ifndef CLI_SHARED_VERSION_H
#define CLI_SHARED_VERSION_H

/* The version, with the commit in parentheses where it is known. */
const char *version_text(void);

#endif
