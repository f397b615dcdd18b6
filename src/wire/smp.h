/* PDUs of the Security Manager (Core 5.4 Vol 3 Part H 3), each as one flat struct; one table says which fields each of
 * them has. All have one length. Keys and values stand as on the air, the least significant byte first. */
#ifndef WIRE_SMP_H
#define WIRE_SMP_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <yarnswift/address.h>
#include <yarnswift/bytes.h>
#include <yarnswift/security.h>

/* The longest: a public key. */
#define YS_SMP_PDU_MAX 65

enum ys_smp_code {
    YS_SMP_PAIRING_REQUEST = 0x01,
    YS_SMP_PAIRING_RESPONSE = 0x02,
    YS_SMP_PAIRING_CONFIRM = 0x03,
    YS_SMP_PAIRING_RANDOM = 0x04,
    YS_SMP_PAIRING_FAILED = 0x05,
    YS_SMP_ENCRYPTION_INFORMATION = 0x06,
    YS_SMP_CENTRAL_IDENTIFICATION = 0x07,
    YS_SMP_IDENTITY_INFORMATION = 0x08,
    YS_SMP_IDENTITY_ADDRESS = 0x09,
    YS_SMP_SIGNING_INFORMATION = 0x0a,
    YS_SMP_SECURITY_REQUEST = 0x0b,
    YS_SMP_PUBLIC_KEY = 0x0c,
    YS_SMP_DHKEY_CHECK = 0x0d,
    YS_SMP_KEYPRESS = 0x0e
};

/* Authentication requirements, as bits (Vol 3 Part H 3.5.1). */
enum ys_smp_requirement {
    YS_SMP_BONDING = 0x01, /* the lower of two bits; the other is reserved */
    YS_SMP_MITM = 0x04,
    YS_SMP_SECURE_CONNECTIONS = 0x08,
    YS_SMP_KEYPRESSES = 0x10,
    YS_SMP_CT2 = 0x20
};

/* Keys that are given, as bits (Vol 3 Part H 3.6.1). */
enum ys_smp_keys { YS_SMP_ENC_KEY = 0x01, YS_SMP_ID_KEY = 0x02, YS_SMP_SIGN_KEY = 0x04, YS_SMP_LINK_KEY = 0x08 };

/* Any PDU. Which fields count depends on the code. */
struct ys_smp_pdu {
    uint8_t code;
    union {
        struct {
            uint8_t capability;         /* pairing request and response: enum ys_capability; also the next: */
            uint8_t oob;                /* 1: data came out of band */
            uint8_t requirements;       /* enum ys_smp_requirement; also of a security request */
            uint8_t key_size;           /* the largest, 7 to 16 bytes */
            uint8_t initiator_keys;     /* enum ys_smp_keys that the initiator gives, */
            uint8_t responder_keys;     /* and the responder */
            uint8_t reason;             /* pairing failed: enum ys_smp_reason */
            uint8_t keypress;           /* 0 began, 1 digit entered, 2 digit erased, 3 cleared, 4 done */
            uint8_t random[8];          /* central identification */
            struct ys_address identity; /* identity address information */
            uint8_t value[64]; /* 16 bytes of a confirm or random value, a check or a key; 64 of a public key, X before
                                  Y */
        };
        uint8_t bytes[8 + 8 + 7 + 64]; /* the same, for the table of layouts */
    };
    uint16_t diversifier; /* central identification */
};

enum ys_smp_verdict { YS_SMP_GOOD, YS_SMP_MALFORMED, YS_SMP_UNKNOWN };

/* Reads a PDU of `length` bytes. The code is set in any case, but where there is no byte at all. */
enum ys_smp_verdict ys_smp_decode(const uint8_t *bytes, size_t length, struct ys_smp_pdu *pdu);

/* Puts a PDU with the fields that its code has. */
void ys_put_smp(struct ys_writer *writer, const struct ys_smp_pdu *pdu);

/* The name of a code in the words of the standard, or "unknown". */
const char *ys_smp_code_name(uint8_t code);

/* How the two come to a key by what their pairing request and response say (Vol 3 Part H 2.3.5.1), and whether by LE
 * Secure Connections. */
enum ys_method ys_smp_method(const struct ys_smp_pdu *request, const struct ys_smp_pdu *response);
bool ys_smp_is_secure(const struct ys_smp_pdu *request, const struct ys_smp_pdu *response);

#endif
