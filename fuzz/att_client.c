/* The client of the attribute protocol: a row of PDUs, each after its length, as a server sends them; the first byte
 * says what the client asks for. Whatever comes, each request ends once, what is found is in order, and nothing is
 * written behind a buffer. */
#include <stdlib.h>
#include <string.h>

#include "hosted.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

#define LINK  1
#define SIZE  40
#define GUARD 0xa5
#define ITEMS 8

static struct hosted hosted;
static struct ys_client_request request;
static struct ys_found items[ITEMS];
static struct ys_client_cache cache;
static uint8_t buffer[SIZE + 1];
static size_t done;
static uint8_t kind;
static uint16_t handle;

static void on_done(struct ys_client_request *one)
{
    done++;
    if (one->length > SIZE && one->length != ys_host_mtu(&hosted.host, LINK))
        abort();
}

static void on_item(struct ys_client_request *one, const struct ys_found *found)
{
    (void)one;
    /* the range of an include is that of the service that it names, wherever that is */
    uint16_t first = found->kind == YS_FOUND_INCLUDE ? found->value_handle : found->handle;
    if (first == 0 || found->last_handle < first || (found->kind == kind && found->handle <= handle))
        abort();
    kind = found->kind;
    handle = found->handle;
}

static enum ys_result begin(uint8_t what)
{
    static const uint16_t handles[] = {3, 5, 7};
    static const uint8_t value[60];
    static const struct ys_client_part parts[] = {{3, 2, value}, {5, 60, value}, {7, 0, value}};
    const struct ys_uuid uuid = ys_uuid_of(0x2a19);
    struct ys_host *host = &hosted.host;
    switch (what % 10) {
    case 0:
        return ys_client_exchange_mtu(host, LINK, &request);
    case 1:
        return ys_client_discover(host, LINK, &request);
    case 2:
        return ys_client_discover_cached(host, LINK, &request, &cache);
    case 3:
        return ys_client_find_service(host, LINK, &request, &uuid);
    case 4:
        return ys_client_find_characteristics(host, LINK, &request, &uuid, 2, 0xfff0);
    case 5:
        return ys_client_read(host, LINK, &request, 3, buffer, SIZE);
    case 6:
        return ys_client_read_by_uuid(host, LINK, &request, &uuid, 1, 0xffff, buffer, SIZE);
    case 7:
        return ys_client_read_multiple(host, LINK, &request, handles, 3, buffer, SIZE);
    case 8:
        return ys_client_write(host, LINK, &request, 3, value, sizeof value);
    default:
        return ys_client_write_reliable(host, LINK, &request, parts, 3);
    }
}

/* Two rounds of the same, so that a cache that the first has filled is used. */
int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    if (size == 0)
        return 0;
    hosted_begin(&hosted);
    request = (struct ys_client_request){.on_done = on_done, .on_item = on_item};
    cache = (struct ys_client_cache){.items = items, .capacity = ITEMS};
    memset(buffer, GUARD, sizeof buffer);
    size_t begun = 0;
    uint8_t what = data[0];
    data++;
    size--;
    for (;;) {
        if (begun == done) {
            kind = 0xff;
            if (begun == 2 || begin(what) != YS_OK)
                break;
            begun++;
        }
        hosted_give_buffers(&hosted);
        if (size == 0 || data[0] >= size)
            break;
        hosted_give_pdu(&hosted, data + 1, data[0]);
        size -= (size_t)data[0] + 1;
        data += (size_t)data[0] + 1;
    }
    ys_host_start(&hosted.host); /* ends the connection, and what waits with it */
    if (done != begun || buffer[SIZE] != GUARD)
        abort();
    done = 0;
    return 0;
}
