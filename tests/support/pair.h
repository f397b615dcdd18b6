/* Hosts on one simulated air: a peripheral with firmware, and two centrals that are driven by the test. */
#ifndef SUPPORT_PAIR_H
#define SUPPORT_PAIR_H

#include <yarnswift/host.h>

#include "sim/radio.h"
#include "simulated/simulated.h"

struct end {
    struct ys_host host;
    struct ys_simulated *simulated;
    struct ys_clock *clock;
    ys_event_handler *on_event; /* firmware's, after the event is noted; or NULL */
    uint16_t connection;
    size_t counts[YS_EVENT_CHANNEL_CLOSED + 1]; /* events by kind */
    struct ys_event last;
    struct ys_address heard;
    uint8_t value[512]; /* of the last notification */
    uint16_t value_length;
};

struct pair {
    struct ys_clock *clock;
    struct ys_radio *radio;
    struct end peripheral;
    struct end central;
    struct end second;   /* another central */
    uint8_t connections; /* of the peripheral at once; set before pair_begin, 0: as many as there is room for; also the
                            next: */
    uint8_t sets;        /* of all controllers */
    uint64_t lacks[3];   /* of each controller: features that it has not */
    void (*prepare)(struct pair *pair, struct end *end); /* before an end is started; or NULL */
};

/* Makes all three, and starts them. */
void pair_begin(struct pair *pair, uint64_t seed, const struct ys_table *table, void *context, uint8_t *values,
                ys_event_handler *firmware_event);
void pair_end(struct pair *pair);

void pass_ms(struct pair *pair, uint64_t ms);

/* Scans with a central until the peripheral is heard, and connects. */
void pair_connect(struct pair *pair, struct end *central, uint32_t interval_us);

/* Waits for a request that was begun with this result; returns its outcome. */
enum ys_outcome pair_wait(struct pair *pair, struct ys_client_request *request, enum ys_result begun);

/* A request ready to be begun. */
struct ys_client_request pair_request(void);

#endif
