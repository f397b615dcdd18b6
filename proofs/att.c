/* The attribute protocol. */
#include "wire/att.h"
#include "bytes.h"

/*@ assigns \nothing;
    ensures \result == \null || \valid_read(\result); */
static const struct layout *find(uint8_t opcode);

/*@ requires reads(reader);
    requires \valid(bytes) && \valid(length) && \separated(reader, bytes, length);
    assigns *reader, *bytes, *length;
    ensures on{Old, Here}(reader);
    ensures readable(*bytes, *length); */
static void get_rest(struct ys_reader *reader, const uint8_t **bytes, size_t *length);

/*@ requires reads(reader);
    requires \valid(type) && \separated(reader, type);
    assigns *reader, *type;
    ensures on{Old, Here}(reader); */
static void get_type(struct ys_reader *reader, struct ys_uuid *type);

/*@ requires reads(reader);
    requires field > 0;
    requires \valid(pdu) && \separated(reader, pdu) && readable(pdu->value, pdu->length);
    assigns *reader, *pdu;
    ensures on{Old, Here}(reader) && readable(pdu->value, pdu->length); */
static void get_field(struct ys_reader *reader, uint8_t field, struct ys_att_pdu *pdu);

/*@ requires reads(reader);
    requires \valid_read(layout);
    requires \valid(pdu) && \separated(reader, pdu) && readable(pdu->value, pdu->length);
    assigns *reader, *pdu;
    ensures on{Old, Here}(reader) && readable(pdu->value, pdu->length); */
static void get_fields(struct ys_reader *reader, const struct layout *layout, struct ys_att_pdu *pdu);

/*@ requires \valid(pdu);
    assigns *pdu;
    ensures pdu->value == \null && pdu->length == 0; */
static void begin(struct ys_att_pdu *pdu, uint8_t opcode);

/*@ requires readable(bytes, length);
    requires \valid(pdu);
    assigns *pdu; */
enum ys_att_verdict ys_att_decode(const uint8_t *bytes, size_t length, struct ys_att_pdu *pdu);

#include "wire/att.c"
