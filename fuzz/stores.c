/* Files that claim to be stores: of bonds, and of results of a sweep. Whatever is in them is read, or refused and left
 * as it is. The first byte says which. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/shared/results.h"
#include "simulated/store.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static char path[64];

static void remove_it(void)
{
    (void)unlink(path);
}

static void make_file(const uint8_t *bytes, size_t length)
{
    if (path[0] == '\0') {
        (void)snprintf(path, sizeof path, "%s/yarnswift_store_%d", access("/dev/shm", W_OK) == 0 ? "/dev/shm" : "/tmp",
                       (int)getpid());
        (void)atexit(remove_it);
    }
    FILE *file = fopen(path, "wb");
    if (file == NULL || fwrite(bytes, 1, length, file) != length || fclose(file) != 0)
        abort();
}

/* What a refused file was is what it is. */
static void assert_left(const uint8_t *bytes, size_t length)
{
    FILE *file = fopen(path, "rb");
    uint8_t *now = malloc(length + 1);
    if (file == NULL || now == NULL || fread(now, 1, length + 1, file) != length || memcmp(now, bytes, length) != 0)
        abort();
    (void)fclose(file);
    free(now);
}

static void try_bonds(const uint8_t *bytes, size_t length)
{
    char error[300] = "";
    uint8_t record[300];
    struct ys_store *store = ys_store_read(path, 4096, error, sizeof error);
    if (store == NULL && error[0] == '\0')
        abort();
    for (unsigned key = 0; store != NULL && key < 64; key++)
        (void)ys_store_get(store, (uint16_t)(key % 32 + (key < 32 ? 0 : 0x100)), record, sizeof record);
    if (store != NULL)
        (void)ys_store_put(store, 1, record, 20);
    ys_store_free(store);
    assert_left(bytes, length);
    store = ys_store_open(path, 4096, error, sizeof error);
    if (store == NULL) {
        assert_left(bytes, length);
        return;
    }
    (void)ys_store_put(store, 2, record, 20);
    ys_store_delete(store, 1);
    ys_store_free(store);
}

static void try_results(const uint8_t *bytes, size_t length)
{
    char *about = results_about("fuzz", path);
    assert_left(bytes, length);
    struct results *store = results_open("fuzz", path, about != NULL ? about : "fuzz");
    if (store != NULL) {
        free(results_get(store, "interval=15"));
        (void)results_put(store, "interval=30", "{}");
        results_close(store);
    }
    make_file(bytes, length);
    store = results_open("fuzz", NULL, "fuzz");
    if (store == NULL)
        abort();
    (void)results_merge(store, path);
    results_close(store);
    free(about);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    if (size == 0)
        return 0;
    make_file(data + 1, size - 1);
    if (data[0] & 1)
        try_bonds(data + 1, size - 1);
    else
        try_results(data + 1, size - 1);
    return 0;
}
