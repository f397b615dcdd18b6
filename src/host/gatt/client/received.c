/* Values that a server sends (Core 5.4 Vol 3 Part F 3.4.7). */
#include "host/gatt/client/received.h"

#include "host/core/events.h"

/* Vol 3 Part F 3.4.7.1. */
static void emit_value(struct ys_host *host, const struct ys_connection *connection, uint16_t handle,
                       enum ys_notification_kind kind, const uint8_t *value, size_t length)
{
    ys_emit(host, &(struct ys_event){
                      .kind = YS_EVENT_NOTIFICATION,
                      .connection = connection->handle,
                      .u.notification = {.handle = handle, .kind = kind, .length = (uint16_t)length, .value = value},
                  });
}

/* Vol 3 Part F 3.4.7.4: each value of its handle and length; the last may be cut off (Vol 3 Part G 4.10.2). */
static void emit_several(struct ys_host *host, const struct ys_connection *connection, const struct ys_att_pdu *pdu)
{
    struct ys_reader reader = ys_reader_of(pdu->value, pdu->length);
    while (ys_reader_left(&reader) >= 4 && connection->used) {
        uint16_t handle = ys_get_u16(&reader);
        size_t length = ys_get_u16(&reader);
        if (length > ys_reader_left(&reader))
            length = ys_reader_left(&reader);
        emit_value(host, connection, handle, YS_BY_NOTIFICATION, ys_get_bytes(&reader, length), length);
    }
}

/* Passes on a value from a server, and confirms an indication as soon as there is room (Vol 3 Part G 4.10.1,
 * 4.11.1). */
void ys_client_received(struct ys_host *host, struct ys_connection *connection, const struct ys_att_pdu *pdu,
                        enum ys_att_verdict verdict)
{
    if (verdict != YS_ATT_GOOD)
        return;
    if (pdu->opcode == YS_ATT_NOTIFICATIONS) {
        emit_several(host, connection, pdu);
        return;
    }
    bool indication = pdu->opcode == YS_ATT_INDICATION;
    emit_value(host, connection, pdu->handle, indication ? YS_BY_INDICATION : YS_BY_NOTIFICATION, pdu->value,
               pdu->length);
    if (indication)
        connection->confirm_due = true;
}
