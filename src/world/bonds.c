/* The keys in a store of bonds. */
#include "world/bonds.h"

#include "host/smp/bonds.h"
#include "simulated/store.h"

#define BONDS_MOST 64
#define STORE_SIZE 65536

bool ys_bonds_read(const char *path, struct ys_keys *keys, size_t *count, char *error, size_t size)
{
    struct ys_store *store = ys_store_read(path, STORE_SIZE, error, size);
    *count = 0;
    if (store == NULL)
        return false;
    for (uint16_t number = 1; number <= BONDS_MOST; number++) {
        uint8_t record[YS_RECORD_MAX];
        uint8_t both[2][16];
        size_t length = ys_store_get(store, (uint16_t)(YS_RECORDS_OF_BONDS + number), record, sizeof record);
        if (length == 0 || !ys_bond_keys(record, length, both))
            continue;
        ys_keys_add(keys, both[0]);
        ys_keys_add(keys, both[1]);
        ++*count;
    }
    ys_store_free(store);
    return true;
}
