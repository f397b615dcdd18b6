/* conversation SEED: three simulated controllers whose hosts say what chance has them say, mostly what makes sense, and
 * every packet to their hosts and on the air, as text. The same seed is the same conversation, whatever else changed:
 * for tests that a change of the simulation changes nothing that it is not meant to change. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "sim/controller.h"
#include "wire/hci.h"
#include "wire/hci_extended.h"
#include "wire/hci_link.h"

#define CONTROLLERS 3
#define TURNS       400

static struct party {
    struct ys_controller *controller;
    uint8_t sets;
    bool connected;
    uint8_t request[3]; /* an event that wants an answer: 0 for none, else its subevent, then the handle */
    uint8_t handle;     /* of the connection that came last */
} parties[CONTROLLERS];
static struct ys_clock *clock;
static uint32_t state;

/* What hosts say: an opcode, and for each parameter one of
 *   xx          a byte, in hexadecimal
 *   A-B  wA-B   one in that range, in one byte or in two
 *   h           a handle of a connection, most often of one that there is
 *   peer        type and address of somebody, or of nobody
 *   key         a key, one of two
 *   data N      a length up to N, and so many bytes
 *   bytes N     N bytes
 * A controller answers commands of the other generation of advertising with an error: both are in here. */
static const struct saying {
    uint16_t opcode;
    uint8_t weight;
    const char *parameters;
} sayings[] = {
    {YS_HCI_RESET, 1, ""},
    {YS_HCI_READ_FEATURES, 1, ""},
    {YS_HCI_LE_READ_FEATURES, 1, ""},
    {YS_HCI_SET_EVENT_MASK, 1, "ff ff ff ff ff ff ff 3f"},
    {YS_HCI_LE_SET_EVENT_MASK, 1, "bytes 1 ff ff ff ff 00 00 00"},
    {YS_HCI_LE_SET_EVENT_MASK, 2, "ff ff ff ff ff 00 00 00"},
    {YS_HCI_READ_BUFFER_SIZE, 1, ""},
    {YS_HCI_LE_READ_BUFFER_SIZE, 1, ""},
    {YS_HCI_READ_ADDRESS, 1, ""},
    {YS_HCI_LE_SET_RANDOM_ADDRESS, 4, "0-2 00 00 00 00 c0"},
    {YS_HCI_LE_SET_ADVERTISING_PARAMETERS, 6, "w32-64 w64-96 0-1 0-3 peer 1-7 0-3"},
    {YS_HCI_LE_SET_ADVERTISING_PARAMETERS, 3, "w32-64 w64-96 0-4 0-1 peer 07 00"},
    {YS_HCI_LE_SET_ADVERTISING_DATA, 3, "0-31 bytes 31"},
    {YS_HCI_LE_SET_SCAN_RESPONSE_DATA, 3, "0-31 bytes 31"},
    {YS_HCI_LE_SET_ADVERTISING_ENABLE, 4, "0-1"},
    {YS_HCI_LE_SET_ADVERTISING_ENABLE, 8, "01"},
    {YS_HCI_LE_SET_SCAN_PARAMETERS, 4, "0-1 w32-64 w16-32 0-3 0-3"},
    {YS_HCI_LE_SET_SCAN_PARAMETERS, 2, "01 10 00 10 00 00 00"},
    {YS_HCI_LE_SET_SCAN_ENABLE, 6, "0-1 0-1"},
    {YS_HCI_LE_CREATE_CONNECTION, 10, "20 00 20 00 00 peer 0-1 w6-30 w30-60 w0-2 w30-200 w0-4 w4-20"},
    {YS_HCI_LE_CREATE_CONNECTION, 3, "10 00 10 00 0-1 peer 0-3 w6-40 w40-60 w0-2 w100-200 w0-4 w4-20"},
    {YS_HCI_LE_CREATE_CONNECTION_CANCEL, 1, ""},
    {YS_HCI_LE_READ_ACCEPT_LIST_SIZE, 1, ""},
    {YS_HCI_LE_CLEAR_ACCEPT_LIST, 1, ""},
    {YS_HCI_LE_ADD_TO_ACCEPT_LIST, 6, "peer"},
    {YS_HCI_LE_REMOVE_FROM_ACCEPT_LIST, 1, "peer"},
    {YS_HCI_LE_ADD_TO_RESOLVING_LIST, 5, "peer key key"},
    {YS_HCI_LE_REMOVE_FROM_RESOLVING_LIST, 1, "peer"},
    {YS_HCI_LE_CLEAR_RESOLVING_LIST, 1, ""},
    {YS_HCI_LE_READ_RESOLVING_LIST_SIZE, 1, ""},
    {YS_HCI_LE_SET_RESOLUTION_ENABLE, 4, "0-1"},
    {YS_HCI_LE_SET_RESOLVABLE_TIMEOUT, 1, "w1-9"},
    {YS_HCI_LE_SET_PRIVACY_MODE, 2, "peer 0-1"},
    {YS_HCI_LE_ENABLE_ENCRYPTION, 8, "h 00 00 00 00 00 00 00 00 00 00 key"},
    {YS_HCI_DISCONNECT, 3, "h 13"},
    {YS_HCI_DISCONNECT, 1, "h 0-64"},
    {YS_HCI_LE_SET_SET_ADDRESS, 4, "0-1 0-2 00 00 00 00 c0"},
    {YS_HCI_LE_SET_EXTENDED_ADVERTISING_PARAMETERS, 4,
     "0-2 13 00 20 00 00 40 00 00 1-7 0-3 peer 0-3 7f 01 00 01 0-15 0-1"},
    {YS_HCI_LE_SET_EXTENDED_ADVERTISING_PARAMETERS, 8,
     "0-2 0-127 00 20 00 00 40 00 00 07 0-3 peer 00 0-20 01 0-2 1-3 0-15 0-1"},
    {YS_HCI_LE_SET_EXTENDED_ADVERTISING_PARAMETERS, 6,
     "0-2 0-2 00 20 00 00 60 00 00 07 0-1 peer 00 7f 03 00 1-3 0-15 01"},
    {YS_HCI_LE_SET_EXTENDED_ADVERTISING_DATA, 5, "0-2 03 00 data 240"},
    {YS_HCI_LE_SET_EXTENDED_ADVERTISING_DATA, 5, "0-2 0-4 00 data 240"},
    {YS_HCI_LE_SET_EXTENDED_SCAN_RESPONSE_DATA, 5, "0-2 0-4 00 data 240"},
    {YS_HCI_LE_SET_EXTENDED_ADVERTISING_ENABLE, 8, "01 01 0-2 w0-30 0-9"},
    {YS_HCI_LE_SET_EXTENDED_ADVERTISING_ENABLE, 6, "01 02 00 00 00 00 01 00 00 00"},
    {YS_HCI_LE_SET_EXTENDED_ADVERTISING_ENABLE, 2, "00 0-1 0-2 00 00 00"},
    {YS_HCI_LE_READ_ADVERTISING_DATA_MAX, 1, ""},
    {YS_HCI_LE_READ_ADVERTISING_SETS, 1, ""},
    {YS_HCI_LE_REMOVE_ADVERTISING_SET, 1, "0-3"},
    {YS_HCI_LE_CLEAR_ADVERTISING_SETS, 1, ""},
    {YS_HCI_LE_SET_EXTENDED_SCAN_PARAMETERS, 3, "0-3 0-3 01 0-1 20 00 10 00"},
    {YS_HCI_LE_SET_EXTENDED_SCAN_PARAMETERS, 3, "0-1 0-1 05 01 20 00 10 00 0-1 20 00 10 00"},
    {YS_HCI_LE_SET_EXTENDED_SCAN_PARAMETERS, 3, "00 00 01 01 10 00 10 00"},
    {YS_HCI_LE_SET_EXTENDED_SCAN_ENABLE, 6, "0-1 0-1 w0-100 00 00"},
    {YS_HCI_LE_EXTENDED_CREATE_CONNECTION, 8, "0-1 0-3 peer 01 20 00 20 00 18 00 28 00 00 00 c8 00 00 00 08 00"},
    {YS_HCI_LE_EXTENDED_CREATE_CONNECTION, 4,
     "00 0-1 peer 05 20 00 10 00 18 00 28 00 0-2 00 c8 00 00 00 08 00 20 00 10 00 18 00 28 00 00 00 c8 00 00 00 08 00"},
    {YS_HCI_READ_REMOTE_VERSION, 2, "h"},
    {YS_HCI_READ_POWER, 1, "h 0-1"},
    {YS_HCI_READ_RSSI, 1, "h"},
    {YS_HCI_READ_PAYLOAD_TIMEOUT, 1, "h"},
    {YS_HCI_WRITE_PAYLOAD_TIMEOUT, 2, "h w20-90"},
    {YS_HCI_LE_CONNECTION_UPDATE, 5, "h w6-40 w40-60 w0-3 w60-300 w0-4 w4-20"},
    {YS_HCI_LE_SET_CHANNELS, 2, "bytes 4 0-31"},
    {YS_HCI_LE_READ_CHANNELS, 1, "h"},
    {YS_HCI_LE_READ_REMOTE_FEATURES, 2, "h"},
    {YS_HCI_LE_SET_DATA_LENGTH, 3, "h w27-251 w328-17040"},
    {YS_HCI_LE_READ_DEFAULT_LENGTH, 1, ""},
    {YS_HCI_LE_WRITE_DEFAULT_LENGTH, 1, "w27-251 w328-17040"},
    {YS_HCI_LE_READ_LENGTH_MAX, 1, ""},
    {YS_HCI_LE_READ_PHY, 1, "h"},
    {YS_HCI_LE_SET_DEFAULT_PHY, 1, "0-3 0-7 0-7"},
    {YS_HCI_LE_SET_PHY, 5, "h 0-3 0-7 0-7 w0-2"},
};

/* What leads somewhere: to advertising, to connections, to reports; in each generation. */
#define RECIPE_MOST 5
enum { RECIPE_ADVERTISE, RECIPE_CONNECT, RECIPE_SCAN, RECIPES };
static const struct step {
    uint16_t opcode;
    const char *parameters;
} recipes[2][RECIPES][RECIPE_MOST] = {
    {{{YS_HCI_LE_SET_ADVERTISING_ENABLE, "00"},
      {YS_HCI_LE_SET_ADVERTISING_PARAMETERS, "w32-64 w64-96 00 0-3 peer 07 00"},
      {YS_HCI_LE_SET_ADVERTISING_DATA, "0-31 bytes 31"},
      {YS_HCI_LE_SET_ADVERTISING_ENABLE, "01"}},
     {{YS_HCI_LE_SET_SCAN_ENABLE, "00 00"},
      {YS_HCI_LE_CREATE_CONNECTION_CANCEL, ""},
      {YS_HCI_LE_CREATE_CONNECTION, "20 00 20 00 00 peer 0-3 w6-30 w30-60 w0-2 w30-200 w0-4 w4-20"}},
     {{YS_HCI_LE_SET_SCAN_ENABLE, "00 00"},
      {YS_HCI_LE_SET_SCAN_PARAMETERS, "0-1 w32-64 w16-32 0-3 00"},
      {YS_HCI_LE_SET_SCAN_ENABLE, "01 0-1"}}},
    {{{YS_HCI_LE_SET_EXTENDED_ADVERTISING_ENABLE, "00 00"},
      {YS_HCI_LE_SET_EXTENDED_ADVERTISING_PARAMETERS,
       "00 13 00 20 00 00 40 00 00 1-7 0-2 peer 00 7f 01 00 01 0-15 0-1"},
      {YS_HCI_LE_SET_EXTENDED_ADVERTISING_PARAMETERS,
       "01 0-2 00 20 00 00 40 00 00 07 0-2 peer 00 7f 01 00 1-3 0-15 0-1"},
      {YS_HCI_LE_SET_SET_ADDRESS, "0-1 00 00 00 00 00 c0"},
      {YS_HCI_LE_SET_EXTENDED_ADVERTISING_ENABLE, "01 02 00 00 00 00 01 00 00 00"}},
     {{YS_HCI_LE_SET_EXTENDED_SCAN_ENABLE, "00 00 00 00 00 00"},
      {YS_HCI_LE_CREATE_CONNECTION_CANCEL, ""},
      {YS_HCI_LE_EXTENDED_CREATE_CONNECTION,
       "00 0-3 peer 05 20 00 10 00 18 00 28 00 0-2 00 c8 00 00 00 08 00 20 00 10 00 18 00 28 00 00 00 c8 00 00 00 08 "
       "00"}},
     {{YS_HCI_LE_SET_EXTENDED_SCAN_ENABLE, "00 00 00 00 00 00"},
      {YS_HCI_LE_SET_EXTENDED_SCAN_PARAMETERS, "0-3 00 05 01 20 00 10 00 0-1 20 00 10 00"},
      {YS_HCI_LE_SET_EXTENDED_SCAN_ENABLE, "01 0-1 w0-100 00 00"}}},
};

/* A number below `limit`. */
static uint32_t chance(uint32_t limit)
{
    state ^= state << 13;
    state ^= state >> 17;
    state ^= state << 5;
    return state % limit;
}

static void show(const char *what, unsigned number, const uint8_t *bytes, size_t length)
{
    printf("%llu %s %u ", (unsigned long long)(ys_clock_now_ns(clock) / 1000), what, number);
    for (size_t i = 0; i < length; i++)
        printf("%02x", bytes[i]);
    putchar('\n');
}

static void on_air(void *context, const struct ys_air_packet *packet)
{
    char what[64];
    (void)context;
    snprintf(what, sizeof what, "air %u %d %08x %06x %d %d", packet->channel, (int)packet->phy, packet->access_address,
             packet->crc, packet->side, packet->strength_dbm);
    show(what, packet->sender, packet->pdu, packet->length);
}

static void to_host(void *context, const uint8_t *packet, size_t length)
{
    struct party *party = context;
    show("host", (unsigned)(party - parties), packet, length);
    if (packet[0] == YS_HCI_EVENT && packet[1] == YS_HCI_DISCONNECTION_COMPLETE)
        party->connected = false;
    if (length < 6 || packet[0] != YS_HCI_EVENT || packet[1] != YS_HCI_LE_META)
        return;
    if (packet[3] == YS_HCI_LE_CONNECTION_COMPLETE || packet[3] == YS_HCI_LE_ENHANCED_CONNECTION_COMPLETE) {
        party->handle = packet[5];
        party->connected = packet[4] == YS_HCI_OK;
    }
    if (packet[3] == YS_HCI_LE_KEY_REQUEST || packet[3] == YS_HCI_LE_PARAMETERS_REQUEST)
        memcpy(party->request, packet + 3, sizeof party->request);
}

static void put_key(struct ys_writer *writer, uint32_t which)
{
    for (uint8_t i = 0; i < 16; i++)
        ys_put_u8(writer, (uint8_t)(i * (which + 3)));
}

static void put_bytes(struct ys_writer *writer, uint32_t count)
{
    while (count-- > 0)
        ys_put_u8(writer, (uint8_t)chance(256));
}

/* Puts one parameter, and returns what stands after it. */
static const char *put_parameter(struct ys_writer *writer, const struct party *party, const char *text)
{
    const char *end = text + strcspn(text, " ");
    const char *range = memchr(text, '-', (size_t)(end - text));
    if (strncmp(text, "peer", 4) == 0) {
        static const uint8_t address[] = {0, 0, 0, 0, 0xc0};
        uint8_t type = (uint8_t)chance(2);
        ys_put_u8(writer, type);
        ys_put_u8(writer, (uint8_t)chance(CONTROLLERS + 1));
        ys_put_bytes(writer, address, type == 0 ? sizeof address - 1 : sizeof address);
        if (type == 0)
            ys_put_u8(writer, 0);
    } else if (strncmp(text, "key", 3) == 0) {
        put_key(writer, chance(6) == 0);
    } else if (strncmp(text, "data ", 5) == 0) {
        uint32_t length = chance((uint32_t)strtoul(text + 5, NULL, 10) + 1);
        ys_put_u8(writer, (uint8_t)length);
        put_bytes(writer, length);
        end = text + 5 + strcspn(text + 5, " ");
    } else if (strncmp(text, "bytes ", 6) == 0) {
        put_bytes(writer, (uint32_t)strtoul(text + 6, NULL, 10));
        end = text + 6 + strcspn(text + 6, " ");
    } else if (*text == 'h') {
        ys_put_u16(writer, (uint16_t)(chance(6) > 0 ? party->handle : chance(4)));
    } else if (range != NULL) {
        uint32_t from = (uint32_t)strtoul(text + (*text == 'w'), NULL, 10);
        uint32_t to = (uint32_t)strtoul(range + 1, NULL, 10);
        uint32_t value = from + chance(to - from + 1);
        if (*text == 'w')
            ys_put_u16(writer, (uint16_t)value);
        else
            ys_put_u8(writer, (uint8_t)value);
    } else {
        ys_put_u8(writer, (uint8_t)strtoul(text, NULL, 16));
    }
    return end + strspn(end, " ");
}

static void say(struct party *party, uint16_t opcode, const char *parameters)
{
    uint8_t bytes[300];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    ys_put_u8(&writer, YS_HCI_COMMAND);
    ys_put_u16(&writer, opcode);
    ys_put_u8(&writer, 0);
    while (*parameters != '\0')
        parameters = put_parameter(&writer, party, parameters);
    size_t length = ys_writer_stored(&writer);
    if (chance(60) == 0)
        length -= chance((uint32_t)length - 3);
    else if (chance(60) == 0 && length > 4)
        bytes[4 + chance((uint32_t)length - 4)] = (uint8_t)chance(256);
    bytes[3] = (uint8_t)(length - 4);
    show("says", (unsigned)(party - parties), bytes, length);
    ys_controller_receive(party->controller, bytes, length);
}

static void answer(struct party *party)
{
    uint8_t kind = party->request[0];
    party->request[0] = 0;
    party->handle = party->request[1];
    if (kind == YS_HCI_LE_KEY_REQUEST)
        say(party, chance(8) > 0 ? YS_HCI_LE_KEY_REPLY : YS_HCI_LE_KEY_NEGATIVE_REPLY, chance(8) > 0 ? "h key" : "h");
    else if (chance(3) > 0)
        say(party, YS_HCI_LE_PARAMETERS_REPLY, "h w6-20 w40-60 w0-2 w100-200 w0-4 w4-20");
    else
        say(party, YS_HCI_LE_PARAMETERS_NEGATIVE_REPLY, "h 3b");
}

static void send_data(struct party *party)
{
    uint8_t bytes[5 + 255];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    uint32_t length = chance(3) > 0 ? 1 + chance(30) : chance(252);
    ys_put_u8(&writer, YS_HCI_DATA);
    ys_put_u16(&writer, (uint16_t)(party->handle | chance(2) << 12));
    ys_put_u16(&writer, (uint16_t)length);
    put_bytes(&writer, length);
    ys_controller_receive(party->controller, bytes, ys_writer_stored(&writer));
}

/* Says one of the sayings; with `of_links`, one about a connection. */
static void say_something(struct party *party, bool of_links)
{
    for (;;) {
        const struct saying *saying = &sayings[chance(sizeof sayings / sizeof sayings[0])];
        if (chance(10) < saying->weight && (!of_links || *saying->parameters == 'h')) {
            say(party, saying->opcode, saying->parameters);
            return;
        }
    }
}

static void turn(struct party *party)
{
    if (party->request[0] != 0 && chance(8) > 0)
        answer(party);
    if (party->connected && chance(4) > 0) {
        if (chance(3) > 0)
            send_data(party);
        else
            say_something(party, true);
    } else if (chance(3) > 0) {
        static const uint8_t wishes[CONTROLLERS][3] = {{RECIPE_ADVERTISE, RECIPE_ADVERTISE, RECIPE_SCAN},
                                                       {RECIPE_CONNECT, RECIPE_CONNECT, RECIPE_SCAN},
                                                       {RECIPE_ADVERTISE, RECIPE_CONNECT, RECIPE_SCAN}};
        const struct step *recipe = recipes[party->sets > 0][wishes[party - parties][chance(3)]];
        for (size_t i = 0; i < RECIPE_MOST && recipe[i].parameters != NULL; i++)
            say(party, recipe[i].opcode, recipe[i].parameters);
    } else {
        say_something(party, false);
    }
}

int main(int count, char **arguments)
{
    if (count != 2)
        return 2;
    uint32_t seed = (uint32_t)strtoul(arguments[1], NULL, 10);
    state = seed * 2654435761u | 1;
    for (int i = 0; i < 8; i++)
        chance(2);
    clock = ys_clock_new();
    struct ys_radio *radio = ys_radio_new(clock);
    struct ys_observer watcher = {.observe = on_air};
    double shares[40];
    ys_radio_observe(radio, &watcher);
    for (size_t i = 0; i < 40; i++)
        shares[i] = seed % 3 == 0 ? 0.02 * chance(20) : 0;
    if (seed % 3 == 0)
        ys_radio_lose(radio, shares, seed);
    uint8_t sets = (uint8_t)(chance(3) > 0 ? 2 : 0);
    for (uint16_t i = 0; i < CONTROLLERS; i++) {
        const struct ys_controller_settings settings = {
            .number = (uint16_t)(i + 1),
            .seed = seed,
            .address = {.type = YS_ADDRESS_PUBLIC, .bytes = {(uint8_t)i, 0, 0, 0, 0xc0, 0}},
            .buffer_length = (uint16_t)(chance(2) > 0 ? 27 + chance(225) : 0),
            .buffer_count = (uint8_t)chance(9),
            .power_dbm = (int8_t)chance(9),
            .sets = chance(8) > 0 ? sets : 0,
            .lacks = chance(3) > 0 ? 0 : UINT64_C(1) << chance(16),
            .clock_accuracy_ppm = (uint16_t)(chance(2) * 200),
            .clock_error_ppb = (int32_t)chance(100000) - 50000,
            .event_length_us = chance(3) > 0 ? 0 : 2000 + chance(8000),
            .adapts = chance(2) > 0,
            .send = to_host,
            .context = &parties[i]};
        parties[i].handle = 1;
        parties[i].sets = settings.sets;
        parties[i].controller = ys_controller_new(radio, &settings);
        say(&parties[i], YS_HCI_LE_SET_RANDOM_ADDRESS,
            i == 0   ? "00 00 00 00 00 c0"
            : i == 1 ? "01 00 00 00 00 c0"
                     : "02 00 00 00 00 c0");
        say(&parties[i], YS_HCI_LE_SET_EVENT_MASK, "ff ff ff ff ff 00 00 00");
    }
    for (int i = 0; i < TURNS; i++) {
        turn(&parties[chance(CONTROLLERS)]);
        ys_clock_run(clock, ys_clock_now_ns(clock) + chance(chance(4) > 0 ? 40 : 400) * YS_NS_PER_MS);
    }
    for (size_t i = 0; i < CONTROLLERS; i++)
        ys_controller_free(parties[i].controller);
    ys_radio_free(radio);
    ys_clock_free(clock);
    return 0;
}
