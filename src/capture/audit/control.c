/* Rules of control procedures and of the start of encryption (Core 5.4 Vol 6 Part B 2.4.2, 5.1 to 5.5). */
#include "capture/audit/control.h"

#include <string.h>

#include "capture/audit/ranges.h"
#include "capture/audit/verdicts.h"
#include "wire/hci_extended.h"

#define NONE          PROCEDURE_NONE
#define ANSWER_NS     (40 * NS_PER_S)
#define UNKNOWN_FIRST 0x40 /* and all after it are of no version yet */
#define NEAR          6
#define PHYS_KNOWN    0x07u
#define BY_CENTRAL    1
#define BY_OTHER      2

/* Who may send it, and what it answers. */
struct traits {
    uint8_t opcode;
    uint8_t only;       /* BY_CENTRAL, BY_OTHER (the peripheral); 0: both */
    bool asks;          /* it wants an answer */
    uint8_t answers[2]; /* the requests that it answers; NONE */
};

static const struct traits all_traits[] = {
    {YS_LINK_CONNECTION_UPDATE_IND, BY_CENTRAL, false, {NONE, NONE}},
    {YS_LINK_CHANNEL_MAP_IND, BY_CENTRAL, false, {NONE, NONE}},
    {YS_LINK_TERMINATE_IND, 0, false, {NONE, NONE}},
    {YS_LINK_ENC_REQ, BY_CENTRAL, true, {NONE, NONE}},
    {YS_LINK_ENC_RSP, BY_OTHER, false, {YS_LINK_ENC_REQ, NONE}},
    {YS_LINK_START_ENC_REQ, BY_OTHER, true, {NONE, NONE}},
    {YS_LINK_FEATURE_REQ, BY_CENTRAL, true, {NONE, NONE}},
    {YS_LINK_FEATURE_RSP, 0, false, {YS_LINK_FEATURE_REQ, YS_LINK_PERIPHERAL_FEATURE_REQ}},
    {YS_LINK_PAUSE_ENC_REQ, BY_CENTRAL, true, {NONE, NONE}},
    {YS_LINK_PERIPHERAL_FEATURE_REQ, BY_OTHER, true, {NONE, NONE}},
    {YS_LINK_CONNECTION_PARAM_REQ, 0, true, {NONE, NONE}},
    {YS_LINK_CONNECTION_PARAM_RSP, BY_OTHER, false, {YS_LINK_CONNECTION_PARAM_REQ, NONE}},
    {YS_LINK_PING_REQ, 0, true, {NONE, NONE}},
    {YS_LINK_PING_RSP, 0, false, {YS_LINK_PING_REQ, NONE}},
    {YS_LINK_LENGTH_REQ, 0, true, {NONE, NONE}},
    {YS_LINK_LENGTH_RSP, 0, false, {YS_LINK_LENGTH_REQ, NONE}},
    {YS_LINK_PHY_REQ, 0, true, {NONE, NONE}},
    {YS_LINK_PHY_RSP, BY_OTHER, false, {YS_LINK_PHY_REQ, NONE}},
    {YS_LINK_PHY_UPDATE_IND, BY_CENTRAL, false, {NONE, NONE}},
    {YS_LINK_CHANNELS_LEAST_IND, BY_OTHER, false, {NONE, NONE}},
};

static const struct traits *traits_of(uint8_t opcode)
{
    for (size_t i = 0; i < sizeof all_traits / sizeof all_traits[0]; i++) {
        if (all_traits[i].opcode == opcode)
            return &all_traits[i];
    }
    return NULL;
}

/* requests and answers */

static void end_procedure(struct audited_link *audited, int side)
{
    audited->procedures[side].opcode = NONE;
}

static void audit_waiting(struct ys_audit *audit, const struct ys_seen *seen, struct audited_link *audited)
{
    for (int side = 0; side < 2; side++) {
        struct procedure *procedure = &audited->procedures[side];
        if (procedure->opcode == NONE || seen->record->at_ns <= procedure->at_ns + ANSWER_NS)
            continue;
        (void)audit_judge(audit, YS_RULE_CONTROL_ANSWER, false, "number %llu was not answered in 40 s",
                          (unsigned long long)procedure->record);
        end_procedure(audited, side);
    }
}

static void begin_procedure(struct ys_audit *audit, const struct ys_seen *seen, struct audited_link *audited,
                            uint8_t opcode)
{
    int side = seen->packet.side;
    struct procedure *procedure = &audited->procedures[side];
    /* the start of encryption goes on within its procedure */
    if (opcode != YS_LINK_START_ENC_REQ && opcode != YS_LINK_ENC_REQ)
        (void)audit_judge(audit, YS_RULE_CONTROL_ONE, procedure->opcode == NONE,
                          "a request, while number %llu waits for its answer", (unsigned long long)procedure->record);
    *procedure = (struct procedure){.opcode = opcode, .at_ns = seen->record->at_ns, .record = seen->record->number};
}

/* Ends the other side's request, if this answers it. */
static void audit_answer(struct ys_audit *audit, const struct ys_seen *seen, struct audited_link *audited,
                         const uint8_t answers[2])
{
    int side = seen->packet.side;
    const struct procedure *asked = &audited->procedures[!side];
    bool fits = asked->opcode != NONE && (asked->opcode == answers[0] || asked->opcode == answers[1]);
    if (!fits && (!seen->link->begun || audited->hole)) {
        audit_cannot_tell(audit, YS_RULE_CONTROL_ASKED);
        return;
    }
    if (audit_judge(audit, YS_RULE_CONTROL_ASKED, fits, "no request was sent for it"))
        (void)audit_judge(audit, YS_RULE_CONTROL_ANSWER, true, "%s", "");
    if (fits)
        end_procedure(audited, !side);
}

/* A central answers by its next action, which all can hear; or either side rejects the request, or does not know it. */
static void end_by(struct ys_audit *audit, struct audited_link *audited, int side, uint8_t request)
{
    if (audited->procedures[side].opcode != request)
        return;
    (void)audit_judge(audit, YS_RULE_CONTROL_ANSWER, true, "%s", "");
    end_procedure(audited, side);
}

static void audit_rejection(struct ys_audit *audit, const struct ys_seen *seen, struct audited_link *audited,
                            uint8_t opcode)
{
    int side = seen->packet.side;
    const struct ys_link_control_pdu *control = &seen->packet.control;
    uint8_t refused = opcode == YS_LINK_REJECT_EXT_IND ? control->refused
                      : opcode == YS_LINK_UNKNOWN_RSP  ? control->code
                                                       : YS_LINK_ENC_REQ;
    struct procedure *asked = &audited->procedures[!side];
    if (opcode == YS_LINK_REJECT_IND && asked->opcode != NONE) /* it does not say what it refuses */
        refused = asked->opcode;
    bool collides = audited->procedures[side].opcode != NONE; /* of two that collide, one is refused */
    if (asked->opcode == refused) {
        (void)audit_judge(audit, YS_RULE_CONTROL_ASKED, true, "%s", "");
        (void)audit_judge(audit, YS_RULE_CONTROL_ANSWER, true, "%s", "");
        end_procedure(audited, !side);
    } else if (!seen->link->begun || audited->hole || collides || refused == audited->told[!side] ||
               audited->starting || refused == YS_LINK_CONNECTION_UPDATE_IND || refused == YS_LINK_PHY_UPDATE_IND) {
        audit_cannot_tell(audit, YS_RULE_CONTROL_ASKED);
    } else {
        (void)audit_judge(audit, YS_RULE_CONTROL_ASKED, false, "opcode 0x%02x is refused, but was not sent", refused);
    }
    audited->starting = audited->starting && refused != YS_LINK_ENC_REQ;
}

/* instants and values */

static void audit_instant(struct ys_audit *audit, const struct ys_seen *seen, uint16_t instant)
{
    int16_t ahead = (int16_t)(uint16_t)(instant - seen->packet.counter);
    if (!seen->packet.counted) {
        audit_cannot_tell(audit, YS_RULE_INSTANT_PASSED);
        return;
    }
    if (audit_judge(audit, YS_RULE_INSTANT_PASSED, ahead > 0, "the instant is event %u, and this is event %u", instant,
                    seen->packet.counter))
        (void)audit_judge(audit, YS_RULE_INSTANT_NEAR, ahead >= NEAR, "the instant is only %d events ahead", ahead);
}

static void audit_update(struct ys_audit *audit, const struct ys_link_control_pdu *control)
{
    (void)audit_judge(audit, YS_RULE_UPDATE_RANGE,
                      audit_parameters_fit(control->interval, control->latency, control->timeout),
                      "interval %g ms, latency %u, timeout %u ms", control->interval * 1.25, control->latency,
                      control->timeout * 10u);
    (void)audit_judge(audit, YS_RULE_UPDATE_WINDOW,
                      control->interval < 2 ||
                          audit_window_is_good(control->window_size, control->window_offset, control->interval),
                      "a window of %g ms, %g ms off, with an interval of %g ms", control->window_size * 1.25,
                      control->window_offset * 1.25, control->interval * 1.25);
}

static void audit_parameter_request(struct ys_audit *audit, const struct ys_link_control_pdu *control)
{
    (void)audit_judge(audit, YS_RULE_PARAMETER_REQUEST,
                      control->interval_min <= control->interval && control->interval_min >= 6 &&
                          audit_parameters_fit(control->interval, control->latency, control->timeout),
                      "interval %g to %g ms, latency %u, timeout %u ms", control->interval_min * 1.25,
                      control->interval * 1.25, control->latency, control->timeout * 10u);
}

static bool is_length(uint16_t octets, uint16_t us)
{
    return octets >= YS_LINK_PAYLOAD_DEFAULT && octets <= YS_LINK_PAYLOAD_MAX && us >= YS_LINK_TIME_DEFAULT_US &&
           us <= YS_LINK_TIME_MAX_US;
}

static bool is_one_bit(uint8_t bits)
{
    return (bits & (bits - 1)) == 0;
}

static void audit_phys(struct ys_audit *audit, const struct ys_seen *seen, struct audited_link *audited)
{
    const struct ys_link_control_pdu *control = &seen->packet.control;
    int side = seen->packet.side;
    if (control->opcode == YS_LINK_PHY_REQ || control->opcode == YS_LINK_PHY_RSP) {
        (void)audit_judge(audit, YS_RULE_PHY_REQUEST,
                          control->send_phys != 0 && control->receive_phys != 0 &&
                              ((control->send_phys | control->receive_phys) & ~7) == 0,
                          "PHYs 0x%02x and 0x%02x", control->send_phys, control->receive_phys);
        audited->phys_named[side][0] = control->send_phys;
        audited->phys_named[side][1] = control->receive_phys;
        audited->has_phys[side] = true;
        return;
    }
    bool named = (audited->has_phys[0] || audited->has_phys[1]);
    /* from the central: what it sends on, and the peripheral receives on; of a side that has not named any, nothing */
    uint8_t down = (uint8_t)((audited->has_phys[0] ? audited->phys_named[0][0] : 7) &
                             (audited->has_phys[1] ? audited->phys_named[1][1] : 7));
    uint8_t up = (uint8_t)((audited->has_phys[0] ? audited->phys_named[0][1] : 7) &
                           (audited->has_phys[1] ? audited->phys_named[1][0] : 7));
    bool allowed = (control->send_phys & ~down) == 0 && (control->receive_phys & ~up) == 0;
    (void)audit_judge(audit, YS_RULE_PHY_UPDATE,
                      is_one_bit(control->send_phys) && is_one_bit(control->receive_phys) &&
                          ((control->send_phys | control->receive_phys) & ~7) == 0 && (!named || allowed),
                      "PHYs 0x%02x and 0x%02x, of 0x%02x and 0x%02x", control->send_phys, control->receive_phys, down,
                      up);
    if (control->send_phys != 0 || control->receive_phys != 0)
        audit_instant(audit, seen, control->instant);
    audited->has_phys[0] = false;
    audited->has_phys[1] = false;
}

/* encryption */

static uint64_t half_of(const uint8_t bytes[8])
{
    uint64_t half = 0;
    for (int i = 0; i < 8; i++)
        half |= (uint64_t)bytes[i] << 8 * i;
    return half;
}

/* Whether a connection before has had this half. */
static bool was_used(struct ys_audit *audit, uint64_t half)
{
    for (size_t i = 0; i < AUDITED_HALVES; i++) {
        if (half != 0 && audit->halves[i] == half)
            return true;
    }
    audit->halves[audit->next_half++ % AUDITED_HALVES] = half;
    return false;
}

static void audit_half(struct ys_audit *audit, struct audited_link *audited, int side, const uint8_t bytes[8])
{
    uint64_t half = half_of(bytes);
    bool used = was_used(audit, half);
    if (audited->has_random[side])
        (void)audit_judge(audit, YS_RULE_KEY_MATERIAL, half != audited->random[side], "the half of the start before");
    else
        (void)audit_judge(audit, YS_RULE_KEY_MATERIAL, half != 0 && !used,
                          half == 0 ? "a half of zeros" : "a half that a connection before has had");
    audited->has_random[side] = true;
    audited->random[side] = half;
}

/* Which of the five a PDU is: 1 to 5; 0: none. */
static uint8_t step_of(uint8_t opcode, int side)
{
    switch (opcode) {
    case YS_LINK_ENC_REQ:
        return 1;
    case YS_LINK_ENC_RSP:
        return 2;
    case YS_LINK_START_ENC_REQ:
        return 3;
    case YS_LINK_START_ENC_RSP:
        return side == 0 ? 4 : 5;
    default:
        return 0;
    }
}

static void audit_encryption(struct ys_audit *audit, const struct ys_seen *seen, struct audited_link *audited)
{
    const struct ys_link_control_pdu *control = &seen->packet.control;
    uint8_t step = step_of(control->opcode, seen->packet.side);
    if (step == 0)
        return;
    bool follows = step == 1 || audited->encryption == step - 1;
    if (!follows && (!seen->link->begun || audited->hole || audited->encryption == 0))
        audit_cannot_tell(audit, YS_RULE_ENCRYPTION_ORDER);
    else
        (void)audit_judge(audit, YS_RULE_ENCRYPTION_ORDER, follows, "step %u of 5 follows step %u", step,
                          audited->encryption);
    audited->encryption = step;
    audited->starting = step < 5;
    if (step <= 2)
        audit_half(audit, audited, seen->packet.side, control->key_half);
    if (step == 4)
        end_by(audit, audited, 1, YS_LINK_START_ENC_REQ);
}

/* Data from a side that has begun to start encryption, before the end. */
static void audit_quiet(struct ys_audit *audit, const struct ys_seen *seen, struct audited_link *audited)
{
    bool data = seen->packet.data.kind != YS_LINK_CONTROL && seen->packet.data.length > 0 && !seen->packet.repeated;
    bool began = audited->encryption >= (seen->packet.side == 0 ? 1 : 2);
    if (seen->packet.readable == YS_READ_NOT) /* which may have been its end */
        audited->starting = false;
    if (!audited->starting || !data || !began)
        return;
    (void)audit_judge(audit, YS_RULE_ENCRYPTION_QUIET, false, "data of %u bytes while encryption starts",
                      seen->packet.data.length);
}

static bool is_reason(uint8_t code)
{
    return code != 0 && code <= 0x45;
}

/* Vol 6 Part B 2.1.2: of a central that has shown by this that it knows LE Coded. */
static void audit_coded_address(struct ys_audit *audit, const struct ys_seen *seen)
{
    const struct ys_link_control_pdu *control = &seen->packet.control;
    bool features = control->opcode == YS_LINK_FEATURE_REQ || control->opcode == YS_LINK_FEATURE_RSP;
    bool knows = features ? (control->features & YS_HCI_LE_FEATURE_CODED) != 0
                          : ((control->send_phys | control->receive_phys) & 4) != 0;
    uint32_t address = seen->record->air.access_address;
    if (seen->packet.side == 0 && knows)
        (void)audit_judge(audit, YS_RULE_ACCESS_ADDRESS_CODED, audit_address_fits_coded(address),
                          "the access address is %08x", address);
}

static void audit_map(struct ys_audit *audit, const uint8_t map[5])
{
    (void)audit_judge(audit, YS_RULE_MAP_UPDATE, audit_map_is_good(map), "the map is %02x %02x %02x %02x %02x", map[0],
                      map[1], map[2], map[3], map[4]);
}

static void audit_channels_least(struct ys_audit *audit, const struct ys_link_control_pdu *control)
{
    (void)audit_judge(audit, YS_RULE_CHANNELS_LEAST,
                      control->channels_least >= 2 && control->channels_least <= 37 && control->send_phys != 0 &&
                          (control->send_phys & ~PHYS_KNOWN) == 0,
                      "%u channels, PHYs 0x%02x", control->channels_least, control->send_phys);
}

static void audit_values(struct ys_audit *audit, const struct ys_seen *seen, struct audited_link *audited)
{
    const struct ys_link_control_pdu *control = &seen->packet.control;
    int side = seen->packet.side;
    switch (control->opcode) {
    case YS_LINK_CONNECTION_UPDATE_IND:
        audit_update(audit, control);
        audit_instant(audit, seen, control->instant);
        end_by(audit, audited, 1, YS_LINK_CONNECTION_PARAM_REQ);
        break;
    case YS_LINK_CHANNEL_MAP_IND:
        audit_map(audit, control->channel_map);
        audit_instant(audit, seen, control->instant);
        break;
    case YS_LINK_CHANNELS_LEAST_IND:
        audit_channels_least(audit, control);
        break;
    case YS_LINK_TERMINATE_IND:
        (void)audit_judge(audit, YS_RULE_END_REASON, is_reason(control->code), "the reason is 0x%02x", control->code);
        break;
    case YS_LINK_VERSION_IND:
        (void)audit_judge(audit, YS_RULE_VERSION_ONCE, audited->versions[side]++ == 0, "it was sent before");
        audited->versions[side] = 1;
        break;
    case YS_LINK_CONNECTION_PARAM_REQ:
    case YS_LINK_CONNECTION_PARAM_RSP:
        audit_parameter_request(audit, control);
        break;
    case YS_LINK_LENGTH_REQ:
    case YS_LINK_LENGTH_RSP:
        (void)audit_judge(audit, YS_RULE_LENGTH_RANGE,
                          is_length(control->lengths.receive_octets, control->lengths.receive_us) &&
                              is_length(control->lengths.send_octets, control->lengths.send_us),
                          "%u bytes, %u us; %u bytes, %u us", control->lengths.receive_octets,
                          control->lengths.receive_us, control->lengths.send_octets, control->lengths.send_us);
        break;
    case YS_LINK_PHY_UPDATE_IND:
        end_by(audit, audited, 1, YS_LINK_PHY_REQ);
        audit_phys(audit, seen, audited);
        break;
    case YS_LINK_PHY_REQ:
    case YS_LINK_PHY_RSP:
        audit_phys(audit, seen, audited);
        audit_coded_address(audit, seen);
        break;
    case YS_LINK_FEATURE_REQ:
    case YS_LINK_FEATURE_RSP:
        audit_coded_address(audit, seen);
        break;
    case YS_LINK_PAUSE_ENC_RSP:
        end_by(audit, audited, 0, YS_LINK_PAUSE_ENC_REQ);
        break;
    case YS_LINK_REJECT_IND:
    case YS_LINK_REJECT_EXT_IND:
    case YS_LINK_UNKNOWN_RSP:
        audit_rejection(audit, seen, audited, control->opcode);
        break;
    default:
        break;
    }
}

void audit_control(struct ys_audit *audit, const struct ys_seen *seen, struct audited_link *audited)
{
    const struct ys_link_seen *packet = &seen->packet;
    audit_waiting(audit, seen, audited);
    audit_quiet(audit, seen, audited);
    if (!packet->is_control || packet->repeated)
        return;
    uint8_t opcode = packet->payload[0];
    if (opcode >= UNKNOWN_FIRST) /* which is answered, too: that it is not known */
        begin_procedure(audit, seen, audited, opcode);
    if (!ys_link_control_is_known(opcode))
        return;
    if (!audit_judge(audit, YS_RULE_CONTROL_LENGTH, packet->control_good, "opcode 0x%02x with %u bytes", opcode,
                     packet->length))
        return;
    const struct traits *traits = traits_of(opcode);
    if (traits != NULL && packet->side_is_sure)
        (void)audit_judge(audit, YS_RULE_CONTROL_ROLE,
                          traits->only == 0 || (traits->only == BY_CENTRAL) == (packet->side == 0),
                          "opcode 0x%02x from the %s", opcode, packet->side == 0 ? "central" : "peripheral");
    if (audited->starting && audited->encryption == 1 && packet->side == 1 && opcode == YS_LINK_ENC_RSP)
        (void)audit_judge(audit, YS_RULE_ENCRYPTION_QUIET, true, "%s", "");
    if (traits != NULL && traits->asks)
        begin_procedure(audit, seen, audited, opcode);
    else if (traits != NULL && traits->answers[0] == NONE)
        audited->told[packet->side] = opcode;
    if (traits != NULL && traits->answers[0] != NONE)
        audit_answer(audit, seen, audited, traits->answers);
    audit_encryption(audit, seen, audited);
    audit_values(audit, seen, audited);
}
