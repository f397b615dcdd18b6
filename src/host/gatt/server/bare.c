/* The table of a device that is only ever a client: GAP with its two mandatory characteristics, and GATT (Core 5.4
 * Vol 3 Part C 12, Vol 3 Part G 7). */
#include <yarnswift/table.h>

static const uint8_t name[] = {'c', 'e', 'n', 't', 'r', 'a', 'l'};
static const uint8_t appearance[] = {0, 0}; /* unknown */

static const struct ys_value name_value = {
    .bytes = name, .length = sizeof name, .stored_at = YS_NONE, .notifiable = YS_NONE};
static const struct ys_value appearance_value = {
    .bytes = appearance, .length = sizeof appearance, .stored_at = YS_NONE, .notifiable = YS_NONE};

#define OPEN_TO_READ YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_NONE, YS_RIGHT_NONE)

static const struct ys_attribute attributes[] = {
    {0x1800, YS_ATTRIBUTE_SERVICE, 0, OPEN_TO_READ, 5, NULL},
    {0, YS_ATTRIBUTE_CHARACTERISTIC, YS_PROPERTY_READ, OPEN_TO_READ, 0, NULL},
    {0x2a00, YS_ATTRIBUTE_VALUE, 0, OPEN_TO_READ, sizeof name, &name_value},
    {0, YS_ATTRIBUTE_CHARACTERISTIC, YS_PROPERTY_READ, OPEN_TO_READ, 0, NULL},
    {0x2a01, YS_ATTRIBUTE_VALUE, 0, OPEN_TO_READ, sizeof appearance, &appearance_value},
    {0x1801, YS_ATTRIBUTE_SERVICE, 0, OPEN_TO_READ, 6, NULL},
};

const struct ys_table ys_table_bare = {
    .attributes = attributes,
    .attribute_count = sizeof attributes / sizeof attributes[0],
};
