/* What a trace says of each kind of packet, from bytes that are put together by hand. */
#include "support/check.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "capture/say/fields.h"
#include "capture/say/layouts.h"
#include "capture/say/message.h"
#include "support/traffic.h"
#include "world/glossary.h"

#define FROM "0908070605c2 "
#define SCAN "0102030405c1 "
#define LINK "link; e;"

struct said {
    const char *script;
    enum ys_trace_layer layer;
    const char *text; /* of its last message there */
};

struct listening {
    struct ys_glossary glossary;
    enum ys_trace_layer layer;
    char text[3000];
    char kind[100];
    char from[40];
    char to[40];
    bool is_error;
    size_t count;
};

static void listen(void *context, const struct ys_seen *seen)
{
    struct listening *listening = context;
    struct ys_message message;
    if (!ys_message_of(seen, listening->layer, &listening->glossary, &message) || message.landmark)
        return;
    /* empty packets tell nothing, and each script ends with some */
    if (strcmp(message.kind, "empty") == 0)
        return;
    struct ys_text text = ys_text_in(listening->text, sizeof listening->text);
    ys_message_say(&message, &listening->glossary, &text);
    (void)snprintf(listening->kind, sizeof listening->kind, "%s", message.kind);
    (void)snprintf(listening->from, sizeof listening->from, "%s", message.from);
    (void)snprintf(listening->to, sizeof listening->to, "%s", message.to);
    listening->is_error = message.is_error;
    listening->count++;
}

/* The last message of a script is left in `listening`. */
static void hear(const char *script, enum ys_trace_layer layer, struct listening *listening)
{
    struct ys_names *names = ys_names_new();
    *listening = (struct listening){.glossary = ys_names_glossary(names), .layer = layer};
    struct ys_follower *follower = ys_follower_new(listen, listening);
    const struct ys_record_sink sink = {.take = ys_follower_take, .context = follower};
    assert_non_null(follower);
    traffic_play(script, &sink);
    ys_follower_free(follower);
    ys_names_free(names);
}

static void assert_said(const struct said *cases, size_t count)
{
    for (size_t i = 0; i < count; i++) {
        struct listening listening;
        hear(cases[i].script, cases[i].layer, &listening);
        if (listening.count == 0 || strcmp(listening.text, cases[i].text) != 0)
            fail_msg("%s\n  says     %s\n  and not  %s", cases[i].script, listening.text, cases[i].text);
    }
}

/* Vol 6 Part B 2.3.1. */
static void each_advertising_pdu_is_said(void **state)
{
    static const struct said cases[] = {
        {"air 37 1 4009 " FROM "020106", YS_TRACE_AIR,
         "ADV_IND: data flags general discoverable, BR/EDR not supported"},
        {"air 37 1 c10c " FROM SCAN, YS_TRACE_AIR, "ADV_DIRECT_IND"},
        {"air 37 1 420c " FROM "05094d617374", YS_TRACE_AIR, "ADV_NONCONN_IND: data name \"Mast\""},
        {"air 37 1 c30c " SCAN FROM, YS_TRACE_AIR, "SCAN_REQ"},
        {"air 37 1 4406 " FROM, YS_TRACE_AIR, "SCAN_RSP"},
        {"air 37 1 4609 " FROM "020a04", YS_TRACE_AIR, "ADV_SCAN_IND: data power 4 dBm"},
        {"air 37 1 400a " FROM "03030f18", YS_TRACE_AIR, "ADV_IND: data services Battery"},
        {"air 37 1 400b " FROM "04ffffff01", YS_TRACE_AIR, "ADV_IND: data manufacturer company 0xFFFF, for tests: 01"},
        {"air 37 1 4009 " FROM "050106", YS_TRACE_AIR, "ADV_IND: data the rest is malformed"},
        {"air 37 1 4008 " FROM "020106", YS_TRACE_AIR, "a malformed PDU: type 0, 11 bytes"},
        {"air 37 1 0707 06 18 0110 0a1400", YS_TRACE_AIR,
         "ADV_EXT_IND: neither connectable nor scannable, set 1, goes on 600 us later on channel 10, 1M"},
        {"air 37 1 0707 46 18 0110 0a1420", YS_TRACE_AIR,
         "ADV_EXT_IND: connectable, set 1, goes on 600 us later on channel 10, 2M"},
        {"air 10 1 470d 09 09 " FROM "0110 020106", YS_TRACE_AIR,
         "AUX_ADV_IND: neither connectable nor scannable, set 1, data flags general discoverable, BR/EDR not "
         "supported"},
        {"air 10 1 470b 8a 49 " FROM "0110 f6", YS_TRACE_AIR, "AUX_ADV_IND: scannable, set 1, sent with -10 dBm"},
        {"air 10 1 c30c " SCAN FROM, YS_TRACE_AIR, "AUX_SCAN_REQ"},
    };
    (void)state;
    assert_said(cases, COUNT(cases));
}

/* Vol 6 Part B 2.4.2. */
static void each_control_pdu_is_said(void **state)
{
    static const struct {
        const char *pdu;
        const char *text;
    } cases[] = {
        {"00 02 0300 1800 0100 9001 0a00", "LL_CONNECTION_UPDATE_IND: window 2.5 ms, offset 3.75 ms, interval 30 ms, "
                                           "latency 1, timeout 4000 ms, instant 10"},
        {"01 ffffffff1f 0a00", "LL_CHANNEL_MAP_IND: channels 37 channels, instant 10"},
        {"01 0300000000 0a00", "LL_CHANNEL_MAP_IND: channels 2 channels (03 00 00 00 00), instant 10"},
        {"02 13", "LL_TERMINATE_IND: reason the other side ended the connection (0x13)"},
        {"03 0102030405060708 0a0b 1112131415161718 21222324",
         "LL_ENC_REQ: random 01 02 03 04 05 06 07 08, diversifier 0x0b0a, key half 11 12 13 14 15 16 17 18, vector "
         "half "
         "21 22 23 24"},
        {"04 1112131415161718 21222324", "LL_ENC_RSP: key half 11 12 13 14 15 16 17 18, vector half 21 22 23 24"},
        {"06", "LL_START_ENC_RSP"},
        {"07 16", "LL_UNKNOWN_RSP: not known LL_PHY_REQ (0x16)"},
        {"08 2300000000000000",
         "LL_FEATURE_REQ: features encryption, connection parameters request, data packet length "
         "(0x0000000000000023)"},
        {"09 2300000000000000",
         "LL_FEATURE_RSP: features encryption, connection parameters request, data packet length "
         "(0x0000000000000023)"},
        {"0a", "LL_PAUSE_ENC_REQ"},
        {"0b", "LL_PAUSE_ENC_RSP"},
        {"0c 0d ffff 0100", "LL_VERSION_IND: version 13, company 0xffff, subversion 0x0001"},
        {"0d 06", "LL_REJECT_IND: reason the other side has no key for it (0x06)"},
        {"0e 2300000000000000",
         "LL_PERIPHERAL_FEATURE_REQ: features encryption, connection parameters request, data packet length "
         "(0x0000000000000023)"},
        {"0f 0600 0c00 0200 9001 04 0500 0000 ffff ffff ffff ffff ffff",
         "LL_CONNECTION_PARAM_REQ: interval min 7.5 ms, interval max 15 ms, latency 2, timeout 4000 ms, periodicity 5 "
         "ms, "
         "reference event 5, offset 0 0 ms, offset 1 none, offset 2 none, offset 3 none, offset 4 none, offset 5 none"},
        {"11 16 1a",
         "LL_REJECT_EXT_IND: refused LL_PHY_REQ (0x16), reason the other side does not support this (0x1a)"},
        {"12", "LL_PING_REQ"},
        {"13", "LL_PING_RSP"},
        {"14 fb00 9042 1b00 4801", "LL_LENGTH_REQ: receives 251, receives for 17040 us, sends 27, sends for 328 us"},
        {"15 fb00 9042 1b00 4801", "LL_LENGTH_RSP: receives 251, receives for 17040 us, sends 27, sends for 328 us"},
        {"16 03 07", "LL_PHY_REQ: sends on 1M, 2M, receives on 1M, 2M, coded"},
        {"17 01 02", "LL_PHY_RSP: sends on 1M, receives on 2M"},
        {"18 02 00 0a00", "LL_PHY_UPDATE_IND: central sends on 2M, peripheral sends on no change, instant 10"},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        char script[200];
        char text[600];
        struct listening listening;
        (void)snprintf(script, sizeof script, LINK ">l %s", cases[i].pdu);
        (void)snprintf(text, sizeof text, "%s  [event 1, SN 1, NESN 1]", cases[i].text);
        hear(script, YS_TRACE_AIR, &listening);
        if (strcmp(listening.text, text) != 0)
            fail_msg("%s\n  says     %s\n  and not  %s", script, listening.text, text);
    }
}

static void packets_of_a_connection_are_said(void **state)
{
    static const struct said cases[] = {
        {LINK ">a 0a0300", YS_TRACE_AIR, "a frame, 7 bytes: channel 0x0004  [event 1, SN 1, NESN 1]"},
        {LINK ">r 2 05000400 52", YS_TRACE_AIR, "the beginning of a frame, 5 bytes  [event 1, SN 1, NESN 1]"},
        {LINK ">r 2 05000400 52; >r 1 0300", YS_TRACE_AIR,
         "a further piece of a frame, 2 bytes  [event 2, SN 0, NESN 0]"},
        {LINK ">r 2 05000400 52; >r 1 03000102", YS_TRACE_AIR,
         "the last piece of a frame, 4 bytes: channel 0x0004  [event 2, SN 0, NESN 0]"},
        {LINK ">r 1 0102", YS_TRACE_AIR, "2 bytes of a frame with a missing start  [event 1, SN 1, NESN 1]"},
        {LINK "~refused; >a 0a0300; >a 0a0300", YS_TRACE_AIR, "again the same 7 bytes  [event 2, SN 1, NESN 0]"},
        {LINK "~crc; >a 0a0300", YS_TRACE_AIR, "a wrong CRC, 9 bytes"},
        {LINK "~length 9; >r 2 0102", YS_TRACE_AIR, "a malformed PDU of 4 bytes"},
        {LINK ">l 12 00", YS_TRACE_AIR, "control PDU 0x12 of 2 bytes, which it cannot have  [event 1, SN 1, NESN 1]"},
        {LINK "enc; >a 0a0300", YS_TRACE_AIR, "11 encrypted bytes, and no key for them  [event 6, SN 0, NESN 0]"},
        {"link unheard=1; e; >a 0a0300", YS_TRACE_AIR, "a frame, 7 bytes: channel 0x0004  [SN 1, NESN 1]"},
        {LINK ">a 0a0300", YS_TRACE_L2CAP, "channel 0x0004, 3 bytes: read request"},
        {LINK ">f 0041 0102", YS_TRACE_L2CAP, "channel 0x0041, 2 bytes: frame"},
    };
    (void)state;
    assert_said(cases, COUNT(cases));
}

#define ASKED LINK ">a 0a0300;"

static void each_attribute_pdu_is_said(void **state)
{
    static const struct said cases[] = {
        {ASKED "<a 01 0a 0300 02", YS_TRACE_ATTRIBUTES,
         "error response to read request, 0x0003: it cannot be read (0x02)"},
        {LINK ">a 02 f700", YS_TRACE_ATTRIBUTES, "exchange MTU request: 247"},
        {LINK "<a 03 b900", YS_TRACE_ATTRIBUTES, "exchange MTU response: 185"},
        {LINK ">a 04 0100 ffff", YS_TRACE_ATTRIBUTES, "find information request: from 0x0001 to 0xffff"},
        {LINK ">a 04 0100 ffff; <a 05 01 0400 0229 0500 0129", YS_TRACE_ATTRIBUTES,
         "find information response: 0x0004 Client Characteristic Configuration, 0x0005 Characteristic User "
         "Description"},
        {LINK ">a 06 0100 ffff 0028 0f18", YS_TRACE_ATTRIBUTES,
         "find by type value request: primary services, from 0x0001 to 0xffff"},
        {LINK ">a 08 0100 ffff 0328", YS_TRACE_ATTRIBUTES,
         "read by type request: characteristics, from 0x0001 to 0xffff"},
        {LINK ">a 08 0100 ffff 0328; <a 09 07 0200 12 0300 192a", YS_TRACE_ATTRIBUTES,
         "read by type response: 0x0002 Battery Level"},
        {LINK ">a 08 0100 ffff 192a; <a 09 03 0300 57", YS_TRACE_ATTRIBUTES,
         "read by type response, 0x0003: 57 (\"W\", uint8 87)"},
        {LINK ">a 0a 0300", YS_TRACE_ATTRIBUTES, "read request, 0x0003"},
        {ASKED "<a 0b 5700", YS_TRACE_ATTRIBUTES, "read response, 0x0003: 57 00 (uint16 87)"},
        {LINK ">a 0c 0300 1600; <a 0d 01", YS_TRACE_ATTRIBUTES,
         "read blob response, 0x0003 from byte 22 on: 01 (uint8 1)"},
        {LINK ">a 10 0100 ffff 0028; <a 11 06 0100 0500 0018", YS_TRACE_ATTRIBUTES,
         "read by group type response: 0x0001 Generic Access"},
        {LINK ">a 12 0300 01; <a 13", YS_TRACE_ATTRIBUTES, "write response, 0x0003"},
        {LINK ">a 16 0300 0000 0102", YS_TRACE_ATTRIBUTES, "prepare write request, 0x0003: 01 02 (uint16 513)"},
        {LINK ">a 18 01", YS_TRACE_ATTRIBUTES, "execute write request: write what was prepared"},
        {LINK ">a 18 00", YS_TRACE_ATTRIBUTES, "execute write request: forget what was prepared"},
        {LINK "<a 1b 0300 57", YS_TRACE_ATTRIBUTES, "notification, 0x0003: 57 (\"W\", uint8 87)"},
        {LINK "<a 1d 0300 57; >a 1e", YS_TRACE_ATTRIBUTES, "confirmation"},
        {LINK ">a 52 0300 01", YS_TRACE_ATTRIBUTES, "write command, 0x0003: 01 (uint8 1)"},
        {LINK ">a 0a03", YS_TRACE_ATTRIBUTES, "a malformed PDU of the attribute protocol: opcode 0x0a, 2 bytes"},
        {LINK ">a 2a0300", YS_TRACE_ATTRIBUTES, "an unknown PDU of the attribute protocol: opcode 0x2a, 3 bytes"},
        /* what was discovered has its name, and its format, from then on */
        {LINK ">a 08 0100 ffff 0328; <a 09 07 0200 12 0300 192a; <a 1b 0300 57", YS_TRACE_ATTRIBUTES,
         "notification, Battery Level: 87 %  [57]"},
        {LINK ">a 08 0100 ffff 0328; <a 09 07 0200 12 0300 192a; >a 04 0400 0400; <a 05 01 0400 0229; >a 12 0400 0100",
         YS_TRACE_ATTRIBUTES, "write request, Battery Level's subscription: notifications"},
        {LINK ">a 08 0100 ffff 0328; <a 09 15 0200 12 0300 526a7be0c1d4379a6f4e1c2b00008d5f; <a 1b 0300 57",
         YS_TRACE_ATTRIBUTES, "notification, 5f8d0000-2b1c-4e6f-9a37-d4c1e07b6a52: 57 (\"W\", uint8 87)"},
    };
    (void)state;
    assert_said(cases, COUNT(cases));
}

static void each_security_pdu_is_said(void **state)
{
#define KEY "00112233445566778899aabbccddeeff"
#define OUT "00 11 22 33 44 55 66 77 88 99 aa bb cc dd ee ff"
    static const struct said cases[] = {
        {LINK ">s 01 04 00 0d 10 02 03", YS_TRACE_ATTRIBUTES,
         "pairing request: can a keyboard and a display, out of band no, wants bonding, protection against a man in "
         "the "
         "middle, LE Secure Connections, key size 16, initiator gives identity, responder gives encryption, identity"},
        {LINK "<s 02 03 01 00 07 00 00", YS_TRACE_ATTRIBUTES,
         "pairing response: can neither shows nor takes, out of band yes, wants nothing, key size 7, initiator gives "
         "none, "
         "responder gives none"},
        {LINK ">s 03 " KEY, YS_TRACE_ATTRIBUTES, "pairing confirm: confirm value " OUT},
        {LINK ">s 04 " KEY, YS_TRACE_ATTRIBUTES, "pairing random: random value " OUT},
        {LINK ">s 05 04", YS_TRACE_ATTRIBUTES, "pairing failed: the confirm value does not match (0x04)"},
        {LINK ">s 06 " KEY, YS_TRACE_ATTRIBUTES, "encryption information: key " OUT},
        {LINK ">s 07 0102 1112131415161718", YS_TRACE_ATTRIBUTES,
         "central identification: diversifier 0x0201, random 11 12 13 14 15 16 17 18"},
        {LINK ">s 08 " KEY, YS_TRACE_ATTRIBUTES, "identity information: key " OUT},
        {LINK ">s 09 01 0908070605c2", YS_TRACE_ATTRIBUTES,
         "identity address information: identity c2:05:06:07:08:09 random"},
        {LINK ">s 0a " KEY, YS_TRACE_ATTRIBUTES, "signing information: key " OUT},
        {LINK "<s 0b 05", YS_TRACE_ATTRIBUTES,
         "security request: wants bonding, protection against a man in the middle"},
        {LINK ">s 0d " KEY, YS_TRACE_ATTRIBUTES, "pairing DHKey check: check " OUT},
        {LINK ">s 01 04", YS_TRACE_ATTRIBUTES, "a malformed security PDU: code 0x01, 2 bytes"},
        {LINK ">s 77 04", YS_TRACE_ATTRIBUTES, "an unknown security PDU: code 0x77, 2 bytes"},
    };
    (void)state;
    assert_said(cases, COUNT(cases));
}

/* Vol 3 Part A 4. */
static void each_signal_is_said(void **state)
{
    static const struct said cases[] = {
        {LINK ">g 01 01 0200 0000", YS_TRACE_ATTRIBUTES, "command reject: reason 0x0000"},
        {LINK ">g 06 01 0400 4100 4000", YS_TRACE_ATTRIBUTES, "disconnection request: theirs 0x0041, ours 0x0040"},
        {LINK ">g 07 01 0400 4100 4000", YS_TRACE_ATTRIBUTES, "disconnection response: ours 0x0041, theirs 0x0040"},
        {LINK "<g 12 01 0800 1800 2800 0200 9001", YS_TRACE_ATTRIBUTES,
         "connection parameter update request: interval min 30 ms, interval max 50 ms, latency 2, timeout 4000 ms"},
        {LINK ">g 13 01 0200 0000", YS_TRACE_ATTRIBUTES, "connection parameter update response: result 0"},
        {LINK ">g 14 01 0a00 8000 4000 4000 3000 0500", YS_TRACE_ATTRIBUTES,
         "credit based connection request: service 0x0080, channel 0x0040, MTU 64, packet 48, credits 5"},
        {LINK "<g 15 01 0a00 4100 4000 3000 0500 0000", YS_TRACE_ATTRIBUTES,
         "credit based connection response: channel 0x0041, MTU 64, packet 48, credits 5, result 0"},
        {LINK ">g 16 02 0400 4000 0500", YS_TRACE_ATTRIBUTES, "flow control credits: channel 0x0040, credits 5"},
        {LINK ">g 16 02 0300 4000 0500", YS_TRACE_ATTRIBUTES, "a malformed signalling frame of 8 bytes"},
    };
    (void)state;
    assert_said(cases, COUNT(cases));
}

static void commands_and_events_are_said(void **state)
{
    static const struct said cases[] = {
        {"h> 01030c00", YS_TRACE_HCI, "Reset"},
        {"h< 040e0401030c00", YS_TRACE_HCI, "Reset done: success"},
        {"h< 040e0401030c0c", YS_TRACE_HCI, "Reset done: the command is not allowed now"},
        {"h< 040f0400010d20", YS_TRACE_HCI, "LE Create Connection begun: success"},
        {"h> 01 0620 0f a000 a000 00 01 00 000000000000 07 00", YS_TRACE_HCI,
         "LE Set Advertising Parameters: interval min 100 ms, interval max 100 ms, type connectable and scannable, own "
         "address random, peer 00:00:00:00:00:00 public, channels 37, 38, 39, filter scan requests and connections "
         "from all"},
        {"h> 01 0a20 01 01", YS_TRACE_HCI, "LE Set Advertising Enable: on yes"},
        {"h> 01 0520 06 0908070605c2", YS_TRACE_HCI, "LE Set Random Address: address c2:05:06:07:08:09"},
        {"h> 01 0b20 07 01 6000 3000 01 00", YS_TRACE_HCI,
         "LE Set Scan Parameters: active yes, interval 60 ms, window 30 ms, own address random, filter everybody"},
        {"h> 01 0604 03 4000 13", YS_TRACE_HCI,
         "Disconnect: connection 0x040, reason the other side ended the connection (0x13)"},
        {"h> 01 2220 06 4000 fb00 9042", YS_TRACE_HCI,
         "LE Set Data Length: connection 0x040, sends 251, sends for 17040 us"},
        {"h> 01 3220 07 4000 00 02 02 0000", YS_TRACE_HCI,
         "LE Set PHY: connection 0x040, no wish 0x00, sends on 2M, receives on 2M, coding 0"},
        {"h> 01 3620 19 01 1300 a00000 a00000 07 01 00 000000000000 00 7f 01 00 02 03 00", YS_TRACE_HCI,
         "LE Set Extended Advertising Parameters: set 1, properties 0x0013, interval min 100 ms, interval max 100 ms, "
         "channels 37, 38, 39, own address random, peer 00:00:00:00:00:00 public, filter scan requests and connections "
         "from all, power not said, primary PHY 1M, skip 0, secondary PHY 2M, set id 3, report scan requests no"},
        {"h> 01 ffff 01 55", YS_TRACE_HCI, "unknown"},
        {"h< 043e13 01 00 4000 00 01 0102030405c1 1800 0000 9001 05", YS_TRACE_HCI,
         "LE Connection Complete: status success, connection 0x040, role central, peer c1:05:04:03:02:01 random, "
         "interval 30 "
         "ms, "
         "latency 0, timeout 4000 ms, clock accuracy 5"},
        {"h< 043e0f 02 01 00 01 0908070605c2 03 020106 c4", YS_TRACE_HCI,
         "LE Advertising Report: reports 1, type 0, who c2:05:06:07:08:09 random, data flags general discoverable, "
         "BR/EDR not "
         "supported, strength -60 dBm"},
        {"h< 043e0b 07 4000 fb00 9042 1b00 4801", YS_TRACE_HCI,
         "LE Data Length Change: connection 0x040, sends 251, sends for 17040 us, receives 27, receives for 328 us"},
        {"h< 043e06 0c 00 4000 02 01", YS_TRACE_HCI,
         "LE PHY Update Complete: status success, connection 0x040, sends on 2M, receives on 1M"},
        {"h< 040504 00 4000 08", YS_TRACE_HCI,
         "Disconnection Complete: status success, connection 0x040, reason the other side was not heard for the "
         "supervision timeout (0x08)"},
        {"h< 041305 01 4000 0200", YS_TRACE_HCI, "Number Of Completed Packets: links 1, connection 0x040, packets 2"},
        {"h< 040804 00 4000 01", YS_TRACE_HCI, "Encryption Change: status success, connection 0x040, encrypted 1"},
        {"h< 040e07 01 0220 00 1b00 08", YS_TRACE_HCI, "LE Read Buffer Size done: success: length 27, count 8"},
        {"h> 02 4000 0700 03000400 0a0300", YS_TRACE_HCI, "data of connection 0x040, 7 bytes"},
        {"h> 02 4010 0200 0102", YS_TRACE_HCI, "data of connection 0x040, 2 bytes, continued"},
        {"h> 01030c05", YS_TRACE_HCI, "a malformed packet of 4 bytes"},
        {"h> 01 0604 02 4000", YS_TRACE_HCI, "Disconnect: connection 0x040, reason missing"},
        {"h> 01 0a20 03 01 0203", YS_TRACE_HCI, "LE Set Advertising Enable: on yes, more 02 03"},
    };
    (void)state;
    assert_said(cases, COUNT(cases));
}

/* Who speaks to whom is told by name where there is one: of an interface, of an advertisement, or else by address. */
static void who_speaks_is_told(void **state)
{
    struct listening listening;
    (void)state;
    hear(LINK ">a 0a0300", YS_TRACE_ATTRIBUTES, &listening);
    assert_string_equal(listening.from, "c1:05:04:03:02:01");
    assert_string_equal(listening.to, "c2:05:06:07:08:09");
    hear("air 37 1 420c " FROM "05094d617374; link; e; >a 0a0300", YS_TRACE_ATTRIBUTES, &listening);
    assert_string_equal(listening.to, "Mast");
    hear("h> 01 0520 06 " FROM "; air 37 1 420c " FROM "05094d617374; link; e; >a 0a0300", YS_TRACE_ATTRIBUTES,
         &listening);
    assert_string_equal(listening.to, "wrench");
    hear("link unheard=1; e; <a 1b030001", YS_TRACE_ATTRIBUTES, &listening);
    assert_string_equal(listening.from, "peripheral");
    assert_string_equal(listening.to, "central");
    hear("h< 040e0401030c00", YS_TRACE_HCI, &listening);
    assert_string_equal(listening.from, "controller");
    assert_string_equal(listening.to, "wrench");
}

static void errors_are_told_apart(void **state)
{
    static const struct {
        const char *script;
        enum ys_trace_layer layer;
        bool error;
    } cases[] = {
        {ASKED "<a 010a030002", YS_TRACE_ATTRIBUTES, true}, {ASKED "<a 0b57", YS_TRACE_ATTRIBUTES, false},
        {LINK ">a 0a03", YS_TRACE_ATTRIBUTES, true},        {LINK ">s 05 04", YS_TRACE_ATTRIBUTES, true},
        {LINK "~crc; >a 0a0300", YS_TRACE_AIR, true},       {"h< 040e0401030c0c", YS_TRACE_HCI, true},
        {"h< 040e0401030c00", YS_TRACE_HCI, false},         {"air 37 1 4008 " FROM "020106", YS_TRACE_AIR, true},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct listening listening;
        hear(cases[i].script, cases[i].layer, &listening);
        if (listening.is_error != cases[i].error)
            fail_msg("%s: %s", cases[i].script, listening.text);
    }
}

/* the tables */

static void count_field(void *context, const char *name, const uint8_t *bytes, size_t length, const char *text)
{
    (void)bytes;
    (void)length;
    *(size_t *)context += strcmp(name, "more") != 0 && strcmp(text, "missing") != 0;
}

/* Every line of fields can be read to its end: as many are told as there are colons in it. */
static void each_line_of_the_tables_can_be_read(void **state)
{
    static const uint8_t zeros[400];
    static const struct ys_glossary none;
    (void)state;
    for (unsigned code = 0; code < 0x10000; code++) {
        const struct ys_packet_layout *const layouts[] = {
            ys_layout_of_command((uint16_t)code),
            ys_layout_of_return((uint16_t)code),
            code < 256 ? ys_layout_of_control((uint8_t)code) : NULL,
            code < 256 ? ys_layout_of_event((uint8_t)code) : NULL,
            code < 256 ? ys_layout_of_le_event((uint8_t)code) : NULL,
            code < 256 ? ys_layout_of_signal((uint8_t)code) : NULL,
            code < 256 ? ys_layout_of_att((uint8_t)code) : NULL,
            code < 256 ? ys_layout_of_smp((uint8_t)code) : NULL,
            code < 256 ? ys_layout_of_advertising((uint8_t)code) : NULL,
        };
        for (size_t i = 0; i < COUNT(layouts); i++) {
            size_t expected = 0;
            size_t told = 0;
            if (layouts[i] == NULL)
                continue;
            for (const char *at = layouts[i]->fields; *at != '\0'; at++)
                expected += *at == ':';
            struct ys_reader reader = ys_reader_of(zeros, sizeof zeros);
            ys_fields_tell(layouts[i]->fields, &reader, &none, count_field, &told);
            if (told != expected)
                fail_msg("%s: %zu of %zu fields are told", layouts[i]->fields, told, expected);
        }
    }
}

/* The attribute protocol, pairing and the link layer have a line for each PDU that there is. */
static void no_pdu_is_without_a_line(void **state)
{
    size_t counts[3] = {0};
    (void)state;
    for (unsigned code = 0; code < 256; code++) {
        bool known[3] = {strcmp(ys_att_opcode_name((uint8_t)code), "unknown") != 0,
                         strcmp(ys_smp_code_name((uint8_t)code), "unknown") != 0,
                         ys_link_control_is_known((uint8_t)code)};
        assert_true(ys_layout_of_att((uint8_t)code) != NULL || !known[0]);
        assert_true(ys_layout_of_smp((uint8_t)code) != NULL || !known[1]);
        assert_true(ys_layout_of_control((uint8_t)code) != NULL || !known[2]);
        for (size_t i = 0; i < 3; i++)
            counts[i] += known[i];
    }
    /* 31 opcodes (Vol 3 Part F 3.4.8), 14 codes (Vol 3 Part H 3.3), 26 opcodes (Vol 6 Part B 2.4.2) that are known */
    assert_int_equal(counts[0], 31);
    assert_int_equal(counts[1], 14);
    assert_int_equal(counts[2], 26);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(each_advertising_pdu_is_said),
        cmocka_unit_test(each_control_pdu_is_said),
        cmocka_unit_test(packets_of_a_connection_are_said),
        cmocka_unit_test(each_attribute_pdu_is_said),
        cmocka_unit_test(each_security_pdu_is_said),
        cmocka_unit_test(each_signal_is_said),
        cmocka_unit_test(commands_and_events_are_said),
        cmocka_unit_test(who_speaks_is_told),
        cmocka_unit_test(errors_are_told_apart),
        cmocka_unit_test(each_line_of_the_tables_can_be_read),
        cmocka_unit_test(no_pdu_is_without_a_line),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
