/* yarnswift footprint: what a device takes of a microcontroller, and what each of its parts costs. */
#include <stdlib.h>
#include <string.h>

#include <jansson.h>

#include "cli/footprint/build.h"
#include "cli/shared/definitions.h"
#include "cli/shared/options.h"
#include "cli/shared/say.h"
#include "cli/shared/verb.h"
#include "design/making/payload.h"
#include "design/model/memory.h"

#define COUNT(array) (sizeof(array) / sizeof((array)[0]))

enum key { KEY_COMPILER = 0x700 };

struct input {
    struct common common;
    const char *compiler;
};

static const struct build_target targets[] = {{"Cortex-M0+", "-mcpu=cortex-m0plus"}, {"Cortex-M4", "-mcpu=cortex-m4"}};
#define TARGETS COUNT(targets)

/* What is linked only where it is asked for. */
struct part {
    const char *name;
    const char *key;    /* in a definition; "": only firmware asks for it, by calls of this header: */
    const char *header; /* of <yarnswift/...> */
    const char *macro;
    bool (*is_used)(const struct ys_design *design);
};

static size_t count_with(const struct ys_design *design, bool streams)
{
    size_t count = 0;
    for (size_t i = 0; i < design->service_count; i++) {
        for (size_t j = 0; j < design->services[i].characteristic_count; j++) {
            const struct ys_characteristic *one = &design->services[i].characteristics[j];
            count += streams ? one->streams : one->queues;
        }
    }
    return count;
}

static bool has_security(const struct ys_design *design)
{
    return design->security.given;
}

static bool has_link(const struct ys_design *design)
{
    return design->link.given;
}

static bool has_streams(const struct ys_design *design)
{
    return count_with(design, true) > 0;
}

static bool has_outboxes(const struct ys_design *design)
{
    return count_with(design, false) > 0;
}

static bool has_scanning(const struct ys_design *design)
{
    return design->scanning.given;
}

static bool is_firmwares(const struct ys_design *design)
{
    (void)design;
    return false;
}

static const struct part parts[] = {
    {"pairing and bonds", "security", "pairing.h", "-DYS_WITH_PAIRING=1", has_security},
    {"parameters of connections", "link", "link.h", "-DYS_WITH_LINKS=1", has_link},
    {"advertising sets, LE Coded", "extended", "sets.h", "-DYS_WITH_SETS=1", ys_design_has_sets},
    {"streams", "stream", "stream.h", "-DYS_WITH_STREAMS=1", has_streams},
    {"outboxes", "outbox", "outbox.h", "-DYS_WITH_OUTBOXES=1", has_outboxes},
    {"finding and using other devices", "scanning", "remote.h", "-DYS_WITH_REMOTE=1", has_scanning},
    {"timers and work", "", "work.h", "-DYS_WITH_WORK=1", is_firmwares},
    {"a serial line to the controller", "", "serial.h", "-DYS_WITH_SERIAL=1", is_firmwares},
    {"L2CAP channels", "", "channel.h", "-DYS_WITH_CHANNELS=1", is_firmwares},
};
#define PARTS COUNT(parts)

/* What was measured of one target. */
struct measured {
    struct build_size whole;
    struct build_size parts[PARTS]; /* how much more with it than without */
    size_t connection;              /* RAM of one more */
    size_t mtu;                     /* RAM of 16 bytes more of it */
    struct build_stack stack;
};

static char *prelude_of(const struct ys_design *design, const struct ys_layout *layout)
{
    char *text = NULL;
    size_t length = 0;
    size_t streams = count_with(design, true);
    size_t outboxes = count_with(design, false);
    FILE *stream = open_memstream(&text, &length);
    if (stream == NULL)
        abort();
    (void)fprintf(stream, "#include \"%s_table.h\"\n#define YS_PROGRAM_TABLE %s_table\n", design->id, design->id);
    if (layout->values_size > 0)
        (void)fprintf(stream, "#define YS_PROGRAM_VALUES_SIZE %u\n", layout->values_size);
    if (design->set_count > 0)
        (void)fprintf(stream, "#define YS_PROGRAM_ADVERTISING %s%s%s_advertising\n", design->id,
                      design->sets[0].id != NULL ? "_" : "", design->sets[0].id != NULL ? design->sets[0].id : "");
    if (design->security.given)
        (void)fprintf(stream, "#define YS_PROGRAM_SECURITY %s_security\n", design->id);
    if (design->link.given)
        (void)fprintf(stream, "#define YS_PROGRAM_WISHES %s_link\n", design->id);
    if (streams > 0)
        (void)fprintf(stream, "#define YS_PROGRAM_STREAMED %zu\n", streams);
    if (outboxes > 0)
        (void)fprintf(stream, "#define YS_PROGRAM_QUEUED %zu\n", outboxes);
    if (layout->notifiable_count > streams + outboxes)
        (void)fputs("#define YS_PROGRAM_CHANGES 1\n", stream);
    (void)fclose(stream);
    return text;
}

/* The options of the program that has all the parts that the definition uses; `other` the other way round. */
static void choose(const struct ys_design *design, size_t other, const char *options[PARTS + 1])
{
    size_t count = 0;
    for (size_t i = 0; i < PARTS; i++) {
        if (parts[i].is_used(design) != (i == other))
            options[count++] = parts[i].macro;
    }
    options[count] = NULL;
}

static bool measure_parts(const struct build *build, const struct build_target *target, const struct ys_design *design,
                          struct measured *measured)
{
    const char *options[PARTS + 1];
    for (size_t i = 0; i < PARTS; i++) {
        struct build_size other;
        choose(design, i, options);
        if (!build_program(build, target, options, &other))
            return false;
        bool used = parts[i].is_used(design);
        measured->parts[i] =
            used ? (struct build_size){measured->whole.flash - other.flash, measured->whole.ram - other.ram}
                 : (struct build_size){other.flash - measured->whole.flash, other.ram - measured->whole.ram};
    }
    return true;
}

/* The parts that a definition limits: connections and the MTU, which is lowered if it cannot be raised. */
static bool measure_sizes(const struct build *build, const struct build_target *target, struct measured *measured)
{
    size_t mtu;
    size_t host;
    size_t other;
    const char *options[] = {"-DYS_PROGRAM_ONLY_SIZES", NULL, NULL};
    if (!build_size_of(build, target, options, "ys_program_sizes_connection", &measured->connection) ||
        !build_size_of(build, target, options, "ys_program_sizes_mtu", &mtu) ||
        !build_size_of(build, target, options, "ys_program_sizes_host", &host))
        return false;
    bool up = mtu + 16 <= 517;
    char *changed = ys_new_text("-DYS_MTU=%zu", up ? mtu + 16 : mtu - 16);
    options[1] = changed;
    bool good = build_size_of(build, target, options, "ys_program_sizes_host", &other);
    measured->mtu = up ? other - host : host - other;
    free(changed);
    return good;
}

static bool measure(const struct build *build, const struct build_target *target, const struct ys_design *design,
                    struct measured *measured)
{
    const char *options[PARTS + 1];
    choose(design, PARTS, options);
    return build_library(build, target) && build_program(build, target, options, &measured->whole) &&
           build_stack(build, target, &measured->stack) && measure_parts(build, target, design, measured) &&
           measure_sizes(build, target, measured);
}

/* Text */

static void print_sizes(const char *name, const struct build_size sizes[TARGETS])
{
    (void)printf("%-47s", name);
    for (size_t i = 0; i < TARGETS; i++)
        (void)printf("  %7zu %7zu", sizes[i].flash, sizes[i].ram);
    (void)putchar('\n');
}

static void print_parts(const struct ys_design *design, const struct measured *measured, bool used, const char *title)
{
    bool begun = false;
    for (size_t i = 0; i < PARTS; i++) {
        struct build_size sizes[TARGETS];
        if (parts[i].is_used(design) != used)
            continue;
        if (!begun && title != NULL)
            (void)puts(title);
        begun = true;
        for (size_t j = 0; j < TARGETS; j++)
            sizes[j] = measured[j].parts[i];
        bool firmwares = parts[i].key[0] == '\0';
        char *name = ys_new_text("  %s (%s)", parts[i].name, firmwares ? parts[i].header : parts[i].key);
        print_sizes(name, sizes);
        free(name);
    }
}

static void print_stack(const char *name, const size_t bytes[TARGETS])
{
    (void)printf("%-47s", name);
    for (size_t i = 0; i < TARGETS; i++)
        (void)printf("  %15zu", bytes[i]);
    (void)putchar('\n');
}

static void print_text(const struct ys_design *design, const struct ys_layout *layout, const char *compiler,
                       const struct measured measured[TARGETS])
{
    struct build_size sizes[TARGETS];
    const struct {
        const char *name;
        size_t at;
    } stacks[] = {{"  of ys_host_run", offsetof(struct build_stack, run)},
                  {"    down to where it calls your functions", offsetof(struct build_stack, outside)},
                  {"  of any other call", offsetof(struct build_stack, other)},
                  {"  of calls from interrupts", offsetof(struct build_stack, interrupt)}};
    (void)printf("%s, compiled by %s -Os, in bytes\n"
                 "Not counted: your code, the port with its cryptography, and memory for streams and outboxes.\n\n"
                 "%-47s",
                 design->file, compiler, "");
    for (size_t i = 0; i < TARGETS; i++)
        (void)printf("  %15s", targets[i].name);
    (void)printf("\n%-47s", "");
    for (size_t i = 0; i < TARGETS; i++)
        (void)printf("  %7s %7s", "flash", "RAM");
    (void)putchar('\n');
    for (size_t i = 0; i < TARGETS; i++)
        sizes[i] = measured[i].whole;
    print_sizes("this device", sizes);
    for (size_t i = 0; i < TARGETS; i++)
        sizes[i] = (struct build_size){ys_layout_flash(layout), layout->values_size};
    (void)puts("of which");
    print_sizes("  its tables and stored values", sizes);
    print_parts(design, measured, true, NULL);
    print_parts(design, measured, false, "not in this device; cost if added");
    (void)puts("for each more of");
    for (size_t i = 0; i < TARGETS; i++)
        sizes[i] = (struct build_size){0, measured[i].connection};
    print_sizes("  connections (limits)", sizes);
    for (size_t i = 0; i < TARGETS; i++)
        sizes[i] = (struct build_size){0, measured[i].mtu};
    print_sizes("  16 bytes of MTU (limits)", sizes);
    (void)puts("stack");
    for (size_t i = 0; i < COUNT(stacks); i++) {
        size_t bytes[TARGETS];
        for (size_t j = 0; j < TARGETS; j++)
            memcpy(&bytes[j], (const char *)&measured[j].stack + stacks[i].at, sizeof bytes[j]);
        print_stack(stacks[i].name, bytes);
    }
}

/* JSON */

static json_t *size_json(const struct build_size *size)
{
    return json_pack("{s:I, s:I}", "flash_bytes", (json_int_t)size->flash, "ram_bytes", (json_int_t)size->ram);
}

static json_t *target_json(const struct ys_design *design, const struct build_target *target,
                           const struct measured *measured)
{
    json_t *root = size_json(&measured->whole);
    json_t *list = json_array();
    for (size_t i = 0; i < PARTS; i++) {
        json_t *one = size_json(&measured->parts[i]);
        (void)json_object_set_new(one, "name", json_string(parts[i].name));
        (void)json_object_set_new(one, "header", json_string(parts[i].header));
        (void)json_object_set_new(one, "used", json_boolean(parts[i].is_used(design)));
        (void)json_array_append_new(list, one);
    }
    (void)json_object_set_new(root, "processor", json_string(target->name));
    (void)json_object_set_new(root, "parts", list);
    (void)json_object_set_new(root, "ram_bytes_of_connection", json_integer((json_int_t)measured->connection));
    (void)json_object_set_new(root, "ram_bytes_of_16_bytes_of_mtu", json_integer((json_int_t)measured->mtu));
    (void)json_object_set_new(root, "stack_bytes",
                              json_pack("{s:I, s:I, s:I, s:I}", "run", (json_int_t)measured->stack.run,
                                        "run_to_firmware", (json_int_t)measured->stack.outside, "other",
                                        (json_int_t)measured->stack.other, "interrupt",
                                        (json_int_t)measured->stack.interrupt));
    return root;
}

static void print_json(const struct ys_design *design, const struct ys_layout *layout, const char *compiler,
                       const struct measured measured[TARGETS])
{
    json_t *list = json_array();
    for (size_t i = 0; i < TARGETS; i++)
        (void)json_array_append_new(list, target_json(design, &targets[i], &measured[i]));
    json_t *root = json_pack("{s:s, s:s, s:s, s:I, s:I, s:o}", "kind", "footprint", "file", design->file, "compiler",
                             compiler, "table_flash_bytes", (json_int_t)ys_layout_flash(layout), "values_ram_bytes",
                             (json_int_t)layout->values_size, "processors", list);
    (void)json_dumpf(root, stdout, JSON_INDENT(2));
    (void)putchar('\n');
    json_decref(root);
}

static error_t parse(int key, char *argument, struct argp_state *state)
{
    struct input *input = state->input;
    if (key != KEY_COMPILER)
        return parse_common(key, argument, state, &input->common);
    input->compiler = argument;
    return 0;
}

static int run(const char *who, const struct input *input, const struct ys_design *design,
               const struct ys_layout *layout)
{
    struct measured measured[TARGETS];
    struct build build = {.who = who, .compiler = input->compiler};
    char *prelude = prelude_of(design, layout);
    bool good = build_begin(&build, design, layout, prelude);
    for (size_t i = 0; i < TARGETS && good; i++)
        good = measure(&build, &targets[i], design, &measured[i]);
    build_end(&build);
    free(prelude);
    if (!good)
        return EXIT_BAD_INPUT;
    if (input->common.json)
        print_json(design, layout, input->compiler, measured);
    else
        print_text(design, layout, input->compiler, measured);
    return EXIT_AS_EXPECTED;
}

int verb_footprint(int argc, char **argv)
{
    static const struct argp_option options[] = {{"compiler", KEY_COMPILER, "COMMAND", 0,
                                                  "A GCC for Arm, whose name ends in gcc (default: arm-none-eabi-gcc)",
                                                  0},
                                                 {"json", 'j', NULL, 0, "Print the result as JSON", 0},
                                                 {0}};
    static const struct argp argp = {
        .options = options,
        .parser = parse,
        .args_doc = "DEFINITION",
        .doc =
            "Compiles the library and the tables of a device for Cortex-M0+ and Cortex-M4. Prints how much flash, RAM "
            "and stack they need, and what each part of the library costs.\vNeeds a GCC for Arm with its binutils, and "
            "python3. Exit status: 0, or 2 if the definition or an option is wrong or the compiler fails.",
    };
    struct input input = {.compiler = "arm-none-eabi-gcc"};
    if (!parse_options(&argp, argc, argv, &input))
        return EXIT_BAD_INPUT;
    size_t length = strlen(input.compiler);
    if (length < 3 || strcmp(input.compiler + length - 3, "gcc") != 0) {
        (void)complain(argv[0], "%s does not end in gcc: its tools are called as it is, with size and nm in its place",
                       input.compiler);
        return EXIT_BAD_INPUT;
    }
    struct ys_design *design;
    struct ys_layout *layout = open_only(argv[0], &input.common.files, &design);
    int status = layout != NULL ? run(argv[0], &input, design, layout) : EXIT_BAD_INPUT;
    ys_layout_free(layout);
    ys_design_free(design);
    return status;
}
