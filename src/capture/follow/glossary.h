/* Where traces take names and meanings from: the definitions of devices and the Assigned Numbers. The owner provides
 * these functions; each may be NULL. */
#ifndef CAPTURE_GLOSSARY_H
#define CAPTURE_GLOSSARY_H

#include <yarnswift/advertisement.h>

#include "capture/follow/party.h"

/* What an attribute is. */
struct ys_meaning {
    const char *service;    /* name of its service; NULL: not known; also the next: */
    const char *name;       /* of its characteristic */
    const char *descriptor; /* name, if it is one */
    const void *field;      /* what its value means, for the functions below; NULL: not known */
};

/* The name of the descriptor by which somebody subscribes to values. */
#define YS_MEANING_SUBSCRIPTION "subscription"

struct ys_glossary {
    void *context;
    /* The attribute of a handle of a server, which may be NULL. */
    void (*attribute)(void *context, const struct ys_party *server, uint16_t handle, struct ys_meaning *meaning);
    /* The meaning of a value's bytes, in words; `field` may be NULL. */
    void (*value)(void *context, const void *field, const uint8_t *bytes, size_t length, char *text, size_t size);
    /* Whether a value can have this length; true if nothing is known of it. */
    bool (*fits)(void *context, const void *field, const uint8_t *bytes, size_t length);
    /* Whether a value that a server has sent is one that its definition allows: in its range, of its names; else why
     * not.
     */
    bool (*is_sound)(void *context, const struct ys_party *server, uint16_t handle, const uint8_t *bytes, size_t length,
                     char *text, size_t size);
    /* The least time between two notifications of a value of a server; 0: there is none, or it is not known. */
    uint64_t (*spacing_us)(void *context, const struct ys_party *server, uint16_t handle);
    /* Whether this property (enum ys_property) of a server's value needs an encrypted link. */
    bool (*is_protected)(void *context, const struct ys_party *server, uint16_t handle, uint8_t property);
    /* The number that a value has, and its unit ("": none); false if it is not a number. */
    bool (*number)(void *context, const void *field, const uint8_t *bytes, size_t length, double *number,
                   const char **unit);
    /* The name of a UUID; NULL: unknown. */
    const char *(*uuid)(void *context, const struct ys_uuid *uuid);
    /* The kind of an advertising structure, and its meaning. */
    const char *(*structure)(void *context, const struct ys_ad *ad, char *text, size_t size);
};

#endif
