/* An encounter while it is composed: what its parts share. */
#ifndef ENCOUNTER_COMPOSING_H
#define ENCOUNTER_COMPOSING_H

#include "encounter/encounter.h"
#include "sim/chance.h"
#include "world/traits.h"

#define LEVEL_NOT_KNOWN (-1)

/* Somebody while it is composed. */
struct guest {
    char name;
    const struct ys_traits *traits;
    uint8_t capability;
    int level; /* enum ys_level of its link, or LEVEL_NOT_KNOWN */
    int level_of_key;
    bool paired;
    bool paired_perhaps;
    struct ys_traits mixture; /* what `traits` points to, unless they are another's */
};

struct composing {
    const struct ys_subject *subject;
    struct ys_encounter *encounter;
    struct ys_chance chance;
    struct guest guests[4];
    size_t guest_count; /* that are connected */
    bool unsure;        /* whatever is asked for may come to nothing, or to anything */
};

#define FOR_SECURITY "0x05 or 0x0F or 0x08 or 0x0C"

/* The value of an aspect that was chosen. */
size_t compose_chosen(const struct composing *composing, enum ys_aspect aspect);

/* Whether it has a right by the level of its link. */
enum access { ALLOWED, NOT_ALLOWED, PERHAPS };
enum access compose_may(const struct guest *guest, enum ys_right right);

/* Adds a step. The topic is its first words. */
#if defined(__GNUC__)
__attribute__((format(printf, 3, 4)))
#endif
void compose_add(struct composing *composing, const char *topic, const char *format, ...);

/* A characteristic as steps name it: by its service too, where its name alone is not enough. The caller's. */
char *compose_name(const struct ys_subject *subject, const struct ys_service *service,
                   const struct ys_characteristic *characteristic);

/* Bytes in hexadecimal; "none" if there are none. `text` has room for three characters each, plus five. */
void compose_bytes(const uint8_t *bytes, size_t length, char *text);

void compose_read(struct composing *composing, const struct guest *guest, const struct ys_row *row);

/* The value of the encounter, or NULL; the way in which this central uses it; and another value, so that the chosen one
 * is not alone. */
const struct ys_row *compose_wished(const struct composing *composing);
void compose_wish(struct composing *composing, const struct guest *guest);
void compose_any(struct composing *composing, const struct guest *guest);
void compose_subscriptions(struct composing *composing, const struct guest *guest);

/* The behaviour of the definition's application, as far as this central can see it. */
void compose_behaviours(struct composing *composing, const struct guest *guest);

#endif
