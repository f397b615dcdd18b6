/* Messages: what a trace has a line for. A record is one on the level of the air or of HCI, and may bring one on the
 * levels above. */
#ifndef CAPTURE_MESSAGE_H
#define CAPTURE_MESSAGE_H

#include "capture/follow/follow.h"
#include "capture/follow/glossary.h"
#include "capture/say/text.h"

enum ys_trace_level {
    YS_TRACE_AIR,
    YS_TRACE_HCI,
    YS_TRACE_L2CAP,
    YS_TRACE_ATTRIBUTES, /* and pairing, and signalling */
    YS_TRACE_VALUES,
    YS_TRACE_LEVELS
};

extern const char *const ys_trace_level_names[YS_TRACE_LEVELS + 1];

struct ys_message {
    const struct ys_seen *seen;
    enum ys_trace_level level;
    const char *protocol; /* "ADV", "LL", "HCI", "L2CAP", "ATT", "SMP", "SIG" */
    const char *kind;     /* what the standard calls it: "notification", "ADV_IND" */
    const char *from;     /* names; "" if not known */
    const char *to;
    bool landmark;             /* a connection begins or ends, or its encryption: shown on each level above */
    struct ys_meaning meaning; /* of the attribute that it is about */
    uint16_t handle;           /* 0: none */
    const uint8_t *value;      /* NULL: none */
    size_t value_length;
    bool is_error;
};

/* Makes the message that a record is on a level; false if it is none there. */
bool ys_message_of(const struct ys_seen *seen, enum ys_trace_level level, const struct ys_glossary *glossary,
                   struct ys_message *message);

/* Says what it means. */
void ys_message_say(const struct ys_message *message, const struct ys_glossary *glossary, struct ys_text *text);

/* Parts of that. */
void ys_say_advertising(const struct ys_seen *seen, const struct ys_glossary *glossary, struct ys_text *text);
void ys_say_packet(const struct ys_seen *seen, struct ys_text *text);
void ys_say_control(const struct ys_link_control_pdu *control, struct ys_text *text);
void ys_say_crossed(const struct ys_seen *seen, const struct ys_glossary *glossary, struct ys_text *text);
void ys_say_said(const struct ys_said *said, const struct ys_meaning *meaning, const struct ys_glossary *glossary,
                 struct ys_text *text);

/* Names of the standard; never NULL. */
const char *ys_control_name(uint8_t opcode);
const char *ys_advertising_name(const struct ys_seen *seen);
const char *ys_signal_name(uint8_t code);
const char *ys_phy_name(enum ys_phy phy);

/* The name of an HCI command, of an event (with its subevent, if it is one of LE); "unknown" else. */
const char *ys_hci_command_name(uint16_t opcode);
const char *ys_hci_event_name(uint8_t event, uint8_t subevent);

#endif
