/* bench_pairing METHOD COUNT: two hosts pair so often, by just_works, compare, passkey or legacy. Between them is no
 * controller but a wire, and the curve costs nothing; AES-128 is a library's. Prints how many pairings there were. The
 * difference between two counts is what both sides take. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <yarnswift/pairing.h>

#include "machine/crypto.h"
#include "wire/hci.h"

#define QUEUE 64

struct side {
    struct ys_host host;
    struct ys_pairing pairing;
    struct ys_port port;
    struct side *other;
    size_t lengths[QUEUE];
    size_t first;
    size_t last;
    size_t paired;
    struct ys_security security;
    uint32_t counter; /* for what should be random */
    uint32_t shown;
    uint8_t packets[QUEUE][300];
    bool central;
    bool wanted;
    bool computes;
};

static uint32_t now_ms;

static void give(struct side *side, const uint8_t *packet, size_t length)
{
    memcpy(side->packets[side->last % QUEUE], packet, length);
    side->lengths[side->last++ % QUEUE] = length;
}

static void complete(struct side *side, uint16_t opcode, const uint8_t *result, size_t length)
{
    uint8_t packet[40] = {4, 0x0e, (uint8_t)(4 + length), 1, (uint8_t)opcode, (uint8_t)(opcode >> 8), 0};
    if (length > 0)
        memcpy(packet + 7, result, length);
    give(side, packet, 7 + length);
}

/* The controller: what it is asked for, it has done. */
static void command(struct side *side, uint16_t opcode)
{
    static const uint8_t features[] = {0, 0, 0, 0, 0x40, 0, 0, 0};
    static const uint8_t none[8];
    static const uint8_t buffers[] = {251, 0, 8};
    static const uint8_t status[] = {4, 0x0f, 4, 0, 1, 0x19, 0x20};
    static const uint8_t asked[] = {4, 0x3e, 13, 5, 1, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0};
    static const uint8_t encrypted[] = {4, 8, 4, 0, 1, 0, 1};
    static const uint8_t handle[] = {1, 0};
    if (opcode == YS_HCI_READ_FEATURES) {
        complete(side, opcode, features, sizeof features);
    } else if (opcode == YS_HCI_LE_READ_FEATURES) {
        complete(side, opcode, none, sizeof none);
    } else if (opcode == YS_HCI_LE_READ_BUFFER_SIZE) {
        complete(side, opcode, buffers, sizeof buffers);
    } else if (opcode == YS_HCI_READ_ADDRESS) {
        complete(side, opcode, none, 6);
    } else if (opcode == YS_HCI_LE_ENABLE_ENCRYPTION) {
        give(side, status, sizeof status);
        give(side->other, asked, sizeof asked);
    } else if (opcode == YS_HCI_LE_KEY_REPLY) {
        complete(side, opcode, handle, sizeof handle);
        give(side, encrypted, sizeof encrypted);
        give(side->other, encrypted, sizeof encrypted);
    } else {
        complete(side, opcode, NULL, 0);
    }
}

static void send(void *context, const uint8_t *packet, size_t length)
{
    static const uint8_t completed[] = {4, 0x13, 5, 1, 1, 0, 1, 0};
    struct side *side = context;
    uint8_t data[300];
    if (packet[0] == 1) {
        command(side, (uint16_t)(packet[1] | packet[2] << 8));
        return;
    }
    memcpy(data, packet, length);
    data[2] = (uint8_t)(data[2] | 0x20); /* as it is said to a host */
    give(side->other, data, length);
    give(side, completed, sizeof completed);
}

static const uint8_t *receive(void *context, size_t *length)
{
    struct side *side = context;
    if (side->first == side->last)
        return NULL;
    *length = side->lengths[side->first % QUEUE];
    return side->packets[side->first++ % QUEUE];
}

static uint32_t clock_ms(void *context)
{
    (void)context;
    return now_ms;
}

static bool draw(void *context, void *bytes, size_t length)
{
    struct side *side = context;
    for (size_t i = 0; i < length; i++)
        ((uint8_t *)bytes)[i] = (uint8_t)((side->counter += 0x9e3779b9u) >> 24);
    return true;
}

static void critical(void *context)
{
    (void)context;
}

static bool encrypt(void *context, const uint8_t *key, const uint8_t *plain, uint8_t *cipher)
{
    (void)context;
    return ys_crypto_encrypt(key, plain, cipher);
}

static bool begin_key(void *context)
{
    ((struct side *)context)->computes = true;
    return true;
}

static bool begin_secret(void *context, const uint8_t *peer)
{
    (void)peer;
    return begin_key(context);
}

static enum ys_curve curve_result(void *context, uint8_t *result)
{
    struct side *side = context;
    bool done = side->computes;
    side->computes = false;
    if (result != NULL && done)
        memset(result, side->pairing.curve == 1 ? 0x11 + side->central : 0x5a, side->pairing.curve == 1 ? 64 : 32);
    return done ? YS_CURVE_DONE : YS_CURVE_BUSY;
}

static void on_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    struct side *side = context;
    side->paired += event->kind == YS_EVENT_SECURED;
    side->wanted |= event->kind == YS_EVENT_PASSKEY_WANTED;
    if (event->kind == YS_EVENT_PASSKEY_SHOW)
        side->shown = event->u.passkey;
    if (event->kind == YS_EVENT_NUMBER_COMPARE)
        (void)ys_number_confirm(host, 1, true);
}

static void begin(struct side *side, struct side *other, bool central, uint8_t capability, bool legacy)
{
    side->other = other;
    side->central = central;
    side->counter = central ? 0x12345678u : 0x9abcdef0u;
    side->security = (struct ys_security){.capability = capability,
                                          .least = YS_LEVEL_ENCRYPTED,
                                          .key_size_min = 7,
                                          .key_size_max = 16,
                                          .authenticates = true,
                                          .passkey = YS_PASSKEY_RANDOM};
    side->port = (struct ys_port){.context = side,
                                  .send = send,
                                  .receive = receive,
                                  .now_ms = clock_ms,
                                  .random = draw,
                                  .enter_critical = critical,
                                  .leave_critical = critical,
                                  .encrypt = encrypt};
    if (!legacy) {
        side->port.curve_key = begin_key;
        side->port.curve_secret = begin_secret;
        side->port.curve_result = curve_result;
    }
    static const uint8_t addresses[2][6] = {{1, 2, 3, 4, 5, 0xc6}, {0, 2, 3, 4, 5, 0xc6}};
    const struct ys_host_settings settings = {.port = &side->port,
                                              .table = &ys_table_bare,
                                              .context = side,
                                              .on_event = on_event,
                                              .address_type = YS_OWN_STATIC,
                                              .address = addresses[central]};
    if (ys_host_init(&side->host, sizeof side->host, &settings) != YS_OK ||
        ys_host_use_pairing(&side->host, &side->pairing, &side->security) != YS_OK)
        abort();
    ys_host_start(&side->host);
}

static void turn(struct side *sides)
{
    for (int i = 0; i < 400; i++) {
        for (int j = 0; j < 2; j++) {
            (void)ys_host_run(&sides[j].host);
            if (sides[j].wanted)
                (void)ys_passkey_enter(&sides[j].host, 1, sides[1 - j].shown);
            sides[j].wanted = false;
        }
        if (sides[0].first == sides[0].last && sides[1].first == sides[1].last && !sides[0].computes &&
            !sides[1].computes)
            break;
    }
}

static void pair(struct side *sides)
{
    static const uint8_t ended[] = {4, 5, 4, 0, 1, 0, 0x13};
    for (int j = 0; j < 2; j++) {
        const uint8_t peer = (uint8_t)j;
        const uint8_t connected[] = {4, 0x3e, 19, 1,    0,  1, 0, j == 0, 1,    peer, 2,
                                     3, 4,    5,  0xc6, 24, 0, 0, 0,      0x90, 1,    0};
        give(&sides[j], connected, sizeof connected);
    }
    turn(sides);
    (void)ys_secure(&sides[1].host, 1, YS_LEVEL_ENCRYPTED);
    turn(sides);
    give(&sides[0], ended, sizeof ended);
    give(&sides[1], ended, sizeof ended);
    turn(sides);
}

int main(int argc, char **argv)
{
    static struct side sides[2]; /* the peripheral, the central */
    const char *method = argc > 1 ? argv[1] : "just_works";
    unsigned long count = argc > 2 ? strtoul(argv[2], NULL, 10) : 10;
    bool compare = strcmp(method, "compare") == 0;
    bool passkey = strcmp(method, "passkey") == 0;
    uint8_t peripheral = compare ? YS_CAPABILITY_DISPLAY_YES_NO : passkey ? YS_CAPABILITY_DISPLAY : YS_CAPABILITY_NONE;
    uint8_t central = compare ? YS_CAPABILITY_DISPLAY_YES_NO : passkey ? YS_CAPABILITY_KEYBOARD : YS_CAPABILITY_NONE;
    begin(&sides[0], &sides[1], false, peripheral, strcmp(method, "legacy") == 0);
    begin(&sides[1], &sides[0], true, central, strcmp(method, "legacy") == 0);
    turn(sides);
    for (unsigned long i = 0; i < count; i++)
        pair(sides);
    (void)printf("%zu\n", sides[0].paired);
    return sides[0].paired == count && sides[1].paired == count ? 0 : 1;
}
