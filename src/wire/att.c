/* PDUs of the attribute protocol, read and written by one table of layouts. */
#include "wire/att.h"

/* One letter a field, in the order of the air:
 *   m  MTU               h  handle            s  first handle      e  last handle
 *   o  offset            f  format or entry length (1 byte)        q  opcode of the request
 *   x  error             t  16-bit type       u  type, 2 or 16 bytes, to the end
 *   v  value, to the end                                                                    */
struct layout {
    uint8_t opcode;
    uint8_t response;
    char fields[5];
    const char *name;
};

/* What is sent most comes first: the table is searched from its beginning. */
static const struct layout layouts[] = {
    {YS_ATT_READ_REQUEST, YS_ATT_READ_RESPONSE, "h", "read request"},
    {YS_ATT_NOTIFICATION, 0, "hv", "notification"},
    {YS_ATT_WRITE_REQUEST, YS_ATT_WRITE_RESPONSE, "hv", "write request"},
    {YS_ATT_WRITE_COMMAND, 0, "hv", "write command"},
    {YS_ATT_READ_RESPONSE, 0, "v", "read response"},
    {YS_ATT_ERROR_RESPONSE, 0, "qhx", "error response"},
    {YS_ATT_MTU_REQUEST, YS_ATT_MTU_RESPONSE, "m", "exchange MTU request"},
    {YS_ATT_MTU_RESPONSE, 0, "m", "exchange MTU response"},
    {YS_ATT_FIND_INFORMATION_REQUEST, YS_ATT_FIND_INFORMATION_RESPONSE, "se", "find information request"},
    {YS_ATT_FIND_INFORMATION_RESPONSE, 0, "fv", "find information response"},
    {YS_ATT_FIND_BY_TYPE_VALUE_REQUEST, YS_ATT_FIND_BY_TYPE_VALUE_RESPONSE, "setv", "find by type value request"},
    {YS_ATT_FIND_BY_TYPE_VALUE_RESPONSE, 0, "v", "find by type value response"},
    {YS_ATT_READ_BY_TYPE_REQUEST, YS_ATT_READ_BY_TYPE_RESPONSE, "seu", "read by type request"},
    {YS_ATT_READ_BY_TYPE_RESPONSE, 0, "fv", "read by type response"},
    {YS_ATT_READ_BLOB_REQUEST, YS_ATT_READ_BLOB_RESPONSE, "ho", "read blob request"},
    {YS_ATT_READ_BLOB_RESPONSE, 0, "v", "read blob response"},
    {YS_ATT_READ_MULTIPLE_REQUEST, YS_ATT_READ_MULTIPLE_RESPONSE, "v", "read multiple request"},
    {YS_ATT_READ_MULTIPLE_RESPONSE, 0, "v", "read multiple response"},
    {YS_ATT_READ_VARIABLE_REQUEST, YS_ATT_READ_VARIABLE_RESPONSE, "v", "read multiple variable request"},
    {YS_ATT_READ_VARIABLE_RESPONSE, 0, "v", "read multiple variable response"},
    {YS_ATT_READ_BY_GROUP_TYPE_REQUEST, YS_ATT_READ_BY_GROUP_TYPE_RESPONSE, "seu", "read by group type request"},
    {YS_ATT_READ_BY_GROUP_TYPE_RESPONSE, 0, "fv", "read by group type response"},
    {YS_ATT_WRITE_RESPONSE, 0, "", "write response"},
    {YS_ATT_PREPARE_WRITE_REQUEST, YS_ATT_PREPARE_WRITE_RESPONSE, "hov", "prepare write request"},
    {YS_ATT_PREPARE_WRITE_RESPONSE, 0, "hov", "prepare write response"},
    {YS_ATT_EXECUTE_WRITE_REQUEST, YS_ATT_EXECUTE_WRITE_RESPONSE, "f", "execute write request"},
    {YS_ATT_EXECUTE_WRITE_RESPONSE, 0, "", "execute write response"},
    {YS_ATT_NOTIFICATIONS, 0, "v", "multiple notification"},
    {YS_ATT_SIGNED_WRITE_COMMAND, 0, "hv", "signed write command"},
    {YS_ATT_INDICATION, YS_ATT_CONFIRMATION, "hv", "indication"},
    {YS_ATT_CONFIRMATION, 0, "", "confirmation"},
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

static void get_field(struct ys_reader *reader, char field, struct ys_att_pdu *pdu)
{
    switch (field) {
    case 'm':
        pdu->mtu = ys_get_u16(reader);
        break;
    case 'h':
        pdu->handle = ys_get_u16(reader);
        break;
    case 's':
        pdu->first = ys_get_u16(reader);
        break;
    case 'e':
        pdu->last = ys_get_u16(reader);
        break;
    case 'o':
        pdu->offset = ys_get_u16(reader);
        break;
    case 'f':
        pdu->format = ys_get_u8(reader);
        break;
    case 'q':
        pdu->request = ys_get_u8(reader);
        break;
    case 'x':
        pdu->error = ys_get_u8(reader);
        break;
    case 't':
        pdu->type = ys_uuid_of(ys_get_u16(reader));
        break;
    case 'u':
        get_type(reader, &pdu->type);
        break;
    default:
        get_rest(reader, &pdu->value, &pdu->length);
        break;
    }
}

static void get_fields(struct ys_reader *reader, const struct layout *layout, struct ys_att_pdu *pdu)
{
    /*@ loop assigns i, *reader, *pdu;
        loop invariant i <= 5 && on{Pre, Here}(reader) && readable(pdu->value, pdu->length); */
    for (size_t i = 0; i < sizeof layout->fields && layout->fields[i] != '\0'; i++)
        get_field(reader, layout->fields[i], pdu);
}

static void put_field(struct ys_writer *writer, char field, const struct ys_att_pdu *pdu)
{
    switch (field) {
    case 'm':
        ys_put_u16(writer, pdu->mtu);
        break;
    case 'h':
        ys_put_u16(writer, pdu->handle);
        break;
    case 's':
        ys_put_u16(writer, pdu->first);
        break;
    case 'e':
        ys_put_u16(writer, pdu->last);
        break;
    case 'o':
        ys_put_u16(writer, pdu->offset);
        break;
    case 'f':
        ys_put_u8(writer, pdu->format);
        break;
    case 'q':
        ys_put_u8(writer, pdu->request);
        break;
    case 'x':
        ys_put_u8(writer, pdu->error);
        break;
    case 't':
    case 'u':
        ys_put_uuid(writer, &pdu->type);
        break;
    default:
        for (size_t i = 0; i < pdu->handle_count; i++)
            ys_put_u16(writer, pdu->handles[i]);
        ys_put_bytes(writer, pdu->value, pdu->length);
        break;
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
    for (const char *field = layout != NULL ? layout->fields : ""; *field != '\0'; field++)
        put_field(writer, *field, pdu);
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
