/* Definitions: whatever the text, it is read or refused, and what is read can be laid out and generated. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/making/generate.h"
#include "design/making/interface.h"
#include "design/open.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

/* Whatever file is named, it holds what stands behind the last line of three dots, or nothing. */
struct input {
    const char *file;
    size_t length;
};

static char *load(void *context, const char *path, size_t *length)
{
    const struct input *input = context;
    char *copy = malloc(input->length + 1);
    (void)path;
    if (copy == NULL)
        abort();
    memcpy(copy, input->file, input->length);
    copy[input->length] = '\0';
    *length = input->length;
    return copy;
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static const char mark[] = "\n...\n";
    const char *text = (const char *)data;
    const char *end = size > 0 ? memmem(text, size, mark, sizeof mark - 1) : NULL;
    size_t length = end != NULL ? (size_t)(end - text) + 1 : size;
    struct input input = {.file = "", .length = 0};
    if (end != NULL)
        input = (struct input){.file = end + sizeof mark - 1, .length = size - length - (sizeof mark - 2)};
    struct ys_design *design = ys_design_read("fuzz.device.yaml", text, length, load, &input);
    if (design->findings.errors == 0) {
        struct ys_layout *layout = ys_layout_new(design);
        char *out = NULL;
        size_t out_length = 0;
        FILE *stream = open_memstream(&out, &out_length);
        if (layout != NULL) {
            ys_generate_header(stream, design, layout);
            ys_generate_source(stream, design, layout);
            ys_generate_skeleton(stream, design, layout);
            ys_interface_print(stream, design);
        }
        (void)fclose(stream);
        free(out);
        ys_layout_free(layout);
    }
    ys_design_free(design);
    return 0;
}
