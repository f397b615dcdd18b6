/* yarnswift new: writes a small project to begin with. */
#include <ctype.h>
#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <sys/random.h>
#include <sys/stat.h>
#include <unistd.h>

#include <yarnswift/uuid.h>

#include "cli/shared/options.h"
#include "cli/shared/saving.h"
#include "cli/shared/say.h"
#include "cli/shared/verb.h"
#include "design/model/words.h"

/* The name stands in the scan response, and before each generated name. */
#define NAME_MOST 29

/* The files of src/cli/new (made at build time). */
extern const char new_definition[];
extern const char new_firmware_header[];
extern const char new_firmware[];
extern const char new_workstation[];
extern const char new_main[];
extern const char new_scene[];
extern const char new_project[];

/* What stands for the words between two @. */
struct words {
    const char *name;
    char *id;
    char upper[NAME_MOST + 1];
    char uuid[YS_UUID_TEXT_SIZE];
    char where[4096]; /* this command's folder's parent: the package is looked for from there */
};

static error_t parse(int key, char *argument, struct argp_state *state)
{
    (void)argument;
    return key == 'j' ? ARGP_ERR_UNKNOWN : parse_common(key, argument, state, state->input);
}

/* A random UUID (RFC 9562 5.4) whose first 32 bits leave room to count from. */
static void draw_uuid(char text[YS_UUID_TEXT_SIZE])
{
    uint8_t bytes[16];
    if (getrandom(bytes, sizeof bytes, 0) != (ssize_t)sizeof bytes)
        abort();
    bytes[12] = 0; /* in air order, the last bytes are the first that are written */
    bytes[13] = 0;
    bytes[9] = (uint8_t)((bytes[9] & 0x0f) | 0x40);
    bytes[7] = (uint8_t)((bytes[7] & 0x3f) | 0x80);
    const struct ys_uuid uuid = ys_uuid_from_air(bytes, sizeof bytes);
    (void)ys_uuid_format(&uuid, text);
}

static bool find_where(char *where, size_t size)
{
    ssize_t length = readlink("/proc/self/exe", where, size - 1);
    if (length <= 0)
        return false;
    where[length] = '\0';
    for (int i = 0; i < 2; i++) {
        char *slash = strrchr(where, '/');
        if (slash == NULL)
            return false;
        *slash = '\0';
    }
    return true;
}

static const char *word_for(const struct words *words, const char *key, size_t length)
{
    const struct {
        const char *key;
        const char *value;
    } all[] = {{"NAME", words->name},      {"FILE", words->name}, {"ID", words->id},
               {"ID_UPPER", words->upper}, {"UUID", words->uuid}, {"WHERE", words->where}};
    for (size_t i = 0; i < sizeof all / sizeof all[0]; i++) {
        if (strlen(all[i].key) == length && strncmp(all[i].key, key, length) == 0)
            return all[i].value;
    }
    return NULL;
}

static void fill_in(FILE *stream, const char *text, const struct words *words)
{
    while (*text != '\0') {
        size_t plain = strcspn(text, "@");
        (void)fwrite(text, 1, plain, stream);
        text += plain;
        if (*text == '\0')
            return;
        size_t length = strcspn(text + 1, "@");
        const char *word = word_for(words, text + 1, length);
        (void)fputs(word != NULL ? word : "@", stream);
        text += word != NULL ? length + 2 : 1;
    }
}

static bool write_file(const char *folder, const char *file, const char *text, const struct words *words)
{
    char path[NAME_MOST + 64];
    (void)snprintf(path, sizeof path, "%s/%s", folder, file);
    struct ys_output output;
    if (!saving_begin(&output, path, false))
        return false;
    fill_in(output.stream, text, words);
    return saving_end(&output, true);
}

static bool write_project(const struct words *words)
{
    char definition[NAME_MOST + 16];
    char scene[NAME_MOST + 16];
    (void)snprintf(definition, sizeof definition, "%s.device.yaml", words->name);
    (void)snprintf(scene, sizeof scene, "%s.scene.yaml", words->name);
    const struct {
        const char *file;
        const char *text;
        const char *what;
    } files[] = {
        {definition, new_definition, "the definition: everything else follows from it"},
        {"firmware.h", new_firmware_header, "the firmware: its state,"},
        {"firmware.c", new_firmware, "its handlers and its interrupt"},
        {"workstation.c", new_workstation, "simulated timer and sensors, for your workstation"},
        {"main.c", new_main, "lets a central meet it"},
        {scene, new_scene, "a test: steps and expectations"},
        {"CMakeLists.txt", new_project, "builds all"},
    };
    if (mkdir(words->name, 0777) != 0)
        return complain(words->name, "cannot make this folder: %s", strerror(errno));
    for (size_t i = 0; i < sizeof files / sizeof files[0]; i++) {
        char path[2 * NAME_MOST + 32];
        if (write_file(words->name, files[i].file, files[i].text, words))
            continue;
        while (i-- > 0) { /* a project is whole or is not there */
            (void)snprintf(path, sizeof path, "%s/%s", words->name, files[i].file);
            (void)remove(path);
        }
        (void)rmdir(words->name);
        return false;
    }
    for (size_t i = 0; i < sizeof files / sizeof files[0]; i++) {
        (void)printf("%s/%-*s  %s\n", words->name, NAME_MOST + 12 - (int)strlen(words->name), files[i].file,
                     files[i].what);
    }
    (void)printf("\nBuild and run it:\n  cmake -G Ninja -S %s -B %s/build && cmake --build %s/build && %s/build/%s\n"
                 "\nRehearse its scene, as a test:\n  ctest --test-dir %s/build\n",
                 words->name, words->name, words->name, words->name, words->id, words->name);
    return true;
}

/* Letters, digits, - and _: a folder, a file and a name in C. */
static bool check_name(const char *who, const char *name, struct words *words)
{
    size_t length = strlen(name);
    words->name = name;
    if (length > NAME_MOST ||
        strspn(name, "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789_-") != length)
        return complain(who, "\"%s\" is no name for a device: take up to %d letters, digits, - and _", name, NAME_MOST);
    words->id = ys_identifier(name);
    if (words->id == NULL || name[0] == '-' || ys_is_keyword(words->id) || ys_identifier_is_reserved(words->id))
        return complain(
            who, "\"%s\" gives no name in C: begin it with a letter, and avoid keywords and names of libraries", name);
    for (size_t i = 0; i <= strlen(words->id); i++)
        words->upper[i] = (char)toupper((unsigned char)words->id[i]);
    return true;
}

int verb_new(int argc, char **argv)
{
    static const struct argp_option options[] = {{0}};
    static const struct argp argp = {
        .options = options,
        .parser = parse,
        .args_doc = "NAME",
        .doc = "Writes a small project to a new folder NAME: a commented definition, firmware with its handlers, a "
               "program that runs the firmware on this machine, where a simulated central connects to it, and a scene "
               "that tests it. Existing files are never changed.",
    };
    struct common input = {.json = false};
    struct words words = {.name = NULL};
    if (!parse_options(&argp, argc, argv, &input))
        return EXIT_BAD_INPUT;
    if (input.files.count != 1) {
        (void)complain(argv[0], "name the device, such as: yarnswift new kettle");
        return EXIT_BAD_INPUT;
    }
    draw_uuid(words.uuid);
    bool good = check_name(argv[0], input.files.paths[0], &words) && find_where(words.where, sizeof words.where) &&
                write_project(&words);
    free(words.id);
    return good ? EXIT_AS_EXPECTED : EXIT_BAD_INPUT;
}
