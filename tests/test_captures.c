/* Captures in files: read from bytes that were put together by hand, written and read by libpcap alone, and all that
 * can be wrong with them. */
#include "support/check.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include <pcap/pcap.h>

#include "capture/file/reader.h"
#include "capture/file/writer.h"
#include "support/hex.h"
#include "support/run.h"
#include "support/traffic.h"
#include "wire/hci.h"

#define ADDRESS "0908070605c2"
/* ADV_IND with its flags; access address before, CRC after. The CRC was computed by hand, bit by bit. */
#define PDU  "40 09" ADDRESS "020106"
#define AIR  "d6be898e" PDU
#define ROOM 4096

/* What was said of a file. */
static char said[2000];

static void note(void *context, uint64_t offset, const char *text)
{
    size_t length = strlen(said);
    (void)context;
    (void)snprintf(said + length, sizeof said - length, "%llu: %s\n", (unsigned long long)offset, text);
}

struct read {
    struct ys_record records[40];
    uint8_t bytes[40][64];
    char names[40][32];
    size_t count;
    bool opened;
    char error[300];
};

/* Reads a whole capture from hexadecimal digits. */
static void read_hex(const char *hex, struct read *read)
{
    static uint8_t bytes[ROOM];
    size_t length = from_hex(hex, bytes, sizeof bytes);
    struct ys_record record;
    said[0] = '\0';
    memset(read, 0, sizeof *read);
    struct ys_capture *capture = ys_capture_new(fmemopen(bytes, length > 0 ? length : 1, "rb"), false, note, NULL,
                                                read->error, sizeof read->error);
    read->opened = capture != NULL;
    if (!read->opened)
        return;
    while (ys_capture_next(capture, &record)) {
        assert_true(read->count < COUNT(read->records));
        struct ys_record *kept = &read->records[read->count];
        *kept = record;
        if (record.kind == YS_RECORD_HCI && record.length <= 64)
            memcpy(read->bytes[read->count], record.bytes, record.length);
        if (record.name != NULL)
            (void)snprintf(read->names[read->count], 32, "%s", record.name);
        read->count++;
    }
    ys_capture_end(capture);
    ys_capture_free(capture);
}

/* The CRC of the standard, a bit at a time, as its figure draws it; the bytes as they are on the air. */
static void crc_by_hand(uint32_t init, const uint8_t *bytes, size_t length, uint8_t crc[3])
{
    uint32_t state = init;
    for (size_t i = 0; i < 8 * length; i++) {
        unsigned bit = (bytes[i / 8] >> i % 8 & 1) ^ (state >> 23 & 1);
        state = (state << 1 & 0xffffff) ^ (bit != 0 ? 0x00065bu : 0);
    }
    memset(crc, 0, 3);
    for (unsigned i = 0; i < 24; i++) /* the last bit of the register goes first */
        crc[i / 8] |= (uint8_t)((state >> (23 - i) & 1) << i % 8);
}

static const char *with_crc(const char *pdu)
{
    static char text[700];
    uint8_t bytes[300];
    uint8_t crc[3];
    size_t length = from_hex(pdu, bytes, sizeof bytes);
    crc_by_hand(0x555555, bytes, length, crc);
    (void)snprintf(text, sizeof text, "%s%02x%02x%02x", pdu, crc[0], crc[1], crc[2]);
    return text;
}

/* pcap */

static void pcap_of_each_order_and_resolution_gives_the_same_packet(void **state)
{
    static const struct {
        const char *header;
        const char *record;
        uint64_t at_ns;
    } files[] = {
        {"d4c3b2a1 0200 0400 00000000 00000000 00000400 00010000", "05000000 07000000 1c000000 1c000000", 5000007000},
        {"4d3cb2a1 0200 0400 00000000 00000000 00000400 00010000", "05000000 07000000 1c000000 1c000000", 5000000007},
        {"a1b2c3d4 0002 0004 00000000 00000000 00040000 00000100", "00000005 00000007 0000001c 0000001c", 5000007000},
        {"a1b23c4d 0002 0004 00000000 00000000 00040000 00000100", "00000005 00000007 0000001c 0000001c", 5000000007},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(files); i++) {
        char hex[1000];
        struct read read;
        /* channel 39 by its frequency, -60 dBm; dewhitened, strength valid, CRC checked and good */
        (void)snprintf(hex, sizeof hex, "%s %s 27 c4 80 00 d6be898e 030c d6be898e%s", files[i].header, files[i].record,
                       with_crc(PDU));
        read_hex(hex, &read);
        assert_true(read.opened);
        assert_string_equal(said, "");
        assert_int_equal(read.count, 1);
        const struct ys_record *record = read.records;
        assert_int_equal(record->kind, YS_RECORD_AIR);
        assert_int_equal(record->at_ns, files[i].at_ns);
        assert_int_equal(record->number, 1);
        assert_int_equal(record->offset, 24);
        assert_int_equal(record->known, YS_AIR_CHANNEL | YS_AIR_STRENGTH | YS_AIR_CRC | YS_AIR_PHY);
        assert_int_equal(record->air.channel, 39);
        assert_int_equal(record->air.strength_dbm, -60);
        assert_int_equal(record->air.access_address, YS_LINK_ADVERTISING_ACCESS_ADDRESS);
        assert_true(record->air.crc_good);
        assert_hex(record->air.pdu, record->air.length, PDU);
        assert_int_equal(record->air.crc, ys_link_crc(0x555555, record->air.pdu, record->air.length));
        assert_int_equal(record->air.duration_ns, 8000 * (1 + 4 + 11 + 3));
    }
}

#define NANO "4d3cb2a1 0200 0400 00000000 00000000 00000400 "

static void each_channel_and_phy_is_told_apart(void **state)
{
    static const struct {
        const char *header; /* channel by frequency, ..., flags */
        const char *coding;
        uint8_t channel;
        enum ys_phy phy;
        enum ys_air_side side;
    } packets[] = {
        {"00 c4 80 00 d6be898e 030c", "", 37, YS_PHY_1M, YS_AIR_SIDE_UNKNOWN},
        {"0c c4 80 00 d6be898e 030c", "", 38, YS_PHY_1M, YS_AIR_SIDE_UNKNOWN},
        {"01 c4 80 00 d6be898e 034d", "", 0, YS_PHY_2M, YS_AIR_CENTRAL},
        {"0b c4 80 00 d6be898e 830d", "", 10, YS_PHY_1M, YS_AIR_PERIPHERAL},
        {"0d c4 80 00 d6be898e 038c", "00", 11, YS_PHY_CODED_S8, YS_AIR_SIDE_UNKNOWN},
        {"26 c4 80 00 d6be898e 038c", "01", 36, YS_PHY_CODED_S2, YS_AIR_SIDE_UNKNOWN},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(packets); i++) {
        char hex[1000];
        struct read read;
        bool coded = packets[i].coding[0] != '\0';
        (void)snprintf(hex, sizeof hex, NANO "00010000 05000000 07000000 %s %s %s d6be898e %s %s",
                       coded ? "1d000000" : "1c000000", coded ? "1d000000" : "1c000000", packets[i].header,
                       packets[i].coding, with_crc(PDU));
        read_hex(hex, &read);
        assert_int_equal(read.count, 1);
        assert_int_equal(read.records->air.channel, packets[i].channel);
        assert_int_equal(read.records->air.phy, packets[i].phy);
        assert_int_equal(read.records->air.side, packets[i].side);
        assert_hex(read.records->air.pdu, read.records->air.length, PDU);
    }
}

static void air_without_a_header_has_its_crc_checked(void **state)
{
    char hex[1000];
    struct read read;
    (void)state;
    (void)snprintf(hex, sizeof hex, NANO "fb000000 05000000 07000000 12000000 12000000 d6be898e%s", with_crc(PDU));
    read_hex(hex, &read);
    assert_int_equal(read.count, 1);
    assert_int_equal(read.records->known, YS_AIR_CRC);
    assert_true(read.records->air.crc_good);
    (void)snprintf(hex, sizeof hex, NANO "fb000000 05000000 07000000 12000000 12000000 " AIR "112233");
    read_hex(hex, &read);
    assert_int_equal(read.records->known, YS_AIR_CRC);
    assert_false(read.records->air.crc_good);
}

static void each_kind_of_hci_gives_packet_and_direction(void **state)
{
    static const struct {
        const char *file;
        const char *packet;
        bool to_host;
        bool sure;
        uint16_t device;
    } files[] = {
        {NANO "bb000000 05000000 07000000 04000000 04000000 01 030c 00", "01 030c 00", false, false, 1},
        {NANO "bb000000 05000000 07000000 07000000 07000000 04 0e 04 01 030c 00", "04 0e 04 01 030c 00", true, false,
         1},
        {NANO "bb000000 05000000 07000000 07000000 07000000 02 4020 0200 0102", "02 4020 0200 0102", true, false, 1},
        {NANO "c9000000 05000000 07000000 08000000 08000000 00000000 01 030c 00", "01 030c 00", false, true, 1},
        {NANO "c9000000 05000000 07000000 0b000000 0b000000 00000001 02 4010 0200 0102", "02 4010 0200 0102", true,
         true, 1},
        {NANO "fe000000 05000000 07000000 07000000 07000000 0001 0002 030c 00", "01 030c 00", false, true, 2},
        {NANO "fe000000 05000000 07000000 0a000000 0a000000 0000 0005 4010 0200 0102", "02 4010 0200 0102", true, true,
         1},
        {"6274736e6f6f7000 00000001 000003ea 00000004 00000004 00000002 00000000 00e03ab44a676000 01 030c 00",
         "01 030c 00", false, true, 1},
        {"6274736e6f6f7000 00000001 000003e9 00000003 00000003 00000002 00000000 00e03ab44a676000 030c 00",
         "01 030c 00", false, true, 1},
        {"6274736e6f6f7000 00000001 000003e9 00000006 00000006 00000003 00000000 00e03ab44a676000 0e04 01 030c 00",
         "04 0e 04 01 030c 00", true, true, 1},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(files); i++) {
        struct read read;
        read_hex(files[i].file, &read);
        if (read.count != 1)
            fail_msg("file %zu: %zu packets; %s%s", i, read.count, read.error, said);
        assert_int_equal(read.records->kind, YS_RECORD_HCI);
        assert_hex(read.bytes[0], read.records->length, files[i].packet);
        assert_int_equal(read.records->to_host, files[i].to_host);
        assert_int_equal(read.records->direction_is_sure, files[i].sure);
        assert_int_equal(read.records->device, files[i].device);
        if (i >= 7) /* 2000-01-01, as such logs count */
            assert_int_equal(read.records->at_ns, UINT64_C(946684800) * 1000000000);
    }
}

/* pcapng */

#define SECTION "0a0d0d0a 1c000000 4d3c2b1a 0100 0000 ffffffffffffffff 1c000000 "
#define INTERFACE                                                                                                      \
    "01000000 2c000000 c900 0000 00000000 0200 0600 7772656e6368 0000 0900 0100 09 000000 0000 0000 2c000000 "
#define RESET_IN "06000000 28000000 00000000 00000000 01000000 08000000 08000000 00000000 01 030c 00 28000000 "

static void pcapng_gives_packets_with_the_names_of_their_interfaces(void **state)
{
    struct read read;
    (void)state;
    read_hex(SECTION INTERFACE RESET_IN, &read);
    assert_string_equal(said, "");
    assert_int_equal(read.count, 1);
    assert_int_equal(read.records->at_ns, 1);
    assert_string_equal(read.names[0], "wrench");
    assert_hex(read.bytes[0], read.records->length, "01 030c 00");
    /* the other order; a resolution of 2^-10 s and an offset of 100 s; a block that is passed over; a simple packet */
    read_hex("0a0d0d0a 0000001c 1a2b3c4d 0001 0000 ffffffffffffffff 0000001c "
             "00000001 0000002c 00bb 0000 00000000 0009 0001 8a 000000 000e 0008 0000000000000064 0000 0000 0000002c "
             "00000bad 00000010 12345678 00000010 "
             "00000006 00000024 00000000 00000000 00000600 00000004 00000004 01 030c 00 00000024 "
             "00000003 00000014 00000004 01 030c 00 00000014 ",
             &read);
    assert_string_equal(said, "");
    assert_int_equal(read.count, 2);
    assert_int_equal(read.records[0].at_ns, UINT64_C(101500000000));
    assert_int_equal(read.records[1].at_ns, UINT64_C(101500000000)); /* it has no time of its own */
}

/* what can be wrong */

static void what_is_no_capture_is_refused(void **state)
{
    static const struct {
        const char *hex;
        const char *error;
    } files[] = {
        {"", "only a few bytes"},
        {"0102", "only a few bytes"},
        {"0102030405060708090a0b0c0d0e0f10", "begins as neither"},
        {"4d3cb2a1 0200", "begins as neither"},
        {NANO "01000000", "link type"},
        {"0a0d0d0a 1c000000 00000000", "damaged"},
        {"6274736e6f6f7000 00000001 00000001", "link type"},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(files); i++) {
        struct read read;
        read_hex(files[i].hex, &read);
        assert_false(read.opened);
        if (strstr(read.error, files[i].error) == NULL)
            fail_msg("file %zu: \"%s\"", i, read.error);
    }
}

static void what_is_wrong_is_said_with_its_place_and_the_rest_is_read(void **state)
{
#define GOOD "05000000 07000000 04000000 04000000 01 030c 00 "
    static const struct {
        const char *hex;
        size_t count;
        const char *says;
    } files[] = {
        {NANO "bb000000 " GOOD "05000000 07000000 04000000 04000000 01", 1,
         "44: the file ends in the middle of a record"},
        {NANO "bb000000 " GOOD "0500", 1, "44: the file ends in the middle"},
        {NANO "bb000000 05000000 07000000 00000000 04000000 " GOOD, 1, "24: a record without a byte"},
        {NANO "bb000000 05000000 07000000 01000000 04000000 01 " GOOD, 1,
         "24: a record too short for a packet: 1 bytes"},
        {NANO "bb000000 05000000 07000000 ffffff7f 04000000 01 " GOOD, 0, "24: a record longer than any packet"},
        {NANO "bb000000 05000000 07000000 04000000 04000000 05 030c00 " GOOD, 1, "holds something else"},
        {NANO "bb000000 " GOOD "04000000 07000000 04000000 04000000 01 030c 00 " GOOD, 3,
         "44: the time runs backwards, by 1.000 s"},
        {NANO "bb000000 " GOOD "05100000 07000000 04000000 04000000 01 030c 00 ", 2,
         "the time jumps by more than ten minutes: by 4096 s"},
        {NANO "00010000 05000000 07000000 05000000 05000000 2700000000", 0, "24: a record too short"},
        {NANO "00010000 05000000 07000000 0f000000 0f000000 ffc48000d6be898e030c d6be898e40", 0,
         "holds something else"},
        {SECTION
         "06000000 28000000 05000000 00000000 01000000 08000000 08000000 00000000 01 030c 00 28000000 " INTERFACE
             RESET_IN,
         1, "28: a packet of an interface that was not described: number 5"},
        {SECTION INTERFACE
         "06000000 28000000 00000000 00000000 01000000 08000000 08000000 00000000 01 030c 00 29000000 " RESET_IN,
         2, "72: a damaged block: its length before and behind it"},
        {SECTION INTERFACE "06000000 0b000000 " RESET_IN, 0, "72: a damaged block: its length cannot be"},
        {SECTION INTERFACE "06000000 14000000 00000000 00000000 14000000 " RESET_IN, 1, "too short for a packet"},
        {SECTION INTERFACE "06000000 24000000 00000000 00000000 01000000 18000000 08000000 00000000 24000000 " RESET_IN,
         1, "more than its block"},
        {SECTION
         "01000000 14000000 0100 0000 00000000 14000000 06000000 28000000 00000000 00000000 01000000 08000000 08000000 "
         "00000000 01 030c 00 28000000 " SECTION INTERFACE RESET_IN,
         1, "neither Bluetooth LE nor HCI: 1"},
        {"6274736e6f6f7000 00000001 000003ea 00000004 00000004 00000002 00000007 00e03ab44a676000 01 030c 00", 1,
         "packets that were not written, as the file itself says: 7"},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(files); i++) {
        struct read read;
        read_hex(files[i].hex, &read);
        if (!read.opened || read.count != files[i].count || strstr(said, files[i].says) == NULL)
            fail_msg("file %zu: %zu packets; %s%s", i, read.count, read.error, said);
    }
}

static void packets_that_were_dropped_are_missed_before_the_next(void **state)
{
#define SNOOP(dropped) "00000004 00000004 00000002 " dropped " 00e03ab44a676000 01 030c 00 "
#define DROPPED(count)                                                                                                 \
    "06000000 38000000 00000000 00000000 01000000 08000000 08000000 00000000 01 030c 00 0400 0800 " count              \
    " 0000 0000 38000000 "
    static const char *const files[] = {
        "6274736e6f6f7000 00000001 000003ea " SNOOP("00000000") SNOOP("00000002") SNOOP("00000002") SNOOP("00000003"),
        SECTION INTERFACE RESET_IN DROPPED("0200000000000000") DROPPED("0000000000000000") DROPPED("0000000001000000"),
    };
    (void)state;
    for (size_t i = 0; i < COUNT(files); i++) {
        struct read read;
        read_hex(files[i], &read);
        assert_int_equal(read.count, 4);
        for (size_t k = 0; k < 4; k++)
            assert_int_equal(read.records[k].lost, k % 2 != 0);
        assert_non_null(strstr(said, "packets that were not written"));
    }
}

static void what_is_wrong_often_is_told_once_and_counted(void **state)
{
    struct read read;
    (void)state;
    read_hex(NANO "bb000000 05000000 07000000 00000000 00000000 05000000 07000000 00000000 00000000 "
                  "05000000 07000000 00000000 00000000 ",
             &read);
    assert_string_equal(said, "24: a record without a byte\n72: a record without a byte: 3 times in all\n");
}

/* A file that grows gives its records one after the other, and none of them half. */
static void a_growing_file_is_followed(void **state)
{
    char path[500];
    char error[200];
    struct ys_record record;
    uint8_t bytes[100];
    (void)state;
    (void)snprintf(path, sizeof path, "%s", scratch_file("growing.pcap", ""));
    size_t length = from_hex(NANO "bb000000 " GOOD GOOD, bytes, sizeof bytes);
    FILE *file = fopen(path, "wb");
    assert_int_equal(fwrite(bytes, 1, 24, file), 24);
    (void)fflush(file);
    said[0] = '\0';
    struct ys_capture *capture = ys_capture_open(path, true, note, NULL, error, sizeof error);
    assert_non_null(capture);
    size_t count = 0;
    for (size_t i = 24; i < length; i++) {
        (void)fputc(bytes[i], file);
        (void)fflush(file);
        while (ys_capture_next(capture, &record)) {
            assert_int_equal((i + 1 - 24) % 20, 0);
            count++;
        }
    }
    assert_int_equal(count, 2);
    assert_string_equal(said, "");
    ys_capture_free(capture);
    (void)fclose(file);
}

/* writing */

static struct ys_capture_writer *create(const char *path, bool replaces)
{
    char error[400];
    struct ys_capture_writer *writer = ys_capture_create(path, replaces, error, sizeof error);
    if (writer == NULL)
        (void)snprintf(said, sizeof said, "%s", error);
    return writer;
}

#define SCRIPT                                                                                                         \
    "air 37 1 4009 " ADDRESS                                                                                           \
    "020106; link; >a 0a0300; <a 0b01; h> 01030c00; h< 040e0401030c00; + 50; air 38 c 4009 " ADDRESS "020106"

static void write_script(const char *path)
{
    char error[400];
    struct ys_capture_writer *writer = create(path, true);
    const struct ys_record_sink sink = {.take = ys_capture_sink, .context = writer};
    assert_non_null(writer);
    traffic_play(SCRIPT, &sink);
    assert_true(ys_capture_close(writer, 0, 1000000000, error, sizeof error));
}

struct kept {
    struct ys_record records[20];
    uint8_t bytes[20][20];
    size_t count;
};

static void keep(void *context, const struct ys_record *record)
{
    struct kept *kept = context;
    kept->records[kept->count] = *record;
    if (record->kind == YS_RECORD_HCI)
        memcpy(kept->bytes[kept->count], record->bytes, record->length);
    kept->count++;
}

/* Whatever is written is read by a library that is not ours. */
static void what_is_written_is_read_by_libpcap_alone(void **state)
{
    char folder[500];
    char path[600];
    char problem[PCAP_ERRBUF_SIZE];
    struct kept kept = {.count = 0};
    const struct ys_record_sink sink = {.take = keep, .context = &kept};
    struct pcap_pkthdr *header;
    const u_char *bytes;
    (void)state;
    traffic_play(SCRIPT, &sink);
    (void)snprintf(folder, sizeof folder, "%s", scratch_folder("written"));
    (void)snprintf(path, sizeof path, "%s/one.pcap", folder);
    write_script(path);
    pcap_t *pcap = pcap_open_offline_with_tstamp_precision(path, PCAP_TSTAMP_PRECISION_NANO, problem);
    assert_non_null(pcap);
    assert_int_equal(pcap_datalink(pcap), 256);
    for (size_t i = 0; i < kept.count; i++) {
        const struct ys_record *record = &kept.records[i];
        if (record->kind == YS_RECORD_HCI)
            continue;
        assert_int_equal(pcap_next_ex(pcap, &header, &bytes), 1);
        assert_int_equal((uint64_t)header->ts.tv_sec * 1000000000 + (uint64_t)header->ts.tv_usec, record->at_ns);
        assert_int_equal(header->caplen, header->len);
        bool coded = record->air.phy == YS_PHY_CODED_S8;
        assert_int_equal(header->caplen, 10 + 4 + coded + record->air.length + 3);
        assert_memory_equal(bytes + 14 + coded, record->air.pdu, record->air.length);
        assert_int_equal((int8_t)bytes[1], -50);
    }
    assert_int_equal(pcap_next_ex(pcap, &header, &bytes), PCAP_ERROR_BREAK);
    pcap_close(pcap);
    (void)snprintf(path, sizeof path, "%s/one-wrench.pcap", folder);
    pcap = pcap_open_offline_with_tstamp_precision(path, PCAP_TSTAMP_PRECISION_NANO, problem);
    assert_non_null(pcap);
    assert_int_equal(pcap_datalink(pcap), 201);
    assert_int_equal(pcap_next_ex(pcap, &header, &bytes), 1);
    assert_hex(bytes, header->caplen, "00000000 01 030c 00");
    assert_int_equal(pcap_next_ex(pcap, &header, &bytes), 1);
    assert_hex(bytes, header->caplen, "00000001 04 0e 04 01 030c 00");
    pcap_close(pcap);
}

static void what_is_written_is_read_again_the_same(void **state)
{
    char path[600];
    char error[200];
    uint64_t from_ns;
    uint64_t to_ns;
    struct kept kept = {.count = 0};
    const struct ys_record_sink sink = {.take = keep, .context = &kept};
    struct ys_record record;
    (void)state;
    traffic_play(SCRIPT, &sink);
    (void)snprintf(path, sizeof path, "%s/one.pcapng", scratch_folder("again"));
    write_script(path);
    said[0] = '\0';
    struct ys_capture *capture = ys_capture_open(path, false, note, NULL, error, sizeof error);
    for (size_t i = 0; i < kept.count; i++) {
        const struct ys_record *expected = &kept.records[i];
        assert_true(ys_capture_next(capture, &record));
        assert_int_equal(record.kind, expected->kind);
        assert_int_equal(record.at_ns, expected->at_ns);
        if (record.kind == YS_RECORD_HCI) {
            assert_memory_equal(record.bytes, kept.bytes[i], expected->length);
            assert_int_equal(record.to_host, expected->to_host);
            assert_string_equal(record.name, "wrench");
            continue;
        }
        assert_int_equal(record.known, expected->known);
        assert_int_equal(record.air.channel, expected->air.channel);
        assert_int_equal(record.air.phy, expected->air.phy);
        assert_int_equal(record.air.side, expected->air.side);
        assert_int_equal(record.air.crc, expected->air.crc);
        assert_int_equal(record.air.duration_ns, expected->air.duration_ns);
        assert_memory_equal(record.air.pdu, expected->air.pdu, expected->air.length);
    }
    assert_false(ys_capture_next(capture, &record));
    assert_true(ys_capture_watched(capture, &from_ns, &to_ns));
    assert_int_equal(to_ns, 1000000000);
    assert_string_equal(said, "");
    ys_capture_free(capture);
}

static void a_file_that_is_there_is_left_alone_unless_it_is_to_be_replaced(void **state)
{
    char path[600];
    (void)state;
    (void)snprintf(path, sizeof path, "%s", scratch_file("mine.pcap", "mine"));
    assert_null(create(path, false));
    assert_non_null(strstr(said, "left alone"));
    char *text = read_whole(path);
    assert_string_equal(text, "mine");
    free(text);
    assert_null(create("capture.txt", false));
    assert_non_null(strstr(said, ".pcapng"));
    assert_null(create("/nowhere/at/all.pcap", false));
    /* the file of an interface, beside it */
    char beside[700];
    char error[9000];
    (void)snprintf(path, sizeof path, "%s/two.pcap", scratch_folder("beside"));
    (void)snprintf(beside, sizeof beside, "%.*s-wrench.pcap", (int)strlen(path) - 5, path);
    FILE *file = fopen(beside, "w");
    (void)fclose(file);
    struct ys_capture_writer *writer = create(path, false);
    const struct ys_record_sink sink = {.take = ys_capture_sink, .context = writer};
    traffic_play(SCRIPT, &sink);
    assert_false(ys_capture_close(writer, 0, 1, error, sizeof error));
    assert_non_null(strstr(error, "two-wrench.pcap"));
    struct stat status;
    assert_int_equal(stat(beside, &status), 0);
    assert_int_equal(status.st_size, 0);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(pcap_of_each_order_and_resolution_gives_the_same_packet),
        cmocka_unit_test(each_channel_and_phy_is_told_apart),
        cmocka_unit_test(air_without_a_header_has_its_crc_checked),
        cmocka_unit_test(each_kind_of_hci_gives_packet_and_direction),
        cmocka_unit_test(pcapng_gives_packets_with_the_names_of_their_interfaces),
        cmocka_unit_test(what_is_no_capture_is_refused),
        cmocka_unit_test(what_is_wrong_is_said_with_its_place_and_the_rest_is_read),
        cmocka_unit_test(packets_that_were_dropped_are_missed_before_the_next),
        cmocka_unit_test(what_is_wrong_often_is_told_once_and_counted),
        cmocka_unit_test(a_growing_file_is_followed),
        cmocka_unit_test(what_is_written_is_read_by_libpcap_alone),
        cmocka_unit_test(what_is_written_is_read_again_the_same),
        cmocka_unit_test(a_file_that_is_there_is_left_alone_unless_it_is_to_be_replaced),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
