/* Two or more simulated controllers with hosts that only pump: who has something to send keeps the controller's buffers
 * full, and who receives counts. */
#ifndef SUPPORT_PUMP_H
#define SUPPORT_PUMP_H

#include "measure/throughput.h"
#include "sim/controller.h"

#define PUMPS_MOST 5

/* The central encrypts connection 1, with the key that every pump has. */
#define PUMP_ENCRYPT "01 1920 1c 0100 0000000000000000 0000 0102030405060708090a0b0c0d0e0f10"

/* A side, and what it does on each of its connections, by handle. */
struct pump {
    struct ys_controller *controller;
    uint16_t connections;
    uint16_t handle; /* of the last */
    uint8_t free_buffers;
    uint8_t next;          /* the connection that is served next */
    uint16_t frame[9];     /* that it sends, in bytes; 0: nothing */
    uint16_t left[9];      /* of the frame that is being handed over */
    uint8_t out[9];        /* buffers that it holds of the controller */
    uint64_t handed[9];    /* frames */
    uint64_t received[9];  /* whole frames */
    uint16_t expected[9];  /* bytes of the frame that comes */
    uint64_t out_of_order; /* frames that are not the next */
    uint16_t sent_number[9];
    uint16_t received_number[9];
    uint8_t reason; /* of the last disconnection */
    uint32_t disconnections;
    bool encrypted;
    bool refuses;      /* parameters that the other side asks for */
    bool never;        /* answers what it is asked */
    uint8_t asked[11]; /* the parameters that wait for an answer, with their handle; the first byte is 0: none */
    bool key_asked;
    uint32_t reports; /* of advertisements */
    uint8_t status;   /* of the last procedure that came to nothing */
    uint8_t statuses; /* how many procedures came to nothing */
    uint8_t send_phy;
    uint8_t receive_phy;
    uint16_t interval;
    uint16_t send_octets;
    struct ys_timer run;
    uint8_t last_event[64];
    size_t last_length;
};

struct pumps {
    struct ys_clock *clock;
    struct ys_radio *radio;
    struct pump sides[PUMPS_MOST];
    uint64_t air_packets;
    uint64_t sends_until_ns[PUMPS_MOST + 1]; /* by number */
    uint64_t at_once;                        /* packets that a radio sent while it sent another: there must be none */
};

extern struct pumps pumps;

/* Pump 0 advertises; the others may connect to it. `settings` may be NULL; of it the number, address and callbacks are
 * filled in. */
void pumps_begin(size_t count, const struct ys_controller_settings *settings);
void pumps_end(void);
/* Connects two sides, which advertise and connect for it; the interval in 1.25 ms, the timeout in 10 ms. */
void pumps_join(size_t central, size_t peripheral, uint16_t interval, uint16_t latency, uint16_t timeout);
/* Connects side `which`, as central, with side 0. */
void pumps_connect(size_t which, uint16_t interval, uint16_t latency, uint16_t timeout);
/* A command of a side, in hexadecimal. */
void pump_tell(size_t which, const char *hex);
void pump_run_ms(uint64_t ms);
/* Brings a connection of side 1 with side 0 to a shape, from both sides. */
void pumps_shape(const struct ys_link_shape *shape);
/* Frames of that length from now on. */
void pump_stream(size_t which, uint16_t handle, uint16_t frame_bytes);

#endif
