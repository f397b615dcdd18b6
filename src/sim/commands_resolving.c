/* Commands of the resolving list (Core 5.4 Vol 4 Part E 7.8.38 to 7.8.45, 7.8.77). */
#include "sim/commands_resolving.h"

#include "sim/advertiser.h"
#include "sim/controller_state.h"
#include "sim/initiator.h"
#include "sim/resolving.h"
#include "sim/scanner.h"

#define TIMEOUT_MOST_S 3600

/* Vol 4 Part E 7.8.38: it must not change while addresses are resolved, and something is going on that does. */
static bool is_used(const struct ys_controller *controller)
{
    return controller->resolves &&
           (advertisers_are_on(controller) || scanners_are_on(controller) || initiators_are_on(controller));
}

/* Vol 4 Part E 7.8.38 to 7.8.41. */
uint8_t resolving_add(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    struct ys_hci_resolving keys;
    (void)answer;
    ys_get_hci_resolving(parameters, &keys);
    if (is_used(controller))
        return YS_HCI_COMMAND_DISALLOWED;
    if (keys.identity.type > YS_ADDRESS_RANDOM || resolving_entry(controller, &keys.identity) != NULL)
        return YS_HCI_INVALID_PARAMETERS;
    if (controller->resolving_count == RESOLVING_MOST)
        return YS_HCI_MEMORY_FULL;
    controller->resolving[controller->resolving_count++] = (struct resolving){.keys = keys};
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.8.38 to 7.8.41. */
uint8_t resolving_remove(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    struct ys_address identity;
    (void)answer;
    ys_get_hci_address(parameters, &identity);
    struct resolving *entry = resolving_entry(controller, &identity);
    if (is_used(controller))
        return YS_HCI_COMMAND_DISALLOWED;
    if (entry == NULL)
        return YS_HCI_UNKNOWN_CONNECTION;
    *entry = controller->resolving[--controller->resolving_count];
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.8.38 to 7.8.41. */
uint8_t resolving_clear(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    (void)parameters;
    (void)answer;
    if (is_used(controller))
        return YS_HCI_COMMAND_DISALLOWED;
    controller->resolving_count = 0;
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.8.38 to 7.8.41. */
uint8_t resolving_read_size(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    (void)controller;
    (void)parameters;
    ys_put_u8(answer, RESOLVING_MOST);
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.8.44, 7.8.45, 7.8.77. */
uint8_t resolving_enable(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    uint8_t on = ys_get_u8(parameters);
    (void)answer;
    if (on > 1)
        return YS_HCI_INVALID_PARAMETERS;
    if (advertisers_are_on(controller) || scanners_are_on(controller) || initiators_are_on(controller))
        return YS_HCI_COMMAND_DISALLOWED;
    controller->resolves = on != 0;
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.8.44, 7.8.45, 7.8.77. */
uint8_t resolving_set_timeout(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    uint16_t timeout_s = ys_get_u16(parameters);
    (void)answer;
    if (timeout_s == 0 || timeout_s > TIMEOUT_MOST_S)
        return YS_HCI_INVALID_PARAMETERS;
    controller->resolving_timeout_s = timeout_s;
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.8.44, 7.8.45, 7.8.77. */
uint8_t resolving_set_mode(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    struct ys_address identity;
    (void)answer;
    ys_get_hci_address(parameters, &identity);
    uint8_t mode = ys_get_u8(parameters);
    struct resolving *entry = resolving_entry(controller, &identity);
    if (is_used(controller))
        return YS_HCI_COMMAND_DISALLOWED;
    if (mode > 1)
        return YS_HCI_INVALID_PARAMETERS;
    if (entry == NULL)
        return YS_HCI_UNKNOWN_CONNECTION;
    entry->device_privacy = mode == 1;
    return YS_HCI_OK;
}
