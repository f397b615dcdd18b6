/* Security messages in all states: a host that pairs, as either role, is given messages, answers of people, events of
 * its controller, time and the loss of its link, in any order. Whatever they are, a link is only secure once its
 * controller has said that it is encrypted, with a key that the host has given. */
#include <stdlib.h>
#include <string.h>

#include <yarnswift/pairing.h>

#include "host/core/state.h"
#include "hosted.h"
#include "machine/crypto.h"
#include "simulated/store.h"
#include "wire/smp.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static struct hosted hosted;
static struct ys_pairing pairing;
static struct ys_store *store;
static bool may_be_secure; /* the controller has said so */
static bool computes;

static bool encrypt(void *context, const uint8_t *key, const uint8_t *plain, uint8_t *cipher)
{
    (void)context;
    return ys_crypto_encrypt(key, plain, cipher);
}

/* A curve on which every point has the same secret: quick, and of no matter to the machine. */
static bool begin_key(void *context)
{
    (void)context;
    computes = true;
    return true;
}

static bool begin_secret(void *context, const uint8_t *peer)
{
    (void)context;
    computes = true;
    return peer[0] != 0xff;
}

static enum ys_curve result(void *context, uint8_t *bytes)
{
    (void)context;
    if (!computes)
        return YS_CURVE_BUSY;
    computes = false;
    if (bytes != NULL)
        memset(bytes, 0x5a, pairing.curve == 1 ? 64 : 32);
    return YS_CURVE_DONE;
}

static bool put(void *context, uint16_t key, const void *bytes, size_t length)
{
    (void)context;
    return ys_store_put(store, key, bytes, length);
}

static size_t get(void *context, uint16_t key, void *bytes, size_t length)
{
    (void)context;
    return ys_store_get(store, key, bytes, length);
}

static void take_away(void *context, uint16_t key)
{
    (void)context;
    ys_store_delete(store, key);
}

static void connect(bool central)
{
    const uint8_t connected[] = {4, 0x3e, 19, 1, 0, 1, 0, !central, 1, 1, 2, 3, 4, 5, 0xc6, 24, 0, 0, 0, 0x90, 1, 0};
    may_be_secure = false;
    hosted_give(&hosted, connected, sizeof connected);
    /* it may have given up its controller, which did not answer in time */
    if (!hosted.host.connections[0].used && hosted.host.state != STATE_STOPPED)
        abort();
}

static void disconnect(void)
{
    static const uint8_t ended[] = {4, 5, 4, 0, 1, 0, 0x13};
    hosted_give(&hosted, ended, sizeof ended);
    may_be_secure = false;
}

static void message(const uint8_t *bytes, uint8_t length)
{
    uint8_t packet[9 + 80] = {2, 1, 0x20, (uint8_t)(length + 4), 0, length, 0, 6, 0};
    memcpy(packet + 9, bytes, length);
    hosted_give(&hosted, packet, (size_t)length + 9);
}

/* One that is well formed: what comes of a machine that only ever sees nonsense says little. */
static void good_message(uint8_t code, const uint8_t *bytes, size_t length)
{
    uint8_t packet[80] = {(uint8_t)(1 + code % 14)};
    struct ys_smp_pdu pdu;
    memcpy(packet + 1, bytes, length < 70 ? length : 70);
    packet[4] &= 0x0d;
    packet[2] &= 1;
    if (packet[0] <= YS_SMP_PAIRING_RESPONSE) {
        packet[1] = packet[1] % YS_CAPABILITIES;
        packet[4] = (uint8_t)(packet[1] | 16);
    }
    for (uint8_t i = 1; i < sizeof packet; i++) {
        if (ys_smp_decode(packet, i, &pdu) == YS_SMP_GOOD) {
            message(packet, i);
            return;
        }
    }
}

static void encryption(uint8_t status)
{
    const uint8_t changed[] = {4, 8, 4, status, 1, 0, 1};
    may_be_secure |= status == 0;
    hosted_give(&hosted, changed, sizeof changed);
}

static void key_request(const uint8_t *name, size_t length)
{
    uint8_t packet[] = {4, 0x3e, 13, 5, 1, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0};
    memcpy(packet + 6, name, length < 10 ? length : 10);
    hosted_give(&hosted, packet, sizeof packet);
}

/* Whatever command the host waits for has been done. */
static void answer_command(void)
{
    static const uint16_t opcodes[] = {0x2019, 0x201a, 0x201b, 0x0406, 0x2005, 0x2027, 0x2029, 0x202d, 0x204e};
    for (size_t i = 0; i < sizeof opcodes / sizeof opcodes[0]; i++) {
        const uint8_t complete[] = {4, 0x0e, 4, 1, (uint8_t)opcodes[i], (uint8_t)(opcodes[i] >> 8), 0};
        hosted_give(&hosted, complete, sizeof complete);
    }
}

static void check(void)
{
    const struct ys_connection *connection = &hosted.host.connections[0];
    if (connection->used && connection->security.key_size > 0 && !may_be_secure)
        abort();
    if (pairing.connection != NULL && !pairing.connection->used)
        abort();
}

static void step(uint8_t what, const uint8_t *bytes, uint8_t length)
{
    uint32_t number = length > 2 ? (uint32_t)(bytes[0] | bytes[1] << 8 | bytes[2] << 16) % 1100000 : 0;
    switch (what % 12) {
    case 0:
        message(bytes, length < 80 ? length : 79);
        break;
    case 1:
        (void)ys_passkey_enter(&hosted.host, 1, number);
        break;
    case 2:
        (void)ys_number_confirm(&hosted.host, 1, length % 2 == 0);
        break;
    case 3:
        encryption(length % 3 == 0 ? 6 : 0);
        break;
    case 4:
        key_request(bytes, length);
        break;
    case 5:
        hosted.now_ms += number % 40000;
        break;
    case 6:
        disconnect();
        connect(length % 2 == 0);
        break;
    case 7:
        (void)ys_secure(&hosted.host, 1, (uint8_t)(length % 6));
        break;
    case 8:
        (void)ys_bond_forget(&hosted.host, (uint8_t)(length % 4));
        break;
    default:
        good_message(length > 0 ? bytes[0] : 0, bytes, length);
        break;
    }
    hosted_give_buffers(&hosted);
    answer_command();
    check();
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    struct ys_security security = {.least = YS_LEVEL_ENCRYPTED, .key_size_min = 7, .key_size_max = 16, .bonds = 2};
    if (size < 2)
        return 0;
    security.capability = data[0] % YS_CAPABILITIES;
    security.authenticates = (data[1] & 1) != 0;
    security.forgets = (data[1] & 2) != 0;
    security.waits = (data[1] & 4) != 0;
    security.allows_debug_key = (data[1] & 8) != 0;
    security.passkey = (data[1] & 16) != 0 ? 271828 : YS_PASSKEY_RANDOM;
    bool legacy = (data[1] & 32) != 0;
    bool central = (data[1] & 64) != 0;
    store = ys_store_new(4096);
    computes = false;
    const struct ys_port more = {.encrypt = encrypt,
                                 .curve_key = legacy ? NULL : begin_key,
                                 .curve_secret = legacy ? NULL : begin_secret,
                                 .curve_result = legacy ? NULL : result,
                                 .store_put = put,
                                 .store_get = get,
                                 .store_delete = take_away};
    hosted_begin_with_pairing(&hosted, &pairing, &security, &more);
    connect(central);
    data += 2;
    size -= 2;
    while (size > 1 && data[1] < size - 1) {
        step(data[0], data + 2, data[1]);
        size -= (size_t)data[1] + 2;
        data += (size_t)data[1] + 2;
    }
    disconnect();
    check();
    ys_store_free(store);
    return 0;
}
