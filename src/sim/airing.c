/* What a controller is on the advertising channels. */
#include "sim/airing.h"

#include "sim/controller_state.h"
#include "sim/resolving.h"
#include "sim/to_host.h"

struct ys_address controller_own_address(struct ys_controller *controller, uint8_t type, const struct ys_address *peer)
{
    struct ys_address own;
    if (type >= YS_HCI_OWN_RESOLVABLE && resolving_own(controller, peer, &own))
        return own;
    return (type & 1) == YS_ADDRESS_RANDOM ? controller->random_address : controller->settings.address;
}

bool controller_is_own(const struct ys_controller *controller, const struct ys_address *own,
                       const struct ys_address *target)
{
    return ys_address_is_equal(target, own) || resolving_is_own(controller, target);
}

bool controller_accepts(const struct ys_controller *controller, const struct ys_address *address)
{
    for (uint8_t i = 0; i < controller->accepted; i++) {
        if (resolving_is(controller, &controller->accept_list[i], address))
            return true;
    }
    return false;
}

/* The identity that is reported to a host that resolves addresses, and the addresses on the air (Vol 4 Part E
 * 7.7.65.10). */
static void put_enhanced(struct ys_controller *controller, struct ys_writer *writer,
                         const struct ys_hci_connection *complete)
{
    struct ys_hci_connection told = *complete;
    struct ys_address none = {.type = YS_ADDRESS_PUBLIC};
    struct ys_address own = none;
    bool resolved = resolving_identify(controller, &complete->peer, &told.peer);
    (void)resolving_own(controller, &told.peer, &own);
    if (resolved)
        told.peer.type = (uint8_t)(told.peer.type + YS_HCI_IDENTITY);
    ys_put_u8(writer, told.status);
    ys_put_u16(writer, told.handle);
    ys_put_u8(writer, told.role);
    ys_put_hci_address(writer, &told.peer);
    ys_put_address(writer, complete->own_is_made ? &own : &none);
    ys_put_address(writer, resolved ? &complete->peer : &none);
    ys_put_u16(writer, told.interval);
    ys_put_u16(writer, told.latency);
    ys_put_u16(writer, told.timeout);
    ys_put_u8(writer, told.clock_accuracy);
}

/* Vol 4 Part E 7.7.65.1, 7.7.65.10. */
void controller_connection_complete(struct ys_controller *controller, const struct ys_hci_connection *complete)
{
    uint8_t bytes[YS_HCI_EVENT_MAX];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    if (controller_begin_le_event(controller, &writer, YS_HCI_LE_ENHANCED_CONNECTION_COMPLETE)) {
        put_enhanced(controller, &writer, complete);
    } else if (controller_begin_le_event(controller, &writer, YS_HCI_LE_CONNECTION_COMPLETE)) {
        struct ys_hci_connection told = *complete;
        (void)resolving_identify(controller, &complete->peer, &told.peer);
        ys_put_hci_connection(&writer, &told);
    } else {
        return;
    }
    controller_send(controller, &writer);
}

uint64_t controller_transmit(struct ys_controller *controller, const struct sending_on *on, const uint8_t *pdu,
                             size_t length, const uint32_t *crc)
{
    return ys_radio_send(controller->radio, &(struct ys_sending){
                                                .channel = on->channel,
                                                .phy = on->phy,
                                                .access_address = YS_LINK_ADVERTISING_ACCESS_ADDRESS,
                                                .crc_init = YS_LINK_ADVERTISING_CRC_INIT,
                                                .crc = crc,
                                                .auxiliary = on->auxiliary,
                                                .sender = controller->settings.number,
                                                .power_dbm = on->power_dbm,
                                                .use = &controller->use,
                                                .pdu = pdu,
                                                .length = (uint16_t)length,
                                            });
}

uint64_t controller_transmit_advertising(struct ys_controller *controller, const struct sending_on *on,
                                         const struct ys_link_advertising *pdu)
{
    uint8_t bytes[YS_LINK_PDU_MAX];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    ys_put_link_advertising(&writer, pdu);
    return controller_transmit(controller, on, bytes, ys_writer_stored(&writer), NULL);
}

uint64_t controller_transmit_extended(struct ys_controller *controller, const struct sending_on *on,
                                      const struct ys_link_extended *pdu)
{
    uint8_t bytes[YS_LINK_PDU_MAX];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    ys_put_link_extended(&writer, pdu);
    return controller_transmit(controller, on, bytes, ys_writer_stored(&writer), NULL);
}

bool controller_takes_advertising(const struct ys_air_packet *packet, struct ys_link_advertising *pdu)
{
    return packet->crc_good && ys_link_advertising_decode(packet->pdu, packet->length, pdu);
}
