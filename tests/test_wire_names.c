/* UUIDs, device addresses and advertising structures. */
#include "support/check.h"

#include <string.h>

#include <yarnswift/address.h>
#include <yarnswift/advertisement.h>
#include <yarnswift/uuid.h>

#include "support/hex.h"

static void a_uuid_is_read_and_written_in_both_orders(void **state)
{
    static const struct {
        const char *text;
        const char *air;
        const char *written;
    } cases[] = {
        {"180F", "0f18", "0x180F"},
        {"0x2a19", "192a", "0x2A19"},
        {"0X2A19", "192a", "0x2A19"},
        {"12345678", "78563412", "0x12345678"},
        {"5f8d0001-2b1c-4e6f-9a37-d4c1e07b6a52", "526a7be0c1d4379a6f4e1c2b01008d5f",
         "5f8d0001-2b1c-4e6f-9a37-d4c1e07b6a52"},
        {"5F8D0001-2B1C-4E6F-9A37-D4C1E07B6A52", "526a7be0c1d4379a6f4e1c2b01008d5f",
         "5f8d0001-2b1c-4e6f-9a37-d4c1e07b6a52"},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct ys_uuid uuid;
        char text[YS_UUID_TEXT_SIZE];
        uint8_t bytes[16];
        struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
        assert_true(ys_uuid_parse(cases[i].text, strlen(cases[i].text), &uuid));
        ys_put_uuid(&writer, &uuid);
        assert_hex(bytes, ys_writer_stored(&writer), cases[i].air);
        assert_string_equal(ys_uuid_format(&uuid, text), cases[i].written);
        struct ys_uuid back = ys_uuid_from_air(bytes, ys_writer_stored(&writer));
        assert_true(ys_uuid_is_equal(&uuid, &back));
    }
}

static void what_is_no_uuid_is_refused_and_leaves_the_old_one(void **state)
{
    static const char *const cases[] = {"",
                                        "0x",
                                        "18",
                                        "180",
                                        "180G",
                                        "0x180F0",
                                        "123456789",
                                        "5f8d0001-2b1c-4e6f-9a37-d4c1e07b6a5",
                                        "5f8d0001-2b1c-4e6f-9a37-d4c1e07b6a521",
                                        "5f8d00012-b1c-4e6f-9a37-d4c1e07b6a52",
                                        "5f8d0001-2b1c-4e6f-9a37-d4c1e07b6a5x",
                                        "5f8d000-12b1c-4e6f-9a37-d4c1e07b6a52"};
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct ys_uuid uuid = ys_uuid_of(0x1234);
        assert_false(ys_uuid_parse(cases[i], strlen(cases[i]), &uuid));
        assert_int_equal(ys_uuid_number(&uuid), 0x1234);
    }
    assert_int_equal(ys_uuid_from_air((const uint8_t *)"abc", 3).length, 0);
}

static void short_and_long_forms_of_an_adopted_uuid_are_equal(void **state)
{
    static const char *const same[] = {"180f", "0000180f", "0000180f-0000-1000-8000-00805f9b34fb"};
    struct ys_uuid uuids[3];
    const struct ys_uuid other = ys_uuid_of(0x1810);
    (void)state;
    for (size_t i = 0; i < 3; i++)
        assert_true(ys_uuid_parse(same[i], strlen(same[i]), &uuids[i]));
    for (size_t i = 0; i < 3; i++) {
        assert_true(ys_uuid_is_adopted(&uuids[i]));
        assert_int_equal(ys_uuid_number(&uuids[i]), 0x180f);
        assert_false(ys_uuid_is_equal(&uuids[i], &other));
        for (size_t j = 0; j < 3; j++)
            assert_true(ys_uuid_is_equal(&uuids[i], &uuids[j]));
    }
}

static void an_offset_counts_in_the_first_32_bits(void **state)
{
    static const struct {
        uint32_t offset;
        const char *sum;
    } cases[] = {
        {0, "5f8d0000-2b1c-4e6f-9a37-d4c1e07b6a52"},
        {1, "5f8d0001-2b1c-4e6f-9a37-d4c1e07b6a52"},
        {0x1ffff, "5f8effff-2b1c-4e6f-9a37-d4c1e07b6a52"},
        {0xffffffff, "5f8cffff-2b1c-4e6f-9a37-d4c1e07b6a52"},
    };
    struct ys_uuid base;
    (void)state;
    assert_true(ys_uuid_parse(cases[0].sum, strlen(cases[0].sum), &base));
    assert_false(ys_uuid_is_adopted(&base));
    assert_int_equal(ys_uuid_number(&base), 0);
    for (size_t i = 0; i < COUNT(cases); i++) {
        char text[YS_UUID_TEXT_SIZE];
        struct ys_uuid sum = ys_uuid_plus(&base, cases[i].offset);
        assert_string_equal(ys_uuid_format(&sum, text), cases[i].sum);
    }
}

/* Vol 3 Part C 10.8; Vol 6 Part B 1.3.1, 1.3.2. */
static void an_address_says_of_what_kind_it_is(void **state)
{
    static const struct {
        const char *text;
        uint8_t type;
        const char *kind;
    } cases[] = {
        {"00:11:22:33:44:55", YS_ADDRESS_PUBLIC, "public"},
        {"C0:11:22:33:44:55", YS_ADDRESS_RANDOM, "random static"},
        {"FF:11:22:33:44:55", YS_ADDRESS_RANDOM, "random static"},
        {"40:11:22:33:44:55", YS_ADDRESS_RANDOM, "random resolvable"},
        {"3F:11:22:33:44:55", YS_ADDRESS_RANDOM, "random non-resolvable"},
        {"80:11:22:33:44:55", YS_ADDRESS_RANDOM, "random reserved"},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct ys_address address = {.type = cases[i].type};
        char text[YS_ADDRESS_TEXT_SIZE];
        assert_true(ys_address_parse(cases[i].text, strlen(cases[i].text), &address));
        assert_int_equal(address.bytes[0], 0x55);
        assert_string_equal(ys_address_kind(&address), cases[i].kind);
        assert_string_equal(ys_address_format(&address, text), cases[i].text);
    }
}

static void what_is_no_address_is_refused(void **state)
{
    static const char *const cases[] = {"",
                                        "00:11:22:33:44",
                                        "00:11:22:33:44:5",
                                        "00-11-22-33-44-55",
                                        "00:11:22:33:44:5g",
                                        "00:11:22:33:44:555",
                                        "001122334455"};
    struct ys_address address = {.type = YS_ADDRESS_PUBLIC};
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++)
        assert_false(ys_address_parse(cases[i], strlen(cases[i]), &address));
    assert_hex(address.bytes, 6, "000000000000");
}

/* Vol 6 Part B 1.3.2.1. */
static void a_static_address_has_its_two_highest_bits_set(void **state)
{
    static const uint8_t zeros[6] = {0};
    struct ys_address address = ys_address_static(zeros);
    (void)state;
    assert_hex(address.bytes, 6, "0000000000c0");
    assert_int_equal(address.type, YS_ADDRESS_RANDOM);
    assert_string_equal(ys_address_kind(&address), "random static");
}

/* Flags; complete list with Battery and Device Information; name "T2"; one 128-bit UUID. */
#define ADVERTISEMENT "020106 05030f180a18 03095432 1107526a7be0c1d4379a6f4e1c2b01008d5f"

/* Vol 3 Part C 11. */
static void structures_are_taken_one_by_one(void **state)
{
    static const struct {
        uint8_t type;
        const char *data;
    } expected[] = {{YS_AD_FLAGS, "06"},
                    {YS_AD_ALL_UUIDS_16, "0f180a18"},
                    {YS_AD_NAME, "5432"},
                    {YS_AD_ALL_UUIDS_128, "526a7be0c1d4379a6f4e1c2b01008d5f"}};
    uint8_t bytes[64];
    uint8_t again[64];
    size_t length = from_hex(ADVERTISEMENT, bytes, sizeof bytes);
    struct ys_reader reader = ys_reader_of(bytes, length);
    struct ys_writer writer = ys_writer_to(again, sizeof again);
    struct ys_ad ad;
    (void)state;
    for (size_t i = 0; i < COUNT(expected); i++) {
        assert_true(ys_get_ad(&reader, &ad));
        assert_int_equal(ad.type, expected[i].type);
        assert_hex(ad.data, ad.length, expected[i].data);
        ys_put_ad(&writer, ad.type, ad.data, ad.length);
    }
    assert_false(ys_get_ad(&reader, &ad));
    assert_true(ys_reader_done(&reader));
    assert_hex(again, ys_writer_stored(&writer), ADVERTISEMENT);
}

static void services_are_found_in_lists_of_any_length(void **state)
{
    static const struct {
        const char *uuid;
        bool there;
    } cases[] = {{"180f", true},
                 {"180a", true},
                 {"0000180a-0000-1000-8000-00805f9b34fb", true},
                 {"5f8d0001-2b1c-4e6f-9a37-d4c1e07b6a52", true},
                 {"5f8d0002-2b1c-4e6f-9a37-d4c1e07b6a52", false},
                 {"1801", false}};
    uint8_t bytes[64];
    size_t length = from_hex(ADVERTISEMENT, bytes, sizeof bytes);
    struct ys_ad ad;
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct ys_uuid uuid;
        assert_true(ys_uuid_parse(cases[i].uuid, strlen(cases[i].uuid), &uuid));
        assert_int_equal(ys_ad_has_service(bytes, length, &uuid), cases[i].there);
    }
    assert_true(ys_ad_find(bytes, length, YS_AD_NAME, &ad));
    assert_memory_equal(ad.data, "T2", 2);
    assert_false(ys_ad_find(bytes, length, YS_AD_MANUFACTURER, &ad));
}

/* How many structures are found before the end or the fault, and whether there is a fault (Vol 3 Part C 11). */
static void malformed_structures_end_the_payload(void **state)
{
    static const struct {
        const char *hex;
        size_t count;
        bool well_formed;
    } cases[] = {
        {"", 0, true},           {"00", 0, true},          {"020106 00", 1, true}, {"020106 000000ff", 1, true},
        {"020106 05", 1, false}, {"0201", 0, false},       {"ff09", 0, false},     {"01ff", 1, true},
        {"020106 02", 1, false}, {"020106 0309", 1, false}};
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        uint8_t bytes[64];
        struct ys_reader reader = ys_reader_of(bytes, from_hex(cases[i].hex, bytes, sizeof bytes));
        struct ys_ad ad;
        size_t count = 0;
        while (ys_get_ad(&reader, &ad))
            count++;
        assert_int_equal(count, cases[i].count);
        assert_int_equal(ys_reader_ok(&reader), cases[i].well_formed);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_uuid_is_read_and_written_in_both_orders),
        cmocka_unit_test(what_is_no_uuid_is_refused_and_leaves_the_old_one),
        cmocka_unit_test(short_and_long_forms_of_an_adopted_uuid_are_equal),
        cmocka_unit_test(an_offset_counts_in_the_first_32_bits),
        cmocka_unit_test(an_address_says_of_what_kind_it_is),
        cmocka_unit_test(what_is_no_address_is_refused),
        cmocka_unit_test(a_static_address_has_its_two_highest_bits_set),
        cmocka_unit_test(structures_are_taken_one_by_one),
        cmocka_unit_test(services_are_found_in_lists_of_any_length),
        cmocka_unit_test(malformed_structures_end_the_payload),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
