/* Commands that are due: a set of bits, in an order that works. hci/commands.c sends them. A part that needs a command
 * sets its bit here and provides its row (core/extras.h, core/hooks.h). */
#ifndef HOST_CORE_DUE_H
#define HOST_CORE_DUE_H

#include <yarnswift/command.h>

enum command {
    COMMAND_RESET,
    COMMAND_OTHER, /* whichever it is of those that the host does not know, see command.h */
    COMMAND_READ_FEATURES,
    COMMAND_LE_READ_FEATURES,
    COMMAND_SET_EVENT_MASK,
    COMMAND_LE_SET_EVENT_MASK,
    COMMAND_LE_READ_BUFFER_SIZE,
    COMMAND_READ_BUFFER_SIZE,
    COMMAND_READ_ADDRESS,
    COMMAND_READ_SETS,          /* and what they may hold */
    COMMAND_SET_RANDOM_ADDRESS, /* the last of the start */
    COMMAND_DISCONNECT,
    COMMAND_KEY_REPLY, /* the other side waits for it */
    COMMAND_NO_KEY,
    COMMAND_ENCRYPT,
    COMMAND_LINK, /* whichever it is that shapes a connection */
    COMMAND_ADVERTISING_OFF,
    COMMAND_SCAN_OFF,
    COMMAND_CONNECT_CANCEL,
    COMMAND_RESOLVING, /* whichever it is of the resolving list */
    COMMAND_LIST_CLEAR,
    COMMAND_LIST_ADD,
    COMMAND_ROTATE,
    COMMAND_REMOVE_SET, /* this to ADVERTISING_ON are of the set at work */
    COMMAND_ADVERTISING_PARAMETERS,
    COMMAND_SET_ADDRESS,
    COMMAND_ADVERTISING_DATA,
    COMMAND_SCAN_RESPONSE_DATA,
    COMMAND_ADVERTISING_ON,
    COMMAND_SCAN_PARAMETERS,
    COMMAND_SCAN_ON,
    COMMAND_CONNECT,
    COMMAND_COUNT
};

#define COMMAND_NONE      0xff
#define BIT(command)      (UINT32_C(1) << (command))
#define COMMANDS_OF_START (BIT(COMMAND_SET_RANDOM_ADDRESS + 1) - 1)
#define COMMANDS_OF_SET                                                                                                \
    (BIT(COMMAND_REMOVE_SET) | BIT(COMMAND_ADVERTISING_PARAMETERS) | BIT(COMMAND_SET_ADDRESS) |                        \
     BIT(COMMAND_ADVERTISING_DATA) | BIT(COMMAND_SCAN_RESPONSE_DATA) | BIT(COMMAND_ADVERTISING_ON))

/* The parameters of a command, at most. */
#define COMMAND_MAX 128

/* These commands are due from now on. */
void ys_commands_want(struct ys_host *host, uint32_t commands);

#endif
