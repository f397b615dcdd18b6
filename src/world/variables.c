/* The writable memory of a library: its writable segments, without those that the loader has made read-only. */
#include "world/variables.h"

#include <link.h>
#include <stdint.h>
#include <stdlib.h>
#include <sys/auxv.h>

#define PIECES_MOST 8

struct piece {
    uint8_t *at;
    uint8_t *copy;
    size_t size;
};

struct ys_variables {
    uintptr_t inside;
    struct piece pieces[PIECES_MOST];
    size_t count;
    bool failed;
};

/* Between the variables lies what an address sanitizer forbids to touch, so it must not look in here. */
#if defined(__GNUC__)
__attribute__((no_sanitize("address")))
#endif
static void
copy(uint8_t *to, const uint8_t *from, size_t size)
{
    for (size_t i = 0; i < size; i++)
        to[i] = *(const volatile uint8_t *)(from + i);
}

static void add_piece(struct ys_variables *variables, uintptr_t begin, uintptr_t end)
{
    if (begin >= end)
        return;
    struct piece piece = {.at = (uint8_t *)begin, .size = end - begin}; /* NOLINT(performance-no-int-to-ptr) */
    piece.copy = variables->count < PIECES_MOST ? malloc(piece.size) : NULL;
    variables->failed |= piece.copy == NULL;
    if (piece.copy == NULL)
        return;
    copy(piece.copy, piece.at, piece.size);
    variables->pieces[variables->count++] = piece;
}

static bool has(const struct dl_phdr_info *library, uintptr_t address)
{
    for (size_t i = 0; i < library->dlpi_phnum; i++) {
        const ElfW(Phdr) *segment = &library->dlpi_phdr[i];
        uintptr_t begin = library->dlpi_addr + segment->p_vaddr;
        if (segment->p_type == PT_LOAD && address >= begin && address - begin < segment->p_memsz)
            return true;
    }
    return false;
}

static int take(struct dl_phdr_info *library, size_t size, void *context)
{
    struct ys_variables *variables = context;
    uintptr_t page = (uintptr_t)getauxval(AT_PAGESZ);
    uintptr_t closed[2] = {0, 0};
    (void)size;
    if (!has(library, variables->inside))
        return 0;
    for (size_t i = 0; i < library->dlpi_phnum; i++) {
        const ElfW(Phdr) *segment = &library->dlpi_phdr[i];
        uintptr_t begin = library->dlpi_addr + segment->p_vaddr;
        if (segment->p_type == PT_GNU_RELRO) {
            closed[0] = begin & ~(page - 1);
            closed[1] = (begin + segment->p_memsz) & ~(page - 1);
        }
    }
    for (size_t i = 0; i < library->dlpi_phnum; i++) {
        const ElfW(Phdr) *segment = &library->dlpi_phdr[i];
        uintptr_t begin = library->dlpi_addr + segment->p_vaddr;
        uintptr_t end = begin + segment->p_memsz;
        if (segment->p_type != PT_LOAD || (segment->p_flags & PF_W) == 0)
            continue;
        if (closed[0] < closed[1] && closed[0] < end && closed[1] > begin) {
            add_piece(variables, begin, closed[0]);
            add_piece(variables, closed[1], end);
        } else {
            add_piece(variables, begin, end);
        }
    }
    return 1;
}

struct ys_variables *ys_variables_new(const void *inside)
{
    struct ys_variables *variables = calloc(1, sizeof *variables);
    if (variables == NULL)
        return NULL;
    variables->inside = (uintptr_t)inside;
    if (dl_iterate_phdr(take, variables) == 1 && !variables->failed)
        return variables;
    ys_variables_free(variables);
    return NULL;
}

void ys_variables_free(struct ys_variables *variables)
{
    for (size_t i = 0; variables != NULL && i < variables->count; i++)
        free(variables->pieces[i].copy);
    free(variables);
}

void ys_variables_restore(const struct ys_variables *variables)
{
    for (size_t i = 0; i < variables->count; i++)
        copy(variables->pieces[i].at, variables->pieces[i].copy, variables->pieces[i].size);
}
