/* PDUs of the attribute protocol, read and written by one table of layouts. */
#include "wire/att.h"

/* Fields of a PDU: the numbers of two bytes in struct ys_att_pdu, then those of one, then what is no number. */
enum field { END, HANDLE, FIRST, LAST, OFFSET, MTU, FORMAT, REQUEST, ERROR, TYPE_16, TYPE, VALUE };

struct layout {
    uint8_t opcode;
    uint8_t response;
    uint8_t fields[4]; /* in the order of the air; TYPE has 2 or 16 bytes and VALUE any, both to the end */
    const char *name;
};

/* What is sent most comes first: the table is searched from its beginning. */
static const struct layout layouts[] = {
    {YS_ATT_READ_REQUEST, YS_ATT_READ_RESPONSE, {HANDLE}, "read request"},
    {YS_ATT_NOTIFICATION, 0, {HANDLE, VALUE}, "notification"},
    {YS_ATT_WRITE_REQUEST, YS_ATT_WRITE_RESPONSE, {HANDLE, VALUE}, "write request"},
    {YS_ATT_WRITE_COMMAND, 0, {HANDLE, VALUE}, "write command"},
    {YS_ATT_READ_RESPONSE, 0, {VALUE}, "read response"},
    {YS_ATT_ERROR_RESPONSE, 0, {REQUEST, HANDLE, ERROR}, "error response"},
    {YS_ATT_MTU_REQUEST, YS_ATT_MTU_RESPONSE, {MTU}, "exchange MTU request"},
    {YS_ATT_MTU_RESPONSE, 0, {MTU}, "exchange MTU response"},
    {YS_ATT_FIND_INFORMATION_REQUEST, YS_ATT_FIND_INFORMATION_RESPONSE, {FIRST, LAST}, "find information request"},
    {YS_ATT_FIND_INFORMATION_RESPONSE, 0, {FORMAT, VALUE}, "find information response"},
    {YS_ATT_FIND_BY_TYPE_VALUE_REQUEST,
     YS_ATT_FIND_BY_TYPE_VALUE_RESPONSE,
     {FIRST, LAST, TYPE_16, VALUE},
     "find by type value request"},
    {YS_ATT_FIND_BY_TYPE_VALUE_RESPONSE, 0, {VALUE}, "find by type value response"},
    {YS_ATT_READ_BY_TYPE_REQUEST, YS_ATT_READ_BY_TYPE_RESPONSE, {FIRST, LAST, TYPE}, "read by type request"},
    {YS_ATT_READ_BY_TYPE_RESPONSE, 0, {FORMAT, VALUE}, "read by type response"},
    {YS_ATT_READ_BLOB_REQUEST, YS_ATT_READ_BLOB_RESPONSE, {HANDLE, OFFSET}, "read blob request"},
    {YS_ATT_READ_BLOB_RESPONSE, 0, {VALUE}, "read blob response"},
    {YS_ATT_READ_MULTIPLE_REQUEST, YS_ATT_READ_MULTIPLE_RESPONSE, {VALUE}, "read multiple request"},
    {YS_ATT_READ_MULTIPLE_RESPONSE, 0, {VALUE}, "read multiple response"},
    {YS_ATT_READ_VARIABLE_REQUEST, YS_ATT_READ_VARIABLE_RESPONSE, {VALUE}, "read multiple variable request"},
    {YS_ATT_READ_VARIABLE_RESPONSE, 0, {VALUE}, "read multiple variable response"},
    {YS_ATT_READ_BY_GROUP_TYPE_REQUEST,
     YS_ATT_READ_BY_GROUP_TYPE_RESPONSE,
     {FIRST, LAST, TYPE},
     "read by group type request"},
    {YS_ATT_READ_BY_GROUP_TYPE_RESPONSE, 0, {FORMAT, VALUE}, "read by group type response"},
    {YS_ATT_WRITE_RESPONSE, 0, {END}, "write response"},
    {YS_ATT_PREPARE_WRITE_REQUEST, YS_ATT_PREPARE_WRITE_RESPONSE, {HANDLE, OFFSET, VALUE}, "prepare write request"},
    {YS_ATT_PREPARE_WRITE_RESPONSE, 0, {HANDLE, OFFSET, VALUE}, "prepare write response"},
    {YS_ATT_EXECUTE_WRITE_REQUEST, YS_ATT_EXECUTE_WRITE_RESPONSE, {FORMAT}, "execute write request"},
    {YS_ATT_EXECUTE_WRITE_RESPONSE, 0, {END}, "execute write response"},
    {YS_ATT_NOTIFICATIONS, 0, {VALUE}, "multiple notification"},
    {YS_ATT_SIGNED_WRITE_COMMAND, 0, {HANDLE, VALUE}, "signed write command"},
    {YS_ATT_INDICATION, YS_ATT_CONFIRMATION, {HANDLE, VALUE}, "indication"},
    {YS_ATT_CONFIRMATION, 0, {END}, "confirmation"},
};

static const struct layout *find(uint8_t opcode)
{
    /*@ loop assigns i; loop invariant i <= sizeof(layouts) / sizeof(layouts[0]); */
    for (size_t i = 0; i < sizeof layouts / sizeof layouts[0]; i++) {
        if (layouts[i].opcode == opcode)
            return &layouts[i];
    }
    return NULL;
}

static void get_rest(struct ys_reader *reader, const uint8_t **bytes, size_t *length)
{
    *length = ys_reader_left(reader);
    *bytes = ys_get_bytes(reader, *length);
}

/* Vol 3 Part F 3.2.1. */
static void get_type(struct ys_reader *reader, struct ys_uuid *type)
{
    const uint8_t *bytes;
    size_t length;
    get_rest(reader, &bytes, &length);
    if (length == 2 || length == 16)
        *type = ys_uuid_from_air(bytes, length);
    else
        reader->bad = true;
}

static void get_field(struct ys_reader *reader, uint8_t field, struct ys_att_pdu *pdu)
{
    if (field < FORMAT)
        pdu->numbers[field - HANDLE] = ys_get_u16(reader);
    else if (field < TYPE_16)
        pdu->bytes[field - FORMAT] = ys_get_u8(reader);
    else if (field == TYPE_16)
        pdu->type = ys_uuid_of(ys_get_u16(reader));
    else if (field == TYPE)
        get_type(reader, &pdu->type);
    else
        get_rest(reader, &pdu->value, &pdu->length);
}

static void get_fields(struct ys_reader *reader, const struct layout *layout, struct ys_att_pdu *pdu)
{
    /*@ loop assigns i, *reader, *pdu;
        loop invariant i <= 4 && on{Pre, Here}(reader) && readable(pdu->value, pdu->length); */
    for (size_t i = 0; i < sizeof layout->fields && layout->fields[i] != END; i++)
        get_field(reader, layout->fields[i], pdu);
}

static void put_field(struct ys_writer *writer, uint8_t field, const struct ys_att_pdu *pdu)
{
    if (field < FORMAT) {
        ys_put_u16(writer, pdu->numbers[field - HANDLE]);
    } else if (field < TYPE_16) {
        ys_put_u8(writer, pdu->bytes[field - FORMAT]);
    } else if (field < VALUE) {
        ys_put_uuid(writer, &pdu->type);
    } else {
        for (size_t i = 0; i < pdu->handle_count; i++)
            ys_put_u16(writer, pdu->handles[i]);
        ys_put_bytes(writer, pdu->value, pdu->length);
    }
}

static void begin(struct ys_att_pdu *pdu, uint8_t opcode)
{
    *pdu = (struct ys_att_pdu){.opcode = opcode};
}

enum ys_att_verdict ys_att_decode(const uint8_t *bytes, size_t length, struct ys_att_pdu *pdu)
{
    struct ys_reader reader = ys_reader_of(bytes, length);
    begin(pdu, ys_get_u8(&reader));
    const struct layout *layout = find(pdu->opcode);
    if (layout == NULL)
        return YS_ATT_UNKNOWN;
    get_fields(&reader, layout, pdu);
    return ys_reader_done(&reader) ? YS_ATT_GOOD : YS_ATT_MALFORMED;
}

void ys_put_att(struct ys_writer *writer, const struct ys_att_pdu *pdu)
{
    const struct layout *layout = find(pdu->opcode);
    ys_put_u8(writer, pdu->opcode);
    for (size_t i = 0; layout != NULL && i < sizeof layout->fields && layout->fields[i] != END; i++)
        put_field(writer, layout->fields[i], pdu);
}

const char *ys_att_opcode_name(uint8_t opcode)
{
    const struct layout *layout = find(opcode);
    return layout != NULL ? layout->name : "unknown";
}

/* Vol 3 Part F 3.3.1. */
uint8_t ys_att_response_to(uint8_t opcode)
{
    const struct layout *layout = find(opcode);
    return layout != NULL ? layout->response : 0;
}
