/* The last packets on the air, in words. */
#include "scene/packets.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <yarnswift/codes.h>

#include "design/value.h"
#include "wire/att.h"
#include "wire/hex.h"
#include "wire/l2cap.h"
#include "wire/link_control.h"
#include "wire/smp.h"

#define KEPT   512
#define LINKS  16
#define FRAMES 600

/* Who is who on a link: the one that sent first in each event, and the other; and what of a frame has come. */
struct half {
    uint16_t sender;
    uint16_t length;
    uint16_t expected;
    uint16_t asked; /* the handle that it asked for last */
    bool sequence;
    bool any;
    uint8_t frame[FRAMES];
};

struct on_link {
    uint32_t access_address;
    struct half halves[2];
};

struct kept {
    uint64_t at_ns;
    uint16_t sender;
    uint8_t channel;
    bool overlapped;
    bool telling;      /* not empty, nor advertising */
    const char *plain; /* what is said of it where that is always the same; NULL: */
    char text[180];
};

struct ys_packets {
    ys_sender_fn *sender;
    ys_handle_fn *handle;
    void *context;
    struct on_link links[LINKS];
    size_t next_link;
    struct kept kept[KEPT];
    uint64_t count;
};

struct ys_packets *ys_packets_new(ys_sender_fn *sender, ys_handle_fn *handle, void *context)
{
    struct ys_packets *packets = calloc(1, sizeof *packets);
    if (packets == NULL)
        return NULL;
    packets->sender = sender;
    packets->handle = handle;
    packets->context = context;
    return packets;
}

void ys_packets_free(struct ys_packets *packets)
{
    free(packets);
}

static const char *name_of(const struct ys_packets *packets, uint16_t number)
{
    const char *name = packets->sender(packets->context, number);
    return name != NULL ? name : "somebody";
}

/* links */

static struct on_link *find_link(struct ys_packets *packets, uint32_t access_address)
{
    for (size_t i = 0; i < LINKS; i++) {
        if (packets->links[i].access_address == access_address)
            return &packets->links[i];
    }
    struct on_link *link = &packets->links[packets->next_link++ % LINKS];
    *link = (struct on_link){.access_address = access_address};
    return link;
}

static struct half *find_half(struct on_link *link, uint16_t sender, struct half **other)
{
    bool second = link->halves[0].sender != sender && link->halves[0].sender != YS_AIR_UNKNOWN_SENDER;
    link->halves[second].sender = sender;
    *other = &link->halves[!second];
    return &link->halves[second];
}

/* values */

static void put_value(const struct ys_packets *packets, uint16_t server, uint16_t handle, const uint8_t *value,
                      size_t length, FILE *stream)
{
    const struct ys_field *field = NULL;
    const char *name = packets->handle(packets->context, server, handle, &field);
    char text[100];
    if (name != NULL)
        (void)fprintf(stream, " %s", name);
    else
        (void)fprintf(stream, " 0x%04X", handle);
    if (value == NULL)
        return;
    ys_value_say(name != NULL ? field : NULL, value, length, text, sizeof text);
    (void)fprintf(stream, ": %s", text);
}

static void put_error(const struct ys_att_pdu *pdu, FILE *stream)
{
    (void)fprintf(stream, " to %s, 0x%04X: %s (0x%02X)", ys_att_opcode_name(pdu->request), pdu->handle,
                  ys_att_error_text(pdu->error), pdu->error);
}

/* What a PDU of the attribute protocol says. The server is whoever does not ask. */
static void put_att(const struct ys_packets *packets, struct half *half, struct half *other, const uint8_t *bytes,
                    size_t length, FILE *stream)
{
    struct ys_att_pdu pdu;
    if (length == 0 || ys_att_decode(bytes, length, &pdu) != YS_ATT_GOOD) {
        (void)fprintf(stream, "an attribute PDU that is malformed or unknown: opcode 0x%02X, %zu bytes",
                      length > 0 ? bytes[0] : 0, length);
        return;
    }
    (void)fputs(ys_att_opcode_name(pdu.opcode), stream);
    switch (pdu.opcode) {
    case YS_ATT_ERROR_RESPONSE:
        put_error(&pdu, stream);
        break;
    case YS_ATT_MTU_REQUEST:
    case YS_ATT_MTU_RESPONSE:
        (void)fprintf(stream, ": %u", pdu.mtu);
        break;
    case YS_ATT_READ_REQUEST:
    case YS_ATT_READ_BLOB_REQUEST:
        half->asked = pdu.handle;
        put_value(packets, other->sender, pdu.handle, NULL, 0, stream);
        break;
    case YS_ATT_READ_RESPONSE:
        put_value(packets, half->sender, other->asked, pdu.value, pdu.length, stream);
        break;
    case YS_ATT_WRITE_REQUEST:
    case YS_ATT_WRITE_COMMAND:
        put_value(packets, other->sender, pdu.handle, pdu.value, pdu.length, stream);
        break;
    case YS_ATT_NOTIFICATION:
    case YS_ATT_INDICATION:
        put_value(packets, half->sender, pdu.handle, pdu.value, pdu.length, stream);
        break;
    case YS_ATT_FIND_INFORMATION_REQUEST:
    case YS_ATT_READ_BY_TYPE_REQUEST:
    case YS_ATT_READ_BY_GROUP_TYPE_REQUEST:
    case YS_ATT_FIND_BY_TYPE_VALUE_REQUEST:
        (void)fprintf(stream, " from 0x%04X to 0x%04X", pdu.first, pdu.last);
        break;
    default:
        break;
    }
}

static void put_security(const uint8_t *bytes, size_t length, FILE *stream)
{
    struct ys_smp_pdu pdu;
    if (ys_smp_decode(bytes, length, &pdu) != YS_SMP_GOOD)
        (void)fprintf(stream, "a security PDU that is malformed or unknown: code 0x%02X, %zu bytes",
                      length > 0 ? bytes[0] : 0, length);
    else if (pdu.code == YS_SMP_PAIRING_FAILED)
        (void)fprintf(stream, "pairing failed: %s (0x%02X)", ys_smp_reason_text(pdu.reason), pdu.reason);
    else
        (void)fputs(ys_smp_code_name(pdu.code), stream);
}

static void put_frame(const struct ys_packets *packets, struct half *half, struct half *other, FILE *stream)
{
    struct ys_reader reader = ys_reader_of(half->frame, half->length);
    struct ys_l2cap_header header;
    ys_get_l2cap_header(&reader, &header);
    size_t left = ys_reader_left(&reader);
    const uint8_t *bytes = ys_get_bytes(&reader, left);
    if (header.channel == YS_L2CAP_ATT) {
        put_att(packets, half, other, bytes, left, stream);
    } else if (header.channel == YS_L2CAP_SECURITY) {
        put_security(bytes, left, stream);
    } else {
        char raw[64];
        (void)fprintf(stream, "%s: %s",
                      header.channel == YS_L2CAP_SIGNALLING ? "signalling" : "a channel that there is not",
                      ys_hex_format(bytes, left, " ", raw, sizeof raw));
    }
}

/* A piece of a frame: what the whole frame says, once it is whole. */
static void put_piece(const struct ys_packets *packets, struct half *half, struct half *other,
                      const struct ys_link_data *data, FILE *stream)
{
    if (data->kind == YS_LINK_FIRST)
        half->length = 0;
    if (half->length + data->length <= FRAMES) {
        memcpy(half->frame + half->length, data->payload, data->length);
        half->length = (uint16_t)(half->length + data->length);
    }
    if (data->kind == YS_LINK_FIRST && half->length >= 2)
        half->expected = (uint16_t)(4 + (half->frame[0] | half->frame[1] << 8));
    if (half->length < half->expected)
        (void)fprintf(stream, "%s of a frame, %u of %u bytes",
                      data->kind == YS_LINK_FIRST ? "the beginning" : "a further piece", half->length, half->expected);
    else
        put_frame(packets, half, other, stream);
}

static void take_frame(const struct ys_packets *packets, struct half *half, struct half *other,
                       const struct ys_link_data *data, struct kept *kept)
{
    memset(kept->text, 0, sizeof kept->text);
    FILE *stream = fmemopen(kept->text, sizeof kept->text, "w");
    if (stream == NULL)
        return;
    put_piece(packets, half, other, data, stream);
    (void)fclose(stream);
    kept->text[sizeof kept->text - 1] = '\0';
}

static void take_data(struct ys_packets *packets, const struct ys_air_packet *packet, struct kept *kept)
{
    struct ys_link_data data;
    struct half *other = NULL;
    struct half *half = find_half(find_link(packets, packet->access_address), packet->sender, &other);
    kept->telling = true;
    kept->plain = "malformed";
    if (!ys_link_data_decode(packet->pdu, packet->length, &data))
        return;
    bool repeated = half->any && half->sequence == data.sequence;
    half->any = true;
    half->sequence = data.sequence;
    kept->telling = data.kind != YS_LINK_CONTINUING || data.length > 0;
    if (data.kind == YS_LINK_CONTROL)
        kept->plain =
            data.length > 0 && data.payload[0] == YS_LINK_TERMINATE_IND ? "ends the connection" : "link control";
    else if (!kept->telling)
        kept->plain = "empty";
    else
        kept->plain = repeated ? "the same again: it was not acknowledged" : NULL;
    if (kept->plain == NULL)
        take_frame(packets, half, other, &data, kept);
}

static const char *advertising_text(const struct ys_air_packet *packet)
{
    static const char *const types[] = {
        [YS_LINK_ADV_IND] = "advertises: connectable",       [YS_LINK_ADV_DIRECT_IND] = "advertises: directed",
        [YS_LINK_ADV_NONCONN_IND] = "advertises: beacon",    [YS_LINK_SCAN_REQ] = "asks for a scan response",
        [YS_LINK_SCAN_RSP] = "answers with a scan response", [YS_LINK_CONNECT_IND] = "connects",
        [YS_LINK_ADV_SCAN_IND] = "advertises: scannable"};
    struct ys_link_advertising pdu;
    bool good = ys_link_advertising_decode(packet->pdu, packet->length, &pdu);
    return good && pdu.type < sizeof types / sizeof types[0] ? types[pdu.type] : "extended advertising";
}

void ys_packets_take(struct ys_packets *packets, const struct ys_air_packet *packet)
{
    struct kept *kept = &packets->kept[packets->count++ % KEPT];
    kept->at_ns = packet->start_ns;
    kept->sender = packet->sender;
    kept->channel = packet->channel;
    kept->overlapped = packet->overlapped;
    kept->telling = false;
    if (packet->access_address == YS_LINK_ADVERTISING_ACCESS_ADDRESS)
        kept->plain = advertising_text(packet);
    else
        take_data(packets, packet, kept);
}

void ys_packets_say(const struct ys_packets *packets, size_t count, bool all,
                    void (*line)(void *context, const char *text), void *context)
{
    uint64_t first = packets->count > KEPT ? packets->count - KEPT : 0;
    uint64_t from = packets->count;
    for (; from > first && count > 0; from--) {
        const struct kept *kept = &packets->kept[(from - 1) % KEPT];
        count -= all || kept->telling;
    }
    for (uint64_t i = from; i < packets->count; i++) {
        const struct kept *kept = &packets->kept[i % KEPT];
        char text[320];
        if (!all && !kept->telling)
            continue;
        (void)snprintf(text, sizeof text, "%12.6f s  channel %2u  %-8s %s%s", (double)kept->at_ns / 1e9, kept->channel,
                       name_of(packets, kept->sender), kept->plain != NULL ? kept->plain : kept->text,
                       kept->overlapped ? "  (something else was on the channel)" : "");
        line(context, text);
    }
}
