/* Masks of HCI and of the link layer, in words. */
#ifndef CAPTURE_SAY_MASKS_H
#define CAPTURE_SAY_MASKS_H

#include "capture/follow/glossary.h"
#include "capture/say/text.h"

/* Each takes eight bytes. */
void ys_tell_event_mask(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text);
void ys_tell_le_event_mask(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary,
                           struct ys_text *text);
void ys_tell_features(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text);
void ys_tell_le_features(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text);

#endif
