/* What a controller's radio was used for: what its charge follows from. */
#ifndef SIM_RADIO_USE_H
#define SIM_RADIO_USE_H

#include <stdbool.h>
#include <stdint.h>

/* Powers that are told apart; what is sent with more of them counts as sent with the last. */
#define YS_RADIO_POWERS 4

/* Zero it. Between two uses that are no more than 400 us apart the radio stays awake, and turns round; after more it
 * has slept, and the next use is another event. */
struct ys_radio_use {
    uint64_t events;
    uint64_t receive_ns;
    uint64_t turn_ns;
    uint64_t transmit_ns[YS_RADIO_POWERS];
    int8_t power_dbm[YS_RADIO_POWERS];
    uint8_t powers;
    /* private */
    uint64_t busy_until_ns; /* the end of the last use */
    uint64_t sends_until_ns;
    uint64_t since_ns;  /* receivers are on since then */
    uint32_t receivers; /* that are on */
    bool any;
};

/* A receiver of it is switched on, or off; a packet is sent from now on. In order of time. */
void ys_radio_use_listen(struct ys_radio_use *use, uint64_t now_ns);
void ys_radio_use_stop(struct ys_radio_use *use, uint64_t now_ns);
void ys_radio_use_send(struct ys_radio_use *use, uint64_t now_ns, uint64_t duration_ns, int8_t power_dbm);

#endif
