/* Advertising and data PDUs of the link layer. */
#include "wire/link.h"
#include "bytes.h"

/*@ assigns \nothing; */
static bool has_target(uint8_t type);

/*@ assigns \nothing; */
static bool has_data(uint8_t type);

/*@ requires reads(reader);
    requires \valid(connect) && \separated(reader, connect) && \base_addr(reader->next) != \base_addr((uint8_t
   *)connect); assigns *reader, *connect; ensures on{Old, Here}(reader); */
static void get_connect(struct ys_reader *reader, struct ys_link_connect *connect);

/*@ requires \valid(pdu);
    assigns *pdu; */
static void begin_advertising(struct ys_link_advertising *pdu, uint8_t header);

/*@ requires reads(reader);
    requires \valid(pdu) && \separated(reader, pdu) && \base_addr(reader->next) != \base_addr((uint8_t *)pdu);
    assigns *reader, *pdu;
    ensures on{Old, Here}(reader); */
static void get_payload(struct ys_reader *reader, uint8_t header, struct ys_link_advertising *pdu);

/*@ requires readable(bytes, length);
    requires \valid(pdu) && \base_addr(bytes) != \base_addr((uint8_t *)pdu);
    assigns *pdu; */
bool ys_link_advertising_decode(const uint8_t *bytes, size_t length, struct ys_link_advertising *pdu);

/*@ requires readable(bytes, length);
    requires \valid(pdu) && \base_addr(bytes) != \base_addr((uint8_t *)pdu);
    assigns *pdu; */
bool ys_link_data_decode(const uint8_t *bytes, size_t length, struct ys_link_data *pdu);

#include "wire/link.c"
