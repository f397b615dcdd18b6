/* What an image says of itself in its file, before it runs. */
#ifndef PORTS_EMULATED_NOTES_H
#define PORTS_EMULATED_NOTES_H

#include "emulated/elf.h"

struct ys_note {
    uint32_t stamp;   /* of the table, as generated */
    char machine[25]; /* of the emulator; "": a board */
};

/* False, and why with what to do in `problem`. */
bool ys_note_read(const struct ys_elf *elf, struct ys_note *note, char *problem, size_t size);

#endif
