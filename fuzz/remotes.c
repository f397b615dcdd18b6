/* A remote device whose other side is the fuzzer: reports, connections, answers of any kind and notifications come as
 * they like, while the firmware reads, writes, stops and searches. It is told ready and lost in turn, its places lie in
 * the plan, and nothing is taken while it is not ready. */
#include <stdlib.h>
#include <string.h>
#include <yarnswift/remote.h>

#include "hosted.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

#define LINK 2

static struct hosted hosted;
static struct ys_remote remote;
static uint8_t opcode[2]; /* of a command that waits for its answer */
static bool ready;

static void on_ready(struct ys_remote *which, bool is)
{
    if (is == ready || which != &remote || (is && !ys_remote_is_ready(which)))
        abort();
    ready = is;
}

static void on_value(struct ys_remote *which, uint8_t item, struct ys_reader *value)
{
    if (item >= 3 || !ys_remote_has(which, item))
        abort();
    (void)ys_get_u32(value);
    if (ready)
        (void)ys_remote_write(which, 1, "\1\2", 2);
}

static void on_done(struct ys_remote *which, uint8_t item, uint8_t error)
{
    if (which != &remote || item >= 3)
        abort();
    (void)error;
}

static const struct ys_remote_item items[] = {
    {{2, {0x0f, 0x18}}, {2, {0x19, 0x2a}}},
    {{2, {0x0f, 0x18}}, {2, {0x1a, 0x2a}}},
    {{2, {0x0a, 0x18}}, {2, {0x19, 0x2a}}},
};
static const struct ys_uuid service = {2, {0x0f, 0x18}};
static const struct ys_report_filter filter = {NULL, &service, false, 0, false, 0};
static const struct ys_remote_plan plan = {items, &filter, 3};
static struct ys_remote_place places[3];
static uint8_t memory[2 * 8];
static const uint8_t wanted[] = {0};
static const struct ys_remote_settings settings = {
    .plan = &plan,
    .places = places,
    .subscribe = wanted,
    .subscribe_count = 1,
    .memory = memory,
    .size = 8,
    .on_ready = on_ready,
    .on_value = on_value,
    .on_done = on_done,
};

static void use(struct ys_host *host)
{
    if (ys_remote_init(host, &remote, &settings) != YS_OK || ys_remote_search(&remote) != YS_OK)
        abort();
}

static void on_sent(const uint8_t *packet, size_t length)
{
    if (packet[0] == 1 && length > 2)
        memcpy(opcode, packet + 1, 2);
}

static void on_event(const struct ys_event *event)
{
    (void)ys_remote_event(&remote, event);
}

static void answer_commands(void)
{
    for (int i = 0; opcode[1] != 0 && i < 20; i++) {
        const uint8_t complete[] = {4, 0x0e, 4, 1, opcode[0], opcode[1], 0};
        const uint8_t status[] = {4, 0x0f, 4, 0, 1, opcode[0], opcode[1]};
        bool later = (opcode[0] == 0x06 && opcode[1] == 0x04) || (opcode[0] == 0x0d && opcode[1] == 0x20);
        opcode[1] = 0;
        hosted_give(&hosted, later ? status : complete, later ? sizeof status : sizeof complete);
    }
}

static void give_link_pdu(const uint8_t *pdu, uint8_t length)
{
    uint8_t packet[9 + 64] = {2, LINK, 0x20, (uint8_t)(length + 4), 0, length, 0, 4, 0};
    memcpy(packet + 9, pdu, length);
    hosted_give(&hosted, packet, 9u + length);
}

static void give_event(uint8_t which, uint8_t byte)
{
    static const uint8_t report[] = {4, 0x3e, 19, 2, 1, 0, 0, 1, 2, 3, 4, 5, 6, 7, 2, 1, 6, 3, 3, 0x0f, 0x18, 0xc4};
    static const uint8_t completed[] = {4, 0x13, 5, 1, LINK, 0, 9, 0};
    const uint8_t comes[] = {4, 0x3e, 19, 1, (uint8_t)(byte & 1 ? 2 : 0), LINK, 0, 0, 0, 1, 2, 3, 4, 5, 6, 24, 0, 0,
                             0, 0x90, 1,  0};
    const uint8_t goes[] = {4, 5, 4, 0, LINK, 0, 8};
    if (which == 0)
        hosted_give(&hosted, report, sizeof report);
    else if (which == 1)
        hosted_give(&hosted, comes, sizeof comes);
    else if (which == 2)
        hosted_give(&hosted, goes, sizeof goes);
    else
        hosted_give(&hosted, completed, sizeof completed);
}

static void call(uint8_t which)
{
    static const uint8_t bytes[8] = {1};
    uint8_t item = which >> 2 & 3;
    switch (which & 3) {
    case 0:
        if (ys_remote_write(&remote, item, bytes, which >> 4 & 15) == YS_OK && !ready)
            abort();
        break;
    case 1:
        if (ys_remote_read(&remote, item) == YS_OK && !ready)
            abort();
        break;
    case 2:
        ys_remote_stop(&remote);
        ready = false;
        break;
    default:
        (void)ys_remote_search(&remote);
        break;
    }
}

/* A row of steps: one of four kinds, with what it needs. */
int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    ready = false;
    opcode[1] = 0;
    hosted_begin_with(&hosted, use);
    hosted.on_sent = on_sent;
    hosted.on_event = on_event;
    (void)ys_remote_event(&remote, &(struct ys_event){.kind = YS_EVENT_READY});
    for (size_t i = 0; i + 1 < size && i < 2000; i += 2) {
        uint8_t length = data[i + 1] & 63;
        if (data[i] < 160 && i + 2 + length <= size) {
            give_link_pdu(data + i + 2, length);
            i += length;
        } else if (data[i] < 200) {
            give_event(data[i] & 3, data[i + 1]);
        } else if (data[i] < 230) {
            call(data[i + 1]);
        } else {
            hosted.now_ms += data[i + 1] * 100u;
            hosted_give(&hosted, NULL, 0);
        }
        answer_commands();
        for (size_t j = 0; j < 3; j++) {
            if (places[j].value > 0 && places[j].configuration > 0 && places[j].configuration <= places[j].value)
                abort();
        }
    }
    return 0;
}
