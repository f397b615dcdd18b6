/* HCI over a serial line, H4 (Core 5.4 Vol 4 Part A): between the interrupts of the line, which have bytes, and a host,
 * which has packets. Its functions are the `send` and the `receive` of a port:
 *
 *   receive interrupt --ys_serial_put--> ring --ys_serial_receive--> host
 *   transmit interrupt <--ys_serial_take-- ring <--ys_serial_send-- host
 *
 * H4 has nothing that marks where a packet begins: once a byte is lost or doubled, all that follows is nonsense. It is
 * noticed by what cannot be, the host is told that its controller has failed (YS_EVENT_CONTROLLER_FAILED), and whatever
 * comes is dropped until the controller has answered a reset, with which the host begins when it is started again. So
 * it is at the beginning, too: what a controller or a line says before that is dropped. */
#ifndef YARNSWIFT_SERIAL_H
#define YARNSWIFT_SERIAL_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <yarnswift/stream.h>

#ifdef __cplusplus
extern "C" {
#endif

/* The memory that does for a controller with `packets` data packets of `length` bytes, each way. It is said by the
 * controller at the start; 8 of 251 bytes are usual. */
#define YS_SERIAL_SIZE(packets, length) ((packets) * ((length) + 5) + 258 + 1)

/* After how long without a byte a packet is given up that has begun, in milliseconds: some hundred times what a byte
 * takes on the slowest line. */
#define YS_SERIAL_PAUSE_MS 100

/* Faults of the line. */
enum ys_serial_fault {
    YS_SERIAL_NONSENSE, /* a byte with which no packet begins, which is the number: something was lost, or doubled */
    YS_SERIAL_TOO_LONG, /* a packet of so many bytes, for which there is no room */
    YS_SERIAL_OVERFLOW, /* so many bytes came faster than they were taken */
    YS_SERIAL_PAUSE,    /* a packet ended after so many bytes */
    YS_SERIAL_STUCK     /* the line does not take what is sent; so many bytes were dropped */
};

/* In words, to begin a line of a log with. */
const char *ys_serial_fault_text(enum ys_serial_fault fault);

/* The bytes of a serial line, and who carries them. Pointers are the caller's, and must stay valid. */
struct ys_serial_settings {
    void *in; /* memory for what comes, which the interrupt fills: one byte less than its size */
    uint32_t in_size;
    void *out; /* and for what is to be sent */
    uint32_t out_size;
    uint8_t *packet; /* and for the packet that is handed over: the longest that the controller sends, 258 at least */
    uint16_t packet_size;
    bool controller; /* it is the other end: what comes is from a host. Nothing is then made up for it */
    void *context;   /* handed to the functions below */
    /* There is something to be sent: switch the transmit interrupt on. From ys_serial_send. */
    void (*begin)(void *context);
    /* Optional: the ring for sending is full, since the line is slow or the controller holds it up (CTS). Returns as
     * soon as there is room for more, or false after a while. Without it such a packet is dropped at once
     * (YS_SERIAL_STUCK). */
    bool (*wait)(void *context);
    /* Optional: milliseconds, also from the receive interrupt; without it a packet that breaks off is waited for. */
    uint32_t (*now_ms)(void *context);
    /* Optional: something went wrong. From ys_serial_receive and ys_serial_send. */
    void (*fault)(void *context, enum ys_serial_fault fault, uint32_t number);
};

/* One end of a line. Its memory is the caller's; its fields are private. */
struct ys_serial {
    const struct ys_serial_settings *settings;
    struct ys_stream in;
    struct ys_stream out;
    uint32_t overflowed; /* bytes that had no room; the interrupt's */
    uint32_t told;       /* how many of these have been told; the loop's, like all that follows */
    uint32_t last_ms;    /* when a byte came last; the interrupt's */
    uint16_t filled;     /* of the packet */
    uint16_t length;     /* of the whole packet, as far as it is known */
    uint8_t state;
};

/* Begins, or begins anew; `settings` and all memory in it must stay valid. While no interrupt of the line comes. False
 * if there is too little memory, or no `begin`. */
bool ys_serial_init(struct ys_serial *serial, const struct ys_serial_settings *settings);

/* Bytes have come. From one interrupt or thread, which the loop may not interrupt for ever. Returns how many were
 * taken; others are lost. */
uint32_t ys_serial_put(struct ys_serial *serial, const void *bytes, uint32_t length);

/* How many bytes would be taken now. A line with flow control lets the other side stop (RTS) before there are none.
 * From where ys_serial_put may be called. */
uint32_t ys_serial_room(const struct ys_serial *serial);

/* Copies the next bytes to be sent, at most `size`, and returns how many: 0 if there are none, and the transmit
 * interrupt may be switched off. From one interrupt or thread. */
uint32_t ys_serial_take(struct ys_serial *serial, void *bytes, uint32_t size);

/* The `send` and the `receive` of a port whose context is the struct ys_serial; or to be called by those. */
void ys_serial_send(void *context, const uint8_t *packet, size_t length);
const uint8_t *ys_serial_receive(void *context, size_t *length);

/* For how long the loop may sleep: `wait_ms` as ys_host_run has returned it, or less if a packet has begun that may not
 * come to its end. From the main loop. */
uint32_t ys_serial_wait_ms(const struct ys_serial *serial, uint32_t wait_ms);

#ifdef __cplusplus
}
#endif

#endif
