/* Firmware on a workstation: the demo's scene for a device of the user's own. */
#include <yarnswift/workstation.h>

#include <errno.h>
#include <stdlib.h>
#include <string.h>

#include "capture/file/writer.h"
#include "design/open.h"
#include "scene/report.h"
#include "wire/utf8.h"
#include "world/module.h"

/* The longest path that is shown whole. */
#define PATH_TEXT 4096

enum { AS_EXPECTED, UNEXPECTED, BAD_INPUT };

/* A path, as it can be shown. */
static const char *shown(const char *path, char *text, size_t size)
{
    ys_utf8_copy_name(text, size, path, strlen(path));
    return text;
}

/* Prints the findings of the definition; returns whether it can be used. */
static bool check(const char *program, const char *file, const struct ys_design *design)
{
    char text[PATH_TEXT];
    const char *path = shown(file, text, sizeof text);
    if (design == NULL)
        (void)fprintf(stderr, "%s: cannot read %s: %s\n", program, path, strerror(errno));
    for (size_t i = 0; design != NULL && i < design->findings.count; i++) {
        const struct ys_finding *finding = &design->findings.items[i];
        if (finding->severity == YS_ERROR)
            (void)fprintf(stderr, "%s:%d:%d: error: %s\n", path, finding->place.line, finding->place.column,
                          finding->text);
    }
    if (design == NULL || design->findings.errors > 0)
        return false;
    if (design->set_count > 0)
        return true;
    (void)fprintf(stderr, "%s: a device that does not advertise cannot be tested: add advertising:\n", path);
    return false;
}

static bool check_module(const char *program, const struct ys_module *module, const struct ys_design *design)
{
    char problem[800] = "";
    bool good = ys_module_check(module, program, design, problem, sizeof problem);
    if (!good)
        (void)fprintf(stderr, "%s: %s\n", program, problem);
    return good;
}

/* Plays it, and writes a capture if one is wanted. */
static int play(const char *program, struct ys_demo_plan *plan, uint64_t seed, const char *path)
{
    char error[9000];
    struct ys_report_log log = {.stream = stdout};
    struct ys_demo_summary summary;
    struct ys_recording recording;
    struct ys_capture_writer *writer = path != NULL ? ys_capture_create(path, false, error, sizeof error) : NULL;
    if (path != NULL && writer == NULL) {
        char text[PATH_TEXT];
        (void)fprintf(stderr, "%s: %s: %s\n", program, shown(path, text, sizeof text), error);
        return BAD_INPUT;
    }
    recording = (struct ys_recording){.sink = {.take = ys_capture_sink, .context = writer}};
    plan->recording = writer != NULL ? &recording : NULL;
    bool played = ys_demo_run(plan, seed, ys_report_line, &log, &summary);
    bool written = writer == NULL || ys_capture_close(writer, recording.from_ns, recording.to_ns, error, sizeof error);
    if (!written)
        (void)fprintf(stderr, "%s: %s\n", program, error);
    if (!played)
        (void)fprintf(stderr, "%s: the device cannot be started\n", program);
    if (!played || !written)
        return BAD_INPUT;
    ys_report_summary(stdout, &summary);
    return summary.as_expected ? AS_EXPECTED : UNEXPECTED;
}

int ys_workstation_main(int argc, char **argv, const char *definition, const struct ys_module *module)
{
    char *end = NULL;
    char name[PATH_TEXT];
    const char *program = shown(argc > 0 ? argv[0] : "firmware", name, sizeof name);
    errno = 0;
    unsigned long long seed = argc > 1 ? strtoull(argv[1], &end, 10) : 1;
    if (argc > 3 || (argc > 1 && (argv[1][0] < '0' || argv[1][0] > '9' || *end != '\0' || errno != 0))) {
        (void)fprintf(stderr,
                      "%s: the arguments are a seed, a whole number from 0 on, and the file of a capture, .pcapng or "
                      ".pcap\n",
                      program);
        return BAD_INPUT;
    }
    struct ys_design *design = ys_design_open(definition);
    int status = BAD_INPUT;
    if (check(program, definition, design) && check_module(program, module, design)) {
        struct ys_demo_plan plan = {.design = design,
                                    .module = module,
                                    .device_name = "device",
                                    .central_name = "central",
                                    .watch_ns = 3 * YS_NS_PER_S};
        status = play(program, &plan, seed, argc > 2 ? argv[2] : NULL);
    }
    ys_design_free(design);
    return status;
}
