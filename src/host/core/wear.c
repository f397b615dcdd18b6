/* How often peers may have the store written. */
#include "host/core/wear.h"

#include "host/core/clock.h"

#define EACH_MS 60000u
#define AT_ONCE 16u

/* `store_ms` is when all that was written so far has been earned again. */
bool ys_store_may_write(struct ys_host *host)
{
    uint32_t now_ms = ys_now_ms(host);
    uint32_t owed_ms = ys_until_ms(now_ms, host->store_ms);
    if (owed_ms > (AT_ONCE - 1) * EACH_MS)
        return false;
    host->store_ms = now_ms + owed_ms + EACH_MS;
    return true;
}
