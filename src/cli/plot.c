/* Pictures. */
#include "cli/plot.h"

#include <ctype.h>
#include <errno.h>
#include <spawn.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>

#include "cli/cli.h"

extern char **environ;

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

static bool give_up(struct plot *plot)
{
    if (plot->data != NULL)
        (void)fclose(plot->data);
    if (plot->script != NULL)
        (void)fclose(plot->script);
    free(plot->picture_path);
    free(plot->data_path);
    free(plot->script_path);
    return false;
}

bool plot_begin(struct plot *plot, const char *who, const char *path)
{
    *plot = (struct plot){
        .who = who,
        .path = path,
        .picture_path = beside(path, ending(path)),
        .data_path = beside(path, ".dat"),
        .script_path = beside(path, ".gnuplot"),
    };
    plot->data = fopen(plot->data_path, "w");
    plot->script = plot->data != NULL ? fopen(plot->script_path, "w") : NULL;
    if (plot->script == NULL) {
        (void)complain(who, "cannot write %s: %s", plot->data != NULL ? plot->script_path : plot->data_path,
                       strerror(errno));
        return give_up(plot);
    }
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
    bool good = fclose(plot->data) == 0;
    good = fclose(plot->script) == 0 && good;
    plot->data = NULL;
    plot->script = NULL;
    if (!good)
        (void)complain(plot->who, "cannot write %s", plot->data_path);
    good = good && draw(plot);
    (void)give_up(plot);
    return good;
}
