/* The server of the attribute protocol: a row of PDUs, each after its length; every request is answered by one packet
 * at least, and no command is. */
#include <stdlib.h>
#include <string.h>

#include "hosted.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static void give_pdu(struct hosted *hosted, const uint8_t *pdu, uint8_t length)
{
    static const uint8_t completed[] = {4, 0x13, 5, 1, 1, 0, 20, 0};
    uint8_t packet[9 + 255];
    const uint8_t header[9] = {2, 1, 0x20, (uint8_t)(length + 4), (uint8_t)(length > 251), length, 0, 4, 0};
    memcpy(packet, header, sizeof header);
    memcpy(packet + sizeof header, pdu, length);
    hosted->sent = 0;
    hosted_give(hosted, packet, sizeof header + length);
    bool fits = length > 0 && length <= ys_host_mtu(&hosted->host, 1);
    bool command = fits && (pdu[0] & 0x40) != 0;
    bool request = fits && !command && (pdu[0] & 1) == 0 && pdu[0] != 0x1e;
    if ((request && hosted->sent == 0) || (command && hosted->sent > 0))
        abort();
    hosted_give(hosted, completed, sizeof completed);
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
