/* A table written by hand that has one of everything. */
#include "support/sample.h"

static const uint8_t long_uuids[2][16] = {
    {0x52, 0x6a, 0x7b, 0xe0, 0xc1, 0xd4, 0x37, 0x9a, 0x6f, 0x4e, 0x1c, 0x2b, 0x00, 0x00, 0x8d, 0x5f},
    {0x52, 0x6a, 0x7b, 0xe0, 0xc1, 0xd4, 0x37, 0x9a, 0x6f, 0x4e, 0x1c, 0x2b, 0x01, 0x00, 0x8d, 0x5f},
};

static uint8_t number_read(const struct ys_access *access, struct ys_writer *value)
{
    struct sample *sample = access->context;
    sample->reads++;
    sample->last = *access;
    ys_put_u16(value, sample->number);
    return sample->read_error;
}

static uint8_t number_write(const struct ys_access *access, struct ys_reader *value)
{
    struct sample *sample = access->context;
    sample->writes++;
    sample->last = *access;
    sample->number = ys_get_u16(value);
    return YS_ATT_OK;
}

static uint8_t only_one_write(const struct ys_access *access, struct ys_reader *value)
{
    struct sample *sample = access->context;
    sample->writes++;
    return ys_get_u8(value) == 1 ? YS_ATT_OK : YS_ATT_OUT_OF_RANGE;
}

static uint8_t battery_read(const struct ys_access *access, struct ys_writer *value)
{
    struct sample *sample = access->context;
    sample->reads++;
    ys_put_u8(value, sample->battery);
    return YS_ATT_OK;
}

static const uint8_t yard[] = {'y', 'a', 'r', 'd'};
static const uint8_t zeros[2];
static const uint8_t sixty[60] = "0123456789abcdefghijABCDEFGHIJ0123456789abcdefghijABCDEFGHI";
static const uint8_t one_two[] = {1, 2};
static const uint8_t seven[] = {7};

#define NOT_STORED  .stored_at = YS_NONE
#define NOT_NOTIFED .notifiable = YS_NONE

static const struct ys_value values[] = {
    {.bytes = yard, .length = sizeof yard, NOT_STORED, NOT_NOTIFED},
    {.bytes = zeros, .length = sizeof zeros, NOT_STORED, NOT_NOTIFED},
    {.read = number_read, .write = number_write, NOT_STORED, .notifiable = 0},
    {.bytes = sixty, .length = sizeof sixty, NOT_STORED, NOT_NOTIFED},
    {.bytes = one_two, .length = sizeof one_two, .stored_at = 0, NOT_NOTIFED},
    {.bytes = seven, .length = sizeof seven, NOT_STORED, NOT_NOTIFED},
    {.write = only_one_write, NOT_STORED, NOT_NOTIFED},
    {.read = battery_read, NOT_STORED, .notifiable = 1},
};

#define READ       YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_NONE, YS_RIGHT_NONE)
#define READ_WRITE YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_OPEN, YS_RIGHT_NONE)
#define ALL        YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_OPEN, YS_RIGHT_OPEN)
#define SERVICE    YS_ATTRIBUTE_SERVICE
#define DECLARED   YS_ATTRIBUTE_CHARACTERISTIC
#define VALUE      YS_ATTRIBUTE_VALUE
#define LONG       YS_ATTRIBUTE_LONG_UUID

static const struct ys_attribute attributes[] = {
    {0x1800, SERVICE, 0, READ, 5, NULL},
    {0, DECLARED, 0x02, READ, 0, NULL},
    {0x2a00, VALUE, 0, READ, 4, &values[0]},
    {0, DECLARED, 0x02, READ, 0, NULL},
    {0x2a01, VALUE, 0, READ, 2, &values[1]},
    {0, SERVICE | LONG, 0, READ, 17, NULL},
    {0, DECLARED, 0x1a, READ, 0, NULL},
    {1, VALUE | LONG, 0, ALL, 2, &values[2]},
    {0, YS_ATTRIBUTE_CONFIGURATION, 0, READ_WRITE, 2, NULL},
    {0, DECLARED, 0x02, READ, 0, NULL},
    {0x2a25, VALUE, 0, READ, 60, &values[3]},
    {0, DECLARED, 0x0e, READ, 0, NULL},
    {0x2a3d, VALUE | YS_ATTRIBUTE_VARIABLE, 0, READ_WRITE, 4, &values[4]},
    {0, DECLARED, 0x02, READ, 0, NULL},
    {0x2a56, VALUE, 0, YS_RIGHTS(YS_RIGHT_ENCRYPTED, YS_RIGHT_NONE, YS_RIGHT_NONE), 1, &values[5]},
    {0, DECLARED, 0x08, READ, 0, NULL},
    {0x2a57, VALUE, 0, YS_RIGHTS(YS_RIGHT_NONE, YS_RIGHT_OPEN, YS_RIGHT_NONE), 1, &values[6]},
    {0x180f, SERVICE, 0, READ, 21, NULL},
    {0, DECLARED, 0x12, READ, 0, NULL},
    {0x2a19, VALUE, 0, YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_NONE, YS_RIGHT_OPEN), 1, &values[7]},
    {1, YS_ATTRIBUTE_CONFIGURATION, 0, READ_WRITE, 2, NULL},
};

static const struct ys_notifiable notifiables[] = {{8, 0}, {20, 100}};

const struct ys_table sample_table = {
    .attributes = attributes,
    .long_uuids = long_uuids,
    .notifiables = notifiables,
    .attribute_count = sizeof attributes / sizeof attributes[0],
    .notifiable_count = 2,
    .values_size = SAMPLE_VALUES_SIZE,
};
