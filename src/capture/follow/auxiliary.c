/* Which kind an auxiliary packet is: what comes right after a scan request is its answer, what the primary channels
 * point to is the beginning, and what that points to is a piece of the chain. A file may say it, too. */
#include "capture/follow/auxiliary.h"

#define ROUNDING_NS UINT64_C(4000)
#define CLOCK_NS    UINT64_C(5000)

void ys_auxiliaries_asked(struct ys_auxiliaries *auxiliaries, const struct ys_record *record)
{
    if (record->air.channel < 40)
        auxiliaries->asked_ns[record->air.channel] = record->air.start_ns + record->air.duration_ns;
}

static bool is_answer(const struct ys_auxiliaries *auxiliaries, const struct ys_air_packet *air)
{
    uint64_t asked_ns = auxiliaries->asked_ns[air->channel];
    uint64_t after_ns = air->start_ns > asked_ns ? air->start_ns - asked_ns : 0;
    return asked_ns > 0 && after_ns + ROUNDING_NS >= YS_LINK_INTER_FRAME_SPACE_NS &&
           after_ns <= YS_LINK_INTER_FRAME_SPACE_NS + ROUNDING_NS;
}

static uint8_t kind_of(const struct ys_auxiliaries *auxiliaries, const struct ys_record *record)
{
    const struct ys_air_packet *air = &record->air;
    if (air->channel >= 37)
        return YS_AUXILIARY_NOT;
    if (air->auxiliary != YS_AUXILIARY_NOT)
        return air->auxiliary;
    if (is_answer(auxiliaries, air))
        return YS_AUXILIARY_SCAN_RSP;
    for (int i = 0; i < YS_POINTERS_MOST; i++) {
        const struct ys_pointer *pointer = &auxiliaries->pointers[i];
        if (pointer->any && pointer->channel == air->channel && air->start_ns + CLOCK_NS >= pointer->from_ns &&
            air->start_ns <= pointer->to_ns + CLOCK_NS)
            return pointer->from_primary ? YS_AUXILIARY_ADV : YS_AUXILIARY_CHAIN;
    }
    return YS_AUXILIARY_NOT;
}

uint8_t ys_auxiliaries_take(struct ys_auxiliaries *auxiliaries, const struct ys_record *record,
                            const struct ys_link_extended *pdu)
{
    uint8_t kind = pdu->type == YS_LINK_ADV_EXTENDED ? kind_of(auxiliaries, record) : YS_AUXILIARY_NOT;
    if (!pdu->has_aux)
        return kind;
    uint64_t from_ns = record->air.start_ns + pdu->aux.offset_us * UINT64_C(1000);
    auxiliaries->pointers[auxiliaries->next++ % YS_POINTERS_MOST] =
        (struct ys_pointer){.any = true,
                            .from_primary = record->air.channel >= 37,
                            .channel = pdu->aux.channel,
                            .from_ns = from_ns,
                            .to_ns = from_ns + ys_link_aux_step_us(pdu->aux.offset_us) * UINT64_C(1000)};
    return kind;
}
