/* What messages mean, on one line. */
#include "capture/say/words.h"

#include <string.h>

#include <yarnswift/codes.h>
#include <yarnswift/security.h>

#include "capture/say/fields.h"
#include "capture/say/layouts.h"

#define VALUE_TEXT 200

const char *ys_advertising_name(const struct ys_seen *seen)
{
    bool auxiliary = seen->record->air.channel < 37;
    if (seen->kind == YS_SEEN_ADVERTISING)
        return auxiliary && seen->legacy.type == YS_LINK_SCAN_REQ ? "AUX_SCAN_REQ"
               : auxiliary && seen->legacy.type == YS_LINK_CONNECT_IND
                   ? "AUX_CONNECT_REQ"
                   : ys_layout_of_advertising(seen->legacy.type)->name;
    if (seen->extended.type == YS_LINK_CONNECT_RSP)
        return "AUX_CONNECT_RSP";
    if (!auxiliary)
        return "ADV_EXT_IND";
    static const char *const kinds[] = {
        [YS_AUXILIARY_ADV] = "AUX_ADV_IND",
        [YS_AUXILIARY_CHAIN] = "AUX_CHAIN_IND",
        [YS_AUXILIARY_SYNC] = "AUX_SYNC_IND",
        [YS_AUXILIARY_SCAN_RSP] = "AUX_SCAN_RSP",
    };
    if (seen->auxiliary != YS_AUXILIARY_NOT)
        return kinds[seen->auxiliary];
    /* what pointed to it was missed: only the first says whose it is */
    return seen->extended.has_sender || seen->extended.mode != YS_LINK_MODE_NEITHER ? "AUX_ADV_IND" : "AUX_CHAIN_IND";
}

/* A list of fields, each after its name. */
static void add_field(void *context, const char *name, const uint8_t *bytes, size_t length, const char *words)
{
    struct ys_text *text = context;
    (void)bytes;
    (void)length;
    ys_text_add(text, "%s%s %s", text->length > 0 && text->to[text->length - 1] != ' ' ? ", " : "", name, words);
}

static const struct ys_glossary no_glossary;

static void add_fields(const struct ys_packet_layout *layout, struct ys_reader reader,
                       const struct ys_glossary *glossary, struct ys_text *text)
{
    if (layout == NULL || ys_reader_left(&reader) == 0)
        return;
    ys_text_add(text, ": ");
    ys_fields_tell(layout->fields, &reader, glossary, add_field, text);
}

/* advertising */

static void add_structures(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary,
                           struct ys_text *text)
{
    struct ys_reader reader = ys_reader_of(bytes, length);
    if (length > 0)
        ys_fields_tell("data:ad*", &reader, glossary, add_field, text);
}

static void say_legacy(const struct ys_seen *seen, const struct ys_glossary *glossary, struct ys_text *text)
{
    const struct ys_link_advertising *pdu = &seen->legacy;
    ys_text_add(text, "%s", ys_advertising_name(seen));
    if (pdu->type == YS_LINK_CONNECT_IND) {
        const struct ys_link_connect *connect = &pdu->connect;
        ys_text_add(text, ": begins link %08x, every %g ms, latency %u, timeout %u ms, %u channels",
                    connect->access_address, connect->interval * 1.25, connect->latency, connect->timeout * 10,
                    ys_link_channel_count(connect->channel_map));
    } else if (pdu->length > 0) {
        ys_text_add(text, ": ");
        add_structures(pdu->data, pdu->length, glossary, text);
    }
}

static void say_extended(const struct ys_seen *seen, const struct ys_glossary *glossary, struct ys_text *text)
{
    static const char *const modes[] = {"neither connectable nor scannable", "connectable", "scannable",
                                        "of a reserved kind"};
    const struct ys_link_extended *pdu = &seen->extended;
    ys_text_add(text, "%s: %s", ys_advertising_name(seen), modes[pdu->mode & 3]);
    if (pdu->has_data_id)
        ys_text_add(text, ", set %u", pdu->data_id.set);
    if (pdu->has_aux)
        ys_text_add(text, ", goes on %u us later on channel %u, %s", pdu->aux.offset_us, pdu->aux.channel,
                    pdu->aux.phy <= YS_PHY_CODED_S8 ? ys_phy_name((enum ys_phy)pdu->aux.phy) : "an unknown PHY");
    if (pdu->has_power)
        ys_text_add(text, ", sent with %d dBm", pdu->power_dbm);
    if (pdu->length > 0 && (pdu->has_aux || seen->auxiliary == YS_AUXILIARY_CHAIN)) {
        ys_text_add(text, ", a piece of its data, %u bytes", pdu->length);
    } else if (pdu->length > 0) {
        ys_text_add(text, ", ");
        add_structures(pdu->data, pdu->length, glossary, text);
    }
}

void ys_say_advertising(const struct ys_seen *seen, const struct ys_glossary *glossary, struct ys_text *text)
{
    if (!seen->good)
        ys_text_add(text, "a malformed PDU: type %u, %u bytes", seen->record->air.pdu[0] & 0x0f,
                    seen->record->air.length);
    else if (seen->kind == YS_SEEN_ADVERTISING)
        say_legacy(seen, glossary, text);
    else
        say_extended(seen, glossary, text);
}

/* packets of links */

void ys_say_control(const struct ys_link_control_pdu *control, struct ys_text *text)
{
    uint8_t bytes[YS_LINK_CONTROL_MAX];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    ys_text_add(text, "%s", ys_control_name(control->opcode));
    if (!ys_link_control_is_known(control->opcode))
        return;
    ys_put_link_control(&writer, control);
    add_fields(ys_layout_of_control(control->opcode), ys_reader_of(bytes + 1, ys_writer_stored(&writer) - 1),
               &no_glossary, text);
}

static void say_data(const struct ys_link_seen *packet, struct ys_text *text)
{
    const struct ys_said *said = &packet->said;
    bool begins = packet->data.kind == YS_LINK_FIRST;
    if (packet->data.length == 0)
        ys_text_add(text, "empty");
    else if (packet->readable == YS_READ_NOT)
        ys_text_add(text, "%u encrypted bytes, and no key for them", packet->data.length);
    else if (said->stray)
        ys_text_add(text, "%u bytes of a frame with a missing start", packet->length);
    else if (said->upper == YS_UPPER_NONE)
        ys_text_add(text, "%s of a frame, %u bytes", begins ? "the beginning" : "a further piece", packet->length);
    else
        ys_text_add(text, "%s, %u bytes: channel 0x%04x", begins ? "a frame" : "the last piece of a frame",
                    packet->length, said->channel);
}

void ys_say_packet(const struct ys_seen *seen, struct ys_text *text)
{
    const struct ys_air_packet *air = &seen->record->air;
    const struct ys_link_seen *packet = &seen->packet;
    if (seen->kind == YS_SEEN_NOTHING) {
        ys_text_add(text, "%s, %u bytes",
                    seen->crc_wrong                           ? "a wrong CRC"
                    : (seen->record->known & YS_AIR_CUT) != 0 ? "only a part of a packet"
                                                              : "too short for a packet",
                    air->length);
        return;
    }
    if (!seen->good) {
        ys_text_add(text, "a malformed PDU of %u bytes", air->length);
        return;
    }
    if (packet->repeated && packet->data.length > 0)
        ys_text_add(text, "again the same %u bytes", packet->data.length);
    else if (packet->repeated)
        ys_text_add(text, "empty, again");
    else if (packet->is_control && packet->control_good)
        ys_say_control(&packet->control, text);
    else if (packet->is_control)
        ys_text_add(text, "control PDU 0x%02x of %u bytes, which it cannot have", packet->payload[0], packet->length);
    else
        say_data(packet, text);
    if (packet->counted)
        ys_text_add(text, "  [event %u, SN %d, NESN %d%s%s]", packet->counter, packet->data.sequence,
                    packet->data.next_expected, packet->data.more ? ", more" : "",
                    packet->readable == YS_READ_DECRYPTED ? ", decrypted" : "");
    else
        ys_text_add(text, "  [SN %d, NESN %d%s]", packet->data.sequence, packet->data.next_expected,
                    packet->data.more ? ", more" : "");
}

/* at HCI */

void ys_say_crossed(const struct ys_seen *seen, const struct ys_glossary *glossary, struct ys_text *text)
{
    const struct ys_hci_seen *crossed = &seen->crossed;
    if (!seen->good) {
        ys_text_add(text, "a malformed packet of %zu bytes", seen->record->length);
    } else if (crossed->type == YS_HCI_COMMAND) {
        ys_text_add(text, "%s", ys_hci_command_name(crossed->opcode));
        add_fields(ys_layout_of_command(crossed->opcode), crossed->parameters, glossary, text);
    } else if (crossed->type == YS_HCI_DATA) {
        ys_text_add(text, "data of connection 0x%03x, %zu bytes%s", crossed->link->handle, crossed->length,
                    crossed->boundary == YS_HCI_CONTINUING ? ", continued" : "");
    } else if (crossed->event == YS_HCI_COMMAND_COMPLETE || crossed->event == YS_HCI_COMMAND_STATUS) {
        ys_text_add(text, "%s %s: %s", ys_hci_command_name(crossed->opcode),
                    crossed->event == YS_HCI_COMMAND_COMPLETE ? "done" : "begun",
                    crossed->status == YS_HCI_OK ? "success" : ys_hci_error_text(crossed->status));
        const struct ys_packet_layout *layout = ys_layout_of_return(crossed->opcode);
        if (crossed->event == YS_HCI_COMMAND_COMPLETE && crossed->status == YS_HCI_OK && layout != NULL)
            add_fields(layout, crossed->parameters, glossary, text);
    } else {
        bool le = crossed->event == YS_HCI_LE_META;
        ys_text_add(text, "%s", ys_hci_event_name(crossed->event, crossed->subevent));
        add_fields(le ? ys_layout_of_le_event(crossed->subevent) : ys_layout_of_event(crossed->event),
                   crossed->parameters, glossary, text);
    }
}

/* above the link layer */

static void add_attribute(uint16_t handle, const struct ys_meaning *meaning, struct ys_text *text)
{
    if (meaning->name != NULL)
        ys_text_add(text, "%s", meaning->name);
    else
        ys_text_add(text, "0x%04x", handle);
    if (meaning->descriptor != NULL)
        ys_text_add(text, "'s %s", meaning->descriptor);
}

static void add_value(const struct ys_said *said, const struct ys_meaning *meaning, const struct ys_glossary *glossary,
                      struct ys_text *text)
{
    char words[VALUE_TEXT];
    if (said->offset > 0)
        ys_text_add(text, " from byte %u on", said->offset);
    if (glossary->value == NULL) {
        ys_text_add(text, ": ");
        ys_text_hex(text, said->value, said->value_length, 40);
        return;
    }
    glossary->value(glossary->context, meaning->field, said->value, said->value_length, words, sizeof words);
    ys_text_add(text, ": %s", words);
    if (meaning->field == NULL || said->value_length == 0)
        return;
    ys_text_add(text, "  [");
    ys_text_hex(text, said->value, said->value_length, 8);
    ys_text_add(text, "]");
}

static void add_type(const struct ys_uuid *type, const struct ys_glossary *glossary, struct ys_text *text)
{
    char written[YS_UUID_TEXT_SIZE];
    const char *name = glossary->uuid != NULL ? glossary->uuid(glossary->context, type) : NULL;
    ys_text_add(text, "%s", name != NULL ? name : ys_uuid_format(type, written));
}

/* The entries of a discovery response, by their UUIDs. */
static void add_found(const struct ys_said *said, const struct ys_glossary *glossary, struct ys_text *text)
{
    const struct ys_att_pdu *att = &said->att;
    uint32_t type = ys_uuid_number(&said->question.type);
    bool information = att->opcode == YS_ATT_FIND_INFORMATION_RESPONSE;
    size_t size = information ? (att->format == YS_ATT_FORMAT_UUID_16 ? 4u : 18u) : att->format;
    size_t before = information ? 2 : att->opcode == YS_ATT_READ_BY_GROUP_TYPE_RESPONSE ? 4 : 5;
    bool declared = information || att->opcode == YS_ATT_READ_BY_GROUP_TYPE_RESPONSE || type == 0x2803;
    const char *between = ": ";
    for (size_t at = 0; declared && size > before && at + size <= att->length; at += size) {
        const struct ys_uuid uuid = ys_uuid_from_air(att->value + at + before, size - before);
        ys_text_add(text, "%s0x%04x ", between, att->value[at] | att->value[at + 1] << 8);
        if (uuid.length > 0)
            add_type(&uuid, glossary, text);
        between = ", ";
    }
}

static void add_configuration(const struct ys_said *said, struct ys_text *text)
{
    static const char *const wishes[] = {"neither", "notifications", "indications", "both"};
    if (said->value_length == 2 && said->value[0] < 4 && said->value[1] == 0)
        ys_text_add(text, ": %s", wishes[said->value[0]]);
    else
        ys_text_add(text, ": malformed");
}

static void say_att(const struct ys_said *said, const struct ys_meaning *meaning, const struct ys_glossary *glossary,
                    struct ys_text *text)
{
    const struct ys_att_pdu *att = &said->att;
    if (said->verdict != YS_ATT_GOOD) {
        ys_text_add(text, "%s PDU of the attribute protocol: opcode 0x%02x, %zu bytes",
                    said->verdict == YS_ATT_UNKNOWN ? "an unknown" : "a malformed", att->opcode, said->length);
        return;
    }
    ys_text_add(text, "%s", ys_att_opcode_name(att->opcode));
    if (att->opcode == YS_ATT_ERROR_RESPONSE) {
        ys_text_add(text, " to %s, ", ys_att_opcode_name(att->request));
        add_attribute(att->handle, meaning, text);
        ys_text_add(text, ": %s (0x%02x)", ys_att_error_text(att->error), att->error);
    } else if (att->opcode == YS_ATT_MTU_REQUEST || att->opcode == YS_ATT_MTU_RESPONSE) {
        ys_text_add(text, ": %u", att->mtu);
    } else if (att->opcode == YS_ATT_EXECUTE_WRITE_REQUEST) {
        ys_text_add(text, ": %s", att->format == 1 ? "write what was prepared" : "forget what was prepared");
    } else if (said->handle != 0) {
        ys_text_add(text, ", ");
        add_attribute(said->handle, meaning, text);
        bool configures = meaning->descriptor != NULL && strcmp(meaning->descriptor, YS_MEANING_SUBSCRIPTION) == 0;
        if (said->value != NULL && configures)
            add_configuration(said, text);
        else if (said->value != NULL)
            add_value(said, meaning, glossary, text);
    } else if (att->first != 0) {
        ys_text_add(text, ": ");
        if (att->type.length > 0) {
            add_type(&att->type, glossary, text);
            ys_text_add(text, ", ");
        }
        ys_text_add(text, "from 0x%04x to 0x%04x", att->first, att->last);
    } else {
        add_found(said, glossary, text);
    }
}

static void say_security(const struct ys_said *said, struct ys_text *text)
{
    if (said->verdict != YS_SMP_GOOD) {
        ys_text_add(text, "%s security PDU: code 0x%02x, %zu bytes",
                    said->verdict == YS_SMP_UNKNOWN ? "an unknown" : "a malformed",
                    said->length > 0 ? said->frame[0] : 0, said->length);
        return;
    }
    ys_text_add(text, "%s", ys_smp_code_name(said->smp.code));
    if (said->smp.code == YS_SMP_PAIRING_FAILED) {
        ys_text_add(text, ": %s (0x%02x)", ys_smp_reason_text(said->smp.reason), said->smp.reason);
        return;
    }
    add_fields(ys_layout_of_smp(said->smp.code), ys_reader_of(said->frame + 1, said->length - 1), &no_glossary, text);
}

static void say_signal(const struct ys_said *said, struct ys_text *text)
{
    if (said->verdict != YS_ATT_GOOD) {
        ys_text_add(text, "a malformed signalling frame of %zu bytes", said->length);
        return;
    }
    ys_text_add(text, "%s", ys_signal_name(said->signal.code));
    add_fields(ys_layout_of_signal(said->signal.code),
               ys_reader_of(said->frame + YS_L2CAP_HEADER_SIZE, said->length - YS_L2CAP_HEADER_SIZE), &no_glossary,
               text);
}

void ys_say_said(const struct ys_said *said, const struct ys_meaning *meaning, const struct ys_glossary *glossary,
                 struct ys_text *text)
{
    if (said->upper == YS_UPPER_ATT)
        say_att(said, meaning, glossary, text);
    else if (said->upper == YS_UPPER_SECURITY)
        say_security(said, text);
    else if (said->upper == YS_UPPER_SIGNALLING)
        say_signal(said, text);
    else
        ys_text_add(text, "channel 0x%04x, %zu bytes", said->channel, said->length);
}
