/* The medical floating-point formats of the Assigned Numbers, medfloat16 and medfloat32 (IEEE 11073-20601): a decimal
 * mantissa and exponent, so that no floating-point unit is needed. */
#ifndef YARNSWIFT_MEDFLOAT_H
#define YARNSWIFT_MEDFLOAT_H

#include <stdbool.h>
#include <stdint.h>

#include <yarnswift/bytes.h>

#ifdef __cplusplus
extern "C" {
#endif

/* Special values of a number. */
enum ys_medfloat_kind {
    YS_MEDFLOAT_NUMBER,
    YS_MEDFLOAT_NAN,               /* not a number: a wrong measurement */
    YS_MEDFLOAT_NRES,              /* not at this resolution: it cannot be told */
    YS_MEDFLOAT_INFINITE,          /* above what can be told */
    YS_MEDFLOAT_NEGATIVE_INFINITE, /* below it */
    YS_MEDFLOAT_RESERVED
};

/* mantissa x 10^exponent. medfloat16: mantissa -2045 to 2045, exponent -8 to 7. medfloat32: mantissa
 * -8,388,605 to 8,388,605, exponent -128 to 127. */
struct ys_medfloat {
    int32_t mantissa;
    int8_t exponent;
    uint8_t kind; /* enum ys_medfloat_kind; but for a number, the other two do not count */
};

/* Puts a number in 2 or 4 bytes. One that does not fit its format is put as NRes. From any context. */
void ys_put_medfloat16(struct ys_writer *writer, struct ys_medfloat value);
void ys_put_medfloat32(struct ys_writer *writer, struct ys_medfloat value);

/* Gets a number from 2 or 4 bytes; what the format reserves is YS_MEDFLOAT_RESERVED. From any context. */
struct ys_medfloat ys_get_medfloat16(struct ys_reader *reader);
struct ys_medfloat ys_get_medfloat32(struct ys_reader *reader);

#ifdef __cplusplus
}
#endif

#endif
