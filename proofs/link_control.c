/* Control PDUs of the link layer. */
#include "wire/link_control.h"
#include "bytes.h"

/*@ requires reads(reader);
    requires \valid(lengths) && \separated(reader, lengths);
    assigns *reader, *lengths;
    ensures on{Old, Here}(reader); */
static void get_lengths(struct ys_reader *reader, struct ys_link_lengths *lengths);

/*@ requires reads(reader);
    requires \valid(pdu) && \separated(reader, pdu);
    assigns *reader, *pdu;
    ensures on{Old, Here}(reader); */
static void get_offsets(struct ys_reader *reader, struct ys_link_control_pdu *pdu);

/*@ requires reads(reader);
    requires \valid(pdu) && \separated(reader, pdu) && \base_addr(reader->next) != \base_addr((uint8_t *)pdu);
    assigns *reader, *pdu;
    ensures on{Old, Here}(reader); */
static void get_field(struct ys_reader *reader, uint8_t field, struct ys_link_control_pdu *pdu);

/*@ requires \valid(pdu);
    assigns *pdu; */
static void begin(struct ys_link_control_pdu *pdu, uint8_t opcode);

/*@ requires reads(reader);
    requires \valid(pdu) && \separated(reader, pdu) && \base_addr(reader->next) != \base_addr((uint8_t *)pdu);
    requires \valid_read(row + (0 .. 3));
    assigns *reader, *pdu;
    ensures on{Old, Here}(reader); */
static void get_fields(struct ys_reader *reader, const uint8_t row[4], struct ys_link_control_pdu *pdu);

/*@ assigns \nothing;
    ensures \result ==> opcode <= YS_LINK_PHY_UPDATE_IND; */
bool ys_link_control_is_known(uint8_t opcode);

/*@ requires readable(bytes, length);
    requires \valid(pdu) && \base_addr(bytes) != \base_addr((uint8_t *)pdu);
    assigns *pdu; */
bool ys_link_control_decode(const uint8_t *bytes, size_t length, struct ys_link_control_pdu *pdu);

#include "wire/link_control.c"
