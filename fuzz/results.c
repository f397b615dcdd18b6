/* Results that are compared: whatever two files hold, and whatever is allowed, they are compared or refused. The first
 * line is a threshold, the files stand behind it with a zero between them. */
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <unistd.h>

#include "cli/shared/verb.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static int file_of(const char *bytes, size_t length, char *path, size_t size)
{
    int fd = memfd_create("result", 0);
    if (fd < 0 || write(fd, bytes, length) != (ssize_t)length)
        abort();
    (void)snprintf(path, size, "/proc/self/fd/%d", fd);
    return fd;
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    const char *line = size > 0 ? memchr(data, '\n', size) : NULL;
    size_t begin = line != NULL ? (size_t)(line + 1 - (const char *)data) : 0;
    const char *first = (const char *)data + begin;
    const char *zero = size > begin ? memchr(first, '\0', size - begin) : NULL;
    size_t length = zero != NULL ? (size_t)(zero - first) : size - begin;
    char paths[2][40];
    char threshold[100];
    char verb[] = "yarnswift compare";
    char json[] = "--json";
    (void)snprintf(threshold, sizeof threshold, "--threshold=%.*s", (int)(begin > 0 ? begin - 1 : 0),
                   (const char *)data);
    int one = file_of(first, length, paths[0], sizeof paths[0]);
    int other = zero != NULL ? file_of(zero + 1, size - begin - length - 1, paths[1], sizeof paths[1])
                             : file_of(first, length, paths[1], sizeof paths[1]);
    char *arguments[] = {verb, paths[0], paths[1], begin > 0 ? threshold : json, NULL};
    int status = verb_compare(4, arguments);
    if (status < 0 || status > 2 || (zero == NULL && begin == 0 && status == 1)) /* nothing is worse than itself */
        abort();
    (void)close(one);
    (void)close(other);
    return 0;
}
