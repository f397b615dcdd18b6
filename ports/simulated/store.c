/* Records in a list: few and small, looked up seldom. */
#include "simulated/store.h"

#include <stdlib.h>
#include <string.h>

struct record {
    struct record *next;
    uint16_t key;
    size_t length;
    uint8_t bytes[];
};

struct ys_store {
    size_t room;
    size_t changes;
    size_t changes_left;
    struct record *first;
};

struct ys_store *ys_store_new(size_t capacity)
{
    struct ys_store *store = calloc(1, sizeof *store);
    if (store != NULL) {
        store->room = capacity;
        store->changes_left = YS_STORE_WHOLE;
    }
    return store;
}

void ys_store_cut(struct ys_store *store, size_t changes)
{
    store->changes_left = changes;
}

size_t ys_store_changes(const struct ys_store *store)
{
    return store->changes;
}

/* Whether another change is taken; it is then counted. */
static bool may_change(struct ys_store *store)
{
    if (store->changes_left == 0)
        return false;
    if (store->changes_left != YS_STORE_WHOLE)
        store->changes_left--;
    store->changes++;
    return true;
}

/* Where the record is, or would be, in the list. */
static struct record **find(struct ys_store *store, uint16_t key)
{
    struct record **at = &store->first;
    while (*at != NULL && (*at)->key != key)
        at = &(*at)->next;
    return at;
}

static void take_away(struct ys_store *store, uint16_t key)
{
    struct record **at = find(store, key);
    struct record *old = *at;
    if (old == NULL)
        return;
    *at = old->next;
    store->room += old->length;
    free(old);
}

void ys_store_delete(struct ys_store *store, uint16_t key)
{
    if (*find(store, key) != NULL && may_change(store))
        take_away(store, key);
}

bool ys_store_put(struct ys_store *store, uint16_t key, const void *bytes, size_t length)
{
    const struct record *old = *find(store, key);
    size_t room = store->room + (old != NULL ? old->length : 0);
    if (length == 0 || length > YS_RECORD_MAX || length > room || !may_change(store))
        return false;
    struct record *record = malloc(sizeof *record + length);
    if (record == NULL)
        return false;
    memcpy(record->bytes, bytes, length);
    record->key = key;
    record->length = length;
    take_away(store, key);
    record->next = store->first;
    store->first = record;
    store->room -= length;
    return true;
}

size_t ys_store_get(struct ys_store *store, uint16_t key, void *bytes, size_t size)
{
    const struct record *record = *find(store, key);
    if (record == NULL)
        return 0;
    memcpy(bytes, record->bytes, record->length < size ? record->length : size);
    return record->length;
}

void ys_store_free(struct ys_store *store)
{
    if (store == NULL)
        return;
    while (store->first != NULL)
        take_away(store, store->first->key);
    free(store);
}
