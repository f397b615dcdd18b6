/* A store for ports on a workstation: records in memory, which outlives hosts and ports as flash outlives a power cut;
 * or in a file besides, which outlives the process. */
#ifndef PORTS_SIMULATED_STORE_H
#define PORTS_SIMULATED_STORE_H

#include <yarnswift/port.h>

struct ys_store;

/* A store with room for so many bytes of records in all; NULL if there is no memory. */
struct ys_store *ys_store_new(size_t capacity);
/* The same, with the records in an SQLite file, which is created if it does not exist. Each change is complete in the
 * file before the call returns. Only its owner can read it, since records are keys. NULL, with the reason in `error` if
 * that is not NULL, if the file cannot be opened or has another format; it is then left unchanged. */
struct ys_store *ys_store_open(const char *path, size_t capacity, char *error, size_t size);
/* The same for a file that is only read: changes stay in memory. */
struct ys_store *ys_store_read(const char *path, size_t capacity, char *error, size_t size);
void ys_store_free(struct ys_store *store);

/* After this number of further writes and deletions the store accepts no more, as if power had been cut, until it is
 * set to YS_STORE_WHOLE. */
#define YS_STORE_WHOLE SIZE_MAX
void ys_store_cut(struct ys_store *store, size_t changes);
/* Writes and deletions so far. */
size_t ys_store_changes(const struct ys_store *store);

/* As the three functions of struct ys_port say. */
bool ys_store_put(struct ys_store *store, uint16_t key, const void *bytes, size_t length);
size_t ys_store_get(struct ys_store *store, uint16_t key, void *bytes, size_t size);
void ys_store_delete(struct ys_store *store, uint16_t key);

#endif
