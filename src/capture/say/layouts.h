/* Which fields each kind of packet has. */
#ifndef CAPTURE_LAYOUTS_H
#define CAPTURE_LAYOUTS_H

#include <stdint.h>

#include "wire/link.h"

/* A kind of packet. `fields` are separated by |, each a name, a colon and a type:
 *
 *   1 2 3 4 8   a number of so many bytes           x1 x2 x3 x4 x8   the same in hexadecimal
 *   s1          a signed one                        b4 b5 b8 b16 b31 so many bytes;  b*  all that are left
 *   slot        2 bytes in steps of 0.625 ms        slot3            3 bytes of them
 *   unit        2 bytes in steps of 1.25 ms         unit1            1 byte of them
 *   ten         2 bytes in steps of 10 ms           us               2 bytes of microseconds
 *   err         an HCI error                        atterr smperr    likewise
 *   link        a handle of a connection            handle           of an attribute
 *   who         type and address                    own              an own address type
 *   address     an address                          map              a channel map
 *   phy phys    a PHY, bits of them                 dbm              a power or a strength
 *   uuid*       a UUID to the end                   ad*              advertising structures to the end
 *   adl         a length, then so many of them      opcode           of an ATT PDU, of a control PDU: control
 *   flag        yes or no                           command          an HCI opcode
 *   io          what can be shown and entered       needs            what pairing has to be
 *   keys        which keys are handed over
 *   kind        of advertising                      asked heard whom who is let through a filter of it, of scanning,
 *   role        central or peripheral                                and of connecting
 *   channels    of primary advertising, as bits     hop              of CONNECT_IND, with the accuracy of a clock */
struct ys_packet_layout {
    uint16_t code;
    const char *name;
    const char *fields;
};

/* By code; NULL if there is none. */
const struct ys_packet_layout *ys_layout_of_control(uint8_t opcode);
const struct ys_packet_layout *ys_layout_of_command(uint16_t opcode);
/* By its name, in letters of either size. */
const struct ys_packet_layout *ys_layout_of_command_named(const char *name);
const struct ys_packet_layout *ys_layout_of_return(uint16_t opcode); /* after the status */
const struct ys_packet_layout *ys_layout_of_event(uint8_t event);
const struct ys_packet_layout *ys_layout_of_le_event(uint8_t subevent);
const struct ys_packet_layout *ys_layout_of_signal(uint8_t code);
const struct ys_packet_layout *ys_layout_of_att(uint8_t opcode);
const struct ys_packet_layout *ys_layout_of_smp(uint8_t code);
const struct ys_packet_layout *ys_layout_of_advertising(uint8_t type); /* a legacy PDU */

/* Names of the standard; never NULL. */
const char *ys_control_name(uint8_t opcode);
const char *ys_signal_name(uint8_t code);
const char *ys_phy_name(enum ys_phy phy);

/* The name of an HCI command, of an event (with its subevent, if it is one of LE); "unknown" else. */
const char *ys_hci_command_name(uint16_t opcode);
const char *ys_hci_event_name(uint8_t event, uint8_t subevent);

#endif
