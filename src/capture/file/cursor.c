/* The cursor over a file, and what was wrong in it. */
#include "capture/file/cursor.h"

#include <stdarg.h>
#include <stdio.h>
#include <string.h>

#include "capture/file/link_types.h"

#define BACK_NS UINT64_C(20000000) /* a packet's time may be before that of one that ended first */
#define JUMP_NS (UINT64_C(600) * NS_PER_S)

static const char *const trouble_texts[TROUBLE_KINDS] = {
    [TROUBLE_CUT_FILE] = "the file ends in the middle of a record",
    [TROUBLE_EMPTY] = "a record without a byte",
    [TROUBLE_LONG] = "a record longer than any packet",
    [TROUBLE_LINK_TYPE] = "packets of a link type that is neither Bluetooth LE nor HCI",
    [TROUBLE_SHORT] = "a record too short for a packet",
    [TROUBLE_OTHER] = "a record that holds something else than a packet of Bluetooth LE",
    [TROUBLE_BACK] = "the time runs backwards",
    [TROUBLE_JUMP] = "the time jumps by more than ten minutes",
    [TROUBLE_INTERFACE] = "a packet of an interface that was not described",
    [TROUBLE_BLOCK] = "a damaged block",
    [TROUBLE_DROPPED] = "packets that were not written, as the file itself says",
};

void ys_capture_tell(struct ys_capture *capture, enum trouble kind, const char *format, ...)
{
    char text[200];
    va_list arguments;
    if (capture->troubles[kind]++ > 0 || capture->trouble == NULL)
        return;
    int length = snprintf(text, sizeof text, "%s", trouble_texts[kind]);
    va_start(arguments, format);
    (void)vsnprintf(text + length, sizeof text - (size_t)length, format, arguments);
    va_end(arguments);
    capture->trouble(capture->context, capture->offset, text);
}

void ys_capture_tell_rest(struct ys_capture *capture)
{
    for (size_t i = 0; i < TROUBLE_KINDS; i++) {
        char text[200];
        if (capture->troubles[i] < 2 || capture->trouble == NULL)
            continue;
        (void)snprintf(text, sizeof text, "%s: %llu times in all", trouble_texts[i],
                       (unsigned long long)capture->troubles[i]);
        capture->trouble(capture->context, capture->offset, text);
        capture->troubles[i] = 0;
    }
}

uint32_t ys_cursor_u32(const struct ys_capture *capture, const uint8_t *bytes)
{
    uint32_t big = (uint32_t)bytes[0] << 24 | (uint32_t)bytes[1] << 16 | (uint32_t)bytes[2] << 8 | bytes[3];
    uint32_t little = (uint32_t)bytes[3] << 24 | (uint32_t)bytes[2] << 16 | (uint32_t)bytes[1] << 8 | bytes[0];
    return capture->big ? big : little;
}

uint16_t ys_cursor_u16(const struct ys_capture *capture, const uint8_t *bytes)
{
    return (uint16_t)(capture->big ? bytes[0] << 8 | bytes[1] : bytes[1] << 8 | bytes[0]);
}

step ys_cursor_give_back(struct ys_capture *capture, size_t got)
{
    if (got > 0 && !capture->waits)
        ys_capture_tell(capture, TROUBLE_CUT_FILE, "%s", "");
    if (capture->waits) {
        clearerr(capture->file);
        (void)fseeko(capture->file, (off_t)capture->offset, SEEK_SET);
    }
    return STEP_END;
}

bool ys_cursor_fetch(struct ys_capture *capture, void *to, size_t length, size_t *got)
{
    size_t read = fread(to, 1, length, capture->file);
    *got += read;
    return read == length;
}

bool ys_cursor_pass(struct ys_capture *capture, size_t length, size_t *got)
{
    uint8_t waste[4096];
    while (length > 0) {
        size_t part = length < sizeof waste ? length : sizeof waste;
        if (!ys_cursor_fetch(capture, waste, part, got))
            return false;
        length -= part;
    }
    return true;
}

static void watch_time(struct ys_capture *capture, uint64_t at_ns)
{
    if (capture->number > 0 && at_ns + BACK_NS < capture->last_ns)
        ys_capture_tell(capture, TROUBLE_BACK, ", by %.3f s", (double)(capture->last_ns - at_ns) / 1e9);
    else if (capture->number > 0 && at_ns > capture->last_ns + JUMP_NS)
        ys_capture_tell(capture, TROUBLE_JUMP, ": by %.0f s", (double)(at_ns - capture->last_ns) / 1e9);
    capture->last_ns = at_ns;
}

step ys_cursor_unpack(struct ys_capture *capture, uint32_t link_type, size_t length, uint64_t at_ns,
                      struct ys_record *record)
{
    uint16_t device = record->device;
    if (length == 0) {
        ys_capture_tell(capture, TROUBLE_EMPTY, "%s", "");
        return STEP_MORE;
    }
    if (!ys_link_type_is_known(link_type)) {
        ys_capture_tell(capture, TROUBLE_LINK_TYPE, ": %u", link_type);
        return STEP_MORE;
    }
    watch_time(capture, at_ns);
    record->at_ns = at_ns;
    record->offset = capture->offset;
    record->number = ++capture->number;
    enum ys_unpacked unpacked = ys_link_type_unpack(link_type, capture->bytes, length, capture->scratch, record);
    if (link_type != YS_LINK_TYPE_HCI_MONITORED)
        record->device = device;
    if (unpacked == YS_UNPACKED_SHORT)
        ys_capture_tell(capture, TROUBLE_SHORT, ": %zu bytes", length);
    if (unpacked == YS_UNPACKED_OTHER)
        ys_capture_tell(capture, TROUBLE_OTHER, "%s", "");
    return unpacked == YS_UNPACKED ? STEP_RECORD : STEP_MORE;
}

step ys_cursor_record(struct ys_capture *capture, uint32_t link_type, size_t length, uint64_t at_ns, size_t *got,
                      struct ys_record *record)
{
    if (length > RECORD_MOST) {
        ys_capture_tell(capture, TROUBLE_LONG, ": %zu bytes", length);
        return ys_cursor_pass(capture, length, got) ? STEP_MORE : ys_cursor_give_back(capture, *got);
    }
    if (!ys_cursor_fetch(capture, capture->bytes, length, got))
        return ys_cursor_give_back(capture, *got);
    if (capture->prefix != 0 && length > 0) {
        memmove(capture->bytes + 1, capture->bytes, length++);
        capture->bytes[0] = capture->prefix;
    }
    return ys_cursor_unpack(capture, link_type, length, at_ns, record);
}
