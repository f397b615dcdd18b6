/* Sets, and scanning and connecting beside them, as commands (Core 5.4 Vol 4 Part E 7.8.52 to 7.8.66). */
#include "host/gap/set_rows.h"

#include <yarnswift/sets.h>

#include "host/core/hooks.h"
#include "host/gap/advertising.h"
#include "host/gap/central.h"
#include "host/hci/start.h"
#include "wire/hci.h"
#include "wire/hci_extended.h"

/* Directed, high duty cycle: 1.28 s, in steps of 10 ms. */
#define FAST_DURATION 128

static uint8_t number_of(struct ys_host *host, const struct ys_set *set)
{
    uint8_t number = 0;
    while (ys_set_at(host, number) != set)
        number++;
    return number;
}

static uint8_t phy_to_hci(uint8_t phy)
{
    return phy == YS_CODED ? YS_HCI_PHY_CODED : phy == YS_2M ? YS_HCI_PHY_2M : YS_HCI_PHY_1M;
}

/* What a set is to the controller: by its kind now, which is not always the one that it was given. */
static uint16_t properties_of(const struct ys_set *set)
{
    static const uint8_t kinds[] = {
        [YS_ADVERTISE_CONNECTABLE] = YS_HCI_SET_CONNECTABLE | YS_HCI_SET_SCANNABLE,
        [YS_ADVERTISE_SCANNABLE] = YS_HCI_SET_SCANNABLE,
        [YS_ADVERTISE_BEACON] = 0,
        [YS_ADVERTISE_DIRECTED] = YS_HCI_SET_CONNECTABLE | YS_HCI_SET_DIRECTED,
        [YS_ADVERTISE_DIRECTED_FAST] = YS_HCI_SET_CONNECTABLE | YS_HCI_SET_DIRECTED | YS_HCI_SET_FAST,
    };
    const struct ys_set_options *options = set->advertising->options;
    uint16_t properties = kinds[set->kind];
    if (!ys_set_is_extended(set->advertising))
        return (uint16_t)(properties | YS_HCI_SET_LEGACY);
    /* an extended one cannot be both; and while no connection fits, one with data is a beacon */
    if (set->kind == YS_ADVERTISE_CONNECTABLE ||
        (set->kind == YS_ADVERTISE_SCANNABLE && set->advertising->kind != YS_ADVERTISE_SCANNABLE))
        properties &= (uint16_t)~YS_HCI_SET_SCANNABLE;
    if (options->anonymous)
        properties |= YS_HCI_SET_ANONYMOUS;
    if (options->include_power)
        properties |= YS_HCI_SET_POWER;
    return properties;
}

/* Vol 4 Part E 7.8.57, 7.8.58. */
static void complete_sets(struct ys_host *host, struct ys_reader *parameters)
{
    uint8_t count = ys_get_u8(parameters);
    host->sets->count = count < YS_SETS ? count : YS_SETS;
    host->commands_due |= BIT(COMMAND_READ_SETS); /* once more, for the next */
    if (count == 0)
        ys_start_failed(host, YS_EVENT_START_FAILED, "the controller has no advertising sets", YS_HCI_UNSUPPORTED);
}

/* Vol 4 Part E 7.8.57, 7.8.58. */
static void complete_data_max(struct ys_host *host, struct ys_reader *parameters)
{
    host->sets->data_max = ys_get_u16(parameters);
}

static int8_t power_of(const struct ys_set_options *options)
{
    if (options->has_power)
        return options->power_dbm;
    return YS_HCI_POWER_NONE;
}

/* Vol 4 Part E 7.8.52, 7.8.53. */
static void compose_parameters(struct ys_host *host, struct ys_writer *writer)
{
    static const struct ys_set_options none = {.extended = false};
    const struct ys_advertising *advertising = host->set->advertising;
    const struct ys_set_options *options = advertising->options != NULL ? advertising->options : &none;
    bool extended = options->extended;
    ys_put_hci_set(writer, &(struct ys_hci_set){
                               .handle = number_of(host, host->set),
                               .properties = properties_of(host->set),
                               .interval_min = advertising->interval_min_us / ADVERTISING_STEP_US,
                               .interval_max = advertising->interval_max_us / ADVERTISING_STEP_US,
                               .channels = advertising->channels != 0 ? advertising->channels : 0x07,
                               .own_address_type = host->own_type,
                               .peer = *ys_advertising_peer(host, advertising),
                               .filter = advertising->filter,
                               .power_dbm = power_of(options),
                               .primary_phy = phy_to_hci(extended ? options->primary_phy : YS_1M),
                               .secondary_phy = phy_to_hci(extended ? options->phy : YS_1M),
                               .set_id = options->set_id,
                               .tell_requests = options->report_scan_requests,
                           });
}

/* Whether the data, or the response, of a set is given to the controller. */
static bool has_payload(const struct ys_set *set, bool response)
{
    uint16_t properties = properties_of(set);
    bool scannable = (properties & YS_HCI_SET_SCANNABLE) != 0;
    bool legacy = (properties & YS_HCI_SET_LEGACY) != 0;
    if (response)
        return scannable;
    return legacy ? (properties & YS_HCI_SET_DIRECTED) == 0 : !scannable;
}

/* Vol 4 Part E 7.8.59, 7.8.60. */
static void compose_remove(struct ys_host *host, struct ys_writer *writer)
{
    ys_put_u8(writer, number_of(host, host->set));
}

static void complete_remove(struct ys_host *host, struct ys_reader *parameters)
{
    (void)parameters;
    host->set->known = false;
}

/* With its parameters the controller knows the set: what it takes of the rest is due. */
static void complete_parameters(struct ys_host *host, struct ys_reader *parameters)
{
    (void)parameters;
    host->set->sent = 0;
    host->set->known = true;
    if (host->set->advertising == NULL) /* stopped meanwhile */
        return;
    if (host->own_type != YS_ADDRESS_PUBLIC)
        ys_commands_want(host, BIT(COMMAND_SET_ADDRESS));
    host->commands_due &= ~(BIT(COMMAND_ADVERTISING_DATA) | BIT(COMMAND_SCAN_RESPONSE_DATA));
    if (has_payload(host->set, false))
        ys_commands_want(host, BIT(COMMAND_ADVERTISING_DATA));
    if (has_payload(host->set, true))
        ys_commands_want(host, BIT(COMMAND_SCAN_RESPONSE_DATA));
}

/* Vol 4 Part E 7.8.52, 7.8.53. */
static void compose_set_address(struct ys_host *host, struct ys_writer *writer)
{
    ys_put_u8(writer, number_of(host, host->set));
    ys_put_address(writer, &host->address);
}

/* Vol 4 Part E 7.8.54, 7.8.55. */
static void compose_fragment(struct ys_host *host, struct ys_writer *writer, const uint8_t *bytes, uint16_t whole)
{
    uint16_t left = (uint16_t)(whole - host->set->sent);
    uint8_t length = (uint8_t)(left < FRAGMENT_MAX ? left : FRAGMENT_MAX);
    bool first = host->set->sent == 0;
    bool last = length == left;
    ys_put_hci_fragment(writer, &(struct ys_hci_fragment){
                                    .handle = number_of(host, host->set),
                                    .operation = (uint8_t)(first && last ? YS_HCI_FRAGMENT_WHOLE
                                                           : first       ? YS_HCI_FRAGMENT_FIRST
                                                           : last        ? YS_HCI_FRAGMENT_LAST
                                                                         : YS_HCI_FRAGMENT_MIDDLE),
                                    .length = length,
                                    .data = length > 0 ? bytes + host->set->sent : NULL,
                                });
    host->set->sent = (uint16_t)(host->set->sent + length);
}

static void compose_data(struct ys_host *host, struct ys_writer *writer)
{
    compose_fragment(host, writer, host->set->advertising->data, host->set->advertising->data_length);
}

static void compose_response(struct ys_host *host, struct ys_writer *writer)
{
    compose_fragment(host, writer, host->set->advertising->response, host->set->advertising->response_length);
}

/* The next fragment is due, unless all has become different meanwhile. */
static void fragment_sent(struct ys_host *host, uint16_t whole, uint32_t command)
{
    if ((host->commands_due & BIT(COMMAND_ADVERTISING_PARAMETERS)) != 0)
        return;
    if (host->set->sent < whole)
        ys_commands_want(host, command);
    else
        host->set->sent = 0;
}

static void complete_data(struct ys_host *host, struct ys_reader *parameters)
{
    (void)parameters;
    if (host->set->advertising != NULL)
        fragment_sent(host, host->set->advertising->data_length, BIT(COMMAND_ADVERTISING_DATA));
}

static void complete_response(struct ys_host *host, struct ys_reader *parameters)
{
    (void)parameters;
    if (host->set->advertising != NULL)
        fragment_sent(host, host->set->advertising->response_length, BIT(COMMAND_SCAN_RESPONSE_DATA));
}

static void put_enable(struct ys_writer *writer, bool on, const struct ys_hci_set_on *set)
{
    ys_put_u8(writer, on);
    ys_put_u8(writer, 1);
    ys_put_hci_set_on(writer, set);
}

/* Vol 4 Part E 7.8.56. */
static void compose_on(struct ys_host *host, struct ys_writer *writer)
{
    const struct ys_advertising *advertising = host->set->advertising;
    put_enable(writer, true,
               &(struct ys_hci_set_on){
                   .handle = number_of(host, host->set),
                   .duration = host->set->kind == YS_ADVERTISE_DIRECTED_FAST ? FAST_DURATION : 0,
                   .events = ys_set_is_extended(advertising) ? advertising->options->events : 0,
               });
}

static void compose_off(struct ys_host *host, struct ys_writer *writer)
{
    put_enable(writer, false, &(struct ys_hci_set_on){.handle = number_of(host, host->set)});
}

static void complete_on(struct ys_host *host, struct ys_reader *parameters)
{
    (void)parameters;
    host->set->on = true;
    host->set->before = NULL;
}

static void complete_off(struct ys_host *host, struct ys_reader *parameters)
{
    (void)parameters;
    host->set->on = false;
}

static uint8_t phys_of(uint8_t phys)
{
    return phys != 0 ? phys : YS_1M;
}

/* Vol 4 Part E 7.8.64, 7.8.65. */
static void compose_scan_parameters(struct ys_host *host, struct ys_writer *writer)
{
    const struct ys_scanning *scanning = &host->scanning;
    const struct ys_hci_phy_scan one = {
        .active = scanning->active,
        .interval = (uint16_t)(scanning->interval_us / ADVERTISING_STEP_US),
        .window = (uint16_t)(scanning->window_us / ADVERTISING_STEP_US),
    };
    ys_put_hci_extended_scan(writer, &(struct ys_hci_extended_scan){.own_address_type = host->own_type,
                                                                    .filter = scanning->listed,
                                                                    .phys = phys_of(scanning->phys),
                                                                    .by_phy = {one, one, one}});
}

/* Vol 4 Part E 7.8.64, 7.8.65. */
static void compose_scan_enable(struct ys_host *host, struct ys_writer *writer)
{
    ys_put_u8(writer, host->command_running == COMMAND_SCAN_ON);
    ys_put_u8(writer, host->scanning.once);
    ys_put_u16(writer, 0); /* without an end */
    ys_put_u16(writer, 0);
}

/* Vol 4 Part E 7.8.66. */
static void compose_connect(struct ys_host *host, struct ys_writer *writer)
{
    struct ys_hci_extended_connect connect = {.phys = phys_of(host->connecting_with.phys)};
    ys_central_fill_connect(host, &connect.common);
    for (size_t i = 0; i < 3; i++)
        connect.by_phy[i] =
            (struct ys_hci_phy_scan){.interval = connect.common.scan_interval, .window = connect.common.scan_window};
    ys_put_hci_extended_connect(writer, &connect);
}

static const struct ys_command_row rows[COMMAND_COUNT] = {
    [COMMAND_READ_SETS] = {YS_HCI_LE_READ_ADVERTISING_SETS, "LE Read Number of Supported Advertising Sets", NULL,
                           complete_sets, NULL},
    [COMMAND_ADVERTISING_OFF] = {YS_HCI_LE_SET_EXTENDED_ADVERTISING_ENABLE, "LE Set Extended Advertising Enable",
                                 compose_off, complete_off, NULL},
    [COMMAND_REMOVE_SET] = {YS_HCI_LE_REMOVE_ADVERTISING_SET, "LE Remove Advertising Set", compose_remove,
                            complete_remove, NULL},
    [COMMAND_ADVERTISING_PARAMETERS] = {YS_HCI_LE_SET_EXTENDED_ADVERTISING_PARAMETERS,
                                        "LE Set Extended Advertising Parameters", compose_parameters,
                                        complete_parameters, ys_set_failed},
    [COMMAND_SET_ADDRESS] = {YS_HCI_LE_SET_SET_ADDRESS, "LE Set Advertising Set Random Address", compose_set_address,
                             NULL, ys_set_failed},
    [COMMAND_ADVERTISING_DATA] = {YS_HCI_LE_SET_EXTENDED_ADVERTISING_DATA, "LE Set Extended Advertising Data",
                                  compose_data, complete_data, ys_set_failed},
    [COMMAND_SCAN_RESPONSE_DATA] = {YS_HCI_LE_SET_EXTENDED_SCAN_RESPONSE_DATA, "LE Set Extended Scan Response Data",
                                    compose_response, complete_response, ys_set_failed},
    [COMMAND_ADVERTISING_ON] = {YS_HCI_LE_SET_EXTENDED_ADVERTISING_ENABLE, "LE Set Extended Advertising Enable",
                                compose_on, complete_on, ys_set_failed},
    [COMMAND_SCAN_OFF] = {YS_HCI_LE_SET_EXTENDED_SCAN_ENABLE, "LE Set Extended Scan Enable", compose_scan_enable,
                          ys_central_scan_off, NULL},
    [COMMAND_SCAN_PARAMETERS] = {YS_HCI_LE_SET_EXTENDED_SCAN_PARAMETERS, "LE Set Extended Scan Parameters",
                                 compose_scan_parameters, NULL, ys_central_scan_failed},
    [COMMAND_SCAN_ON] = {YS_HCI_LE_SET_EXTENDED_SCAN_ENABLE, "LE Set Extended Scan Enable", compose_scan_enable,
                         ys_central_scan_on, ys_central_scan_failed},
    [COMMAND_CONNECT] = {YS_HCI_LE_EXTENDED_CREATE_CONNECTION, "LE Extended Create Connection", compose_connect, NULL,
                         ys_central_connect_failed},
};

const struct ys_command_row *ys_set_row(const struct ys_host *host, uint8_t command)
{
    static const struct ys_command_row data_max = {
        YS_HCI_LE_READ_ADVERTISING_DATA_MAX, "LE Read Maximum Advertising Data Length", NULL, complete_data_max, NULL};
    if (command == COMMAND_READ_SETS && host->sets->count > 0)
        return &data_max;
    return host->sets->active && rows[command].opcode != 0 ? &rows[command] : NULL;
}
