/* Definitions: whatever the text, it is read or refused, and what is read can be laid out and generated. */
#include <stdio.h>
#include <stdlib.h>

#include "design/generate.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    struct ys_design *design = ys_design_read("fuzz.device.yaml", (const char *)data, size, NULL, NULL);
    if (design->findings.errors == 0) {
        struct ys_layout *layout = ys_layout_new(design);
        char *text = NULL;
        size_t length = 0;
        FILE *stream = open_memstream(&text, &length);
        if (layout != NULL) {
            ys_generate_header(stream, design, layout);
            ys_generate_source(stream, design, layout);
        }
        (void)fclose(stream);
        free(text);
        ys_layout_free(layout);
    }
    ys_design_free(design);
    return 0;
}
