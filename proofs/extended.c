/* PDUs of extended advertising. */
#include "wire/extended.h"
#include "bytes.h"

/*@ requires reads(reader);
    requires \valid(aux) && \separated(reader, aux);
    assigns *reader, *aux;
    ensures on{Old, Here}(reader); */
static void get_aux(struct ys_reader *reader, struct ys_link_aux *aux);

/*@ requires reads(header);
    requires \valid(pdu) && \separated(header, pdu) && \base_addr(header->next) != \base_addr((uint8_t *)pdu);
    assigns *header, *pdu;
    ensures on{Old, Here}(header); */
static void get_fields(struct ys_reader *header, struct ys_link_extended *pdu);

/*@ requires \valid(pdu);
    assigns *pdu; */
static void begin(struct ys_link_extended *pdu, uint8_t type);

/*@ requires readable(bytes, length);
    requires \valid(pdu) && \base_addr(bytes) != \base_addr((uint8_t *)pdu);
    assigns *pdu; */
bool ys_link_extended_decode(const uint8_t *bytes, size_t length, struct ys_link_extended *pdu);

#include "wire/extended.c"
