/* Frames of L2CAP and the commands of its signalling. */
#include "wire/l2cap.h"
#include "bytes.h"

/*@ requires reads(reader);
    requires \valid(header) && \separated(reader, header);
    assigns *reader, *header;
    ensures on{Old, Here}(reader); */
void ys_get_l2cap_header(struct ys_reader *reader, struct ys_l2cap_header *header);

/*@ requires reads(reader);
    requires \valid(signal) && \separated(reader, signal);
    assigns *reader, *signal;
    ensures on{Old, Here}(reader); */
void ys_get_l2cap_signal(struct ys_reader *reader, struct ys_l2cap_signal *signal);

#include "wire/l2cap.c"
