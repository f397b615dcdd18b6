/* What a page shows of traffic: whatever packets come, and at whatever times, it is JSON, it stays within its bounds,
 * and it counts all packets. Of each packet: how it is repeated, side and channel; time; length; payload. */
#include <stdlib.h>
#include <string.h>

#include "capture/follow/follow.h"
#include "cli/page/timeline.h"
#include "wire/link.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static void name_attribute(void *context, const struct ys_party *server, uint16_t handle, struct ys_meaning *meaning)
{
    static const char *const names[] = {"load", "<b>", "\xff"};
    (void)context;
    (void)server;
    *meaning = (struct ys_meaning){.service = "weighing", .name = names[handle % 3], .field = names};
}

/* Odd handles are numbers of any size. */
static bool number_of(void *context, const void *field, const uint8_t *bytes, size_t length, double *number,
                      const char **unit)
{
    (void)context;
    (void)field;
    *unit = length > 2 ? "kg" : "";
    *number = 0;
    memcpy(number, bytes, length < sizeof *number ? length : sizeof *number);
    return length % 4 != 3;
}

static void take_packets(struct ys_follower *follower, const uint8_t *data, size_t size)
{
    static struct ys_record record;
    record = (struct ys_record){.kind = YS_RECORD_AIR, .known = YS_AIR_CHANNEL | YS_AIR_CRC | YS_AIR_PHY};
    record.air.crc_good = true;
    record.air.access_address = 0x50657a4d;
    for (size_t at = 0; at + 4 <= size;) {
        uint8_t kind = data[at];
        size_t length = data[at + 3] < size - at - 4 ? data[at + 3] : size - at - 4;
        uint64_t step_ns = (uint64_t)data[at + 1] << data[at + 2] % 32;
        length = length < YS_LINK_PDU_MAX - 2 ? length : YS_LINK_PDU_MAX - 2;
        record.air.channel = kind % 37;
        record.air.side = kind % 2 == 0 ? (uint8_t)YS_AIR_CENTRAL : (uint8_t)YS_AIR_PERIPHERAL;
        record.air.length = (uint16_t)(length + 2);
        record.air.pdu[0] = (uint8_t)(2 | (kind & 0x0c));
        record.air.pdu[1] = (uint8_t)length;
        memcpy(record.air.pdu + 2, data + at + 4, length);
        for (unsigned i = 0; i <= (kind >= 0xf8 ? 700U : 0U); i++) {
            record.number++;
            record.at_ns += step_ns;
            record.air.start_ns = record.at_ns;
            record.air.pdu[0] ^= 0x08; /* the sequence number: another packet */
            ys_follower_take(follower, &record);
        }
        at += 4 + length;
    }
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static const struct ys_glossary glossary = {.attribute = name_attribute, .number = number_of};
    struct timeline *timeline = timeline_new(&glossary);
    struct ys_follower *follower = timeline != NULL ? ys_follower_new(timeline_take, timeline) : NULL;
    if (follower == NULL)
        abort();
    take_packets(follower, data, size < 4000 ? size : 4000);
    json_t *root = timeline_json(timeline);
    char *text = json_dumps(root, JSON_COMPACT | JSON_ENSURE_ASCII);
    json_int_t sum = 0;
    const json_t *one;
    size_t index;
    json_array_foreach(json_object_get(root, "busy"), index, one)
    {
        sum += json_integer_value(one);
    }
    if (text == NULL || json_array_size(json_object_get(root, "packets")) > 6000 ||
        json_array_size(json_object_get(root, "series")) > 24 ||
        sum != json_integer_value(json_object_get(root, "packets_all")))
        abort();
    free(text);
    json_decref(root);
    ys_follower_free(follower);
    timeline_free(timeline);
    return 0;
}
