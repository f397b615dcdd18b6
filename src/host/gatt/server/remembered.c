/* What the host keeps of a peer that it has a bond with: its client configurations, the features that it named, and
 * which table it knows (Core 5.4 Vol 3 Part G 2.5.2.1, 3.3.3.3). They are loaded once its link is encrypted with the
 * key of the bond, never by its address alone, which anybody can borrow. */
#include "host/gatt/server/remembered.h"

#include <stddef.h>
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

#define HASH_SIZE 16
#define VERSION   2

/* Bits of a record: client state that is kept even if the client knew another table. */
#define RECORD_WANTS_CHANGES 0x01 /* subscribed to Service Changed */
#define RECORD_OWED          0x02 /* the table has changed while it was away */

/* Changes are collected for this time before they are stored; a power cut may lose that much. */
#define GATHER_MS 2000

/* The format in the store, which is the device's own. */
struct record {
    uint8_t version;
    uint8_t features;
    uint8_t bits;
    uint8_t unused;
    uint8_t hash[HASH_SIZE]; /* of the table that the client knew */
    struct ys_bits notifications;
    struct ys_bits indications;
};

_Static_assert(sizeof(struct record) <= YS_RECORD_MAX, "a port's store must have room for a record");

static uint16_t key_of(uint8_t peer)
{
    return (uint16_t)(YS_RECORDS_OF_CLIENTS + peer);
}

/* The hash of the table; of one that has none, a sum over it: what was subscribed to in another table is none of this
 * one. */
static void get_hash(const struct ys_host *host, uint8_t hash[HASH_SIZE])
{
    uint16_t handle = ys_caching_find(host, YS_CACHING_HASH);
    const struct ys_attribute *attribute = host->table->attributes;
    const struct ys_value *value = handle != 0 ? attribute[handle - 1].source : NULL;
    uint32_t sum = 0;
    for (uint16_t i = 0; i < host->table->attribute_count; i++, attribute++)
        sum = (sum ^ attribute->number ^ (uint32_t)attribute->kind << 16 ^ (uint32_t)attribute->properties << 24) *
              16777619u;
    memset(hash, 0, HASH_SIZE);
    if (value != NULL && value->bytes != NULL && value->length == HASH_SIZE)
        memcpy(hash, value->bytes, HASH_SIZE);
    else
        memcpy(hash, &sum, sizeof sum);
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

/* Keeps a client, unless that is kept already. */
static void save_client(struct ys_host *host, struct ys_connection *connection)
{
    const struct ys_port *port = host->port;
    uint16_t changes = changes_of(host);
    uint16_t key = key_of(connection->remembered);
    struct record there;
    struct record record = {.version = VERSION,
                            .features = connection->features,
                            .notifications = connection->notifications,
                            .indications = connection->indications};
    connection->unsaved = false;
    if (!knows_table(connection, changes, ys_caching_find(host, YS_CACHING_CHANGED)))
        return; /* once it has heard, it is to be kept again */
    if (changes != YS_NONE && ys_bit_get(&connection->indications, changes))
        record.bits = RECORD_WANTS_CHANGES;
    get_hash(host, record.hash);
    if (port->store_get(port->context, key, &there, sizeof there) == sizeof there &&
        memcmp(&there, &record, sizeof there) == 0)
        return;
    if (!ys_store_may_write(host))
        connection->unsaved = true;
    else if (!port->store_put(port->context, key, &record, sizeof record))
        ys_host_log(host, "there is no room in the store for what this peer has subscribed to", connection->remembered);
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
static bool load_client(const struct ys_host *host, uint8_t peer, struct record *record, bool *same)
{
    uint8_t hash[HASH_SIZE];
    size_t length = host->port->store_get(host->port->context, key_of(peer), record, sizeof *record);
    get_hash(host, hash);
    *same = length == sizeof *record && memcmp(record->hash, hash, sizeof hash) == 0;
    return length >= offsetof(struct record, notifications) && record->version == VERSION;
}

static uint16_t configuration_in(const struct record *record, uint16_t notifiable)
{
    return (uint16_t)((ys_bit_get(&record->notifications, notifiable) ? YS_SUBSCRIBE_NOTIFICATIONS : 0) |
                      (ys_bit_get(&record->indications, notifiable) ? YS_SUBSCRIBE_INDICATIONS : 0));
}

/* Restores the subscriptions of a client, as far as the link has the rights; with another table, only that to Service
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

/* Marks the record of an absent bonded client: the table has changed. */
static void remembered_changed(struct ys_host *host)
{
    const struct ys_pairing *pairing = host->pairing;
    struct record record;
    bool same;
    for (uint8_t peer = 1; pairing != NULL && peer <= pairing->security->bonds; peer++) {
        struct ys_connection *connection = NULL;
        do
            connection = ys_connection_next(host, connection);
        while (connection != NULL && connection->remembered != peer);
        if (connection != NULL || !load_client(host, peer, &record, &same) || !same || (record.bits & RECORD_OWED) != 0)
            continue;
        record.bits |= RECORD_OWED;
        (void)host->port->store_put(host->port->context, key_of(peer), &record, sizeof record);
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
    struct record record;
    bool same;
    if (host->remembering == NULL)
        return;
    connection->remembered = peer;
    if (!load_client(host, peer, &record, &same))
        return;
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
