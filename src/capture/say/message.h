/* Messages: the lines of a trace. A record is a message on the layer of the air or of HCI, and may contain one on each
 * layer above. */
#ifndef CAPTURE_MESSAGE_H
#define CAPTURE_MESSAGE_H

#include "capture/follow/follow.h"
#include "capture/follow/glossary.h"
#include "capture/say/text.h"

enum ys_trace_layer {
    YS_TRACE_AIR,
    YS_TRACE_HCI,
    YS_TRACE_L2CAP,
    YS_TRACE_ATTRIBUTES, /* and pairing, and signalling */
    YS_TRACE_VALUES,
    YS_TRACE_LAYERS
};

extern const char *const ys_trace_layer_names[YS_TRACE_LAYERS + 1];

struct ys_message {
    const struct ys_seen *seen;
    enum ys_trace_layer layer;
    const char *protocol; /* "ADV", "LL", "HCI", "L2CAP", "ATT", "SMP", "SIG" */
    const char *kind;     /* what the standard calls it: "notification", "ADV_IND" */
    const char *from;     /* names; "" if not known */
    const char *to;
    bool landmark;             /* a connection begins or ends, or its encryption: shown on each layer above */
    struct ys_meaning meaning; /* of the attribute that it is about */
    uint16_t handle;           /* 0: none */
    const uint8_t *value;      /* NULL: none */
    size_t value_length;
    bool is_error;
};

/* Makes the message that a record is on a layer; false if it is none there. */
bool ys_message_of(const struct ys_seen *seen, enum ys_trace_layer layer, const struct ys_glossary *glossary,
                   struct ys_message *message);

/* Says what it means. */
void ys_message_say(const struct ys_message *message, const struct ys_glossary *glossary, struct ys_text *text);

#endif
