/* The attribute table of a design, row by row in the order of the handles: what the generator prints, `table` shows
 * and a stand-in device runs. */
#ifndef DESIGN_MAKING_LAYOUT_H
#define DESIGN_MAKING_LAYOUT_H

#include "design/model/model.h"

struct ys_row {
    enum ys_attribute_kind kind;
    struct ys_uuid type;  /* of the attribute */
    struct ys_uuid uuid;  /* of the service, characteristic or value */
    uint8_t properties;   /* characteristic declaration */
    uint16_t rights;      /* YS_RIGHTS */
    uint16_t size;        /* greatest length of the value */
    uint16_t last_handle; /* service */
    bool variable;
    uint8_t *bytes;                    /* of a descriptor, to start with */
    uint16_t length;                   /* of bytes */
    const struct ys_service *included; /* include declaration */
    uint16_t notifiable;               /* or YS_NONE */
    uint16_t stored_at;                /* or YS_NONE */
    const struct ys_service *service;
    const struct ys_characteristic *characteristic; /* or NULL */
};

struct ys_layout {
    struct ys_row *rows; /* of handle 1, 2, ... */
    size_t count;
    struct ys_uuid *long_uuids; /* each 128-bit UUID once */
    size_t long_uuid_count;
    bool asks; /* whether anything needs the application's consent */
    uint16_t notifiable_count;
    uint16_t values_size;
};

/* Lays out a design without errors. Returns NULL if it has more attributes than there are handles. */
struct ys_layout *ys_layout_new(const struct ys_design *design);
void ys_layout_free(struct ys_layout *layout);

/* Whether a row declares a service, primary or secondary. */
bool ys_row_is_service(const struct ys_row *row);

/* The handle of a service's declaration. */
uint16_t ys_layout_service(const struct ys_layout *layout, const struct ys_service *service);

/* The index of a 128-bit UUID in long_uuids. */
size_t ys_layout_long_uuid(const struct ys_layout *layout, const struct ys_uuid *uuid);

/* What the generated tables take on a target with pointers of 32 bits, in bytes of constants: the attributes, what they
 * point at, and the UUIDs. Handlers and advertisements are not counted. */
size_t ys_layout_flash(const struct ys_layout *layout);

/* The value of a row as it is on the air, where it is constant, to at most `size` bytes. Returns its length, or -1 if
 * a handler gives it or it can change. */
int ys_row_value(const struct ys_layout *layout, size_t index, uint8_t *bytes, size_t size);

#endif
