/* Two hosts that meet: a wrench and a central that pairs with it, discovers it, reads, writes and subscribes. Prints a
 * sum over every packet between host and controller, which must be the same on every machine (`scripts/targets`). */
#include <inttypes.h>
#include <stdio.h>
#include <stdlib.h>

#include <yarnswift/pairing.h>

#include "machine/crypto.h"
#include "simulated/simulated.h"
#include "torque_wrench_table.h"
#include "wrench.h"

struct side {
    struct ys_host host; /* the first member: events are given it */
    struct ys_pairing pairing;
    struct ys_simulated *simulated;
    struct wrench *wrench;
    uint16_t connection;
    struct ys_address heard;
    unsigned events[YS_EVENT_CHANNEL_CLOSED + 1];
};

static uint64_t sum = 14695981039346656037u;
static unsigned packets;
static unsigned found;
static unsigned done;

/* What the port and the controllers need of a crypto library and of a database. Nothing is kept secret: a block depends
 * on each bit of key and plain text, byte by byte, alike everywhere. */

bool ys_crypto_encrypt(const uint8_t key[16], const uint8_t plain[16], uint8_t cipher[16])
{
    uint32_t mixed = 2166136261u;
    uint8_t block[16];
    memcpy(block, plain, sizeof block);
    for (size_t i = 0; i < 64; i++) {
        mixed = (mixed ^ key[i % 16] ^ (uint32_t)block[(i * 5 + 1) % 16]) * 16777619u;
        block[i % 16] = (uint8_t)(block[i % 16] ^ mixed >> 13);
    }
    memcpy(cipher, block, sizeof block);
    return true;
}

struct ys_ccm {
    uint8_t key[16];
};

struct ys_ccm *ys_ccm_new(const uint8_t key[16])
{
    struct ys_ccm *ccm = calloc(1, sizeof *ccm);
    if (ccm != NULL)
        memcpy(ccm->key, key, sizeof ccm->key);
    return ccm;
}

void ys_ccm_free(struct ys_ccm *ccm)
{
    free(ccm);
}

static void stream(const struct ys_ccm *ccm, const uint8_t *nonce, const uint8_t *from, size_t length, uint8_t *to)
{
    uint8_t block[16];
    uint8_t counter[16] = {0};
    memcpy(counter, nonce, YS_CCM_NONCE_SIZE);
    for (size_t i = 0; i < length; i++) {
        counter[15] = (uint8_t)(1 + i / 16);
        (void)ys_crypto_encrypt(ccm->key, counter, block);
        to[i] = from[i] ^ block[i % 16];
    }
}

static void make_mic(const struct ys_ccm *ccm, const uint8_t *nonce, uint8_t header, const uint8_t *plain,
                     size_t length, uint8_t *mic)
{
    uint8_t block[16] = {0};
    memcpy(block, nonce, YS_CCM_NONCE_SIZE);
    block[15] = header;
    for (size_t i = 0; i < length; i++) {
        block[i % 16] ^= plain[i];
        (void)ys_crypto_encrypt(ccm->key, block, block);
    }
    (void)ys_crypto_encrypt(ccm->key, block, block);
    memcpy(mic, block, YS_CCM_MIC_SIZE);
}

bool ys_ccm_seal(struct ys_ccm *ccm, const uint8_t nonce[YS_CCM_NONCE_SIZE], uint8_t header, const uint8_t *from,
                 size_t length, uint8_t *to)
{
    uint8_t mic[YS_CCM_MIC_SIZE];
    make_mic(ccm, nonce, header, from, length, mic);
    stream(ccm, nonce, from, length, to);
    memcpy(to + length, mic, sizeof mic);
    return true;
}

bool ys_ccm_open(struct ys_ccm *ccm, const uint8_t nonce[YS_CCM_NONCE_SIZE], uint8_t header, const uint8_t *from,
                 size_t length, uint8_t *to)
{
    uint8_t mic[YS_CCM_MIC_SIZE];
    size_t plain = length - YS_CCM_MIC_SIZE;
    stream(ccm, nonce, from, plain, to);
    make_mic(ccm, nonce, header, to, plain, mic);
    return memcmp(mic, from + plain, sizeof mic) == 0;
}

bool ys_crypto_key(ys_random_fn *random, void *context, uint8_t private_key[32], uint8_t public_key[64])
{
    (void)public_key;
    return random(context, private_key, 32) && false;
}

bool ys_crypto_secret(ys_random_fn *random, void *context, const uint8_t private_key[32], const uint8_t public_key[64],
                      uint8_t secret[32])
{
    (void)private_key;
    (void)public_key;
    return random(context, secret, 32) && false;
}

bool ys_store_put(struct ys_store *store, uint16_t key, const void *bytes, size_t length)
{
    (void)store;
    (void)key;
    return bytes == NULL && length > 0;
}

size_t ys_store_get(struct ys_store *store, uint16_t key, void *bytes, size_t size)
{
    (void)store;
    (void)key;
    (void)bytes;
    (void)size;
    return 0;
}

void ys_store_delete(struct ys_store *store, uint16_t key)
{
    (void)store;
    (void)key;
}

static void add(const uint8_t *bytes, size_t length)
{
    for (size_t i = 0; i < length; i++)
        sum = (sum ^ bytes[i]) * 1099511628211u;
}

static void observe(void *context, enum ys_direction direction, const uint8_t *packet, size_t length)
{
    const uint8_t way = (uint8_t)direction;
    (void)context;
    packets++;
    add(&way, 1);
    add(packet, length);
}

static void on_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    struct side *side = (struct side *)host;
    side->events[event->kind]++;
    if (event->kind == YS_EVENT_CONNECTED)
        side->connection = event->connection;
    if (event->kind == YS_EVENT_REPORT)
        side->heard = event->u.report.address;
    if (event->kind == YS_EVENT_NOTIFICATION)
        add(event->u.notification.value, event->u.notification.length);
    if (side->wrench != NULL)
        wrench_event(host, context, event);
}

static void begin(struct ys_radio *radio, struct side *side, uint16_t number, const struct ys_table *table)
{
    static const struct ys_security security = {.capability = YS_CAPABILITY_NONE,
                                                .least = YS_LEVEL_ENCRYPTED,
                                                .key_size_min = 7,
                                                .key_size_max = 16,
                                                .passkey = YS_PASSKEY_RANDOM};
    side->simulated = ys_simulated_new(
        radio, &(struct ys_simulated_settings){.number = number, .seed = 7, .no_curve = true, .observe = observe});
    const struct ys_host_settings settings = {.port = ys_simulated_port(side->simulated),
                                              .table = table,
                                              .context = side->wrench,
                                              .on_event = on_event,
                                              .address_type = YS_OWN_STATIC};
    if (ys_host_init(&side->host, sizeof side->host, &settings) != YS_OK ||
        ys_host_use_pairing(&side->host, &side->pairing, &security) != YS_OK)
        exit(1);
    ys_simulated_attach(side->simulated, &side->host, ys_host_run);
    ys_host_start(&side->host);
}

static void on_item(struct ys_client_request *request, const struct ys_found *item)
{
    const uint8_t bytes[] = {(uint8_t)item->kind, (uint8_t)item->handle, (uint8_t)(item->handle >> 8)};
    (void)request;
    found++;
    add(bytes, sizeof bytes);
}

static void on_done(struct ys_client_request *request)
{
    const uint8_t outcome = (uint8_t)request->outcome;
    done++;
    add(&outcome, 1);
}

static void pass(struct ys_clock *clock, struct wrench *wrench, unsigned ms)
{
    for (unsigned i = 0; i < ms; i += WRENCH_SAMPLE_MS) {
        ys_clock_run(clock, ys_clock_now_ns(clock) + (uint64_t)WRENCH_SAMPLE_MS * YS_NS_PER_MS);
        wrench_timer_interrupt(wrench);
    }
}

int main(void)
{
    static struct side wrench_side;
    static struct side central;
    static struct wrench wrench;
    static uint8_t value[200];
    static struct ys_client_request requests[40];
    const struct ys_scanning scanning = {.interval_us = 30000, .window_us = 30000};
    const struct ys_connecting connecting = {.interval_us = 30000, .supervision_timeout_ms = 4000};
    struct ys_clock *clock = ys_clock_new();
    struct ys_radio *radio = ys_radio_new(clock);
    for (size_t i = 0; i < sizeof requests / sizeof requests[0]; i++)
        requests[i] = (struct ys_client_request){.on_item = on_item, .on_done = on_done};
    wrench_side.wrench = &wrench;
    begin(radio, &wrench_side, 1, &torque_wrench_table);
    wrench_init(&wrench, &wrench_side.host);
    begin(radio, &central, 2, &ys_table_bare);
    pass(clock, &wrench, 100);
    (void)ys_scan(&central.host, &scanning);
    pass(clock, &wrench, 2000);
    (void)ys_scan_stop(&central.host);
    (void)ys_connect(&central.host, &central.heard, &connecting);
    pass(clock, &wrench, 2000);
    (void)ys_client_exchange_mtu(&central.host, central.connection, &requests[0]);
    pass(clock, &wrench, 500);
    (void)ys_client_discover(&central.host, central.connection, &requests[1]);
    pass(clock, &wrench, 3000);
    (void)ys_secure(&central.host, central.connection, YS_LEVEL_ENCRYPTED);
    pass(clock, &wrench, 3000);
    wrench_trigger(&wrench, true);
    for (uint16_t handle = 1; handle < 38; handle++) {
        if (handle % 3 == 0)
            (void)ys_client_subscribe(&central.host, central.connection, &requests[handle + 1], handle,
                                      YS_SUBSCRIBE_NOTIFICATIONS);
        else
            (void)ys_client_read(&central.host, central.connection, &requests[handle + 1], handle, value, sizeof value);
        pass(clock, &wrench, 300);
        add(value, sizeof value);
    }
    pass(clock, &wrench, 5000);
    (void)ys_disconnect(&central.host, central.connection);
    pass(clock, &wrench, 1000);
    (void)printf("%016" PRIx64 ": %u packets, %u attributes found, %u requests, %u times secured, %u notifications, "
                 "%u disconnections\n",
                 sum, packets, found, done, central.events[YS_EVENT_SECURED], central.events[YS_EVENT_NOTIFICATION],
                 central.events[YS_EVENT_DISCONNECTED]);
    ys_simulated_free(wrench_side.simulated);
    ys_simulated_free(central.simulated);
    ys_radio_free(radio);
    ys_clock_free(clock);
    return central.events[YS_EVENT_SECURED] == 1 && central.events[YS_EVENT_NOTIFICATION] > 0 && found > 0 ? 0 : 1;
}
