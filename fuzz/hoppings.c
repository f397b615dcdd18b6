/* Channels of events, in whatever order: what is recovered of them does not contradict itself, and takes no more
 * searches than it is allowed. */
#include <stdint.h>
#include <stdlib.h>

#include "capture/follow/hopping.h"

#define ALL      ((UINT64_C(1) << 37) - 1)
#define SEARCHES 1

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    struct ys_hopping hopping = {.found = false};
    uint32_t allowance = SEARCHES * YS_HOPPING_COST;
    uint16_t number = 0;
    if (size < 6)
        return 0;
    const struct ys_hopping_premise premise = {.knows_algorithm = (data[0] & 1) != 0,
                                               .algorithm_2 = (data[0] & 2) != 0,
                                               .hop = (uint8_t)(data[1] & 31),
                                               .access_address = (uint32_t)data[2] << 24 | (uint32_t)data[3] << 16 |
                                                                 (uint32_t)data[4] << 8 | data[5]};
    for (size_t i = 6; i + 1 < size; i += 2) {
        uint8_t channel_map[5];
        number = (uint16_t)(number + 1 + (data[i] & 7));
        if ((data[i] & 0xc0) == 0xc0)
            ys_hopping_restart(&hopping);
        ys_hopping_take(&hopping, &premise, number, data[i + 1] % 64, &allowance);
        ys_hopping_map(&hopping, channel_map);
        unsigned known = ys_hopping_known_channels(&hopping);
        bool wrong = (hopping.used & hopping.unused) != 0 || known > 37 || (hopping.complete && known != 37) ||
                     (hopping.complete && !hopping.found) || (hopping.used & ~ALL) != 0 || hopping.unmapped > 36;
        if (hopping.found && wrong)
            abort();
    }
    return 0;
}
