/* A host among odd ones: a controller whose events come late, twice, wrong or for what is gone; peers that send
 * whatever comes; firmware that makes any call from any callback, to a depth of two; a store, random numbers and a
 * curve that fail; a clock that wraps. After each turn it is looked at whether what always holds still does.
 * YARNSWIFT_HOSTILE_TURNS says how far it goes, YARNSWIFT_HOSTILE_SEED by which way; both are printed when something
 * does not hold. */
#include "support/check.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <yarnswift/channel.h>
#include <yarnswift/link.h>
#include <yarnswift/pairing.h>
#include <yarnswift/sets.h>

#include "machine/crypto.h"
#include "sim/chance.h"
#include "simulated/store.h"
#include "wire/att.h"
#include "wire/hci.h"
#include "wire/hci_extended.h"
#include "wire/hci_link.h"
#include "wire/l2cap.h"
#include "wire/smp.h"

#define LINKS    6 /* that the controller may have: more than the host has room for */
#define QUEUED   64
#define REQUESTS 6
#define CHANNELS 2
#define TOKENS   8
#define DEPTH    2

static uint64_t seed;
static unsigned long turn_number;
static struct ys_chance chance;

static uint32_t draw(uint32_t below)
{
    return ys_chance_below(&chance, below);
}

static bool one_in(uint32_t often)
{
    return draw(often) == 0;
}

/* What was seen to happen: a harness in which nothing does shows nothing. */
static unsigned long events[YS_EVENT_CHANNEL_CLOSED + 1];
static unsigned long answers;
static unsigned long refusals;
static unsigned long later;
static unsigned long sent; /* notifications and indications */
static unsigned long asked;
static unsigned long stored;

#define HOLDS(what)                                                                                                    \
    do {                                                                                                               \
        if (!(what)) {                                                                                                 \
            (void)fprintf(stderr, "YARNSWIFT_HOSTILE_SEED=%llu, turn %lu\n", (unsigned long long)seed, turn_number);   \
            fail_msg("it does not hold: %s", #what);                                                                   \
        }                                                                                                              \
    } while (0)

/* What the controller has of a connection. */
struct link {
    bool used;
    bool encrypted;
    uint16_t handle;
    uint16_t outstanding; /* packets of the host that it still has */
    uint16_t open;        /* requests of the peer that were not answered */
    uint8_t request;      /* the one that is; 0: not known */
    uint16_t out_left;    /* bytes of the frame that the host is sending; the same its channel and first byte: */
    uint16_t out_channel;
};

static struct {
    struct ys_host host;
    struct ys_port port;
    struct ys_sets sets;
    struct ys_pairing pairing;
    struct ys_links links;
    struct ys_channels channels;
    struct ys_channel channel[CHANNELS];
    uint8_t into[CHANNELS][80];
    struct ys_client_request requests[REQUESTS];
    bool requested[REQUESTS];
    uint8_t buffers[REQUESTS][40];
    uint8_t values[16];
    struct ys_store *store;
    uint32_t now_ms;
    bool running;
    bool tells;   /* within a call that may tell at once what it has done, see ys_event_handler */
    bool calling; /* a call from the main loop, of those that tell at once */
    int depth;
    uint32_t tokens[TOKENS];
    uint32_t answered[TOKENS];
    size_t answers;
    enum ys_curve curve;
    /* the controller */
    struct link link[LINKS];
    uint16_t next_handle;
    uint8_t buffer_count;
    uint16_t buffer_length;
    bool extended;
    bool advertising;
    bool connecting;
    uint32_t began_ms;
    uint32_t stored;  /* since */
    uint16_t command; /* that it was told, and has not answered */
    uint8_t parameters[260];
    size_t parameters_length;
    uint8_t queue[QUEUED][280];
    size_t queue_length[QUEUED];
    size_t first;
    size_t count;
} all;

/* what is not for everybody: it must not be on a link that is not encrypted */
static const uint8_t secret[12] = {0xd1, 0x5e, 0xa5, 0xed, 0x5e, 0xc2, 0xe7, 0x0f, 0x7a, 0x11, 0xb0, 0x0b};

/* from the controller */

static void to_host(const uint8_t *packet, size_t length)
{
    if (all.count == QUEUED)
        return;
    size_t at = (all.first + all.count++) % QUEUED;
    memcpy(all.queue[at], packet, length);
    all.queue_length[at] = length;
}

static void event(uint8_t code, const uint8_t *bytes, uint8_t length)
{
    uint8_t packet[260] = {YS_HCI_EVENT, code, length};
    memcpy(packet + 3, bytes, length);
    to_host(packet, 3u + length);
    bool answer = code == YS_HCI_COMMAND_COMPLETE || code == YS_HCI_COMMAND_STATUS;
    if (!answer && one_in(60)) /* twice; of an answer it could be one to a later command, as far as a host can see */
        to_host(packet, 3u + length);
    if (one_in(200)) /* cut off */
        to_host(packet, draw(3u + length));
}

static struct link *any_link(void)
{
    size_t from = draw(LINKS);
    for (size_t i = 0; i < LINKS; i++) {
        if (all.link[(from + i) % LINKS].used)
            return &all.link[(from + i) % LINKS];
    }
    return NULL;
}

static struct link *link_of(uint16_t handle)
{
    for (size_t i = 0; i < LINKS; i++) {
        if (all.link[i].used && all.link[i].handle == handle)
            return &all.link[i];
    }
    return NULL;
}

static void make_link(bool central)
{
    struct link *link = all.link;
    while (link < all.link + LINKS && link->used)
        link++;
    if (link == all.link + LINKS)
        return;
    *link = (struct link){.used = true, .handle = (uint16_t)(all.next_handle++ % 0x0e00)};
    bool enhanced = draw(2) == 0;
    uint8_t bytes[31] = {enhanced ? YS_HCI_LE_ENHANCED_CONNECTION_COMPLETE : YS_HCI_LE_CONNECTION_COMPLETE, 0};
    size_t end = enhanced ? 31 : 19;
    bytes[2] = (uint8_t)link->handle;
    bytes[3] = (uint8_t)(link->handle >> 8);
    bytes[4] = central ? 0 : 1;
    bytes[5] = 1;
    ys_chance_fill(&chance, bytes + 6, 6);
    bytes[11] |= 0xc0;
    bytes[end - 7] = 0x18;
    bytes[end - 3] = 0x90;
    bytes[end - 2] = 0x01;
    event(YS_HCI_LE_META, bytes, (uint8_t)end);
}

static void end_link(struct link *link)
{
    const uint8_t bytes[] = {0, (uint8_t)link->handle, (uint8_t)(link->handle >> 8), 0x13};
    link->used = false;
    event(YS_HCI_DISCONNECTION_COMPLETE, bytes, sizeof bytes);
}

static void complete_packets(struct link *link)
{
    uint16_t packets = (uint16_t)draw(link->outstanding + 1u);
    const uint8_t bytes[] = {1, (uint8_t)link->handle, (uint8_t)(link->handle >> 8), (uint8_t)packets, 0};
    uint8_t packet[3 + sizeof bytes] = {YS_HCI_EVENT, YS_HCI_COMPLETED_PACKETS, sizeof bytes};
    if (packets == 0 || all.count == QUEUED)
        return;
    link->outstanding = (uint16_t)(link->outstanding - packets);
    memcpy(packet + 3, bytes, sizeof bytes); /* never twice: that would be a lie that no host can see through */
    to_host(packet, sizeof packet);
}

/* How long the parameters of a command are; -1: any length, -2: the host must not use it. */
static int length_of(uint16_t opcode)
{
    static const struct {
        uint16_t opcode;
        int length;
    } lengths[] = {
        {YS_HCI_RESET, 0},
        {YS_HCI_READ_FEATURES, 0},
        {YS_HCI_LE_READ_FEATURES, 0},
        {0x0c01, 8},
        {0x2001, 8},
        {YS_HCI_LE_READ_BUFFER_SIZE, 0},
        {YS_HCI_READ_BUFFER_SIZE, 0},
        {YS_HCI_READ_ADDRESS, 0},
        {YS_HCI_LE_SET_RANDOM_ADDRESS, 6},
        {YS_HCI_LE_SET_ADVERTISING_PARAMETERS, 15},
        {YS_HCI_LE_SET_ADVERTISING_DATA, 32},
        {YS_HCI_LE_SET_SCAN_RESPONSE_DATA, 32},
        {YS_HCI_LE_SET_ADVERTISING_ENABLE, 1},
        {YS_HCI_LE_SET_SCAN_PARAMETERS, 7},
        {YS_HCI_LE_SET_SCAN_ENABLE, 2},
        {YS_HCI_LE_CREATE_CONNECTION, 25},
        {YS_HCI_LE_CREATE_CONNECTION_CANCEL, 0},
        {YS_HCI_LE_CLEAR_ACCEPT_LIST, 0},
        {YS_HCI_LE_ADD_TO_ACCEPT_LIST, 7},
        {YS_HCI_LE_ADD_TO_RESOLVING_LIST, 39},
        {YS_HCI_LE_CLEAR_RESOLVING_LIST, 0},
        {YS_HCI_LE_SET_RESOLUTION_ENABLE, 1},
        {YS_HCI_LE_SET_PRIVACY_MODE, 8},
        {YS_HCI_LE_SET_RESOLVABLE_TIMEOUT, 2},
        {YS_HCI_LE_ENABLE_ENCRYPTION, 28},
        {YS_HCI_LE_KEY_REPLY, 18},
        {YS_HCI_LE_KEY_NEGATIVE_REPLY, 2},
        {YS_HCI_DISCONNECT, 3},
        {YS_HCI_LE_CONNECTION_UPDATE, 14},
        {YS_HCI_LE_PARAMETERS_REPLY, 14},
        {YS_HCI_LE_PARAMETERS_NEGATIVE_REPLY, 3},
        {YS_HCI_LE_SET_DATA_LENGTH, 6},
        {YS_HCI_LE_SET_PHY, 7},
        {YS_HCI_LE_READ_ADVERTISING_SETS, 0},
        {YS_HCI_LE_READ_ADVERTISING_DATA_MAX, 0},
        {YS_HCI_LE_SET_SET_ADDRESS, 7},
        {YS_HCI_LE_SET_EXTENDED_ADVERTISING_PARAMETERS, 25},
        {YS_HCI_LE_SET_EXTENDED_ADVERTISING_DATA, -1},
        {YS_HCI_LE_SET_EXTENDED_SCAN_RESPONSE_DATA, -1},
        {YS_HCI_LE_SET_EXTENDED_ADVERTISING_ENABLE, 6},
        {YS_HCI_LE_REMOVE_ADVERTISING_SET, 1},
        {YS_HCI_LE_SET_EXTENDED_SCAN_PARAMETERS, -1},
        {YS_HCI_LE_SET_EXTENDED_SCAN_ENABLE, 6},
        {YS_HCI_LE_EXTENDED_CREATE_CONNECTION, -1},
    };
    for (size_t i = 0; i < sizeof lengths / sizeof lengths[0]; i++) {
        if (lengths[i].opcode == opcode)
            return lengths[i].length;
    }
    return -2;
}

static void take_command(const uint8_t *packet, size_t length)
{
    uint16_t opcode = (uint16_t)(packet[1] | packet[2] << 8);
    int wanted = length_of(opcode);
    HOLDS(all.command == 0); /* one at a time */
    HOLDS(length >= 4 && packet[3] == length - 4);
    HOLDS(wanted == -1 || wanted == (int)length - 4);
    all.command = opcode;
    all.parameters_length = length - 4;
    memcpy(all.parameters, packet + 4, length - 4);
}

/* An answer of the server, or another PDU of the host, whose first piece this is. */
static void take_attribute_pdu(struct link *link, const uint8_t *pdu, size_t length)
{
    bool is_answer = (pdu[0] & 0x01) != 0 && pdu[0] != YS_ATT_NOTIFICATION && pdu[0] != YS_ATT_INDICATION &&
                     pdu[0] != YS_ATT_NOTIFICATIONS;
    sent += pdu[0] == YS_ATT_NOTIFICATION || pdu[0] == YS_ATT_INDICATION;
    if (!is_answer)
        return;
    *(pdu[0] == YS_ATT_ERROR_RESPONSE ? &refusals : &answers) += 1;
    HOLDS(link->open > 0); /* one answer to each */
    uint8_t of = pdu[0] == YS_ATT_ERROR_RESPONSE && length > 1 ? pdu[1] : (uint8_t)(pdu[0] - 1);
    HOLDS(of == link->request || link->request == 0);
    link->request = 0;
    link->open--;
}

static void take_data(const uint8_t *packet, size_t length)
{
    HOLDS(length >= 5);
    uint16_t handle = (uint16_t)((packet[1] | packet[2] << 8) & 0x0fff);
    bool first = (packet[2] & 0x30) == 0;
    size_t payload = (size_t)(packet[3] | packet[4] << 8);
    struct link *link = link_of(handle);
    HOLDS(payload == length - 5 && payload > 0 && payload <= all.buffer_length);
    if (link == NULL) /* it has ended, and the host does not know yet */
        return;
    link->outstanding++;
    if (first) {
        HOLDS(link->out_left == 0 && payload >= 4);
        link->out_left = (uint16_t)(packet[5] | packet[6] << 8);
        link->out_channel = (uint16_t)(packet[7] | packet[8] << 8);
        HOLDS(payload - 4 <= link->out_left);
        link->out_left = (uint16_t)(link->out_left - (payload - 4));
        if (link->out_channel == YS_L2CAP_ATT)
            take_attribute_pdu(link, packet + 9, payload - 4);
    } else {
        HOLDS(link->out_left >= payload); /* no other frame between */
        link->out_left = (uint16_t)(link->out_left - payload);
    }
    for (size_t i = 5; !link->encrypted && i + sizeof secret <= length; i++)
        HOLDS(memcmp(packet + i, secret, sizeof secret) != 0);
}

static void port_send(void *context, const uint8_t *packet, size_t length)
{
    (void)context;
    if (packet[0] == YS_HCI_COMMAND)
        take_command(packet, length);
    else
        take_data(packet, length);
}

static const uint8_t *port_receive(void *context, size_t *length)
{
    (void)context;
    if (all.count == 0)
        return NULL;
    size_t at = all.first;
    all.first = (all.first + 1) % QUEUED;
    all.count--;
    *length = all.queue_length[at];
    return all.queue[at];
}

static uint32_t port_now_ms(void *context)
{
    (void)context;
    return all.now_ms;
}

static bool port_random(void *context, void *bytes, size_t length)
{
    (void)context;
    ys_chance_fill(&chance, bytes, length);
    return !one_in(50);
}

static void port_critical(void *context)
{
    (void)context;
}

static bool port_encrypt(void *context, const uint8_t *key, const uint8_t *plain, uint8_t *cipher)
{
    (void)context;
    return ys_crypto_encrypt(key, plain, cipher) && !one_in(500);
}

static bool port_curve_key(void *context)
{
    (void)context;
    all.curve = YS_CURVE_BUSY;
    return !one_in(10);
}

static bool port_curve_secret(void *context, const uint8_t *peer)
{
    (void)context;
    (void)peer;
    all.curve = YS_CURVE_BUSY;
    return !one_in(10);
}

static enum ys_curve port_curve_result(void *context, uint8_t *result)
{
    (void)context;
    if (result == NULL)
        return YS_CURVE_FAILED;
    if (one_in(3))
        all.curve = one_in(8) ? YS_CURVE_FAILED : YS_CURVE_DONE;
    if (all.curve == YS_CURVE_DONE)
        ys_chance_fill(&chance, result, 32);
    return all.curve;
}

static bool port_put(void *context, uint16_t key, const void *bytes, size_t length)
{
    (void)context;
    stored++;
    all.stored++;
    HOLDS(all.stored <= 20 + (all.now_ms - all.began_ms) / 60000); /* 16, one a minute, and few of its own keys */
    return !one_in(20) && ys_store_put(all.store, key, bytes, length);
}

static size_t port_get(void *context, uint16_t key, void *bytes, size_t size)
{
    (void)context;
    size_t length = ys_store_get(all.store, key, bytes, size);
    if (length > 0 && size > 0 && one_in(300)) /* worn */
        ((uint8_t *)bytes)[draw((uint32_t)(length < size ? length : size))] ^= 0x04;
    return length;
}

static void port_delete(void *context, uint16_t key)
{
    (void)context;
    ys_store_delete(all.store, key);
}

/* firmware */

static void call_anything(void);

/* Whether it will be answered later. */
static bool keep_token(uint32_t token)
{
    uint32_t *place = &all.tokens[draw(TOKENS)];
    if (token == 0 || *place != 0 || !one_in(3))
        return false;
    *place = token;
    return true;
}

static uint8_t any_error(void)
{
    return one_in(6) ? (uint8_t)(0x80 + draw(0x20)) : YS_ATT_OK;
}

static uint8_t read_it(const struct ys_access *access, struct ys_writer *value)
{
    call_anything();
    ys_put_bytes(value, secret, draw(sizeof secret)); /* less than all of it: this one is open */
    return keep_token(access->token) ? YS_LATER : any_error();
}

static uint8_t write_it(const struct ys_access *access, struct ys_reader *value)
{
    call_anything();
    (void)ys_get_bytes(value, ys_reader_left(value));
    return keep_token(access->token) ? YS_LATER : any_error();
}

static uint8_t consent(const struct ys_access *access, enum ys_access_kind wish)
{
    (void)wish;
    call_anything();
    return keep_token(access->token) ? YS_LATER : any_error();
}

static const uint8_t no_bytes[4];
static const struct ys_value table_values[] = {
    {NULL, NULL, no_bytes, 4, 0, 0},
    {read_it, write_it, NULL, 0, YS_NONE, YS_NOTIFIABLES < 3 ? YS_NONE : 1},
    {NULL, NULL, secret, sizeof secret, YS_NONE, YS_NONE},
    {NULL, NULL, no_bytes, 2, 6, YS_NONE},
    {read_it, write_it, NULL, 0, YS_NONE, 2},
};

#define OPEN   YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_OPEN, YS_RIGHT_OPEN)
#define READ   YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_NONE, YS_RIGHT_NONE)
#define SECRET YS_RIGHTS(YS_RIGHT_ENCRYPTED, YS_RIGHT_ENCRYPTED, YS_RIGHT_NONE)

/* in the smallest configuration, only as far as the first characteristic that has no configuration */
#define ATTRIBUTES (YS_NOTIFIABLES < 3 ? 9 : 17)

/* GATT with what clients need that keep the table; then values with handlers, a secret one, a stored one, one to
 * consent to. */
static const struct ys_attribute attributes[] = {
    {0x1801, YS_ATTRIBUTE_SERVICE, 0, READ, 6, NULL},
    {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x20, READ, 5, NULL},
    {0x2a05, YS_ATTRIBUTE_VALUE, 0, YS_RIGHTS(YS_RIGHT_NONE, YS_RIGHT_NONE, YS_RIGHT_OPEN), 4, &table_values[0]},
    {0, YS_ATTRIBUTE_CONFIGURATION, 0, OPEN, 2, NULL},
    {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x0a, READ, 5, NULL},
    {0x2b29, YS_ATTRIBUTE_FEATURES, 0, OPEN, 1, NULL},
    {0x180f, YS_ATTRIBUTE_SERVICE, 0, READ, ATTRIBUTES, NULL},
    {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x3e, READ, 5, NULL},
    {0x2a19, YS_ATTRIBUTE_VALUE | YS_ATTRIBUTE_VARIABLE, 0, OPEN, 60, &table_values[1]},
    {1, YS_ATTRIBUTE_CONFIGURATION, 0, OPEN, 2, NULL},
    {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x02, READ, 5, NULL},
    {0x2a1a, YS_ATTRIBUTE_VALUE, 0, SECRET, sizeof secret, &table_values[2]},
    {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x0e, READ, 5, NULL},
    {0x2a1b, YS_ATTRIBUTE_VALUE | YS_ATTRIBUTE_VARIABLE, 0, OPEN, 8, &table_values[3]},
    {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x1e, READ, 5, NULL},
    {0x2a1c, YS_ATTRIBUTE_VALUE | YS_ATTRIBUTE_VARIABLE, 0, OPEN | YS_ASKS_TO_READ | YS_ASKS_TO_WRITE, 20,
     &table_values[4]},
    {2, YS_ATTRIBUTE_CONFIGURATION, 0, OPEN, 2, NULL},
};
static const struct ys_notifiable notifiables[] = {{3, 0}, {9, 0}, {16, 20}};
static const struct ys_table table = {
    .attributes = attributes,
    .notifiables = notifiables,
    .attribute_count = ATTRIBUTES,
    .notifiable_count = YS_NOTIFIABLES < 3 ? 1 : 3,
    .values_size = 16,
    .consent = consent,
};

static void on_event(struct ys_host *host, void *context, const struct ys_event *happened)
{
    (void)host;
    (void)context;
    HOLDS(all.running || all.tells);
    events[happened->kind]++;
    if (happened->kind == YS_EVENT_CONTROLLER_FAILED || happened->kind == YS_EVENT_START_FAILED)
        return; /* it is started again by the main loop */
    call_anything();
}

static void on_done(struct ys_client_request *request)
{
    HOLDS(all.running || all.calling);
    HOLDS(all.requested[request - all.requests]);
    all.requested[request - all.requests] = false;
    asked++;
    call_anything();
}

static void on_item(struct ys_client_request *request, const struct ys_found *found)
{
    (void)request;
    (void)found;
    call_anything();
}

/* A call whose work is done at once, and told before it returns. */
#define TELLS(call)                                                                                                    \
    do {                                                                                                               \
        bool before_ = all.tells;                                                                                      \
        all.tells = true;                                                                                              \
        (void)(call);                                                                                                  \
        all.tells = before_;                                                                                           \
    } while (0)

static void ask(uint16_t connection)
{
    size_t i = draw(REQUESTS);
    struct ys_client_request *request = &all.requests[i];
    enum ys_result result = YS_ERROR_BUSY;
    uint16_t handle = (uint16_t)(1 + draw(30));
    static const uint16_t handles[] = {3, 5, 9};
    struct ys_uuid uuid = ys_uuid_of(0x2a19);
    if (all.requested[i])
        return;
    *request = (struct ys_client_request){.on_done = on_done, .on_item = on_item};
    all.requested[i] = true;
    switch (draw(9)) {
    case 0:
        result = ys_client_exchange_mtu(&all.host, connection, request);
        break;
    case 1:
        result = ys_client_discover(&all.host, connection, request);
        break;
    case 2:
        result = ys_client_read(&all.host, connection, request, handle, all.buffers[i], sizeof all.buffers[i]);
        break;
    case 3:
        result = ys_client_read_by_uuid(&all.host, connection, request, &uuid, 1, 0xffff, all.buffers[i],
                                        sizeof all.buffers[i]);
        break;
    case 4:
        result =
            ys_client_read_multiple(&all.host, connection, request, handles, 3, all.buffers[i], sizeof all.buffers[i]);
        break;
    case 5:
        result = ys_client_write(&all.host, connection, request, handle, all.buffers[i], (uint16_t)draw(40));
        break;
    case 6:
        result = ys_client_write_command(&all.host, connection, request, handle, all.buffers[i], (uint16_t)draw(20));
        break;
    case 7:
        result = ys_client_subscribe(&all.host, connection, request, handle, (enum ys_subscription)draw(4));
        break;
    default:
        result = ys_client_find_service(&all.host, connection, request, &uuid);
        break;
    }
    if (result != YS_OK)
        all.requested[i] = false;
}

static void answer_something(void)
{
    uint32_t *place = &all.tokens[draw(TOKENS)];
    uint32_t token = *place;
    if (!one_in(8)) /* at times once more */
        *place = 0;
    uint8_t bytes[30] = {1};
    enum ys_result result;
    uint8_t error = any_error();
    TELLS(result = ys_answer(&all.host, token, error, bytes, (uint16_t)draw(sizeof bytes)));
    if (result != YS_OK || token == 0)
        return;
    later++;
    for (size_t i = 0; i < TOKENS; i++)
        HOLDS(all.answered[i] != token); /* one use each */
    all.answered[all.answers++ % TOKENS] = token;
}

static void use_channels(uint16_t connection)
{
    size_t i = draw(CHANNELS);
    static uint8_t bytes[100];
    static const struct ys_link_wishes wishes = {.interval_min_us = 15000,
                                                 .interval_max_us = 30000,
                                                 .supervision_timeout_ms = 2000,
                                                 .packet_length = 251,
                                                 .send_phys = YS_2M};
    const struct ys_channel_settings settings = {
        .spsm = 0x81, .memory = all.into[i], .size = sizeof all.into[i], .credits = (uint8_t)(1 + draw(4))};
    switch (draw(5)) {
    case 0:
        (void)ys_channel_wait(&all.host, &all.channel[i], &settings);
        break;
    case 1:
        (void)ys_channel_open(&all.host, &all.channel[i], connection, &settings);
        break;
    case 2:
        (void)ys_channel_send(&all.host, &all.channel[i], bytes, (uint16_t)(1 + draw(sizeof bytes)));
        break;
    case 3:
        TELLS(ys_channel_close(&all.host, &all.channel[i]));
        break;
    default:
        (void)ys_link_ask(&all.host, connection, &wishes);
        break;
    }
}

static void use_pairing(uint16_t connection)
{
    struct ys_address identity;
    uint8_t level;
    switch (draw(8)) {
    case 0:
        TELLS(ys_secure(&all.host, connection, (uint8_t)(1 + draw(4))));
        break;
    case 1:
        (void)ys_encryption_refresh(&all.host, connection);
        break;
    case 2:
        (void)ys_passkey_enter(&all.host, connection, draw(1000000));
        break;
    case 3:
        (void)ys_number_confirm(&all.host, connection, draw(4) > 0);
        break;
    case 4:
        (void)ys_pairing_cancel(&all.host, connection);
        break;
    case 5:
        TELLS(ys_bond_forget(&all.host, (uint8_t)draw(4)));
        break;
    case 6:
        TELLS(ys_bond_get(&all.host, (uint8_t)draw(5), &identity, &level));
        break;
    default:
        ys_pairing_allow(&all.host, draw(4) > 0);
        break;
    }
}

static void be_found_or_find(void)
{
    static const uint8_t data[] = {2, 1, 6, 3, 9, 'a', 'b'};
    static const struct ys_advertising one = {
        .interval_min_us = 20000, .interval_max_us = 30000, .data = data, .data_length = sizeof data};
    static const struct ys_advertising brief = {.interval_min_us = 100000,
                                                .interval_max_us = 100000,
                                                .kind = YS_ADVERTISE_SCANNABLE,
                                                .duration_ms = 500,
                                                .response = data,
                                                .response_length = sizeof data};
    static const struct ys_scanning scanning = {.interval_us = 100000, .window_us = 50000, .active = true};
    static const struct ys_connecting connecting = {.interval_us = 30000, .supervision_timeout_ms = 4000};
    static const struct ys_address peers[2] = {{.type = 1, .bytes = {1, 2, 3, 4, 5, 0xc6}}};
    const struct ys_advertising *way = draw(2) == 0 ? &one : &brief;
    switch (draw(9)) {
    case 0:
        TELLS(ys_advertise(&all.host, way));
        break;
    case 1:
        (void)ys_advertise_stop(&all.host);
        break;
    case 2:
        TELLS(ys_advertise_set(&all.host, (uint8_t)draw(YS_SETS + 1), way));
        break;
    case 3:
        (void)ys_advertise_set_stop(&all.host, (uint8_t)draw(YS_SETS + 1));
        break;
    case 4:
        (void)ys_scan(&all.host, &scanning);
        break;
    case 5:
        (void)ys_scan_stop(&all.host);
        break;
    case 6:
        (void)ys_connect(&all.host, &peers[0], &connecting);
        break;
    case 7:
        TELLS(ys_connect_cancel(&all.host));
        break;
    default:
        (void)ys_accept_list_set(&all.host, peers, (uint8_t)draw(3));
        break;
    }
}

/* Any call of firmware, from any callback or from the main loop. */
static void call_anything(void)
{
    static const uint16_t changed[] = {3, 9, 16, 7};
    const struct link *link = any_link();
    uint16_t connection = link != NULL ? link->handle : (uint16_t)draw(0x0e00);
    if (all.depth == DEPTH || !one_in(3))
        return;
    all.depth++;
    bool calling = all.calling;
    all.calling |= !all.running;
    switch (draw(10)) {
    case 0:
    case 1:
        ys_host_changed(&all.host, changed[draw(4)]);
        break;
    case 2:
    case 3:
        answer_something();
        break;
    case 4:
        ask(connection);
        break;
    case 5:
        use_channels(connection);
        break;
    case 6:
        use_pairing(connection);
        break;
    case 7:
        be_found_or_find();
        break;
    case 8:
        (void)ys_host_services_changed(&all.host, 7, ATTRIBUTES);
        break;
    default:
        if (one_in(8))
            (void)ys_disconnect(&all.host, connection);
        break;
    }
    all.calling = calling;
    all.depth--;
}

/* what the controller answers, and what happens on the air */

static void complete_command(uint8_t status)
{
    static const uint8_t le_features[8] = {0xff, 0x5f, 0, 0, 0, 0, 0, 0};
    uint8_t bytes[32] = {1, (uint8_t)all.command, (uint8_t)(all.command >> 8), status};
    uint8_t length = 4;
    switch (all.command) {
    case YS_HCI_READ_FEATURES:
        memcpy(bytes + 4, (const uint8_t[]){0, 0, 0, 0, 0x60, 0, 0, 0}, 8);
        length = 12;
        break;
    case YS_HCI_LE_READ_FEATURES:
        memcpy(bytes + 4, le_features, 8);
        bytes[5] = (uint8_t)(all.extended ? bytes[5] : 0);
        length = 12;
        break;
    case YS_HCI_LE_READ_BUFFER_SIZE:
        memcpy(bytes + 4, (const uint8_t[]){(uint8_t)all.buffer_length, 0, all.buffer_count}, 3);
        length = 7;
        break;
    case YS_HCI_READ_ADDRESS:
        length = 10;
        break;
    case YS_HCI_LE_READ_ADVERTISING_SETS:
        bytes[4] = 2;
        length = 5;
        break;
    case YS_HCI_LE_READ_ADVERTISING_DATA_MAX:
        bytes[4] = 200;
        length = 6;
        break;
    default:
        break;
    }
    event(YS_HCI_COMMAND_COMPLETE, bytes, length);
}

/* The commands that are only begun by their answer. */
static bool is_begun(uint16_t opcode)
{
    return opcode == YS_HCI_DISCONNECT || opcode == YS_HCI_LE_CREATE_CONNECTION ||
           opcode == YS_HCI_LE_EXTENDED_CREATE_CONNECTION || opcode == YS_HCI_LE_ENABLE_ENCRYPTION ||
           opcode == YS_HCI_LE_CONNECTION_UPDATE || opcode == YS_HCI_LE_SET_PHY;
}

/* Vol 4 Part E 7.8.13: who cancels is told that it did not come about. */
static void cancel_connect(void)
{
    const uint8_t bytes[31] = {YS_HCI_LE_ENHANCED_CONNECTION_COMPLETE, 0x02};
    all.connecting = false;
    event(YS_HCI_LE_META, bytes, sizeof bytes);
}

static void answer_command(void)
{
    bool starting = all.host.state != 2; /* what goes wrong there only makes it start again */
    uint8_t status = one_in(starting ? 400 : 12) ? (uint8_t)(1 + draw(0x3f)) : 0;
    uint16_t opcode = all.command;
    struct link *link = link_of((uint16_t)(all.parameters[0] | all.parameters[1] << 8));
    if (opcode == 0 || all.count > QUEUED / 2)
        return;
    if (is_begun(opcode)) {
        const uint8_t bytes[] = {status, 1, (uint8_t)opcode, (uint8_t)(opcode >> 8)};
        event(YS_HCI_COMMAND_STATUS, bytes, sizeof bytes);
    } else {
        complete_command(status);
    }
    all.command = 0;
    if (opcode == YS_HCI_RESET) {
        memset(all.link, 0, sizeof all.link);
        all.advertising = all.connecting = false;
    }
    if (status != 0)
        return;
    if (opcode == YS_HCI_DISCONNECT && link != NULL)
        end_link(link);
    else if (opcode == YS_HCI_LE_CREATE_CONNECTION || opcode == YS_HCI_LE_EXTENDED_CREATE_CONNECTION)
        all.connecting = true;
    else if (opcode == YS_HCI_LE_CREATE_CONNECTION_CANCEL && all.connecting)
        cancel_connect();
    else if (opcode == YS_HCI_LE_SET_ADVERTISING_ENABLE || opcode == YS_HCI_LE_SET_EXTENDED_ADVERTISING_ENABLE)
        all.advertising = all.parameters[0] == 1;
}

/* What the controller was told to bring about. */
static void connect(void)
{
    bool *reason = all.connecting && (!all.advertising || one_in(2)) ? &all.connecting : &all.advertising;
    if (!*reason)
        return;
    *reason = false;
    make_link(reason == &all.connecting);
}

/* Encryption is on where a key was given, and at times the controller only says so. */
static void change_encryption(struct link *link)
{
    bool on = all.host.pairing != NULL && !one_in(4);
    const uint8_t bytes[] = {one_in(4) ? 0x06 : 0, (uint8_t)link->handle, (uint8_t)(link->handle >> 8), on};
    link->encrypted |= bytes[0] == 0 && on;
    event(YS_HCI_ENCRYPTION_CHANGE, bytes, sizeof bytes);
}

static void odd_event(void)
{
    uint8_t bytes[60];
    static const uint8_t codes[] = {
        YS_HCI_LE_META, YS_HCI_COMMAND_COMPLETE, YS_HCI_COMMAND_STATUS, YS_HCI_KEY_REFRESH_COMPLETE,
        0x77,           YS_HCI_LE_META};
    struct link *link = any_link();
    uint8_t code = codes[draw(sizeof codes)];
    ys_chance_fill(&chance, bytes, sizeof bytes);
    if (code == YS_HCI_COMMAND_COMPLETE || code == YS_HCI_COMMAND_STATUS) {
        bytes[code == YS_HCI_COMMAND_STATUS ? 1 : 0] = 1;    /* no more than it takes */
        bytes[code == YS_HCI_COMMAND_STATUS ? 3 : 2] = 0x7f; /* and of a command that there is not */
    }
    if (code == YS_HCI_LE_META) {
        static const uint8_t subevents[] = {2, 3, 4, 5, 6, 7, 12, 13, 18, 19, 20, 60};
        bytes[0] = subevents[draw(sizeof subevents)];
        if (link != NULL) {
            bytes[bytes[0] == 3 || bytes[0] == 12 ? 2 : 1] = (uint8_t)link->handle;
            bytes[bytes[0] == 3 || bytes[0] == 12 ? 3 : 2] = (uint8_t)(link->handle >> 8);
        }
        if (bytes[0] == 18) /* a set that ended by a connection that there is not would be a lie as well */
            bytes[1] |= 1;
    }
    uint8_t packet[70] = {YS_HCI_EVENT, code, (uint8_t)draw(sizeof bytes)};
    memcpy(packet + 3, bytes, packet[2]);
    to_host(packet, 3u + packet[2]);
}

/* peers */

static void send_frame(struct link *link, uint16_t channel, const uint8_t *pdu, size_t length)
{
    uint8_t frame[140] = {(uint8_t)length, 0, (uint8_t)channel, (uint8_t)(channel >> 8)};
    size_t whole = length + 4;
    size_t cut = one_in(4) ? 1 + draw((uint32_t)whole) : whole;
    memcpy(frame + 4, pdu, length);
    if (all.count + 3 > QUEUED)
        return;
    for (size_t at = 0; at < whole;) {
        size_t size = at == 0 ? cut : whole - cut;
        uint8_t packet[150] = {YS_HCI_DATA, (uint8_t)link->handle,
                               (uint8_t)(link->handle >> 8 | (at == 0 ? 0x20 : 0x10)), (uint8_t)size, 0};
        memcpy(packet + 5, frame + at, size);
        to_host(packet, 5 + size);
        at += size;
        if (at < whole && one_in(40))
            return; /* the rest never comes */
    }
    if (channel != YS_L2CAP_ATT || length == 0 || length > 23)
        return;
    bool request = (pdu[0] & 0x41) == 0 && pdu[0] != YS_ATT_CONFIRMATION;
    if (request) { /* a second one before the answer: then any order is good */
        link->request = link->open == 0 ? pdu[0] : 0;
        link->open++;
    }
}

static void send_attribute_pdu(struct link *link)
{
    static const uint8_t opcodes[] = {0x02, 0x04, 0x06, 0x08, 0x0a, 0x0c, 0x0e, 0x10, 0x12, 0x16, 0x18,
                                      0x20, 0x52, 0x1e, 0x0b, 0x01, 0x13, 0x1b, 0x1d, 0x09, 0x05, 0x3e};
    uint8_t pdu[23];
    ys_chance_fill(&chance, pdu, sizeof pdu);
    pdu[0] = opcodes[draw(sizeof opcodes)];
    size_t length = 1 + draw(sizeof pdu);
    if (length > 2) {
        pdu[1] = (uint8_t)draw(20);
        pdu[2] = 0;
    }
    if (pdu[0] == 0x12 || pdu[0] == 0x16) {
        static const uint8_t configurations[] = {4, 10, 17, 6, 9, 14, 16};
        pdu[1] = configurations[draw(sizeof configurations)];
        pdu[3] = (uint8_t)draw(4);
        pdu[4] = 0;
        length = one_in(3) ? length : 5;
    }
    if (pdu[0] == 0x18 || pdu[0] == 0x0a)
        length = pdu[0] == 0x18 ? 2 : 3;
    send_frame(link, YS_L2CAP_ATT, pdu, length);
}

static void send_security_pdu(struct link *link)
{
    static const uint8_t lengths[] = {1, 7, 7, 17, 17, 2, 17, 11, 17, 8, 17, 2, 65, 17, 2, 5};
    uint8_t pdu[80];
    ys_chance_fill(&chance, pdu, sizeof pdu);
    pdu[0] = (uint8_t)draw(sizeof lengths);
    size_t length = one_in(8) ? 1 + draw(sizeof pdu) : lengths[pdu[0]];
    if (pdu[0] == 1 || pdu[0] == 2) { /* mostly good ones */
        pdu[1] = (uint8_t)draw(5);
        pdu[2] = 0;
        pdu[3] = (uint8_t)(one_in(2) ? 0x09 : 0x01);
        pdu[4] = 16;
        pdu[5] = pdu[6] = 3;
    }
    send_frame(link, YS_L2CAP_SECURITY, pdu, length);
}

static void send_signal(struct link *link)
{
    static const uint8_t codes[] = {0x01, 0x06, 0x07, 0x12, 0x13, 0x14, 0x15, 0x16, 0x08, 0x17};
    static const uint8_t lengths[] = {2, 4, 4, 8, 2, 10, 10, 4, 0, 14};
    uint8_t pdu[30];
    size_t which = draw(sizeof codes);
    ys_chance_fill(&chance, pdu, sizeof pdu);
    pdu[0] = codes[which];
    pdu[1] = (uint8_t)(one_in(2) ? 0x80 + draw(8) : draw(8));
    pdu[2] = lengths[which];
    pdu[3] = 0;
    if (pdu[0] == 0x14) {
        const uint8_t good[] = {0x81, 0, (uint8_t)(0x40 + draw(4)), 0, 80, 0, 60, 0, 3, 0};
        memcpy(pdu + 4, good, sizeof good);
    } else {
        pdu[4] = (uint8_t)(0x40 + draw(4));
        pdu[5] = 0;
    }
    send_frame(link, YS_L2CAP_SIGNALLING, pdu, one_in(10) ? draw(sizeof pdu) : 4u + lengths[which]);
}

static void something_happens(void)
{
    struct link *link = any_link();
    uint8_t bytes[60];
    switch (draw(17)) {
    case 16:
        connect();
        break;
    case 0:
    case 1:
    case 2:
    case 3:
        answer_command();
        break;
    case 4:
    case 5:
    case 6:
        if (link != NULL)
            send_attribute_pdu(link);
        break;
    case 7:
    case 8:
        if (link != NULL)
            complete_packets(link);
        break;
    case 9:
        if (link != NULL)
            send_security_pdu(link);
        break;
    case 10:
        if (link != NULL)
            send_signal(link);
        break;
    case 11:
        if (one_in(3))
            odd_event();
        break;
    case 12:
        if (link != NULL && one_in(6))
            change_encryption(link);
        break;
    case 13:
        if (link != NULL && one_in(60))
            end_link(link);
        break;
    case 14:
        ys_chance_fill(&chance, bytes, sizeof bytes);
        if (link != NULL)
            send_frame(link, (uint16_t)(0x40 + draw(4)), bytes, draw(sizeof bytes));
        break;
    default:
        all.now_ms += one_in(200) ? draw(40000) : draw(30);
        break;
    }
}

/* what always holds */

static void look(void)
{
    unsigned out = 0;
    unsigned controllers = 0;
    if (all.host.state != 2)
        return;
    for (size_t i = 0; i < YS_CONNECTIONS; i++) {
        const struct ys_connection *connection = &all.host.connections[i];
        if (!connection->used)
            continue;
        out += connection->packets_out;
        const struct link *link = link_of(connection->handle);
        controllers += link != NULL ? link->outstanding : 0;
        HOLDS(connection->mtu >= 23 && connection->mtu <= YS_MTU);
        HOLDS(connection->incoming_length <= sizeof connection->incoming);
        HOLDS(connection->response.length <= sizeof connection->response.bytes);
    }
    HOLDS(all.host.data_free + out == all.buffer_count); /* what was sent less what was completed */
    HOLDS(controllers <= all.buffer_count);
    HOLDS(all.host.queue_length <= sizeof all.host.queue);
    HOLDS(all.depth == 0);
}

static uint32_t run(void)
{
    all.running = true;
    uint32_t wait_ms = ys_host_run(&all.host);
    all.running = false;
    look();
    return wait_ms;
}

static void use_extra(size_t which)
{
    static struct ys_security security;
    static const struct ys_link_wishes wishes = {.interval_min_us = 15000,
                                                 .interval_max_us = 50000,
                                                 .supervision_timeout_ms = 3000,
                                                 .accepts = YS_LINK_ACCEPT_WITHIN};
    security = (struct ys_security){.capability = (uint8_t)draw(YS_CAPABILITIES),
                                    .key_size_min = 7,
                                    .key_size_max = 16,
                                    .bonds = 3,
                                    .forgets = draw(2) == 0,
                                    .waits = draw(2) == 0,
                                    .privacy = draw(2) == 0,
                                    .rotation_s = 5,
                                    .passkey = YS_PASSKEY_RANDOM};
    enum ys_result result = YS_OK;
    if (which == 0)
        ys_host_use_sets(&all.host, &all.sets);
    else if (which == 1)
        result = ys_host_use_pairing(&all.host, &all.pairing, &security);
    else if (which == 2)
        result = ys_host_use_links(&all.host, &all.links, &wishes);
    else
        ys_host_use_channels(&all.host, &all.channels);
    HOLDS(result == YS_OK || result == YS_ERROR_PORT_RANDOM);
}

static void begin(void)
{
    struct ys_store *store = all.store;
    memset(&all, 0, sizeof all);
    all.store = store;
    all.port = (struct ys_port){
        .send = port_send,
        .receive = port_receive,
        .now_ms = port_now_ms,
        .random = port_random,
        .enter_critical = port_critical,
        .leave_critical = port_critical,
        .encrypt = port_encrypt,
        .curve_key = port_curve_key,
        .curve_secret = port_curve_secret,
        .curve_result = port_curve_result,
        .store_put = port_put,
        .store_get = port_get,
        .store_delete = port_delete,
    };
    all.now_ms = 0u - draw(200000); /* it wraps soon */
    all.began_ms = all.now_ms;
    all.buffer_count = (uint8_t)(3 + draw(6));
    all.buffer_length = (uint16_t)(27 + draw(3) * 60);
    all.extended = draw(2) == 0;
    all.next_handle = (uint16_t)draw(0x0e00);
    const struct ys_host_settings settings = {
        .port = &all.port,
        .table = &table,
        .values = all.values,
        .on_event = on_event,
        .address_type = YS_OWN_STATIC,
        .mtu = 23,
    };
    HOLDS(ys_host_init(&all.host, sizeof all.host, &settings) == YS_OK);
    size_t from = draw(4);
    size_t step = draw(2) == 0 ? 1 : 3;
    for (size_t i = 0; i < 4; i++) /* in any order, and some of them not at all */
        if (!one_in(5))
            use_extra((from + i * step) % 4);
    TELLS(ys_host_start(&all.host));
}

/* All that waits is answered, and all that was sent is acknowledged: then nothing is left over. */
static void settle(void)
{
    for (int i = 0; i < 400; i++) {
        for (size_t j = 0; j < LINKS; j++) {
            if (all.link[j].used && all.link[j].outstanding > 0)
                complete_packets(&all.link[j]);
        }
        answer_command();
        for (size_t j = 0; j < TOKENS; j++) {
            static const uint8_t nothing[1];
            all.calling = true;
            (void)ys_answer(&all.host, all.tokens[j], YS_ATT_UNLIKELY_ERROR, nothing, 0);
            all.tokens[j] = 0;
            all.calling = false;
        }
        (void)run();
    }
    for (size_t i = 0; i < YS_CONNECTIONS; i++) {
        const struct ys_connection *connection = &all.host.connections[i];
        const struct link *link = connection->used ? link_of(connection->handle) : NULL;
        bool over = all.host.state != 2 || connection->silent || connection->ending;
        HOLDS(link == NULL || over || link->request == 0);
    }
}

static void turn(void)
{
    for (uint32_t i = draw(6); i > 0; i--)
        something_happens();
    if (one_in(2))
        call_anything();
    if (one_in(any_link() == NULL ? 3 : 40)) {
        all.calling = true;
        be_found_or_find();
        all.calling = false;
    }
    uint32_t wait_ms = run();
    if (all.host.state == 0 || one_in(20000)) {
        memset(all.link, 0, sizeof all.link);
        all.command = 0;
        all.count = 0;
        all.calling = true;
        TELLS(ys_host_start(&all.host));
        all.calling = false;
    }
    if (wait_ms > 0 && one_in(3))
        all.now_ms += wait_ms < 50 ? wait_ms : 1;
}

static void nothing_that_happens_to_a_host_breaks_what_always_holds(void **state)
{
    const char *turns = getenv("YARNSWIFT_HOSTILE_TURNS");
    const char *from = getenv("YARNSWIFT_HOSTILE_SEED");
    unsigned long most = turns != NULL ? strtoul(turns, NULL, 10) : 60000;
    (void)state;
    seed = from != NULL ? strtoull(from, NULL, 10) : 1;
    for (turn_number = 0; turn_number < most; seed++) {
        chance = ys_chance_of(seed, 7);
        all.store = ys_store_new(4000);
        for (int life = 0; life < 3; life++) { /* of one device: what it has stored stays */
            begin();
            for (int i = 0; i < 1000; i++, turn_number++)
                turn();
            settle();
        }
        ys_store_free(all.store);
    }
    print_message(
        "%lu turns: %lu starts, %lu connections, %lu that did not come about, %lu answers, %lu refusals, %lu answers "
        "that "
        "came later, %lu values sent, %lu requests of its own, %lu links encrypted, %lu pairings that failed, "
        "%lu channels, %lu writes of the store\n",
        turn_number, events[YS_EVENT_READY], events[YS_EVENT_CONNECTED], events[YS_EVENT_CONNECT_FAILED], answers,
        refusals, later, sent, asked, events[YS_EVENT_SECURED], events[YS_EVENT_PAIRING_FAILED],
        events[YS_EVENT_CHANNEL_OPENED], stored);
    assert_true(answers > 0 && refusals > 0 && later > 0 && sent > 0 && asked > 0 && stored > 0);
    assert_true(events[YS_EVENT_CONNECTED] > 0 && events[YS_EVENT_CONNECT_FAILED] > 0);
    assert_true(events[YS_EVENT_SECURED] > 0 && events[YS_EVENT_PAIRING_FAILED] > 0);
    assert_true(events[YS_EVENT_CHANNEL_OPENED] > 0);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(nothing_that_happens_to_a_host_breaks_what_always_holds),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
