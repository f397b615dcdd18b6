/* What the standard bounds. */
#include "capture/audit/ranges.h"

#include "wire/link.h"

bool audit_map_is_good(const uint8_t map[5])
{
    return ys_link_channel_count(map) >= 2 && (map[4] & 0xe0) == 0;
}

bool audit_window_is_good(uint8_t size, uint16_t offset, uint16_t interval)
{
    uint16_t most = interval > 8 ? 8 : (uint16_t)(interval - 1);
    return size >= 1 && size <= most && offset <= interval;
}
