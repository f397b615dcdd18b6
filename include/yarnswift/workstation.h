/* Firmware on a workstation: the same handlers, on a simulated radio, in virtual time, met by a simulated central.
 * Links with yarnswift_scene; nothing of it belongs on the target. */
#ifndef YARNSWIFT_WORKSTATION_H
#define YARNSWIFT_WORKSTATION_H

#include <stdbool.h>
#include <stdint.h>

#include <yarnswift/host.h>

#ifdef __cplusplus
extern "C" {
#endif

/* Compiled firmware. Functions that are not needed are NULL. All pointers stay the caller's. */
struct ys_firmware {
    const struct ys_table *table;
    uint8_t *values; /* memory of table->values_size bytes; NULL if that is 0 */
    void *context;   /* of its handlers and of all functions below */

    /* Makes the firmware's own state, before the host starts. */
    void (*start)(void *context, struct ys_host *host);

    /* Events of the host; it is here that YS_EVENT_READY begins to advertise. */
    ys_event_handler *on_event;

    /* Its timer interrupt. */
    void (*interrupt)(void *context);
    uint32_t interrupt_every_us; /* 1 or more, if there is one */

    /* The person at the device begins or ends what it is for. */
    void (*act)(void *context, bool on);
};

/* A main program: lets a central find the device, connect, discover, read, write, subscribe, unsubscribe, disconnect
 * and find it again, and prints what happens and how it went. `definition` is the path of the definition that the table
 * was generated from; it gives the names and units of what is printed. The only argument that it takes is a seed, a
 * whole number; the same seed gives the same run. Returns the exit status: 0 all was as expected, 1 something was not,
 * 2 the definition or an argument is wrong. */
int ys_workstation_main(int argc, char **argv, const char *definition, const struct ys_firmware *firmware);

#ifdef __cplusplus
}
#endif

#endif
