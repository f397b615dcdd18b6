/* A host that shapes its connections and has channels hears whatever comes: events, signalling, packets of channels. It
 * goes on, and never lends or uses more than there is. */
#include <stdlib.h>
#include <string.h>

#include <yarnswift/channel.h>
#include <yarnswift/link.h>

#include "hosted.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static struct hosted hosted;
static struct ys_links links;
static struct ys_channels channels;
static struct ys_channel list[3];
static uint8_t memory[3][300];
static const struct ys_link_wishes wishes = {.interval_min_us = 7500,
                                             .interval_max_us = 30000,
                                             .supervision_timeout_ms = 2000,
                                             .packet_length = 251,
                                             .send_phys = YS_2M,
                                             .receive_phys = YS_2M,
                                             .accepts = YS_LINK_ACCEPT_WITHIN};

static void use(struct ys_host *host)
{
    if (ys_host_use_links(host, &links, &wishes) != YS_OK)
        abort();
    ys_host_use_channels(host, &channels);
}

static struct ys_channel_settings settings_of(size_t i)
{
    return (struct ys_channel_settings){
        .spsm = (uint16_t)(0x80 + i), .credits = 3, .memory = memory[i], .size = (uint16_t)(23 + 100 * i)};
}

/* A frame for a channel of L2CAP. */
static void give_frame(uint8_t channel, const uint8_t *bytes, uint8_t length)
{
    uint8_t packet[9 + 255];
    uint16_t whole = (uint16_t)(length + 4);
    const uint8_t header[9] = {2, 1, 0x20, (uint8_t)whole, (uint8_t)(whole >> 8), length, 0, channel, 0};
    memcpy(packet, header, sizeof header);
    memcpy(packet + sizeof header, bytes, length);
    hosted_give(&hosted, packet, sizeof header + length);
}

static void give_event(const uint8_t *bytes, uint8_t length)
{
    uint8_t packet[3 + 255] = {4, 0x3e, length};
    memcpy(packet + 3, bytes, length);
    hosted_give(&hosted, packet, 3u + length);
}

/* The controller answers the command that runs, so that the next can. */
static void answer(uint8_t status)
{
    static const uint8_t opcodes[][2] = {{0x20, 0x20}, {0x21, 0x20}, {0x13, 0x20}, {0x22, 0x20}, {0x32, 0x20}};
    for (size_t i = 0; i < sizeof opcodes / sizeof opcodes[0]; i++) {
        const uint8_t complete[] = {4, 0x0e, 4, 1, opcodes[i][0], opcodes[i][1], status};
        const uint8_t told[] = {4, 0x0f, 4, status, 1, opcodes[i][0], opcodes[i][1]};
        hosted_give(&hosted, complete, sizeof complete);
        hosted_give(&hosted, told, sizeof told);
    }
}

static void check(void)
{
    for (size_t i = 0; i < 3; i++) {
        const struct ys_channel *channel = &list[i];
        if (channel->state > YS_CHANNEL_CLOSING || channel->received > channel->settings.size ||
            channel->sent > channel->sending_length || channel->lent > 3)
            abort();
    }
}

static void step(uint8_t kind, const uint8_t *bytes, uint8_t length)
{
    static const uint8_t message[200] = {1};
    struct ys_channel *channel = &list[length % 3];
    const struct ys_channel_settings settings = settings_of(length % 3);
    switch (kind % 10) {
    case 0:
    case 1:
        give_frame(5, bytes, length);
        break;
    case 2:
    case 3:
        give_frame((uint8_t)(0x40 + length % 4), bytes, length);
        break;
    case 4:
        give_event(bytes, length);
        break;
    case 5:
        answer(length > 0 ? bytes[0] : 0);
        break;
    case 6:
        (void)ys_channel_wait(&hosted.host, channel, &settings);
        break;
    case 7:
        (void)ys_channel_open(&hosted.host, channel, 1, &settings);
        break;
    case 8:
        (void)ys_channel_send(&hosted.host, channel, message, (uint16_t)(length % 200));
        break;
    default:
        if (length % 7 == 0)
            (void)ys_channel_close(&hosted.host, channel);
        else
            hosted.now_ms += 100u * length;
        break;
    }
    hosted_give_buffers(&hosted);
    check();
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    memset(list, 0, sizeof list);
    hosted_begin_with(&hosted, use);
    while (size > 1 && data[1] <= size - 2) {
        step(data[0], data + 2, data[1]);
        size -= (size_t)data[1] + 2;
        data += (size_t)data[1] + 2;
    }
    return 0;
}
