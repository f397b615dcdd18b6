/* Writes that wait: those that are queued until they are executed (Core 5.4 Vol 3 Part F 3.4.6), and commands that wait
 * for consent. All of all connections lie in one memory, one after the other, each with a header:
 *
 *   struct header, whose owner is the place of a connection, and bits; value
 *
 * The value of a command begins with its token.
 *
 * Nothing moves in this memory while firmware is called: a handler reads its value here, and what it calls may take
 * entries away while a walk goes over them. An entry that is taken away only stops counting; its room is used again
 * when the next one is added, which no call of the firmware can bring about. */
#include "host/gatt/server/queue.h"
#include "host/core/clock.h"
#include "host/core/connections.h"

#include <string.h>

#include "host/gatt/server/attributes.h"
#include "host/l2cap/frames.h"

#define TOKEN_SIZE  4
#define VALUE_MOST  512   /* bytes: the longest value there is (Vol 3 Part F 3.2.9) */
#define PATIENCE_MS 30000 /* with queues that are not executed, when others need their room */

/* Bits of an owner. */
#define IS_COMMAND   0x80
#define IS_CONSENTED 0x40

/* The owner of an entry that was taken away. */
#define NOBODY 0xff
_Static_assert(YS_CONNECTIONS <= 0x20, "the place of a connection leaves room for the bits, and is never nobody");

/* As it lies in the memory. */
struct header {
    uint16_t handle;
    uint16_t offset;
    uint16_t length;
    uint8_t owner;
};

#define HEADER_SIZE sizeof(struct header)

struct entry {
    struct header header;
    uint16_t at; /* in the memory */
    uint8_t *value;
};

static uint8_t owner_of(const struct ys_host *host, const struct ys_connection *connection)
{
    return (uint8_t)(connection - host->connections);
}

static uint16_t behind(const struct entry *entry)
{
    return (uint16_t)(entry->at + HEADER_SIZE + entry->header.length);
}

static void read_entry(struct ys_host *host, uint16_t at, struct entry *entry)
{
    entry->at = at;
    entry->value = host->queue + at + HEADER_SIZE;
    memcpy(&entry->header, host->queue + at, HEADER_SIZE);
}

/* Reads the first entry from `at` on; false at the end. */
static bool get_entry(struct ys_host *host, uint16_t at, struct entry *entry)
{
    for (; at < host->queue_length; at = behind(entry)) {
        read_entry(host, at, entry);
        if (entry->header.owner != NOBODY)
            return true;
    }
    return false;
}

static void put_header(struct ys_host *host, const struct entry *entry)
{
    memcpy(host->queue + entry->at, &entry->header, HEADER_SIZE);
}

static bool fits(const struct ys_host *host, size_t length)
{
    return host->queue_length + length <= YS_QUEUE_SIZE;
}

static void remove_entry(struct ys_host *host, struct entry *entry)
{
    entry->header.owner = NOBODY;
    put_header(host, entry);
}

/* Closes the gaps. Only before an entry is added: then nothing iterates over entries or reads a value. */
static void close_gaps(struct ys_host *host)
{
    uint16_t kept = 0;
    struct entry entry;
    for (uint16_t at = 0, next; get_entry(host, at, &entry); at = next) {
        uint16_t size = (uint16_t)(HEADER_SIZE + entry.header.length);
        next = behind(&entry);
        memmove(host->queue + kept, host->queue + entry.at, size);
        kept = (uint16_t)(kept + size);
    }
    host->queue_length = kept;
}

/* Takes away all entries of a connection, whatever these bits of their owner are; false if there was none. */
static bool remove_all(struct ys_host *host, const struct ys_connection *connection, uint8_t bits)
{
    uint8_t owner = owner_of(host, connection);
    struct entry entry;
    bool removed = false;
    for (uint16_t at = 0; get_entry(host, at, &entry); at = behind(&entry)) {
        if ((entry.header.owner & ~bits) != owner)
            continue;
        remove_entry(host, &entry);
        removed = true;
    }
    return removed;
}

/* When a part has waited for a long time, everything that other clients have queued is dropped; they get an error when
 * they execute it. False if nothing was dropped. */
static bool make_room(struct ys_host *host, const struct ys_connection *connection)
{
    bool made = false;
    if (ys_until_ms(ys_now_ms(host), host->queue_until_ms) > 0)
        return false;
    for (struct ys_connection *other = NULL; (other = ys_connection_next(host, other)) != NULL;) {
        if (other == connection || !remove_all(host, other, 0))
            continue;
        other->queue_lost = true;
        made = true;
    }
    close_gaps(host);
    return made;
}

/* Adds an entry of `length` bytes at the end; false if there is no room. */
static bool append(struct ys_host *host, uint8_t owner, const struct ys_att_pdu *request, size_t length,
                   struct entry *entry)
{
    if (!fits(host, HEADER_SIZE + length))
        return false;
    if (host->queue_length == 0)
        host->queue_until_ms = ys_now_ms(host) + PATIENCE_MS;
    *entry = (struct entry){
        .header = {.handle = request->handle, .offset = request->offset, .length = (uint16_t)length, .owner = owner},
        .at = host->queue_length,
        .value = host->queue + host->queue_length + HEADER_SIZE,
    };
    put_header(host, entry);
    host->queue_length = behind(entry);
    return true;
}

/* queued writes */

/* The last of a connection's entries for this attribute. */
static bool find_last(struct ys_host *host, uint8_t owner, uint16_t handle, struct entry *last)
{
    bool found = false;
    struct entry entry;
    for (uint16_t at = 0; get_entry(host, at, &entry); at = behind(&entry)) {
        if (entry.header.owner == owner && entry.header.handle == handle) {
            *last = entry;
            found = true;
        }
    }
    return found;
}

/* Whether the firmware has a say in a write to it, which cannot be taken back. */
static bool asks_firmware(struct ys_host *host, uint16_t handle)
{
    const struct ys_attribute *attribute = ys_attribute_at(host, handle);
    return (attribute->rights & YS_ASKS_TO_WRITE) != 0 || ys_attribute_has_write_handler(attribute);
}

/* All or nothing can only be kept if at most one of several values can be refused by the firmware. */
static bool would_ask_twice(struct ys_host *host, uint8_t owner, uint16_t handle)
{
    struct entry entry;
    if (!asks_firmware(host, handle))
        return false;
    for (uint16_t at = 0; get_entry(host, at, &entry); at = behind(&entry)) {
        if (entry.header.owner == owner && entry.header.handle != handle && asks_firmware(host, entry.header.handle))
            return true;
    }
    return false;
}

/* Merges a part with the last part of its value, if it continues or overlaps it; false if there is no room. */
static bool extend(struct ys_host *host, struct entry *entry, const struct ys_att_pdu *request)
{
    size_t start = (size_t)request->offset - entry->header.offset;
    size_t end = start + request->length;
    size_t grown = end > entry->header.length ? end - entry->header.length : 0;
    uint16_t next = behind(entry);
    if (!fits(host, grown))
        return false;
    memmove(host->queue + next + grown, host->queue + next, (size_t)host->queue_length - next);
    host->queue_length = (uint16_t)(host->queue_length + grown);
    entry->header.length = (uint16_t)(entry->header.length + grown);
    put_header(host, entry);
    memcpy(entry->value + start, request->value, request->length);
    return true;
}

uint8_t ys_queue_add(struct ys_host *host, const struct ys_connection *connection, const struct ys_att_pdu *request)
{
    uint8_t owner = owner_of(host, connection);
    struct entry entry;
    close_gaps(host);
    if (would_ask_twice(host, owner, request->handle) || request->offset + request->length > VALUE_MOST)
        return YS_ATT_PREPARE_QUEUE_FULL;
    do {
        if (find_last(host, owner, request->handle, &entry) && request->offset >= entry.header.offset &&
            request->offset <= entry.header.offset + entry.header.length) {
            if (extend(host, &entry, request))
                return YS_ATT_OK;
        } else if (append(host, owner, request, request->length, &entry)) {
            if (request->length > 0)
                memcpy(entry.value, request->value, request->length);
            return YS_ATT_OK;
        }
    } while (make_room(host, connection));
    return YS_ATT_PREPARE_QUEUE_FULL;
}

/* The greatest end of a value's parts before `before`; 0 if there is none. */
static size_t end_of_parts(struct ys_host *host, const struct entry *entry, uint16_t before)
{
    struct entry part;
    size_t end = 0;
    for (uint16_t at = 0; get_entry(host, at, &part) && part.at < before; at = behind(&part)) {
        size_t own = (size_t)part.header.offset + part.header.length;
        if (part.header.owner == entry->header.owner && part.header.handle == entry->header.handle && own > end)
            end = own;
    }
    return end;
}

static bool is_first(struct ys_host *host, const struct entry *entry)
{
    struct entry other;
    for (uint16_t at = 0; get_entry(host, at, &other) && other.at < entry->at; at = behind(&other)) {
        if (other.header.owner == entry->header.owner && other.header.handle == entry->header.handle)
            return false;
    }
    return true;
}

/* Vol 3 Part F 3.4.6.3: a part must begin within what is there by then. What the host does not keep is only written
 * whole. */
static uint8_t check_offset(struct ys_host *host, const struct entry *part)
{
    size_t there = ys_attribute_stored_length(host, part->header.handle);
    size_t before = end_of_parts(host, part, part->at);
    return part->header.offset > (before > there ? before : there) ? YS_ATT_INVALID_OFFSET : YS_ATT_OK;
}

/* All parts of one value, beginning with `first`. Its length is that of the part that reaches farthest, and must be
 * valid. */
static uint8_t check_value(struct ys_host *host, const struct ys_connection *connection, const struct entry *first)
{
    struct entry part;
    for (uint16_t at = first->at; get_entry(host, at, &part); at = behind(&part)) {
        if (part.header.owner != first->header.owner || part.header.handle != first->header.handle)
            continue;
        uint8_t error = check_offset(host, &part);
        if (error != YS_ATT_OK)
            return error;
    }
    const struct ys_attribute *attribute = ys_attribute_at(host, first->header.handle);
    uint8_t error = ys_attribute_check_length(attribute, end_of_parts(host, first, host->queue_length));
    return error != YS_ATT_OK
               ? error
               : ys_attribute_check_part(host, connection, first->header.handle, first->value, first->header.length);
}

static uint8_t check_all(struct ys_host *host, const struct ys_connection *connection, uint16_t *handle)
{
    uint8_t owner = owner_of(host, connection);
    struct entry entry;
    for (uint16_t at = 0; get_entry(host, at, &entry); at = behind(&entry)) {
        if (entry.header.owner != owner || !is_first(host, &entry))
            continue;
        uint8_t error = check_value(host, connection, &entry);
        *handle = entry.header.handle;
        if (error != YS_ATT_OK)
            return error;
    }
    return YS_ATT_OK;
}

/* Asks for consent, and calls the handler; of all values there is at most one for which either is to be done. */
static uint8_t ask_firmware(struct ys_host *host, struct ys_connection *connection, uint16_t *handle)
{
    uint8_t owner = owner_of(host, connection);
    struct entry entry;
    for (uint16_t at = 0; get_entry(host, at, &entry); at = behind(&entry)) {
        const struct ys_attribute *attribute = ys_attribute_at(host, entry.header.handle);
        if (entry.header.owner != owner || !asks_firmware(host, entry.header.handle))
            continue;
        *handle = entry.header.handle;
        uint8_t error = ys_attribute_consent_to_write(host, connection, attribute);
        if (error != YS_ATT_OK || !ys_attribute_has_write_handler(attribute))
            return error;
        struct ys_reader value = ys_reader_of(entry.value, entry.header.length);
        return ys_attribute_write(host, connection, entry.header.handle, &value);
    }
    return YS_ATT_OK;
}

/* Vol 3 Part F 3.4.6.3, 3.4.6.4. */
uint8_t ys_queue_execute(struct ys_host *host, struct ys_connection *connection, uint16_t *handle)
{
    uint8_t error = connection->queue_lost ? YS_ATT_INSUFFICIENT_RESOURCES : check_all(host, connection, handle);
    if (error == YS_ATT_OK)
        error = ask_firmware(host, connection, handle);
    if (error == YS_ATT_OK)
        ys_queue_finish(host, connection);
    return error;
}

void ys_queue_finish(struct ys_host *host, struct ys_connection *connection)
{
    uint8_t owner = owner_of(host, connection);
    struct entry entry;
    for (uint16_t at = 0; get_entry(host, at, &entry); at = behind(&entry)) {
        if (entry.header.owner == owner && !ys_attribute_has_write_handler(ys_attribute_at(host, entry.header.handle)))
            ys_attribute_write_part(host, connection, entry.header.handle, entry.header.offset, entry.value,
                                    entry.header.length, end_of_parts(host, &entry, host->queue_length));
    }
}

void ys_queue_cancel(struct ys_host *host, struct ys_connection *connection)
{
    (void)remove_all(host, connection, 0);
    connection->queue_lost = false;
}

/* commands that wait for consent */

bool ys_queue_hold(struct ys_host *host, const struct ys_connection *connection, uint32_t token,
                   const struct ys_att_pdu *request)
{
    size_t length = TOKEN_SIZE + request->length;
    struct entry entry;
    close_gaps(host);
    while (!append(host, owner_of(host, connection) | IS_COMMAND, request, length, &entry)) {
        if (!make_room(host, connection))
            return false;
    }
    struct ys_writer writer = ys_writer_to(entry.value, length);
    ys_put_u32(&writer, token);
    ys_put_bytes(&writer, request->value, request->length);
    return true;
}

bool ys_queue_consent(struct ys_host *host, uint32_t token, bool good)
{
    struct entry entry;
    for (uint16_t at = 0; get_entry(host, at, &entry); at = behind(&entry)) {
        struct ys_reader reader = ys_reader_of(entry.value, TOKEN_SIZE);
        if ((entry.header.owner & IS_COMMAND) == 0 || (entry.header.owner & IS_CONSENTED) != 0 ||
            ys_get_u32(&reader) != token)
            continue;
        entry.header.owner |= IS_CONSENTED;
        put_header(host, &entry);
        if (!good)
            remove_entry(host, &entry);
        host->commands_consented |= good;
        return true;
    }
    return false;
}

bool ys_queue_take(struct ys_host *host, const struct ys_connection *connection, struct ys_att_pdu *command)
{
    uint8_t owner = owner_of(host, connection) | IS_COMMAND | IS_CONSENTED;
    struct entry entry;
    bool more = false;
    for (uint16_t at = 0; get_entry(host, at, &entry); at = behind(&entry)) {
        if (entry.header.owner == owner) {
            size_t length = (size_t)entry.header.length - TOKEN_SIZE;
            uint8_t *copy = host->outgoing.bytes + PDU_AT;
            memcpy(copy, entry.value + TOKEN_SIZE, length);
            *command = (struct ys_att_pdu){
                .opcode = YS_ATT_WRITE_COMMAND, .handle = entry.header.handle, .value = copy, .length = length};
            remove_entry(host, &entry);
            return true;
        }
        more |= (entry.header.owner & IS_CONSENTED) != 0;
    }
    host->commands_consented = more;
    return false;
}

void ys_queue_forget(struct ys_host *host, const struct ys_connection *connection)
{
    (void)remove_all(host, connection, IS_COMMAND | IS_CONSENTED);
}
