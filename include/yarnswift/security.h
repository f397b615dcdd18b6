/* Security as a device wants it: what it can show and enter, what it demands of a link, whom it remembers. A
 * definition's `security:` becomes one constant of this type, NAME_security; pairing.h lets a host use it. */
#ifndef YARNSWIFT_SECURITY_H
#define YARNSWIFT_SECURITY_H

#include <stdbool.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* The display and the keyboard of a device, numbered as in the standard (Core 5.4 Vol 3 Part H 2.3.2). */
enum ys_capability {
    YS_CAPABILITY_DISPLAY = 0,          /* it can show six digits */
    YS_CAPABILITY_DISPLAY_YES_NO = 1,   /* and somebody can say yes or no */
    YS_CAPABILITY_KEYBOARD = 2,         /* six digits can be entered */
    YS_CAPABILITY_NONE = 3,             /* neither */
    YS_CAPABILITY_KEYBOARD_DISPLAY = 4, /* digits can be shown and entered */
    YS_CAPABILITIES
};

/* How two devices come to a key (Vol 3 Part H 2.3.5). */
enum ys_method {
    YS_METHOD_JUST_WORKS,         /* nobody sees or does anything */
    YS_METHOD_NUMERIC_COMPARISON, /* people compare two numbers */
    YS_METHOD_INITIATOR_SHOWS,    /* passkey entry: the central shows it, */
    YS_METHOD_RESPONDER_SHOWS,    /* or the peripheral, */
    YS_METHOD_BOTH_ENTER,         /* or somebody enters the same at both */
    YS_METHOD_OUT_OF_BAND,        /* data came by another way */
    YS_METHODS
};

/* Levels of security mode 1 (Vol 3 Part C 10.2.1). */
enum ys_level {
    YS_LEVEL_OPEN = 1,      /* no security */
    YS_LEVEL_ENCRYPTED = 2, /* the key was not authenticated */
    YS_LEVEL_AUTHENTICATED = 3,
    YS_LEVEL_SECURE_CONNECTIONS = 4 /* and it was made by LE Secure Connections, and has 16 bytes */
};

/* Why pairing failed: what the standard has numbers for (Vol 3 Part H 3.5.5), and two that are not said on the air. */
enum ys_smp_reason {
    YS_SMP_LINK_ENDED = 0x00, /* the connection ended; not on the air */
    YS_SMP_PASSKEY_ENTRY_FAILED = 0x01,
    YS_SMP_OOB_NOT_AVAILABLE = 0x02,
    YS_SMP_AUTHENTICATION_REQUIREMENTS = 0x03,
    YS_SMP_CONFIRM_VALUE_FAILED = 0x04,
    YS_SMP_NOT_SUPPORTED = 0x05,
    YS_SMP_ENCRYPTION_KEY_SIZE = 0x06,
    YS_SMP_COMMAND_NOT_SUPPORTED = 0x07,
    YS_SMP_UNSPECIFIED = 0x08,
    YS_SMP_REPEATED_ATTEMPTS = 0x09,
    YS_SMP_INVALID_PARAMETERS = 0x0a,
    YS_SMP_DHKEY_CHECK_FAILED = 0x0b,
    YS_SMP_NUMERIC_COMPARISON_FAILED = 0x0c,
    YS_SMP_CLASSIC_PAIRING_IN_PROGRESS = 0x0d,
    YS_SMP_CROSS_TRANSPORT_NOT_ALLOWED = 0x0e,
    YS_SMP_KEY_REJECTED = 0x0f,
    YS_SMP_BUSY = 0x10,
    YS_SMP_TIMEOUT = 0xff /* the other side said nothing for 30 s; not on the air */
};

/* The meaning of a reason, in a few plain words; never NULL. From any context. */
const char *ys_smp_reason_text(uint8_t reason);

/* No fixed passkey: it is drawn for each pairing. */
#define YS_PASSKEY_RANDOM 0xffffffffu
/* The greatest passkey: it has six digits (Core 5.4 Vol 3 Part H 2.3.5.3). */
#define YS_PASSKEY_MAX 999999

/* The security settings of a device. */
struct ys_security {
    uint8_t capability;   /* enum ys_capability */
    uint8_t least;        /* enum ys_level: a pairing that cannot give it is refused; 4: secure-connections-only */
    uint8_t key_size_min; /* of an encryption key, in bytes: 7 to 16 */
    uint8_t key_size_max; /* not less, up to 16 */
    uint8_t bonds;        /* peers that are remembered at most, up to 64; 0: none */
    bool forgets;         /* when that many are remembered, the least recently used is forgotten for a new one; else the
                             new one is refused before it pairs */
    bool authenticates;   /* asks for protection against a man in the middle */
    bool forbids_legacy;  /* only LE Secure Connections */
    bool allows_debug_key; /* a peer may use the key that everybody knows (Vol 3 Part H 2.3.5.6.1): for development */
    bool waits;   /* only the firmware begins pairing or encryption; else the host does when a right demands it */
    bool privacy; /* its address changes, and only who is remembered can tell whose it is */
    uint16_t rotation_s; /* after how long the address changes: 1 to 3600; 0: 900 */
    uint32_t passkey;    /* 0 to 999,999: always the same; or YS_PASSKEY_RANDOM */
};

#ifdef __cplusplus
}
#endif

#endif
