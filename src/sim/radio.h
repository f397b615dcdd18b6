/* The air: transmissions on 40 channels, each as long as the standard says, heard by whoever listens on that channel
 * and PHY for that access address from its first bit on.
 *
 * A perfect air, as it is first, carries everything to everybody at -50 dBm, and the packet that began first is heard
 * whole. With a model, a packet is heard by levels: where it is strong enough, and it comes through if at no time all
 * else on its channel together was nearer to its strength than the capture ratio. Or reception is real: what becomes of
 * each bit follows from its strength, noise, and what else is on its channel and those beside it. */
#ifndef SIM_RADIO_H
#define SIM_RADIO_H

#include <stdbool.h>
#include <stdint.h>

#include "sim/clock.h"
#include "sim/propagation.h"
#include "sim/radio_use.h"
#include "sim/reception.h"
#include "wire/air.h"

struct ys_radio;
struct ys_transmission;

typedef void ys_receive_fn(void *context, const struct ys_air_packet *packet);

/* Somebody who can listen. Its memory is the owner's; zero it, and set what is not private. A receiver that has begun
 * to hear a packet hears nothing else until its end. */
struct ys_receiver {
    ys_receive_fn *receive;
    void *context;
    uint32_t owner;           /* number of a sender that it cannot hear: itself */
    uint32_t crc_init;        /* from which it computes the CRC of what it hears; another is a wrong one */
    struct ys_radio_use *use; /* where its time is noted; or NULL */
    bool lasts;               /* it listens for long: what is known of senders is kept for it */
    struct ys_timer *silence; /* fires if nothing has begun: cancelled when a packet begins that it hears; or NULL */
    /* private */
    uint8_t channel;
    enum ys_phy phy;
    uint32_t access_address;
    bool listening;
    bool has_heard; /* something, since it listens */
    uint32_t ear;   /* in the paths of senders */
    struct ys_radio *radio;
    struct ys_receiver *next;
    struct ys_receiver **link;
    struct ys_transmission *hears;
    struct ys_receiver *next_hearer;
    struct ys_receiver **hearer_link;
    uint64_t wanted_aw; /* with a model: of what it hears, and of all else at the same time */
    uint64_t other_aw;
    bool spoiled;
    struct ys_reception_state reception;
};

/* What is to be sent. */
struct ys_sending {
    uint8_t channel;
    enum ys_phy phy;
    uint32_t access_address;
    uint32_t crc_init;
    const uint32_t *crc; /* that begins from it, if the sender knows it; or NULL */
    uint8_t side;        /* enum ys_air_side, of a packet of a connection */
    uint8_t auxiliary;   /* enum ys_auxiliary */
    uint32_t sender;     /* number of the sender: below 2^24, as all numbers */
    int8_t power_dbm;    /* of the sender */
    const uint8_t *pdu;
    uint16_t length;
    struct ys_radio_use *use; /* where it is noted; or NULL */
};

struct ys_radio *ys_radio_new(struct ys_clock *clock);

/* Frees the radio; what was on the air is gone. Receivers must have stopped. */
void ys_radio_free(struct ys_radio *radio);

struct ys_clock *ys_radio_clock(const struct ys_radio *radio);

/* Gives the air a model from now on; NULL: it is perfect again. Nothing may be on the air. False if there is no memory.
 */
bool ys_radio_set_model(struct ys_radio *radio, const struct ys_air_model *model);

bool ys_radio_has_model(const struct ys_radio *radio);

/* Puts device `number` at a place, as ys_propagation_place; needs a model. */
bool ys_radio_place(struct ys_radio *radio, uint32_t number, double x_m, double y_m);

/* Somebody carries device `number`, as ys_propagation_carry; needs a model. */
bool ys_radio_carry(struct ys_radio *radio, uint32_t number, double body_db);

/* Something that sends, in bursts, what nobody understands: an oven, another radio. */
struct ys_interferer {
    uint32_t number; /* for its place; not that of a device */
    uint16_t from_mhz;
    uint16_t to_mhz; /* 2400 to 2484: the band that it fills while it sends */
    double duty;     /* 0 to 1: the share of time, in the mean */
    uint32_t burst_us;
    bool regular;     /* pauses are all as long as their mean */
    int8_t power_dbm; /* on each channel */
    uint64_t seed;
};

/* Switches one on, until the radio is freed; needs a model. False if there is no memory. */
bool ys_radio_interfere(struct ys_radio *radio, const struct ys_interferer *interferer);

/* From now on nothing is heard of what begins on these channels: bit 0 is channel 0. */
void ys_radio_jam(struct ys_radio *radio, uint64_t channels);

/* From now on of so many packets on each channel (0 to 1) the CRC is wrong where they are received. What becomes of a
 * packet depends on the seed, its time, its sender and its receiver alone. */
void ys_radio_lose(struct ys_radio *radio, const double shares[40], uint64_t seed);

/* From now on so many bits (0 to 1) are wrong where they are received: a packet is not heard if one of its access
 * address is, and its CRC is wrong if one of the others is. */
void ys_radio_lose_bits(struct ys_radio *radio, double share, uint64_t seed);

/* Somebody who is told of every packet when it ends, before its receivers are. Its memory is the owner's. */
struct ys_observer {
    ys_receive_fn *observe;
    void *context;
    struct ys_observer *next; /* private */
};

/* From now on it is told, after those that were there before. It must outlive the radio, or be dismissed. */
void ys_radio_observe(struct ys_radio *radio, struct ys_observer *observer);
void ys_radio_dismiss(struct ys_radio *radio, struct ys_observer *observer);

/* Puts a PDU on the air from now on; the bytes are copied. Returns when it ends. */
uint64_t ys_radio_send(struct ys_radio *radio, const struct ys_sending *sending);

/* Listens from now on, for packets that begin from now on. One that listens already is tuned anew. */
void ys_radio_listen(struct ys_radio *radio, struct ys_receiver *receiver, uint8_t channel, enum ys_phy phy,
                     uint32_t access_address);

/* Stops listening, also to a packet that has begun. */
void ys_radio_stop(struct ys_receiver *receiver);

/* Whether a packet has begun that this receiver hears. */
bool ys_receiver_hears(const struct ys_receiver *receiver);

/* Packets since the beginning. */
uint64_t ys_radio_count(const struct ys_radio *radio);

#endif
