/* Rules of the attribute protocol, and of how characteristics are used (Core 5.4 Vol 3 Part F, Vol 3 Part G). */
#include "capture/audit/attributes.h"

#include <string.h>

#include <yarnswift/codes.h>
#include <yarnswift/table.h>

#include "capture/audit/verdicts.h"
#include "capture/follow/hash.h"

#define ANSWER_NS     (30 * NS_PER_S)
#define SAME_MOST     8 /* times that a discovery is asked again from the same handle */
#define CONFIGURATION 0x2902

static bool is_range_request(uint8_t opcode)
{
    return opcode == YS_ATT_FIND_INFORMATION_REQUEST || opcode == YS_ATT_FIND_BY_TYPE_VALUE_REQUEST ||
           opcode == YS_ATT_READ_BY_TYPE_REQUEST || opcode == YS_ATT_READ_BY_GROUP_TYPE_REQUEST;
}

static bool is_answer(const struct ys_att_pdu *att)
{
    return att->opcode == YS_ATT_ERROR_RESPONSE ||
           (att->opcode <= YS_ATT_READ_VARIABLE_RESPONSE && (att->opcode & 1) != 0 &&
            att->opcode != YS_ATT_NOTIFICATION && att->opcode != YS_ATT_INDICATION);
}

static bool names_handle(uint8_t opcode)
{
    return opcode == YS_ATT_READ_REQUEST || opcode == YS_ATT_READ_BLOB_REQUEST || opcode == YS_ATT_WRITE_REQUEST ||
           opcode == YS_ATT_WRITE_COMMAND || opcode == YS_ATT_PREPARE_WRITE_REQUEST || opcode == YS_ATT_NOTIFICATION ||
           opcode == YS_ATT_INDICATION;
}

/* requests */

static void audit_discovery(struct ys_audit *audit, const struct ys_att_pdu *att, const struct audit_place *place)
{
    struct ys_asked *before = &place->dialogue->discovery[place->side];
    uint8_t *same = &place->dialogue->same_discovery[place->side];
    bool again = before->opcode == att->opcode && before->handle == att->first && before->last == att->last &&
                 ys_uuid_is_equal(&before->type, &att->type);
    *same = again ? (uint8_t)(*same + 1) : 0;
    if (!again || *same == SAME_MOST)
        (void)audit_judge(audit, YS_RULE_DISCOVERY_ENDS, !again, "the same request is repeated, from 0x%04x on",
                          att->first);
    if (*same == SAME_MOST)
        *same = 0;
    *before = (struct ys_asked){.opcode = att->opcode, .handle = att->first, .last = att->last, .type = att->type};
}

static void audit_request(struct ys_audit *audit, const struct ys_said *said, const struct audit_place *place)
{
    const struct ys_att_pdu *att = &said->att;
    if (ys_att_response_to(att->opcode) == 0 || att->opcode == YS_ATT_INDICATION)
        return;
    (void)audit_judge(audit, YS_RULE_REQUEST_ONE, !said->replaced.waits,
                      "a request, while number %llu waits for its answer", (unsigned long long)said->replaced.record);
    if (is_range_request(att->opcode)) {
        (void)audit_judge(audit, YS_RULE_RANGE_ORDER, att->first <= att->last && att->first != 0,
                          "from 0x%04x to 0x%04x", att->first, att->last);
        audit_discovery(audit, att, place);
    }
    if (att->opcode == YS_ATT_MTU_REQUEST) {
        (void)audit_judge(audit, YS_RULE_MTU_ONCE, place->dialogue->mtu_requests[place->side] == 0,
                          "the MTU was exchanged before");
        place->dialogue->mtu_requests[place->side] = 1;
    }
    place->dialogue->overdue[place->side] = false;
}

/* answers */

static size_t entry_size(const struct ys_att_pdu *att)
{
    switch (att->opcode) {
    case YS_ATT_FIND_INFORMATION_RESPONSE:
        return att->format == YS_ATT_FORMAT_UUID_16 ? 4 : att->format == YS_ATT_FORMAT_UUID_128 ? 18 : 0;
    case YS_ATT_READ_BY_TYPE_RESPONSE:
    case YS_ATT_READ_BY_GROUP_TYPE_RESPONSE:
        return att->format;
    default: /* find by type value */
        return 4;
    }
}

static uint16_t get_handle(const uint8_t *bytes)
{
    return (uint16_t)(bytes[0] | bytes[1] << 8);
}

/* A discovery response: whole entries, within the range, in ascending order, and groups that do not end before they
 * begin. */
static void audit_found(struct ys_audit *audit, const struct ys_said *said)
{
    const struct ys_att_pdu *att = &said->att;
    const struct ys_asked *question = &said->question;
    size_t size = entry_size(att);
    bool groups =
        att->opcode == YS_ATT_READ_BY_GROUP_TYPE_RESPONSE || att->opcode == YS_ATT_FIND_BY_TYPE_VALUE_RESPONSE;
    uint16_t last = 0;
    if (!audit_judge(audit, YS_RULE_ENTRY_LENGTH,
                     size >= (groups ? 4u : 2u) && att->length >= size && att->length % size == 0,
                     "entries of %zu bytes in %zu", size, att->length))
        return;
    for (size_t at = 0; at < att->length; at += size) {
        uint16_t handle = get_handle(att->value + at);
        bool in_order = at == 0 || handle > last;
        (void)audit_judge(audit, YS_RULE_FOUND_IN_RANGE,
                          in_order && handle >= question->handle && handle <= question->last,
                          "0x%04x, of 0x%04x to 0x%04x%s", handle, question->handle, question->last,
                          in_order ? "" : ", out of order");
        if (groups)
            (void)audit_judge(audit, YS_RULE_GROUP_END, get_handle(att->value + at + 2) >= handle,
                              "from 0x%04x to 0x%04x", handle, get_handle(att->value + at + 2));
        last = handle;
    }
}

static bool is_error_code(uint8_t error)
{
    return (error >= YS_ATT_INVALID_HANDLE && error <= YS_ATT_VALUE_NOT_ALLOWED) ||
           (error >= YS_ATT_APPLICATION_FIRST && error <= YS_ATT_APPLICATION_LAST) || error >= 0xe0;
}

static void audit_error(struct ys_audit *audit, const struct ys_said *said, const struct audit_place *place)
{
    const struct ys_att_pdu *att = &said->att;
    (void)audit_judge(audit, YS_RULE_ERROR_CODE, is_error_code(att->error), "error 0x%02x", att->error);
    bool unsure = (!place->dialogue->begun || place->hole) && att->handle != said->question.handle;
    bool named = names_handle(said->question.opcode) || is_range_request(said->question.opcode); /* its first */
    if (named && said->question.opcode == att->request && unsure)
        audit_cannot_tell(audit, YS_RULE_ERROR_HANDLE);
    else if (named && said->question.opcode == att->request)
        (void)audit_judge(audit, YS_RULE_ERROR_HANDLE, att->handle == said->question.handle,
                          "0x%04x, in place of 0x%04x", att->handle, said->question.handle);
}

static void audit_answer(struct ys_audit *audit, const struct ys_said *said, const struct audit_place *place)
{
    const struct ys_att_pdu *att = &said->att;
    const struct ys_asked *question = &said->question;
    if (!is_answer(att))
        return;
    if (!question->waits && (!place->dialogue->begun || place->hole)) {
        audit_cannot_tell(audit, YS_RULE_ANSWER_ASKED);
        return;
    }
    if (!audit_judge(audit, YS_RULE_ANSWER_ASKED, question->waits, "no request was sent"))
        return;
    uint64_t after_ns = audit->now_ns - question->at_ns;
    (void)audit_judge(audit, YS_RULE_REQUEST_ANSWERED, after_ns <= ANSWER_NS, "%.1f s after its request",
                      (double)after_ns / 1e9);
    bool error = att->opcode == YS_ATT_ERROR_RESPONSE;
    bool fits = error ? att->request == question->opcode : att->opcode == ys_att_response_to(question->opcode);
    if (!fits && (!place->dialogue->begun || place->hole)) { /* it answers what was missed */
        audit_cannot_tell(audit, YS_RULE_ANSWER_FITS);
        return;
    }
    (void)audit_judge(audit, YS_RULE_ANSWER_FITS, fits, "%s answers %s",
                      error ? "an error that names another request" : ys_att_opcode_name(att->opcode),
                      ys_att_opcode_name(question->opcode));
    if (fits && att->opcode == YS_ATT_PREPARE_WRITE_RESPONSE)
        (void)audit_judge(audit, YS_RULE_PREPARE_ECHO,
                          att->handle == question->handle && att->offset == question->offset &&
                              ys_hash(att->value, att->length) == question->hash,
                          "handle 0x%04x, byte %u on, and 0x%04x, byte %u on, was asked, or another value", att->handle,
                          att->offset, question->handle, question->offset);
    if (error)
        audit_error(audit, said, place);
    else if (is_range_request(question->opcode) && att->opcode == ys_att_response_to(question->opcode))
        audit_found(audit, said);
}

/* subscriptions */

static struct subscription *subscription_of(struct audited_dialogue *dialogue, int side, uint16_t handle)
{
    for (size_t i = 0; i < dialogue->subscription_count[side]; i++) {
        if (dialogue->subscriptions[side][i].handle == handle)
            return &dialogue->subscriptions[side][i];
    }
    return NULL;
}

static void subscribe(struct audited_dialogue *dialogue, int side, const struct subscription *wished)
{
    struct subscription *there = subscription_of(dialogue, side, wished->handle);
    if (wished->handle == 0)
        return;
    if (there != NULL)
        *there = *wished;
    else if (dialogue->subscription_count[side] < SUBSCRIBED_MOST)
        dialogue->subscriptions[side][dialogue->subscription_count[side]++] = *wished;
}

/* Whose configuration a handle is: the handle of the value; 0: it is none, as far as is known. */
static uint16_t configured_by(const struct ys_party *server, uint16_t handle)
{
    const struct ys_told *told = server != NULL ? ys_party_told(server, handle) : NULL;
    if (told == NULL || told->kind != YS_TOLD_DESCRIPTOR || ys_uuid_number(&told->uuid) != CONFIGURATION)
        return 0;
    const struct ys_told *owner = ys_party_characteristic(server, handle);
    return owner != NULL ? owner->handle : 0;
}

static void audit_configuration(struct ys_audit *audit, const struct ys_said *said, const struct audit_place *place)
{
    const struct ys_att_pdu *att = &said->att;
    if (att->opcode == YS_ATT_WRITE_RESPONSE) {
        subscribe(place->dialogue, !place->side, &place->dialogue->asked[!place->side]);
        place->dialogue->asked[!place->side].handle = 0;
        return;
    }
    if (att->opcode == YS_ATT_ERROR_RESPONSE && att->request == YS_ATT_WRITE_REQUEST)
        place->dialogue->asked[!place->side].handle = 0;
    if (att->opcode != YS_ATT_WRITE_REQUEST && att->opcode != YS_ATT_WRITE_COMMAND)
        return;
    uint16_t value_handle = configured_by(said->server, att->handle);
    place->dialogue->asked[place->side].handle = 0;
    if (value_handle == 0)
        return;
    (void)audit_judge(audit, YS_RULE_CONFIGURATION_FORM, att->length == 2 && att->value[0] <= 3 && att->value[1] == 0,
                      "%zu bytes, the first 0x%02x", att->length, att->length > 0 ? att->value[0] : 0);
    const struct subscription wished = {.handle = value_handle, .wishes = att->length > 0 ? att->value[0] & 3 : 0};
    if (att->opcode == YS_ATT_WRITE_REQUEST)
        place->dialogue->asked[place->side] = wished;
    else
        subscribe(place->dialogue, place->side, &wished);
}

static void audit_wanted(struct ys_audit *audit, const struct ys_said *said, const struct audit_place *place)
{
    bool notifies = said->att.opcode == YS_ATT_NOTIFICATION;
    enum ys_rule_id rule = notifies ? YS_RULE_NOTIFICATION_WANTED : YS_RULE_INDICATION_WANTED;
    const struct subscription *there = subscription_of(place->dialogue, !place->side, said->att.handle);
    /* a client that is remembered has its wishes still, once its link is encrypted; and who knows the table from before
     * may write to what cannot be told apart here */
    bool knows = place->dialogue->begun && place->knows_encryption && !place->encrypted && !place->hole &&
                 said->server != NULL && ys_party_told(said->server, said->att.handle) != NULL;
    if (there == NULL && !knows)
        audit_cannot_tell(audit, rule);
    else
        (void)audit_judge(audit, rule, there != NULL && (there->wishes & (notifies ? 1 : 2)) != 0,
                          "0x%04x, which the client %s", said->att.handle,
                          there == NULL ? "never asked for" : "does not ask for");
}

/* values */

/* Which property an access needs; 0: none. */
static uint8_t property_of(const struct ys_said *said)
{
    switch (said->att.opcode) {
    case YS_ATT_READ_RESPONSE:
    case YS_ATT_READ_BLOB_RESPONSE:
        return YS_PROPERTY_READ;
    case YS_ATT_WRITE_RESPONSE:
        return YS_PROPERTY_WRITE;
    case YS_ATT_WRITE_COMMAND:
        return YS_PROPERTY_WRITE_WITHOUT_RESPONSE;
    case YS_ATT_NOTIFICATION:
        return YS_PROPERTY_NOTIFY;
    case YS_ATT_INDICATION:
        return YS_PROPERTY_INDICATE;
    default:
        return 0;
    }
}

static void audit_properties(struct ys_audit *audit, const struct ys_said *said)
{
    const struct ys_told *told = said->server != NULL ? ys_party_told(said->server, said->handle) : NULL;
    uint8_t needed = property_of(said);
    if (needed == 0)
        return;
    if (told == NULL) {
        audit_cannot_tell(audit, YS_RULE_PROPERTIES);
        return;
    }
    if (told->kind == YS_TOLD_CHARACTERISTIC)
        (void)audit_judge(audit, YS_RULE_PROPERTIES, (told->properties & needed) != 0,
                          "%s of 0x%04x, whose properties are 0x%02x", ys_att_opcode_name(said->att.opcode),
                          said->handle, told->properties);
}

static void audit_value(struct ys_audit *audit, const struct ys_said *said, const struct audit_place *place)
{
    const struct ys_glossary *glossary = &audit->glossary;
    uint8_t opcode = said->att.opcode;
    struct ys_meaning meaning = {.name = NULL};
    if (said->value == NULL)
        return;
    (void)audit_judge(audit, YS_RULE_VALUE_LENGTH, said->offset + said->value_length <= YS_ATT_VALUE_MAX,
                      "%zu bytes, from byte %u on", said->value_length, said->offset);
    /* what fills its PDU may be longer */
    bool cut = said->length >= place->followed->mtu || said->offset > 0 || opcode == YS_ATT_PREPARE_WRITE_REQUEST ||
               opcode == YS_ATT_PREPARE_WRITE_RESPONSE;
    if (glossary->attribute == NULL || glossary->fits == NULL || cut)
        return;
    glossary->attribute(glossary->context, said->server, said->handle, &meaning);
    bool writes = opcode == YS_ATT_WRITE_REQUEST; /* which may be refused */
    if (meaning.field != NULL && !writes)
        (void)audit_judge(audit, YS_RULE_VALUE_FORMAT,
                          glossary->fits(glossary->context, meaning.field, said->value, said->value_length),
                          "%s has %zu bytes, which its format does not have",
                          meaning.name != NULL ? meaning.name : "the value", said->value_length);
    bool by_client = writes || opcode == YS_ATT_WRITE_COMMAND || opcode == YS_ATT_SIGNED_WRITE_COMMAND;
    if (meaning.field != NULL && !by_client && glossary->is_sound != NULL) {
        char why[120];
        bool sound = glossary->is_sound(glossary->context, said->server, said->handle, said->value, said->value_length,
                                        why, sizeof why);
        (void)audit_judge(audit, YS_RULE_VALUE_RANGE, sound, "%s %s", meaning.name != NULL ? meaning.name : "the value",
                          why);
    }
}

static void audit_protection(struct ys_audit *audit, const struct ys_said *said, const struct audit_place *place)
{
    const struct ys_glossary *glossary = &audit->glossary;
    uint8_t property = said->att.opcode == YS_ATT_WRITE_COMMAND ? 0 : property_of(said); /* which may be dropped */
    if (said->handle == 0 || glossary->is_protected == NULL || property == 0 ||
        !glossary->is_protected(glossary->context, said->server, said->handle, property))
        return;
    if (!place->knows_encryption)
        audit_cannot_tell(audit, YS_RULE_PROTECTED_IN_CLEAR);
    else
        (void)audit_judge(audit, YS_RULE_PROTECTED_IN_CLEAR, place->encrypted, "0x%04x, %s in clear", said->handle,
                          property == YS_PROPERTY_WRITE ? "written" : "sent");
}

/* all */

static void audit_indication(struct ys_audit *audit, const struct ys_said *said, const struct audit_place *place)
{
    if (said->att.opcode == YS_ATT_INDICATION) {
        (void)audit_judge(audit, YS_RULE_INDICATION_ONE, !said->replaced.waits,
                          "an indication, while number %llu is not confirmed",
                          (unsigned long long)said->replaced.record);
        place->dialogue->unconfirmed[place->side] = false;
    }
    if (said->att.opcode != YS_ATT_CONFIRMATION)
        return;
    bool asked = said->question.waits;
    if (!asked && (!place->dialogue->begun || place->hole)) {
        audit_cannot_tell(audit, YS_RULE_CONFIRMATION_ASKED);
        return;
    }
    if (audit_judge(audit, YS_RULE_CONFIRMATION_ASKED, asked, "nothing was indicated"))
        (void)audit_judge(audit, YS_RULE_INDICATION_CONFIRMED, audit->now_ns - said->question.at_ns <= ANSWER_NS,
                          "%.1f s after the indication", (double)(audit->now_ns - said->question.at_ns) / 1e9);
}

static void audit_length(struct ys_audit *audit, const struct ys_said *said, const struct audit_place *place)
{
    if (!place->followed->mtu_is_sure)
        audit_cannot_tell(audit, YS_RULE_MTU_KEPT);
    else
        (void)audit_judge(audit, YS_RULE_MTU_KEPT, said->length <= place->followed->mtu, "%zu bytes, and the MTU is %u",
                          said->length, place->followed->mtu);
}

void audit_attributes(struct ys_audit *audit, const struct ys_said *said, const struct audit_place *place)
{
    const struct ys_att_pdu *att = &said->att;
    audit_length(audit, said, place);
    (void)audit_judge(audit, YS_RULE_ATT_KNOWN, said->verdict != YS_ATT_UNKNOWN, "opcode 0x%02x",
                      said->length > 0 ? said->frame[0] : 0);
    if (said->verdict == YS_ATT_UNKNOWN ||
        !audit_judge(audit, YS_RULE_ATT_FORM, said->verdict == YS_ATT_GOOD, "opcode 0x%02x with %zu bytes",
                     said->length > 0 ? said->frame[0] : 0, said->length))
        return;
    if (att->opcode == YS_ATT_MTU_REQUEST || att->opcode == YS_ATT_MTU_RESPONSE)
        (void)audit_judge(audit, YS_RULE_MTU_LEAST, att->mtu >= YS_ATT_MTU_DEFAULT, "an MTU of %u", att->mtu);
    if (names_handle(att->opcode))
        (void)audit_judge(audit, YS_RULE_HANDLE_ZERO, att->handle != 0, "%s of handle 0",
                          ys_att_opcode_name(att->opcode));
    audit_request(audit, said, place);
    audit_answer(audit, said, place);
    audit_indication(audit, said, place);
    if (att->opcode == YS_ATT_NOTIFICATION || att->opcode == YS_ATT_INDICATION)
        audit_wanted(audit, said, place);
    audit_configuration(audit, said, place);
    audit_properties(audit, said);
    audit_value(audit, said, place);
    audit_protection(audit, said, place);
}

/* What waits for too long. */
void audit_attributes_wait(struct ys_audit *audit, const struct audit_place *place)
{
    for (int side = 0; side < 2; side++) {
        const struct ys_speaker *speaker = &place->followed->speakers[side];
        bool *overdue = &place->dialogue->overdue[side];
        bool *unconfirmed = &place->dialogue->unconfirmed[side];
        const struct ys_asked *asked = &speaker->asked[speaker->asked_passed];
        if (speaker->asked_passed < speaker->asked_count && !*overdue && audit->now_ns > asked->at_ns + ANSWER_NS) {
            *overdue = true;
            (void)audit_judge(audit, YS_RULE_REQUEST_ANSWERED, false, "number %llu was not answered in 30 s",
                              (unsigned long long)asked->record);
        }
        if (speaker->indicated.waits && !*unconfirmed && audit->now_ns > speaker->indicated.at_ns + ANSWER_NS) {
            *unconfirmed = true;
            (void)audit_judge(audit, YS_RULE_INDICATION_CONFIRMED, false, "number %llu was not confirmed in 30 s",
                              (unsigned long long)speaker->indicated.record);
        }
    }
}
