/* For a port without an accelerator, computed by its controller: random numbers (LE Rand), the curve P-256, and AES
 * (LE Encrypt). Its functions are the `random`, `curve_key`, `curve_secret`, `curve_result` and `encrypt` of a port, or
 * are called by those.
 *
 *     ys_borrow_init(&borrowed, aes, NULL);
 *     ys_host_init(&host, sizeof host, &settings);
 *     ys_host_use_commands(&host, &commands);
 *     ys_borrow_use(&host, &commands, &borrowed);        // before ys_host_start
 *
 * Random numbers come from a generator that is seeded by the controller at each start (NIST SP 800-90A has its idea:
 * each block is AES of a counter, and the key is made anew after each request), since HCI answers later and a host
 * cannot wait.
 */
#ifndef YARNSWIFT_BORROW_H
#define YARNSWIFT_BORROW_H

#include <yarnswift/command.h>

#ifdef __cplusplus
extern "C" {
#endif

/* AES-128, as a port has it. */
typedef bool ys_encrypt_fn(void *context, const uint8_t *key, const uint8_t *plain, uint8_t *cipher);

/* Blocks of eight random bytes that the controller is asked for at the start (Core 5.4 Vol 4 Part E 7.8.23). */
#define YS_BORROW_SEEDS 4

/* Its memory is the caller's; its fields are private. */
struct ys_borrowed {
    ys_encrypt_fn *encrypt;
    void *context;
    struct ys_host *host;
    struct ys_command seeds[YS_BORROW_SEEDS]; /* LE Rand, 8 bytes each */
    uint8_t key[16];
    uint8_t counter[16];
    uint8_t seeded;
    struct ys_command curve;
    uint8_t parameters[65];
    uint8_t result[64];
    uint8_t length; /* of the result that is waited for; 0: none */
    uint8_t state;  /* enum ys_curve */
};

/* Before all else. */
void ys_borrow_init(struct ys_borrowed *borrowed, ys_encrypt_fn *encrypt, void *context);

/* Between ys_host_use_commands and ys_host_start. */
void ys_borrow_use(struct ys_host *host, struct ys_commands *commands, struct ys_borrowed *borrowed);

/* As in struct ys_port; `context` is the struct ys_borrowed. There are no random numbers before the controller was
 * asked at the start. */
bool ys_borrow_random(void *context, void *bytes, size_t length);
bool ys_borrow_curve_key(void *context);
bool ys_borrow_curve_secret(void *context, const uint8_t *peer);
enum ys_curve ys_borrow_curve_result(void *context, uint8_t *result);

/* AES by the controller (Core 5.4 Vol 4 Part E 7.8.22). A host cannot go on before it has the block, so this waits for
 * it, in the middle of a turn: some hundred microseconds on one chip, and about 800 over a line of 1 Mbit/s; a pairing
 * has about 40 blocks, a private address that is resolved one for each peer. What comes from the controller meanwhile
 * is kept for the host. Software needs a kilobyte of code in place of the memory that this takes
 * (ports/parts/aes.h). Keys go over the line to the controller, as those of links do in any case. */
struct ys_borrowed_aes {
    const struct ys_port *line; /* whose `send`, `receive`, `now_ms` and `context` carry the packets; the caller's */
    /* What comes meanwhile, and the packet that the host is at: YS_BORROW_AES_SIZE bytes, or more; the caller's. */
    uint8_t *memory;
    size_t size;
    uint16_t longest; /* packet that may come, in bytes with its type: YS_BORROW_AES_LONGEST */
    /* Has time pass until something may have come, or a little; false gives up. Where interrupts bring the bytes it may
     * do nothing, and return true. */
    bool (*wait)(void *context);
    void *wait_context;
    /* private */
    struct ys_host *host;
    size_t held; /* bytes of memory that are used */
    bool handed; /* the first packet in there is the one that the host is at */
};

/* The longest packet of a controller whose data packets have that length, in bytes: an event, or data. */
#define YS_BORROW_AES_LONGEST(length) ((length) + 7 > 258 ? (length) + 7 : 258)
/* Bytes of memory for so many of these besides the one that the host is at. */
#define YS_BORROW_AES_SIZE(packets, length) (((packets) + 1) * (2 + YS_BORROW_AES_LONGEST(length)))

/* Before ys_host_start, once the first six are set. */
void ys_borrow_aes_use(struct ys_host *host, struct ys_borrowed_aes *aes);

/* The `receive` and `encrypt` of the port; `context` is the struct ys_borrowed_aes. False: the controller has not
 * answered within a second, or has refused, or there is no memory for what comes meanwhile; nothing of that is lost. */
const uint8_t *ys_borrow_aes_receive(void *context, size_t *length);
bool ys_borrow_aes_encrypt(void *context, const uint8_t *key, const uint8_t *plain, uint8_t *cipher);

#ifdef __cplusplus
}
#endif

#endif
