/* C as text: what the files that write C have in common. */
#ifndef DESIGN_MAKING_C_TEXT_H
#define DESIGN_MAKING_C_TEXT_H

#include <stddef.h>
#include <stdint.h>
#include <stdio.h>

/* An identifier in capitals; and one that is put together, as by printf. The caller frees it. */
char *ys_c_upper(const char *identifier);
#if defined(__GNUC__)
__attribute__((format(printf, 1, 2)))
#endif
char *
ys_new_upper(const char *format, ...);

/* Puts a text into a comment, so that it can neither end it nor begin another. All texts from outside must go through
 * here. */
void ys_c_put_comment(FILE *stream, const char *text);

/* Puts a text as a string literal, whatever is in it. */
void ys_c_put_string(FILE *stream, const char *text);

/* Puts a constant array; one byte of 0 if it is empty. */
void ys_c_put_bytes(FILE *stream, const char *indent, const char *name, const uint8_t *bytes, size_t length);

#endif
