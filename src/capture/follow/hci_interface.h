/* The interface between a host and its controller, as its packets are seen: commands, events, and the data of
 * connections. */
#ifndef CAPTURE_HCI_INTERFACE_H
#define CAPTURE_HCI_INTERFACE_H

#include "capture/follow/dialogue.h"
#include "capture/follow/keys.h"
#include "wire/hci.h"

/* A connection as a host knows it. */
struct ys_hci_interface_link {
    uint16_t handle;
    bool used;
    bool begun;       /* its begin was seen */
    uint8_t role;     /* 0: this host is the central; 0xff: not known */
    uint8_t own_side; /* in the dialogue: 0 if it is the central */
    struct ys_party *peer;
    struct ys_dialogue dialogue;
};

#define YS_HCI_LINKS 32

struct ys_hci_interface {
    uint16_t device;
    char name[YS_PARTY_NAME];
    struct ys_party *own; /* or NULL */
    struct ys_hci_interface_link links[YS_HCI_LINKS];
    uint16_t asked; /* opcode of a command that waits for its answer; 0: none; also the next: */
    uint64_t asked_ns;
};

/* What a packet was. */
struct ys_hci_seen {
    bool good; /* as long as it says */
    uint8_t type;
    uint16_t opcode; /* of a command, or what an event answers; 0: none */
    uint8_t event;
    uint8_t subevent;                   /* of an LE event */
    uint8_t status;                     /* of an event that has one; else 0 */
    struct ys_reader parameters;        /* after what is above */
    struct ys_hci_interface_link *link; /* whose data it is, or NULL */
    uint8_t boundary;                   /* of data; also the next: */
    const uint8_t *payload;
    size_t length;
    struct ys_said said;
};

struct ys_hci_interface *ys_hci_interface_new(uint16_t device, const char *name);
void ys_hci_interface_free(struct ys_hci_interface *interface);

/* Packets may be missing before the next. */
void ys_hci_interface_hole(struct ys_hci_interface *interface);

void ys_hci_interface_take(struct ys_hci_interface *interface, const struct ys_record *record,
                           struct ys_parties *parties, struct ys_keys *keys, struct ys_hci_seen *seen);

#endif
