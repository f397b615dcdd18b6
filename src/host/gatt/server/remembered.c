/* What the host keeps of a peer that it has a bond with: its client configurations, the features that it named, and
 * which table it knows (Core 5.4 Vol 3 Part G 2.5.2.1, 3.3.3.3). They are loaded once its link is encrypted with the
 * key of the bond, never by its address alone, which anybody can borrow. */
#include "host/gatt/server/remembered.h"

#include <string.h>

#include <yarnswift/pairing.h>

#include "host/core/bits.h"
#include "host/core/clock.h"
#include "host/core/connections.h"
#include "host/core/hooks.h"
#include "host/core/wear.h"
#include "host/gatt/server/attributes.h"
#include "host/gatt/server/caching.h"
#include "host/gatt/server/features.h"
#include "host/gatt/server/notifiables.h"

#define WORDS       ((YS_NOTIFIABLES + 31) / 32)
#define HASH_SIZE   16
#define VERSION     1
#define RECORD_SIZE (3 + HASH_SIZE + 8 * WORDS)

_Static_assert(RECORD_SIZE <= YS_RECORD_MAX, "a port's store must have room for a record");

/* Bits of a record: what is kept of a client even if it knew another table. */
#define RECORD_WANTS_CHANGES 0x01 /* subscribed to Service Changed */
#define RECORD_OWED          0x02 /* the table has changed while it was away */

/* What changes is gathered for so long before it is kept: that much of it a power cut may lose. */
#define GATHER_MS 2000

struct record {
    uint8_t version;
    uint8_t features;
    uint8_t bits;
    const uint8_t *hash; /* of the table that the client knew */
    struct ys_bits notifications;
    struct ys_bits indications;
};

static uint16_t key_of(uint8_t peer)
{
    return (uint16_t)(YS_RECORDS_OF_CLIENTS + peer);
}

/* The hash of the table; of one that has none, a few bytes of its own: what was subscribed to in another table is none
 * of this one. */
static void put_hash(const struct ys_host *host, struct ys_writer *writer)
{
    const struct ys_table *table = host->table;
    uint16_t handle = ys_caching_find(host, YS_CACHING_HASH);
    const struct ys_value *value = handle != 0 ? table->attributes[handle - 1].source : NULL;
    if (value != NULL && value->bytes != NULL && value->length == HASH_SIZE) {
        ys_put_bytes(writer, value->bytes, HASH_SIZE);
        return;
    }
    uint32_t sum = 2166136261u; /* FNV-1a */
    for (uint16_t i = 0; i < table->attribute_count; i++) {
        const struct ys_attribute *attribute = &table->attributes[i];
        sum = (sum ^ attribute->kind) * 16777619u;
        sum = (sum ^ attribute->number) * 16777619u;
        sum = (sum ^ attribute->properties) * 16777619u;
    }
    for (size_t i = 0; i < HASH_SIZE / 4; i++)
        ys_put_u32(writer, sum);
}

static bool knows_this_table(const struct ys_host *host, const struct record *record)
{
    uint8_t hash[HASH_SIZE];
    struct ys_writer writer = ys_writer_to(hash, sizeof hash);
    put_hash(host, &writer);
    return memcmp(record->hash, hash, sizeof hash) == 0;
}

static void put_bits(struct ys_writer *writer, const struct ys_bits *bits)
{
    for (size_t i = 0; i < WORDS; i++)
        ys_put_u32(writer, bits->words[i]);
}

static void get_bits(struct ys_reader *reader, struct ys_bits *bits)
{
    for (size_t i = 0; i < WORDS; i++)
        bits->words[i] = ys_get_u32(reader);
}

/* The notifiable of Service Changed; YS_NONE if there is none. */
static uint16_t changes_of(const struct ys_host *host)
{
    return ys_notifiable_of(host, ys_caching_find(host, YS_CACHING_CHANGED));
}

/* Whether a client knows this table. Until it has heard that the table changed, the record stays that of the table it
 * knows, so that it is told the next time, should this connection end first. */
static bool knows_table(const struct ys_connection *connection, uint16_t changes, uint16_t handle)
{
    bool due = changes != YS_NONE && ys_bit_get(&connection->pending, changes);
    bool told = connection->indicating && connection->indicated == handle;
    return connection->awareness == AWARE && !due && !told;
}

/* Writes a record, if it is not there already. False if it cannot be now. */
static bool put_record(struct ys_host *host, uint8_t peer, const uint8_t *bytes)
{
    uint8_t there[RECORD_SIZE];
    const struct ys_port *port = host->port;
    if (port->store_get(port->context, key_of(peer), there, sizeof there) == RECORD_SIZE &&
        memcmp(there, bytes, RECORD_SIZE) == 0)
        return true;
    if (!ys_store_may_write(host))
        return false;
    if (!port->store_put(port->context, key_of(peer), bytes, RECORD_SIZE))
        ys_host_log(host, "there is no room in the store for what this peer has subscribed to", peer);
    return true;
}

static void save_client(struct ys_host *host, struct ys_connection *connection)
{
    uint8_t bytes[RECORD_SIZE];
    uint16_t changes = changes_of(host);
    bool wants = changes != YS_NONE && ys_bit_get(&connection->indications, changes);
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    if (knows_table(connection, changes, ys_caching_find(host, YS_CACHING_CHANGED))) {
        ys_put_u8(&writer, VERSION);
        ys_put_u8(&writer, connection->features);
        ys_put_u8(&writer, wants ? RECORD_WANTS_CHANGES : 0);
        put_hash(host, &writer);
        put_bits(&writer, &connection->notifications);
        put_bits(&writer, &connection->indications);
        connection->unsaved = !put_record(host, connection->remembered, bytes);
    } else {
        connection->unsaved = false; /* until it has heard: then it is to be kept again */
    }
}

static void remembered_left(struct ys_host *host, struct ys_connection *connection)
{
    if (connection->unsaved && connection->remembered != 0)
        save_client(host, connection);
}

static uint32_t remembered_run(struct ys_host *host, uint32_t now_ms)
{
    bool due = host->keeps && ys_until_ms(now_ms, host->keep_ms) == 0;
    bool more = false;
    for (struct ys_connection *connection = NULL; (connection = ys_connection_next(host, connection)) != NULL;) {
        if (due)
            remembered_left(host, connection);
        more |= connection->unsaved && connection->remembered != 0;
    }
    if (more && (due || !host->keeps))
        host->keep_ms = now_ms + GATHER_MS;
    host->keeps = more;
    return more ? ys_until_ms(now_ms, host->keep_ms) : YS_FOREVER;
}

/* False if there is no record, or one that this version does not know. One of other sizes was written for another
 * table. */
static bool load_client(const struct ys_host *host, uint8_t peer, uint8_t *bytes, struct record *record,
                        bool *same_size)
{
    size_t length = host->port->store_get(host->port->context, key_of(peer), bytes, RECORD_SIZE);
    struct ys_reader reader = ys_reader_of(bytes, length < RECORD_SIZE ? length : RECORD_SIZE);
    record->version = ys_get_u8(&reader);
    record->features = ys_get_u8(&reader);
    record->bits = ys_get_u8(&reader);
    record->hash = ys_get_bytes(&reader, HASH_SIZE);
    if (!ys_reader_ok(&reader) || record->version != VERSION)
        return false;
    get_bits(&reader, &record->notifications);
    get_bits(&reader, &record->indications);
    *same_size = length == RECORD_SIZE;
    return true;
}

static uint16_t configuration_in(const struct record *record, uint16_t notifiable)
{
    return (uint16_t)((ys_bit_get(&record->notifications, notifiable) ? YS_SUBSCRIBE_NOTIFICATIONS : 0) |
                      (ys_bit_get(&record->indications, notifiable) ? YS_SUBSCRIBE_INDICATIONS : 0));
}

/* Subscribes to what it was subscribed to, as far as the link has the rights; of another table, only to Service
 * Changed. */
static void subscribe(struct ys_host *host, struct ys_connection *connection, const struct record *record, bool same)
{
    uint16_t changes = changes_of(host);
    for (uint16_t handle = 1; handle <= host->table->attribute_count; handle++) {
        const struct ys_attribute *attribute = ys_attribute_at(host, handle);
        uint16_t configuration;
        if ((attribute->kind & YS_ATTRIBUTE_KIND_MASK) != YS_ATTRIBUTE_CONFIGURATION)
            continue;
        if (attribute->number == changes)
            configuration = (record->bits & RECORD_WANTS_CHANGES) != 0 ? YS_SUBSCRIBE_INDICATIONS : YS_SUBSCRIBE_NONE;
        else
            configuration = same ? configuration_in(record, attribute->number) : YS_SUBSCRIBE_NONE;
        if (configuration != YS_SUBSCRIBE_NONE &&
            ys_attribute_check_write(host, connection, attribute, false) == YS_ATT_OK)
            (void)ys_configuration_write(host, connection, attribute->number, configuration);
    }
}

/* The record of who has a bond and is not here says that it is to be told. */
static void remembered_changed(struct ys_host *host)
{
    const struct ys_pairing *pairing = host->pairing;
    for (uint8_t peer = 1; pairing != NULL && peer <= pairing->security->bonds; peer++) {
        uint8_t bytes[RECORD_SIZE];
        struct record record;
        bool same = false;
        struct ys_connection *connection = NULL;
        while ((connection = ys_connection_next(host, connection)) != NULL && connection->remembered != peer)
            continue;
        if (connection != NULL || !load_client(host, peer, bytes, &record, &same) || !same)
            continue;
        bytes[2] |= RECORD_OWED;
        (void)host->port->store_put(host->port->context, key_of(peer), bytes, sizeof bytes);
    }
}

void ys_remembered_use(struct ys_host *host)
{
    static const struct ys_keeping calls = {
        .run = remembered_run, .left = remembered_left, .changed = remembered_changed};
    if (host->port->store_get != NULL)
        host->remembering = &calls;
}

/* Vol 3 Part G 2.5.2.1. */
void ys_remembered_load(struct ys_host *host, struct ys_connection *connection, uint8_t peer)
{
    uint8_t bytes[RECORD_SIZE];
    struct record record;
    bool same;
    if (host->remembering == NULL)
        return;
    connection->remembered = peer;
    if (!load_client(host, peer, bytes, &record, &same))
        return;
    same = same && knows_this_table(host, &record);
    connection->features |= record.features & FEATURES_KNOWN;
    subscribe(host, connection, &record, same);
    connection->unsaved = false;
    if (!same || (record.bits & RECORD_OWED) != 0)
        ys_caching_changed(host, connection);
}

void ys_remembered_forget(const struct ys_host *host, uint8_t peer)
{
    if (host->port->store_delete != NULL)
        host->port->store_delete(host->port->context, key_of(peer));
}
