/* Advertising structures: they are taken one by one, inside their bounds, and put again they are the same. */
#include <stdlib.h>
#include <string.h>

#include <yarnswift/advertisement.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    const struct ys_uuid battery = ys_uuid_of(0x180f);
    struct ys_reader reader = ys_reader_of(data, size);
    uint8_t *again = malloc(size + 1);
    struct ys_writer writer = ys_writer_to(again, size);
    struct ys_ad ad;
    while (ys_get_ad(&reader, &ad)) {
        if (ad.data < data || ad.data + ad.length > data + size)
            abort();
        ys_put_ad(&writer, ad.type, ad.data, ad.length);
    }
    if (memcmp(again, data, ys_writer_stored(&writer)) != 0 || !ys_writer_ok(&writer))
        abort();
    free(again);
    (void)ys_ad_has_service(data, size, &battery);
    (void)ys_ad_find(data, size, YS_AD_NAME, &ad);
    return 0;
}
