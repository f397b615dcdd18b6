/* The simulated port: wires a host to a simulated controller, in virtual time. */
#ifndef PORTS_SIMULATED_H
#define PORTS_SIMULATED_H

#include <yarnswift/host.h>

#include "sim/character.h"
#include "sim/radio.h"
#include "simulated/store.h"

struct ys_simulated;

/* Which way a packet crosses HCI. */
enum ys_direction { YS_TO_CONTROLLER, YS_TO_HOST };

/* A real controller on a serial line, in place of a simulated one. Its owner passes on what it sends by
 * ys_simulated_hear while a host uses it. */
struct ys_outside {
    void (*send)(void *context, const uint8_t *packet, size_t length); /* to it */
    void *context;
    struct ys_simulated *whose; /* who has it now; NULL: nobody. Filled in */
};

/* What a simulated port is made of. */
struct ys_simulated_settings {
    uint32_t number; /* of the device on the air, from 1; also picks its chance */
    uint64_t seed;
    struct ys_address address;            /* the controller's public one */
    const struct ys_character *character; /* of the controller; NULL: it takes no time to answer; also: */
    uint32_t line_bps; /* of the serial line to it, in either direction, ten bits to a byte; 0: what is sent is there */
    uint32_t thinks_us;     /* the host, from when a packet has come until it looks at it */
    uint16_t buffer_length; /* of the controller's data buffers; 0: its default */
    uint8_t buffer_count;   /* 0: its default */
    uint8_t sets;           /* advertising sets of the controller; 0: it only knows legacy advertising */
    uint64_t lacks;         /* of its controller, see sim/controller.h; also the next: */
    uint32_t event_length_us;
    int8_t power_dbm;
    bool adapts;
    struct ys_store *store;     /* where peers are remembered, the owner's; NULL: they are not */
    struct ys_outside *outside; /* the controller, in place of a simulated one; NULL: that */
    uint16_t curve_ms;          /* how long a computation on the curve takes; 0: 50 */
    bool no_curve;              /* it has none: such a device only pairs the old way */
    void *context;              /* handed to both functions below */

    /* Optional: called with each packet that crosses HCI, with its type byte. */
    void (*observe)(void *context, enum ys_direction direction, const uint8_t *packet, size_t length);

    /* Optional: a piece of the host's work begins, or has ended; of a host with the debug checks. */
    void (*works)(void *context, bool begins);

    /* Optional: takes the host's log lines. */
    void (*log)(void *context, const char *text, uint32_t value);
};

/* A port with a controller of its own; NULL if there is no memory. */
struct ys_simulated *ys_simulated_new(struct ys_radio *radio, const struct ys_simulated_settings *settings);
void ys_simulated_free(struct ys_simulated *simulated);

/* The port, to be handed to ys_host_init. It stays the simulated port's. */
const struct ys_port *ys_simulated_port(const struct ys_simulated *simulated);

/* The address under which its controller advertises, if the controller has made that itself; else false: it is that of
 * the host, ys_host_address. */
bool ys_simulated_made(const struct ys_simulated *simulated, struct ys_address *made);

/* A packet has come from the controller that is outside. */
void ys_simulated_hear(struct ys_simulated *simulated, const uint8_t *packet, size_t length);

/* The activity of its controller's radio until now; nothing for a real controller. */
const struct ys_radio_use *ys_simulated_use(const struct ys_simulated *simulated);

/* Puts an L2CAP frame on a connection past the host, as no host would: `length` bytes, at most 255, on a channel. It
 * takes one of the controller's buffers, so there should be time between two. */
void ys_simulated_inject(struct ys_simulated *simulated, uint16_t connection, uint16_t channel, const uint8_t *bytes,
                         uint16_t length);

/* From now on the port gives so many more random numbers (each of any length), and then none. */
void ys_simulated_exhaust(struct ys_simulated *simulated, unsigned draws);

/* Sets whether an interrupt is running: the answer of its port to a host that asks. */
void ys_simulated_interrupt(struct ys_simulated *simulated, bool runs);

/* Turns a host: ys_host_run, or that of the library with which a module was compiled. */
typedef uint32_t ys_run_fn(struct ys_host *host);

/* From now on calls `turn` for `host` whenever the host is due. The host must have been initialised with this port and
 * outlive it. */
void ys_simulated_attach(struct ys_simulated *simulated, struct ys_host *host, ys_run_fn *turn);

#endif
