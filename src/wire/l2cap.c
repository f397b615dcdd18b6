/* L2CAP basic frames and signalling commands. */
#include "wire/l2cap.h"

void ys_get_l2cap_header(struct ys_reader *reader, struct ys_l2cap_header *header)
{
    header->length = ys_get_u16(reader);
    header->channel = ys_get_u16(reader);
}

/* Vol 3 Part A 3.1. */
void ys_put_l2cap_header(struct ys_writer *writer, const struct ys_l2cap_header *header)
{
    ys_put_u16(writer, header->length);
    ys_put_u16(writer, header->channel);
}

/* Vol 3 Part A 4. */
void ys_get_l2cap_signal(struct ys_reader *reader, struct ys_l2cap_signal *signal)
{
    signal->code = ys_get_u8(reader);
    signal->identifier = ys_get_u8(reader);
    signal->length = ys_get_u16(reader);
}

void ys_put_l2cap_signal(struct ys_writer *writer, const struct ys_l2cap_signal *signal)
{
    ys_put_u8(writer, signal->code);
    ys_put_u8(writer, signal->identifier);
    ys_put_u16(writer, signal->length);
}
