/* What a controller tells its host. */
#include "sim/to_host.h"

#include "sim/controller_state.h"

void controller_send(struct ys_controller *controller, struct ys_writer *writer)
{
    if (writer->start[0] == YS_HCI_EVENT)
        ys_hci_end(writer);
    controller->settings.send(controller->settings.context, writer->start, ys_writer_stored(writer));
}

bool controller_begin_le_event(const struct ys_controller *controller, struct ys_writer *writer, uint8_t subevent)
{
    if ((controller->le_event_mask >> (subevent - 1) & 1) == 0)
        return false;
    ys_hci_event_begin(writer, YS_HCI_LE_META);
    ys_put_u8(writer, subevent);
    return true;
}

enum ys_phy phy_of_hci(uint8_t phy)
{
    return phy == YS_HCI_PHY_2M ? YS_PHY_2M : phy == YS_HCI_PHY_CODED ? YS_PHY_CODED_S8 : YS_PHY_1M;
}

uint8_t phy_to_hci(enum ys_phy phy)
{
    return phy == YS_PHY_1M ? YS_HCI_PHY_1M : phy == YS_PHY_2M ? YS_HCI_PHY_2M : YS_HCI_PHY_CODED;
}
