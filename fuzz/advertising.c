/* Advertising structures: they are taken one by one, inside their bounds, put again they are the same,
 * and told in words they fit. */
#include <stdlib.h>
#include <string.h>

#include <yarnswift/advertisement.h>

#include "design/making/explain.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    const struct ys_uuid battery = ys_uuid_of(0x180f);
    struct ys_reader reader = ys_reader_of(data, size);
    uint8_t *again = malloc(size + 1);
    struct ys_writer writer = ys_writer_to(again, size);
    struct ys_ad ad;
    char text[60]; /* less than some need */
    while (ys_get_ad(&reader, &ad)) {
        if (ad.data < data || ad.data + ad.length > data + size)
            abort();
        ys_put_ad(&writer, ad.type, ad.data, ad.length);
        ys_explain_structure(NULL, &ad, text, sizeof text);
        if (strlen(text) >= sizeof text)
            abort();
    }
    if (memcmp(again, data, ys_writer_stored(&writer)) != 0 || !ys_writer_ok(&writer))
        abort();
    free(again);
    (void)ys_ad_has_service(data, size, &battery);
    (void)ys_ad_find(data, size, YS_AD_NAME, &ad);
    return 0;
}
