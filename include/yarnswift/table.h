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
    uint32_t token;      /* names this access to ys_answer; 0: it cannot be answered later */
};

/* Keeps what is written in the host's memory, as a value without a handler for writing is kept: for a handler that
 * only looks at it. From that handler. YS_ATT_WRITE_NOT_PERMITTED: the
 * host keeps no value of it. */
uint8_t ys_value_store(const struct ys_access *access, struct ys_reader *reader);

/* Returned by a handler that does not know its answer yet: the request waits, everything else goes on, until ys_answer
 * is called with the access's token. It must be called within 30 s, or the client gives up (Core 5.4 Vol 3 Part F
 * 3.3.3). Where the token is 0 (a notification, a request for several values at once) there is no waiting: the peer
 * gets an error, or nothing. Nobody waits for the handler of a write command either: ys_answer returns
 * YS_ERROR_TOO_LATE. The standard never sends this code. */
#define YS_LATER 0x7f

/* Answers a read, a notification or an indication: puts the whole value; the host sends the part that was asked for.
 * Returns YS_ATT_OK, YS_LATER, or an ATT or application error that the reader gets. Called from ys_host_run. */
typedef uint8_t ys_read_handler(const struct ys_access *access, struct ys_writer *value);

/* Takes a written value. Its length has been checked against the definition. Returns YS_ATT_OK, YS_LATER, or an ATT or
 * application error that the writer gets, if it asked for an answer. Called from ys_host_run. */
typedef uint8_t ys_write_handler(const struct ys_access *access, struct ys_reader *value);

/* Kinds of access to a value. */
enum ys_access_kind { YS_TO_READ, YS_TO_WRITE, YS_TO_SUBSCRIBE };

/* Consents to an access to a characteristic or descriptor whose definition asks for it, after its rights were checked
 * and before any handler. `access->handle` says to which; for YS_TO_SUBSCRIBE it is the value's. Returns YS_ATT_OK,
 * YS_LATER, or the error that the peer gets, such as YS_ATT_INSUFFICIENT_AUTHORIZATION. Called from ys_host_run. */
typedef uint8_t ys_consent_handler(const struct ys_access *access, enum ys_access_kind kind);

/* Kinds of attributes. */
enum ys_attribute_kind {
    YS_ATTRIBUTE_SERVICE,        /* primary service declaration */
    YS_ATTRIBUTE_CHARACTERISTIC, /* characteristic declaration; its value follows */
    YS_ATTRIBUTE_VALUE,          /* characteristic value */
    YS_ATTRIBUTE_CONFIGURATION,  /* client characteristic configuration */
    YS_ATTRIBUTE_DESCRIPTOR,     /* any other descriptor, with a constant value */
    YS_ATTRIBUTE_SECONDARY,      /* secondary service declaration */
    YS_ATTRIBUTE_INCLUDE,        /* include declaration */
    YS_ATTRIBUTE_STORED,         /* any other descriptor, with a value that can be written */
    YS_ATTRIBUTE_FEATURES        /* value of client supported features, which each connection has its own of */
};

/* Bits beside the kind. */
#define YS_ATTRIBUTE_LONG_UUID 0x40 /* `number` counts in long_uuids */
#define YS_ATTRIBUTE_VARIABLE  0x80 /* a written value may be shorter than `size` */
/* The bits of the kind. */
#define YS_ATTRIBUTE_KIND_MASK 0x0f

/* The security that an access needs: nothing, a link that is encrypted, one whose key was authenticated, or one whose
 * key was also made by LE Secure Connections (Core 5.4 Vol 3 Part C 10.2.1). */
enum ys_right {
    YS_RIGHT_NONE, /* nobody may */
    YS_RIGHT_OPEN,
    YS_RIGHT_ENCRYPTED,
    YS_RIGHT_AUTHENTICATED,
    YS_RIGHT_SECURE_CONNECTIONS
};

/* Rights of an attribute: to read it, to write it, to be notified of it. */
#define YS_RIGHTS(read, write, notify) ((read) | (write) << 3 | (notify) << 6)
#define YS_ASKS_TO_READ                0x200 /* the application consents to each read */
#define YS_ASKS_TO_WRITE               0x400 /* and to each write */

/* Of these: what reading it needs (enum ys_right). */
#define YS_RIGHT_TO_READ(rights) ((rights)&7)
/* What writing it needs. */
#define YS_RIGHT_TO_WRITE(rights) ((rights) >> 3 & 7)
/* What being notified of it needs. */
#define YS_RIGHT_TO_NOTIFY(rights) ((rights) >> 6 & 7)

/* Properties of a characteristic (Core 5.4 Vol 3 Part G 3.3.1.1). */
enum ys_property {
    YS_PROPERTY_BROADCAST = 0x01,
    YS_PROPERTY_READ = 0x02,
    YS_PROPERTY_WRITE_WITHOUT_RESPONSE = 0x04,
    YS_PROPERTY_WRITE = 0x08,
    YS_PROPERTY_NOTIFY = 0x10,
    YS_PROPERTY_INDICATE = 0x20,
    YS_PROPERTY_SIGNED_WRITE = 0x40,
    YS_PROPERTY_EXTENDED = 0x80
};

/* No such index. */
#define YS_NONE 0xffff

/* Where the value of a characteristic, or of a descriptor that can be written, comes from and goes to. */
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
    const void *source; /* VALUE, STORED: struct ys_value; DESCRIPTOR: `size` bytes; else NULL */
};

/* A characteristic that can notify or indicate. */
struct ys_notifiable {
    uint16_t handle;     /* of its value */
    uint16_t spacing_ms; /* least time between two notifications or indications; 0: none */
};

/* A whole table. */
struct ys_table {
    const struct ys_attribute *attributes;
    const uint8_t (*long_uuids)[16]; /* in air order */
    const struct ys_notifiable *notifiables;
    ys_consent_handler *consent; /* NULL if nothing asks for it */
    uint16_t attribute_count;
    uint16_t notifiable_count;
    uint16_t values_size; /* bytes of memory that stored values need */
    uint8_t key_size;     /* least size of a key on encrypted links, in bytes: 7 to 16; 0: 7, and it has no security */
};

/* A table with nothing but the GAP and GATT services, named "central": for a device that is only ever a client. */
extern const struct ys_table ys_table_bare;

#ifdef __cplusplus
}
#endif

#endif
