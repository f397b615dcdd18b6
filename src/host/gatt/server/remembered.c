/* What the host keeps of a peer that it has a bond with: its client configurations, the features that it named, and
 * which table it knows (Core 5.4 Vol 3 Part G 2.5.2.1, 3.3.3.3). They are loaded once its link is encrypted with the
 * key of the bond, never by its address alone, which anybody can borrow. */
#include "host/gatt/server/remembered.h"

#include <string.h>

#include "host/core/bits.h"
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

static const uint8_t *hash_of(const struct ys_host *host)
{
    static const uint8_t none[HASH_SIZE];
    uint16_t handle = ys_caching_find(host, YS_CACHING_HASH);
    if (handle == 0 || host->table->attributes[handle - 1].size != HASH_SIZE)
        return none;
    const struct ys_value *value = host->table->attributes[handle - 1].source;
    return value->bytes != NULL && value->length == HASH_SIZE ? value->bytes : none;
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

static void save_client(const struct ys_host *host, struct ys_connection *connection)
{
    uint8_t bytes[RECORD_SIZE];
    uint16_t changes = changes_of(host);
    bool wants = changes != YS_NONE && ys_bit_get(&connection->indications, changes);
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    connection->unsaved = false;
    if (connection->remembered == 0 || !knows_table(connection, changes, ys_caching_find(host, YS_CACHING_CHANGED)))
        return;
    ys_put_u8(&writer, VERSION);
    ys_put_u8(&writer, connection->features);
    ys_put_u8(&writer, wants ? RECORD_WANTS_CHANGES : 0);
    ys_put_bytes(&writer, hash_of(host), HASH_SIZE);
    put_bits(&writer, &connection->notifications);
    put_bits(&writer, &connection->indications);
    if (!host->port->store_put(host->port->context, key_of(connection->remembered), bytes, sizeof bytes))
        ys_host_log(host, "there is no room in the store for what this peer has subscribed to", connection->remembered);
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
            configuration = record->bits & RECORD_WANTS_CHANGES ? YS_SUBSCRIBE_INDICATIONS : YS_SUBSCRIBE_NONE;
        else
            configuration = same ? configuration_in(record, attribute->number) : YS_SUBSCRIBE_NONE;
        if (configuration != YS_SUBSCRIBE_NONE &&
            ys_attribute_check_write(host, connection, attribute, false) == YS_ATT_OK)
            (void)ys_configuration_write(host, connection, attribute->number, configuration);
    }
}

/* Vol 3 Part G 2.5.2.1. */
void ys_remembered_load(struct ys_host *host, struct ys_connection *connection, uint8_t peer)
{
    uint8_t bytes[RECORD_SIZE];
    struct record record;
    bool same;
    if (host->port->store_get == NULL)
        return;
    connection->remembered = peer;
    host->remember = save_client;
    if (!load_client(host, peer, bytes, &record, &same))
        return;
    same = same && memcmp(record.hash, hash_of(host), HASH_SIZE) == 0;
    connection->features |= record.features & FEATURES_KNOWN;
    subscribe(host, connection, &record, same);
    connection->unsaved = false;
    if (!same)
        ys_caching_changed(host, connection);
}

void ys_remembered_forget(const struct ys_host *host, uint8_t peer)
{
    if (host->port->store_delete != NULL)
        host->port->store_delete(host->port->context, key_of(peer));
}
