/* A record: a packet on the air or at HCI, with its time. Simulation and capture files produce the same records, and
 * everything that looks at traffic takes them. */
#ifndef CAPTURE_RECORD_H
#define CAPTURE_RECORD_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>
#include <string.h>

#include "wire/air.h"

enum ys_record_kind { YS_RECORD_AIR, YS_RECORD_HCI };

/* What is known of a packet on the air. Bits. */
enum ys_air_known {
    YS_AIR_CHANNEL = 0x01,  /* its channel */
    YS_AIR_STRENGTH = 0x02, /* its strength */
    YS_AIR_CRC = 0x04,      /* whether its CRC is good */
    YS_AIR_PLAIN = 0x08,    /* it was decrypted before it was written, and its MIC is gone */
    YS_AIR_CUT = 0x10,      /* not all of it is there */
    YS_AIR_PHY = 0x20       /* on which PHY it was */
};

struct ys_record {
    uint64_t number; /* in its capture, from 1; 0: it is of none */
    uint64_t offset; /* in its file, in bytes */
    uint64_t at_ns;  /* of a packet on the air: of its first bit */
    enum ys_record_kind kind;
    uint8_t known;            /* enum ys_air_known */
    bool lost;                /* the file says that packets before it were lost */
    bool to_host;             /* HCI; also the next: */
    bool direction_is_sure;   /* it was said, and not concluded from the kind of packet */
    uint16_t device;          /* whose interface: a number from 1 */
    const char *name;         /* its name, or NULL */
    const uint8_t *bytes;     /* the packet with its type byte */
    size_t length;            /* of `bytes` */
    struct ys_air_packet air; /* on the air */
};

/* Copies a record without the part of the longest PDU that it does not use, which is most of it. */
static inline void ys_record_copy(struct ys_record *to, const struct ys_record *from)
{
    size_t used = offsetof(struct ys_record, air);
    if (from->kind == YS_RECORD_AIR)
        used += offsetof(struct ys_air_packet, pdu) + from->air.length;
    memcpy(to, from, used);
}

/* Takes a record, which is valid during the call. */
typedef void ys_record_fn(void *context, const struct ys_record *record);

struct ys_record_sink {
    ys_record_fn *take;
    void *context;
};

/* Times that are less than this count from the beginning of a simulation, others from 1970. */
#define YS_SIMULATED_NS (UINT64_C(86400) * 1000000000)

#endif
