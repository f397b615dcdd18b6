/* The server of the attribute protocol: a row of PDUs, each after its length; every request is answered by one packet
 * at least, and no command is. */
#include <stdlib.h>

#include "hosted.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static void give_pdu(struct hosted *hosted, const uint8_t *pdu, uint8_t length)
{
    hosted->sent = 0;
    hosted_give_pdu(hosted, pdu, length);
    bool fits = length > 0 && length <= ys_host_mtu(&hosted->host, 1);
    bool command = fits && (pdu[0] & 0x40) != 0;
    bool request = fits && !command && (pdu[0] & 1) == 0 && pdu[0] != 0x1e;
    if ((request && hosted->sent == 0) || (command && hosted->sent > 0))
        abort();
    hosted_give_buffers(hosted);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static struct hosted hosted;
    hosted_begin(&hosted);
    while (size > 0 && data[0] < size) {
        give_pdu(&hosted, data + 1, data[0]);
        size -= (size_t)data[0] + 1;
        data += (size_t)data[0] + 1;
    }
    return 0;
}
