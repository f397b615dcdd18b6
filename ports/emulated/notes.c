/* The note of an image, which ports/cortex_m/main.c puts into section .ys_note. */
#include "emulated/notes.h"

#include <stdio.h>
#include <string.h>

#include <yarnswift/bytes.h>

#define MAGIC_SIZE   16
#define MACHINE_SIZE 24

bool ys_note_read(const struct ys_elf *elf, struct ys_note *note, char *problem, size_t size)
{
    size_t length = 0;
    const uint8_t *bytes = ys_elf_section(elf, ".ys_note", &length);
    struct ys_reader reader = ys_reader_of(bytes, bytes != NULL ? length : 0);
    char magic[MAGIC_SIZE];
    memset(note, 0, sizeof *note);
    ys_get_copy(&reader, magic, sizeof magic);
    uint32_t version = ys_get_u32(&reader);
    note->stamp = ys_get_u32(&reader);
    ys_get_copy(&reader, note->machine, MACHINE_SIZE);
    if (!ys_reader_ok(&reader) || memcmp(magic, "yarnswift image", MAGIC_SIZE) != 0) {
        (void)snprintf(problem, size,
                       "it is an image, but not made with yarnswift's port: build it with yarnswift_image");
        return false;
    }
    if (version != 1) {
        (void)snprintf(problem, size, "it was built with another version of yarnswift: build it again");
        return false;
    }
    for (const char *letter = note->machine; *letter != '\0'; letter++) {
        if (strchr("abcdefghijklmnopqrstuvwxyz0123456789-", *letter) == NULL) {
            (void)snprintf(problem, size, "it names a machine that no emulator has");
            return false;
        }
    }
    return true;
}
