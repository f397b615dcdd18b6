/* What a host is told of control procedures. */
#include "sim/procedures_tell.h"

#include "sim/controller_state.h"
#include "sim/to_host.h"

/* Vol 4 Part E 7.7.65.3. */
void procedures_tell_update(struct link *link, uint8_t status)
{
    uint8_t bytes[16];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    if (!controller_begin_le_event(link->controller, &writer, YS_HCI_LE_CONNECTION_UPDATE_COMPLETE))
        return;
    ys_put_hci_update(&writer, &(struct ys_hci_update){
                                   .status = status,
                                   .handle = link->handle,
                                   .interval = link->parameters.interval,
                                   .latency = link->parameters.latency,
                                   .timeout = link->parameters.timeout,
                               });
    controller_send(link->controller, &writer);
}

/* Vol 4 Part E 7.7.65.12. */
void procedures_tell_phys(struct link *link, uint8_t status)
{
    uint8_t bytes[16];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    link->procedures.phy_wanted = false;
    if (!controller_begin_le_event(link->controller, &writer, YS_HCI_LE_PHY_UPDATE_COMPLETE))
        return;
    ys_put_hci_phy_update(&writer, &(struct ys_hci_phy_update){
                                       .status = status,
                                       .handle = link->handle,
                                       .send = phy_to_hci(link->send_phy),
                                       .receive = phy_to_hci(link->receive_phy),
                                   });
    controller_send(link->controller, &writer);
}

/* Vol 4 Part E 7.7.65.4, 7.8.21. */
void procedures_tell_features(struct link *link, uint8_t status)
{
    uint8_t bytes[16];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    if (!link->procedures.features_wanted)
        return;
    link->procedures.features_wanted = false;
    if (!controller_begin_le_event(link->controller, &writer, YS_HCI_LE_REMOTE_FEATURES_COMPLETE))
        return;
    ys_put_u8(&writer, status);
    ys_put_u16(&writer, link->handle);
    ys_put_u64(&writer, link->procedures.features);
    controller_send(link->controller, &writer);
}

/* Vol 4 Part E 7.1.23, 7.7.12. */
void procedures_tell_version(struct link *link, uint8_t status)
{
    uint8_t bytes[16];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    const struct ys_link_control_pdu *version = &link->procedures.version;
    if (!link->procedures.version_wanted)
        return;
    link->procedures.version_wanted = false;
    ys_hci_event_begin(&writer, YS_HCI_REMOTE_VERSION_COMPLETE);
    ys_put_u8(&writer, status);
    ys_put_u16(&writer, link->handle);
    ys_put_u8(&writer, version->version);
    ys_put_u16(&writer, version->company);
    ys_put_u16(&writer, version->subversion);
    controller_send(link->controller, &writer);
}

/* Vol 4 Part E 7.7.65.6, 7.8.31, 7.8.32. */
bool procedures_ask_host(struct link *link, const struct ys_link_control_pdu *pdu)
{
    uint8_t bytes[16];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    if (!controller_begin_le_event(link->controller, &writer, YS_HCI_LE_PARAMETERS_REQUEST))
        return false;
    const struct ys_hci_parameters asked = {
        .handle = link->handle,
        .interval_min = pdu->interval_min,
        .interval_max = pdu->interval,
        .latency = pdu->latency,
        .timeout = pdu->timeout,
    };
    ys_put_hci_parameters(&writer, &asked, false);
    controller_send(link->controller, &writer);
    return true;
}
