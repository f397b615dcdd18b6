/* What every test includes: cmocka, with the headers that it wants before it. */
#ifndef SUPPORT_CHECK_H
#define SUPPORT_CHECK_H

/* clang-format off */
#include <setjmp.h>
#include <stdarg.h>
#include <stddef.h>
#include <stdint.h>
#include <cmocka.h>
/* clang-format on */

#define COUNT(array) (sizeof(array) / sizeof((array)[0]))

#endif
