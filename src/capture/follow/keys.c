/* The keys that are known. */
#include "capture/follow/keys.h"

#include <string.h>

void ys_keys_add(struct ys_keys *keys, const uint8_t key[16])
{
    static const uint8_t none[16];
    const uint8_t *there;
    if (memcmp(key, none, 16) == 0)
        return;
    for (size_t i = 0; (there = ys_keys_newest(keys, i)) != NULL; i++) {
        if (memcmp(there, key, 16) == 0)
            return;
    }
    memcpy(keys->keys[keys->count++ % YS_KEYS_MOST], key, 16);
}

const uint8_t *ys_keys_newest(const struct ys_keys *keys, size_t before)
{
    if (before >= keys->count || before >= YS_KEYS_MOST)
        return NULL;
    return keys->keys[(keys->count - 1 - before) % YS_KEYS_MOST];
}
