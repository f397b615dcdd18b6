/* A host whose controller is the fuzzer: started as it should be, then fed with whatever comes. */
#ifndef FUZZ_HOSTED_H
#define FUZZ_HOSTED_H

#include <yarnswift/pairing.h>
#include <yarnswift/sets.h>

#include "wrench.h"

struct hosted {
    struct ys_host host;
    struct ys_port port;
    struct wrench wrench;
    void (*on_event)(const struct ys_event *event);        /* or NULL; set it between begin and what is given */
    void (*on_sent)(const uint8_t *packet, size_t length); /* likewise */
    uint32_t now_ms;
    const uint8_t *packet; /* waits for the host, or NULL */
    size_t length;
    size_t sent; /* packets that the host has sent */
};

/* Makes a host with the torque wrench's table that is ready and has one connection, with the handle 1. */
void hosted_begin(struct hosted *hosted);

/* The same, and before its start `use` gives it what else it does. */
void hosted_begin_with(struct hosted *hosted, void (*use)(struct ys_host *host));

/* The same without a connection, and its controller has four advertising sets. */
void hosted_begin_with_sets(struct hosted *hosted, struct ys_sets *sets);

/* The same without a connection, and it pairs: `more` is what its port has besides. */
void hosted_begin_with_pairing(struct hosted *hosted, struct ys_pairing *pairing, const struct ys_security *security,
                               const struct ys_port *more);

/* Gives it one packet, and turns it. */
void hosted_give(struct hosted *hosted, const uint8_t *packet, size_t length);

/* Gives it an ATT PDU on that connection. */
void hosted_give_pdu(struct hosted *hosted, const uint8_t *pdu, uint8_t length);

/* Gives back all buffers of the controller. */
void hosted_give_buffers(struct hosted *hosted);

#endif
