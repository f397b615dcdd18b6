/* Rules of frames, signalling, and channels with credits (Core 5.4 Vol 3 Part A). */
#include "capture/audit/frames.h"

#include "capture/audit/attributes.h"
#include "capture/audit/pairing.h"
#include "capture/audit/ranges.h"
#include "capture/audit/verdicts.h"

#define CREDITS_MOST 65535u

/* channels */

/* The open channel on which this side receives by that number. */
static struct credit_channel *channel_of(struct audited_dialogue *dialogue, int receiver, uint16_t number)
{
    for (size_t i = 0; i < CREDIT_CHANNELS; i++) {
        if (dialogue->channels[i].open && dialogue->channels[i].number[receiver] == number)
            return &dialogue->channels[i];
    }
    return NULL;
}

static void open_channel(struct audited_dialogue *dialogue)
{
    size_t place = 0;
    while (place + 1 < CREDIT_CHANNELS && dialogue->channels[place].open)
        place++;
    dialogue->channels[place] = dialogue->opening;
    dialogue->channels[place].open = true;
}

static void audit_channel(struct ys_audit *audit, const struct ys_said *said, const struct audit_place *place)
{
    struct credit_channel *channel = channel_of(place->dialogue, !place->side, said->channel);
    if (channel == NULL && (!place->dialogue->begun || place->hole)) {
        audit_cannot_tell(audit, YS_RULE_CHANNEL_OPEN);
        audit_cannot_tell(audit, YS_RULE_CREDITS);
        return;
    }
    (void)audit_judge(audit, YS_RULE_CHANNEL_OPEN, channel != NULL, "channel 0x%04x was not opened", said->channel);
    if (channel == NULL)
        return;
    (void)audit_judge(audit, YS_RULE_CREDITS, channel->credits[place->side] > 0, "channel 0x%04x, without a credit",
                      said->channel);
    channel->credits[place->side] -= channel->credits[place->side] > 0;
}

static bool is_known(uint16_t channel)
{
    return (channel >= YS_L2CAP_ATT && channel <= YS_L2CAP_SECURITY) ||
           (channel >= YS_L2CAP_DYNAMIC_FIRST && channel <= YS_L2CAP_DYNAMIC_LAST);
}

static bool is_dynamic(uint16_t channel)
{
    return channel >= YS_L2CAP_DYNAMIC_FIRST && channel <= YS_L2CAP_DYNAMIC_LAST;
}

/* signalling */

static bool is_request(uint8_t code)
{
    return code == YS_L2CAP_DISCONNECTION_REQ || code == YS_L2CAP_PARAMETER_REQ ||
           code == YS_L2CAP_CREDIT_CONNECTION_REQ;
}

static bool is_answer(uint8_t code)
{
    return code == YS_L2CAP_COMMAND_REJECT || code == YS_L2CAP_DISCONNECTION_RSP || code == YS_L2CAP_PARAMETER_RSP ||
           code == YS_L2CAP_CREDIT_CONNECTION_RSP;
}

static void audit_parameters(struct ys_audit *audit, struct ys_reader *reader, int side)
{
    uint16_t least = ys_get_u16(reader);
    uint16_t most = ys_get_u16(reader);
    uint16_t latency = ys_get_u16(reader);
    uint16_t timeout = ys_get_u16(reader);
    (void)audit_judge(audit, YS_RULE_PARAMETER_ROLE, side == 1, "a central asks for parameters");
    (void)audit_judge(
        audit, YS_RULE_PARAMETER_VALUES,
        ys_reader_ok(reader) && least <= most && least >= 6 && audit_parameters_fit(most, latency, timeout),
        "interval %g to %g ms, latency %u, timeout %u ms", least * 1.25, most * 1.25, latency, timeout * 10u);
}

static void audit_opening(struct ys_audit *audit, struct ys_reader *reader, const struct audit_place *place,
                          bool is_response)
{
    struct credit_channel *opening = &place->dialogue->opening;
    if (!is_response)
        (void)ys_get_u16(reader); /* the service */
    uint16_t number = ys_get_u16(reader);
    uint16_t mtu = ys_get_u16(reader);
    uint16_t packet = ys_get_u16(reader);
    uint16_t credits = ys_get_u16(reader);
    uint16_t result = is_response ? ys_get_u16(reader) : 0;
    if (result != 0)
        return;
    (void)audit_judge(audit, YS_RULE_CHANNEL_REQUEST,
                      ys_reader_ok(reader) && is_dynamic(number) && mtu >= 23 && packet >= 23 && packet <= 65533,
                      "channel 0x%04x, MTU %u, packets of %u bytes", number, mtu, packet);
    opening->number[place->side] = number;
    opening->credits[!place->side] = credits; /* for the other side to send with */
    if (is_response)
        open_channel(place->dialogue);
}

static void audit_credits(struct ys_audit *audit, struct ys_reader *reader, const struct audit_place *place)
{
    uint16_t number = ys_get_u16(reader);
    uint16_t credits = ys_get_u16(reader);
    struct credit_channel *channel = channel_of(place->dialogue, place->side, number);
    if (channel == NULL) {
        audit_cannot_tell(audit, YS_RULE_CREDIT_MOST);
        return;
    }
    uint32_t sum = channel->credits[!place->side] + credits;
    (void)audit_judge(audit, YS_RULE_CREDIT_MOST, sum <= CREDITS_MOST && credits > 0, "%u credits, and %u before",
                      credits, channel->credits[!place->side]);
    channel->credits[!place->side] = sum < CREDITS_MOST ? sum : CREDITS_MOST;
}

static void close_channel(struct ys_reader *reader, const struct audit_place *place)
{
    uint16_t other = ys_get_u16(reader);
    uint16_t own = ys_get_u16(reader);
    for (size_t i = 0; i < CREDIT_CHANNELS; i++) {
        struct credit_channel *channel = &place->dialogue->channels[i];
        if ((channel->number[0] == own && channel->number[1] == other) ||
            (channel->number[0] == other && channel->number[1] == own))
            channel->open = false;
    }
}

static void audit_identifier(struct ys_audit *audit, const struct ys_said *said, const struct audit_place *place)
{
    uint8_t code = said->signal.code;
    uint8_t *waiting = &place->dialogue->identifiers[!place->side];
    (void)audit_judge(audit, YS_RULE_SIGNAL_IDENTIFIER, said->signal.identifier != 0, "code 0x%02x with identifier 0",
                      code);
    if (is_request(code))
        place->dialogue->identifiers[place->side] = said->signal.identifier;
    if (!is_answer(code))
        return;
    if (*waiting == 0 && (!place->dialogue->begun || place->hole || code == YS_L2CAP_COMMAND_REJECT))
        audit_cannot_tell(audit, YS_RULE_SIGNAL_ANSWER);
    else
        (void)audit_judge(audit, YS_RULE_SIGNAL_ANSWER, *waiting == said->signal.identifier,
                          "identifier %u, in place of %u", said->signal.identifier, *waiting);
    *waiting = 0;
}

static void audit_signal(struct ys_audit *audit, const struct ys_said *said, const struct audit_place *place)
{
    if (!audit_judge(audit, YS_RULE_SIGNAL_FORM, said->verdict == YS_ATT_GOOD, "a frame of %zu bytes", said->length))
        return;
    struct ys_reader reader = ys_reader_of(said->frame + YS_L2CAP_HEADER_SIZE, said->length - YS_L2CAP_HEADER_SIZE);
    audit_identifier(audit, said, place);
    switch (said->signal.code) {
    case YS_L2CAP_PARAMETER_REQ:
        audit_parameters(audit, &reader, place->side);
        break;
    case YS_L2CAP_CREDIT_CONNECTION_REQ:
    case YS_L2CAP_CREDIT_CONNECTION_RSP:
        audit_opening(audit, &reader, place, said->signal.code == YS_L2CAP_CREDIT_CONNECTION_RSP);
        break;
    case YS_L2CAP_CREDITS:
        audit_credits(audit, &reader, place);
        break;
    case YS_L2CAP_DISCONNECTION_RSP:
        close_channel(&reader, place);
        break;
    default:
        break;
    }
}

void audit_frame(struct ys_audit *audit, const struct ys_said *said, const struct audit_place *place, bool is_first)
{
    bool unsure = place->hole || !place->dialogue->begun;
    if (said->stray && unsure)
        audit_cannot_tell(audit, YS_RULE_FRAME_BEGIN);
    else if (!is_first)
        (void)audit_judge(audit, YS_RULE_FRAME_BEGIN, !said->stray, "it continues a frame that was not begun");
    if (said->unfinished && unsure)
        audit_cannot_tell(audit, YS_RULE_FRAME_END);
    else if (is_first)
        (void)audit_judge(audit, YS_RULE_FRAME_END, !said->unfinished, "the frame before it is not whole");
    if (said->overrun || said->upper != YS_UPPER_NONE)
        (void)audit_judge(audit, YS_RULE_FRAME_LENGTH, !said->overrun, "more bytes than the frame's header says");
    if (said->upper == YS_UPPER_NONE)
        return;
    (void)audit_judge(audit, YS_RULE_FRAME_CHANNEL, is_known(said->channel), "channel 0x%04x", said->channel);
    if (said->upper == YS_UPPER_SIGNALLING)
        audit_signal(audit, said, place);
    else if (said->upper == YS_UPPER_ATT)
        audit_attributes(audit, said, place);
    else if (said->upper == YS_UPPER_SECURITY)
        audit_pairing(audit, said, place);
    else if (is_dynamic(said->channel))
        audit_channel(audit, said, place);
}
