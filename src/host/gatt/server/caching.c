/* What clients know of the table that they keep (Core 5.4 Vol 3 Part G 2.5.2). A client with robust caching is
 *
 *   aware --ys_host_services_changed--> unaware --a request is refused, or the hash is read--> told
 *     ^                                    |                                                    |
 *     +----Service Changed is confirmed----+-----------------the next request-------------------+
 *
 * A client without is always aware: it is told by Service Changed, and that is all. */
#include "host/gatt/server/caching.h"
#include "host/core/hooks.h"

#include "host/core/bits.h"
#include "host/core/connections.h"
#include "host/core/context.h"
#include "host/gatt/server/features.h"
#include "host/gatt/server/notifiables.h"

uint16_t ys_caching_find(const struct ys_host *host, enum caching_value type)
{
    for (uint16_t handle = 1; handle <= host->table->attribute_count; handle++) {
        const struct ys_attribute *attribute = &host->table->attributes[handle - 1];
        if ((attribute->kind & YS_ATTRIBUTE_KIND_MASK) == YS_ATTRIBUTE_VALUE &&
            (attribute->kind & YS_ATTRIBUTE_LONG_UUID) == 0 && attribute->number == (uint16_t)type)
            return handle;
    }
    return 0;
}

/* Keeps the range, which is read when it is sent; false if the table has no Service Changed that the host keeps (Vol 3
 * Part G 7.1). */
static bool keep_range(const struct ys_host *host, uint16_t handle, uint16_t first, uint16_t last)
{
    const struct ys_value *value = handle != 0 ? host->table->attributes[handle - 1].source : NULL;
    if (value == NULL || value->stored_at == YS_NONE)
        return false;
    struct ys_writer writer = ys_writer_to(host->settings.values + value->stored_at, 6);
    ys_put_u16(&writer, 4);
    ys_put_u16(&writer, first);
    ys_put_u16(&writer, last);
    return true;
}

static void lose_sight(struct ys_connection *connection)
{
    if ((connection->features & FEATURE_ROBUST_CACHING) != 0)
        connection->awareness = UNAWARE;
}

/* Vol 3 Part G 2.5.2, 7.1. */
enum ys_result ys_host_services_changed(struct ys_host *host, uint16_t first, uint16_t last)
{
    YS_NOT_IN_INTERRUPT(host, "ys_host_services_changed");
    uint16_t handle = ys_caching_find(host, YS_CACHING_CHANGED);
    if (first == 0 || first > last || !keep_range(host, handle, first, last))
        return YS_ERROR_ARGUMENT;
    struct ys_connection *connection = NULL;
    while ((connection = ys_connection_next(host, connection)) != NULL)
        lose_sight(connection);
    if (host->remembering != NULL)
        host->remembering->changed(host);
    ys_host_changed(host, handle);
    return YS_OK;
}

void ys_caching_changed(struct ys_host *host, struct ys_connection *connection)
{
    uint16_t handle = ys_caching_find(host, YS_CACHING_CHANGED);
    if (!keep_range(host, handle, 1, 0xffff))
        return;
    lose_sight(connection);
    uint16_t notifiable = ys_notifiable_of(host, handle);
    if (notifiable != YS_NONE && ys_bit_get(&connection->indications, notifiable))
        ys_bit_set(&connection->pending, notifiable, true);
}

/* Vol 3 Part G 7.3. */
static bool reads_hash(const struct ys_att_pdu *pdu)
{
    return pdu->opcode == YS_ATT_READ_BY_TYPE_REQUEST && ys_uuid_number(&pdu->type) == YS_CACHING_HASH;
}

/* A bit for each method that is asked for: those are even. */
#define METHOD(opcode) (UINT32_C(1) << ((opcode)&0x3f) / 2)

/* Whether it names attributes by the handles that its client knows; ranges, types and the MTU are as good as ever. */
static bool names_handles(uint8_t opcode)
{
    const uint32_t handles = METHOD(YS_ATT_READ_REQUEST) | METHOD(YS_ATT_READ_BLOB_REQUEST) |
                             METHOD(YS_ATT_READ_MULTIPLE_REQUEST) | METHOD(YS_ATT_READ_VARIABLE_REQUEST) |
                             METHOD(YS_ATT_WRITE_REQUEST) | METHOD(YS_ATT_PREPARE_WRITE_REQUEST);
    return (handles & METHOD(opcode)) != 0;
}

/* Vol 3 Part G 2.5.2, 2.5.2.1. */
uint8_t ys_caching_check(struct ys_connection *connection, const struct ys_att_pdu *pdu)
{
    if ((pdu->opcode & YS_ATT_COMMAND_FLAG) != 0)
        return YS_ATT_DATABASE_OUT_OF_SYNC; /* it is ignored, and tells nothing */
    if (connection->awareness == TOLD) {    /* whatever it asks now, it knows */
        connection->awareness = AWARE;
        connection->unsaved = true;
        return YS_ATT_OK;
    }
    bool refused = names_handles(pdu->opcode);
    if (refused || reads_hash(pdu))
        connection->awareness = TOLD;
    return refused ? YS_ATT_DATABASE_OUT_OF_SYNC : YS_ATT_OK;
}

void ys_caching_confirmed(const struct ys_host *host, struct ys_connection *connection)
{
    if (connection->indicated != ys_caching_find(host, YS_CACHING_CHANGED))
        return;
    connection->awareness = AWARE;
    connection->unsaved = true;
}

bool ys_caching_allows(const struct ys_host *host, const struct ys_connection *connection, uint16_t handle)
{
    return connection->awareness == AWARE || handle == ys_caching_find(host, YS_CACHING_CHANGED);
}
