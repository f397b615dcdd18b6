/* Messages of records. */
#include "capture/say/message.h"

#include <string.h>

#include "capture/say/layouts.h"
#include "capture/say/words.h"

const char *const ys_trace_layer_names[YS_TRACE_LAYERS + 1] = {"air", "hci", "l2cap", "attributes", "values", NULL};

static void name_sides(const struct ys_seen *seen, struct ys_message *message)
{
    message->from = seen->from != NULL ? seen->from->name : "";
    message->to = seen->to != NULL ? seen->to->name : "";
    if (seen->kind == YS_SEEN_LINK) { /* of a link that was joined it is known at least who is who */
        static const char *const sides[] = {"central", "peripheral"};
        if (seen->from == NULL)
            message->from = sides[seen->packet.side];
        if (seen->to == NULL)
            message->to = sides[!seen->packet.side];
    }
    if (seen->kind == YS_SEEN_HCI) { /* and of an interface, whose it is */
        bool to_host = seen->record->to_host;
        const struct ys_hci_interface_link *link = seen->crossed.link;
        const char *peer = link == NULL ? "" : link->role == 0 ? "peripheral" : link->role == 0xff ? "peer" : "central";
        if (seen->from == NULL)
            message->from = to_host ? peer : seen->interface->name;
        if (seen->to == NULL)
            message->to = to_host ? seen->interface->name : peer;
    }
}

static bool make_air(const struct ys_seen *seen, struct ys_message *message)
{
    if (seen->record->kind != YS_RECORD_AIR)
        return false;
    bool advertising = seen->record->air.access_address == YS_LINK_ADVERTISING_ACCESS_ADDRESS;
    message->protocol = advertising ? "ADV" : "LL";
    message->kind = "damaged";
    message->is_error = seen->kind == YS_SEEN_NOTHING || !seen->good;
    if (message->is_error)
        return true;
    if (seen->kind == YS_SEEN_ADVERTISING || seen->kind == YS_SEEN_EXTENDED)
        message->kind = ys_advertising_name(seen);
    else if (seen->packet.is_control)
        message->kind = ys_control_name(seen->packet.payload[0]);
    else if (seen->packet.data.length == 0)
        message->kind = "empty";
    else if (seen->packet.readable == YS_READ_NOT)
        message->kind = "encrypted";
    else
        message->kind = "data";
    return true;
}

static bool make_border(const struct ys_seen *seen, struct ys_message *message)
{
    if (seen->record->kind != YS_RECORD_HCI || seen->kind != YS_SEEN_HCI)
        return false;
    const struct ys_hci_seen *crossed = &seen->crossed;
    message->protocol = "HCI";
    message->from = seen->record->to_host ? "controller" : seen->interface->name;
    message->to = seen->record->to_host ? seen->interface->name : "controller";
    message->is_error = !seen->good || crossed->status != YS_HCI_OK;
    message->kind = !seen->good                       ? "damaged"
                    : crossed->type == YS_HCI_COMMAND ? ys_hci_command_name(crossed->opcode)
                    : crossed->type == YS_HCI_EVENT   ? ys_hci_event_name(crossed->event, crossed->subevent)
                                                      : "data";
    return true;
}

static void find_meaning(const struct ys_said *said, const struct ys_glossary *glossary, struct ys_message *message)
{
    message->handle = said->handle;
    message->value = said->value;
    message->value_length = said->value_length;
    if (said->handle != 0 && glossary->attribute != NULL)
        glossary->attribute(glossary->context, said->server, said->handle, &message->meaning);
    if (said->offset != 0 || said->att.opcode == YS_ATT_PREPARE_WRITE_REQUEST ||
        said->att.opcode == YS_ATT_PREPARE_WRITE_RESPONSE)
        message->meaning.field = NULL; /* a part of a value means nothing */
}

/* Whether this is a value that a client received, not one that was only requested or echoed. */
static bool is_value(const struct ys_said *said)
{
    return said->upper == YS_UPPER_ATT && said->verdict == YS_ATT_GOOD && said->value != NULL &&
           said->att.opcode != YS_ATT_PREPARE_WRITE_RESPONSE;
}

static bool make_upper(const struct ys_seen *seen, const struct ys_glossary *glossary, struct ys_message *message)
{
    static const char *const protocols[] = {"", "ATT", "SMP", "SIG", "L2CAP"};
    const struct ys_said *said = seen->said;
    if (said == NULL || said->upper == YS_UPPER_NONE)
        return false;
    bool good = said->verdict == YS_ATT_GOOD;
    if (message->layer == YS_TRACE_ATTRIBUTES && said->upper == YS_UPPER_OTHER)
        return false;
    if (message->layer == YS_TRACE_VALUES && !is_value(said))
        return false;
    message->protocol = message->layer == YS_TRACE_L2CAP ? "L2CAP" : protocols[said->upper];
    message->is_error = !good || (said->upper == YS_UPPER_ATT && said->att.opcode == YS_ATT_ERROR_RESPONSE) ||
                        (said->upper == YS_UPPER_SECURITY && said->smp.code == YS_SMP_PAIRING_FAILED);
    if (said->upper == YS_UPPER_ATT)
        message->kind = said->length > 0 ? ys_att_opcode_name(said->att.opcode) : "damaged";
    else if (said->upper == YS_UPPER_SECURITY)
        message->kind = ys_smp_code_name(said->smp.code);
    else if (said->upper == YS_UPPER_SIGNALLING)
        message->kind = good ? ys_signal_name(said->signal.code) : "damaged";
    else
        message->kind = "frame";
    if (said->upper == YS_UPPER_ATT && good)
        find_meaning(said, glossary, message);
    bool configures =
        message->meaning.descriptor != NULL && strcmp(message->meaning.descriptor, YS_MEANING_SUBSCRIPTION) == 0;
    return message->layer != YS_TRACE_VALUES || !configures;
}

/* A connection begins or ends, or its encryption. */
static bool is_landmark(const struct ys_seen *seen)
{
    if (seen->kind == YS_SEEN_ADVERTISING)
        return seen->good && seen->legacy.type == YS_LINK_CONNECT_IND;
    return seen->kind == YS_SEEN_LINK && seen->packet.is_control && seen->packet.control_good &&
           !seen->packet.repeated &&
           (seen->packet.control.opcode == YS_LINK_TERMINATE_IND ||
            seen->packet.control.opcode == YS_LINK_START_ENC_REQ);
}

bool ys_message_of(const struct ys_seen *seen, enum ys_trace_layer layer, const struct ys_glossary *glossary,
                   struct ys_message *message)
{
    *message = (struct ys_message){.seen = seen, .layer = layer};
    name_sides(seen, message);
    if (layer == YS_TRACE_AIR)
        return make_air(seen, message);
    if (layer == YS_TRACE_HCI)
        return make_border(seen, message);
    message->landmark = is_landmark(seen);
    return message->landmark ? make_air(seen, message) : make_upper(seen, glossary, message);
}

void ys_message_say(const struct ys_message *message, const struct ys_glossary *glossary, struct ys_text *text)
{
    const struct ys_seen *seen = message->seen;
    if (message->layer == YS_TRACE_HCI) {
        ys_say_crossed(seen, glossary, text);
    } else if (message->layer == YS_TRACE_AIR || message->landmark) {
        if (seen->kind == YS_SEEN_ADVERTISING || seen->kind == YS_SEEN_EXTENDED)
            ys_say_advertising(seen, glossary, text);
        else
            ys_say_packet(seen, text);
    } else if (message->layer == YS_TRACE_L2CAP) {
        ys_text_add(text, "channel 0x%04x, %zu bytes: %s", seen->said->channel, seen->said->length, message->kind);
    } else {
        ys_say_said(seen->said, &message->meaning, glossary, text);
    }
}
