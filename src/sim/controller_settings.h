/* What a simulated controller is made of. */
#ifndef SIM_CONTROLLER_SETTINGS_H
#define SIM_CONTROLLER_SETTINGS_H

#include <stddef.h>
#include <stdint.h>
#include <yarnswift/address.h>

struct ys_character;

typedef void ys_packet_fn(void *context, const uint8_t *packet, size_t length);

/* What a controller is made of. */
struct ys_controller_settings {
    uint32_t number; /* its number on the air, from 1 and below 2^24, and in the run's chance */
    uint64_t seed;
    struct ys_address address;            /* its public one */
    const struct ys_character *character; /* NULL: it extends its events, and moves connections apart */
    uint16_t buffer_length;               /* of a data buffer, 27 to 251; 0: as its character has it, or 251 */
    uint8_t buffer_count;                 /* 1 to 64; 0: as its character has it, or 8 */
    int8_t power_dbm;                     /* of its transmitter at the most, -127 to 20 */
    uint8_t sets;                /* of extended advertising, up to 16; 0: it knows legacy advertising on 1M alone */
    uint64_t lacks;              /* bits of LE features that it could have and has not */
    uint16_t clock_accuracy_ppm; /* that its clock promises, up to 500; 0: 50 */
    int32_t clock_error_ppb;     /* by which it really is slow */
    uint32_t event_length_us;    /* a connection event is over after that; 0: as its character has it, or no limit */
    bool adapts;                 /* as central it leaves out channels that do badly */
    ys_packet_fn *send;          /* hands a packet to the host; must not call the controller back */
    void *context;
};

#endif
