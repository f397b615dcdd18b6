/* Rules of payloads: advertising structures (CSS Part A). */
#include "capture/audit/payload.h"

#include "capture/audit/verdicts.h"

#define NOT_SAID 0xffffu

/* What size a structure must have; 0: it may have any. */
static size_t size_of(uint8_t type)
{
    static const struct {
        uint8_t type;
        uint8_t size;
    } sizes[] = {{YS_AD_TX_POWER, 1}, {YS_AD_CONNECTION_INTERVAL, 4}, {YS_AD_APPEARANCE, 2},
                 {YS_AD_INTERVAL, 2}, {YS_AD_OWN_ADDRESS, 7},         {YS_AD_ROLE, 1}};
    for (size_t i = 0; i < sizeof sizes / sizeof sizes[0]; i++) {
        if (sizes[i].type == type)
            return sizes[i].size;
    }
    return 0;
}

struct counts {
    unsigned flags;
    unsigned names;
};

static bool is_interval(unsigned interval)
{
    return interval == NOT_SAID || (interval >= 6 && interval <= 3200);
}

/* CSS Part A 1.9. */
static void audit_range(struct ys_audit *audit, const struct ys_ad *ad)
{
    unsigned least = ad->data[0] | (unsigned)ad->data[1] << 8;
    unsigned most = ad->data[2] | (unsigned)ad->data[3] << 8;
    (void)audit_judge(audit, YS_RULE_INTERVAL_RANGE,
                      is_interval(least) && is_interval(most) &&
                          (least == NOT_SAID || most == NOT_SAID || least <= most),
                      "%g to %g ms", least * 1.25, most * 1.25);
}

/* CSS Part A 1. */
static void audit_structure(struct ys_audit *audit, const struct ys_ad *ad, bool is_response, struct counts *counts)
{
    size_t width = ys_ad_uuid_length(ad->type);
    size_t size = size_of(ad->type);
    if (ad->type == YS_AD_FLAGS) {
        counts->flags++;
        (void)audit_judge(audit, YS_RULE_FLAGS_PLACE, !is_response, "flags in a scan response");
        if (ad->length > 0)
            (void)audit_judge(audit, YS_RULE_FLAGS_MEANING,
                              (ad->data[0] & (YS_AD_LIMITED | YS_AD_GENERAL)) != (YS_AD_LIMITED | YS_AD_GENERAL),
                              "flags 0x%02x: limited and general discoverable at once", ad->data[0]);
        else
            counts->flags += 2;
    }
    counts->names += ad->type == YS_AD_NAME || ad->type == YS_AD_SHORT_NAME;
    if (width > 0)
        (void)audit_judge(audit, YS_RULE_UUID_LIST, ad->length % width == 0,
                          "a list of UUIDs of %zu bytes each has %u bytes", width, ad->length);
    if (ad->type == YS_AD_CONNECTION_INTERVAL && ad->length == 4)
        audit_range(audit, ad);
    if (size > 0)
        (void)audit_judge(audit, YS_RULE_STRUCTURE_SIZE, ad->length == size, "type 0x%02x has %u bytes, not %zu",
                          ad->type, ad->length, size);
}

void audit_payload(struct ys_audit *audit, const uint8_t *bytes, size_t length, bool is_response)
{
    struct ys_reader reader = ys_reader_of(bytes, length);
    struct counts counts = {.flags = 0};
    struct ys_ad ad;
    while (ys_get_ad(&reader, &ad))
        audit_structure(audit, &ad, is_response, &counts);
    (void)audit_judge(audit, YS_RULE_STRUCTURES, ys_reader_ok(&reader),
                      "a structure is longer than what is left of the %zu bytes", length);
    if (counts.flags > 0)
        (void)audit_judge(audit, YS_RULE_FLAGS_ONCE, counts.flags == 1, "flags are there %s",
                          counts.flags == 3 ? "without a byte" : "more than once");
    if (counts.names > 0)
        (void)audit_judge(audit, YS_RULE_NAME_ONCE, counts.names == 1, "%u names in one payload", counts.names);
}
