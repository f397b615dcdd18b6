/* A table that is built by calls, for firmware that decides at start-up what it offers. It is the same table that
 * `yarnswift generate` writes, in memory that the owner gives; a generated one is smaller, and checked beforehand.
 *
 * Call ys_build first, then a service and what is in it, then the next, and ys_build_end last; all before ys_host_init.
 * A call that does not fit its memory, or comes out of turn, returns 0, and ys_build_end then returns NULL. */
#ifndef YARNSWIFT_BUILDER_H
#define YARNSWIFT_BUILDER_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <yarnswift/table.h>
#include <yarnswift/uuid.h>

#ifdef __cplusplus
extern "C" {
#endif

/* Room for a table. All of it must stay valid as long as the table is used; what is not needed may be NULL with a count
 * of 0. */
struct ys_builder_memory {
    struct ys_attribute *attributes; /* one a service, include and descriptor; two a characteristic, and one more if it
                                        notifies or indicates; six for GAP and GATT */
    struct ys_value *values;         /* one a characteristic; two for GAP */
    struct ys_notifiable *notifiables; /* one a characteristic that notifies or indicates */
    uint8_t (*long_uuids)[16];         /* one a different UUID of 128 bits */
    uint16_t attribute_count;
    uint16_t value_count;
    uint16_t notifiable_count;
    uint16_t long_uuid_count;
};

/* A table that is being built. Its fields are private, but for `table.consent` and `table.key_size`, which the owner
 * may set. */
struct ys_builder {
    struct ys_table table;
    struct ys_builder_memory memory;
    uint16_t value_count;
    uint16_t long_uuid_count;
    uint16_t service; /* the declaration of the last one */
    bool in_service;  /* no characteristic has come yet */
    bool bad;
    uint8_t appearance[2];
};

/* A characteristic. */
struct ys_characteristic_settings {
    struct ys_uuid uuid;
    uint8_t properties;      /* enum ys_property */
    uint16_t rights;         /* YS_RIGHTS, with YS_ASKS_... */
    uint16_t size;           /* greatest length of the value, 0 to 512 */
    bool variable;           /* a written value may be shorter */
    ys_read_handler *read;   /* or NULL: `bytes` is the value, or what a stored one starts with */
    ys_write_handler *write; /* or NULL: what is written is stored, if the rights let anybody write */
    const uint8_t *bytes;    /* or NULL */
    uint16_t length;         /* of `bytes` */
    uint16_t spacing_ms;     /* least time between two notifications */
};

/* Begins with GAP, of this name (1 to 248 bytes; it must stay valid) and appearance, and GATT. */
void ys_build(struct ys_builder *builder, const struct ys_builder_memory *memory, const char *name,
              uint16_t appearance);

/* Adds a service, primary or secondary. Returns its handle. */
uint16_t ys_build_service(struct ys_builder *builder, const struct ys_uuid *uuid, bool secondary);

/* Includes the service at `service` in the last one, before its characteristics. Returns the handle. */
uint16_t ys_build_include(struct ys_builder *builder, uint16_t service);

/* Adds a characteristic to the last service, with its client configuration if it notifies or indicates. Returns the
 * handle of its value. */
uint16_t ys_build_characteristic(struct ys_builder *builder, const struct ys_characteristic_settings *characteristic);

/* Adds a descriptor with a constant value, which must stay valid, to the last characteristic. Returns its handle. */
uint16_t ys_build_descriptor(struct ys_builder *builder, const struct ys_uuid *uuid, const uint8_t *bytes,
                             uint16_t length);

/* The whole table, for the host's settings; `values_size` says how much memory stored values need. NULL if something
 * did not fit. */
const struct ys_table *ys_build_end(struct ys_builder *builder);

#ifdef __cplusplus
}
#endif

#endif
