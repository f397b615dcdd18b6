/* What every test includes: cmocka with its own includes. */
#ifndef SUPPORT_CHECK_H
#define SUPPORT_CHECK_H

/* clang-format off: cmocka wants these before it */
#include <setjmp.h>
#include <stdarg.h>
#include <stddef.h>
#include <stdint.h>
#include <cmocka.h>
/* clang-format on */

#define COUNT(array) (sizeof(array) / sizeof((array)[0]))

#endif
