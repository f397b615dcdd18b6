/* The server of the attribute protocol, PDU by PDU, through a scripted controller. */
#include "support/check.h"

#include <stdio.h>
#include <string.h>

#include "support/hex.h"
#include "support/sample.h"
#include "support/scripted.h"

#define LINK 0x0040

static struct scripted scripted;
static uint8_t values[SAMPLE_VALUES_SIZE];
static struct sample sample;

static int setup(void **state)
{
    (void)state;
    sample = (struct sample){.number = 0x1234, .battery = 87};
    scripted_init(&scripted, &sample_table, values, &sample);
    scripted_start(&scripted, 251, 8);
    connect_it(&scripted, LINK, 1);
    forget_sent(&scripted);
    return 0;
}

static void exchange(const char *request, const char *response)
{
    give_att(&scripted, LINK, request);
    assert_att(&scripted, LINK, response);
    give_buffers(&scripted, LINK, 8);
}

struct exchange {
    const char *request;
    const char *response;
};

static void exchange_all(const struct exchange *exchanges, size_t count)
{
    for (size_t i = 0; i < count; i++)
        exchange(exchanges[i].request, exchanges[i].response);
}

/* Vol 3 Part F 3.2.3, 3.4.4.9, 3.4.4.10; Vol 3 Part G 3.1. */
static void services_are_listed_with_the_ends_of_their_groups(void **state)
{
    static const struct exchange exchanges[] = {
        /* UUIDs of different length go into different responses */
        {"10 0100 ffff 0028", "11 06 0100 0500 0018"},
        {"10 0600 ffff 0028", "11 14 0600 1100 " SAMPLE_LONG_0},
        {"10 1200 ffff 0028", "11 06 1200 1500 0f18"},
        {"10 1300 ffff 0028", "01 10 1300 0a"},
        {"10 0100 0500 0028", "11 06 0100 0500 0018"},
        {"10 0200 0500 0028", "01 10 0200 0a"},
        /* the type in its long form is the same type */
        {"10 0100 ffff fb349b5f80000080001000000028 0000", "11 06 0100 0500 0018"},
        {"10 0100 ffff 0328", "01 10 0100 10"},
        {"10 0100 ffff 0128", "01 10 0100 0a"}, /* a grouping type, too, and there is none */
        {"10 0100 ffff 0228", "01 10 0100 10"},
    };
    (void)state;
    exchange_all(exchanges, COUNT(exchanges));
}

/* Vol 3 Part G 3.3.1, 3.3.1.1 to 3.3.1.3, 3.3.2. */
static void characteristics_are_listed_with_their_declarations(void **state)
{
    static const struct exchange exchanges[] = {
        {"08 0100 ffff 0328", "09 07 0200 02 0300 002a 0400 02 0500 012a"},
        {"08 0600 1100 0328", "09 15 0700 1a 0800 " SAMPLE_LONG_1},
        {"08 0800 ffff 0328", "09 07 0a00 02 0b00 252a 0c00 0e 0d00 3d2a 0e00 02 0f00 562a"},
        {"08 1000 ffff 0328", "09 07 1000 08 1100 572a 1300 12 1400 192a"},
        {"08 1400 ffff 0328", "01 08 1400 0a"},
    };
    (void)state;
    exchange_all(exchanges, COUNT(exchanges));
}

/* Vol 3 Part F 3.2.1, 3.4.4.1, 3.4.4.2. */
static void values_are_read_by_their_type(void **state)
{
    static const struct exchange exchanges[] = {
        {"08 0100 ffff 002a", "09 06 0300 79617264"},
        {"08 0100 ffff " SAMPLE_LONG_1, "09 04 0800 3412"},
        {"08 0100 ffff 0229", "09 04 0900 0000 1500 0000"},
        {"08 0100 ffff 252a", "09 15 0b00 30313233343536373839616263646566676869"},
        {"08 0100 ffff 562a", "01 08 0f00 05"}, /* needs an encrypted link */
        {"08 0100 ffff 572a", "01 08 1100 02"}, /* cannot be read */
        {"08 0100 ffff ff2a", "01 08 0100 0a"},
    };
    (void)state;
    exchange_all(exchanges, COUNT(exchanges));
    sample.read_error = 0x80; /* a handler's own error is the answer, too */
    exchange("08 0100 ffff " SAMPLE_LONG_1, "01 08 0800 80");
}

/* Vol 3 Part F 3.4.3.1, 3.4.3.2. */
static void information_is_listed_by_the_length_of_types(void **state)
{
    static const struct exchange exchanges[] = {
        {"04 0100 ffff", "05 01 0100 0028 0200 0328 0300 002a 0400 0328 0500 012a"},
        {"04 0600 0700", "05 01 0600 0028 0700 0328"},
        {"04 0700 ffff", "05 01 0700 0328"},
        {"04 0800 ffff", "05 02 0800 " SAMPLE_LONG_1},
        {"04 1500 ffff", "05 01 1500 0229"},
        {"04 1600 ffff", "01 04 1600 0a"},
        {"04 ffff ffff", "01 04 ffff 0a"},
    };
    (void)state;
    exchange_all(exchanges, COUNT(exchanges));
}

/* Vol 3 Part F 3.4.3.3, 3.4.3.4. */
static void services_are_found_by_their_value(void **state)
{
    static const struct exchange exchanges[] = {
        {"06 0100 ffff 0028 0f18", "07 1200 1500"},
        {"06 0100 ffff 0028 " SAMPLE_LONG_0, "07 0600 1100"},
        {"06 0100 ffff 0028 fb349b5f8000008000100000 0f180000", "07 1200 1500"},
        {"06 0100 1100 0028 0f18", "01 06 0100 0a"},
        {"06 0100 ffff 0028 0f1800", "01 06 0100 0a"},
        {"06 0100 ffff 002a 79617264", "07 0300 0300"}, /* any other type: the attribute alone */
        {"06 0100 ffff 002a 796172", "01 06 0100 0a"},
    };
    (void)state;
    exchange_all(exchanges, COUNT(exchanges));
}

/* Vol 3 Part F 3.2.2. */
static void ranges_that_are_none_are_refused(void **state)
{
    static const char *const types[] = {"04 %s", "06 %s 0028 0f18", "08 %s 0328", "10 %s 0028"};
    static const struct {
        const char *range;
        const char *handle;
    } ranges[] = {{"0000 ffff", "0000"}, {"0000 0000", "0000"}, {"0500 0400", "0500"}, {"ffff 0100", "ffff"}};
    (void)state;
    for (size_t i = 0; i < COUNT(types); i++) {
        for (size_t j = 0; j < COUNT(ranges); j++) {
            char request[64];
            char response[64];
            (void)snprintf(request, sizeof request, types[i], ranges[j].range);
            (void)snprintf(response, sizeof response, "01 %.2s %s 01", request, ranges[j].handle);
            exchange(request, response);
        }
    }
}

/* Vol 3 Part F 3.4.4.3, 3.4.4.4. */
static void values_are_read_from_constants_handlers_and_memory(void **state)
{
    static const struct exchange exchanges[] = {
        {"0a 0300", "0b 79617264"},
        {"0a 0800", "0b 3412"},
        {"0a 0d00", "0b 0102"},
        {"0a 0100", "0b 0018"},
        {"0a 0700", "0b 1a 0800 " SAMPLE_LONG_1},
        {"0a 0900", "0b 0000"},
        {"0a 0000", "01 0a 0000 01"},
        {"0a 1600", "01 0a 1600 01"},
        {"0a ffff", "01 0a ffff 01"},
        {"0a 0f00", "01 0a 0f00 05"},
        {"0a 1100", "01 0a 1100 02"},
    };
    (void)state;
    exchange_all(exchanges, COUNT(exchanges));
    assert_int_equal(sample.reads, 1);
    assert_int_equal(sample.last.connection, LINK);
    assert_int_equal(sample.last.handle, 8);
    sample.read_error = 0x85;
    exchange("0a 0800", "01 0a 0800 85");
}

/* 60 bytes with an MTU of 23: 22 at a time (Vol 3 Part F 3.2.9, 3.4.4.5, 3.4.4.6). */
static void long_values_are_read_piece_by_piece(void **state)
{
    static const struct exchange exchanges[] = {
        {"0a 0b00", "0b 30313233343536373839 6162636465666768696a 4142"},
        {"0c 0b00 1600", "0d 434445464748494a 30313233343536373839 61626364"},
        {"0c 0b00 2c00", "0d 65666768696a 4142434445464748 4900"},
        {"0c 0b00 3b00", "0d 00"},
        {"0c 0b00 3c00", "0d"},
        {"0c 0b00 3d00", "01 0c 0b00 07"},
        {"0c 0b00 ffff", "01 0c 0b00 07"},
        {"0c 0300 0000", "0d 79617264"},
        {"0c 0800 0100", "0d 12"}, /* a handler's value, too */
        {"0c 0800 0300", "01 0c 0800 07"},
        {"0c 0000 0000", "01 0c 0000 01"},
        {"0c 0f00 0000", "01 0c 0f00 05"},
    };
    (void)state;
    exchange_all(exchanges, COUNT(exchanges));
}

/* Vol 3 Part F 3.2.4, 3.4.5.1, 3.4.5.2. */
static void writes_go_to_handlers_and_memory(void **state)
{
    static const struct exchange exchanges[] = {
        {"12 0800 bbaa", "13"},
        {"0a 0800", "0b bbaa"},
        {"12 0d00 deadbeef", "13"},
        {"0a 0d00", "0b deadbeef"},
        {"12 0d00", "13"}, /* of variable length: empty is a value */
        {"0a 0d00", "0b"},
        {"12 1100 01", "13"},
        {"12 1100 02", "01 12 1100 ff"}, /* the handler says so */
        {"12 0800 aa", "01 12 0800 0d"},
        {"12 0800 aabbcc", "01 12 0800 0d"},
        {"12 0d00 0102030405", "01 12 0d00 0d"},
        {"12 0300 00", "01 12 0300 03"},
        {"12 0100 00", "01 12 0100 03"},
        {"12 0700 00", "01 12 0700 03"},
        {"12 0000 00", "01 12 0000 01"},
        {"12 1600 00", "01 12 1600 01"},
        {"12 ffff", "01 12 ffff 01"},
    };
    (void)state;
    exchange_all(exchanges, COUNT(exchanges));
    assert_int_equal(sample.writes, 3);
}

/* Vol 3 Part F 3.4.5.3. */
static void commands_are_done_or_not_but_never_answered(void **state)
{
    static const struct exchange exchanges[] = {
        {"52 0d00 0a0b", ""},
        {"0a 0d00", "0b 0a0b"}, /* taken */
        {"52 0d00 0102030405", ""},
        {"0a 0d00", "0b 0a0b"}, /* too long */
        {"52 0800 0000", ""},
        {"0a 0800", "0b 3412"}, /* offers no write without response */
        {"52 0000 00", ""},
        {"52 ffff 00", ""},
        {"52", ""},
        {"52 08", ""},
        {"d2 0800 00000000", ""}, /* signed writes are not supported */
        {"40", ""},
        {"7f 010203", ""},
    };
    (void)state;
    exchange_all(exchanges, COUNT(exchanges));
    assert_int_equal(sample.writes, 0);
}

static void stored_values_start_as_the_table_says(void **state)
{
    (void)state;
    assert_hex(values, 4, "0200 0102");
    exchange("12 0d00 09", "13");
    assert_hex(values, 3, "0100 09");
}

/* Vol 3 Part F 3.4.1.1, 3.4.8. */
static void unknown_and_malformed_requests_get_the_standards_answer(void **state)
{
    static const struct exchange exchanges[] = {
        {"00", "01 00 0000 06"},
        {"0e 0300", "01 0e 0000 04"},
        {"0e 0300 05", "01 0e 0000 04"},
        {"16 0d00 00", "01 16 0000 04"},
        {"18", "01 18 0000 04"},
        {"18 02", "01 18 0000 04"},
        {"20 0300", "01 20 0000 04"},
        {"36 00", "01 36 0000 06"},
        {"0a", "01 0a 0000 04"},
        {"0a 03", "01 0a 0000 04"},
        {"0a 0300 00", "01 0a 0000 04"},
        {"02 17", "01 02 0000 04"},
        {"08 0100 ffff 03", "01 08 0000 04"},
        {"10 0100 ffff 00280000", "01 10 0000 04"},
        {"12 08", "01 12 0000 04"},
        {"0c 0300 00", "01 0c 0000 04"},
        /* what only a server sends, and a confirmation of nothing, is not answered */
        {"01 0a 0300 01", ""},
        {"0b 00", ""},
        {"13", ""},
        {"1e", ""},
        {"03 f700", ""},
        {"21 00", ""},
    };
    (void)state;
    exchange_all(exchanges, COUNT(exchanges));
}

/* Vol 3 Part F 3.2.8, 3.4.2.1, 3.4.2.2. */
static void the_mtu_is_the_smaller_of_both_and_at_least_23(void **state)
{
    static const struct {
        const char *request;
        uint16_t agreed;
    } cases[] = {{"02 f700", 247}, {"02 0002", 247}, {"02 6400", 100}, {"02 1700", 23}, {"02 0100", 23}};
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        exchange(cases[i].request, "03 f700");
        assert_int_equal(ys_host_mtu(&scripted.host, LINK), cases[i].agreed);
        assert_int_equal(last_event(&scripted, YS_EVENT_MTU)->u.mtu, cases[i].agreed);
    }
    assert_int_equal(ys_host_mtu(&scripted.host, LINK + 1), 0);
    exchange("02 f700", "03 f700");
    exchange("0a 0b00", "0b 30313233343536373839 6162636465666768696a 4142434445464748494a"
                        "30313233343536373839 6162636465666768696a 41424344454647484900");
}

/* Vol 3 Part G 3.3.3.3. */
static void connections_do_not_share_their_configuration(void **state)
{
    (void)state;
    connect_it(&scripted, LINK + 1, 1);
    exchange("12 0900 0100", "13");
    exchange("0a 0900", "0b 0100");
    give_att(&scripted, LINK + 1, "0a 0900");
    assert_att(&scripted, LINK + 1, "0b 0000");
    /* a new connection with the old handle starts with nothing */
    give(&scripted, "04 05 04 00 4000 13");
    connect_it(&scripted, LINK, 1);
    exchange("0a 0900", "0b 0000");
}

static void a_configuration_that_is_not_offered_is_refused(void **state)
{
    static const struct exchange exchanges[] = {
        {"12 0900 0200", "01 12 0900 fd"},
        {"12 0900 0300", "01 12 0900 fd"},
        {"12 0900 01", "01 12 0900 0d"},
        {"12 0900 010000", "01 12 0900 0d"},
        {"12 0900 0100", "13"},
        {"0a 0900", "0b 0100"},
        {"12 0900 0000", "13"},
        {"0a 0900", "0b 0000"},
    };
    (void)state;
    exchange_all(exchanges, COUNT(exchanges));
    assert_int_equal(count_events(&scripted, YS_EVENT_SUBSCRIPTION), 2);
}

/* Every request, cut off at every length and with a byte more: always one answer, the right one, or none for a command;
 * and afterwards the server still answers. */
static void no_length_of_any_request_disturbs_the_server(void **state)
{
    static const char *const requests[] = {"02 f700",      "04 0100 ffff",      "06 0100 ffff 0028 0f18",
                                           "0a 0300",      "08 0100 ffff 0328", "0c 0b00 0100",
                                           "12 0d00 01",   "16 0d00 0000 01",   "18 00",
                                           "0e 0300 0500", "20 0300 0500",      "10 0100 ffff 0028",
                                           "52 0d00 02",   "1b 0800 3412",      "1d 0800 3412"};
    (void)state;
    for (size_t i = 0; i < COUNT(requests); i++) {
        uint8_t bytes[32];
        size_t length = from_hex(requests[i], bytes, sizeof bytes - 1);
        bytes[length] = 0;
        for (size_t cut = 1; cut <= length + 1; cut++) {
            give_att(&scripted, LINK, to_hex(bytes, cut));
            bool answered = (bytes[0] & 0x40) == 0 && bytes[0] != 0x1b && (bytes[0] != 0x1d || cut >= 3);
            assert_int_equal(scripted.sent_count, answered);
            forget_sent(&scripted);
            give_buffers(&scripted, LINK, 8);
            exchange("0a 0300", "0b 79617264");
        }
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test_setup(services_are_listed_with_the_ends_of_their_groups, setup),
        cmocka_unit_test_setup(characteristics_are_listed_with_their_declarations, setup),
        cmocka_unit_test_setup(values_are_read_by_their_type, setup),
        cmocka_unit_test_setup(information_is_listed_by_the_length_of_types, setup),
        cmocka_unit_test_setup(services_are_found_by_their_value, setup),
        cmocka_unit_test_setup(ranges_that_are_none_are_refused, setup),
        cmocka_unit_test_setup(values_are_read_from_constants_handlers_and_memory, setup),
        cmocka_unit_test_setup(long_values_are_read_piece_by_piece, setup),
        cmocka_unit_test_setup(writes_go_to_handlers_and_memory, setup),
        cmocka_unit_test_setup(commands_are_done_or_not_but_never_answered, setup),
        cmocka_unit_test_setup(stored_values_start_as_the_table_says, setup),
        cmocka_unit_test_setup(unknown_and_malformed_requests_get_the_standards_answer, setup),
        cmocka_unit_test_setup(the_mtu_is_the_smaller_of_both_and_at_least_23, setup),
        cmocka_unit_test_setup(connections_do_not_share_their_configuration, setup),
        cmocka_unit_test_setup(a_configuration_that_is_not_offered_is_refused, setup),
        cmocka_unit_test_setup(no_length_of_any_request_disturbs_the_server, setup),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
