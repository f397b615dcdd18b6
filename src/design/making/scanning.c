/* What a device looks for, in words. */
#include "design/making/scanning.h"

#include <stdio.h>
#include <stdlib.h>

static void print(FILE *stream, const struct ys_device_scanning *scanning)
{
    static const char *const phys[] = {"1M", "1M", "LE Coded", "1M and LE Coded"};
    const char *between = " with";
    (void)fputs("devices", stream);
    if (scanning->service.length > 0) {
        char uuid[YS_UUID_TEXT_SIZE];
        (void)fprintf(stream, "%s service %s", between, ys_uuid_format(&scanning->service, uuid));
        between = " and";
    }
    if (scanning->name.text != NULL) {
        (void)fprintf(stream, "%s a name that begins with \"%s\"", between, scanning->name.text);
        between = " and";
    }
    if (scanning->company.given)
        (void)fprintf(stream, "%s data of company 0x%04X", between, (unsigned)scanning->company.number);
    if (scanning->least_text.text != NULL)
        (void)fprintf(stream, ", at %d dBm or more", scanning->least_dbm);
    (void)fprintf(stream, "; listens %g ms of every %g ms, on %s%s", (double)scanning->window_us.number / 1000,
                  (double)scanning->interval_us.number / 1000, phys[scanning->phy],
                  scanning->active ? ", and asks for scan responses" : "");
}

char *ys_scanning_text(const struct ys_device_scanning *scanning)
{
    char *text = NULL;
    size_t size = 0;
    FILE *stream = open_memstream(&text, &size);
    if (stream == NULL)
        abort();
    print(stream, scanning);
    (void)fclose(stream);
    return text;
}
