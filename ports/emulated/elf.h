/* The file of an image (32-bit little-endian ELF for ARM): its target, the sizes of its parts, and their addresses. */
#ifndef PORTS_EMULATED_ELF_H
#define PORTS_EMULATED_ELF_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

struct ys_elf;

/* Reads a file. NULL, and why with what to do in `problem`. */
struct ys_elf *ys_elf_open(const char *path, char *problem, size_t size);

/* The same of bytes, which are copied. */
struct ys_elf *ys_elf_read(const uint8_t *bytes, size_t length, char *problem, size_t size);
void ys_elf_free(struct ys_elf *elf);

/* The contents of a section; NULL if there is none, or none in the file. */
const uint8_t *ys_elf_section(const struct ys_elf *elf, const char *name, size_t *length);

/* How large a section is, in the file or not; 0 if there is none. */
uint32_t ys_elf_section_size(const struct ys_elf *elf, const char *name);

/* The value of a symbol; false if there is none. */
bool ys_elf_symbol(const struct ys_elf *elf, const char *name, uint32_t *value);

/* The function that lies at an address, and how far in; NULL if none does. */
const char *ys_elf_function(const struct ys_elf *elf, uint32_t address, uint32_t *offset);

#endif
