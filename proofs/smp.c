/* The Security Manager. */
#include "wire/smp.h"
#include "bytes.h"

/* Its contract stands in the source, since it speaks of what only that knows. */
static const struct layout *find(uint8_t code);

/*@ requires \valid(pdu);
    assigns *pdu; */
static void begin(struct ys_smp_pdu *pdu, uint8_t code);

/*@ requires readable(bytes, length);
    requires \valid(pdu) && \base_addr(bytes) != \base_addr((uint8_t *)pdu);
    assigns *pdu; */
enum ys_smp_verdict ys_smp_decode(const uint8_t *bytes, size_t length, struct ys_smp_pdu *pdu);

#include "wire/smp.c"
