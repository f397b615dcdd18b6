/* Files that claim to be captures: whatever is in them is read to its end, followed, said in words, and watched. */
#include <stdio.h>
#include <stdlib.h>

#include "capture/audit/audit.h"
#include "capture/file/reader.h"
#include "capture/say/message.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static struct ys_audit *audit;
static const struct ys_glossary glossary;

/* Every layer is said, and watched. */
static void take(void *context, const struct ys_seen *seen)
{
    (void)context;
    for (int layer = 0; layer < YS_TRACE_LAYERS; layer++) {
        char words[300];
        struct ys_text text = ys_text_in(words, sizeof words);
        struct ys_message message;
        if (ys_message_of(seen, (enum ys_trace_layer)layer, &glossary, &message))
            ys_message_say(&message, &glossary, &text);
    }
    ys_audit_take(audit, seen);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    char error[300];
    struct ys_record record;
    FILE *file = size > 0 ? fmemopen((void *)(uintptr_t)data, size, "rb") : NULL;
    struct ys_capture *capture = file != NULL ? ys_capture_new(file, false, NULL, NULL, error, sizeof error) : NULL;
    if (capture == NULL)
        return 0;
    audit = ys_audit_new(&glossary);
    struct ys_follower *follower = ys_follower_new(take, NULL);
    if (audit == NULL || follower == NULL)
        abort();
    while (ys_capture_next(capture, &record))
        ys_follower_take(follower, &record);
    ys_capture_end(capture);
    ys_follower_free(follower);
    ys_audit_free(audit);
    ys_capture_free(capture);
    return 0;
}
