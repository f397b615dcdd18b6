/* Scripts of pictures: whatever names devices, values, units and files have, a script has only our own commands, and
 * what is not ours stands between quotes. Lines of the input: the advertised name, that of a value, its unit, a title,
 * the file's name, and values of a sweep. Nothing is drawn. */
#include <ctype.h>
#include <errno.h>
#include <spawn.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "cli/sweep/plot.h"
#include "cli/sweep/points.h"
#include "cli/trace/plot.h"
#include "wire/link.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static const struct ys_design nothing;

enum { ADVERTISED, VALUE, UNIT, TITLE, FILE_NAME, SWEPT, TEXTS };

static char folder[64];
static char texts[TEXTS][100];

/* In place of that of the library: there is no program that draws. */
int posix_spawnp(pid_t *pid, const char *file, const posix_spawn_file_actions_t *actions,
                 const posix_spawnattr_t *attributes, char *const argv[], char *const envp[])
{
    (void)pid;
    (void)file;
    (void)actions;
    (void)attributes;
    (void)argv;
    (void)envp;
    return ENOENT;
}

static void remove_folder(void)
{
    char command[100];
    (void)snprintf(command, sizeof command, "rm -rf '%s'", folder);
    (void)system(command); /* NOLINT: our own folder */
}

static void make_folder(void)
{
    if (folder[0] != '\0')
        return;
    (void)snprintf(folder, sizeof folder, "%s/yarnswift_XXXXXX", access("/dev/shm", W_OK) == 0 ? "/dev/shm" : "/tmp");
    if (mkdtemp(folder) == NULL)
        abort();
    (void)atexit(remove_folder);
}

/* what is looked at */

static bool is_octal(const char *text)
{
    for (int i = 0; i < 3; i++) {
        if (text[i] < '0' || text[i] > '7')
            return false;
    }
    return true;
}

/* Behind the string that begins here, in which nothing means anything. */
static const char *skip_string(const char *at)
{
    for (at++; *at != '"'; at++) {
        if (*at == '\\' && is_octal(at + 1))
            at += 3;
        else if ((unsigned char)*at < 0x80 && !isalnum((unsigned char)*at) && strchr(" ,.:;-_/+()[]=#%", *at) == NULL)
            abort();
        if (*at == '\0')
            abort();
    }
    return at + 1;
}

static void look_at_line(const char *line)
{
    static const char *const begins[] = {
        "# Written by yarnswift", "set ",   "unset ",      "if (!exists(", "data = ",        "plot ",
        "  data using",           " data ", "stats data ", "title = ",     "bin(t) = floor("};
    bool known = line[0] == '\0';
    for (size_t i = 0; i < sizeof begins / sizeof begins[0]; i++)
        known |= strncmp(line, begins[i], strlen(begins[i])) == 0;
    if (!known)
        abort();
    for (const char *at = line; *at != '\0';) {
        if (*at == '"') {
            at = skip_string(at);
            continue;
        }
        if (!isalnum((unsigned char)*at) && strchr(" #$=<>?:,.()[]{}+-*!\\_/", *at) == NULL)
            abort();
        at++;
    }
}

static void look_at_script(const char *path)
{
    char line[4000];
    FILE *script = fopen(path, "r");
    if (script == NULL)
        return; /* the name was refused */
    while (fgets(line, sizeof line, script) != NULL) {
        if (strchr(line, '\n') == NULL)
            abort();
        line[strcspn(line, "\n")] = '\0';
        look_at_line(line);
    }
    (void)fclose(script);
}

/* what is drawn */

static void mean(void *context, const struct ys_party *server, uint16_t handle, struct ys_meaning *meaning)
{
    (void)context;
    (void)server;
    (void)handle;
    meaning->name = texts[VALUE];
    meaning->field = texts;
}

static bool number(void *context, const void *field, const uint8_t *bytes, size_t length, double *value,
                   const char **unit)
{
    (void)context;
    (void)field;
    *value = length > 0 ? bytes[0] : 0;
    *unit = texts[UNIT];
    return true;
}

struct drawing {
    struct trace trace;
    struct trace_plot *plot;
};

static void take(void *context, const struct ys_seen *seen)
{
    struct drawing *drawing = context;
    trace_plot_take(drawing->plot, &drawing->trace, seen);
}

/* An advertisement with the name, and a notification. */
static void feed(struct ys_follower *follower)
{
    static const uint8_t notified[] = {2, 1, 0x20, 9, 0, 5, 0, 4, 0, 0x1b, 3, 0, 42, 0};
    struct ys_record record = {
        .kind = YS_RECORD_AIR, .at_ns = 1000, .known = YS_AIR_CHANNEL | YS_AIR_STRENGTH | YS_AIR_CRC};
    size_t length = strlen(texts[ADVERTISED]);
    if (length > 29)
        length = 29;
    struct ys_air_packet *air = &record.air;
    *air = (struct ys_air_packet){.channel = 37,
                                  .access_address = YS_LINK_ADVERTISING_ACCESS_ADDRESS,
                                  .strength_dbm = -40,
                                  .crc_good = true,
                                  .sender = 1,
                                  .length = (uint16_t)(10 + length),
                                  .pdu = {0x40, (uint8_t)(8 + length), 1, 2, 3, 4, 5, 0xc6, (uint8_t)(1 + length), 9}};
    memcpy(air->pdu + 10, texts[ADVERTISED], length);
    ys_follower_take(follower, &record);
    record = (struct ys_record){.kind = YS_RECORD_HCI,
                                .at_ns = 2000,
                                .to_host = true,
                                .direction_is_sure = true,
                                .device = 1,
                                .name = texts[VALUE],
                                .bytes = notified,
                                .length = sizeof notified};
    ys_follower_take(follower, &record);
}

static void draw_trace(const char *path, const char *script, const char *what)
{
    struct drawing drawing = {.trace = {.plot_path = path, .draw = what, .common.replaces = true}};
    char *paths[] = {texts[TITLE]};
    drawing.trace.common.files = (struct files){.paths = paths, .count = 1};
    drawing.trace.source.glossary = (struct ys_glossary){.attribute = mean, .number = number};
    drawing.plot = trace_plot_new(&drawing.trace);
    struct ys_follower *follower = ys_follower_new(take, &drawing);
    if (drawing.plot == NULL || follower == NULL)
        abort();
    drawing.trace.follower = follower;
    feed(follower);
    ys_follower_free(follower);
    (void)trace_plot_end(drawing.plot, &drawing.trace);
    trace_plot_free(drawing.plot);
    look_at_script(script);
}

static void draw_sweep(const char *path, const char *script)
{
    struct sweep sweep = {.base = parameters_begin(&nothing)};
    char *rest = texts[SWEPT];
    unsigned number_of_first = (unsigned char)texts[SWEPT][0];
    for (char *part = strsep(&rest, ";"); part != NULL && sweep.axis_count < 2; part = strsep(&rest, ";")) {
        const struct parameter *parameter = &parameters[(number_of_first + 3 * sweep.axis_count) % parameter_count];
        if (!sweep_axis_read("fuzz", parameter, part, &sweep.axes[sweep.axis_count++]))
            break;
    }
    sweep.point_count = sweep.axis_count > 0 ? 1 : 0;
    for (size_t i = 0; i < sweep.axis_count; i++)
        sweep.point_count *= sweep.axes[i].count;
    struct sweep_result *results = calloc(sweep.point_count + 1, sizeof *results);
    for (size_t i = 0; i < sweep.point_count && results != NULL; i++)
        results[i] = (struct sweep_result){.known = true, .goodput_bps = 1000};
    for (int heat = 0; heat < 2 && sweep.point_count > 0 && sweep.point_count < 1000; heat++) {
        if (sweep_can_be_drawn("fuzz", &sweep, heat)) {
            (void)sweep_draw("fuzz", path, &sweep, results, texts[TITLE], heat, true);
            look_at_script(script);
        }
    }
    free(results);
    sweep_free(&sweep);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static const char *const kinds[] = {"values", "strength", "connection"};
    char path[200];
    char script[200];
    make_folder();
    memset(texts, 0, sizeof texts);
    for (size_t i = 0, text = 0, at = 0; i < size && text < TEXTS; i++) {
        if (data[i] == 0xff || at + 1 == sizeof texts[0]) {
            text++;
            at = 0;
        } else {
            texts[text][at++] = data[i] == '\0' ? ' ' : (char)data[i];
        }
    }
    for (char *at = texts[FILE_NAME]; *at != '\0'; at++)
        *at = *at == '/' ? '_' : *at;
    (void)snprintf(path, sizeof path, "%s/%.60s.svg", folder, texts[FILE_NAME]);
    (void)snprintf(script, sizeof script, "%s/%.60s.gnuplot", folder, texts[FILE_NAME]);
    for (size_t i = 0; i < sizeof kinds / sizeof kinds[0]; i++)
        draw_trace(path, script, kinds[i]);
    draw_sweep(path, script);
    (void)unlink(script);
    (void)snprintf(path, sizeof path, "%s/%.60s.dat", folder, texts[FILE_NAME]);
    (void)unlink(path);
    return 0;
}
