/* The file of an image of the torque wrench, for an emulator's machine. */
#ifndef SUPPORT_IMAGE_FILE_H
#define SUPPORT_IMAGE_FILE_H

#include <stddef.h>
#include <stdint.h>

struct image_file {
    uint8_t bytes[2048];
    size_t length;
};

void image_file_make(struct image_file *elf, const char *machine, uint32_t stamp);

#endif
