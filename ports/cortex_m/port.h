/* The port itself: what a host needs, made of a board. */
#ifndef PORTS_CORTEX_M_PORT_H
#define PORTS_CORTEX_M_PORT_H

#include <yarnswift/borrow.h>
#include <yarnswift/host.h>
#include <yarnswift/step.h>

/* Makes it ready: the board's lines and clock, the store, and a workstation to keep step with, if there is one. First
 * of all. */
void port_begin(const struct ys_firmware *firmware, uint32_t stamp);

/* To be handed to ys_host_init. */
extern const struct ys_port port;

/* After ys_host_init: lets the host use functions of its controller, such as AES. */
void port_use(struct ys_host *host);

/* The table for the host, whose handlers are counted if a workstation wants to know. */
const struct ys_table *port_table(struct ys_host *host, const struct ys_table *table);

/* An event of the host, before the firmware has it, and when it has had it. */
void port_event(struct ys_host *host, const struct ys_event *event);
void port_event_done(const struct ys_event *event);

/* Sleeps for `wait_ms` as ys_host_run has returned them, or until an interrupt gives something to do. */
void port_sleep(uint32_t wait_ms);

/* A line of text, then stops: nothing can go on. */
void port_panic(const char *text);

#endif
