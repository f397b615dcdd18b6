/* damage SEED IN OUT [MISSING]: writes a capture again as a recorder in a bad place would have it: packets are missing,
 * come twice, late, cut, on another channel or with other bits, which its CRC may or may not tell. A text is written
 * again as somebody in a hurry would have it: with a line too few or twice, a value of another line, a wrong digit.
 * What is damaged, and how often, the seed says; the same seed does the same damage. For tests that want much odd
 * input. With MISSING, only so many of a thousand packets on the air are left out of a capture. */
#include <stdbool.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "capture/file/reader.h"
#include "capture/file/writer.h"

static uint32_t state;

/* A number below `limit`. */
static uint32_t chance(uint32_t limit)
{
    state ^= state << 13;
    state ^= state >> 17;
    state ^= state << 5;
    return state % limit;
}

/* Changes a byte or two; in most packets that hold one, the begin, where the fields are. */
static void bend(uint8_t *bytes, size_t length)
{
    for (uint32_t left = 1 + chance(2); left > 0 && length > 0; left--) {
        uint32_t at = chance((uint32_t)(chance(3) > 0 && length > 16 ? 16 : length));
        static const uint8_t values[] = {0x00, 0x01, 0x7f, 0x80, 0xff};
        bytes[at] = chance(2) > 0 ? bytes[at] ^ (uint8_t)(1u << chance(8)) : values[chance(sizeof values)];
    }
}

static void on_the_air(struct ys_record *record, uint32_t way)
{
    struct ys_air_packet *air = &record->air;
    switch (way) {
    case 0:
        bend(air->pdu, air->length);
        break;
    case 1:
        bend(air->pdu, air->length);
        air->crc_good = false;
        break;
    case 2:
        air->channel = (uint8_t)chance(40);
        break;
    case 3:
        air->length = (uint16_t)chance(air->length + 1u);
        break;
    case 4:
        air->phy = (enum ys_phy)chance(3);
        break;
    case 5:
        air->access_address ^= 1u << chance(32);
        break;
    default:
        air->start_ns += 1000 * (uint64_t)chance(400);
        record->at_ns = air->start_ns;
        break;
    }
}

static int damage_capture(const char *from, const char *to, const char *missing_only)
{
    static uint8_t bytes[1u << 16];
    char error[200];
    uint32_t missing = chance(2) > 0 ? 8 + chance(30) : 1u << 30;
    uint32_t bent = chance(3) > 0 ? 3 + chance(40) : 1u << 30;
    uint32_t ways = 1 + chance(7);
    uint32_t permille = missing_only != NULL ? (uint32_t)strtoul(missing_only, NULL, 10) : 0;
    struct ys_capture *in = ys_capture_open(from, false, NULL, NULL, error, sizeof error);
    struct ys_capture_writer *out = in != NULL ? ys_capture_create(to, true, error, sizeof error) : NULL;
    if (in == NULL || out == NULL) {
        fprintf(stderr, "%s\n", error);
        ys_capture_free(in);
        return 2;
    }
    struct ys_record record;
    uint64_t first_ns = 0;
    uint64_t last_ns = 0;
    while (ys_capture_next(in, &record)) {
        first_ns = first_ns == 0 ? record.at_ns : first_ns;
        last_ns = record.at_ns;
        if (missing_only != NULL) {
            if (record.kind != YS_RECORD_AIR || chance(1000) >= permille)
                ys_capture_write(out, &record);
            continue;
        }
        if (chance(missing) == 0)
            continue;
        bool bends = chance(bent) == 0;
        if (bends && record.kind == YS_RECORD_AIR)
            on_the_air(&record, chance(ways));
        if (bends && record.kind == YS_RECORD_HCI && record.length <= sizeof bytes) {
            memcpy(bytes, record.bytes, record.length);
            bend(bytes + 1, record.length - 1);
            record.bytes = bytes;
        }
        ys_capture_write(out, &record);
        if (chance(missing) == 0)
            ys_capture_write(out, &record);
    }
    ys_capture_free(in);
    return ys_capture_close(out, first_ns, last_ns, error, sizeof error) ? 0 : 2;
}

#define LINES       256
#define LINE_LENGTH 400

/* One of the values in a line, with its key before it; false if there is none. */
struct pair {
    char *key;
    size_t key_length;
    char *value;
    size_t length;
};

static bool draw_pair(char *line, struct pair *pair)
{
    char *colons[32];
    uint32_t count = 0;
    for (char *colon = strstr(line, ": "); colon != NULL && count < 32; colon = strstr(colon + 1, ": "))
        colons[count++] = colon;
    if (count == 0)
        return false;
    pair->value = colons[chance(count)] + 2;
    pair->length = strcspn(pair->value, ",}\n");
    pair->key = pair->value - 2;
    while (pair->key > line && strchr(" {,", pair->key[-1]) == NULL)
        pair->key--;
    pair->key_length = (size_t)(pair->value - pair->key);
    return true;
}

static void damage_line(char (*lines)[LINE_LENGTH], uint32_t count)
{
    static const char *const odd[] = {"0", "-1", "99999", "true", "\"\"", "[]", "{}", "0x2a19", "3.5", "~", "name"};
    char *line = lines[chance(count)];
    char whole[2 * LINE_LENGTH];
    struct pair pair;
    struct pair other;
    uint32_t way = chance(8);
    size_t digit = strcspn(line, "0123456789");
    if (way == 0)
        line[0] = '\0';
    else if (way == 1 && snprintf(whole, sizeof whole, "%s%s", line, line) < LINE_LENGTH)
        memcpy(line, whole, LINE_LENGTH);
    else if (way == 2 && line[digit] != '\0')
        line[digit] = (char)('0' + chance(10));
    if (way <= 2 || !draw_pair(line, &pair))
        return;
    const char *value = odd[chance(sizeof odd / sizeof odd[0])];
    int length = (int)strlen(value);
    for (uint32_t left = 2000; way > 3 && left > 0; left--) { /* a value of the same key, or of any */
        if (!draw_pair(lines[chance(count)], &other) || other.value == pair.value ||
            (way > 4 && (other.key_length != pair.key_length || memcmp(other.key, pair.key, pair.key_length) != 0)))
            continue;
        value = other.value;
        length = (int)other.length;
        break;
    }
    if (snprintf(whole, sizeof whole, "%.*s%.*s%s", (int)(pair.value - line), line, length, value,
                 pair.value + pair.length) < LINE_LENGTH)
        memcpy(line, whole, LINE_LENGTH);
}

static int damage_text(const char *from, const char *to)
{
    static char lines[LINES][LINE_LENGTH];
    uint32_t count = 0;
    FILE *in = fopen(from, "r");
    FILE *out = fopen(to, "w");
    if (in == NULL || out == NULL) {
        perror(in == NULL ? from : to);
        return 2;
    }
    while (count < LINES && fgets(lines[count], LINE_LENGTH, in) != NULL)
        count++;
    for (uint32_t left = 1 + chance(3); left > 0; left--)
        damage_line(lines, count);
    for (uint32_t i = 0; i < count; i++)
        (void)fputs(lines[i], out);
    (void)fclose(in);
    return fclose(out) == 0 ? 0 : 2;
}

int main(int count, char **arguments)
{
    if (count != 4 && count != 5)
        return 2;
    state = (uint32_t)strtoul(arguments[1], NULL, 10) * 2654435761u | 1;
    return ys_capture_is_one(arguments[2])
               ? damage_capture(arguments[2], arguments[3], count == 5 ? arguments[4] : NULL)
               : damage_text(arguments[2], arguments[3]);
}
