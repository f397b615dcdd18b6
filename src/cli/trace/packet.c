/* A record whole: every field of every layer, with its bytes. */
#include "cli/trace/packet.h"

#include <stdarg.h>

#include <yarnswift/codes.h>

#include "capture/say/fields.h"
#include "capture/say/layouts.h"
#include "capture/say/words.h"
#include "cli/trace/view.h"

#define BYTES_SHOWN 8

/* Where the bytes are counted from. */
struct shown {
    const uint8_t *begin;
};

static void print_layer(const char *title)
{
    (void)printf("\n%s\n", title);
}

static void print_field(void *context, const char *name, const uint8_t *bytes, size_t length, const char *words)
{
    const struct shown *shown = context;
    size_t at = 0;
    do { /* a row of bytes each, the first with what they are */
        char hex[120];
        struct ys_text text = ys_text_in(hex, sizeof hex);
        size_t row = length - at < BYTES_SHOWN ? length - at : BYTES_SHOWN;
        ys_text_hex(&text, bytes != NULL ? bytes + at : NULL, bytes != NULL ? row : 0, BYTES_SHOWN);
        if (bytes != NULL && shown->begin != NULL)
            (void)printf("  %5td  ", bytes + at - shown->begin);
        else
            (void)printf("         ");
        if (at == 0)
            (void)printf("%-24s %-22s %s\n", hex, name, words);
        else
            (void)printf("%s\n", hex);
        at += row;
    } while (at < length);
}

/* A field: its name before the first tab of the text, its meaning after it. */
#if defined(__GNUC__)
__attribute__((format(printf, 4, 5)))
#endif
static void
field(const uint8_t *begin, const uint8_t *bytes, size_t length, const char *format, ...)
{
    char text[1300];
    struct shown shown = {.begin = begin};
    va_list arguments;
    va_start(arguments, format);
    (void)vsnprintf(text, sizeof text, format, arguments);
    va_end(arguments);
    char *words = text;
    while (*words != '\0' && *words != '\t')
        words++;
    if (*words == '\t')
        *words++ = '\0';
    print_field(&shown, text, bytes, length, words);
}

static void fields(const struct trace *trace, const char *layout, const uint8_t *begin, const uint8_t *bytes,
                   size_t length)
{
    struct ys_reader reader = ys_reader_of(bytes, length);
    struct shown shown = {.begin = begin};
    ys_fields_tell(layout, &reader, &trace->source.glossary, print_field, &shown);
}

/* the radio */

static double megahertz_of(uint8_t channel)
{
    return channel == 37   ? 2402
           : channel == 38 ? 2426
           : channel == 39 ? 2480
           : channel < 11  ? 2404 + 2 * channel
                           : 2428 + 2 * (channel - 11);
}

static void print_radio(const struct ys_seen *seen)
{
    const struct ys_record *record = seen->record;
    const struct ys_air_packet *air = &record->air;
    print_layer("on the air");
    if ((record->known & YS_AIR_CHANNEL) != 0)
        field(NULL, NULL, 0, "channel\t%u, %g MHz", air->channel, megahertz_of(air->channel));
    field(NULL, NULL, 0, "PHY\t%s%s", ys_phy_name(air->phy), (record->known & YS_AIR_PHY) == 0 ? ", not told" : "");
    if ((record->known & YS_AIR_STRENGTH) != 0)
        field(NULL, NULL, 0, "strength\t%d dBm", air->strength_dbm);
    field(NULL, NULL, 0, "lasts\t%g us", (double)air->duration_ns / 1000);
    field(NULL, NULL, 0, "access address\t%08x%s", air->access_address,
          air->access_address == YS_LINK_ADVERTISING_ACCESS_ADDRESS ? ", of advertising" : "");
    field(NULL, NULL, 0, "CRC\t%06x, %s", air->crc,
          seen->crc_wrong                           ? "wrong"
          : (record->known & YS_AIR_CRC) != 0       ? "good"
          : seen->link != NULL && seen->link->begun ? "good"
                                                    : "not checked: the connection's beginning is not in the capture");
}

/* advertising */

static void print_advertising_header(const struct ys_air_packet *air, const char *name)
{
    uint8_t header = air->pdu[0];
    print_layer("advertising PDU");
    field(air->pdu, air->pdu, 1, "type\t%s (%u)", name, header & 0x0f);
    field(air->pdu, air->pdu, 1, "ChSel, TxAdd, RxAdd\t%u, %s, %s", header >> 5 & 1,
          (header >> 6 & 1) != 0 ? "random" : "public", header >> 7 != 0 ? "random" : "public");
    field(air->pdu, air->pdu + 1, 1, "length\t%u", air->pdu[1]);
}

static void print_extended(const struct trace *trace, const struct ys_seen *seen)
{
    const struct ys_link_extended *pdu = &seen->extended;
    char words[YS_ADDRESS_TEXT_SIZE];
    const uint8_t *bytes = seen->record->air.pdu;
    size_t header = bytes[2] & 0x3fu;
    field(bytes, bytes + 2, 1 + (header + 3u <= seen->record->air.length ? header : 0), "extended header\t%zu bytes",
          header);
    field(NULL, NULL, 0, "mode\t%s",
          pdu->mode == 1   ? "connectable"
          : pdu->mode == 2 ? "scannable"
                           : "neither connectable nor scannable");
    if (pdu->has_sender)
        field(NULL, NULL, 0, "advertiser\t%s", ys_address_format(&pdu->sender, words));
    if (pdu->has_target)
        field(NULL, NULL, 0, "target\t%s", ys_address_format(&pdu->target, words));
    if (pdu->has_data_id)
        field(NULL, NULL, 0, "set, data\t%u, version %u", pdu->data_id.set, pdu->data_id.version);
    if (pdu->has_aux)
        field(NULL, NULL, 0, "goes on\t%u us later, channel %u, %s", pdu->aux.offset_us, pdu->aux.channel,
              pdu->aux.phy <= YS_PHY_CODED_S8 ? ys_phy_name((enum ys_phy)pdu->aux.phy) : "unknown PHY");
    if (pdu->has_power)
        field(NULL, NULL, 0, "power\t%d dBm", pdu->power_dbm);
    if (pdu->length > 0)
        fields(trace, "data:ad*", seen->record->air.pdu, pdu->data, pdu->length);
}

/* above the link layer */

static void print_value(const struct trace *trace, const struct ys_said *said)
{
    const struct ys_glossary *glossary = &trace->source.glossary;
    struct ys_meaning meaning = {.name = NULL};
    char words[1200];
    if (said->handle == 0)
        return;
    print_layer("value");
    glossary->attribute(glossary->context, said->server, said->handle, &meaning);
    field(NULL, NULL, 0, "handle\t0x%04x", said->handle);
    if (meaning.service != NULL)
        field(NULL, NULL, 0, "service\t%s", meaning.service);
    if (meaning.name != NULL)
        field(NULL, NULL, 0, "characteristic\t%s", meaning.name);
    if (meaning.descriptor != NULL)
        field(NULL, NULL, 0, "descriptor\t%s", meaning.descriptor);
    if (said->question.waits)
        field(NULL, NULL, 0, "answers\tnumber %llu, %s", (unsigned long long)said->question.record,
              ys_att_opcode_name(said->question.opcode));
    if (said->value == NULL)
        return;
    glossary->value(glossary->context, said->offset == 0 ? meaning.field : NULL, said->value, said->value_length, words,
                    sizeof words);
    field(said->frame, said->value, said->value_length, "value\t%s", words);
}

static void print_said(const struct trace *trace, const struct ys_said *said)
{
    const struct ys_packet_layout *layout = NULL;
    const uint8_t *begin = said->frame - YS_L2CAP_HEADER_SIZE;
    print_layer("L2CAP frame");
    field(begin, begin, 2, "length\t%zu", said->length);
    field(begin, begin + 2, 2, "channel\t0x%04x, %s", said->channel,
          said->upper == YS_UPPER_ATT          ? "attribute protocol"
          : said->upper == YS_UPPER_SECURITY   ? "security manager"
          : said->upper == YS_UPPER_SIGNALLING ? "signalling"
                                               : "a channel with credits, or unknown");
    if (said->length == 0)
        return;
    if (said->upper == YS_UPPER_ATT && said->verdict == YS_ATT_GOOD) {
        print_layer("attribute protocol");
        field(said->frame, said->frame, 1, "opcode\t%s", ys_att_opcode_name(said->frame[0]));
        layout = ys_layout_of_att(said->frame[0]);
    } else if (said->upper == YS_UPPER_SECURITY && said->verdict == YS_SMP_GOOD) {
        print_layer("security manager");
        field(said->frame, said->frame, 1, "code\t%s", ys_smp_code_name(said->frame[0]));
        layout = ys_layout_of_smp(said->frame[0]);
    } else if (said->upper == YS_UPPER_SIGNALLING && said->verdict == YS_ATT_GOOD) {
        print_layer("signalling");
        field(said->frame, said->frame, 1, "code\t%s", ys_signal_name(said->frame[0]));
        field(said->frame, said->frame + 1, 1, "identifier\t%u", said->signal.identifier);
        field(said->frame, said->frame + 2, 2, "length\t%u", said->signal.length);
        layout = ys_layout_of_signal(said->frame[0]);
    }
    size_t header = said->upper == YS_UPPER_SIGNALLING ? YS_L2CAP_HEADER_SIZE : 1;
    if (layout != NULL)
        fields(trace, layout->fields, said->frame, said->frame + header, said->length - header);
    else
        fields(trace, "bytes:b*", said->frame, said->frame, said->length);
    if (said->upper == YS_UPPER_ATT && said->verdict == YS_ATT_GOOD)
        print_value(trace, said);
}

/* packets of links */

static void print_link(const struct trace *trace, const struct ys_seen *seen)
{
    static const char *const kinds[] = {"reserved", "continues a frame, or empty", "begins a frame", "control"};
    const struct ys_air_packet *air = &seen->record->air;
    const struct ys_link_seen *packet = &seen->packet;
    print_layer("data PDU");
    field(NULL, NULL, 0, "from\t%s%s", packet->side == 0 ? "the central" : "the peripheral",
          packet->side_is_sure ? "" : ", as it seems");
    if (packet->counted)
        field(NULL, NULL, 0, "connection event\t%u", packet->counter);
    field(air->pdu, air->pdu, 1, "LLID\t%u, %s", air->pdu[0] & 3, kinds[air->pdu[0] & 3]);
    field(air->pdu, air->pdu, 1, "NESN, SN, MD\t%d, %d, %d%s", packet->data.next_expected, packet->data.sequence,
          packet->data.more, packet->repeated && packet->data.length > 0 ? "; it was sent before" : "");
    field(air->pdu, air->pdu + 1, 1, "length\t%u", air->pdu[1]);
    if (!seen->good || packet->data.length == 0 || packet->repeated)
        return;
    if (packet->readable == YS_READ_DECRYPTED)
        field(NULL, NULL, 0, "encryption\tdecrypted; what follows is plain");
    if (packet->readable == YS_READ_NOT)
        field(air->pdu, air->pdu + 2, packet->data.length, "encrypted\t%s",
              packet->mic_failed ? "its MIC does not fit the key" : "no key for it is known");
    if (packet->is_control) {
        const struct ys_packet_layout *layout = ys_layout_of_control(packet->payload[0]);
        print_layer("control PDU");
        field(packet->payload, packet->payload, 1, "opcode\t%s", ys_control_name(packet->payload[0]));
        fields(trace, layout != NULL ? layout->fields : "bytes:b*", packet->payload, packet->payload + 1,
               (size_t)packet->length - 1);
    } else if (packet->said.upper != YS_UPPER_NONE) {
        print_said(trace, &packet->said);
    } else if (packet->readable != YS_READ_NOT) {
        fields(trace, packet->said.stray ? "stray piece:b*" : "piece of a frame:b*", packet->payload, packet->payload,
               packet->length);
    }
}

/* at HCI */

static void print_crossed(const struct trace *trace, const struct ys_seen *seen)
{
    const struct ys_hci_seen *crossed = &seen->crossed;
    const uint8_t *bytes = seen->record->bytes;
    const struct ys_packet_layout *layout = NULL;
    print_layer("HCI");
    field(NULL, NULL, 0, "HCI of\t%s, to the %s", seen->interface->name, seen->record->to_host ? "host" : "controller");
    if (crossed->type == YS_HCI_COMMAND) {
        field(bytes, bytes, 1, "packet\tcommand");
        field(bytes, bytes + 1, 2, "opcode\t%s (0x%04x)", ys_hci_command_name(crossed->opcode), crossed->opcode);
        layout = ys_layout_of_command(crossed->opcode);
    } else if (crossed->type == YS_HCI_EVENT) {
        bool le = crossed->event == YS_HCI_LE_META;
        field(bytes, bytes, 1, "packet\tevent");
        field(bytes, bytes + 1, 1, "event\t%s (0x%02x)", ys_hci_event_name(crossed->event, crossed->subevent),
              crossed->event);
        if (crossed->event == YS_HCI_COMMAND_COMPLETE || crossed->event == YS_HCI_COMMAND_STATUS) {
            field(NULL, NULL, 0, "answers\t%s (0x%04x)", ys_hci_command_name(crossed->opcode), crossed->opcode);
            field(NULL, NULL, 0, "status\t%s (0x%02x)",
                  crossed->status == YS_HCI_OK ? "success" : ys_hci_error_text(crossed->status), crossed->status);
            layout = crossed->event == YS_HCI_COMMAND_COMPLETE ? ys_layout_of_return(crossed->opcode) : NULL;
        } else {
            layout = le ? ys_layout_of_le_event(crossed->subevent) : ys_layout_of_event(crossed->event);
        }
    } else {
        field(bytes, bytes, 1, "packet\tdata");
        fields(trace, "connection, boundary:x2|length:2", bytes, bytes + 1, 4);
        if (crossed->said.upper != YS_UPPER_NONE)
            print_said(trace, &crossed->said);
        else
            fields(trace, "piece of a frame:b*", bytes, crossed->payload, crossed->length);
        return;
    }
    struct ys_reader rest = crossed->parameters;
    size_t left = ys_reader_left(&rest);
    const uint8_t *parameters = ys_get_bytes(&rest, left);
    if (left > 0)
        fields(trace, layout != NULL ? layout->fields : "parameters:b*", bytes, parameters, left);
}

void trace_packet(const struct trace *trace, const struct ys_seen *seen)
{
    const struct ys_record *record = seen->record;
    (void)printf("packet %llu, %.9f s%s%s%s%s\n", (unsigned long long)record->number,
                 ((double)record->at_ns - (double)trace->origin_ns) / 1e9, seen->from != NULL ? ", from " : "",
                 seen->from != NULL ? seen->from->name : "", seen->to != NULL ? " to " : "",
                 seen->to != NULL ? seen->to->name : "");
    if (record->offset > 0)
        (void)printf("at byte %llu of its file\n", (unsigned long long)record->offset);
    if (record->kind == YS_RECORD_AIR)
        print_radio(seen);
    if (seen->kind == YS_SEEN_HCI && seen->good) {
        print_crossed(trace, seen);
    } else if (seen->kind == YS_SEEN_ADVERTISING && seen->good) {
        print_advertising_header(&record->air, ys_advertising_name(seen));
        fields(trace, ys_layout_of_advertising(seen->legacy.type)->fields, record->air.pdu, record->air.pdu + 2,
               record->air.length - 2u);
    } else if (seen->kind == YS_SEEN_EXTENDED && seen->good) {
        print_advertising_header(&record->air, ys_advertising_name(seen));
        print_extended(trace, seen);
    } else if (seen->kind == YS_SEEN_LINK) {
        print_link(trace, seen);
    } else {
        print_layer("bytes that are no whole and well-formed packet");
        if (record->kind == YS_RECORD_AIR)
            fields(trace, "bytes:b*", record->air.pdu, record->air.pdu, record->air.length);
        else
            fields(trace, "bytes:b*", record->bytes, record->bytes, record->length);
    }
}
