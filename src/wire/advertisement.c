/* Advertising structures: length, type, data. */
#include <yarnswift/advertisement.h>

bool ys_get_ad(struct ys_reader *reader, struct ys_ad *ad)
{
    if (ys_reader_left(reader) == 0)
        return false;
    uint8_t length = ys_get_u8(reader);
    if (length == 0) { /* Vol 3 Part C 11: what follows is not significant */
        reader->left = 0;
        return false;
    }
    ad->type = ys_get_u8(reader);
    ad->length = (uint8_t)(length - 1);
    ad->data = ys_get_bytes(reader, ad->length);
    return ys_reader_ok(reader);
}

/* Vol 3 Part C 11. */
void ys_put_ad(struct ys_writer *writer, uint8_t type, const void *data, size_t length)
{
    ys_put_u8(writer, (uint8_t)(length + 1));
    ys_put_u8(writer, type);
    ys_put_bytes(writer, data, length);
}

bool ys_ad_find(const uint8_t *bytes, size_t length, uint8_t type, struct ys_ad *ad)
{
    struct ys_reader reader = ys_reader_of(bytes, length);
    /*@ loop assigns reader, *ad; loop invariant reads(&reader); */
    while (ys_get_ad(&reader, ad)) {
        if (ad->type == type)
            return true;
    }
    return false;
}

size_t ys_ad_uuid_length(uint8_t type)
{
    switch (type) {
    case YS_AD_SOME_UUIDS_16:
    case YS_AD_ALL_UUIDS_16:
        return 2;
    case YS_AD_SOME_UUIDS_32:
    case YS_AD_ALL_UUIDS_32:
        return 4;
    case YS_AD_SOME_UUIDS_128:
    case YS_AD_ALL_UUIDS_128:
        return 16;
    default:
        return 0;
    }
}

static bool list_has(const struct ys_ad *ad, size_t each, const struct ys_uuid *uuid)
{
    struct ys_reader list = ys_reader_of(ad->data, ad->length);
    /*@ loop assigns list; loop invariant reads(&list); */
    while (ys_reader_left(&list) >= each) {
        struct ys_uuid listed = ys_uuid_from_air(ys_get_bytes(&list, each), each);
        if (ys_uuid_is_equal(&listed, uuid))
            return true;
    }
    return false;
}

bool ys_ad_has_service(const uint8_t *bytes, size_t length, const struct ys_uuid *uuid)
{
    struct ys_reader reader = ys_reader_of(bytes, length);
    struct ys_ad ad;
    /*@ loop assigns reader, ad; loop invariant reads(&reader); */
    while (ys_get_ad(&reader, &ad)) {
        size_t each = ys_ad_uuid_length(ad.type);
        if (each > 0 && list_has(&ad, each, uuid))
            return true;
    }
    return false;
}

static bool has_name(const uint8_t *bytes, size_t length, const char *name)
{
    struct ys_ad ad;
    if (!ys_ad_find(bytes, length, YS_AD_NAME, &ad) && !ys_ad_find(bytes, length, YS_AD_SHORT_NAME, &ad))
        return false;
    for (uint8_t i = 0; name[i] != '\0'; i++) {
        if (i == ad.length || ad.data[i] != (uint8_t)name[i])
            return false;
    }
    return true;
}

static bool has_company(const uint8_t *bytes, size_t length, uint16_t company)
{
    struct ys_ad ad;
    return ys_ad_find(bytes, length, YS_AD_MANUFACTURER, &ad) && ad.length >= 2 &&
           (ad.data[0] | ad.data[1] << 8) == company;
}

bool ys_report_filter_passes(const struct ys_report_filter *filter, const uint8_t *bytes, size_t length,
                             int8_t strength_dbm)
{
    return (!filter->has_strength || (strength_dbm >= filter->least_dbm && strength_dbm <= 20)) &&
           (filter->name == NULL || has_name(bytes, length, filter->name)) &&
           (filter->service == NULL || ys_ad_has_service(bytes, length, filter->service)) &&
           (!filter->has_company || has_company(bytes, length, filter->company));
}
