/* Runs the built command. */
#include "support/run.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include "support/check.h"

char *read_whole(const char *path)
{
    FILE *file = fopen(path, "rb");
    char *text = NULL;
    size_t size = 0;
    if (file == NULL)
        return NULL;
    FILE *memory = open_memstream(&text, &size);
    for (int letter = fgetc(file); letter != EOF; letter = fgetc(file))
        (void)fputc(letter, memory);
    (void)fclose(memory);
    (void)fclose(file);
    return text;
}

struct outcome run_command(const char *arguments)
{
    static struct outcome outcome;
    char line[4096];
    char out[256];
    char err[256];
    free(outcome.out);
    free(outcome.err);
    (void)snprintf(out, sizeof out, YARNSWIFT_SCRATCH "/out.%d", (int)getpid());
    (void)snprintf(err, sizeof err, YARNSWIFT_SCRATCH "/err.%d", (int)getpid());
    (void)snprintf(line, sizeof line, "'" YARNSWIFT_COMMAND "' %s >'%s' 2>'%s'", arguments, out, err);
    int status = system(line);
    assert_true(WIFEXITED(status));
    outcome = (struct outcome){.status = WEXITSTATUS(status), .out = read_whole(out), .err = read_whole(err)};
    (void)remove(out);
    (void)remove(err);
    return outcome;
}

const char *scratch_file(const char *name, const char *text)
{
    static char path[512];
    (void)snprintf(path, sizeof path, YARNSWIFT_SCRATCH "/%s", name);
    FILE *file = fopen(path, "wb");
    assert_non_null(file);
    (void)fputs(text, file);
    (void)fclose(file);
    return path;
}

const char *scratch_folder(const char *name)
{
    static char path[512];
    char line[700];
    (void)snprintf(path, sizeof path, YARNSWIFT_SCRATCH "/%s", name);
    (void)snprintf(line, sizeof line, "rm -rf '%s'", path);
    assert_int_equal(system(line), 0);
    assert_int_equal(mkdir(path, 0777), 0);
    return path;
}
