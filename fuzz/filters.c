/* Filters, whatever is written: read or refused, with a column that lies in the text. */
#include <stdint.h>
#include <stdlib.h>
#include <string.h>

#include "capture/say/filter.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    char error[300] = "";
    size_t column = 0;
    char *text = malloc(size + 1);
    if (text == NULL)
        return 0;
    memcpy(text, data, size);
    text[size] = '\0';
    struct ys_filter *filter = ys_filter_parse(text, error, sizeof error, &column);
    if (filter == NULL && (column == 0 || column > strlen(text) + 1 || error[0] == '\0'))
        abort();
    ys_filter_free(filter);
    free(text);
    return 0;
}
