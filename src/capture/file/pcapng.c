/* pcapng: blocks, each with its kind, its length before and after, and options. */
#include "capture/file/pcapng.h"

#include <string.h>

#include "wire/utf8.h"

#define BLOCK_MOST (1u << 24) /* bytes */

enum block {
    BLOCK_INTERFACE = 1,
    BLOCK_PACKET = 2, /* of older files */
    BLOCK_SIMPLE = 3,
    BLOCK_STATISTICS = 5,
    BLOCK_ENHANCED = 6,
    BLOCK_SECTION = 0x0a0d0d0a
};

/* Options of blocks. */
enum option {
    OPTION_END = 0,
    OPTION_NAME = 2,
    OPTION_RESOLUTION = 9,
    OPTION_OFFSET = 14,
    OPTION_DROPPED = 4,
    OPTION_STARTED = 2,
    OPTION_ENDED = 3
};

/* The next option of a block; false at the end. */
static bool next_option(const struct ys_capture *capture, struct ys_reader *reader, uint16_t *code,
                        struct ys_reader *value)
{
    const uint8_t *header = ys_get_bytes(reader, 4);
    if (header == NULL)
        return false;
    *code = ys_cursor_u16(capture, header);
    uint16_t length = ys_cursor_u16(capture, header + 2);
    *value = ys_get_part(reader, length);
    (void)ys_get_bytes(reader, (4 - length % 4) % 4);
    return *code != OPTION_END && ys_reader_ok(value);
}

static uint64_t ticks_of(uint8_t resolution)
{
    unsigned exponent = resolution & 0x7f;
    uint64_t ticks = 1;
    if ((resolution & 0x80) != 0)
        return exponent <= 62 ? UINT64_C(1) << exponent : 0;
    for (unsigned i = 0; i < exponent && i < 19; i++)
        ticks *= 10;
    return exponent <= 18 ? ticks : 0;
}

static uint64_t time_of(const struct interface *interface, const uint8_t *bytes, const struct ys_capture *capture)
{
    uint64_t ticks = (uint64_t)ys_cursor_u32(capture, bytes) << 32 | ys_cursor_u32(capture, bytes + 4);
    uint64_t seconds = ticks / interface->ticks;
    uint64_t rest = ticks % interface->ticks;
    uint64_t ns = interface->ticks <= NS_PER_S && NS_PER_S % interface->ticks == 0
                      ? rest * (NS_PER_S / interface->ticks)
                      : (uint64_t)((double)rest / (double)interface->ticks * 1e9);
    return (seconds + (uint64_t)interface->offset_s) * NS_PER_S + ns;
}

static bool take_interface(struct ys_capture *capture, struct ys_reader *body)
{
    const uint8_t *header = ys_get_bytes(body, 8);
    struct ys_reader value;
    uint16_t code;
    if (header == NULL || capture->interface_count == YS_CAPTURE_INTERFACES)
        return false;
    struct interface *interface = &capture->interfaces[capture->interface_count++];
    *interface = (struct interface){.link_type = ys_cursor_u16(capture, header), .ticks = 1000000};
    while (next_option(capture, body, &code, &value)) {
        size_t length = ys_reader_left(&value);
        const uint8_t *bytes = ys_get_bytes(&value, length);
        if (code == OPTION_NAME)
            ys_utf8_copy_name(interface->name, sizeof interface->name, bytes, length);
        if (code == OPTION_RESOLUTION && length == 1 && ticks_of(bytes[0]) != 0)
            interface->ticks = ticks_of(bytes[0]);
        if (code == OPTION_OFFSET && length == 8) {
            uint64_t high = ys_cursor_u32(capture, bytes + (capture->big ? 0 : 4));
            interface->offset_s = (int64_t)(high << 32 | ys_cursor_u32(capture, bytes + (capture->big ? 4 : 0)));
        }
    }
    return true;
}

static const struct interface *described(struct ys_capture *capture, uint32_t index)
{
    if (index < capture->interface_count)
        return &capture->interfaces[index];
    ys_capture_tell(capture, TROUBLE_INTERFACE, ": number %u", index);
    return NULL;
}

static void take_statistics(struct ys_capture *capture, struct ys_reader *body)
{
    const uint8_t *header = ys_get_bytes(body, 12);
    const struct interface *interface = header != NULL ? described(capture, ys_cursor_u32(capture, header)) : NULL;
    struct ys_reader value;
    uint16_t code;
    while (interface != NULL && next_option(capture, body, &code, &value)) {
        const uint8_t *bytes = ys_get_bytes(&value, 8);
        if (bytes == NULL || (code != OPTION_STARTED && code != OPTION_ENDED))
            continue;
        uint64_t at_ns = time_of(interface, bytes, capture);
        if (code == OPTION_STARTED && (!capture->has_from || at_ns < capture->from_ns)) {
            capture->from_ns = at_ns;
            capture->has_from = true;
        } else if (code == OPTION_ENDED && (!capture->has_to || at_ns > capture->to_ns)) {
            capture->to_ns = at_ns;
            capture->has_to = true;
        }
    }
}

/* Whether packets between the last one and this one were dropped, as its options say, which stand after it. */
static bool is_behind_dropped(const struct ys_capture *capture, struct ys_reader options, size_t length)
{
    struct ys_reader value;
    uint16_t code;
    if (ys_reader_left(&options) < 12)
        return false;
    (void)ys_get_bytes(&options, (4 - length % 4) % 4);
    while (next_option(capture, &options, &code, &value)) {
        const uint8_t *bytes = code == OPTION_DROPPED ? ys_get_bytes(&value, 8) : NULL;
        if (bytes != NULL && (ys_cursor_u32(capture, bytes) | ys_cursor_u32(capture, bytes + 4)) != 0)
            return true;
    }
    return false;
}

static step take_packet(struct ys_capture *capture, uint32_t kind, struct ys_reader *body, struct ys_record *record)
{
    size_t before = kind == BLOCK_SIMPLE ? 4 : 20;
    const uint8_t *header = ys_get_bytes(body, before);
    if (header == NULL) {
        ys_capture_tell(capture, TROUBLE_BLOCK, ": too short for a packet");
        return STEP_MORE;
    }
    uint32_t index = kind == BLOCK_ENHANCED ? ys_cursor_u32(capture, header)
                     : kind == BLOCK_PACKET ? ys_cursor_u16(capture, header)
                                            : 0;
    const struct interface *interface = described(capture, index);
    if (interface == NULL)
        return STEP_MORE;
    size_t length = kind == BLOCK_SIMPLE ? ys_cursor_u32(capture, header) : ys_cursor_u32(capture, header + 12);
    if (kind == BLOCK_SIMPLE && length > ys_reader_left(body))
        length = ys_reader_left(body);
    const uint8_t *bytes = length <= RECORD_MOST ? ys_get_bytes(body, length) : NULL;
    if (bytes == NULL) {
        ys_capture_tell(capture, TROUBLE_LONG, ": %zu bytes, more than its block", length);
        return STEP_MORE;
    }
    uint64_t at_ns = kind == BLOCK_SIMPLE ? capture->last_ns : time_of(interface, header + 4, capture);
    bool lost = kind == BLOCK_ENHANCED && is_behind_dropped(capture, *body, length);
    if (lost)
        ys_capture_tell(capture, TROUBLE_DROPPED, "%s", "");
    memmove(capture->bytes, bytes, length); /* over the header */
    record->device = (uint16_t)(index + 1);
    record->name = interface->name[0] != '\0' ? interface->name : NULL;
    step taken = ys_cursor_unpack(capture, interface->link_type, length, at_ns, record);
    record->lost = taken == STEP_RECORD && lost;
    return taken;
}

static step take_block(struct ys_capture *capture, uint32_t kind, size_t length, struct ys_record *record)
{
    struct ys_reader body = ys_reader_of(capture->bytes, length);
    switch (kind) {
    case BLOCK_INTERFACE:
        if (!take_interface(capture, &body))
            ys_capture_tell(capture, TROUBLE_BLOCK, ": an interface that cannot be");
        return STEP_MORE;
    case BLOCK_PACKET:
    case BLOCK_SIMPLE:
    case BLOCK_ENHANCED:
        return take_packet(capture, kind, &body, record);
    case BLOCK_STATISTICS:
        take_statistics(capture, &body);
        return STEP_MORE;
    default:
        return STEP_MORE; /* of others there are many, and new ones come */
    }
}

/* The rest of a section header: its byte order is given by a mark in it. */
static bool begin_section(struct ys_capture *capture, const uint8_t mark[4])
{
    static const uint8_t big[4] = {0x1a, 0x2b, 0x3c, 0x4d};
    static const uint8_t little[4] = {0x4d, 0x3c, 0x2b, 0x1a};
    capture->big = memcmp(mark, big, 4) == 0;
    capture->interface_count = 0;
    return capture->big || memcmp(mark, little, 4) == 0;
}

static step broken_block(struct ys_capture *capture, const char *why)
{
    ys_capture_tell(capture, TROUBLE_BLOCK, ": %s; what lies behind it cannot be found", why);
    capture->broken = true;
    return STEP_END;
}

static step next_pcapng(struct ys_capture *capture, struct ys_record *record)
{
    uint8_t header[12];
    uint8_t trailer[4];
    size_t got = 0;
    if (!ys_cursor_fetch(capture, header, 8, &got))
        return ys_cursor_give_back(capture, got);
    uint32_t kind = ys_cursor_u32(capture, header); /* that of a section is the same from both sides */
    size_t read = 8;
    if (kind == BLOCK_SECTION) {
        if (!ys_cursor_fetch(capture, header + 8, 4, &got))
            return ys_cursor_give_back(capture, got);
        read = 12;
        if (!begin_section(capture, header + 8))
            return broken_block(capture, "a section without its mark");
    }
    size_t length = ys_cursor_u32(capture, header + 4);
    if (length < read + 4 || length > BLOCK_MOST || length % 4 != 0)
        return broken_block(capture, "its length cannot be");
    size_t rest = length - read - 4;
    step taken = STEP_MORE;
    if (rest > RECORD_MOST) {
        if (!ys_cursor_pass(capture, rest, &got))
            return ys_cursor_give_back(capture, got);
        if (kind == BLOCK_ENHANCED || kind == BLOCK_PACKET || kind == BLOCK_SIMPLE)
            ys_capture_tell(capture, TROUBLE_LONG, ": %zu bytes", rest);
    } else if (!ys_cursor_fetch(capture, capture->bytes, rest, &got)) {
        return ys_cursor_give_back(capture, got);
    }
    if (!ys_cursor_fetch(capture, trailer, 4, &got))
        return ys_cursor_give_back(capture, got);
    if (rest <= RECORD_MOST)
        taken = take_block(capture, kind, rest, record);
    if (ys_cursor_u32(capture, trailer) != length)
        ys_capture_tell(capture, TROUBLE_BLOCK, ": its length before and behind it are not the same");
    capture->offset += got;
    return taken;
}

const char *ys_pcapng_begin(struct ys_capture *capture, const uint8_t magic[4], bool *ours)
{
    static const uint8_t section[4] = {0x0a, 0x0d, 0x0d, 0x0a};
    uint8_t rest[8];
    size_t got = 0;
    *ours = memcmp(magic, section, 4) == 0;
    if (!*ours)
        return NULL;
    if (!ys_cursor_fetch(capture, rest, sizeof rest, &got) || !begin_section(capture, rest + 4))
        return "it is no capture: the beginning of its first section is damaged";
    capture->next = next_pcapng;
    rewind(capture->file);
    return NULL;
}
