/* How long the packets of a connection may be (Core 5.4 Vol 6 Part B 4.5.10). */
#include "sim/link_lengths.h"

#include <string.h>

#include "sim/controller_state.h"
#include "sim/link_time.h"
#include "sim/to_host.h"

static uint16_t lesser(uint16_t a, uint16_t b)
{
    return a < b ? a : b;
}

static struct ys_link_lengths effective(const struct link *link, enum ys_phy send, enum ys_phy receive,
                                        uint16_t interval)
{
    const struct ys_link_lengths *own = &link->lengths;
    const struct ys_link_lengths *peer = &link->peer_lengths;
    struct ys_link_lengths lengths = {
        .receive_octets = lesser(own->receive_octets, peer->send_octets),
        .receive_us = lesser(own->receive_us, peer->send_us),
        .send_octets = lesser(own->send_octets, peer->receive_octets),
        .send_us = lesser(own->send_us, peer->receive_us),
    };
    uint32_t interval_us = (uint32_t)(interval * NS_PER_INTERVAL_STEP / YS_NS_PER_US);
    lengths.send_us = ys_link_time_us(send, receive, interval_us, lengths.send_us);
    lengths.receive_us = ys_link_time_us(receive, send, interval_us, lengths.receive_us);
    return lengths;
}

/* The PHYs on which this side sends, or receives, now, and those to which a running procedure may change them: bits of
 * HCI. */
static uint8_t possible_phys(const struct link *link, bool sends)
{
    const struct procedures *all = &link->procedures;
    uint8_t phys = (uint8_t)(1u << (phy_to_hci(sends ? link->send_phy : link->receive_phy) - 1));
    if (all->has_pending && all->pending.opcode == YS_LINK_PHY_UPDATE_IND)
        phys |= link->central == sends ? all->pending.send_phys : all->pending.receive_phys;
    else if (all->remote == PROCEDURE_PHY)
        phys |= sends ? all->send_phys & all->peer_receive_phys : all->receive_phys & all->peer_send_phys;
    else if (all->local == PROCEDURE_PHY)
        phys |= sends ? all->send_phys : all->receive_phys;
    return phys;
}

/* Vol 6 Part B 4.5.10, 5.1.10: a packet sent now may have to be retransmitted after the procedure has changed the PHYs
 * or the interval. */
uint8_t link_payload_through_procedures(const struct link *link)
{
    static const enum ys_phy phys[] = {YS_PHY_1M, YS_PHY_2M, YS_PHY_CODED_S8};
    const struct procedures *all = &link->procedures;
    uint8_t sends = possible_phys(link, true);
    uint8_t receives = possible_phys(link, false);
    uint16_t interval = link->parameters.interval;
    uint8_t payload = link->send_payload;
    if (all->has_pending && all->pending.opcode == YS_LINK_CONNECTION_UPDATE_IND)
        interval = lesser(interval, all->pending.interval);
    for (size_t i = 0; i < 9; i++) {
        enum ys_phy send = phys[i / 3];
        if ((sends >> i / 3 & 1) == 0 || (receives >> i % 3 & 1) == 0)
            continue;
        if (ys_phy_is_coded(send) && link->prefers_s2)
            send = YS_PHY_CODED_S2;
        const struct ys_link_lengths lengths = effective(link, send, phys[i % 3], interval);
        payload = (uint8_t)lesser(payload, ys_link_payload_agreed(send, lengths.send_octets, lengths.send_us));
    }
    return payload;
}

uint64_t link_longest_answer_ns(const struct link *link)
{
    return ys_link_duration_ns(link->receive_phy,
                               2u + link->receive_payload + (link->encryption.receives ? YS_LINK_MIC_SIZE : 0));
}

uint64_t link_data_exchange_ns(const struct link *link)
{
    size_t mic = link->encryption.sends ? YS_LINK_MIC_SIZE : 0;
    uint64_t down_ns =
        ys_link_duration_ns(link->send_phy, 2u + link->send_payload + mic) + ys_link_duration_ns(link->receive_phy, 2);
    uint64_t up_ns = ys_link_duration_ns(link->send_phy, 2) + link_longest_answer_ns(link);
    return (down_ns > up_ns ? down_ns : up_ns) + 2 * YS_LINK_INTER_FRAME_SPACE_NS;
}

/* Vol 6 Part B 4.5.10. */
void link_lengths_changed(struct link *link)
{
    uint8_t bytes[16];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    const struct ys_link_lengths agreed = effective(link, link->send_phy, link->receive_phy, link->parameters.interval);
    link->receive_payload = ys_link_payload_agreed(link->receive_phy, agreed.receive_octets, agreed.receive_us);
    link->send_payload = ys_link_payload_agreed(link->send_phy, agreed.send_octets, agreed.send_us);
    link->exchange_ns = ys_link_duration_ns(link->send_phy, 2u + link->send_payload + YS_LINK_MIC_SIZE) +
                        ys_link_duration_ns(link->receive_phy, 2u + link->receive_payload + YS_LINK_MIC_SIZE) +
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
