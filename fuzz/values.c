/* Values in words: the first byte picks a characteristic of every format; the rest is once taken for its bytes and once
 * for its words. What is read is read back the same, and nothing leaves its bounds. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/making/value_unknown.h"
#include "design/model/value.h"
#include "design/model/value_parse.h"
#include "design/open.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

/* The definition of the tests' formats (made at build time). */
extern const char formats_definition[];

static void check_words(const struct ys_field *field, const char *words)
{
    uint8_t bytes[512];
    char text[4096];
    uint8_t again[512];
    const char *problem = "";
    int length = ys_value_parse(field, words, bytes, sizeof bytes, &problem);
    if (length < 0)
        return;
    if ((size_t)length > sizeof bytes)
        abort();
    ys_value_format(field, bytes, (size_t)length, text, sizeof text);
    /* texts are shown in quotes and with escapes, which are not read; all else is read as it is shown */
    if (strchr(text, '"') != NULL || strstr(text, "nan") != NULL)
        return;
    int second = ys_value_parse(field, text, again, sizeof again, &problem);
    if (second != length || memcmp(bytes, again, (size_t)length) != 0)
        abort();
}

/* What nobody has described is heard as it is said; what describes itself is shown. */
static void check_unknown(const uint8_t *bytes, size_t length, const char *words)
{
    char text[8192];
    uint8_t again[600];
    uint8_t heard[512];
    const char *problem = "";
    ys_value_say(NULL, bytes, length, text, sizeof text);
    if (ys_value_hear(NULL, text, again, sizeof again, &problem) != (int)length || memcmp(bytes, again, length) != 0)
        abort();
    if (ys_value_hear(NULL, words, heard, sizeof heard, &problem) > (int)sizeof heard)
        abort();
    struct ys_field *field = ys_value_told(bytes, length < 7 ? length : 7);
    if (field != NULL && length > 7)
        ys_value_say(field, bytes + 7, length - 7, text, sizeof text);
    free(field);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static struct ys_design *design;
    char text[700];
    char words[600];
    if (design == NULL)
        design = ys_design_read("formats.device.yaml", formats_definition, strlen(formats_definition), NULL, NULL);
    const struct ys_service *service = &design->services[2];
    if (size < 1 || size > sizeof words)
        return 0;
    const struct ys_field *field = &service->characteristics[data[0] % service->characteristic_count].type;
    ys_value_format(field, data + 1, size - 1, text, sizeof text);
    if (strlen(text) >= sizeof text)
        abort();
    memcpy(words, data + 1, size - 1);
    words[size - 1] = '\0';
    check_words(field, words);
    check_unknown(data + 1, size - 1 < 512 ? size - 1 : 512, words);
    return 0;
}
