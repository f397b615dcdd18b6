/* A random walk: three clients send whatever comes, good and bad, to one server, and after each step what it says is
 * compared with a small model of the table that knows nothing of the host. YARNSWIFT_WALK_STEPS says how far, and
 * YARNSWIFT_WALK_SEED by which way; both are printed when something differs. */
#include "support/check.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "support/hex.h"
#include "support/scripted.h"

#define CLIENTS 3
#define FIRST   0x0040 /* connection handle of the first client */
#define MTU     100    /* that the clients ask for */
#define LAST    17     /* handle of the last attribute */

static const uint8_t long_0[16] = {0x52, 0x6a, 0x7b, 0xe0, 0xc1, 0xd4, 0x37, 0x9a,
                                   0x6f, 0x4e, 0x1c, 0x2b, 0x00, 0x00, 0x8d, 0x5f};

/* chance, by its own generator */

static uint64_t chance;

static uint32_t draw(uint32_t below)
{
    chance ^= chance << 13;
    chance ^= chance >> 7;
    chance ^= chance << 17;
    return (uint32_t)(chance >> 32) % below;
}

/* the server */

static uint8_t taken; /* by the handler of 15 */

static uint8_t take(const struct ys_access *access, struct ys_reader *value)
{
    uint8_t byte = ys_get_u8(value);
    (void)access;
    if (byte > 9)
        return YS_ATT_OUT_OF_RANGE;
    taken = byte;
    return YS_ATT_OK;
}

static uint8_t consent_answer;

static uint8_t consent(const struct ys_access *access, enum ys_access_kind wish)
{
    (void)access;
    (void)wish;
    return consent_answer;
}

static const uint8_t yard[] = {'y', 'a', 'r', 'd'};
static const uint8_t zeros[4];
static uint8_t thirty[30];
static uint8_t long_uuids[2][16];
static const struct ys_value values[] = {
    {NULL, NULL, yard, 4, YS_NONE, YS_NONE}, {NULL, NULL, yard, 2, 0, YS_NONE},
    {NULL, NULL, zeros, 4, 302, YS_NONE},    {NULL, NULL, thirty, 30, YS_NONE, 0},
    {NULL, NULL, yard, 1, 308, YS_NONE},     {NULL, take, NULL, 0, YS_NONE, YS_NONE},
    {NULL, NULL, thirty, 4, 318, YS_NONE},
};

#define READ   YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_NONE, YS_RIGHT_NONE)
#define WRITE  YS_RIGHTS(YS_RIGHT_NONE, YS_RIGHT_OPEN, YS_RIGHT_NONE)
#define BOTH   YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_OPEN, YS_RIGHT_NONE)
#define SECRET YS_RIGHTS(YS_RIGHT_ENCRYPTED, YS_RIGHT_NONE, YS_RIGHT_NONE)
#define VALUE  YS_ATTRIBUTE_VALUE
#define MANY   (YS_ATTRIBUTE_VALUE | YS_ATTRIBUTE_VARIABLE)

static const struct ys_attribute attributes[LAST] = {
    {0x1800, YS_ATTRIBUTE_SERVICE, 0, READ, 3, NULL},
    {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x02, READ, 5, NULL},
    {0x2a00, VALUE, 0, READ, 4, &values[0]},
    {0, YS_ATTRIBUTE_SERVICE | YS_ATTRIBUTE_LONG_UUID, 0, READ, 12, NULL},
    {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x0e, READ, 19, NULL},
    {1, MANY | YS_ATTRIBUTE_LONG_UUID, 0, BOTH, 300, &values[1]},
    {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x0a, READ, 5, NULL},
    {0x2a3d, VALUE, 0, BOTH, 4, &values[2]},
    {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x32, READ, 5, NULL},
    {0x2a56, VALUE, 0, YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_NONE, YS_RIGHT_OPEN), 30, &values[3]},
    {0, YS_ATTRIBUTE_CONFIGURATION, 0, BOTH, 2, NULL},
    {0x2901, YS_ATTRIBUTE_STORED | YS_ATTRIBUTE_VARIABLE, 0, BOTH, 8, &values[4]},
    {0x180f, YS_ATTRIBUTE_SERVICE, 0, READ, 17, NULL},
    {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x08, READ, 5, NULL},
    {0x2a57, VALUE, 0, WRITE, 1, &values[5]},
    {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x0a, READ, 5, NULL},
    {0x2a58, MANY, 0, BOTH | YS_ASKS_TO_READ | YS_ASKS_TO_WRITE, 20, &values[6]},
};
static const struct ys_notifiable notifiables[] = {{10, 0}};
static const struct ys_table table = {attributes, (const uint8_t (*)[16])long_uuids, notifiables, consent, LAST, 1, 340,
                                      0};

/* the model: what each attribute is, written down a second time */

struct model_attribute {
    uint8_t type[16];
    size_t type_length;
    bool reads;
    bool writes;
    bool commands;
    bool asks;
    bool fixed;
    uint16_t group_end; /* of services */
    size_t most;
    uint8_t value[300];
    size_t length;
};

struct part {
    uint16_t handle;
    uint16_t offset;
    size_t length;
    uint8_t bytes[MTU];
};

struct client {
    uint16_t mtu;
    uint8_t configuration;
    struct part queue[24];
    size_t queued;
};

static struct model_attribute model[LAST + 1];
static struct client clients[CLIENTS];

static void set(struct model_attribute *attribute, uint16_t type, const void *value, size_t length)
{
    attribute->type[0] = (uint8_t)type;
    attribute->type[1] = (uint8_t)(type >> 8);
    attribute->type_length = 2;
    attribute->reads = true;
    memcpy(attribute->value, value, length);
    attribute->length = length;
}

static void declare(uint16_t handle, uint8_t properties, const void *uuid, size_t length)
{
    uint8_t bytes[19] = {properties, (uint8_t)(handle + 1), 0};
    memcpy(bytes + 3, uuid, length);
    set(&model[handle], 0x2803, bytes, 3 + length);
}

static void model_begin(void)
{
    uint8_t long_1[16];
    memset(model, 0, sizeof model);
    memset(clients, 0, sizeof clients);
    for (size_t i = 0; i < CLIENTS; i++)
        clients[i].mtu = 23;
    memcpy(long_1, long_0, 16);
    long_1[12] = 1;
    memcpy(long_uuids[0], long_0, 16);
    memcpy(long_uuids[1], long_1, 16);
    for (size_t i = 0; i < sizeof thirty; i++)
        thirty[i] = (uint8_t)('A' + i);
    set(&model[1], 0x2800, "\x00\x18", 2);
    model[1].group_end = 3;
    declare(2, 0x02, "\x00\x2a", 2);
    set(&model[3], 0x2a00, "yard", 4);
    set(&model[4], 0x2800, long_0, 16);
    model[4].group_end = 12;
    declare(5, 0x0e, long_1, 16);
    set(&model[6], 0, "ya", 2);
    memcpy(model[6].type, long_1, 16);
    model[6].type_length = 16;
    model[6].writes = model[6].commands = true;
    model[6].most = 300;
    declare(7, 0x0a, "\x3d\x2a", 2);
    set(&model[8], 0x2a3d, "\0\0\0\0", 4);
    model[8].writes = model[8].fixed = true;
    model[8].most = 4;
    declare(9, 0x32, "\x56\x2a", 2);
    set(&model[10], 0x2a56, thirty, 30);
    set(&model[11], 0x2902, "\0\0", 2);
    model[11].writes = model[11].commands = model[11].fixed = true;
    model[11].most = 2;
    set(&model[12], 0x2901, "y", 1);
    model[12].writes = model[12].commands = true;
    model[12].most = 8;
    set(&model[13], 0x2800, "\x0f\x18", 2);
    model[13].group_end = 17;
    declare(14, 0x08, "\x57\x2a", 2);
    set(&model[15], 0x2a57, "", 0);
    model[15].reads = false;
    model[15].writes = model[15].fixed = true;
    model[15].most = 1;
    declare(16, 0x0a, "\x58\x2a", 2);
    set(&model[17], 0x2a58, thirty, 4);
    model[17].writes = model[17].asks = true;
    model[17].most = 20;
}

static uint16_t word(const uint8_t *bytes)
{
    return (uint16_t)(bytes[0] | bytes[1] << 8);
}

static size_t refuse(uint8_t *out, uint8_t opcode, uint16_t handle, uint8_t error)
{
    const uint8_t bytes[5] = {1, opcode, (uint8_t)handle, (uint8_t)(handle >> 8), error};
    memcpy(out, bytes, 5);
    return 5;
}

/* A client's own configuration is its own value. */
static const uint8_t *value_of(struct client *client, uint16_t handle, size_t *length)
{
    static uint8_t configuration[2];
    configuration[0] = client->configuration;
    *length = model[handle].length;
    return handle == 11 ? configuration : model[handle].value;
}

static uint8_t read_error(uint16_t handle)
{
    if (handle == 0 || handle > LAST)
        return 1;
    if (!model[handle].reads)
        return 2;
    return model[handle].asks ? consent_answer : 0;
}

static bool has_type(uint16_t handle, const uint8_t *type, size_t length)
{
    uint8_t whole[16] = {0xfb, 0x34, 0x9b, 0x5f, 0x80, 0, 0, 0x80, 0, 0x10, 0, 0, type[0], type[1], 0, 0};
    uint8_t own[16] = {0xfb, 0x34, 0x9b, 0x5f, 0x80, 0, 0, 0x80, 0, 0x10, 0, 0};
    if (length == 16)
        memcpy(whole, type, 16);
    if (model[handle].type_length == 16)
        memcpy(own, model[handle].type, 16);
    else
        memcpy(own + 12, model[handle].type, 2);
    return memcmp(whole, own, 16) == 0;
}

static size_t model_find_information(const struct client *client, const uint8_t *pdu, uint8_t *out)
{
    size_t used = 2;
    for (uint32_t i = word(pdu + 1); i <= word(pdu + 3) && i <= LAST; i++) {
        size_t length = model[i].type_length;
        if (used == 2)
            out[1] = length == 2 ? 1 : 2;
        if ((out[1] == 1) != (length == 2) || used + 2 + length > client->mtu)
            break;
        out[used] = (uint8_t)i;
        out[used + 1] = 0;
        memcpy(out + used + 2, model[i].type, length);
        used += 2 + length;
    }
    out[0] = 5;
    return used > 2 ? used : refuse(out, 4, word(pdu + 1), 0x0a);
}

static size_t model_find_value(struct client *client, const uint8_t *pdu, size_t size, uint8_t *out)
{
    size_t used = 1;
    for (uint32_t i = word(pdu + 1); i <= word(pdu + 3) && i <= LAST && used + 4 <= client->mtu; i++) {
        size_t length;
        const uint8_t *value = value_of(client, (uint16_t)i, &length);
        if (!has_type((uint16_t)i, pdu + 5, 2) || read_error((uint16_t)i) != 0 || length != size - 7 || length > 32 ||
            memcmp(value, pdu + 7, length) != 0)
            continue;
        uint16_t end = model[i].group_end != 0 ? model[i].group_end : (uint16_t)i;
        const uint8_t entry[4] = {(uint8_t)i, 0, (uint8_t)end, 0};
        memcpy(out + used, entry, 4);
        used += 4;
    }
    out[0] = 7;
    return used > 1 ? used : refuse(out, 6, word(pdu + 1), 0x0a);
}

static size_t model_by_type(struct client *client, const uint8_t *pdu, size_t size, uint8_t *out)
{
    bool grouped = pdu[0] == 0x10;
    size_t header = grouped ? 4 : 2;
    size_t used = 2;
    size_t each = 0;
    if (grouped && !(size == 7 && (word(pdu + 5) == 0x2800 || word(pdu + 5) == 0x2801)))
        return refuse(out, pdu[0], word(pdu + 1), 0x10);
    for (uint32_t i = word(pdu + 1); i <= word(pdu + 3) && i <= LAST; i++) {
        size_t length;
        if (!has_type((uint16_t)i, pdu + 5, size - 5))
            continue;
        uint8_t error = read_error((uint16_t)i);
        if (error != 0 && each == 0)
            return refuse(out, pdu[0], (uint16_t)i, error);
        if (error != 0)
            break;
        const uint8_t *value = value_of(client, (uint16_t)i, &length);
        size_t most = client->mtu - 2u - header < 255 - header ? client->mtu - 2u - header : 255 - header;
        if (each == 0)
            each = header + (length < most ? length : most);
        else if (header + length != each || used + each > client->mtu)
            break;
        out[used] = (uint8_t)i;
        out[used + 1] = 0;
        if (grouped) {
            out[used + 2] = (uint8_t)model[i].group_end;
            out[used + 3] = 0;
        }
        memcpy(out + used + header, value, each - header);
        used += each;
    }
    out[0] = (uint8_t)(pdu[0] + 1);
    out[1] = (uint8_t)each;
    return used > 2 ? used : refuse(out, pdu[0], word(pdu + 1), 0x0a);
}

static size_t model_read(struct client *client, const uint8_t *pdu, uint16_t offset, uint8_t *out)
{
    uint16_t handle = word(pdu + 1);
    uint8_t error = read_error(handle);
    size_t length;
    if (error != 0)
        return refuse(out, pdu[0], handle, error);
    const uint8_t *value = value_of(client, handle, &length);
    if (offset > length)
        return refuse(out, pdu[0], handle, 7);
    size_t size = length - offset < client->mtu - 1u ? length - offset : client->mtu - 1u;
    out[0] = (uint8_t)(pdu[0] + 1);
    memcpy(out + 1, value + offset, size);
    return 1 + size;
}

static size_t model_multiple(struct client *client, const uint8_t *pdu, size_t size, uint8_t *out)
{
    uint8_t all[2000];
    size_t used = 0;
    if (size < 5 || size % 2 == 0)
        return refuse(out, pdu[0], 0, 4);
    for (size_t at = 1; at < size; at += 2) {
        uint8_t error = read_error(word(pdu + at));
        size_t length;
        if (error != 0)
            return refuse(out, pdu[0], word(pdu + at), error);
        const uint8_t *value = value_of(client, word(pdu + at), &length);
        if (pdu[0] == 0x20) {
            all[used++] = (uint8_t)length;
            all[used++] = (uint8_t)(length >> 8);
        }
        length = length < client->mtu ? length : client->mtu; /* more is cut off anyway */
        if (used + length <= sizeof all) {
            memcpy(all + used, value, length);
            used += length;
        }
    }
    used = used < client->mtu - 1u ? used : client->mtu - 1u;
    out[0] = (uint8_t)(pdu[0] + 1);
    memcpy(out + 1, all, used);
    return 1 + used;
}

static uint8_t write_right(uint16_t handle, bool command)
{
    if (handle == 0 || handle > LAST)
        return 1;
    return command ? (model[handle].commands ? 0 : 3) : (model[handle].writes ? 0 : 3);
}

static uint8_t length_error(uint16_t handle, size_t length)
{
    return length > model[handle].most || (model[handle].fixed && length != model[handle].most) ? 0x0d : 0;
}

static uint8_t configuration_error(const uint8_t *bytes)
{
    return bytes[0] > 3 || bytes[1] != 0 ? 0xfd : 0;
}

static uint8_t model_write(struct client *client, uint16_t handle, const uint8_t *bytes, size_t length, bool command)
{
    uint8_t error = write_right(handle, command);
    if (error == 0)
        error = length_error(handle, length);
    if (error == 0 && model[handle].asks)
        error = consent_answer;
    if (error == 0 && handle == 11)
        error = configuration_error(bytes);
    if (error == 0 && handle == 15)
        error = bytes[0] > 9 ? 0xff : 0;
    if (error != 0)
        return error;
    if (handle == 11) {
        client->configuration = bytes[0];
    } else {
        memcpy(model[handle].value, bytes, length);
        model[handle].length = length;
    }
    return 0;
}

/* Whether two values of a queue would both ask the firmware. */
static bool asks_twice(const struct client *client, uint16_t handle)
{
    for (size_t i = 0; i < client->queued; i++) {
        uint16_t other = client->queue[i].handle;
        if (other != handle && (handle == 15 || handle == 17) && (other == 15 || other == 17))
            return true;
    }
    return false;
}

static size_t model_prepare(struct client *client, const uint8_t *pdu, size_t size, uint8_t *out)
{
    uint16_t handle = word(pdu + 1);
    uint8_t error = write_right(handle, false);
    if (error == 0 && asks_twice(client, handle))
        error = 9;
    if (error != 0)
        return refuse(out, 0x16, handle, error);
    struct part *part = &client->queue[client->queued++];
    *part = (struct part){.handle = handle, .offset = word(pdu + 3), .length = size - 5};
    memcpy(part->bytes, pdu + 5, size - 5);
    memcpy(out, pdu, size);
    out[0] = 0x17;
    return size;
}

/* All parts of one value, put together on what there is. */
static uint8_t assemble(const struct client *client, uint16_t handle, uint8_t *value, size_t *end)
{
    size_t there = handle == 15 || handle == 11 ? 0 : model[handle].length; /* these are only written whole */
    *end = 0;
    memcpy(value, handle == 11 ? (const uint8_t[]){client->configuration, 0} : model[handle].value,
           model[handle].length);
    for (size_t i = 0; i < client->queued; i++) {
        const struct part *part = &client->queue[i];
        if (part->handle != handle)
            continue;
        if (part->offset > there)
            return 7;
        size_t own = part->offset + part->length;
        if (own <= model[handle].most)
            memcpy(value + part->offset, part->bytes, part->length);
        *end = own > *end ? own : *end;
        there = own > there ? own : there;
    }
    return length_error(handle, *end);
}

/* The host looks at whole parts; those of a configuration must be whole, too. */
static uint8_t model_check(const struct client *client, uint16_t handle, uint8_t *value, size_t *end)
{
    uint8_t error = assemble(client, handle, value, end);
    if (error == 0 && handle == 11)
        error = configuration_error(value);
    return error;
}

static size_t model_execute(struct client *client, const uint8_t *pdu, uint8_t *out)
{
    uint8_t value[1024];
    size_t end;
    uint8_t error = 0;
    uint16_t handle = 0;
    if (pdu[1] > 1)
        return refuse(out, 0x18, 0, 4);
    for (size_t i = 0; i < client->queued && pdu[1] == 1 && error == 0; i++) {
        handle = client->queue[i].handle;
        error = model_check(client, handle, value, &end);
    }
    for (size_t i = 0; i < client->queued && pdu[1] == 1 && error == 0; i++) {
        handle = client->queue[i].handle;
        if (handle != 15 && handle != 17)
            continue;
        (void)assemble(client, handle, value, &end);
        error = handle == 17 ? consent_answer : value[0] > 9 ? 0xff : 0;
    }
    for (size_t i = 0; i < client->queued && pdu[1] == 1 && error == 0; i++) {
        (void)assemble(client, client->queue[i].handle, value, &end);
        if (client->queue[i].handle == 11) {
            client->configuration = value[0];
        } else {
            memcpy(model[client->queue[i].handle].value, value, end);
            model[client->queue[i].handle].length = end;
        }
    }
    client->queued = 0;
    out[0] = 0x19;
    return error == 0 ? 1 : refuse(out, 0x18, handle, error);
}

/* The answer to a whole, well-formed PDU; 0: none. */
static size_t model_answer(struct client *client, const uint8_t *pdu, size_t size, uint8_t *out)
{
    uint8_t error;
    bool ranged = pdu[0] == 4 || pdu[0] == 6 || pdu[0] == 8 || pdu[0] == 0x10;
    if (ranged && (word(pdu + 1) == 0 || word(pdu + 1) > word(pdu + 3)))
        return refuse(out, pdu[0], word(pdu + 1), 1);
    switch (pdu[0]) {
    case 0x02:
        client->mtu = word(pdu + 1) < 23 ? 23 : word(pdu + 1) < YS_MTU_PREFERRED ? word(pdu + 1) : YS_MTU_PREFERRED;
        out[0] = 3;
        out[1] = (uint8_t)YS_MTU_PREFERRED;
        out[2] = (uint8_t)(YS_MTU_PREFERRED >> 8);
        return 3;
    case 0x04:
        return model_find_information(client, pdu, out);
    case 0x06:
        return model_find_value(client, pdu, size, out);
    case 0x08:
    case 0x10:
        return model_by_type(client, pdu, size, out);
    case 0x0a:
        return model_read(client, pdu, 0, out);
    case 0x0c:
        return model_read(client, pdu, word(pdu + 3), out);
    case 0x0e:
    case 0x20:
        return model_multiple(client, pdu, size, out);
    case 0x12:
        error = model_write(client, word(pdu + 1), pdu + 3, size - 3, false);
        out[0] = 0x13;
        return error == 0 ? 1 : refuse(out, 0x12, word(pdu + 1), error);
    case 0x52:
        (void)model_write(client, word(pdu + 1), pdu + 3, size - 3, true);
        return 0;
    case 0x16:
        return model_prepare(client, pdu, size, out);
    case 0x18:
        return model_execute(client, pdu, out);
    default:
        return (pdu[0] & 0x40) != 0 ? 0 : refuse(out, pdu[0], 0, 6);
    }
}

/* what a client may think of */

static size_t put_word(uint8_t *to, uint32_t number)
{
    to[0] = (uint8_t)number;
    to[1] = (uint8_t)(number >> 8);
    return 2;
}

static uint32_t some_handle(void)
{
    return draw(20) == 0 ? (draw(2) == 0 ? 0xffff : 0) : draw(LAST + 2);
}

static size_t some_bytes(uint8_t *to, size_t most)
{
    size_t length = draw(4) == 0 ? draw((uint32_t)most + 1) : draw(5);
    length = length < most ? length : most;
    for (size_t i = 0; i < length; i++)
        to[i] = (uint8_t)(draw(3) == 0 ? draw(256) : draw(4));
    return length;
}

static size_t some_type(uint8_t *to)
{
    static const uint16_t types[] = {0x2800, 0x2801, 0x2802, 0x2803, 0x2902, 0x2a00,
                                     0x2a3d, 0x2a56, 0x2a57, 0x2a58, 0x2901, 0x1234};
    if (draw(8) == 0) {
        memcpy(to, long_0, 16);
        to[12] = (uint8_t)draw(3);
        return 16;
    }
    return put_word(to, types[draw(12)]);
}

static size_t some_request(const struct client *client, uint8_t *pdu)
{
    static const uint8_t opcodes[] = {0x02, 0x04, 0x06, 0x08, 0x08, 0x10, 0x0a, 0x0a, 0x0c, 0x0e, 0x20, 0x12,
                                      0x12, 0x12, 0x52, 0x52, 0x16, 0x16, 0x16, 0x18, 0x18, 0x22, 0x7e};
    uint8_t opcode = opcodes[draw(sizeof opcodes)];
    size_t used = 1;
    if (client->queued == 24)
        opcode = 0x18;
    pdu[0] = opcode;
    if (opcode == 0x02)
        used += put_word(pdu + 1, draw(2) == 0 ? draw(300) : MTU);
    if (opcode == 4 || opcode == 6 || opcode == 8 || opcode == 0x10) {
        used += put_word(pdu + used, draw(2) == 0 ? 1 : some_handle());
        used += put_word(pdu + used, draw(2) == 0 ? 0xffff : some_handle());
    }
    if (opcode == 8 || opcode == 0x10)
        used += some_type(pdu + used);
    if (opcode == 6) {
        used += put_word(pdu + used, draw(2) == 0 ? 0x2800 : 0x2a00 + draw(0x60));
        used += draw(2) == 0 ? put_word(pdu + used, 0x1800 + 15 * draw(2)) : some_bytes(pdu + used, 12);
    }
    if (opcode == 0x0a || opcode == 0x0c || opcode == 0x12 || opcode == 0x52 || opcode == 0x16)
        used += put_word(pdu + used, some_handle());
    if (opcode == 0x0c || opcode == 0x16)
        used += put_word(pdu + used, draw(3) == 0 ? draw(320) : draw(6));
    if (opcode == 0x12 || opcode == 0x52)
        used += some_bytes(pdu + used, client->mtu - 3u);
    if (opcode == 0x16)
        used += some_bytes(pdu + used, client->mtu - 5u < 8 ? client->mtu - 5u : 8);
    if (opcode == 0x18)
        pdu[used++] = (uint8_t)(draw(8) == 0 ? 2 : draw(4) != 0);
    for (uint32_t i = 0; (opcode == 0x0e || opcode == 0x20) && i < 2 + draw(4); i++)
        used += put_word(pdu + used, some_handle());
    return used;
}

/* the walk */

static struct scripted scripted;
static uint8_t memory[340];
static uint8_t to_host[300];
static size_t to_host_length;
/* What the server has sent to each client since it was last looked at. */
static struct {
    uint8_t pdu[300]; /* the last */
    size_t length;
    unsigned count;
    unsigned completed;
} heard[CLIENTS];

static void send_packet(void *context, const uint8_t *packet, size_t length)
{
    size_t client = (size_t)(word(packet + 1) & 0x0fff) - FIRST;
    (void)context;
    heard[client].length = length - 9;
    memcpy(heard[client].pdu, packet + 9, length - 9);
    heard[client].count++;
    heard[client].completed++;
}

static const uint8_t *receive(void *context, size_t *length)
{
    static uint8_t event[] = {0x04, 0x13, 0x05, 0x01, 0x00, 0x00, 0x00, 0x00};
    (void)context;
    for (size_t i = 0; i < CLIENTS; i++) {
        if (heard[i].completed == 0)
            continue;
        event[4] = (uint8_t)(FIRST + i);
        event[6] = (uint8_t)heard[i].completed;
        heard[i].completed = 0;
        *length = sizeof event;
        return event;
    }
    *length = to_host_length;
    to_host_length = 0;
    return *length > 0 ? to_host : NULL;
}

/* Gives the server a PDU, and takes what it answers. */
static void say(size_t client, const uint8_t *pdu, size_t size)
{
    uint8_t header[9] = {0x02, (uint8_t)(FIRST + client), 0x20, (uint8_t)(size + 4), 0, (uint8_t)size, 0, 0x04, 0};
    memcpy(to_host, header, 9);
    memcpy(to_host + 9, pdu, size);
    to_host_length = 9 + size;
    heard[client].count = 0;
    for (int i = 0; i < 3; i++)
        (void)ys_host_run(&scripted.host);
}

static void differs(uint64_t step, uint64_t seed, size_t client, const uint8_t *pdu, size_t size,
                    const uint8_t *expected, size_t expected_length)
{
    print_error("step %llu, seed %llu: client %zu sends %s\n", (unsigned long long)step, (unsigned long long)seed,
                client, to_hex(pdu, size));
    print_error("the model says  %s\n", to_hex(expected, expected_length));
    print_error("the server says %s (%u times)\n",
                heard[client].count > 0 ? to_hex(heard[client].pdu, heard[client].length) : "nothing",
                heard[client].count);
    fail_msg("the server and the model differ");
}

/* The value that everybody may subscribe to changes: each subscriber is told once, by the way it chose. */
static void change(void)
{
    for (size_t i = 0; i < CLIENTS; i++)
        heard[i].count = 0;
    ys_host_changed(&scripted.host, 10);
    for (int i = 0; i < 4; i++)
        (void)ys_host_run(&scripted.host);
    for (size_t i = 0; i < CLIENTS; i++) {
        const struct client *client = &clients[i];
        assert_int_equal(heard[i].count, client->configuration != 0);
        if (client->configuration == 0)
            continue;
        bool indicates = (client->configuration & 2) != 0;
        size_t length = client->mtu - 3u < 30 ? client->mtu - 3u : 30;
        assert_int_equal(heard[i].pdu[0], indicates ? 0x1d : 0x1b);
        assert_int_equal(word(heard[i].pdu + 1), 10);
        assert_int_equal(heard[i].length, 3 + length);
        assert_memory_equal(heard[i].pdu + 3, thirty, length);
        if (indicates)
            say(i, (const uint8_t[]){0x1e}, 1);
    }
}

static void disconnect(size_t client)
{
    const uint8_t event[] = {0x04, 0x05, 0x04, 0x00, (uint8_t)(FIRST + client), 0x00, 0x13};
    const uint8_t complete[] = {
        0x04, 0x3e, 0x13, 0x01, 0x00, (uint8_t)(FIRST + client), 0x00, 0x01, 0x00, 1, 2, 3, 4, 5, 6, 0x18, 0x00,
        0x00, 0x00, 0x2a, 0x00, 0x00};
    memcpy(to_host, event, sizeof event);
    to_host_length = sizeof event;
    (void)ys_host_run(&scripted.host);
    memcpy(to_host, complete, sizeof complete);
    to_host_length = sizeof complete;
    (void)ys_host_run(&scripted.host);
    clients[client] = (struct client){.mtu = 23};
    heard[client].completed = 0; /* what the controller held is gone */
}

static uint64_t setting(const char *name, uint64_t otherwise)
{
    const char *text = getenv(name);
    return text != NULL ? strtoull(text, NULL, 10) : otherwise;
}

static void the_server_says_what_the_model_says_wherever_the_walk_goes(void **state)
{
    uint64_t steps = setting("YARNSWIFT_WALK_STEPS", 30000);
    uint64_t seed = setting("YARNSWIFT_WALK_SEED", 20261123);
    (void)state;
    chance = seed * UINT64_C(0x9e3779b97f4a7c15) + 1;
    model_begin();
    scripted_init(&scripted, &table, memory, NULL);
    scripted_start(&scripted, 251, 8);
    for (size_t i = 0; i < CLIENTS; i++)
        connect_it(&scripted, (uint16_t)(FIRST + i), 1);
    scripted.port.send = send_packet;
    scripted.port.receive = receive;
    for (uint64_t step = 0; step < steps; step++) {
        uint8_t pdu[600];
        uint8_t expected[600];
        size_t client = draw(CLIENTS);
        scripted.event_count = 0;
        consent_answer = draw(4) == 0 ? YS_ATT_INSUFFICIENT_AUTHORIZATION : YS_ATT_OK;
        if (draw(50) == 0)
            change();
        if (draw(300) == 0)
            disconnect(client);
        size_t size = some_request(&clients[client], pdu);
        size = size < clients[client].mtu ? size : clients[client].mtu;
        if ((pdu[0] == 0x0e || pdu[0] == 0x20) && size % 2 == 0)
            size--;
        size_t length = model_answer(&clients[client], pdu, size, expected);
        say(client, pdu, size);
        bool same = length == 0 ? heard[client].count == 0
                                : heard[client].count == 1 && heard[client].length == length &&
                                      memcmp(heard[client].pdu, expected, length) == 0;
        if (!same)
            differs(step, seed, client, pdu, size, expected, length);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(the_server_says_what_the_model_says_wherever_the_walk_goes),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
