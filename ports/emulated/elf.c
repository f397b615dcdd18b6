/* ELF, as far as images need it. The file is not trusted: every offset is looked at before it is used. */
#include "emulated/elf.h"

#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <yarnswift/bytes.h>

#define HEADER_SIZE  52
#define SECTION_SIZE 40
#define SYMBOL_SIZE  16
#define FILE_MOST    (256u << 20)

enum { CLASS_32 = 1, LITTLE_ENDIAN_DATA = 1, MACHINE_ARM = 40 };
enum { SECTION_SYMBOLS = 2, SECTION_NO_BITS = 8 };
enum { SYMBOL_FUNCTION = 2 };

struct section {
    uint32_t name;
    uint32_t type;
    uint32_t offset;
    uint32_t size;
    uint32_t link;
};

struct symbol {
    const char *name;
    uint32_t value;
    uint32_t size;
    uint8_t type;
};

struct ys_elf {
    uint8_t *bytes;
    size_t length;
    uint32_t sections_at;
    uint16_t section_count;
    struct section names;
    struct section symbols;
    struct section symbol_names;
};

static bool is_inside(const struct ys_elf *elf, uint64_t offset, uint64_t size)
{
    return offset <= elf->length && size <= elf->length - offset;
}

static bool get_section(const struct ys_elf *elf, uint32_t number, struct section *section)
{
    uint64_t at = elf->sections_at + (uint64_t)number * SECTION_SIZE;
    if (number >= elf->section_count || !is_inside(elf, at, SECTION_SIZE))
        return false;
    struct ys_reader reader = ys_reader_of(elf->bytes + at, SECTION_SIZE);
    section->name = ys_get_u32(&reader);
    section->type = ys_get_u32(&reader);
    (void)ys_get_u64(&reader); /* flags and address */
    section->offset = ys_get_u32(&reader);
    section->size = ys_get_u32(&reader);
    section->link = ys_get_u32(&reader);
    return true;
}

/* A text of a section of texts; NULL if it does not end there. */
static const char *text_at(const struct ys_elf *elf, const struct section *texts, uint32_t at)
{
    if (!is_inside(elf, texts->offset, texts->size) || at >= texts->size)
        return NULL;
    const char *text = (const char *)elf->bytes + texts->offset + at;
    return memchr(text, '\0', texts->size - at) != NULL ? text : NULL;
}

static bool find_section(const struct ys_elf *elf, const char *name, struct section *found)
{
    for (uint32_t i = 0; i < elf->section_count && get_section(elf, i, found); i++) {
        const char *text = text_at(elf, &elf->names, found->name);
        if (text != NULL && strcmp(text, name) == 0)
            return true;
    }
    return false;
}

static bool get_symbol(const struct ys_elf *elf, uint32_t number, struct symbol *symbol)
{
    uint64_t at = elf->symbols.offset + (uint64_t)number * SYMBOL_SIZE;
    if (number >= elf->symbols.size / SYMBOL_SIZE || !is_inside(elf, at, SYMBOL_SIZE))
        return false;
    struct ys_reader reader = ys_reader_of(elf->bytes + at, SYMBOL_SIZE);
    uint32_t name = ys_get_u32(&reader);
    symbol->value = ys_get_u32(&reader);
    symbol->size = ys_get_u32(&reader);
    symbol->type = ys_get_u8(&reader) & 0xf;
    symbol->name = text_at(elf, &elf->symbol_names, name);
    return true;
}

static const char *read_header(struct ys_elf *elf)
{
    static const uint8_t magic[] = {0x7f, 'E', 'L', 'F'};
    if (elf->length < HEADER_SIZE || memcmp(elf->bytes, magic, sizeof magic) != 0)
        return "it is no ELF file: name the .elf of the image";
    if (elf->bytes[4] != CLASS_32 || elf->bytes[5] != LITTLE_ENDIAN_DATA || elf->bytes[18] != MACHINE_ARM ||
        elf->bytes[19] != 0)
        return "it is for another processor than a Cortex-M: name the .elf of the image, not a program or module of "
               "this machine";
    struct ys_reader reader = ys_reader_of(elf->bytes + 32, HEADER_SIZE - 32);
    elf->sections_at = ys_get_u32(&reader);
    (void)ys_get_bytes(&reader, 12);
    elf->section_count = ys_get_u16(&reader);
    uint16_t names = ys_get_u16(&reader);
    struct section symbols;
    if (!get_section(elf, names, &elf->names))
        return "it has no sections: link it anew, and do not strip it";
    for (uint32_t i = 0; get_section(elf, i, &symbols); i++) {
        if (symbols.type == SECTION_SYMBOLS && get_section(elf, symbols.link, &elf->symbol_names)) {
            elf->symbols = symbols;
            return NULL;
        }
    }
    return NULL; /* without symbols */
}

struct ys_elf *ys_elf_read(const uint8_t *bytes, size_t length, char *problem, size_t size)
{
    struct ys_elf *elf = calloc(1, sizeof *elf);
    const char *why = "there is no memory for it";
    if (elf != NULL)
        elf->bytes = malloc(length + 1);
    if (elf != NULL && elf->bytes != NULL) {
        memcpy(elf->bytes, bytes, length);
        elf->length = length;
        why = read_header(elf);
    }
    if (why == NULL)
        return elf;
    (void)snprintf(problem, size, "%s", why);
    ys_elf_free(elf);
    return NULL;
}

/* All of a file; NULL, with why, if it cannot be read or is too long. */
static uint8_t *read_file(FILE *file, size_t *length, const char **why)
{
    uint8_t *bytes = NULL;
    size_t room = 0;
    *length = 0;
    for (;;) {
        if (*length == room) {
            room = room > 0 ? 2 * room : 1u << 20;
            uint8_t *grown = room <= FILE_MOST ? realloc(bytes, room) : NULL;
            if (grown == NULL) {
                *why = "it is too large for an image";
                free(bytes);
                return NULL;
            }
            bytes = grown;
        }
        size_t got = fread(bytes + *length, 1, room - *length, file);
        *length += got;
        if (got == 0)
            break;
    }
    if (ferror(file) == 0)
        return bytes;
    *why = strerror(errno);
    free(bytes);
    return NULL;
}

struct ys_elf *ys_elf_open(const char *path, char *problem, size_t size)
{
    FILE *file = fopen(path, "rb");
    const char *why = strerror(errno);
    size_t length = 0;
    uint8_t *bytes = file != NULL ? read_file(file, &length, &why) : NULL;
    struct ys_elf *elf = NULL;
    if (bytes == NULL)
        (void)snprintf(problem, size, "cannot read it: %s", why);
    else
        elf = ys_elf_read(bytes, length, problem, size);
    free(bytes);
    if (file != NULL)
        (void)fclose(file);
    return elf;
}

void ys_elf_free(struct ys_elf *elf)
{
    if (elf == NULL)
        return;
    free(elf->bytes);
    free(elf);
}

const uint8_t *ys_elf_section(const struct ys_elf *elf, const char *name, size_t *length)
{
    struct section section;
    if (!find_section(elf, name, &section) || section.type == SECTION_NO_BITS ||
        !is_inside(elf, section.offset, section.size))
        return NULL;
    *length = section.size;
    return elf->bytes + section.offset;
}

uint32_t ys_elf_section_size(const struct ys_elf *elf, const char *name)
{
    struct section section;
    return find_section(elf, name, &section) ? section.size : 0;
}

bool ys_elf_symbol(const struct ys_elf *elf, const char *name, uint32_t *value)
{
    struct symbol symbol;
    for (uint32_t i = 0; get_symbol(elf, i, &symbol); i++) {
        if (symbol.name == NULL || strcmp(symbol.name, name) != 0)
            continue;
        *value = symbol.value;
        return true;
    }
    return false;
}

const char *ys_elf_function(const struct ys_elf *elf, uint32_t address, uint32_t *offset)
{
    struct symbol symbol;
    for (uint32_t i = 0; get_symbol(elf, i, &symbol); i++) {
        uint32_t begin = symbol.value & ~UINT32_C(1); /* which says that it is Thumb */
        if (symbol.type != SYMBOL_FUNCTION || symbol.name == NULL || address < begin || address - begin >= symbol.size)
            continue;
        *offset = address - begin;
        return symbol.name;
    }
    return NULL;
}
