/* The commands of a controller that knows legacy advertising: rows of a table, each answered as the standard says
 * (Core 5.4 Vol 4 Part E 7). */
#include "sim/commands.h"

#include <stdlib.h>
#include <string.h>

#include "sim/advertiser.h"
#include "sim/airing.h"
#include "sim/commands_resolving.h"
#include "sim/controller_state.h"
#include "sim/encryption.h"
#include "sim/initiator.h"
#include "sim/link_time.h"
#include "sim/reset.h"
#include "sim/scanner.h"

/* Vol 4 Part E 7.3.2. */
static uint8_t reset(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    (void)parameters;
    (void)answer;
    controller_reset(controller);
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.4.3, 7.8.3. */
static uint8_t read_features(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    (void)controller;
    (void)parameters;
    ys_put_u64(answer, YS_HCI_FEATURE_LE | UINT64_C(1) << 37); /* LE, and no BR/EDR */
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.4.3, 7.8.3. */
static uint8_t le_read_features(struct ys_controller *controller, struct ys_reader *parameters,
                                struct ys_writer *answer)
{
    (void)parameters;
    ys_put_u64(answer, controller->features);
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.3.1, 7.8.1. */
static uint8_t set_event_mask(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    (void)answer;
    controller->event_mask = ys_get_u64(parameters);
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.3.1, 7.8.1. */
static uint8_t le_set_event_mask(struct ys_controller *controller, struct ys_reader *parameters,
                                 struct ys_writer *answer)
{
    (void)answer;
    controller->le_event_mask = ys_get_u64(parameters);
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.4.5, 7.8.2. */
static uint8_t le_read_buffer_size(struct ys_controller *controller, struct ys_reader *parameters,
                                   struct ys_writer *answer)
{
    (void)parameters;
    ys_put_u16(answer, controller->settings.buffer_length);
    ys_put_u8(answer, controller->settings.buffer_count);
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.4.6. */
static uint8_t read_address(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    (void)parameters;
    ys_put_address(answer, &controller->settings.address);
    return YS_HCI_OK;
}

static uint8_t set_random_address(struct ys_controller *controller, struct ys_reader *parameters,
                                  struct ys_writer *answer)
{
    struct ys_address address = {.type = YS_ADDRESS_RANDOM};
    (void)answer;
    ys_get_address(parameters, &address);
    /* Vol 4 Part E 7.8.4: not while it is in use */
    if (controller->advertiser.on || scanners_are_on(controller) || initiators_are_on(controller))
        return YS_HCI_COMMAND_DISALLOWED;
    controller->random_address = address;
    controller->has_random_address = true;
    return YS_HCI_OK;
}

static uint8_t set_advertising(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    static const uint16_t properties[] = {
        [YS_HCI_ADVERTISE_CONNECTABLE] = YS_HCI_SET_CONNECTABLE | YS_HCI_SET_SCANNABLE,
        [YS_HCI_ADVERTISE_DIRECTED_FAST] = YS_HCI_SET_CONNECTABLE | YS_HCI_SET_DIRECTED | YS_HCI_SET_FAST,
        [YS_HCI_ADVERTISE_SCANNABLE] = YS_HCI_SET_SCANNABLE,
        [YS_HCI_ADVERTISE_BEACON] = 0,
        [YS_HCI_ADVERTISE_DIRECTED] = YS_HCI_SET_CONNECTABLE | YS_HCI_SET_DIRECTED,
    };
    struct ys_hci_advertising wanted;
    (void)answer;
    ys_get_hci_advertising(parameters, &wanted);
    if (controller->advertiser.on)
        return YS_HCI_COMMAND_DISALLOWED;
    if (wanted.type > YS_HCI_ADVERTISE_DIRECTED || wanted.own_address_type > OWN_TYPE_MOST)
        return YS_HCI_UNSUPPORTED;
    /* Vol 4 Part E 7.8.5: one with a high duty cycle has its own interval */
    bool fast = wanted.type == YS_HCI_ADVERTISE_DIRECTED_FAST;
    if ((!fast &&
         (wanted.interval_min < 0x20 || wanted.interval_min > wanted.interval_max || wanted.interval_max > 0x4000)) ||
        (wanted.channels & 7) == 0 || wanted.filter > 3 || wanted.peer.type > YS_ADDRESS_RANDOM)
        return YS_HCI_INVALID_PARAMETERS;
    struct ys_hci_set *set = &controller->advertiser.parameters;
    *set = (struct ys_hci_set){
        .properties = (uint16_t)(properties[wanted.type] | YS_HCI_SET_LEGACY),
        .interval_min = wanted.interval_min,
        .interval_max = wanted.interval_max,
        .channels = wanted.channels & 7,
        .own_address_type = wanted.own_address_type,
        .peer = wanted.peer,
        .filter = wanted.filter,
        .power_dbm = controller->settings.power_dbm,
    };
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.8.7, 7.8.8. */
static uint8_t take_payload(struct ys_reader *parameters, struct set_data *data)
{
    struct ys_hci_payload taken;
    ys_get_hci_payload(parameters, &taken);
    if (!ys_reader_done(parameters))
        return YS_HCI_INVALID_PARAMETERS;
    if (data->bytes == NULL && (data->bytes = malloc(sizeof taken.bytes)) == NULL)
        return YS_HCI_MEMORY_FULL;
    memcpy(data->bytes, taken.bytes, sizeof taken.bytes);
    data->length = taken.length;
    return YS_HCI_OK;
}

static uint8_t set_advertising_data(struct ys_controller *controller, struct ys_reader *parameters,
                                    struct ys_writer *answer)
{
    (void)answer;
    return take_payload(parameters, &controller->advertiser.data);
}

static uint8_t set_scan_response(struct ys_controller *controller, struct ys_reader *parameters,
                                 struct ys_writer *answer)
{
    (void)answer;
    return take_payload(parameters, &controller->advertiser.response);
}

/* Vol 4 Part E 7.8.9. */
static uint8_t set_advertising_enable(struct ys_controller *controller, struct ys_reader *parameters,
                                      struct ys_writer *answer)
{
    uint8_t on = ys_get_u8(parameters);
    (void)answer;
    if (on > 1)
        return YS_HCI_INVALID_PARAMETERS;
    if (on == 1)
        return advertiser_start(&controller->advertiser, NULL);
    advertiser_stop(&controller->advertiser);
    return YS_HCI_OK;
}

bool scan_times_are_valid(uint16_t interval, uint16_t window)
{
    return window >= 4 && interval >= window && interval <= 0x4000;
}

/* Vol 4 Part E 7.8.10, 7.8.11. */
static uint8_t set_scan(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    struct ys_hci_scan wanted;
    (void)answer;
    ys_get_hci_scan(parameters, &wanted);
    if (scanners_are_on(controller))
        return YS_HCI_COMMAND_DISALLOWED;
    if (wanted.filter > 1 || wanted.own_address_type > OWN_TYPE_MOST)
        return YS_HCI_UNSUPPORTED; /* the others are for resolvable addresses */
    if (wanted.active > 1 || !scan_times_are_valid(wanted.interval, wanted.window))
        return YS_HCI_INVALID_PARAMETERS;
    controller->scanning.by_sets = false;
    controller->scanning.parameters = (struct ys_hci_extended_scan){
        .own_address_type = wanted.own_address_type,
        .filter = wanted.filter,
        .phys = YS_HCI_PHYS_1M,
        .by_phy = {{wanted.active, wanted.interval, wanted.window}},
    };
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.8.10, 7.8.11. */
static uint8_t set_scan_enable(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    uint8_t on = ys_get_u8(parameters);
    uint8_t once = ys_get_u8(parameters);
    (void)answer;
    if (on > 1 || once > 1)
        return YS_HCI_INVALID_PARAMETERS;
    return scanners_enable(controller, on != 0, once != 0, 0);
}

uint8_t connect_check(const struct ys_controller *controller, const struct ys_hci_connect *wanted)
{
    if (wanted->filter > 1 || wanted->own_address_type > OWN_TYPE_MOST || wanted->peer.type > YS_ADDRESS_RANDOM)
        return YS_HCI_UNSUPPORTED;
    if (wanted->interval_min > wanted->interval_max ||
        !ys_link_parameters_are_valid(wanted->interval_max, wanted->latency, wanted->timeout))
        return YS_HCI_INVALID_PARAMETERS;
    if (wanted->own_address_type == YS_ADDRESS_RANDOM && !controller->has_random_address)
        return YS_HCI_INVALID_PARAMETERS;
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.8.12, 7.8.13. */
static uint8_t create_connection(struct ys_controller *controller, struct ys_reader *parameters,
                                 struct ys_writer *answer)
{
    struct ys_hci_connect wanted;
    (void)answer;
    ys_get_hci_connect(parameters, &wanted);
    if (initiators_are_on(controller))
        return YS_HCI_COMMAND_DISALLOWED;
    uint8_t status = connect_check(controller, &wanted);
    if (status != YS_HCI_OK)
        return status;
    if (!scan_times_are_valid(wanted.scan_interval, wanted.scan_window))
        return YS_HCI_INVALID_PARAMETERS;
    controller->connecting = (struct ys_hci_extended_connect){
        .common = wanted, .phys = YS_HCI_PHYS_1M, .by_phy = {{0, wanted.scan_interval, wanted.scan_window}}};
    return initiators_start(controller);
}

/* Vol 4 Part E 7.8.12, 7.8.13. */
static uint8_t cancel_connection(struct ys_controller *controller, struct ys_reader *parameters,
                                 struct ys_writer *answer)
{
    (void)parameters;
    (void)answer;
    if (!initiators_are_on(controller))
        return YS_HCI_COMMAND_DISALLOWED;
    initiators_stop(controller);
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.1.6, 7.7.5. */
static uint8_t disconnect(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    struct link *link = link_find(controller, ys_get_u16(parameters) & 0x0fff);
    uint8_t reason = ys_get_u8(parameters);
    (void)answer;
    if (link == NULL)
        return YS_HCI_UNKNOWN_CONNECTION;
    return link_terminate(link, reason);
}

/* Encryption (Vol 4 Part E 7.8.24 to 7.8.26). */

static uint8_t enable_encryption(struct ys_controller *controller, struct ys_reader *parameters,
                                 struct ys_writer *answer)
{
    struct ys_hci_key_name name;
    (void)answer;
    ys_get_hci_key_name(parameters, &name);
    const uint8_t *key = ys_get_bytes(parameters, 16);
    struct link *link = link_find(controller, name.handle);
    return link == NULL ? YS_HCI_UNKNOWN_CONNECTION : encryption_enable(link, &name, key);
}

static uint8_t answer_key(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer,
                          bool has_key)
{
    uint16_t handle = ys_get_u16(parameters);
    const uint8_t *key = has_key ? ys_get_bytes(parameters, 16) : NULL;
    struct link *link = link_find(controller, handle);
    ys_put_u16(answer, handle);
    return link == NULL ? YS_HCI_UNKNOWN_CONNECTION : encryption_key(link, key);
}

/* Vol 4 Part E 7.7.65.5, 7.8.25, 7.8.26. */
static uint8_t key_reply(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    return answer_key(controller, parameters, answer, true);
}

/* Vol 4 Part E 7.7.65.5, 7.8.25, 7.8.26. */
static uint8_t key_negative_reply(struct ys_controller *controller, struct ys_reader *parameters,
                                  struct ys_writer *answer)
{
    return answer_key(controller, parameters, answer, false);
}

/* The accept list (Vol 4 Part E 7.8.14 to 7.8.17), which must not change while a filter uses it. */

static bool accept_list_is_used(const struct ys_controller *controller)
{
    return advertisers_use_accept_list(controller) ||
           (scanners_are_on(controller) && controller->scanning.parameters.filter != 0) ||
           (initiators_are_on(controller) && controller->connecting.common.filter != 0);
}

/* The address to be added or removed, or 0xff for advertisements without one. */
static uint8_t get_listed(const struct ys_controller *controller, struct ys_reader *parameters,
                          struct ys_address *address)
{
    ys_get_hci_address(parameters, address);
    if (accept_list_is_used(controller))
        return YS_HCI_COMMAND_DISALLOWED;
    if (address->type == YS_HCI_ANONYMOUS)
        *address = (struct ys_address){.type = YS_HCI_ANONYMOUS};
    return address->type <= YS_ADDRESS_RANDOM || address->type == YS_HCI_ANONYMOUS ? YS_HCI_OK
                                                                                   : YS_HCI_INVALID_PARAMETERS;
}

/* Vol 4 Part E 7.8.14 to 7.8.17. */
static uint8_t read_accept_list_size(struct ys_controller *controller, struct ys_reader *parameters,
                                     struct ys_writer *answer)
{
    (void)controller;
    (void)parameters;
    ys_put_u8(answer, ACCEPT_LIST_SIZE);
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.8.14 to 7.8.17. */
static uint8_t clear_accept_list(struct ys_controller *controller, struct ys_reader *parameters,
                                 struct ys_writer *answer)
{
    (void)parameters;
    (void)answer;
    if (accept_list_is_used(controller))
        return YS_HCI_COMMAND_DISALLOWED;
    controller->accepted = 0;
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.8.14 to 7.8.17. */
static uint8_t add_to_accept_list(struct ys_controller *controller, struct ys_reader *parameters,
                                  struct ys_writer *answer)
{
    struct ys_address address;
    uint8_t status = get_listed(controller, parameters, &address);
    (void)answer;
    if (status != YS_HCI_OK)
        return status;
    if (controller_accepts(controller, &address))
        return YS_HCI_OK;
    if (controller->accepted == ACCEPT_LIST_SIZE)
        return YS_HCI_MEMORY_FULL;
    controller->accept_list[controller->accepted++] = address;
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.8.14 to 7.8.17. */
static uint8_t remove_from_accept_list(struct ys_controller *controller, struct ys_reader *parameters,
                                       struct ys_writer *answer)
{
    struct ys_address address;
    uint8_t status = get_listed(controller, parameters, &address);
    (void)answer;
    if (status != YS_HCI_OK)
        return status;
    for (uint8_t i = 0; i < controller->accepted; i++) {
        if (ys_address_is_equal(&controller->accept_list[i], &address))
            controller->accept_list[i] = controller->accept_list[--controller->accepted];
    }
    return YS_HCI_OK;
}

static const struct command_row rows[] = {
    {YS_HCI_RESET, 0, false, GENERATION_ANY, reset},
    {YS_HCI_READ_FEATURES, 0, false, GENERATION_ANY, read_features},
    {YS_HCI_LE_READ_FEATURES, 0, false, GENERATION_ANY, le_read_features},
    {YS_HCI_SET_EVENT_MASK, 8, false, GENERATION_ANY, set_event_mask},
    {YS_HCI_LE_SET_EVENT_MASK, 8, false, GENERATION_ANY, le_set_event_mask},
    {YS_HCI_LE_READ_BUFFER_SIZE, 0, false, GENERATION_ANY, le_read_buffer_size},
    {YS_HCI_READ_ADDRESS, 0, false, GENERATION_ANY, read_address},
    {YS_HCI_LE_SET_RANDOM_ADDRESS, 6, false, GENERATION_ANY, set_random_address},
    {YS_HCI_LE_SET_ADVERTISING_PARAMETERS, 15, false, GENERATION_LEGACY, set_advertising},
    {YS_HCI_LE_SET_ADVERTISING_DATA, 32, false, GENERATION_LEGACY, set_advertising_data},
    {YS_HCI_LE_SET_SCAN_RESPONSE_DATA, 32, false, GENERATION_LEGACY, set_scan_response},
    {YS_HCI_LE_SET_ADVERTISING_ENABLE, 1, false, GENERATION_LEGACY, set_advertising_enable},
    {YS_HCI_LE_SET_SCAN_PARAMETERS, 7, false, GENERATION_LEGACY, set_scan},
    {YS_HCI_LE_SET_SCAN_ENABLE, 2, false, GENERATION_LEGACY, set_scan_enable},
    {YS_HCI_LE_CREATE_CONNECTION, 25, true, GENERATION_LEGACY, create_connection},
    {YS_HCI_LE_CREATE_CONNECTION_CANCEL, 0, false, GENERATION_ANY, cancel_connection},
    {YS_HCI_LE_READ_ACCEPT_LIST_SIZE, 0, false, GENERATION_ANY, read_accept_list_size},
    {YS_HCI_LE_CLEAR_ACCEPT_LIST, 0, false, GENERATION_ANY, clear_accept_list},
    {YS_HCI_LE_ADD_TO_ACCEPT_LIST, 7, false, GENERATION_ANY, add_to_accept_list},
    {YS_HCI_LE_REMOVE_FROM_ACCEPT_LIST, 7, false, GENERATION_ANY, remove_from_accept_list},
    {YS_HCI_LE_ADD_TO_RESOLVING_LIST, 39, false, GENERATION_ANY, resolving_add},
    {YS_HCI_LE_REMOVE_FROM_RESOLVING_LIST, 7, false, GENERATION_ANY, resolving_remove},
    {YS_HCI_LE_CLEAR_RESOLVING_LIST, 0, false, GENERATION_ANY, resolving_clear},
    {YS_HCI_LE_READ_RESOLVING_LIST_SIZE, 0, false, GENERATION_ANY, resolving_read_size},
    {YS_HCI_LE_SET_RESOLUTION_ENABLE, 1, false, GENERATION_ANY, resolving_enable},
    {YS_HCI_LE_SET_RESOLVABLE_TIMEOUT, 2, false, GENERATION_ANY, resolving_set_timeout},
    {YS_HCI_LE_SET_PRIVACY_MODE, 8, false, GENERATION_ANY, resolving_set_mode},
    {YS_HCI_LE_ENABLE_ENCRYPTION, 28, true, GENERATION_ANY, enable_encryption},
    {YS_HCI_LE_KEY_REPLY, 18, false, GENERATION_ANY, key_reply},
    {YS_HCI_LE_KEY_NEGATIVE_REPLY, 2, false, GENERATION_ANY, key_negative_reply},
    {YS_HCI_DISCONNECT, 3, true, GENERATION_ANY, disconnect},
};

const struct command_row *commands_find(uint16_t opcode)
{
    for (size_t i = 0; i < sizeof rows / sizeof rows[0]; i++) {
        if (rows[i].opcode == opcode)
            return &rows[i];
    }
    return NULL;
}
