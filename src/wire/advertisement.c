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

void ys_put_ad(struct ys_writer *writer, uint8_t type, const void *data, size_t length)
{
    ys_put_u8(writer, (uint8_t)(length + 1));
    ys_put_u8(writer, type);
    ys_put_bytes(writer, data, length);
}

bool ys_ad_find(const uint8_t *bytes, size_t length, uint8_t type, struct ys_ad *ad)
{
    struct ys_reader reader = ys_reader_of(bytes, length);
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
    while (ys_get_ad(&reader, &ad)) {
        size_t each = ys_ad_uuid_length(ad.type);
        if (each > 0 && list_has(&ad, each, uuid))
            return true;
    }
    return false;
}
