/* The attribute table: constant data, written by `yarnswift generate`, walked by the host.
 *
 * Attributes lie in the order of their handles, which count from 1 without a gap. What can be derived is not stored:
 * the value of a service or characteristic declaration comes from the entry and its neighbours. */
#ifndef YARNSWIFT_TABLE_H
#define YARNSWIFT_TABLE_H

#include <stddef.h>
#include <stdint.h>

#include <yarnswift/bytes.h>
#include <yarnswift/codes.h>

#ifdef __cplusplus
extern "C" {
#endif

struct ys_host;

/* Who accesses what, for a handler. Valid during the call only. */
struct ys_access {
    struct ys_host *host;
    void *context;       /* as given in struct ys_host_settings */
    uint16_t connection; /* the connection, as in events */
    uint16_t handle;     /* of the value */
};

/* Answers a read, a notification or an indication: puts the whole value; the host sends the part that was asked for.
 * Returns YS_ATT_OK, or an ATT or application error that the reader gets. Called from ys_host_run. */
typedef uint8_t ys_read_handler(const struct ys_access *access, struct ys_writer *value);

/* Takes a written value. Its length has been checked against the definition. Returns YS_ATT_OK, or an ATT or
 * application error that the writer gets, if it asked for an answer. Called from ys_host_run. */
typedef uint8_t ys_write_handler(const struct ys_access *access, struct ys_reader *value);

/* What an attribute is. */
enum ys_attribute_kind {
    YS_ATTRIBUTE_SERVICE,        /* primary service declaration */
    YS_ATTRIBUTE_CHARACTERISTIC, /* characteristic declaration; its value follows */
    YS_ATTRIBUTE_VALUE,          /* characteristic value */
    YS_ATTRIBUTE_CONFIGURATION,  /* client characteristic configuration */
    YS_ATTRIBUTE_DESCRIPTOR,     /* any other descriptor, with a constant value */
    YS_ATTRIBUTE_SECONDARY,      /* secondary service declaration */
    YS_ATTRIBUTE_INCLUDE         /* include declaration */
};

/* Bits beside the kind. */
#define YS_ATTRIBUTE_LONG_UUID 0x40 /* `number` counts in long_uuids */
#define YS_ATTRIBUTE_VARIABLE  0x80 /* a written value may be shorter than `size` */
#define YS_ATTRIBUTE_KIND_MASK 0x0f

/* What an access needs. */
enum ys_right { YS_RIGHT_NONE, YS_RIGHT_OPEN, YS_RIGHT_ENCRYPTED, YS_RIGHT_AUTHENTICATED };

/* Rights of an attribute: to read it, to write it, to be notified of it. */
#define YS_RIGHTS(read, write, notify) ((read) | (write) << 3 | (notify) << 6)
#define YS_RIGHT_TO_READ(rights)       ((rights)&7)
#define YS_RIGHT_TO_WRITE(rights)      ((rights) >> 3 & 7)
#define YS_RIGHT_TO_NOTIFY(rights)     ((rights) >> 6 & 7)

/* Properties of a characteristic (Core 5.4 Vol 3 Part G 3.3.1.1). */
enum ys_property {
    YS_PROPERTY_READ = 0x02,
    YS_PROPERTY_WRITE_WITHOUT_RESPONSE = 0x04,
    YS_PROPERTY_WRITE = 0x08,
    YS_PROPERTY_NOTIFY = 0x10,
    YS_PROPERTY_INDICATE = 0x20
};

/* No such index. */
#define YS_NONE 0xffff

/* Where a characteristic's value comes from and goes to. */
struct ys_value {
    ys_read_handler *read;   /* NULL: `stored_at`, or else `bytes`, is the value */
    ys_write_handler *write; /* NULL: a write goes to `stored_at` */
    const uint8_t *bytes;    /* constant, or what a stored value starts with */
    uint16_t length;         /* of `bytes` */
    uint16_t stored_at;      /* offset in the values' memory of a 2-byte length and the value, or YS_NONE */
    uint16_t notifiable;     /* index in the table's notifiables, or YS_NONE */
};

/* One attribute. */
struct ys_attribute {
    uint16_t number;    /* its UUID: 16 bits or an index; of a service: the service's; CONFIGURATION: notifiable;
                           INCLUDE: the handle of the service */
    uint8_t kind;       /* enum ys_attribute_kind and bits */
    uint8_t properties; /* CHARACTERISTIC: enum ys_property */
    uint16_t rights;    /* YS_RIGHTS */
    uint16_t size;      /* greatest length of the value; SERVICE, SECONDARY: the last handle of its group */
    const void *source; /* VALUE: struct ys_value; DESCRIPTOR: `size` bytes; else NULL */
};

/* A characteristic that can notify or indicate. */
struct ys_notifiable {
    uint16_t handle;     /* of its value */
    uint16_t spacing_ms; /* least time between two notifications; 0: none */
};

/* A whole table. */
struct ys_table {
    const struct ys_attribute *attributes;
    const uint8_t (*long_uuids)[16]; /* in air order */
    const struct ys_notifiable *notifiables;
    uint16_t attribute_count;
    uint16_t notifiable_count;
    uint16_t values_size; /* bytes of memory that stored values need */
};

/* A table with nothing but the GAP and GATT services, named "central": for a device that is only ever a client. */
extern const struct ys_table ys_table_bare;

#ifdef __cplusplus
}
#endif

#endif
