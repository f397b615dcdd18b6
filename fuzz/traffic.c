/* Traffic of a connection, whatever it is: packets in any order, pieces of frames of any length, repeated, missing and
 * encrypted ones. They are put together, followed, said in words, filtered and watched. */
#include <stdlib.h>
#include <string.h>

#include "capture/audit/audit.h"
#include "capture/say/filter.h"
#include "capture/say/filter_ask.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static struct ys_audit *audit;
static struct ys_filter *filter;
static const struct ys_glossary glossary;

static void take(void *context, const struct ys_seen *seen)
{
    (void)context;
    for (int layer = 0; layer < YS_TRACE_LAYERS; layer++) {
        char words[300];
        struct ys_text text = ys_text_in(words, sizeof words);
        struct ys_message message;
        if (!ys_message_of(seen, (enum ys_trace_layer)layer, &glossary, &message))
            continue;
        ys_message_say(&message, &glossary, &text);
        (void)ys_filter_matches(filter, &message, &glossary, 0, 0);
    }
    ys_audit_take(audit, seen);
}

/* A connect request to begin with, in which the interval and the map are the fuzzer's. */
static void begin(struct ys_follower *follower, struct ys_record *record, const uint8_t bytes[4])
{
    struct ys_link_advertising request = {.type = YS_LINK_CONNECT_IND, .channel_selection_2 = (bytes[0] & 1) != 0};
    request.connect = (struct ys_link_connect){.access_address = 0x50657a4d,
                                               .window_size = 1,
                                               .interval = bytes[1],
                                               .timeout = 100,
                                               .channel_map = {bytes[2], bytes[3], 0xff, 0xff, 0x1f},
                                               .hop = bytes[0] >> 3};
    struct ys_writer writer = ys_writer_to(record->air.pdu, sizeof record->air.pdu);
    ys_put_link_advertising(&writer, &request);
    record->air.length = (uint16_t)ys_writer_stored(&writer);
    record->air.channel = 37;
    record->air.access_address = YS_LINK_ADVERTISING_ACCESS_ADDRESS;
    ys_follower_take(follower, record);
    record->air.access_address = 0x50657a4d;
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static const char text[] = "(live torque > 40 or value = \"x\" or handle < 9) and not error and kind notification";
    static struct ys_record record;
    char error[200];
    size_t column;
    if (size < 4)
        return 0;
    if (filter == NULL)
        filter = ys_filter_parse(text, error, sizeof error, &column);
    audit = ys_audit_new(&glossary);
    struct ys_follower *follower = ys_follower_new(take, NULL);
    if (audit == NULL || follower == NULL || filter == NULL)
        abort();
    record = (struct ys_record){.kind = YS_RECORD_AIR, .known = YS_AIR_CHANNEL | YS_AIR_CRC | YS_AIR_PHY};
    record.air.crc_good = true;
    begin(follower, &record, data);
    /* of each packet: side, channel and PHY; time; header; length; payload */
    for (size_t at = 4; at + 4 <= size;) {
        uint8_t length = data[at + 3];
        size_t left = size - at - 4;
        size_t there = length < left ? length : left;
        record.number++;
        record.at_ns += (uint64_t)data[at + 1] * 77000;
        record.air.start_ns = record.at_ns;
        record.air.side = (uint8_t)(data[at] & 1   ? YS_AIR_CENTRAL
                                    : data[at] & 2 ? YS_AIR_PERIPHERAL
                                                   : YS_AIR_SIDE_UNKNOWN);
        record.air.channel = (data[at] >> 2) % 40;
        record.air.phy = (enum ys_phy)(data[at] % 4);
        record.air.pdu[0] = data[at + 2];
        record.air.pdu[1] = (uint8_t)there;
        memcpy(record.air.pdu + 2, data + at + 4, there);
        record.air.length = (uint16_t)(2 + there);
        ys_follower_take(follower, &record);
        at += 4 + there;
    }
    ys_follower_free(follower);
    ys_audit_free(audit);
    return 0;
}
