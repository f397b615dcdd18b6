/* How long the packets of a connection may be (Core 5.4 Vol 6 Part B 4.5.10). */
#include "sim/link_lengths.h"

#include <string.h>

#include "sim/border.h"
#include "sim/controller_state.h"
#include "sim/link_time.h"

static uint16_t lesser(uint16_t a, uint16_t b)
{
    return a < b ? a : b;
}

struct ys_link_lengths link_effective(const struct link *link)
{
    const struct ys_link_lengths *own = &link->lengths;
    const struct ys_link_lengths *peer = &link->peer_lengths;
    struct ys_link_lengths effective = {
        .receive_octets = lesser(own->receive_octets, peer->send_octets),
        .receive_us = lesser(own->receive_us, peer->send_us),
        .send_octets = lesser(own->send_octets, peer->receive_octets),
        .send_us = lesser(own->send_us, peer->receive_us),
    };
    uint32_t interval_us = (uint32_t)(link_interval_ns(link) / YS_NS_PER_US);
    effective.send_us = ys_link_time_us(link->send_phy, link->receive_phy, interval_us, effective.send_us);
    effective.receive_us = ys_link_time_us(link->receive_phy, link->send_phy, interval_us, effective.receive_us);
    return effective;
}

/* Vol 6 Part B 4.5.10. */
void link_lengths_changed(struct link *link)
{
    uint8_t bytes[16];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    const struct ys_link_lengths agreed = link_effective(link);
    link->send_payload = ys_link_payload_agreed(link->send_phy, agreed.send_octets, agreed.send_us);
    link->exchange_ns = ys_link_duration_ns(link->send_phy, 2u + agreed.send_octets + YS_LINK_MIC_SIZE) +
                        ys_link_duration_ns(link->receive_phy, 2u + agreed.receive_octets + YS_LINK_MIC_SIZE) +
                        2 * YS_LINK_INTER_FRAME_SPACE_NS;
    bool same = memcmp(&agreed, &link->told, sizeof agreed) == 0;
    link->told = agreed;
    if (same || !controller_begin_le_event(link->controller, &writer, YS_HCI_LE_DATA_LENGTH_CHANGE))
        return;
    ys_put_hci_length(&writer, &(struct ys_hci_length){
                                   .handle = link->handle,
                                   .send_octets = agreed.send_octets,
                                   .send_us = agreed.send_us,
                                   .receive_octets = agreed.receive_octets,
                                   .receive_us = agreed.receive_us,
                               });
    controller_send(link->controller, &writer);
}
