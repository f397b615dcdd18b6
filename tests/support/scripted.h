/* A host whose controller is the test: packets from the host are collected, packets to it are written in hexadecimal,
 * and the clock stands until the test moves it. */
#ifndef SUPPORT_SCRIPTED_H
#define SUPPORT_SCRIPTED_H

#include <yarnswift/host.h>

#include "simulated/store.h"

#define SENT_MOST   64
#define EVENTS_MOST 64

struct scripted {
    struct ys_host host;
    struct ys_port port;
    uint32_t now_ms;
    int critical; /* how deep */
    struct ys_store *store;
    /* packets from the host */
    size_t sent_count;
    size_t sent_length[SENT_MOST];
    uint8_t sent[SENT_MOST][300];
    /* packets to the host */
    size_t waiting;
    size_t waiting_length[SENT_MOST];
    uint8_t to_host[SENT_MOST][300];
    size_t given;
    /* events */
    size_t event_count;
    struct ys_event events[EVENTS_MOST];
    uint8_t event_data[EVENTS_MOST][300];
    void (*on_event)(struct scripted *scripted, const struct ys_event *event); /* or NULL */
    void *context;                                                             /* of the handlers */
};

/* Makes a host with this table, not started. Buffers of the controller come with the start. */
void scripted_init(struct scripted *scripted, const struct ys_table *table, uint8_t *values, void *context);

/* Gives its port a store, the caller's. */
void scripted_give_store(struct scripted *scripted, struct ys_store *store);

/* Starts it, answering each command, with data buffers of this length and number. */
void scripted_start(struct scripted *scripted, uint16_t buffer_length, uint8_t buffer_count);

/* Leaves a packet for the host, and does not turn it. */
void leave_packet(struct scripted *scripted, const char *hex);

/* Gives the host a packet, in hexadecimal with its type byte, and turns it. */
void give(struct scripted *scripted, const char *hex);

/* Turns the host without a packet; returns what it returns. */
uint32_t turn(struct scripted *scripted);

/* Fails unless the host has sent exactly this since it was last looked at; "" for nothing. Packets are separated by
 * a bar. */
void assert_sent(struct scripted *scripted, const char *hex);

void forget_sent(struct scripted *scripted);

/* Completes a command with success and these return parameters. */
void complete(struct scripted *scripted, uint16_t opcode, const char *parameters);

/* Connects: role 1 makes the host the peripheral. */
void connect_it(struct scripted *scripted, uint16_t handle, uint8_t role);

/* Gives an ATT PDU on a connection, in one packet. */
void give_att(struct scripted *scripted, uint16_t handle, const char *hex);

/* Fails unless the host has sent exactly one ATT PDU on that connection. Pieces are put together. */
void assert_att(struct scripted *scripted, uint16_t handle, const char *hex);

/* Gives back all buffers in use on a connection. */
void give_buffers(struct scripted *scripted, uint16_t handle, uint16_t count);

/* The last event of a kind; fails if there is none. */
const struct ys_event *last_event(const struct scripted *scripted, enum ys_event_kind kind);
size_t count_events(const struct scripted *scripted, enum ys_event_kind kind);

#endif
