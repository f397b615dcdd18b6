/* Pictures. */
#include "cli/shared/plot.h"

#include <ctype.h>
#include <errno.h>
#include <spawn.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include "cli/shared/output.h"
#include "cli/shared/say.h"

extern char **environ;

/* The first line of data and script. */
static const char mark[] = "# Written by yarnswift with a picture, and anew with it.\n";

static const char *ending(const char *path)
{
    const char *dot = strrchr(path, '.');
    return dot != NULL && strchr(dot, '/') == NULL ? dot : "";
}

bool plot_is_possible(const char *who, const char *path)
{
    if (strcmp(ending(path), ".svg") == 0 || strcmp(ending(path), ".png") == 0)
        return true;
    return complain(who, "a plot must end in .svg or .png, not \"%s\"", path);
}

/* The path with another ending. One that begins with a sign gets a dot and a slash before it, since the program that
 * draws takes some of those for an option, or for a command that it is to run. */
static char *beside(const char *path, const char *other)
{
    size_t stem = strlen(path) - strlen(ending(path));
    bool harmless = path[0] == '/' || path[0] == '.' || path[0] == '_' || isalnum((unsigned char)path[0]);
    char *result = NULL;
    if (asprintf(&result, "%s%.*s%s", harmless ? "" : "./", (int)stem, path, other) < 0)
        abort();
    return result;
}

/* Between these quotes a script takes three digits for a byte; all that could mean anything is put so. */
void plot_put_text(FILE *script, const char *text)
{
    (void)fputc('"', script);
    for (; *text != '\0'; text++) {
        unsigned char byte = (unsigned char)*text;
        if (byte >= 0x80 || isalnum(byte) || strchr(" ,.:;-_/+()[]=", byte) != NULL)
            (void)fputc(byte, script);
        else
            (void)fprintf(script, "\\%03o", byte);
    }
    (void)fputc('"', script);
}

static struct plot named(const char *who, const char *path)
{
    return (struct plot){
        .who = who,
        .path = path,
        .picture_path = beside(path, ending(path)),
        .data_path = beside(path, ".dat"),
        .script_path = beside(path, ".gnuplot"),
    };
}

static bool give_up(struct plot *plot)
{
    free(plot->picture_path);
    free(plot->data_path);
    free(plot->script_path);
    return false;
}

/* Whether a file beside a picture is there no more than once it was written with one: it may be somebody's own, or even
 * what is drawn. */
static bool is_ours(const struct plot *plot, const char *path)
{
    char begin[sizeof mark - 1];
    FILE *file = fopen(path, "rb");
    if (file == NULL)
        return errno == ENOENT || complain(plot->who, "cannot read %s: %s", path, strerror(errno));
    bool ours = fread(begin, 1, sizeof begin, file) == sizeof begin && memcmp(begin, mark, sizeof begin) == 0;
    (void)fclose(file);
    return ours || complain(plot->who,
                            "cannot draw %s: %s would be written beside it, and is a file that was not written with a "
                            "picture; take another name",
                            plot->path, path);
}

static bool is_free(const struct plot *plot, bool replaces)
{
    if (!replaces && access(plot->path, F_OK) == 0)
        return complain(plot->who, "cannot draw %s: it is there; give --replace to write over it", plot->path);
    return is_ours(plot, plot->data_path) && is_ours(plot, plot->script_path);
}

bool plot_is_free(const char *who, const char *path, bool replaces)
{
    struct plot plot = named(who, path);
    bool good = is_free(&plot, replaces);
    (void)give_up(&plot);
    return good;
}

bool plot_begin(struct plot *plot, const char *who, const char *path, bool replaces)
{
    *plot = named(who, path);
    if (!is_free(plot, replaces) || !output_begin(&plot->data_file, plot->data_path))
        return give_up(plot);
    if (!output_begin(&plot->script_file, plot->script_path)) {
        (void)output_end(&plot->data_file, false);
        return give_up(plot);
    }
    plot->data = plot->data_file.stream;
    plot->script = plot->script_file.stream;
    (void)fputs(mark, plot->data);
    (void)fputs(mark, plot->script);
    (void)fprintf(plot->script,
                  "set encoding utf8\nset terminal %s size 1280,800 font \"DejaVu Sans,13\" background "
                  "\"#ffffff\"\nset output ",
                  strcmp(ending(path), ".svg") == 0 ? "svg" : "pngcairo");
    plot_put_text(plot->script, plot->picture_path);
    (void)fputs("\ndata = ", plot->script);
    plot_put_text(plot->script, plot->data_path);
    (void)fputc('\n', plot->script);
    return true;
}

static bool draw(const struct plot *plot)
{
    char program[] = "gnuplot";
    char defaults[] = "-d"; /* nothing of the settings of whoever runs it: the same data give the same picture */
    char *arguments[] = {program, defaults, plot->script_path, NULL};
    pid_t child;
    int status = -1;
    int error = posix_spawnp(&child, program, NULL, NULL, arguments, environ);
    if (error == ENOENT)
        return complain(plot->who,
                        "gnuplot draws the plot, and is not installed: apt-get install gnuplot-nox; "
                        "%s and %s are there",
                        plot->data_path, plot->script_path);
    if (error != 0 || waitpid(child, &status, 0) != child || status != 0)
        return complain(plot->who, "gnuplot could not draw %s from %s", plot->path, plot->script_path);
    return true;
}

bool plot_end(struct plot *plot)
{
    bool good = output_end(&plot->data_file, true);
    good = output_end(&plot->script_file, good) && good && draw(plot);
    (void)give_up(plot);
    return good;
}
