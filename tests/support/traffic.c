/* Traffic by hand. */
#include "support/traffic.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "machine/crypto.h"
#include "support/check.h"
#include "support/hex.h"
#include "wire/link.h"

const uint8_t traffic_key[16] = {0xbf, 0x01, 0xfb, 0x9d, 0x4e, 0xf3, 0xbc, 0x36,
                                 0xd8, 0x74, 0xf5, 0x39, 0x41, 0x38, 0x68, 0x4c};

#define US       1000u
#define CRC_INIT 0x123456

struct tweaks {
    bool sn, nesn, alone, twice, more, longer, md, refused, crc, called_good, clear, mic;
    int ifs_us, late_us, channel, phy, length;
};

struct traffic {
    const struct ys_record_sink *sink;
    uint64_t now_ns;
    uint64_t end_ns;
    uint64_t number;
    /* the link */
    uint32_t access_address;
    uint32_t interval_us;
    uint64_t anchor_ns;
    uint16_t counter;
    bool csa2;
    uint8_t hop;
    uint8_t unmapped;
    uint8_t map[5];
    bool sn[2], nesn[2];
    enum ys_phy phy;
    bool encrypted;
    uint64_t sealed[2];
    uint8_t session[16];
    uint8_t vector[8];
    struct tweaks tweaks;
};

static void hand_over(struct traffic *traffic, struct ys_record *record)
{
    record->number = ++traffic->number;
    traffic->sink->take(traffic->sink->context, record);
}

static void put_air(struct traffic *traffic, uint8_t channel, enum ys_phy phy, uint32_t access_address, int side,
                    const uint8_t *pdu, size_t length, bool good)
{
    static struct ys_record record;
    record = (struct ys_record){.kind = YS_RECORD_AIR,
                                .at_ns = traffic->now_ns,
                                .known = YS_AIR_CHANNEL | YS_AIR_STRENGTH | YS_AIR_CRC | YS_AIR_PHY};
    record.air = (struct ys_air_packet){.start_ns = traffic->now_ns,
                                        .duration_ns = ys_link_duration_ns(phy, length),
                                        .channel = channel,
                                        .phy = phy,
                                        .access_address = access_address,
                                        .strength_dbm = -50,
                                        .crc_good = good,
                                        .side = (uint8_t)side,
                                        .length = (uint16_t)length};
    memcpy(record.air.pdu, pdu, length);
    uint32_t init = access_address == YS_LINK_ADVERTISING_ACCESS_ADDRESS ? YS_LINK_ADVERTISING_CRC_INIT : CRC_INIT;
    record.air.crc = ys_link_crc(init, pdu, length) ^ (uint32_t)(!good || traffic->tweaks.called_good);
    traffic->end_ns = traffic->now_ns + record.air.duration_ns;
    hand_over(traffic, &record);
    traffic->now_ns = traffic->end_ns;
}

/* HEX, with @N in it. */
static size_t read_bytes(const struct traffic *traffic, const char *text, uint8_t *bytes, size_t size)
{
    char plain[2000];
    size_t length = 0;
    for (; *text != '\0'; text++) {
        if (*text == '@') {
            char *end;
            uint16_t instant = (uint16_t)(traffic->counter + strtol(text + 1, &end, 10));
            length += (size_t)snprintf(plain + length, sizeof plain - length, "%02x%02x", instant & 255, instant >> 8);
            text = end - 1;
        } else {
            plain[length++] = *text;
        }
        assert_true(length + 8 < sizeof plain);
    }
    plain[length] = '\0';
    return from_hex(plain, bytes, size);
}

static enum ys_phy phy_of(char letter)
{
    return letter == '2' ? YS_PHY_2M : letter == 'c' ? YS_PHY_CODED_S8 : YS_PHY_1M;
}

/* encryption, by the crypto library alone */

static void turn(const uint8_t *from, uint8_t *to, size_t length)
{
    for (size_t i = 0; i < length; i++)
        to[i] = from[length - 1 - i];
}

static uint8_t seal(struct traffic *traffic, int side, uint8_t kind, uint8_t *payload, uint8_t length)
{
    uint8_t nonce[13] = {0};
    uint64_t counter = traffic->sealed[side]++;
    for (int i = 0; i < 5; i++)
        nonce[i] = (uint8_t)(counter >> 8 * i);
    nonce[4] |= side == 0 ? 0x80 : 0;
    memcpy(nonce + 5, traffic->vector, 8);
    struct ys_ccm *ccm = ys_ccm_new(traffic->session);
    assert_true(ccm != NULL && ys_ccm_seal(ccm, nonce, kind, payload, length, payload));
    ys_ccm_free(ccm);
    return (uint8_t)(length + 4);
}

/* events */

static void send_data(struct traffic *traffic, int side, uint8_t kind, const uint8_t *bytes, size_t count, bool tweaked)
{
    const struct tweaks *tweaks = &traffic->tweaks;
    uint8_t pdu[YS_LINK_PDU_MAX] = {0};
    uint8_t length = (uint8_t)count;
    memcpy(pdu + 2, bytes, count);
    if (traffic->encrypted && length > 0 && !(tweaked && tweaks->clear))
        length = seal(traffic, side, kind, pdu + 2, length);
    if (tweaked && tweaks->mic)
        pdu[1 + length] ^= 1;
    bool sn = traffic->sn[side] ^ (tweaked && tweaks->sn);
    bool nesn = traffic->nesn[side] ^ (tweaked && tweaks->nesn);
    pdu[0] = (uint8_t)(kind | nesn << 2 | sn << 3 | (tweaked && tweaks->md ? 0x10 : 0));
    pdu[1] = tweaked && tweaks->length != 0 ? (uint8_t)tweaks->length : length;
    uint8_t channel;
    if (traffic->csa2) {
        channel = ys_link_event_channel(traffic->access_address, traffic->counter, traffic->map);
    } else {
        uint8_t unmapped = traffic->unmapped;
        channel = ys_link_next_channel(&unmapped, traffic->hop, traffic->map);
    }
    if (tweaks->channel != 0)
        channel = (uint8_t)tweaks->channel;
    enum ys_phy phy = tweaked && tweaks->phy != 0 ? phy_of((char)tweaks->phy) : traffic->phy;
    put_air(traffic, channel, phy, traffic->access_address, side == 0 ? YS_AIR_CENTRAL : YS_AIR_PERIPHERAL, pdu,
            length + 2u, !(tweaked && tweaks->crc));
}

/* Once more in the same event, with nothing in it. */
static void play_exchange(struct traffic *traffic)
{
    for (int side = 0; side < 2; side++) {
        traffic->now_ns += 150 * US;
        send_data(traffic, side, 1, (const uint8_t *)"", 0, false);
        traffic->nesn[!side] = !traffic->sn[side];
    }
    traffic->sn[0] = !traffic->sn[0];
    traffic->sn[1] = !traffic->sn[1];
}

/* One event: what the central sends, and then the peripheral. */
static void play_event(struct traffic *traffic, int teller, uint8_t kind, const uint8_t *bytes, size_t count)
{
    const struct tweaks tweaks = traffic->tweaks;
    traffic->now_ns = traffic->anchor_ns + (uint64_t)(tweaks.late_us * (int)US);
    send_data(traffic, 0, teller == 0 ? kind : 1, bytes, teller == 0 ? count : 0, teller == 0);
    if (tweaks.twice) {
        traffic->now_ns += 150 * US;
        traffic->sn[0] = !traffic->sn[0];
        send_data(traffic, 0, teller == 0 ? kind : 1, bytes, teller == 0 ? count : 0, false);
    }
    if (!tweaks.alone) {
        traffic->nesn[1] = tweaks.refused ? traffic->sn[0] : !traffic->sn[0];
        traffic->now_ns += (uint64_t)((150 + tweaks.ifs_us) * (int)US);
        send_data(traffic, 1, teller == 1 ? kind : 1, bytes, teller == 1 ? count : 0, teller == 1);
        traffic->nesn[0] = !traffic->sn[1];
        if (tweaks.more) {
            uint8_t others[300];
            memcpy(others, bytes, count);
            others[count - 1] ^= 1;
            traffic->now_ns += 150 * US;
            send_data(traffic, 0, kind, others, count, false);
        }
        traffic->sn[0] = tweaks.refused ? traffic->sn[0] : !traffic->sn[0];
        traffic->sn[1] = !traffic->sn[1];
        if (tweaks.longer)
            play_exchange(traffic);
    }
    traffic->anchor_ns += traffic->interval_us * (uint64_t)US;
    traffic->counter++;
    traffic->unmapped = (uint8_t)((traffic->unmapped + traffic->hop) % 37);
    traffic->tweaks = (struct tweaks){.sn = false};
}

static void play_message(struct traffic *traffic, int teller, const char *text)
{
    uint8_t bytes[300];
    char kind = text[0];
    text += 1 + strspn(text + 1, " ");
    unsigned channel = kind == 'a' ? 4 : kind == 'g' ? 5 : 6;
    if (kind == 'f') {
        char *end;
        channel = (unsigned)strtoul(text, &end, 16);
        text = end;
    }
    if (kind == 'l' || kind == 'r') {
        uint8_t llid = 3;
        if (kind == 'r') {
            llid = (uint8_t)(text[0] - '0');
            text++;
        }
        play_event(traffic, teller, llid, bytes, read_bytes(traffic, text, bytes, sizeof bytes));
        return;
    }
    size_t length = read_bytes(traffic, text, bytes + 4, sizeof bytes - 4);
    bytes[0] = (uint8_t)length;
    bytes[1] = 0;
    bytes[2] = (uint8_t)channel;
    bytes[3] = (uint8_t)(channel >> 8);
    for (size_t at = 0; at < length + 4; at += 27) /* cut into packets as at first */
        play_event(traffic, teller, at == 0 ? 2 : 1, bytes + at, length + 4 - at < 27 ? length + 4 - at : 27);
}

/* commands */

static unsigned long value_of(const char *text, const char *key, unsigned long otherwise)
{
    char pattern[40];
    (void)snprintf(pattern, sizeof pattern, " %s=", key);
    const char *found = strstr(text, pattern);
    return found != NULL ? strtoul(found + strlen(pattern), NULL, 0) : otherwise;
}

static void play_link(struct traffic *traffic, const char *text)
{
    uint8_t pdu[36];
    static const uint8_t central[6] = {1, 2, 3, 4, 5, 0xc1};
    static const uint8_t peripheral[6] = {9, 8, 7, 6, 5, 0xc2};
    unsigned long map = value_of(text, "map", 0x1fffffffff);
    uint8_t type = (uint8_t)value_of(text, "type", YS_LINK_ADV_IND);
    traffic->access_address = (uint32_t)value_of(text, "aa", 0x50657a4d);
    traffic->interval_us = (uint32_t)value_of(text, "interval", 24) * 1250;
    traffic->csa2 = value_of(text, "csa2", 0) != 0;
    traffic->hop = (uint8_t)value_of(text, "hop", 7);
    traffic->unmapped = 0;
    traffic->counter = 0;
    traffic->encrypted = false;
    traffic->phy = YS_PHY_1M;
    memset(traffic->sn, 0, sizeof traffic->sn);
    memset(traffic->nesn, 0, sizeof traffic->nesn);
    struct ys_link_advertising advertisement = {.type = type, .length = 3, .data = (const uint8_t[]){2, 1, 6}};
    advertisement.sender.type = 1;
    memcpy(advertisement.sender.bytes, peripheral, 6);
    if (type == YS_LINK_ADV_DIRECT_IND) {
        advertisement.target.type = 1;
        memcpy(advertisement.target.bytes, value_of(text, "other", 0) != 0 ? peripheral : central, 6);
    }
    struct ys_writer writer = ys_writer_to(pdu, sizeof pdu);
    ys_put_link_advertising(&writer, &advertisement);
    put_air(traffic, 37, YS_PHY_1M, YS_LINK_ADVERTISING_ACCESS_ADDRESS, 0, pdu, ys_writer_stored(&writer), true);
    struct ys_link_advertising request = {.type = YS_LINK_CONNECT_IND, .channel_selection_2 = traffic->csa2};
    request.sender = (struct ys_address){.type = 1};
    request.target = advertisement.sender;
    memcpy(request.sender.bytes, central, 6);
    request.connect = (struct ys_link_connect){.access_address = traffic->access_address,
                                               .crc_init = CRC_INIT,
                                               .window_size = (uint8_t)value_of(text, "window", 2),
                                               .window_offset = (uint16_t)value_of(text, "offset", 3),
                                               .interval = (uint16_t)value_of(text, "interval", 24),
                                               .latency = (uint16_t)value_of(text, "latency", 0),
                                               .timeout = (uint16_t)value_of(text, "timeout", 400),
                                               .hop = traffic->hop,
                                               .clock_accuracy = 5};
    for (int i = 0; i < 5; i++)
        request.connect.channel_map[i] = (uint8_t)(map >> 8 * i);
    memcpy(traffic->map, request.connect.channel_map, 5);
    writer = ys_writer_to(pdu, sizeof pdu);
    ys_put_link_advertising(&writer, &request);
    traffic->now_ns += 150 * US + value_of(text, "gap", 0) * US;
    if (value_of(text, "unheard", 0) == 0)
        put_air(traffic, 37, YS_PHY_1M, YS_LINK_ADVERTISING_ACCESS_ADDRESS, 0, pdu, ys_writer_stored(&writer), true);
    traffic->anchor_ns = traffic->now_ns + (1250 + request.connect.window_offset * 1250u) * (uint64_t)US + 300 * US;
    if (traffic->interval_us == 0)
        traffic->interval_us = 30000;
}

static void play_encryption(struct traffic *traffic)
{
    uint8_t diversifier[16];
    uint8_t block[16];
    uint8_t long_term[16];
    play_message(traffic, 0, "l 03 0000000000000000 0000 1302f1e0dfcebdac 24abdcba");
    play_message(traffic, 1, "l 04 7968574645342302 bebaafde");
    (void)from_hex("1302f1e0dfcebdac 7968574645342302", diversifier, 16);
    (void)from_hex("24abdcba bebaafde", traffic->vector, 8);
    turn(traffic_key, long_term, 16);
    turn(diversifier, block, 16);
    assert_true(ys_crypto_encrypt(long_term, block, traffic->session));
    play_message(traffic, 1, "l 05");
    traffic->encrypted = true;
    traffic->sealed[0] = 0;
    traffic->sealed[1] = 0;
    play_message(traffic, 0, "l 06");
    play_message(traffic, 1, "l 06");
}

static void tweak(struct traffic *traffic, const char *text)
{
    struct tweaks *tweaks = &traffic->tweaks;
    char name[20];
    size_t length = strcspn(text, " ");
    int number = (int)strtol(text + length, NULL, 10);
    (void)snprintf(name, sizeof name, "%.*s", (int)length, text);
    tweaks->sn |= strcmp(name, "sn") == 0;
    tweaks->nesn |= strcmp(name, "nesn") == 0;
    tweaks->alone |= strcmp(name, "alone") == 0;
    tweaks->twice |= strcmp(name, "twice") == 0;
    tweaks->more |= strcmp(name, "more") == 0;
    tweaks->longer |= strcmp(name, "longer") == 0;
    tweaks->md |= strcmp(name, "md") == 0;
    tweaks->refused |= strcmp(name, "refused") == 0;
    tweaks->crc |= strcmp(name, "crc") == 0;
    tweaks->called_good |= strcmp(name, "called-good") == 0;
    tweaks->clear |= strcmp(name, "clear") == 0;
    tweaks->mic |= strcmp(name, "mic") == 0;
    if (strcmp(name, "ifs") == 0)
        tweaks->ifs_us = number;
    if (strcmp(name, "late") == 0)
        tweaks->late_us = number;
    if (strcmp(name, "channel") == 0)
        tweaks->channel = number;
    if (strcmp(name, "length") == 0)
        tweaks->length = number;
    if (strcmp(name, "phy") == 0)
        tweaks->phy = text[4] == 'c' ? 'c' : '0' + number;
}

/* COUNT MS CHANNEL PHY HEX */
static void play_air(struct traffic *traffic, const char *text);

static void play_row(struct traffic *traffic, const char *text)
{
    char *rest;
    unsigned long count = strtoul(text, &rest, 10);
    unsigned long every_ms = strtoul(rest, &rest, 10);
    for (; count > 0; count--) {
        uint64_t begin_ns = traffic->now_ns;
        play_air(traffic, rest);
        traffic->now_ns = begin_ns + every_ms * 1000000u;
    }
}

static void play_air(struct traffic *traffic, const char *text)
{
    uint8_t pdu[300];
    char *rest;
    uint8_t channel = (uint8_t)strtoul(text, &rest, 10);
    rest += strspn(rest, " ");
    size_t length = read_bytes(traffic, rest + 1, pdu, YS_LINK_PDU_MAX);
    put_air(traffic, channel, phy_of(rest[0]), YS_LINK_ADVERTISING_ACCESS_ADDRESS, 0, pdu, length, true);
}

static void play_border(struct traffic *traffic, const char *text)
{
    uint8_t bytes[400];
    struct ys_record record = {.kind = YS_RECORD_HCI,
                               .at_ns = traffic->now_ns,
                               .to_host = text[0] == '<',
                               .direction_is_sure = true,
                               .device = 1,
                               .name = "wrench",
                               .bytes = bytes};
    record.length = read_bytes(traffic, text + 1, bytes, sizeof bytes);
    hand_over(traffic, &record);
}

static void play_command(struct traffic *traffic, const char *text)
{
    static const uint8_t nothing[1];
    if (strncmp(text, "air ", 4) == 0) {
        play_air(traffic, text + 4);
    } else if (strncmp(text, "row ", 4) == 0) {
        play_row(traffic, text + 4);
    } else if (strcmp(text, "ifs") == 0) {
        traffic->now_ns = traffic->end_ns + 150 * US;
    } else if (strncmp(text, "gap ", 4) == 0) {
        traffic->now_ns = traffic->end_ns + strtoul(text + 4, NULL, 10) * US;
    } else if (text[0] == '+') {
        uint64_t passes_ns = (uint64_t)(strtod(text + 1, NULL) * 1e6);
        traffic->now_ns += passes_ns;
        for (; traffic->interval_us > 0 && traffic->anchor_ns < traffic->now_ns;
             traffic->anchor_ns += traffic->interval_us * (uint64_t)US) { /* nothing is heard of the link meanwhile */
            traffic->counter++;
            traffic->unmapped = (uint8_t)((traffic->unmapped + traffic->hop) % 37);
        }
    } else if (strncmp(text, "link", 4) == 0) {
        play_link(traffic, text);
    } else if (text[0] == '>' || text[0] == '<') {
        play_message(traffic, text[0] == '<', text + 1);
    } else if (strcmp(text, "enc") == 0) {
        play_encryption(traffic);
    } else if (text[0] == 'e') {
        for (unsigned long count = text[1] == ' ' ? strtoul(text + 2, NULL, 10) : 1; count > 0; count--)
            play_event(traffic, 0, 1, nothing, 0);
    } else if (text[0] == 'h') {
        play_border(traffic, text + 1);
    } else if (text[0] == '~') {
        tweak(traffic, text + 1);
    } else {
        fail_msg("no traffic: %s", text);
    }
}

void traffic_play(const char *script, const struct ys_record_sink *sink)
{
    static struct traffic traffic;
    traffic = (struct traffic){.sink = sink, .now_ns = 1000001}; /* a recorder that counts nanoseconds */
    while (*script != '\0') {
        char command[1500];
        size_t length = strcspn(script, ";");
        assert_true(length < sizeof command);
        const char *begin = script + strspn(script, " \n");
        size_t used = length - (size_t)(begin - script);
        memcpy(command, begin, used);
        while (used > 0 && command[used - 1] == ' ')
            used--;
        command[used] = '\0';
        if (used > 0)
            play_command(&traffic, command);
        script += length + (script[length] == ';');
    }
}
