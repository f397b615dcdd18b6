/* Bit masks in words. Bits without a name here belong to other kinds of radio, or to features that LE devices seldom
 * use. */
#include "capture/say/masks.h"

struct bit {
    uint8_t number;
    const char *name;
};

static void tell(struct ys_text *text, const uint8_t *bytes, const struct bit *bits, size_t count)
{
    uint64_t left = 0;
    unsigned others = 0;
    const char *between = "";
    for (int i = 0; i < 8; i++)
        left |= (uint64_t)bytes[i] << 8 * i;
    uint64_t mask = left;
    for (size_t i = 0; i < count; i++) {
        if ((mask >> bits[i].number & 1) == 0)
            continue;
        ys_text_add(text, "%s%s", between, bits[i].name);
        between = ", ";
        left &= ~(UINT64_C(1) << bits[i].number);
    }
    for (int i = 0; i < 64; i++)
        others += (unsigned)(left >> i & 1);
    if (mask == 0)
        ys_text_add(text, "none");
    else if (others > 0)
        ys_text_add(text, "%s%u other%s", between[0] != '\0' ? " and " : "", others, others == 1 ? "" : "s");
    ys_text_add(text, " (0x%016llx)", (unsigned long long)mask);
}

/* Vol 4 Part E 7.3.1. */
void ys_tell_event_mask(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    static const struct bit bits[] = {
        {4, "disconnection"},         {7, "encryption change"},       {11, "remote version"}, {15, "hardware error"},
        {25, "data buffer overflow"}, {47, "encryption key refresh"}, {61, "LE events"}};
    (void)length;
    (void)glossary;
    tell(text, bytes, bits, sizeof bits / sizeof bits[0]);
}

/* Vol 4 Part E 7.8.1. */
void ys_tell_le_event_mask(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary,
                           struct ys_text *text)
{
    static const struct bit bits[] = {{0, "connection"},
                                      {1, "advertising report"},
                                      {2, "connection update"},
                                      {3, "remote features"},
                                      {4, "long term key request"},
                                      {5, "remote parameter request"},
                                      {6, "data length change"},
                                      {7, "public key"},
                                      {8, "DHKey"},
                                      {9, "enhanced connection"},
                                      {10, "directed advertising report"},
                                      {11, "PHY update"},
                                      {12, "extended advertising report"},
                                      {13, "periodic advertising sync"},
                                      {14, "periodic advertising report"},
                                      {15, "periodic advertising sync lost"},
                                      {16, "scan timeout"},
                                      {17, "advertising set terminated"},
                                      {18, "scan request"},
                                      {19, "channel selection algorithm"}};
    (void)length;
    (void)glossary;
    tell(text, bytes, bits, sizeof bits / sizeof bits[0]);
}

/* Vol 2 Part C 3.3. */
void ys_tell_features(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    static const struct bit bits[] = {{37, "BR/EDR not supported"}, {38, "LE"}};
    (void)length;
    (void)glossary;
    tell(text, bytes, bits, sizeof bits / sizeof bits[0]);
}

/* Vol 6 Part B 4.6. */
void ys_tell_le_features(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    static const struct bit bits[] = {{0, "encryption"},
                                      {1, "connection parameters request"},
                                      {2, "extended reject"},
                                      {3, "features exchange by the peripheral"},
                                      {4, "ping"},
                                      {5, "data packet length"},
                                      {6, "privacy"},
                                      {7, "extended scan filters"},
                                      {8, "2M"},
                                      {9, "stable modulation when sending"},
                                      {10, "stable modulation when receiving"},
                                      {11, "LE Coded"},
                                      {12, "extended advertising"},
                                      {13, "periodic advertising"},
                                      {14, "channel selection #2"},
                                      {15, "power class 1"},
                                      {16, "minimum number of used channels"}};
    (void)length;
    (void)glossary;
    tell(text, bytes, bits, sizeof bits / sizeof bits[0]);
}
