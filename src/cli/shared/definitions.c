/* Definitions that are named. */
#include "cli/shared/definitions.h"

#include <errno.h>
#include <string.h>

#include "cli/shared/options.h"
#include "cli/shared/say.h"
#include "cli/shared/terminal.h"
#include "design/open.h"

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

struct ys_layout *open_only(const char *who, const struct files *files, struct ys_design **design)
{
    *design = NULL;
    if (files->count != 1) {
        (void)complain(who, "name one definition, such as NAME.device.yaml");
        return NULL;
    }
    *design = open_design(files->paths[0]);
    return *design != NULL ? lay_out(*design) : NULL;
}
