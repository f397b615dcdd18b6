/* Advertising structures, and what is looked for in them. */
#include "bytes.h"

#include <yarnswift/advertisement.h>

/*@ requires reads(reader);
    requires \valid(ad) && \separated(reader, ad);
    assigns *reader, *ad;
    ensures on{Old, Here}(reader);
    ensures \result ==> readable(ad->data, ad->length); */
bool ys_get_ad(struct ys_reader *reader, struct ys_ad *ad);

/*@ requires readable(bytes, length);
    requires \valid(ad);
    assigns *ad; */
bool ys_ad_find(const uint8_t *bytes, size_t length, uint8_t type, struct ys_ad *ad);

/*@ requires \valid_read(ad) && readable(ad->data, ad->length);
    requires each == 2 || each == 4 || each == 16;
    requires \valid_read(uuid) && is_uuid(uuid);
    assigns \nothing; */
static bool list_has(const struct ys_ad *ad, size_t each, const struct ys_uuid *uuid);

/*@ requires readable(bytes, length);
    requires \valid_read(uuid) && is_uuid(uuid);
    assigns \nothing; */
bool ys_ad_has_service(const uint8_t *bytes, size_t length, const struct ys_uuid *uuid);

/*@ assigns \nothing;
    ensures \result == 0 || \result == 2 || \result == 4 || \result == 16; */
size_t ys_ad_uuid_length(uint8_t type);

/*@ requires \valid_read(a) && is_uuid(a) && \valid_read(b) && is_uuid(b);
    assigns \result \from *a, *b; */
bool ys_uuid_is_equal(const struct ys_uuid *a, const struct ys_uuid *b);

#include "wire/advertisement.c"
