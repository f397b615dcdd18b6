/* Data of extended advertising: structures may lie over several packets, each of which points to the next (Core 5.4 Vol
 * 6 Part B 2.3.4.7). */
#include "capture/audit/chains.h"

#include <string.h>

#include "capture/audit/payload.h"

#define CLOCK_NS (5 * NS_PER_US)

/* The packet that this one continues; NULL: its beginning was missed. */
static struct chained *begun(struct ys_audit *audit, const struct ys_air_packet *air)
{
    for (size_t i = 0; i < CHAINS_MOST; i++) {
        struct chained *chain = &audit->chains[i];
        uint64_t slack_ns = CLOCK_NS + audit->rounded_ns;
        if (chain->any && chain->channel == air->channel && air->start_ns + slack_ns >= chain->from_ns &&
            air->start_ns <= chain->from_ns + chain->step_ns + slack_ns)
            return chain;
    }
    return NULL;
}

static struct chained *begin(struct ys_audit *audit, bool is_response)
{
    struct chained *chain = &audit->chains[audit->next_chain];
    audit->next_chain = (audit->next_chain + 1) % CHAINS_MOST;
    chain->any = true;
    chain->is_response = is_response;
    chain->length = 0;
    return chain;
}

void audit_chain(struct ys_audit *audit, const struct ys_seen *seen)
{
    const struct ys_air_packet *air = &seen->record->air;
    const struct ys_link_extended *pdu = &seen->extended;
    bool is_response = seen->auxiliary == YS_AUXILIARY_SCAN_RSP;
    bool goes_on = seen->auxiliary == YS_AUXILIARY_CHAIN;
    /* what pointed to it was missed: who says whose it is does not go on with anything */
    bool alone = seen->auxiliary == YS_AUXILIARY_NOT && pdu->has_data_id && pdu->has_sender;
    if (!goes_on && !is_response && !alone && seen->auxiliary != YS_AUXILIARY_ADV)
        return;
    if (!goes_on && !pdu->has_aux) {
        if (pdu->length > 0)
            audit_payload(audit, pdu->data, pdu->length, is_response);
        return;
    }
    struct chained *chain = goes_on ? begun(audit, air) : begin(audit, is_response);
    if (chain == NULL)
        return;
    chain->any = pdu->has_aux && chain->length + pdu->length <= sizeof chain->data;
    if (chain->length + pdu->length > sizeof chain->data)
        return;
    if (pdu->length > 0)
        memcpy(chain->data + chain->length, pdu->data, pdu->length);
    chain->length += pdu->length;
    if (!pdu->has_aux) {
        audit_payload(audit, chain->data, chain->length, chain->is_response);
        return;
    }
    chain->channel = pdu->aux.channel;
    chain->from_ns = air->start_ns + pdu->aux.offset_us * NS_PER_US;
    chain->step_ns = ys_link_aux_step_us(pdu->aux.offset_us) * NS_PER_US;
}
