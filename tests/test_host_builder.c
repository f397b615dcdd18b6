/* A table that is built by calls is the one that was written by hand. */
#include "support/check.h"

#include <string.h>

#include <yarnswift/builder.h>

#include "support/hex.h"
#include "support/sample.h"
#include "support/scripted.h"

#define LINK 0x0040
#define OPEN YS_RIGHT_OPEN
#define NOT  YS_RIGHT_NONE
#define READ YS_PROPERTY_READ

static struct ys_attribute attributes[30];
static struct ys_value values[10];
static struct ys_notifiable notifiables[3];
static uint8_t long_uuids[3][16];
static const struct ys_builder_memory memory = {attributes, values, notifiables, long_uuids, 30, 10, 3, 3};
static uint8_t stored[SAMPLE_VALUES_SIZE];

/* The value that the sample has at this handle. */
static const struct ys_value *of_sample(uint16_t handle)
{
    return sample_table.attributes[handle - 1].source;
}

static uint16_t build_like(struct ys_builder *builder, uint16_t handle, struct ys_uuid uuid)
{
    const struct ys_attribute *attribute = &sample_table.attributes[handle - 1];
    const struct ys_value *value = of_sample(handle);
    const struct ys_characteristic_settings built = {
        .uuid = uuid,
        .properties = attribute[-1].properties,
        .rights = attribute->rights,
        .size = attribute->size,
        .variable = (attribute->kind & YS_ATTRIBUTE_VARIABLE) != 0,
        .read = value->read,
        .write = value->write,
        .bytes = value->bytes,
        .length = value->length,
        .spacing_ms = handle == 20 ? 100 : 0,
    };
    return ys_build_characteristic(builder, &built);
}

static const struct ys_table *build_sample(struct ys_builder *builder, const struct ys_builder_memory *room)
{
    struct ys_uuid tightening;
    const struct ys_uuid battery = ys_uuid_of(0x180f);
    (void)ys_uuid_parse("5f8d0000-2b1c-4e6f-9a37-d4c1e07b6a52", 36, &tightening);
    ys_build(builder, room, "yard", 0);
    (void)ys_build_service(builder, &tightening, false);
    (void)build_like(builder, 8, ys_uuid_plus(&tightening, 1));
    (void)build_like(builder, 11, ys_uuid_of(0x2a25));
    (void)build_like(builder, 13, ys_uuid_of(0x2a3d));
    (void)build_like(builder, 15, ys_uuid_of(0x2a56));
    (void)build_like(builder, 17, ys_uuid_of(0x2a57));
    (void)ys_build_service(builder, &battery, false);
    (void)build_like(builder, 20, ys_uuid_of(0x2a19));
    return ys_build_end(builder);
}

static void what_is_built_is_what_was_written_by_hand(void **state)
{
    struct ys_builder builder;
    (void)state;
    const struct ys_table *table = build_sample(&builder, &memory);
    assert_non_null(table);
    assert_int_equal(table->attribute_count, sample_table.attribute_count + 1); /* GATT, which the sample has not */
    assert_int_equal(table->values_size, sample_table.values_size);
    assert_int_equal(table->notifiable_count, 2);
    assert_memory_equal(table->long_uuids, sample_table.long_uuids, 32);
    for (uint16_t handle = 1; handle <= sample_table.attribute_count; handle++) {
        uint16_t own = handle < 6 ? handle : (uint16_t)(handle + 1);
        const struct ys_attribute *a = &table->attributes[own - 1];
        const struct ys_attribute *b = &sample_table.attributes[handle - 1];
        bool service = (b->kind & YS_ATTRIBUTE_KIND_MASK) == YS_ATTRIBUTE_SERVICE;
        assert_int_equal(a->number, b->number);
        assert_int_equal(a->kind, b->kind);
        assert_int_equal(a->properties, b->properties);
        assert_int_equal(a->rights, b->rights);
        if (service)
            assert_int_equal(a->size, handle < 6 ? b->size : b->size + 1);
        else if ((b->kind & YS_ATTRIBUTE_KIND_MASK) != YS_ATTRIBUTE_CHARACTERISTIC)
            assert_int_equal(a->size, b->size);
    }
    assert_int_equal(table->notifiables[1].handle, 21);
    assert_int_equal(table->notifiables[1].spacing_ms, 100);
}

static void it_runs_on_a_host(void **state)
{
    static struct scripted scripted;
    static struct sample sample = {.number = 0x1234, .battery = 87};
    static const struct {
        const char *request;
        const char *response;
    } exchanges[] = {{"0a 0300", "0b 79617264"},
                     {"0a 0500", "0b 4005"},
                     {"10 0100 ffff 0028", "11 06 0100 0500 0018 0600 0600 0118"},
                     {"0a 0900", "0b 3412"},
                     {"12 0a00 0100", "13"},
                     {"12 0e00 090807", "13"},
                     {"0a 0e00", "0b 090807"},
                     {"08 0100 ffff 0228", "09 08 1800 1300 1600 0f18"},
                     {"0a 1b00", "0b 2a"}};
    struct ys_builder builder;
    const struct ys_uuid more = ys_uuid_of(0x1815);
    const struct ys_uuid description = ys_uuid_of(0x2901);
    (void)state;
    (void)build_sample(&builder, &memory);
    builder.appearance[0] = 0x40; /* as ys_build would have written it */
    builder.appearance[1] = 0x05;
    assert_int_equal(ys_build_service(&builder, &more, true), 23);
    assert_int_equal(ys_build_include(&builder, 19), 24);
    assert_int_equal(build_like(&builder, 15, ys_uuid_of(0x2a58)), 26);
    assert_int_equal(ys_build_descriptor(&builder, &description, (const uint8_t *)"*", 1), 27);
    scripted_init(&scripted, ys_build_end(&builder), stored, &sample);
    scripted_start(&scripted, 251, 8);
    connect_it(&scripted, LINK, 1);
    forget_sent(&scripted);
    for (size_t i = 0; i < COUNT(exchanges); i++) {
        give_att(&scripted, LINK, exchanges[i].request);
        assert_att(&scripted, LINK, exchanges[i].response);
        give_buffers(&scripted, LINK, 8);
    }
}

/* Vol 3 Part G 3.1. */
static void what_does_not_fit_or_comes_out_of_turn_is_no_table(void **state)
{
    struct ys_builder builder;
    (void)state;
    for (int i = 0; i < 4; i++) {
        struct ys_builder_memory less = memory;
        less.attribute_count = i == 0 ? 21 : 30;
        less.value_count = i == 1 ? 7 : 10;
        less.notifiable_count = i == 2 ? 1 : 3;
        less.long_uuid_count = i == 3 ? 1 : 3;
        assert_null(build_sample(&builder, &less));
    }
    const struct ys_uuid uuid = ys_uuid_of(0x1815);
    const struct ys_characteristic_settings large = {
        .uuid = uuid, .properties = READ, .rights = YS_RIGHTS(OPEN, NOT, NOT), .size = 513};
    (void)build_sample(&builder, &memory);
    assert_int_equal(ys_build_include(&builder, 1), 0); /* after a characteristic */
    assert_null(ys_build_end(&builder));
    (void)build_sample(&builder, &memory);
    assert_int_equal(ys_build_service(&builder, &uuid, false), 23);
    assert_int_equal(ys_build_include(&builder, 2), 0); /* that is no service */
    (void)build_sample(&builder, &memory);
    (void)ys_build_service(&builder, &uuid, false);
    assert_int_equal(ys_build_descriptor(&builder, &uuid, NULL, 0), 0); /* of no characteristic */
    (void)build_sample(&builder, &memory);
    assert_int_equal(ys_build_characteristic(&builder, &large), 0);
    assert_int_equal(ys_build_service(&builder, &uuid, false), 0); /* once bad, it stays so */
    assert_null(ys_build_end(&builder));
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(what_is_built_is_what_was_written_by_hand),
        cmocka_unit_test(it_runs_on_a_host),
        cmocka_unit_test(what_does_not_fit_or_comes_out_of_turn_is_no_table),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
