/* Telling the fields of packets. */
#include "capture/say/fields.h"

#include <stdio.h>
#include <string.h>

#include <yarnswift/codes.h>
#include <yarnswift/security.h>

#include "capture/say/layouts.h"
#include "capture/say/masks.h"
#include "capture/say/text.h"
#include "wire/att.h"
#include "wire/link.h"

#define TYPE_MOST 12
#define NAME_MOST 40
#define TEXT_MOST 1200

/* A type: its number of bytes, or 0 for all that are left. */
typedef void tell_fn(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text);

struct type {
    const char *name;
    size_t size;
    tell_fn *tell;
};

static uint64_t number_of(const uint8_t *bytes, size_t length)
{
    uint64_t number = 0;
    for (size_t i = 0; i < length && i < 8; i++)
        number |= (uint64_t)bytes[i] << 8 * i;
    return number;
}

static void tell_number(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    (void)glossary;
    ys_text_add(text, "%llu", (unsigned long long)number_of(bytes, length));
}

static void tell_hex(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    (void)glossary;
    ys_text_add(text, "0x%0*llx", (int)(2 * length), (unsigned long long)number_of(bytes, length));
}

static void tell_bytes(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    (void)glossary;
    ys_text_hex(text, bytes, length, 40);
}

static void tell_signed(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    (void)length;
    (void)glossary;
    ys_text_add(text, "%d", (int8_t)bytes[0]);
}

static void tell_steps(struct ys_text *text, uint64_t number, double step_ms)
{
    ys_text_add(text, "%g ms", (double)number * step_ms);
}

static void tell_slots(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    (void)glossary;
    tell_steps(text, number_of(bytes, length), 0.625);
}

static void tell_units(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    (void)glossary;
    if (length == 2 && number_of(bytes, 2) == 0xffff)
        ys_text_add(text, "none");
    else
        tell_steps(text, number_of(bytes, length), 1.25);
}

static void tell_tens(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    (void)glossary;
    tell_steps(text, number_of(bytes, length), 10);
}

static void tell_us(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    (void)glossary;
    ys_text_add(text, "%llu us", (unsigned long long)number_of(bytes, length));
}

static void tell_error(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    (void)length;
    (void)glossary;
    if (bytes[0] == 0)
        ys_text_add(text, "success");
    else
        ys_text_add(text, "%s (0x%02x)", ys_hci_error_text(bytes[0]), bytes[0]);
}

static void tell_att_error(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary,
                           struct ys_text *text)
{
    (void)length;
    (void)glossary;
    ys_text_add(text, "%s (0x%02x)", ys_att_error_text(bytes[0]), bytes[0]);
}

static void tell_smp_reason(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary,
                            struct ys_text *text)
{
    (void)length;
    (void)glossary;
    ys_text_add(text, "%s (0x%02x)", ys_smp_reason_text(bytes[0]), bytes[0]);
}

static void tell_address(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    (void)length;
    (void)glossary;
    ys_text_add(text, "%02x:%02x:%02x:%02x:%02x:%02x", bytes[5], bytes[4], bytes[3], bytes[2], bytes[1], bytes[0]);
}

static void tell_who(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    static const char *const kinds[] = {"public", "random", "public identity", "random identity"};
    tell_address(bytes + 1, length - 1, glossary, text);
    ys_text_add(text, " %s", bytes[0] < 4 ? kinds[bytes[0]] : bytes[0] == 0xff ? "anonymous" : "of an unknown type");
}

static void tell_own(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    static const char *const kinds[] = {"public", "random", "resolvable, or public", "resolvable, or random"};
    (void)length;
    (void)glossary;
    ys_text_add(text, "%s", bytes[0] < 4 ? kinds[bytes[0]] : "unknown");
}

static void tell_map(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    uint8_t count = ys_link_channel_count(bytes);
    (void)length;
    (void)glossary;
    ys_text_add(text, "%u channels", count);
    if (count < 37)
        ys_text_add(text, " (%02x %02x %02x %02x %02x)", bytes[0], bytes[1], bytes[2], bytes[3], bytes[4]);
}

static void tell_bits(struct ys_text *text, uint8_t bits, const char *const names[8], const char *none)
{
    const char *between = "";
    for (int i = 0; i < 8; i++) {
        if ((bits >> i & 1) == 0 || names[i] == NULL)
            continue;
        ys_text_add(text, "%s%s", between, names[i]);
        between = ", ";
    }
    if (between[0] == '\0')
        ys_text_add(text, "%s", none);
}

static void tell_phys(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    static const char *const names[8] = {"1M", "2M", "coded"};
    (void)length;
    (void)glossary;
    tell_bits(text, bytes[0], names, "no change");
}

static void tell_phy(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    static const char *const names[] = {"none", "1M", "2M", "coded"};
    (void)length;
    (void)glossary;
    ys_text_add(text, "%s", bytes[0] < 4 ? names[bytes[0]] : "unknown");
}

static void tell_dbm(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    (void)length;
    (void)glossary;
    if (bytes[0] == 127)
        ys_text_add(text, "not said");
    else
        ys_text_add(text, "%d dBm", (int8_t)bytes[0]);
}

static void tell_uuid(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    char written[YS_UUID_TEXT_SIZE];
    const struct ys_uuid uuid = ys_uuid_from_air(bytes, length);
    const char *name = uuid.length > 0 && glossary->uuid != NULL ? glossary->uuid(glossary->context, &uuid) : NULL;
    if (uuid.length == 0) {
        tell_bytes(bytes, length, glossary, text);
        return;
    }
    ys_text_add(text, "%s%s%s", ys_uuid_format(&uuid, written), name != NULL ? " " : "", name != NULL ? name : "");
}

static void tell_structures(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary,
                            struct ys_text *text)
{
    struct ys_reader reader = ys_reader_of(bytes, length);
    struct ys_ad ad;
    const char *between = "";
    while (ys_get_ad(&reader, &ad)) {
        char words[300] = "";
        const char *kind =
            glossary->structure != NULL ? glossary->structure(glossary->context, &ad, words, sizeof words) : NULL;
        if (kind != NULL)
            ys_text_add(text, "%s%s%s%s", between, kind, words[0] != '\0' ? " " : "", words);
        else
            ys_text_add(text, "%stype 0x%02x, %u bytes", between, ad.type, ad.length);
        between = "; ";
    }
    if (!ys_reader_ok(&reader))
        ys_text_add(text, "%sthe rest is malformed", between);
}

static void tell_handle(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    tell_hex(bytes, length, glossary, text);
}

static void tell_link(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    (void)glossary;
    ys_text_add(text, "0x%03x", (unsigned)number_of(bytes, length) & 0x0fff);
}

static void tell_opcode(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    (void)length;
    (void)glossary;
    ys_text_add(text, "%s (0x%02x)", ys_att_opcode_name(bytes[0]), bytes[0]);
}

static void tell_control(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    (void)length;
    (void)glossary;
    ys_text_add(text, "%s (0x%02x)", ys_control_name(bytes[0]), bytes[0]);
}

static void tell_command(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    uint16_t opcode = (uint16_t)number_of(bytes, length);
    (void)glossary;
    ys_text_add(text, "%s (0x%04x)", ys_hci_command_name(opcode), opcode);
}

static void tell_flag(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    (void)length;
    (void)glossary;
    ys_text_add(text, "%s", bytes[0] == 0 ? "no" : bytes[0] == 1 ? "yes" : "neither yes nor no");
}

/* One of several, by its number. */
static void tell_word(const uint8_t *bytes, const char *const *words, size_t count, struct ys_text *text)
{
    if (bytes[0] < count)
        ys_text_add(text, "%s", words[bytes[0]]);
    else
        ys_text_add(text, "%u, which is reserved", bytes[0]);
}

#define TELLS_WORD(name, ...)                                                                                          \
    static void name(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)    \
    {                                                                                                                  \
        static const char *const words[] = {__VA_ARGS__};                                                              \
        (void)length;                                                                                                  \
        (void)glossary;                                                                                                \
        tell_word(bytes, words, sizeof words / sizeof words[0], text);                                                 \
    }

/* What numbers in HCI commands and events mean (Vol 4 Part E 7.7.65.1, Vol 4 Part E 7.8.5, Vol 4 Part E 7.8.10, Vol 4
 * Part E 7.8.12). */
TELLS_WORD(tell_advertising_kind, "connectable and scannable", "connectable by one peer, at a high rate", "scannable",
           "neither connectable nor scannable", "connectable by one peer, at a low rate")
TELLS_WORD(tell_asked_by, "scan requests and connections from all",
           "scan requests from the accept list, connections from all",
           "scan requests from all, connections from the accept list",
           "scan requests and connections from the accept list")
TELLS_WORD(tell_heard_from, "everybody", "who is listed", "all, also with unresolvable addresses",
           "the accept list, also with unresolvable addresses")
TELLS_WORD(tell_whom, "this peer", "who is listed")
TELLS_WORD(tell_role, "central", "peripheral")

static void tell_capability(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary,
                            struct ys_text *text)
{
    static const char *const names[] = {"a display", "a display, yes and no", "a keyboard", "neither shows nor takes",
                                        "a keyboard and a display"};
    (void)length;
    (void)glossary;
    ys_text_add(text, "%s", bytes[0] < 5 ? names[bytes[0]] : "unknown");
}

static void tell_needs(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    static const char *const names[8] = {"bonding", NULL, "protection against a man in the middle",
                                         "LE Secure Connections", "keypresses"};
    (void)length;
    (void)glossary;
    tell_bits(text, bytes[0], names, "nothing");
}

static void tell_keys(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    static const char *const names[8] = {"encryption", "identity", "signing", "link"};
    (void)length;
    (void)glossary;
    tell_bits(text, bytes[0], names, "none");
}

static void tell_channels(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    static const char *const names[8] = {"37", "38", "39"};
    (void)length;
    (void)glossary;
    tell_bits(text, bytes[0], names, "none");
}

static void tell_hop(const uint8_t *bytes, size_t length, const struct ys_glossary *glossary, struct ys_text *text)
{
    static const uint16_t ppm[] = {500, 250, 150, 100, 75, 50, 30, 20};
    (void)length;
    (void)glossary;
    ys_text_add(text, "%u; clock within %u ppm", bytes[0] & 0x1f, ppm[bytes[0] >> 5]);
}

static const struct type types[] = {
    {"1", 1, tell_number},
    {"2", 2, tell_number},
    {"3", 3, tell_number},
    {"4", 4, tell_number},
    {"8", 8, tell_number},
    {"x1", 1, tell_hex},
    {"x2", 2, tell_hex},
    {"x3", 3, tell_hex},
    {"x4", 4, tell_hex},
    {"x8", 8, tell_hex},
    {"events", 8, ys_tell_event_mask},
    {"leevents", 8, ys_tell_le_event_mask},
    {"radio", 8, ys_tell_features},
    {"can", 8, ys_tell_le_features},
    {"s1", 1, tell_signed},
    {"b4", 4, tell_bytes},
    {"b5", 5, tell_bytes},
    {"b8", 8, tell_bytes},
    {"b16", 16, tell_bytes},
    {"b32", 32, tell_bytes},
    {"b*", 0, tell_bytes},
    {"slot", 2, tell_slots},
    {"slot3", 3, tell_slots},
    {"unit", 2, tell_units},
    {"unit1", 1, tell_units},
    {"ten", 2, tell_tens},
    {"us", 2, tell_us},
    {"err", 1, tell_error},
    {"atterr", 1, tell_att_error},
    {"smperr", 1, tell_smp_reason},
    {"link", 2, tell_link},
    {"handle", 2, tell_handle},
    {"who", 7, tell_who},
    {"own", 1, tell_own},
    {"address", 6, tell_address},
    {"map", 5, tell_map},
    {"phy", 1, tell_phy},
    {"phys", 1, tell_phys},
    {"dbm", 1, tell_dbm},
    {"uuid*", 0, tell_uuid},
    {"ad*", 0, tell_structures},
    {"opcode", 1, tell_opcode},
    {"control", 1, tell_control},
    {"command", 2, tell_command},
    {"flag", 1, tell_flag},
    {"kind", 1, tell_advertising_kind},
    {"asked", 1, tell_asked_by},
    {"heard", 1, tell_heard_from},
    {"whom", 1, tell_whom},
    {"role", 1, tell_role},
    {"io", 1, tell_capability},
    {"needs", 1, tell_needs},
    {"keys", 1, tell_keys},
    {"channels", 1, tell_channels},
    {"hop", 1, tell_hop},
};

static const struct type *type_of(const char *name)
{
    for (size_t i = 0; i < sizeof types / sizeof types[0]; i++) {
        if (strcmp(types[i].name, name) == 0)
            return &types[i];
    }
    return NULL;
}

/* Takes the next name and type off a line of fields; false at its end. */
static bool next_field(const char **fields, char name[NAME_MOST], char type[TYPE_MOST])
{
    const char *colon = strchr(*fields, ':');
    if (colon == NULL)
        return false;
    size_t length = (size_t)(colon - *fields);
    (void)snprintf(name, NAME_MOST, "%.*s", (int)length, *fields);
    size_t rest = strcspn(colon + 1, "|");
    (void)snprintf(type, TYPE_MOST, "%.*s", (int)rest, colon + 1);
    *fields = colon + 1 + rest + (colon[1 + rest] == '|');
    return true;
}

/* Advertising structures after their length. */
static bool tell_counted(const char *name, struct ys_reader *reader, const struct ys_glossary *glossary,
                         ys_field_fn *tell, void *context)
{
    char words[TEXT_MOST];
    struct ys_text text = ys_text_in(words, sizeof words);
    uint8_t length = ys_get_u8(reader);
    const uint8_t *bytes = ys_get_bytes(reader, length);
    if (bytes == NULL)
        return false;
    tell_structures(bytes, length, glossary, &text);
    tell(context, name, bytes, length, words);
    return true;
}

void ys_fields_tell(const char *fields, struct ys_reader *reader, const struct ys_glossary *glossary, ys_field_fn *tell,
                    void *context)
{
    char name[NAME_MOST];
    char type_name[TYPE_MOST];
    while (next_field(&fields, name, type_name)) {
        char words[TEXT_MOST];
        struct ys_text text = ys_text_in(words, sizeof words);
        if (strcmp(type_name, "adl") == 0) {
            if (!tell_counted(name, reader, glossary, tell, context))
                break;
            continue;
        }
        const struct type *type = type_of(type_name);
        size_t size = type == NULL ? 0 : type->size > 0 ? type->size : ys_reader_left(reader);
        if (type == NULL || (type->size == 0 && size == 0))
            break;
        const uint8_t *bytes = ys_get_bytes(reader, size);
        if (bytes == NULL) {
            tell(context, name, NULL, 0, "missing");
            return;
        }
        type->tell(bytes, size, glossary, &text);
        tell(context, name, bytes, size, words);
    }
    size_t left = ys_reader_left(reader);
    if (left == 0)
        return;
    char words[TEXT_MOST];
    struct ys_text text = ys_text_in(words, sizeof words);
    const uint8_t *bytes = ys_get_bytes(reader, left);
    ys_text_hex(&text, bytes, left, 40);
    tell(context, "more", bytes, left, words);
}
