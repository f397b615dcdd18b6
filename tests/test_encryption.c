/* Encryption of a link by the simulated controllers, against the sample data of the standard and from both sides. */
#include "sim/link_cipher.h"
#include "support/check.h"

#include <stdio.h>
#include <string.h>

#include "sim/controller_state.h"
#include "support/bench.h"
#include "support/hex.h"

/* A key, as HCI has it, and the commands and answers that go with it. */
#define KEY            "bf01fb9d4ef3bc36d874f539413868 4c"
#define OTHER_KEY      "00112233445566778899aabbccddeeff"
#define ENABLE         "01 1920 1c 0100 0000000000000000 0000 "
#define REPLY          "01 1a20 12 0100 "
#define REFUSE         "01 1b20 02 0100"
#define CHANGED        "04 08 04 00 0100 01"
#define REFRESHED      "04 30 03 00 0100"
#define ASKED          "04 3e 0d 05 0100 0000000000000000 0000"
#define MIC_FAILURE    "04 05 04 00 0100 3d"
#define DATA_TO_HOST   "02 0120 0400 a1a2a3a4"
#define DATA_FROM_HOST "02 0100 0400 a1a2a3a4"

/* Vol 6 Part E 1, 2. */
static void the_first_encrypted_packets_are_those_of_the_sample_data(void **state)
{
    uint8_t key[16];
    uint8_t diversifier[16];
    uint8_t vector[8];
    uint8_t payload[8] = {YS_LINK_START_ENC_RSP};
    (void)state;
    /* as printed: SKD_C acbdcedfe0f10213, SKD_P 0213243546576879, IV_C badcab24, IV_P deafbabe */
    from_hex(KEY, key, sizeof key);
    from_hex("1302f1e0dfcebdac 7968574635241302", diversifier, sizeof diversifier);
    from_hex("24abdcba bebaafde", vector, sizeof vector);
    struct link_cipher *central = link_cipher_new(key, diversifier, vector);
    struct link_cipher *peripheral = link_cipher_new(key, diversifier, vector);
    link_cipher_seal(central, true, 0x0f, payload, 1);
    assert_hex(payload, 5, "9f cd a7 f4 48");
    assert_true(link_cipher_open(peripheral, true, 0x03, payload, 5)); /* NESN, SN and MD do not count */
    assert_hex(payload, 1, "06");
    link_cipher_seal(peripheral, false, 0x07, payload, 1);
    assert_hex(payload, 5, "a3 4c 13 a4 15");
    payload[0] ^= 1;
    assert_false(link_cipher_open(central, false, 0x07, payload, 5));
    link_cipher_free(central);
    link_cipher_free(peripheral);
}

static void encrypt_with(const char *key, const char *answer)
{
    char command[160];
    (void)snprintf(command, sizeof command, ENABLE "%s", key);
    tell(1, command);
    assert_told(1, "04 0f 04 00 01 1920");
    size_t asked = count_told(0, ASKED);
    for (int i = 0; i < 20 && count_told(0, ASKED) == asked; i++)
        pass_us(30000);
    assert_int_equal(count_told(0, ASKED), asked + 1);
    (void)snprintf(command, sizeof command, REPLY "%s", answer);
    tell(0, command);
    assert_told(0, "04 0e 06 01 1a20 00 0100");
    pass_us(300000);
}

static void begin_encrypted(void)
{
    tell(0, "01 010c 08 ffffffffffffff3f"); /* a refresh is masked at first */
    tell(1, "01 010c 08 ffffffffffffff3f");
    bench_connect();
    encrypt_with(KEY, KEY);
    assert_int_equal(count_told(0, CHANGED), 1);
    assert_int_equal(count_told(1, CHANGED), 1);
}

/* Whether any packet from `first` on carries these bytes. */
static bool was_on_air(size_t first, const char *hex)
{
    uint8_t bytes[32];
    size_t length = from_hex(hex, bytes, sizeof bytes);
    for (size_t i = first; i < bench.air_count; i++) {
        if (memmem(bench.air[i].pdu, bench.air[i].length, bytes, length) != NULL)
            return true;
    }
    return false;
}

/* Vol 6 Part E 2.1. */
static void what_is_sent_on_an_encrypted_link_arrives_and_cannot_be_read(void **state)
{
    (void)state;
    begin_encrypted();
    size_t before = bench.air_count;
    for (int i = 0; i < 40; i++) {
        tell(0, DATA_FROM_HOST);
        tell(1, DATA_FROM_HOST);
        pass_us(60000);
    }
    assert_int_equal(count_told(0, DATA_TO_HOST), 40);
    assert_int_equal(count_told(1, DATA_TO_HOST), 40);
    assert_false(was_on_air(before, "a1a2a3a4"));
    size_t sealed = 0;
    for (size_t i = before; i < bench.air_count; i++) {
        assert_true(bench.air[i].pdu[1] == 0 || bench.air[i].pdu[1] == 8);
        sealed += bench.air[i].pdu[1] == 8;
    }
    assert_int_equal(sealed, 80);
}

static void a_long_packet_is_cut_and_each_piece_has_its_own_mic(void **state)
{
    char packet[512] = "02 0100 4000";
    (void)state;
    begin_encrypted();
    for (int i = 0; i < 64; i++)
        strcat(packet, " a5");
    size_t before = bench.air_count;
    tell(1, packet);
    pass_us(60000);
    assert_int_equal(count_told(0, "02 0120 1b00 a5"), 1);
    assert_int_equal(count_told(0, "02 0110 1b00 a5"), 1);
    assert_int_equal(count_told(0, "02 0110 0a00 a5"), 1);
    size_t lengths[3] = {0};
    for (size_t i = before, data = 0; i < bench.air_count; i++) {
        if (bench.air[i].sender == 2 && bench.air[i].pdu[1] > 0)
            lengths[data++] = bench.air[i].pdu[1];
    }
    assert_int_equal(lengths[0], 31);
    assert_int_equal(lengths[1], 31);
    assert_int_equal(lengths[2], 14);
}

/* Vol 6 Part B 5.1.3. */
static void data_waits_while_encryption_starts(void **state)
{
    (void)state;
    bench_connect();
    tell(1, ENABLE KEY);
    tell(1, DATA_FROM_HOST);
    pass_us(90000);
    assert_int_equal(count_told(0, ASKED), 1);
    tell(0, DATA_FROM_HOST);
    pass_us(120000);
    assert_int_equal(count_told(0, DATA_TO_HOST) + count_told(1, DATA_TO_HOST), 0);
    assert_false(was_on_air(0, "a1a2a3a4"));
    tell(0, REPLY KEY);
    pass_us(300000);
    assert_int_equal(count_told(0, DATA_TO_HOST), 1);
    assert_int_equal(count_told(1, DATA_TO_HOST), 1);
    assert_false(was_on_air(0, "a1a2a3a4"));
}

/* Vol 6 Part B 5.1.3; Vol 4 Part E 7.7.8, 7.7.39. */
static void a_refresh_pauses_and_takes_another_key(void **state)
{
    (void)state;
    begin_encrypted();
    size_t before = bench.air_count;
    tell(0, DATA_FROM_HOST);
    encrypt_with(OTHER_KEY, OTHER_KEY);
    tell(0, DATA_FROM_HOST);
    tell(1, DATA_FROM_HOST);
    pass_us(100000);
    assert_int_equal(count_told(0, REFRESHED), 1);
    assert_int_equal(count_told(1, REFRESHED), 1);
    assert_int_equal(count_told(0, CHANGED), 1);
    assert_int_equal(count_told(1, DATA_TO_HOST), 2);
    assert_int_equal(count_told(0, DATA_TO_HOST), 1);
    assert_false(was_on_air(before, "a1a2a3a4"));
}

static void different_keys_end_the_link_with_a_wrong_mic(void **state)
{
    (void)state;
    bench_connect();
    encrypt_with(KEY, OTHER_KEY);
    assert_int_equal(count_told(0, MIC_FAILURE), 1);
    assert_int_equal(count_told(0, CHANGED) + count_told(1, CHANGED), 0);
    pass_us(1100000);
    assert_int_equal(count_told(1, "04 05 04 00 0100"), 1);
}

/* Vol 6 Part B 5.1.3; Vol 4 Part E 7.7.65.5, 7.8.25, 7.8.26. */
static void a_missing_key_is_said_and_the_link_goes_on(void **state)
{
    (void)state;
    bench_connect();
    tell(1, ENABLE KEY);
    pass_us(120000);
    tell(0, REFUSE);
    assert_told(0, "04 0e 06 01 1b20 00 0100");
    pass_us(120000);
    assert_int_equal(count_told(1, "04 08 04 06 0100 00"), 1);
    tell(1, DATA_FROM_HOST);
    pass_us(60000);
    assert_int_equal(count_told(0, DATA_TO_HOST), 1);
}

static void a_missing_key_at_a_refresh_ends_the_link(void **state)
{
    (void)state;
    begin_encrypted();
    tell(1, ENABLE OTHER_KEY);
    pass_us(200000);
    assert_int_equal(count_told(0, ASKED), 2);
    tell(0, REFUSE);
    pass_us(200000);
    assert_int_equal(count_told(0, "04 05 04 00 0100 16"), 1);
    assert_int_equal(count_told(1, "04 05 04 00 0100 13"), 1);
    assert_int_equal(count_told(1, "04 30 03 06 0100"), 1);
}

static void a_key_that_never_comes_ends_the_link_after_40_seconds(void **state)
{
    (void)state;
    bench_connect();
    tell(1, ENABLE KEY);
    for (int i = 0; i < 39; i++) {
        pass_us(1000000);
        bench.air_count = 0;
    }
    assert_int_equal(count_told(1, "04 05 04 00 0100"), 0);
    pass_us(2000000);
    assert_int_equal(count_told(0, "04 05 04 00 0100 22"), 1);
}

/* Vol 4 Part E 7.7.65.5, 7.8.25, 7.8.26, 7.8.24. */
static void encryption_commands_are_refused_where_they_make_no_sense(void **state)
{
    (void)state;
    tell(1, ENABLE KEY);
    assert_told(1, "04 0f 04 02 01 1920");
    bench_connect();
    tell(0, ENABLE KEY); /* only a central can */
    assert_told(0, "04 0f 04 0c 01 1920");
    tell(0, REPLY KEY);
    assert_told(0, "04 0e 06 01 1a20 0c 0100");
    tell(0, REFUSE);
    assert_told(0, "04 0e 06 01 1b20 0c 0100");
    tell(1, ENABLE KEY);
    tell(1, ENABLE KEY); /* it has begun */
    assert_told(1, "04 0f 04 0c 01 1920");
    tell(0, "01 1a20 12 0700 " KEY);
    assert_told(0, "04 0e 06 01 1a20 02 0700");
}

/* A packet that a third party puts on the air in the name of the central, when an event begins. */
static void forge(const struct ys_air_packet *like, uint8_t header, const char *payload)
{
    uint8_t pdu[40] = {header};
    pdu[1] = (uint8_t)from_hex(payload, pdu + 2, sizeof pdu - 2);
    (void)ys_radio_send(bench.radio, &(struct ys_sending){.channel = like->channel,
                                                          .phy = like->phy,
                                                          .access_address = like->access_address,
                                                          .crc_init = 0,
                                                          .sender = 9,
                                                          .pdu = pdu,
                                                          .length = (uint16_t)(2 + pdu[1])});
}

/* Without the CRC's start, which is not on the air twice, a forged packet is noise; the link does not notice (Vol 6
 * Part E 2). */
static void a_forged_packet_without_the_right_crc_changes_nothing(void **state)
{
    (void)state;
    begin_encrypted();
    forge(&bench.air[bench.air_count - 1], 0x02, "0400 a1a2a3a4");
    pass_us(300000);
    assert_int_equal(count_told(0, DATA_TO_HOST), 0);
    assert_int_equal(count_told(0, MIC_FAILURE), 0);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(the_first_encrypted_packets_are_those_of_the_sample_data),
#define ON_BENCH(test) cmocka_unit_test_setup_teardown(test, bench_setup, bench_teardown)
        ON_BENCH(what_is_sent_on_an_encrypted_link_arrives_and_cannot_be_read),
        ON_BENCH(a_long_packet_is_cut_and_each_piece_has_its_own_mic),
        ON_BENCH(data_waits_while_encryption_starts),
        ON_BENCH(a_refresh_pauses_and_takes_another_key),
        ON_BENCH(different_keys_end_the_link_with_a_wrong_mic),
        ON_BENCH(a_missing_key_is_said_and_the_link_goes_on),
        ON_BENCH(a_missing_key_at_a_refresh_ends_the_link),
        ON_BENCH(a_key_that_never_comes_ends_the_link_after_40_seconds),
        ON_BENCH(encryption_commands_are_refused_where_they_make_no_sense),
        ON_BENCH(a_forged_packet_without_the_right_crc_changes_nothing),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
