/* All commands that a controller knows, and their descriptions. */
#include "sim/command_rows.h"

#include "sim/commands.h"
#include "sim/commands_extended.h"
#include "sim/commands_host.h"
#include "sim/commands_link.h"
#include "wire/hci_extended.h"
#include "wire/hci_link.h"

/* The byte and the bit of each command in the supported commands (Vol 4 Part E 6.27). */
static const struct {
    uint16_t opcode;
    uint8_t octet;
    uint8_t bit;
} bits[] = {
    {YS_HCI_DISCONNECT, 0, 5},
    {YS_HCI_READ_REMOTE_VERSION, 2, 7},
    {YS_HCI_SET_EVENT_MASK, 5, 6},
    {YS_HCI_RESET, 5, 7},
    {YS_HCI_READ_POWER, 10, 2},
    {YS_HCI_SET_HOST_FLOW_CONTROL, 10, 5},
    {YS_HCI_HOST_BUFFER_SIZE, 10, 6},
    {YS_HCI_HOST_COMPLETED_PACKETS, 10, 7},
    {YS_HCI_READ_VERSION, 14, 3},
    {YS_HCI_READ_COMMANDS, 14, 4},
    {YS_HCI_READ_FEATURES, 14, 5},
    {YS_HCI_READ_BUFFER_SIZE, 14, 7},
    {YS_HCI_READ_ADDRESS, 15, 1},
    {YS_HCI_READ_RSSI, 15, 5},
    {YS_HCI_SET_EVENT_MASK_2, 22, 2},
    {YS_HCI_READ_LE_SUPPORT, 24, 5},
    {YS_HCI_WRITE_LE_SUPPORT, 24, 6},
    {YS_HCI_LE_SET_EVENT_MASK, 25, 0},
    {YS_HCI_LE_READ_BUFFER_SIZE, 25, 1},
    {YS_HCI_LE_READ_FEATURES, 25, 2},
    {YS_HCI_LE_SET_RANDOM_ADDRESS, 25, 4},
    {YS_HCI_LE_SET_ADVERTISING_PARAMETERS, 25, 5},
    {YS_HCI_LE_READ_ADVERTISING_POWER, 25, 6},
    {YS_HCI_LE_SET_ADVERTISING_DATA, 25, 7},
    {YS_HCI_LE_SET_SCAN_RESPONSE_DATA, 26, 0},
    {YS_HCI_LE_SET_ADVERTISING_ENABLE, 26, 1},
    {YS_HCI_LE_SET_SCAN_PARAMETERS, 26, 2},
    {YS_HCI_LE_SET_SCAN_ENABLE, 26, 3},
    {YS_HCI_LE_CREATE_CONNECTION, 26, 4},
    {YS_HCI_LE_CREATE_CONNECTION_CANCEL, 26, 5},
    {YS_HCI_LE_READ_ACCEPT_LIST_SIZE, 26, 6},
    {YS_HCI_LE_CLEAR_ACCEPT_LIST, 26, 7},
    {YS_HCI_LE_ADD_TO_ACCEPT_LIST, 27, 0},
    {YS_HCI_LE_REMOVE_FROM_ACCEPT_LIST, 27, 1},
    {YS_HCI_LE_CONNECTION_UPDATE, 27, 2},
    {YS_HCI_LE_SET_CHANNELS, 27, 3},
    {YS_HCI_LE_READ_CHANNELS, 27, 4},
    {YS_HCI_LE_READ_REMOTE_FEATURES, 27, 5},
    {YS_HCI_LE_ENCRYPT, 27, 6},
    {YS_HCI_LE_RAND, 27, 7},
    {YS_HCI_LE_ENABLE_ENCRYPTION, 28, 0},
    {YS_HCI_LE_KEY_REPLY, 28, 1},
    {YS_HCI_LE_KEY_NEGATIVE_REPLY, 28, 2},
    {YS_HCI_LE_READ_STATES, 28, 3},
    {YS_HCI_READ_PAYLOAD_TIMEOUT, 32, 4},
    {YS_HCI_WRITE_PAYLOAD_TIMEOUT, 32, 5},
    {YS_HCI_LE_PARAMETERS_REPLY, 33, 4},
    {YS_HCI_LE_PARAMETERS_NEGATIVE_REPLY, 33, 5},
    {YS_HCI_LE_SET_DATA_LENGTH, 33, 6},
    {YS_HCI_LE_READ_DEFAULT_LENGTH, 33, 7},
    {YS_HCI_LE_WRITE_DEFAULT_LENGTH, 34, 0},
    {YS_HCI_LE_READ_PUBLIC_KEY, 34, 1},
    {YS_HCI_LE_GENERATE_SECRET, 34, 2},
    {YS_HCI_LE_ADD_TO_RESOLVING_LIST, 34, 3},
    {YS_HCI_LE_REMOVE_FROM_RESOLVING_LIST, 34, 4},
    {YS_HCI_LE_CLEAR_RESOLVING_LIST, 34, 5},
    {YS_HCI_LE_READ_RESOLVING_LIST_SIZE, 34, 6},
    {YS_HCI_LE_SET_RESOLUTION_ENABLE, 35, 1},
    {YS_HCI_LE_SET_RESOLVABLE_TIMEOUT, 35, 2},
    {YS_HCI_LE_READ_LENGTH_MAX, 35, 3},
    {YS_HCI_LE_READ_PHY, 35, 4},
    {YS_HCI_LE_SET_DEFAULT_PHY, 35, 5},
    {YS_HCI_LE_SET_PHY, 35, 6},
    {YS_HCI_LE_SET_SET_ADDRESS, 36, 1},
    {YS_HCI_LE_SET_EXTENDED_ADVERTISING_PARAMETERS, 36, 2},
    {YS_HCI_LE_SET_EXTENDED_ADVERTISING_DATA, 36, 3},
    {YS_HCI_LE_SET_EXTENDED_SCAN_RESPONSE_DATA, 36, 4},
    {YS_HCI_LE_SET_EXTENDED_ADVERTISING_ENABLE, 36, 5},
    {YS_HCI_LE_READ_ADVERTISING_DATA_MAX, 36, 6},
    {YS_HCI_LE_READ_ADVERTISING_SETS, 36, 7},
    {YS_HCI_LE_REMOVE_ADVERTISING_SET, 37, 0},
    {YS_HCI_LE_CLEAR_ADVERTISING_SETS, 37, 1},
    {YS_HCI_LE_SET_EXTENDED_SCAN_PARAMETERS, 37, 5},
    {YS_HCI_LE_SET_EXTENDED_SCAN_ENABLE, 37, 6},
    {YS_HCI_LE_EXTENDED_CREATE_CONNECTION, 37, 7},
    {YS_HCI_LE_SET_PRIVACY_MODE, 39, 2},
    {YS_HCI_LE_GENERATE_SECRET_2, 41, 2},
};

/* Vol 4 Part E 7.4.2. */
static uint8_t read_commands(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    uint8_t octets[64] = {0};
    (void)parameters;
    for (size_t i = 0; i < sizeof bits / sizeof bits[0]; i++) {
        if (command_row_of(controller, bits[i].opcode) != NULL)
            octets[bits[i].octet] |= (uint8_t)(1u << bits[i].bit);
    }
    ys_put_bytes(answer, octets, sizeof octets);
    return YS_HCI_OK;
}

static const struct command_row row_of_commands = {YS_HCI_READ_COMMANDS, 0, false, GENERATION_ANY, read_commands};

const struct command_row *command_row_of(const struct ys_controller *controller, uint16_t opcode)
{
    const struct command_row *row = opcode == YS_HCI_READ_COMMANDS ? &row_of_commands : commands_find(opcode);
    if (row == NULL)
        row = commands_find_link(opcode);
    if (row == NULL)
        row = commands_find_host(opcode);
    if (row == NULL && controller->settings.sets > 0)
        row = commands_find_extended(opcode);
    return row;
}
