/* Encryption of a link (Core 5.4 Vol 6 Part B 5.1.3): how two controllers start it, and start it anew with another key.
 *
 *   central                                        peripheral
 *   LE Enable Encryption: asked
 *       [PAUSE_ENC_REQ ->, <- PAUSE_ENC_RSP, PAUSE_ENC_RSP -> if it is encrypted: pausing]
 *       ENC_REQ ->                                 waits: its host is asked for the key
 *   waits                                          <- ENC_RSP
 *                                                  LE Long Term Key Request Reply: starting
 *                                                  <- START_ENC_REQ, or REJECT_IND
 *   starting: START_ENC_RSP ->                     tells its host
 *   tells its host                                 <- START_ENC_RSP
 *
 * Data of the hosts wait meanwhile, on both sides. */
#include "sim/encryption.h"

#include <string.h>

#include "sim/controller_state.h"
#include "sim/link_cipher.h"
#include "sim/link_time.h"
#include "sim/to_host.h"

/* The procedure response timeout (Vol 6 Part B 5.2). */
#define PROCEDURE_NS (40000 * YS_NS_PER_MS)

#define ENCRYPTION_CHANGE_BIT (UINT64_C(1) << 7)
#define KEY_REFRESH_BIT       (UINT64_C(1) << 47)

static void go_to(struct link *link, enum encryption_step step)
{
    link->encryption.step = (uint8_t)step;
    link->encryption.deadline_ns = ys_clock_now_ns(link->controller->clock) + PROCEDURE_NS;
}

/* what the hosts are told and say */

/* Vol 4 Part E 7.7.8, 7.7.39. */
static void tell(struct link *link, uint8_t status)
{
    uint8_t bytes[8];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    bool refreshed = link->encryption.refreshes;
    if ((link->controller->event_mask & (refreshed ? KEY_REFRESH_BIT : ENCRYPTION_CHANGE_BIT)) == 0)
        return;
    ys_hci_event_begin(&writer, refreshed ? YS_HCI_KEY_REFRESH_COMPLETE : YS_HCI_ENCRYPTION_CHANGE);
    ys_put_u8(&writer, status);
    ys_put_u16(&writer, link->handle);
    if (!refreshed)
        ys_put_u8(&writer, status == YS_HCI_OK);
    controller_send(link->controller, &writer);
}

static void refuse(struct link *link)
{
    go_to(link, ENCRYPTION_IDLE);
    if (link->encryption.refreshes) /* Vol 6 Part B 5.1.3.2: a link that was encrypted must not go on without */
        (void)link_terminate(link, YS_HCI_REMOTE_ENDED);
    link_want(link, CONTROL_REJECT);
}

static void ask_for_key(struct link *link)
{
    uint8_t bytes[20];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    go_to(link, ENCRYPTION_WAITS);
    link->encryption.name.handle = link->handle;
    if (!controller_begin_le_event(link->controller, &writer, YS_HCI_LE_KEY_REQUEST)) {
        refuse(link);
        return;
    }
    ys_put_hci_key_name(&writer, &link->encryption.name);
    controller_send(link->controller, &writer);
}

uint8_t encryption_enable(struct link *link, const struct ys_hci_key_name *name, const uint8_t key[16])
{
    struct encryption *encryption = &link->encryption;
    if (!link->central || encryption->step != ENCRYPTION_IDLE || link->terminate_reason != 0)
        return YS_HCI_COMMAND_DISALLOWED;
    encryption->name = *name;
    memcpy(encryption->key, key, sizeof encryption->key);
    encryption->refreshes = encryption->sends;
    go_to(link, encryption->refreshes ? ENCRYPTION_PAUSING : ENCRYPTION_ASKED);
    link_want(link, encryption->refreshes ? CONTROL_PAUSE_REQ : CONTROL_ENC_REQ);
    return YS_HCI_OK;
}

uint8_t encryption_key(struct link *link, const uint8_t *key)
{
    if (link->central || link->encryption.step != ENCRYPTION_WAITS)
        return YS_HCI_COMMAND_DISALLOWED;
    if (key == NULL) {
        refuse(link);
        return YS_HCI_OK;
    }
    memcpy(link->encryption.key, key, sizeof link->encryption.key);
    go_to(link, ENCRYPTION_STARTING);
    link_want(link, CONTROL_START_REQ);
    return YS_HCI_OK;
}

/* the session */

/* Vol 6 Part E 1. */
static bool begin_session(struct link *link)
{
    struct encryption *encryption = &link->encryption;
    link_cipher_free(encryption->cipher);
    encryption->cipher = link_cipher_new(encryption->key, encryption->diversifier, encryption->vector);
    memset(encryption->key, 0, sizeof encryption->key);
    return encryption->cipher != NULL;
}

static void draw_halves(struct link *link)
{
    size_t half = link->central ? 0 : 1;
    ys_chance_fill(&link->controller->chance, link->encryption.diversifier + 8 * half, 8);
    ys_chance_fill(&link->controller->chance, link->encryption.vector + 4 * half, 4);
}

static void take_halves(struct link *link, const struct ys_link_control_pdu *pdu)
{
    size_t half = link->central ? 1 : 0;
    memcpy(link->encryption.diversifier + 8 * half, pdu->key_half, 8);
    memcpy(link->encryption.vector + 4 * half, pdu->vector_half, 4);
}

void encryption_compose(struct link *link, enum control control, struct ys_link_control_pdu *pdu)
{
    static const uint8_t opcodes[] = {
        [CONTROL_PAUSE_REQ] = YS_LINK_PAUSE_ENC_REQ, [CONTROL_PAUSE_RSP] = YS_LINK_PAUSE_ENC_RSP,
        [CONTROL_ENC_REQ] = YS_LINK_ENC_REQ,         [CONTROL_ENC_RSP] = YS_LINK_ENC_RSP,
        [CONTROL_REJECT] = YS_LINK_REJECT_IND,       [CONTROL_START_REQ] = YS_LINK_START_ENC_REQ,
        [CONTROL_START_RSP] = YS_LINK_START_ENC_RSP,
    };
    struct encryption *encryption = &link->encryption;
    size_t half = link->central ? 0 : 1;
    pdu->opcode = opcodes[control];
    if (control == CONTROL_REJECT)
        pdu->code = YS_HCI_KEY_MISSING;
    if (control != CONTROL_ENC_REQ && control != CONTROL_ENC_RSP)
        return;
    draw_halves(link);
    memcpy(pdu->random, encryption->name.random, sizeof pdu->random);
    pdu->diversifier = encryption->name.diversifier;
    memcpy(pdu->key_half, encryption->diversifier + 8 * half, 8);
    memcpy(pdu->vector_half, encryption->vector + 4 * half, 4);
}

/* the central */

/* Vol 6 Part B 5.1.3. */
static bool central_in(struct link *link, const struct ys_link_control_pdu *pdu)
{
    struct encryption *encryption = &link->encryption;
    if (pdu->opcode == YS_LINK_PAUSE_ENC_RSP && encryption->step == ENCRYPTION_PAUSING) {
        encryption->sends = false;
        encryption->receives = false;
        link_want(link, CONTROL_PAUSE_RSP);
        go_to(link, ENCRYPTION_ASKED);
        link_want(link, CONTROL_ENC_REQ);
    } else if (pdu->opcode == YS_LINK_ENC_RSP && encryption->step == ENCRYPTION_ASKED) {
        take_halves(link, pdu);
        go_to(link, ENCRYPTION_WAITS);
    } else if (pdu->opcode == YS_LINK_START_ENC_REQ && encryption->step == ENCRYPTION_WAITS && begin_session(link)) {
        encryption->sends = true;
        encryption->receives = true;
        go_to(link, ENCRYPTION_STARTING);
        link_want(link, CONTROL_START_RSP);
    } else if (pdu->opcode == YS_LINK_START_ENC_RSP && encryption->step == ENCRYPTION_STARTING) {
        go_to(link, ENCRYPTION_IDLE);
        tell(link, YS_HCI_OK);
    } else if (pdu->opcode == YS_LINK_REJECT_IND && encryption->step != ENCRYPTION_IDLE) {
        go_to(link, ENCRYPTION_IDLE);
        tell(link, pdu->code != YS_HCI_OK ? pdu->code : YS_HCI_UNSPECIFIED);
    } else {
        return false;
    }
    return true;
}

/* the peripheral */

/* Vol 6 Part B 5.1.3. */
static bool peripheral_in(struct link *link, const struct ys_link_control_pdu *pdu)
{
    struct encryption *encryption = &link->encryption;
    if (pdu->opcode == YS_LINK_PAUSE_ENC_REQ && encryption->step == ENCRYPTION_IDLE && encryption->receives) {
        encryption->refreshes = true;
        go_to(link, ENCRYPTION_PAUSING);
        link_want(link, CONTROL_PAUSE_RSP);
    } else if (pdu->opcode == YS_LINK_PAUSE_ENC_RSP && encryption->step == ENCRYPTION_PAUSING) {
        encryption->sends = false;
    } else if (pdu->opcode == YS_LINK_ENC_REQ && !encryption->sends &&
               (encryption->step == ENCRYPTION_IDLE || encryption->step == ENCRYPTION_PAUSING)) {
        if (encryption->step == ENCRYPTION_IDLE)
            encryption->refreshes = false;
        memcpy(encryption->name.random, pdu->random, sizeof pdu->random);
        encryption->name.diversifier = pdu->diversifier;
        take_halves(link, pdu);
        link_want(link, CONTROL_ENC_RSP);
        go_to(link, ENCRYPTION_WAITS);
    } else if (pdu->opcode == YS_LINK_START_ENC_RSP && encryption->step == ENCRYPTION_STARTING &&
               encryption->receives) {
        encryption->sends = true;
        link_want(link, CONTROL_START_RSP);
        go_to(link, ENCRYPTION_IDLE);
        tell(link, YS_HCI_OK);
    } else {
        return false;
    }
    return true;
}

bool encryption_control_in(struct link *link, const struct ys_link_control_pdu *pdu)
{
    return link->central ? central_in(link, pdu) : peripheral_in(link, pdu);
}

void encryption_acknowledged(struct link *link, uint8_t opcode)
{
    struct encryption *encryption = &link->encryption;
    if (opcode == YS_LINK_PAUSE_ENC_RSP && !link->central)
        encryption->receives = false; /* the central has switched it off before it answers */
    else if (opcode == YS_LINK_ENC_RSP)
        ask_for_key(link);
    else if (opcode == YS_LINK_START_ENC_REQ)
        encryption->receives = begin_session(link);
}

bool encryption_holds_data(const struct link *link)
{
    return link->encryption.step != ENCRYPTION_IDLE;
}

/* Vol 6 Part B 5.1.3.1: any other packet between the two messages that begin encryption was inserted by an attacker. A
 * central that has only asked may still get what the peripheral was about to send. */
bool encryption_forbids_data(const struct link *link)
{
    return link->encryption.step >= (link->central ? ENCRYPTION_WAITS : ENCRYPTION_PAUSING);
}

void encryption_end(struct link *link)
{
    link_cipher_free(link->encryption.cipher);
    link->encryption = (struct encryption){.cipher = NULL};
}

void encryption_seal(struct link *link, struct ys_link_data *pdu, uint8_t *payload)
{
    if (!link->encryption.sends || pdu->length == 0)
        return;
    link_cipher_seal(link->encryption.cipher, link->central, pdu->kind, payload, pdu->length);
    pdu->length = (uint8_t)(pdu->length + YS_LINK_MIC_SIZE);
}

bool encryption_open(struct link *link, struct ys_link_data *pdu, uint8_t *payload)
{
    if (!link->encryption.receives || pdu->length == 0)
        return true;
    memcpy(payload, pdu->payload, pdu->length);
    if (!link_cipher_open(link->encryption.cipher, !link->central, pdu->kind, payload, pdu->length))
        return false;
    pdu->length = (uint8_t)(pdu->length - YS_LINK_MIC_SIZE);
    pdu->payload = payload;
    return true;
}
