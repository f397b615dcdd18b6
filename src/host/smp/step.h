/* What a pairing is made of: its steps, and the bits and words that say how far it is. Values stand most significant
 * byte first, as the standard prints them; they are turned around where they come from the air, and go there. */
#ifndef HOST_SMP_STEP_H
#define HOST_SMP_STEP_H

#include "wire/smp.h"
#include <yarnswift/pairing.h>

#define SMP_TIMEOUT_MS 30000 /* Vol 3 Part H 3.4 */

/* Vol 3 Part H 2.3.6: after a failure new attempts have to wait, twice as long each time. */
#define QUIET_LEAST_MS 1000
#define QUIET_MOST_MS  300000
#define QUIET_DECAY_MS 3600000

/* Where the key of a link came from, beside the numbers of bonds. */
#define KEY_OF_PAIRING 0xff

#define BONDS_MOST 64

/* Flags of a bond. */
#define BOND_AUTHENTICATED      0x01
#define BOND_SECURE_CONNECTIONS 0x02
#define BOND_HAS_IDENTITY_KEY   0x04
#define BOND_HAS_GIVEN          0x08
#define BOND_HAS_TAKEN          0x10

/* Bits of `met`. */
#define MET_USER    0x01
#define MET_REFUSED 0x02
#define MET_OWN_KEY 0x04
#define MET_SECRET  0x08
#define MET_LINK    0x10 /* it is encrypted */

/* What the controller waits for, in `key_asked` of a connection. */
enum key_answer { KEY_NOT_ASKED, KEY_KNOWN, KEY_UNKNOWN };

/* What the curve computes. */
enum curve_job { CURVE_IDLE, CURVE_KEY, CURVE_SECRET };

/* What a step waits for. */
enum need { NEEDS_NOTHING, NEEDS_PDU, NEEDS_USER, NEEDS_OWN_KEY, NEEDS_SECRET, NEEDS_LINK, NEEDS_KEYS, NEEDS_END };

/* No reason: all is well. */
#define GOOD 0x00

/* A step of a pairing: what it needs, and what is then done. Returns GOOD, or why the pairing fails. It may choose
 * another step by `pairing->step`; else the next one in its list follows. */
struct ys_pairing_step {
    uint8_t need; /* enum need */
    uint8_t code; /* NEEDS_PDU: enum ys_smp_code */
    uint8_t (*act)(struct ys_host *host, const struct ys_smp_pdu *pdu);
};

#endif
