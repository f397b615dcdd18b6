/* Records in a list: few and small, looked up seldom. With a file, each change goes there first. */
#include "simulated/store.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include <sqlite3.h>

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
    sqlite3 *file; /* or NULL */
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

/* Runs a statement with a key, and bytes unless they are NULL; false if the file does not take it. */
static bool write_file(struct ys_store *store, const char *text, uint16_t key, const void *bytes, size_t length)
{
    sqlite3_stmt *statement = NULL;
    if (store->file == NULL)
        return true;
    bool good = sqlite3_prepare_v2(store->file, text, -1, &statement, NULL) == SQLITE_OK &&
                sqlite3_bind_int(statement, 1, key) == SQLITE_OK &&
                (bytes == NULL || sqlite3_bind_blob(statement, 2, bytes, (int)length, SQLITE_TRANSIENT) == SQLITE_OK) &&
                sqlite3_step(statement) == SQLITE_DONE;
    (void)sqlite3_finalize(statement);
    return good;
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
    if (*find(store, key) != NULL && may_change(store) &&
        write_file(store, "DELETE FROM records WHERE key = ?1", key, NULL, 0))
        take_away(store, key);
}

/* Puts a record into the list. */
static bool keep(struct ys_store *store, uint16_t key, const void *bytes, size_t length)
{
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

bool ys_store_put(struct ys_store *store, uint16_t key, const void *bytes, size_t length)
{
    const struct record *old = *find(store, key);
    size_t room = store->room + (old != NULL ? old->length : 0);
    if (length == 0 || length > YS_RECORD_MAX || length > room || !may_change(store))
        return false;
    return write_file(store, "INSERT OR REPLACE INTO records (key, bytes) VALUES (?1, ?2)", key, bytes, length) &&
           keep(store, key, bytes, length);
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
    (void)sqlite3_close(store->file);
    free(store);
}

/* Reads the records of the file; false if it is not a store. */
static bool read_file(struct ys_store *store)
{
    sqlite3_stmt *statement = NULL;
    bool good = sqlite3_prepare_v2(store->file, "SELECT key, bytes FROM records", -1, &statement, NULL) == SQLITE_OK;
    int more = good ? sqlite3_step(statement) : SQLITE_DONE;
    for (; good && more == SQLITE_ROW; more = sqlite3_step(statement)) {
        int key = sqlite3_column_int(statement, 0);
        int length = sqlite3_column_bytes(statement, 1);
        good = key >= 0 && key <= UINT16_MAX && length > 0 && length <= YS_RECORD_MAX &&
               (size_t)length <= store->room &&
               keep(store, (uint16_t)key, sqlite3_column_blob(statement, 1), (size_t)length);
    }
    (void)sqlite3_finalize(statement);
    return good && more == SQLITE_DONE;
}

static struct ys_store *refuse(struct ys_store *store, const char *path, char *error, size_t size)
{
    int code = sqlite3_errcode(store->file);
    const char *why = code == SQLITE_OK || code == SQLITE_DONE || code == SQLITE_ERROR
                          ? "it is no store, or has more than fits"
                          : sqlite3_errmsg(store->file);
    if (error != NULL)
        (void)snprintf(error, size, "%s: %s", path, why);
    ys_store_free(store);
    return NULL;
}

/* Whether a file is empty or missing, so that a store may be created in it. A store is readable by its owner only,
 * since it holds keys; the rights of an older file are changed, if we may. */
static bool make_private(const char *path, bool *is_new)
{
    struct stat status;
    int file = open(path, O_RDWR | O_CREAT | O_CLOEXEC, S_IRUSR | S_IWUSR);
    if (file < 0)
        return false;
    bool good = fstat(file, &status) == 0;
    *is_new = good && S_ISREG(status.st_mode) && status.st_size == 0;
    if (*is_new)
        good = fchmod(file, S_IRUSR | S_IWUSR) == 0;
    (void)close(file);
    return good;
}

struct ys_store *ys_store_open(const char *path, size_t capacity, char *error, size_t size)
{
    static const char table[] = "CREATE TABLE records (key INTEGER PRIMARY KEY, bytes BLOB NOT NULL)";
    struct ys_store *store = ys_store_new(capacity);
    bool is_new = false;
    if (store == NULL)
        return NULL;
    if (!make_private(path, &is_new)) {
        if (error != NULL)
            (void)snprintf(error, size, "%s: %s", path, strerror(errno));
        ys_store_free(store);
        return NULL;
    }
    if (sqlite3_open_v2(path, &store->file, SQLITE_OPEN_READWRITE, NULL) != SQLITE_OK ||
        (is_new && sqlite3_exec(store->file, table, NULL, NULL, NULL) != SQLITE_OK) || !read_file(store))
        return refuse(store, path, error, size);
    (void)chmod(path, S_IRUSR | S_IWUSR);
    return store;
}

struct ys_store *ys_store_read(const char *path, size_t capacity, char *error, size_t size)
{
    struct ys_store *store = ys_store_new(capacity);
    if (store == NULL)
        return NULL;
    if (sqlite3_open_v2(path, &store->file, SQLITE_OPEN_READONLY, NULL) != SQLITE_OK || !read_file(store))
        return refuse(store, path, error, size);
    (void)sqlite3_close(store->file);
    store->file = NULL;
    return store;
}
