/* Captures in files. Each format has a function that reads its next record. */
#include "capture/file/reader.h"

#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "capture/file/cursor.h"
#include "capture/file/link_types.h"
#include "capture/file/pcap.h"
#include "capture/file/pcapng.h"
#include "capture/file/snoop.h"

#define BUFFER_SIZE (1u << 18)

static const char *begin(struct ys_capture *capture)
{
    uint8_t magic[4];
    size_t got = 0;
    bool ours;
    if (!ys_cursor_fetch(capture, magic, 4, &got))
        return got == 0 ? "it is empty" : "it is no capture: it has only a few bytes";
    const char *problem = ys_pcapng_begin(capture, magic, &ours);
    if (ours)
        return problem;
    if (ys_pcap_begin(capture, magic) || ys_snoop_begin(capture, magic)) {
        uint32_t type = capture->interfaces->link_type;
        return ys_link_type_is_known(type) ? NULL
                                           : "its packets are of a link type that is neither Bluetooth LE nor HCI";
    }
    return "it is no capture: it begins as neither pcap, pcapng nor an HCI log does";
}

struct ys_capture *ys_capture_new(FILE *file, bool waits, ys_capture_trouble_fn *trouble, void *context, char *error,
                                  size_t size)
{
    struct ys_capture *capture = calloc(1, sizeof *capture);
    const char *problem = "there is no memory for it";
    if (capture != NULL) {
        capture->file = file;
        capture->waits = waits;
        capture->trouble = trouble;
        capture->context = context;
        capture->buffer = malloc(BUFFER_SIZE);
        capture->bytes = malloc(RECORD_MOST + 1);
        capture->scratch = malloc(RECORD_MOST + 1);
        capture->interfaces = calloc(YS_CAPTURE_INTERFACES, sizeof *capture->interfaces);
        if (capture->buffer != NULL && capture->bytes != NULL && capture->scratch != NULL &&
            capture->interfaces != NULL) {
            (void)setvbuf(file, capture->buffer, _IOFBF, BUFFER_SIZE);
            problem = begin(capture);
        }
    }
    if (problem == NULL)
        return capture;
    (void)snprintf(error, size, "%s", problem);
    if (capture == NULL)
        (void)fclose(file);
    ys_capture_free(capture);
    return NULL;
}

struct ys_capture *ys_capture_open(const char *path, bool waits, ys_capture_trouble_fn *trouble, void *context,
                                   char *error, size_t size)
{
    FILE *file = fopen(path, "rb");
    if (file == NULL) {
        (void)snprintf(error, size, "cannot read it: %s", strerror(errno));
        return NULL;
    }
    return ys_capture_new(file, waits, trouble, context, error, size);
}

void ys_capture_free(struct ys_capture *capture)
{
    if (capture == NULL)
        return;
    (void)fclose(capture->file);
    free(capture->buffer);
    free(capture->bytes);
    free(capture->scratch);
    free(capture->interfaces);
    free(capture);
}

bool ys_capture_next(struct ys_capture *capture, struct ys_record *record)
{
    step taken = STEP_MORE;
    while (taken == STEP_MORE && !capture->broken)
        taken = capture->next(capture, record);
    return taken == STEP_RECORD;
}

void ys_capture_end(struct ys_capture *capture)
{
    ys_capture_tell_rest(capture);
}

bool ys_capture_watched(const struct ys_capture *capture, uint64_t *from_ns, uint64_t *to_ns)
{
    *from_ns = capture->from_ns;
    *to_ns = capture->to_ns;
    return capture->has_from && capture->has_to;
}

bool ys_capture_is_one(const char *path)
{
    char error[200];
    struct ys_capture *capture = ys_capture_open(path, true, NULL, NULL, error, sizeof error);
    ys_capture_free(capture);
    return capture != NULL;
}
