/* The controller's commands, one at a time. */
#ifndef HOST_HCI_COMMANDS_H
#define HOST_HCI_COMMANDS_H

#include <yarnswift/host.h>

/* Begins the start. */
void ys_commands_start(struct ys_host *host);
/* Sends what is due, if it may. */
void ys_commands_run(struct ys_host *host);
uint32_t ys_commands_wait_ms(const struct ys_host *host, uint32_t now_ms);
/* The controller has answered. */
void ys_commands_complete(struct ys_host *host, struct ys_reader *parameters);
void ys_commands_status(struct ys_host *host, struct ys_reader *parameters);

#endif
