/* The Security Manager. */
#include "wire/smp.h"
#include "bytes.h"

/*@ assigns \nothing;
    ensures \result == \null || \valid_read(\result); */
static const struct layout *find(uint8_t code);

/*@ requires reads(reader);
    requires \valid(pdu) && \separated(reader, pdu);
    assigns *reader, *pdu;
    ensures on{Old, Here}(reader); */
static void get_pairing(struct ys_reader *reader, struct ys_smp_pdu *pdu);

/*@ requires reads(reader);
    requires \valid(pdu) && \separated(reader, pdu) && \base_addr(reader->next) != \base_addr((uint8_t *)pdu);
    assigns *reader, *pdu;
    ensures on{Old, Here}(reader); */
static void get_field(struct ys_reader *reader, char field, struct ys_smp_pdu *pdu);

/*@ requires reads(reader);
    requires \valid_read(layout);
    requires \valid(pdu) && \separated(reader, pdu) && \base_addr(reader->next) != \base_addr((uint8_t *)pdu);
    assigns *reader, *pdu;
    ensures on{Old, Here}(reader); */
static void get_fields(struct ys_reader *reader, const struct layout *layout, struct ys_smp_pdu *pdu);

/*@ requires \valid(pdu);
    assigns *pdu; */
static void begin(struct ys_smp_pdu *pdu, uint8_t code);

/*@ requires readable(bytes, length);
    requires \valid(pdu) && \base_addr(bytes) != \base_addr((uint8_t *)pdu);
    assigns *pdu; */
enum ys_smp_verdict ys_smp_decode(const uint8_t *bytes, size_t length, struct ys_smp_pdu *pdu);

#include "wire/smp.c"
