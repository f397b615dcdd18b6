/* The three formats of files. Each has a function that reads its next record; all share a cursor over the file that
 * knows where it is, and goes back to the begin of a record that is not whole yet. */
#include "capture/file/reader.h"

#include <errno.h>
#include <stdarg.h>
#include <stdlib.h>
#include <string.h>

#include "capture/file/link_types.h"
#include "wire/hci.h"
#include "wire/utf8.h"

#define BUFFER_SIZE    (1u << 18)
#define RECORD_MOST    (1u << 18) /* bytes of a record; more is no packet of ours */
#define BLOCK_MOST     (1u << 24)
#define INTERFACE_MOST 256
#define BACK_NS        UINT64_C(20000000) /* a packet's time may be before that of one that ended first */
#define JUMP_NS        (UINT64_C(600) * 1000000000)
#define NS_PER_S       UINT64_C(1000000000)

/* What can be wrong. */
enum trouble {
    TROUBLE_CUT_FILE,
    TROUBLE_EMPTY,
    TROUBLE_LONG,
    TROUBLE_LINK_TYPE,
    TROUBLE_SHORT,
    TROUBLE_OTHER,
    TROUBLE_BACK,
    TROUBLE_JUMP,
    TROUBLE_INTERFACE,
    TROUBLE_BLOCK,
    TROUBLE_DROPPED,
    TROUBLE_KINDS
};

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

struct interface {
    uint32_t link_type;
    uint64_t ticks; /* in a second */
    int64_t offset_s;
    char name[64];
};

typedef enum step {
    STEP_RECORD, /* one was read */
    STEP_MORE,   /* something else was: go on */
    STEP_END
} step;

struct ys_capture {
    FILE *file;
    char *buffer;
    uint8_t *bytes;   /* of the record */
    uint8_t *scratch; /* for what is put before them */
    step (*next)(struct ys_capture *capture, struct ys_record *record);
    ys_capture_trouble_fn *trouble;
    void *context;
    uint64_t troubles[TROUBLE_KINDS];
    uint64_t offset;
    uint64_t number;
    uint64_t last_ns;
    uint64_t from_ns;
    uint64_t to_ns;
    bool waits;
    bool broken;
    bool big;       /* the most significant byte comes first */
    bool bare;      /* snoop: packets have no type */
    uint8_t prefix; /* which is to be put before the next; 0: none */
    bool has_from;
    bool has_to;
    struct interface *interfaces;
    size_t interface_count;
};

#if defined(__GNUC__)
__attribute__((format(printf, 3, 4)))
#endif
static void
tell(struct ys_capture *capture, enum trouble kind, const char *format, ...)
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

void ys_capture_end(struct ys_capture *capture)
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

/* the cursor */

static uint32_t get_u32(const struct ys_capture *capture, const uint8_t *bytes)
{
    uint32_t big = (uint32_t)bytes[0] << 24 | (uint32_t)bytes[1] << 16 | (uint32_t)bytes[2] << 8 | bytes[3];
    uint32_t little = (uint32_t)bytes[3] << 24 | (uint32_t)bytes[2] << 16 | (uint32_t)bytes[1] << 8 | bytes[0];
    return capture->big ? big : little;
}

static uint16_t get_u16(const struct ys_capture *capture, const uint8_t *bytes)
{
    return (uint16_t)(capture->big ? bytes[0] << 8 | bytes[1] : bytes[1] << 8 | bytes[0]);
}

/* The end of the file has come within a record that began at `capture->offset`. */
static step give_back(struct ys_capture *capture, size_t got)
{
    if (got > 0 && !capture->waits)
        tell(capture, TROUBLE_CUT_FILE, "%s", "");
    if (capture->waits) {
        clearerr(capture->file);
        (void)fseeko(capture->file, (off_t)capture->offset, SEEK_SET);
    }
    return STEP_END;
}

/* Reads into `to`; false if there is less. `got` counts what was there. */
static bool fetch(struct ys_capture *capture, void *to, size_t length, size_t *got)
{
    size_t read = fread(to, 1, length, capture->file);
    *got += read;
    return read == length;
}

/* Passes over bytes of the file; false if there are fewer. */
static bool pass(struct ys_capture *capture, size_t length, size_t *got)
{
    uint8_t waste[4096];
    while (length > 0) {
        size_t part = length < sizeof waste ? length : sizeof waste;
        if (!fetch(capture, waste, part, got))
            return false;
        length -= part;
    }
    return true;
}

/* records */

static void watch_time(struct ys_capture *capture, uint64_t at_ns)
{
    if (capture->number > 0 && at_ns + BACK_NS < capture->last_ns)
        tell(capture, TROUBLE_BACK, ", by %.3f s", (double)(capture->last_ns - at_ns) / 1e9);
    else if (capture->number > 0 && at_ns > capture->last_ns + JUMP_NS)
        tell(capture, TROUBLE_JUMP, ": by %.0f s", (double)(at_ns - capture->last_ns) / 1e9);
    capture->last_ns = at_ns;
}

static step unpack(struct ys_capture *capture, uint32_t link_type, size_t length, uint64_t at_ns,
                   struct ys_record *record)
{
    uint16_t device = record->device;
    if (length == 0) {
        tell(capture, TROUBLE_EMPTY, "%s", "");
        return STEP_MORE;
    }
    if (!ys_link_type_is_known(link_type)) {
        tell(capture, TROUBLE_LINK_TYPE, ": %u", link_type);
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
        tell(capture, TROUBLE_SHORT, ": %zu bytes", length);
    if (unpacked == YS_UNPACKED_OTHER)
        tell(capture, TROUBLE_OTHER, "%s", "");
    return unpacked == YS_UNPACKED ? STEP_RECORD : STEP_MORE;
}

/* Reads the bytes of a record, whose header has been read, to `capture->bytes`, and unpacks it. */
static step take_record(struct ys_capture *capture, uint32_t link_type, size_t length, uint64_t at_ns, size_t *got,
                        struct ys_record *record)
{
    if (length > RECORD_MOST) {
        tell(capture, TROUBLE_LONG, ": %zu bytes", length);
        return pass(capture, length, got) ? STEP_MORE : give_back(capture, *got);
    }
    if (!fetch(capture, capture->bytes, length, got))
        return give_back(capture, *got);
    if (capture->prefix != 0 && length > 0) {
        memmove(capture->bytes + 1, capture->bytes, length++);
        capture->bytes[0] = capture->prefix;
    }
    return unpack(capture, link_type, length, at_ns, record);
}

/* pcap: a header of 24 bytes, then records with one of 16 */

static step next_pcap(struct ys_capture *capture, struct ys_record *record)
{
    uint8_t header[16];
    size_t got = 0;
    if (!fetch(capture, header, sizeof header, &got))
        return give_back(capture, got);
    const struct interface *interface = capture->interfaces;
    uint64_t ticks = interface->ticks;
    uint32_t fraction = get_u32(capture, header + 4);
    uint64_t at_ns = get_u32(capture, header) * NS_PER_S + fraction * (NS_PER_S / ticks);
    record->device = 1;
    record->name = NULL;
    step taken = take_record(capture, interface->link_type, get_u32(capture, header + 8), at_ns, &got, record);
    capture->offset += taken != STEP_END ? got : 0;
    return taken;
}

static bool begin_pcap(struct ys_capture *capture, const uint8_t magic[4])
{
    static const uint8_t little[2][4] = {{0xd4, 0xc3, 0xb2, 0xa1}, {0x4d, 0x3c, 0xb2, 0xa1}};
    uint8_t rest[20];
    size_t got = 0;
    for (int i = 0; i < 4; i++) {
        bool big = i >= 2;
        uint8_t wanted[4];
        for (int j = 0; j < 4; j++)
            wanted[j] = little[i % 2][big ? 3 - j : j];
        if (memcmp(magic, wanted, 4) != 0)
            continue;
        capture->big = big;
        capture->next = next_pcap;
        if (!fetch(capture, rest, sizeof rest, &got))
            return false;
        capture->interfaces[0] = (struct interface){.link_type = get_u32(capture, rest + 16) & 0x0fffffff,
                                                    .ticks = i % 2 == 1 ? NS_PER_S : 1000000};
        capture->interface_count = 1;
        capture->offset = 24;
        return true;
    }
    return false;
}

/* snoop: a header of 16 bytes, then records with one of 24; times in microseconds since the year 0, as those count who
 * write it */

#define SNOOP_YEAR_1970 UINT64_C(62168256000000000)

/* Kinds of it: the packets have no type, which their flags tell, or have one. */
enum snoop { SNOOP_BARE = 1001, SNOOP_TYPED = 1002 };

static uint8_t type_of(uint32_t flags)
{
    return (flags & 2) == 0 ? YS_HCI_DATA : (flags & 1) != 0 ? YS_HCI_EVENT : YS_HCI_COMMAND;
}

static step next_snoop(struct ys_capture *capture, struct ys_record *record)
{
    uint8_t header[24];
    size_t got = 0;
    if (!fetch(capture, header, sizeof header, &got))
        return give_back(capture, got);
    uint32_t flags = get_u32(capture, header + 8);
    uint64_t at_us = (uint64_t)get_u32(capture, header + 16) << 32 | get_u32(capture, header + 20);
    uint64_t at_ns = (at_us > SNOOP_YEAR_1970 ? at_us - SNOOP_YEAR_1970 : at_us) * 1000;
    record->device = 1;
    record->name = NULL;
    capture->prefix = capture->bare ? type_of(flags) : 0;
    if (get_u32(capture, header + 12) > 0)
        tell(capture, TROUBLE_DROPPED, ": %u so far", get_u32(capture, header + 12));
    step taken =
        take_record(capture, capture->interfaces->link_type, get_u32(capture, header + 4), at_ns, &got, record);
    if (taken == STEP_RECORD) {
        record->to_host = (flags & 1) != 0;
        record->direction_is_sure = true;
    }
    capture->offset += taken != STEP_END ? got : 0;
    return taken;
}

static bool begin_snoop(struct ys_capture *capture, const uint8_t magic[4])
{
    static const uint8_t wanted[8] = {'b', 't', 's', 'n', 'o', 'o', 'p', 0};
    uint8_t rest[12];
    size_t got = 0;
    if (memcmp(magic, wanted, 4) != 0 || !fetch(capture, rest, sizeof rest, &got) || memcmp(rest, wanted + 4, 4) != 0)
        return false;
    capture->big = true;
    capture->next = next_snoop;
    uint32_t kind = get_u32(capture, rest + 8);
    bool known = kind == SNOOP_BARE || kind == SNOOP_TYPED;
    capture->bare = kind == SNOOP_BARE;
    capture->interfaces[0] = (struct interface){.link_type = known ? YS_LINK_TYPE_HCI : UINT32_MAX, .ticks = 1000000};
    capture->interface_count = 1;
    capture->offset = 16;
    return true;
}

/* pcapng: blocks, each with its kind, its length before and behind, and options */

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
    *code = get_u16(capture, header);
    uint16_t length = get_u16(capture, header + 2);
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
    uint64_t ticks = (uint64_t)get_u32(capture, bytes) << 32 | get_u32(capture, bytes + 4);
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
    if (header == NULL || capture->interface_count == INTERFACE_MOST)
        return false;
    struct interface *interface = &capture->interfaces[capture->interface_count++];
    *interface = (struct interface){.link_type = get_u16(capture, header), .ticks = 1000000};
    while (next_option(capture, body, &code, &value)) {
        size_t length = ys_reader_left(&value);
        const uint8_t *bytes = ys_get_bytes(&value, length);
        if (code == OPTION_NAME)
            ys_utf8_copy_name(interface->name, sizeof interface->name, bytes, length);
        if (code == OPTION_RESOLUTION && length == 1 && ticks_of(bytes[0]) != 0)
            interface->ticks = ticks_of(bytes[0]);
        if (code == OPTION_OFFSET && length == 8) {
            uint64_t high = get_u32(capture, bytes + (capture->big ? 0 : 4));
            interface->offset_s = (int64_t)(high << 32 | get_u32(capture, bytes + (capture->big ? 4 : 0)));
        }
    }
    return true;
}

static const struct interface *described(struct ys_capture *capture, uint32_t index)
{
    if (index < capture->interface_count)
        return &capture->interfaces[index];
    tell(capture, TROUBLE_INTERFACE, ": number %u", index);
    return NULL;
}

static void take_statistics(struct ys_capture *capture, struct ys_reader *body)
{
    const uint8_t *header = ys_get_bytes(body, 12);
    const struct interface *interface = header != NULL ? described(capture, get_u32(capture, header)) : NULL;
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

static step take_packet(struct ys_capture *capture, uint32_t kind, struct ys_reader *body, struct ys_record *record)
{
    size_t before = kind == BLOCK_SIMPLE ? 4 : 20;
    const uint8_t *header = ys_get_bytes(body, before);
    if (header == NULL) {
        tell(capture, TROUBLE_BLOCK, ": too short for a packet");
        return STEP_MORE;
    }
    uint32_t index = kind == BLOCK_ENHANCED ? get_u32(capture, header)
                     : kind == BLOCK_PACKET ? get_u16(capture, header)
                                            : 0;
    const struct interface *interface = described(capture, index);
    if (interface == NULL)
        return STEP_MORE;
    size_t length = kind == BLOCK_SIMPLE ? get_u32(capture, header) : get_u32(capture, header + 12);
    if (kind == BLOCK_SIMPLE && length > ys_reader_left(body))
        length = ys_reader_left(body);
    const uint8_t *bytes = length <= RECORD_MOST ? ys_get_bytes(body, length) : NULL;
    if (bytes == NULL) {
        tell(capture, TROUBLE_LONG, ": %zu bytes, more than its block", length);
        return STEP_MORE;
    }
    uint64_t at_ns = kind == BLOCK_SIMPLE ? capture->last_ns : time_of(interface, header + 4, capture);
    memmove(capture->bytes, bytes, length); /* over the header */
    record->device = (uint16_t)(index + 1);
    record->name = interface->name[0] != '\0' ? interface->name : NULL;
    return unpack(capture, interface->link_type, length, at_ns, record);
}

static step take_block(struct ys_capture *capture, uint32_t kind, size_t length, struct ys_record *record)
{
    struct ys_reader body = ys_reader_of(capture->bytes, length);
    switch (kind) {
    case BLOCK_INTERFACE:
        if (!take_interface(capture, &body))
            tell(capture, TROUBLE_BLOCK, ": an interface that cannot be");
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

/* What comes behind a section's kind: which byte comes first is told by a mark in it. */
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
    tell(capture, TROUBLE_BLOCK, ": %s; what lies behind it cannot be found", why);
    capture->broken = true;
    return STEP_END;
}

static step next_pcapng(struct ys_capture *capture, struct ys_record *record)
{
    uint8_t header[12];
    uint8_t trailer[4];
    size_t got = 0;
    if (!fetch(capture, header, 8, &got))
        return give_back(capture, got);
    uint32_t kind = get_u32(capture, header); /* that of a section is the same from both sides */
    size_t read = 8;
    if (kind == BLOCK_SECTION) {
        if (!fetch(capture, header + 8, 4, &got))
            return give_back(capture, got);
        read = 12;
        if (!begin_section(capture, header + 8))
            return broken_block(capture, "a section without its mark");
    }
    size_t length = get_u32(capture, header + 4);
    if (length < read + 4 || length > BLOCK_MOST || length % 4 != 0)
        return broken_block(capture, "its length cannot be");
    size_t rest = length - read - 4;
    step taken = STEP_MORE;
    if (rest > RECORD_MOST) {
        if (!pass(capture, rest, &got))
            return give_back(capture, got);
        if (kind == BLOCK_ENHANCED || kind == BLOCK_PACKET || kind == BLOCK_SIMPLE)
            tell(capture, TROUBLE_LONG, ": %zu bytes", rest);
    } else if (!fetch(capture, capture->bytes, rest, &got)) {
        return give_back(capture, got);
    }
    if (!fetch(capture, trailer, 4, &got))
        return give_back(capture, got);
    if (rest <= RECORD_MOST)
        taken = take_block(capture, kind, rest, record);
    if (get_u32(capture, trailer) != length)
        tell(capture, TROUBLE_BLOCK, ": its length before and behind it are not the same");
    capture->offset += got;
    return taken;
}

/* opening */

static const char *begin(struct ys_capture *capture)
{
    uint8_t magic[12];
    size_t got = 0;
    static const uint8_t section[4] = {0x0a, 0x0d, 0x0d, 0x0a};
    if (!fetch(capture, magic, 4, &got))
        return got == 0 ? "it is empty" : "it is no capture: it has only a few bytes";
    if (memcmp(magic, section, 4) == 0) {
        if (!fetch(capture, magic + 4, 8, &got) || !begin_section(capture, magic + 8))
            return "it is no capture: the beginning of its first section is damaged";
        capture->next = next_pcapng;
        rewind(capture->file);
        return NULL;
    }
    if (begin_pcap(capture, magic) || begin_snoop(capture, magic)) {
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
        capture->interfaces = calloc(INTERFACE_MOST, sizeof *capture->interfaces);
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
