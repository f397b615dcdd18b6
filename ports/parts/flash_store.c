/* A page begins with a mark, and then has records, each with a header before its bytes:
 *
 *   mark:    "YS" 01 unit | sequence (4) | check (4), in units of its own
 *   record:  key (2) | length (2) | check of bytes (4) | check of these eight (4), in units of its own | bytes, filled
 * up
 *
 * A record without bytes says that there is none any more. The last one of a key counts. A header is written after its
 * bytes, so that a record is there as a whole or not at all; and the mark of a page after everything that is copied. */
#include "parts/flash_store.h"

#include <string.h>

#define MARK_SIZE   12
#define HEADER_SIZE 12
#define UNIT_MOST   32
#define ERASED      0xff
#define COPIED      64 /* at once */

struct header {
    uint16_t key;
    uint16_t length;
    uint32_t check;
};

/* Called with each record, from the first to the last; false stops. */
typedef bool record_fn(void *context, uint32_t offset, const struct header *header);

/* CRC-32, with which a record that was cut off does not pass for a whole one. */
static uint32_t check_more(uint32_t check, const uint8_t *bytes, size_t length)
{
    static const uint32_t table[16] = {
        0x00000000, 0x1db71064, 0x3b6e20c8, 0x26d930ac, 0x76dc4190, 0x6b6b51f4, 0x4db26158, 0x5005713c,
        0xedb88320, 0xf00f9344, 0xd6d6a3e8, 0xcb61b38c, 0x9b64c2b0, 0x86d3d2d4, 0xa00ae278, 0xbdbdf21c,
    };
    for (size_t i = 0; i < length; i++) {
        check ^= bytes[i];
        check = check >> 4 ^ table[check & 0xf];
        check = check >> 4 ^ table[check & 0xf];
    }
    return check;
}

static uint32_t check_of(const uint8_t *bytes, size_t length)
{
    return ~check_more(UINT32_MAX, bytes, length);
}

static void put_u32(uint8_t *to, uint32_t value)
{
    for (int i = 0; i < 4; i++)
        to[i] = (uint8_t)(value >> 8 * i);
}

static uint32_t get_u32(const uint8_t *from)
{
    return from[0] | (uint32_t)from[1] << 8 | (uint32_t)from[2] << 16 | (uint32_t)from[3] << 24;
}

static uint32_t in_units(const struct ys_flash *flash, uint32_t length)
{
    return (length + flash->unit - 1) / flash->unit * flash->unit;
}

static uint32_t begin_of_records(const struct ys_flash *flash)
{
    return in_units(flash, MARK_SIZE);
}

static uint32_t size_of_record(const struct ys_flash *flash, uint32_t length)
{
    return in_units(flash, HEADER_SIZE) + in_units(flash, length);
}

static void read_flash(const struct ys_flash *flash, unsigned page, uint32_t offset, void *bytes, uint32_t length)
{
    flash->read(flash->context, page, offset, bytes, length);
}

static bool is_erased(const struct ys_flash *flash, unsigned page, uint32_t offset, uint32_t length)
{
    uint8_t bytes[COPIED];
    for (uint32_t at = 0; at < length; at++) {
        uint32_t left = length - at;
        if (at % sizeof bytes == 0)
            read_flash(flash, page, offset + at, bytes, left < sizeof bytes ? left : sizeof bytes);
        if (bytes[at % sizeof bytes] != ERASED)
            return false;
    }
    return true;
}

/* Programs bytes, the last unit filled up, and looks whether they are there. */
static bool program(const struct ys_flash *flash, unsigned page, uint32_t offset, const uint8_t *bytes, uint32_t length)
{
    while (length > 0) {
        uint8_t part[COPIED];
        uint8_t there[COPIED];
        uint32_t count = length < sizeof part ? length : sizeof part;
        uint32_t filled = in_units(flash, count);
        memset(part, ERASED, sizeof part);
        memcpy(part, bytes, count);
        if (!flash->program(flash->context, page, offset, part, filled))
            return false;
        read_flash(flash, page, offset, there, filled);
        if (memcmp(part, there, filled) != 0)
            return false;
        offset += filled;
        bytes += count;
        length -= count;
    }
    return true;
}

/* what lies in a page */

static bool read_mark(const struct ys_flash *flash, unsigned page, uint32_t *sequence)
{
    uint8_t mark[MARK_SIZE];
    read_flash(flash, page, 0, mark, sizeof mark);
    *sequence = get_u32(mark + 4);
    return mark[0] == 'Y' && mark[1] == 'S' && mark[2] == 1 && mark[3] == flash->unit &&
           get_u32(mark + 8) == check_of(mark, 8);
}

static bool write_mark(const struct ys_flash *flash, unsigned page, uint32_t sequence)
{
    uint8_t mark[MARK_SIZE] = {'Y', 'S', 1, (uint8_t)flash->unit};
    put_u32(mark + 4, sequence);
    put_u32(mark + 8, check_of(mark, 8));
    return program(flash, page, 0, mark, sizeof mark);
}

/* False: there is no whole header. */
static bool read_header(const struct ys_flash *flash, unsigned page, uint32_t offset, struct header *header)
{
    uint8_t bytes[HEADER_SIZE];
    uint32_t room = flash->page_size - offset;
    if (room < in_units(flash, HEADER_SIZE))
        return false;
    read_flash(flash, page, offset, bytes, sizeof bytes);
    header->key = (uint16_t)(bytes[0] | bytes[1] << 8);
    header->length = (uint16_t)(bytes[2] | bytes[3] << 8);
    header->check = get_u32(bytes + 4);
    return get_u32(bytes + 8) == check_of(bytes, 8) && size_of_record(flash, header->length) <= room;
}

static bool is_whole(const struct ys_flash *flash, unsigned page, uint32_t offset, const struct header *header)
{
    uint8_t bytes[COPIED];
    uint32_t check = UINT32_MAX;
    uint32_t left = header->length;
    offset += in_units(flash, HEADER_SIZE);
    while (left > 0) {
        uint32_t part = left < sizeof bytes ? left : sizeof bytes;
        read_flash(flash, page, offset, bytes, part);
        check = check_more(check, bytes, part);
        offset += part;
        left -= part;
    }
    return ~check == header->check;
}

/* All records of the page that counts; returns where they end. */
static uint32_t each_record(const struct ys_flash_store *store, record_fn *call, void *context)
{
    const struct ys_flash *flash = store->flash;
    uint32_t offset = begin_of_records(flash);
    struct header header;
    while (read_header(flash, store->page, offset, &header) && (call == NULL || call(context, offset, &header)))
        offset += size_of_record(flash, header.length);
    return offset;
}

struct search {
    uint16_t key;
    uint32_t before; /* this offset */
    uint32_t offset; /* 0: none */
    struct header header;
};

static bool look(void *context, uint32_t offset, const struct header *header)
{
    struct search *search = context;
    if (header->key == search->key && offset < search->before) {
        search->offset = offset;
        search->header = *header;
    }
    return offset < search->before;
}

/* The last complete record of a key; false if there is none, or it marks a deletion. */
static bool find(const struct ys_flash_store *store, uint16_t key, struct search *search)
{
    *search = (struct search){.key = key, .before = UINT32_MAX};
    for (;;) {
        (void)each_record(store, look, search);
        if (search->offset == 0 || is_whole(store->flash, store->page, search->offset, &search->header))
            return search->offset != 0 && search->header.length > 0;
        search->before = search->offset; /* a bit of it has turned */
        search->offset = 0;
    }
}

/* from one page to the other */

struct copying {
    const struct ys_flash_store *store;
    uint16_t without; /* this key, */
    bool has_without;
    bool only_counts;
    bool good;
    uint32_t to; /* offset in the other page */
};

static bool copy_bytes(const struct copying *copying, uint32_t from, uint32_t length)
{
    const struct ys_flash *flash = copying->store->flash;
    uint8_t bytes[COPIED];
    for (uint32_t at = 0; at < length;) {
        uint32_t part = length - at < sizeof bytes ? length - at : sizeof bytes;
        read_flash(flash, copying->store->page, from + at, bytes, part);
        if (!program(flash, copying->store->page ^ 1U, copying->to + at, bytes, part))
            return false;
        at += part;
    }
    return true;
}

/* A record that is the last of its key. */
static bool copy_record(void *context, uint32_t offset, const struct header *header)
{
    struct copying *copying = context;
    const struct ys_flash *flash = copying->store->flash;
    struct search last;
    uint32_t size = size_of_record(flash, header->length);
    if ((copying->has_without && header->key == copying->without) || !find(copying->store, header->key, &last) ||
        last.offset != offset)
        return true;
    if (!copying->only_counts)
        copying->good = copy_bytes(copying, offset, size);
    copying->to += size;
    return copying->good;
}

/* How much the records take that count, but for that of a key. */
static uint32_t used(const struct ys_flash_store *store, bool has_without, uint16_t without)
{
    struct copying copying = {.store = store,
                              .without = without,
                              .has_without = has_without,
                              .only_counts = true,
                              .good = true,
                              .to = begin_of_records(store->flash)};
    (void)each_record(store, copy_record, &copying);
    return copying.to;
}

static bool write_record(const struct ys_flash *flash, unsigned page, uint32_t offset, uint16_t key,
                         const uint8_t *bytes, uint32_t length)
{
    uint8_t header[HEADER_SIZE] = {(uint8_t)key, (uint8_t)(key >> 8), (uint8_t)length, (uint8_t)(length >> 8)};
    put_u32(header + 4, check_of(bytes, length));
    put_u32(header + 8, check_of(header, 8));
    return program(flash, page, offset + in_units(flash, HEADER_SIZE), bytes, length) &&
           program(flash, page, offset, header, sizeof header);
}

static bool erase(const struct ys_flash *flash, unsigned page)
{
    return flash->erase(flash->context, page) && is_erased(flash, page, 0, flash->page_size);
}

/* Copies the valid records to the other page, with a new record of this key in place of the old one. */
static bool move(struct ys_flash_store *store, uint16_t key, const uint8_t *bytes, uint32_t length)
{
    const struct ys_flash *flash = store->flash;
    struct copying copying = {
        .store = store, .without = key, .has_without = true, .good = true, .to = begin_of_records(flash)};
    unsigned other = store->page ^ 1U;
    if (!erase(flash, other)) /* also if it looks so: an erasure may have been cut off */
        return false;
    (void)each_record(store, copy_record, &copying);
    if (!copying.good || (length > 0 && !write_record(flash, other, copying.to, key, bytes, length)))
        return false;
    uint32_t sequence;
    if (!write_mark(flash, other, store->sequence + 1) && !read_mark(flash, other, &sequence))
        return false; /* whatever reads as a mark counts from now on */
    store->page = (uint8_t)other;
    store->sequence++;
    store->torn = false;
    store->end = copying.to + (length > 0 ? size_of_record(flash, length) : 0);
    return true;
}

/* the calls */

static bool is_possible(const struct ys_flash *flash)
{
    return flash->unit >= 1 && flash->unit <= UNIT_MOST && (flash->unit & (flash->unit - 1)) == 0 &&
           flash->page_size >= 512 && flash->page_size <= 65536 && flash->page_size % flash->unit == 0;
}

bool ys_flash_store_open(struct ys_flash_store *store, const struct ys_flash *flash)
{
    uint32_t sequences[2];
    memset(store, 0, sizeof *store);
    store->flash = flash;
    if (!is_possible(flash))
        return false;
    const bool there[2] = {read_mark(flash, 0, &sequences[0]), read_mark(flash, 1, &sequences[1])};
    if (!there[0] && !there[1]) {
        if ((!is_erased(flash, 0, 0, flash->page_size) && !erase(flash, 0)) || !write_mark(flash, 0, 1))
            return false;
        store->sequence = 1;
    } else {
        store->page = !there[0] || (there[1] && (int32_t)(sequences[1] - sequences[0]) > 0);
        store->sequence = sequences[store->page];
    }
    store->end = each_record(store, NULL, NULL);
    store->torn = !is_erased(flash, store->page, store->end, flash->page_size - store->end);
    store->ready = true;
    return true;
}

size_t ys_flash_store_get(const struct ys_flash_store *store, uint16_t key, void *bytes, size_t size)
{
    struct search search;
    if (!store->ready || !find(store, key, &search))
        return 0;
    size_t length = search.header.length;
    read_flash(store->flash, store->page, search.offset + in_units(store->flash, HEADER_SIZE), bytes,
               (uint32_t)(length < size ? length : size));
    return length;
}

static bool is_same(const struct ys_flash_store *store, uint16_t key, const uint8_t *bytes, size_t length)
{
    struct search search;
    return find(store, key, &search) && search.header.length == length &&
           search.header.check == check_of(bytes, length);
}

/* Appends a record, or moves all to the other page with it. */
static bool append(struct ys_flash_store *store, uint16_t key, const uint8_t *bytes, uint32_t length)
{
    const struct ys_flash *flash = store->flash;
    uint32_t size = size_of_record(flash, length);
    if (!store->torn && size <= flash->page_size - store->end) {
        if (write_record(flash, store->page, store->end, key, bytes, length)) {
            store->end += size;
            return true;
        }
        store->torn = true; /* a worn cell: the other page may still do */
    }
    return used(store, true, key) + (length > 0 ? size : 0) <= flash->page_size && move(store, key, bytes, length);
}

bool ys_flash_store_put(struct ys_flash_store *store, uint16_t key, const void *bytes, size_t length)
{
    if (!store->ready || length == 0 || length > store->flash->page_size)
        return false;
    return is_same(store, key, bytes, length) || append(store, key, bytes, (uint32_t)length);
}

void ys_flash_store_delete(struct ys_flash_store *store, uint16_t key)
{
    struct search search;
    if (store->ready && find(store, key, &search))
        (void)append(store, key, NULL, 0);
}

uint32_t ys_flash_store_room(const struct ys_flash_store *store)
{
    return store->ready ? store->flash->page_size - used(store, false, 0) : 0;
}

uint32_t ys_flash_store_erased(const struct ys_flash_store *store)
{
    return store->sequence > 0 ? store->sequence - 1
                               : 0; /* each copy erases one page, but for the first, of new flash */
}
