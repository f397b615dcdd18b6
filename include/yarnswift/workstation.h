/* Firmware on a workstation: the same handlers, on a simulated radio, in virtual time, met by a simulated central.
 * Links with yarnswift_scene; nothing of it belongs on the target. */
#ifndef YARNSWIFT_WORKSTATION_H
#define YARNSWIFT_WORKSTATION_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <yarnswift/host.h>

#ifdef __cplusplus
extern "C" {
#endif

/* Something outside of the firmware that a person or a scene changes: a button, a sensor. */
struct ys_input {
    const char *name; /* of a characteristic, whose format its values then have; or any other */
    /* `value` is a raw number, as the characteristic sends it; of an input with a name of its own a whole number, and 0
     * or 1 for off and on. Called as an interrupt is, between two turns of the host: what an interrupt must not call is
     * refused. */
    void (*set)(void *context, int64_t value);
    bool in_loop; /* it is the main loop that looks at it: all may be called */
};

/* Compiled firmware. Functions that are not needed are NULL. All pointers stay the caller's. */
struct ys_firmware {
    const struct ys_table *table;
    uint8_t *values; /* memory of table->values_size bytes; NULL if that is 0 */
    void *context;   /* of its handlers and of all functions below */

    /* Makes the firmware's own state, before the host starts. */
    void (*start)(void *context, struct ys_host *host);

    /* Events of the host; it is here that YS_EVENT_READY begins to advertise. */
    ys_event_handler *on_event;

    /* What its main loop does beside turning the host: called after each turn. Returns in how many milliseconds it is
     * to be called again at the latest, or YS_FOREVER. */
    uint32_t (*loop)(void *context, struct ys_host *host);

    /* Its timer interrupt. */
    void (*interrupt)(void *context);
    uint32_t interrupt_every_us; /* 1 or more, if there is one */

    /* What can be changed from outside. */
    const struct ys_input *inputs;
    size_t input_count;
};

/* Firmware with the host that it was compiled with, whatever its config.h says: `yarnswift rehearse` and `yarnswift
 * explore` load it, and ys_workstation_main lets a central meet it. Made by YS_MODULE. What the host needs of the
 * firmware, such as memory for sets and for pairing, only the firmware gives. */
struct ys_module {
    uint32_t version; /* YS_MODULE_VERSION */
    uint16_t connections;
    uint16_t event_size;
    size_t host_size;
    const struct ys_firmware *firmware;
    enum ys_result (*init)(struct ys_host *host, size_t size, const struct ys_host_settings *settings);
    void (*start)(struct ys_host *host);
    uint32_t (*run)(struct ys_host *host);
    struct ys_address (*address)(const struct ys_host *host);
};

/* Changes whenever a module of before cannot be loaded any more. */
#define YS_MODULE_VERSION 3

/* What can be seen from outside a module. */
#if defined(__GNUC__)
#define YS_MODULE_VISIBLE __attribute__((visibility("default")))
#else
#define YS_MODULE_VISIBLE
#endif

/* That of the module that a program is linked with. */
extern YS_MODULE_VISIBLE const struct ys_module ys_module;

/* Makes a module of a struct ys_firmware with static storage; once, in one file of it. CMake's yarnswift_module builds
 * the rest. */
#define YS_MODULE(the_firmware)                                                                                        \
    const struct ys_module ys_module = {YS_MODULE_VERSION,      YS_CONNECTIONS,  sizeof(struct ys_event),              \
                                        sizeof(struct ys_host), &(the_firmware), ys_host_init,                         \
                                        ys_host_start,          ys_host_run,     ys_host_address}

/* A main program: lets a central find the device, connect, discover, read, write, subscribe, unsubscribe, disconnect
 * and find it again, and prints what happens and how it went. `definition` is the path of the definition that the table
 * was generated from; it gives the names and units of what is printed. Its arguments are a seed, a whole
 * number (the same seed gives the same run), and after it the file of a capture of what was on the air, .pcapng or
 * .pcap, which must not be there yet. Returns the exit status: 0 all was as expected, 1 something was not, 2 the
 * definition, the module or an argument is wrong. */
int ys_workstation_main(int argc, char **argv, const char *definition, const struct ys_module *module);

#ifdef __cplusplus
}
#endif

#endif
