/* Advertising structures: the length, type, data triples that an advertisement and a scan response are made of
 * (Core 5.4 Vol 3 Part C 11). */
#ifndef YARNSWIFT_ADVERTISEMENT_H
#define YARNSWIFT_ADVERTISEMENT_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <yarnswift/bytes.h>
#include <yarnswift/uuid.h>

#ifdef __cplusplus
extern "C" {
#endif

/* Bytes in a legacy advertisement, and again in its scan response. */
#define YS_ADVERTISEMENT_MAX 31

/* Types of advertising structures (Assigned Numbers 2.3). */
enum ys_ad_type {
    YS_AD_FLAGS = 0x01,
    YS_AD_SOME_UUIDS_16 = 0x02,
    YS_AD_ALL_UUIDS_16 = 0x03,
    YS_AD_SOME_UUIDS_32 = 0x04,
    YS_AD_ALL_UUIDS_32 = 0x05,
    YS_AD_SOME_UUIDS_128 = 0x06,
    YS_AD_ALL_UUIDS_128 = 0x07,
    YS_AD_SHORT_NAME = 0x08,
    YS_AD_NAME = 0x09,
    YS_AD_TX_POWER = 0x0a,
    YS_AD_CONNECTION_INTERVAL = 0x12,
    YS_AD_WANTED_UUIDS_16 = 0x14,
    YS_AD_WANTED_UUIDS_128 = 0x15,
    YS_AD_SERVICE_DATA_16 = 0x16,
    YS_AD_PUBLIC_TARGETS = 0x17,
    YS_AD_RANDOM_TARGETS = 0x18,
    YS_AD_APPEARANCE = 0x19,
    YS_AD_INTERVAL = 0x1a,
    YS_AD_OWN_ADDRESS = 0x1b,
    YS_AD_ROLE = 0x1c,
    YS_AD_WANTED_UUIDS_32 = 0x1f,
    YS_AD_SERVICE_DATA_128 = 0x21,
    YS_AD_URI = 0x24,
    YS_AD_LONG_INTERVAL = 0x2f,
    YS_AD_MANUFACTURER = 0xff
};

/* Bits of YS_AD_FLAGS. */
enum ys_ad_flags { YS_AD_LIMITED = 0x01, YS_AD_GENERAL = 0x02, YS_AD_NO_CLASSIC = 0x04 };

/* One structure; `data` points into the bytes that were read. */
struct ys_ad {
    uint8_t type;
    uint8_t length;
    const uint8_t *data;
};

/* Takes the next structure. Returns false at the end; then ys_reader_ok returns whether the bytes were well formed.
 * A length of zero ends the significant part early, as the standard says. From any context. */
bool ys_get_ad(struct ys_reader *reader, struct ys_ad *ad);

/* Puts one structure; `length` is 0 to 254. */
void ys_put_ad(struct ys_writer *writer, uint8_t type, const void *data, size_t length);

/* The first structure of `type`; false if there is none, or the bytes before it are malformed. */
bool ys_ad_find(const uint8_t *bytes, size_t length, uint8_t type, struct ys_ad *ad);

/* Whether a list of service UUIDs in there, of whatever length and completeness, holds `uuid`. */
bool ys_ad_has_service(const uint8_t *bytes, size_t length, const struct ys_uuid *uuid);

/* What of the advertisements that are heard is of interest; what is NULL or 0 is not asked for. A scan response is a
 * report of its own: a device that tells its name only there is found by its name only there. */
struct ys_report_filter {
    const char *name; /* the beginning of its name, complete or shortened */
    const struct ys_uuid *service;
    bool has_company; /* manufacturer data of: */
    uint16_t company; /* a company identifier */
    bool has_strength;
    int8_t least_dbm; /* strength, -127 to 20; a report of unknown strength does not pass */
};

/* Whether a report with these advertising structures and this strength (dBm; 127: not known) passes. From any context.
 */
bool ys_report_filter_passes(const struct ys_report_filter *filter, const uint8_t *bytes, size_t length,
                             int8_t strength_dbm);

/* How long each UUID of a list of this type is, in bytes; 0 if the type is no list of service UUIDs. */
size_t ys_ad_uuid_length(uint8_t type);

#ifdef __cplusplus
}
#endif

#endif
