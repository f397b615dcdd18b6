/* Everything that can come from a controller: a row of packets, each after its length, with a client's discovery under
 * way and time passing. Whatever they are, the host goes on, and starts again afterwards. */
#include <stdlib.h>
#include <string.h>

#include "hosted.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static void on_done(struct ys_client_request *request)
{
    *(unsigned *)request->context += 1;
}

static void on_item(struct ys_client_request *request, const struct ys_found *found)
{
    (void)request;
    if (found->uuid.length != 2 && found->uuid.length != 16)
        abort();
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static struct hosted hosted;
    static uint8_t value[32];
    unsigned done = 0;
    struct ys_client_request discovery = {.context = &done, .on_done = on_done, .on_item = on_item};
    struct ys_client_request reading = {.context = &done, .on_done = on_done};
    hosted_begin(&hosted);
    (void)ys_client_discover(&hosted.host, 1, &discovery);
    (void)ys_client_read(&hosted.host, 1, &reading, 3, value, sizeof value);
    while (size > 0 && data[0] < size) {
        hosted_give(&hosted, data + 1, data[0]);
        hosted.now_ms += 100;
        size -= (size_t)data[0] + 1;
        data += (size_t)data[0] + 1;
    }
    ys_host_start(&hosted.host); /* ends all connections: each request has been told so, once */
    if (done != 2)
        abort();
    return 0;
}
