/* What is said of what is wrong. */
#ifndef CLI_SHARED_SAY_H
#define CLI_SHARED_SAY_H

#include <stdbool.h>
#include <stdio.h>

/* Puts a text that may come from anywhere: what is not plain (wire/utf8.h), byte by byte as \xNN, so that no terminal
 * obeys it. */
void put_plain(FILE *stream, const char *text);

/* Says in one line what is wrong with the options of the verb that is being run. */
#if defined(__GNUC__)
__attribute__((format(printf, 2, 3)))
#endif
bool complain(const char *who, const char *format, ...);

#endif
