/* What the parts of pairing need of the port. */
#include "host/smp/tools.h"

struct ys_cipher ys_pairing_cipher(const struct ys_host *host)
{
    return (struct ys_cipher){host->port->context, host->port->encrypt};
}

bool ys_pairing_random(const struct ys_host *host, void *bytes, size_t length)
{
    return host->port->random(host->port->context, bytes, length);
}

/* Through a volatile pointer, so that the compiler does not leave out clearing memory that is not read again. */
void ys_pairing_wipe(void *bytes, size_t length)
{
    volatile uint8_t *at = bytes;
    while (length-- > 0)
        *at++ = 0;
}

void ys_pairing_reverse(uint8_t *to, const uint8_t *from, size_t length)
{
    for (size_t i = 0; i < length; i++)
        to[i] = from[length - 1 - i];
}
