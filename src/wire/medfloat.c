/* medfloat16 and medfloat32: a signed mantissa below a signed exponent; five mantissas around the ends of the range are
 * no numbers. */
#include <yarnswift/medfloat.h>

/* The widths of both. */
struct shape {
    uint8_t mantissa_bits;
    uint8_t exponent_bits;
};

static const struct shape shape_16 = {12, 4};
static const struct shape shape_32 = {24, 8};

/* The special mantissas count from the greatest positive one on: +INF, NaN, NRes, reserved, -INF. */
static const uint8_t specials[] = {YS_MEDFLOAT_INFINITE, YS_MEDFLOAT_NAN, YS_MEDFLOAT_NRES, YS_MEDFLOAT_RESERVED,
                                   YS_MEDFLOAT_NEGATIVE_INFINITE};

static uint32_t first_special(const struct shape *shape)
{
    return (UINT32_C(1) << (shape->mantissa_bits - 1)) - 2;
}

static int32_t extend(uint32_t value, uint8_t bits)
{
    uint32_t sign = UINT32_C(1) << (bits - 1);
    return (int32_t)((value ^ sign) - sign);
}

static uint32_t encode(const struct shape *shape, struct ys_medfloat value)
{
    int32_t greatest = (int32_t)first_special(shape) - 1;
    int32_t limit = INT32_C(1) << (shape->exponent_bits - 1);
    uint32_t mask = (UINT32_C(1) << shape->mantissa_bits) - 1;
    uint8_t kind = value.kind;
    if (kind == YS_MEDFLOAT_NUMBER &&
        (value.mantissa > greatest || value.mantissa < -greatest || value.exponent < -limit || value.exponent >= limit))
        kind = YS_MEDFLOAT_NRES;
    if (kind == YS_MEDFLOAT_NUMBER) {
        uint32_t exponent = (uint32_t)value.exponent & ((UINT32_C(1) << shape->exponent_bits) - 1);
        return ((uint32_t)value.mantissa & mask) | exponent << shape->mantissa_bits;
    }
    for (uint32_t i = 0; i < sizeof specials; i++) {
        if (specials[i] == kind)
            return first_special(shape) + i;
    }
    return first_special(shape) + 1; /* an unknown kind is no number */
}

static struct ys_medfloat decode(const struct shape *shape, uint32_t raw)
{
    uint32_t mantissa = raw & ((UINT32_C(1) << shape->mantissa_bits) - 1);
    uint32_t special = mantissa - first_special(shape);
    if (special < sizeof specials)
        return (struct ys_medfloat){.kind = specials[special]};
    return (struct ys_medfloat){
        .mantissa = extend(mantissa, shape->mantissa_bits),
        .exponent = (int8_t)extend(raw >> shape->mantissa_bits, shape->exponent_bits),
        .kind = YS_MEDFLOAT_NUMBER,
    };
}

void ys_put_medfloat16(struct ys_writer *writer, struct ys_medfloat value)
{
    ys_put_u16(writer, (uint16_t)encode(&shape_16, value));
}

void ys_put_medfloat32(struct ys_writer *writer, struct ys_medfloat value)
{
    ys_put_u32(writer, encode(&shape_32, value));
}

struct ys_medfloat ys_get_medfloat16(struct ys_reader *reader)
{
    return decode(&shape_16, ys_get_u16(reader));
}

struct ys_medfloat ys_get_medfloat32(struct ys_reader *reader)
{
    return decode(&shape_32, ys_get_u32(reader));
}
