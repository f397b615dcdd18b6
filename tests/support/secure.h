/* Two hosts that pair: a peripheral and a central, each with people who do what the test
 * says. */
#ifndef SUPPORT_SECURE_H
#define SUPPORT_SECURE_H

#include <yarnswift/pairing.h>

#include "sim/radio.h"
#include "simulated/simulated.h"
#include "simulated/store.h"

/* What people do when they are asked. */
enum people { PEOPLE_OBEY, PEOPLE_MISTAKE, PEOPLE_SILENT, PEOPLE_CANCEL };

struct party {
    struct ys_host host;
    struct ys_pairing pairing;
    struct ys_security security;
    struct ys_simulated *simulated;
    struct ys_store *store;
    uint16_t number;
    struct ys_address address; /* its own: the tablet's also by the seed */
    enum people people;
    struct party *other; /* who shows what is entered here */
    uint8_t values[64];  /* that the table stores */
    uint16_t connection;
    bool connected;
    size_t counts[YS_EVENT_OOB_READY + 1];
    uint32_t shown; /* the last passkey or number */
    bool wanted;    /* a passkey is to be entered */
    struct ys_event secured;
    struct ys_event failed;
    struct ys_event bond;
    uint8_t reason; /* of the last end of a connection, or failure to encrypt */
    struct ys_oob oob;
    struct ys_address peer;
    size_t notified;
    uint8_t value[64]; /* of the last notification, or what was read */
    uint16_t length;
};

struct yard {
    /* may be set before yard_begin */
    uint64_t seed;
    const struct ys_table *table; /* of the wrench; its handlers get the party; NULL: a bare one */
    uint16_t mtu;
    bool legacy;   /* their ports have no curve */
    uint16_t slow; /* the number of a party whose curve takes a minute */
    uint16_t raw;  /* the number of a party whose host does not pair: the test says what it says */
    void (*observe)(void *party, enum ys_direction direction, const uint8_t *packet, size_t length);

    struct ys_clock *clock;
    struct ys_radio *radio;
    struct party wrench; /* the peripheral */
    struct party tablet; /* the central */
};

/* Both with this security, and stores of their own; the wrench advertises. */
void yard_begin(struct yard *yard, const struct ys_security *wrench, const struct ys_security *tablet);
void yard_end(struct yard *yard);
void yard_pass(struct yard *yard, uint64_t ms);
/* Connects the two; the first tells whether that worked. */
bool yard_try_connect(struct yard *yard);
void yard_connect(struct yard *yard);
/* Ends the connection, from the central. */
void yard_disconnect(struct yard *yard);
/* Switches a party off and on again: its memory is gone, its store is not. */
void yard_restart(struct yard *yard, struct party *party);
/* People answer, if they were asked. */
void yard_answer(struct yard *yard);
/* People answer, and time passes, until the central is secured, has failed, or 4 s are over. */
void yard_settle(struct yard *yard);
/* The central asks for a level, and all that follows happens. */
void yard_secure(struct yard *yard, uint8_t level);

#endif
