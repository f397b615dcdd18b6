/* What is said of what is wrong. */
#ifndef CLI_SHARED_SAY_H
#define CLI_SHARED_SAY_H

#include <stdbool.h>
#include <stdio.h>

/* Prints a text from outside. Characters that are not plain (wire/utf8.h) become \xNN, so that no terminal interprets
 * them. */
void put_plain(FILE *stream, const char *text);

/* Prints one line about a mistake in the options of the running verb. */
#if defined(__GNUC__)
__attribute__((format(printf, 2, 3)))
#endif
bool complain(const char *who, const char *format, ...);

#endif
