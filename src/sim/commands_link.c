/* The commands of a controller that shape connections (Core 5.4 Vol 4 Part E 7.1.23, 7.3.35, 7.3.93, 7.3.94, 7.5.4,
 * 7.8.18 to 7.8.49). */
#include "sim/commands_link.h"

#include <string.h>

#include "sim/channels.h"
#include "sim/controller_state.h"
#include "sim/link_lengths.h"
#include "sim/link_time.h"
#include "sim/procedures.h"
#include "sim/procedures_order.h"
#include "sim/reset.h"
#include "sim/to_host.h"

/* Puts the handle into the answer, as most of these do, and finds its connection. */
static struct link *get_link(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    uint16_t handle = ys_get_u16(parameters);
    ys_put_u16(answer, handle);
    return link_find(controller, handle & 0x0fff);
}

static bool has(const struct ys_controller *controller, uint64_t features)
{
    return (controller->features & features) != 0;
}

/* Vol 4 Part E 7.1.23, 7.7.12. */
static uint8_t read_remote_version(struct ys_controller *controller, struct ys_reader *parameters,
                                   struct ys_writer *answer)
{
    struct link *link = get_link(controller, parameters, answer);
    if (link == NULL)
        return YS_HCI_UNKNOWN_CONNECTION;
    link->procedures.version_wanted = true;
    procedures_want(link, PROCEDURE_VERSION);
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.7.65.4, 7.8.21. */
static uint8_t read_remote_features(struct ys_controller *controller, struct ys_reader *parameters,
                                    struct ys_writer *answer)
{
    struct link *link = get_link(controller, parameters, answer);
    if (link == NULL)
        return YS_HCI_UNKNOWN_CONNECTION;
    if (!link->central && !has(controller, YS_HCI_LE_FEATURE_FEATURES))
        return YS_HCI_UNSUPPORTED;
    link->procedures.features_wanted = true;
    procedures_want(link, PROCEDURE_FEATURES);
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.3.35, 7.5.4. */
static uint8_t read_power(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    const struct link *link = get_link(controller, parameters, answer);
    uint8_t type = ys_get_u8(parameters); /* 0: now, 1: the most */
    ys_put_u8(answer, (uint8_t)controller->settings.power_dbm);
    if (link == NULL)
        return YS_HCI_UNKNOWN_CONNECTION;
    return type <= 1 ? YS_HCI_OK : YS_HCI_INVALID_PARAMETERS;
}

/* Vol 4 Part E 7.3.35, 7.5.4. */
static uint8_t read_rssi(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    const struct link *link = get_link(controller, parameters, answer);
    ys_put_u8(answer, (uint8_t)(link != NULL ? link->rssi_dbm : 127));
    return link != NULL ? YS_HCI_OK : YS_HCI_UNKNOWN_CONNECTION;
}

#define NS_PER_PAYLOAD_TIMEOUT_STEP (10 * YS_NS_PER_MS)

/* Vol 4 Part E 7.3.93, 7.3.94, 7.7.75. */
static uint8_t read_payload_timeout(struct ys_controller *controller, struct ys_reader *parameters,
                                    struct ys_writer *answer)
{
    const struct link *link = get_link(controller, parameters, answer);
    ys_put_u16(answer, (uint16_t)(link != NULL ? link->payload_timeout_ns / NS_PER_PAYLOAD_TIMEOUT_STEP : 0));
    return link != NULL ? YS_HCI_OK : YS_HCI_UNKNOWN_CONNECTION;
}

/* Vol 4 Part E 7.3.93, 7.7.75. */
static uint8_t write_payload_timeout(struct ys_controller *controller, struct ys_reader *parameters,
                                     struct ys_writer *answer)
{
    struct link *link = get_link(controller, parameters, answer);
    uint64_t timeout_ns = ys_get_u16(parameters) * NS_PER_PAYLOAD_TIMEOUT_STEP;
    if (link == NULL)
        return YS_HCI_UNKNOWN_CONNECTION;
    /* Vol 4 Part E 7.3.94: at least as long as the other side may be silent */
    if (timeout_ns == 0 || timeout_ns < (1u + link->parameters.latency) * link_interval_ns(link))
        return YS_HCI_INVALID_PARAMETERS;
    link->payload_timeout_ns = timeout_ns;
    return YS_HCI_OK;
}

static bool parameters_are_valid(const struct ys_hci_parameters *wanted)
{
    return wanted->interval_min >= 6 && wanted->interval_min <= wanted->interval_max &&
           wanted->event_length_min <= wanted->event_length_max &&
           ys_link_parameters_are_valid(wanted->interval_max, wanted->latency, wanted->timeout);
}

/* A slot of the controller's own is not made longer by it. */
static void take_event_length(struct link *link, uint16_t steps)
{
    uint64_t own_ns = link->controller->character.event_length_us * YS_NS_PER_US;
    if (steps != 0 && steps != 0xffff)
        link->event_length_ns = steps * NS_PER_EVENT_LENGTH_STEP;
    if (own_ns != 0 && link->event_length_ns > own_ns)
        link->event_length_ns = own_ns;
}

/* Vol 4 Part E 7.8.18. */
static uint8_t update_connection(struct ys_controller *controller, struct ys_reader *parameters,
                                 struct ys_writer *answer)
{
    struct ys_hci_parameters wanted;
    (void)answer;
    ys_get_hci_parameters(parameters, &wanted, true);
    struct link *link = link_find(controller, wanted.handle & 0x0fff);
    if (link == NULL)
        return YS_HCI_UNKNOWN_CONNECTION;
    if (!parameters_are_valid(&wanted))
        return YS_HCI_INVALID_PARAMETERS;
    uint8_t own = link->central ? PROCEDURE_UPDATE : PROCEDURE_PARAMETERS;
    procedures_forget_move(link);
    if ((link->procedures.local == own && !link->procedures.moved) || (link->procedures.wanted >> own & 1) != 0)
        return YS_HCI_COMMAND_DISALLOWED;
    if (!link->central && !has(controller, YS_HCI_LE_FEATURE_PARAMETERS))
        return YS_HCI_UNSUPPORTED;
    take_event_length(link, wanted.event_length_max);
    link->procedures.parameters = wanted;
    procedures_want(link, (enum procedure)own);
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.7.65.6, 7.8.31, 7.8.32. */
static uint8_t reply_parameters(struct ys_controller *controller, struct ys_reader *parameters,
                                struct ys_writer *answer)
{
    struct ys_hci_parameters wanted;
    ys_get_hci_parameters(parameters, &wanted, true);
    ys_put_u16(answer, wanted.handle);
    struct link *link = link_find(controller, wanted.handle & 0x0fff);
    if (link == NULL)
        return YS_HCI_UNKNOWN_CONNECTION;
    if (!parameters_are_valid(&wanted))
        return YS_HCI_INVALID_PARAMETERS;
    take_event_length(link, wanted.event_length_max);
    return procedures_answer(link, &wanted, YS_HCI_OK);
}

/* Vol 4 Part E 7.7.65.6, 7.8.31, 7.8.32. */
static uint8_t refuse_parameters(struct ys_controller *controller, struct ys_reader *parameters,
                                 struct ys_writer *answer)
{
    struct link *link = get_link(controller, parameters, answer);
    uint8_t reason = ys_get_u8(parameters);
    return link != NULL ? procedures_answer(link, NULL, reason) : YS_HCI_UNKNOWN_CONNECTION;
}

/* Vol 4 Part E 7.8.19, 7.8.20. */
static uint8_t set_channels(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    uint8_t map[5];
    (void)answer;
    ys_get_copy(parameters, map, sizeof map);
    if (ys_link_channel_count(map) < 1 || (map[4] & 0xe0) != 0)
        return YS_HCI_INVALID_PARAMETERS;
    memcpy(controller->channel_map, map, sizeof map);
    channels_changed(controller);
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.8.19, 7.8.20. */
static uint8_t read_channels(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    static const uint8_t none[5] = {0};
    const struct link *link = get_link(controller, parameters, answer);
    ys_put_bytes(answer, link != NULL ? link->parameters.channel_map : none, sizeof none);
    return link != NULL ? YS_HCI_OK : YS_HCI_UNKNOWN_CONNECTION;
}

/* data length */

static bool length_is_valid(uint16_t octets, uint16_t us)
{
    return octets >= YS_LINK_PAYLOAD_DEFAULT && octets <= YS_LINK_PAYLOAD_MAX && us >= YS_LINK_TIME_DEFAULT_US &&
           us <= YS_LINK_TIME_MAX_US;
}

/* Vol 4 Part E 7.8.33 to 7.8.35, 7.8.46. */
static uint8_t set_data_length(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    struct link *link = get_link(controller, parameters, answer);
    uint16_t octets = ys_get_u16(parameters);
    uint16_t us = ys_get_u16(parameters);
    if (!has(controller, YS_HCI_LE_FEATURE_DATA_LENGTH))
        return YS_HCI_UNKNOWN_COMMAND;
    if (link == NULL)
        return YS_HCI_UNKNOWN_CONNECTION;
    if (!length_is_valid(octets, us))
        return YS_HCI_INVALID_PARAMETERS;
    link->lengths.send_octets = octets;
    link->lengths.send_us = us;
    link_lengths_changed(link);
    procedures_want(link, PROCEDURE_LENGTH);
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.8.33 to 7.8.35, 7.8.46. */
static uint8_t read_default_length(struct ys_controller *controller, struct ys_reader *parameters,
                                   struct ys_writer *answer)
{
    (void)parameters;
    ys_put_u16(answer, controller->default_octets);
    ys_put_u16(answer, controller->default_us);
    return has(controller, YS_HCI_LE_FEATURE_DATA_LENGTH) ? YS_HCI_OK : YS_HCI_UNKNOWN_COMMAND;
}

/* Vol 4 Part E 7.8.33 to 7.8.35, 7.8.46. */
static uint8_t write_default_length(struct ys_controller *controller, struct ys_reader *parameters,
                                    struct ys_writer *answer)
{
    uint16_t octets = ys_get_u16(parameters);
    uint16_t us = ys_get_u16(parameters);
    (void)answer;
    if (!has(controller, YS_HCI_LE_FEATURE_DATA_LENGTH))
        return YS_HCI_UNKNOWN_COMMAND;
    if (!length_is_valid(octets, us))
        return YS_HCI_INVALID_PARAMETERS;
    controller->default_octets = octets;
    controller->default_us = us;
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.8.33 to 7.8.35, 7.8.46. */
static uint8_t read_length_max(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    (void)parameters;
    for (int i = 0; i < 2; i++) {
        ys_put_u16(answer, YS_LINK_PAYLOAD_MAX);
        ys_put_u16(answer, YS_LINK_TIME_MAX_US);
    }
    return has(controller, YS_HCI_LE_FEATURE_DATA_LENGTH) ? YS_HCI_OK : YS_HCI_UNKNOWN_COMMAND;
}

/* PHYs */

/* The wanted PHYs as bits; all supported ones if the host has no preference. */
static uint8_t check_phys(const struct ys_controller *controller, struct ys_hci_phy_wish *wanted)
{
    uint8_t able = controller_phys(controller);
    if (able == YS_HCI_PHYS_1M)
        return YS_HCI_UNKNOWN_COMMAND;
    if ((wanted->all & 1) != 0)
        wanted->send = able;
    if ((wanted->all & 2) != 0)
        wanted->receive = able;
    if (wanted->send == 0 || wanted->receive == 0 || wanted->options > YS_HCI_CODING_S8)
        return YS_HCI_INVALID_PARAMETERS;
    return ((wanted->send | wanted->receive) & ~able) != 0 ? YS_HCI_UNSUPPORTED : YS_HCI_OK;
}

/* Vol 4 Part E 7.8.47 to 7.8.49. */
static uint8_t read_phy(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    const struct link *link = get_link(controller, parameters, answer);
    ys_put_u8(answer, link != NULL ? phy_to_hci(link->send_phy) : 0);
    ys_put_u8(answer, link != NULL ? phy_to_hci(link->receive_phy) : 0);
    return link != NULL ? YS_HCI_OK : YS_HCI_UNKNOWN_CONNECTION;
}

/* Vol 4 Part E 7.8.47 to 7.8.49. */
static uint8_t set_default_phy(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    struct ys_hci_phy_wish wanted = {.all = ys_get_u8(parameters)};
    (void)answer;
    wanted.send = ys_get_u8(parameters);
    wanted.receive = ys_get_u8(parameters);
    uint8_t status = check_phys(controller, &wanted);
    if (status != YS_HCI_OK)
        return status;
    controller->default_send_phys = wanted.send;
    controller->default_receive_phys = wanted.receive;
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.8.47 to 7.8.49. */
static uint8_t set_phy(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    struct ys_hci_phy_wish wanted;
    (void)answer;
    ys_get_hci_phy_wish(parameters, &wanted);
    struct link *link = link_find(controller, wanted.handle & 0x0fff);
    uint8_t status = check_phys(controller, &wanted);
    if (status != YS_HCI_OK)
        return status;
    if (link == NULL)
        return YS_HCI_UNKNOWN_CONNECTION;
    if (link->procedures.phy_wanted)
        return YS_HCI_COMMAND_DISALLOWED;
    link->prefers_s2 = wanted.options == YS_HCI_CODING_S2;
    if (ys_phy_is_coded(link->send_phy)) { /* which of the two is this side's own affair */
        link->send_phy = link->prefers_s2 ? YS_PHY_CODED_S2 : YS_PHY_CODED_S8;
        link_lengths_changed(link);
    }
    link->procedures.send_phys = wanted.send;
    link->procedures.receive_phys = wanted.receive;
    link->procedures.phy_wanted = true;
    procedures_want(link, PROCEDURE_PHY);
    return YS_HCI_OK;
}

static const struct command_row rows[] = {
    {YS_HCI_READ_REMOTE_VERSION, 2, true, GENERATION_ANY, read_remote_version},
    {YS_HCI_READ_POWER, 3, false, GENERATION_ANY, read_power},
    {YS_HCI_READ_RSSI, 2, false, GENERATION_ANY, read_rssi},
    {YS_HCI_READ_PAYLOAD_TIMEOUT, 2, false, GENERATION_ANY, read_payload_timeout},
    {YS_HCI_WRITE_PAYLOAD_TIMEOUT, 4, false, GENERATION_ANY, write_payload_timeout},
    {YS_HCI_LE_CONNECTION_UPDATE, 14, true, GENERATION_ANY, update_connection},
    {YS_HCI_LE_SET_CHANNELS, 5, false, GENERATION_ANY, set_channels},
    {YS_HCI_LE_READ_CHANNELS, 2, false, GENERATION_ANY, read_channels},
    {YS_HCI_LE_READ_REMOTE_FEATURES, 2, true, GENERATION_ANY, read_remote_features},
    {YS_HCI_LE_PARAMETERS_REPLY, 14, false, GENERATION_ANY, reply_parameters},
    {YS_HCI_LE_PARAMETERS_NEGATIVE_REPLY, 3, false, GENERATION_ANY, refuse_parameters},
    {YS_HCI_LE_SET_DATA_LENGTH, 6, false, GENERATION_ANY, set_data_length},
    {YS_HCI_LE_READ_DEFAULT_LENGTH, 0, false, GENERATION_ANY, read_default_length},
    {YS_HCI_LE_WRITE_DEFAULT_LENGTH, 4, false, GENERATION_ANY, write_default_length},
    {YS_HCI_LE_READ_LENGTH_MAX, 0, false, GENERATION_ANY, read_length_max},
    {YS_HCI_LE_READ_PHY, 2, false, GENERATION_ANY, read_phy},
    {YS_HCI_LE_SET_DEFAULT_PHY, 3, false, GENERATION_ANY, set_default_phy},
    {YS_HCI_LE_SET_PHY, 7, true, GENERATION_ANY, set_phy},
};

const struct command_row *commands_find_link(uint16_t opcode)
{
    for (size_t i = 0; i < sizeof rows / sizeof rows[0]; i++) {
        if (rows[i].opcode == opcode)
            return &rows[i];
    }
    return NULL;
}
