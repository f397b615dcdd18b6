/* A text in memory of a fixed size. If it does not fit, it is cut after a word, and " ..." is appended. */
#ifndef CAPTURE_TEXT_H
#define CAPTURE_TEXT_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

struct ys_text {
    char *to;
    size_t size;
    size_t length; /* without the zero at its end */
    bool is_cut;   /* nothing is added any more */
};

/* An empty one in `size` bytes, at least 1. */
struct ys_text ys_text_in(char *to, size_t size);

#if defined(__GNUC__)
__attribute__((format(printf, 2, 3)))
#endif
void ys_text_add(struct ys_text *text, const char *format, ...);

/* Adds at most this many bytes in hexadecimal, separated by spaces; then the number of further bytes. */
void ys_text_hex(struct ys_text *text, const uint8_t *bytes, size_t length, size_t most);

#endif
