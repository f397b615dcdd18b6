/* What a port without an accelerator borrows from its controller: random numbers (LE Rand) and the curve P-256. Its
 * functions are the `random`, `curve_key`, `curve_secret` and `curve_result` of a port, or are called by those.
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

#ifdef __cplusplus
}
#endif

#endif
