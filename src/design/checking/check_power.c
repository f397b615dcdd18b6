/* Powers and strengths in dBm. */
#include "design/checking/check_power.h"

#include "design/model/value_parse.h"

/* CSS Part A 1.5. */
const struct ys_field *ys_power_type(void)
{
    static char name[] = "dBm";
    static struct ys_unit dbm = {.symbol = name, .name = name};
    static struct ys_field field;
    field.format = ys_format_find("sint8");
    field.unit = &dbm;
    return &field;
}

bool ys_check_power(struct ys_design *design, const struct ys_written *written, int greatest, int64_t *raw)
{
    const char *problem = NULL;
    if (written->text == NULL)
        return false;
    if (ys_value_parse_raw(ys_power_type(), written->text, raw, &problem) && *raw >= -127 && *raw <= greatest)
        return true;
    ys_findings_add(&design->findings, YS_ERROR, "payload", written->place,
                    "a power must be whole dBm from -127 to %d, such as -4 dBm, not \"%s\"", greatest, written->text);
    return false;
}
