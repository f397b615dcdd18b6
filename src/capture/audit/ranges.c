/* What the standard bounds. */
#include "capture/audit/ranges.h"

const char *audit_phy_word(enum ys_phy phy)
{
    return ys_phy_is_coded(phy) ? "coded" : phy == YS_PHY_2M ? "2M" : "1M";
}

bool audit_address_fits_coded(uint32_t address)
{
    uint32_t changes = (address ^ address >> 1) & 0x7fff;
    unsigned ones = 0;
    unsigned changed = 0;
    for (int i = 0; i < 15; i++) {
        changed += changes >> i & 1;
        ones += i < 8 && (address >> i & 1) != 0;
    }
    return ones >= 3 && changed <= 11;
}

bool audit_map_is_good(const uint8_t map[5])
{
    return ys_link_channel_count(map) >= 2 && (map[4] & 0xe0) == 0;
}

bool audit_window_is_good(uint8_t size, uint16_t offset, uint16_t interval)
{
    uint16_t most = interval > 8 ? 8 : (uint16_t)(interval - 1);
    return size >= 1 && size <= most && offset <= interval;
}
