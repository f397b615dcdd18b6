/* Legacy advertising as commands (Core 5.4 Vol 4 Part E 7.8.5 to 7.8.9). */
#include "host/gap/advertising_rows.h"

#include <string.h>

#include "host/gap/advertising.h"
#include "wire/hci.h"

/* Vol 4 Part E 7.8.5. */
static void compose_advertising_parameters(struct ys_host *host, struct ys_writer *writer)
{
    static const uint8_t types[] = {
        [YS_ADVERTISE_CONNECTABLE] = YS_HCI_ADVERTISE_CONNECTABLE,
        [YS_ADVERTISE_SCANNABLE] = YS_HCI_ADVERTISE_SCANNABLE,
        [YS_ADVERTISE_BEACON] = YS_HCI_ADVERTISE_BEACON,
        [YS_ADVERTISE_DIRECTED] = YS_HCI_ADVERTISE_DIRECTED,
        [YS_ADVERTISE_DIRECTED_FAST] = YS_HCI_ADVERTISE_DIRECTED_FAST,
    };
    const struct ys_advertising *advertising = host->set->advertising;
    ys_put_hci_advertising(writer, &(struct ys_hci_advertising){
                                       .interval_min = (uint16_t)(advertising->interval_min_us / ADVERTISING_STEP_US),
                                       .interval_max = (uint16_t)(advertising->interval_max_us / ADVERTISING_STEP_US),
                                       .type = types[host->set->kind],
                                       .own_address_type = host->own_type,
                                       .peer = *ys_advertising_peer(host, advertising),
                                       .channels = advertising->channels != 0 ? advertising->channels : 0x07,
                                       .filter = advertising->filter,
                                   });
}

static void put_payload(struct ys_writer *writer, const uint8_t *bytes, uint8_t length)
{
    struct ys_hci_payload payload = {.length = length};
    if (length > 0)
        memcpy(payload.bytes, bytes, length);
    ys_put_hci_payload(writer, &payload);
}

/* Vol 4 Part E 7.8.7, 7.8.8. */
static void compose_advertising_data(struct ys_host *host, struct ys_writer *writer)
{
    put_payload(writer, host->set->advertising->data, (uint8_t)host->set->advertising->data_length);
}

/* Vol 4 Part E 7.8.7, 7.8.8. */
static void compose_scan_response(struct ys_host *host, struct ys_writer *writer)
{
    put_payload(writer, host->set->advertising->response, (uint8_t)host->set->advertising->response_length);
}

/* Vol 4 Part E 7.8.9. */
static void compose_on(struct ys_host *host, struct ys_writer *writer)
{
    (void)host;
    ys_put_u8(writer, 1);
}

static void compose_off(struct ys_host *host, struct ys_writer *writer)
{
    (void)host;
    ys_put_u8(writer, 0);
}

static void complete_advertising_on(struct ys_host *host, struct ys_reader *parameters)
{
    (void)parameters;
    host->set->on = true;
    host->set->before = NULL;
}

static void complete_advertising_off(struct ys_host *host, struct ys_reader *parameters)
{
    (void)parameters;
    host->set->on = false;
}

const struct ys_command_row *ys_advertising_row(uint8_t command)
{
    static const struct ys_command_row off = {YS_HCI_LE_SET_ADVERTISING_ENABLE, "LE Set Advertising Enable",
                                              compose_off, complete_advertising_off, NULL};
    static const struct ys_command_row rows[] = {
        [0] = {YS_HCI_LE_SET_ADVERTISING_PARAMETERS, "LE Set Advertising Parameters", compose_advertising_parameters,
               NULL, ys_set_failed},
        [COMMAND_ADVERTISING_DATA - COMMAND_ADVERTISING_PARAMETERS] = {YS_HCI_LE_SET_ADVERTISING_DATA,
                                                                       "LE Set Advertising Data",
                                                                       compose_advertising_data, NULL, ys_set_failed},
        [COMMAND_SCAN_RESPONSE_DATA - COMMAND_ADVERTISING_PARAMETERS] = {YS_HCI_LE_SET_SCAN_RESPONSE_DATA,
                                                                         "LE Set Scan Response Data",
                                                                         compose_scan_response, NULL, ys_set_failed},
        [COMMAND_ADVERTISING_ON - COMMAND_ADVERTISING_PARAMETERS] = {YS_HCI_LE_SET_ADVERTISING_ENABLE,
                                                                     "LE Set Advertising Enable", compose_on,
                                                                     complete_advertising_on, ys_set_failed},
    };
    return command == COMMAND_ADVERTISING_OFF ? &off : &rows[command - COMMAND_ADVERTISING_PARAMETERS];
}
