/* Commands of HCI that the host does not send by itself: a vendor's, and what firmware wants to know of its controller.
 * They go in their turn between the host's own, one at a time; so firmware need not know of the controller's credits.
 */
#ifndef YARNSWIFT_COMMAND_H
#define YARNSWIFT_COMMAND_H

#include <yarnswift/host.h>

#ifdef __cplusplus
extern "C" {
#endif

struct ys_command;

/* The result of a command: `status`, enum ys_hci_error, and the controller's return parameters after it (Core 5.4 Vol 4
 * Part E 7.7.14), which is empty if it only said that it has begun. From ys_host_run; the command may be sent again. */
typedef void ys_command_done(struct ys_host *host, struct ys_command *command, uint8_t status,
                             struct ys_reader *answer);

/* A command. Its memory and all that it points to are the caller's, and must stay until it is done. */
struct ys_command {
    uint16_t opcode;  /* Vol 4 Part E 5.4.1: group (0x3f of a vendor) << 10, and command */
    const char *name; /* in the standard's words, for messages; NULL: "a command" */
    const void *parameters;
    uint8_t length;          /* of the parameters, in bytes: up to YS_COMMAND_LENGTH_MOST */
    bool may_fail;           /* at the start: the start goes on */
    ys_command_done *done;   /* or NULL */
    void *context;           /* the caller's */
    struct ys_command *next; /* private; also the next: */
    bool waits;
};

/* The longest parameters of a command that is handed to the host, in bytes. */
#define YS_COMMAND_LENGTH_MOST 128

/* A command as the host has it: its code, its name in the standard, its parameters, and what its end means. Any
 * function may be NULL. One that composes nothing has become pointless while it waited, and is not sent; while starting
 * it has failed. Private. */
struct ys_command_row {
    uint16_t opcode;
    const char *name;
    void (*compose)(struct ys_host *host, struct ys_writer *writer);
    void (*complete)(struct ys_host *host, struct ys_reader *parameters);
    void (*failed)(struct ys_host *host, const char *name, uint8_t status);
};

/* Memory of a host that sends such commands. Its fields are private. */
struct ys_commands {
    struct ys_extra extra;
    struct ys_command_row row;
    struct ys_command *first;    /* that waits, or is on its way */
    struct ys_command *starts;   /* what is sent at each start */
    struct ys_command *at_start; /* where in those the start is; NULL: through */
    void (*vendor)(struct ys_host *host, void *context, struct ys_reader *parameters);
    void (*event)(struct ys_host *host, uint8_t subevent, struct ys_reader *parameters, void *context);
    void *vendor_context;
    void *event_context;
};

/* Has a host send such commands. After ys_host_init, before ys_host_start and the calls below. */
void ys_host_use_commands(struct ys_host *host, struct ys_commands *commands);

/* A command that is sent at each start: right after the controller's reset, before anything else, in the order in which
 * they were added. If it fails and may not, the start fails, and names it. It must stay valid as long as the host is
 * used. Before ys_host_start. */
void ys_command_at_start(struct ys_commands *commands, struct ys_command *command);

/* Sends a command once the host is ready. What was asked for before a controller fails is sent after the next start.
 * From handlers, events, work and the main loop. YS_ERROR_UNSUPPORTED: not without ys_host_use_commands.
 * YS_ERROR_BUSY: it waits already. YS_ERROR_ARGUMENT: its parameters are too long. YS_ERROR_NOT_READY. */
enum ys_result ys_command_send(struct ys_host *host, struct ys_command *command);

/* Has a vendor's events (Vol 4 Part E 5.4.4) handed to a function: their parameters. From ys_host_run. */
void ys_command_hear_vendor(struct ys_commands *commands,
                            void (*vendor)(struct ys_host *host, void *context, struct ys_reader *parameters),
                            void *context);

#ifdef __cplusplus
}
#endif

#endif
