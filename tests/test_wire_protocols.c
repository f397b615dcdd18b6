/* Codecs of the attribute protocol, HCI, L2CAP and the link layer, by tables of cases. */
#include "support/check.h"

#include <string.h>

#include <yarnswift/advertisement.h>
#include <yarnswift/medfloat.h>

#include "support/hex.h"
#include "wire/att.h"
#include "wire/extended.h"
#include "wire/hci.h"
#include "wire/hci_extended.h"
#include "wire/hci_link.h"
#include "wire/l2cap.h"
#include "wire/link.h"

/* ATT: each PDU as bytes, and its fields in a few words. */

static const struct {
    const char *hex;
    struct ys_att_pdu pdu;
    const char *name;
} att_cases[] = {
    {"01 0a 0300 0a", {.opcode = 0x01, .request = 0x0a, .handle = 3, .error = 0x0a}, "error response"},
    {"02 f700", {.opcode = 0x02, .mtu = 247}, "exchange MTU request"},
    {"03 1700", {.opcode = 0x03, .mtu = 23}, "exchange MTU response"},
    {"04 0100 ffff", {.opcode = 0x04, .first = 1, .last = 0xffff}, "find information request"},
    {"05 01 0100 0028", {.opcode = 0x05, .format = 1, .length = 4}, "find information response"},
    {"06 0100 ffff 0028 0f18", {.opcode = 0x06, .first = 1, .last = 0xffff, .length = 2}, "find by type value request"},
    {"07 0100 0500", {.opcode = 0x07, .length = 4}, "find by type value response"},
    {"08 0100 ffff 0328", {.opcode = 0x08, .first = 1, .last = 0xffff}, "read by type request"},
    {"08 0100 ffff 526a7be0c1d4379a6f4e1c2b01008d5f",
     {.opcode = 0x08, .first = 1, .last = 0xffff},
     "read by type request"},
    {"09 07 0200 02 0300 002a", {.opcode = 0x09, .format = 7, .length = 7}, "read by type response"},
    {"0a 0300", {.opcode = 0x0a, .handle = 3}, "read request"},
    {"0b", {.opcode = 0x0b}, "read response"},
    {"0b 5432", {.opcode = 0x0b, .length = 2}, "read response"},
    {"0c 0300 1600", {.opcode = 0x0c, .handle = 3, .offset = 22}, "read blob request"},
    {"0d 5432", {.opcode = 0x0d, .length = 2}, "read blob response"},
    {"10 0100 ffff 0028", {.opcode = 0x10, .first = 1, .last = 0xffff}, "read by group type request"},
    {"11 06 0100 0500 0018", {.opcode = 0x11, .format = 6, .length = 6}, "read by group type response"},
    {"12 0c00 a401", {.opcode = 0x12, .handle = 12, .length = 2}, "write request"},
    {"13", {.opcode = 0x13}, "write response"},
    {"1b 0900 2a00", {.opcode = 0x1b, .handle = 9, .length = 2}, "notification"},
    {"1d 0900 2a00", {.opcode = 0x1d, .handle = 9, .length = 2}, "indication"},
    {"1e", {.opcode = 0x1e}, "confirmation"},
    {"52 0c00", {.opcode = 0x52, .handle = 12}, "write command"},
};

/* Vol 3 Part F 3.3.1. */
static void attribute_pdus_are_read_and_written_again(void **state)
{
    (void)state;
    for (size_t i = 0; i < COUNT(att_cases); i++) {
        const struct ys_att_pdu *expected = &att_cases[i].pdu;
        uint8_t bytes[64];
        uint8_t again[64];
        struct ys_att_pdu pdu;
        struct ys_writer writer = ys_writer_to(again, sizeof again);
        size_t length = from_hex(att_cases[i].hex, bytes, sizeof bytes);
        assert_int_equal(ys_att_decode(bytes, length, &pdu), YS_ATT_GOOD);
        assert_int_equal(pdu.opcode, expected->opcode);
        assert_int_equal(pdu.request, expected->request);
        assert_int_equal(pdu.error, expected->error);
        assert_int_equal(pdu.format, expected->format);
        assert_int_equal(pdu.mtu, expected->mtu);
        assert_int_equal(pdu.handle, expected->handle);
        assert_int_equal(pdu.first, expected->first);
        assert_int_equal(pdu.last, expected->last);
        assert_int_equal(pdu.offset, expected->offset);
        assert_int_equal(pdu.length, expected->length);
        assert_string_equal(ys_att_opcode_name(pdu.opcode), att_cases[i].name);
        ys_put_att(&writer, &pdu);
        assert_hex(again, ys_writer_stored(&writer), att_cases[i].hex);
    }
}

/* What ends with a value may be any length; everything else is exactly as long as it is. */
static void attribute_pdus_of_a_wrong_length_are_malformed(void **state)
{
    (void)state;
    for (size_t i = 0; i < COUNT(att_cases); i++) {
        uint8_t bytes[64] = {0};
        struct ys_att_pdu pdu;
        size_t length = from_hex(att_cases[i].hex, bytes, sizeof bytes);
        size_t fixed = length - att_cases[i].pdu.length;
        bool open_ended = att_cases[i].pdu.length > 0 || strcmp(att_cases[i].hex, "0b") == 0 ||
                          strcmp(att_cases[i].hex, "52 0c00") == 0;
        for (size_t cut = 1; cut < fixed; cut++) {
            /* 128 bits cut down to 16 are still a type */
            bool type = fixed == 21 && cut == 7;
            assert_int_equal(ys_att_decode(bytes, cut, &pdu), type ? YS_ATT_GOOD : YS_ATT_MALFORMED);
        }
        assert_int_equal(ys_att_decode(bytes, length + 1, &pdu), open_ended ? YS_ATT_GOOD : YS_ATT_MALFORMED);
    }
}

/* Vol 3 Part F 3.3.1. */
static void unknown_attribute_opcodes_are_told_apart_from_malformed_ones(void **state)
{
    static const uint8_t unknown[] = {0x00, 0x1f, 0x22, 0x40, 0x53, 0x7f, 0x80, 0xff};
    struct ys_att_pdu pdu;
    (void)state;
    for (size_t i = 0; i < sizeof unknown; i++) {
        assert_int_equal(ys_att_decode(&unknown[i], 1, &pdu), YS_ATT_UNKNOWN);
        assert_int_equal(pdu.opcode, unknown[i]);
        assert_string_equal(ys_att_opcode_name(unknown[i]), "unknown");
        assert_int_equal(ys_att_response_to(unknown[i]), 0);
    }
    assert_int_equal(ys_att_response_to(YS_ATT_READ_REQUEST), YS_ATT_READ_RESPONSE);
}

static void every_error_of_the_attribute_protocol_has_words(void **state)
{
    (void)state;
    assert_string_equal(ys_att_error_text(YS_ATT_OUT_OF_RANGE), "the value is out of range");
    assert_string_equal(ys_att_error_text(0x85), "an error of the application");
    assert_string_equal(ys_att_error_text(0x60), "an error that the standard reserves");
    assert_string_equal(ys_hci_error_text(YS_HCI_NOT_ESTABLISHED), "the connection failed to be established");
    assert_string_equal(ys_hci_error_text(0xee), "another error of the controller");
    for (unsigned code = 1; code <= YS_ATT_VALUE_NOT_ALLOWED; code++)
        assert_string_not_equal(ys_att_error_text((uint8_t)code), "an error that the standard reserves");
}

/* HCI */

#define ROUND_TRIP(type, get, put, hex)                                                                                \
    do {                                                                                                               \
        uint8_t bytes_[64];                                                                                            \
        uint8_t again_[64];                                                                                            \
        size_t length_ = from_hex(hex, bytes_, sizeof bytes_);                                                         \
        struct type value_;                                                                                            \
        memset(&value_, 0xee, sizeof value_);                                                                          \
        struct ys_reader reader_ = ys_reader_of(bytes_, length_);                                                      \
        get(&reader_, &value_);                                                                                        \
        assert_true(ys_reader_done(&reader_));                                                                         \
        struct ys_writer writer_ = ys_writer_to(again_, sizeof again_);                                                \
        put(&writer_, &value_);                                                                                        \
        assert_hex(again_, ys_writer_stored(&writer_), hex);                                                           \
        for (size_t cut_ = 0; cut_ < length_; cut_++) {                                                                \
            reader_ = ys_reader_of(bytes_, cut_);                                                                      \
            get(&reader_, &value_);                                                                                    \
            assert_false(ys_reader_ok(&reader_));                                                                      \
        }                                                                                                              \
    } while (0)

static void hci_parameters_are_read_and_written_again(void **state)
{
    (void)state;
    ROUND_TRIP(ys_hci_advertising, ys_get_hci_advertising, ys_put_hci_advertising,
               "a000 b000 00 01 00 060504030201 07 00");
    ROUND_TRIP(ys_hci_scan, ys_get_hci_scan, ys_put_hci_scan, "01 6000 3000 01 00");
    ROUND_TRIP(ys_hci_connect, ys_get_hci_connect, ys_put_hci_connect,
               "6000 3000 00 01 0605040302c1 01 1800 2800 0400 9001 0100 0200");
    ROUND_TRIP(ys_hci_connection, ys_get_hci_connection, ys_put_hci_connection,
               "00 4000 01 01 0605040302c1 1800 0000 9001 05");
    ROUND_TRIP(ys_hci_report, ys_get_hci_report, ys_put_hci_report, "04 01 0605040302c1 03 020106 ce");
    ROUND_TRIP(ys_hci_data, ys_get_hci_data, ys_put_hci_data, "4020 0b00");
    ROUND_TRIP(ys_hci_key_name, ys_get_hci_key_name, ys_put_hci_key_name, "4000 0102030405060708 0a0b");
    ROUND_TRIP(ys_hci_resolving, ys_get_hci_resolving, ys_put_hci_resolving,
               "01 0605040302c1 000102030405060708090a0b0c0d0e0f 101112131415161718191a1b1c1d1e1f");
}

/* Vol 4 Part E 7.7.65.7, 7.7.65.12, 7.7.65.18, 7.8.18, 7.8.49, 7.8.52 to 7.8.66. */
static void parameters_of_links_and_sets_are_read_and_written_again(void **state)
{
    (void)state;
    ROUND_TRIP(ys_hci_update, ys_get_hci_update, ys_put_hci_update, "01 4000 1800 0200 9001");
    ROUND_TRIP(ys_hci_length, ys_get_hci_length, ys_put_hci_length, "4000 fb00 4808 1b00 4801");
    ROUND_TRIP(ys_hci_phy_wish, ys_get_hci_phy_wish, ys_put_hci_phy_wish, "4000 01 02 04 0100");
    ROUND_TRIP(ys_hci_phy_update, ys_get_hci_phy_update, ys_put_hci_phy_update, "01 4000 02 03");
    ROUND_TRIP(ys_hci_set, ys_get_hci_set, ys_put_hci_set,
               "03 1300 a00102 a10304 05 01 00 060504030201 02 f6 01 04 02 0a 01");
    ROUND_TRIP(ys_hci_set_on, ys_get_hci_set_on, ys_put_hci_set_on, "03 6400 05");
    ROUND_TRIP(ys_hci_extended_scan, ys_get_hci_extended_scan, ys_put_hci_extended_scan,
               "01 02 05 01 a000 5000 00 a100 5100");
    ROUND_TRIP(ys_hci_extended_connect, ys_get_hci_extended_connect, ys_put_hci_extended_connect,
               "01 03 00 060504030201 02 a000 5000 1800 2800 0300 9001 0100 0200");
    ROUND_TRIP(ys_hci_extended_report, ys_get_hci_extended_report, ys_put_hci_extended_report,
               "1300 01 0605040302c1 01 02 0a f6 ce 0000 00 010203040506 03 020106");
    ROUND_TRIP(ys_hci_terminated, ys_get_hci_terminated, ys_put_hci_terminated, "3c 03 4000 07");
}

/* IEEE 11073: 12 bits of mantissa and 4 of exponent; what does not fit is not at this resolution. */
static void numbers_of_health_devices_keep_their_bounds(void **state)
{
    static const struct {
        struct ys_medfloat value;
        const char *hex;
    } cases[] = {
        {{.mantissa = 5, .exponent = 7}, "0570"},
        {{.mantissa = 5, .exponent = 8}, "0008"},
        {{.mantissa = -5, .exponent = -8}, "fb8f"},
        {{.mantissa = -5, .exponent = -9}, "0008"},
        {{.mantissa = 2045, .exponent = 0}, "fd07"},
        {{.mantissa = 2046, .exponent = 0}, "0008"},
        {{.mantissa = -2045, .exponent = -1}, "03f8"},
        {{.mantissa = -2046, .exponent = 0}, "0008"},
        {{.kind = YS_MEDFLOAT_INFINITE}, "fe07"},
        {{.kind = YS_MEDFLOAT_NAN}, "ff07"},
        {{.kind = YS_MEDFLOAT_NRES}, "0008"},
        {{.kind = YS_MEDFLOAT_RESERVED}, "0108"},
        {{.kind = YS_MEDFLOAT_NEGATIVE_INFINITE}, "0208"},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        uint8_t bytes[2];
        struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
        ys_put_medfloat16(&writer, cases[i].value);
        assert_hex(bytes, 2, cases[i].hex);
        struct ys_reader reader = ys_reader_of(bytes, sizeof bytes);
        struct ys_medfloat again = ys_get_medfloat16(&reader);
        if (cases[i].value.kind == YS_MEDFLOAT_NUMBER && again.kind == YS_MEDFLOAT_NUMBER) {
            assert_int_equal(again.mantissa, cases[i].value.mantissa);
            assert_int_equal(again.exponent, cases[i].value.exponent);
        } else {
            assert_int_equal(again.kind,
                             cases[i].value.kind == YS_MEDFLOAT_NUMBER ? YS_MEDFLOAT_NRES : cases[i].value.kind);
        }
    }
}

/* Vol 4 Part E 7.7.65.1, 7.7.65.10. */
static void a_connection_of_the_old_event_has_no_addresses_that_were_made(void **state)
{
    uint8_t bytes[32];
    size_t length = from_hex("00 4000 01 01 0605040302c1 1800 0000 9001 05", bytes, sizeof bytes);
    struct ys_reader reader = ys_reader_of(bytes, length);
    struct ys_hci_connection connection;
    (void)state;
    memset(&connection, 0xee, sizeof connection);
    ys_get_hci_connection(&reader, &connection);
    assert_false(connection.own_is_made);
    assert_false(connection.peer_is_made);
}

/* Vol 4 Part E 5.4. */
static void commands_and_events_carry_their_length(void **state)
{
    uint8_t bytes[64];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    struct ys_reader reader;
    struct ys_hci_command command;
    struct ys_reader parameters;
    uint8_t event;
    (void)state;
    ys_hci_command_begin(&writer, YS_HCI_LE_SET_ADVERTISING_ENABLE);
    ys_put_u8(&writer, 1);
    ys_hci_end(&writer);
    assert_hex(bytes, ys_writer_stored(&writer), "01 0a20 01 01");
    reader = ys_reader_of(bytes + 1, 4);
    assert_true(ys_get_hci_command(&reader, &command));
    assert_int_equal(command.opcode, YS_HCI_LE_SET_ADVERTISING_ENABLE);
    assert_int_equal(ys_reader_left(&command.parameters), 1);
    reader = ys_reader_of(bytes + 1, 3);
    assert_false(ys_get_hci_command(&reader, &command));

    writer = ys_writer_to(bytes, sizeof bytes);
    ys_hci_event_begin(&writer, YS_HCI_HARDWARE_ERROR);
    ys_put_u8(&writer, 7);
    ys_hci_end(&writer);
    assert_hex(bytes, ys_writer_stored(&writer), "04 10 01 07");
    bytes[4] = 0;
    reader = ys_reader_of(bytes + 1, 4);
    assert_false(ys_get_hci_event(&reader, &event, &parameters));
}

/* Vol 4 Part E 7.8.7, 7.8.8. */
static void a_payload_is_always_31_bytes_behind_its_length(void **state)
{
    struct ys_hci_payload payload = {.length = 3, .bytes = {2, 1, 6}};
    uint8_t bytes[40];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    (void)state;
    ys_put_hci_payload(&writer, &payload);
    assert_int_equal(ys_writer_stored(&writer), 32);
    bytes[0] = 32; /* longer than there is room for */
    struct ys_reader reader = ys_reader_of(bytes, 32);
    ys_get_hci_payload(&reader, &payload);
    assert_false(ys_reader_ok(&reader));
}

/* Vol 3 Part A 3.1. */
static void l2cap_headers_are_read_and_written_again(void **state)
{
    (void)state;
    ROUND_TRIP(ys_l2cap_header, ys_get_l2cap_header, ys_put_l2cap_header, "0700 0400");
    ROUND_TRIP(ys_l2cap_signal, ys_get_l2cap_signal, ys_put_l2cap_signal, "12 05 0800");
}

/* The link layer */

static const char *const advertising_cases[] = {
    "40 09 0605040302c1 020106",       /* ADV_IND, random, flags */
    "41 0c 0605040302c1 161514131211", /* ADV_DIRECT_IND */
    "02 06 060504030201",              /* ADV_NONCONN_IND, public, empty */
    "c3 0c 0605040302c1 1615141312d1", /* SCAN_REQ, both random */
    "44 0a 0605040302c1 03095432",     /* SCAN_RSP */
    "c5 22 0605040302c1 1615141312d1 78563412 cdab89 01 0200 1800 0400 9001 ffffffff1f 45", /* CONNECT_IND */
    "66 06 0605040302c1", /* ADV_SCAN_IND, channel selection 2 */
};

/* Vol 6 Part B 2.3, 2.3.1. */
static void advertising_pdus_are_read_and_written_again(void **state)
{
    (void)state;
    for (size_t i = 0; i < COUNT(advertising_cases); i++) {
        uint8_t bytes[64];
        uint8_t again[64];
        struct ys_link_advertising pdu;
        size_t length = from_hex(advertising_cases[i], bytes, sizeof bytes);
        struct ys_writer writer = ys_writer_to(again, sizeof again);
        assert_true(ys_link_advertising_decode(bytes, length, &pdu));
        assert_int_equal(pdu.type, i);
        ys_put_link_advertising(&writer, &pdu);
        assert_hex(again, ys_writer_stored(&writer), advertising_cases[i]);
        for (size_t cut = 0; cut < length; cut++)
            assert_false(ys_link_advertising_decode(bytes, cut, &pdu));
        assert_false(ys_link_advertising_decode(bytes, length + 1, &pdu));
    }
}

/* Vol 6 Part B 2.1.2, 2.3.3. */
static void a_connection_request_has_its_parameters(void **state)
{
    uint8_t bytes[64];
    struct ys_link_advertising pdu;
    (void)state;
    assert_true(ys_link_advertising_decode(bytes, from_hex(advertising_cases[5], bytes, sizeof bytes), &pdu));
    assert_int_equal(pdu.connect.access_address, 0x12345678);
    assert_int_equal(pdu.connect.crc_init, 0x89abcd);
    assert_int_equal(pdu.connect.window_size, 1);
    assert_int_equal(pdu.connect.window_offset, 2);
    assert_int_equal(pdu.connect.interval, 24);
    assert_int_equal(pdu.connect.latency, 4);
    assert_int_equal(pdu.connect.timeout, 400);
    assert_int_equal(pdu.connect.hop, 5);
    assert_int_equal(pdu.connect.clock_accuracy, 2);
    assert_int_equal(pdu.sender.type, YS_ADDRESS_RANDOM);
    assert_int_equal(pdu.target.type, YS_ADDRESS_RANDOM);
}

/* Vol 6 Part B 2.3. */
static void malformed_advertising_pdus_are_refused(void **state)
{
    static const char *const cases[] = {
        "40 05 0605040302",                   /* no room for the address */
        "47 06 0605040302c1",                 /* reserved type */
        "c3 0d 0605040302c1 1615141312d1 00", /* a scan request with something after it */
        "40 26 0605040302c1 0000000000000000000000000000000000000000000000000000000000000000", /* 32 bytes of data */
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        uint8_t bytes[64];
        struct ys_link_advertising pdu;
        assert_false(ys_link_advertising_decode(bytes, from_hex(cases[i], bytes, sizeof bytes), &pdu));
    }
}

/* Vol 6 Part B 2.4.1. */
static void data_pdus_are_read_and_written_again(void **state)
{
    static const struct {
        const char *hex;
        bool good;
    } cases[] = {{"01 00", true},  {"02 03 010203", true}, {"1e 01 07", true}, {"03 02 0213", true},  {"0d 00", true},
                 {"00 00", false}, {"02 00", false},       {"03 00", false},   {"02 03 0102", false}, {"01", false},
                 {"", false},      {"02 01 0102", false},  {"01 01 01", true}};
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        uint8_t bytes[16];
        uint8_t again[16];
        struct ys_link_data pdu;
        struct ys_writer writer = ys_writer_to(again, sizeof again);
        assert_int_equal(ys_link_data_decode(bytes, from_hex(cases[i].hex, bytes, sizeof bytes), &pdu), cases[i].good);
        if (!cases[i].good)
            continue;
        ys_put_link_data(&writer, &pdu);
        assert_hex(again, ys_writer_stored(&writer), cases[i].hex);
    }
}

/* The register of the standard, bit by bit, as its figure draws it: an independent second opinion. */
static uint32_t crc_by_bits(uint32_t crc, const uint8_t *bytes, size_t length)
{
    for (size_t i = 0; i < 8 * length; i++) {
        uint32_t bit = (uint32_t)(bytes[i / 8] >> i % 8) & 1;
        uint32_t feedback = (crc >> 23 & 1) ^ bit;
        crc = (crc << 1 & 0xffffff) ^ (feedback ? 0x00065bu : 0);
    }
    return crc;
}

/* Vol 6 Part B 3.1.1. */
static void the_crc_is_that_of_the_standard(void **state)
{
    uint8_t bytes[64];
    (void)state;
    for (size_t i = 0; i < COUNT(advertising_cases); i++) {
        size_t length = from_hex(advertising_cases[i], bytes, sizeof bytes);
        assert_int_equal(ys_link_crc(0x555555, bytes, length), crc_by_bits(0x555555, bytes, length));
        assert_int_equal(ys_link_crc(0x123456, bytes, length), crc_by_bits(0x123456, bytes, length));
        uint32_t before = ys_link_crc(0x555555, bytes, length);
        bytes[length / 2] ^= 0x10;
        assert_int_not_equal(ys_link_crc(0x555555, bytes, length), before);
    }
    assert_int_equal(ys_link_crc(0x555555, bytes, 0), 0x555555);
}

/* Payloads of n bytes have n + 2 bytes of PDU (Vol 6 Part B 2.1, 2.2). */
static void packets_last_as_long_as_the_standard_says(void **state)
{
    static const struct {
        enum ys_phy phy;
        size_t payload;
        uint64_t us;
    } cases[] = {
        {YS_PHY_1M, 0, 80},           {YS_PHY_2M, 0, 44},          {YS_PHY_1M, 27, 296},
        {YS_PHY_2M, 27, 152},         {YS_PHY_1M, 251, 2088},      {YS_PHY_2M, 251, 1048},
        {YS_PHY_1M, 37, 376},         {YS_PHY_1M, 34, 352},        {YS_PHY_CODED_S8, 0, 720},
        {YS_PHY_CODED_S2, 0, 462},    {YS_PHY_CODED_S8, 27, 2448}, {YS_PHY_CODED_S8, 255, 17040},
        {YS_PHY_CODED_S2, 251, 4478},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++)
        assert_int_equal(ys_link_duration_ns(cases[i].phy, cases[i].payload + 2), cases[i].us * 1000);
}

/* Vol 6 Part B 4.5.10: what fits into a time, and on LE Coded into what an interval leaves beside the other side's. */
static void the_time_of_a_packet_bounds_its_length(void **state)
{
    static const struct {
        enum ys_phy phy;
        uint64_t ns;
        uint8_t payload;
    } within[] = {
        {YS_PHY_1M, 2120000, 255},      {YS_PHY_1M, 2119999, 254},
        {YS_PHY_1M, 328000, 31},        {YS_PHY_1M, 80000, 0},
        {YS_PHY_1M, 1000, 0},           {YS_PHY_2M, 1048000, 251},
        {YS_PHY_CODED_S8, 2704000, 31}, {YS_PHY_CODED_S2, 4541999, 254},
    };
    static const struct {
        enum ys_phy phy;
        enum ys_phy other;
        uint32_t interval_us;
        uint16_t agreed_us;
        uint16_t us;
    } times[] = {
        {YS_PHY_1M, YS_PHY_CODED_S8, 7500, 2120, 2120},
        {YS_PHY_CODED_S8, YS_PHY_CODED_S8, 15000, 17040, 15000 - 300 - 2704},
        {YS_PHY_CODED_S2, YS_PHY_1M, 15000, 17040, 15000 - 300 - 328},
        {YS_PHY_CODED_S8, YS_PHY_CODED_S2, 7500, 17040, 4496},
        {YS_PHY_CODED_S8, YS_PHY_CODED_S8, 4000000, 17040, 17040},
        {YS_PHY_CODED_S8, YS_PHY_CODED_S8, 4000000, 328, 2704},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(within); i++)
        assert_int_equal(ys_link_payload_within(within[i].phy, within[i].ns), within[i].payload);
    for (size_t i = 0; i < COUNT(times); i++)
        assert_int_equal(ys_link_time_us(times[i].phy, times[i].other, times[i].interval_us, times[i].agreed_us),
                         times[i].us);
    assert_int_equal(ys_link_payload_agreed(YS_PHY_1M, 251, 328), 27);
    assert_int_equal(ys_link_payload_agreed(YS_PHY_1M, 27, 2120), 27);
    assert_int_equal(ys_link_payload_agreed(YS_PHY_1M, 251, 2120), 251);
    assert_int_equal(ys_link_payload_agreed(YS_PHY_CODED_S8, 251, 4496), 55);
}

/* Vol 6 Part B 2.3.4. */
static void extended_pdus_are_read_and_written_again(void **state)
{
    static const char hex[] = "c7 1d 17 79 060504030201 161514131211 0ab3 cb0540 f6 020106 0155";
    uint8_t bytes[64];
    uint8_t again[64];
    struct ys_link_extended pdu;
    size_t length = from_hex(hex, bytes, sizeof bytes);
    (void)state;
    bytes[1] = (uint8_t)(length - 2);
    bytes[2] = 0x13; /* flags, two addresses, an identity, a pointer and a power: 19 bytes; not connectable */
    bytes[3] = 0x5b;
    memset(&pdu, 0xee, sizeof pdu);
    assert_true(ys_link_extended_decode(bytes, length, &pdu));
    assert_true(pdu.has_sender && pdu.has_target && pdu.has_data_id && pdu.has_aux && pdu.has_power);
    assert_int_equal(pdu.sender.type, 1);
    assert_int_equal(pdu.sender.bytes[5], 0x01);
    assert_int_equal(pdu.target.type, 1);
    assert_int_equal(pdu.target.bytes[0], 0x16);
    assert_int_equal(pdu.data_id.set, 0x0b);
    assert_int_equal(pdu.data_id.version, 0x30a);
    assert_int_equal(pdu.aux.channel, 11);
    assert_true(pdu.aux.accurate);
    assert_int_equal(pdu.aux.offset_us, 5 * 300);
    assert_int_equal(pdu.aux.phy, YS_PHY_CODED_S8);
    assert_int_equal(pdu.power_dbm, -10);
    assert_int_equal(pdu.length, 5);
    assert_int_equal(pdu.data[4], 0x55);
    pdu.aux.offset_us = 300000; /* so far only in long steps */
    struct ys_writer writer = ys_writer_to(again, sizeof again);
    ys_put_link_extended(&writer, &pdu);
    assert_int_equal(ys_writer_stored(&writer), length);
    struct ys_link_extended other;
    assert_true(ys_link_extended_decode(again, length, &other));
    assert_int_equal(other.aux.offset_us, 300000);
    assert_true(other.aux.accurate);
    assert_int_equal(other.data_id.version, 0x30a);
    assert_int_equal(other.power_dbm, -10);
    for (size_t cut = 0; cut < length; cut++)
        assert_false(ys_link_extended_decode(bytes, cut, &other));
    again[2 + 1 + 1 + 12 + 2] = 37; /* a pointer to a primary channel */
    assert_false(ys_link_extended_decode(again, length, &other));
}

static void only_lists_of_uuids_have_uuids(void **state)
{
    (void)state;
    for (unsigned type = 0; type < 256; type++)
        assert_int_equal(ys_ad_uuid_length((uint8_t)type), type == 2 || type == 3   ? 2
                                                           : type == 4 || type == 5 ? 4
                                                           : type == 6 || type == 7 ? 16
                                                                                    : 0);
}

/* Vol 6 Part B 1.4.1, 4.5.8. */
static void unused_channels_are_mapped_onto_used_ones(void **state)
{
    static const uint8_t all[5] = {0xff, 0xff, 0xff, 0xff, 0x1f};
    static const uint8_t few[5] = {0x00, 0x00, 0xe0, 0x01, 0x00}; /* 21 to 24 */
    uint8_t last = 0;
    (void)state;
    /* with all channels: 7, 14, 21, 28, 35, 5, ... */
    static const uint8_t expected[] = {7, 14, 21, 28, 35, 5, 12, 19, 26, 33, 3};
    for (size_t i = 0; i < sizeof expected; i++)
        assert_int_equal(ys_link_next_channel(&last, 7, all), expected[i]);
    last = 0;
    for (size_t i = 0; i < sizeof expected; i++) {
        uint8_t unmapped = expected[i];
        uint8_t mapped = unmapped >= 21 && unmapped <= 24 ? unmapped : (uint8_t)(21 + unmapped % 4);
        assert_int_equal(ys_link_next_channel(&last, 7, few), mapped);
    }
    static const uint8_t one[5] = {0x00, 0x00, 0x20, 0x00, 0x00};
    for (size_t i = 0; i < sizeof expected; i++)
        assert_int_equal(ys_link_next_channel(&last, 7, one), 21);
    assert_int_equal(ys_link_event_channel(0x8e89bed6, 6, one), 21);
    assert_int_equal(ys_link_channel_count(one), 1);
}

/* Vol 6 Part B 4.5.1. */
static void connection_parameters_have_their_ranges(void **state)
{
    static const struct {
        uint16_t interval;
        uint16_t latency;
        uint16_t timeout;
        bool valid;
    } cases[] = {{6, 0, 10, true},        {5, 0, 10, false},    {3200, 0, 3200, true}, {3201, 0, 3200, false},
                 {24, 0, 9, false},       {24, 0, 3201, false}, {24, 499, 3200, true}, {24, 500, 3200, false},
                 {80, 0, 20, false},      {80, 0, 21, true},    {24, 99, 600, false},  {24, 99, 601, true},
                 {3200, 499, 3200, false}};
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++)
        assert_int_equal(ys_link_parameters_are_valid(cases[i].interval, cases[i].latency, cases[i].timeout),
                         cases[i].valid);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(attribute_pdus_are_read_and_written_again),
        cmocka_unit_test(attribute_pdus_of_a_wrong_length_are_malformed),
        cmocka_unit_test(unknown_attribute_opcodes_are_told_apart_from_malformed_ones),
        cmocka_unit_test(every_error_of_the_attribute_protocol_has_words),
        cmocka_unit_test(hci_parameters_are_read_and_written_again),
        cmocka_unit_test(parameters_of_links_and_sets_are_read_and_written_again),
        cmocka_unit_test(numbers_of_health_devices_keep_their_bounds),
        cmocka_unit_test(a_connection_of_the_old_event_has_no_addresses_that_were_made),
        cmocka_unit_test(commands_and_events_carry_their_length),
        cmocka_unit_test(a_payload_is_always_31_bytes_behind_its_length),
        cmocka_unit_test(l2cap_headers_are_read_and_written_again),
        cmocka_unit_test(advertising_pdus_are_read_and_written_again),
        cmocka_unit_test(a_connection_request_has_its_parameters),
        cmocka_unit_test(malformed_advertising_pdus_are_refused),
        cmocka_unit_test(data_pdus_are_read_and_written_again),
        cmocka_unit_test(the_crc_is_that_of_the_standard),
        cmocka_unit_test(packets_last_as_long_as_the_standard_says),
        cmocka_unit_test(the_time_of_a_packet_bounds_its_length),
        cmocka_unit_test(extended_pdus_are_read_and_written_again),
        cmocka_unit_test(only_lists_of_uuids_have_uuids),
        cmocka_unit_test(unused_channels_are_mapped_onto_used_ones),
        cmocka_unit_test(connection_parameters_have_their_ranges),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
