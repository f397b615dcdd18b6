/* Text that comes from elsewhere. */
#include "wire/utf8.h"

#include <string.h>

size_t ys_utf8_get(const void *text, size_t left, uint32_t *character)
{
    static const struct {
        uint8_t mask;
        uint8_t lead;
        uint32_t least; /* what is less has a shorter form */
    } forms[] = {{0x80, 0x00, 0}, {0xe0, 0xc0, 0x80}, {0xf0, 0xe0, 0x800}, {0xf8, 0xf0, 0x10000}};
    const uint8_t *bytes = text;
    for (size_t form = 0; left > 0 && form < sizeof forms / sizeof forms[0]; form++) {
        if ((bytes[0] & forms[form].mask) != forms[form].lead)
            continue;
        uint32_t value = bytes[0] & (uint8_t)~forms[form].mask;
        for (size_t i = 1; i <= form; i++) {
            if (i >= left || (bytes[i] & 0xc0) != 0x80)
                return 0;
            value = value << 6 | (bytes[i] & 0x3fu);
        }
        bool surrogate = value >= 0xd800 && value <= 0xdfff;
        if (surrogate || value < forms[form].least || value > 0x10ffff)
            return 0;
        *character = value;
        return form + 1;
    }
    return 0;
}

bool ys_character_is_plain(uint32_t character)
{
    static const uint32_t others[][2] = {
        {0x0000, 0x001f},                   /* control characters; also the next: */
        {0x007f, 0x009f}, {0x2028, 0x2029}, /* separators of lines and paragraphs */
        {0x202a, 0x202e},                   /* directions; also the next: */
        {0x2066, 0x2069}, {0xfdd0, 0xfdef}, /* no characters, as are the last two of each plane */
    };
    for (size_t i = 0; i < sizeof others / sizeof others[0]; i++) {
        if (character >= others[i][0] && character <= others[i][1])
            return false;
    }
    return (character & 0xfffe) != 0xfffe;
}

size_t ys_utf8_plain(const void *text, size_t left)
{
    uint32_t character;
    size_t length = ys_utf8_get(text, left, &character);
    return length > 0 && ys_character_is_plain(character) ? length : 0;
}

/* Whether all that is left is the beginning of a character, as where a name was cut. */
static bool is_cut(const uint8_t *bytes, size_t left)
{
    size_t wanted = bytes[0] > 0xf4 ? 1 : bytes[0] >= 0xf0 ? 4 : bytes[0] >= 0xe0 ? 3 : bytes[0] >= 0xc2 ? 2 : 1;
    for (size_t i = 1; i < left; i++) {
        if ((bytes[i] & 0xc0) != 0x80)
            return false;
    }
    return left < wanted;
}

void ys_utf8_copy_name(char *to, size_t size, const void *text, size_t length)
{
    const uint8_t *from = text;
    size_t used = 0;
    for (size_t i = 0; i < length;) {
        uint32_t character;
        size_t whole = ys_utf8_get(from + i, length - i, &character);
        bool plain = whole > 0 && ys_character_is_plain(character);
        size_t put = plain ? whole : 1;
        if (used + put >= size || (whole == 0 && is_cut(from + i, length - i)))
            break;
        if (plain)
            memmove(to + used, from + i, whole);
        else
            to[used] = '?';
        used += put;
        i += whole > 0 ? whole : 1;
    }
    to[used] = '\0';
}
