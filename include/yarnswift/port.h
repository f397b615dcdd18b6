/* The port: all that a host needs of the world. docs/porting.md shows how to write one.
 *
 * It sits at the standard's interface between host and controller (HCI). Packets are HCI packets that start with their
 * type byte, as on a serial line (Core 5.4 Vol 4 Part A 2). All functions get `context` back and are called from
 * ys_host_run unless said otherwise. */
#ifndef YARNSWIFT_PORT_H
#define YARNSWIFT_PORT_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* The longest record of the store, in bytes, and the keys that the host uses: from each of these on, one for each peer
 * that can be remembered. */
#define YS_RECORD_MAX         288
#define YS_RECORD_OF_DEVICE   0x0001 /* its own identity */
#define YS_RECORDS_OF_BONDS   0x0100 /* keys */
#define YS_RECORDS_OF_CLIENTS 0x0200 /* what a peer has subscribed to, and what it knows of the table */

/* The state of a computation on the curve. */
enum ys_curve { YS_CURVE_BUSY, YS_CURVE_DONE, YS_CURVE_FAILED };

/* What a host needs of the chip and its system: functions of the firmware's owner, each of which is called in the
 * context of the host's turn unless it says otherwise. It must stay valid as long as the host is used. */
struct ys_port {
    /* Handed to each function below; the port's own. */
    void *context;

    /* Sends one whole packet of `length` bytes to the controller. The bytes are only valid during the call. The host
     * keeps to the controller's flow control, so there is always room for what it sends. */
    void (*send)(void *context, const uint8_t *packet, size_t length);

    /* Hands over the next whole packet from the controller, in order, with its length; NULL if there is none. The
     * bytes stay the port's and must stay as they are until the next call. */
    const uint8_t *(*receive)(void *context, size_t *length);

    /* Milliseconds from any start, wrapping at 2^32. Never runs backwards. */
    uint32_t (*now_ms)(void *context);

    /* Optional: microseconds from any start, wrapping at 2^32; only for firmware that asks for them. */
    uint32_t (*now_us)(void *context);

    /* Fills `length` bytes with random numbers fit for keys (Core 5.4 Vol 2 Part H 2). False if there are none: nothing
     * is then done that needs them. May be NULL if the device has a public address and does not pair. */
    bool (*random)(void *context, void *bytes, size_t length);

    /* Around a few instructions that an interrupt must not come between. Calls are not nested. Also called from
     * ys_host_changed, which may be in an interrupt. */
    void (*enter_critical)(void *context);
    void (*leave_critical)(void *context);

    /* Optional: something happened in an interrupt; ys_host_run should be called soon. Called from ys_host_changed.
     * Leave it NULL where an interrupt wakes the main loop anyway. */
    void (*wake)(void *context);

    /* Optional, and only used if YS_DEBUG is 1: whether an interrupt is running. From anywhere. */
    bool (*in_interrupt)(void *context);

    /* Optional, and only used if YS_DEBUG is 1: a piece of work (work.h) begins, or has ended. */
    void (*works)(void *context, bool begins);

    /* Optional, but all three or none: a store of small records that survives a power cut; without it no peer is
     * remembered. `key` is any number; a record has 1 to YS_RECORD_MAX bytes. A call may take its time, but whatever
     * the host has to do waits for it.
     *
     * Puts a record in place of the one with the same key. If the power fails, there is the old one or the new one,
     * and nothing between. False, and the old one stays, if there is no room. */
    bool (*store_put)(void *context, uint16_t key, const void *bytes, size_t length);
    /* Copies at most `size` bytes of a record, and returns the length of the whole record; 0 if there is none. */
    size_t (*store_get)(void *context, uint16_t key, void *bytes, size_t size);
    /* Takes a record away; it need not be there. */
    void (*store_delete)(void *context, uint16_t key);

    /* Only needed for pairing: AES-128 in one direction (FIPS 197). All three have 16 bytes, as the standards print
     * them; `plain` and `cipher` may be the same. False if it failed. */
    bool (*encrypt)(void *context, const uint8_t *key, const uint8_t *plain, uint8_t *cipher);

    /* Only needed for LE Secure Connections, all three: the curve P-256 (FIPS 186-4). A library, an accelerator or the
     * controller may do it, and may take its time: the first two only begin, and call `wake` or have the main loop turn
     * when they are done. One computation goes on at a time. Coordinates have 32 bytes, most significant first.
     *
     * Begins to draw a new key pair, whose private key the port keeps until the next. False if it cannot. */
    bool (*curve_key)(void *context);
    /* Begins to compute the shared secret of that key and a peer's public key (X, then Y). A key that is no point of
     * the curve must fail. False if it cannot. */
    bool (*curve_secret)(void *context, const uint8_t *peer);
    /* Hands over what was computed, once: 64 bytes of public key, or 32 of shared secret. With NULL what goes on is
     * given up, and the private key forgotten. */
    enum ys_curve (*curve_result)(void *context, uint8_t *result);

    /* Optional: a line for the log. `text` is constant; `value` is a number that belongs to it. */
    void (*log)(void *context, const char *text, uint32_t value);
};

#ifdef __cplusplus
}
#endif

#endif
