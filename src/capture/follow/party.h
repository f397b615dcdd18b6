/* The parties of a capture: every address that was heard or mentioned, its name, and its attributes, as far as the
 * traffic has shown them. */
#ifndef CAPTURE_PARTY_H
#define CAPTURE_PARTY_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <yarnswift/address.h>
#include <yarnswift/uuid.h>

/* What an attribute is. */
enum ys_told_kind { YS_TOLD_SERVICE, YS_TOLD_CHARACTERISTIC, YS_TOLD_DESCRIPTOR };

/* An attribute that was discovered: a service's declaration, a characteristic's value, a descriptor. */
struct ys_told {
    uint16_t handle;
    uint16_t last; /* service */
    uint8_t kind;  /* enum ys_told_kind */
    uint8_t properties;
    struct ys_uuid uuid;
};

#define YS_PARTY_NAME   32
#define YS_PARTIES_MOST 8192 /* addresses change; what is heard once in a street must not fill the memory */

struct ys_party {
    struct ys_address address;
    char name[YS_PARTY_NAME];       /* its own, or else its address */
    char advertised[YS_PARTY_NAME]; /* the name that it advertised; "": none */
    uint8_t named;                  /* how well: 0 by its address, 1 by what it advertised, 2 by the capture */
    struct ys_told *told;           /* in the order of their handles */
    size_t told_count;
    uint32_t number;       /* among all parties, from 0 */
    struct ys_party *next; /* private */
};

struct ys_parties;

struct ys_parties *ys_parties_new(void);
void ys_parties_free(struct ys_parties *parties);

/* The party with this address, created if it is new; NULL if there are too many, or no memory. */
struct ys_party *ys_party_of(struct ys_parties *parties, const struct ys_address *address);

/* Names a party, unless it has a better name already. Unprintable characters are replaced. */
void ys_party_name(struct ys_party *party, uint8_t named, const char *name, size_t length);

/* Takes names from advertising structures. */
void ys_party_advertises(struct ys_party *party, const uint8_t *bytes, size_t length);

/* Adds an attribute, or says another of the same handle. */
void ys_party_tell(struct ys_party *party, const struct ys_told *told);

/* What is known of a handle; NULL: nothing. */
const struct ys_told *ys_party_told(const struct ys_party *party, uint16_t handle);

/* The characteristic and the service to which a handle belongs; NULL: not known. */
const struct ys_told *ys_party_characteristic(const struct ys_party *party, uint16_t handle);
const struct ys_told *ys_party_service(const struct ys_party *party, uint16_t handle);

#endif
