/* Files of images: whatever they hold, what is read of them lies within. */
#include <stdlib.h>
#include <string.h>

#include "emulated/elf.h"
#include "emulated/notes.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static const char *const names[] = {".text", ".bss", ".stack", ".ys_note", ""};
    char problem[300] = "";
    struct ys_note note;
    uint32_t number;
    size_t length;
    struct ys_elf *elf = ys_elf_read(data, size, problem, sizeof problem);
    if (elf == NULL) {
        if (problem[0] == '\0')
            abort();
        return 0;
    }
    if (!ys_note_read(elf, &note, problem, sizeof problem) && problem[0] == '\0')
        abort();
    for (size_t i = 0; i < sizeof names / sizeof names[0]; i++) {
        const uint8_t *bytes = ys_elf_section(elf, names[i], &length);
        volatile uint8_t last = bytes != NULL && length > 0 ? bytes[length - 1] : 0;
        (void)last;
        (void)ys_elf_section_size(elf, names[i]);
    }
    (void)ys_elf_symbol(elf, "_host_code_begin", &number);
    const char *name = ys_elf_function(elf, 0x1234, &number);
    if (name != NULL && strlen(name) > size)
        abort();
    ys_elf_free(elf);
    return 0;
}
