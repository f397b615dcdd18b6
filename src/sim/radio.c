/* The air. Receivers and transmissions are kept by channel, so that a crowd elsewhere costs nothing. */
#include "sim/radio.h"

#include <stdlib.h>
#include <string.h>

#define CHANNELS 40

/* A perfect radio hears everybody alike. */
#define STRENGTH_DBM (-50)

struct ys_transmission {
    struct ys_radio *radio;
    struct ys_air_packet packet;
    struct ys_timer end;
    struct ys_transmission *next; /* on the same channel, or in the pool */
    struct ys_receiver *hearers;
};

struct ys_radio {
    struct ys_clock *clock;
    struct ys_receiver *receivers[CHANNELS];
    struct ys_transmission *transmissions[CHANNELS];
    struct ys_transmission *pool;
    ys_receive_fn *observe;
    void *observe_context;
    uint64_t count;
};

struct ys_radio *ys_radio_new(struct ys_clock *clock)
{
    struct ys_radio *radio = calloc(1, sizeof *radio);
    if (radio != NULL)
        radio->clock = clock;
    return radio;
}

static void free_list(struct ys_transmission *transmission)
{
    while (transmission != NULL) {
        struct ys_transmission *next = transmission->next;
        ys_clock_cancel(transmission->radio->clock, &transmission->end);
        free(transmission);
        transmission = next;
    }
}

void ys_radio_free(struct ys_radio *radio)
{
    if (radio == NULL)
        return;
    for (size_t i = 0; i < CHANNELS; i++)
        free_list(radio->transmissions[i]);
    free_list(radio->pool);
    free(radio);
}

struct ys_clock *ys_radio_clock(const struct ys_radio *radio)
{
    return radio->clock;
}

void ys_radio_observe(struct ys_radio *radio, ys_receive_fn *observe, void *context)
{
    radio->observe = observe;
    radio->observe_context = context;
}

uint64_t ys_radio_count(const struct ys_radio *radio)
{
    return radio->count;
}

bool ys_receiver_hears(const struct ys_receiver *receiver)
{
    return receiver->hears != NULL;
}

static void stop_hearing(struct ys_receiver *receiver)
{
    if (receiver->hears == NULL)
        return;
    *receiver->hearer_link = receiver->next_hearer;
    if (receiver->next_hearer != NULL)
        receiver->next_hearer->hearer_link = receiver->hearer_link;
    receiver->hears = NULL;
}

static void hear(struct ys_receiver *receiver, struct ys_transmission *transmission)
{
    receiver->hears = transmission;
    receiver->next_hearer = transmission->hearers;
    if (receiver->next_hearer != NULL)
        receiver->next_hearer->hearer_link = &receiver->next_hearer;
    receiver->hearer_link = &transmission->hearers;
    transmission->hearers = receiver;
}

void ys_radio_stop(struct ys_receiver *receiver)
{
    stop_hearing(receiver);
    if (!receiver->listening)
        return;
    *receiver->link = receiver->next;
    if (receiver->next != NULL)
        receiver->next->link = receiver->link;
    receiver->listening = false;
}

void ys_radio_listen(struct ys_radio *radio, struct ys_receiver *receiver, uint8_t channel, enum ys_phy phy,
                     uint32_t access_address)
{
    ys_radio_stop(receiver);
    receiver->channel = channel;
    receiver->phy = phy;
    receiver->access_address = access_address;
    receiver->listening = true;
    receiver->next = radio->receivers[channel];
    if (receiver->next != NULL)
        receiver->next->link = &receiver->next;
    receiver->link = &radio->receivers[channel];
    radio->receivers[channel] = receiver;
}

static void unlink_transmission(struct ys_radio *radio, struct ys_transmission *transmission)
{
    struct ys_transmission **link = &radio->transmissions[transmission->packet.channel];
    while (*link != transmission)
        link = &(*link)->next;
    *link = transmission->next;
}

static void end(void *context)
{
    struct ys_transmission *transmission = context;
    struct ys_radio *radio = transmission->radio;
    unlink_transmission(radio, transmission);
    if (radio->observe != NULL)
        radio->observe(radio->observe_context, &transmission->packet);
    while (transmission->hearers != NULL) {
        struct ys_receiver *receiver = transmission->hearers;
        stop_hearing(receiver);
        receiver->receive(receiver->context, &transmission->packet);
    }
    transmission->next = radio->pool;
    radio->pool = transmission;
}

static struct ys_transmission *take_transmission(struct ys_radio *radio)
{
    struct ys_transmission *transmission = radio->pool;
    if (transmission != NULL) {
        radio->pool = transmission->next;
        return transmission;
    }
    transmission = calloc(1, sizeof *transmission);
    if (transmission == NULL)
        abort(); /* a simulation without memory for its packets cannot be true */
    transmission->radio = radio;
    transmission->end.fire = end;
    transmission->end.context = transmission;
    return transmission;
}

static void mark_overlaps(struct ys_radio *radio, struct ys_transmission *transmission)
{
    struct ys_transmission *other = radio->transmissions[transmission->packet.channel];
    transmission->packet.overlapped = other != NULL;
    for (; other != NULL; other = other->next)
        other->packet.overlapped = true;
}

uint64_t ys_radio_send(struct ys_radio *radio, const struct ys_sending *sending)
{
    struct ys_transmission *transmission = take_transmission(radio);
    struct ys_air_packet *packet = &transmission->packet;
    packet->start_ns = ys_clock_now_ns(radio->clock);
    packet->duration_ns = ys_link_duration_ns(sending->phy, sending->length);
    packet->channel = sending->channel;
    packet->phy = sending->phy;
    packet->access_address = sending->access_address;
    packet->strength_dbm = STRENGTH_DBM;
    packet->crc_good = true;
    packet->sender = sending->sender;
    packet->length = sending->length;
    packet->crc = ys_link_crc(sending->crc_init, sending->pdu, sending->length);
    memcpy(packet->pdu, sending->pdu, sending->length);
    mark_overlaps(radio, transmission);
    transmission->hearers = NULL;
    transmission->next = radio->transmissions[sending->channel];
    radio->transmissions[sending->channel] = transmission;
    radio->count++;
    for (struct ys_receiver *receiver = radio->receivers[sending->channel]; receiver != NULL;
         receiver = receiver->next) {
        if (receiver->hears == NULL && receiver->phy == sending->phy && receiver->owner != sending->sender &&
            receiver->access_address == sending->access_address)
            hear(receiver, transmission);
    }
    uint64_t end_ns = packet->start_ns + packet->duration_ns;
    ys_clock_set(radio->clock, &transmission->end, end_ns);
    return end_ns;
}
