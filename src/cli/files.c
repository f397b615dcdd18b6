/* Files: definitions in, generated sources out. */
#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "cli/cli.h"
#include "cli/output.h"
#include "cli/say.h"
#include "design/making/generate.h"
#include "design/open.h"
#include "design/reading/files.h"

bool wants_colour(FILE *stream)
{
    const char *no_color = getenv("NO_COLOR");
    return (no_color == NULL || no_color[0] == '\0') && isatty(fileno(stream)) != 0;
}

int finish(int status)
{
    if (fflush(stdout) == 0 && !ferror(stdout))
        return status;
    (void)complain("yarnswift", "cannot write the result: %s", strerror(errno));
    return EXIT_BAD_INPUT;
}

const char *severity_word(enum ys_severity severity)
{
    static const char *const words[] = {[YS_ERROR] = "error", [YS_WARNING] = "warning", [YS_ADVICE] = "advice"};
    return words[severity];
}

static void print_finding(const char *file, const struct ys_finding *finding)
{
    static const char *const colours[] = {
        [YS_ERROR] = "\033[1;31m", [YS_WARNING] = "\033[1;33m", [YS_ADVICE] = "\033[1;34m"};
    bool colour = wants_colour(stderr);
    put_plain(stderr, finding->place.file != NULL ? finding->place.file : file);
    if (finding->place.line > 0)
        (void)fprintf(stderr, ":%d:%d", finding->place.line, finding->place.column);
    (void)fprintf(stderr, ": %s%s:%s %s\n", colour ? colours[finding->severity] : "", severity_word(finding->severity),
                  colour ? "\033[0m" : "", finding->text);
}

void print_findings(const struct ys_design *design, bool advice)
{
    for (size_t i = 0; i < design->findings.count; i++) {
        if (advice || design->findings.items[i].severity != YS_ADVICE)
            print_finding(design->file, &design->findings.items[i]);
    }
}

void print_all_findings(const char *file, const struct ys_findings *findings)
{
    for (size_t i = 0; i < findings->count; i++)
        print_finding(file, &findings->items[i]);
}

struct ys_design *read_design(const char *path)
{
    struct ys_design *design = ys_design_open(path);
    if (design == NULL)
        (void)complain(path, "cannot read it: %s",
                       errno == EFBIG ? "it is longer than 16 MiB, which no definition is" : strerror(errno));
    return design;
}

struct ys_design *open_design(const char *path)
{
    struct ys_design *design = read_design(path);
    if (design != NULL)
        print_findings(design, false);
    return design;
}

struct ys_layout *lay_out(const struct ys_design *design)
{
    if (design->findings.errors > 0)
        return NULL;
    struct ys_layout *layout = ys_layout_new(design);
    if (layout == NULL)
        (void)complain(design->file, "error: it has more attributes than the 65,535 handles: take some out");
    return layout;
}

bool may_be_generated(const char *path)
{
    size_t mark = strlen(YS_GENERATED_MARK);
    size_t length = 0;
    char *text = ys_file_read(path, SIZE_MAX / 4, &length);
    if (text == NULL)
        return errno == ENOENT || complain(path, "cannot read it: %s", strerror(errno));
    bool ours = length >= mark && memcmp(text, YS_GENERATED_MARK, mark) == 0;
    free(text);
    return ours || complain(path, "this file was not generated: move it away, or choose another folder with -o");
}

static bool is_same(const char *path, const char *text, size_t length)
{
    size_t old_length = 0;
    char *old = ys_file_read(path, SIZE_MAX / 4, &old_length);
    bool same = old != NULL && old_length == length && memcmp(old, text, length) == 0;
    free(old);
    return same;
}

bool write_generated(const char *path, const char *text, size_t length)
{
    struct output_file file;
    if (is_same(path, text, length))
        return true;
    return output_begin(&file, path) && output_end(&file, fwrite(text, 1, length, file.stream) == length);
}
