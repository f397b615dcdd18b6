/* The file of an image, as a linker makes it, but smaller: a note, a section of code, one function. */
#include "support/image_file.h"

#include <stdio.h>

#include <yarnswift/bytes.h>

struct elf_section {
    const char *name;
    uint32_t type;
    const void *bytes;
    uint32_t size;
    uint32_t link;
};

static void make_elf(struct image_file *elf, const struct elf_section *sections, size_t count)
{
    char names[200] = "";
    size_t names_length = 1;
    uint32_t name_at[8] = {0};
    uint32_t offsets[8] = {0};
    struct ys_writer writer = ys_writer_to(elf->bytes, sizeof elf->bytes);
    ys_put_bytes(&writer,
                 "\x7f"
                 "ELF\1\1\1\0\0\0\0\0\0\0\0\0\2\0\x28\0",
                 20);
    for (size_t i = 1; i < count; i++) {
        name_at[i] = (uint32_t)names_length;
        names_length += (size_t)snprintf(names + names_length, sizeof names - names_length, "%s", sections[i].name) + 1;
    }
    uint32_t at = 52;
    for (size_t i = 0; i < count; i++) {
        offsets[i] = at;
        at += sections[i].type != 8 ? (i + 1 == count ? (uint32_t)names_length : sections[i].size) : 0;
    }
    ys_put_u32(&writer, 1);
    ys_put_u64(&writer, 0);  /* where it begins, and its program headers */
    ys_put_u32(&writer, at); /* sections */
    ys_put_u32(&writer, 0);
    for (int i = 0; i < 3; i++)
        ys_put_u16(&writer, 0);
    ys_put_u16(&writer, 40);
    ys_put_u16(&writer, (uint16_t)count);
    ys_put_u16(&writer, (uint16_t)(count - 1));
    for (size_t i = 0; i < count; i++) {
        if (i + 1 == count)
            ys_put_bytes(&writer, names, names_length);
        else if (sections[i].type != 8)
            ys_put_bytes(&writer, sections[i].bytes, sections[i].size);
    }
    for (size_t i = 0; i < count; i++) {
        const uint32_t row[] = {name_at[i],
                                sections[i].type,
                                0,
                                0,
                                offsets[i],
                                i + 1 == count ? (uint32_t)names_length : sections[i].size,
                                sections[i].link,
                                0,
                                0,
                                0};
        for (size_t j = 0; j < 10; j++)
            ys_put_u32(&writer, row[j]);
    }
    elf->length = ys_writer_stored(&writer);
}

/* The image of the wrench for a machine. */
void image_file_make(struct image_file *elf, const char *machine, uint32_t stamp)
{
    uint8_t note[48] = "yarnswift image";
    uint8_t symbols[48] = {0};
    struct ys_writer writer = ys_writer_to(note + 16, 8);
    ys_put_u32(&writer, 1);
    ys_put_u32(&writer, stamp);
    (void)snprintf((char *)note + 24, 24, "%s", machine);
    writer = ys_writer_to(symbols, sizeof symbols);
    for (int i = 0; i < 4; i++)
        ys_put_u32(&writer, 0);
    const uint32_t handler[] = {1, 0x1001, 0x400}; /* name, value, size */
    for (int i = 0; i < 3; i++)
        ys_put_u32(&writer, handler[i]);
    ys_put_u32(&writer, 2); /* a function */
    const struct elf_section sections[] = {
        {.type = 0},
        {".text", 1, "code", 4, 0},
        {".ys_note", 1, note, sizeof note, 0},
        {".bss", 8, NULL, 3000, 0},
        {".stack", 8, NULL, 2000, 0},
        {".symtab", 2, symbols, 32, 6},
        {".strtab", 3, "\0torque_wrench_preset_write", 28, 0},
        {".shstrtab", 3, NULL, 0, 0},
    };
    make_elf(elf, sections, sizeof sections / sizeof sections[0]);
}
