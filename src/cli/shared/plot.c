/* Pictures. */
#include "cli/shared/plot.h"

#include <ctype.h>
#include <errno.h>
#include <spawn.h>
#include <stdint.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include "cli/shared/saving.h"
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

const char *plot_base_of(const char *path)
{
    const char *slash = strrchr(path, '/');
    return slash != NULL ? slash + 1 : path;
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

/* Whether a file beside a picture is absent, or was written together with one before. Otherwise it may be the user's,
 * or even the data of the drawing. */
static bool is_ours(const struct plot *plot, const char *path)
{
    char begin[sizeof mark - 1];
    FILE *file = fopen(path, "rb");
    if (file == NULL)
        return errno == ENOENT || complain(plot->who, "cannot read %s: %s", path, strerror(errno));
    bool ours = fread(begin, 1, sizeof begin, file) == sizeof begin && memcmp(begin, mark, sizeof begin) == 0;
    (void)fclose(file);
    return ours ||
           complain(plot->who,
                    "cannot draw %s: %s would be overwritten, and does not belong to a picture; use another name",
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
    plot->replaces = replaces;
    if (!is_free(plot, replaces) || !saving_begin(&plot->data_file, plot->data_path, true))
        return give_up(plot);
    if (!saving_begin(&plot->script_file, plot->script_path, true)) {
        (void)saving_end(&plot->data_file, false);
        return give_up(plot);
    }
    plot->data = plot->data_file.stream;
    plot->script = plot->script_file.stream;
    (void)fputs(mark, plot->data);
    (void)fputs(mark, plot->script);
    (void)fprintf(plot->script,
                  "set encoding utf8\nset terminal %s size 1280,800 font \"DejaVu Sans,13\" background "
                  "\"#ffffff\"\nif (!exists(\"picture\")) picture = ",
                  strcmp(ending(path), ".svg") == 0 ? "svg" : "pngcairo");
    plot_put_text(plot->script, plot->picture_path);
    (void)fputs("\nset output picture\ndata = ", plot->script);
    plot_put_text(plot->script, plot->data_path);
    (void)fputc('\n', plot->script);
    return true;
}

/* Whether a picture ends as one does: the program that draws does not say when there is no room. */
static bool is_whole(const char *path)
{
    static const char svg[] = "</svg>";
    static const uint8_t png[] = {'I', 'E', 'N', 'D', 0xae, 0x42, 0x60, 0x82};
    char end[64] = "";
    FILE *file = fopen(path, "rb");
    if (file == NULL)
        return false;
    size_t length = fseek(file, -(long)sizeof end, SEEK_END) == 0 ? fread(end, 1, sizeof end, file) : 0;
    (void)fclose(file);
    return memmem(end, length, svg, sizeof svg - 1) != NULL || memmem(end, length, png, sizeof png) != NULL;
}

/* Draws it to another path than the script says. */
static bool draw(const struct plot *plot, const char *path)
{
    char program[] = "gnuplot";
    char defaults[] = "-d"; /* without the user's own settings: the same data give the same picture */
    char first[] = "-e";
    char *picture = NULL;
    size_t length = 0;
    FILE *command = open_memstream(&picture, &length);
    if (command == NULL)
        return complain(plot->who, "there is no memory to draw %s", plot->path);
    (void)fputs("picture = ", command);
    plot_put_text(command, path);
    (void)fclose(command);
    char *arguments[] = {program, defaults, first, picture, plot->script_path, NULL};
    pid_t child;
    int status = -1;
    int error = posix_spawnp(&child, program, NULL, NULL, arguments, environ);
    free(picture);
    if (error == ENOENT)
        return complain(plot->who,
                        "gnuplot draws the plot, and is not installed: apt-get install gnuplot-nox; "
                        "%s and %s are there",
                        plot->data_path, plot->script_path);
    if (error != 0 || waitpid(child, &status, 0) != child || status != 0 || !is_whole(path))
        return complain(plot->who, "gnuplot could not draw %s from %s", plot->path, plot->script_path);
    return true;
}

bool plot_end(struct plot *plot)
{
    struct ys_output picture;
    char *path = beside(plot->path, ending(plot->path));
    bool good = saving_end(&plot->data_file, true);
    good = saving_end(&plot->script_file, good) && good && saving_begin(&picture, path, plot->replaces);
    if (good) {
        bool drawn = draw(plot, picture.beside);
        good = saving_end(&picture, drawn) && drawn;
    }
    free(path);
    (void)give_up(plot);
    return good;
}
