/* Parts of what a message means, in words. */
#ifndef CAPTURE_SAY_WORDS_H
#define CAPTURE_SAY_WORDS_H

#include "capture/follow/follow.h"
#include "capture/follow/glossary.h"
#include "capture/say/text.h"

void ys_say_advertising(const struct ys_seen *seen, const struct ys_glossary *glossary, struct ys_text *text);
void ys_say_packet(const struct ys_seen *seen, struct ys_text *text);
void ys_say_control(const struct ys_link_control_pdu *control, struct ys_text *text);
void ys_say_crossed(const struct ys_seen *seen, const struct ys_glossary *glossary, struct ys_text *text);
void ys_say_said(const struct ys_said *said, const struct ys_meaning *meaning, const struct ys_glossary *glossary,
                 struct ys_text *text);

/* Names of the standard; never NULL. */
const char *ys_advertising_name(const struct ys_seen *seen);

#endif
