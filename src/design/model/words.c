/* Words: nearness, identifiers, quantities. */
#include "design/model/words.h"

#include <ctype.h>
#include <stdlib.h>
#include <string.h>

#include "design/model/memory.h"

#define LONGEST 63 /* characters that are compared */

static size_t least(size_t a, size_t b)
{
    return a < b ? a : b;
}

size_t ys_word_distance(const char *a, const char *b)
{
    size_t rows[3][LONGEST + 1]; /* of the usual table, the last three */
    size_t length_a = least(strlen(a), LONGEST);
    size_t length_b = least(strlen(b), LONGEST);
    for (size_t j = 0; j <= length_b; j++)
        rows[0][j] = j;
    for (size_t i = 1; i <= length_a; i++) {
        const size_t *above = rows[(i - 1) % 3];
        const size_t *above_that = rows[(i + 1) % 3];
        size_t *row = rows[i % 3];
        row[0] = i;
        for (size_t j = 1; j <= length_b; j++) {
            size_t change = above[j - 1] + (a[i - 1] != b[j - 1]);
            row[j] = least(change, least(above[j], row[j - 1]) + 1);
            if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1])
                row[j] = least(row[j], above_that[j - 2] + 1);
        }
    }
    return rows[length_a % 3][length_b];
}

const char *ys_word_nearest(const char *word, const char *const *words, size_t count)
{
    const char *nearest = NULL;
    size_t best = strlen(word) / 3 + 1; /* one mistake in three letters */
    for (size_t i = 0; i < count; i++) {
        size_t distance = ys_word_distance(word, words[i]);
        if (distance <= best && (nearest == NULL || distance < best)) {
            best = distance;
            nearest = words[i];
        }
    }
    return nearest;
}

bool ys_word_is_equal(const char *a, const char *b)
{
    for (; *a != '\0' && *b != '\0'; a++, b++) {
        if (tolower((unsigned char)*a) != tolower((unsigned char)*b))
            return false;
    }
    return *a == *b;
}

char *ys_identifier(const char *name)
{
    char *identifier = ys_new(strlen(name) + 1);
    size_t length = 0;
    for (; *name != '\0'; name++) {
        unsigned char letter = (unsigned char)*name;
        if (letter < 0x80 && isalnum(letter))
            identifier[length++] = (char)tolower(letter);
        else if (length > 0 && identifier[length - 1] != '_')
            identifier[length++] = '_';
    }
    while (length > 0 && identifier[length - 1] == '_')
        length--;
    identifier[length] = '\0';
    if (length == 0 || isdigit((unsigned char)identifier[0])) {
        free(identifier);
        return NULL;
    }
    return identifier;
}

/* Of all versions, and what compilers define in their own dialects; each between spaces. */
static const char keywords[] =
    " alignas alignof and and_eq asm auto bitand bitor bool break case catch char char16_t char32_t char8_t "
    "class co_await co_return co_yield compl concept const const_cast consteval constexpr constinit continue "
    "decltype default delete do double dynamic_cast else enum explicit export extern false float for friend "
    "goto if inline int long mutable namespace new noexcept not not_eq nullptr operator or or_eq private "
    "protected public register reinterpret_cast requires restrict return short signed sizeof static "
    "static_assert static_cast struct switch template this thread_local throw true try typedef typeid typename "
    "typeof typeof_unqual union unsigned using virtual void volatile wchar_t while xor xor_eq linux unix ";

bool ys_is_keyword(const char *word)
{
    size_t length = strlen(word);
    for (const char *at = strstr(keywords, word); at != NULL && length > 0; at = strstr(at + 1, word)) {
        if (at > keywords && at[-1] == ' ' && at[length] == ' ')
            return true;
    }
    return false;
}

/* Of <stdint.h>: INT8_MAX, uint_least16_t, SIZE_MAX and their like. */
bool ys_identifier_is_reserved(const char *device)
{
    static const char *const first[] = {"size",   "ptrdiff", "wchar",   "wint",    "sig", "sig_atomic",
                                        "intmax", "intptr",  "uintmax", "uintptr", "uint"};
    const char *number = device + (device[0] == 'u' ? 1 : 0);
    if (strcmp(device, "ys") == 0 || strncmp(device, "ys_", 3) == 0)
        return true;
    if (strncmp(number, "int", 3) == 0 && (isdigit((unsigned char)number[3]) || number[3] == '_'))
        return true;
    for (size_t i = 0; i < sizeof first / sizeof first[0]; i++) {
        if (strcmp(device, first[i]) == 0)
            return true;
    }
    return false;
}

bool ys_decimal_parse(const char *text, int64_t *mantissa, int *places, const char **end)
{
    bool negative = *text == '-';
    bool fraction = false;
    int digits = 0;
    int64_t value = 0;
    *places = 0;
    if (*text == '-' || *text == '+')
        text++;
    for (; isdigit((unsigned char)*text) || (*text == '.' && !fraction); text++) {
        if (*text == '.') {
            fraction = true;
            continue;
        }
        if (++digits > 18)
            return false;
        value = value * 10 + (*text - '0');
        *places += fraction;
    }
    *mantissa = negative ? -value : value;
    *end = text;
    return digits > 0 && text[-1] != '.';
}

bool ys_duration_parse(const char *text, uint64_t *us)
{
    static const struct {
        const char *name;
        int64_t us;
    } units[] = {{"us", 1}, {"ms", 1000}, {"s", 1000000}, {"min", 60000000}, {"h", 3600000000}};
    int64_t mantissa;
    int places;
    const char *end;
    if (!ys_decimal_parse(text, &mantissa, &places, &end) || mantissa < 0 || mantissa > INT64_C(1000000000))
        return false;
    while (*end == ' ')
        end++;
    for (size_t i = 0; i < sizeof units / sizeof units[0]; i++) {
        if (strcmp(end, units[i].name) != 0)
            continue;
        int64_t value = mantissa * units[i].us;
        for (; places > 0; places--, value /= 10) {
            if (value % 10 != 0)
                return false;
        }
        *us = (uint64_t)value;
        return true;
    }
    return false;
}
